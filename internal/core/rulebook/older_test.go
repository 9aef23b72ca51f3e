package rulebook_test

import (
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
)

// TestRewrite holds what is made of older keys: comments and all else stay, what a rulebook meant is what it means, and
// a second time changes nothing. Before that, the checker says what to write, and a node plays what is kept.
func TestRewrite(t *testing.T) {
	for _, c := range []struct{ was, is, says string }{
		{"# a\nstart: {by: host, countdown: 2s} # b\n",
			"# a\nhost: {start: [private, public]}\nstart: {ready: false, countdown: 2s} # b\n",
			"line 4: start: {by: host} is now host: {start: [private, public]}, with ready: false"},
		{"start:\n  # who\n  by: either # c\n  countdown: 2s\n",
			"host: {start: [private, public]}\nstart:\n  # who\n  countdown: 2s\n",
			"line 5: start: {by: either} is now host: {start: [private, public]}"},
		{"start: {by: ready}\n", "", "line 3: start: {by: ready} is left out, as the default"},
		{"players: {most: 4, host_gone: close}\npause: {who: nobody}\nend: {lasts: 1s}\n",
			"host: {gone: close, pause: []}\nplayers: {most: 4}\nend: {lasts: 1s}\n",
			"line 3: players: {host_gone: close} is now host: {gone: close}"},
		{"pause: {who: \"host\", times: 2}\nteams:\n  list: {a: {}, b: {}}\n  newcomers: host\n",
			"host: {pause: [private, public], teams: [private, public]}\npause: {times: 2}\n" +
				"teams:\n  list: {a: {}, b: {}}\n",
			"line 3: pause: {who: host} is now host: {pause: [private, public]}"},
		{"arenas: {list: {m: {width: 9m, height: 9m}},\n  pick: host}\n",
			"arenas: {list: {m: {width: 9m, height: 9m}},\n}\n",
			"line 4: arenas: {pick: host} is left out, as the default"},
		{"ground: {width: 9000, height: 9m, spawns: [{at: [2000, 300]}]} # mm\n",
			"ground: {width: 9000mm, height: 9m, spawns: [{at: [2000mm, 300mm]}]} # mm\n",
			"line 3: ground.width: 9000 is now 9000mm"},
		{"sheets: {match: {t: {type: clock, count: down}}}\n" +
			"rules: [{on: start, do: [{clock: match.t, do: start, from: 500}]}]\n",
			"sheets: {match: {t: {type: clock, count: down}}}\n" +
				"rules: [{on: start, do: [{clock: match.t, do: start, from: 500ms}]}]\n",
			"line 4: rules[1].do[1].from: 500 is now 500ms"},
		{"teams: {number: 2}\nrules: [{on: start, for: players, do: [{notice: a, to: owner}, " +
			"{notice: b, to: team, of: me}]}]\n",
			"teams: {number: 2}\nrules: [{on: start, for: players, do: [{notice: a, to: me}, " +
				"{notice: b, to: me.team}]}]\n",
			"line 4: notice: {to: owner} is now to: me"},
		{"rules:\n  - on: start\n    do:\n      - notice: a\n        of: \"players.filter(p, p.alive)\" # all\n" +
			"        to: owner\n",
			"rules:\n  - on: start\n    do:\n      - notice: a\n        to: \"players.filter(p, p.alive)\"\n",
			"line 7: notice: {of: players.filter(p, p.alive)} is what to says now"},
		{"sheets: {player: {n: {type: integer}}}\nrules: [{when: match.play > 30000, do: [{finish: it is over}]}]\n",
			"sheets: {player: {n: {type: integer}}}\nrules: [{when: match.play > 30s, do: [{finish: it is over}]}]\n",
			"line 4: rules[1].when: 30000 is now 30s"},
		{"rules: [{every: 1s, if: match.play > seconds(30 + 5), do: [{finish: it is over}]}]\n",
			"rules: [{every: 1s, if: match.play > 1s * (30 + 5), do: [{finish: it is over}]}]\n",
			"line 3: rules[1].if: seconds( is now 1s * ("},
		{"turns: {of: teams, length: 9s}\nteams: {number: 2}\nboards: {crews: {per: team, of: 1}}\nwin: {by: teams}\n" +
			"creatures: {rat: {side: team1, moves: [{along: [[1m, 1m]], then: back}]}}\n" +
			"ground: {width: 9m, height: 9m}\n",
			"turns: {for: teams, lasts: 9s}\nteams: {number: 2}\nboards: {crews: {for: teams, value: 1}}\n" +
				"win: {for: teams}\ncreatures: {rat: {team: team1, moves: [{along: [[1m, 1m]], next: back}]}}\n" +
				"ground: {width: 9m, height: 9m}\n", "line 3: turns: of is now for"},
		{"movement: {speed: 4m, factor: \"me.alive ? 1.0 : 0.4\"}\nground: {width: 9m, height: 9m}\ncreatures:\n" +
			"  rat: {speed: 2m, at: [[1m, 1m]]}\n  cat:\n    factor: 0.5\n    moves:\n      - speed: 1500mm # slow\n" +
			"        wander: 2m\n",
			"movement: {speed: \"1mm/s * int(4000.0 * (me.alive ? 1.0 : 0.4))\"}\nground: {width: 9m, height: 9m}\n" +
				"creatures:\n  rat: {speed: 2m/s, at: [[1m, 1m]]}\n  cat:\n" +
				"    speed: \"1mm/s * int(3000.0 * (0.5))\"\n    moves:\n" +
				"      - speed: \"1mm/s * int(1500.0 * (0.5))\" # slow\n        wander: 2m\n",
			"line 3: movement: {speed: 4m} is now speed: \"1mm/s * int(4000.0 * (me.alive ? 1.0 : 0.4))\""},
		{"win: {order: [{most: me.ping}, {least: me.slot}]}\nactions: {a: {aim: {at: target}}}\n" +
			"record: {n: {of: me.ping}}\n",
			"win: {order: [{highest: me.ping}, {lowest: me.slot}]}\nactions: {a: {aim: {kind: target}}}\n" +
				"record: {n: {value: me.ping}}\n", "line 3: win.order[1]: most is now highest"},
		{"pause: {who: anyone}\n", "pause: {who: anyone}\n", ""},
	} {
		const around, end = "turnvex: 1\nname: old\n", "phases: {play: {lasts: 9s}}\n"
		out, changes := rulebook.Rewrite([]byte(around + c.was + end))
		if got := string(out); got != around+c.is+end {
			t.Errorf("%s became\n%s", c.was, got)
		}
		if c.says == "" != (len(changes) == 0) || c.says != "" && changes[0] != c.says {
			t.Errorf("%s: %q", c.was, changes)
		}
		if again, changes := rulebook.Rewrite(out); string(again) != string(out) || len(changes) > 0 {
			t.Errorf("%s: changed again: %q", c.was, changes)
		}
		kept, problems := rulebook.CompileKept([]byte(around + c.was + end))
		now, _ := rulebook.Compile(out)
		if kept == nil || now == nil || kept.Host != now.Host || kept.Start != now.Start {
			t.Errorf("%s cannot be played: %s", c.was, problems)
		}
		_, problems = rulebook.Compile([]byte(around + c.was + end))
		hint := slices.ContainsFunc(problems, func(p rulebook.Problem) bool {
			return strings.Contains(p.Wanted, "turnvex check -rewrite") || strings.Contains(p.String(), "unit") ||
				strings.Contains(p.Message, "now")
		})
		if older := c.says != "" && !strings.Contains(c.was, "who: nobody"); older && !hint {
			t.Errorf("%s: nothing says what to write: %s", c.was, problems)
		}
	}
	mixed := []byte("turnvex: 1\nname: old\nsheets: {match: {n: {type: integer}}}\n" +
		"rules: [{when: match.play > match.n, do: [{set: match.n, to: match.play + 3s}]}]\n" +
		"phases: {play: {lasts: 9s}}\n")
	if now, _ := rulebook.Compile(mixed); now != nil {
		t.Error("a duration is compared with a number")
	}
	if kept, problems := rulebook.CompileKept(mixed); kept == nil {
		t.Errorf("what is kept is not played any more: %s", problems)
	}
	json := `{"turnvex": 1, "name": "old", "start": {"by": "host"}, "phases": {"play": {"lasts": "9s"}}}`
	out, _ := rulebook.Rewrite([]byte(json))
	want := `{"turnvex": 1, "name": "old", "host": {"start": ["private", "public"]}, "start": {"ready": false}, ` +
		`"phases": {"play": {"lasts": "9s"}}}`
	if string(out) != want {
		t.Errorf("the JSON became %s", out)
	}
	json = `{"turnvex": 1, "name": "old", "rules": [{"on": "start", "for": "players", "do": [{"notice": "a", ` +
		`"to": "owner", "of": "me.rivals.first()"}]}], "phases": {"play": {"lasts": "9s"}}}`
	want = strings.Replace(json, `"owner", "of": `, "", 1)
	if out, _ := rulebook.Rewrite([]byte(json)); string(out) != want {
		t.Errorf("the JSON became %s", out)
	}
	json = `{"turnvex": 1, "name": "old", "phases": {"play": {"lasts": 9000}}}`
	if out, _ := rulebook.Rewrite([]byte(json)); string(out) != strings.Replace(json, "9000", `"9000ms"`, 1) {
		t.Errorf("the JSON became %s", out)
	}
}
