package rulebook

import "turnvex.example/turnvex/internal/core/sheet"

// The words of built-in choices, in the order of their constants.
var (
	lobbyStates  = []string{"gathering", "starting", "playing", "results", "closed"}
	pauseStates  = []string{"no", "yes", "resuming"}
	outcomeWords = []string{"none", "won", "lost", "drawn", "left"}
)

// The states of a lobby.
const (
	Gathering = iota
	Starting
	Playing
	Results
	Closed
)

// The states of a pause.
const (
	PauseNo = iota
	PauseYes
	PauseResuming
)

// OutcomeWord is the word of an outcome.
func OutcomeWord(outcome int) string { return outcomeWords[outcome] }

// The outcomes of a team or a player.
const (
	OutcomeNone = iota
	Won
	Lost
	Drawn
	Left
)

// Fields holds the built-in fields, by sheet.
type Fields struct {
	Pauses PauseFields
	Lobby  LobbyFields
	Match  MatchFields
	Team   TeamFields
	Player PlayerFields
	Record RecordFields
	Piece  PieceFields

	Creature CreatureFields
	Zone     ZoneFields
	Turns    TurnFields
	Votes    VoteFields
}

// PauseFields say what a budget of pauses still holds, on the sheet of whoever has it. They are nil where there is no
// limit.
type PauseFields struct {
	Of   sheet.Kind   // Match (the host's), Team or Player
	Left *sheet.Field // how many
	Time *sheet.Field // how long together, in milliseconds
}

// LobbyFields are the built-in fields of the lobby sheet.
type LobbyFields struct {
	Code, Title, Host, Capacity, Seats, Spectators, State, Rulebook, Region           *sheet.Field
	Practice, Open, Public, Countdown, Listed, Password, Reserved, Waiting, WatchMost *sheet.Field

	Kept   *sheet.Field // the number of the newest match of which all is saved
	Unkept *sheet.Field // for how long nothing that happens has been kept; stands at 0 while it is
}

// MatchFields are the built-in fields of the match sheet.
type MatchFields struct {
	Number, Phase, Round, Clock, Play, Paused, Pauser, Resume *sheet.Field
	Over, Because, Saved                                      *sheet.Field

	After, Until     *sheet.Field // what comes after the match, and when
	Pausing, Longest *sheet.Field // who may pause, and when the present pause ends by itself
	Why              *sheet.Field // the reason that came with the present pause
}

// TeamFields are the built-in fields of a team sheet.
type TeamFields struct {
	Name, Title, Size, Rounds, Place, Outcome *sheet.Field
}

// PlayerFields are the built-in fields of a player sheet. Pos, Was, Steer and Rest are nil without a ground; Was is
// where a body was when touches were last looked for.
type PlayerFields struct {
	Name, Account, Team, Ready, Away, Ping, Loaded, Playing, Alive, Respawn *sheet.Field
	Rounds, Place, Outcome, Record, Kits, Slot                              *sheet.Field
	Pos, Was, Steer, Rest                                                   *sheet.Field

	Yaw, Wanted *sheet.Field // where they look, and want to look; nil where nobody looks anywhere

	Pitch, WantedPitch *sheet.Field // how far up they look, and want to; nil on flat ground

	// How fast they rise (below 0 while they fall), how fast they last landed, and whether they stand on a floor; nil
	// where nobody falls.
	Rise, Landed, Standing *sheet.Field

	Benched, Frozen *sheet.Field // nil where no effect does that
	Push, PushLeft  *sheet.Field // how somebody is pushed, in millimetres a second, and for how long; likewise
	Mutes           *sheet.Field // whose texts the player does not want; nil where nobody writes any
}

// SeenFacing are the fields of where players look, if clients are told.
func (b *Book) SeenFacing() (list []*sheet.Field) {
	for _, f := range []*sheet.Field{b.F.Player.Yaw, b.F.Player.Pitch} {
		if f != nil && f.See != sheet.Hidden {
			list = append(list, f)
		}
	}
	return list
}

// RecordFields are the built-in fields of a record sheet. Kept is a set of the fields that hold more than their start.
type RecordFields struct {
	Kept  *sheet.Field
	First *sheet.Field // nothing was kept of the player before this visit
}

// PieceFields are the built-in fields of a piece sheet.
type PieceFields struct {
	Kind, Pos, Was, Born *sheet.Field
	Touching             [4]*sheet.Field // who is on it, 60 slots each

	// Of what flies; nil where nothing does.
	Way   *sheet.Field // millimetres a second
	Owner *sheet.Field // the player who sent it
	Maker *sheet.Field // the sheet of who sent it, a player's or a creature's
	Rest  *sheet.Field // what it has yet to fly, less than a millimetre
}

// declareBuiltIns adds the built-in fields to a new schema.
func (b *declarer) declareBuiltIns() {
	F := &b.book.F
	lob := b.adder(sheet.Lobby)
	F.Lobby = LobbyFields{
		Code:       lob("code", text64),
		Title:      lob("title", text64),
		Host:       lob("host", playerRef),
		Capacity:   lob("capacity", whole),
		Seats:      lob("seats", whole),
		Spectators: lob("spectators", whole),
		State:      lob("state", choiceOf(lobbyStates)),
		Rulebook:   lob("rulebook", text64),
		Region:     lob("region", text64),
		Practice:   lob("practice", flagField),
		Open:       lob("open", flagField),
		Public:     lob("public", flagField),
		Countdown:  lob("countdown", wallClock(true)),
		Listed:     lob("listed", flagField),
		Password:   lob("password", flagField),
		Reserved:   lob("reserved", whole),
		Waiting:    lob("waiting", whole),
		WatchMost:  lob("watch_most", whole),
		Kept:       lob("kept", whole),
		Unkept:     lob("unkept", wallClock(false)),
	}
	mat := b.adder(sheet.Match)
	F.Match = MatchFields{
		Number:  mat("number", whole),
		Phase:   mat("phase", choiceOf(b.phaseNames())),
		Round:   mat("round", whole),
		Clock:   mat("clock", clock(false)),
		Play:    mat("play", wallClock(false)),
		Paused:  mat("paused", choiceOf(pauseStates)),
		Pauser:  mat("pauser", playerRef),
		Resume:  mat("resume", wallClock(true)),
		Over:    mat("over", flagField),
		Because: mat("because", text80),
		Saved:   mat("saved", flagField),
		After:   mat("after", seenBy(choiceOf(thenWords), sheet.Everyone)),
		Until:   mat("until", wallClock(true)),
		Pausing: mat("pause_who", choiceOf(pauseWords)),
		Longest: mat("pause_until", wallClock(true)),
		Why:     mat("pause_why", personsText),
	}
	team := b.adder(sheet.Team)
	F.Team = TeamFields{Name: team("name", text64), Title: team("title", text64), Size: team("size", whole),
		Rounds: team("rounds", resets(whole)), Place: team("place", resets(whole)),
		Outcome: team("outcome", resets(choiceOf(outcomeWords)))}
	b.declarePlayer()
	b.declareBudgets()
	b.declareTurns()
	b.declareSeats()
	b.declareVotes()
	rec := b.adder(sheet.Record)
	F.Record = RecordFields{Kept: rec("kept", seenBy(whole, sheet.RefereesOnly)),
		First: rec("first", seenBy(flagField, sheet.OwnerOnly))}
	piece := b.adder(sheet.Piece)
	kinds := b.mapKeys("pieces")
	if len(kinds) == 0 {
		kinds = []string{"none"}
	}
	F.Piece = PieceFields{Kind: piece("kind", choiceOf(kinds)), Pos: piece("pos", position),
		Was: piece("was", seenBy(position, sheet.Hidden)), Born: piece("born", seenBy(whole, sheet.Hidden))}
	for i, name := range []string{"touching_a", "touching_b", "touching_c", "touching_d"} {
		F.Piece.Touching[i] = piece(name, seenBy(whole, sheet.Hidden))
	}
	b.declareArenas()
	b.declareStandIns()
	b.declareCalendar()
	b.declareStanding()
	b.declareHeights()
	b.declareShots()
	b.declareCreature()
	b.declareZones()
}

// declareBudgets adds what is left of the budgets of pauses, where they have limits.
func (b *declarer) declareBudgets() {
	n, p := b.section("pause"), &b.book.F.Pauses
	switch pauseWords.named(n.str("who")) {
	case PauseNobody:
		return
	case PauseTeams:
		p.Of = sheet.Team
	case PauseAnyone:
		p.Of = sheet.Player
	default:
		p.Of = sheet.Match
	}
	budget := func(name string, start int64) *sheet.Field {
		if start == 0 {
			return nil
		}
		f := resets(whole)
		f.Start.N[0] = start
		return b.adder(p.Of)(name, f)
	}
	p.Left = budget("pauses_left", n.num("times"))
	p.Time = budget("pause_left", n.millis("seconds"))
}

func (b *declarer) declarePlayer() {
	add := b.adder(sheet.Player)
	p := &b.book.F.Player
	var pos, was, steer, rest *sheet.Field // what a tick looks at stands side by side
	if b.hasGround() {
		pos = add("pos", resets(position))
		was = add("was", seenBy(resets(position), sheet.Hidden))
		steer = add("steer", seenBy(resets(position), sheet.OwnerOnly))
		rest = add("rest", seenBy(resets(position), sheet.Hidden))
	}
	alive := add("alive", resets(flagField))
	*p = PlayerFields{
		Pos:     pos,
		Was:     was,
		Steer:   steer,
		Rest:    rest,
		Alive:   alive,
		Name:    add("name", person),
		Account: add("account", person),
		Team:    add("team", teamRef),
		Ready:   add("ready", flagField),
		Away:    add("away", flagField),
		Ping:    add("ping", whole),
		Loaded:  add("loaded", flagField),
		Playing: add("playing", flagField),
		Respawn: add("respawn", resets(clock(true))),
		Rounds:  add("rounds", resets(whole)),
		Place:   add("place", resets(whole)),
		Outcome: add("outcome", resets(choiceOf(outcomeWords))),
		Record:  add("record_sheet", seenBy(whole, sheet.Hidden)),
		Kits:    add("kits", seenBy(whole, sheet.OwnerOnly)),
		Slot:    add("slot", seenBy(whole, sheet.Hidden)),
	}
	if n := b.top.get("facing"); n != nil && b.hasGround() {
		p.Yaw, p.Wanted = add("yaw", resets(whole)), add("yaw_wanted", seenBy(resets(whole), sheet.Hidden))
		if followsSteering.is(n, "follows") {
			p.Yaw.See = sheet.Hidden
		}
		if b.book.Schema.Deep {
			p.Pitch = add("pitch", resets(whole))
			p.WantedPitch = add("pitch_wanted", seenBy(resets(whole), sheet.Hidden))
			p.Pitch.See = p.Yaw.See
		}
	}
}

// adder returns a function that adds built-in fields to a kind.
func (b *document) adder(k sheet.Kind) func(string, sheet.Field) *sheet.Field {
	return func(name string, f sheet.Field) *sheet.Field {
		f.Name, f.BuiltIn = name, true
		added, err := b.book.Schema.Add(k, f)
		if err != nil {
			panic("turnvex: built-in fields: " + err.Error())
		}
		return added
	}
}

// Forms of built-in fields.
var (
	whole  = sheet.Field{Type: sheet.Integer}
	text80 = sheet.Field{Type: sheet.Text, Max: 80}
	text64 = sheet.Field{Type: sheet.Text, Max: 64}
	person = sheet.Field{Type: sheet.Text, Max: 64, Person: true}

	personsText = sheet.Field{Type: sheet.Text, Max: 80, Person: true} // what a player has written
	flagField   = sheet.Field{Type: sheet.Flag}
	position    = sheet.Field{Type: sheet.Position}
	playerRef   = sheet.Field{Type: sheet.Ref, Of: sheet.Player}
	teamRef     = sheet.Field{Type: sheet.Ref, Of: sheet.Team}
)

func choiceOf(words []string) sheet.Field { return sheet.Field{Type: sheet.Choice, Choices: words} }
func clock(down bool) sheet.Field         { return sheet.Field{Type: sheet.Clock, Down: down} }
func wallClock(down bool) sheet.Field     { return sheet.Field{Type: sheet.Clock, Down: down, Wall: true} }

func resets(f sheet.Field) sheet.Field {
	f.Reset = sheet.ResetMatch
	return f
}

func seenBy(f sheet.Field, a sheet.Audience) sheet.Field {
	f.See = a
	return f
}

// Notices that the service itself sends.
var (
	HintNotice = ownNotice("hint", -1, textOf("tint"), textOf("play"), textOf("say"),
		numberOf("lasts"), numberOf("strength"), numberOf("hold"), textOf("with"))
	NoRefereeNotice = ownNotice("no_referee", -2, textOf("action"))
	DecidedNotice   = ownNotice("decided", -3, textOf("action"), numberOf("intent"),
		sheet.Field{Name: "yes", Type: sheet.Flag})
	SwapNotice    = ownNotice("swap_wanted", -4, sheet.Field{Name: "by", Type: sheet.Ref, Of: sheet.Player})
	PromiseNotice = ownNotice("promise_broken", -5, textOf("promise"), numberOf("line"))
	OwnNotices    = []*Notice{HintNotice, NoRefereeNotice, DecidedNotice, SwapNotice, PromiseNotice}
)

func textOf(name string) sheet.Field   { return sheet.Field{Name: name, Type: sheet.Text, Max: 200} }
func numberOf(name string) sheet.Field { return sheet.Field{Name: name, Type: sheet.Integer} }

func ownNotice(name string, no int, fields ...sheet.Field) *Notice {
	n := &Notice{No: no, Name: name, Needed: true}
	s := &sheet.Schema{}
	for _, f := range fields {
		added, _ := s.Add(sheet.Match, f)
		n.Fields = append(n.Fields, added)
	}
	return n
}

// The types that a field, and a record's field, may be declared with: as package sheet names them, a reference by what
// it refers to.
var (
	recordTypes = []string{sheet.Integer.String(), sheet.Duration.String(), sheet.Length.String(),
		sheet.Speed.String(), sheet.Angle.String(), sheet.Number.String(), sheet.Text.String(), sheet.Flag.String(),
		sheet.Choice.String(), sheet.Position.String(), countsType}
	fieldTypes = append(append([]string(nil), recordTypes...), sheet.Player.String(), sheet.Team.String(),
		sheet.Creature.String(), sheet.Clock.String(), sheet.List.String())
	// What a list may hold.
	itemTypes = []string{sheet.Integer.String(), sheet.Text.String(), sheet.Choice.String(), sheet.Player.String(),
		sheet.Team.String(), sheet.Creature.String()}
	argItems = []string{sheet.Integer.String(), sheet.Choice.String(), sheet.Player.String(), sheet.Team.String()}
	seeSpec  = word(sheet.AudienceWords()...)
)
