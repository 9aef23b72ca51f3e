package service_test

import (
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/charmbracelet/x/vt"
	"github.com/creack/pty"

	"turnvex.example/turnvex/internal/tool/trial"
)

// TestFirstMatch plays the README's first match to its end: its own lines, in two pseudo-terminals, reading what is
// drawn and pressing the keys that the page names.
func TestFirstMatch(t *testing.T) {
	pages := blocks(t, "../../../README.md", "")
	var first, second string
	for _, p := range pages {
		if strings.Contains(p, "turnvex new first.yaml") {
			first = p
		} else if strings.Contains(p, "join -profile second CODE") {
			second = strings.TrimSpace(p)
		}
	}
	dir := firstFolder(t)
	var mine *terminal
	for _, line := range strings.Split(strings.TrimSpace(first), "\n") {
		mine = inTerminal(t, dir, line)
		if strings.Contains(line, " open ") {
			break
		}
		if err := mine.cmd.Wait(); err != nil {
			t.Fatalf("%s: %v\n%s", line, err, mine.text())
		}
		if strings.Contains(line, " new ") { // a shorter match, as the page says one may
			file := filepath.Join(dir, "first.yaml")
			src, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			src = []byte(strings.Replace(string(src), "lasts: 60s", "lasts: 5s", 1))
			if err := os.WriteFile(file, src, 0o600); err != nil {
				t.Fatal(err)
			}
		}
	}
	code := regexp.MustCompile(`\b[A-Z2-9]{6}\b`).FindString(mine.shows("a code", `(?m)\A.*\b[A-Z2-9]{6}\b`))
	other := inTerminal(t, dir, strings.Replace(second, "CODE", code, 1))
	other.shows("both seats", `2 of 8 seats`)
	mine.shows("both seats", `2 of 8 seats`)
	mine.press("\r")
	other.shows("that one is ready", ` ready`)
	other.press("\r")
	mine.shows("the phase play", `(?m)^play `)
	mine.press("1")
	mine.shows("the point", `• .* points 1 `)
	other.shows("the other one's point", `(?m)^  .* points 1 `)
	mine.shows("that one has won", `(?s)over: .*you have won`)
	other.shows("that one has lost", `(?s)over: .*you have lost`)
	for _, x := range []*terminal{other, mine} {
		x.press("q")
		x.shows("that one has left", `You have left\.`)
		if err := x.cmd.Wait(); err != nil {
			t.Error(err)
		}
	}
}

// firstFolder is a folder in which the README's lines work as in the project's own beside a running demo.
func firstFolder(t *testing.T) string {
	dir := t.TempDir()
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{
		"bin/turnvex":           fmt.Sprintf("#!/bin/sh\n%s=1 exec %s \"$@\"\n", asProgram, self),
		".turnvex/operator-key": operatorKey + "\n",
	} {
		os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o700)
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o700); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// terminal is a pseudo-terminal of 120 by 40 with a program in it.
type terminal struct {
	t       *testing.T
	cmd     *exec.Cmd
	keys    *os.File
	mu      sync.Mutex
	screen  *vt.Emulator  // guarded by mu
	changed chan struct{} // what is drawn has changed
}

// inTerminal runs a line of a shell in a folder.
func inTerminal(t *testing.T, dir, line string) *terminal {
	t.Helper()
	x := &terminal{t: t, screen: vt.NewEmulator(120, 40), changed: make(chan struct{}, 1)}
	x.cmd = exec.CommandContext(t.Context(), "sh", "-c", "exec "+line)
	x.cmd.Dir = dir
	x.cmd.Env = append(os.Environ(), "TURNVEX_HOME="+dir, "TURNVEX_SERVICE="+node.Address, "TERM=xterm-256color")
	keys, err := pty.StartWithSize(x.cmd, &pty.Winsize{Rows: 40, Cols: 120})
	if err != nil {
		t.Fatal(err)
	}
	x.keys = keys
	var all sync.WaitGroup
	all.Go(func() { io.Copy(x, keys); x.screen.Close() })
	all.Go(func() { io.Copy(keys, x.screen) }) // what a terminal answers
	t.Cleanup(func() { keys.Close(); all.Wait() })
	return x
}

// Write draws.
func (x *terminal) Write(p []byte) (int, error) {
	x.mu.Lock()
	n, err := x.screen.Write(p)
	x.mu.Unlock()
	select {
	case x.changed <- struct{}{}:
	default:
	}
	return n, err
}

func (x *terminal) text() string {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.screen.String()
}

func (x *terminal) press(key string) {
	if _, err := io.WriteString(x.keys, key); err != nil {
		x.t.Error(err)
	}
}

// shows waits until what is drawn matches a pattern, and returns it.
func (x *terminal) shows(what, pattern string) string {
	x.t.Helper()
	re, late := regexp.MustCompile(pattern), time.After(time.Minute*trial.Patience)
	for {
		text := x.text()
		if re.MatchString(text) {
			return text
		}
		select {
		case <-x.changed:
		case <-late:
			x.t.Fatalf("waited in vain for %s (%s); the terminal shows\n%s", what, pattern, text)
		}
	}
}
