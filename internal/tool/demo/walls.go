package demo

import (
	"math"

	"turnvex.example/turnvex/client"
)

// A skiff keeps so far from walls, and goes round a corner at so much more, in millimetres.
const (
	berth  = 900
	corner = 1500
)

// clear tells whether no wall stands between two places, each as much wider as is said.
func clear(g *client.Ground, from, to [2]int64, wider int64) bool {
	if g == nil {
		return true
	}
	for _, b := range g.Boxes {
		if crosses(from, to, [4]int64{b[0] - wider, b[1] - wider, b[2] + wider, b[3] + wider}) {
			return false
		}
	}
	for _, o := range g.Circles {
		if passes(from, to, [2]int64{o[0], o[1]}) < float64(o[2]+wider) {
			return false
		}
	}
	return true
}

// crosses tells whether a line meets a box (left, top, right, bottom), by the part of it that lies between the sides.
func crosses(from, to [2]int64, box [4]int64) bool {
	first, last := 0.0, 1.0
	for i := range 2 {
		way := float64(to[i] - from[i])
		low, high := float64(box[i]-from[i]), float64(box[i+2]-from[i])
		if way == 0 {
			if low > 0 || high < 0 {
				return false
			}
			continue
		}
		a, b := low/way, high/way
		first, last = max(first, min(a, b)), min(last, max(a, b))
	}
	return first <= last
}

// passes is how near a line comes to a place.
func passes(from, to, by [2]int64) float64 {
	dx, dy := float64(to[0]-from[0]), float64(to[1]-from[1])
	px, py := float64(by[0]-from[0]), float64(by[1]-from[1])
	part := 0.0
	if long := dx*dx + dy*dy; long > 0 {
		part = min(max((px*dx+py*dy)/long, 0), 1)
	}
	return math.Hypot(px-part*dx, py-part*dy)
}

// around is where to sail first, so as to come to a place behind walls: past the corner that makes the way the
// shortest.
func around(g *client.Ground, from, to [2]int64) [2]int64 {
	if g == nil || clear(g, from, to, berth) {
		return to
	}
	var past [][2]int64
	for _, b := range g.Boxes {
		past = append(past, [2]int64{b[0] - corner, b[1] - corner}, [2]int64{b[2] + corner, b[1] - corner},
			[2]int64{b[0] - corner, b[3] + corner}, [2]int64{b[2] + corner, b[3] + corner})
	}
	for _, o := range g.Circles {
		r := o[2] + corner
		past = append(past, [2]int64{o[0] - r, o[1] - r}, [2]int64{o[0] + r, o[1] - r}, [2]int64{o[0] - r, o[1] + r},
			[2]int64{o[0] + r, o[1] + r})
	}
	best, least := to, math.MaxFloat64
	for _, p := range past {
		if p[0] < berth || p[1] < berth || p[0] > g.Width-berth || p[1] > g.Height-berth ||
			!clear(g, from, p, berth/2) {
			continue
		}
		long := math.Hypot(float64(p[0]-from[0]), float64(p[1]-from[1])) +
			math.Hypot(float64(to[0]-p[0]), float64(to[1]-p[1]))
		if !clear(g, p, to, berth/2) {
			long *= 2
		}
		if long < least && long > corner/2 {
			best, least = p, long
		}
	}
	return best
}
