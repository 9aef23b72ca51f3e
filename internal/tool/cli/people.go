package cli

import (
	"bufio"
	"context"
	"flag"
	"fmt"
	"os"
	"strings"
	"time"

	"golang.org/x/term"

	"turnvex.example/turnvex/client"
)

// password asks for a password: from the environment, the terminal (unseen), or a line of the input.
func password(t *Terminal, what string) (string, error) {
	if p := os.Getenv("TURNVEX_PASSWORD"); p != "" {
		return p, nil
	}
	return secretLine(t, what, "TURNVEX_PASSWORD")
}

// secretLine asks for something that is not shown: at the terminal, or as a line of the input.
func secretLine(t *Terminal, what, variable string) (string, error) {
	fmt.Fprintf(t.Err, "%s: ", what)
	if f, ok := t.In.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		data, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(t.Err)
		return string(data), err
	}
	line, err := bufio.NewReader(t.In).ReadString('\n')
	if line == "" && err != nil {
		return "", errUsage{strings.ToLower(what) + " is needed: on standard input or in " + variable}
	}
	return strings.TrimRight(line, "\r\n"), nil
}

func accountCommand() command {
	return command{name: "account", args: "make LOGIN | password | sign-out | delete",
		summary: "Create and change your account",
		details: "With an account the same player can sign in from any device: turnvex sign-in -login LOGIN.\n" +
			"make sets a login name and a password; password changes it; sign-out ends every sign-in on every\n" +
			"device; delete removes you and all of your data. The command asks for passwords, or takes them\n" +
			"from TURNVEX_PASSWORD (the old one) and TURNVEX_NEW_PASSWORD (the new one).",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			sure := fs.Bool("sure", false, "delete: confirm")
			devices := fs.Bool("devices", false, "password: also remove all devices; this one signs in again "+
				"with the password")
			return func(ctx context.Context, t *Terminal, args []string) error {
				p, svc, err := s.open(ctx, t)
				if err != nil {
					return err
				}
				return s.account(ctx, t, p, svc, args, *sure, *devices)
			}
		},
	}
}

func (s *session) account(ctx context.Context, t *Terminal, p *profile, svc client.Service, args []string,
	sure, devices bool) error {
	forget := func() error {
		p.Token, p.Expires = "", time.Time{}
		return s.save(p)
	}
	switch {
	case args[0] == "make" && len(args) == 2:
		pass, err := password(t, "Password (at least 10 characters)")
		if err != nil {
			return err
		}
		return s.did(t, svc.MakeAccount(ctx, args[1], pass),
			"The account is made. Sign in elsewhere with: turnvex sign-in -login "+args[1])
	case args[0] == "password" && len(args) == 1:
		old, err := password(t, "Old password")
		if err != nil {
			return err
		}
		next := os.Getenv("TURNVEX_NEW_PASSWORD")
		if next == "" {
			if next, err = password(t, "New password"); err != nil {
				return err
			}
		}
		change := svc.ChangePassword
		if devices {
			change = svc.ChangePasswordAndDevices
		}
		if err := change(ctx, old, next); err != nil {
			return err
		}
		return s.did(t, forget(), "The password is changed; every earlier sign-in has ended.")
	case args[0] == "sign-out" && len(args) == 1:
		if err := svc.SignOutEverywhere(ctx); err != nil {
			return err
		}
		return s.did(t, forget(), "Signed out on every device.")
	case args[0] == "delete" && len(args) == 1:
		if !sure {
			return errUsage{"this cannot be taken back; say -sure"}
		}
		if err := svc.DeleteMe(ctx); err != nil {
			return err
		}
		p.Device, p.Player, p.Name = "", "", ""
		return s.did(t, forget(), "The player is deleted.")
	}
	return errUsage{fmt.Sprintf("%q is not: make LOGIN, password, sign-out or delete", strings.Join(args, " "))}
}

func keysCommand() command {
	return command{name: "keys", args: "list | make NAME | rotate NAME | revoke NAME | signing",
		summary: "List, create, rotate and revoke service keys, as an operator",
		details: "A service key signs in a program. Its scopes are operator (everything), referee (sees everything\n" +
			"and decides what rulebooks leave to referees), grants (sees everything, and gives to and takes\n" +
			"from records) and read (sees everything). A key is shown once, when it is created or rotated.\n" +
			"An operator's key is rotated and revoked with itself, or with the key the service was started\n" +
			"with. signing makes the service sign tokens with a new secret; nobody has to sign in again.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			scopes := fs.String("scopes", "read", "`scopes` of a new key, separated by commas")
			keep := fs.Duration("keep", 0, "rotate: how `long` the old text stays valid, at most 168h")
			drop := fs.Bool("drop", false, "signing: void existing tokens; clients refresh them")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				switch {
				case args[0] == "signing" && len(args) == 1:
					return s.did(t, svc.RotateSigning(ctx, *drop), "Tokens are signed with a new secret.")
				case args[0] == "rotate" && len(args) == 2:
					k, err := svc.RotateKey(ctx, args[1], *keep)
					if err != nil {
						return err
					}
					return s.showKey(t, k)
				}
				return s.keys(ctx, t, svc, args, *scopes)
			}
		}),
	}
}

func (s *session) keys(ctx context.Context, t *Terminal, svc client.Service, args []string, scopes string) error {
	switch {
	case args[0] == "list" && len(args) == 1:
		keys, err := svc.Keys(ctx)
		if err != nil {
			return err
		}
		var rows [][]string
		for _, k := range keys {
			if s.json {
				if err := writeJSON(t.Out, k); err != nil {
					return err
				}
				continue
			}
			used, state := "never", "good"
			if k.Used != nil {
				used = since(*k.Used) + " ago"
			}
			if k.Revoked != nil {
				state = "revoked"
			}
			rows = append(rows, []string{k.Name, strings.Join(k.Scopes, ", "), since(k.Created) + " ago", used, state})
		}
		if s.json {
			return nil
		}
		return table(t.Out, "NAME|SCOPES|MADE|LAST USED|STATE", rows)
	case args[0] == "make" && len(args) == 2:
		k, err := svc.MakeKey(ctx, args[1], strings.Split(scopes, ",")...)
		if err != nil {
			return err
		}
		return s.showKey(t, k)
	case args[0] == "revoke" && len(args) == 2:
		return s.did(t, svc.RevokeKey(ctx, args[1]), "The key is revoked, with every token had for it.")
	}
	return errUsage{fmt.Sprintf("%q is not: list, make NAME, rotate NAME, revoke NAME or "+
		"signing", strings.Join(args, " "))}
}

// showKey shows the text of a key, which nobody can show again.
func (s *session) showKey(t *Terminal, k *client.ServiceKey) error {
	if s.json {
		return writeJSON(t.Out, k)
	}
	fmt.Fprintf(t.Out, "%s\n", k.Key)
	fmt.Fprintf(t.Err, "This is the key %q (%s). It is shown only now.\n", k.Name, strings.Join(k.Scopes, ", "))
	return nil
}
