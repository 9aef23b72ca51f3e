package cli

import (
	"context"
	"flag"
	"fmt"

	"turnvex.example/turnvex/client"
)

func copiesCommand() command {
	return command{name: "copies", args: "CODE", summary: "Check every client's copy in a lobby",
		details: "Each connection answers with a hash of its copy; if one differs, its fields are shown. The exit\n" +
			"status is 1 if any differs. It needs a service key with any scope.",
		setup: asOperator(func(_ *flag.FlagSet, s *session) call {
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				r, err := svc.CheckCopies(ctx, codeOf(args[0]))
				if err != nil {
					return err
				}
				if s.json {
					err = writeJSON(t.Out, r)
				} else {
					err = showCopies(t, r)
				}
				if err == nil && len(r.Differs) > 0 {
					return errQuiet
				}
				return err
			}
		}),
	}
}

func showCopies(t *Terminal, r *client.CopyReport) error {
	fmt.Fprintf(t.Out, "%d of %s answered; ", r.Answered, count(r.Asked, "connection"))
	if len(r.Differs) == 0 {
		fmt.Fprintln(t.Out, "every copy is what it should be.")
		return nil
	}
	fmt.Fprintf(t.Out, "%s:\n", count(len(r.Differs), "difference"))
	var rows [][]string
	for _, d := range r.Differs {
		rows = append(rows,
			[]string{fmt.Sprint(d.Seat), fmt.Sprintf("%s %d", d.Kind, d.Sheet), d.Field, d.Want, d.Found})
	}
	return table(t.Out, "SEAT|SHEET|FIELD|SHOULD BE|IS", rows)
}

func endCommand() command {
	return command{name: "end", args: "CODE", summary: "End the running match in a lobby, as an operator",
		details: "The result is computed and saved as after any other end.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			because := fs.String("because", "", "the `reason` that players see, at most 64 bytes")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				return s.did(t, svc.EndMatch(ctx, codeOf(args[0]), *because),
					"No match is running in the lobby any longer.")
			}
		}),
	}
}

func closeCommand() command {
	return command{name: "close", args: "CODE", summary: "Close a lobby, as an operator",
		details: "Everyone in it is notified. Records are saved first.",
		setup: asOperator(func(_ *flag.FlagSet, s *session) call {
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				return s.did(t, svc.CloseLobby(ctx, codeOf(args[0])), "The lobby is closed.")
			}
		}),
	}
}
