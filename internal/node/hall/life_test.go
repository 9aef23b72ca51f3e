package hall

import "testing"

// TestLives: a lobby changes how it stands along the table alone, whatever is asked of it; every state leads to being
// lost, and nothing leads away from there; who may still go on is told to come back.
func TestLives(t *testing.T) {
	for from := range lives {
		if lives[from].name == "" || life(from) != lifeHere && lives[from].last == nil {
			t.Errorf("state %d has no row", from)
		}
		if life(from).going() != lives[from].bye.Again && life(from) != lifeMoving {
			t.Errorf("%s tells connections to come back: %v", life(from), lives[from].bye.Again)
		}
		lost := false
		for to := range lives {
			l := &Lobby{room: &room{}}
			l.life.Store(uint32(from))
			allowed := false
			for _, n := range lives[from].next {
				allowed = allowed || n == life(to)
			}
			lost = lost || allowed && life(to) == lifeLost
			if l.becomes(life(to)) != allowed || (l.state() == life(to)) != (allowed || from == to) {
				t.Errorf("%s to %s: it is %s", life(from), life(to), l.state())
			}
		}
		if lost == (life(from) == lifeLost) {
			t.Errorf("%s leads to being lost: %v", life(from), lost)
		}
	}
	if !lives[lifeLeaving].waits || !lives[lifeMoving].waits || lives[lifeHurried].waits || lives[lifeLost].saves {
		t.Error("what waits and what is saved has changed")
	}
}
