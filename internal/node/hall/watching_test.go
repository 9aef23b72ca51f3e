package hall_test

import (
	"encoding/json"
	"testing"

	"turnvex.example/turnvex/internal/node/hall"
)

// varied is a rulebook with some of everything that a welcome tells.
const varied = `turnvex: 1
name: varied
title: Varied
about: Some of everything.
players: {least: 2, most: 4, late: seat}
spectators: {most: 1}
start: {countdown: 0s}
teams: {list: {red: {}, blue: {}}}
ground: {width: 40m, height: 30m, sight: {near: 8m, far: 12m, update: 500ms}, walls: [{box: [4m, 4m, 8m, 8m]}, {circle: [20m, 20m, 1m]}]}
movement: {speed: 6m/s}
sheets: {player: {n: {type: integer}, secret: {type: integer, see: owner}}}
kits: {base: {actions: [score, ram]}, rare: {actions: [glow], start: false}}
pieces: {stone: {title: Stone, radius: 700mm, number: 1}}
actions:
  score: {key: s, takes: {n: {type: integer, min: 1, max: 9}}, cooldown: 2s, do: [{add: me.n, by: arg.n}]}
  ram: {phases: [play], aim: {kind: target, reach: 3m, who: rivals}, do: [{grant: rare, to: me}]}
  glow: {also: [pause], lasts: 2s, held: true, do: [{notice: glowed, to: team, needed: true, with: {who: me}}]}
phases: {hold: {lasts: 3s, inputs: frozen}, play: {lasts: 60s}}
win: {order: [{highest: "team.members.sum(p, p.n)"}, {lowest: team.name.size()}]}
pause: {who: anyone, phases: [play], times: 2}
host: {remove: [], ban: [], settings: [], password: [], teams: [], shuffle: [], hand_over: [private, match]}
`

// TestTheBookInTheWelcome: a welcome tells what a client must know of the rulebook.
func TestTheBookInTheWelcome(t *testing.T) {
	inVirtualTime(t, varied, func(r *rig) {
		ada := r.join(r.open(hall.Opening{}), hall.Joining{Account: "ada"})
		book := ada.all("welcome")[0]["book"].(map[string]any)
		delete(book, "version")
		got, err := json.Marshal(book)
		if err != nil {
			t.Fatal(err)
		}
		const want = `{"about":"Some of everything.",` +
			`"actions":[{"aim":"self","cools":true,"key":"s","name":"score","phases":["play"],"takes":[{"max":9,"min":1,"name":"n","no":0,"own":true,"type":"integer"}],"title":"score"},{"aim":"target","name":"ram","phases":["play"],"reach":3000,"title":"ram","who":"rivals"},{"aim":"self","also":["pause"],"held":true,"name":"glow","phases":["play"],"title":"glow"}],` +
			`"end":{"show":8000,"then":"lobby"},` +
			`"ground":{"boxes":[[4000,4000,8000,8000]],"circles":[[20000,20000,1000]],"height":30000,"sight":{"every":10,"far":12000,"near":8000},"width":40000},` +
			`"host":{"arena":["private","public"],"hand_over":["private","match"],"pause":["private"]},` +
			`"kits":[{"actions":["score","ram"],"name":"base"},{"actions":["glow"],"name":"rare"}],` +
			`"moves":true,` +
			`"name":"varied",` +
			`"notices":[{"fields":[{"name":"who","no":0,"of":"player","own":true,"type":"ref"}],"name":"glowed"},{"fields":[{"name":"tint","no":0,"own":true,"type":"text"},{"name":"play","no":1,"own":true,"type":"text"},{"name":"say","no":2,"own":true,"type":"text"},{"name":"lasts","no":3,"own":true,"type":"integer"},{"name":"strength","no":4,"own":true,"type":"integer"},{"name":"hold","no":5,"own":true,"type":"integer"},{"name":"with","no":6,"own":true,"type":"text"}],"name":"hint"},{"fields":[{"name":"action","no":0,"own":true,"type":"text"}],"name":"no_referee"},{"fields":[{"name":"action","no":0,"own":true,"type":"text"},{"name":"intent","no":1,"own":true,"type":"integer"},{"name":"yes","no":2,"own":true,"type":"flag"}],"name":"decided"},{"fields":[{"name":"by","no":0,"of":"player","own":true,"type":"ref"}],"name":"swap_wanted"},{"fields":[{"name":"promise","no":0,"own":true,"type":"text"},{"name":"line","no":1,"own":true,"type":"integer"}],"name":"promise_broken"}],` +
			`"pause":{"countdown":3000,"longest":300000,"phases":["play"],"times":2,"who":"anyone"},` +
			`"phases":[{"frozen":true,"name":"hold","title":"hold"},{"name":"play","title":"play"}],` +
			`"pieces":[{"name":"stone","radius":700,"title":"Stone"}],` +
			`"radius":500,` +
			`"speed":6000,` +
			`"teams":["red","blue"],` +
			`"title":"Varied"}`
		if string(got) != want {
			t.Errorf("the book is\n%s, not\n%s", got, want)
		}
	})
}

// TestWhoCountsAsSpectator: who only watches takes a spectator's place; an operator's view takes none.
func TestWhoCountsAsSpectator(t *testing.T) {
	inVirtualTime(t, varied, func(r *rig) {
		l := r.open(hall.Opening{})
		ada := r.join(l, hall.Joining{Account: "ada"})
		seat := uint32(ada.First())
		spectators := func(want int64) {
			t.Helper()
			pass(aTick)
			ada.mu.Lock()
			defer ada.mu.Unlock()
			if got := ada.copy.Sheet(1).Int("spectators"); got != want {
				t.Errorf("%d spectators, not %d", got, want)
			}
		}
		all := r.join(l, hall.Joining{Account: "op", Watch: true, All: true})
		as := r.join(l, hall.Joining{Account: "op", Watch: true, As: ada.First()})
		spectators(0)
		if got := as.see(seat, "n"); got != 0 || len(all.all("snapshot")) != 1 || len(as.all("snapshot")) != 1 {
			t.Errorf("what is seen: %v, %v", all.kinds(), as.kinds())
		}
		bo := r.join(l, hall.Joining{Account: "bo", Watch: true})
		spectators(1)
		for who, want := range map[*player]bool{ada: true, as: true, all: true, bo: false} {
			who.mu.Lock()
			if _, sees := who.copy.Sheet(sheetID(seat)).Get("secret"); sees != want {
				t.Errorf("a private field is seen: %v, not %v", sees, want)
			}
			who.mu.Unlock()
		}
		if _, err := r.tryJoin(l, hall.Joining{Account: "cy", Watch: true}); err == nil {
			t.Error("a second spectator came in")
		}
		if _, err := r.tryJoin(l, hall.Joining{Account: "op", Watch: true, All: true}); err != nil {
			t.Errorf("an operator: %v", err)
		}
		spectators(1)
	})
}
