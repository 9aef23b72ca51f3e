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
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

func resultsCommand() command {
	return command{name: "results", summary: "Show the results of ended matches, newest first",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			q := url.Values{}
			book := fs.String("rulebook", "", "only of this `rulebook`")
			lobby := fs.String("lobby", "", "only of the lobby with this join `code`")
			mine := fs.Bool("mine", false, "only matches that you played in")
			most := fs.Int("most", 5, "how `many`, 1 to 100")
			return func(ctx context.Context, t *Terminal, _ []string) error {
				p, err := s.load()
				if err != nil {
					return err
				}
				for name, v := range map[string]string{"rulebook": *book, "lobby": *lobby} {
					if v != "" {
						q.Set(name, v)
					}
				}
				if *mine {
					if p.Player == "" {
						return errUsage{"you have not signed in at " + p.Service + " yet"}
					}
					q.Set("player", p.Player)
				}
				q.Set("limit", strconv.Itoa(*most))
				list, err := client.Service{Address: p.Service}.Matches(ctx, q)
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
				if len(list) == 0 && !s.json {
					fmt.Fprintln(t.Out, "No match has ended yet.")
				}
				return nil
			}
		}}
}

// showMatch writes one result: the teams, then each player's numbers.
func showMatch(w io.Writer, m *client.Match) error {
	r := &m.Result
	practice := ""
	if r.Practice {
		practice = ", practice"
	}
	fmt.Fprintf(
		w,
		"%s, match %d of lobby %s%s — %s — %s — ended %s ago\n",
		r.Rulebook,
		r.Match,
		m.Lobby,
		practice,
		r.Because,
		sheet.FormatClock(r.Millis),
		since(m.Ended),
	)
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
		rows = append(
			rows,
			append([]string{place(p.Place), "  " + p.Name, p.Team, p.Outcome}, blanks(r, names, p.Fields)...),
		)
	}
	head := []string{"PLACE", "NAME", "TEAM", "OUTCOME"}
	for _, n := range names {
		head = append(head, strings.ToUpper(n))
	}
	return table(w, head, rows)
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

func boardCommand() command {
	return command{name: "board", args: "RULEBOOK BOARD", least: 2, most: 2, summary: "Show a leaderboard from the top",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			most := fs.Int("most", 20, "how `many` entries, 1 to 100")
			from := fs.String("from", "", "`cursor` of the next page, as the page before gave it")
			return func(ctx context.Context, t *Terminal, args []string) error {
				svc, err := s.reader()
				if err != nil {
					return err
				}
				page, err := svc.Board(ctx, args[0], args[1], *most, *from)
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, page)
				}
				fmt.Fprintf(t.Out, "%s (%s)\n", page.Title, page.Rulebook)
				var rows [][]string
				for _, r := range page.Rows {
					rows = append(
						rows,
						[]string{place(r.Place), r.Name, showScore(page.Show, r.Value), since(r.Posted) + " ago"},
					)
				}
				if len(rows) == 0 {
					fmt.Fprintln(t.Out, "Nobody stands on it yet.")
					return nil
				}
				if err := table(t.Out, []string{"PLACE", "NAME", "VALUE", "POSTED"}, rows); err != nil {
					return err
				}
				if page.Next != "" {
					fmt.Fprintf(t.Out, "More: turnvex board %s %s -from %s\n", args[0], args[1], page.Next)
				}
				return nil
			}
		}}
}

// showScore writes a board's value as the board says.
func showScore(show string, v int64) string {
	switch show {
	case rulebook.ShowClock.String():
		return sheet.FormatClock(v)
	case rulebook.ShowNumber.String():
		return sheet.ShowThousandths(v)
	}
	return strconv.FormatInt(v, 10)
}
