package lobby

import (
	"math/rand/v2"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Lobby is a lobby and the match that it runs. It is not safe for use by several
// goroutines.
//
// Invariants:
//  1. every seat has a Player and a Record sheet, and its place in seats is
//     that of its Player sheet in the store;
//  2. lobby.seats is the number of seats, team.size that of the team's players;
//  3. there is a host exactly when there is a seat whose player may come back, or
//     never where a series has opened the lobby;
//  4. a Match sheet exists exactly while the lobby is playing or shows results;
//  5. the match's players are exactly the seats whose playing flag is set.
type Lobby struct {
	room
	sides    sides
	seating  seating
	coming   coming
	doors    doors
	start    start
	votes    votes
	settings settings
	wishes   wishes
}

// Setup is how a lobby is opened. Its zero value is a listed, open lobby of the rulebook's size.
type Setup struct {
	Code     string       // the join code
	Title    string       // the rulebook's if it is empty
	Region   string       // of the node
	Capacity int          // 0: what the rulebook allows
	Practice bool         // nothing of it is kept, and fields may be set by hand
	Seed     uint64       // of everything that happens by chance
	Options  []step.Named // checked before against the rulebook's options
	Hidden   bool         // found by its code only
	Hostless bool         // nobody is its host
	Closed   bool         // takes no newcomers at first
	Password string       // the digest of a password; "" for none
	Watchers int          // how many may watch; 0: what the rulebook allows, negative: nobody

	Linger time.Duration // how long it stays open before anybody has come; a minute if 0
}

// New opens a lobby. The rulebook must have compiled without errors.
func New(book *rulebook.Book, s Setup) *Lobby {
	l := bare(book)
	*l.lots = *lots.New(s.Seed)
	l.row = l.st.Add(sheet.Lobby)
	for _, t := range book.Teams.List {
		r := l.st.Add(sheet.Team)
		r.Team = r.ID
		l.st.SetText(r, book.F.Team.Name, t.Name)
		l.st.SetText(r, book.F.Team.Title, t.Title)
		l.teams = append(l.teams, r)
	}
	l.match = match.New(book, l.st, l.lots, &l.out, l.row, l.teams)
	l.match.Motion.FirstArena()
	l.open(s)
	l.emptyAt = max(sheet.Tick(emptyFor*book.Rate), sheet.Tick(s.Linger*time.Duration(book.Rate)/time.Second))
	l.match.Rules.Settle()
	return l
}

// bare is a lobby without any state.
func bare(book *rulebook.Book) *Lobby {
	l := &Lobby{room: room{book: book, st: sheet.NewStore(book.Schema), lots: lots.New(0)}}
	l.wire()
	l.st.Watch = book.Watched
	return l
}

// wire tells each part the earlier ones that it needs. What all of them need of later ones the room has as an
// interface.
func (l *Lobby) wire() {
	r := &l.room
	r.then = later{&l.seating, &l.doors, &l.start, &l.votes}
	l.sides, l.votes = sides{r}, votes{room: r}
	l.seating = seating{room: r, sides: &l.sides}
	l.coming = coming{r, &l.seating, &l.sides}
	l.doors = doors{r, &l.seating, &l.sides, &l.coming}
	l.start = start{room: r, seating: &l.seating}
	l.settings = settings{r, &l.doors, &l.start}
	l.wishes = wishes{r, &l.seating, &l.sides, &l.start}
}

// later is the afterwards of the room.
type later struct {
	seating *seating
	doors   *doors
	start   *start
	votes   *votes
}

func (x later) seatWaiting() { x.doors.seatWaiting() }
func (x later) startCheck()  { x.start.startCheck() }
func (x later) callOff()     { x.start.callOff() }
func (x later) countVote()   { x.votes.countVote() }

func (x later) ballot(s *seat) match.Ballot         { return x.votes.ballot(s) }
func (x later) votesAgain(s *seat, b *match.Ballot) { x.votes.votesAgain(s, b) }

func (x later) fill() { x.seating.fill() }

func (l *Lobby) open(s Setup) {
	f := &l.book.F.Lobby
	if s.Capacity <= 0 || s.Capacity > l.book.Players.Most {
		s.Capacity = l.book.Players.Most
	}
	if s.Title == "" {
		s.Title = l.book.Title
	}
	l.st.SetText(l.row, f.Code, s.Code)
	l.st.SetText(l.row, f.Title, s.Title)
	l.st.SetText(l.row, f.Region, s.Region)
	l.st.SetText(l.row, f.Rulebook, l.book.Name)
	l.st.SetInt(l.row, f.Capacity, int64(s.Capacity))
	l.st.SetFlag(l.row, f.Practice, s.Practice)
	l.st.SetFlag(l.row, f.Open, !s.Closed)
	l.st.SetFlag(l.row, f.Listed, !s.Hidden)
	l.setPassword(s.Password)
	l.hostless = s.Hostless
	watchers := int64(l.book.Spectators.Most)
	if s.Watchers != 0 {
		watchers = max(min(watchers, int64(s.Watchers)), 0)
	}
	l.st.SetInt(l.row, f.WatchMost, watchers)
	for _, o := range s.Options {
		if field := l.book.Schema.Field(sheet.Lobby, o.Name); field != nil {
			l.st.Set(l.row, field, o.Value)
		}
	}
}

// Knows tells whether a seat's record stands as it is said to where it is kept, with what is yet to be saved on top.
func (l *Lobby) Knows(id sheet.ID, values []step.Named) bool {
	s := l.seat(id)
	return s == nil || l.match.Kept.Knows(s.Player, values)
}

// Full tells whether the lobby was told that no more can wait to be saved.
func (l *Lobby) Full() bool { return l.match.Kept.Full() }

// Deciding is the action that waits for a referee's decision with that number, or nil.
func (l *Lobby) Deciding(no int64) *rulebook.Action { return l.match.Referee.Deciding(no) }

// Whim makes up what players do by chance: as the rulebook says of its stand-ins, if it does.
func (l *Lobby) Whim(r *rand.Rand) *match.Whim {
	return l.match.NewWhim(r)
}

// Count makes a tally count what happens in the lobby's matches from now on.
func (l *Lobby) Count(t *match.Tally) { l.match.Count(t) }

// Held makes its matches hold the rulebook's promises, as they do in practice: see match.Match.
func (l *Lobby) Held(on bool) { l.match.Rules.Held(on) }

// Plainly makes its matches look at everything each time: see match.Match.
func (l *Lobby) Plainly(on bool) { l.match.Plainly(on) }

// PlayTick returns the present play tick.
func (l *Lobby) PlayTick() sheet.Tick { return l.match.Play() }

// Step takes the lobby to the input's tick and applies it. The output is valid until the next Step. A closed lobby
// refuses everything.
func (l *Lobby) Step(in *step.Input) *step.Output {
	l.out.Reset()
	l.match.Effects.Allow()
	if !l.closed {
		l.advance(in.At)
	}
	if !l.closed && in.Kind != step.Tick {
		l.apply(in)
		l.wishes.settle()
	} else if l.closed && in.Kind.Answered() {
		l.answer(step.Verdict{Seat: in.Seat, Seq: in.Seq, Code: code.LobbyGone, Reason: "the lobby has closed"})
	}
	return &l.out
}

// apply does what an input asks for.
func (l *Lobby) apply(in *step.Input) {
	switch in.Kind {
	case step.Enter:
		l.doors.enter(in)
	case step.Intent:
		l.intent(in)
	case step.Lost:
		l.seating.lost(in.Seat, in.N)
	case step.Back:
		l.seating.back(in.Seat, in.Conn)
	case step.Leave:
		l.seating.leave(in.Seat)
	case step.Loaded:
		l.coming.loaded(in)
	case step.Saved:
		l.match.Saved(in.N)
	case step.Ping:
		if s := l.seat(in.Seat); s != nil {
			l.st.SetInt(s.Row, l.book.F.Player.Ping, in.N)
		}
	case step.Spectators:
		l.st.SetInt(l.row, l.book.F.Lobby.Spectators, in.N)
	case step.Unkept:
		f := l.book.F.Lobby.Unkept
		if in.Yes {
			l.st.SetClock(l.row, f, in.N*int64(l.book.Rate)/1000, 1, l.tick())
		} else {
			l.st.SetClock(l.row, f, 0, 0, l.tick())
		}
		l.match.Kept.Unkept(in.Yes)
	case step.Calendar:
		l.coming.today(in.N, in.X)
	case step.Full:
		l.match.Kept.Fill(in.Yes)
		l.start.startCheck()
	case step.RefereeOn:
		l.match.Referee.RefereeOn(in.N != 0)
	case step.Answer:
		l.answer(l.match.Referee.Answer(in.N, in.Yes, in.Args))
	case step.RefereeAct:
		l.answer(l.match.Referee.RefereeAct(in))
	case step.RefereeSet:
		l.answer(l.match.Referee.RefereeSet(in))
	case step.Finish:
		l.match.Ends.Finish(in.Text)
	case step.Close:
		l.seating.close()
	case step.Field:
		if in.Verb == step.Advance {
			l.answer(l.match.Pauses.Advance(in.X))
		} else {
			l.answer(l.match.Referee.SetByHand(in))
		}
	case step.Reserve:
		l.answer(l.doors.reserve(in))
	case step.Wait:
		l.answer(l.doors.wait(in))
	case step.Unwait:
		l.doors.unwait(in.Conn)
	case step.Kept:
		if s := l.seat(in.Seat); s != nil && s.Row.Flag(l.book.F.Player.Loaded) {
			l.match.Kept.Kept(s.Player, in.Record)
		}
	case step.Called:
		l.seating.called(in.Seat, in.Text)
	}
}
