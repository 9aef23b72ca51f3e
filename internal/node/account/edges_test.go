package account

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/guard"
)

// TestEdges: how long device keys, names and passwords may be, to the byte; of a password only its beginning is judged.
func TestEdges(t *testing.T) {
	for n, want := range map[int]bool{23: false, 24: true, 128: true, 129: false} {
		if err := checkDeviceKey(strings.Repeat("~", n)); (err == nil) != want {
			t.Errorf("a device key of %d characters: %v", n, err)
		}
	}
	for _, c := range []string{" ", "\x7f", "é"} {
		if err := checkDeviceKey("!" + c + strings.Repeat("~", 30)); err == nil {
			t.Errorf("a device key with %q is taken", c)
		}
	}
	good := "four crews row past the pier "
	for p, want := range map[string]bool{
		good[:9]: false, good[:10]: true, good + strings.Repeat("x", maxPassword): false, "\xff" + good: false,
		strings.Repeat("a", looked) + good: false, // nobody looks further
		good + strings.Repeat("a", looked): true, "passwordpassword": false, "turnvexturnvex": false} {
		if err := checkPassword(p, "ada"); (err == nil) != want {
			t.Errorf("the password %.40q of %d bytes: %v", p, len(p), err)
		}
	}
}

// TestKeyTries: a key that is right, and one that could not be looked for, count as no try.
func TestKeyTries(t *testing.T) {
	s, _ := clocked(t)
	k, err := s.MakeKey(t.Context(), "eye", []Scope{Read})
	if err != nil {
		t.Fatal(err)
	}
	over, end := context.WithCancel(t.Context())
	end()
	for range guard.AddressTries.Most + 2 {
		if _, err := s.Key(over, k.Key, "4.4.4.4"); !errors.Is(err, context.Canceled) {
			t.Fatalf("without time: %v", err)
		}
	}
	for range guard.AddressTries.Most + 2 {
		if _, err := s.Key(t.Context(), k.Key, "4.4.4.4"); err != nil {
			t.Fatalf("with the right key: %v", err)
		}
	}
	for range guard.AddressTries.Most {
		_, err := s.Key(t.Context(), "wrong", "4.4.4.4")
		wants(t, "with a wrong one", err, code.BadToken)
	}
	_, err = s.Key(t.Context(), k.Key, "4.4.4.4")
	wants(t, "with one too many", err, code.TooMany)
}

// TestWhileTheDatabaseIsAway: a token that was good is good while the database cannot say, which is not asked each
// time; one that nobody has come with is not.
func TestWhileTheDatabaseIsAway(t *testing.T) {
	s, _ := clocked(t)
	ada, _ := s.Device(t.Context(), device(t, 1), "Ada", "7.7.7.7")
	bo, _ := s.Device(t.Context(), device(t, 2), "Bo", "7.7.7.7")
	check := func(what, token string, want bool) {
		t.Helper()
		if _, err := s.Check(t.Context(), token); (err == nil) != want {
			t.Errorf("%s: %v", what, err)
		}
	}
	check("before", ada.Token, true)
	move := func(from, to string) {
		t.Helper()
		if err := db.Exec("alter table " + from + " rename to " + to).Error; err != nil {
			t.Fatal(err)
		}
	}
	move("players", "players_away")
	check("away, of who is known", ada.Token, true)
	if until := time.Unix(0, s.away.Load()); time.Until(until) <= 0 || time.Until(until) > recallPause {
		t.Errorf("it is not asked until %v", until)
	}
	check("away, of who is not known", bo.Token, false)
	move("players_away", "players")
	if err := db.Exec("update players set banned_at = now()").Error; err != nil {
		t.Fatal(err)
	}
	check("back, and not asked yet", ada.Token, true)
	s.away.Store(0)
	check("asked again", ada.Token, false)
}

// TestFoundByName: players are found by how their names begin, in pages that fit, and what is voided is told on the
// node that voids it, and on others when they look.
func TestFoundByName(t *testing.T) {
	s, _ := clocked(t)
	var in []*SignedIn
	for i, name := range []string{"Ada Lamp", "Adam", "Bea", "a%b"} {
		one, err := s.Device(t.Context(), device(t, i), name, "7.7.7.7")
		if err != nil {
			t.Fatal(err)
		}
		in = append(in, one)
	}
	find := func(begins, cursor string, limit int) (names string, next string) {
		t.Helper()
		list, next, err := s.Find(t.Context(), begins, cursor, limit)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range list {
			names += f.Name + ", "
		}
		return names, next
	}
	if names, next := find("ada", "", 2); names != "Ada Lamp, Adam, " || next != "" {
		t.Errorf("found %s and more at %q", names, next)
	}
	names, next := find("a", "", 1)
	for next != "" {
		var more string
		more, next = find("a", next, 1)
		names += more
	}
	if names != "a%b, Ada Lamp, Adam, " {
		t.Errorf("page by page %s", names)
	}
	if names, _ := find("A%", "", 9); names != "a%b, " {
		t.Errorf("a name with a sign for anything: %s", names)
	}
	for _, cursor := range []string{"!", "e30", "bm9uZQ"} {
		_, _, err := s.Find(t.Context(), "a", cursor, 1)
		wants(t, cursor, err, code.BadCursor)
	}
	other, err := New(t.Context(), db, guard.New())
	if err != nil {
		t.Fatal(err)
	}
	var here, there []Void
	s.OnVoid(func(v []Void) { here = append(here, v...) })
	other.OnVoid(func(v []Void) { there = append(there, v...) })
	if err := other.LookVoided(t.Context(), nil); err != nil || there != nil {
		t.Errorf("nothing is voided, and told is %v, %v", there, err)
	}
	if err := s.SignOutEverywhere(t.Context(), in[0].Player); err != nil || len(here) == 0 {
		t.Errorf("here %v is told, %v", here, err)
	}
	if err := other.LookVoided(t.Context(), nil); err != nil || len(there) != len(here) {
		t.Errorf("elsewhere %v is told, %v", there, err)
	}
}

// TestTokenFromTheFuture: a token may be a minute ahead of a node's clock, and no more.
func TestTokenFromTheFuture(t *testing.T) {
	s, now := clocked(t)
	in, err := s.Device(t.Context(), device(t, 1), "Ada", "7.7.7.7")
	if err != nil {
		t.Fatal(err)
	}
	*now = now.Add(-time.Minute)
	if _, err := s.Check(t.Context(), in.Token); err != nil {
		t.Errorf("a minute ahead: %v", err)
	}
	*now = now.Add(-time.Second)
	_, err = s.Check(t.Context(), in.Token)
	wants(t, "further ahead", err, code.BadToken)
	for _, half := range [][2]string{{"", ""}, {"ada", ""}, {"", "a long way to the quay"}} {
		_, err := s.Login(t.Context(), half[0], half[1], "", "7.7.7.7")
		wants(t, "half a login", err, code.BadRequest)
	}
}
