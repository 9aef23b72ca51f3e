package service_test

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/client"
)

// followed is a topic, as who follows it has put it together.
type followed struct {
	t    *testing.T
	ws   *websocket.Conn
	rows map[string]any
	keys []string
}

func follow(t *testing.T, token string, topic map[string]any) *followed {
	t.Helper()
	ws, first := dial(t, map[string]any{"token": token, "topic": topic}, nil)
	if first["is"] != "topic" {
		t.Fatalf("%v: %v", topic, first)
	}
	f := &followed{t: t, ws: ws, rows: map[string]any{}}
	f.take(first["rows"])
	for _, r := range first["rows"].([]any) {
		f.keys = append(f.keys, r.(map[string]any)["key"].(string))
	}
	return f
}

func (f *followed) take(rows any) {
	list, _ := rows.([]any)
	for _, r := range list {
		row := r.(map[string]any)
		f.rows[row["key"].(string)] = row["row"]
	}
}

// until reads news until something holds.
func (f *followed) until(what string, holds func() bool) {
	f.t.Helper()
	for !holds() {
		m := read(f.t, f.ws, "news")
		if m["is"] != "news" {
			f.t.Fatalf("waiting for %q: %v", what, m)
		}
		f.take(m["set"])
		f.keys = nil
		for _, k := range m["order"].([]any) {
			f.keys = append(f.keys, k.(string))
		}
		maps.DeleteFunc(f.rows, func(k string, _ any) bool { return !slices.Contains(f.keys, k) })
		if len(f.rows) != len(f.keys) {
			f.t.Fatalf("%d rows with %d keys", len(f.rows), len(f.keys))
		}
	}
}

// of are the values of a column, in the order of the rows.
func (f *followed) of(column string) (out []string) {
	for _, k := range f.keys {
		text, _ := f.rows[k].(map[string]any)[column].(string)
		out = append(out, text)
	}
	return out
}

// TestTopics: what ends, who comes and goes, and what operators do is told to those who watch it, and to nobody who may
// not; what a topic says of a match is what the route says.
func TestTopics(t *testing.T) {
	code, a, _ := started(t, "duel", client.Options{})
	in, _ := ownOperator(t)
	reader, err := operator(t).MakeKey(soon(t), "reader "+fresh(), "read")
	if err != nil {
		t.Fatal(err)
	}
	reading, err := client.SignInKey(soon(t), node.Address, reader.Key)
	if err != nil {
		t.Fatal(err)
	}
	guest := player(t, "Ines")
	for name, may := range map[string][3]bool{"results": {true, true, true}, "nodes": {false, true, true},
		"metrics": {false, true, true}, "players": {false, false, true}, "audit": {false, false, true}, "weather": {}} {
		for i, token := range []string{guest.Token, reading.Token, in.Token} {
			_, first := dial(t, map[string]any{"token": token, "topic": map[string]any{"name": name}}, nil)
			if (first["is"] == "topic") != may[i] {
				t.Errorf("%s, asked for by %d: %v", name, i, first)
			}
		}
	}
	results := follow(t, guest.Token, map[string]any{"name": "results", "lobby": code})
	players := follow(t, in.Token, map[string]any{"name": "players"})
	trail := follow(t, in.Token, map[string]any{"name": "audit"})
	if len(results.rows) != 0 {
		t.Errorf("before the end there are %v", results.rows)
	}
	players.until("who plays", func() bool {
		for _, k := range players.keys {
			row := players.rows[k].(map[string]any)
			if row["lobby"] == code && row["name"] == "Mara" && row["does"] == "plays" && row["address"] != "" {
				return true
			}
		}
		return false
	})
	op := client.Service{Address: node.Address, Token: in.Token}
	if err := op.Call(soon(t), "POST", "/v1/lobbies/"+code+"/end?why=enough+"+code, map[string]any{}, nil); err != nil {
		t.Fatal(err)
	}
	results.until("the match has ended", func() bool { return len(results.rows) == 1 })
	list, err := op.Matches(soon(t), map[string][]string{"lobby": {code}})
	if err != nil || len(list) != 1 || list[0].ID != results.keys[0] {
		t.Errorf("the topic says %v, the route %v, %v", results.keys, list, err)
	}
	trail.until("the act", func() bool { return slices.Contains(trail.of("why"), "enough "+code) })
	newest := func(x, y string) int { return strings.Compare(y[:19], x[:19]) }
	if len(trail.keys) > 50 || !slices.IsSortedFunc(trail.of("at"), newest) {
		t.Errorf("the trail: %v", trail.of("at"))
	}
	a.Close()
	players.until("who has gone", func() bool {
		return !slices.ContainsFunc(players.keys, func(k string) bool {
			row := players.rows[k].(map[string]any)
			return row["lobby"] == code && row["name"] == "Mara"
		})
	})
	nodes := follow(t, reading.Token, map[string]any{"name": "nodes"})
	if !slices.Contains(nodes.of("state"), "alive") {
		t.Errorf("the nodes: %v", nodes.rows)
	}
}
