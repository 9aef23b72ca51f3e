package hall

import (
	"slices"
	"strings"
	"sync"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// Judge is a referee for every lobby of a rulebook, without a copy of any. It may be used by several goroutines.
type Judge struct {
	hall *Hall
	book string
	wake chan struct{}

	mu    sync.Mutex
	queue []any // guarded by mu; messages that wait to be sent
	slow  bool  // guarded by mu; too many wait
}

// mostJudged is how many messages may wait for a judge.
const mostJudged = 1024

// judges are those who are there, by rulebook.
type judges struct {
	mu sync.Mutex
	of map[string][]*Judge // guarded by mu
}

// Judge signs a referee in to all lobbies of a rulebook.
func (h *Hall) Judge(book string) *Judge {
	j := &Judge{hall: h, book: book, wake: make(chan struct{}, 1)}
	h.judges.mu.Lock()
	h.judges.of[book] = append(h.judges.of[book], j)
	h.judges.mu.Unlock()
	h.judgesChanged(book)
	return j
}

// Leave signs the referee out.
func (j *Judge) Leave() {
	h := j.hall
	h.judges.mu.Lock()
	h.judges.of[j.book] = slices.DeleteFunc(h.judges.of[j.book], func(x *Judge) bool { return x == j })
	h.judges.mu.Unlock()
	h.judgesChanged(j.book)
}

func (h *Hall) judgesChanged(book string) {
	for _, l := range h.All() {
		if l.book.Name == book {
			l.post(l.judged.refereesChanged)
		}
	}
}

func (h *Hall) judgesOf(book string) []*Judge {
	h.judges.mu.Lock()
	defer h.judges.mu.Unlock()
	return slices.Clone(h.judges.of[book])
}

// Wake gives when something waits to be sent.
func (j *Judge) Wake() <-chan struct{} { return j.wake }

// Take returns what waits to be sent. It is an error when that has been too much.
func (j *Judge) Take() ([]any, error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	list := j.queue
	j.queue = nil
	if j.slow {
		return nil, fault.New(code.Slow, "the connection reads too slowly")
	}
	return list, nil
}

func (j *Judge) tell(v any) {
	j.mu.Lock()
	if j.slow = j.slow || len(j.queue) >= mostJudged; !j.slow {
		j.queue = append(j.queue, v)
	}
	j.mu.Unlock()
	select {
	case j.wake <- struct{}{}:
	default:
	}
}

// Receive takes a message from the referee: a word on a decision, or an act.
func (j *Judge) Receive(message any) error {
	switch m := message.(type) {
	case *wire.Ping:
		return nil
	case *wire.Decide:
		l, err := j.lobby(m.Lobby)
		if err != nil {
			j.tell(wire.Decided{Is: "decided", Lobby: m.Lobby, No: m.No, Code: string(err.Code), Reason: err.Reason})
			return nil
		}
		l.post(func() { l.judged.decide(m, j.tell) })
	case *wire.Rule:
		l, err := j.lobby(m.Lobby)
		if err != nil {
			j.tell(wire.Ruled{Is: "ruled", N: m.N, Code: string(err.Code), Reason: err.Reason})
			return nil
		}
		l.post(func() { l.judged.rule(m, j.tell) })
	default:
		return fault.New(code.BadMessage, "a referee of a rulebook sends decide, rule and pong")
	}
	return nil
}

// lobby finds a lobby of the judge's rulebook.
func (j *Judge) lobby(joinCode string) (*Lobby, *fault.Fault) {
	l, err := j.hall.Find(joinCode)
	if err != nil || l.book.Name != j.book {
		return nil, fault.New(code.NoLobby, "there is no lobby of %s with the code %q", j.book, joinCode)
	}
	return l, nil
}

// judging is what referees have to say.
type judging struct {
	*room
	shows *showing
}

// refereesChanged tells the authority whether a referee is signed in. It then offers what waits for a decision.
func (l *judging) refereesChanged() {
	n := int64(0)
	if slices.ContainsFunc(l.shows.clients, func(c *Client) bool { return c.referee }) ||
		len(l.hall.judgesOf(l.book.Name)) > 0 {
		n = 1
	}
	l.step(&step.Input{Kind: step.RefereeOn, N: n})
}

// offer asks every referee who is signed in. The first answer counts.
func (l *judging) offer(d *step.Decision) {
	w := wire.Decision{Is: "decision", No: d.No, Action: d.Action, Seat: uint32(d.Seat), Target: uint32(d.Target),
		Left: sheet.Millis(int64(max(d.Until-l.m.PlayTick(), 0)), l.book.Rate)}
	for _, t := range d.Tell {
		if w.Tell == nil {
			w.Tell = map[string]any{}
		}
		w.Tell[t.Name] = t.Value.Plain()
	}
	for _, c := range l.shows.clients {
		if c.referee {
			l.shows.pub.given = append(l.shows.pub.given, given{c, c.message(w)})
		}
	}
	w.Lobby = l.Code
	for _, j := range l.hall.judgesOf(l.book.Name) {
		j.tell(w)
	}
}

// decide takes a referee's word and answers it.
func (l *judging) decide(m *wire.Decide, answer func(any)) {
	in := &step.Input{Kind: step.Answer, N: m.No, Yes: m.Yes}
	if a := l.m.Deciding(m.No); a != nil {
		in.Args = readValues(a.Referee.Answers, m.With)
	}
	v := l.step(in).Verdict
	answer(wire.Decided{Is: "decided", Lobby: m.Lobby, No: m.No, OK: v.OK(), Code: string(v.Code), Reason: v.Reason})
}

// rule does what a referee may do of its own accord, and answers.
func (l *judging) rule(m *wire.Rule, answer func(any)) {
	v := l.step(l.ruling(m)).Verdict
	answer(wire.Ruled{Is: "ruled", N: m.N, OK: v.OK(), Code: string(v.Code), Reason: v.Reason})
}

// ruling turns a referee's message into an input. What cannot be read in it is put in as unreadable, for the authority
// to refuse.
func (l *judging) ruling(m *wire.Rule) *step.Input {
	if m.Set == "" {
		in := &step.Input{Kind: step.RefereeAct, Name: clip(m.Act, 32)}
		if r := l.book.Referee; r != nil && r.Act(m.Act) != nil {
			in.Args = readValues(r.Act(m.Act).Takes, m.Args)
		}
		return in
	}
	kind, name, _ := strings.Cut(m.Set, ".")
	in := &step.Input{Kind: step.RefereeSet, Name: clip(name, 32), Target: sheet.ID(m.Target)}
	for _, k := range []sheet.Kind{sheet.Lobby, sheet.Match} {
		if list := l.m.Store().Of(k); kind == k.String() && m.Target == 0 && len(list) > 0 {
			in.Target = list[0].ID
		}
	}
	if r := l.m.Store().Get(in.Target); r != nil {
		if f := l.book.Schema.Field(r.Kind, name); f != nil {
			in.Value = readValue(f, m.Value)
		}
	}
	return in
}

// tellJudges tells a notice that is for referees to those who see no copy.
func (l *showing) tellJudges(n wire.Notice) {
	n.Lobby = l.Code
	for _, j := range l.hall.judgesOf(l.book.Name) {
		j.tell(n)
	}
}

// Rulebook is the rulebook whose lobbies it referees.
func (j *Judge) Rulebook() string { return j.book }

// Lobbies are the codes of its lobbies that are open here.
func (j *Judge) Lobbies() []string {
	codes := []string{}
	for _, l := range j.hall.All() {
		if l.book.Name == j.book {
			codes = append(codes, l.Code)
		}
	}
	slices.Sort(codes)
	return codes
}
