package cli

import (
	"context"
	"flag"
	"fmt"
	"net/http"

	"turnvex.example/turnvex/client"
)

func signInCommand() command {
	return command{
		name:    "sign-in",
		summary: "Sign in at a service with this machine's device key",
		details: "The key is made at the first sign-in and kept in the profile; it is what makes you the " +
			"same\nplayer next time. Without -name a new player gets a name that is made up. With -login " +
			"you\nbecome the player of that account, and this machine's key signs that player in from then on. With\n" +
			"-recovery you come back as the player for whom an operator gave you a code, with a new device key; " +
			"the code is\n" +
			"asked for, or taken from TURNVEX_RECOVERY, and TURNVEX_NEW_PASSWORD is the account's new password.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			name := fs.String("name", "", "your display `name`")
			login := fs.String(
				"login",
				"",
				"the login `name` of your account; its password is asked for, or taken from TURNVEX_PASSWORD",
			)
			recovery := fs.Bool("recovery", false, "come back with a code that an operator gave you")
			return func(ctx context.Context, t *Terminal, _ []string) error {
				p, err := s.load()
				if err != nil {
					return err
				}
				way := func() (*client.Signed, error) { return s.signInAs(ctx, t, p, *name, *login) }
				if *recovery {
					way = func() (*client.Signed, error) { return s.comeBack(ctx, t, p) }
				}
				in, err := way()
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(
						t.Out,
						map[string]any{
							"service": p.Service,
							"player":  in.Player,
							"name":    in.Name,
							"new":     in.New,
							"expires": in.Expires,
						},
					)
				}
				again := "again "
				if in.New {
					again = ""
				}
				fmt.Fprintf(t.Out, "Signed in %sat %s as %s.\n", again, p.Service, in.Name)
				return nil
			}
		},
	}
}

func renameCommand() command {
	return command{
		name:    "rename",
		args:    "NAME",
		least:   1,
		most:    1,
		summary: "Change your display name; every lobby and board shows it at once",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			return func(ctx context.Context, t *Terminal, args []string) error {
				p, svc, err := s.open(ctx, t)
				if err != nil {
					return err
				}
				var out struct {
					Player string `json:"player"`
					Name   string `json:"name"`
				}
				if err := svc.Call(ctx, http.MethodPatch, "/v1/me", map[string]string{"name": args[0]},
					&out); err != nil {
					return err
				}
				p.Name = out.Name
				if err := s.save(p); err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, out)
				}
				fmt.Fprintf(t.Out, "You are called %s now.\n", out.Name)
				return nil
			}
		},
	}
}
