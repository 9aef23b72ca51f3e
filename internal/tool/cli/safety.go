package cli

import (
	"context"
	"crypto/rand"
	"flag"
	"fmt"
	"io"
	"math"
	"os"
	"strings"
	"time"

	"turnvex.example/turnvex/client"
)

func auditCommand() command {
	return command{name: "audit",
		summary: "Show the audit trail: changes made by operators and service keys, newest first",
		details: "Every change is logged before it is made, with its reason and its outcome. -json also shows the\n" +
			"time, the address and the request.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			var q client.AuditQuery
			fs.StringVar(&q.Who, "who", "", "only by the service key with this `name`")
			fs.StringVar(&q.Subject, "subject", "", "only acts on this: a player's `ID`, a join code, a key")
			fs.IntVar(&q.Limit, "most", 20, "how `many`, 1 to 100")
			fs.StringVar(&q.Cursor, "next", "", "the `cursor` that the previous page printed")
			return func(ctx context.Context, t *Terminal, svc client.Service, _ []string) error {
				lines, next, err := svc.Audit(ctx, q)
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, lines)
				}
				if len(lines) == 0 {
					fmt.Fprintln(t.Out, "Nothing has been changed.")
					return nil
				}
				var rows [][]string
				for _, l := range lines {
					if l.Subject == "" {
						l.Subject = short(l.Details)
					}
					rows = append(rows, []string{since(l.At) + " ago", strings.Replace(l.What, " /v1/", " "+
						"", 1), l.Subject,
						l.Outcome, l.Who, l.Why})
				}
				err = table(t.Out, "WHEN|WHAT|TO|OUTCOME|WHO|WHY", rows)
				if err == nil && next != "" {
					fmt.Fprintf(t.Out, "More: turnvex audit -next %s\n", next)
				}
				return err
			}
		}),
	}
}

// short is a text as far as it fits a column.
func short(s string) string {
	const most = 60
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

func devicesCommand() command {
	return command{name: "devices", args: "list | name ID NAME | remove ID",
		summary: "List, name and remove your devices",
		details: "Removing a device voids its tokens. You cannot remove your only way to sign in: make an " +
			"account first.",
		setup: asPlayer(func(fs *flag.FlagSet, s *session) call {
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				return s.devices(ctx, t, svc, args)
			}
		}),
	}
}

func (s *session) devices(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
	switch {
	case args[0] == "list" && len(args) == 1:
		list, err := svc.Devices(ctx)
		return show(s, t, list, err, "ID|NAME|SINCE|SEEN|", func(d client.Device) []string {
			this := ""
			if d.This {
				this = "this one"
			}
			return []string{d.ID, d.Name, since(d.Made) + " ago", since(d.Seen) + " ago", this}
		})
	case args[0] == "name" && len(args) == 3:
		return s.did(t, svc.NameDevice(ctx, args[1], args[2]), "The device has its name.")
	case args[0] == "remove" && len(args) == 2:
		return s.did(t, svc.RemoveDevice(ctx, args[1]), "The device is removed, and its sign-ins have ended.")
	}
	return errUsage{fmt.Sprintf("%q is not: list, name ID NAME or remove ID", strings.Join(args, " "))}
}

func banCommand() command {
	return command{name: "ban", args: "PLAYER",
		summary: "Ban a player from the service or mute them, or lift that, as an operator",
		details: "Their connections and tokens end within a second. They see until when they are banned, and what " +
			"-tell says. With -texts they are only muted: they may play on, and what they write is not delivered.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			var b client.Ban
			fs.StringVar(&b.Why, "why", "", "the `reason`, for the audit trail")
			fs.StringVar(&b.Tell, "tell", "", "what the player reads, a `text` of at most 200 characters")
			span := fs.Duration("for", 0, "for how `long`, such as 48h; default: permanently")
			fs.BoolVar(&b.Texts, "texts", false, "only mute the player")
			lift := fs.Bool("lift", false, "lift every ban that the player has")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				if *lift {
					return s.did(t, svc.UnbanPlayer(ctx, args[0], b.Why), "The player is no longer banned or muted.")
				}
				if *span != 0 {
					b.Until = time.Now().Add(*span)
				}
				said := map[bool]string{false: "The player is banned.", true: "The player is muted."}[b.Texts]
				return s.did(t, svc.BanPlayer(ctx, args[0], b), said)
			}
		}),
	}
}

func recoverCommand() command {
	return command{name: "recover", args: "PLAYER",
		summary: "Make a recovery code for a player who has lost every way to sign in, as an operator",
		details: "It works once, within a day, with turnvex sign-in -recovery. Give it only to somebody you know " +
			"to be the player.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			why := fs.String("why", "", "the `reason`, for the audit trail")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				r, err := svc.RecoverPlayer(ctx, args[0], *why)
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, r)
				}
				fmt.Fprintln(t.Out, r.Code)
				fmt.Fprintf(t.Err, "It works once, until %s.\n", r.Expires.Local().Format(time.DateTime))
				return nil
			}
		}),
	}
}

// comeBack signs in with the code that an operator gave, with a new device key.
func (s *session) comeBack(ctx context.Context, t *Terminal, p *profile) (*client.Signed, error) {
	code := os.Getenv("TURNVEX_RECOVERY")
	if code == "" {
		var err error
		if code, err = secretLine(t, "The recovery code", "TURNVEX_RECOVERY"); err != nil {
			return nil, err
		}
	}
	p.Device = rand.Text() + rand.Text()
	in, err := client.SignInRecovery(ctx, p.Service, code, p.Device, os.Getenv("TURNVEX_NEW_PASSWORD"))
	if err != nil {
		return nil, err
	}
	return in, s.keep(p, in)
}

func whereCommand() command {
	return command{name: "where", summary: "List the lobbies in which you have a seat or are in the queue",
		details: "With -player it shows those of another player, and needs a service key.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			keyFile := keyFlag(fs)
			player := fs.String("player", "", "the `ID` of another player")
			return func(ctx context.Context, t *Terminal, _ []string) error {
				var list []client.FoundLobby
				var err error
				if *player == "" {
					var svc client.Service
					if _, svc, err = s.open(ctx, t); err == nil {
						list, err = svc.MyLobbies(ctx)
					}
				} else {
					var svc client.Service
					if svc, err = s.operator(ctx, *keyFile); err == nil {
						list, err = svc.LobbiesOf(ctx, *player)
					}
				}
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, list)
				}
				if len(list) == 0 {
					fmt.Fprintln(t.Out, "In no lobby.")
					return nil
				}
				var rows [][]string
				for _, l := range list {
					rows = append(rows, []string{l.Code, l.Title, l.Rulebook, l.State, fmt.Sprintf("%d of "+
						"%d", l.Seats, l.Capacity)})
				}
				return table(t.Out, "CODE|TITLE|RULEBOOK|STATE|SEATS", rows)
			}
		},
	}
}

func journalCommand() command {
	return command{name: "journal", args: "LOBBY",
		summary: "Write the journal of a lobby, open or ended in the last 7 days, for turnvex replay",
		details: "LOBBY is a join code or an ID. It needs a service key. With -view it writes the messages that a\n" +
			"live connection would have received instead, as JSON Lines.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			out := fs.String("out", "", "`file` to write, which only you may read; standard output by default")
			view := fs.Bool("view", false, "write the messages of a view instead of the journal")
			as := fs.Uint("as", 0, "with -view: only what this `seat` saw")
			from := fs.Int64("from", 0, "with -view: the first `tick`")
			to := fs.Int64("to", 0, "with -view: the last `tick`; 0 means the end")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				if *as > math.MaxUint32 || !*view && (*as != 0 || *from != 0 || *to != 0) {
					return errUsage{"-as, -from and -to go with -view; a seat is a small number"}
				}
				return into(t, *out, func(w io.Writer) error {
					if *view {
						return svc.Playback(ctx, args[0], client.Playback{From: *from, To: *to, As: uint32(*as)}, w)
					}
					return svc.Journal(ctx, args[0], w)
				})
			}
		}),
	}
}
