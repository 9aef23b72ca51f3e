package cli

import (
	"context"
	"flag"
	"fmt"

	"turnvex.example/turnvex/client"
)

// operatorCommand is a command on one lobby that needs a service key.
func operatorCommand(name, summary, details string, flags func(*flag.FlagSet),
	do func(context.Context, *Terminal, *session, client.Service, string) error) command {
	return command{name: name, args: "CODE", summary: summary, details: details,
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			if flags != nil {
				flags(fs)
			}
			keyFile := fs.String("key-file", "", "`file` with a service key; otherwise TURNVEX_OPERATOR_KEY")
			return func(ctx context.Context, t *Terminal, args []string) error {
				svc, err := s.operator(ctx, *keyFile)
				if err != nil {
					return err
				}
				return do(ctx, t, &s, svc, codeOf(args[0]))
			}
		},
	}
}

func copiesCommand() command {
	return operatorCommand(
		"copies",
		"Check every client's copy in a lobby",
		"Each connection answers with a hash of its copy; if one differs, its fields are shown. The exit\n"+
			"status is 1 if any differs. It needs a service key with any scope.",
		nil,
		func(ctx context.Context, t *Terminal, s *session, svc client.Service, code string) error {
			r, err := svc.CheckCopies(ctx, code)
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
		},
	)
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
	var because *string
	return operatorCommand("end", "End the running match in a lobby, as an operator",
		"The result is computed and saved as after any other end.",
		func(fs *flag.FlagSet) {
			because = fs.String("because", "", "the `reason` that players see, at most 64 bytes")
		},
		func(ctx context.Context, t *Terminal, s *session, svc client.Service, code string) error {
			return s.did(t, svc.EndMatch(ctx, code, *because), "No match is running in the lobby any longer.")
		})
}

func closeCommand() command {
	return operatorCommand(
		"close",
		"Close a lobby, as an operator",
		"Everyone in it is notified. Records are saved first.",
		nil,
		func(ctx context.Context, t *Terminal, s *session, svc client.Service, code string) error {
			return s.did(t, svc.CloseLobby(ctx, code), "The lobby is closed.")
		},
	)
}
