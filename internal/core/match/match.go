package match

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Match runs a lobby's matches, one after the other. It is not safe for use by
// several goroutines.
//
// Invariants:
//  1. row is the Match sheet, and nil exactly between matches;
//  2. players and store.Seated hold the same players in the same order: those
//     who take part;
//  3. play <= wall; wall never goes back, and play begins at 0 in each match;
//  4. the match's play clock shows play at every tick;
//  5. between two steps nothing waits to happen: queue, firings, hits and winners are empty.
type Match struct {
	stage
	Values    values
	Kept      kept
	Turns     turns
	Aims      aims
	Acts      acts
	Near      nearby
	Facing    facing
	Heights   heights
	Motion    motion
	Pieces    pieces
	Touch     touch
	Creatures creatures
	Shots     shots
	Zones     zones
	Sides     sides
	Pauses    pauses
	Ends      ends
	Flow      flow
	Effects   effects
	Referee   referee
	Rules     rules
	StandIns  standIns
	Roster    roster
	Clock     clock
}

// Player is what a match knows of a seat beside its sheets.
type Player struct {
	Row       *sheet.Row // the player's sheet
	Record    *sheet.Row // and that of the record
	Name      string     // as the player gave it, before a suffix tells it apart
	respawnAt sheet.Tick // play tick, 0 for never
	reach     int64      // how far the player may get at once, in millimetres times ticks a second
	whimAt    sheet.Tick // play tick at which the service does something for the player; 0 where it does not play
}

const noPhase = -2

// maxArgSlots is how many slots the arguments of an action take at most: two of each of eight, and as many of a
// referee's word.
const maxArgSlots = 32

// New returns the matches of a lobby that has just been opened: its sheets, its source of chance, the output of its
// steps, its own sheet and its teams'.
func New(book *rulebook.Book, st *sheet.Store, draws *lots.Lots, out *step.Output, lobby *sheet.Row,
	teams []*sheet.Row) *Match {
	m := &Match{stage: stage{book: book, st: st, lots: draws, out: out, lobby: lobby, teams: teams, toPhase: noPhase}}
	m.none = st.GetOr(0, sheet.Match)
	m.env = expr.Env{Store: st, Lobby: lobby, Match: m.none, Rate: book.Rate,
		Random: func(place uint32, n int64) int64 {
			return drawHere(&m.stage, lots.Expression+lots.Place(place)).Int64N(n)
		},
		Work: &expr.Work{Most: rulebook.MostLooks},
		Arg:  &sheet.Row{N: make([]int64, maxArgSlots), S: make([]string, maxArgSlots)},
		Aim:  &sheet.Row{N: make([]int64, expr.AimSlots)}}
	m.wire()
	return m
}

// wire tells each part the others that it needs. Each knows parts that stand before it alone; what it needs of later
// ones it is given as an interface.
func (m *Match) wire() {
	s := &m.stage
	s.effects = &m.Effects
	m.Values, m.Kept, m.Turns = values{stage: s}, kept{stage: s}, turns{stage: s}
	m.Aims, m.Near = aims{stage: s}, nearby{stage: s}
	m.Acts = acts{stage: s, aims: &m.Aims, kept: &m.Kept, turns: &m.Turns}
	m.Facing, m.Heights = facing{s, &m.Acts}, heights{s}
	m.Motion = motion{stage: s, acts: &m.Acts, values: &m.Values, looks: &m.Facing, up: &m.Heights}
	m.Pieces = pieces{stage: s, values: &m.Values}
	m.Touch = touch{s, &m.Near, &m.Pieces}
	m.Creatures = creatures{stage: s, acts: &m.Acts, aims: &m.Aims, values: &m.Values}
	m.Shots = shots{s, &m.Near, &m.Aims, &m.Pieces}
	m.Zones = zones{s, &m.Near, &m.Values}
	m.Sides = sides{stage: s, acts: &m.Acts, motion: &m.Motion}
	m.Pauses = pauses{stage: s}
	m.Ends = ends{stage: s, kept: &m.Kept, motion: &m.Motion, pauses: &m.Pauses, values: &m.Values, rules: &m.Rules}
	m.Flow = flow{s, &m.Creatures, &m.Ends, &m.Kept, &m.Motion, &m.Pieces, &m.Turns, &m.Values, &m.Zones, &m.Rules}
	m.Effects = effects{stage: s, creatures: &m.Creatures, ends: &m.Ends, kept: &m.Kept, motion: &m.Motion,
		pieces: &m.Pieces, shots: &m.Shots, sides: &m.Sides, turns: &m.Turns, values: &m.Values}
	m.Referee = referee{s, &m.Acts, &m.Motion, &m.Values}
	m.Rules = rules{stage: s, acts: &m.Acts, creatures: &m.Creatures, ends: &m.Ends, flow: &m.Flow, pieces: &m.Pieces,
		values: &m.Values}
	m.StandIns = standIns{stage: s, acts: &m.Acts, motion: &m.Motion}
	m.Roster = roster{s, &m.Creatures, &m.Ends, &m.Flow, &m.Kept, &m.Motion, &m.Pauses, &m.Pieces, &m.Referee, &m.Rules,
		&m.StandIns, &m.Turns, &m.Values, &m.Zones}
	m.Clock = clock{stage: s, acts: &m.Acts, creatures: &m.Creatures, effects: &m.Effects, ends: &m.Ends, flow: &m.Flow,
		kept: &m.Kept, motion: &m.Motion, near: &m.Near, pauses: &m.Pauses, pieces: &m.Pieces, referee: &m.Referee,
		rules: &m.Rules, shots: &m.Shots, standIns: &m.StandIns, touch: &m.Touch, turns: &m.Turns, values: &m.Values,
		zones: &m.Zones}
}

// NewPlayer adds the sheets of a player.
func NewPlayer(st *sheet.Store, name string) *Player {
	p := &Player{Row: st.Add(sheet.Player), Record: st.Add(sheet.Record), Name: name}
	p.Row.Owner, p.Record.Owner = p.Row.ID, p.Row.ID
	return p
}

// Wall returns the present wall tick.
func (m *Match) Wall() sheet.Tick { return m.wall }

// Play returns the present play tick.
func (m *Match) Play() sheet.Tick { return m.play }

// Under tells whether a match is under way or its result is being shown.
func (m *Match) Under() bool { return m.row != nil }

// Saved notes that the match with that number has been kept.
func (m *Match) Saved(number int64) {
	kept := m.book.F.Lobby.Kept
	m.st.SetInt(m.lobby, kept, max(m.lobby.Int(kept), number))
	if m.row != nil && m.row.Int(m.book.F.Match.Number) == number {
		m.st.SetFlag(m.row, m.book.F.Match.Saved, true)
	}
}

// Charged answers an intent whose cost was taken (N is the save's number), or was not (the number is negative; Yes says
// that the record had too little).
func (m *Match) Charged(s *Player, in *step.Input) step.Verdict {
	c, ok := m.Kept.takeCharge(max(in.N, -in.N))
	if !ok || c.of != s.Row.ID {
		return step.Verdict{Code: code.NotNow, Reason: "nothing was charged for this"}
	}
	switch {
	case in.N > 0 && in.Record == nil: // nobody keeps it: it is taken from what is known
		for i := range c.changes {
			m.Kept.take(s.Record, m.book.Schema.Field(sheet.Record, c.changes[i].Field), &c.changes[i])
		}
	case in.N > 0 || in.Yes:
		m.Kept.Kept(s, in.Record)
	}
	switch {
	case in.N < 0 && in.Yes:
		return step.Verdict{Code: code.TooLittle,
			Reason: "your record holds less than this costs: it was spent elsewhere"}
	case in.N < 0:
		return step.Verdict{Code: code.NotKept, Reason: "the database does not answer; nothing was taken"}
	}
	v := m.Acts.Act(s, in)
	if v.Code != code.OK { // things have changed meanwhile: it gets back what it has paid
		for i := range c.changes {
			g := c.changes[i]
			f := m.book.Schema.Field(sheet.Record, g.Field)
			m.Kept.change(s.Record, f, step.ChangeAdd, sheet.IntValue(f.Type, -g.Value.N[0]))
		}
		m.Kept.SaveRecord(s)
	}
	return v
}
