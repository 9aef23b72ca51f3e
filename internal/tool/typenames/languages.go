package typenames

import (
	"fmt"
	"strings"

	"turnvex.example/turnvex/internal/core/sheet"
)

// writeTypeScript writes interfaces of values as sheets show them, and unions of
// names.
func writeTypeScript(n *names) string {
	var b strings.Builder
	fmt.Fprintf(&b, "// %s\n\nexport const rulebook = '%s'\nexport const version = '%s'\n", n.head(), n.book, n.version)
	for _, g := range n.sheets {
		tsInterface(
			&b,
			"The fields of the "+g.name+" sheet, as Sheet.get shows them",
			pascal(g.name, "fields"),
			g.fields,
		)
	}
	tsMap(&b, "Actions with what they take", "Actions", n.actions)
	tsMap(&b, "Notices with what they say, as sent", "Notices", n.notices)
	b.WriteString("\nexport type ActionName = keyof Actions\nexport type NoticeName = keyof Notices\n")
	for _, l := range n.lists {
		fmt.Fprintf(&b, "export type %s = '%s'\n", pascal(l.name, "name"), strings.Join(l.items, "' | '"))
	}
	tsNames(&b, n)
	return b.String()
}

// tsNames writes what a connection takes to check all names.
func tsNames(b *strings.Builder, n *names) {
	var sheets []string
	for _, g := range n.sheets {
		sheets = append(sheets, g.name+": "+pascal(g.name, "fields"))
	}
	settings := []string{"title", "capacity", "open", "listed", "watch_most"}
	for _, o := range n.options {
		settings = append(settings, o.name)
	}
	teams, votes := "never", "never"
	for _, l := range n.lists {
		switch l.name {
		case "team":
			teams = pascal(l.name, "name")
		case "vote":
			votes = pascal(l.name, "name")
		}
	}
	fmt.Fprintf(b, `
/** All of these: new Connection<%s>(…) of turnvex-client checks them. */
export interface %s {
  sheets: { %s }
  actions: Actions
  notices: Notices
  teams: %s
  votes: %s
  settings: Partial<Pick<LobbyFields, '%s'> & { password: string }>
}
`, pascal(n.book), pascal(n.book), strings.Join(sheets, "; "), teams, votes, strings.Join(settings, "' | '"))
}

func tsInterface(b *strings.Builder, doc, name string, fields []field) {
	fmt.Fprintf(b, "\n/** %s. */\nexport interface %s {\n", doc, name)
	for _, f := range fields {
		fmt.Fprintf(b, "  /** %s */\n  %s: %s\n", comment(f.doc), f.name, tsType(f.of))
	}
	b.WriteString("}\n")
}

func tsMap(b *strings.Builder, doc, name string, groups []group) {
	fmt.Fprintf(b, "\n/** %s. */\nexport interface %s {\n", doc, name)
	for _, g := range groups {
		fmt.Fprintf(b, "  %s: {", g.name)
		for i, f := range g.fields {
			if i > 0 {
				b.WriteByte(';')
			}
			fmt.Fprintf(b, " %s: %s", f.name, tsType(f.of))
		}
		b.WriteString(" }\n")
	}
	b.WriteString("}\n")
}

func tsType(f *sheet.Field) string {
	switch f.Type {
	case sheet.Text:
		return "string"
	case sheet.Flag:
		return "boolean"
	case sheet.Choice:
		return "'" + strings.Join(f.Choices, "' | '") + "'"
	case sheet.Position:
		return "[number, number]"
	case sheet.Clock, sheet.Position3:
		return "[number, number, number]"
	case sheet.List:
		item := *f
		item.Type = f.Item
		return "(" + tsType(&item) + ")[]"
	}
	return "number"
}

// writeCSharp writes static classes of constants.
func writeCSharp(n *names) string {
	return classes(
		n,
		style{
			open:     "public static class %s\n%s{\n",
			close:    "}\n",
			constant: "public const string %s = \"%s\";",
			doc:      "/// <summary>%s</summary>\n",
			head:     fmt.Sprintf("// %s\n\nnamespace Turnvex.%s\n{\n", n.head(), pascal(n.book, "names")),
			tail:     "}\n",
		},
	)
}

// writeCpp writes namespaces of constants; C++17.
func writeCpp(n *names) string {
	return classes(
		n,
		style{
			open:     "namespace %s\n%s{\n",
			close:    "}\n",
			constant: "inline constexpr std::string_view %s = \"%s\";",
			doc:      "/// %s\n",
			head: fmt.Sprintf(
				"// %s\n\n#pragma once\n\n#include <string_view>\n\nnamespace turnvex::%s_names\n{\n",
				n.head(),
				n.book,
			),
			tail: "}\n",
		},
	)
}

// style is how a language with braces writes classes of constants.
type style struct{ open, close, constant, doc, head, tail string }

func classes(n *names, s style) string {
	var b strings.Builder
	b.WriteString(s.head)
	write := func(indent, format string, args ...any) { fmt.Fprintf(&b, indent+format, args...) }
	constants := func(indent, class, doc string, fields []field) {
		if len(fields) == 0 {
			return
		}
		write(indent, s.doc, comment(doc))
		write(indent, s.open, class, indent)
		taken := unique{class: 1}
		for _, f := range fields {
			if f.doc != "" {
				write(indent+"    ", s.doc, comment(f.doc))
			}
			write(indent+"    ", s.constant+"\n", taken.name(pascal(f.name)), f.name)
		}
		write(indent, s.close)
	}
	plain := func(items []string) (out []field) {
		for _, item := range items {
			out = append(out, field{name: item})
		}
		return out
	}
	write("    ", s.constant+"\n", "Rulebook", n.book)
	write("    ", s.constant+"\n", "Version", n.version)
	for _, g := range n.sheets {
		constants("    ", pascal(g.name, "fields"), "Fields of the "+g.name+" sheet", g.fields)
		for _, f := range g.fields {
			constants("    ", pascal(g.name, f.name, "words"), "Words of the "+g.name+"'s "+f.name, plain(f.words))
		}
	}
	for _, set := range []struct {
		name   string
		groups []group
	}{{"action", n.actions}, {"notice", n.notices}} {
		var all []field
		for _, g := range set.groups {
			all = append(all, field{name: g.name, doc: g.doc})
			constants("    ", pascal(set.name, g.name, "fields"), "What goes with the "+set.name+" "+g.name, g.fields)
		}
		constants("    ", pascal(set.name, "names"), pascal(set.name)+"s", all)
	}
	for _, l := range n.lists {
		constants("    ", pascal(l.name, "names"), "Names of "+l.name+"s", plain(l.items))
	}
	b.WriteString(s.tail)
	return b.String()
}
