package service_test

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/trial"
)

// knows waits until a node knows something of the others.
func knows(t *testing.T, s *service.Service, what string, f func(all map[string]cluster.Member) bool) {
	t.Helper()
	for ctx := soon(t); ; {
		looked, all := s.Cluster.Looked(), map[string]cluster.Member{}
		for _, m := range s.Cluster.Members() {
			all[m.Name] = m
		}
		if f(all) {
			return
		}
		s.Cluster.Look()
		select {
		case <-looked:
		case <-ctx.Done():
			t.Fatalf("%s does not know that %s", s.Cluster.Self.Name, what)
		}
	}
}

// pair are two nodes of one region, which know each other.
func pair(t *testing.T) (a, b *service.Service) {
	t.Helper()
	return pairOf(t, service.Config{})
}

func pairOf(t *testing.T, cfg service.Config) (a, b *service.Service) {
	t.Helper()
	cfg.Region = "pair" + fresh()
	a, b = another(t, cfg), another(t, cfg)
	for _, s := range []*service.Service{a, b} {
		knows(t, s, "there are two", func(all map[string]cluster.Member) bool {
			return all[a.Cluster.Self.Name].Alive && all[b.Cluster.Self.Name].Alive
		})
	}
	return a, b
}

// TestAnyNodeAnswers: whichever node is asked, a lobby is found, joined, listed, watched, changed and ended; what is
// published, and what a player is called, is known to both within a moment.
func TestAnyNodeAnswers(t *testing.T) {
	a, b := pair(t)
	mara, joss := player(t, "Mara"), player(t, "Joss")
	region := a.Cluster.Self.Region
	l, err := at(b, mara).Open(soon(t), client.Opening{Rulebook: "duel", Name: "quay " + fresh(), Region: region})
	if err != nil || l.Node != b.Cluster.Self.Name || l.Address != b.Address {
		t.Fatalf("%+v, %v", l, err)
	}
	got, err := at(a, joss).Lobby(soon(t), strings.ToLower(l.Code))
	if err != nil || got.Node != b.Cluster.Self.Name || !strings.HasPrefix(got.Link, a.Address) {
		t.Errorf("asked for at the other node: %+v, %v", got, err)
	}
	named, err := at(a, joss).OpenOrJoin(soon(t), client.Opening{Rulebook: "duel", Name: strings.ToUpper(l.Name)})
	if err != nil || named.Code != l.Code || named.New {
		t.Errorf("by its name: %+v, %v", named, err)
	}
	quick, err := at(a, joss).QuickJoin(soon(t), client.Quick{Rulebook: "duel", Regions: []string{"nowhere", region}})
	if err != nil || quick.Code != l.Code || quick.New {
		t.Errorf("a quick join: %+v, %v", quick, err)
	}
	watch, err := at(a, joss).WatchLobbies(soon(t), client.Filter{Region: region}, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer watch.Close()
	seats := func(n int) {
		t.Helper()
		if err := watch.Wait(soon(t), func(all map[string]client.Lobby) bool {
			return len(all) == 1 && all[l.Code].Seats == n
		}); err != nil {
			t.Errorf("%d seats on the list of the other node: %v", n, err)
		}
	}
	seats(0)
	conn := func(s *service.Service, in *client.Signed) *client.Conn {
		t.Helper()
		c, err := client.Connect(soon(t), client.Options{Address: s.Address, Token: in.Token, Lobby: l.Code})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(c.Close)
		return c
	}
	first, second := conn(b, mara), conn(a, joss) // who is sent on
	seats(2)
	where, err := at(a, joss).MyLobbies(soon(t))
	if err != nil || len(where) != 1 || where[0].Code != l.Code {
		t.Errorf("where am I? %+v, %v", where, err)
	}
	if err := at(a, mara).Call(soon(t), http.MethodPatch, "/v1/lobbies/"+l.Code, map[string]any{"title": "By the mole"},
		nil); err != nil {
		t.Errorf("changed through the other node: %v", err)
	}
	until(t, first, "the title", func(c *client.Copy) bool { return c.Lobby().Text("title") == "By the mole" })
	if err := at(a, joss).Call(soon(t), http.MethodPatch, "/v1/me", map[string]any{"name": "Joss the Elder"},
		nil); err != nil {
		t.Fatal(err)
	}
	until(t, first, "the name", func(c *client.Copy) bool {
		return c.Seat(second.Seat()).Text("name") == "Joss the Elder"
	})
	book := variant(t)
	if _, _, err := a.Library.Load(soon(t), source(t, book)); err != nil {
		t.Fatal(err)
	}
	knows(t, b, "a rulebook is published", func(map[string]cluster.Member) bool {
		got, err := b.Library.Book(book)
		return err == nil && got.Version != ""
	})
	if err := at(a, joss).Call(soon(t), http.MethodDelete, "/v1/me", nil, nil); err != nil {
		t.Fatal(err)
	}
	until(t, first, "whose player was deleted at the other node has lost the seat", func(c *client.Copy) bool {
		return c.Seat(second.Seat()) == nil
	})
	wants(t, "a code that nobody has", at(a, mara).Call(soon(t), http.MethodGet, "/v1/lobbies/QQQQQQ", nil, nil),
		"no-such-lobby")
	wants(t, "a region where nobody is", func() error {
		_, err := at(a, mara).Open(soon(t), client.Opening{Rulebook: "duel", Region: "nowhere"})
		return err
	}(), "wrong-region")
}

// match is a match of two that is about to go to another node.
type match struct {
	t          *testing.T
	code       string
	mara, joss *client.Conn
	seats      [2]uint32
	plan       int64
}

// begun begins one, with its players at two different nodes.
func begun(t *testing.T, code, one, two string, in [2]*client.Signed) *match {
	t.Helper()
	m := &match{t: t, code: code}
	for i, c := range []**client.Conn{&m.mara, &m.joss} {
		var err error
		*c, err = client.Connect(soon(t), client.Options{Address: []string{one, two}[i], Token: in[i].Token,
			Lobby: code, Patience: time.Minute * trial.Patience})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup((*c).Close)
		m.seats[i] = (*c).Seat()
	}
	play(t, m.mara, m.joss)
	m.note()
	return m
}

// note does something that is remembered.
func (m *match) note() {
	m.t.Helper()
	m.plan++
	do(m.t, m.mara, client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": m.plan}})
}

// goesOn makes sure that both are where they were, with what they had, by themselves.
func (m *match) goesOn(what string) {
	m.t.Helper()
	for i, c := range []*client.Conn{m.mara, m.joss} {
		if err := c.Do(soon(m.t), client.Intent{Do: "act", Name: "hail"}); err != nil { // as soon as it is back
			m.t.Fatalf("%s: %v", what, err)
		}
		if c.Seat() != m.seats[i] {
			m.t.Errorf("%s: seat %d became %d", what, m.seats[i], c.Seat())
		}
	}
	m.mara.Read(func(c *client.Copy) {
		if got := c.Me().Int("plan"); got != m.plan {
			m.t.Errorf("%s: what was noted is %d, not %d", what, got, m.plan)
		}
	})
	m.note()
}

// TestLobbiesMove: a lobby goes from node to node under play, one by one, when its node is drained, and when that is
// stopped for a new version; its players stay in their seats.
func TestLobbiesMove(t *testing.T) {
	a, b := pair(t)
	op, err := client.SignInKey(soon(t), a.Address, operatorKey)
	if err != nil {
		t.Fatal(err)
	}
	do := func(s *service.Service, method, path string, in, out any) error {
		return client.Service{Address: s.Address, Token: op.Token}.Call(soon(t), method, path, in, out)
	}
	in := [2]*client.Signed{player(t, "Mara"), player(t, "Joss")}
	l, err := at(a, in[0]).Open(soon(t), client.Opening{Rulebook: "duel", Options: map[string]any{"goal": 9}})
	if err != nil || l.Node != a.Cluster.Self.Name {
		t.Fatal(l, err)
	}
	m := begun(t, l.Code, a.Address, b.Address, in)
	names := [2]string{a.Cluster.Self.Name, b.Cluster.Self.Name}
	if err := do(b, http.MethodPost, "/v1/lobbies/"+l.Code+"/move", map[string]any{"node": names[1]}, nil); err != nil {
		t.Fatal(err)
	}
	m.goesOn("moved")
	if got, err := at(a, in[0]).Lobby(soon(t), l.Code); err != nil || got.Node != names[1] {
		t.Errorf("moved: %+v, %v", got, err)
	}
	wants(t, "moved to nobody", do(a, http.MethodPost, "/v1/lobbies/"+l.Code+"/move",
		map[string]any{"node": "nobody"}, nil), "no-such-node")
	if err := do(a, http.MethodPost, "/v1/nodes/"+names[1]+"/drain", nil, nil); err != nil {
		t.Fatal(err)
	}
	knows(t, a, "b is drained", func(all map[string]cluster.Member) bool {
		return all[names[1]].Draining && !all[names[1]].Holds
	})
	m.goesOn("drained")
	if got, err := at(b, in[0]).Open(soon(t), client.Opening{Rulebook: "duel"}); err != nil || got.Node != names[0] {
		t.Errorf("opened at a node that is drained: %+v, %v", got, err)
	}
	if err := do(a, http.MethodDelete, "/v1/nodes/"+names[1]+"/drain", nil, nil); err != nil {
		t.Fatal(err)
	}
	knows(t, a, "b takes lobbies again", func(all map[string]cluster.Member) bool { return !all[names[1]].Draining })
	a.Stop() // as for a new version
	m.goesOn("its node has stopped")
	var nodes struct {
		Nodes []struct {
			Name, State string
			Lobbies     int
		}
	}
	if err := do(b, http.MethodGet, "/v1/nodes", nil, &nodes); err != nil {
		t.Fatal(err)
	}
	for _, n := range nodes.Nodes {
		if n.Name == names[0] && n.State != "gone" || n.Name == names[1] && n.State != "alive" {
			t.Errorf("%+v", n)
		}
	}
}

// cable is a way to the database that can be cut.
type cable struct {
	net.Listener
	mu   sync.Mutex
	cut  bool       // guarded by mu
	ends []net.Conn // guarded by mu
}

// cabled returns the database's address over a cable.
func cabled(t *testing.T) (*cable, string) {
	t.Helper()
	to, err := url.Parse(database)
	if err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	w, end := &cable{Listener: l}, to.Host
	t.Cleanup(func() { l.Close(); w.set(true) })
	go func() {
		for {
			near, err := l.Accept()
			if err != nil {
				return
			}
			far, err := net.Dial("tcp", end)
			if !w.holds(near, far) || err != nil {
				continue
			}
			go io.Copy(near, far)
			go io.Copy(far, near)
		}
	}()
	to.Host = l.Addr().String()
	return w, to.String()
}

// holds notes a connection, unless the cable is cut.
func (w *cable) holds(ends ...net.Conn) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.ends = append(w.ends, ends...)
	if w.cut {
		w.closeLocked()
	}
	return !w.cut
}

func (w *cable) closeLocked() {
	for _, c := range w.ends {
		if c != nil {
			c.Close()
		}
	}
	w.ends = nil
}

func (w *cable) set(cut bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.cut = cut; cut {
		w.closeLocked()
	}
}

// TestAloneWithoutDatabase: a node that alone has lost the database shows nothing more of a match as soon as it hears
// that another one has it, says so, and sends everybody there when its lease is over; the match goes on there.
func TestAloneWithoutDatabase(t *testing.T) {
	way, over := cabled(t)
	region := "alone" + fresh()
	a, b := another(t, service.Config{Region: region, Database: over}), another(t, service.Config{Region: region})
	knows(t, a, "there are two", func(all map[string]cluster.Member) bool { return all[b.Cluster.Self.Name].Alive })
	in := [2]*client.Signed{player(t, "Mara"), player(t, "Joss")}
	l, err := at(a, in[0]).Open(soon(t), client.Opening{Rulebook: "duel", Options: map[string]any{"goal": 9}})
	if err != nil {
		t.Fatal(err)
	}
	m := begun(t, l.Code, a.Address, b.Address, in)
	seer := bareTo(t, a.Address, map[string]any{"token": player(t, "Ines").Token, "lobby": l.Code, "watch": true}, 0)
	seer.next("snapshot")
	way.set(true)
	if still := seer.next("still"); !strings.Contains(fmt.Sprint(still["why"]), b.Cluster.Self.Name) {
		t.Errorf("it is told %v", still)
	}
	_, err = at(a, in[0]).Lobby(soon(t), l.Code)
	wants(t, "what is asked meanwhile", err, "not-kept")
	for err = error(nil); err == nil; {
		var said map[string]any
		err = seer.ReadJSON(&said)
		if said["is"] == "bye" && (said["code"] != "not-kept" || said["again"] != true) {
			t.Errorf("at the end of its lease it says %v", said)
		}
		if said["is"] == "delta" || said["is"] == "notice" {
			t.Errorf("while play stands still it shows %v", said)
		}
	}
	m.goesOn("its node has lost the database")
	if got, err := at(b, in[0]).Lobby(soon(t), l.Code); err != nil || got.Node != b.Cluster.Self.Name {
		t.Errorf("it is %+v, %v", got, err)
	}
	way.set(false)
	asked(t, "the node has the database again", func(ctx context.Context) bool {
		got, err := at(a, in[0]).Lobby(ctx, l.Code)
		return err == nil && got.Node == b.Cluster.Self.Name
	})
	m.goesOn("its old node is back")
}

// TestNodeOfTwoDies: of two nodes one is killed, and its match goes on at the other within seconds; then that one is
// stopped for longer than its lease, and goes on: the first, which has been started again, has the match; who is left
// at the old connections hears nothing, and what is acknowledged is all there.
func TestNodeOfTwoDies(t *testing.T) {
	bin, database := filepath.Join(t.TempDir(), "turnvex"), emptyDatabase(t)
	program(t, "go", "build", "-o", bin, "turnvex.example/turnvex/cmd/turnvex")
	one := &served{t: t, bin: bin, database: database, node: "one"}
	two := &served{t: t, bin: bin, database: database, node: "two"}
	one.start()
	two.start()
	key, err := client.SignInKey(soon(t), one.address, killKey)
	if err != nil {
		t.Fatal(err)
	}
	asked(t, "both nodes are listed", func(ctx context.Context) bool {
		var all struct{ Nodes []struct{ Name string } }
		if err := (client.Service{Address: one.address, Token: key.Token}).
			Call(ctx, http.MethodGet, "/v1/nodes", nil, &all); err != nil {
			t.Fatal(err)
		}
		return len(all.Nodes) == 2
	})
	var in [3]*client.Signed
	for i, name := range []string{"Mara", "Joss", "Ines"} {
		if in[i], err = client.SignIn(soon(t), one.address, "a-device-of-two-nodes-"+name, name); err != nil {
			t.Fatal(err)
		}
	}
	as := func(s *served, i int) client.Service { return client.Service{Address: s.address, Token: in[i].Token} }
	l, err := as(one, 0).Open(soon(t), client.Opening{Rulebook: "duel", Options: map[string]any{"goal": 9}})
	if err != nil {
		t.Fatal(err)
	}
	m := begun(t, l.Code, one.address, two.address, [2]*client.Signed{in[0], in[1]})
	kept := func(s *served) { // what is acknowledged only when it is kept keeps what was before it
		t.Helper()
		for _, method := range []string{http.MethodPost, http.MethodDelete} {
			if err := as(s, 2).Call(soon(t), method, "/v1/lobbies/"+l.Code+"/seat", map[string]any{}, nil); err != nil {
				t.Fatal(err)
			}
		}
	}
	kept(one)
	one.end(syscall.SIGKILL)
	m.goesOn("its node was killed")
	got, err := as(two, 0).Lobby(soon(t), l.Code)
	if err != nil || got.Node != "two" {
		t.Fatalf("its node was killed: %+v, %v", got, err)
	}
	one.start()
	kept(two)
	old := bareTo(t, two.address, map[string]any{"token": key.Token, "lobby": l.Code, "all": true}, 0)
	old.next("snapshot")
	two.cmd.Process.Signal(syscall.SIGSTOP)
	m.goesOn("its node was stopped")
	if got, err = as(one, 0).Lobby(soon(t), l.Code); err != nil || got.Node != "one" {
		t.Fatalf("its node was stopped: %+v, %v", got, err)
	}
	two.cmd.Process.Signal(syscall.SIGCONT)
	for { // what was written before it was stopped may still come, and nothing after it
		old.SetReadDeadline(time.Now().Add(30 * time.Second))
		_, data, err := old.ReadMessage()
		if err != nil {
			break
		}
		if strings.Contains(string(data), `"hail"`) {
			t.Errorf("the node that was stopped says %s", data)
		}
	}
	m.goesOn("the node that was stopped goes on")
	asked(t, "the node that was stopped has a lease", func(ctx context.Context) bool {
		got, err = as(two, 0).Lobby(ctx, l.Code)
		return client.CodeOf(err) != "stopping" && client.CodeOf(err) != "not-kept"
	})
	if err != nil || got.Node != "one" {
		t.Errorf("asked, the node that was stopped says %+v, %v", got, err)
	}
	one.end(syscall.SIGTERM)
	m.goesOn("the other node has stopped in order")
	two.end(syscall.SIGTERM)
}
