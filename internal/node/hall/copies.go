package hall

import (
	"context"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/wire"
)

// checkEvery is how often the copies are checked in practice lobbies.
const checkEvery = 5 * time.Second

// checkPatience is how many seconds an answer may take before the next check.
const checkPatience = 10

// maxDiffers is how many fields are told of a copy that differs.
const maxDiffers = 50

// check is a question to a client whether its copy is as it should be.
type check struct {
	tick sheet.Tick
	at   sheet.Tick // when it was asked
	want *replica.Copy
	done func(answered bool, differs []wire.Differently) // may be nil
}

// CheckReport is what a check of all copies in a lobby has found.
type CheckReport struct {
	Asked    int                `json:"asked"`    // connections
	Answered int                `json:"answered"` // in time
	Differs  []wire.Differently `json:"differs"`  // whose copies differ, and where
}

// checkCopies asks the clients of a practice lobby now and then whether their copies are what they should be. It is
// called when all have been sent what has changed.
func (l *showing) checkCopies(now sheet.Tick) {
	l.recheck = l.checks > 0
	if l.checks > 0 && now >= l.checkAt {
		l.recheck = false
		l.checkAt = now + sheet.Tick(max(l.checks*time.Duration(l.book.Rate)/time.Second, 1))
		for _, c := range l.clients {
			if c.check == nil ||
				now-c.check.at > sheet.Tick(checkPatience*l.book.Rate) { // not before the last answer has come
				l.ask(c, nil)
			}
		}
	}
	if len(l.asking) > 0 {
		for _, done := range l.asking {
			done()
		}
		l.asking = nil
	}
}

// ask asks one client, unless it has no copy that could be asked for.
func (l *showing) ask(c *Client, done func(bool, []wire.Differently)) bool {
	if c.left || c.fresh || c.back || c.behind.Load() || c.Ended() != nil {
		return false
	}
	if c.check != nil {
		c.check.close(false, nil)
	}
	c.check = &check{tick: c.On, at: l.m.Tick(), want: l.pub.feed.Image(&c.Viewer, l.m.Store()), done: done}
	c.say(wire.Check{Is: "check", Tick: int64(c.On)})
	return true
}

// checking is how a client's copy is being checked.
type checking struct {
	check *check
	asked sheet.Tick // at which it was last asked to show its copy; 0 for never
}

func (k *check) close(answered bool, differs []wire.Differently) {
	if k.done != nil {
		k.done(answered, differs)
	}
}

// hashed takes a client's answer to a check.
func (l *showing) hashed(c *Client, tick int64, hash uint32) {
	k := c.check
	if k == nil || int64(k.tick) != tick {
		return
	}
	if hash != k.want.Hash() {
		c.asked = k.tick
		c.say(wire.Check{Is: "show", Tick: tick})
		return
	}
	l.note(c, k.tick, nil)
	k.close(true, nil)
	c.check = nil
}

// shown takes the copy of a client whose hash was wrong. In what it differs is logged and told, and the client gets a
// new snapshot.
func (l *showing) shown(c *Client, tick int64, parts [][]any) {
	k := c.check
	switch {
	case c.asked == 0 || int64(c.asked) != tick:
		c.End(wire.Bye{Code: string(code.BadMessage), Reason: "nobody has asked to be shown this copy"})
		return
	case k == nil || int64(k.tick) != tick:
		return
	}
	c.check = nil
	found := replica.NewCopy(k.want.Schema)
	found.Apply(replica.Parts(parts)) // as far as it can be read; the rest differs
	differs := l.differently(c, k.want.Compare(found))
	l.log().
		Warn("a copy differs from what it should hold", "seat", c.First(), "tick", tick, "fields",
			differs[:min(len(differs), 5)])
	c.say(wire.Differs{Is: "differs", Tick: tick, Fields: differs})
	c.fresh = true
	l.note(c, k.tick, differs)
	k.close(true, differs)
}

// maxChecked is how many answers to checks a lobby remembers.
const maxChecked = 2000

// Checked is what a client has told of its copy: at which tick, and in what it differed.
type Checked struct {
	Seat    uint32             `json:"seat"`
	Tick    int64              `json:"tick" jsonschema:"the tick that the copy stood at"`
	Same    bool               `json:"same" jsonschema:"it was what it should be"`
	Differs []wire.Differently `json:"differs,omitempty"`
}

// CheckedCopies are the newest answers to checks of a lobby, since it has been on this node.
type CheckedCopies struct {
	Rate    int       `json:"rate" jsonschema:"ticks a second"`
	Checked []Checked `json:"checked" jsonschema:"the oldest first, at most 2000"`
}

// note remembers what a client has told of its copy, by its first seat; the oldest half is forgotten when there are too
// many.
func (l *showing) note(c *Client, tick sheet.Tick, differs []wire.Differently) {
	if len(c.own()) == 0 {
		return
	}
	if len(l.checked) >= maxChecked {
		l.checked = append(l.checked[:0], l.checked[maxChecked/2:]...)
	}
	l.checked = append(l.checked, Checked{uint32(c.First()), int64(tick), differs == nil, differs})
}

// newest is Lobby.Checked.
func (l *showing) newest(ctx context.Context) (CheckedCopies, error) {
	out := CheckedCopies{Rate: l.book.Rate}
	err := l.do(ctx, func() { out.Checked = append([]Checked{}, l.checked...) })
	return out, err
}

// differently writes differences for people.
func (l *showing) differently(c *Client, list []replica.Difference) []wire.Differently {
	out := []wire.Differently{}
	for _, d := range list[:min(len(list), maxDiffers)] {
		w := wire.Differently{Seat: uint32(c.First()), Sheet: uint32(d.Sheet), Kind: d.Kind.String()}
		show := func(v *sheet.Value) string {
			switch {
			case v == nil:
				return ""
			case d.Field == nil:
				return "there"
			}
			return v.Show(d.Field, l.book.Rate, 0)
		}
		if d.Field != nil {
			w.Field = d.Field.Name
		}
		w.Want, w.Found = show(d.Want), show(d.Found)
		out = append(out, w)
	}
	if len(out) == 0 { // the hash was wrong, and the copy is not: that differs too
		out = append(out, wire.Differently{Seat: uint32(c.First()), Kind: "lobby", Want: "the hash of this copy",
			Found: "another one"})
	}
	return out
}

// checkAll is Lobby.Check.
func (l *showing) checkAll(ctx context.Context) (*CheckReport, error) {
	r := &CheckReport{Differs: []wire.Differently{}}
	answers, asked := make(chan []wire.Differently), make(chan struct{})
	gone, stop := context.WithCancel(ctx)
	defer stop()
	err := l.do(ctx, func() {
		l.pub.force = true
		l.asking = append(l.asking, func() {
			for _, c := range l.clients {
				if l.ask(c, func(answered bool, differs []wire.Differently) {
					if answered {
						safe.Go("answer a check", func() {
							select {
							case answers <- differs:
							case <-gone.Done():
							}
						})
					}
				}) {
					r.Asked++
				}
			}
			close(asked)
		})
	})
	if err != nil {
		return nil, err
	}
	select {
	case <-asked:
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-l.done:
		return r, nil
	}
	for r.Answered < r.Asked {
		select {
		case differs := <-answers:
			r.Answered++
			r.Differs = append(r.Differs, differs...)
		case <-ctx.Done():
			return r, nil
		case <-l.done:
			return r, nil
		}
	}
	slices.SortFunc(r.Differs, func(a, b wire.Differently) int { return int(a.Seat) - int(b.Seat) })
	return r, nil
}
