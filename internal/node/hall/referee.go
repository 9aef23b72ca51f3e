package hall

import (
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/wire"
)

// refereesChanged tells the authority whether a referee is signed in. It then
// offers what waits for a decision.
func (l *Lobby) refereesChanged() {
	n := int64(0)
	if slices.ContainsFunc(l.clients, func(c *Client) bool { return c.referee }) {
		n = 1
	}
	l.step(&step.Input{Kind: step.RefereeOn, N: n})
}

// offer asks every referee who is signed in. The first answer counts.
func (l *Lobby) offer(d *step.Decision) {
	w := wire.Decision{Is: "decision", No: d.No, Action: d.Action, Seat: uint32(d.Seat), Target: uint32(d.Target),
		Left: sheet.Millis(int64(max(d.Until-l.m.PlayTick(), 0)), l.book.Rate)}
	for _, t := range d.Tell {
		if w.Tell == nil {
			w.Tell = map[string]any{}
		}
		w.Tell[t.Name] = t.Value.Plain()
	}
	for _, c := range l.clients {
		if c.referee {
			l.pub.given = append(l.pub.given, given{c, c.message(w)})
		}
	}
}

// decide takes a referee's word.
func (l *Lobby) decide(c *Client, no int64, yes bool) {
	v := l.step(&step.Input{Kind: step.Answer, N: no, Yes: yes}).Verdict
	l.pub.given = append(
		l.pub.given,
		given{c, c.message(wire.Decided{Is: "decided", No: no, OK: v.OK(), Code: string(v.Code), Reason: v.Reason})},
	)
}
