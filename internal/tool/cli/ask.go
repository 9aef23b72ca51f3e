package cli

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"strconv"
	"strings"

	"turnvex.example/turnvex/client"
)

func settingsCommand() command {
	return command{name: "settings", args: "CODE NAME=VALUE...", summary: "Change a lobby in which you are the host",
		details: "Settings are title, capacity, open, listed, watch_most, password and the options of the\n" +
			"rulebook. Either all changes take effect or none.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			return func(ctx context.Context, t *Terminal, args []string) error {
				changes := client.Settings{}
				for _, a := range args[1:] {
					name, text, ok := strings.Cut(a, "=")
					if !ok {
						return errUsage{fmt.Sprintf("%q is not NAME=VALUE", a)}
					}
					if changes[name] = plainValue(text); name == "title" || name == "password" {
						changes[name] = text
					}
				}
				_, svc, err := s.open(ctx, t)
				if err != nil {
					return err
				}
				return s.did(t, svc.ChangeLobby(ctx, codeOf(args[0]), changes), "The lobby is changed.")
			}
		},
	}
}

// plainValue reads a number or a flag as such, and everything else as text; what stands in double quotes is a text,
// whatever it looks like.
func plainValue(text string) any {
	var v any
	if json.Unmarshal([]byte(text), &v) == nil {
		switch v.(type) {
		case float64:
			return json.Number(text)
		case bool, string, []any:
			return v
		}
	}
	return text
}

// done says that something worked.
func (s *session) done(t *Terminal, text string) error {
	if s.json {
		return writeJSON(t.Out, map[string]bool{"ok": true})
	}
	_, err := fmt.Fprintln(t.Out, text)
	return err
}

// did ends a command that was to change something: with what went wrong, or with what is true now.
func (s *session) did(t *Terminal, err error, text string) error {
	if err != nil {
		return err
	}
	return s.done(t, text)
}

func askCommand() command {
	return command{name: "ask", args: "CODE INTENT", summary: "Send one intent for your seat in a lobby",
		details: "Examples: turnvex ask K7WPQ4 ready; turnvex ask K7WPQ4 kick -target 5; turnvex ask K7WPQ4 team " +
			"-name teal;\nturnvex ask K7WPQ4 act -name ram -target 5. docs/protocol.md lists the intents.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			var in client.Intent
			fs.StringVar(&in.Name, "name", "", "the `name` of an action, a team or a field")
			fs.StringVar(&in.Text, "text", "", "the intent's `text`")
			target := fs.Uint("target", 0, "the target `seat` or sheet")
			at := fs.String("at", "", "a point or a direction: `X,Y`, or X,Y,Z on tall ground")
			yaw := fs.Int64("yaw", -1, "where to look, with face, steer, claim and act: 0 to 65535 `units`, 16384 is south")
			pitch := fs.Int64("pitch", 0, "with -yaw on tall ground, how far up: -16384 to 16384 `units`")
			value := fs.String("value", "", "the `value` of a field")
			args := optionList{}
			fs.Var(args, "with", "`NAME=VALUE` of an argument of the action, a list as [1,2]; may be repeated")
			return func(ctx context.Context, t *Terminal, words []string) error {
				in.Do, in.Target = words[1], uint32(*target)
				in.Args = args
				if *value != "" {
					in.Value = plainValue(*value)
				}
				if *at != "" {
					for part := range strings.SplitSeq(*at, ",") {
						n, err := strconv.ParseInt(part, 10, 64)
						if err != nil {
							return errUsage{fmt.Sprintf("-at is X,Y, or X,Y,Z on tall ground, in whole numbers, not "+
								"%q", *at)}
						}
						in.At = append(in.At, n)
					}
				}
				if *yaw != -1 {
					in.Yaw, in.Pitch = yaw, pitch
				}
				_, svc, err := s.open(ctx, t)
				if err != nil {
					return err
				}
				return s.did(t, svc.Ask(ctx, codeOf(words[0]), in), "Accepted.")
			}
		},
	}
}

func leaveCommand() command {
	return command{name: "leave", args: "CODE", summary: "Give up your seat in a lobby",
		setup: asPlayer(func(fs *flag.FlagSet, s *session) call {
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				return s.did(t, svc.LeaveSeat(ctx, codeOf(args[0])), "You have no seat there any more.")
			}
		}),
	}
}

// codeOf takes the join code out of a link, or what was typed as it is.
func codeOf(text string) string {
	text, _, _ = strings.Cut(strings.TrimRight(text, "/"), "#")
	return text[strings.LastIndex(text, "/")+1:]
}
