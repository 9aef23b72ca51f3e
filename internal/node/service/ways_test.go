package service_test

import (
	"bytes"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/service"
)

// TestWaysBackToAPlayer: devices are listed, named and removed, with what is connected by them; with an operator's code
// the player comes back.
func TestWaysBackToAPlayer(t *testing.T) {
	one, login := player(t, "Mara"), "mara."+fresh()
	wants(t, "an account", as(one).MakeAccount(soon(t), login, "seven wet lanterns"), "")
	list, err := as(one).Devices(soon(t))
	if err != nil || len(list) != 1 || !list[0].This {
		t.Fatalf("%+v, %v", list, err)
	}
	wants(t, "a name", as(one).NameDevice(soon(t), list[0].ID, "the old boat"), "")
	if of, err := operator(t).DevicesOf(soon(t), one.Player); err != nil || len(of) != 1 || of[0].This ||
		of[0].Name != "the old boat" {
		t.Errorf("an operator sees %+v, %v", of, err)
	}
	wants(t, "another's devices", as(one).Call(soon(t), http.MethodGet, "/v1/players/"+one.Player+"/devices", nil, nil),
		"forbidden")
	phone, err := client.SignInAccount(soon(t), node.Address, login, "seven wet lanterns",
		"the-other-phone-of-mara-the-second-"+fresh())
	if err != nil {
		t.Fatal(err)
	}
	all, err := operator(t).DevicesOf(soon(t), one.Player)
	if err != nil || len(all) != 2 {
		t.Fatalf("an operator sees %+v, %v", all, err)
	}
	wants(t, "an operator removes one", operator(t).RemoveDeviceOf(soon(t), one.Player, all[0].ID), "")
	_, err = client.Refresh(soon(t), node.Address, phone.Refresh)
	wants(t, "its sign-in", err, "bad-token")
	r, err := operator(t).RecoverPlayer(soon(t), one.Player, "lost the phone")
	if err != nil {
		t.Fatal(err)
	}
	two, err := client.SignInRecovery(soon(t), node.Address, r.Code, "the-new-phone-of-mara-the-first-"+fresh(), "")
	if err != nil || two.Player != one.Player {
		t.Fatalf("%+v, %v", two, err)
	}
	wants(t, "the old token", as(one).Call(soon(t), http.MethodGet, "/v1/me", nil, nil), "bad-token")
	if list, err = as(two).Devices(soon(t)); err != nil || len(list) != 1 {
		t.Fatalf("%+v, %v", list, err)
	}
	code := lobby(t, player(t, "Joss"), client.Opening{Rulebook: "duel"})
	c := join(t, two, client.Options{Lobby: code})
	wants(t, "removing the device", as(two).RemoveDevice(soon(t), list[0].ID), "")
	select {
	case <-c.Done():
		wants(t, "its connection", c.Err(), "bad-token")
	case <-soon(t).Done():
		t.Error("its connection goes on")
	}
}

// TestSecretsAreRotated: a key's text and the secret that signs tokens change under who uses them: with time to spare
// nobody notices, and dropped they are good no more, on any node.
func TestSecretsAreRotated(t *testing.T) {
	first := another(t, service.Config{Database: emptyDatabase(t), OperatorKey: "the-key-of-this-node-only"})
	in, err := client.SignInKey(soon(t), first.Address, "the-key-of-this-node-only")
	if err != nil {
		t.Fatal(err)
	}
	op := at(first, in)
	key, err := op.MakeKey(soon(t), "quay", "read")
	if err != nil {
		t.Fatal(err)
	}
	next, err := op.RotateKey(soon(t), "quay", time.Hour)
	if err != nil || next.Key == key.Key {
		t.Fatalf("%+v, %v", next, err)
	}
	for what, text := range map[string]string{"the old text": key.Key, "the new text": next.Key} {
		_, err := client.SignInKey(soon(t), first.Address, text)
		wants(t, what, err, "")
	}
	mara, err := client.SignIn(soon(t), first.Address, "a-device-under-rotation-0123", "Mara")
	if err != nil {
		t.Fatal(err)
	}
	me := func() error { return at(first, mara).Call(soon(t), http.MethodGet, "/v1/me", nil, nil) }
	wants(t, "rotating", op.RotateSigning(soon(t), false), "")
	wants(t, "a token of before", me(), "")
	wants(t, "dropping", op.RotateSigning(soon(t), true), "")
	wants(t, "a token of a dropped secret", me(), "bad-token")
	if mara, err = client.Refresh(soon(t), first.Address, mara.Refresh); err != nil {
		t.Fatal(err)
	}
	wants(t, "refreshed", me(), "")
}

// TestSeatOverHTTP: a seat is taken and given back by request, and a series is ended.
func TestSeatOverHTTP(t *testing.T) {
	mara := player(t, "Mara")
	code := lobby(t, mara, client.Opening{Rulebook: "duel"})
	var seat struct{ Seat uint32 }
	err := as(mara).Call(soon(t), http.MethodPost, "/v1/lobbies/"+code+"/seat",
		map[string]any{"locals": []string{"Ines"}}, &seat)
	if err != nil || seat.Seat == 0 {
		t.Fatalf("%+v, %v", seat, err)
	}
	err = as(mara).Call(soon(t), http.MethodPost, "/v1/lobbies/"+code+"/seat", map[string]any{"Team": "x"}, nil)
	wants(t, "a field in capitals", err, "unknown-field")
	err = as(mara).Call(soon(t), http.MethodDelete, "/v1/lobbies/"+code+"/seat", nil, nil)
	wants(t, "given back", err, "")
}

// TestErasedFromJournals: an export names the journals in which a player stands; when they are deleted no journal tells
// who they were, and it plays back as before.
func TestErasedFromJournals(t *testing.T) {
	dir, book := t.TempDir(), variant(t, withTexts...)
	s := another(t, service.Config{Journals: dir})
	mara, joss := player(t, "Marabel"), player(t, "Jossara")
	l, err := at(s, mara).Open(soon(t), client.Opening{Rulebook: book})
	if err != nil {
		t.Fatal(err)
	}
	for _, in := range []*client.Signed{mara, joss} {
		c, err := client.Connect(soon(t), client.Options{Address: s.Address, Token: in.Token, Lobby: l.Code})
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		if err := say(t, c, in.Player[28:]+" was here"); err != nil {
			t.Fatal(err)
		}
		do(t, c, client.Intent{Do: "ready"})
	}
	if err := at(s, &client.Signed{Token: operator(t).Token}).CloseLobby(soon(t), l.Code); err != nil {
		t.Fatal(err)
	}
	var person struct{ Journals []struct{ Inputs int } }
	for len(person.Journals) == 0 { // it is written to its end when the lobby has closed
		if err := at(s, mara).Call(soon(t), http.MethodGet, "/v1/me/export", nil, &person); err != nil {
			t.Fatal(err)
		}
	}
	if err := at(s, mara).DeleteMe(soon(t)); err != nil {
		t.Fatal(err)
	}
	var texts []string
	if err := s.DB.Raw("select text from ledger_people where text like '% was here'").
		Scan(&texts).Error; err != nil || len(texts) != 1 || texts[0] != joss.Player[28:]+" was here" {
		t.Errorf("the database keeps %q: %v", texts, err)
	}
	files, _ := filepath.Glob(filepath.Join(dir, "*.journal"))
	if len(files) != 1 {
		t.Fatal(files)
	}
	for ctx := soon(t); ; {
		data, err := os.ReadFile(files[0])
		if err != nil || ctx.Err() != nil {
			t.Fatal("the journal still tells who played", err)
		}
		if !bytes.Contains(data, []byte(mara.Player[28:])) && !bytes.Contains(data, []byte("Marabel")) {
			if !bytes.Contains(data, []byte(joss.Player[28:]+" was here")) {
				t.Error("the other player is gone too")
			}
			rp, err := journal.Open(bytes.NewReader(data))
			if err != nil {
				t.Fatal(err)
			}
			if err := rp.RunTo(-1); err != io.EOF || rp.Hashes == 0 {
				t.Errorf("played back: %v, %d hashes", err, rp.Hashes)
			}
			return
		}
	}
}
