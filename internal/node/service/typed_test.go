package service_test

import (
	"testing"

	"turnvex.example/turnvex/client"
)

// TestTypedFields reads, watches and expects fields of which the compiler knows what they hold, of each type that there
// is, and reads what a notice says.
func TestTypedFields(t *testing.T) {
	type phase string
	book := variant(t, "    hull: {type", "    items: {type: list, of: integer, most: 3, start: [4, 5]}\n"+
		"    notes: {type: list, of: text, most: 3}\n    hull: {type",
		"{notice: hailed, to: team, with: {by: me}}", "{notice: hailed, to: team, with: {by: me, hard: true, "+
			"at: me.pos, wind: me.wind, says: me.name}}")
	heard := make(chan client.Notice, 9)
	_, _, c := started(t, book, client.Options{OnNotice: func(n client.Notice) {
		if n.Name == "hailed" {
			heard <- n
		}
	}})
	points := client.IntegerField(client.KindPlayer, "plan")
	wind := client.NumberField(client.KindPlayer, "wind")
	phases := client.WordField[phase](client.KindMatch, "phase", "ready", "play")
	c.Read(func(v *client.Copy) {
		me := v.Me()
		if client.TextField(client.KindPlayer, "name").Of(me) != "Joss" || wind.Of(me) != 50 ||
			phases.Of(v.Match()) != "play" || !client.FlagField(client.KindPlayer, "alive").Of(me) ||
			client.RefField(client.KindPlayer, "team").Of(me) != uint32(me.Int("team")) || me.Int("team") == 0 ||
			client.PositionField(client.KindPlayer, "pos", false).Of(me) != [3]int64{14_000, 10_000} ||
			len(client.ItemsField(client.KindPlayer, "items").Of(me)) != 2 ||
			len(client.TextsField(client.KindPlayer, "notes").Of(me)) != 0 ||
			(client.ClockField{Kind: client.KindMatch, Name: "clock"}).Of(v, v.Match()) <= 0 {
			t.Errorf("the fields read otherwise: %v", me)
		}
	})
	told := make(chan [2]int64, 9)
	stop := points.Watch(c, func(s *client.Sheet, old, now int64) {
		if s.ID == c.Seat() {
			told <- [2]int64{old, now}
		}
	})
	defer stop()
	<-told // what is there
	do(t, c, client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": 7},
		Expect: []client.Expected{points.Expect(7), wind.ExpectOn(c.Seat(), 2.5)}})
	if x := <-told; x != [2]int64{0, 7} {
		t.Errorf("a change from 0 to 7 is told as %v", x)
	}
	if err := c.Do(soon(t), client.Intent{Do: "ready", Expect: []client.Expected{phases.Expect("play")}}); err == nil {
		t.Error("a field of the match is expected of a player")
	}
	do(t, c, client.Intent{Do: "act", Name: "hail"})
	n := <-heard
	if n.Int("by") != int64(c.Seat()) || !n.Flag("hard") || n.Text("says") != "Joss" || n.Int("wind") != 50_000 ||
		len(n.Pos("at")) != 2 {
		t.Errorf("the notice says %v", n.With)
	}
}
