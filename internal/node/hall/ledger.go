package hall

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/ledger"
)

// memory is what a lobby hands to the ledger. A nil one hands on nothing.
type memory struct {
	ledger  *ledger.Ledger
	scribe  *journal.Scribe
	seq     int64       // of the last entry
	segment []byte      // the entries since the last checkpoint
	mark    ledger.Mark // of the last entry
	at      time.Time   // of the last checkpoint
	keptAt  time.Time   // of the last one that is kept as long as the journal
	asked   bool        // a checkpoint is wanted whatever there is to say
	under   int         // what the authority asked for and was not answered yet: records, saves, charges
}

// A checkpoint is made when so much was taken in since the last one, or so long ago was the
// last one, and nothing is under way.
const (
	checkpointBytes = 256 << 10
	checkpointEvery = 20 * time.Second
	keepEvery       = 5 * time.Minute // one is kept as long as the journal
)

func newMemory(l *Lobby, people ...journal.Person) *memory {
	m := &memory{ledger: l.hall.cfg.Ledger, scribe: journal.NewScribe(people...), at: l.hall.cfg.Now(),
		keptAt: l.hall.cfg.Now()}
	m.scribe.Whose = l.whose
	return m
}

// head is how the lobby was opened, for the ledger.
func (l *Lobby) head() ledger.Head {
	return ledger.Head{Lobby: l.ID, Code: l.Code, Name: l.name, Rulebook: l.book.Name, Version: l.book.Version,
		Setup: l.setup, Opened: l.opened}
}

// input hands on an input that is about to be taken. Ticks are implied by the moment up to
// which everything is known.
func (m *memory) input(l *Lobby, in *step.Input) {
	if m == nil || in.Kind == step.Tick {
		return
	}
	data, told, err := m.scribe.Input(in)
	if err != nil {
		l.log().Error("an input cannot be written down", "error", err)
		return
	}
	m.seq++
	m.segment = append(m.segment, data...)
	m.mark = m.ledger.Write(l.ID, m.seq, data, told)
}

// checkpoint hands on the whole state, when it is time and nothing is under way.
func (m *memory) checkpoint(l *Lobby, now time.Time) {
	if m == nil || m.under > 0 || len(l.charging) > 0 {
		return
	}
	due := len(m.segment) > 0 && (len(m.segment) > checkpointBytes || now.Sub(m.at) > checkpointEvery)
	if due || m.asked {
		m.now(l, now)
	}
}

func (m *memory) now(l *Lobby, now time.Time) {
	keep := now.Sub(m.keptAt) >= keepEvery
	if keep {
		m.keptAt = now
	}
	m.mark = m.ledger.Checkpoint(l.ID, ledger.State{Seq: m.seq, Tick: int64(l.m.Tick()), Began: l.began,
		Data: l.m.Save(), Keep: keep}, m.segment)
	m.segment, m.at, m.asked = make([]byte, 0, min(cap(m.segment), checkpointBytes)), now, false
}

// begin and done count what is under way.
func (m *memory) begin() {
	if m != nil {
		m.under++
	}
}

func (m *memory) done() {
	if m != nil {
		m.under--
	}
}

// end says that the lobby has ended, when all that it gave is kept.
func (m *memory) end(l *Lobby) {
	if m != nil {
		m.ledger.End(l.ID, m.seq, int64(l.m.Tick()), m.segment)
	}
}

// keptWithin is how long it may take until something is committed.
const keptWithin = 3 * time.Second

// Kept returns when what the lobby has taken in up to now is committed, or says that it cannot
// be just now. Without a ledger nothing is, and nobody waits.
func (l *Lobby) Kept(ctx context.Context) error {
	var mark ledger.Mark
	if l.hall.cfg.Ledger == nil {
		return nil
	}
	ctx, over := context.WithTimeout(ctx, keptWithin)
	defer over()
	if err := l.do(ctx, func() { mark = l.memory.mark }); err != nil {
		if fault.CodeOf(err) == code.LobbyGone { // what it took in last is written with its end
			return nil
		}
		return err
	}
	if l.hall.cfg.Ledger.Kept(ctx, mark) != nil {
		f := fault.New(code.Stopping, "the database does not take it just now; try again in a moment")
		f.Left = 1
		return f
	}
	return nil
}

// Tick is the wall tick at which the lobby is.
func (l *Lobby) Tick(ctx context.Context) (at int64, err error) {
	err = l.do(ctx, func() { at = int64(l.m.Tick()) })
	return at, err
}

// Unkept tells every lobby since when nothing that happens is kept; the zero time: it is again.
func (h *Hall) Unkept(since time.Time) {
	for _, l := range h.All() {
		l.post(func() {
			in := &step.Input{Kind: step.Unkept, Yes: !since.IsZero()}
			if in.Yes {
				in.N = max(h.cfg.Now().Sub(since).Milliseconds(), 0)
			}
			l.step(in)
		})
	}
}

// Refresh asks every lobby for a checkpoint.
func (h *Hall) Refresh() {
	for _, l := range h.All() {
		go l.post(func() { l.memory.asked = true })
	}
}
