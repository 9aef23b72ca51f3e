package lobby_test

import (
	"encoding/binary"
	"encoding/json"
	"flag"
	"fmt"
	"hash"
	"hash/fnv"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/state"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/script"
)

var update = flag.Bool("update", false, "write what happens into the scripts")

// TestScripts plays the stories in testdata. A story is a text: head lines (rulebook FILE, or an indented rulebook of
// its own; seed N; practice), then steps behind "> ", each followed by all that it led to. -update writes that anew.
func TestScripts(t *testing.T) {
	files, err := filepath.Glob("testdata/*.txt")
	if err != nil || len(files) == 0 {
		t.Fatal("no scripts", err)
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".txt"), func(t *testing.T) { playScript(t, file) })
	}
}

func playScript(t *testing.T, file string) {
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	var st, twin *script.Stage
	var rep *script.Reporter
	var book *rulebook.Book
	setup := lobby.Setup{Code: "SCRIPT", Seed: 1, Hidden: true}
	h := fnv.New64a()
	var src, got strings.Builder
	for n, line := range strings.Split(strings.TrimSuffix(string(data), "\n"), "\n") {
		if line == "> hash" { // the whole state, hidden parts included: the same on every machine
			break
		}
		if !strings.HasPrefix(line, "> ") {
			if st != nil {
				continue // expected output, written anew
			}
			fmt.Fprintln(&got, line)
			word, rest, _ := strings.Cut(line, " ")
			switch {
			case word == "rulebook":
				book = load(t, filepath.Join("testdata", rest))
			case word == "seed":
				setup.Seed, _ = strconv.ParseUint(rest, 10, 64)
			case word == "practice":
				setup.Practice = true
			case strings.HasPrefix(line, "    "):
				fmt.Fprintln(&src, line[4:])
			}
			continue
		}
		if st == nil {
			if book == nil {
				var problems rulebook.Problems
				if book, problems = rulebook.Compile([]byte(src.String())); book == nil {
					t.Fatalf("%s:\n%s", file, problems.Error())
				}
			}
			st = script.NewStage(book, setup)
			rep = script.Report(st)
			st.Out = way(h, st)
			twin = script.NewStage(book, setup)
		}
		fmt.Fprintln(&got, line)
		step, _, err := script.ParseLine(line[2:], n+1)
		if err == nil {
			err = st.Do(step)
			twin.Do(step)
			twin.M = restored(t, twin.M)
		}
		if err != nil {
			fmt.Fprintln(&got, "error:", err)
		}
		for _, l := range rep.Lines() {
			fmt.Fprintln(&got, l)
		}
		if st.M.Hash() != twin.M.Hash() {
			t.Fatalf("%s:%d: after %q a lobby that is restored after each step differs: %v", file, n+1, line,
				state.Compare(st.M.Lines(), twin.M.Lines(), 5))
		}
		if err := st.M.Check(); err != nil {
			t.Fatalf("%s:%d: after %q: %v", file, n+1, line, err)
		}
	}
	fmt.Fprintf(&got, "> hash\n%016x, by way of %016x\n", st.M.Hash(), h.Sum64())
	if *update {
		if err := os.WriteFile(file, []byte(got.String()), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	if got.String() != string(data) {
		t.Errorf("%s differs (go test ./internal/core/lobby -run Scripts -update writes it anew, git diff shows):\n%s",
			file, firstDifference(string(data), got.String()))
	}
}

// way adds to a hash what each input has led to: the whole state, and what is asked of the driver.
func way(h hash.Hash64, st *script.Stage) func(*step.Output) {
	say := st.Out
	return func(out *step.Output) {
		for _, e := range out.Effects {
			e.Result = nil // it names the rulebook's version; its lines are told
			json.NewEncoder(h).Encode(e)
		}
		binary.Write(h, binary.BigEndian, st.M.Hash())
		say(out)
	}
}

// restored is a lobby made anew from its checkpoint.
func restored(t testing.TB, l *lobby.Lobby) *lobby.Lobby {
	t.Helper()
	again, err := lobby.Restore(l.Book(), l.Save())
	if err != nil {
		t.Fatal(err)
	}
	return again
}

func firstDifference(want, got string) string {
	w, g := strings.Split(want, "\n"), strings.Split(got, "\n")
	for i := range g {
		if i >= len(w) || w[i] != g[i] {
			return fmt.Sprintf("line %d\nwant %s\ngot  %s", i+1, append(w, make([]string, len(g))...)[i], g[i])
		}
	}
	return fmt.Sprintf("line %d is missing: %s", len(g)+1, w[len(g)])
}
