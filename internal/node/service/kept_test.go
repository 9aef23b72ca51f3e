package service_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/google/uuid"

	"turnvex.example/turnvex/client"
)

// record is what is kept of a player, as somebody may see it.
func record(t *testing.T, as client.Service, player, book string) map[string]any {
	t.Helper()
	var out struct{ Fields map[string]any }
	if err := as.Call(soon(t), http.MethodGet, "/v1/players/"+player+"/records/"+book, nil, &out); err != nil {
		t.Fatal(err)
	}
	return out.Fields
}

// TestPracticeByHand: in practice the host sets fields of every type by hand, over the live socket; elsewhere nobody
// does; and nothing of it is kept.
func TestPracticeByHand(t *testing.T) {
	book := variant(
		t,
		"plan: {type: integer, see: owner}",
		"plan: {type: integer, see: owner}\n    mood: {type: choice, words: [calm, cross]}\n    motto: {type: "+
			"text}\n    lit: {type: flag}",
	)
	mara, joss := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, mara, client.Opening{Rulebook: book, Practice: true})
	a, b := join(t, mara, client.Options{Lobby: code}), join(t, joss, client.Options{Lobby: code, JSON: true})
	play(t, a, b)
	set := func(c *client.Conn, field string, value any, at []int64) error {
		return c.Do(soon(t), client.Intent{Do: "set", Target: b.Seat(), Name: field, Value: value, At: at})
	}
	for field, v := range map[string]any{"hull": 7, "wind": 12.5, "mood": "cross", "motto": "Row \"well\"",
		"lit": true} {
		wants(t, "setting "+field, set(a, field, v, nil), "")
	}
	wants(t, "setting a position", set(a, "pos", nil, []int64{3000, 4000}), "")
	until(t, b, "all of it arrives", func(c *client.Copy) bool {
		me := c.Me()
		pos, _ := me.Get("pos")
		return me.Int("hull") == 7 && me.Int("wind") == 12500 && me.Text("mood") == "cross" &&
			me.Text("motto") == `Row "well"` &&
			me.Flag("lit") &&
			pos.N[0] == 3000
	})
	wants(t, "more than the most", set(a, "hull", 900, nil), "out-of-range")
	for what, err := range map[string]error{
		"another type":    set(a, "hull", "much", nil),
		"an unknown word": set(a, "mood", "merry", nil),
	} {
		wants(t, what, err, "bad-argument")
	}
	wants(t, "an unknown field", set(a, "keel", 1, nil), "no-such-field")
	op := operator(t)
	wants(t, "by an operator", op.SetField(soon(t), code, b.Seat(), "hull", 9), "")
	wants(t, "too much by an operator", op.SetField(soon(t), code, b.Seat(), "hull", 900), "out-of-range")
	played := func(c *client.Copy) int64 { v, _ := c.Match().Get("play"); return v.N[0] }
	still := func(c *client.Copy) bool { return c.Match().Text("paused") == "yes" }
	wants(t, "play stands still", op.Advance(soon(t), code, 1), "")
	var at int64
	until(t, b, "it does", func(c *client.Copy) bool {
		at = played(c)
		return still(c) && c.Me().Int("hull") == 9
	})
	wants(t, "three ticks", a.Do(soon(t), client.Intent{Do: "advance", Value: 3}), "")
	until(t, b, "they pass", func(c *client.Copy) bool { return still(c) && played(c) == at+3 })
	wants(t, "no tick", op.Advance(soon(t), code, 0), "out-of-range")
	wants(t, "by another", b.Do(soon(t), client.Intent{Do: "advance"}), "not-the-host")
	wants(t, "no number", a.Do(soon(t), client.Intent{Do: "advance", Value: "much"}), "out-of-range")
	wants(t, "by who is not the host", set(b, "hull", 1, nil), "not-the-host")
	wants(t, "a derived field", a.Do(soon(t), client.Intent{Do: "set", Target: 2, Name: "points", Value: 5}),
		"no-such-field")
	wants(t, "ending it", operator(t).EndMatch(soon(t), code, ""), "")
	until(t, a, "the lobby again", func(c *client.Copy) bool { return c.Match() == nil })
	if list, err := as(mara).Matches(soon(t), url.Values{"lobby": {code}}); err != nil || len(list) != 0 {
		t.Errorf("kept of practice: %+v, %v", list, err)
	}
	if f := record(t, as(mara), mara.Player, book); f["matches"] != 0.0 {
		t.Errorf("the record has %v", f)
	}
	if p, err := as(mara).Board(soon(t), book, "points", client.Part{Rows: 10}); err != nil || len(p.Rows) != 0 {
		t.Errorf("the board has %+v, %v", p, err)
	}
	real := lobby(t, joss, client.Opening{Rulebook: book})
	c := join(t, joss, client.Options{Lobby: real})
	wants(t, "by hand in a real lobby",
		c.Do(soon(t), client.Intent{Do: "set", Target: c.Seat(), Name: "hull", Value: 1}), "not-practice")
}

// TestBoardPages: equal values share a place, pages follow each other without a gap, the best, the latest or the total
// is kept as the board says, and the bounds hold.
func TestBoardPages(t *testing.T) {
	book := variant(
		t,
		"  open: {clients: {min: 0, max: 10}}",
		"  open: {clients: {min: 0, max: 10}}\n  low: {order: least, clients: {min: -5, max: 10}}\n  sum: {keep: "+
			"total, clients: {min: 0, max: 10}}\n  last: {keep: latest, clients: {min: 0, max: 10}}",
	)
	values := []int{4, 9, 4, 7, 9, 1, 4}
	var all []*client.Signed
	post := func(in *client.Signed, board string, v int) error {
		return as(in).Call(soon(t), http.MethodPost, "/v1/boards/"+book+"/"+board, map[string]int{"value": v}, nil)
	}
	for i, v := range values {
		in := player(t, fmt.Sprint("Skiff ", i))
		all = append(all, in)
		for _, b := range []string{"open", "low", "sum", "last"} {
			wants(t, "posting", post(in, b, v), "")
		}
	}
	wants(t, "worse than before", post(all[1], "open", 2), "")
	wants(t, "less is better", post(all[0], "low", -5), "")
	wants(t, "in addition", post(all[5], "sum", 10), "")
	wants(t, "the latest", post(all[1], "last", 0), "")
	wants(t, "beyond the bounds", post(all[0], "open", 11), "out-of-range")
	wants(t, "below the bounds", post(all[0], "low", -6), "out-of-range")
	for board, want := range map[string]string{
		"open": "1:9 1:9 3:7 4:4 4:4 4:4 7:1", "low": "1:-5 2:1 3:4 3:4 5:7 6:9 6:9", "sum": "1:11 2:9 2:9 4:7 5:4 " +
			"5:4 5:4", "last": "1:9 2:7 3:4 3:4 3:4 6:1 7:0",
	} {
		var got []string
		seen := map[string]bool{}
		for cursor, first := "", true; first || cursor != ""; first = false {
			p, err := as(all[0]).Board(soon(t), book, board, client.Part{Rows: 2, Cursor: cursor})
			if err != nil || len(p.Rows) == 0 {
				t.Fatal(p, err)
			}
			for _, r := range p.Rows {
				got = append(got, fmt.Sprintf("%d:%d", r.Place, r.Value))
				if seen[r.Player] {
					t.Errorf("%s: %s stands on it twice", board, r.Name)
				}
				seen[r.Player] = true
			}
			cursor = p.Next
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s: %v, not %s", board, got, want)
		}
	}
	_, err := as(all[0]).Board(soon(t), book, "open", client.Part{Rows: 2, Cursor: "bm9uc2Vuc2U"})
	wants(t, "a cursor that is none", err, "bad-cursor")
	name := "Skiff the Fourth"
	wants(t, "a rename", as(all[3]).Call(soon(t), http.MethodPatch, "/v1/me", map[string]string{"name": name}, nil), "")
	p, err := as(all[0]).Board(soon(t), book, "open", client.Part{Rows: 100})
	if err != nil || !slices.ContainsFunc(p.Rows, func(r client.BoardRow) bool { return r.Name == name }) {
		t.Errorf("the board does not show the new name: %+v, %v", p, err)
	}
}

// corrected lets an operator correct a record while its player is in a lobby: it happens once, the player sees it, and
// the history tells it with its reason.
func corrected(t *testing.T, a *client.Conn, mara *client.Signed, book string) {
	t.Helper()
	op, id := operator(t), uuid.NewString()
	for range 2 {
		f, err := op.CorrectRecord(soon(t), mara.Player, book, "the tide was late", id,
			client.RecordChange{Field: "wins", Does: "add", Value: 4},
			client.RecordChange{Field: "rank", Does: "set", Value: "deckhand"})
		if err != nil || f["wins"] != 5.0 || f["rank"] != "deckhand" {
			t.Errorf("corrected to %v, %v", f, err)
		}
	}
	until(t, a, "the correction is seen", func(c *client.Copy) bool { return c.Record(a.Seat()).Int("wins") == 5 })
	list, _, err := op.RecordHistory(soon(t), mara.Player, book, 10, "")
	if err != nil || len(list) < 2 || list[0].Why != "the tide was late" || list[0].Author == "" ||
		list[0].Was["wins"] != 1.0 || list[0].Became["wins"] != 5.0 || list[1].Author != "" || list[1].Match != 1 {
		t.Errorf("the history is %+v, %v", list, err)
	}
	one, next, err := op.RecordHistory(soon(t), mara.Player, book, 1, "")
	if err != nil || len(one) != 1 || next == "" {
		t.Fatalf("a page of one: %v, %q, %v", one, next, err)
	}
	if two, _, err := op.RecordHistory(soon(t), mara.Player, book, 1, next); err != nil || len(two) != 1 ||
		two[0].Lobby != list[1].Lobby {
		t.Errorf("the page behind: %+v, %v", two, err)
	}
	none, _, err := op.RecordHistory(soon(t), player(t, "Rhea").Player, book, 10, "")
	if err != nil || none == nil || len(none) != 0 { // an empty list is not null
		t.Errorf("the history of nothing is %#v, %v", none, err)
	}
	for _, wrong := range []client.RecordChange{{Field: "nothing", Does: "add", Value: 1},
		{Field: "wins", Does: "double", Value: 1}, {Field: "wins", Does: "add", Value: "much"},
		{Field: "rank", Does: "raise", Value: "mate"}, {Field: "rank", Does: "set", Value: "admiral"}} {
		if _, err := op.CorrectRecord(soon(t), mara.Player, book, "why", "", wrong); err == nil {
			t.Errorf("%+v was taken", wrong)
		}
	}
	granted(t, mara, book)
	if _, err := op.CorrectRecord(soon(t), mara.Player, book, " ", "",
		client.RecordChange{Field: "wins", Does: "add", Value: 1}); err == nil {
		t.Error("a correction without a reason was taken")
	}
	if _, err := as(mara).CorrectRecord(soon(t), mara.Player, book, "mine", "",
		client.RecordChange{Field: "wins", Does: "add", Value: 1}); err == nil {
		t.Error("a player corrected their own record")
	}
}

// granted: a key with the scope grants gives and takes under conditions, all of it or nothing, once; who watches the
// record sees it. The key is good for nothing else that changes something.
func granted(t *testing.T, mara *client.Signed, book string) {
	t.Helper()
	key, err := operator(t).MakeKey(soon(t), "shop "+fresh(), "grants")
	if err != nil {
		t.Fatal(err)
	}
	in, err := client.SignInKey(soon(t), node.Address, key.Key)
	if err != nil {
		t.Fatal(err)
	}
	shop := as(in)
	own := follow(t, mara.Token, map[string]any{"name": "record", "rulebook": book})
	row := func() map[string]any { return own.rows[mara.Player].(map[string]any) }
	revision, id := int64(row()["revision"].(float64)), uuid.NewString()
	take := func(id string, c client.Conditions) error {
		_, err := shop.CorrectRecordIf(soon(t), mara.Player, book, "a trade", id, c,
			client.RecordChange{Field: "wins", Does: "add", Value: -2},
			client.RecordChange{Field: "rank", Does: "set", Value: "mate"})
		return err
	}
	wants(t, "too little", take("", client.Conditions{AtLeast: map[string]any{"wins": 6}}), "too-little")
	wants(t, "another revision", take("", client.Conditions{Revision: revision + 1}), "changed-since")
	wants(t, "no number", take("", client.Conditions{AtLeast: map[string]any{"rank": 1}}), "bad-request")
	wants(t, "no field", take("", client.Conditions{AtLeast: map[string]any{"hats": 1}}), "no-such-field")
	for range 2 { // the second is a repetition, whose conditions hold no longer
		wants(t, "taken", take(id, client.Conditions{AtLeast: map[string]any{"wins": 5}, Revision: revision}), "")
	}
	own.until("what was taken", func() bool { return row()["fields"].(map[string]any)["wins"] == 3.0 })
	if f := row(); f["revision"] != float64(revision+1) || f["fields"].(map[string]any)["rank"] != "mate" {
		t.Errorf("who watches their record sees %v", f)
	}
	for _, topic := range []map[string]any{{"name": "record", "rulebook": "nothing"},
		{"name": "record", "rulebook": book, "player": player(t, "Rhea").Player}} {
		if _, first := dial(t, map[string]any{"token": mara.Token, "topic": topic}, nil); first["is"] != "bye" {
			t.Errorf("%v: %v", topic, first)
		}
	}
	follow(t, in.Token, map[string]any{"name": "record", "rulebook": book, "player": mara.Player})
	if _, err := shop.CorrectRecord(soon(t), mara.Player, book, "it was a mistake", "",
		client.RecordChange{Field: "wins", Does: "add", Value: 2},
		client.RecordChange{Field: "rank", Does: "set", Value: "deckhand"}); err != nil {
		t.Error(err)
	}
	wants(t, "erasing with it", shop.ErasePlayer(soon(t), mara.Player, "why"), "forbidden")
	wants(t, "giving without it", func() error {
		_, err := as(mara).CorrectRecordIf(soon(t), mara.Player, book, "mine", "", client.Conditions{},
			client.RecordChange{Field: "wins", Does: "add", Value: 1})
		return err
	}(), "forbidden")
}

// TestRecordsAreKept: each way of keeping, what others may see, and the values of an earlier version of the rulebook.
func TestRecordsAreKept(t *testing.T) {
	fields := `  best: {keep: best, value: me.points}
  fewest: {keep: lowest, value: me.points, start: 50, see: everyone}
  latest: {value: me.points, see: everyone}
  watched: {value: me.points, see: referees}
  rank: {type: choice, words: [deckhand, mate], value: "me.points > 0 ? 'mate' : 'deckhand'", see: everyone}
  berth: {type: position, value: me.pos, see: everyone}`
	book := variant(t, "  best: {keep: best, value: me.points}", fields)
	mara, joss := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, mara, client.Opening{Rulebook: book})
	a, b := join(t, mara, client.Options{Lobby: code}), join(t, joss, client.Options{Lobby: code})
	playRound(t, a, b)
	untilSaved(t, a)
	own, others := record(t, as(mara), mara.Player, book), record(t, as(joss), mara.Player, book)
	if own["best"] != 2.0 || own["fewest"] != 2.0 || own["latest"] != 2.0 || own["rank"] != "mate" ||
		own["wins"] != 1.0 ||
		fmt.Sprint(own["berth"]) != "[6000 10000]" {
		t.Errorf("Mara's record is %v", own)
	}
	if _, seen := others["best"]; seen || others["fewest"] != 2.0 {
		t.Errorf("another sees of it %v", others)
	}
	all := record(t, operator(t), mara.Player, book)
	if _, seen := own["watched"]; seen || all["watched"] != 2.0 || all["best"] != 2.0 {
		t.Errorf("what is for referees: Mara sees it %v, an operator sees %v", seen, all)
	}
	if f := record(t, as(joss), joss.Player, book); f["fewest"] != 0.0 || f["best"] != 0.0 || f["rank"] != "deckhand" ||
		f["wins"] != 0.0 {
		t.Errorf("Joss's record is %v", f)
	}
	corrected(t, a, mara, book)
	if err := errorsOf(a.Leave(soon(t)), b.Leave(soon(t))); err != nil {
		t.Fatal(err)
	}
	// A later version: a field has gone, one is new, one has another type.
	reload(t, book, "  best: {keep: best, value: me.points}",
		"  best: {type: text}\n  fresh: {start: 5}\n  latest: {value: me.points, see: everyone}")
	code = lobby(t, mara, client.Opening{Rulebook: book})
	c := join(t, mara, client.Options{Lobby: code})
	until(t, c, "the record is loaded", func(c *client.Copy) bool { return c.Me().Flag("loaded") })
	c.Read(func(v *client.Copy) {
		r := v.Record(c.Seat())
		if r.Int("fresh") != 5 || r.Int("latest") != 2 || r.Text("best") != "" || r.Int("wins") != 5 {
			t.Errorf("after the change it reads %d, %d, %q, %d", r.Int("fresh"), r.Int("latest"), r.Text("best"),
				r.Int("wins"))
		}
	})
}

func errorsOf(list ...error) error {
	for _, err := range list {
		if err != nil {
			return err
		}
	}
	return nil
}

// TestReading: what can be read over HTTP, page by page, and by whom.
func TestReading(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, mara, client.Opening{Rulebook: "duel"})
	a, b := join(t, mara, client.Options{Lobby: code}), join(t, joss, client.Options{Lobby: code})
	for range 3 {
		play(t, a, b)
		wants(t, "ending a match", operator(t).EndMatch(soon(t), code, "enough"), "")
		untilSaved(t, a)
		until(t, a, "the lobby again", func(c *client.Copy) bool { return c.Match() == nil })
	}
	get := func(path string, out any) error { return as(mara).Call(soon(t), http.MethodGet, path, nil, out) }
	var page struct {
		Matches []struct {
			ID, Lobby string
			Result    struct {
				Match   int64
				Because string
			}
		}
		Next string
	}
	var numbers []int64
	for path := "/v1/matches?limit=2&player=" + joss.Player; path != ""; {
		page.Matches, page.Next = nil, ""
		if err := get(path, &page); err != nil {
			t.Fatal(err)
		}
		for _, m := range page.Matches {
			numbers = append(numbers, m.Result.Match)
			if m.Lobby != code || m.Result.Because != "enough" {
				t.Errorf("%+v", m)
			}
		}
		if path = ""; page.Next != "" {
			path = "/v1/matches?limit=2&player=" + joss.Player + "&cursor=" + page.Next
		}
	}
	if fmt.Sprint(numbers) != "[3 2 1]" {
		t.Errorf("matches %v", numbers)
	}
	wants(t, "one of them", get("/v1/matches/"+page.Matches[0].ID, nil), "")
	wants(t, "a cursor of another list", get("/v1/matches?cursor=AAAA", nil), "bad-cursor")
	var books struct {
		Rulebooks []struct{ Name, Version string }
	}
	wants(t, "the rulebooks", get("/v1/rulebooks", &books), "")
	if !slices.ContainsFunc(books.Rulebooks,
		func(b struct{ Name, Version string }) bool { return b.Name == "clash" && b.Version != "" }) {
		t.Errorf("%+v", books)
	}
	var schema map[string]any
	if err := get("/v1/rulebooks/schema", &schema); err != nil ||
		schema["$schema"] != "https://json-schema.org/draft/2020-12/schema" {
		t.Errorf("the schema: %v, %v", schema["$schema"], err)
	}
	var checked struct {
		OK       bool
		Problems []struct {
			Line, Column     int
			Message, Nearest string
		}
	}
	check := func(text string) error {
		return as(mara).Call(soon(t), http.MethodPost, "/v1/rulebooks/check", []byte(text), &checked)
	}
	if err := check("turnvex: 1\nname: x\nphases: {play: {lsats: 3s}}\n"); err != nil || checked.OK ||
		checked.Problems[0].Line != 3 || checked.Problems[0].Nearest != "lasts" {
		t.Errorf("%+v, %v", checked, err)
	}
	wants(t, "a rulebook that is too large", check("# "+strings.Repeat("x", 1<<20)), "too-large")
	wants(t, "publishing as a player", as(mara).Call(soon(t), http.MethodPost, "/v1/rulebooks", source(t, "duel"), nil),
		"forbidden")
	for path, want := range map[string]string{"/health": "alive", "/ready": "ready"} {
		res, err := http.Get(node.Address + path)
		if err != nil {
			t.Fatal(err)
		}
		var out struct{ Status string }
		if err := json.NewDecoder(res.Body).Decode(&out); err != nil || out.Status != want {
			t.Errorf("%s: %+v, %v", path, out, err)
		}
		res.Body.Close()
	}
}

// TestNothingIsSentForNothing (protocol, delta): who may not see a change gets no message for it at all.
func TestNothingIsSentForNothing(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	book := variant(t, "plan: {type: integer, see: owner}",
		"plan: {type: integer, see: owner}\n    slow: {type: integer, update: 400ms}",
		"do: [{set: me.plan, to: arg.what}]",
		"do: [{set: me.plan, to: arg.what}]\n  slowly:\n    do: [{add: me.slow, by: 1}]", "lasts: 30s", "lasts: 10m")
	code := lobby(t, mara, client.Opening{Rulebook: book})
	a := join(t, mara, client.Options{Lobby: code})
	b := bareTo(t, node.Address, map[string]any{"token": joss.Token, "lobby": code}, 0)
	seat := b.next("welcome")["seats"].([]any)[0].(map[string]any)["seat"]
	b.next("snapshot")
	do(t, a, client.Intent{Do: "ready"})
	b.WriteJSON(map[string]any{"is": "intent", "seat": seat, "n": 1, "do": "ready"})
	until(t, a, "play", func(c *client.Copy) bool { return c.Match().Text("phase") == "play" && c.Me().Flag("alive") })
	for i := range 5 {
		do(t, a, client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": i + 1}})
	}
	do(t, a, client.Intent{Do: "rename", Text: "Marker"})
	plan := ""
	a.Read(func(c *client.Copy) { plan = fmt.Sprint(c.Field(client.KindPlayer, "plan").No) })
	for { // everything up to the marker
		m := b.next("delta", "notice", "verdict", "missed")
		text := fmt.Sprint(m["parts"])
		if m["is"] == "notice" ||
			strings.Contains(text, " "+plan+" ") && strings.Contains(text, fmt.Sprintf("[%d %s", a.Seat(), plan)) {
			t.Errorf("a rival is told %v", m)
		}
		if m["is"] == "delta" && len(m["parts"].([]any)) == 0 {
			t.Errorf("an empty delta: %v", m)
		}
		if strings.Contains(text, "Marker") {
			break
		}
	}
	// A field with a rate: many changes, few messages, and the last value arrives.
	var count atomic.Int64
	stop := a.Watch(client.On{Sheet: a.Seat(), Field: "slow"}, func(client.Change) { count.Add(1) })
	for range 10 {
		do(t, a, client.Intent{Do: "act", Name: "slowly"})
	}
	until(t, a, "the newest value arrives", func(c *client.Copy) bool { return c.Me().Int("slow") == 10 })
	stop()
	if n := count.Load(); n > 6 { // ten changes in half a second or so; the first is told by Watch
		t.Errorf("it was told %d times", n)
	}
}
