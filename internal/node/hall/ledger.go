package hall

import (
	"context"
	"errors"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/ledger"
)

// memory is what a lobby hands to the ledger. A nil one hands on nothing.
type memory struct {
	ledger  *ledger.Ledger
	scribe  *journal.Scribe
	seq     atomic.Int64 // of the last entry
	segment []byte       // the entries since the last checkpoint
	whole   int          // bytes of the journal, since the lobby came to this node
	full    bool         // the journal has all that it may: nothing more is added
	gap     bool         // they gave way: there was no room for them
	unkept  bool         // the sheet says that nothing is kept
	mark    ledger.Mark  // of the last entry
	at      time.Time    // of the last checkpoint
	keptAt  time.Time    // of the last one that is kept as long as the journal
	asked   bool         // a checkpoint is wanted whatever there is to say
	under   int          // what the authority asked for and was not answered yet: records, saves, charges
}

// A checkpoint is made when so much was taken in since the last one, or so long ago was the last one, and nothing is
// under way.
const (
	checkpointBytes = 256 << 10
	checkpointEvery = 20 * time.Second
	keepEvery       = 5 * time.Minute // one is kept as long as the journal
)

func newMemory(l *room, whose func(sheet.ID) string, people ...journal.Person) *memory {
	m := &memory{ledger: l.hall.cfg.Ledger, scribe: journal.NewScribe(people...), at: l.hall.cfg.Now(),
		keptAt: l.hall.cfg.Now()}
	m.scribe.Whose = whose
	return m
}

// head is how the lobby was opened, for the ledger.
func (l *room) head() ledger.Head {
	return ledger.Head{Lobby: l.ID, Code: l.Code, Name: l.name, Rulebook: l.book.Name, Version: l.book.Version,
		Setup: l.setup, Opened: l.opened}
}

// input hands on an input that is about to be taken. Ticks are implied by the moment up to which everything is known.
func (m *memory) input(l *room, in *step.Input) {
	if m == nil || in.Kind == step.Tick {
		return
	}
	data, told, err := m.scribe.Input(in)
	if err != nil {
		l.log().Error("an input cannot be written down", "error", err)
		return
	}
	seq := m.seq.Add(1)
	m.keep(l, data)
	m.mark = m.ledger.Write(l.stay, seq, data, told)
}

// cause returns what waits until all that has happened to the lobby up to now is kept, so that what follows from it may
// leave the lobby; at once where somebody waits for that. What gave way, because the database was away for too long, is
// not waited for: it is kept with the next checkpoint, which waits for what is under way.
func (m *memory) cause(atOnce bool) func(context.Context) error {
	if m == nil {
		return func(context.Context) error { return nil }
	}
	mark := m.ledger.Present(m.mark, atOnce)
	return func(ctx context.Context) error {
		if err := m.ledger.Kept(ctx, mark); !errors.Is(err, ledger.ErrGaveWay) {
			return err
		}
		return nil
	}
}

// keep adds an entry to the piece of the journal. Without room for it the piece gives way, and the journal goes on with
// the next checkpoint.
func (m *memory) keep(l *room, entry []byte) {
	m.whole += len(entry)
	switch {
	case m.gap || m.full:
	case m.whole > l.hall.cfg.Journal:
		m.full = true
		m.giveWay(l, "the lobby's journal has its full size; nothing more is added to it")
	case m.ledger.Hold(len(entry)):
		m.segment = append(m.segment, entry...)
	default:
		m.giveWay(l, "the database has been away for so long that a piece of the lobby's journal gives way")
	}
}

// giveWay leaves out of the journal what has come since the last checkpoint.
func (m *memory) giveWay(l *room, why string) {
	m.drop()
	m.gap = true
	l.log().Warn(why, "tick", l.m.Tick())
}

// checkpoint hands on the whole state, when it is time and nothing is under way.
func (m *memory) checkpoint(l *room, now time.Time) {
	if m == nil {
		return
	}
	due := (len(m.segment) > 0 || m.gap) && (len(m.segment) > checkpointBytes || now.Sub(m.at) > checkpointEvery)
	if due || m.asked {
		m.now(l, now)
	}
}

func (m *memory) now(l *room, now time.Time) {
	s := ledger.State{Seq: m.seq.Load(), Tick: int64(l.m.Tick()), Began: l.pace.began(), Data: l.m.Save()}
	if !m.full && (m.gap || now.Sub(m.keptAt) >= keepEvery) && m.ledger.Hold(len(s.Data)) {
		s.Keep, s.Gap = true, m.gap
		m.keptAt, m.gap = now, false
	}
	m.mark = m.ledger.Checkpoint(l.stay, s, m.segment)
	m.segment, m.at, m.asked = make([]byte, 0, min(cap(m.segment), checkpointBytes)), now, false
}

// drop gives back what is held of a lobby that goes on elsewhere.
func (m *memory) drop() {
	if m != nil {
		m.ledger.Release(len(m.segment))
		m.segment = nil
	}
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
func (m *memory) end(l *room) {
	if m != nil {
		m.ledger.End(l.stay, m.seq.Load(), int64(l.m.Tick()), m.segment, m.gap)
	}
}

// abandon says that a lobby has ended whose loop is stuck: what it took in since its last checkpoint is missing. Any
// goroutine may call it.
func (m *memory) abandon(l *room) {
	if m != nil {
		m.ledger.End(l.stay, m.seq.Load(), int64(l.clock()), nil, true)
	}
}

// keptWithin is how long it may take until something is committed.
const keptWithin = 3 * time.Second

// Kept returns when what the lobby has taken in up to now is committed, or says that it cannot be just now. Without a
// ledger nothing is, and nobody waits.
func (l *room) Kept(ctx context.Context) error {
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
		f := fault.New(code.Stopping, "the database is temporarily unavailable; try again in a moment")
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

// Outage has every lobby look whether the database is away, and whether anything may be told.
func (h *Hall) Outage() {
	for _, l := range h.All() {
		l.post(func() {
			if l.stand(); !l.tellsKept() {
				l.noteUnkept(h.cfg.Ledger.Away())
			}
		})
	}
}

// noteUnkept has the lobby's sheet say since when nothing that happens is kept.
func (l *Lobby) noteUnkept(since time.Time) {
	in := &step.Input{Kind: step.Unkept, Yes: !since.IsZero()}
	if l.memory == nil || in.Yes == l.memory.unkept {
		return
	}
	if in.Yes {
		in.N = max(l.hall.cfg.Now().Sub(since).Milliseconds(), 0)
	}
	l.memory.unkept = in.Yes
	l.step(in)
	if l.memory.gap && !in.Yes {
		l.memory.asked = true
	}
}

// Refresh asks every lobby for a checkpoint.
func (h *Hall) Refresh() {
	for _, l := range h.All() {
		l.postSoon(func() { l.memory.asked = true })
	}
}
