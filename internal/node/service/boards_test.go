package service_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/client"
)

// TestBoardsThroughEveryDoor: a player and keys post, a part of the board is watched and read, an operator removes,
// bars and renews; what is in memory is what is kept.
func TestBoardsThroughEveryDoor(t *testing.T) {
	book := variant(t, "  open: {clients: {min: 0, max: 10}}", "  open: {clients: {min: 0, max: 10}, renew: hand, "+
		"at_entry: true}\n"+
		"  seldom: {clients: {min: 0, max: 10, every: 1h}}\n  sum: {keep: total}\n"+
		"  sides: {for: teams, keep: total}\n",
		"title: Amber}", "title: Amber Crew}")
	mara, joss, op := player(t, "Mara"), player(t, "Joss"), operator(t)
	w, err := as(mara).WatchBoard(soon(t), book, "open", client.Part{Rows: 2}, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	wants(t, "posting", as(mara).Post(soon(t), book, "open", client.Posting{Value: 4}), "")
	wants(t, "a key posts beyond the bounds", op.Post(soon(t), book, "open",
		client.Posting{Player: joss.Player, Value: 70}), "")
	rows := func(p client.BoardPage) string {
		var out []string
		for _, r := range p.Rows {
			out = append(out, r.Name)
		}
		return strings.Join(out, " ")
	}
	if err := w.Wait(soon(t),
		func(p client.BoardPage) bool { return rows(p) == "Joss Mara" && p.Count == 2 }); err != nil {
		t.Fatal(err)
	}
	code := lobby(t, mara, client.Opening{Rulebook: book})
	for place, in := range map[int64]*client.Signed{1: joss, 2: mara, 0: player(t, "Ilse")} {
		until(t, join(t, in, client.Options{Lobby: code}), "the record says how they stand", func(c *client.Copy) bool {
			r := c.Record(c.Me().ID)
			return r != nil && c.Me().Flag("loaded") && r.Int("open_place") == place &&
				r.Int("open_value") == map[int64]int64{1: 70, 2: 4}[place]
		})
	}
	wants(t, "posting for another", as(mara).Post(soon(t), book, "open", client.Posting{Player: joss.Player, Value: 1}),
		"forbidden")
	wants(t, "a board that clients do not post to", as(mara).Post(soon(t), book, "sum", client.Posting{Value: 1}),
		"board-closed")
	wants(t, "once", as(mara).Post(soon(t), book, "seldom", client.Posting{Value: 1}), "")
	wants(t, "and again", as(mara).Post(soon(t), book, "seldom", client.Posting{Value: 2}), "too-soon")
	id := uuid.NewString()
	for range 2 {
		wants(t, "with an ID", op.Post(soon(t), book, "sum", client.Posting{Player: mara.Player, Value: 5, ID: id}), "")
		wants(t, "for a team", op.Post(soon(t), book, "sides", client.Posting{Team: "amber", Value: 3}), "")
	}
	wants(t, "for no team", op.Post(soon(t), book, "sides", client.Posting{Team: "red", Value: 3}), "no-such-team")
	p, err := as(mara).Board(soon(t), book, "sum", client.Part{Around: "me", Rows: 3})
	if err != nil || len(p.Rows) != 1 || p.Rows[0].Value != 5 {
		t.Errorf("what counts once is %+v, %v", p, err)
	}
	for name, want := range map[string]string{"mA": "Mara", "Jo": "", "nobody": "", "M%": ""} {
		p, err := as(joss).Board(soon(t), book, "sum", client.Part{Name: name})
		if err != nil || rows(*p) != want {
			t.Errorf("called %s are %+v, %v", name, p, err)
		}
	}
	_, err = op.Board(soon(t), book, "sides", client.Part{Name: "Am"})
	wants(t, "a name on a board of teams", err, "bad-request")
	p, err = op.Board(soon(t), book, "sides", client.Part{})
	if err != nil || len(p.Rows) != 1 || p.Rows[0].Value != 6 ||
		p.Rows[0].Name != "Amber Crew" || p.Rows[0].Team != "amber" {
		t.Errorf("the sides are %+v, %v", p, err)
	}
	wants(t, "removing", op.RemoveEntry(soon(t), book, "open", "", joss.Player, "a slip"), "")
	if err := w.Wait(soon(t), func(p client.BoardPage) bool { return rows(p) == "Mara" && p.Count == 1 }); err != nil {
		t.Fatal(err)
	}
	wants(t, "barring", op.BarPlayer(soon(t), book, "open", joss.Player, "again"), "")
	wants(t, "a barred player", as(joss).Post(soon(t), book, "open", client.Posting{Value: 9}), "barred")
	wants(t, "unbarring", op.UnbarPlayer(soon(t), book, "open", joss.Player, "enough"), "")
	wants(t, "afterwards", as(joss).Post(soon(t), book, "open", client.Posting{Value: 9}), "")
	if _, err := op.RenewBoard(soon(t), book, "open", "", "spring"); err != nil {
		t.Fatal(err)
	}
	if err := w.Wait(soon(t),
		func(p client.BoardPage) bool { return p.Season.Name == "2" && len(p.Rows) == 0 }); err != nil {
		t.Fatal(err)
	}
	first, err := op.Board(soon(t), book, "open", client.Part{Season: "1"})
	if err != nil || rows(*first) != "Joss Mara" {
		t.Errorf("the season before is %+v, %v", first, err)
	}
	acts, err := op.BoardActs(soon(t), book, "open")
	if err != nil || len(acts) != 4 || acts[0].Does != "renew" || acts[3].Does != "remove" || acts[3].Why != "a slip" {
		t.Errorf("the acts are %+v, %v", acts, err)
	}
	for _, b := range []string{"open", "sum", "sides"} {
		c, err := op.CompareBoard(soon(t), book, b, "")
		if err != nil || len(c.Differ) > 0 || c.Memory != c.Database {
			t.Errorf("%s: %+v, %v", b, c, err)
		}
	}
	sh := newShell(t)
	sh.has(sh.run(0, "", "board", book, "open", "-season", "1"), "season 1", "1      Joss  9", "2      Mara  4")
	sh.has(sh.run(0, "", "seasons", book, "open"), "SEASON", "open")
	sh.has(sh.run(0, "", "moderate", book, "open", "-key-file", sh.keyFile), "a slip", "spring")
	sh.has(sh.run(0, "", "compare", book, "sum", "-key-file", sh.keyFile), "1 entry in memory, 1 in the database")
	sh.has(sh.run(0, "", "post", book, "open", "7"), "The post is kept.")
	sh.has(sh.run(0, "", "players", "mar", "-key-file", sh.keyFile), "Mara")
}

// TestEverythingOfAPlayer: what is kept of a player is found, exported, put back and erased whole; what referees see
// stays with them.
func TestEverythingOfAPlayer(t *testing.T) {
	book := variant(t, "record:\n", "record:\n  suspect: {see: referees}\n")
	mara, joss, op := player(t, "Marisol"), player(t, "Joss"), operator(t)
	code := lobby(t, mara, client.Opening{Rulebook: book})
	a, b := join(t, mara, client.Options{Lobby: code}), join(t, joss, client.Options{Lobby: code})
	play(t, a, b)
	wants(t, "ending it", op.EndMatch(soon(t), code, "enough"), "")
	untilSaved(t, a)
	for i, v := range []int{3, 8} {
		_, err := op.CorrectRecord(soon(t), mara.Player, book, "one", "", client.RecordChange{Field: "suspect",
			Does:  "set",
			Value: v}, client.RecordChange{Field: "wins", Does: "set", Value: 40 + i})
		wants(t, "correcting", err, "")
	}
	list, _, err := op.RecordHistory(soon(t), mara.Player, book, 10, "")
	if err != nil || len(list) < 3 || list[1].Became["wins"] != 40.0 {
		t.Fatalf("the history is %+v, %v", list, err)
	}
	f, err := op.PutBackRecord(soon(t), mara.Player, book, list[1].Lobby, list[1].Number, "too much")
	if err != nil || f["wins"] != 40.0 || f["suspect"] != 3.0 {
		t.Errorf("put back to %v, %v", f, err)
	}
	first := list[len(list)-1]
	if f, err = op.PutBackRecord(soon(t), mara.Player, book, first.Lobby, first.Number, "all"); err != nil ||
		f["wins"] == 40.0 || f["suspect"] != 0.0 {
		t.Errorf("put back to the first, it is %v, %v", f, err)
	}
	var whole, own bytes.Buffer
	wants(t, "exporting", op.ExportPlayer(soon(t), mara.Player, &whole), "")
	wants(t, "exporting oneself", as(mara).ExportPlayer(soon(t), "me", &own), "")
	var p struct {
		Name    string
		Records []struct{ Fields map[string]any }
		Changes []struct {
			Revision    int64
			Changes     []any
			Was, Became map[string]any
		}
		Results []any
		Devices []any
		Totals  []client.Totals
	}
	if err := json.Unmarshal(whole.Bytes(), &p); err != nil || p.Name != "Marisol" || len(p.Records) != 1 ||
		len(p.Results) != 1 || len(p.Devices) != 1 || len(p.Changes) < 5 ||
		len(p.Totals) != 1 || p.Totals[0].Matches != 1 {
		t.Errorf("the export is %s, %v", whole.String(), err)
	}
	for i, c := range p.Changes {
		if c.Revision != int64(i)+p.Changes[0].Revision || c.Revision == 0 ||
			len(c.Changes) == 0 && maps.Equal(c.Was, c.Became) {
			t.Errorf("the export's change %d is %+v", i, c)
		}
	}
	if strings.Contains(own.String(), "suspect") || !strings.Contains(whole.String(), "suspect") {
		t.Errorf("what referees see: %s", own.String())
	}
	found, _, err := op.FindPlayers(soon(t), "marI", 10, "")
	if err != nil || !slices.ContainsFunc(found, func(p client.Person) bool { return p.Player == mara.Player }) {
		t.Errorf("found are %+v, %v", found, err)
	}
	if one, next, err := op.FindPlayers(soon(t), mara.Player, 10, ""); err != nil || len(one) != 1 || next != "" ||
		one[0].Name != "Marisol" {
		t.Errorf("found by the ID: %+v, %v", one, err)
	}
	exported(t, op, book, mara.Player)
	wants(t, "by a player", as(joss).ErasePlayer(soon(t), mara.Player, "mine"), "forbidden")
	wants(t, "erasing", op.ErasePlayer(soon(t), mara.Player, "asked for it"), "")
	matches, err := as(joss).Matches(soon(t), url.Values{"player": {joss.Player}})
	if err != nil || len(matches) != 1 || len(matches[0].Result.Players) != 2 {
		t.Fatalf("the other's results are %+v, %v", matches, err)
	}
	all, _ := json.Marshal(matches)
	if strings.Contains(string(all), mara.Player) || strings.Contains(string(all), "Marisol") {
		t.Errorf("the result still names who was erased: %s", all)
	}
	wants(t, "what is left", op.ExportPlayer(soon(t), mara.Player, &whole), "no-such-player")
	sh := newShell(t)
	sh.has(sh.run(0, "", "totals", joss.Player), "RULEBOOK", book)
}

// exported reads the results of a rulebook in both forms.
func exported(t *testing.T, op client.Service, book, player string) {
	t.Helper()
	var lines, table bytes.Buffer
	q := url.Values{"rulebook": {book}, "player": {player}}
	wants(t, "as lines", op.ExportMatches(soon(t), &lines, "jsonl", q), "")
	wants(t, "as a table", op.ExportMatches(soon(t), &table, "csv", q), "")
	var m client.Match
	if err := json.Unmarshal(lines.Bytes(), &m); err != nil || len(m.Result.Players) != 2 {
		t.Errorf("the lines are %s, %v", lines.String(), err)
	}
	rows, err := csv.NewReader(&table).ReadAll()
	if err != nil || len(rows) != 3 || rows[0][9] != "name" || rows[1][8] != m.Result.Players[0].Player {
		t.Errorf("the table is %v, %v", rows, err)
	}
	wants(t, "in no form", op.ExportMatches(soon(t), &table, "xml", q), "bad-request")
	wants(t, "by anybody", client.Service{Address: node.Address}.Call(soon(t), http.MethodGet, "/v1/matches/export",
		nil, nil), "no-token")
	q = url.Values{"rulebook": {book},
		"since": {m.Ended.Add(time.Millisecond).Format("2006-01-02T15:04:05.000000000Z07:00")}}
	if list, err := op.Matches(soon(t), q); err != nil || len(list) != 0 {
		t.Errorf("since after its end: %+v, %v", list, err)
	}
}
