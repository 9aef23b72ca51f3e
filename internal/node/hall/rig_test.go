package hall_test

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/wire"
)

// harbour is the rulebook of most of these tests: points, a notice for show and one that is needed, a record, and a
// short match.
const harbour = `turnvex: 1
name: harbour
players: {least: 2, most: 4, hold: 10s, late: seat, local: 2}
spectators: {most: 2, delay: 5s}
host: {settings: [private, public, match], password: [private, public, match], ban: [private, public]}
options: {goal: {type: integer, start: 3, min: 1, max: 9}, motto: {type: text, max: 10}}
start: {countdown: 0s}
sheets: {player: {points: {type: integer}, mood: {type: choice, words: [calm, cross]}}, match: {points: {type: text}}}
actions:
  score: {do: [{add: me.points, by: 1}, {notice: cheer, with: {n: me.points}}]}
  shout: {do: [{notice: shouted, needed: true}]}
  point: {takes: {whom: {type: player}}, do: [{add: me.points, by: 10}]}
phases: {play: {lasts: 60s}}
win: {order: [{highest: me.points}]}
end: {lasts: 5s}
record: {total: {value: me.points, keep: total}}
`

// rig is a hall over twins, in virtual time.
type rig struct {
	t      *testing.T
	hall   *hall.Hall
	dir    *memdb.Link
	keeper *memdb.Keeper
	names  *memdb.Names
	book   *rulebook.Book
	log    *lines
	kept   *replica.Copy // what the next connection still has
}

// lines is a log that tests read.
type lines struct {
	mu   sync.Mutex
	text strings.Builder
}

func (l *lines) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *lines) has(text string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return strings.Contains(l.text.String(), text)
}

// inVirtualTime runs a story over a hall. Time passes only while everybody waits.
func inVirtualTime(t *testing.T, src string, story func(r *rig)) {
	t.Helper()
	inHall(t, src, func(*rig, *hall.Config) {}, story)
}

// inHall is inVirtualTime with a hall that is set otherwise.
func inHall(t *testing.T, src string, set func(r *rig, cfg *hall.Config), story func(r *rig)) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		book, problems := rulebook.Compile([]byte(src))
		if book == nil {
			t.Fatal(problems)
		}
		r := &rig{
			t:      t,
			dir:    memdb.NewDirectory(),
			keeper: memdb.NewKeeper(),
			names:  memdb.NewNames(),
			book:   book,
			log:    &lines{},
		}
		cfg := hall.Config{Directory: r.dir, Keeper: r.keeper, Names: r.names, Node: "n1", Region: "here",
			Version: "test",
			Secret:  []byte("secret"), Log: slog.New(slog.NewTextHandler(r.log, nil))}
		set(r, &cfg)
		r.hall = hall.New(cfg)
		defer r.hall.Stop()
		story(r)
	})
}

func (r *rig) open(o hall.Opening) *hall.Lobby {
	r.t.Helper()
	l, err := r.hall.Open(context.Background(), r.book, o)
	if err != nil {
		r.t.Fatal(err)
	}
	return l
}

// player is a connection that notes what it is sent.
type player struct {
	*hall.Client
	r *rig
	n uint64

	mu    sync.Mutex
	stall chan struct{} // guarded by mu; while there is one the connection takes nothing
	got   []map[string]any
	bye   *wire.Bye
	copy  *replica.Copy
}

// stop lets the connection take nothing until the function that it returns is called.
func (p *player) stop() (again func()) {
	p.mu.Lock()
	defer p.mu.Unlock()
	stall := make(chan struct{})
	p.stall = stall
	return func() {
		p.mu.Lock()
		p.stall = nil
		p.mu.Unlock()
		close(stall)
	}
}

func (r *rig) join(l *hall.Lobby, j hall.Joining) *player {
	r.t.Helper()
	p, err := r.tryJoin(l, j)
	if err != nil {
		r.t.Fatalf("%s cannot join: %v", j.Name, err)
	}
	return p
}

func (r *rig) tryJoin(l *hall.Lobby, j hall.Joining) (*player, error) {
	if j.Name == "" {
		j.Name = j.Account
	}
	c, err := l.Join(context.Background(), j)
	if err != nil {
		return nil, err
	}
	p := &player{Client: c, r: r, copy: r.kept}
	c.Serve(p.take, nil)
	pass(aTick)
	return p, nil
}

// take is the connection's writer.
func (p *player) take(list []*outbox.Frame, bye *wire.Bye) bool {
	p.mu.Lock()
	if stall := p.stall; stall != nil {
		p.mu.Unlock()
		<-stall
		p.mu.Lock()
	}
	for _, f := range list {
		var m map[string]any
		if err := json.Unmarshal(f.Data, &m); err != nil {
			p.r.t.Errorf("%v: %s", err, f.Data)
		}
		p.follow(m, f.Data)
		p.got = append(p.got, m)
		f.Free()
	}
	p.bye = bye
	p.mu.Unlock()
	p.Drained()
	return bye == nil
}

// follow keeps a copy, as a client does.
func (p *player) follow(m map[string]any, data []byte) {
	switch m["is"] {
	case "welcome":
		var w wire.Welcome
		if json.Unmarshal(data, &w); w.Schema != nil {
			s, err := w.Schema.Schema()
			if err != nil {
				p.r.t.Error(err)
			}
			p.copy = replica.NewCopy(s)
		}
	case "snapshot", "delta":
		tick, _, parts, err := wire.Parts(replica.JSON, data)
		if err == nil && m["is"] == "snapshot" {
			_, err = p.copy.Replace(parts)
		} else if err == nil {
			_, err = p.copy.Apply(parts)
		}
		if err != nil {
			p.r.t.Errorf("%s does not fit the copy: %v", data, err)
		}
		p.copy.Tick = tick
	}
}

// ask sends an intent for the first seat and returns its verdict.
func (p *player) ask(in wire.Intent) map[string]any {
	p.r.t.Helper()
	p.n++
	in.Is, in.N = "intent", p.n
	if in.Seat == 0 {
		in.Seat = uint32(p.First())
	}
	if err := p.Receive(&in); err != nil {
		p.r.t.Fatalf("%s: %v", in.Do, err)
	}
	pass(aTick)
	for _, m := range p.all("verdict") {
		if m["n"] == float64(p.n) {
			return m
		}
	}
	p.r.t.Fatalf("no verdict on %s; there came %v", in.Do, p.kinds())
	return nil
}

// does asks for something that must be accepted.
func (p *player) does(in wire.Intent) {
	p.r.t.Helper()
	if v := p.ask(in); v["ok"] != true {
		p.r.t.Fatalf("%s %s: %v", in.Do, in.Name, v)
	}
}

// refused asks for something that must be refused, with a code and a word of the reason.
func (p *player) refused(in wire.Intent, code, reason string) {
	p.r.t.Helper()
	if v := p.ask(in); v["code"] != code || !strings.Contains(fmt.Sprint(v["reason"]), reason) {
		p.r.t.Errorf("%s %v: %v, wanted %s with %q", in.Do, in.Args, v, code, reason)
	}
}

// all returns what came of a kind.
func (p *player) all(is string) (out []map[string]any) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, m := range p.got {
		if m["is"] == is {
			out = append(out, m)
		}
	}
	return out
}

func (p *player) kinds() (out []string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, m := range p.got {
		out = append(out, fmt.Sprint(m["is"]))
	}
	return out
}

// forget lets the test look only at what comes from now on.
func (p *player) forget() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.got = nil
}

// ended is the word with which the service ended the connection.
func (p *player) ended() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.bye == nil {
		return ""
	}
	return p.bye.Code
}

// see reads a field of the player's own sheet in the copy of p.
func (p *player) see(seat uint32, field string) int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.copy.Sheet(sheetID(seat)).Int(field)
}

func (p *player) text(seat uint32, field string) string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.copy.Sheet(sheetID(seat)).Text(field)
}

// match is the match's sheet in the copy of p; nil between matches.
func (p *player) flag(kind int, field string) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, s := range p.copy.Of(sheetKind(kind)) {
		return s.Flag(field)
	}
	return false
}

// aTick is long enough for what happens at a tick to be told.
const aTick = 60 * time.Millisecond

// pass lets virtual time go by.
func pass(d time.Duration) {
	time.Sleep(d)
	synctest.Wait()
}

// two opens a lobby with two players who are in a match.
func (r *rig) two() (l *hall.Lobby, ada, bo *player) {
	r.t.Helper()
	l = r.open(hall.Opening{})
	ada, bo = r.join(l, hall.Joining{Account: "ada"}), r.join(l, hall.Joining{Account: "bo"})
	ada.does(wire.Intent{Do: "ready"})
	bo.does(wire.Intent{Do: "ready"})
	return l, ada, bo
}
