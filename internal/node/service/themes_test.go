package service_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

// themes are the parts of the suite, by the beginnings of their tests' names. Each runs in a process of its own, with a
// database and a node of its own, beside the others; what no theme names is one too. A run with -run is one process.
var themes = []struct{ name, tests string }{
	{"console", "Console"},
	{"programs", "CommandLine|LobbyCommands|FirstMatch|TypeScript|Python|ClientsPage|Readme|Example|Terminal|" +
		"Stories|Drawn|PagesName"},
	{"nodes", "AnyNode|Node|Killed|Lease|Peer|Messages|TakeOver|Drain|Move|Away|Kept|Held|Follow|Slow|Meter|Copies|" +
		"Playback|Journal"},
}

// themeVariable is set in the process of a theme: where it writes which routes have answered.
const themeVariable = "TURNVEX_TEST_THEME"

// runThemes runs every theme, and tells whether it did: not where some tests were chosen.
func runThemes() (status int, did bool) {
	if os.Getenv(themeVariable) != "" || flag.Lookup("test.run").Value.String() != "" ||
		flag.Lookup("test.list").Value.String() != "" || flag.Lookup("test.bench").Value.String() != "" {
		return 0, false
	}
	dir, err := os.MkdirTemp("", "themes")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1, true
	}
	defer os.RemoveAll(dir)
	var own, all []string
	for _, a := range os.Args[1:] { // what go test hands over for this process alone stays here
		if !strings.HasPrefix(a, "-test.testlogfile") && !strings.HasPrefix(a, "-test.coverprofile") &&
			!strings.HasPrefix(a, "-test.gocoverdir") {
			own = append(own, a)
		}
	}
	for _, x := range themes {
		all = append(all, x.tests)
	}
	var wait sync.WaitGroup
	var mu sync.Mutex
	run := func(name, flag string) {
		file := filepath.Join(dir, name)
		args := append([]string{flag, "-test.testlogfile=" + file + ".log"}, own...)
		wait.Go(func() {
			cmd := exec.Command(os.Args[0], args...)
			cmd.Env = append(os.Environ(), themeVariable+"="+file)
			out, err := cmd.CombinedOutput()
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				status = 1
				fmt.Printf("theme %s: %v\n", name, err)
			}
			if testing.Verbose() || err != nil {
				os.Stdout.Write(out)
			}
		})
	}
	for _, x := range themes {
		run(x.name, "-test.run=^Test("+x.tests+")")
	}
	run("rest", "-test.skip=^Test("+strings.Join(all, "|")+")")
	wait.Wait()
	logs, _ := filepath.Glob(filepath.Join(dir, "*.log"))
	for _, l := range logs {
		lookedAt(l)
	}
	if why := unanswered(dir); len(why) > 0 && status == 0 {
		fmt.Fprintln(os.Stderr, "FAIL: docs/openapi.json:", strings.Join(why, "; "))
		status = 1
	}
	return status, true
}

// lookedAt looks at the files that a theme has looked at, so that go test knows that this result depends on them.
func lookedAt(log string) {
	data, _ := os.ReadFile(log)
	for line := range bytes.Lines(data) {
		what, name, _ := strings.Cut(strings.TrimSpace(string(line)), " ")
		switch what {
		case "open", "stat":
			os.Stat(name)
		case "getenv":
			os.Getenv(name)
		}
	}
}

// unanswered are the routes that have answered with their success in no theme.
func unanswered(dir string) (out []string) {
	doc, err := readDocument()
	if err != nil {
		return []string{err.Error()}
	}
	files, _ := filepath.Glob(filepath.Join(dir, "*.routes"))
	for _, f := range files {
		data, _ := os.ReadFile(f)
		var seen []string
		if json.Unmarshal(data, &seen) == nil {
			for _, r := range seen {
				doc.seen[r] = true
			}
		}
	}
	for _, r := range doc.routes {
		if strings.HasPrefix(r.path, "/v1/") && r.path != "/v1/live" && !doc.seen[r.method+" "+r.path] {
			out = append(out, r.method+" "+r.path+" has never answered with its success")
		}
	}
	return out
}
