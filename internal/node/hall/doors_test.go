package hall_test

import (
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// foggy is the harbour's rulebook with a field that its player alone sees.
var foggy = strings.Replace(harbour, "player: {points", "player: {hand: {type: integer, see: owner}, points", 1)

// TestWatchingPassesTheDoors: spectators need the password, an open lobby, and no ban, as players do; operators need
// none of them.
func TestWatchingPassesTheDoors(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{Password: "heron"})
		ada := r.join(l, hall.Joining{Account: "ada", Pass: "heron"})
		bo := r.join(l, hall.Joining{Account: "bo", Pass: "heron"})
		watches := func(what string, j hall.Joining, want code.Code) {
			t.Helper()
			j.Watch = true
			c, err := r.tryJoin(l, j)
			if (want == code.OK) != (err == nil) || err != nil && fault.CodeOf(err) != want {
				t.Errorf("%s: %v, wanted %q", what, err, want)
			}
			if err == nil {
				c.Lost()
				pass(time.Second)
			}
		}
		watches("without the password", hall.Joining{Account: "eve"}, code.WrongPassword)
		watches("with another", hall.Joining{Account: "eve", Pass: "tern"}, code.WrongPassword)
		watches("with it", hall.Joining{Account: "eve", Pass: "heron"}, code.OK)
		watches("an operator", hall.Joining{}, code.OK)
		ada.does(wire.Intent{Do: "ban", Target: uint32(bo.First())})
		watches("after a ban", hall.Joining{Account: "bo", Pass: "heron"}, code.Banned)
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"open": false}})
		watches("into a closed lobby", hall.Joining{Account: "eve", Pass: "heron"}, code.LobbyClosed)
	})
}

// TestPlayersDoNotWatchBeside: where players see less than spectators, nobody who has a seat watches beside, before or
// after, as long as the match runs; where all see the same they may.
func TestPlayersDoNotWatchBeside(t *testing.T) {
	for book, want := range map[string]code.Code{foggy: code.AlreadyIn, harbour: code.OK} {
		inVirtualTime(t, book, func(r *rig) {
			l := r.open(hall.Opening{})
			eye := r.join(l, hall.Joining{Account: "ada", Watch: true})
			ada := r.join(l, hall.Joining{Account: "ada"})
			bo, cy := r.join(l, hall.Joining{Account: "bo"}), r.join(l, hall.Joining{Account: "cy"})
			watch := func(what string) {
				t.Helper()
				if c, err := r.tryJoin(l, hall.Joining{Account: "bo", Watch: true}); err == nil {
					c.Lost()
					pass(time.Second)
				} else if fault.CodeOf(err) != want {
					t.Errorf("%s: %v", what, err)
				}
				if _, err := r.tryJoin(l, hall.Joining{Account: "bo", Watch: true}); (err == nil) != (want == code.OK) {
					t.Errorf("%s: %v", what, err)
				} else if err == nil {
					pass(time.Second)
				}
			}
			for _, p := range []*player{ada, bo, cy} {
				p.does(wire.Intent{Do: "ready"})
			}
			pass(6 * time.Second)
			if ended := eye.ended() != ""; ended != (want != code.OK) {
				t.Errorf("whoever watched goes on watching beside the own seat: %v", !ended)
			}
			eye.Lost()
			pass(time.Second)
			watch("with a seat")
			bo.Lost()
			pass(12 * time.Second) // its seat is held for 10
			if want != code.OK {
				watch("after the seat was given up")
			}
		})
	}
}
