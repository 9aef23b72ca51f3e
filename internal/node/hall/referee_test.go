package hall_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// quiz is judged: answers are worth what a referee says, who also puts questions and sets fields.
const quiz = `turnvex: 1
name: quiz
players: {least: 1, most: 4}
start: {countdown: 0s}
sheets: {player: {points: {type: integer}}, match: {question: {type: text, max: 40}}, lobby: {played: {type: integer, reset: never}}}
actions:
  answer:
    takes: {n: {type: integer}}
    referee: {within: 20s, tell: {n: arg.n}, answers: {worth: {type: integer, min: 1, max: 5}}}
    do: [{add: me.points, by: arg.worth}]
referee:
  sets: [match.question, player.points, lobby.played]
  acts: {put: {phases: [play], takes: {text: {type: text, max: 40}}, do: [{set: match.question, to: arg.text}]}}
rules: [{on: start, do: [{notice: begins, to: referees}]}]
phases: {play: {lasts: 600s}}
`

// takes returns what waits for a judge, written out.
func takes(t *testing.T, j *hall.Judge) (out []string) {
	t.Helper()
	pass(aTick)
	select {
	case <-j.Wake():
	default:
	}
	list, err := j.Take()
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range list {
		out = append(out, fmt.Sprintf("%+v", m))
	}
	return out
}

// TestJudgeOfARulebook: who referees all lobbies of a rulebook is asked by each, also by those that open later, and by
// no other; its answer, acts and sets count where they are for; gone, it is asked nothing; without one a lobby says so.
func TestJudgeOfARulebook(t *testing.T) {
	inVirtualTime(t, quiz, func(r *rig) {
		first := r.open(hall.Opening{})
		j := r.hall.Judge("quiz")
		if other := r.hall.Judge("other"); len(other.Lobbies()) != 0 || j.Rulebook() != "quiz" ||
			fmt.Sprint(j.Lobbies()) != fmt.Sprint([]string{first.Code}) {
			t.Errorf("it has the lobbies %v, the other %v", j.Lobbies(), other.Lobbies())
		}
		second := r.open(hall.Opening{})
		ada := r.join(second, hall.Joining{Account: "ada"})
		ada.does(wire.Intent{Do: "ready"})
		seat := ada.First()
		if got := takes(t, j); len(got) != 1 || got[0] != fmt.Sprintf("{Is:notice Name:begins Tick:1 To:referees "+
			"Of:0 With:map[] Lobby:%s}", second.Code) {
			t.Errorf("at the beginning it is told %v", got)
		}
		answer := wire.Intent{Do: "act", Name: "answer", Args: map[string]any{"n": 7.0}}
		ada.does(answer)
		if got := takes(t, j); len(got) != 1 || got[0] != fmt.Sprintf("{Is:decision No:1 Action:answer Seat:%d "+
			"Target:0 Tell:map[n:7] Left:20000 Lobby:%s}", seat, second.Code) {
			t.Errorf("it is asked %v", got)
		}
		for _, m := range []any{&wire.Ping{}, // which needs no answer
			&wire.Decide{Lobby: second.Code, No: 1, Yes: true, With: map[string]any{"worth": 9.0}}, // too much
			&wire.Decide{Lobby: second.Code, No: 1, Yes: true, With: map[string]any{"worth": 4.0}},
			&wire.Decide{Lobby: "NONE", No: 1, Yes: true},
			&wire.Rule{Lobby: second.Code, N: 1, Act: "put", Args: map[string]any{"text": "Why?"}},
			&wire.Rule{Lobby: second.Code, N: 2, Act: "nothing"},
			&wire.Rule{Lobby: second.Code, N: 3, Set: "lobby.played", Value: 8.0},
			&wire.Rule{Lobby: second.Code, N: 4, Set: "match.question", Value: "How?"},
			&wire.Rule{Lobby: second.Code, N: 5, Set: "player.points", Target: uint32(seat), Value: 6.0},
			&wire.Rule{Lobby: second.Code, N: 6, Set: "player.points", Value: 6.0}, // whose?
			&wire.Rule{Lobby: second.Code, N: 7, Set: "player.points", Target: uint32(seat), Value: "six"},
			&wire.Rule{Lobby: "NONE", N: 8, Act: "put"}} {
			if err := j.Receive(m); err != nil {
				t.Errorf("%+v: %v", m, err)
			}
		}
		if err := j.Receive(&wire.Intent{}); fault.CodeOf(err) != "bad-message" {
			t.Errorf("an intent of a referee: %v", err)
		}
		var got []string
		pass(aTick)
		list, _ := j.Take()
		for _, m := range list {
			switch m := m.(type) {
			case wire.Decided:
				got = append(got, fmt.Sprint("decided ", m.Lobby == second.Code, " ", m.No, " ", m.OK, " ", m.Code))
			case wire.Ruled:
				got = append(got, fmt.Sprint("ruled ", m.N, " ", m.OK, " ", m.Code))
			}
		}
		slices.Sort(got) // those that reach no lobby are answered at once
		want := "[decided false 1 false no-such-lobby decided true 1 false bad-argument decided true 1 true  " +
			"ruled 1 true  ruled 2 false no-such-action ruled 3 true  ruled 4 true  ruled 5 true  " +
			"ruled 6 false no-such-field ruled 7 false bad-argument ruled 8 false no-such-lobby]"
		if fmt.Sprint(got) != want {
			t.Errorf("it is answered\n%v, not\n%v", got, want)
		}
		if n := ada.see(uint32(seat), "points"); n != 6 {
			t.Errorf("%d points", n)
		}
		j.Leave()
		ada.refused(answer, "no-referee", "no referee")
		if got := takes(t, j); len(got) != 0 {
			t.Errorf("gone, it is asked %v", got)
		}
	})
}

// TestSlowJudge: a judge who takes nothing is cut off, and not what it judges.
func TestSlowJudge(t *testing.T) {
	inVirtualTime(t, quiz, func(r *rig) {
		j, l := r.hall.Judge("quiz"), r.open(hall.Opening{})
		for n := range 1024 {
			j.Receive(&wire.Decide{Lobby: "NONE", No: int64(n)})
		}
		if list, err := j.Take(); len(list) != 1024 || err != nil {
			t.Fatalf("%d wait, %v", len(list), err)
		}
		for n := range 1025 {
			j.Receive(&wire.Decide{Lobby: l.Code, No: int64(n)})
		}
		pass(time.Second)
		if _, err := j.Take(); fault.CodeOf(err) != "too-slow" {
			t.Errorf("with too much: %v", err)
		}
	})
}

// TestRefereeInALobby: a referee's connection is asked and answers there; a spectator's may not.
func TestRefereeInALobby(t *testing.T) {
	inVirtualTime(t, quiz, func(r *rig) {
		l := r.open(hall.Opening{})
		ada := r.join(l, hall.Joining{Account: "ada"})
		ada.does(wire.Intent{Do: "ready"})
		ref := r.join(l, hall.Joining{Account: "ref", Watch: true, Referee: true})
		ada.does(wire.Intent{Do: "act", Name: "answer", Args: map[string]any{"n": 7.0}})
		if got := ref.all("decision"); len(got) != 1 || got[0]["lobby"] != nil || got[0]["left"] != 20000.0 {
			t.Fatalf("it is asked %v", got)
		}
		for _, m := range []any{&wire.Decide{No: 1, Yes: true, With: map[string]any{"worth": 2.0}},
			&wire.Rule{N: 1, Set: "match.question", Value: "Why?"}} {
			if err := ref.Receive(m); err != nil {
				t.Error(err)
			}
			if err := ada.Receive(m); fault.CodeOf(err) != "forbidden" {
				t.Errorf("%T of a player: %v", m, err)
			}
		}
		pass(aTick)
		decided, ruled := ref.all("decided"), ref.all("ruled")
		if len(decided) != 1 || decided[0]["ok"] != true || len(ruled) != 1 || ruled[0]["ok"] != true {
			t.Errorf("it is answered %v, %v", decided, ruled)
		}
		if n := ada.see(uint32(ada.First()), "points"); n != 2 {
			t.Errorf("%d points", n)
		}
		ref.Lost()
		pass(aTick)
		ada.refused(wire.Intent{Do: "act", Name: "answer", Args: map[string]any{"n": 7.0}}, "no-referee", "no referee")
	})
}
