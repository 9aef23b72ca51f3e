package demo

import (
	"context"
	"crypto/rand"
	mrand "math/rand/v2"
	"slices"
	"time"

	"turnvex.example/turnvex/client"
)

func newKey() string { return rand.Text() }

// skiff is a demo player: it looks at its copy a few times a second and decides.
type skiff struct {
	conn   *client.Conn
	steer  [2]int64
	aside  int   // how many looks it still sails around something
	drift  int64 // the side it passes on
	lastAt [2]int64
}

// sail plays until the context or the connection ends.
func sail(ctx context.Context, conn *client.Conn) error {
	s := &skiff{conn: conn, drift: 1}
	look := time.NewTicker(200 * time.Millisecond)
	defer look.Stop()
	for {
		select {
		case <-look.C:
			for _, in := range s.decide() {
				conn.Send(in)
			}
		case <-conn.Done():
			return conn.Err()
		case <-ctx.Done():
			return nil
		}
	}
}

// decide returns what to ask for now.
func (s *skiff) decide() (out []client.Intent) {
	s.conn.Read(func(c *client.Copy) {
		me, m := c.Me(), c.Match()
		switch {
		case me == nil:
		case m == nil:
			if !me.Flag("ready") {
				out = append(out, client.Intent{Do: "ready"})
			}
		case m.Flag("over"):
			s.steer = [2]int64{}
			out = vote(c, me)
		case !me.Flag("alive") || m.Text("paused") != "no" || frozen(c):
			s.steer = [2]int64{}
		default:
			out = append(s.actions(c, me), s.course(c, me)...)
		}
	})
	return out
}

func frozen(c *client.Copy) bool {
	for _, p := range c.Book.Phases {
		if p.Name == c.Match().Text("phase") {
			return p.Frozen
		}
	}
	return false
}

// actions uses what the rulebook gives: ram and patch in the clash, throw with the bell, and what drives creatures off
// at the pier.
func (s *skiff) actions(c *client.Copy, me *client.Sheet) (out []client.Intent) {
	rival, away := nearest(c, me, func(p *client.Sheet) bool { return p.Kind == client.KindPlayer && isRival(me, p) })
	switch c.Book.Name {
	case "clash":
		if me.Int("hull") < 60 && me.Int("wind") >= 15_000 && c.Clock(me, "cool_patch") == 0 {
			return []client.Intent{{Do: "act", Name: "patch"}}
		}
		rival, away = nearest(c, me, func(p *client.Sheet) bool {
			return p.Kind == client.KindPlayer && isRival(me, p) && clear(c.Ground(), at(me), at(p), 0)
		})
		if rival != nil && away <= 11_000*11_000 && me.Int("wind") >= 10_000 && c.Clock(me, "cool_ram") == 0 {
			out = append(out, client.Intent{Do: "act", Name: "ram", Target: uint32(rival.ID)})
			if mrand.IntN(6) == 0 && c.Clock(me, "cool_hail") == 0 {
				out = append(out, client.Intent{Do: "act", Name: "hail"})
			}
		}
	case "bell":
		if c.Match().Int("bell") == int64(me.ID) && rival != nil && away <= 13_000*13_000 &&
			c.Clock(me, "cool_throw") == 0 && clear(c.Ground(), at(me), at(rival), 700) {
			x, y := pos(me)
			rx, ry := pos(rival)
			out = append(out, client.Intent{Do: "act", Name: "throw", At: []int64{rx - x, ry - y}})
		}
	case "quays":
		out = ramNear(c, me)
	case "market":
		if rival != nil && away <= 2_000*2_000 && c.Clock(me, "cool_shove") == 0 && mrand.IntN(3) == 0 {
			x, y := pos(me)
			rx, ry := pos(rival)
			out = append(out, client.Intent{Do: "act", Name: "shove", At: []int64{rx - x, ry - y, 0}})
		}
	case "pier":
		foe, away := nearest(c, me, isFoe)
		if foe != nil && away <= 3_000*3_000 && c.Clock(me, "cool_ram") == 0 {
			out = append(out, client.Intent{Do: "act", Name: "ram"})
		}
		foe, away = nearest(c, me, func(s *client.Sheet) bool {
			return isFoe(s) && clear(c.Ground(), at(me), at(s), 0)
		})
		if foe != nil && away <= 15_000*15_000 && c.Clock(me, "cool_throw") == 0 {
			out = append(out, client.Intent{Do: "act", Name: "throw", Target: uint32(foe.ID)})
		}
	}
	return out
}

func isFoe(s *client.Sheet) bool { return s.Kind == client.KindCreature && s.Flag("alive") }

func isRival(me, p *client.Sheet) bool {
	return p.ID != me.ID && (p.Int("team") != me.Int("team") || p.Int("team") == 0) && p.Flag("alive") &&
		p.Flag("playing")
}

func pos(s *client.Sheet) (x, y int64) {
	x, y, _ = s.Pos("pos")
	return x, y
}

// nearest returns the nearest sheet with a position that is wanted, and the square of how far it is.
func nearest(c *client.Copy, me *client.Sheet, want func(*client.Sheet) bool) (*client.Sheet, int64) {
	var best *client.Sheet
	least := int64(1) << 60
	x, y := pos(me)
	for _, s := range slices.Concat(c.Players(), c.Of(client.KindPiece), c.Of(client.KindCreature)) {
		if !want(s) {
			continue
		}
		sx, sy := pos(s)
		if d := (sx-x)*(sx-x) + (sy-y)*(sy-y); d < least {
			best, least = s, d
		}
	}
	return best, least
}

// course steers for what the skiff wants, around what stands in the way.
func (s *skiff) course(c *client.Copy, me *client.Sheet) []client.Intent {
	x, y := pos(me)
	goal := around(c.Ground(), [2]int64{x, y}, s.goal(c, me))
	to := [2]int64{goal[0] - x, goal[1] - y}
	if s.aside > 0 {
		s.aside--
		to = [2]int64{-to[1] * s.drift, to[0] * s.drift}
	} else if s.steer != ([2]int64{}) && s.lastAt == [2]int64{x, y} { // stuck: pass it on one side
		s.aside, s.drift = 4+mrand.IntN(6), int64(mrand.IntN(2)*2-1)
	}
	s.lastAt = [2]int64{x, y}
	d := max(abs(to[0]), abs(to[1]), 1)
	want := [2]int64{to[0] * 1000 / d, to[1] * 1000 / d}
	if abs(want[0]-s.steer[0])+abs(want[1]-s.steer[1]) < 120 {
		return nil
	}
	s.steer = want
	return []client.Intent{{Do: "steer", At: []int64{want[0], want[1], 0}[:c.Parts()]}}
}

func abs(n int64) int64 {
	if n < 0 {
		return -n
	}
	return n
}

// goal is where the skiff wants to be: at the next lantern or buoy, near rivals with the bell and away from the bearer
// without it.
func (s *skiff) goal(c *client.Copy, me *client.Sheet) [2]int64 {
	x, y := pos(me)
	g := c.Ground()
	switch c.Book.Name {
	case "course":
		buoys := []string{"north", "middle", "east", "goal"}
		if n := me.Int("next"); n >= 1 && n <= 4 {
			next := func(p *client.Sheet) bool { return p.Kind == client.KindPiece && p.Text("kind") == buoys[n-1] }
			if b, _ := nearest(c, me, next); b != nil {
				return at(b)
			}
		}
	case "bell":
		bearer := c.Match().Int("bell")
		other, away := nearest(c, me,
			func(p *client.Sheet) bool { return p.Kind == client.KindPlayer && isRival(me, p) })
		if bearer == int64(me.ID) && other != nil {
			return at(other)
		}
		if other != nil && int64(other.ID) == bearer && away < 14_000*14_000 {
			return awayFrom(g, at(me), at(other))
		}
	case "quays":
		return quay(c, me)
	case "market":
		return stall(c, me)
	case "pier": // away from what bites, towards what is still far
		if foe, away := nearest(c, me, isFoe); foe != nil {
			to := at(foe)
			if away < 6_000*6_000 {
				return awayFrom(g, at(me), to)
			}
			return to
		}
	default:
		rival, away := nearest(c, me,
			func(p *client.Sheet) bool { return p.Kind == client.KindPlayer && isRival(me, p) })
		if rival != nil && me.Int("hull") < 40 && away < 14_000*14_000 { // hurt: away from who is near
			return awayFrom(g, at(me), at(rival))
		}
		if rival != nil && me.Int("wind") >= 25_000 && me.Int("hull") >= 40 && away < 30_000*30_000 &&
			away > 8_000*8_000 {
			return at(rival)
		}
		lantern := func(p *client.Sheet) bool { return p.Kind == client.KindPiece && !friendNearer(c, me, p) }
		if l, _ := nearest(c, me, lantern); l != nil {
			return at(l)
		}
	}
	if s.aside == 0 && mrand.IntN(8) == 0 {
		return [2]int64{mrand.Int64N(g.Width), mrand.Int64N(g.Height)}
	}
	return [2]int64{x + s.steer[0]*5, y + s.steer[1]*5}
}

// friendNearer tells whether another skiff of the crew is nearer to a lantern.
func friendNearer(c *client.Copy, me, piece *client.Sheet) bool {
	x, y := pos(piece)
	away := func(p *client.Sheet) int64 { px, py := pos(p); return (px-x)*(px-x) + (py-y)*(py-y) }
	for _, p := range c.Players() {
		if p.ID != me.ID && p.Int("team") == me.Int("team") && p.Flag("alive") && away(p) < away(me) {
			return true
		}
	}
	return false
}

func at(s *client.Sheet) [2]int64 {
	x, y := pos(s)
	return [2]int64{x, y}
}
