package cli

import (
	"context"
	"flag"
	"fmt"
	"strings"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/rulebook"
)

func seriesCommand() command {
	return command{name: "series",
		args:    "check FILE | open FILE NAME=PLAYER,... | list | show ID | mine | withdraw ID NAME | end ID",
		summary: "Run a series of matches: a meeting, a bracket or a table",
		details: "A file declares the series: docs/rulebook.md#series. List its entrants with the IDs of their\n" +
			"players, the strongest first; turnvex players finds IDs. Opening, withdrawing and ending need an\n" +
			"operator's key. mine lists the meetings that you are due at now, with the codes of their\n" +
			"lobbies.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			keyFile := fs.String("key-file", "", "`file` with an operator's key; otherwise TURNVEX_OPERATOR_KEY")
			because := fs.String("because", "", "with end: the `reason` that players see")
			next := fs.String("next", "", "with list: the `cursor` that the previous page printed")
			return func(ctx context.Context, t *Terminal, args []string) error {
				switch do, n := args[0], len(args); {
				case do == "check" && n == 2:
					return s.checkSeries(t, args[1])
				case do == "list" && n == 1:
					return s.listSeries(ctx, t, *next)
				case do == "show" && n == 2:
					return s.showSeries(ctx, t, args[1])
				case do == "mine" && n == 1:
					return s.mySeries(ctx, t)
				case do == "open" && n >= 3, do == "withdraw" && n == 3, do == "end" && n == 2:
					svc, err := s.operator(ctx, *keyFile)
					if err != nil {
						return err
					}
					return s.runSeries(ctx, t, svc, args, *because)
				}
				return errUsage{
					fmt.Sprintf("%q is not: check FILE, open FILE NAME=PLAYER, list, show ID, mine, withdraw ID "+
						"NAME or end ID", strings.Join(args, " ")),
				}
			}
		},
	}
}

func (s *session) checkSeries(t *Terminal, file string) error {
	src, err := readFile(t, file)
	if err != nil {
		return err
	}
	plan, problems := rulebook.CompileSeries(src)
	for _, p := range problems {
		fmt.Fprintf(t.Out, "%s:%s\n", file, p)
	}
	if plan == nil {
		return errQuiet
	}
	fmt.Fprintf(t.Out, "%s: %s, a %s of %s, can be opened\n", file, plan.Name, plan.Form, plan.Rulebook)
	return nil
}

// runSeries opens a series, or changes one.
func (s *session) runSeries(ctx context.Context, t *Terminal, svc client.Service, args []string, because string) error {
	switch args[0] {
	case "withdraw":
		return s.did(t, svc.Withdraw(ctx, args[1], args[2]), args[2]+" has withdrawn.")
	case "end":
		return s.did(t, svc.EndSeries(ctx, args[1], because), "The series is over.")
	}
	src, err := readFile(t, args[1])
	if err != nil {
		return err
	}
	if plan, _ := rulebook.CompileSeries(src); plan == nil {
		return s.checkSeries(t, args[1])
	}
	var entrants []client.Entrant
	for _, a := range args[2:] {
		name, players, ok := strings.Cut(a, "=")
		if !ok {
			return errUsage{fmt.Sprintf("an entrant is a name and its players' IDs, NAME=ID,ID, not %q", a)}
		}
		entrants = append(entrants, client.Entrant{Name: name, Players: strings.Split(players, ",")})
	}
	id, err := svc.OpenSeries(ctx, string(src), entrants)
	if err != nil {
		return err
	}
	if s.json {
		return writeJSON(t.Out, map[string]string{"id": id})
	}
	fmt.Fprintf(t.Out, "The series %s is open. See how it stands with: turnvex series show %s\n", id, id)
	return nil
}

func (s *session) listSeries(ctx context.Context, t *Terminal, from string) error {
	svc, err := s.reader()
	if err != nil {
		return err
	}
	list, more, err := svc.ListSeries(ctx, 100, from)
	err = show(s, t, list, err, "ID|TITLE|RULEBOOK|FORM|ENTRANTS|STATE|WINNER|OPENED", func(x client.Series) []string {
		state := "runs"
		if x.Over {
			state = "over"
		}
		return []string{x.ID, x.Title, x.Rulebook, x.Form, fmt.Sprint(x.Entrants), state, x.Winner,
			since(x.Opened) + " ago"}
	})
	if err == nil && more != "" && !s.json {
		fmt.Fprintf(t.Out, "More: turnvex series list -next %s\n", more)
	}
	return err
}

func (s *session) mySeries(ctx context.Context, t *Terminal) error {
	_, svc, err := s.open(ctx, t)
	if err != nil {
		return err
	}
	list, err := svc.MySeries(ctx)
	return show(s, t, list, err, "SERIES|ROUND|AGAINST|LOBBY|STANDS", func(d client.DueMeeting) []string {
		return []string{d.Title, fmt.Sprint(d.Round), d.Against, d.Lobby, fmt.Sprintf("%d:%d", d.Wins, d.Lost)}
	})
}

func (s *session) showSeries(ctx context.Context, t *Terminal, id string) error {
	svc, err := s.reader()
	if err != nil {
		return err
	}
	x, err := svc.GetSeries(ctx, id)
	if err != nil {
		return err
	}
	if s.json {
		return writeJSON(t.Out, x)
	}
	fmt.Fprintf(t.Out, "%s: a %s of %s\n\n", x.Title, x.Form, x.Rulebook)
	var rows [][]string
	for _, m := range x.Meetings {
		rows = append(rows, []string{fmt.Sprint(m.Round), fmt.Sprint(m.Number), partyName(m, 0),
			fmt.Sprintf("%d:%d", m.Sides[0].Wins, m.Sides[1].Wins), partyName(m, 1), meetingState(m)})
	}
	if err := table(t.Out, "ROUND|MEETING||||STATE", rows); err != nil {
		return err
	}
	rows = nil
	for _, r := range x.Standings {
		place := ""
		if r.Place > 0 {
			place = fmt.Sprint(r.Place)
		}
		row := []string{place, r.Name, fmt.Sprint(r.Played), fmt.Sprint(r.Won), fmt.Sprint(r.Drawn), fmt.Sprint(r.Lost),
			fmt.Sprintf("%d:%d", r.For, r.Against), fmt.Sprint(r.Points)}
		rows = append(rows, row)
	}
	fmt.Fprintln(t.Out)
	return table(t.Out, "PLACE|ENTRANT|MET|WON|DRAWN|LOST|MATCHES|POINTS", rows)
}

// partyName is who a side of a meeting is, or where they come from.
func partyName(m client.Meeting, side int) string {
	p := m.Sides[side]
	switch {
	case p.Name != "":
		return p.Name
	case p.From != 0 && m.Third:
		return fmt.Sprintf("(loser of %d)", p.From)
	case p.From != 0:
		return fmt.Sprintf("(winner of %d)", p.From)
	}
	return "nobody"
}

func meetingState(m client.Meeting) string {
	switch m.Stage {
	case "comes":
		return "lobby " + m.Lobby + " waits for them"
	case "plays":
		return "in lobby " + m.Lobby
	case "opens":
		return "a lobby is being opened"
	case "decided":
		if m.Winner == "" {
			return "decided: " + m.Why
		}
		return m.Winner + " wins: " + m.Why
	}
	return "waits"
}
