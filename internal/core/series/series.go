package series

import (
	"encoding/json"
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/rulebook"
)

// The most entrants of a series, players of an entrant, and characters of its name.
const (
	MaxEntrants = 64
	MaxParty    = 16
	MaxName     = 28 // two of them, and a word between, are the title of a lobby
)

// State is the whole state of a series, as it is kept. Entrants and meetings are named by their place, from 1; 0 is
// none.
type State struct {
	Entrants []Entrant `json:"entrants"` // the strongest first
	Meetings []Meeting `json:"meetings"`
	Over     bool      `json:"over"`
	Winner   int       `json:"winner"` // the entrant
	Because  string    `json:"because,omitempty"`
	Seq      int64     `json:"seq"` // inputs taken
}

// Entrant is who takes part: a player, or several who play together.
type Entrant struct {
	Name    string   `json:"name"`
	Players []string `json:"players"` // accounts
	Out     bool     `json:"out,omitempty"`
}

// Stage is how far a meeting is.
type Stage string

// The stages.
const (
	Waits   Stage = "waits"   // for those who are to meet, or for one of them to be free
	Opens   Stage = "opens"   // its lobby is being opened
	Comes   Stage = "comes"   // its lobby is open; nobody has played yet
	Plays   Stage = "plays"   // a match has been played, and more are to come
	Decided Stage = "decided" // it is over
)

// Meeting is one of two entrants.
type Meeting struct {
	Round   int     `json:"round"` // from 1
	Third   bool    `json:"third,omitempty"`
	Sides   [2]Side `json:"sides"`
	Stage   Stage   `json:"stage"`
	Lobby   string  `json:"lobby,omitempty"`    // its code
	LobbyID string  `json:"lobby_id,omitempty"` // which no other ever has
	Until   int64   `json:"until,omitempty"`    // when who is not there, or not ready, has lost, in milliseconds of the epoch
	Played  []Match `json:"played,omitempty"`
	Winner  int     `json:"winner,omitempty"` // the entrant; 0 with Decided: nobody
	Why     string  `json:"why,omitempty"`    // how it was decided: played, walkover, withdrawn or bye
}

// Side is one side of a meeting: an entrant, or who comes from another meeting.
type Side struct {
	Entrant int  `json:"entrant,omitempty"`
	From    int  `json:"from,omitempty"`  // the meeting whose winner comes
	Loser   bool `json:"loser,omitempty"` // or whose loser
	Nobody  bool `json:"nobody,omitempty"`
	Wins    int  `json:"wins,omitempty"` // matches
}

// Match is one that was played in a meeting.
type Match struct {
	LobbyID string `json:"lobby_id"`
	Number  int64  `json:"number"` // in the lobby
	Winner  int    `json:"winner"` // the entrant; 0: drawn
}

// Kind says what an input is.
type Kind string

// The inputs.
const (
	Opened   Kind = "opened"   // the lobby of a meeting is open
	Gone     Kind = "gone"     // it is gone, without having been asked to go
	Result   Kind = "result"   // a match in it has ended
	Late     Kind = "late"     // the time to come, or to begin, is over: Here says who is there
	Withdraw Kind = "withdraw" // an entrant gives up
	End      Kind = "end"      // an operator ends the series
)

// Input is one thing that happens to a series.
type Input struct {
	Kind    Kind    `json:"kind"`
	At      int64   `json:"at"` // milliseconds of the epoch
	Meeting int     `json:"meeting,omitempty"`
	Entrant int     `json:"entrant,omitempty"` // of Withdraw; of Result the winner, 0 for a draw
	Lobby   string  `json:"lobby,omitempty"`
	LobbyID string  `json:"lobby_id,omitempty"`
	Number  int64   `json:"number,omitempty"` // of Result: the match in the lobby
	Here    [2]bool `json:"here"`
	Ready   [2]bool `json:"ready"` // of Late: and ready, where that is asked for
	Why     string  `json:"why,omitempty"`
}

// Effect is what the driver must do: open the lobby of a meeting, or close one.
type Effect struct {
	Open    int    // the meeting
	Close   string // the lobby's code
	Meeting int    // whose lobby is to be closed
}

// Machine runs one series. It is not safe for use by several goroutines.
//
// Invariants:
//  1. an entrant is in at most one meeting that opens, comes or plays;
//  2. a meeting that is not decided and does not wait has both entrants;
//  3. a decided meeting never changes again;
//  4. the series is over exactly when all meetings are decided.
type Machine struct {
	plan *rulebook.Series
	s    State
	do   []Effect
}

// New begins a series with entrants, the strongest first. It is asked for the first effects.
func New(plan *rulebook.Series, entrants []Entrant) (*Machine, []Effect, error) {
	least, most := 2, MaxEntrants
	if plan.Form == rulebook.SeriesMeeting {
		most = 2
	}
	if n := len(entrants); n < least || n > most {
		if least == most {
			return nil, nil, fmt.Errorf("a %s has %d entrants, not %d", plan.Form, most, n)
		}
		return nil, nil, fmt.Errorf("a %s has %d to %d entrants, not %d", plan.Form, least, most, n)
	}
	entrants = slices.Clone(entrants)
	seen, called := map[string]bool{}, map[string]bool{}
	for i, e := range entrants {
		name, err := names.Line(e.Name, MaxName)
		switch {
		case err != nil:
			return nil, nil, fmt.Errorf("the name of entrant %d %w", i+1, err)
		case name == "":
			return nil, nil, fmt.Errorf("entrant %d has no name; one of 1 to %d characters is needed", i+1, MaxName)
		case called[name]:
			return nil, nil, fmt.Errorf("two entrants are called %s", name)
		}
		called[name], entrants[i].Name = true, name
		if len(e.Players) == 0 || len(e.Players) > MaxParty {
			return nil, nil, fmt.Errorf("entrant %d has %d players; 1 to %d are allowed", i+1, len(e.Players), MaxParty)
		}
		for _, p := range e.Players {
			if seen[p] {
				return nil, nil, fmt.Errorf("the player %s takes part twice", p)
			}
			seen[p] = true
		}
	}
	m := &Machine{plan: plan, s: State{Entrants: entrants}}
	switch plan.Form {
	case rulebook.SeriesTable:
		m.table()
	case rulebook.SeriesBracket:
		m.bracket()
	default:
		m.add(Meeting{Round: 1, Sides: [2]Side{{Entrant: 1}, {Entrant: 2}}})
	}
	m.settle()
	return m, m.effects(), nil
}

// Restore makes a machine of a state that was kept. What it asks for is what was asked for and may not have been done.
func Restore(plan *rulebook.Series, state []byte) (*Machine, []Effect, error) {
	m := &Machine{plan: plan}
	if err := json.Unmarshal(state, &m.s); err != nil {
		return nil, nil, err
	}
	for i := range m.s.Meetings {
		if m.s.Meetings[i].Stage == Opens {
			m.do = append(m.do, Effect{Open: i + 1})
		}
	}
	return m, m.effects(), nil
}

// State is the present state. Do not change it.
func (m *Machine) State() *State { return &m.s }

// Plan is the plan of the series.
func (m *Machine) Plan() *rulebook.Series { return m.plan }

// Save writes the state as it is kept.
func (m *Machine) Save() ([]byte, error) { return json.Marshal(&m.s) }

func (m *Machine) effects() []Effect {
	do := m.do
	m.do = nil
	return do
}

// Step takes one input. What cannot be is refused, and changes nothing.
func (m *Machine) Step(in Input) ([]Effect, error) {
	if m.s.Over {
		return nil, fmt.Errorf("the series is over")
	}
	if err := m.take(in); err != nil {
		return nil, err
	}
	m.s.Seq++
	m.settle()
	return m.effects(), nil
}

func (m *Machine) take(in Input) error {
	if in.Kind == Withdraw {
		return m.withdraw(in)
	}
	if in.Kind == End {
		m.endAll(in.Why)
		return nil
	}
	if in.Meeting < 1 || in.Meeting > len(m.s.Meetings) {
		return fmt.Errorf("there is no meeting %d", in.Meeting)
	}
	x := &m.s.Meetings[in.Meeting-1]
	switch in.Kind {
	case Opened:
		if x.Stage != Opens {
			return fmt.Errorf("meeting %d %s, and needs no lobby", in.Meeting, x.Stage)
		}
		x.Stage, x.Lobby, x.LobbyID, x.Until = Comes, in.Lobby, in.LobbyID, in.At+m.plan.Come
		if len(x.Played) > 0 {
			x.Stage = Plays
		}
	case Gone:
		if x.Stage != Comes && x.Stage != Plays || x.LobbyID != in.LobbyID {
			return fmt.Errorf("meeting %d is not in that lobby", in.Meeting)
		}
		x.Stage, x.Lobby, x.LobbyID = Opens, "", ""
		m.do = append(m.do, Effect{Open: in.Meeting})
	case Result:
		return m.result(in, x)
	case Late:
		return m.late(in, x)
	default:
		return fmt.Errorf("there is no input %q", in.Kind)
	}
	return nil
}

// result counts a match of a meeting, once.
func (m *Machine) result(in Input, x *Meeting) error {
	played := slices.ContainsFunc(x.Played,
		func(p Match) bool { return p.LobbyID == in.LobbyID && p.Number == in.Number })
	side := slices.IndexFunc(x.Sides[:], func(s Side) bool { return s.Entrant == in.Entrant })
	switch {
	case played:
		return fmt.Errorf("match %d is counted already", in.Number)
	case x.Stage != Comes && x.Stage != Plays || x.LobbyID != in.LobbyID:
		return fmt.Errorf("meeting %d is not in that lobby", in.Meeting)
	case in.Entrant != 0 && side < 0:
		return fmt.Errorf("entrant %d is not in meeting %d", in.Entrant, in.Meeting)
	}
	x.Stage = Plays
	x.Played = append(x.Played, Match{in.LobbyID, in.Number, in.Entrant})
	if in.Entrant != 0 {
		x.Sides[side].Wins++
	}
	x.Until = in.At + m.plan.Between
	m.count(in.Meeting)
	return nil
}

// count decides a meeting that enough matches have been played of.
func (m *Machine) count(no int) {
	x := &m.s.Meetings[no-1]
	a, b, n := x.Sides[0].Wins, x.Sides[1].Wins, len(x.Played)
	enough := n >= m.plan.Matches
	if m.plan.Matches == 0 {
		enough = 2*max(a, b) > m.plan.BestOf || n >= m.plan.BestOf && a != b
	}
	switch {
	case a == b && m.plan.Form == rulebook.SeriesTable && n >= max(m.plan.Matches, m.plan.BestOf):
		m.decide(no, 0, "played")
	case !enough && (n < mostPlayed || a == b && n < 2*mostPlayed):
	case a > b:
		m.decide(no, x.Sides[0].Entrant, "played")
	case b > a:
		m.decide(no, x.Sides[1].Entrant, "played")
	case n >= 2*mostPlayed: // they draw for ever: the stronger one by its place
		m.decide(no, min(x.Sides[0].Entrant, x.Sides[1].Entrant), "drawn too often")
	}
}

// mostPlayed is about how many matches are played in a meeting that draws do not decide.
const mostPlayed = 30

// late decides a meeting that not everybody has come to, or of which no match begins.
func (m *Machine) late(in Input, x *Meeting) error {
	here := in.Here
	if here[0] && here[1] { // then who is not ready
		if here = in.Ready; x.Stage == Comes && in.At < x.Until+m.plan.Between {
			here = [2]bool{true, true}
		}
	}
	if x.Stage != Comes && x.Stage != Plays || in.At < x.Until || here[0] && here[1] {
		return fmt.Errorf("nobody is late for meeting %d", in.Meeting)
	}
	a, b := &x.Sides[0], &x.Sides[1]
	winner := 0
	switch {
	case here[0] || !here[1] && a.Wins > b.Wins:
		winner = a.Entrant
	case here[1] || b.Wins > a.Wins:
		winner = b.Entrant
	}
	m.decide(in.Meeting, winner, "walkover")
	return nil
}

func (m *Machine) withdraw(in Input) error {
	if in.Entrant < 1 || in.Entrant > len(m.s.Entrants) {
		return fmt.Errorf("there is no entrant %d", in.Entrant)
	}
	e := &m.s.Entrants[in.Entrant-1]
	if e.Out {
		return fmt.Errorf("%s has withdrawn already", e.Name)
	}
	e.Out = true
	for i := range m.s.Meetings {
		if x := &m.s.Meetings[i]; x.Stage != Decided && x.Stage != Waits {
			for k := range x.Sides {
				if x.Sides[k].Entrant == in.Entrant {
					m.decide(i+1, x.Sides[1-k].Entrant, "withdrawn")
				}
			}
		}
	}
	return nil
}

func (m *Machine) endAll(why string) {
	for i := range m.s.Meetings {
		if m.s.Meetings[i].Stage != Decided {
			m.decide(i+1, 0, "ended")
		}
	}
	m.s.Because = why
}

// decide ends a meeting, and closes its lobby.
func (m *Machine) decide(no, winner int, why string) {
	x := &m.s.Meetings[no-1]
	if x.Lobby != "" {
		m.do = append(m.do, Effect{Close: x.Lobby, Meeting: no})
	}
	x.Stage, x.Winner, x.Why, x.Until = Decided, winner, why, 0
}
