package script

import (
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Stage plays steps on an authority. Records are empty and are loaded at once.
type Stage struct {
	M     *lobby.Lobby
	Book  *rulebook.Book
	names []string                   // in order of entry
	seats map[string]sheet.ID        // by name in the script
	seq   map[sheet.ID]uint64        // of each seat's intents
	Out   func(*step.Output)         // called with the output of each input; may be nil
	Took  func(*step.Input)          // called with each input before it is taken; may be nil
	kept  map[string][]step.Named    // the records of those who have left
	stand map[string][]step.Named    // how people stand on boards
	asked map[int64]*rulebook.Action // of the referee, by number
	now   time.Duration
}

// NewStage opens a lobby to play on.
func NewStage(book *rulebook.Book, setup lobby.Setup) *Stage {
	return &Stage{M: lobby.New(book, setup), Book: book, seats: map[string]sheet.ID{}, seq: map[sheet.ID]uint64{},
		kept: map[string][]step.Named{}, stand: map[string][]step.Named{}, asked: map[int64]*rulebook.Action{}}
}

// Now is how much time has passed on the stage.
func (st *Stage) Now() time.Duration { return st.now }

// Seat returns the seat of a name, 0 for none.
func (st *Stage) Seat(name string) sheet.ID { return st.seats[name] }

// Tick is the wall tick of a time.
func (st *Stage) Tick(at time.Duration) sheet.Tick {
	return sheet.Tick(at * time.Duration(st.Book.Rate) / time.Second)
}

// Take hands one input to the authority at the present time and deals with what it asks of its driver. It returns the
// seat of an accepted Enter.
func (st *Stage) Take(in step.Input) sheet.ID {
	in.At = max(st.Tick(st.now), st.M.Tick())
	if st.Took != nil {
		st.Took(&in)
	}
	out := st.M.Step(&in)
	seat := out.Seat // out itself is valid until the next step only
	var then []step.Input
	for _, e := range out.Effects {
		switch e.Kind {
		case step.LoadRecord:
			record, known := st.kept[e.Account]
			st.kept[e.Account] = record
			then = append(then, step.Input{Kind: step.Loaded, Seat: e.Seat, Yes: !known,
				Record: append(slices.Clone(record), st.stand[e.Account]...)})
		case step.SaveRecord:
			st.kept[e.Account] = changed(st.Book, st.kept[e.Account], e.Changes)
		case step.Charge:
			after := changed(st.Book, st.kept[e.Account], e.Changes)
			again := in
			if again.N = e.N; enough(after) {
				st.kept[e.Account] = after
			} else {
				again.N, again.Yes = -e.N, true
			}
			again.Record = st.kept[e.Account]
			then = append(then, again)
		case step.Seated:
			name := strings.TrimPrefix(e.Account, "acct-")
			st.seats[name] = e.Seat
			st.names = append(st.names, name)
		case step.AskReferee:
			st.asked[e.Decision.No] = st.Book.ActionNamed[e.Decision.Action]
		case step.SaveResult:
			then = append(then, step.Input{Kind: step.Saved, N: e.Result.Match})
		}
	}
	if st.Out != nil {
		st.Out(out)
	}
	for _, next := range then {
		st.Take(next)
	}
	return seat
}

// enough tells whether nothing of a record is below nothing.
func enough(record []step.Named) bool {
	return !slices.ContainsFunc(record, func(n step.Named) bool {
		return (n.Value.Type == sheet.Integer || n.Value.Type == sheet.Number) && n.Value.N[0] < 0
	})
}

// changed is a record after changes.
func changed(book *rulebook.Book, record []step.Named, changes []step.Change) []step.Named {
	out := slices.Clone(record)
	for i := range changes {
		c := &changes[i]
		f := book.Schema.Field(sheet.Record, c.Field)
		at := slices.IndexFunc(out, func(n step.Named) bool { return n.Name == c.Field })
		if at < 0 {
			out = append(out, step.Named{Name: c.Field, Value: c.On(f, f.Start, false)})
		} else {
			out[at].Value = c.On(f, out[at].Value, true)
		}
	}
	return out
}

// Pass lets time pass, tick by tick where something happens.
func (st *Stage) Pass(d time.Duration) {
	end := st.now + d
	for !st.M.Closed() {
		next := st.M.Next()
		if next == 0 || next > st.Tick(end) {
			break
		}
		st.now = max(st.now, time.Duration(next)*time.Second/time.Duration(st.Book.Rate))
		st.Take(step.Input{Kind: step.Tick})
	}
	st.now = end
	st.Take(step.Input{Kind: step.Tick})
}

// Do carries out one step.
func (st *Stage) Do(s Step) error {
	if s.At > st.now {
		st.Pass(s.At - st.now)
	}
	if s.Wait > 0 {
		st.Pass(s.Wait)
		return nil
	}
	switch s.Who {
	case "":
		return nil
	case "operator":
		return st.operator(s)
	case "referee":
		return st.referee(s)
	case "all":
		for _, n := range slices.Clone(st.names) {
			one := s
			one.Who = n
			if err := st.player(one); err != nil {
				return err
			}
		}
		return nil
	}
	return st.player(s)
}

func (st *Stage) operator(s Step) error {
	switch s.Verb {
	case "ends":
		st.Take(step.Input{Kind: step.Finish, Text: strings.Join(s.Args, " ")})
	case "closes":
		st.Take(step.Input{Kind: step.Close})
	case "holds": // places for the named, for ten seconds: operator holds Mara Joss party=red
		in := step.Input{Kind: step.Reserve, N: int64(10 * st.Book.Rate)}
		for _, a := range s.Args {
			if party, ok := strings.CutPrefix(a, "party="); ok {
				in.Text = party
			} else {
				in.Names = append(in.Names, "acct-"+a)
			}
		}
		st.Take(in)
	case "advances", "sets": // in practice
		s.Verb = strings.TrimSuffix(s.Verb, "s")
		in, err := st.intent(s)
		if err != nil {
			return err
		}
		in.Kind = step.Field
		st.Take(in)
	case "parts": // with the database: nothing can be kept, or no more can wait to be
		in := step.Input{Kind: step.Unkept, Yes: true, N: 1000}
		if slices.Equal(s.Args, []string{"full"}) {
			in = step.Input{Kind: step.Full, Yes: true}
		}
		st.Take(in)
	case "dates": // the lobby: it is that day, and that time of it
		day, err := time.Parse("2006-01-02 15:04", strings.Join(s.Args, " "))
		if err != nil {
			return s.fail("a date is written 2031-05-02 07:30")
		}
		n := day.Unix() / 86400
		st.Take(step.Input{Kind: step.Calendar, N: n, X: (day.Unix() - n*86400) * 1000})
	case "ranks": // who enters next: operator ranks Mara points 3 1200
		return st.ranks(s)
	case "keeps":
		st.Take(step.Input{Kind: step.Unkept})
		st.Take(step.Input{Kind: step.Full})
	default:
		return s.fail("an operator ends, closes, sets, advances, holds, parts, keeps, dates or ranks, but does not %q",
			s.Verb)
	}
	return nil
}

// ranks says how a player stands on a board when they enter next.
func (st *Stage) ranks(s Step) error {
	if len(s.Args) == 4 {
		for _, b := range st.Book.AtEntry() {
			n, err := s.ints(s.Args[2:])
			if err != nil {
				return err
			}
			if b.Name == s.Args[1] {
				account := "acct-" + s.Args[0]
				st.stand[account] = append(st.stand[account],
					step.Named{Name: b.Place.Name, Value: sheet.IntValue(b.Place.Type, n[0])},
					step.Named{Name: b.Value.Name, Value: sheet.IntValue(b.Value.Type, n[1])})
				return nil
			}
		}
	}
	return s.fail("ranks needs a player, a board with at_entry: true, a place and a value: operator ranks Mara " +
		"points 3 1200")
}

func (st *Stage) referee(s Step) error {
	switch s.Verb {
	case "arrives":
		st.Take(step.Input{Kind: step.RefereeOn, N: 1})
	case "leaves":
		st.Take(step.Input{Kind: step.RefereeOn})
	case "yes", "no":
		n, err := s.ints(s.Args[:min(len(s.Args), 1)])
		if err != nil || len(n) != 1 {
			return s.fail("the number of the decision is missing, as in: referee yes 1")
		}
		in := step.Input{Kind: step.Answer, N: n[0], Yes: s.Verb == "yes"}
		if d := st.asked[n[0]]; d != nil {
			in.Args, _ = st.arguments(d.Referee.Answers, s.Args[1:])
		}
		st.Take(in)
	case "does":
		if len(s.Args) == 0 {
			return s.fail("what the referee does is missing, as in: referee does put question=Why")
		}
		in := step.Input{Kind: step.RefereeAct, Name: s.Args[0]}
		if r := st.Book.Referee; r != nil && r.Act(in.Name) != nil {
			in.Args, _ = st.arguments(r.Act(in.Name).Takes, s.Args[1:])
		}
		st.Take(in)
	case "sets":
		in, err := st.set(s)
		if err != nil {
			return err
		}
		in.Kind = step.RefereeSet
		st.Take(in)
	default:
		return s.fail("a referee arrives, leaves, does, sets, or says yes or no, but does not %q", s.Verb)
	}
	return nil
}

// player carries out what a player does.
func (st *Stage) player(s Step) error {
	s, act, err := st.unmistakable(s)
	if err != nil {
		return err
	}
	if act {
		return st.asks(s, st.action)
	}
	switch s.Verb {
	case "enters":
		return st.enter(s)
	case "waits":
		st.Take(step.Input{Kind: step.Wait, Acct: "acct-" + s.Who, Name: s.Who, Conn: "conn-" + s.Who})
		return nil
	}
	id, ok := st.seats[s.Who]
	if !ok {
		return s.fail("%s has not entered yet", s.Who)
	}
	switch s.Verb {
	case "leaves":
		st.Take(step.Input{Kind: step.Leave, Seat: id})
		st.forget(s.Who)
		return nil
	case "drops":
		st.Take(step.Input{Kind: step.Lost, Seat: id})
		return nil
	case "returns":
		st.Take(step.Input{Kind: step.Back, Seat: id})
		return nil
	}
	return st.asks(s, st.intent)
}

// asks takes the intent of a player, as it is read from a step.
func (st *Stage) asks(s Step, read func(Step) (step.Input, error)) error {
	id, ok := st.seats[s.Who]
	if !ok {
		return s.fail("%s has not entered yet", s.Who)
	}
	in, err := read(s)
	if err != nil {
		return err
	}
	st.seq[id]++
	in.Kind, in.Seat, in.Seq = step.Intent, id, st.seq[id]
	st.Take(in)
	return nil
}

func (st *Stage) forget(name string) {
	delete(st.seats, name)
	st.names = slices.DeleteFunc(st.names, func(n string) bool { return n == name })
}

func (st *Stage) enter(s Step) error {
	in := step.Input{Kind: step.Enter, Acct: "acct-" + s.Who, Name: s.Who, Conn: "conn-" + s.Who}
	for _, a := range s.Args {
		if pass, ok := strings.CutPrefix(a, "password="); ok {
			in.Pass = pass
		} else {
			in.Team = a
		}
	}
	if seat := st.Take(in); seat != 0 {
		st.seats[s.Who] = seat
		st.seq[seat] = st.M.LastIntent(seat)
		st.names = append(st.names, s.Who)
	} else if id := st.M.SeatOf(in.Acct); id != 0 {
		st.seats[s.Who] = id
	}
	return nil
}
