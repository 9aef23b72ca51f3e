package match

import (
	"encoding/binary"
	"math/rand/v2"

	"github.com/cespare/xxhash/v2"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Setup is how a lobby is opened.
type Setup struct {
	Code     string
	Title    string
	Region   string
	Capacity int // 0: what the rulebook allows
	Practice bool
	Seed     uint64
	Options  []Named // checked before against the rulebook's options
	Hidden   bool    // found by its code only
	Closed   bool    // takes no newcomers at first
	Password string  // the digest of a password; "" for none
	Watchers int     // how many may watch; 0: what the rulebook allows, negative: nobody
}

// Machine is a lobby and its matches. It is not safe for use by several
// goroutines.
//
// Invariants:
//  1. every seat has a Player and a Record sheet, and its place in seats is
//     that of its Player sheet in the store;
//  2. lobby.seats is the number of seats, team.size that of the team's players;
//  3. there is a host exactly when there is a seat;
//  4. a Match sheet exists exactly while the lobby is playing or shows results;
//  5. store.Seated holds exactly the seats whose playing flag is set;
//  6. play <= tick; both never go back;
//  7. the match's play clock shows play at every tick.
type Machine struct {
	book *rulebook.Book
	st   *sheet.Store
	pcg  *rand.PCG
	rng  *rand.Rand
	env  expr.Env
	out  Output

	lobby *sheet.Row
	match *sheet.Row // nil between matches
	none  *sheet.Row // what match reads as then
	teams []*sheet.Row
	seats []*seat
	acts  map[string]*rulebook.Action
	whens []*rulebook.Rule // those that wait for a condition

	tick, play sheet.Tick
	closed     bool
	referee    bool
	banned     []string
	held       []reservation
	line       []waiter
	password   string

	emptyAt   sheet.Tick // wall tick at which the empty lobby closes; 0 when it is not empty
	nextHold  sheet.Tick // no hold runs out before this wall tick; 0 when none is under way
	startAt   sheet.Tick // wall tick of the start; 0 when none is under way
	hostStart bool       // the countdown under way was asked for by the host
	count     int64      // matches begun
	run       run
	queue     []event
	firings   []firing
	hits      []*sheet.Row
	stirred   bool                    // a body or a piece may be somewhere else since touches were last looked for
	changed   [sheet.Kinds]sheet.Mask // since the ends of phase and match were last looked at
	budget    int
}

// run is the state of one match beside its sheets.
type run struct {
	over       bool
	began      sheet.Tick // play tick
	phase      int
	phaseEnds  sheet.Tick // play tick, 0 for never
	toPhase    int        // where an effect wants to go, or noPhase
	because    string
	finish     bool // an effect wants the match to end
	winner     sheet.ID
	forfeit    sheet.ID // the player or team that gave up
	broken     string   // what the rulebook did that it may not
	backAt     sheet.Tick
	round      int64
	spawnTurn  int
	ruleNext   []sheet.Tick
	pieceNext  []sheet.Tick
	pieceCount []int      // on the ground, by kind
	respawn    sheet.Tick // nobody comes back before this play tick; 0 when nobody is to
	pause      pauseRun
	decisions  []decision
	decisionNo int64
	left       []PlayerResult // players who left before the end
}

const noPhase = -2

// New opens a lobby. The rulebook must have compiled without errors.
func New(book *rulebook.Book, s Setup) *Machine {
	m := &Machine{book: book, st: sheet.NewStore(book.Schema), acts: map[string]*rulebook.Action{}}
	m.st.Watch = book.Watched
	m.pcg = rand.NewPCG(s.Seed, 0x7475726e766578)
	m.rng = rand.New(m.pcg)
	for _, a := range book.Actions {
		m.acts[a.Name] = a
	}
	for _, r := range book.Rules {
		if r.On == rulebook.OnWhen {
			m.whens = append(m.whens, r)
		}
	}
	m.lobby = m.st.Add(sheet.Lobby)
	m.none = m.st.GetOr(0, sheet.Match)
	m.env = expr.Env{Store: m.st, Lobby: m.lobby, Match: m.none, Rate: book.Rate, Random: m.rng.Int64N}
	for _, t := range book.Teams.List {
		r := m.st.Add(sheet.Team)
		r.Team = r.ID
		m.st.SetText(r, book.F.Team.Name, t.Name)
		m.st.SetText(r, book.F.Team.Title, t.Title)
		m.teams = append(m.teams, r)
	}
	m.open(s)
	m.emptyAt = sheet.Tick(emptyFor * book.Rate)
	m.settle()
	return m
}

func (m *Machine) open(s Setup) {
	f := &m.book.F.Lobby
	if s.Capacity <= 0 || s.Capacity > m.book.Players.Most {
		s.Capacity = m.book.Players.Most
	}
	if s.Title == "" {
		s.Title = m.book.Title
	}
	m.st.SetText(m.lobby, f.Code, s.Code)
	m.st.SetText(m.lobby, f.Title, s.Title)
	m.st.SetText(m.lobby, f.Region, s.Region)
	m.st.SetText(m.lobby, f.Rulebook, m.book.Name)
	m.st.SetInt(m.lobby, f.Capacity, int64(s.Capacity))
	m.st.SetFlag(m.lobby, f.Practice, s.Practice)
	m.st.SetFlag(m.lobby, f.Open, !s.Closed)
	m.st.SetFlag(m.lobby, f.Listed, !s.Hidden)
	m.password = s.Password
	m.st.SetFlag(m.lobby, f.Password, s.Password != "")
	watchers := int64(m.book.Spectators.Most)
	if s.Watchers != 0 {
		watchers = max(min(watchers, int64(s.Watchers)), 0)
	}
	m.st.SetInt(m.lobby, f.WatchMost, watchers)
	for _, o := range s.Options {
		if field := m.book.Schema.Field(sheet.Lobby, o.Name); field != nil {
			m.st.Set(m.lobby, field, o.Value)
		}
	}
}

// Book returns the rulebook that the lobby runs.
func (m *Machine) Book() *rulebook.Book { return m.book }

// Store returns the lobby's sheets, for reading.
func (m *Machine) Store() *sheet.Store { return m.st }

// Tick returns the present wall tick.
func (m *Machine) Tick() sheet.Tick { return m.tick }

// PlayTick returns the present play tick.
func (m *Machine) PlayTick() sheet.Tick { return m.play }

// Closed tells whether the lobby has closed for good.
func (m *Machine) Closed() bool { return m.closed }

// State returns the lobby's state, one of rulebook.Gathering and so on.
func (m *Machine) State() int { return int(m.lobby.Int(m.book.F.Lobby.State)) }

// Seats returns the number of seats taken.
func (m *Machine) Seats() int { return len(m.seats) }

// Step takes the lobby to the input's tick and applies it. The output is valid
// until the next Step. A closed lobby refuses everything.
func (m *Machine) Step(in *Input) *Output {
	m.out.Seat = 0
	m.out.Verdicts, m.out.Notices, m.out.Effects = m.out.Verdicts[:0], m.out.Notices[:0], m.out.Effects[:0]
	m.budget = effectBudget
	if m.closed {
		if in.Kind == Intent || in.Kind == Enter {
			m.verdict(Verdict{Seat: in.Seat, Seq: in.Seq, Code: code.LobbyGone, Reason: "the lobby has closed"})
		}
		return &m.out
	}
	m.advance(in.At)
	switch in.Kind {
	case Tick:
		return &m.out
	case Enter:
		m.enter(in)
	case Intent:
		m.intent(in)
	case Lost:
		m.lost(in.Seat)
	case Back:
		m.back(in.Seat)
	case Leave:
		m.leave(in.Seat)
	case Loaded:
		m.loaded(in)
	case Saved:
		if m.match != nil && m.match.Int(m.book.F.Match.Number) == in.N {
			m.st.SetFlag(m.match, m.book.F.Match.Saved, true)
		}
	case Ping:
		if s := m.seat(in.Seat); s != nil {
			m.st.SetInt(s.row, m.book.F.Player.Ping, in.N)
		}
	case Spectators:
		m.st.SetInt(m.lobby, m.book.F.Lobby.Spectators, in.N)
	case RefereeOn:
		m.refereeOn(in.N != 0)
	case Answer:
		m.answer(in)
	case Finish:
		m.operatorFinish(in.Text)
	case Close:
		m.close()
	case Field:
		m.verdict(m.setField(in))
	case Reserve:
		m.verdict(m.reserve(in))
	case Wait:
		m.verdict(m.wait(in))
	case Unwait:
		m.unwait(in.Conn)
	}
	m.settle()
	return &m.out
}

func (m *Machine) verdict(v Verdict) {
	v.At = m.tick
	m.out.Verdicts = append(m.out.Verdicts, v)
}

func (m *Machine) effect(e Effect) { m.out.Effects = append(m.out.Effects, e) }

func (m *Machine) close() {
	if m.closed {
		return
	}
	for len(m.seats) > 0 {
		m.remove(m.seats[len(m.seats)-1])
	}
	m.st.SetInt(m.lobby, m.book.F.Lobby.State, rulebook.Closed)
	m.closed = true
	m.effect(Effect{Kind: CloseLobby})
}

// Hash returns the hash of the whole state, hidden parts included.
func (m *Machine) Hash() uint64 {
	h := xxhash.New()
	m.st.Hash(h)
	var b [8]byte
	put := func(ns ...int64) {
		for _, n := range ns {
			binary.LittleEndian.PutUint64(b[:], uint64(n))
			h.Write(b[:])
		}
	}
	seed, _ := m.pcg.MarshalBinary()
	h.Write(seed)
	r := &m.run
	put(int64(m.tick), int64(m.play), int64(m.startAt), m.count, b2i(m.closed), b2i(m.hostStart), b2i(m.referee))
	put(b2i(r.over), int64(r.began), int64(r.phase), int64(r.phaseEnds), int64(r.backAt), r.round, int64(r.spawnTurn), r.decisionNo)
	put(int64(r.pause.ends), int64(r.pause.resumeAt), int64(r.pause.by), int64(r.forfeit))
	for _, ts := range [][]sheet.Tick{r.ruleNext, r.pieceNext} {
		for _, t := range ts {
			put(int64(t))
		}
	}
	for _, u := range r.pause.used {
		put(int64(u.of), int64(u.times), int64(u.ticks))
	}
	for _, d := range r.decisions {
		put(d.No, int64(d.Until), int64(d.Seat), int64(d.Target))
	}
	for _, s := range m.seats {
		put(int64(s.row.ID), int64(s.heldUntil), int64(s.lastSeq), int64(s.respawnAt), int64(s.swap))
		h.WriteString(s.name + "\x00" + s.party)
	}
	for _, r := range m.held {
		put(int64(r.until))
		h.WriteString(r.account + "\x00" + r.party)
	}
	for _, w := range m.line {
		h.WriteString(w.account + "\x00" + w.name + "\x00" + w.conn)
	}
	for _, b := range m.banned {
		h.WriteString(b)
	}
	h.WriteString(m.password)
	return h.Sum64()
}

func b2i(b bool) int64 {
	if b {
		return 1
	}
	return 0
}
