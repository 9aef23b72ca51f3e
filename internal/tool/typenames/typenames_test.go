package typenames_test

import (
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

import n "names/clashnames"

func main() {
	println(n.Rulebook, n.PlayerHull, n.TeamPoints, n.MatchPhase, n.MatchPhaseIsSudden, n.ActionRam, n.NoticeRammed, n.NoticeRammedWhom, n.PhaseNamedPlay, n.TeamNamedTeal, n.BoardNamedLanterns)
}
`, "n.PlayerHull"},
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
		write("go.mod", "module names\n\ngo 1.26\n")
		write("clashnames/names.go", text)
		try = func() error { return build(t, dir, "go", "vet", "./...") }
	case "typescript":
		write("names.ts", text)
		client, _ := filepath.Abs("../../../clients/typescript")
		there := strings.NewReplacer("CLIENT", client+"/dist/index.js")
		write("mistakes.ts", there.Replace(mistakes))
		use.text = there.Replace(use.text)
		try = func() error {
			return build(t, dir, client+"/node_modules/.bin/tsc", "--noEmit", "--strict", "--module", "es2022", "--target",
				"es2022", "--moduleResolution", "bundler", "--lib", "es2023,dom", "--types", "", "use.ts", "mistakes.ts")
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
