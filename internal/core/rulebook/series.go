package rulebook

import (
	"slices"
	"strconv"
)

// Series is a checked plan of matches that belong together.
type Series struct {
	Name     string
	Title    string
	About    string
	Rulebook string
	Form     SeriesForm
	BestOf   int // how many matches a meeting has at most, the winner of more than half of which wins
	Matches  int // or how many it has, all of which are played
	Rounds   int // of a table: how often each meets each
	Third    bool
	Won      int64 // points in a table
	Drawn    int64
	Lost     int64
	Between  int64          // milliseconds after a match, or after Come, until who is not ready has lost
	Come     int64          // milliseconds from when a meeting may begin until who is not there has lost
	Options  map[string]any // of the lobbies
	Source   []byte
}

// SeriesForm says who meets whom.
type SeriesForm uint8

// The forms.
const (
	SeriesMeeting SeriesForm = iota
	SeriesBracket
	SeriesTable
)

var seriesForms = words[SeriesForm]{"meeting", "bracket", "table"}

func (f SeriesForm) String() string { return seriesForms.of(f) }

var seriesObject = &object{
	name: "series",
	doc: "A separate file: a set of matches that the service runs in lobbies of one rulebook. It decides who " +
		"plays whom next, opens the lobbies, holds seats for the players, counts wins and keeps the standings. " +
		"`turnvex series open` starts one with its entrants, each a player or a party.",
	example: `turnvex: 1
series: harbour_cup
title: The Harbour Cup
about: Eight crews, two matches to win, and a match for the third place.
rulebook: clash
form: bracket
best_of: 3
third: true
come: 5m
between: 2m
options: {goal: 20}`,
	keys: []key{
		{name: "turnvex", spec: integer(1, 1), required: true, doc: "The version of this language."},
		{name: "series", spec: name, required: true, doc: "The series' name."},
		{name: "title", spec: text(60), doc: "The display name."},
		{name: "about", spec: text(300), doc: "A description in a sentence or two."},
		{name: "rulebook", spec: name, required: true, doc: "What is played."},
		{
			name: "form",
			spec: seriesForms.spec(),
			def:  SeriesMeeting.String(),
			doc: "Who meets whom: one `meeting` of two; a `bracket`, in which the loser is out; or a `table`, in " +
				"which everyone meets everyone.",
		},
		{name: "best_of", spec: integer(1, 15),
			doc: "The most matches in a meeting; whoever wins more than half of them wins the meeting. Default: 1."},
		{
			name:    "matches",
			spec:    integer(1, 15),
			example: "turnvex: 1\nseries: halves\nrulebook: clash\nmatches: 2",
			doc: "Instead of `best_of`: the number of matches, all of which are played, such as two halves. Whoever " +
				"wins more of them wins the meeting; in a bracket, further matches are played until one side is ahead.",
		},
		{
			name: "rounds",
			spec: integer(1, 4),
			def:  "1",
			example: "turnvex: 1\nseries: league\nrulebook: clash\nform: table\nrounds: 2\n" +
				"points: {won: 3, drawn: 1, lost: 0}",
			doc: "For a table: how often everyone meets everyone.",
		},
		{name: "third", spec: flag, doc: "For a bracket: whether there is a meeting for third place."},
		{name: "points", spec: obj(seriesPoints), doc: "For a table: what a meeting is worth."},
		{name: "come", spec: duration(10*second, day), def: "5m",
			doc: "How long seats are held; whoever has not arrived by then loses the meeting."},
		{name: "between", spec: duration(10*second, day), def: "2m",
			doc: "How long after a match the next one of the same meeting must have begun, and after `come` the " +
				"first. A side of which nobody is there by then, or, where matches start when all are ready, " +
				"somebody is not ready, loses the meeting; if that is both, whoever has won more matches wins it."},
		{name: "options", spec: mapOf(scalar, 32), doc: "The options of the lobbies."},
	},
}

var seriesPoints = &object{
	name: "points", doc: "What a meeting is worth in a table.",
	keys: []key{
		{name: "won", spec: integer(0, 100), def: "3", doc: "For the winner."},
		{name: "drawn", spec: integer(0, 100), def: "1", doc: "For both, if nobody wins."},
		{name: "lost", spec: integer(0, 100), def: "0", doc: "For the loser."},
	},
}

// CompileSeries checks the plan of a series. Whether its rulebook is there is for the service to find.
func CompileSeries(src []byte) (*Series, Problems) {
	docs, problems := readDocuments(src)
	if len(docs) != 1 || len(problems) > 0 {
		if len(docs) > 1 {
			problems = append(problems, Problem{Severity: Error, Code: "many-documents", Line: docs[1].line, Column: 1,
				Message: "one file holds one series; this is another document"})
		}
		return nil, problems.sorted()
	}
	s := &structure{}
	if !s.check(docs[0], &spec{shape: anObject, object: seriesObject}) || len(s.problems) > 0 {
		return nil, s.problems.sorted()
	}
	b := &binder{terms: &terms{document: &document{top: docs[0], book: &Book{Rate: 1000}}}}
	out := b.series(docs[0])
	out.Source = slices.Clone(src)
	if len(b.problems) > 0 {
		return nil, b.problems.sorted()
	}
	return out, nil
}

func (b *binder) series(n *node) *Series {
	s := &Series{
		Name: n.str("series"), Title: n.titled(n.str("series")), About: n.str("about"),
		Rulebook: n.str("rulebook"), Form: seriesForms.named(n.str("form")), BestOf: int(n.num("best_of")),
		Matches: int(n.num("matches")), Rounds: int(n.num("rounds")), Third: n.on("third"),
		Won: 3, Drawn: 1, Come: n.millis("come"), Between: n.millis("between"), Options: map[string]any{},
	}
	if n.get("best_of") != nil && n.get("matches") != nil {
		b.fail(n.get("matches"), "not-here", "best_of or matches", "a meeting has one length")
	}
	if s.BestOf == 0 && s.Matches == 0 {
		s.BestOf = 1
	}
	if s.Matches == 0 && s.BestOf%2 == 0 {
		b.fail(n.get("best_of"), "out-of-range", "an odd number, or matches", "of an even number both may win half")
	}
	for key, form := range map[string]SeriesForm{"third": SeriesBracket, "points": SeriesTable, "rounds": SeriesTable} {
		if v := n.get(key); v != nil && !v.implied && s.Form != form {
			b.fail(v, "not-here", "form: "+form.String(), "a %s has no %s", s.Form, key)
		}
	}
	if p := n.get("points"); p != nil {
		s.Won, s.Drawn, s.Lost = p.num("won"), p.num("drawn"), p.num("lost")
	}
	for _, e := range n.fields("options") {
		switch v := e.value; v.plain {
		case 'i':
			s.Options[e.key] = float64(n.get("options").num(e.key))
		case 'f':
			s.Options[e.key], _ = strconv.ParseFloat(v.text, 64)
		case 'b':
			s.Options[e.key] = v.text == "true"
		default:
			s.Options[e.key] = v.text
		}
	}
	return s
}
