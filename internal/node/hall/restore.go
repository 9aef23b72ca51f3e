package hall

import (
	"fmt"
	"runtime/debug"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/ledger"
)

// Restore lets a lobby live again that a node held when it ended: from its last checkpoint, with what it took in since.
// The time that has passed meanwhile did not pass for it. What the authority asked for and nobody may have answered is
// asked for again.
func (h *Hall) Restore(book *rulebook.Book, x *ledger.Left) (err error) {
	defer func() { // what made a lobby fail may do so again: the others go on
		if p := recover(); p != nil {
			err = fmt.Errorf("played back, it fails: %v\n%s", p, debug.Stack())
		}
	}()
	m, err := lobby.Restore(book, x.State)
	if err != nil {
		return err
	}
	l := newLobby(h, x.Lobby, x.Name, book, x.Setup, m)
	l.opened = x.Opened
	l.memory = newMemory(l.room, l.seats.whose, x.People...)
	l.memory.asked = true
	l.memory.seq.Store(x.Seq)
	r := replay{l: l, loads: map[sheet.ID]string{}}
	if err := r.play(x); err != nil {
		return err
	}
	l.memory.gap = x.Gap
	l.memory.keep(l.room, x.After)
	ticks := time.Duration(m.Tick()) * time.Second / time.Duration(book.Rate)
	l.pace.begin(h.spread(h.beginning().Add(-ticks), book.Rate))
	for conn, seats := range m.Conns() {
		l.seats.keys[conn] = &heldSeats{seats: seats}
		for _, id := range seats {
			if account := m.Store().Get(id).Text(book.F.Player.Account); account != "" {
				l.seats.counted.take(account, h.cfg.Counted(account))
				l.kept.knownOf(account)
			}
		}
	}
	l.sign.setEntry(l.sign.present())
	return h.start(l, r.goOn)
}

// replay plays back what a lobby took in, and remembers what it asked for.
type replay struct {
	l       *Lobby
	jobs    []*keep.Job
	loads   map[sheet.ID]string // records that were asked for and did not come, by seat
	charges []request           // costs that were to be taken, and of which nothing is known
	wanted  []step.Effect       // of the charges
}

func (r *replay) play(x *ledger.Left) error {
	rate := time.Duration(r.l.book.Rate)
	r.l.pace.begin(x.Began) // moments are what they were: a result that is kept once more is the same
	err := journal.Inputs(x.After, x.People, func(in *step.Input) error {
		if in.At < r.l.m.Tick() {
			return fmt.Errorf("an input of tick %d behind tick %d", in.At, r.l.m.Tick())
		}
		r.take(in)
		return nil
	})
	if err != nil {
		return err
	}
	if until := sheet.Tick(x.Until.Sub(x.Began) * rate / time.Second); until > r.l.m.Tick() {
		r.take(&step.Input{Kind: step.Tick, At: until})
	}
	return nil
}

// take plays one input back. Nobody is told anything; what is to be kept is kept once more, which changes nothing where
// it was kept.
func (r *replay) take(in *step.Input) {
	switch in.Kind {
	case step.Loaded:
		delete(r.loads, in.Seat)
	case step.Intent:
		if in.N != 0 { // what became of a cost
			for i := range r.charges {
				if r.charges[i].in.Seat == in.Seat && r.charges[i].in.Seq == in.Seq {
					r.charges = append(r.charges[:i:i], r.charges[i+1:]...)
					r.wanted = append(r.wanted[:i:i], r.wanted[i+1:]...)
					break
				}
			}
		}
	}
	out := r.l.m.Step(in)
	var save []step.Effect
	for _, e := range out.Effects {
		switch e.Kind {
		case step.LoadRecord:
			r.loads[e.Seat] = e.Account
		case step.Charge:
			again := *in
			r.charges, r.wanted = append(r.charges, request{&again, func(step.Verdict) {}}), append(r.wanted, e)
		case step.SaveRecord, step.SaveResult, step.SavePost:
			save = append(save, e)
		}
	}
	r.jobs = append(r.jobs, r.l.kept.jobs(save)...)
	r.l.m.Store().ClearChanges()
}

// heldFor is for how long, at least, the seats of those are held who were there: a client may notice late that its node
// is gone, and must find the next.
const heldFor = 30 * time.Second

// goOn is the first that the lobby's loop does: whoever was there is away, and what was asked for is asked for again.
func (r *replay) goOn() {
	l := r.l
	for _, conn := range l.m.Line() {
		l.step(&step.Input{Kind: step.Unwait, Conn: conn})
	}
	for _, seat := range l.m.There() {
		l.step(&step.Input{Kind: step.Lost, Seat: seat, N: int64(heldFor/time.Second) * int64(l.book.Rate)})
	}
	l.step(&step.Input{Kind: step.Spectators})
	l.step(&step.Input{Kind: step.RefereeOn})
	l.step(&step.Input{Kind: step.Unkept})
	for _, job := range r.jobs {
		l.kept.save(job)
	}
	for seat, account := range r.loads {
		if l.m.Store().Get(seat) != nil {
			l.kept.loadRecord(seat, account)
		}
	}
	l.sign.written = directory.Entry{} // whatever the directory's row said last
	l.sign.writeEntry()
	for i, e := range r.wanted {
		l.kept.charging[r.charges[i].in.Seat] = nil
		l.kept.charge(l.kept.chargeJob(e), r.charges[i])
	}
}
