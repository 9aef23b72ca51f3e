package match

import (
	"math/rand/v2"
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
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
//  3. play <= wall; both never go back;
//  4. the match's play clock shows play at every tick;
//  5. between two steps nothing waits to happen: queue, firings, hits and winners are empty.
type Match struct {
	book  *rulebook.Book
	st    *sheet.Store
	rng   *rand.Rand
	env   expr.Env
	out   *step.Output
	lobby *sheet.Row
	teams []*sheet.Row
	none  *sheet.Row // what row reads as between matches

	wall, play sheet.Tick
	row        *sheet.Row
	players    []*Player
	referee    bool  // one is signed in
	count      int64 // matches begun
	owed       []owed
	saves      int64      // of records, so far
	saveAt     sheet.Tick // wall tick at which what is owed is saved; 0 when nothing is
	unkept     bool       // nothing can be saved now: what is owed waits, and adds up
	full       bool       // no more can wait to be saved
	charges    []charge   // that are being taken where records are kept
	run        run
	stirred    bool                    // a body or a piece may be somewhere else since touches were last looked for
	changed    [sheet.Kinds]sheet.Mask // since the ends of phase and match were last looked at

	// Used within a step.
	queue   []event
	firings []firing
	hits    []*sheet.Row
	bodies  bodies
	wishes  []Wish // of the step, for the lobby
	budget  int
	tally   *Tally // of a rehearsal
	whim    *Whim  // of the stand-ins; nil before the first

	promised bool       // the rulebook's promises are held
	broke    broken     // of them
	plainly  bool       // everything is looked at, changed or not
	runs     bool       // play ran when the tick began
	named    bool       // who has won was said, and not left to the order
	winners  []sheet.ID // who was: several at one tick are ranked by the order; none: all have lost
}

// Player is what a match knows of a seat beside its sheets.
type Player struct {
	Row       *sheet.Row // the player's sheet
	Record    *sheet.Row // and that of the record
	Name      string     // as the player gave it, before a suffix tells it apart
	respawnAt sheet.Tick // play tick, 0 for never
	claimAt   sheet.Tick // play tick of the last claim
	whimAt    sheet.Tick // play tick at which the service does something for the player; 0 where it does not play
}

// run is the state of one match beside its sheets.
type run struct {
	over       bool
	began      sheet.Tick // play tick
	beganWall  sheet.Tick // wall tick
	phase      int
	phaseEnds  sheet.Tick // play tick, 0 for never
	toPhase    int        // where an effect wants to go, or noPhase
	because    string
	finish     bool       // an effect wants the match to end
	forfeit    sheet.ID   // the player or team that gave up
	broken     string     // what the rulebook did that it may not
	cut        bool       // it was ended from outside, or for want of players
	backAt     sheet.Tick // wall tick until which the result is shown
	round      int64
	spawnTurn  int
	ruleNext   []sheet.Tick // play ticks, by rule
	pieceNext  []sheet.Tick // play ticks, by kind of piece
	pieceCount []int        // on the ground, by kind of piece

	creatureNext  []sheet.Tick // play ticks, by kind of creature
	creatureCount []int        // by kind of creature, those who are out and come back included
	returns       sheet.Tick   // no creature comes back before this play tick; 0 when none is to

	respawn    sheet.Tick // nobody comes back before this play tick; 0 when nobody is to
	pause      pauseRun
	turn       turnRun
	decisions  []decision
	decisionNo int64
	left       []step.PlayerResult // players who left before the end
	leftPosts  []step.Post         // and what they had for the boards, where they count
}

const noPhase = -2

// maxArgSlots is how many slots the arguments of an action take at most: two of each
// of eight, and as many of a referee's word.
const maxArgSlots = 32

// New returns the matches of a lobby that has just been opened: its sheets, its
// source of chance, the output of its steps, its own sheet and its teams'.
func New(book *rulebook.Book, st *sheet.Store, rng *rand.Rand, out *step.Output, lobby *sheet.Row,
	teams []*sheet.Row) *Match {
	m := &Match{book: book, st: st, rng: rng, out: out, lobby: lobby, teams: teams, run: run{toPhase: noPhase}}
	m.none = st.GetOr(0, sheet.Match)
	m.env = expr.Env{Store: st, Lobby: lobby, Match: m.none, Rate: book.Rate, Random: rng.Int64N,
		Arg: &sheet.Row{
			N: make([]int64, maxArgSlots),
			S: make([]string, maxArgSlots),
		}, Aim: &sheet.Row{N: make([]int64, expr.AimSlots)}}
	return m
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

// InPlay tells whether a match is running and not over.
func (m *Match) InPlay() bool { return m.row != nil && !m.run.over }

// Plays tells whether a player takes part.
func (m *Match) Plays(p *Player) bool { return slices.Contains(m.players, p) }

// Has tells whether a player takes part in a match that is not over.
func (m *Match) Has(p *Player) bool { return m.InPlay() && m.Plays(p) }

// ShownUntil returns the wall tick until which a result is shown; 0 while none is.
func (m *Match) ShownUntil() sheet.Tick { return m.run.backAt }

// ShowNoLonger lets what comes after the result come at the next tick.
func (m *Match) ShowNoLonger() {
	if m.run.backAt > 0 {
		m.showUntil(m.wall + 1)
	}
}

// showUntil shows the result until a wall tick, and tells clients so.
func (m *Match) showUntil(at sheet.Tick) {
	m.run.backAt = at
	m.st.SetClock(m.row, m.book.F.Match.Until, int64(at-m.wall), -1, m.wall)
}

// Saved notes that the match with that number has been kept.
func (m *Match) Saved(number int64) {
	kept := m.book.F.Lobby.Kept
	m.st.SetInt(m.lobby, kept, max(m.lobby.Int(kept), number))
	if m.row != nil && m.row.Int(m.book.F.Match.Number) == number {
		m.st.SetFlag(m.row, m.book.F.Match.Saved, true)
	}
}

// isHost tells whether a player is the lobby's host.
func (m *Match) isHost(p *Player) bool {
	return m.lobby.Int(m.book.F.Lobby.Host) == int64(p.Row.ID)
}

// practice tells whether nothing is to be kept.
func (m *Match) practice() bool { return m.lobby.Flag(m.book.F.Lobby.Practice) }

// playing returns the player with that sheet who takes part, or nil.
func (m *Match) playing(id sheet.ID) *Player {
	for _, p := range m.players {
		if p.Row.ID == id {
			return p
		}
	}
	return nil
}
