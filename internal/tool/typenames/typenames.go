// Package typenames writes the names of a rulebook's sheets, fields, actions and notices as declarations in a
// programming language, so that a compiler finds a name that is misspelt or gone.
package typenames

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Languages lists the languages that can be written.
func Languages() []string { return []string{"go", "typescript", "csharp", "cpp"} }

// Write returns the names of a rulebook in a language. It fails for a language that it does not know.
func Write(b *rulebook.Book, language string) (string, error) {
	write, ok := map[string]func(*names) string{"go": writeGo, "typescript": writeTypeScript, "csharp": writeCSharp,
		"cpp": writeCpp}[language]
	if !ok {
		return "", fmt.Errorf("the language is one of %s, not %q", strings.Join(Languages(), ", "), language)
	}
	return write(collect(b)), nil
}

// names is what is written, in the rulebook's order.
type names struct {
	book    string
	version string
	sheets  []group // the fields of each kind of sheet
	actions []group // with their arguments
	notices []group // with what they say
	lists   []list  // phases, teams, kits, pieces, boards

	options []field // of the lobby
}

// group is something that has fields.
type group struct {
	name   string
	doc    string
	fields []field
}

// field is one field with what a program needs to know of it.
type field struct {
	name  string
	doc   string
	of    *sheet.Field
	words []string // of a choice
}

// list is a set of names.
type list struct {
	name  string
	items []string
}

func collect(b *rulebook.Book) *names {
	n := &names{book: b.Name, version: b.Version}
	for _, o := range b.Options {
		n.options = append(n.options, fieldOf(o))
	}
	for k := range sheet.Kinds {
		g := group{name: sheet.Kind(k).String()}
		for _, f := range b.Schema.Fields(sheet.Kind(k)) {
			if f.See != sheet.Hidden {
				g.fields = append(g.fields, fieldOf(f))
			}
		}
		n.sheets = append(n.sheets, g)
	}
	for _, a := range b.Actions {
		g := group{name: a.Name, doc: a.Title}
		for _, f := range a.Takes {
			g.fields = append(g.fields, fieldOf(f))
		}
		n.actions = append(n.actions, g)
	}
	for _, s := range append(slices.Clone(b.Notices), rulebook.OwnNotices...) {
		g := group{name: s.Name}
		for _, f := range s.Fields {
			g.fields = append(g.fields, fieldOf(f))
		}
		n.notices = append(n.notices, g)
	}
	n.addList("phase", len(b.Phases), func(i int) string { return b.Phases[i].Name })
	n.addList("team", len(b.Teams.List), func(i int) string { return b.Teams.List[i].Name })
	n.addList("kit", len(b.Kits), func(i int) string { return b.Kits[i].Name })
	n.addList("piece", len(b.Pieces), func(i int) string { return b.Pieces[i].Name })
	n.addList("creature", len(b.Creatures), func(i int) string { return b.Creatures[i].Name })
	n.addList("zone", len(b.Zones), func(i int) string { return b.Zones[i].Name })
	n.addList("vote", len(b.Votes), func(i int) string { return b.Votes[i].Name })
	if b.Arenas != nil {
		n.addList("arena", len(b.Grounds), func(i int) string { return b.Grounds[i].Name })
	}
	if b.Referee != nil {
		n.addList("referee_act", len(b.Referee.Acts), func(i int) string { return b.Referee.Acts[i].Name })
	}
	n.addList("board", len(b.Boards), func(i int) string { return b.Boards[i].Name })
	return n
}

func (n *names) addList(name string, count int, at func(int) string) {
	l := list{name: name}
	for i := range count {
		l.items = append(l.items, at(i))
	}
	if count > 0 {
		n.lists = append(n.lists, l)
	}
}

func fieldOf(f *sheet.Field) field {
	doc := f.Type.String()
	switch f.Type {
	case sheet.Number:
		doc = "number, sent in thousandths"
	case sheet.Position, sheet.Position3:
		doc = "position, millimetres"
	case sheet.Ref:
		doc = "number of a " + f.Of.String() + "'s sheet"
	case sheet.List:
		doc = "list of " + f.Item.String() + "s"
	case sheet.Choice:
		doc = "choice of " + strings.Join(f.Choices, ", ")
	}
	if f.Title != "" && f.Title != f.Name {
		doc = f.Title + ": " + doc
	}
	if f.See != sheet.Everyone {
		doc += "; seen by " + f.SeenBy()
	}
	return field{f.Name, doc, f, f.Choices}
}

// pascal turns a name such as cool_ram into CoolRam.
func pascal(parts ...string) string {
	var b strings.Builder
	for _, part := range parts {
		for _, word := range strings.Split(part, "_") {
			for i, r := range word {
				if i == 0 {
					r = unicode.ToUpper(r)
				}
				b.WriteRune(r)
			}
		}
	}
	return b.String()
}

// unique keeps names apart that become the same: a_b and ab.
type unique map[string]int

func (u unique) name(s string) string {
	u[s]++
	if u[s] > 1 {
		return fmt.Sprintf("%s%d", s, u[s])
	}
	return s
}

// comment makes a text fit into one line of a comment.
func comment(s string) string {
	return strings.ReplaceAll(strings.Join(strings.Fields(s), " "), "*/", "* /")
}

// head is the first line of each file.
func (n *names) head() string {
	return fmt.Sprintf("Names of the rulebook %s, version %s. Made by turnvex types; do not edit.", n.book, n.version)
}
