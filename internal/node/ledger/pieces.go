package ledger

import (
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

// Hold asks whether so many bytes more of pieces of journals may be held until they are committed. Where they may not,
// the piece that they belong to gives way.
func (g *Ledger) Hold(bytes int) bool {
	if int(g.held.Add(int64(bytes))) <= g.most {
		return true
	}
	g.held.Add(-int64(bytes))
	return false
}

// Release gives back bytes that were held, and are not handed on.
func (g *Ledger) Release(bytes int) { g.held.Add(-int64(bytes)) }

// Held is how many bytes of pieces of journals are not committed.
func (g *Ledger) Held() int { return int(g.held.Load()) }

// State is the whole state of a lobby.
type State struct {
	Seq   int64     // of the entry after which it is
	Tick  int64     // at which it is
	Began time.Time // when the lobby's tick 0 was
	Data  []byte
	Keep  bool // as long as the journal, to play back from it
	Gap   bool // what was taken in since the last state that is kept is missing: Keep is set
}

// kept is how many bytes of the state are kept as long as the journal.
func (s *State) kept() int {
	if s.Keep {
		return len(s.Data)
	}
	return 0
}

// Checkpoint takes the state of a lobby, and the piece of its journal since the last one; the bytes of both that are
// kept are held. An older state that still waits gives way to it.
func (g *Ledger) Checkpoint(of Stay, s State, segment []byte) Mark {
	g.mu.Lock()
	defer g.mu.Unlock()
	lobby := of.Lobby
	if g.beginLocked(); of.Fence != g.now.fence {
		g.held.Add(-int64(len(segment) + s.kept()))
		return fenced
	}
	g.now.checkpoints[lobby] = &store.LedgerCheckpoint{LobbyID: lobby, Seq: s.Seq, Tick: s.Tick, Data: s.Data,
		BeganAt: s.Began.UTC()}
	piece := store.LedgerSegment{LobbyID: lobby, Seq: s.Seq, Tick: s.Tick, Data: segment, Missing: s.Gap}
	if s.Keep {
		piece.State = s.Data
	}
	g.pieceLocked(piece)
	delete(g.gapped, lobby)
	g.wakeLocked()
	return Mark(g.now.no)
}

// pieceLocked takes a piece of a lobby's journal.
func (g *Ledger) pieceLocked(s store.LedgerSegment) {
	if len(s.Data)+len(s.State) == 0 && !s.Missing {
		return
	}
	if s.Data == nil {
		s.Data = []byte{} // the column is not null
	}
	g.now.held += len(s.Data) + len(s.State)
	g.now.segments = append(g.now.segments, s)
}

// End says that a lobby has ended, at a tick, with the last piece of its journal, whose bytes are held, or that it is
// missing.
func (g *Ledger) End(of Stay, seq, tick int64, segment []byte, missing bool) Mark {
	g.mu.Lock()
	defer g.mu.Unlock()
	lobby := of.Lobby
	if g.beginLocked(); of.Fence != g.now.fence {
		g.held.Add(-int64(len(segment)))
		return fenced
	}
	delete(g.now.checkpoints, lobby)
	delete(g.gapped, lobby)
	g.pieceLocked(store.LedgerSegment{LobbyID: lobby, Seq: seq, Tick: tick, Data: segment, Missing: missing})
	g.now.ends = append(g.now.ends, lobby)
	g.wakeLocked()
	return Mark(g.now.no)
}
