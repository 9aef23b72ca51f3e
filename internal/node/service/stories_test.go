package service_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
)

const vowBook = `turnvex: 1
name: vow
players: {least: 1, most: 2}
start: {countdown: 0s}
arenas: {files: [mole, reef]}
sheets: {player: {hull: {type: integer, start: 5}}}
actions: {hurt: {do: [{add: me.hull, by: -3}]}}
phases: {play: {lasts: 10m}}
win: {order: [{highest: me.hull}, {lowest: me.hull}]}
promises: [{always: me.hull >= 0, for: players, says: No hull is below nothing}]
`

// TestStoriesFromTheCommandLine: a rulebook with arenas in files beside it is published as one; what is played in a
// practice lobby is cut out as a story, which is played, differs when the rules change, and is accepted.
func TestStoriesFromTheCommandLine(t *testing.T) {
	sh := newShell(t)
	name := "vow_" + fresh()
	rules := sh.file("vow.yaml", strings.Replace(vowBook, "name: vow", "name: "+name, 1))
	sh.file("mole.yaml", "turnvex: 1\narena: mole\nwidth: 20m\nheight: 10m\n")
	reef := sh.file("reef.yaml", "turnvex: 1\narena: reef\nwidth: 20m\nheigth: 10m\n")
	sh.has(sh.run(1, "", "check", rules), reef+":4:1: error:", `did you mean "height"?`)
	sh.file("reef.yaml", "turnvex: 1\narena: reef\nwidth: 30m\nheight: 20m\n")
	sh.has(sh.run(0, "", "publish", "-key-file", sh.keyFile, rules), "is published")
	mara := player(t, "Mara")
	code := lobby(t, mara, client.Opening{Rulebook: name, Practice: true, Options: map[string]any{"arena": "reef"}})
	sh.has(sh.run(0, "", "lobbies", "-rulebook", name), code, "practice, at reef")
	told := make(chan client.Notice, 8)
	c := join(t, mara, client.Options{Lobby: code, OnNotice: func(n client.Notice) { told <- n }})
	play(t, c)
	c.Read(func(v *client.Copy) {
		if a := v.Arena(); a == nil || a.Name != "reef" || v.Ground().Width != 30_000 {
			t.Errorf("the arena is %+v", a)
		}
	})
	for range 2 {
		do(t, c, client.Intent{Do: "act", Name: "hurt"})
	}
	if n := <-told; n.Name != "promise_broken" || n.With["promise"] != "No hull is below nothing" {
		t.Errorf("told %+v", n)
	}
	sh.has(sh.run(1, "", "cut", code), "needs a seat") // of another player
	text := sh.run(0, "", "cut", "-key-file", sh.keyFile, "-rulebook", "vow.yaml", code)
	sh.has(text, "#! practice\n#! option arena=reef\n", " Mara hurt\n", "Mara hull: 2 -> -1",
		"promise broken for Mara: No hull is below nothing")
	tale := sh.file("odd.story", text)
	sh.has(sh.run(1, "", "stories", tale), "it breaks a promise: No hull is below nothing", "0 of 1")
	changed := strings.Replace(strings.Replace(vowBook, "name: vow", "name: "+name, 1), "by: -3", "by: -2", 1)
	if err := os.WriteFile(rules, []byte(changed), 0o600); err != nil {
		t.Fatal(err)
	}
	sh.has(sh.run(1, "", "stories", sh.dir), tale+":", "it differs", "hull: 5 -> 2", "hull: 5 -> 3")
	report := filepath.Join(sh.dir, "report.xml")
	sh.has(sh.run(0, "", "stories", "-accept", "-junit", report, sh.dir), "1 of 1", "1 of them written anew")
	sh.has(sh.run(0, "", "stories", tale), "1 of 1 go as they are written.")
	if data, err := os.ReadFile(report); err != nil || !strings.Contains(string(data), `tests="1" failures="0"`) {
		t.Errorf("%v: %s", err, data)
	}
	sh.has(sh.run(1, "", "stories", sh.file("none.txt", "at 0s Mara enters\n")), "which rulebook")
	plain := lobby(t, mara, client.Opening{Rulebook: name})
	sh.has(sh.run(1, "", "cut", "-key-file", sh.keyFile, plain), "only practice lobbies")
}
