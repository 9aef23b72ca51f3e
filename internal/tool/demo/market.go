package demo

import "turnvex.example/turnvex/client"

// stairs are the ramps of the night market, each with where it is walked on, its foot and where it leads.
var stairs = []struct {
	below      int64    // for whom is not as high
	box        [4]int64 // left, top, right, bottom: within it one is on the ramp
	foot, head [2]int64
}{
	{2_800, [4]int64{4_500, 10_500, 14_500, 13_500}, [2]int64{4_000, 12_000}, [2]int64{16_000, 12_000}},
	{5_800, [4]int64{24_500, 3_200, 27_500, 8_500}, [2]int64{26_000, 3_500}, [2]int64{26_000, 9_500}},
}

// stall is where a visitor of the market is wanted: at the nearest lantern, by the ramps where that hangs higher.
func stall(c *client.Copy, me *client.Sheet) [2]int64 {
	l, _ := nearest(c, me, func(p *client.Sheet) bool { return p.Kind == client.KindPiece })
	if l == nil {
		return [2]int64{24_000, 18_000}
	}
	mine, high := at(me), height(me)
	if height(l) < high+1_000 {
		return at(l)
	}
	for _, s := range stairs {
		switch {
		case high >= s.below:
			continue
		case mine[0] > s.box[0] && mine[0] < s.box[2] && mine[1] > s.box[1] && mine[1] < s.box[3]:
			return s.head
		case mine[0] > s.box[2] && high < 1_000: // under the decks: out to the north first
			return [2]int64{min(mine[0]-3_000, 16_000), 1_500}
		}
		return s.foot
	}
	return at(l)
}

func height(s *client.Sheet) int64 {
	_, _, z := s.Pos("pos")
	return z
}
