package cli

import (
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"strings"
	"text/tabwriter"

	"turnvex.example/turnvex/client"
)

// table writes aligned columns; their names are separated by |.
func table(w io.Writer, head string, rows [][]string) error {
	tw := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, r := range append([][]string{strings.Split(head, "|")}, rows...) {
		fmt.Fprintln(tw, strings.Join(r, "\t"))
	}
	return tw.Flush()
}

// show ends a command that was to list something: with what went wrong, one JSON document, or a table.
func show[T any](s *session, t *Terminal, list []T, err error, head string, row func(T) []string) error {
	if err != nil {
		return err
	}
	if s.json {
		return writeJSON(t.Out, list)
	}
	var rows [][]string
	for _, x := range list {
		rows = append(rows, row(x))
	}
	return table(t.Out, head, rows)
}

func rulebooksCommand() command {
	return command{name: "rulebooks", summary: "List the rulebooks and games that a service has loaded",
		setup: asAnyone(func(fs *flag.FlagSet, s *session) call {
			return func(ctx context.Context, t *Terminal, svc client.Service, _ []string) error {
				var out struct {
					Rulebooks []struct {
						Name    string   `json:"name"`
						Title   string   `json:"title"`
						About   string   `json:"about"`
						Version string   `json:"version"`
						Boards  []string `json:"boards"`
						Least   int      `json:"least"`
						Most    int      `json:"most"`
						Game    string   `json:"game,omitempty"`
					} `json:"rulebooks"`
					Games []struct {
						Game    string   `json:"game"`
						Title   string   `json:"title"`
						Version string   `json:"version"`
						Boards  []string `json:"boards"`
					} `json:"games"`
				}
				if err := svc.Call(ctx, http.MethodGet, "/v1/rulebooks", nil, &out); err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, out)
				}
				var rows [][]string
				for _, b := range out.Rulebooks {
					rows = append(rows, []string{b.Name, b.Title, fmt.Sprintf("%d-%d", b.Least, b.Most),
						strings.Join(b.Boards, ", "), b.Version})
				}
				for _, g := range out.Games {
					boards := strings.Join(g.Boards, ", ")
					rows = append(rows, []string{"game:" + g.Game, g.Title, "", boards, g.Version})
				}
				if len(rows) == 0 {
					fmt.Fprintln(t.Out, "No rulebook is loaded; turnvex serve -rulebooks FOLDER loads some.")
					return nil
				}
				return table(t.Out, "NAME|TITLE|PLAYERS|BOARDS|VERSION", rows)
			}
		}),
	}
}
