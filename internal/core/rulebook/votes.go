package rulebook

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Vote is something that the players of a lobby decide together.
type Vote struct {
	No      int
	Line    int // where it stands in the file
	Name    string
	Title   string
	On      VoteOn
	Choice  *sheet.Field // of VoteOnWords and VoteOnArenas: the words
	Whom    Who          // of VoteOnPlayers: who may be voted on, seen from who opens it
	ByTeam  bool         // only the team of who opens it votes
	If      *expr.Prog   // who may open it
	Else    string       // what is said where If does not hold
	Who     *expr.Prog   // who votes; nil for everybody
	Needs   Needs
	Lasts   sheet.Tick
	Again   sheet.Tick // how long somebody waits before opening any again
	During  uint8      // by bit, in the order of duringWords
	Then    []Effect
	Refused []Effect
}

// VoteOn says what is voted on.
type VoteOn uint8

// What can be voted on.
const (
	VoteOnQuestion VoteOn = iota
	VoteOnPlayers
	VoteOnWords
	VoteOnArenas
)

var voteOnWords = words[VoteOn]{"question", "players", "words", "arenas"}

func (v VoteOn) String() string { return voteOnWords.of(v) }

// Needs says how many of those who may vote must say yes.
type Needs uint8

// The majorities.
const (
	NeedsHalf Needs = iota // more than half
	NeedsTwoThirds
	NeedsAll
)

var needsWords = words[Needs]{"half", "two_thirds", "all"}

// Of is how many of n that are.
func (x Needs) Of(n int) int {
	switch x {
	case NeedsTwoThirds:
		return (2*n + 2) / 3
	case NeedsAll:
		return n
	}
	return n/2 + 1
}

// The times of votes, as bits of Vote.During.
const (
	DuringLobby uint8 = 1 << iota
	DuringMatch
	DuringResult
)

var (
	duringWords = []string{"lobby", "match", "result"}
	votesByTeam = either{"everyone", "team"}
)

// The words of the built-in field vote_cast, before those of the votes themselves.
const (
	VoteNone = iota
	VoteYes
	VoteNo
)

// Times are the words of the times at which it may be opened.
func (v *Vote) Times() (list []string) {
	for i, w := range duringWords {
		if v.During&(1<<i) != 0 {
			list = append(list, w)
		}
	}
	return list
}

var voteObject = &object{
	name: "vote",
	doc: "Something that the players decide together, in the lobby or in play. One vote is open at a time. A " +
		"player opens it with the intent `vote` and its name, which counts as a yes; the others answer with the " +
		"same intent. The lobby sheet shows it: `vote`, `vote_by`, `vote_on`, `vote_left`, `vote_yes`, " +
		"`vote_no`, `vote_needs` (and `vote_tally`, by word); a player's `voted` shows who has voted.",
	example: `votes:
  kick: {asks: players, whom: others, majority: two_thirds, cooldown: 1m, passed: [{kick: target}]}
  surrender:
    voters: team
    during: [match]
    if: match.play > 30s
    refusal: It is too early to give up
    majority: all
    lasts: 15s
    passed: [{finish: gave up, winner: "teams.filter(t, t != team).first()"}]
    refused: [{notice: plays_on, to: team}]
  again: {title: Play again, during: [result], passed: [{begin: match}]}
  goal:
    asks: words
    words: [ten, twenty]
    who: me.falls < 3
    during: [lobby]
    passed: [{if: arg.choice == 'ten', then: [{add: lobby.played, by: 10}]}]
sheets: {lobby: {played: {type: integer, reset: never}}}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "The display name."},
		{
			name: "asks",
			spec: voteOnWords.spec(),
			def:  VoteOnQuestion.String(),
			doc: "What is voted on: a `question` (yes or no), one of the `players` (yes or no; read as " +
				"`target`), `words`, of which the one with most votes wins (read as `arg.choice`; ties are " +
				"broken at random), or the `arenas`, of which the winner comes next.",
		},
		{name: "words", spec: names, doc: "With `asks: words`: the words."},
		{
			name: "whom",
			spec: whoWords.spec(WhoRivals, WhoFriends, WhoOthers),
			def:  WhoOthers.String(),
			doc: "With `asks: players`: who may be voted on, relative to the player who opens the vote. That " +
				"player does not vote, and at least two must.",
		},
		{
			name: "voters",
			spec: votesByTeam.spec(),
			def:  votesByTeam.not,
			doc:  "Who votes: `everyone`, or the `team` of the player who opens it.",
		},
		{name: "who", spec: anExpression, doc: "Who of these may vote: a condition on `me`."},
		{name: "if", spec: anExpression, doc: "Who may open it: a condition on `me`."},
		{name: "refusal", spec: text(80), doc: "What a player is told if `if` does not hold."},
		{
			name: "majority",
			spec: needsWords.spec(),
			def:  needsWords.of(NeedsHalf),
			doc: "How many of those who may vote must say yes: more than `half`, `two_thirds` or `all`. Votes on " +
				"words need no minimum.",
		},
		{name: "lasts", spec: duration(second, hour), def: "20s",
			doc: "How long it is open, in wall time. It ends sooner if it is decided."},
		{name: "cooldown", spec: duration(0, hour), def: "30s",
			doc: "How long a player who has opened it must wait before opening another vote."},
		{
			name: "during",
			spec: listOf(word(duringWords...), 3),
			doc:  "When it may be opened: in the `lobby`, in a `match`, while a `result` is shown. Default: always.",
		},
		{name: "passed", spec: effects, doc: "What happens if it passes, with the player who opened it as `me`."},
		{name: "refused", spec: effects, doc: "What happens if it does not pass."},
	},
}

// VoteFields are the built-in fields of votes; nil where there are none.
type VoteFields struct {
	Vote, By, On, Left, Yes, No, Needs *sheet.Field // of the lobby's sheet
	Tally                              *sheet.Field
	Voted, Cast                        *sheet.Field // of a player's
}

// declareVotes adds the built-in fields of votes, where there are any.
func (b *declarer) declareVotes() {
	names := b.mapKeys("votes")
	if len(names) == 0 {
		return
	}
	lob, player := b.adder(sheet.Lobby), b.adder(sheet.Player)
	b.book.F.Votes = VoteFields{Vote: lob("vote", choiceOf(append([]string{"none"}, names...))),
		By: lob("vote_by", playerRef), On: lob("vote_on", playerRef), Left: lob("vote_left", wallClock(true)),
		Yes: lob("vote_yes", whole), No: lob("vote_no", whole), Needs: lob("vote_needs", whole),
		Tally: lob("vote_tally", sheet.Field{Type: sheet.List, Item: sheet.Integer, Most: 64}),
		Voted: player("voted", flagField), Cast: player("vote_cast", seenBy(whole, sheet.OwnerOnly))}
}

func (b *director) votes() {
	for i, e := range b.top.fields("votes") {
		n := e.value
		v := &Vote{
			No: i, Line: e.line, Name: e.key, Title: n.titled(e.key), On: voteOnWords.named(n.str("asks")),
			Whom: whoWords.named(n.str("whom")), ByTeam: votesByTeam.is(n, "voters"),
			If: b.condition(n, "if", scopePlayer), Else: n.str("refusal"), Who: b.condition(n, "who", scopePlayer),
			Needs: needsWords.named(n.str("majority")), Lasts: b.ticks(n, "lasts"), Again: b.ticks(n, "cooldown"),
		}
		for k, word := range duringWords {
			if n.get("during") == nil || hasWord(n.get("during"), word) {
				v.During |= 1 << k
			}
		}
		if v.ByTeam && len(b.book.Teams.List) == 0 {
			b.fail(n.get("voters"), "not-here", "everyone", "there are no teams in this rulebook")
		}
		b.voteEffects(v, n)
		b.book.Votes = append(b.book.Votes, v)
	}
}

func hasWord(list *node, word string) bool {
	for _, item := range list.items {
		if item.text == word {
			return true
		}
	}
	return false
}

func (b *director) voteEffects(v *Vote, n *node) {
	refused := with(scopePlayer, expr.Random)
	carried := refused
	switch v.On {
	case VoteOnPlayers:
		carried.Vars, carried.Hit = carried.Vars|expr.Target, sheet.Player
		refused = carried
	case VoteOnWords, VoteOnArenas:
		choice := sheet.Field{Name: "choice", Type: sheet.Choice, Choices: b.voteWords(v, n)}
		if len(choice.Choices) == 0 {
			return
		}
		v.Choice, _ = (&sheet.Schema{Deep: b.book.Schema.Deep}).Add(sheet.Match, choice)
		carried.Vars, carried.Args = carried.Vars|expr.Args, []*sheet.Field{v.Choice}
	}
	if w := n.get("words"); w != nil && v.On != VoteOnWords {
		b.fail(w, "not-here", "asks: words", "a vote on %s has no words", v.On)
	}
	if w := n.get("whom"); !w.implied && v.On != VoteOnPlayers {
		b.fail(w, "not-here", "asks: players", "nobody in particular is voted on")
	}
	v.Then, v.Refused = b.does.effects(n, "passed", carried), b.does.effects(n, "refused", refused)
	if len(v.Then) == 0 && v.On != VoteOnArenas {
		b.warn(n, "vote-idle", "nothing follows when this vote is carried; say passed")
	}
}

// voteWords are the words that are voted on, or the names of the arenas.
func (b *director) voteWords(v *Vote, n *node) (list []string) {
	if v.On == VoteOnArenas {
		if b.book.Arenas == nil {
			b.fail(n.get("asks"), "not-here", "arenas", "there are no arenas in this rulebook")
			return nil
		}
		return b.book.Arenas.Next.Choices
	}
	words := n.get("words")
	if words == nil || len(words.items) == 0 {
		b.fail(n, "missing-key", "words: [north, south]", "a vote on words needs its words")
		return nil
	}
	for _, w := range words.items {
		list = append(list, w.text)
	}
	return list
}
