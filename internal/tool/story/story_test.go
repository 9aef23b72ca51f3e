package story_test

import (
	"encoding/xml"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/story"
)

const rules = `turnvex: 1
name: duel
players: {least: 2, most: 2}
start: {countdown: 0s}
options: {blow: {type: integer, start: 15, min: 1, max: 40}}
sheets: {player: {hull: {type: integer, start: 30}}}
actions:
  ram: {aim: {kind: target}, do: [{add: target.hull, by: -lobby.blow}]}
rules: [{when: me.hull <= 0, for: players, do: [{finish: a hull gave way}]}]
phases: {play: {lasts: 30s}}
win: {order: [{highest: me.hull}, {lowest: me.hull}]}
promises: [{always: me.hull >= 0, for: players, says: No hull is below nothing}]
`

const tale = `#! rulebook duel.yaml
#! option blow=20
#! only hull, result
# One blow too many.
at 0s Mara enters
      Joss enters
      all ready
at 1s Mara ram Joss
wait 500ms
`

func compiled(t *testing.T) *rulebook.Book {
	b, problems := rulebook.Compile([]byte(rules))
	if b == nil {
		t.Fatal(problems)
	}
	return b
}

func play(t *testing.T, text string) (string, []string) {
	t.Helper()
	h, err := story.ReadHead([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	now, broken, err := story.Play(compiled(t), h, []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return string(now), broken
}

// TestStory: what comes of a story is written behind each step, the same when it is played again, and another word or
// rule is found where it stands.
func TestStory(t *testing.T) {
	now, broken := play(t, tale)
	if !strings.Contains(now, "at 1s Mara ram Joss\n= 00:01.000  Joss hull: 30 -> 10\nwait 500ms\n") ||
		len(broken) != 0 {
		t.Fatalf("%s, broken %v", now, broken)
	}
	if again, _ := play(t, now); again != now {
		t.Errorf("played again it is\n%s", again)
	}
	if d := story.Compare([]byte(now), []byte(now)); d != nil {
		t.Errorf("it differs from itself: %+v", d)
	}
	changed := strings.Replace(now, "30 -> 10", "30 -> 15", 1)
	if got, _ := play(t, changed); got != now {
		t.Errorf("what was written came back: %s", got)
	}
	if d := story.Compare([]byte(changed), []byte(now)); d == nil || d.Line != 11 ||
		!strings.Contains(d.Got, "30 -> 10") {
		t.Errorf("%+v", d)
	}
	if d := story.Compare([]byte(now), []byte(now+"= more\n")); d == nil || d.Want != "" || d.Got != "= more" {
		t.Errorf("%+v", d)
	}
	_, broken = play(t, tale+"Mara ram Joss\n")
	if len(broken) != 1 || broken[0] != "No hull is below nothing" {
		t.Errorf("broken: %v", broken)
	}
}

// TestBadStories: what cannot be played says why, and where.
func TestBadStories(t *testing.T) {
	for text, want := range map[string]string{
		"at 0s Mara enters\n":                             "which rulebook",
		"#! rulebook a.yaml\n#! sed 3\n":                  "line 2: there is no #! sed",
		"#! rulebook a.yaml\n#! seed x\n":                 "line 2",
		"#! rulebook a.yaml\n#! option blow\n":            "NAME=VALUE",
		"#! rulebook a.yaml\n#! option blew=3\n":          "no option \"blew\"",
		"#! rulebook a.yaml\n#! option blow=99\n":         "the option blow",
		"#! rulebook a.yaml\nat 3s A enters\nat 2s A x\n": "line 3: times must not go back",
		"#! rulebook a.yaml\nA ram\n":                     "A has not entered",
	} {
		h, err := story.ReadHead([]byte(text))
		if err == nil {
			_, _, err = story.Play(compiled(t), h, []byte(text))
		}
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, wanted %s", text, err, want)
		}
	}
}

// TestWrite: inputs that a lobby took become a story in which the same happens.
func TestWrite(t *testing.T) {
	book := compiled(t)
	setup := lobby.Setup{Seed: 3, Options: []step.Named{{Name: "blow", Value: sheet.IntValue(sheet.Integer, 12)}}}
	inputs := []step.Input{{Kind: step.Enter, Acct: "a", Name: "Mara the Bold"},
		{Kind: step.Enter, Acct: "b", Name: "Joss"}}
	m := lobby.New(book, setup)
	var seats []sheet.ID
	for i := range inputs {
		seats = append(seats, m.Step(&inputs[i]).Seat)
	}
	for _, s := range seats {
		inputs = append(inputs, step.Input{Kind: step.Loaded, Seat: s}, step.Input{Kind: step.Intent, Seat: s,
			Verb: step.Ready})
	}
	inputs = append(inputs, step.Input{At: 30, Kind: step.Intent, Seat: seats[0], Verb: step.Act, Name: "ram",
		Target: seats[1]}, step.Input{At: 40, Kind: step.Lost, Seat: seats[1]})
	text, err := story.Write(book, "duel.yaml", setup, inputs)
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"#! seed 3\n#! option blow=12\nat 0s MaratheBold enters\n", "at 0s Joss ready\n",
		"at 1.5s MaratheBold ram Joss\n= 00:01.500  Joss hull: 30 -> 18\n", "at 2s Joss drops\n"} {
		if !strings.Contains(string(text), want) {
			t.Errorf("%q is missing in\n%s", want, text)
		}
	}
}

// TestJUnit: the report counts what failed and what could not be played, and is XML.
func TestJUnit(t *testing.T) {
	var b strings.Builder
	list := []story.Outcome{
		{File: "a.story", OK: true},
		{File: "b.story", Differs: &story.Difference{Line: 4, Want: "<x>"}},
		{File: "c.story", Error: "no"},
		{File: "d.story", Broken: []string{"p & q"}},
	}
	if err := story.JUnit(&b, list); err != nil {
		t.Fatal(err)
	}
	var s struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
		Errors   int `xml:"errors,attr"`
		Cases    []struct {
			Name    string    `xml:"name,attr"`
			Failure *struct{} `xml:"failure"`
		} `xml:"testcase"`
	}
	if err := xml.Unmarshal([]byte(b.String()), &s); err != nil || s.Tests != 4 || s.Failures != 2 || s.Errors != 1 ||
		s.Cases[0].Failure != nil || s.Cases[3].Failure == nil {
		t.Errorf("%v, %+v of\n%s", err, s, b.String())
	}
}
