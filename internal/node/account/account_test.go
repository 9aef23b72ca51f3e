package account

import (
	"fmt"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

// clocked is a service whose clock stands until the test moves it.
func clocked(t *testing.T) (*Service, *time.Time) {
	t.Helper()
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	s, err := New(t.Context(), db, guard.New())
	if err != nil {
		t.Fatal(err)
	}
	now := time.Date(2031, 2, 3, 4, 5, 6, 0, time.UTC)
	s.now = func() time.Time { return now }
	return s, &now
}

// device is a device key of the test's own.
func device(t *testing.T, n int) string { return fmt.Sprintf("device-%s-%02d-0123456789", t.Name(), n) }

func wants(t *testing.T, what string, err error, want code.Code) {
	t.Helper()
	if got := fault.CodeOf(err); (err == nil) != (want == code.OK) || err != nil && got != want {
		t.Errorf("%s: %v, wanted %q", what, err, want)
	}
}

// TestDevices: an unknown device makes a player, a known one is the same player; a name that is given is taken; two
// first sign-ins at one moment make one player.
func TestDevices(t *testing.T) {
	s, _ := clocked(t)
	ctx := t.Context()
	first, err := s.Device(ctx, device(t, 1), "  Ada   Lamp ", "7.7.7.7")
	if err != nil || !first.New || first.Name != "Ada Lamp" {
		t.Fatalf("%+v, %v", first, err)
	}
	again, err := s.Device(ctx, device(t, 1), "", "7.7.7.7")
	if err != nil || again.New || again.Player != first.Player || again.Name != "Ada Lamp" {
		t.Errorf("%+v, %v", again, err)
	}
	if again, err = s.Device(ctx, device(t, 1), "Ines", "7.7.7.7"); err != nil || again.Name != "Ines" {
		t.Errorf("%+v, %v", again, err)
	}
	made, err := s.Device(ctx, device(t, 2), "", "7.7.7.7")
	if err != nil || len(strings.Fields(made.Name)) != 2 {
		t.Errorf("a made-up name: %+v, %v", made, err)
	}
	for _, key := range []string{"", "short", strings.Repeat("x", 129), strings.Repeat("x", 30) + " ",
		strings.Repeat("x", 30) + "é"} {
		_, err := s.Device(ctx, key, "", "7.7.7.7")
		wants(t, fmt.Sprintf("the key %q", key), err, code.BadDevice)
	}
	_, err = s.Device(ctx, device(t, 3), "\u202e", "7.7.7.7")
	wants(t, "a name that cannot be seen", err, code.BadName)
	var mu sync.Mutex
	players := map[string]int{}
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			in, err := s.Device(ctx, device(t, 4), "", "7.7.7.7")
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				t.Error(err)
			} else {
				players[in.Player]++
			}
		})
	}
	all.Wait()
	if len(players) != 1 {
		t.Errorf("eight first sign-ins of one device made %d players", len(players))
	}
}

// TestTokens: a token is good for its time and for its player alone, a refresh token once; one that comes a second time
// voids what followed from it.
func TestTokens(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	in, err := s.Device(ctx, device(t, 1), "Ada", "7.7.7.7")
	if err != nil {
		t.Fatal(err)
	}
	who, err := s.Check(ctx, in.Token)
	if err != nil || who.Player != in.Player || !who.IsPlayer() || who.Can(Read) {
		t.Errorf("%+v, %v", who, err)
	}
	for what, token := range map[string]string{"none": "", "not one": "abc",
		"bent": in.Token[:len(in.Token)-2] + "xx"} {
		want := code.BadToken
		if token == "" {
			want = code.NoToken
		}
		_, err := s.Check(ctx, token)
		wants(t, what, err, want)
	}
	*now = now.Add(TokenLife - time.Second)
	_, err = s.Check(ctx, in.Token)
	wants(t, "just before its end", err, code.OK)
	*now = now.Add(2 * time.Second)
	_, err = s.Check(ctx, in.Token)
	wants(t, "after its end", err, code.BadToken)
	next, err := s.Refresh(ctx, in.Refresh)
	if err != nil || next.Player != in.Player || next.Refresh == in.Refresh {
		t.Fatalf("%+v, %v", next, err)
	}
	*now = now.Add(time.Second)
	_, err = s.Refresh(ctx, in.Refresh)
	wants(t, "a second time", err, code.BadToken)
	_, err = s.Refresh(ctx, next.Refresh)
	wants(t, "what followed from it", err, code.BadToken)
	in, _ = s.Device(ctx, device(t, 1), "", "7.7.7.7")
	*now = now.Add(RefreshLife + time.Second)
	_, err = s.Refresh(ctx, in.Refresh)
	wants(t, "a refresh token after its end", err, code.BadToken)
	if err := s.Sweep(ctx); err != nil {
		t.Error(err)
	}
	var left int64
	if db.Model(&store.RefreshToken{}).Where("player_id = ?", in.Player).Count(&left); left != 0 {
		t.Errorf("%d refresh tokens that have run out are left", left)
	}
}

// TestSigningOut: here, or everywhere; and a player who is deleted.
func TestSigningOut(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	one, _ := s.Device(ctx, device(t, 1), "Ada", "7.7.7.7")
	two, _ := s.Device(ctx, device(t, 1), "", "7.7.7.7")
	var rows int64
	if db.Model(&store.RefreshToken{}).Where("player_id = ?", one.Player).Count(&rows); rows != 1 {
		t.Errorf("%d rows for one device, wanted 1", rows)
	}
	_, err := s.Refresh(ctx, one.Refresh)
	wants(t, "a refresh token of before the device signed in again", err, code.BadToken)
	_, err = s.Check(ctx, one.Token)
	wants(t, "a token of then", err, code.OK)
	two, err = s.Refresh(ctx, two.Refresh)
	wants(t, "the refresh token of now", err, code.OK)
	*now = now.Add(time.Second)
	if err := s.SignOut(ctx, one.Refresh); err != nil {
		t.Fatal(err)
	}
	for what, in := range map[string]*SignedIn{"then": one, "now": two} {
		_, err = s.Check(ctx, in.Token)
		wants(t, "once the device has signed out, the token of "+what, err, code.BadToken)
		_, err = s.Refresh(ctx, in.Refresh)
		wants(t, "and the refresh token of "+what, err, code.BadToken)
	}
	two, err = s.Device(ctx, device(t, 1), "", "7.7.7.7")
	wants(t, "the device signs in again", err, code.OK)
	*now = now.Add(time.Second)
	if err := s.SignOutEverywhere(ctx, one.Player); err != nil {
		t.Fatal(err)
	}
	_, err = s.Check(ctx, two.Token)
	wants(t, "a token from before", err, code.BadToken)
	_, err = s.Refresh(ctx, two.Refresh)
	wants(t, "a refresh token from before", err, code.BadToken)
	*now = now.Add(time.Second)
	three, err := s.Device(ctx, device(t, 1), "", "7.7.7.7")
	wants(t, "signing in again", err, code.OK)
	_, err = s.Check(ctx, three.Token)
	wants(t, "a token from afterwards", err, code.OK)
	if err := s.Delete(ctx, three.Player); err != nil {
		t.Fatal(err)
	}
	_, err = s.Check(ctx, three.Token)
	wants(t, "of a player who is no more", err, code.BadToken)
	_, err = s.Player(ctx, three.Player)
	wants(t, "the player", err, code.NoPlayer)
	_, err = s.Rename(ctx, three.Player, "Bo")
	wants(t, "renaming nobody", err, code.NoPlayer)
}

// TestLogins: an account is signed in to with its password, from any device; after five wrong ones there is nothing but
// waiting, and no answer tells whether it exists.
func TestLogins(t *testing.T) {
	s, _ := clocked(t)
	ctx := t.Context()
	in, _ := s.Device(ctx, device(t, 1), "Ada", "7.7.7.7")
	bo, _ := s.Device(ctx, device(t, 2), "Bo", "7.7.7.7")
	wants(t, "a weak password", s.AddLogin(ctx, in.Player, "ada", "short"), code.WeakPassword)
	wants(t, "an account", s.AddLogin(ctx, in.Player, "Ada.Lamp", "a long password"), code.OK)
	wants(t, "a name that is taken", s.AddLogin(ctx, bo.Player, "ada.lamp", "a long password"), code.NameTaken)
	got, err := s.Login(ctx, "ADA.lamp", "a long password", device(t, 3), "1.2.3.4")
	if err != nil || got.Player != in.Player {
		t.Fatalf("%+v, %v", got, err)
	}
	tied, err := s.Device(ctx, device(t, 3), "", "7.7.7.7")
	if err != nil || tied.Player != in.Player || tied.New {
		t.Errorf("the device belongs to %+v, %v", tied, err)
	}
	_, err = s.Login(ctx, "ada.lamp", "another password", "", "1.2.3.4")
	_, none := s.Login(ctx, "nobody.here", "another password", "", "1.2.3.4")
	if err == nil || none == nil || err.Error() != none.Error() {
		t.Errorf("%v and %v tell whether there is an account", err, none)
	}
	for range 4 {
		_, err = s.Login(ctx, "ada.lamp", "another password", "", "1.2.3.4")
		wants(t, "a wrong password", err, code.WrongLogin)
	}
	_, err = s.Login(ctx, "ada.lamp", "a long password", "", "1.2.3.4")
	wants(t, "after five wrong ones", err, code.TooMany)
	wants(t, "changing with the wrong one", s.ChangePassword(ctx, in.Player, "x", "another long one", "9.9.9.9", false),
		code.WrongLogin)
	wants(t, "changing it", s.ChangePassword(ctx, in.Player, "a long password", "another long "+
		"one", "9.9.9.9", false), code.OK)
	wants(t, "without an account", s.ChangePassword(ctx, bo.Player, "x", "another long one", "9.9.9.8", false),
		code.WrongLogin)
}

// TestTries: of a hundred wrong passwords at once as many are tried as the limit says; the account's player is not shut
// out by who guesses from elsewhere; one that works is not counted.
func TestTries(t *testing.T) {
	s, _ := clocked(t)
	ctx := t.Context()
	ada, err := s.Device(ctx, device(t, 1), "Ada", "7.7.7.7")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.AddLogin(ctx, ada.Player, "ada", "a long password"); err != nil {
		t.Fatal(err)
	}
	var tried atomic.Int64
	var all sync.WaitGroup
	for range 100 {
		all.Go(func() {
			if _, err := s.Login(ctx, "ada", "a wrong password", "", "6.6.6.6"); fault.CodeOf(err) == code.WrongLogin {
				tried.Add(1)
			}
		})
	}
	all.Wait()
	if n := tried.Load(); n != int64(guard.AccountTries.Most) {
		t.Errorf("%d of a hundred at once are tried", n)
	}
	for range guard.AddressTries.Most + 2 {
		if _, err := s.Login(ctx, "ada", "a long password", "", "1.1.1.1"); err != nil {
			t.Fatalf("the player herself: %v", err)
		}
	}
}

// TestRefreshOnce: of many who use one refresh token at the same moment one gets tokens, and then the whole line is
// void, that one's next token too.
func TestRefreshOnce(t *testing.T) {
	s, _ := clocked(t)
	ctx := t.Context()
	for range 10 {
		in, err := s.Device(ctx, device(t, 1), "", "7.7.7.7")
		if err != nil {
			t.Fatal(err)
		}
		var got [4]*SignedIn
		var all sync.WaitGroup
		for i := range got {
			all.Go(func() { got[i], _ = s.Refresh(ctx, in.Refresh) })
		}
		all.Wait()
		var won []*SignedIn
		for _, g := range got {
			if g != nil {
				won = append(won, g)
			}
		}
		if len(won) != 1 {
			t.Fatalf("%d of 4 got tokens", len(won))
		}
		_, err = s.Refresh(ctx, won[0].Refresh)
		wants(t, "the winner's next", err, code.BadToken)
	}
}

// TestKeys: a service key allows what its scopes say until it is revoked, and its tokens with it; the first key of all
// is made once.
func TestKeys(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	made, err := s.FirstKey(ctx, "")
	if err != nil || made == "" {
		t.Fatalf("%q, %v", made, err)
	}
	if again, err := s.FirstKey(ctx, ""); again != "" || err != nil {
		t.Errorf("a second first key: %q, %v", again, err)
	}
	for _, key := range []string{"given-by-the-operator", "given-another-time-to-us", "given-by-the-operator",
		"given-by-the-operator", "given-another-time-to-us"} { // changed, and changed back
		if _, err := s.FirstKey(ctx, key); err != nil {
			t.Error(err)
		}
		_, err := s.Key(ctx, key, key)
		wants(t, key, err, code.OK)
	}
	var noted int64
	if db.Model(&store.Audit{}).Where("subject = "+
		"?", environmentKey).Count(&noted); noted != 4 { // not where it stays as it is
		t.Errorf("%d changes of the environment's key stand in the audit trail", noted)
	}
	if _, err := s.FirstKey(ctx, "a"); err == nil || !strings.Contains(err.Error(), "20 to 200") {
		t.Errorf("a short key of the environment: %v", err)
	}
	*now = now.Add(time.Second)
	in, err := s.Key(ctx, "given-another-time-to-us", "w")
	if err != nil {
		t.Fatal(err)
	}
	first, err := s.Check(ctx, in.Token)
	if err != nil {
		t.Fatal(err)
	}
	for key, want := range map[string]code.Code{made: code.OK, "given-by-the-operator": code.BadToken,
		"given-another-time-to-us": code.OK, "guessed": code.BadToken} {
		_, err := s.Key(ctx, key, key)
		wants(t, key, err, want)
	}
	for _, c := range []struct {
		scopes []Scope
		can    []bool // operator, referee, read
	}{{[]Scope{Operator}, []bool{true, true, true}}, {[]Scope{Referee}, []bool{false, true, false}}, {[]Scope{Read,
		Referee}, []bool{false, true, true}}} {
		name := fmt.Sprint("key of ", len(c.scopes), c.scopes[0])
		k, err := s.MakeKey(ctx, name, c.scopes)
		if err != nil {
			t.Fatal(err)
		}
		in, err := s.Key(ctx, k.Key, "x")
		if err != nil || in.Player != "" {
			t.Fatalf("%+v, %v", in, err)
		}
		who, err := s.Check(ctx, in.Token)
		if err != nil || who.IsPlayer() || who.Can(Operator) != c.can[0] || who.Can(Referee) != c.can[1] ||
			who.Can(Read) != c.can[2] {
			t.Errorf("%v: %+v, %v", c.scopes, who, err)
		}
		_, err = s.MakeKey(ctx, name, c.scopes)
		wants(t, "a name that is taken", err, code.NameTaken)
		wants(t, "revoking", s.RevokeKey(ctx, first, name), code.OK)
		wants(t, "revoking again", s.RevokeKey(ctx, first, name), code.NoKeyNamed)
		_, err = s.Check(ctx, in.Token)
		wants(t, "a token of a revoked key", err, code.BadToken)
		_, err = s.Key(ctx, k.Key, "y")
		wants(t, "a revoked key", err, code.BadToken)
	}
	_, err = s.MakeKey(ctx, "none", nil)
	wants(t, "no scope", err, code.BadRequest)
	_, err = s.MakeKey(ctx, "odd", []Scope{"odd"})
	wants(t, "an odd scope", err, code.BadRequest)
	list, err := s.Keys(ctx)
	if err != nil || len(list) != 5 || list[0].Key != "" {
		t.Errorf("%d keys, %v", len(list), err)
	}
}

// TestFirstKeyOnce: of several nodes that start on an empty database at one moment, one shows a first key, and it is
// the one that is good.
func TestFirstKeyOnce(t *testing.T) {
	for range 20 {
		s, _ := clocked(t)
		var all sync.WaitGroup
		var mu sync.Mutex
		var made []string
		for range 8 {
			all.Go(func() {
				key, err := s.FirstKey(t.Context(), "")
				if err != nil {
					t.Error(err)
				}
				if key != "" {
					mu.Lock()
					made = append(made, key)
					mu.Unlock()
				}
			})
		}
		all.Wait()
		if len(made) != 1 {
			t.Fatalf("%d keys were shown", len(made))
		}
		if _, err := s.Key(t.Context(), made[0], "here"); err != nil {
			t.Errorf("the key that was shown: %v", err)
		}
	}
}

// TestBrowserSession: the secret of a browser session gives tokens of its key for twelve hours, as long as it does so
// once an hour; not once the session is ended, the key has another text, or is revoked.
func TestBrowserSession(t *testing.T) {
	s, now := clocked(t)
	ctx := t.Context()
	key, err := s.MakeKey(ctx, "harbour office", []Scope{Operator})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.MakeKey(ctx, "another office", []Scope{Operator}); err != nil { // the last one cannot be revoked
		t.Fatal(err)
	}
	var me *Who
	begin := func() string {
		t.Helper()
		in, secret, err := s.Browse(ctx, key.Key, "7.7.7.7")
		if err != nil || len(in.Scopes) != 1 || in.Scopes[0] != Operator || in.Expires.Sub(*now) != TokenLife {
			t.Fatalf("%+v, %v", in, err)
		}
		if me, err = s.Check(ctx, in.Token); err != nil {
			t.Fatal(err)
		}
		return secret
	}
	renew := func(what, secret string, want code.Code) {
		t.Helper()
		in, err := s.RenewBrowser(ctx, secret)
		wants(t, what, err, want)
		if err == nil {
			who, err := s.Check(ctx, in.Token)
			if err != nil || !who.Can(Operator) {
				t.Errorf("%s: the token is %+v's, %v", what, who, err)
			}
		}
	}
	_, _, err = s.Browse(ctx, "not "+key.Key, "7.7.7.7")
	wants(t, "with another key", err, code.BadToken)
	first := begin()
	began := *now
	for now.Sub(began) < BrowserLife-50*time.Minute {
		*now = now.Add(50 * time.Minute)
		renew("within the hour", first, code.OK)
	}
	*now = began.Add(BrowserLife)
	renew("after twelve hours", first, code.BadToken)
	second := begin()
	*now = now.Add(browserIdle)
	renew("after an hour without", second, code.BadToken)
	third, fourth := begin(), begin()
	if err := s.EndBrowser(ctx, third); err != nil {
		t.Fatal(err)
	}
	renew("once it is ended", third, code.BadToken)
	renew("another one", fourth, code.OK)
	*now = now.Add(time.Second)
	if key, err = s.RotateKey(ctx, me, "harbour office", 0); err != nil {
		t.Fatal(err)
	}
	renew("once the key has another text", fourth, code.BadToken)
	*now = now.Add(time.Second)
	fifth := begin()
	if err := s.RevokeKey(ctx, me, "harbour office"); err != nil {
		t.Fatal(err)
	}
	renew("once the key is revoked", fifth, code.BadToken)
	if err := s.Sweep(ctx); err != nil {
		t.Fatal(err)
	}
	var left int64
	if err := db.Model(&store.BrowserSession{}).Count(&left).Error; err != nil || left != 3 {
		t.Errorf("%d sessions that have not run out are kept, wanted 3: %v", left, err)
	}
}
