package service_test

import (
	"bytes"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
)

// ownOperator is an operator with a key of the test's own, and its name.
func ownOperator(t *testing.T) (client.Service, string) {
	t.Helper()
	name := "operator " + fresh()
	key, err := operator(t).MakeKey(soon(t), name, "operator")
	if err != nil {
		t.Fatal(err)
	}
	in, err := client.SignInKey(soon(t), node.Address, key.Key)
	if err != nil {
		t.Fatal(err)
	}
	return as(in), name
}

// TestAuditTrail: what operators and service keys change stands in the trail with who, what, to whom, why, from where
// and what came of it, and nothing secret; what they read does not, nor what players do.
func TestAuditTrail(t *testing.T) {
	op, mara := operator(t), player(t, "Mara")
	us, name := ownOperator(t)
	wants(t, "banning", us.BanPlayer(soon(t), mara.Player, client.Ban{Why: "rammed the pier", Tell: "no"}), "")
	wants(t, "banning without a reason", us.BanPlayer(soon(t), mara.Player,
		client.Ban{Why: "", Tell: "no"}), "bad-request")
	wants(t, "pardoning", us.UnbanPlayer(soon(t), mara.Player, "it was the other boat"), "")
	wants(t, "revoking nothing", us.RevokeKey(soon(t), "nothing"), "no-such-key")
	var err error
	mara, err = client.SignIn(soon(t), node.Address, "a-device-of-the-trail-"+fresh()+"-0123456", "Mara")
	if err != nil {
		t.Fatal(err)
	}
	r, err := us.RecoverPlayer(soon(t), mara.Player, "lost the phone")
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := us.FindPlayers(soon(t), "Mara", 5, ""); err != nil {
		t.Fatal(err)
	}
	lines, next, err := op.Audit(soon(t), client.AuditQuery{Who: name, Limit: 4})
	if err != nil || len(lines) != 4 || next == "" {
		t.Fatalf("%d lines, next %q, %v", len(lines), next, err)
	}
	_, _, err = op.Audit(soon(t), client.AuditQuery{Limit: 4, Cursor: next})
	wants(t, "a cursor with another filter", err, "bad-cursor")
	bent := "A" + next[1:]
	if bent == next {
		bent = "B" + next[1:]
	}
	_, _, err = op.Audit(soon(t), client.AuditQuery{Who: name, Limit: 4, Cursor: bent})
	wants(t, "a bent cursor", err, "bad-cursor")
	more, next, err := op.Audit(soon(t), client.AuditQuery{Who: name, Limit: 4, Cursor: next})
	if err != nil || next != "" {
		t.Fatalf("next %q, %v", next, err)
	}
	var got []string
	for _, l := range append(lines, more...) {
		if l.Address != "127.0.0.1" || time.Since(l.At) > time.Minute {
			t.Errorf("%+v", l)
		}
		if strings.Contains(fmt.Sprint(l), r.Code) {
			t.Errorf("the trail tells the code: %+v", l)
		}
		got = append(got, l.What+" "+l.Why+" "+l.Outcome)
	}
	want := []string{"POST /v1/players/{id}/recovery lost the phone ok", "DELETE /v1/keys/{name}  no-such-key",
		"DELETE /v1/players/{id}/ban it was the other boat ok", "PUT /v1/players/{id}/ban  bad-request",
		"PUT /v1/players/{id}/ban rammed the pier ok"}
	if fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("%q", got)
	}
	if lines, _, err = op.Audit(soon(t), client.AuditQuery{Subject: mara.Player}); err != nil || len(lines) != 1 {
		t.Errorf("of the player: %+v, %v", lines, err)
	}
	_, _, err = as(mara).Audit(soon(t), client.AuditQuery{})
	wants(t, "read by a player", err, "forbidden")
}

// TestTheBannedCanLeave: who is banned gets their data and can have it removed; the ban stays with their device.
func TestTheBannedCanLeave(t *testing.T) {
	const key = "a-device-of-who-will-be-banned-01"
	mara, err := client.SignIn(soon(t), node.Address, key, "Mara")
	if err != nil {
		t.Fatal(err)
	}
	wants(t, "banning", operator(t).BanPlayer(soon(t), mara.Player,
		client.Ban{Why: "rammed the pier", Tell: "no ramming"}), "")
	out, err := client.SignInLeaving(soon(t), node.Address, key)
	if err != nil || out.Player != mara.Player {
		t.Fatalf("leaving: %+v, %v", out, err)
	}
	var data bytes.Buffer
	wants(t, "an export", as(out).ExportPlayer(soon(t), "me", &data), "")
	if !strings.Contains(data.String(), mara.Player) {
		t.Errorf("the export is %s", &data)
	}
	_, err = as(out).QuickJoin(soon(t), client.Quick{Rulebook: "duel"})
	wants(t, "playing with that token", err, "bad-token")
	wants(t, "deletion", as(out).DeleteMe(soon(t)), "")
	_, err = client.SignIn(soon(t), node.Address, key, "Mara")
	wants(t, "another player with the same device", err, "shut-out")
	wants(t, "a pardon", operator(t).UnbanPlayer(soon(t), mara.Player, "they have paid for it"), "")
	_, err = client.SignIn(soon(t), node.Address, key, "Mara")
	wants(t, "after the pardon", err, "")
}

// TestNothingIsChangedUnnoted: what cannot be written into the audit trail is not done.
func TestNothingIsChangedUnnoted(t *testing.T) {
	s := another(t, service.Config{Database: emptyDatabase(t), OperatorKey: "the-key-of-this-node-alone"})
	in, err := client.SignInKey(soon(t), s.Address, "the-key-of-this-node-alone")
	if err != nil {
		t.Fatal(err)
	}
	mara, err := client.SignIn(soon(t), s.Address, "a-device-that-is-not-banned-01", "Mara")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.DB.WithContext(soon(t)).Exec("alter table audit rename to away").Error; err != nil {
		t.Fatal(err)
	}
	wants(t, "banning", at(s, in).BanPlayer(soon(t), mara.Player,
		client.Ban{Why: "rammed the pier", Tell: "no"}), "internal")
	wants(t, "who was to be banned", at(s, mara).Call(soon(t), http.MethodGet, "/v1/me", nil, nil), "")
}

// TestHiddenResults: the result of a match in a lobby that is not listed is for who took part and for service keys.
func TestHiddenResults(t *testing.T) {
	mara, joss, other, op := player(t, "Mara"), player(t, "Joss"), player(t, "Other"), operator(t)
	code := lobby(t, mara, client.Opening{Rulebook: "duel", Hidden: true})
	a, b := join(t, mara, client.Options{Lobby: code}), join(t, joss, client.Options{Lobby: code})
	play(t, a, b)
	until(t, a, "the match runs", func(c *client.Copy) bool { return c.Match() != nil })
	if err := op.EndMatch(soon(t), code, ""); err != nil {
		t.Fatal(err)
	}
	q := map[string][]string{"lobby": {code}}
	until(t, a, "the result is kept", func(*client.Copy) bool {
		list, err := as(mara).Matches(soon(t), q)
		return err == nil && len(list) == 1
	})
	list, _ := op.Matches(soon(t), q)
	if len(list) != 1 {
		t.Fatalf("an operator sees %d", len(list))
	}
	for _, c := range []struct {
		who  client.Service
		what string
		sees bool
	}{{as(joss), "who took part", true}, {as(other), "who did " +
		"not", false}, {client.Service{Address: node.Address}, "nobody", false}} {
		got, err := c.who.Matches(soon(t), q)
		if err != nil || (len(got) == 1) != c.sees {
			t.Errorf("%s: %d, %v", c.what, len(got), err)
		}
		one := "no-such-match"
		if c.sees {
			one = ""
		}
		wants(t, c.what, c.who.Call(soon(t), http.MethodGet, "/v1/matches/"+list[0].ID, nil, nil), one)
	}
}

// heard is what a service logs.
type heard struct {
	mu  sync.Mutex
	all bytes.Buffer // guarded by mu
}

func (h *heard) Write(p []byte) (int, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.all.Write(p)
}

// TestNothingSecretIsLogged: at no level, whatever fails, does a log line hold a key, a password, a token or a code:
// not while everything works, nor when requests are bad, nor when the database is gone in the midst.
func TestNothingSecretIsLogged(t *testing.T) {
	var log heard
	root := "the-operators-own-key-" + fresh()
	s := another(t, service.Config{Database: emptyDatabase(t), OperatorKey: root,
		Log: slog.New(slog.NewTextHandler(&log, &slog.HandlerOptions{Level: slog.LevelDebug - 4}))})
	ctx := soon(t)
	secrets := map[string]string{"the operator's key": root}
	device, password, pass := "a-device-to-be-kept-secret", "seven secret lanterns", "a lobby's secret word"
	secrets["device"], secrets["password"], secrets["a lobby's password"] = device, password, pass
	in, err := client.SignIn(ctx, s.Address, device, "Mara")
	if err != nil {
		t.Fatal(err)
	}
	keep := func(what string, in *client.Signed, err error) {
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
		secrets["token of "+what], secrets["refresh token of "+what] = in.Token, in.Refresh
	}
	keep("device", in, err)
	svc := at(s, in)
	if err := svc.MakeAccount(ctx, "mara", password); err != nil {
		t.Fatal(err)
	}
	next, err := client.Refresh(ctx, s.Address, in.Refresh)
	keep("refresh", next, err)
	eye, err := client.SignInKey(ctx, s.Address, root)
	keep("key", eye, err)
	op := at(s, eye)
	key, err := op.MakeKey(ctx, "watcher", "read")
	if err != nil {
		t.Fatal(err)
	}
	secrets["a key"] = key.Key
	r, err := op.RecoverPlayer(ctx, in.Player, "")
	if err != nil {
		t.Fatal(err)
	}
	secrets["a recovery code"] = r.Code
	duel := source(t, "duel")
	if err := op.Call(ctx, http.MethodPost, "/v1/rulebooks", nil, nil); err == nil {
		t.Error("no rulebook is taken for one")
	}
	if _, _, err := s.Library.Load(ctx, duel); err != nil {
		t.Fatal(err)
	}
	l, err := svc.Open(ctx, client.Opening{Rulebook: "duel", Password: pass})
	if err != nil {
		t.Fatal(err)
	}
	c, err := client.Connect(ctx, client.Options{Address: s.Address, Token: next.Token, Lobby: l.Code, Password: pass})
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	failing := func() {
		svc.ExportPlayer(ctx, "me", io.Discard)
		client.SignIn(ctx, s.Address, device, "\x00")
		client.SignIn(ctx, s.Address, device, "")
		client.SignInAccount(ctx, s.Address, "mara", password, device)
		client.SignInAccount(ctx, s.Address, "mara", password, "short")
		client.SignInKey(ctx, s.Address, root)
		client.Refresh(ctx, s.Address, next.Refresh)
		client.SignInRecovery(ctx, s.Address, r.Code, "short", password)
		svc.ChangePassword(ctx, password, password)
		svc.Open(ctx, client.Opening{Rulebook: "nothing", Password: pass})
		op.RotateKey(ctx, "watcher", -time.Second)
		http.Get(s.Address + "/v1/me?token=" + "query")
		client.Connect(ctx, client.Options{Address: s.Address, Token: next.Token + "x", Lobby: l.Code, Password: pass})
	}
	failing()
	move := func(from, to string) {
		t.Helper()
		if err := s.DB.WithContext(ctx).Exec("alter schema " + from + " rename to " + to).Error; err != nil {
			t.Fatal(err)
		}
	}
	move("public", "away") // every statement fails
	failing()
	move("away", "public")
	log.mu.Lock()
	text := log.all.String()
	log.mu.Unlock()
	if strings.Count(text, "level=ERROR") < 5 || strings.Count(text, "level=DEBUG") < 10 {
		t.Fatalf("too little failed, or was logged, for this to mean anything:\n%s", text)
	}
	for what, secret := range secrets {
		if secret != "" && strings.Contains(text, secret) {
			t.Errorf("%s is in the log", what)
		}
	}
	for _, line := range strings.Split(text, "\n") {
		if strings.Contains(line, "trace.sql") && strings.Contains(line, in.Player) {
			t.Errorf("a statement is logged with its values: %s", line)
		}
	}
	if strings.Contains(text, "$argon2id$") {
		t.Error("a hash is in the log")
	}
}
