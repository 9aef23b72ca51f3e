package spec

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"reflect"
	"strings"

	"github.com/google/jsonschema-go/jsonschema"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/wire"
)

//go:embed page_head.md
var pageHead string

// Page is docs/protocol.md: what stands in page_head.md, and each message.
func Page() string {
	var b strings.Builder
	b.WriteString(pageHead)
	for i := range Messages {
		Messages[i].write(&b)
	}
	b.WriteString("\n## Inside the messages\n")
	for _, t := range inner {
		fmt.Fprintf(&b, "\n### %s\n\n", heading(t))
		fieldTable(&b, t)
	}
	return b.String()
}

func (m *Message) write(b *strings.Builder) {
	from := "The " + m.From.String()
	if m.From == Both {
		from = "Either side"
	}
	fmt.Fprintf(b, "\n### %s\n\n%s\n\n- **Who and when:** %s. %s\n", m.Is, m.Purpose, from, m.When)
	if m.Follows != "" {
		fmt.Fprintf(b, "- **What may follow:** %s\n", m.Follows)
	}
	if m.Errors != "" {
		fmt.Fprintf(b, "- **Errors:** %s\n", m.Errors)
	}
	b.WriteByte('\n')
	fieldTable(b, reflect.TypeOf(m.Type))
	fmt.Fprintf(b, "\n```json\n%s\n```\n", m.Example)
}

// inner are the types that stand inside messages and have fields of their own.
var inner = []reflect.Type{reflect.TypeFor[replica.DescribedField](), reflect.TypeFor[wire.SeatInfo](),
	reflect.TypeFor[wire.Filter](), reflect.TypeFor[wire.LobbyInfo](), reflect.TypeFor[wire.BookInfo](),
	reflect.TypeFor[wire.ActionInfo](), reflect.TypeFor[wire.KitInfo](), reflect.TypeFor[wire.PieceInfo](),
	reflect.TypeFor[wire.CreatureInfo](), reflect.TypeFor[wire.ZoneInfo](), reflect.TypeFor[wire.VoteInfo](),
	reflect.TypeFor[wire.PhaseInfo](), reflect.TypeFor[wire.ArenaInfo](), reflect.TypeFor[wire.GroundInfo](),
	reflect.TypeFor[wire.GateInfo](),
	reflect.TypeFor[wire.WallInfo](),
	reflect.TypeFor[wire.WalkInfo](),
	reflect.TypeFor[wire.SightInfo](), reflect.TypeFor[wire.NoticeInfo](), reflect.TypeFor[wire.PauseInfo](),
	reflect.TypeFor[wire.EndInfo](), reflect.TypeFor[wire.Differently](), reflect.TypeFor[wire.BoardWatch](),
	reflect.TypeFor[wire.TopicWatch](), reflect.TypeFor[wire.CostInfo](), reflect.TypeFor[wire.TopicRow](),
	reflect.TypeFor[wire.BoardPage](), reflect.TypeFor[wire.Season](), reflect.TypeFor[wire.BoardRow](),
	reflect.TypeFor[wire.RankedRow]()}

// heading is the name of such a type on the page: seat, lobby, field and so on.
func heading(t reflect.Type) string {
	switch t.Name() {
	case "DescribedField":
		return "field"
	case "Differently":
		return "difference"
	}
	return strings.ToLower(strings.TrimSuffix(t.Name(), "Info"))
}

// fieldTable writes what stands in a type, but for is.
func fieldTable(b *strings.Builder, t reflect.Type) {
	head := false
	for i := range t.NumField() {
		f := t.Field(i)
		name, rest, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "is" {
			continue
		}
		if !head {
			b.WriteString("| field | type | |\n|---|---|---|\n")
			head = true
		}
		if strings.Contains(rest, "omitempty") {
			name += "?"
		}
		fmt.Fprintf(b, "| `%s` | %s | %s |\n", name, typeName(f.Type), f.Tag.Get("jsonschema"))
	}
}

// typeName writes a type as the JSON that it becomes.
func typeName(t reflect.Type) string {
	switch {
	case t.Kind() == reflect.Pointer:
		return typeName(t.Elem())
	case t.String() == "time.Time":
		return "text, a time"
	case t.String() == "[][]interface {}":
		return "list of parts"
	case t.Kind() == reflect.Interface:
		return "any"
	case t.Name() == "Described":
		return "object: `kinds`, a list for each kind of sheet"
	case t.Name() == "DescribedField":
		return "[field](#field)"
	case t.Kind() == reflect.Struct && t.Name() == "Bye":
		return "[bye](#bye)"
	case t.Kind() == reflect.Struct:
		return fmt.Sprintf("[%s](#%s)", heading(t), heading(t))
	}
	switch t.Kind() {
	case reflect.Slice:
		return "list of " + typeName(t.Elem())
	case reflect.Array:
		return fmt.Sprintf("list of %d %ss", t.Len(), typeName(t.Elem()))
	case reflect.Map:
		return "object"
	case reflect.String:
		return "text"
	case reflect.Bool:
		return "flag"
	}
	return "integer"
}

// Schema is docs/protocol.schema.json: the JSON Schema of each message, under $defs by its name, and of any message.
func Schema() ([]byte, error) {
	defs, each := map[string]any{}, []any{}
	for _, m := range Messages {
		s, err := jsonschema.ForType(reflect.TypeOf(m.Type), &jsonschema.ForOptions{})
		if err != nil {
			return nil, fmt.Errorf("%s: %w", m.Is, err)
		}
		s.Title, s.Description = m.Is, fmt.Sprintf("From the %s. %s", m.From, m.Purpose)
		is := jsonschema.Schema{Const: jsonschema.Ptr[any](m.Is)}
		s.Properties["is"] = &is
		if m.From != Client {
			s.AdditionalProperties = nil // later versions may add keys
		}
		defs[m.Is] = s
		each = append(each, map[string]string{"$ref": "#/$defs/" + m.Is})
	}
	return json.MarshalIndent(map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema",
		"$id":     "urn:turnvex:live:v1",
		"title":   "Messages of the Turnvex live protocol, version 1",
		"oneOf":   each,
		"$defs":   defs,
	}, "", "  ")
}
