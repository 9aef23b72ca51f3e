package cli

import (
	"context"
	"flag"
	"fmt"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

func boardCommand() command {
	return command{name: "board", args: "RULEBOOK BOARD",
		summary: "Show a leaderboard: the top, from a rank on, or around a player",
		details: "Of -next, -around, -players and -from, the first one given applies. With -follow the command\n" +
			"keeps running and shows the part again whenever it changes.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			var p client.Part
			fs.StringVar(&p.Season, "season", "", "a `season`, as listed by turnvex seasons; default: the current one")
			fs.IntVar(&p.From, "from", 0, "from this `rank` on")
			fs.StringVar(&p.Around, "around", "", "a `player`'s ID, or me: their entry and those around it")
			players := fs.String("players", "", "only these players: `IDs` separated by commas")
			fs.StringVar(&p.Cursor, "next", "", "the `cursor` that the previous page printed")
			fs.IntVar(&p.Rows, "most", 20, "how `many` entries, 1 to 100")
			follow := fs.Bool("follow", false, "keep running and show each change")
			return func(ctx context.Context, t *Terminal, args []string) error {
				if *players != "" {
					p.Players = strings.Split(*players, ",")
				}
				svc, err := s.reader()
				if p.Around == "me" || *follow {
					_, svc, err = s.open(ctx, t)
				}
				if err != nil {
					return err
				}
				if *follow {
					return s.followBoard(ctx, t, svc, args, p)
				}
				page, err := svc.Board(ctx, args[0], args[1], p)
				if err != nil {
					return err
				}
				return s.showBoard(t, page)
			}
		},
	}
}

// followBoard shows a part of a board, and anew each time that it changes.
func (s *session) followBoard(ctx context.Context, t *Terminal, svc client.Service, args []string,
	p client.Part) error {
	pages := make(chan client.BoardPage, 1)
	w, err := svc.WatchBoard(ctx, args[0], args[1], p, func(page *client.BoardPage) {
		select {
		case <-pages: // nobody has seen it, and now it is old
		default:
		}
		pages <- *page
	})
	if err != nil {
		return err
	}
	defer w.Close()
	page := w.Page()
	for {
		if err := s.showBoard(t, &page); err != nil {
			return err
		}
		select {
		case page = <-pages:
			if !s.json {
				fmt.Fprintln(t.Out)
			}
		case <-w.Done():
			return w.Err()
		case <-ctx.Done():
			return nil
		}
	}
}

func (s *session) showBoard(t *Terminal, page *client.BoardPage) error {
	if s.json {
		return writeJSON(t.Out, page)
	}
	fmt.Fprintf(t.Out, "%s (%s), %s, %s\n", page.Title, page.Rulebook, season(&page.Season), count(page.Count, "entry"))
	var rows [][]string
	for _, r := range page.Rows {
		rows = append(rows, []string{place(r.Place), r.Name, showScore(page.Show, r.Value), since(r.Posted) + " ago"})
	}
	if len(rows) == 0 {
		fmt.Fprintln(t.Out, "Nobody stands here yet.")
		return nil
	}
	if err := table(t.Out, "PLACE|NAME|VALUE|REACHED", rows); err != nil {
		return err
	}
	if page.Next != "" {
		fmt.Fprintf(t.Out, "More: turnvex board %s %s -season %s -next "+
			"%s\n", page.Rulebook, page.Board, page.Season.Name,
			page.Next)
	}
	return nil
}

// season tells which season it is and how it stands.
func season(s *client.Season) string {
	out := "season " + s.Name + ", " + s.State
	if s.Name == "all" {
		out = "never renewed"
	}
	if s.Ends != nil {
		verb := "ends"
		if s.State != "open" {
			verb = "ended"
		}
		out += ", " + verb + " " + s.Ends.UTC().Format("2006-01-02 15:04 MST")
	}
	return out
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

// renew ends the season of a board that is the present one now.
func renew(ctx context.Context, svc client.Service, rulebook, board, why string) error {
	list, _, err := svc.Seasons(ctx, rulebook, board, "")
	if err != nil {
		return err
	}
	now := "1" // of a board that was never renewed
	if len(list) > 0 {
		now = list[0].Name
	}
	_, err = svc.RenewBoard(ctx, rulebook, board, now, why)
	return err
}

func seasonsCommand() command {
	return command{name: "seasons", args: "RULEBOOK BOARD",
		summary: "List the seasons of a leaderboard, or start a new one",
		details: "-begin starts a new season of a board with renew: hand, and needs an operator's key.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			keyFile := keyFlag(fs)
			begin := fs.Bool("begin", false, "start a new season now")
			why := fs.String("why", "", "with -begin: the `reason`, for the log")
			next := fs.String("next", "", "the `cursor` that the previous page printed")
			return func(ctx context.Context, t *Terminal, args []string) error {
				svc, err := s.reader()
				if err != nil {
					return err
				}
				if *begin {
					if svc, err = s.operator(ctx, *keyFile); err != nil {
						return err
					}
					if err := renew(ctx, svc, args[0], args[1], *why); err != nil {
						return err
					}
				}
				list, more, err := svc.Seasons(ctx, args[0], args[1], *next)
				err = show(&s, t, list, err, "SEASON|BEGINS (UTC)|ENDS (UTC)|STATE", func(x client.Season) []string {
					ends := "-"
					if x.Ends != nil {
						ends = x.Ends.UTC().Format(time.DateTime)
					}
					return []string{x.Name, x.Begins.UTC().Format(time.DateTime), ends, x.State}
				})
				if err == nil && more != "" && !s.json {
					fmt.Fprintf(t.Out, "More: turnvex seasons %s %s -next %s\n", args[0], args[1], more)
				}
				return err
			}
		},
	}
}

func postCommand() command {
	return command{name: "post", args: "RULEBOOK BOARD VALUE",
		summary: "Post to a leaderboard: for yourself, or with a key for anybody",
		details: "VALUE is an integer in the unit of the board: thousandths for numbers, milliseconds for clocks.\n" +
			"With -id, a UUID, the post counts once and may be repeated.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			keyFile := keyFlag(fs)
			var p client.Posting
			fs.StringVar(&p.Player, "player", "", "with a key: the `ID` of the player")
			fs.StringVar(&p.Team, "team", "", "with a key, of a board per team: the `team`'s name")
			fs.StringVar(&p.ID, "id", "", "a `UUID`, so that the post counts once")
			return func(ctx context.Context, t *Terminal, args []string) (err error) {
				if p.Value, err = strconv.ParseInt(args[2], 10, 64); err != nil {
					return errUsage{fmt.Sprintf("VALUE is an integer, not %q", args[2])}
				}
				var svc client.Service
				if p.Player != "" || p.Team != "" {
					svc, err = s.operator(ctx, *keyFile)
				} else {
					_, svc, err = s.open(ctx, t)
				}
				if err == nil {
					err = svc.Post(ctx, args[0], args[1], p)
				}
				return s.did(t, err, "The post is kept.")
			}
		},
	}
}

func moderateCommand() command {
	return command{name: "moderate", args: "RULEBOOK BOARD [remove SUBJECT | bar PLAYER | unbar PLAYER]",
		summary: "Remove an entry from a leaderboard, bar a player from it, or list such acts",
		details: "SUBJECT is a player's ID or, on a board per team, a team's name. remove deletes one entry; bar\n" +
			"deletes all entries in seasons that are not closed, and ignores posts until unbar. -why is\n" +
			"logged.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			in := fs.String("season", "", "with remove: the `season`; default: the current one")
			why := fs.String("why", "", "the `reason`, 1 to 200 characters")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) (err error) {
				switch {
				case len(args) == 2:
					return s.showActs(ctx, t, svc, args[0], args[1])
				case len(args) == 4 && args[2] == "remove":
					err = svc.RemoveEntry(ctx, args[0], args[1], *in, args[3], *why)
				case len(args) == 4 && args[2] == "bar":
					err = svc.BarPlayer(ctx, args[0], args[1], args[3], *why)
				case len(args) == 4 && args[2] == "unbar":
					err = svc.UnbarPlayer(ctx, args[0], args[1], args[3], *why)
				default:
					return errUsage{"behind the board stands remove SUBJECT, bar PLAYER or unbar PLAYER, or nothing"}
				}
				return s.did(t, err, "Done, and the reason is kept.")
			}
		}),
	}
}

func (s *session) showActs(ctx context.Context, t *Terminal, svc client.Service, book, board string) error {
	list, err := svc.BoardActs(ctx, book, board)
	return show(s, t, list, err, "WHEN|DONE|SEASON|WHOM|BY|WHY", func(a client.BoardAct) []string {
		return []string{a.At.Local().Format(time.DateTime), a.Does, a.Season, a.Subject, a.Author, a.Why}
	})
}

func compareCommand() command {
	return command{name: "compare", args: "RULEBOOK BOARD",
		summary: "Compare a leaderboard in a service's memory with the database",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			in := fs.String("season", "", "the `season`; default: the current one")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				c, err := svc.CompareBoard(ctx, args[0], args[1], *in)
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, c)
				}
				fmt.Fprintf(t.Out, "Season %s: %s in memory, %d in the database.\n", c.Season, count(c.Memory, "entry"),
					c.Database)
				for _, d := range c.Differ {
					fmt.Fprintln(t.Out, "  "+d)
				}
				if len(c.Differ) > 0 {
					return fmt.Errorf("memory and database differ")
				}
				return nil
			}
		}),
	}
}
