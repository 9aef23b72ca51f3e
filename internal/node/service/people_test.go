package service_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"sync/atomic"
	"testing"

	"turnvex.example/turnvex/client"
)

// as is the service as a player sees it.
func as(in *client.Signed) client.Service {
	return client.Service{Address: node.Address, Token: in.Token}
}

// from is the service as it is seen from another address of this machine, so that a test's failed tries count against
// nobody else.
func from(ip string) client.Service {
	d := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(ip)}}
	return client.Service{
		Address: node.Address,
		HTTP:    &http.Client{Transport: &http.Transport{DialContext: d.DialContext}},
	}
}

func wants(t *testing.T, what string, err error, code string) {
	t.Helper()
	if client.CodeOf(err) != code || code == "" && err != nil {
		t.Errorf("%s: %v, not %q", what, err, code)
	}
}

var runs atomic.Int64

// fresh returns a short text that nothing else in the tests has.
func fresh() string { return fmt.Sprintf("%x", runs.Add(1)) }

// elsewhere is an address of this machine that no other test uses.
func elsewhere() string { return fmt.Sprintf("127.0.3.%d", runs.Add(1)%250+1) }

// operator is the service with an operator's token.
func operator(t *testing.T) client.Service {
	t.Helper()
	in, err := client.SignInKey(soon(t), node.Address, operatorKey)
	if err != nil {
		t.Fatal(err)
	}
	return as(in)
}

// TestAccounts: one player from two devices by way of an account; wrong logins look all alike and are limited; a new
// password ends every sign-in.
func TestAccounts(t *testing.T) {
	ctx, run := soon(t), fresh()
	mara := "mara-" + run
	device := func(name string) string { return "device-of-the-accounts-test-" + run + name }
	first, err := client.SignIn(ctx, node.Address, device("one"), "Mara Quill")
	if err != nil {
		t.Fatal(err)
	}
	wants(t, "a short password", as(first).MakeAccount(ctx, mara, "short"), "weak-password")
	wants(t, "an account", as(first).MakeAccount(ctx, "Mara-"+run, "lanterns at night"), "")
	wants(t, "a second one", as(first).MakeAccount(ctx, "other-"+run, "lanterns at night"), "name-taken")
	other := player(t, "Joss")
	wants(t, "the same login again", as(other).MakeAccount(ctx, "mARA-"+run, "lanterns at dawn"), "name-taken")
	second, err := client.SignInAccount(ctx, node.Address, mara, "lanterns at night", device("two"))
	if err != nil || second.Player != first.Player || second.Name != "Mara Quill" {
		t.Fatalf("from the account: %+v, %v", second, err)
	}
	again, err := client.SignIn(ctx, node.Address, device("two"), "")
	if err != nil || again.Player != first.Player || again.New {
		t.Errorf("from the second device alone: %+v, %v", again, err)
	}
	far := from(elsewhere())
	try := func(login, password string) error {
		return far.Call(ctx, "POST", "/v1/sign-in/account", map[string]string{"login": login, "password": password},
			nil)
	}
	noName, noPassword := try("nobody-at-all", "lanterns at night"), try(mara, "lanterns at noon")
	if wants(t, "an unknown login", noName, "wrong-login"); noName.Error() != noPassword.Error() {
		t.Errorf("an unknown login and a wrong password can be told apart: %v, %v", noName, noPassword)
	}
	for range 4 {
		wants(t, "a wrong password", try(mara, "lanterns at noon"), "wrong-login")
	}
	wants(t, "the right password after five wrong ones", try(mara, "lanterns at night"), "too-many-requests")
	wants(t, "a wrong old password", as(other).ChangePassword(ctx, "x", "lanterns at dusk"), "wrong-login")
	for i := range 20 {
		try(fmt.Sprint("guess", i), "lanterns at night")
	}
	wants(t, "more tries from that address", try("another", "lanterns at night"), "too-many-requests")

	third, _ := client.SignIn(ctx, node.Address, device("three"), "Ines")
	as(third).MakeAccount(ctx, "ines-"+run, "lanterns at night")
	wants(t, "a new password", as(third).ChangePassword(ctx, "lanterns at night", "lanterns at dawn"), "")
	wants(t, "the token of before", as(third).Call(ctx, "GET", "/v1/me", nil, nil), "bad-token")
	_, err = client.Refresh(ctx, node.Address, third.Refresh)
	wants(t, "the refresh token of before", err, "bad-token")
	_, err = client.SignInAccount(ctx, node.Address, "ines-"+run, "lanterns at dawn", "")
	wants(t, "the new password", err, "")
}

// TestTokens: a refresh token is good once, one that comes again voids all that follows from its sign-in; signing out
// everywhere is at once.
func TestTokens(t *testing.T) {
	ctx := soon(t)
	in := player(t, "Odile")
	next, err := client.Refresh(ctx, node.Address, in.Refresh)
	if err != nil || next.Player != in.Player {
		t.Fatalf("%+v, %v", next, err)
	}
	wants(t, "the new token", as(next).Call(ctx, "GET", "/v1/me", nil, nil), "")
	_, err = client.Refresh(ctx, node.Address, in.Refresh)
	wants(t, "a refresh token used again", err, "bad-token")
	_, err = client.Refresh(ctx, node.Address, next.Refresh)
	wants(t, "what followed from it", err, "bad-token")
	pim := player(t, "Pim")
	lob := lobby(t, pim, client.Opening{Rulebook: "duel"})
	wants(t, "signing out", as(pim).SignOut(ctx, pim.Refresh), "")
	_, err = client.Refresh(ctx, node.Address, pim.Refresh)
	wants(t, "refreshing after it", err, "bad-token")
	wants(t, "the token of before", as(pim).Call(ctx, "GET", "/v1/me", nil, nil), "bad-token")
	ann := player(t, "Ann")
	wants(t, "signing out everywhere", as(ann).SignOutEverywhere(ctx), "")
	wants(t, "her token of before", as(ann).Call(ctx, "GET", "/v1/me", nil, nil), "bad-token")
	_, err = client.Connect(ctx, client.Options{Address: node.Address, Token: pim.Token, Lobby: lob})
	wants(t, "joining with a token of before", err, "bad-token")
}

// TestDeletedPlayer: the seat goes at once, tokens are void, and what the others play for is kept all the same.
func TestDeletedPlayer(t *testing.T) {
	ctx := soon(t)
	mara, joss := player(t, "Mara"), player(t, "Joss")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel"})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	do(t, a, client.Intent{Do: "ready"})
	do(t, b, client.Intent{Do: "ready"})
	until(t, a, "play", func(c *client.Copy) bool { return c.Match().Text("phase") == "play" })
	wants(t, "deleting", as(joss).DeleteMe(ctx), "")
	until(t, a, "the match ends", func(c *client.Copy) bool { return c.Match() == nil || c.Match().Flag("over") })
	untilSaved(t, a)
	wants(t, "the token of a deleted player", as(joss).Call(ctx, "GET", "/v1/me", nil, nil), "bad-token")
	_, err := client.Connect(ctx, client.Options{Address: node.Address, Token: joss.Token, Lobby: lob})
	wants(t, "joining with it", err, "bad-token")
	<-b.Done()
	var kept struct{ Fields map[string]int64 }
	if err := as(mara).Call(ctx, "GET", "/v1/players/"+mara.Player+"/records/duel", nil, &kept); err != nil ||
		kept.Fields["wins"] != 1 {
		t.Errorf("who stayed has %v, %v", kept, err)
	}
}

// TestServiceKeys: made, shown once, allowed what their scopes say, revoked.
func TestServiceKeys(t *testing.T) {
	ctx := soon(t)
	op, name := operator(t), "quay board "+fresh()
	k, err := op.MakeKey(ctx, name, "read")
	if err != nil || len(k.Key) < 20 {
		t.Fatalf("%+v, %v", k, err)
	}
	_, err = op.MakeKey(ctx, name, "read")
	wants(t, "the same name again", err, "name-taken")
	_, err = as(player(t, "Mara")).MakeKey(ctx, "mine", "operator")
	wants(t, "a key made by a player", err, "forbidden")
	in, err := client.SignInKey(ctx, node.Address, k.Key)
	if err != nil {
		t.Fatal(err)
	}
	lob := lobby(t, player(t, "Joss"), client.Opening{Rulebook: "duel"})
	if conn := join(t, in, client.Options{Lobby: lob, All: true}); conn.Seat() != 0 {
		t.Error("a service key got a seat")
	}
	wants(t, "closing with the scope read", as(in).Call(ctx, "DELETE", "/v1/lobbies/"+lob, nil, nil), "forbidden")
	keys, err := op.Keys(ctx)
	if err != nil || !strings.Contains(fmt.Sprint(keys), name) || strings.Contains(fmt.Sprint(keys), k.Key) {
		t.Errorf("the list: %+v, %v", keys, err)
	}
	wants(t, "revoking", op.RevokeKey(ctx, k.Name), "")
	wants(t, "revoking what there is not", op.RevokeKey(ctx, "nothing"), "no-such-key")
	wants(t, "its token", as(in).Call(ctx, "GET", "/v1/keys", nil, nil), "bad-token")
	_, err = client.SignInKey(ctx, node.Address, k.Key)
	wants(t, "the key", err, "bad-token")
}

// TestKeepFresh renews a sign-in when it is about to run out.
func TestKeepFresh(t *testing.T) {
	in := player(t, "Lotte")
	source := client.KeepFresh(node.Address, in)
	if got, err := source.Token(soon(t)); err != nil || got != in.Token {
		t.Errorf("a fresh token was renewed: %v", err)
	}
	in.Expires = in.Expires.AddDate(0, 0, -1)
	if got, err := client.KeepFresh(node.Address, in).Token(context.Background()); err != nil || got == in.Token {
		t.Errorf("an old token was not renewed: %v", err)
	}
}

// TestConsoleSession: the console's cookie goes to its own routes alone and cannot be read by scripts; it gives tokens
// until the session is ended; without it, or with another one, there are none.
func TestConsoleSession(t *testing.T) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	browser := &http.Client{Transport: openAPI, Jar: jar}
	ask := func(method, path, body string) (status int, token string, set *http.Cookie) {
		t.Helper()
		req, err := http.NewRequestWithContext(soon(t), method, node.Address+path, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		if body != "" {
			req.Header.Set("Content-Type", "application/json")
		}
		res, err := browser.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		var in struct{ Token string }
		json.NewDecoder(res.Body).Decode(&in)
		if all := res.Cookies(); len(all) > 0 {
			set = all[0]
		}
		return res.StatusCode, in.Token, set
	}
	const session = "/v1/console/session"
	if status, _, _ := ask("POST", session+"/renew", ""); status != http.StatusUnauthorized {
		t.Errorf("without a session: %d", status)
	}
	status, token, set := ask("POST", session, `{"key": "`+operatorKey+`"}`)
	if status != http.StatusOK || set == nil || !set.HttpOnly || set.SameSite != http.SameSiteStrictMode ||
		set.Path != "/v1/console" || set.MaxAge <= 0 || strings.Contains(set.Value, operatorKey) {
		t.Fatalf("%d, %+v", status, set)
	}
	status, next, _ := ask("POST", session+"/renew", "")
	if status != http.StatusOK || next == "" || next == token {
		t.Errorf("renewed: %d, %t", status, next == token)
	}
	wants(t, "the next token", client.Service{Address: node.Address, Token: next}.
		Call(soon(t), "GET", "/v1/keys", nil, nil), "")
	if status, _, set = ask("DELETE", session, ""); status != http.StatusNoContent || set == nil || set.MaxAge >= 0 {
		t.Errorf("ended: %d, %+v", status, set)
	}
	jar.SetCookies(&url.URL{Scheme: "http", Host: strings.TrimPrefix(node.Address, "http://")},
		[]*http.Cookie{{Name: "turnvex-console", Value: "another", Path: "/v1/console"}})
	if status, _, set = ask("POST", session+"/renew", ""); status != http.StatusUnauthorized || set == nil ||
		set.MaxAge >= 0 {
		t.Errorf("with another secret: %d, %+v", status, set)
	}
}
