package demo

import (
	mrand "math/rand/v2"

	"turnvex.example/turnvex/client"
)

// quay is where a skiff is wanted: at the zone that its crew does not hold and that is nearest, with fewer friends on
// the way, or at the one that rivals are in; hurt, it keeps to the open water.
func quay(c *client.Copy, me *client.Sheet) [2]int64 {
	mine := at(me)
	best, least := mine, int64(1)<<60
	for _, z := range c.Of(client.KindZone) {
		if z.Text("kind") == "eye" {
			continue
		}
		to := at(z)
		far := abs(to[0]-mine[0]) + abs(to[1]-mine[1])
		for _, p := range c.Players() {
			if p.ID != me.ID && p.Int("team") == me.Int("team") && near(at(p), to, 9_000) && p.Flag("alive") {
				far += 15_000
			}
		}
		if z.Int("holder") == me.Int("team") {
			far += 30_000
		}
		if far < least {
			best, least = to, far
		}
	}
	if me.Int("hull") < 20 {
		rival, away := nearest(c, me, func(p *client.Sheet) bool {
			return p.Kind == client.KindPlayer && isRival(me, p)
		})
		if rival != nil && away < 9_000*9_000 {
			return awayFrom(c.Ground(), mine, at(rival))
		}
	}
	if near(mine, best, 2_000) { // turn about in it
		return [2]int64{best[0] + mrand.Int64N(3000) - 1500, best[1] + mrand.Int64N(3000) - 1500}
	}
	return best
}

// awayFrom is as far on the other side, within the ground.
func awayFrom(g *client.Ground, mine, from [2]int64) [2]int64 {
	return [2]int64{min(max(2*mine[0]-from[0], 2000), g.Width-2000), min(max(2*mine[1]-from[1], 2000), g.Height-2000)}
}

// near tells whether two places are at most so far from each other.
func near(a, b [2]int64, most int64) bool {
	dx, dy := a[0]-b[0], a[1]-b[1]
	return dx*dx+dy*dy <= most*most
}

// ramNear rams the nearest rival or creature in reach.
func ramNear(c *client.Copy, me *client.Sheet) []client.Intent {
	foe, away := nearest(c, me, func(s *client.Sheet) bool {
		return (isFoe(s) || s.Kind == client.KindPlayer && isRival(me, s)) && clear(c.Ground(), at(me), at(s), 0)
	})
	if foe == nil || away > 5_500*5_500 || c.Clock(me, "cool_ram") > 0 {
		return nil
	}
	return []client.Intent{{Do: "act", Name: "ram", Target: foe.ID}}
}

// vote opens a vote on the next arena while the result is shown, or votes in the one that is open.
func vote(c *client.Copy, me *client.Sheet) []client.Intent {
	if len(c.Book.Votes) == 0 || len(c.Book.Arenas) == 0 || mrand.IntN(6) > 0 {
		return nil
	}
	open := c.Lobby().Text("vote")
	name := c.Book.Votes[0].Name
	if open == name && me.Flag("voted") || open == "" && c.Clock(c.Match(), "until") < 8000 {
		return nil
	}
	return []client.Intent{{Do: "vote", Name: name, Text: c.Book.Arenas[mrand.IntN(len(c.Book.Arenas))].Name}}
}
