package cli

import (
	"context"
	"flag"
	"fmt"
	"io"
	"strings"
	"time"

	"turnvex.example/turnvex/client"
)

func lobbiesCommand() command {
	return command{name: "lobbies", summary: "List the open lobbies",
		details: "Below the list you see how many lobbies were left out, and why. With -follow the command keeps\n" +
			"running and prints each change.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			var f client.Filter
			fs.StringVar(&f.Rulebook, "rulebook", "", "only lobbies of this `rulebook`")
			fs.StringVar(&f.Region, "region", "", "only lobbies in this `region`")
			fs.StringVar(&f.State, "state", "", "only lobbies in this `state`: gathering, starting, playing, …")
			fs.StringVar(&f.Title, "title", "", "only lobbies whose title begins with this `text`")
			fs.IntVar(&f.Free, "free", 0, "only open lobbies with at least this many free `places`")
			order := fs.String("order", "newest", "`order`: newest, oldest, fullest or title")
			follow := fs.Bool("follow", false, "keep running and print each change")
			return func(ctx context.Context, t *Terminal, _ []string) error {
				if *follow {
					return s.follow(ctx, t, f)
				}
				svc, err := s.reader()
				if err != nil {
					return err
				}
				return s.listLobbies(ctx, t, svc, f, *order)
			}
		},
	}
}

// listLobbies shows every page of the listing.
func (s *session) listLobbies(ctx context.Context, t *Terminal, svc client.Service, f client.Filter,
	order string) error {
	var list []client.Lobby
	page := &client.LobbyPage{}
	for {
		var err error
		if page, err = svc.Lobbies(ctx, f, order, 100, page.Next); err != nil {
			return err
		}
		list = append(list, page.Lobbies...)
		if page.Next == "" || len(list) >= 1000 {
			break
		}
	}
	if s.json {
		for _, l := range list {
			if err := writeJSON(t.Out, l); err != nil {
				return err
			}
		}
		return nil
	}
	if err := showLobbies(t.Out, list); err != nil {
		return err
	}
	var parts []string
	for _, l := range page.LeftOut {
		parts = append(parts, fmt.Sprintf("%d %s", l.Count, l.Why))
	}
	if len(parts) > 0 {
		fmt.Fprintf(t.Out, "Left out: %s.\n", strings.Join(parts, ", "))
	}
	if page.Next != "" {
		fmt.Fprintln(t.Out, "There are more; narrow the list with the flags.")
	}
	return nil
}

// follow writes the listing as it changes.
func (s *session) follow(ctx context.Context, t *Terminal, f client.Filter) error {
	_, svc, err := s.open(ctx, t)
	if err != nil {
		return err
	}
	out := &lineWriter{t: t}
	l, err := svc.WatchLobbies(ctx, f, func(code string, l *client.Lobby) {
		switch {
		case s.json:
			out.line(map[string]any{"code": code, "lobby": l}, true)
		case l == nil:
			out.text("%s  gone\n", code)
		default:
			out.text("%s  %s  %d/%d, %d free  %s  %s\n", code, l.State, l.Seats, l.Capacity, l.Free, l.Title, notes(l))
		}
	})
	if err != nil {
		return err
	}
	defer l.Close()
	for code, lob := range l.Lobbies() {
		if s.json {
			out.line(map[string]any{"code": code, "lobby": lob}, true)
		} else {
			out.text("%s  %s  %d/%d, %d free  %s  %s\n", code, lob.State, lob.Seats, lob.Capacity, lob.Free, lob.Title,
				notes(&lob))
		}
	}
	select {
	case <-ctx.Done():
		return nil
	case <-l.Done():
		return l.Err()
	}
}

// notes says what is special about a lobby.
func notes(l *client.Lobby) string {
	var out []string
	for _, n := range []struct {
		is   bool
		text string
	}{{l.Practice, "practice"}, {!l.Open, "closed"}, {l.Password, "password"}, {l.Waiting > 0, fmt.Sprintf("%d in line",
		l.Waiting)}, {l.Name != "", "named " + l.Name}, {l.Arena != "", "at " + l.Arena}} {
		if n.is {
			out = append(out, n.text)
		}
	}
	return strings.Join(out, ", ")
}

func showLobbies(w io.Writer, list []client.Lobby) error {
	var rows [][]string
	for _, l := range list {
		rows = append(rows, []string{l.Code, l.Title, l.Rulebook, fmt.Sprintf("%d/%d", l.Seats, l.Capacity),
			fmt.Sprint(l.Free), l.State, l.Region, since(l.Opened), notes(&l)})
	}
	if len(rows) == 0 {
		_, err := fmt.Fprintln(w, "No such lobby is open. Open one with: turnvex open RULEBOOK")
		return err
	}
	return table(w, "CODE|TITLE|RULEBOOK|SEATS|FREE|STATE|REGION|OPEN FOR|", rows)
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
	o[name] = plainValue(value)
	return nil
}

func openCommand() command {
	return command{name: "open", args: "RULEBOOK", summary: "Open a lobby and join it",
		setup: asPlayer(func(fs *flag.FlagSet, s *session) call {
			o := client.Opening{Options: optionList{}}
			fs.StringVar(&o.Name, "named", "", "join the open lobby with this `name`, or open it")
			fs.StringVar(&o.Version, "version", "", "the rulebook's `version`; default: the current one")
			fs.StringVar(&o.Title, "title", "", "the lobby's `title`")
			fs.IntVar(&o.Capacity, "capacity", 0, "the most `seats`; 0 means as many as the rulebook allows")
			fs.BoolVar(&o.Practice, "practice", false,
				"a practice lobby: the host can set fields by hand, nothing is saved")
			fs.BoolVar(&o.Hidden, "hidden", false, "not listed: joined by code only")
			fs.BoolVar(&o.Closed, "closed", false, "closed to newcomers until the host opens it")
			fs.StringVar(&o.Password, "password", "", "a `password` for newcomers")
			fs.IntVar(&o.WatchMost, "watchers", 0, "the most `spectators`; -1 means none, 0 the rulebook's number")
			fs.Func(
				"reserve",
				"hold a seat for this `player` for a minute; may be repeated",
				func(p string) error { o.Reserve = append(o.Reserve, p); return nil },
			)
			fs.Var(optionList(o.Options), "option", "`NAME=VALUE` of an option of the rulebook; may be repeated")
			stay := fs.Bool("only", false, "only open it and print its code; it closes after a minute if nobody joins")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				o.Rulebook = args[0]
				open := svc.Open
				if o.Name != "" {
					open = svc.OpenOrJoin
				}
				l, err := open(ctx, o)
				if err != nil {
					return err
				}
				if !*stay && !s.json {
					return s.play(ctx, t, l.Code, playOptions{password: o.Password})
				}
				return s.showFound(t, l)
			}
		}),
	}
}

func (s *session) showFound(t *Terminal, l *client.FoundLobby) error {
	if s.json {
		return writeJSON(t.Out, l)
	}
	was := "is open already"
	if l.New {
		was = "is open"
	}
	_, err := fmt.Fprintf(t.Out, "The lobby %q %s. Join it with: turnvex join %s\nLink: %s\n", l.Title, was, l.Code,
		l.Link)
	return err
}

func passCommand() command {
	return command{name: "pass", summary: "Let another player take you along in quick join",
		details: "It prints a pass, which is good for two minutes. The player who joins gives it to turnvex quick " +
			"-with.",
		setup: asPlayer(func(fs *flag.FlagSet, s *session) call {
			return func(ctx context.Context, t *Terminal, svc client.Service, _ []string) error {
				p, err := svc.PartyPass(ctx)
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, p)
				}
				fmt.Fprintln(t.Out, p.Pass)
				return nil
			}
		}),
	}
}

func quickCommand() command {
	return command{name: "quick", args: "RULEBOOK", summary: "Join any open lobby of a rulebook, or a new one",
		details: "It takes the fullest lobby with room for the whole party. Seats are held for 20 seconds, " +
			"those of a party for 10 if you do not come.",
		setup: asPlayer(func(fs *flag.FlagSet, s *session) call {
			q := client.Quick{Options: optionList{}}
			fs.StringVar(&q.Region, "region", "", "only in this `region`")
			fs.IntVar(&q.Capacity, "capacity", 0, "the `seats` of the lobby, if a new one is opened")
			fs.Func(
				"with",
				"the `pass` of a player in your party, from turnvex pass; may be repeated",
				func(p string) error { q.Party = append(q.Party, p); return nil },
			)
			fs.Var(
				optionList(q.Options),
				"option",
				"`NAME=VALUE` of an option, if a new lobby is opened; may be repeated",
			)
			stay := fs.Bool("only", false, "only find it and print its code")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				q.Rulebook = args[0]
				l, err := svc.QuickJoin(ctx, q)
				if err != nil {
					return err
				}
				if !*stay && !s.json {
					return s.play(ctx, t, l.Code, playOptions{})
				}
				return s.showFound(t, l)
			}
		}),
	}
}
