package service_test

import (
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/code"
)

// variant loads the duel rulebook under a name of its own, which it returns, with some of its text changed.
func variant(t *testing.T, replace ...string) string {
	t.Helper()
	name := "duel_" + fresh()
	reload(t, name, replace...)
	return name
}

// reload loads another version of it.
func reload(t *testing.T, name string, replace ...string) {
	t.Helper()
	src, _ := os.ReadFile("testdata/duel.yaml")
	for i := 0; i < len(replace); i += 2 {
		if !strings.Contains(string(src), replace[i]) {
			t.Fatalf("the duel does not say %q", replace[i])
		}
	}
	text := strings.NewReplacer(append([]string{"name: duel", "name: " + name}, replace...)...).Replace(string(src))
	if _, problems, err := node.Library.Load(soon(t), []byte(text)); err != nil {
		t.Fatal(err, problems)
	}
}

// source is the text of a rulebook that is loaded.
func source(t *testing.T, name string) []byte {
	t.Helper()
	book, err := node.Library.Book(name)
	if err != nil {
		t.Fatal(err)
	}
	return []byte(book.Source)
}

func connect(t *testing.T, in *client.Signed, o client.Options) (*client.Conn, error) {
	o.Address, o.Token = node.Address, in.Token
	c, err := client.Connect(soon(t), o)
	if err == nil {
		t.Cleanup(c.Close)
	}
	return c, err
}

// TestRefusalsAtTheDoor: who is not let in is told why, by socket and by HTTP alike, and leaves no trace.
func TestRefusalsAtTheDoor(t *testing.T) {
	ctx := soon(t)
	mara, joss, ines := player(t, "Mara"), player(t, "Joss"), player(t, "Ines")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel", Capacity: 2, Password: "sesame"})
	in := client.Options{Lobby: lob, Password: "sesame"}
	a := join(t, mara, in)
	check := func(what string, o client.Options, password string, want code.Code) {
		t.Helper()
		_, err := connect(t, ines, o)
		wants(t, what+" by socket", err, string(want))
		_, err = as(ines).TakeSeat(ctx, lob, password)
		if want != code.WrongVersion {
			wants(t, what+" by HTTP", err, string(want))
		}
	}
	check("a wrong password", client.Options{Lobby: lob, Password: "Sesame"}, "Sesame", code.WrongPassword)
	check("no password", client.Options{Lobby: lob}, "", code.WrongPassword)
	join(t, joss, in)
	check("a full lobby", in, "sesame", code.LobbyFull)
	do(t, a, client.Intent{Do: "settings", Args: map[string]any{"capacity": 5, "open": false}})
	check("closed doors", in, "sesame", code.LobbyClosed)
	wants(t, "opening them by HTTP", as(mara).ChangeLobby(ctx, lob, client.Settings{"open": true, "password": ""}), "")
	_, err := connect(t, ines, client.Options{Lobby: lob, Version: "000000000000"})
	wants(t, "another version", err, "wrong-version")
	c := join(t, ines, client.Options{Lobby: lob})
	_, err = as(ines).TakeSeat(ctx, lob, "")
	wants(t, "already in", err, "already-in")
	do(t, a, client.Intent{Do: "ban", Target: c.Seat()})
	<-c.Done()
	wants(t, "the end of who is banned", c.Err(), "kicked")
	check("banned", client.Options{Lobby: lob}, "", code.Banned)
	wants(t, "letting them in again", as(mara).Ask(ctx, lob, client.Intent{Do: "unban", Text: ines.Player}), "")
	if _, err := connect(t, ines, client.Options{Lobby: lob}); err != nil {
		t.Error(err)
	}
	err = as(mara).ChangeLobby(ctx, lob, client.Settings{"capacity": 2})
	if wants(t, "a capacity below who is there", err, "out-of-range"); err != nil && !strings.Contains(err.Error(),
		"3 seats") {
		t.Errorf("the number is not told: %v", err)
	}
	wants(t, "a change by who is not the host", as(joss).ChangeLobby(ctx, lob, client.Settings{"capacity": 6}),
		"not-the-host")
	_, err = as(mara).Open(ctx, client.Opening{Rulebook: "duel", Region: "far-away"})
	wants(t, "another region", err, "wrong-region")
	northern := variant(t, "turnvex: 1", "turnvex: 1\nregions: [north]")
	_, err = as(mara).Open(ctx, client.Opening{Rulebook: northern})
	wants(t, "a rulebook that this region may not open", err, "wrong-region")
	l, err := as(mara).Lobby(ctx, lob)
	if err != nil || l.Seats != 3 || l.Free != 2 || !strings.HasSuffix(l.Link, "/lobby/"+lob) {
		t.Errorf("in the end: %+v, %v", l, err)
	}
}

// TestLastPlace: of many who want the last place at once, one gets it, and the same player coming twice at once has one
// seat.
func TestLastPlace(t *testing.T) {
	host := player(t, "Mara")
	lob := lobby(t, host, client.Opening{Rulebook: "duel", Capacity: 2})
	a := join(t, host, client.Options{Lobby: lob})
	var all sync.WaitGroup
	got := make(chan error, 6)
	for i := range cap(got) {
		in := player(t, fmt.Sprint("Skiff ", i))
		all.Go(func() { _, err := connect(t, in, client.Options{Lobby: lob}); got <- err })
	}
	all.Wait()
	in, full := 0, 0
	for range cap(got) {
		switch err := <-got; client.CodeOf(err) {
		case "lobby-full":
			full++
		default:
			if err == nil {
				in++
			}
		}
	}
	if in != 1 || full != 5 {
		t.Errorf("%d got in, %d were told it is full", in, full)
	}
	until(t, a, "two seats", func(c *client.Copy) bool { return c.Lobby().Int("seats") == 2 && len(c.Players()) == 2 })

	twin := player(t, "Joss")
	lob = lobby(t, twin, client.Opening{Rulebook: "duel"})
	seats := make(chan uint32, 2)
	for range 2 {
		all.Go(func() {
			if c, err := connect(t, twin, client.Options{Lobby: lob, Patience: -1}); err == nil {
				seats <- c.Seat()
			}
		})
	}
	all.Wait()
	close(seats)
	first := <-seats
	for s := range seats {
		if s != first {
			t.Errorf("one player has seats %d and %d", first, s)
		}
	}
	if l, err := as(twin).Lobby(soon(t), lob); err != nil || l.Seats > 1 {
		t.Errorf("%+v, %v", l, err)
	}
}

// TestLeavingTogether: the host and the last other leave at the same moment.
func TestLeavingTogether(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel"})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	var all sync.WaitGroup
	for _, c := range []*client.Conn{a, b} {
		all.Go(func() {
			if err := c.Leave(soon(t)); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	wants(t, "leaving what was left", as(mara).LeaveSeat(soon(t), lob), "")
	again := join(t, joss, client.Options{Lobby: lob})
	until(t, again, "the newcomer is host and alone", func(c *client.Copy) bool {
		return len(c.Players()) == 1 && c.Lobby().Int("host") == int64(again.Seat()) && c.Lobby().Int("seats") == 1
	})
}

// TestCountdown: a leaver cancels the countdown; who joins during it is told of it and does not.
func TestCountdown(t *testing.T) {
	slow := variant(t, "countdown: 50ms}\nteams", "countdown: 10s}\nteams")
	mara, joss, ines := player(t, "Mara"), player(t, "Joss"), player(t, "Ines")
	lob := lobby(t, mara, client.Opening{Rulebook: slow})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	do(t, a, client.Intent{Do: "ready"})
	do(t, b, client.Intent{Do: "ready"})
	starting := func(c *client.Copy) bool { return c.Lobby().Text("state") == "starting" }
	until(t, a, "the countdown runs", starting)
	c := join(t, ines, client.Options{Lobby: lob})
	until(t, c, "the newcomer sees the state and the others",
		func(c *client.Copy) bool { return len(c.Players()) == 3 && c.Players()[0].Flag("ready") })
	if err := b.Leave(soon(t)); err != nil {
		t.Fatal(err)
	}
	until(t, a, "the countdown is cancelled",
		func(c *client.Copy) bool { return c.Lobby().Text("state") == "gathering" && c.Match() == nil })
}

// TestCodesCannotBeGuessed: after some codes that do not exist an address must wait.
func TestCodesCannotBeGuessed(t *testing.T) {
	s := from(elsewhere())
	seen := map[string]int{}
	for i := range 1000 {
		seen[client.CodeOf(s.Call(soon(t), "GET", fmt.Sprintf("/v1/lobbies/QQ%04d", i), nil, nil))]++
	}
	if seen["no-such-lobby"] > 40 || seen["too-many-requests"] < 900 {
		t.Errorf("1000 guesses were answered with %v", seen)
	}
}

// TestReplacedRulebook: a lobby keeps the version it was opened with.
func TestReplacedRulebook(t *testing.T) {
	ctx := soon(t)
	tides := variant(t)
	mara, joss := player(t, "Mara"), player(t, "Joss")
	old, err := as(mara).Open(ctx, client.Opening{Rulebook: tides})
	if err != nil {
		t.Fatal(err)
	}
	reload(t, tides, "min: 1, max: 99", "min: 1, max: 5")
	a := join(t, mara, client.Options{Lobby: old.Code})
	fresh, err := as(joss).Open(ctx, client.Opening{Rulebook: tides})
	if err != nil || fresh.Version == old.Version {
		t.Fatalf("the new lobby runs %s, the old %s, %v", fresh.Version, old.Version, err)
	}
	_, err = connect(t, joss, client.Options{Lobby: old.Code, Version: fresh.Version})
	wants(t, "joining the old lobby with the new version", err, "wrong-version")
	b := join(t, joss, client.Options{Lobby: old.Code, Version: old.Version})
	do(t, a, client.Intent{Do: "settings", Args: map[string]any{"goal": 9}})
	until(t, b, "the old bounds hold in the old lobby", func(c *client.Copy) bool { return c.Lobby().Int("goal") == 9 })
	wants(t, "the new bounds in a new one", func() error {
		_, err := as(mara).Open(ctx, client.Opening{Rulebook: tides, Options: map[string]any{"goal": 9}})
		return err
	}(), "bad-option")
	again, err := as(
		mara).Open(ctx, client.Opening{Rulebook: tides, Version: old.Version, Options: map[string]any{"goal": 9}})
	if err != nil || again.Version != old.Version {
		t.Errorf("opening the old version: %+v, %v", again, err)
	}
}

// pass is a player's pass for a party.
func pass(t *testing.T, p *client.Signed) string {
	t.Helper()
	out, err := as(p).PartyPass(soon(t))
	if err != nil {
		t.Fatal(err)
	}
	return out.Pass
}

// TestFindingEachOther: quick join fills lobbies and keeps a party on one team; open-or-join makes one lobby however
// many ask.
func TestFindingEachOther(t *testing.T) {
	ctx := soon(t)
	meeting := variant(t)
	mara, joss, ines := player(t, "Mara"), player(t, "Joss"), player(t, "Ines")
	one, err := as(mara).QuickJoin(ctx, client.Quick{Rulebook: meeting})
	if err != nil || !one.New {
		t.Fatalf("%+v, %v", one, err)
	}
	a := join(t, mara, client.Options{Lobby: one.Code})
	two, err := as(joss).QuickJoin(ctx, client.Quick{Rulebook: meeting, Party: []string{pass(t, ines)}})
	if err != nil || two.New || two.Code != one.Code || two.Free != 3 {
		t.Fatalf("the party is sent to %+v, %v", two, err)
	}
	b, c := join(t, joss, client.Options{Lobby: two.Code}), join(t, ines, client.Options{Lobby: two.Code})
	until(t, a, "the party is on one team, against the one who was there", func(v *client.Copy) bool {
		return v.Seat(b.Seat()).Int("team") == v.Seat(c.Seat()).Int("team") &&
			v.Me().Int("team") != v.Seat(b.Seat()).Int("team")
	})
	var big []string
	for i := range 3 {
		big = append(big, pass(t, player(t, fmt.Sprint("Crew ", i))))
	}
	if three, err := as(player(t, "Wanda")).QuickJoin(ctx, client.Quick{Rulebook: meeting, Party: big}); err != nil ||
		!three.New || three.Free != 2 {
		t.Errorf("a party that does not fit: %+v, %v", three, err)
	}
	for _, other := range []string{ines.Player, ines.Token, ""} {
		_, err = as(mara).QuickJoin(ctx, client.Quick{Rulebook: meeting, Party: []string{other}})
		wants(t, "a party of somebody who has not agreed", err, "bad-pass")
	}
	thief := as(mara)
	thief.Token = pass(t, ines)
	_, err = thief.Devices(ctx)
	wants(t, "a pass in the place of a token", err, "bad-token")

	codes, made := map[string]bool{}, 0
	var mu sync.Mutex
	var all sync.WaitGroup
	for i := range 8 {
		s := as(player(t, fmt.Sprint("Boat ", i)))
		all.Go(func() {
			l, err := s.OpenOrJoin(ctx, client.Opening{Rulebook: meeting, Name: "Quay Seven"})
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				t.Error(err)
				return
			}
			if codes[l.Code] = true; l.New {
				made++
			}
		})
	}
	all.Wait()
	if len(codes) != 1 || made != 1 {
		t.Errorf("eight calls at once found %v, %d of them opened one", codes, made)
	}
}

// TestWaitingLine: who stands in line watches, and gets the seat of who leaves, with a copy of what the seat may see.
func TestWaitingLine(t *testing.T) {
	mara, joss, ines := player(t, "Mara"), player(t, "Joss"), player(t, "Ines")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel", Capacity: 2})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	c := join(t, ines, client.Options{Lobby: lob, Wait: true})
	if !c.Waiting() || c.Seat() != 0 {
		t.Fatalf("waiting: %v, seat %d", c.Waiting(), c.Seat())
	}
	wants(t, "acting from the line", c.Do(soon(t), client.Intent{Seat: a.Seat(), Do: "ready"}), "not-your-seat")
	if l, err := as(mara).Lobby(soon(t), lob); err != nil || l.Waiting != 1 || l.Free != 0 {
		t.Errorf("%+v, %v", l, err)
	}
	if err := b.Leave(soon(t)); err != nil {
		t.Fatal(err)
	}
	until(t, c, "the seat is there", func(v *client.Copy) bool { return v.Me() != nil && v.Me().Flag("loaded") })
	c.Read(func(v *client.Copy) {
		if _, ok := v.Me().Get("plan"); !ok {
			t.Error("the new seat does not see its own private field")
		}
	})
	do(t, c, client.Intent{Do: "ready"})
	if c.Waiting() {
		t.Error("still in line")
	}
	until(t, a, "ready is seen", func(v *client.Copy) bool { return v.Seat(c.Seat()).Flag("ready") })
}

// TestSpectators: their limit, their delay, and nothing private.
func TestSpectators(t *testing.T) {
	pier := variant(t, "spectators: {most: 20}", "spectators: {most: 1, delay: 300ms}")
	mara, joss := player(t, "Mara"), player(t, "Joss")
	lob := lobby(t, mara, client.Opening{Rulebook: pier})
	a := join(t, mara, client.Options{Lobby: lob})
	w := join(t, joss, client.Options{Lobby: lob, Watch: true})
	_, err := connect(t, player(t, "Ines"), client.Options{Lobby: lob, Watch: true})
	wants(t, "one more spectator", err, "spectators-full")
	until(t, a, "one watches, and counts nowhere else", func(c *client.Copy) bool {
		return c.Lobby().Int("spectators") == 1 && c.Lobby().Int("seats") == 1
	})
	do(t, a, client.Intent{Do: "rename", Text: "Mara Tide"})
	at := a.Tick()
	until(t, w, "the name arrives", func(c *client.Copy) bool { return c.Seat(a.Seat()).Text("name") == "Mara Tide" })
	if late := a.Tick() - at; late < 5 { // of 6 ticks; one may fall between
		t.Errorf("a spectator saw it after %d ticks, though the delay is 300 ms", late)
	}
	w.Read(func(c *client.Copy) {
		for _, name := range []string{"plan", "wind"} {
			if _, ok := c.Seat(a.Seat()).Get(name); ok {
				t.Errorf("a spectator sees %s", name)
			}
		}
	})
}
