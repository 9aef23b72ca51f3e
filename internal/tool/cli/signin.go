package cli

import (
	"context"
	"flag"
	"fmt"
	"net/http"

	"turnvex.example/turnvex/client"
)

func signInCommand() command {
	return command{name: "sign-in", summary: "Sign in at a service with this machine's device key",
		details: "The key is created at the first sign-in and stored in the profile; with it you are the same\n" +
			"player next time. Without -name a new player gets a generated name. With -login you become the\n" +
			"player of that account, and this machine's key signs in that player from then on. With -recovery\n" +
			"you sign in with a code from an operator and a new device key; the command asks for the code or\n" +
			"takes it from TURNVEX_RECOVERY, and TURNVEX_NEW_PASSWORD sets the account's new password.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			name := fs.String("name", "", "your display `name`")
			login := fs.String(
				"login",
				"",
				"the login `name` of your account; the command asks for its password or takes it from TURNVEX_PASSWORD",
			)
			recovery := fs.Bool("recovery", false, "sign in with a recovery code from an operator")
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
					return writeJSON(t.Out, map[string]any{
						"service": p.Service,
						"player":  in.Player,
						"name":    in.Name,
						"new":     in.New,
						"expires": in.Expires,
					})
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
	return command{name: "rename", args: "NAME", summary: "Change your display name everywhere at once",
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
