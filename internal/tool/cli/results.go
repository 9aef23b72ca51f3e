package cli

import (
	"cmp"
	"context"
	"flag"
	"fmt"
	"io"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/sheet"
)

func resultsCommand() command {
	return command{name: "results", summary: "Show the results of ended matches, newest first, or export them",
		details: "-export writes all that match, regardless of -most: jsonl has one match per line, csv one player\n" +
			"per line. It needs a service key.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			q := url.Values{}
			for name, doc := range map[string]string{"rulebook": "only of this `rulebook`",
				"lobby": "only of the lobby with this join `code`", "player": "only with the player with this `ID`",
				"since":  "only those that ended at this `time` or later, such as 2026-11-26T08:00:00Z",
				"before": "only those that ended before this `time`", "cursor": ""} {
				if name == "cursor" {
					name, doc = "next", "the `cursor` that the previous page printed"
				}
				fs.Func(name, doc,
					func(v string) error { q.Set(strings.Replace(name, "next", "cursor", 1), v); return nil })
			}
			mine := fs.Bool("mine", false, "only matches that you played in")
			most := fs.Int("most", 5, "how `many`, 1 to 100")
			export := fs.String("export", "", "export all of them in this `format`: jsonl or csv")
			out := fs.String("out", "", "with -export: `file` to write; standard output by default")
			keyFile := keyFlag(fs)
			return func(ctx context.Context, t *Terminal, _ []string) error {
				p, err := s.load()
				if err != nil {
					return err
				}
				if *mine {
					if p.Player == "" {
						return errUsage{"you have not signed in at " + p.Service + " yet"}
					}
					q.Set("player", p.Player)
				}
				if *export != "" {
					svc, err := s.operator(ctx, *keyFile)
					if err != nil {
						return err
					}
					return into(t, *out, func(w io.Writer) error { return svc.ExportMatches(ctx, w, *export, q) })
				}
				q.Set("limit", strconv.Itoa(*most))
				return s.showMatches(ctx, t, client.Service{Address: p.Service}, q)
			}
		},
	}
}

func (s *session) showMatches(ctx context.Context, t *Terminal, svc client.Service, q url.Values) error {
	list, next, err := svc.MatchPage(ctx, q)
	if err != nil {
		return err
	}
	for i := range list {
		if s.json {
			if err := writeJSON(t.Out, list[i]); err != nil {
				return err
			}
			continue
		}
		if i > 0 {
			fmt.Fprintln(t.Out)
		}
		if err := showMatch(t.Out, &list[i]); err != nil {
			return err
		}
	}
	switch {
	case s.json:
	case len(list) == 0:
		fmt.Fprintln(t.Out, "No match that fits has ended yet.")
	case next != "":
		fmt.Fprintf(t.Out, "\nMore: the same with -next %s\n", next)
	}
	return nil
}

// showMatch writes one result: the teams, then each player's numbers.
func showMatch(w io.Writer, m *client.Match) error {
	r := &m.Result
	practice := ""
	if r.Practice {
		practice = ", practice"
	}
	if r.Arena != "" {
		practice += ", in " + r.Arena
	}
	fmt.Fprintf(w, "%s, match %d of lobby %s%s — %s — %s — ended %s ago\n", r.Rulebook, r.Match, m.Lobby, practice,
		r.Because, sheet.FormatClock(r.Millis), since(m.Ended))
	var names []string
	for _, p := range r.Players {
		for n := range maps.Keys(p.Fields) {
			if !slices.Contains(names, n) {
				names = append(names, n)
			}
		}
	}
	slices.Sort(names)
	var rows [][]string
	for _, t := range r.Teams {
		rows = append(rows, append([]string{place(t.Place), t.Title, "", t.Outcome}, blanks(r, names, t.Fields)...))
	}
	slices.SortStableFunc(
		r.Players,
		func(a, b client.PlayerResult) int { return cmp.Compare(uint64(a.Place)-1, uint64(b.Place)-1) },
	) // who left has no place and comes last
	for _, p := range r.Players {
		rows = append(rows,
			append([]string{place(p.Place), "  " + p.Name, p.Team, p.Outcome}, blanks(r, names, p.Fields)...))
	}
	head := append([]string{"PLACE|NAME|TEAM|OUTCOME"}, names...)
	return table(w, strings.ToUpper(strings.Join(head, "|")), rows)
}

func place(n int64) string {
	if n == 0 {
		return "-"
	}
	return strconv.FormatInt(n, 10)
}

// blanks writes the fields in the order of names, clocks as such.
func blanks(r *client.Result, names []string, fields map[string]any) []string {
	out := make([]string, len(names))
	for i, n := range names {
		if v, ok := fields[n]; ok {
			out[i] = fmt.Sprint(v)
			if ms, ok := v.(float64); ok && slices.Contains(r.Clocks, n) {
				out[i] = sheet.FormatClock(int64(ms))
			}
		}
	}
	return out
}
