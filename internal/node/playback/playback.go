// Package playback shows what happened in a lobby from its journal: the same messages that a live connection with some
// view would have been sent, from one tick to another.
package playback

import (
	"context"
	"encoding/json"
	"fmt"
	"io"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/wire"
)

// Source is what is kept of a lobby.
type Source struct {
	Book    *rulebook.Book
	Setup   lobby.Setup
	State   []byte // a checkpoint from before what is asked for; nil to begin with the lobby
	People  []journal.Person
	Entries []byte     // what it took in after that, one behind the other
	Until   sheet.Tick // the tick up to which that is everything
	Missing sheet.Tick // what lies between Until and this tick is not kept; 0 if nothing is missing
	GoesOn  bool       // it goes on from there
}

// Query says what is wanted.
type Query struct {
	From, To sheet.Tick
	View     replica.View // everything, or what a seat sees
	Most     int          // bytes
}

// Head is the first line: what the messages after it are about.
type Head struct {
	Is       string            `json:"is"` // playback
	Rulebook string            `json:"rulebook"`
	Version  string            `json:"version"`
	Rate     int               `json:"rate"`
	From     int64             `json:"from"`
	Last     int64             `json:"last"` // the last tick that is kept
	Schema   replica.Described `json:"schema"`
	Book     wire.BookInfo     `json:"book"`
}

// Input is a line for what the lobby took in, shown with everything.
type Input struct {
	Is     string  `json:"is"` // input
	Tick   int64   `json:"tick"`
	Kind   string  `json:"kind"`
	Seat   uint32  `json:"seat,omitempty"`
	Do     string  `json:"do,omitempty"`
	Name   string  `json:"name,omitempty"`
	Target uint32  `json:"target,omitempty"`
	At     []int64 `json:"at,omitempty"`
	Code   string  `json:"code,omitempty"` // with which it was refused
}

// End is the last line: everything up to To was shown, or, with More, the rest is to be asked for from Tick on, or from
// Missing on where it is given: what lies between the two is not kept.
type End struct {
	Is      string `json:"is"` // end
	Tick    int64  `json:"tick"`
	More    bool   `json:"more"`
	Missing int64  `json:"missing,omitempty"`
}

// player plays a lobby back.
type player struct {
	m     *lobby.Lobby
	q     *Query
	feed  *replica.Feed
	desk  replica.Desk
	view  replica.Viewer
	told  []step.Notice
	began bool // the snapshot has been written
	full  bool // no more is written
	last  sheet.Tick
	size  int
	out   io.Writer
	err   error
}

// Play writes what is wanted, a message a line, as JSON.
func Play(ctx context.Context, w io.Writer, s *Source, q *Query) error {
	p := &player{q: q, out: w, view: replica.Viewer{View: q.View, Enc: replica.JSON}}
	var err error
	if s.State == nil {
		p.m = lobby.New(s.Book, s.Setup)
	} else if p.m, err = lobby.Restore(s.Book, s.State); err != nil {
		return err
	}
	face, info := hall.Face(s.Book)
	p.feed = replica.NewFeed(face)
	p.line(Head{Is: "playback", Rulebook: s.Book.Name, Version: s.Book.Version, Rate: s.Book.Rate,
		From: int64(max(q.From, p.m.Tick())), Last: int64(s.Until), Schema: face.Described, Book: info})
	err = journal.Inputs(s.Entries, s.People, func(in *step.Input) error {
		if p.full || in.At > q.To {
			return io.EOF
		}
		p.advance(in.At)
		p.take(in)
		if p.err == nil {
			p.err = ctx.Err()
		}
		return p.err
	})
	if err != nil && err != io.EOF {
		return err
	}
	end := min(q.To, s.Until)
	p.advance(end)
	p.begin(end)
	p.publish()
	last := End{Is: "end", Tick: int64(p.last), More: p.full}
	if !p.full && s.Missing != 0 && q.To > s.Until {
		last.Missing, last.More = int64(s.Missing), s.GoesOn && q.To > s.Missing
	}
	p.line(last)
	return p.err
}

// advance lets the ticks pass in which something happens by itself, up to a tick.
func (p *player) advance(to sheet.Tick) {
	for next := p.m.Next(); next != 0 && next < to && !p.full && p.err == nil; next = p.m.Next() {
		p.begin(next)
		p.take(&step.Input{Kind: step.Tick, At: max(next, p.m.Tick()+1)})
	}
}

// begin writes the snapshot when the first tick that is wanted has come.
func (p *player) begin(now sheet.Tick) {
	if p.began || now <= p.q.From {
		return
	}
	p.began = true
	if p.m.Tick() < p.q.From {
		p.m.Step(&step.Input{Kind: step.Tick, At: p.q.From})
	}
	p.m.Store().ClearChanges()
	p.last = p.m.Tick()
	p.raw(p.feed.Snapshot(nil, &p.view, p.m.Store(), p.last))
}

// take plays one input back, behind the delta of the tick before it.
func (p *player) take(in *step.Input) {
	p.begin(in.At)
	if in.At > p.m.Tick() {
		p.publish()
	}
	out := p.m.Step(in)
	if !p.began {
		p.m.Store().ClearChanges()
		return
	}
	p.told = append(p.told, out.Notices...)
	if in.Kind != step.Tick && p.q.View.All {
		l := Input{Is: "input", Tick: int64(in.At), Kind: in.Kind.String(), Seat: uint32(in.Seat), Do: string(in.Verb),
			Name: in.Name, Target: uint32(in.Target)}
		if in.Point {
			l.At = []int64{in.X, in.Y, in.Z}[:p.m.Book().Parts]
		}
		if in.Kind.Answered() {
			l.Code = string(out.Verdict.Code)
		}
		p.line(l)
	}
}

// publish writes what has changed, and what has happened, since the last time.
func (p *player) publish() {
	if !p.began {
		return
	}
	st, now := p.m.Store(), p.m.Tick()
	p.feed.Begin(&p.desk, st, st.Changes(), now)
	plan := p.feed.Plan(&p.view)
	if !plan.Nothing {
		p.raw(p.feed.Write(nil, &p.view, &plan))
	}
	p.feed.End()
	st.ClearChanges()
	p.last = now
	for _, n := range p.told {
		if p.view.Sees(replica.Audience{To: n.To, Of: n.Of}) {
			p.line(hall.Notice(n, now))
		}
	}
	p.told = nil
	p.full = p.size > p.q.Most
}

func (p *player) line(v any) {
	data, err := json.Marshal(v)
	if err != nil {
		p.err = fmt.Errorf("a line of a playback: %w", err)
		return
	}
	p.raw(data)
}

func (p *player) raw(data []byte) {
	if len(data) == 0 || p.err != nil {
		return
	}
	p.size += len(data) + 1
	_, p.err = p.out.Write(append(data, '\n'))
}
