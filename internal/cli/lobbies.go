package cli

import (
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"strings"
	"text/tabwriter"
	"time"

	"turnvex/client"
)

// table writes aligned columns.
func table(w io.Writer, head []string, rows [][]string) error {
	tw := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, r := range append([][]string{head}, rows...) {
		fmt.Fprintln(tw, strings.Join(r, "\t"))
	}
	return tw.Flush()
}

func rulebooksCommand() command {
	return command{name: "rulebooks", summary: "List the rulebooks that a service has loaded",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			return func(ctx context.Context, t *Terminal, _ []string) error {
				svc, err := s.reader()
				if err != nil {
					return err
				}
				var out struct {
					Rulebooks []struct {
						Name    string   `json:"name"`
						Title   string   `json:"title"`
						About   string   `json:"about"`
						Version string   `json:"version"`
						Boards  []string `json:"boards"`
						Least   int      `json:"least"`
						Most    int      `json:"most"`
					} `json:"rulebooks"`
				}
				if err := svc.Call(ctx, http.MethodGet, "/v1/rulebooks", nil, &out); err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, out)
				}
				var rows [][]string
				for _, b := range out.Rulebooks {
					rows = append(rows, []string{b.Name, b.Title, fmt.Sprintf("%d-%d", b.Least, b.Most), strings.Join(b.Boards, ", "), b.Version})
				}
				if len(rows) == 0 {
					fmt.Fprintln(t.Out, "No rulebook is loaded; turnvex serve -rulebooks FOLDER loads some.")
					return nil
				}
				return table(t.Out, []string{"NAME", "TITLE", "PLAYERS", "BOARDS", "VERSION"}, rows)
			}
		}}
}

func lobbiesCommand() command {
	return command{name: "lobbies", summary: "List the open lobbies, newest first",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			book := fs.String("rulebook", "", "only lobbies of this `rulebook`")
			return func(ctx context.Context, t *Terminal, _ []string) error {
				svc, err := s.reader()
				if err != nil {
					return err
				}
				list, err := svc.Lobbies(ctx, *book)
				if err != nil {
					return err
				}
				if s.json {
					for _, l := range list {
						if err := writeJSON(t.Out, l); err != nil {
							return err
						}
					}
					return nil
				}
				return showLobbies(t.Out, list)
			}
		}}
}

func showLobbies(w io.Writer, list []client.Lobby) error {
	var rows [][]string
	for _, l := range list {
		notes := ""
		if l.Practice {
			notes = "practice"
		}
		if !l.Open {
			notes = strings.TrimSpace(notes + " closed")
		}
		rows = append(rows, []string{l.Code, l.Title, l.Rulebook, fmt.Sprintf("%d/%d", l.Seats, l.Capacity), l.State, l.Region, since(l.Opened), notes})
	}
	if len(rows) == 0 {
		_, err := fmt.Fprintln(w, "No lobby is open. Open one with: turnvex open RULEBOOK")
		return err
	}
	return table(w, []string{"CODE", "TITLE", "RULEBOOK", "SEATS", "STATE", "REGION", "OPEN FOR", ""}, rows)
}

// since writes how long ago something was.
func since(t time.Time) string {
	d := time.Since(t)
	switch {
	case d < time.Minute:
		return fmt.Sprintf("%d s", int(d.Seconds()))
	case d < time.Hour:
		return fmt.Sprintf("%d min", int(d.Minutes()))
	case d < 48*time.Hour:
		return fmt.Sprintf("%d h", int(d.Hours()))
	}
	return fmt.Sprintf("%d days", int(d.Hours()/24))
}

// optionList collects -option NAME=VALUE.
type optionList map[string]any

func (o optionList) String() string { return "" }

func (o optionList) Set(s string) error {
	name, value, ok := strings.Cut(s, "=")
	if !ok {
		return fmt.Errorf("%q is not NAME=VALUE", s)
	}
	o[name] = value
	return nil
}

func openCommand() command {
	return command{name: "open", args: "RULEBOOK", least: 1, most: 1, summary: "Open a lobby, and join it unless told otherwise",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			o := client.Opening{Options: optionList{}}
			fs.StringVar(&o.Title, "title", "", "the lobby's `title`")
			fs.IntVar(&o.Capacity, "capacity", 0, "the most `seats`; as many as the rulebook allows if 0")
			fs.BoolVar(&o.Practice, "practice", false, "a practice lobby: the host sets fields by hand, nothing is kept")
			fs.BoolVar(&o.Hidden, "hidden", false, "by code only, not listed")
			fs.Var(optionList(o.Options), "option", "`NAME=VALUE` of an option of the rulebook; may be given several times")
			stay := fs.Bool("only", false, "only open it and print its code; it closes after a minute if nobody joins")
			return func(ctx context.Context, t *Terminal, args []string) error {
				_, svc, err := s.open(ctx, t)
				if err != nil {
					return err
				}
				o.Rulebook = args[0]
				l, err := svc.Open(ctx, o)
				if err != nil {
					return err
				}
				if !*stay && !s.json {
					return s.play(ctx, t, l.Code, playOptions{})
				}
				if s.json {
					return writeJSON(t.Out, l)
				}
				fmt.Fprintf(t.Out, "The lobby %q is open. Join it with: turnvex join %s\n", l.Title, l.Code)
				return nil
			}
		}}
}
