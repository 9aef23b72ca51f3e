package match

import (
	"fmt"
	"math/rand/v2"
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// stage is what all parts of a match share: its sheets, its time, who takes part, and what waits to happen.
type stage struct {
	book  *rulebook.Book
	st    *sheet.Store
	lots  *lots.Lots
	env   expr.Env
	out   *step.Output
	lobby *sheet.Row
	teams []*sheet.Row
	none  *sheet.Row // what row reads as between matches

	wall, play sheet.Tick
	row        *sheet.Row
	players    []*Player
	count      int64 // matches begun

	over      bool
	phase     int
	phaseEnds sheet.Tick // play tick, 0 for never
	toPhase   int        // where an effect wants to go, or noPhase
	round     int64
	broken    string // what the rulebook did that it may not
	stirred   bool   // a body or a piece may be somewhere else since touches were last looked for

	effects doer
	queue   []event
	hits    []*sheet.Row
	rehearsed

	stands standing // follows from the sheets
}

// rehearsed is what only rehearsals and tests ask of a match.
type rehearsed struct {
	tally   *Tally
	plainly bool // everything is looked at, changed or not
}

// doer carries out effects.
type doer interface{ do([]rulebook.Effect) }

// draw returns the chance of a place, for somebody or something.
func draw(m *stage, p lots.Place, of ...uint32) *rand.Rand { return m.lots.Draw(moment(m), p, of...) }

// moment is the time of draws: the match and its play tick, so that pauses change nothing of what is left to chance.
func moment(m *stage) int64 { return m.count<<40 + int64(m.play) }

// Moment is the time of the lobby's own draws.
func (m *Match) Moment() int64 { return moment(&m.stage) }

// drawHere is draw for whom and what expressions are about at the moment.
func drawHere(m *stage, p lots.Place) *rand.Rand {
	of := make([]uint32, 0, 6)
	for _, r := range [...]*sheet.Row{m.env.Me, m.env.Target, m.env.Piece, m.env.Being, m.env.Zone, m.env.It} {
		id := sheet.ID(0)
		if r != nil {
			id = r.ID
		}
		of = append(of, uint32(id))
	}
	return draw(m, p, of...)
}

func (m *stage) do(list []rulebook.Effect) { m.effects.do(list) }

// isActive tells whether a lasting action is under way.
func (m *stage) isActive(p *sheet.Row, a *rulebook.Action) bool {
	return p.N[a.Active.Slot()+1] != 0
}

func (m *stage) radius() int64 {
	if m.book.Movement != nil {
		return m.book.Movement.Radius
	}
	return 0
}

// ground is what the present match is played on, or between matches the next one; nil without any.
func (m *stage) ground() *rulebook.Ground {
	g := m.book.Ground
	if m.book.Arenas != nil {
		g = m.book.Grounds[m.arena()]
	}
	if g == nil || len(g.Gates) == 0 {
		return g
	}
	if shut := g.Shut(m.row); m.stands.of != g || m.stands.shut != shut {
		m.stands = standing{g, shut, g.With(shut)}
	}
	return m.stands.now
}

// standing is a ground with the gates that are there.
type standing struct {
	of   *rulebook.Ground
	shut uint16
	now  *rulebook.Ground
}

// arena is the place of the arena of the present match, or between matches of the next one; 0 without arenas.
func (m *stage) arena() int {
	switch a := m.book.Arenas; {
	case a == nil:
		return 0
	case m.row != nil:
		return int(m.row.Int(a.Field))
	default:
		return int(m.lobby.Int(a.Next))
	}
}

// creature returns what a creature is.
func (m *stage) creature(r *sheet.Row) *rulebook.Creature {
	return m.book.Creatures[r.Int(m.book.F.Creature.Kind)]
}

// alive tells whether a player or creature is in; a piece always is.
func (m *stage) alive(r *sheet.Row) bool {
	switch r.Kind {
	case sheet.Player:
		return r.Flag(m.book.F.Player.Alive)
	case sheet.Creature:
		return r.Flag(m.book.F.Creature.Alive)
	}
	return true
}

// begins sets the fields of a new piece or creature that its kind begins otherwise.
func (m *stage) begins(r *sheet.Row, starts []rulebook.Begin) {
	for i := range starts {
		m.st.Set(r, starts[i].Field, starts[i].Value)
	}
}

// playerIn evaluates to a player who takes part, or nil.
func (m *stage) playerIn(p *expr.Prog) *Player { return m.playing(sheet.ID(p.Int(&m.env))) }

func (m *stage) clockNow(f *sheet.Field) sheet.Tick {
	if f.Wall {
		return m.wall
	}
	return m.play
}

// InPlay tells whether a match is running and not over.
func (m *stage) InPlay() bool { return m.row != nil && !m.over }

// Plays tells whether a player takes part.
func (m *stage) Plays(p *Player) bool { return slices.Contains(m.players, p) }

// Has tells whether a player takes part in a match that is not over.
func (m *stage) Has(p *Player) bool { return m.InPlay() && m.Plays(p) }

// practice tells whether nothing is to be kept.
func (m *stage) practice() bool { return m.lobby.Flag(m.book.F.Lobby.Practice) }

// playing returns the player with that sheet who takes part, or nil.
func (m *stage) playing(id sheet.ID) *Player {
	for _, p := range m.players {
		if p.Row.ID == id {
			return p
		}
	}
	return nil
}

// benched tells whether a player is on the bench.
func (m *stage) benched(p *sheet.Row) bool {
	return m.book.F.Player.Benched != nil && p.Flag(m.book.F.Player.Benched)
}

// emit notes that something happened that rules may wait for.
func (m *stage) emit(on rulebook.Event, player *sheet.Row) {
	m.queue = append(m.queue, event{on, player})
}

// has tells whether a sheet has a field of its own of which these kinds of piece, creature or zone do. Other sheets
// have all fields.
func (m *stage) has(r *sheet.Row, kinds uint64) bool {
	switch r.Kind {
	case sheet.Piece:
		return kinds&(1<<r.Int(m.book.F.Piece.Kind)) != 0
	case sheet.Creature:
		return kinds&(1<<r.Int(m.book.F.Creature.Kind)) != 0
	case sheet.Zone:
		return kinds&(1<<r.Int(m.book.F.Zone.Kind)) != 0
	}
	return true
}

// subject makes a sheet what me or team means in expressions.
func (m *stage) subject(k sheet.Kind, r *sheet.Row) {
	m.env.Me, m.env.Target, m.env.Piece, m.env.It, m.env.Being = nil, nil, nil, nil, nil
	m.env.Zone = nil
	switch k {
	case sheet.Player:
		m.env.Me = r
		m.env.Team = m.st.GetOr(r.Team, sheet.Team)
	case sheet.Team:
		m.env.Team = r
	case sheet.Piece:
		m.env.Piece = r
	case sheet.Creature:
		m.env.Being = r
	case sheet.Zone:
		m.env.Zone = r
	}
}

func (m *stage) subjects(k sheet.Kind) []*sheet.Row {
	if k == sheet.Player {
		return m.st.Seated
	}
	return m.st.Of(k)
}

// keeps tells whether what a player does is kept in records and on boards.
func (m *stage) keeps(row *sheet.Row) bool {
	return m.book.StandIns == nil || !row.Flag(m.book.StandIns.Flag)
}

// tallied notes something in the tally, if there is one.
func (m *stage) tallied(note func(*Tally)) {
	if m.tally != nil {
		note(m.tally)
	}
}

// faulty notes when what was just evaluated could not be computed.
func (m *stage) faulty(line int) {
	if m.env.Work.Over() {
		m.lookedTooMuch(line)
	}
	if m.tally != nil && m.env.Fault != expr.OK {
		m.tally.Faults[line]++
	}
}

// lookedTooMuch stops a rulebook whose expressions look at too much.
func (m *stage) lookedTooMuch(line int) {
	if m.broken == "" {
		m.broken = fmt.Sprintf("the expressions of one input or tick looked at more than %d things (line %d, at last)",
			rulebook.MostLooks, line)
	}
}

// yes evaluates a condition that stands in a line of the rulebook.
func (m *stage) yes(p *expr.Prog, line int) bool {
	on := p.Bool(&m.env)
	m.faulty(line)
	return on
}

// ticksOf reckons for how long something lasts, an hour at most.
func ticksOf(m *stage, p *expr.Prog, line int) int64 {
	if p == nil {
		return 0
	}
	ms := p.Int(&m.env)
	m.faulty(line)
	return sheet.Ticks(min(max(ms, 0), 3_600_000), m.book.Rate)
}

// playRuns tells whether play time advances.
func (m *stage) playRuns() bool {
	return m.row != nil && m.row.Int(m.book.F.Match.Paused) == rulebook.PauseNo && !m.over
}

// anyRuns tells whether any of these clocks runs on time that passes.
func (m *stage) anyRuns(clocks []rulebook.Timed) bool {
	for _, c := range clocks {
		if !c.Field.Wall && !m.playRuns() {
			continue
		}
		for _, r := range m.st.Of(c.Kind) {
			if r.N[c.Field.Slot()+1] != 0 {
				return true
			}
		}
	}
	return false
}

// startFrom makes where a body or a piece is the place from which its way is looked at: it has not come there along a
// way.
func (m *stage) startFrom(r *sheet.Row) {
	pos, was := m.book.F.Player.Pos, m.book.F.Player.Was
	switch r.Kind {
	case sheet.Piece:
		pos, was = m.book.F.Piece.Pos, m.book.F.Piece.Was
	case sheet.Creature:
		pos, was = m.book.F.Creature.Pos, m.book.F.Creature.Was
	}
	m.stirred = true
	n := pos.Type.Width()
	copy(r.N[was.Slot():was.Slot()+n], r.N[pos.Slot():pos.Slot()+n]) // hidden, so not marked
}
