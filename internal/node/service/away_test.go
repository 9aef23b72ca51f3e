package service_test

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

// suffering is a node over a server that is made to suffer.
type suffering struct {
	t          *testing.T
	box        *pgbox.Box
	dir        string
	node       *service.Service
	in         [2]*client.Signed
	mara, joss *client.Conn
	op         client.Service
	code       string
	disk       bool // the server's disk can be filled
	plays      int64
}

// suffer starts one: on a disk of its own, where the system lets us make one.
func suffer(t *testing.T, cfg service.Config) *suffering {
	t.Helper()
	root, err := filepath.Abs("../../..")
	if err != nil {
		t.Fatal(err)
	}
	s := &suffering{t: t, dir: filepath.Join(pgbox.Folder(root), "suffering-"+fresh()+fmt.Sprint(os.Getpid()))}
	if err := os.MkdirAll(s.dir, 0o755); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(s.dir) })
	if err := syscall.Mount("none", s.dir, "tmpfs", 0, "size=256m"); err == nil {
		s.disk = true
		t.Cleanup(func() { syscall.Unmount(s.dir, 0) })
	} else {
		t.Logf("no disk can be made that may be filled, and so none is: %v", err)
	}
	if s.box, err = pgbox.Start(soon(t), pgbox.Options{Dir: filepath.Join(s.dir, "box"), Temp: true,
		Sure: true}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.box.Stop)
	cfg.Database, cfg.OperatorKey = s.box.Address, "the-key-of-a-node-that-suffers"
	s.node = another(t, cfg)
	if _, _, err := s.node.Library.Load(soon(t),
		[]byte(dashBook+"record: {steps: {value: me.steps, keep: total}}\n")); err != nil {
		t.Fatal(err)
	}
	for i, name := range []string{"Mara", "Joss"} {
		s.in[i], err = client.SignIn(soon(t), s.node.Address, "a-device-beside-a-bad-database-"+name, name)
		if err != nil {
			t.Fatal(err)
		}
	}
	key, err := client.SignInKey(soon(t), s.node.Address, "the-key-of-a-node-that-suffers")
	if err != nil {
		t.Fatal(err)
	}
	s.op = client.Service{Address: s.node.Address, Token: key.Token}
	l, err := at(s.node, s.in[0]).Open(soon(t), client.Opening{Rulebook: "dash"})
	if err != nil {
		t.Fatal(err)
	}
	s.code = l.Code
	s.mara, s.joss = s.join(0), s.join(1)
	return s
}

func (s *suffering) join(i int) *client.Conn {
	s.t.Helper()
	c, err := client.Connect(soon(s.t), client.Options{Address: s.node.Address, Token: s.in[i].Token, Lobby: s.code})
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(c.Close)
	return c
}

// sql does something in the database, by a connection of its own.
func (s *suffering) sql(statements ...string) {
	s.t.Helper()
	db, err := store.Open(soon(s.t), s.box.Address, nil)
	if err != nil {
		s.t.Fatal(err)
	}
	defer db.Close()
	pool, err := db.DB.DB()
	if err != nil {
		s.t.Fatal(err)
	}
	pool.SetMaxOpenConns(1) // one after the other, in one session
	for _, q := range statements {
		if err := db.WithContext(soon(s.t)).Exec(q).Error; err != nil {
			s.t.Fatalf("%s: %v", q, err)
		}
	}
}

// fault is what the server suffers, until the function that it returns is called.
type fault struct {
	name string
	do   func(s *suffering) (over func())
	slow bool // it still takes everything, only late
}

var faults = []fault{
	{name: "it is gone", do: func(s *suffering) func() {
		s.box.Crash()
		return s.again
	}},
	{name: "it hangs", do: func(s *suffering) func() {
		s.box.Hang(true)
		return func() { s.box.Hang(false) }
	}},
	{name: "it is slow", do: (*suffering).slow, slow: true},
	{name: "it only reads", do: func(s *suffering) func() {
		s.sql("alter system set default_transaction_read_only = on", "select pg_reload_conf()")
		return func() {
			s.sql("set default_transaction_read_only = off", "alter system reset default_transaction_read_only",
				"select pg_reload_conf()")
		}
	}},
	{name: "it has no connections left", do: (*suffering).crowd},
	{name: "its disk is full", do: (*suffering).fill},
}

// slow lets the server run for a moment, and stand still for ten times as long, again and again.
func (s *suffering) slow() func() {
	stop, done := make(chan bool), make(chan bool)
	go func() {
		defer close(done)
		for on := true; ; on = !on {
			s.box.Hang(on)
			wait := 40 * time.Millisecond
			if on {
				wait = 400 * time.Millisecond
			}
			select {
			case <-time.After(wait):
			case <-stop:
				s.box.Hang(false)
				return
			}
		}
	}()
	return func() { close(stop); <-done }
}

func (s *suffering) again() {
	s.t.Helper()
	if err := s.box.Again(soon(s.t)); err != nil {
		s.t.Fatal(err)
	}
}

// crowd takes all connections for itself.
func (s *suffering) crowd() func() {
	s.t.Helper()
	db, err := store.Open(soon(s.t), s.box.Address+"&application_name=crowd", nil)
	if err != nil {
		s.t.Fatal(err)
	}
	pool, err := db.DB.DB()
	if err != nil {
		s.t.Fatal(err)
	}
	pool.SetMaxOpenConns(100)
	pool.SetMaxIdleConns(100)
	first, err := pool.Conn(soon(s.t))
	if err != nil {
		s.t.Fatal(err)
	}
	for others := 1; others > 0; {
		if _, err := first.ExecContext(soon(s.t), "select pg_terminate_backend(pid, 1000) from pg_stat_activity where "+
			"application_name <> 'crowd' and backend_type = 'client backend'"); err != nil {
			s.t.Fatal(err)
		}
		for err = nil; err == nil; {
			_, err = pool.Conn(soon(s.t))
		}
		// Who is being let in holds a place, and is not in the list yet.
		row := first.QueryRowContext(soon(s.t), "select current_setting('max_connections')::int - count(*) from "+
			"pg_stat_activity where application_name = 'crowd' and backend_type = 'client backend'")
		if err := row.Scan(&others); err != nil {
			s.t.Fatal(err)
		}
	}
	return func() { db.Close() }
}

// fill fills the server's disk.
func (s *suffering) fill() func() {
	s.t.Helper()
	if !s.disk {
		return nil
	}
	name := filepath.Join(s.dir, "ballast")
	file, err := os.Create(name)
	if err != nil {
		s.t.Fatal(err)
	}
	for block := make([]byte, 64<<10); err == nil; {
		_, err = file.Write(block)
	}
	file.Close()
	db, err := store.Open(soon(s.t), s.box.Address, nil)
	if err != nil {
		s.t.Fatal(err)
	}
	defer db.Close()
	for err == nil { // until there is no room for the write-ahead log
		err = db.WithContext(soon(s.t)).Exec("select pg_logical_emit_message(false, 'ballast', repeat('b', " +
			"1000000))").Error
	}
	return func() {
		os.Remove(name)
		s.again()
	}
}

// ready asks the node whether it is.
func (s *suffering) ready() (status int, body string) {
	s.t.Helper()
	res, err := http.Get(s.node.Address + "/ready")
	if err != nil {
		s.t.Fatal(err)
	}
	defer res.Body.Close()
	data := make([]byte, 1000)
	n, _ := res.Body.Read(data)
	return res.StatusCode, string(data[:n])
}

// untilReady waits until the node is ready, or is not.
func (s *suffering) untilReady(want bool) (body string) {
	s.t.Helper()
	again := time.NewTicker(50 * time.Millisecond)
	defer again.Stop()
	for ctx := soon(s.t); ; {
		status, body := s.ready()
		if want == (status == http.StatusOK) {
			return body
		}
		select {
		case <-again.C:
		case <-ctx.Done():
			s.t.Fatalf("ready: %d %s", status, body)
		}
	}
}

// match plays one to its end; its result is kept when it can be.
func (s *suffering) match() {
	s.t.Helper()
	s.plays++
	play(s.t, s.mara, s.joss)
	do(s.t, s.mara, client.Intent{Do: "act", Name: "go"})
	until(s.t, s.joss, "the lobby gathers again", func(c *client.Copy) bool { return c.Match() == nil })
}

// kept makes sure that every match that was played is kept, once.
func (s *suffering) kept() {
	s.t.Helper()
	until(s.t, s.mara, "everything is kept", func(c *client.Copy) bool {
		return c.Lobby().Int("kept") == s.plays && c.Clock(c.Lobby(), "unkept") == 0
	})
	list, err := s.op.Matches(soon(s.t), map[string][]string{"lobby": {s.code}, "limit": {"100"}})
	if err != nil || int64(len(list)) != s.plays {
		s.t.Errorf("%d matches of %d are kept: %v", len(list), s.plays, err)
	}
	if steps := record(s.t, s.op, s.in[0].Player, "dash")["steps"]; steps != float64(s.plays) {
		s.t.Errorf("of %d steps the record holds %v", s.plays, steps)
	}
}

// TestDatabaseSuffers: whatever happens to the database, play goes on; what cannot be kept waits, and everybody is told
// so; what needs the database is refused with a time to come again, and what does not is answered; when it is back
// everything is kept, once.
func TestDatabaseSuffers(t *testing.T) {
	s := suffer(t, service.Config{})
	for _, f := range faults {
		s.match()
		s.kept()
		over := f.do(s)
		if over == nil {
			continue
		}
		if f.slow {
			s.match()
			s.match()
			s.kept()
			over()
			continue
		}
		began := time.Now()
		until(t, s.joss, "how long nothing has been kept", func(c *client.Copy) bool {
			return c.Clock(c.Lobby(), "unkept") > 0
		})
		t.Logf("%s: after %s the lobby says so", f.name, time.Since(began).Round(10*time.Millisecond))
		if body := s.untilReady(false); !strings.Contains(body, `"stopping"`) {
			t.Errorf("%s: not ready, it says %s", f.name, body)
		}
		s.match()
		s.match()
		_, err := at(s.node, s.in[1]).Open(soon(t), client.Opening{Rulebook: "dash"})
		var refused *client.Refusal
		if wants(t, f.name+": opening a lobby", err, "stopping"); client.CodeOf(err) == "stopping" {
			refused = err.(*client.Refusal)
			if refused.Status != http.StatusServiceUnavailable {
				t.Errorf("%s: opening a lobby is answered with %d", f.name, refused.Status)
			}
		}
		if n, _, age := s.node.Hall.Saves(); n == 0 || age == 0 {
			t.Errorf("%s: %d saves wait for %s", f.name, n, age)
		}
		if _, err := at(s.node, s.in[1]).Lobby(soon(t), s.code); err != nil {
			t.Errorf("%s: a lobby that is here: %v", f.name, err)
		}
		s.joss.Close() // a token that is still good, and a seat that is theirs, need no database
		s.joss = s.join(1)
		over()
		s.untilReady(true)
		s.kept()
	}
	s.match()
	s.kept()
}

// TestAwayFromWhatIsKept: on a node that tells only what is kept, play stands still while the database is away, and
// everybody is told so; what is asked for is refused, over the socket and over HTTP; then it goes on, and what was done
// counts once.
func TestAwayFromWhatIsKept(t *testing.T) {
	s := suffer(t, service.Config{Outages: service.Outages{PublishKept: true}})
	s.match()
	s.kept()
	s.joss.Close()
	still := make(chan client.Still, 8)
	var err error
	if s.joss, err = client.Connect(soon(t), client.Options{Address: s.node.Address, Token: s.in[1].Token,
		Lobby: s.code, OnStill: func(x client.Still) { still <- x }}); err != nil {
		t.Fatal(err)
	}
	defer s.joss.Close()
	s.plays++
	play(t, s.mara, s.joss)
	s.box.Hang(true)
	last := s.mara.Send(client.Intent{Do: "act", Name: "go"}) // it wins, and nobody may know yet
	if x := <-still; x.Over || x.For < time.Second || x.Why == "" {
		t.Errorf("it is told %+v", x)
	}
	wants(t, "an action meanwhile", s.joss.Do(soon(t), client.Intent{Do: "act", Name: "go"}), "not-kept")
	_, err = at(s.node, s.in[1]).Lobby(soon(t), s.code)
	wants(t, "the lobby over HTTP", err, "not-kept")
	hello := map[string]any{"token": s.in[0].Token, "lobby": s.code}
	if bye := bareTo(t, s.node.Address, hello, 0).next("bye"); bye["code"] != "not-kept" || bye["again"] != true {
		t.Errorf("who comes back meanwhile is told %v", bye)
	}
	s.joss.Read(func(c *client.Copy) {
		if c.Match() == nil || c.Lobby().Text("state") != "playing" {
			t.Error("the end of the match is told before it is kept")
		}
	})
	s.box.Hang(false)
	if x := <-still; !x.Over {
		t.Errorf("then it is told %+v", x)
	}
	if v, err := last.Verdict(soon(t)); err != nil || !v.OK {
		t.Errorf("the action of before: %+v, %v", v, err)
	}
	until(t, s.joss, "the lobby gathers again", func(c *client.Copy) bool { return c.Match() == nil })
	s.match()
	s.kept()
}

// TestQueueIsFull: what waits for a database that is away takes up no more than it may. Then no match begins, until
// what earlier ones gave is kept; the one that was to begin does so by itself. A piece of the lobby's journal gives
// way, and playing back says which, and goes on behind it.
func TestQueueIsFull(t *testing.T) {
	s := suffer(t, service.Config{Outages: service.Outages{Waiting: 6000}})
	s.match()
	s.kept()
	s.box.Hang(true)
	for !s.node.Hall.Full() {
		s.match()
	}
	for _, c := range []*client.Conn{s.mara, s.joss} {
		do(t, c, client.Intent{Do: "ready"})
	}
	info, err := at(s.node, s.in[0]).Lobby(soon(t), s.code)
	if err != nil || info.State != "gathering" {
		t.Errorf("with all ready and the queue full the lobby is %+v: %v", info, err)
	}
	var met bool
	for range 1000 { // each is some bytes of the lobby's journal
		do(t, s.mara, client.Intent{Do: "unready"})
		do(t, s.mara, client.Intent{Do: "ready"})
		if met = s.node.Ledger.Held() == 0; met {
			break
		}
	}
	if !met {
		t.Errorf("pieces of journals hold %d bytes of 6000, and none gave way", s.node.Ledger.Held())
	}
	s.box.Hang(false)
	until(t, s.joss, "the match begins by itself", func(c *client.Copy) bool { return c.Match() != nil })
	s.plays++
	do(t, s.mara, client.Intent{Do: "act", Name: "go"})
	until(t, s.joss, "the lobby gathers again", func(c *client.Copy) bool { return c.Match() == nil })
	s.kept()
	kept := func() {
		t.Helper()
		l, err := s.node.Hall.Find(s.code)
		if err == nil {
			err = l.Kept(soon(t))
		}
		if err != nil {
			t.Fatal("the lobby is not kept", err)
		}
	}
	for range 2 { // what is played behind the gap is kept as well
		kept()
		s.match()
		s.kept()
	}
	kept() // that the result is, too
	var gap *client.Incomplete
	if err := s.op.Journal(soon(t), s.code, io.Discard); !errors.As(err, &gap) {
		t.Errorf("the journal with a gap is written as if it were whole: %v", err)
	}
	first := playback(t, s.op, s.code, client.Playback{})
	if !first.more || first.missing <= first.last {
		t.Fatalf("played back to tick %d, more: %v, missing up to %d", first.last, first.more, first.missing)
	}
	rest := playback(t, s.op, s.code, client.Playback{From: first.missing})
	if rest.more || rest.last < first.missing || rest.copy == nil || rest.kinds["delta"] == 0 {
		t.Errorf("behind what is missing: %+v", rest)
	}
	if kept := rest.copy.Of(sheet.Lobby)[0].Int("kept"); kept != s.plays {
		t.Errorf("played back to its end, %d matches of %d are kept", kept, s.plays)
	}
}

// TestNothingBehindLeaving: between leaving and the goodbye, which waits until the leaving is kept, a client is told
// nothing more; without a seat it would see what no seat of its may.
func TestNothingBehindLeaving(t *testing.T) {
	s := suffer(t, service.Config{Outages: service.Outages{Waiting: 1 << 20}})
	s.box.Hang(true)
	left := make(chan error, 1)
	go func() { left <- s.mara.Leave(soon(t)) }()
	until(t, s.joss, "one seat is free", func(c *client.Copy) bool { return len(c.Players()) == 1 })
	var at int64
	s.joss.Read(func(c *client.Copy) { at = c.Tick() })
	for range 3 {
		do(t, s.joss, client.Intent{Do: "ready"})
		do(t, s.joss, client.Intent{Do: "unready"})
	}
	s.box.Hang(false)
	if err := <-left; err != nil {
		t.Fatal(err)
	}
	s.mara.Read(func(c *client.Copy) {
		if c.Tick() > at {
			t.Errorf("who has left at tick %d was told of tick %d", at, c.Tick())
		}
	})
}
