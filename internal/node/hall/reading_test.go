package hall_test

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// TestReading: what comes with an intent is read for what it is: nothing is taken for another type, cut, or guessed,
// and a refusal says what was wrong.
func TestReading(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		_, ada, bo := r.two()
		settings := func(name string, value any) wire.Intent {
			return wire.Intent{Do: "settings", Args: map[string]any{name: value}}
		}
		bad := string(code.BadArgument)
		ada.refused(settings("title", map[string]any{"x": 1.0}), bad, "a text is expected, not a map")
		ada.refused(settings("title", 7.0), bad, "a text is expected, not 7")
		ada.refused(settings("password", nil), bad, "a text is expected")
		ada.refused(settings("password", strings.Repeat("x", 101)), bad, "100 bytes")
		ada.refused(settings("capacity", "3"), bad, "an integer is expected, not a text")
		ada.refused(settings("capacity", 2.5), bad, "integer")
		ada.refused(settings("open", "yes"), bad, "true or false")
		ada.refused(settings("colour", "red"), string(code.BadOption), "title, capacity")
		ada.does(settings("capacity", json.Number("3.0")))
		point := func(whom any) wire.Intent {
			return wire.Intent{Do: "act", Name: "point", Args: map[string]any{"whom": whom}}
		}
		ada.refused(point(float64(1<<32+int64(bo.First()))), bad, "no sheet 4294967")
		ada.refused(point(-1.0), bad, "no sheet -1")
		ada.refused(point("bo"), bad, "the number of a sheet")
		ada.refused(point(3.0e9), bad, "whom must be a player of this lobby")
		ada.does(point(float64(bo.First())))
		ada.refused(wire.Intent{Do: "act", Name: "point"}, bad, "whom is missing")
		ada.refused(wire.Intent{Do: strings.Repeat("dance", 20)}, string(code.NoVerb), "dance")
		ada.refused(wire.Intent{Do: "set", Name: "points", Target: uint32(bo.First()), Value: 5.0},
			string(code.NotPractice), "practice")
		if err := ada.Receive(&wire.Intent{Is: "intent", Do: "ready"}); fault.CodeOf(err) != code.BadMessage {
			t.Errorf("an intent without a number: %v", err)
		}
		if err := ada.Receive(&wire.Hello{Is: "hello"}); fault.CodeOf(err) != code.BadMessage {
			t.Errorf("a second hello: %v", err)
		}
	})
}

// TestPasswords: a password that is set later is the whole of what was typed, as one that is set at the opening.
func TestPasswords(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{})
		ada := r.join(l, hall.Joining{Account: "ada"})
		long := strings.Repeat("long enough ", 8)
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"password": long}})
		if _, err := r.tryJoin(l, hall.Joining{Account: "bo",
			Pass: long[:32]}); fault.CodeOf(err) != code.WrongPassword {
			t.Errorf("with its first 32 bytes: %v", err)
		}
		r.join(l, hall.Joining{Account: "bo", Pass: long})
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"password": ""}})
		r.join(l, hall.Joining{Account: "cy"})
	})
}

// TestSetByHand: a field is read by the sheet that it is set on, though another kind has one of that name and another
// type.
func TestSetByHand(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{Practice: true})
		ada, bo := r.join(l, hall.Joining{Account: "ada"}), r.join(l, hall.Joining{Account: "bo"})
		for _, p := range []*player{ada, bo} {
			p.does(wire.Intent{Do: "ready"})
		}
		match := uint32(ada.copy.Of(sheet.Match)[0].ID)
		set := func(target uint32, name string, value any) wire.Intent {
			return wire.Intent{Do: "set", Target: target, Name: name, Value: value}
		}
		ada.does(set(match, "points", "seven"))
		ada.does(set(uint32(bo.First()), "points", 7.0))
		ada.does(set(uint32(bo.First()), "mood", "cross"))
		if ada.text(match, "points") != "seven" || ada.see(uint32(bo.First()), "points") != 7 ||
			ada.text(uint32(bo.First()), "mood") != "cross" {
			t.Errorf("%q, %d", ada.text(match, "points"), ada.see(uint32(bo.First()), "points"))
		}
		ada.refused(set(match, "points", 7.0), string(code.BadArgument), "a text is expected")
		ada.refused(set(uint32(bo.First()), "mood", "merry"), string(code.BadArgument), "calm, cross")
		ada.refused(set(9999, "points", 7.0), string(code.NoField), "no sheet 9999")
		ada.refused(set(match, "ping", 7.0), string(code.NoField), "no field")
		bo.refused(set(match, "points", "x"), string(code.NotHost), "host")
		if v, err := l.Ask(context.Background(), "ada", &wire.Intent{Do: "set", Target: match, Name: "points",
			Value: "asked"}); err != nil || !v.OK() {
			t.Errorf("over HTTP: %+v, %v", v, err)
		}
		if _, err := l.Ask(context.Background(), "nobody",
			&wire.Intent{Do: "ready"}); fault.CodeOf(err) != code.NoSeat {
			t.Errorf("without a seat: %v", err)
		}
	})
}

// TestSlowReader: who takes nothing gets no notices for show and no deltas, but all that is needed, and one delta with
// the newest values when it takes again, before what tells of them; who takes nothing for too long is sent away.
func TestSlowReader(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, bo := r.two()
		again := bo.stop()
		score := func(n int) {
			for range n {
				ada.does(wire.Intent{Do: "act", Name: "score"})
			}
		}
		score(80)
		ada.does(wire.Intent{Do: "act", Name: "shout"})
		bo.forget()
		again()
		pass(200 * time.Millisecond)
		if got := bo.see(uint32(ada.First()), "points"); got != 80 {
			t.Errorf("caught up, bo sees %d points", got)
		}
		k := bo.kinds()
		if n := len(bo.all("delta")); n > 55 || !slices.Contains(k, "missed") || bo.all("snapshot") != nil {
			t.Errorf("bo was sent %d deltas; kinds at the end %v", n, k[max(len(k)-5, 0):])
		}
		missed := int(bo.all("missed")[0]["notices"].(float64))
		shouts := 0
		for _, m := range bo.all("notice") {
			if m["name"] == "shouted" {
				shouts++
			}
		}
		if cheers := len(bo.all("notice")) - shouts; cheers+missed != 80 || shouts != 1 {
			t.Errorf("%d cheers came, %d were missed, %d shouts", cheers, missed, shouts)
		}
		ada.does(wire.Intent{Do: "act", Name: "shout"})
		if pass(200 * time.Millisecond); len(bo.all("missed")) != 1 {
			t.Errorf("what was missed is told %d times", len(bo.all("missed")))
		}
		last := len(k) - 1 - slices.Index(reversed(k), "delta")
		if at := slices.IndexFunc(bo.got, func(m map[string]any) bool { return m["name"] == "shouted" }); at < last {
			t.Errorf("the needed notice came at %d, before the delta at %d", at, last)
		}
		again = bo.stop()
		for range 1100 {
			ada.n++
			ada.Receive(&wire.Intent{Is: "intent", N: ada.n, Seat: uint32(ada.First()), Do: "act", Name: "shout"})
			pass(time.Millisecond)
		}
		again()
		pass(time.Second)
		if bo.ended() != string(code.Slow) {
			t.Errorf("after 1,100 needed notices that bo did not take it ended with %q", bo.ended())
		}
		bo.Lost()
		back := r.join(l, hall.Joining{Account: "bo"})
		if e := back.all("welcome")[0]["ended"]; e == nil || e.(map[string]any)["code"] != string(code.Slow) {
			t.Errorf("the next welcome says %v", e)
		}
	})
}

func reversed(list []string) []string {
	out := slices.Clone(list)
	slices.Reverse(out)
	return out
}

// TestCopies: a check asks every connection; a right hash is all there is to it, a wrong one is followed up to the
// field, told, and put right by a snapshot; who does not answer is counted.
func TestCopies(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, bo := r.two()
		check := func() *hall.CheckReport {
			ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
			defer cancel()
			report, err := l.Check(ctx)
			if err != nil {
				t.Fatal(err)
			}
			return report
		}
		answer := func(p *player, wrong bool) {
			for len(p.all("check")) == 0 {
				time.Sleep(10 * time.Millisecond)
			}
			tick := int64(p.all("check")[0]["tick"].(float64))
			hash := p.copy.Hash()
			if wrong {
				hash++
			}
			p.Receive(&wire.Hash{Is: "hash", Tick: tick - 1, Hash: hash + 1}) // of another check, which is over
			p.Receive(&wire.Hash{Is: "hash", Tick: tick, Hash: hash})
			if !wrong {
				return
			}
			for len(p.all("show")) == 0 {
				time.Sleep(10 * time.Millisecond)
			}
			parts := [][]any{}
			if p == ada { // whose copy is right, though the hash was wrong
				data, _ := json.Marshal(p.copy.Parts())
				if err := json.Unmarshal(data, &parts); err != nil {
					t.Error(err)
				}
			}
			p.Receive(&wire.Shown{Is: "shown", Tick: tick, Parts: parts})
		}
		go answer(ada, false)
		go answer(bo, true)
		report := check()
		if report.Asked != 2 || report.Answered != 2 || len(report.Differs) == 0 ||
			report.Differs[0].Seat != uint32(bo.First()) {
			t.Errorf("%+v", report)
		}
		pass(aTick)
		if n := len(ada.all("show")); n != 0 {
			t.Errorf("an answer to a check that is over is taken: ada is asked %d times to show her copy", n)
		}
		if len(bo.all("differs")) != 1 || len(bo.all("snapshot")) != 2 || len(ada.all("snapshot")) != 1 {
			t.Errorf("bo was sent %v", bo.kinds())
		}
		ada.forget()
		go answer(ada, true)
		if report := check(); report.Answered != 1 || len(report.Differs) != 1 ||
			report.Differs[0].Want != "the hash of this copy" || report.Differs[0].Seat != uint32(ada.First()) {
			t.Errorf("a wrong hash of a right copy: %+v", report)
		}
		if report := check(); report.Asked != 2 || report.Answered != 0 { // nobody answers
			t.Errorf("%+v", report)
		}
	})
}

const judged = `turnvex: 1
name: judged
players: {least: 1, most: 4}
start: {countdown: 0s}
sheets: {player: {points: {type: integer}}}
actions: {guess: {takes: {n: {type: integer, min: 1, max: 9}}, referee: {within: 3s, otherwise: refuse, tell: {n: arg.n}}, do: [{add: me.points, by: arg.n}]}}
phases: {play: {lasts: 600s}}
win: {order: [{highest: me.points}]}
`

// TestReferees: every referee who is signed in is asked, the first word counts, one who comes later is offered what
// waits, and without a word in time the rulebook's counts.
func TestReferees(t *testing.T) {
	inVirtualTime(t, judged, func(r *rig) {
		l := r.open(hall.Opening{})
		ada := r.join(l, hall.Joining{Account: "ada"})
		ada.does(wire.Intent{Do: "ready"})
		guess := wire.Intent{Do: "act", Name: "guess", Args: map[string]any{"n": 4.0}}
		ada.refused(guess, string(code.NoReferee), "no referee")
		one := r.join(l, hall.Joining{Referee: true})
		ada.does(guess)
		two := r.join(l, hall.Joining{Referee: true})
		no := int64(one.all("decision")[0]["no"].(float64))
		if d := two.all("decision"); len(d) != 1 || d[0]["tell"].(map[string]any)["n"] != 4.0 ||
			int64(d[0]["no"].(float64)) != no {
			t.Fatalf("the second referee was offered %v", d)
		}
		if err := ada.Receive(&wire.Decide{Is: "decide", No: no, Yes: true}); fault.CodeOf(err) != code.Forbidden {
			t.Errorf("a player decides: %v", err)
		}
		two.Receive(&wire.Decide{Is: "decide", No: no, Yes: true})
		pass(aTick)
		one.Receive(&wire.Decide{Is: "decide", No: no})
		pass(aTick)
		if one.all("decided")[0]["code"] != string(code.NoDecision) || two.all("decided")[0]["ok"] != true ||
			ada.see(uint32(ada.First()), "points") != 4 {
			t.Errorf("%v, %v", one.all("decided"), two.all("decided"))
		}
		ada.does(guess)
		pass(4 * time.Second)
		if d := ada.all("notice"); len(d) != 3 || d[2]["name"] != "decided" ||
			d[2]["with"].(map[string]any)["yes"] != false {
			t.Errorf("ada was told %v", d)
		}
		one.Lost()
		two.Lost()
		pass(aTick)
		ada.refused(guess, string(code.NoReferee), "no referee")
	})
}
