package account

import (
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// TestDevicesOfAPlayer: they are listed, named and removed, with their sign-ins; the only way back to a player stays.
func TestDevicesOfAPlayer(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	one, err := s.Device(ctx, device(t, 1), "Ada", "a")
	if err != nil {
		t.Fatal(err)
	}
	who, _ := s.Check(ctx, one.Token)
	list, err := s.Devices(ctx, who)
	if err != nil || len(list) != 1 || !list[0].This || list[0].Name != "" {
		t.Fatalf("%+v, %v", list, err)
	}
	wants(t, "the only way", s.RemoveDevice(ctx, one.Player, list[0].ID), code.LastWay)
	wants(t, "an account", s.AddLogin(ctx, one.Player, "ada", "seven wet lanterns"), code.OK)
	*now = now.Add(time.Second)
	two, err := s.Login(ctx, "ada", "seven wet lanterns", device(t, 2), "a")
	if err != nil {
		t.Fatal(err)
	}
	wants(t, "a name", s.NameDevice(ctx, one.Player, list[0].ID, "  the old   boat "), code.OK)
	wants(t, "no such device", s.NameDevice(ctx, one.Player, one.Player, "x"), code.NoDevice)
	wants(t, "no ID", s.RemoveDevice(ctx, one.Player, "x"), code.NoDevice)
	bo, _ := s.Device(ctx, device(t, 3), "Bo", "a")
	wants(t, "another's", s.RemoveDevice(ctx, bo.Player, list[0].ID), code.NoDevice)
	if list, err = s.Devices(ctx, who); err != nil || len(list) != 2 || list[0].This || !list[1].This ||
		list[1].Name != "the old boat" {
		t.Fatalf("%+v, %v", list, err)
	}
	wants(t, "removing one", s.RemoveDevice(ctx, one.Player, list[1].ID), code.OK)
	if err := s.LookVoided(ctx, nil); err != nil {
		t.Fatal(err)
	}
	_, err = s.Check(ctx, one.Token)
	wants(t, "its token", err, code.BadToken)
	_, err = s.Refresh(ctx, one.Refresh)
	wants(t, "its refresh token", err, code.BadToken)
	_, err = s.Check(ctx, two.Token)
	wants(t, "the other device's", err, code.OK)
	if again, _ := s.Device(ctx, device(t, 1), "", "a"); again == nil || !again.New {
		t.Errorf("a removed device comes back as %+v", again)
	}
	for n := range MaxDevices - 1 {
		if _, err := s.Login(ctx, "ada", "seven wet lanterns", device(t, 10+n), "a"); err != nil {
			t.Fatalf("device %d: %v", n, err)
		}
	}
	_, err = s.Login(ctx, "ada", "seven wet lanterns", device(t, 99), "a")
	wants(t, "one too many", err, code.TooManyDevices)
	wants(t, "a password that ends them", s.ChangePassword(ctx, one.Player, "seven wet lanterns", "nine dry oars", "a",
		true), code.OK)
	if list, _ := s.Devices(ctx, who); len(list) != 0 {
		t.Errorf("%d devices are left", len(list))
	}
}

// TestBans: who is banned comes in by no way until the ban ends, and is told until when and why.
func TestBans(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	in, _ := s.Device(ctx, device(t, 1), "Ada", "a")
	wants(t, "an account", s.AddLogin(ctx, in.Player, "ada", "seven wet lanterns"), code.OK)
	ways := map[string]func() error{
		"token":   func() error { _, err := s.Check(ctx, in.Token); return err },
		"refresh": func() error { _, err := s.Refresh(ctx, in.Refresh); return err },
		"device":  func() error { _, err := s.Device(ctx, device(t, 1), "", "a"); return err },
		"login":   func() error { _, err := s.Login(ctx, "ada", "seven wet lanterns", device(t, 2), "a"); return err },
	}
	past, until := now.Add(-time.Second), now.Add(time.Hour)
	wants(t, "a ban that is over", s.Ban(ctx, in.Player, &past, "x"), code.OutOfRange)
	wants(t, "a ban of nobody", s.Ban(ctx, "00000000-0000-0000-0000-000000000000", nil, "x"), code.NoPlayer)
	for _, end := range []*time.Time{nil, &until} {
		what := "for good"
		if end != nil {
			what = "for an hour"
		}
		*now = now.Add(time.Second)
		wants(t, "banning", s.Ban(ctx, in.Player, end, "rammed the pier"), code.OK)
		for name, way := range ways {
			err := way()
			only := map[bool]code.Code{true: code.ShutOut}[name == "device" || name == "login"]
			if c := fault.CodeOf(err); err == nil || c != code.ShutOut && (c != code.BadToken || only != "") {
				t.Errorf("%s by %s: %v", what, name, err)
			}
		}
	}
	*now = until
	wants(t, "after the hour", ways["device"](), code.OK)
	wants(t, "banning", s.Ban(ctx, in.Player, nil, "again"), code.OK)
	wants(t, "pardoned", s.Unban(ctx, in.Player), code.OK)
	wants(t, "after the pardon", ways["login"](), code.OK)
}

// TestBansStay: who is banned can leave, with a token that is good for nothing else; once they are deleted, their
// device makes no other player and belongs to none, until the ban ends or is lifted.
func TestBansStay(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	until := now.Add(time.Hour)
	for i, end := range []*time.Time{&until, nil} {
		key := device(t, i)
		in, _ := s.Device(ctx, key, "Ada", "a")
		wants(t, "banning", s.Ban(ctx, in.Player, end, "rammed the pier"), code.OK)
		*now = now.Add(time.Second)
		out, err := s.Leaving(ctx, key, "", "", "a")
		wants(t, "leaving", err, code.OK)
		_, err = s.Check(ctx, out.Token)
		wants(t, "anything else with that token", err, code.BadToken)
		if w, err := s.CheckLeaving(ctx, out.Token); err != nil || w.Player != in.Player {
			t.Errorf("leaving: %+v, %v", w, err)
		}
		wants(t, "deletion", s.Delete(ctx, in.Player), code.OK)
		_, err = s.Device(ctx, key, "Ada", "a")
		wants(t, "the device, for another player", err, code.ShutOut)
		_, err = s.Leaving(ctx, key, "", "", "a")
		wants(t, "leaving twice", err, code.BadDevice)
		other, _ := s.Device(ctx, device(t, 10+i), "Bo", "a")
		_, err = s.tie(s.db.WithContext(ctx), key, other.Player)
		wants(t, "the device, for somebody who is there", err, code.ShutOut)
		if end == nil {
			wants(t, "a pardon", s.Unban(ctx, in.Player), code.OK)
		} else {
			*now = until
			wants(t, "sweeping", s.Sweep(ctx), code.OK)
		}
		_, err = s.Device(ctx, key, "Ada", "a")
		wants(t, "the device after that", err, code.OK)
		wants(t, "a pardon of nobody", s.Unban(ctx, in.Player), code.NoPlayer)
	}
}

// TestComingBack: a code that an operator gives signs its player in once, within a day; what was before is void, and
// the device that brought it is the only one.
func TestComingBack(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	in, _ := s.Device(ctx, device(t, 1), "Ada", "a")
	*now = now.Add(time.Second)
	first, err := s.Recover(ctx, in.Player)
	if err != nil {
		t.Fatal(err)
	}
	r, _ := s.Recover(ctx, in.Player)
	back := func(text, password string) (*SignedIn, error) {
		return s.ComeBack(ctx, text, device(t, 2), password, "a")
	}
	_, err = back(first.Code, "")
	wants(t, "the code of before", err, code.WrongLogin)
	_, err = back(r.Code, "seven wet lanterns")
	wants(t, "a password without an account", err, code.WrongLogin)
	wants(t, "an account", s.AddLogin(ctx, in.Player, "ada", "a forgotten one, sadly"), code.OK)
	_, err = back(r.Code, "password123")
	wants(t, "a bad password", err, code.WeakPassword)
	got, err := back(r.Code, "seven wet lanterns")
	if err != nil || got.Player != in.Player || got.New {
		t.Fatalf("%+v, %v", got, err)
	}
	who, err := s.Check(ctx, got.Token)
	wants(t, "the new token", err, code.OK)
	_, err = s.Check(ctx, in.Token)
	if list, _ := s.Devices(ctx, who); err == nil || len(list) != 1 || !list[0].This {
		t.Errorf("the token of before: %v; devices %+v", err, list)
	}
	_, err = back(r.Code, "")
	wants(t, "a second time", err, code.WrongLogin)
	_, err = s.Login(ctx, "ada", "seven wet lanterns", "", "a")
	wants(t, "the new password", err, code.OK)
	r, _ = s.Recover(ctx, in.Player)
	*now = now.Add(recoveryLife + time.Second)
	_, err = back(r.Code, "")
	wants(t, "a day later", err, code.WrongLogin)
}

// TestPasswords: what is guessed first is refused, whatever its length.
func TestPasswords(t *testing.T) {
	for p, want := range map[string]code.Code{
		"1234567890": code.WeakPassword, "qwertyuiop": code.WeakPassword, "password123": code.WeakPassword,
		"aaaaaaaaaaaaaaa": code.WeakPassword, "ada.lovelace": code.WeakPassword, "iloveyou1990": code.WeakPassword,
		"turnvexturnvex": code.WeakPassword, "short": code.WeakPassword, "seven wet lanterns": code.OK,
		"7fG-k2!pQz": code.OK, "двенадцать сырых фонарей": code.OK,
	} {
		wants(t, p, checkPassword(p, "ada.lovelace"), want)
	}
}

// TestNobodyIsLockedOut: an operator's key changes itself and keys that are no operators', but is not revoked as the
// last; the environment's changes every other, and is changed by none.
func TestNobodyIsLockedOut(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	as := func(key string) *Who {
		t.Helper()
		in, err := s.Key(ctx, key, "a")
		if err != nil {
			t.Fatal(err)
		}
		who, err := s.Check(ctx, in.Token)
		if err != nil {
			t.Fatal(err)
		}
		return who
	}
	text, err := s.FirstKey(ctx, "")
	if err != nil {
		t.Fatal(err)
	}
	one := as(text)
	wants(t, "the last one", s.RevokeKey(ctx, one, one.Name), code.Forbidden)
	_, err = s.MakeKey(ctx, environmentKey, []Scope{Operator})
	wants(t, "one called as the environment's, which is longer than a name may be", err, code.BadName)
	k, err := s.MakeKey(ctx, "two", []Scope{Operator})
	if err != nil {
		t.Fatal(err)
	}
	two := as(k.Key)
	wants(t, "another operator's", s.RevokeKey(ctx, one, "two"), code.Forbidden)
	_, err = s.RotateKey(ctx, one, "two", 0)
	wants(t, "rotating another's", err, code.Forbidden)
	_, err = s.RotateKey(ctx, two, "two", MaxOverlap+1)
	wants(t, "rotating for too long", err, code.OutOfRange)
	*now = now.Add(time.Second)
	next, err := s.RotateKey(ctx, two, "two", time.Hour)
	if err != nil || next.Key == k.Key {
		t.Fatalf("%+v, %v", next, err)
	}
	as(k.Key) // for an hour more
	two = as(next.Key)
	*now = now.Add(time.Hour + time.Second)
	_, err = s.Key(ctx, k.Key, "a")
	wants(t, "the old text later", err, code.BadToken)
	in, _ := s.Key(ctx, next.Key, "a")
	*now = now.Add(time.Second)
	last, err := s.RotateKey(ctx, two, "two", 0)
	wants(t, "rotating at once", err, code.OK)
	_, err = s.Check(ctx, in.Token)
	wants(t, "a token of the old text", err, code.BadToken)
	*now = now.Add(time.Second)
	two = as(last.Key)
	for _, key := range []string{strings.Repeat("ключ", 50), "the key of whoever runs it"} {
		if _, err := s.FirstKey(ctx, key); err != nil {
			t.Fatal(err)
		}
		*now = now.Add(time.Second)
		as(key)
	}
	wants(t, "the environment's", s.RevokeKey(ctx, two, environmentKey), code.Forbidden)
	root := as("the key of whoever runs it")
	wants(t, "by the environment's", s.RevokeKey(ctx, root, one.Name), code.OK)
	wants(t, "itself", s.RevokeKey(ctx, two, "two"), code.OK)
	var row store.ServiceKey
	if err := db.First(&row, "name = ?", "two").Error; err != nil || row.Hash[:9] != "$argon2id" {
		t.Errorf("kept as %.20q, %v", row.Hash, err)
	}
}

// TestSigningSecrets: tokens of before a rotation stay good, unless the older secrets are dropped; then a refresh token
// is enough, on this node and on others.
func TestSigningSecrets(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	other, err := New(ctx, db, s.guard)
	if err != nil {
		t.Fatal(err)
	}
	other.now = s.now
	in, _ := s.Device(ctx, device(t, 1), "Ada", "a")
	if err := s.RotateSigning(ctx, false); err != nil {
		t.Fatal(err)
	}
	_, err = other.Check(ctx, in.Token)
	wants(t, "a token of before", err, code.OK)
	next, err := s.Refresh(ctx, in.Refresh)
	if err != nil {
		t.Fatal(err)
	}
	other.signers.read = time.Time{}
	_, err = other.Check(ctx, next.Token)
	wants(t, "a token of after, on another node", err, code.OK)
	if err := s.RotateSigning(ctx, true); err != nil {
		t.Fatal(err)
	}
	if err := other.LookVoided(ctx, nil); err != nil {
		t.Fatal(err)
	}
	for _, node := range []*Service{s, other} {
		_, err = node.Check(ctx, next.Token)
		wants(t, "a token of a dropped secret", err, code.BadToken)
	}
	if next, err = other.Refresh(ctx, next.Refresh); err != nil {
		t.Fatal(err)
	}
	_, err = s.Check(ctx, next.Token)
	wants(t, "refreshed on the other node", err, code.OK)
	*now = now.Add(3 * keyLife)
	if err := s.RotateSigning(ctx, false); err != nil {
		t.Fatal(err)
	}
	*now = now.Add(3 * keyLife)
	if err := s.Sweep(ctx); err != nil {
		t.Fatal(err)
	}
	if list, err := s.SigningKeys(ctx); err != nil || len(list) != 1 {
		t.Errorf("%+v, %v", list, err)
	}
}

// TestVoided: a player's or a key's tokens of before a moment are good no more; a line of sign-ins is void for good,
// whatever clock its tokens were issued by.
func TestVoided(t *testing.T) {
	at := time.Date(2031, 2, 3, 4, 5, 6, 0, time.UTC)
	before, later := at.Add(-time.Second).UnixMicro(), at.Add(time.Second).UnixMicro()
	for _, c := range []struct {
		who  Who
		void string
		want bool
	}{
		{Who{subject: ofPlayer("a"), line: "1", at: before}, ofPlayer("a"), true},
		{Who{subject: ofPlayer("a"), line: "1", at: later}, ofPlayer("a"), false},
		{Who{subject: ofPlayer("a"), line: "1", at: before}, ofPlayer("b"), false},
		{Who{subject: ofPlayer("a"), line: "1", at: later}, ofLine("1"), true},
		{Who{subject: ofPlayer("a"), line: "2", at: before}, ofLine("1"), false},
		{Who{subject: ofKey("k"), at: before}, ofLine(""), false},
		{Who{subject: ofKey("k"), at: before}, ofKey("k"), true},
	} {
		if got := c.who.Voided(&Void{Subject: c.void, Before: at}); got != c.want {
			t.Errorf("%+v by %s: %v", c.who, c.void, got)
		}
	}
}
