package service_test

import (
	"bytes"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"

	"turnvex/client"
	"turnvex/internal/cli"
	"turnvex/internal/termview"
)

// turnvex runs a command line and returns what it wrote and its status.
func turnvex(t *testing.T, stdin string, args ...string) (stdout, stderr string, status int) {
	t.Helper()
	var out, err bytes.Buffer
	status = cli.Main(args, &cli.Terminal{In: strings.NewReader(stdin), Out: &out, Err: &err})
	return out.String(), err.String(), status
}

// TestCommandLine uses every command as a person and as a program would.
func TestCommandLine(t *testing.T) {
	t.Setenv("TURNVEX_HOME", t.TempDir())
	t.Setenv("TURNVEX_SERVICE", node.Address)
	dir := t.TempDir()
	first, bad := filepath.Join(dir, "first.yaml"), filepath.Join(dir, "bad.yaml")
	os.WriteFile(bad, []byte("turnvex: 1\nname: bad\nphases: {play: {lenght: 3s}}\n"), 0o600)
	run := func(want int, stdin string, args ...string) string {
		t.Helper()
		out, errs, status := turnvex(t, stdin, args...)
		if status != want {
			t.Fatalf("turnvex %s: status %d, not %d\n%s%s", strings.Join(args, " "), status, want, out, errs)
		}
		return out + errs
	}
	has := func(text string, parts ...string) {
		t.Helper()
		for _, p := range parts {
			if !strings.Contains(text, p) {
				t.Errorf("%q is missing in:\n%s", p, text)
			}
		}
	}
	has(run(0, ""), "serve", "check", "join", "board")
	has(run(2, "", "chekc"), `did you mean "check"?`)
	has(run(2, "", "check"), "0 arguments", "check -h")
	has(run(2, "", "lobbies", "-spede"), "-spede")
	has(run(2, "", "serve"), "TURNVEX_DATABASE")
	has(run(0, "", "serve", "-h"), "-listen", "TURNVEX_LISTEN", "127.0.0.1:7420", "-region", "-log")
	has(run(0, "", "new", first, "-name", "mine"), "turnvex check")
	has(run(1, "", "new", first), "not overwritten")
	has(run(0, "", "check", first), "mine", "can be played")
	has(run(1, "", "check", first, bad), bad+":3:17: error:", `did you mean "length"?`, "1 error, ")
	keyFile := filepath.Join(dir, "key")
	os.WriteFile(keyFile, []byte(operatorKey+"\n"), 0o600)
	has(run(2, "", "load", first), "TURNVEX_OPERATOR_KEY")
	has(run(1, "", "load", "-key-file", keyFile, bad), bad+":3:17: error:")
	has(run(0, "", "load", "-key-file", keyFile, first), "mine", "is loaded")
	has(run(0, "", "schema"), `"$schema"`)
	var report struct {
		OK       bool
		Problems []struct{ Line, Column int }
	}
	if err := json.Unmarshal([]byte(run(1, "", "check", "-json", bad)), &report); err != nil || report.OK || report.Problems[0].Column != 17 {
		t.Errorf("check -json: %+v, %v", report, err)
	}
	has(run(0, "", "sign-in", "-name", "Ruben Ask"), "Signed in at", "Ruben Ask")
	has(run(0, "", "sign-in"), "again")
	has(run(1, "", "rename", "\t"), "bad-name")
	has(run(0, "", "rename", "Ruben Vale"), "Ruben Vale")
	has(run(0, "", "rulebooks"), "duel", "clash", "2-6")
	out := run(0, "", "open", "duel", "-only", "-title", "From a terminal", "-option", "goal=9")
	code := regexp.MustCompile(`join ([A-Z2-9]{6})`).FindStringSubmatch(out)[1]
	has(run(1, "", "open", "duel", "-option", "goal=200"), "from 1 to 99", "bad-option")
	has(run(0, "", "lobbies"), code, "From a terminal", "0/6")
	var l client.Lobby
	if err := json.Unmarshal([]byte(strings.SplitN(run(0, "", "lobbies", "-json"), "\n", 2)[0]), &l); err != nil || l.Code == "" {
		t.Errorf("lobbies -json: %+v, %v", l, err)
	}
	out = run(0, `{"do":"ready"}`+"\n"+`{"do":"act","name":"ram"}`+"\n"+`{"doo":"x"}`+"\n", "join", "-json", code)
	has(out, `"kind":"player","field":"ready","old":false,"new":true`, `"ok":true`, `"code":"not-now"`, `"code":"bad-message"`)
	has(run(1, "", "join", "-json", "NOSUCH"), "no-such-lobby")
	has(run(0, "", "results", "-rulebook", "bell"), "No match has ended yet.")
	if _, err := client.SignIn(soon(t), node.Address, "a-device-key-for-the-board", "Board Keeper"); err != nil {
		t.Fatal(err)
	}
	has(run(0, "", "board", "duel", "points"), "points (duel)")
	has(run(1, "", "board", "duel", "nope"), "no-such-board")
	has(run(1, "", "lobbies", "-service", "http://127.0.0.1:1"), "does not answer")
}

// screen is a terminal's output that can be waited for.
type screen struct {
	mu   sync.Mutex
	text strings.Builder
	more chan struct{}
}

func (s *screen) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.text.Write(p)
	select {
	case s.more <- struct{}{}:
	default:
	}
	return len(p), nil
}

func (s *screen) until(t *testing.T, part string) {
	t.Helper()
	done := soon(t)
	for {
		s.mu.Lock()
		text := s.text.String()
		s.mu.Unlock()
		if strings.Contains(text, part) {
			return
		}
		select {
		case <-s.more:
		case <-done.Done():
			t.Fatalf("the screen never shows %q:\n%q", part, text)
		}
	}
}

// TestTerminalView plays with keys: ready, target, an action and its refusal, leave.
func TestTerminalView(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel"})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	keys, typing := io.Pipe()
	s := &screen{more: make(chan struct{}, 1)}
	left := make(chan bool, 1)
	go func() {
		l, err := termview.Run(t.Context(), termview.Options{Conn: a, Play: true, In: keys, Out: s, Width: 120, Height: 40})
		if err != nil {
			t.Error(err)
		}
		left <- l
	}()
	press := func(k string) { io.WriteString(typing, k) }
	s.until(t, "not ready")
	press("\r")
	until(t, b, "Mara is ready", func(c *client.Copy) bool { return c.Seat(a.Seat()).Flag("ready") })
	do(t, b, client.Intent{Do: "ready"})
	until(t, b, "play", func(c *client.Copy) bool { return c.Match().Text("phase") == "play" })
	press("1")
	s.until(t, "needs a target")
	press("\t1")
	until(t, b, "the hit", func(c *client.Copy) bool { return c.Me().Int("hull") == 40 })
	press("\x1b[C")
	until(t, b, "Mara moves east", func(c *client.Copy) bool { v, _ := c.Seat(a.Seat()).Get("pos"); return v.N[0] > 6500 })
	press("q")
	if !<-left {
		t.Error("q was not taken as leaving")
	}
}
