package cli

import (
	"context"
	"flag"
	"fmt"
	"io"
	"os"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/sheet"
)

func playersCommand() command {
	return command{name: "players", args: "NAME", summary: "Find players by the beginning of their name, or by ID",
		details: "Names are not unique; IDs are. It needs a service key.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			most := fs.Int("most", 20, "how `many`, 1 to 100")
			next := fs.String("next", "", "the `cursor` that the previous page printed")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				list, more, err := svc.FindPlayers(ctx, args[0], *most, *next)
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, list)
				}
				if len(list) == 0 {
					fmt.Fprintf(t.Out, "Nobody's name begins with %q.\n", args[0])
					return nil
				}
				var rows [][]string
				for _, p := range list {
					rows = append(rows, []string{p.Name, p.Player, p.Created.Local().Format(time.DateOnly),
						since(p.Seen) + " ago"})
				}
				if err := table(t.Out, "NAME|ID|MADE|SEEN", rows); err != nil {
					return err
				}
				if more != "" {
					fmt.Fprintf(t.Out, "More: turnvex players %q -next %s\n", args[0], more)
				}
				return nil
			}
		}),
	}
}

func totalsCommand() command {
	return command{name: "totals", args: "PLAYER", summary: "Show a player's totals, by rulebook",
		setup: asAnyone(func(fs *flag.FlagSet, s *session) call {
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				list, err := svc.Totals(ctx, args[0])
				return show(s, t, list, err, "RULEBOOK|MATCHES|WON|LOST|DRAWN|LEFT|PLAYED|STREAK|LAST",
					func(x client.Totals) []string {
						streak := fmt.Sprintf("%d %s", x.Streak.Matches, x.Streak.Outcome)
						return []string{x.Rulebook, fmt.Sprint(x.Matches), fmt.Sprint(x.Won), fmt.Sprint(x.Lost),
							fmt.Sprint(x.Drawn), fmt.Sprint(x.Left), sheet.FormatClock(x.Millis), streak,
							since(x.Last) + " ago"}
					})
			}
		}),
	}
}

// into calls write with the terminal's output, or with a file that is made anew.
func into(t *Terminal, file string, write func(io.Writer) error) (err error) {
	if file == "" {
		return write(t.Out)
	}
	f, err := os.OpenFile(file, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer func() {
		if e := f.Close(); err == nil {
			err = e
		}
	}()
	return write(f)
}

func exportCommand() command {
	return command{name: "export", args: "PLAYER", summary: "Write all data about a player, as JSON",
		details: "PLAYER is me, or an ID, which needs an operator's key.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			keyFile := keyFlag(fs)
			out := fs.String("out", "", "`file` to write, which only you may read; standard output by default")
			return func(ctx context.Context, t *Terminal, args []string) (err error) {
				var svc client.Service
				if args[0] == "me" {
					_, svc, err = s.open(ctx, t)
				} else {
					svc, err = s.operator(ctx, *keyFile)
				}
				if err != nil {
					return err
				}
				return into(t, *out, func(w io.Writer) error { return svc.ExportPlayer(ctx, args[0], w) })
			}
		},
	}
}

func eraseCommand() command {
	return command{name: "erase", args: "PLAYER", summary: "Delete a player and all of their data, as an operator",
		details: "Deletes their records, history, places on boards, devices and account; they become anonymous in\n" +
			"the results of others. This cannot be undone: use turnvex export first.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			why := fs.String("why", "", "the `reason`, for the log")
			sure := fs.Bool("sure", false, "really")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				if !*sure {
					return errUsage{"this cannot be undone; say -sure to do it"}
				}
				return s.did(t, svc.ErasePlayer(ctx, args[0], *why),
					"The player is deleted, with everything that was kept of them.")
			}
		}),
	}
}
