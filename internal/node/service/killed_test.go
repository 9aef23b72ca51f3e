package service_test

import (
	"bufio"
	"bytes"
	"cmp"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/service"
)

// served is the program as a process of its own, on a database of its own.
type served struct {
	t        *testing.T
	bin      string
	database string
	address  string
	cmd      *exec.Cmd
	node     string // its name; node1 if it is empty
}

func (s *served) start() {
	s.t.Helper()
	listen := "127.0.0.1:0"
	if s.address != "" {
		listen = strings.TrimPrefix(s.address, "http://")
	}
	s.cmd = exec.CommandContext(s.t.Context(), s.bin, "serve", "-listen", listen, "-rulebooks", "testdata", "-node",
		cmp.Or(s.node, "node1"))
	s.cmd.Env = append(os.Environ(), "TURNVEX_DATABASE="+s.database, "TURNVEX_OPERATOR_KEY="+killKey)
	s.cmd.Stderr = os.Stderr
	out, err := s.cmd.StdoutPipe()
	if err != nil {
		s.t.Fatal(err)
	}
	if err := s.cmd.Start(); err != nil {
		s.t.Fatal(err)
	}
	lines := bufio.NewScanner(out)
	lines.Scan()
	if s.address = regexp.MustCompile(`http://[0-9.:]+`).FindString(lines.Text()); s.address == "" {
		s.t.Fatalf("it says %q", lines.Text())
	}
}

func (s *served) end(with syscall.Signal) {
	s.cmd.Process.Signal(with)
	s.cmd.Wait()
}

const killKey = "the-key-of-a-node-that-dies"

// TestNodeThatDies: a node is killed in the midst of a match, and once more it is stopped in order; each time it is
// started again, players are back in their seats by themselves, with what they had; time did not pass meanwhile; the
// match goes on to its result.
func TestNodeThatDies(t *testing.T) {
	s := &served{t: t, bin: filepath.Join(t.TempDir(), "turnvex"), database: emptyDatabase(t)}
	program(t, "go", "build", "-o", s.bin, "turnvex.example/turnvex/cmd/turnvex")
	s.start()
	var in []*client.Signed
	for _, name := range []string{"Mara", "Joss", "Ines"} {
		one, err := client.SignIn(soon(t), s.address, "a-device-that-outlives-it-"+name, name)
		if err != nil {
			t.Fatal(err)
		}
		in = append(in, one)
	}
	as := func(i int) client.Service { return client.Service{Address: s.address, Token: in[i].Token} }
	l, err := as(0).Open(soon(t), client.Opening{Rulebook: "duel", Options: map[string]any{"goal": 9},
		Title: "The long one"})
	if err != nil {
		t.Fatal(err)
	}
	var conns []*client.Conn
	for i := range 2 {
		c, err := client.Connect(soon(t), client.Options{Address: s.address, Token: in[i].Token, Lobby: l.Code})
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		conns = append(conns, c)
	}
	play(t, conns...)
	if _, err := service.Start(soon(t), service.Config{Database: s.database}); err == nil ||
		!strings.Contains(err.Error(), `another node called "node1"`) {
		t.Errorf("a second node of the name: %v", err)
	}
	mara, joss := conns[0], conns[1]
	var target uint32
	mara.Read(func(c *client.Copy) {
		for _, p := range c.Players() {
			if p.ID != mara.Seat() {
				target = p.ID
			}
		}
	})
	for round, with := range []syscall.Signal{syscall.SIGKILL, syscall.SIGTERM, syscall.SIGKILL} {
		do(t, mara, client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": round + 3}})
		do(t, joss, client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": round + 4}})
		until(t, mara, "the ram may be used", func(c *client.Copy) bool { return c.Seat(target).Flag("alive") })
		do(t, mara, client.Intent{Do: "act", Name: "ram", Target: target})
		// What is acknowledged only when it is kept keeps what was before it.
		if err := as(2).Call(soon(t), http.MethodPost, "/v1/lobbies/"+l.Code+"/seat", map[string]any{},
			nil); err != nil {
			t.Fatal(err)
		}
		if err := as(2).Call(soon(t), http.MethodDelete, "/v1/lobbies/"+l.Code+"/seat", nil, nil); err != nil {
			t.Fatal(err)
		}
		var hull, clock int64
		mara.Read(func(c *client.Copy) { hull, clock = c.Seat(target).Int("hull"), c.Clock(c.Match(), "clock") })
		seats := []uint32{mara.Seat(), joss.Seat()}
		s.end(with)
		away := time.Now()
		s.start()
		for i, c := range conns {
			err := c.Do(soon(t), client.Intent{Do: "act", Name: "hail"}) // as soon as it is back
			if code := client.CodeOf(err); code != "" && code != "you-are-out" {
				t.Fatalf("%s: %v", with, err)
			}
			if c.Seat() != seats[i] {
				t.Errorf("%s: seat %d became %d", with, seats[i], c.Seat())
			}
			c.Read(func(x *client.Copy) {
				if got := x.Me().Int("plan"); got != int64(round+3+i) {
					t.Errorf("%s: the plan is %d", with, got)
				}
			})
		}
		mara.Read(func(c *client.Copy) {
			if got := c.Seat(target).Int("hull"); got != hull && got != 100 { // out, and back meanwhile
				t.Errorf("%s: the hull was %d and is %d", with, hull, got)
			}
			moved := max(c.Clock(c.Match(), "clock")-clock, clock-c.Clock(c.Match(), "clock"))
			if most := time.Since(away) + 100*time.Millisecond; moved > most.Milliseconds() {
				t.Errorf("%s: the clock moved by %d ms within %s", with, moved, most)
			}
		})
	}
	key, err := client.SignInKey(soon(t), s.address, killKey)
	if err != nil {
		t.Fatal(err)
	}
	op := client.Service{Address: s.address, Token: key.Token}
	if err := op.EndMatch(soon(t), l.Code, "the test is over"); err != nil {
		t.Fatal(err)
	}
	until(t, mara, "the result is kept", func(*client.Copy) bool {
		list, err := op.Matches(soon(t), map[string][]string{"lobby": {l.Code}})
		return err == nil && len(list) == 1 && len(list[0].Result.Players) >= 2
	})
	var file bytes.Buffer
	if err := op.Journal(soon(t), l.Code, &file); err != nil {
		t.Fatal(err)
	}
	rp, err := journal.Open(&file)
	if err != nil {
		t.Fatal(err)
	}
	if err := rp.RunTo(-1); err != io.EOF || rp.Inputs < 20 {
		t.Errorf("the journal plays back %d inputs: %v", rp.Inputs, err)
	}
	if players := rp.M.Store().Of(sheet.Player); len(players) < 2 || players[0].Text(rp.Book.F.Player.Name) != "Mara" {
		t.Errorf("played back, %d players are there", len(players))
	}
	wants(t, "no journal", op.Journal(soon(t), "QQQQQQ", io.Discard), "no-such-lobby")
	s.end(syscall.SIGTERM)
}
