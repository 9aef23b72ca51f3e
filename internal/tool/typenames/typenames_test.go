package typenames_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/tool/typenames"
)

// uses are programs that use the names of the clash, and must compile; with a name that there is not they must not.
var uses = map[string]struct{ file, text, wrong string }{
	"go": {"main.go", `package main

import (
	n "names/clashnames"

	"turnvex.example/turnvex/client"
)

func main() { use(nil, nil) }

func use(c *client.Conn, copy *client.Copy) {
	var hull int64 = n.PlayerHull.Of(copy.Me())
	var wind float64 = n.PlayerWind.Of(copy.Me())
	sudden := n.MatchPhase.Of(copy.Match()) == n.MatchPhaseIsSudden
	c.Send(n.ActRam())
	in := n.ActHail()
	in.Expect = []client.Expected{n.PlayerHull.Expect(3), n.MatchPhase.ExpectOn(1, n.MatchPhaseIsRest)}
	c.Send(in)
	c.Send(n.JoinTeam(n.TeamNamedTeal))
	c.Send(n.Options{Target: new(int64(3)), Minutes: new(2.5)}.Intent())
	if told, ok := n.AsRammed(client.Notice{}); ok {
		println(told.Whom)
	}
	stop := n.PlayerHull.Watch(c, func(s *client.Sheet, old, now int64) { println(s.ID, now-old) })
	stop()
	println(n.Rulebook, n.Version, hull, wind, sudden, n.MatchClock.Of(copy, copy.Match()), n.BoardNamedLanterns)
}
`, "n.PlayerHull.Of"},
	"typescript": {
		"use.ts",
		`import { Connection, type Change } from 'CLIENT'
import type { ActionName, Actions, Clash, MatchFields, PhaseName, PlayerFields } from './names'

const at: PlayerFields['pos'] = [1, 2]
const phase: MatchFields['phase'] = 'sudden'
const same: PhaseName = phase
const action: ActionName = 'ram'
const none: Actions['ram'] = {}
const c = new Connection<Clash>({ address: '', lobby: '', onNotice: (n) => n.name === 'rammed' && take(n.with.whom) })
const hull: number = c.me!.num('hull')
const get: number | undefined = c.copy!.of('player')[0]?.get('hull')
const word: PhaseName = c.copy!.match!.text('phase')
c.watch({ kind: 'match', field: 'phase' }, (p) => take(p.now === 'play' ? 1 : 2))
c.watch({ kind: 'player', sheet: 3 }, () => undefined)
c.send({ do: 'act', name: 'ram', target: 3 }, { field: 'hull', value: 90 }, { sheet: 1, field: 'phase', value: 'rest' })
c.do({ do: 'team', name: 'amber' }).catch(() => c.do({ do: 'settings', args: { target: 3, title: 'Ours' } }))
c.do({ do: 'steer', at: [1000, 0] })
c.wait((copy) => copy.match?.flag('over'))
const drawn: number = c.frame().place(c.me)[0] + c.clock(c.copy!.match, 'clock')
const loose = new Connection({ address: '', lobby: '', onChange: (all: Change[]) => all.length })
loose.send({ do: 'anything', name: 'at all' }, { field: 'some', value: 3 })
const some: number = loose.me!.num('whatever')
function take(_: number) {}
export { hull, get, word, at, same, action, none, drawn, some }
`,
		"num('hull')",
	},
	"csharp": {},
	"cpp": {"use.cpp", `#include "names.h"
static_assert(turnvex::clash_names::PlayerFields::Hull == "hull");
static_assert(turnvex::clash_names::MatchPhaseWords::Sudden == "sudden");
static_assert(turnvex::clash_names::NoticeRammedFields::Whom == "whom");
`, "Fields::Hull"},
}

func build(t *testing.T, dir, name string, args ...string) error {
	t.Helper()
	cmd := exec.Command(name, args...)
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "GOFLAGS=-mod=mod", "GOWORK=off")
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Logf("%s: %s", cmd, out)
	}
	return err
}

// goMistakes has a mistake in each line that ends in wrong, none of which compiles.
const goMistakes = `package wrong

import (
	n "names/clashnames"

	"turnvex.example/turnvex/client"
)

func use(c *client.Conn, copy *client.Copy) {
	n.PlayerHall.Of(copy.Me())                                               // wrong
	var hull string = n.PlayerHull.Of(copy.Me())                             // wrong
	_ = n.MatchPhase.Of(copy.Match()) == n.MatchPhaseIsPlai                  // wrong
	_ = n.MatchPhase.Of(copy.Match()) == n.PieceKindIsLantern                // wrong
	c.Send(n.ActRum())                                                       // wrong
	c.Send(n.ActHail(3))                                                     // wrong
	c.Send(n.JoinTeam(n.TeamNamedAmbre))                                     // wrong
	c.Send(n.Options{Targets: new(int64(3))}.Intent())                       // wrong
	c.Send(n.Options{Target: new("three")}.Intent())                         // wrong
	_ = n.PlayerHull.Expect("three")                                         // wrong
	told, _ := n.AsRummed(client.Notice{})                                   // wrong
	rammed, _ := n.AsRammed(client.Notice{})
	println(hull, told, rammed.Whim)                                         // wrong
	n.PlayerHull.Watch(c, func(s *client.Sheet, old, now string) {})         // wrong
	n.RecordMatchs.Of(copy.Me())                                             // wrong
	_ = n.BoardNamedLantern                                                  // wrong
}
`

// mistakes are lines with one mistake each, which must not compile.
const mistakes = `import { Connection } from 'CLIENT'
import type { Clash } from './names'

const c = new Connection<Clash>({ address: '', lobby: '' })
const me = c.me!
// @ts-expect-error a field that there is not
me.num('hall')
// @ts-expect-error a field of another kind of sheet
me.get('phase')
// @ts-expect-error a text that is read as a number
me.num('name')
// @ts-expect-error a word that the choice does not have
const same = c.copy!.match!.text('phase') === 'plai'
// @ts-expect-error a value of another type
const hull: string | undefined = me.get('hull')
// @ts-expect-error a field that there is not, watched
c.watch({ kind: 'player', field: 'hall' }, () => undefined)
// @ts-expect-error a watched value of another type
c.watch({ kind: 'player', field: 'hull' }, (x) => x.now?.length)
// @ts-expect-error an action that there is not
c.do({ do: 'act', name: 'rum' })
// @ts-expect-error an argument that there is not
c.do({ do: 'act', name: 'ram', args: { hard: 3 } })
// @ts-expect-error an intent that there is not
c.do({ do: 'reddy' })
// @ts-expect-error a team that there is not
c.do({ do: 'team', name: 'ambre' })
// @ts-expect-error an option that there is not
c.do({ do: 'settings', args: { targets: 3 } })
// @ts-expect-error an option of another type
c.do({ do: 'settings', args: { target: 'three' } })
// @ts-expect-error an expected field that there is not
c.do({ do: 'ready' }, { field: 'hall', value: 3 })
// @ts-expect-error an expected value of another type
c.do({ do: 'ready' }, { field: 'hull', value: 'three' })
// @ts-expect-error a notice that there is not
new Connection<Clash>({ address: '', lobby: '', onNotice: (n) => n.name === 'rummed' })
// @ts-expect-error what a notice does not say
new Connection<Clash>({ address: '', lobby: '', onNotice: (n) => n.name === 'rammed' && n.with.whim })
// @ts-expect-error a record's field that there is not
c.copy!.of('record')[0]?.num('matchs')
// @ts-expect-error a clock that is none
c.clock(c.copy!.match, 'phase')
export { hull, same }
`

// TestNamesCompile: each demo rulebook's names are written in every language; those of the clash compile, and a name
// that has gone is found by the compiler.
func TestNamesCompile(t *testing.T) {
	files, err := filepath.Glob("../../../demo/rulebooks/*.yaml")
	if err != nil || len(files) < 3 {
		t.Fatal(files, err)
	}
	for _, file := range files {
		src, _ := os.ReadFile(file)
		book, problems := rulebook.Compile(src)
		if book == nil {
			t.Fatal(problems)
		}
		for _, language := range typenames.Languages() {
			text, err := typenames.Write(book, language)
			if err != nil || !strings.Contains(text, book.Version) {
				t.Errorf("%s in %s: %v", book.Name, language, err)
			}
			if book.Name == "clash" {
				compile(t, language, text)
			}
		}
	}
	if _, err := typenames.Write(nil, "latin"); err == nil {
		t.Error("latin is written")
	}
}

// noneCompiles: each line with a mistake is refused by the compiler.
func noneCompiles(t *testing.T, dir string) {
	cmd := exec.Command("go", "build", "-gcflags=-e", "./wrong")
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "GOFLAGS=-mod=mod", "GOWORK=off")
	out, _ := cmd.CombinedOutput()
	for i, line := range strings.Split(goMistakes, "\n") {
		said := strings.Contains(string(out), fmt.Sprintf("wrong.go:%d:", i+1))
		if said != strings.HasSuffix(line, "// wrong") {
			t.Errorf("the compiler says something of it: %v: %s\n%s", said, line, out)
		}
	}
}

func compile(t *testing.T, language, text string) {
	dir := t.TempDir()
	use := uses[language]
	write := func(name, text string) {
		if err := os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	var try func() error
	switch language {
	case "go":
		root, _ := filepath.Abs("../../..")
		mod, _ := os.ReadFile(filepath.Join(root, "go.mod")) // with all that is needed, so that nothing is fetched
		_, needs, _ := strings.Cut(string(mod), "\n")
		write("go.mod", "module names\n"+needs+"\nrequire turnvex.example/turnvex v0.0.0\n"+
			"replace turnvex.example/turnvex => "+root+"\n")
		sum, _ := os.ReadFile(filepath.Join(root, "go.sum"))
		write("go.sum", string(sum))
		write("clashnames/names.go", text)
		write("wrong/wrong.go", goMistakes)
		try = func() error { return build(t, dir, "go", "vet", ".") }
		noneCompiles(t, dir)
	case "typescript":
		write("names.ts", text)
		client, _ := filepath.Abs("../../../clients/typescript")
		there := strings.NewReplacer("CLIENT", client+"/dist/index.js")
		write("mistakes.ts", there.Replace(mistakes))
		page, _ := os.ReadFile("../../../docs/clients.md")
		_, example, _ := strings.Cut(string(page), "```typescript\n")
		example, _, is := strings.Cut(example, "```")
		if write("page.ts", strings.ReplaceAll(example, "turnvex-client", client+"/dist/index.js")); !is {
			t.Error("docs/clients.md has no example with names")
		}
		use.text = there.Replace(use.text)
		try = func() error {
			return build(t, dir, client+"/node_modules/.bin/tsc", "--noEmit", "--strict", "--module", "es2022",
				"--target", "es2022", "--moduleResolution", "bundler", "--lib", "es2023,dom", "--types", "", "use.ts",
				"mistakes.ts", "page.ts")
		}
	case "cpp":
		if _, err := exec.LookPath("g++"); err != nil {
			t.Log("there is no g++ here")
			return
		}
		write("names.h", text)
		try = func() error { return build(t, dir, "g++", "-std=c++17", "-fsyntax-only", "use.cpp") }
	default: // no compiler is asked for: every name stands there once, and braces are even
		if strings.Count(text, "{") != strings.Count(text, "}") ||
			!strings.Contains(text, `public const string Hull = "hull";`) {
			t.Errorf("%s:\n%s", language, text)
		}
		return
	}
	write(use.file, use.text)
	if err := try(); err != nil {
		t.Errorf("%s does not compile: %v", language, err)
	}
	write(use.file,
		strings.Replace(use.text, use.wrong, strings.NewReplacer("Hull", "Hall", "hull", "hall").Replace(use.wrong), 1))
	if try() == nil {
		t.Errorf("%s compiles with a name that there is not", language)
	}
}
