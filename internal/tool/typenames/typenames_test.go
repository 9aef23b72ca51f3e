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
		`import type { ActionName, Actions, MatchFields, Notices, PhaseName, PlayerFields } from './names'

const hull: PlayerFields['hull'] = 75
const at: PlayerFields['pos'] = [1, 2]
const phase: MatchFields['phase'] = 'sudden'
const same: PhaseName = phase
const action: ActionName = 'ram'
const none: Actions['ram'] = {}
const told: Notices['rammed'] = { by: 5, whom: 6 }
export { hull, at, same, action, none, told }
`,
		"'hull'",
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
		tsc, _ := filepath.Abs("../../../clients/typescript/node_modules/.bin/tsc")
		try = func() error { return build(t, dir, tsc, "--noEmit", "--strict", "use.ts") }
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
