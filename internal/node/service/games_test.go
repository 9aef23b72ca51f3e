package service_test

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/service"
)

// TestOtherNodesAreHeard: what another node does to a record is seen by the lobby that holds it, and what it posts to a
// board by who watches it here.
func TestOtherNodesAreHeard(t *testing.T) {
	book := variant(t)
	mara, op := player(t, "Mara"), operator(t)
	a := join(t, mara, client.Options{Lobby: lobby(t, mara, client.Opening{Rulebook: book})})
	until(t, a, "the record is there", func(c *client.Copy) bool { return c.Me().Flag("loaded") })
	other, err := service.Start(soon(t), service.Config{Database: database, Node: "beside"})
	if err != nil {
		t.Fatal(err)
	}
	defer other.Stop()
	in, err := client.SignInKey(soon(t), other.Address, operatorKey)
	if err != nil {
		t.Fatal(err)
	}
	beside := client.Service{Address: other.Address, Token: in.Token}
	w, err := op.WatchBoard(soon(t), book, "points", client.Part{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	_, err = beside.CorrectRecord(soon(t), mara.Player, book, "from beside", "",
		client.RecordChange{Field: "wins", Does: "add", Value: 7})
	wants(t, "correcting on the other node", err, "")
	until(t, a, "it is seen here", func(c *client.Copy) bool { return c.Record(a.Seat()).Int("wins") == 7 })
	wants(t, "posting on the other node", beside.Post(soon(t), book, "points",
		client.Posting{Player: mara.Player, Value: 12}), "")
	if err := w.Wait(soon(t),
		func(p client.BoardPage) bool { return len(p.Rows) == 1 && p.Rows[0].Value == 12 }); err != nil {
		t.Fatal(err)
	}
}

// TestGameOfSeveralRulebooks: what a game declares is one for all of its rulebooks: a record that both change and read
// beside their own, and a board to which both post.
func TestGameOfSeveralRulebooks(t *testing.T) {
	n := fresh()
	game := "turnvex: 1\ngame: port_" + n + "\nrecord:\n  coins: {min: 0, start: 5, see: everyone}\n  played: {}\n" +
		"boards:\n  sums: {keep: total}\n"
	book := func(name string) string {
		return "turnvex: 1\nname: " + name + "_" + n + "\ngame: port_" + n + "\nsave_every: 1s\nplayers: {least: " +
			"1, most: 2}\n" +
			"start: {countdown: 0s}\nsheets: {player: {rich: {type: flag, is: record.coins > 11}}}\nactions:\n" +
			"  earn: {do: [{add: record.coins, by: 4}, {add: record.own, by: 1}, {post: sums, value: 4}]}\n" +
			"  buy: {certain: true, cost: {coins: 9}}\n" +
			"phases: {play: {lasts: 60s}}\nrecord:\n  own: {see: everyone}\n  played: {value: 1, keep: total}\n" +
			"boards: {mine: {value: record.own}}\n"
	}
	dir := t.TempDir()
	for name, text := range map[string]string{"port.yaml": game, "nets.yaml": book("nets"),
		"traps.yaml": book("traps")} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	sh := newShell(t)
	sh.has(sh.run(0, "", "check", filepath.Join(dir, "nets.yaml"), filepath.Join(dir, "port.yaml")), "can be played")
	sh.has(sh.run(1, book("nets"), "check", "-"), "to which this rulebook belongs, is not here")
	sh.run(1, "", "publish", "-key-file", sh.keyFile, filepath.Join(dir, "nets.yaml"))
	for _, f := range []string{"port.yaml", "nets.yaml", "traps.yaml"} {
		sh.has(sh.run(0, "", "publish", "-key-file", sh.keyFile, filepath.Join(dir, f)), "is published")
	}
	sh.has(sh.run(0, "", "rulebooks"), "game:port_"+n, "nets_"+n)
	mara := player(t, "Mara")
	var conns []*client.Conn
	var codes []string
	for _, name := range []string{"nets_" + n, "traps_" + n} {
		codes = append(codes, lobby(t, mara, client.Opening{Rulebook: name}))
		c := join(t, mara, client.Options{Lobby: codes[len(codes)-1]})
		wants(t, "ready", c.Do(soon(t), client.Intent{Do: "ready"}), "")
		until(t, c, "it begins", func(c *client.Copy) bool { return c.Match() != nil })
		conns = append(conns, c)
	}
	coins := func(c *client.Conn, want int64) {
		t.Helper()
		until(t, c, fmt.Sprint("it has ", want, " coins"), func(p *client.Copy) bool {
			return p.Record(c.Seat()).Int("coins") == want && p.Me().Flag("rich") == (want > 11)
		})
	}
	wants(t, "earning in one", conns[0].Do(soon(t), client.Intent{Do: "act", Name: "earn"}), "")
	coins(conns[1], 9)
	wants(t, "earning in the other", conns[1].Do(soon(t), client.Intent{Do: "act", Name: "earn"}), "")
	coins(conns[0], 13)
	wants(t, "buying in one", conns[0].Do(soon(t), client.Intent{Do: "act", Name: "buy"}), "")
	wants(t, "and in the other", conns[1].Do(soon(t), client.Intent{Do: "act", Name: "buy"}), "too-little")
	for i, c := range conns {
		coins(c, 4)
		wants(t, "ending it", operator(t).EndMatch(soon(t), codes[i], "enough"), "")
		until(t, c, "it is saved", func(c *client.Copy) bool { return c.Match() != nil && c.Match().Flag("saved") })
	}
	f, own := record(t, as(mara), mara.Player, "game:port_"+n), record(t, as(mara), mara.Player, "nets_"+n)
	p, err := as(mara).Board(soon(t), "traps_"+n, "sums", client.Part{})
	if err != nil || f["coins"] != 4.0 || f["played"] != 2.0 || own["own"] != 1.0 || own["coins"] != 4.0 ||
		len(p.Rows) != 1 || p.Rows[0].Value != 8 {
		t.Errorf("kept are %v and %v, on the board %+v, %v", f, own, p, err)
	}
	_, err = as(mara).Open(soon(t), client.Opening{Rulebook: "game:port_" + n})
	wants(t, "a lobby of a game", err, "no-such-rulebook")
	before, _ := node.Library.Book("nets_" + n)
	sh.run(1, strings.Replace(game, "coins:", "gold:", 1), "publish", "-key-file", sh.keyFile, "-")
	game = strings.Replace(game, "played: {}", "played: {}\n  medals: {}", 1)
	sh.run(0, game, "publish", "-key-file", sh.keyFile, "-")
	if after, err := node.Library.Book("nets_" + n); err != nil || after.Version == before.Version ||
		len(after.Record) != len(before.Record)+1 {
		t.Errorf("with the game anew its rulebook is %v, %v", after, err)
	}
	renamedTogether(t, sh, dir, game, mara.Player)
}

// renamedTogether: where a shared field is renamed, the game and its rulebooks are published together, from the command
// line and from a folder; what was kept is there under the new name.
func renamedTogether(t *testing.T, sh *shell, dir, game, player string) {
	rename := func(file string, pairs ...string) string {
		text, err := os.ReadFile(filepath.Join(dir, file))
		if err != nil {
			t.Fatal(err)
		}
		changed := strings.NewReplacer(pairs...).Replace(string(text))
		if err := os.WriteFile(filepath.Join(dir, file), []byte(changed), 0o600); err != nil {
			t.Fatal(err)
		}
		return filepath.Join(dir, file)
	}
	if err := os.WriteFile(filepath.Join(dir, "port.yaml"), []byte(game), 0o600); err != nil {
		t.Fatal(err)
	}
	port := rename("port.yaml", "coins: {", "gold: {was: [coins], ")
	nets := rename("nets.yaml", "coins", "gold")
	sh.has(sh.run(1, "", "publish", "-key-file", sh.keyFile, port, nets), "the rulebook traps_", "publish both")
	traps := rename("traps.yaml", "coins", "gold")
	sh.has(sh.run(0, "", "check", nets, port, traps), "can be played")
	out := sh.run(0, "", "publish", "-key-file", sh.keyFile, nets, port, traps)
	sh.has(out, "gold", "renamed", "1 ", "Its rulebooks say: game: port_")
	if strings.Count(out, "renamed") != 1 {
		t.Errorf("the renaming is told of more than the game's record:\n%s", out)
	}
	name := strings.Fields(game[strings.Index(game, "port_"):])[0]
	if f := record(t, operator(t), player, "game:"+name); f["gold"] != 4.0 {
		t.Errorf("kept are %v", f)
	}
	n := strings.TrimPrefix(name, "port_")
	text, err := os.ReadFile(traps)
	if err != nil {
		t.Fatal(err)
	}
	var alone struct{ OK bool }
	err = operator(t).Call(soon(t), http.MethodPost, "/v1/rulebooks", text, &alone)
	if wants(t, "publishing one alone", err, ""); !alone.OK {
		t.Error("one that is published alone is not said to be right")
	}
	published := "nets_" + n + " game:" + name + " traps_" + n
	lines, _, err := operator(t).Audit(soon(t), client.AuditQuery{Subject: published})
	if err != nil || len(lines) != 1 || lines[0].Outcome != "ok" {
		t.Errorf("the audit trail has %+v, %v", lines, err)
	}
	for _, file := range []string{"port.yaml", "nets.yaml", "traps.yaml"} {
		rename(file, "gold", "silver", "was: [coins]", "was: [gold, coins]")
	}
	other, err := service.Start(soon(t), service.Config{Database: database, Node: "folder", Rulebooks: dir})
	if err != nil {
		t.Fatal(err)
	}
	defer other.Stop()
	for _, book := range []string{"nets_", "traps_"} {
		b, err := other.Library.Book(book + n)
		if err != nil || !slices.ContainsFunc(b.Record, func(r *rulebook.RecordField) bool {
			return r.Field.Name == "silver" && slices.Contains(r.Was, "gold")
		}) {
			t.Errorf("from the folder %s is loaded as %+v, %v", book, b, err)
		}
	}
}
