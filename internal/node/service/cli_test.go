package service_test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/cli"
	"turnvex.example/turnvex/internal/tool/termview"
)

// turnvex runs a command line and returns what it wrote and its status.
func turnvex(t *testing.T, stdin string, args ...string) (stdout, stderr string, status int) {
	t.Helper()
	var out, err bytes.Buffer
	status = cli.Main(args, &cli.Terminal{In: strings.NewReader(stdin), Out: &out, Err: &err})
	return out.String(), err.String(), status
}

// shell runs commands as one player would who has the operator's key in a file.
type shell struct {
	*testing.T
	dir, keyFile string
}

func newShell(t *testing.T) *shell {
	t.Setenv("TURNVEX_HOME", t.TempDir())
	t.Setenv("TURNVEX_SERVICE", node.Address)
	sh := &shell{T: t, dir: t.TempDir()}
	sh.keyFile = sh.file("key", operatorKey+"\n")
	return sh
}

func (sh *shell) file(name, text string) string {
	file := filepath.Join(sh.dir, name)
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		sh.Fatal(err)
	}
	return file
}

// run runs a command that must end with a status, and returns all that it wrote.
func (sh *shell) run(want int, stdin string, args ...string) string {
	sh.Helper()
	out, errs, status := turnvex(sh.T, stdin, args...)
	if status != want {
		sh.Fatalf("turnvex %s: status %d, not %d\n%s%s", strings.Join(args, " "), status, want, out, errs)
	}
	return out + errs
}

func (sh *shell) has(text string, parts ...string) {
	sh.Helper()
	for _, p := range parts {
		if !strings.Contains(text, p) {
			sh.Errorf("%q is missing in:\n%s", p, text)
		}
	}
}

// TestRememberedService: where the service of an earlier command is gone, the profile says that it chose the address.
func TestRememberedService(t *testing.T) {
	sh := newShell(t)
	t.Setenv("TURNVEX_SERVICE", "")
	profile := filepath.Join(os.Getenv("TURNVEX_HOME"), "far.json")
	if err := os.WriteFile(profile, []byte(`{"service": "http://127.0.0.1:1"}`), 0o600); err != nil {
		t.Fatal(err)
	}
	sh.has(sh.run(1, "", "lobbies", "-profile", "far"), "does not answer", "The profile far remembers this address")
	given := sh.run(1, "", "lobbies", "-profile", "far", "-service", "http://127.0.0.1:2")
	if strings.Contains(given, "remembers") {
		t.Errorf("an address that was given is said to be remembered:\n%s", given)
	}
}

// TestCommandLine uses commands as a person and as a program would.
func TestCommandLine(t *testing.T) {
	sh := newShell(t)
	run, has, keyFile := sh.run, sh.has, sh.keyFile
	first := filepath.Join(sh.dir, "first.yaml")
	bad := sh.file("bad.yaml", "turnvex: 1\nname: bad\nphases: {play: {lsats: 3s}}\n")
	has(run(0, ""), "serve", "check", "join", "board")
	has(run(2, "", "chekc"), `did you mean "check"?`)
	has(run(2, "", "check"), "0 arguments", "check -h")
	has(run(2, "", "lobbies", "-spede"), "-spede")
	has(run(2, "", "serve"), "TURNVEX_DATABASE")
	has(run(0, "", "serve", "-h"), "-listen", "TURNVEX_LISTEN", "127.0.0.1:7420", "-region", "-log")
	has(run(0, "", "new", first, "-name", "mine"), "turnvex check")
	has(run(1, "", "new", first), "not overwritten")
	has(run(0, "", "check", first), "mine", "can be played")
	has(run(1, "", "check", first, bad), bad+":3:17: error:", `did you mean "lasts"?`, "1 error, ")
	has(run(2, "", "publish", first), "TURNVEX_OPERATOR_KEY")
	has(run(1, "", "publish", "-key-file", keyFile, bad), bad+":3:17: error:")
	has(run(0, "", "publish", "-key-file", keyFile, first), "mine", "is published")
	has(run(0, "", "schema"), `"$schema"`)
	var report struct {
		OK       bool
		Problems []struct{ Line, Column int }
	}
	if err := json.Unmarshal([]byte(run(1, "", "check", "-json", bad)), &report); err != nil || report.OK ||
		report.Problems[0].Column != 17 {
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
	if err := json.Unmarshal([]byte(strings.SplitN(run(0, "", "lobbies", "-json"), "\n", 2)[0]), &l); err != nil ||
		l.Code == "" {
		t.Errorf("lobbies -json: %+v, %v", l, err)
	}
	out = run(0, `{"do":"ready"}`+"\n"+`{"do":"act","name":"ram"}`+"\n"+`{"doo":"x"}`+"\n", "join", "-json", code)
	has(
		out,
		`"kind":"player","field":"ready","old":false,"new":true`,
		`"ok":true`,
		`"code":"not-now"`,
		`"code":"bad-message"`,
	)
	has(run(0, `{"local":"Nod"}`+"\n", "join", "-json", code), `"is":"seated"`, `"ok":true`, `"new":"Nod"`)
	has(run(0, `{"local":"\u0009"}`+"\n"+`{"leave":4000}`+"\n", "join", "-json", code), `"code":"bad-name"`,
		`"is":"left"`)
	has(run(1, "", "join", "-json", "NOSUCH"), "no-such-lobby")
	has(run(0, "", "results", "-rulebook", "bell"), "No match that fits has ended yet.")
	if _, err := client.SignIn(soon(t), node.Address, "a-device-key-for-the-board", "Board Keeper"); err != nil {
		t.Fatal(err)
	}
	has(run(0, "", "board", "duel", "points"), "points (duel)")
	has(run(1, "", "board", "duel", "nope"), "no-such-board")
	has(run(1, "", "lobbies", "-service", "http://127.0.0.1:1"), "does not answer")
}

// TestLobbyCommands uses the commands on a lobby, on rehearsals and on accounts.
func TestLobbyCommands(t *testing.T) {
	sh := newShell(t)
	run, has := sh.run, sh.has
	book := sh.file("duel.yaml", string(source(t, "duel")))
	journal, chart := filepath.Join(sh.dir, "one.journal"), filepath.Join(sh.dir, "chart.svg")
	out := run(0, "", "rehearse", "-matches", "20", "-players", "4", "-journal", journal, "-chart", chart, book)
	has(out, "20 matches")
	if again := run(0, "", "rehearse", "-matches", "20", "-players", "4", "-workers", "1",
		book); firstLine(again) != firstLine(out) {
		t.Errorf("the same seed gives %q and %q", firstLine(out), firstLine(again))
	}
	has(run(0, "", "replay", journal), "Amber")
	has(run(0, "", "replay", "-to", "40", "-json", journal), `"tick":40`)
	if svg, err := os.ReadFile(chart); err != nil || !bytes.Contains(svg, []byte("<svg")) {
		t.Errorf("the chart: %v", err)
	}
	has(run(0, "", "types", "-lang", "typescript", book), "export interface PlayerFields", "hull: number")
	has(run(2, "", "types", "-lang", "latin", book), "go, typescript, csharp, cpp")
	has(run(2, "", "serve", "-database", "x", "-rough", "delay=1s"), "-practice")
	has(run(2, "", "serve", "-database", "x", "-practice", "-rough", "delay=fast"), `"delay=fast" is not understood`)

	meeting := variant(t)
	code := strings.TrimSpace(regexp.MustCompile(`[A-Z2-9]{6}`).FindString(run(0, "", "quick", "-only", meeting)))
	stdin, typing := io.Pipe()
	seen := &screen{more: make(chan struct{}, 1)}
	playing := make(chan int, 1)
	go func() {
		playing <- cli.Main([]string{"join", "-json", code}, &cli.Terminal{In: stdin, Out: seen, Err: seen})
	}()
	seen.until(t, `"field":"cool_ram"`)
	has(run(0, "", "ask", code, "ready"), "ccepted")
	seen.until(t, `"field":"ready","old":false,"new":true`)
	has(run(1, "", "ask", code, "act", "-name", "ram"), "not-now")
	has(run(0, "", "settings", code, "capacity=4", "title=Night round"), "changed")
	has(run(1, "", "settings", code, "capacity=400"), "out-of-range")
	has(run(0, "", "copies", "-key-file", sh.keyFile, code), "1 of 1 connection answered", "what it should be")
	has(run(0, "", "end", "-key-file", sh.keyFile, "-because", "late", code), "No match is running")
	has(run(0, "", "leave", code), "no seat there any more")
	typing.Close()
	if status := <-playing; status != 0 {
		t.Errorf("join ends with %d", status)
	}
	has(run(0, "", "close", "-key-file", sh.keyFile, code), "closed")

	var measured struct {
		Clients  int     `json:"clients"`
		Messages float64 `json:"messages_per_second"`
		Whole    float64 `json:"bytes_against_whole_state"`
	}
	out, _, _ = turnvex(t, "", "load", "-json", "-clients", "4", "-lobby", "2", "-for", "1s", "-warm-up", "1s", "-rate",
		"10", "-rough", "delay=5ms", "duel")
	if err := json.Unmarshal([]byte(out), &measured); err != nil || measured.Clients != 4 || measured.Messages < 20 ||
		measured.Whole <= 0 || measured.Whole > 0.5 {
		t.Errorf("load: %+v, %v\n%s", measured, err, out)
	}
	out, messages, _ := turnvex(t, "", "load", "-clients", "3", "-for", "1s", "-warm-up", "0.1s", "-rate", "0", "duel")
	has(out, "3 in 1 lobby, cbor", "0 a second", "refused                            none",
		"to every replica                   none")
	if messages != "" || strings.Count(out, "nothing") > 1 {
		t.Errorf("looking on: %s%s", out,
			messages) // progress is for terminals; the whole state is told even when nothing happens
	}
	var left int64
	if err := node.DB.WithContext(soon(t)).
		Raw("select count(*) from players where name like 'Load %'").
		Scan(&left).
		Error; err != nil ||
		left != 0 {
		t.Errorf("%d players of the load are left, %v", left, err)
	}
	has(run(1, "", "load", "nothing-like-it"), "no rulebook", "turnvex publish")

	key := "board-" + fresh()
	has(run(0, "", "keys", "-key-file", sh.keyFile, "-scopes", "referee", "make", key), key)
	has(run(0, "", "keys", "-key-file", sh.keyFile, "list"), key, "referee")
	has(run(0, "", "keys", "-key-file", sh.keyFile, "revoke", key), "revoked")
	t.Setenv("TURNVEX_PASSWORD", "lanterns at night")
	login := "odile-" + fresh()
	has(run(0, "", "account", "make", login), login)
	t.Setenv("TURNVEX_HOME", t.TempDir()) // another machine
	has(run(0, "", "sign-in", "-login", login), "Signed in")
	has(run(2, "", "account", "delete"), "-sure")
	has(run(0, "", "account", "-sure", "delete"), "deleted")
}

// TestResultsAndScripts: a match that was played shows in results and on the board as people and programs read it; a
// written match is told line by line; the listing is followed as it changes.
func TestResultsAndScripts(t *testing.T) {
	sh := newShell(t)
	run, has := sh.run, sh.has
	mara, joss := player(t, "Mara"), player(t, "Joss")
	book := variant(t)
	followed := &screen{more: make(chan struct{}, 1)}
	ended := make(chan int, 1)
	ctx, stop := context.WithCancel(t.Context())
	go func() {
		ended <- cli.Run(ctx, []string{"lobbies", "-follow", "-json", "-rulebook", book}, &cli.Terminal{Out: followed,
			Err: followed})
	}()
	code := lobby(t, mara, client.Opening{Rulebook: book, Title: "Followed round"})
	a, b := join(t, mara, client.Options{Lobby: code}), join(t, joss, client.Options{Lobby: code})
	followed.until(t, code)
	followed.until(t, `"seats":2`)
	stop()
	if status := <-ended; status != 0 && status != 130 {
		t.Errorf("following ends with %d: %s", status, followed.text.String())
	}
	playRound(t, a, b)
	untilSaved(t, a)
	text := run(0, "", "results", "-rulebook", book)
	has(text, "the goal was reached", "Amber", "won", "Joss", "lost", "POINTS")
	var m struct {
		Result struct {
			Because string `json:"because"`
		} `json:"result"`
	}
	if err := json.Unmarshal([]byte(firstLine(run(0, "", "results", "-json", "-most", "1", "-lobby", code))),
		&m); err != nil || m.Result.Because != "the goal was reached" {
		t.Errorf("results -json: %+v, %v", m, err)
	}
	has(run(0, "", "board", book, "points"), "1", "Mara", "2")
	has(run(0, "", "board", "-json", book, "points"), `"place":1`, `"value":2`)
	has(run(0, "", "results", "-mine"), "No match that fits has ended yet")

	duel := sh.file("duel.yaml", string(source(t, "duel")))
	script := sh.file(
		"one.txt",
		"at 0s Mara enters amber\nJoss enters teal\nat 1s all ready\nat 2s Mara ram Joss\nat 3s Mara ram Joss\nat "+
			"4s Mara ram Joss\nat 5s Mara ram Joss\n",
	)
	told := run(0, "", "rehearse", "-script", script, duel)
	has(told, "00:02.", "rammed", "Joss hull: 100 -> 40", "Joss alive: yes -> no", "the goal was reached")
	bad := sh.file("bad.txt", "at 0s Mara enters amber\nat soon Mara ready\n")
	has(run(1, "", "rehearse", "-script", bad, duel), "bad.txt", "line 2")
	endless := filepath.Join(t.TempDir(), "endless.yaml")
	if err := os.WriteFile(endless, []byte("turnvex: 1\nname: e\nactions: {a: {do: []}, b: {do: []}}\n"+
		"phases: {play: {lasts: 5s, next: play}}\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	has(run(1, "", "rehearse", "-matches", "2", "-limit", "30s", "-weight", "a=0", endless), "Not over at the limit",
		"action a")
	has(run(2, "", "rehearse", "-weight", "c=2", endless), "no action \"c\"")
	has(run(2, "", "rehearse", "-weight", "a=much", endless), "weight of a is much")
	has(run(1, "", "replay", script), "not a journal")
}

func firstLine(s string) string { line, _, _ := strings.Cut(s, "\n"); return line }

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
			t.Fatalf("the screen never shows %q:\n%q", part, text[max(len(text)-2000, 0):])
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
		l, err := termview.Run(t.Context(),
			termview.Options{Conn: a, Play: true, In: keys, Out: s, Width: 120, Height: 40})
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
	press("3")
	s.until(t, "what: ")
	press("q\x7f7\r") // what is typed is no command
	until(t, a, "the plan", func(c *client.Copy) bool { return c.Me().Int("plan") == 7 })
	press("\x1b[C")
	until(t, b, "Mara moves east",
		func(c *client.Copy) bool { v, _ := c.Seat(a.Seat()).Get("pos"); return v.N[0] > 6500 })
	press("\x10")
	until(t, b, "the pause", func(c *client.Copy) bool { return c.Match().Text("paused") == "yes" })
	s.until(t, "paused")
	press("\x10")
	until(t, b, "play goes on", func(c *client.Copy) bool { return c.Match().Text("paused") == "no" })
	wants(t, "ending it", operator(t).EndMatch(soon(t), lob, "the tide is out"), "")
	s.until(t, "drawn")
	s.until(t, "the tide is out")
	press("q")
	if !<-left {
		t.Error("q was not taken as leaving")
	}
}

// TestTerminalLocals: enter makes everybody on the connection ready, and nobody when it is pressed again.
func TestTerminalLocals(t *testing.T) {
	book := "book_" + fresh()
	src := "turnvex: 1\nname: " + book + "\nplayers: {least: 3, most: 4, local: 2}\nphases: {play: {lasts: 9s}}\n"
	if _, _, err := node.Library.Load(soon(t), []byte(src)); err != nil {
		t.Fatal(err)
	}
	mara := player(t, "Mara")
	a := join(t, mara,
		client.Options{Lobby: lobby(t, mara, client.Opening{Rulebook: book}), Locals: []string{"Little Mara"}})
	keys, typing := io.Pipe()
	s := &screen{more: make(chan struct{}, 1)}
	ended := make(chan error, 1)
	go func() {
		_, err := termview.Run(t.Context(),
			termview.Options{Conn: a, Play: true, In: keys, Out: s, Width: 120, Height: 40})
		ended <- err
	}()
	s.until(t, "not ready")
	for _, ready := range []bool{true, false} {
		io.WriteString(typing, "\r")
		until(t, a, "both are", func(c *client.Copy) bool {
			return c.Seat(a.Seats()[0]).Flag("ready") == ready && c.Seat(a.Seats()[1]).Flag("ready") == ready
		})
	}
	io.WriteString(typing, "q")
	if err := <-ended; err != nil {
		t.Error(err)
	}
}
