package api

import (
	"fmt"
	"reflect"
	"strings"
)

// pageHead is what stands above the table of docs/http.md.
const pageHead = "# The HTTP API\n\n<!-- Made from the routes by ./dev docs; do not edit. -->\n\nJSON in, JSON " +
	"out. Errors are problem documents (RFC 9457) with a stable `code`; see\n[errors](errors.md). A token goes " +
	"into `Authorization: Bearer TOKEN`; it is a JWT that lasts\n15 minutes, or an hour for a service key. The " +
	"`refresh` token that comes with it gives you the next pair,\nonce. Unknown fields and parameters are " +
	"refused; `?` marks optional ones.\nLists return `next`, the `cursor` of the next page. Leaving, deleting, " +
	"revoking, barring and changing\nmay be repeated safely; a lobby that must not be opened twice is given a " +
	"name. A post to a board, or a\ncorrection of a record, that carries an `id` (a UUID) may be repeated safely " +
	"and happens once; a post\nwithout one may not where the board keeps totals or counts. An `id` of a post is " +
	"remembered for 30 days.\n\nWho may call: *anyone*; *player* (a player's token); *key* (any service key's " +
	"token);\n*operator* (a service key with the scope operator).\n"

var accessNames = map[access]string{public: "anyone", signedIn: "player", leaving: "player, banned or not",
	tokened: "player or key",
	reading: "key", operator: "operator"}

// Page is docs/http.md, made from the routes.
func Page() []byte {
	var b strings.Builder
	b.WriteString(pageHead)
	for _, rt := range routes {
		fmt.Fprintf(&b, "\n### `%s %s`\n\n%s. Who: %s.\n", rt.method, rt.path, rt.summary, accessNames[rt.access])
		if len(rt.params) > 0 {
			b.WriteString("\n| parameter | |\n|---|---|\n")
			for _, p := range rt.params {
				fmt.Fprintf(&b, "| `%s` | %s |\n", p.name, p.doc)
			}
		}
		line(&b, "\nBody", rt.body())
		line(&b, "\nAnswer", rt.out)
	}
	b.WriteString(
		"\n### `GET /v1/live`, `GET /v1/live/schema`, `GET /v1/openapi.json`\n\nThe [live " +
			"protocol](protocol.md); the JSON " +
			"Schema of its messages; these routes as an OpenAPI 3.1 document, which is also " +
			"[openapi.json](openapi.json).\n\n### `GET /health`, `GET /ready`\n\nThe process is alive; the " +
			"database answers. Who: " +
			"anyone.\n",
	)
	return []byte(b.String())
}

// line writes the shape of a body in one line.
func line(b *strings.Builder, what string, v any) {
	switch v.(type) {
	case nil:
		return
	case string:
		fmt.Fprintf(b, "%s: the rulebook, as YAML or JSON.\n", what)
	default:
		if s := shape(reflect.TypeOf(v)); s != "{}" {
			fmt.Fprintf(b, "%s: `%s`\n", what, s)
		}
	}
}

// shape writes a type as the JSON that it becomes, with names for values.
func shape(t reflect.Type) string {
	switch {
	case t.Kind() == reflect.Pointer:
		return shape(t.Elem())
	case t.String() == "time.Time":
		return "time"
	case t.String() == "json.RawMessage" || t.Kind() == reflect.Interface:
		return "…"
	}
	switch t.Kind() {
	case reflect.Struct:
		return "{" + strings.Join(fields(t), ", ") + "}"
	case reflect.Slice, reflect.Array:
		return "[" + shape(t.Elem()) + ", …]"
	case reflect.Map:
		return "{name: " + shape(t.Elem()) + ", …}"
	case reflect.String:
		return "text"
	case reflect.Bool:
		return "flag"
	case reflect.Float64:
		return "number"
	}
	return "integer"
}

func fields(t reflect.Type) (out []string) {
	for i := range t.NumField() {
		f := t.Field(i)
		name, rest, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case f.Anonymous && name == "":
			out = append(out, fields(f.Type)...)
		case f.IsExported() && name != "-":
			if strings.Contains(rest, "omitempty") {
				name += "?"
			}
			out = append(out, name+": "+shape(f.Type))
		}
	}
	return out
}
