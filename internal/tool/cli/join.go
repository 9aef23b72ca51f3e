package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"strings"
	"sync"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/tool/termview"
	"turnvex.example/turnvex/internal/wire"
)

// playOptions say how to come into a lobby.
type playOptions struct {
	watch  bool
	team   string
	locals []string

	password string
	version  string
	wait     bool
}

func joinCommand() command {
	return command{name: "join", args: "CODE|LINK", summary: "Join a lobby and play in the terminal",
		details: "Keys: enter ready, arrows steer, space stop, page up rises or jumps, tab chooses\n" +
			"a target, ctrl+p pauses, ctrl+y and ctrl+n answer a vote, f1 to f9 vote for a word,\n" +
			"q leaves; the last line shows the keys of the actions. With -json it prints every\n" +
			"change, notice and verdict as a line, and reads intents as lines from standard input,\n" +
			"such as {\"do\":\"ready\"} or {\"do\":\"act\",\"name\":\"ram\",\"target\":4};\n" +
			"{\"local\":\"Nod\"} adds a guest to the connection, {\"token\":\"…\"} somebody who has\n" +
			"signed in, and {\"leave\":7} gives up that seat.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			var o playOptions
			fs.StringVar(&o.team, "team", "", "the preferred `team`, if the rulebook leaves the choice")
			locals := fs.String("with", "", "`names` of other players on this connection, separated by commas")
			fs.StringVar(&o.password, "password", "", "the lobby's `password`, if it has one")
			fs.StringVar(&o.version, "version", "", "the required `version` of the rulebook; default: any")
			fs.BoolVar(&o.wait, "wait", false, "join the queue if the lobby is full")
			return func(ctx context.Context, t *Terminal, args []string) error {
				if *locals != "" {
					o.locals = strings.Split(*locals, ",")
				}
				return s.play(ctx, t, args[0], o)
			}
		},
	}
}

func watchCommand() command {
	return command{name: "watch", args: "CODE", summary: "Watch a lobby and its matches in the terminal",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			return func(ctx context.Context, t *Terminal, args []string) error {
				return s.play(ctx, t, args[0], playOptions{watch: true})
			}
		},
	}
}

// play connects and shows the lobby until the player leaves.
func (s *session) play(ctx context.Context, t *Terminal, code string, o playOptions) error {
	_, svc, err := s.open(ctx, t)
	if err != nil {
		return err
	}
	out := &lineWriter{t: t}
	changed, events := make(chan struct{}, 1), make(chan client.Notice, 64)
	opts := client.Options{Address: svc.Address, Lobby: codeOf(code), Watch: o.watch, Team: o.team, Locals: o.locals,
		Password: o.password, Version: o.version, Wait: o.wait,
		Tokens: func(ctx context.Context) (string, error) {
			_, svc, err := s.open(ctx, t)
			return svc.Token, err
		},
	}
	keys, screen, live := t.screen()
	live = live && !s.json
	opts.OnChange = func(c client.Change) {
		if !live {
			out.change(c, s.json)
		}
		select {
		case changed <- struct{}{}:
		default:
		}
	}
	opts.OnNotice = func(n client.Notice) {
		if !live {
			out.line(n, s.json)
			return
		}
		select {
		case events <- n:
		default: // nobody reads that many
		}
	}
	opts.OnStill = func(x client.Still) {
		what := "play stands still"
		if x.Over {
			what = "play goes on"
		}
		opts.OnNotice(client.Notice{Is: "still", Name: what, With: map[string]any{"why": x.Why}})
	}
	conn, err := client.Connect(ctx, opts)
	if err != nil {
		return err
	}
	defer conn.Close()
	if conn.Waiting() && !s.json {
		fmt.Fprintln(t.Err, "The lobby is full; you stand in line and watch meanwhile.")
	}
	if live {
		left, err := termview.Run(ctx,
			termview.Options{Conn: conn, Play: !o.watch, In: keys, Out: screen, Events: events, Changed: changed})
		return s.finish(t, conn, left && !o.watch, err)
	}
	if s.json && !o.watch {
		go readIntents(t, conn, out)
	}
	select {
	case <-conn.Done():
	case <-ctx.Done():
	}
	return s.finish(t, conn, !o.watch, nil)
}

// finish leaves the lobby if that is wanted and says how it ended.
func (s *session) finish(t *Terminal, conn *client.Conn, leave bool, err error) error {
	if leave && conn.Err() == nil {
		ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
		defer cancel()
		err = conn.Leave(ctx)
	} else if e := conn.Err(); e != nil && client.CodeOf(e) != "left" {
		err = e
	}
	if err == nil && !s.json {
		fmt.Fprintln(t.Err, "You have left.")
	}
	return err
}

// lineWriter writes what happens, a line each, from several goroutines.
type lineWriter struct {
	mu sync.Mutex
	t  *Terminal
}

// changeLine is a change as -json writes it.
type changeLine struct {
	Is    string `json:"is"` // "change", "appeared" or "gone"
	Sheet uint32 `json:"sheet"`
	Kind  string `json:"kind"`
	Field string `json:"field,omitempty"`
	Old   any    `json:"old,omitempty"`
	New   any    `json:"new,omitempty"`
}

func (w *lineWriter) change(c client.Change, asJSON bool) {
	l := changeLine{Is: "change", Sheet: c.Sheet.ID, Kind: c.Sheet.Kind.String()}
	switch {
	case c.Appeared:
		l.Is = "appeared"
	case c.Gone:
		l.Is = "gone"
	default:
		l.Field = c.Field.Name
		if !c.First {
			l.Old = c.Old.Plain()
		}
		if c.Seen {
			l.New = c.New.Plain()
		}
	}
	if asJSON {
		w.line(l, true)
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if c.Field == nil {
		fmt.Fprintf(w.t.Out, "%s %d %s\n", l.Kind, l.Sheet, l.Is)
		return
	}
	fmt.Fprintf(w.t.Out, "%s %d %s: %s -> %s\n", l.Kind, l.Sheet, l.Field, c.Old.Show(c.Field, 20, 0),
		c.New.Show(c.Field, 20, 0))
}

func (w *lineWriter) text(format string, args ...any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	fmt.Fprintf(w.t.Out, format, args...)
}

func (w *lineWriter) line(v any, asJSON bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if n, ok := v.(client.Notice); ok && !asJSON {
		data, _ := json.Marshal(n.With)
		fmt.Fprintf(w.t.Out, "notice %s %s\n", n.Name, data)
		return
	}
	writeJSON(w.t.Out, v)
}

// intentLine is a line as it is read from standard input: an intent, or a player who comes onto the connection (Local,
// with Team if wanted) or leaves it (Leave, a seat).
type intentLine struct {
	Local  string         `json:"local"`
	Token  string         `json:"token"`
	Team   string         `json:"team"`
	Leave  uint32         `json:"leave"`
	Seat   uint32         `json:"seat"`
	Do     string         `json:"do"`
	Name   string         `json:"name"`
	Target uint32         `json:"target"`
	At     []int64        `json:"at"`
	Yaw    *int64         `json:"yaw"`
	Pitch  *int64         `json:"pitch"`
	Args   map[string]any `json:"args"`
	Text   string         `json:"text"`
	Value  any            `json:"value"`
}

// readIntents sends an intent for each line of standard input and writes its verdict. The connection is left when the
// input ends.
func readIntents(t *Terminal, conn *client.Conn, out *lineWriter) {
	sc := bufio.NewScanner(t.In)
	var waiting sync.WaitGroup
	for sc.Scan() {
		if strings.TrimSpace(sc.Text()) == "" {
			continue
		}
		var in intentLine
		if err := wire.Read(replica.JSON, sc.Bytes(), &in); err != nil {
			out.line(map[string]any{"is": "error", "code": "bad-message", "reason": err.Error()}, true)
			continue
		}
		if in.Local != "" || in.Token != "" || in.Leave != 0 {
			waiting.Go(func() { seatLocal(conn, &in, out) })
			continue
		}
		p := conn.Send(client.Intent{Seat: in.Seat, Do: in.Do, Name: in.Name, Target: in.Target, At: in.At,
			Yaw: in.Yaw, Pitch: in.Pitch, Args: in.Args, Text: in.Text, Value: in.Value})
		waiting.Go(func() {
			if v, err := p.Verdict(context.Background()); err == nil {
				out.line(v, true)
			}
		})
	}
	waiting.Wait()
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	conn.Leave(ctx)
}

// seatLocal brings a player onto the connection, or lets one leave it, and writes what came of it.
func seatLocal(conn *client.Conn, in *intentLine, out *lineWriter) {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	answer := map[string]any{"is": "seated", "ok": true}
	var err error
	if in.Leave != 0 {
		answer["is"], answer["seat"] = "left", in.Leave
		err = conn.LeaveSeat(ctx, in.Leave)
	} else {
		answer["seat"], err = conn.AddLocal(ctx, client.Local{Name: in.Local, Token: in.Token, Team: in.Team})
	}
	if err != nil {
		answer["ok"], answer["code"], answer["reason"] = false, client.CodeOf(err), err.Error()
		delete(answer, "seat")
	}
	out.line(answer, true)
}
