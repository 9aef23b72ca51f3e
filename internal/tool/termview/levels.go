package termview

import (
	"fmt"
	"slices"
	"strings"

	"turnvex.example/turnvex/client"
)

// maxLevels is how many levels of a tall ground have a digit of their own.
const maxLevels = 9

// levels are the heights of a tall ground above 0 at which one can stand, from below.
func levels(g *client.Ground) (list []int64) {
	for i := range g.Walls {
		if w := &g.Walls[i]; w.Rises == "" && w.High < g.Tall {
			list = append(list, w.High)
		}
	}
	slices.Sort(list)
	list = slices.Compact(list)
	return list[:min(len(list), maxLevels)]
}

// named says how high the levels are that the drawn ground has; "" on flat ground.
func named(levels []int64) string {
	if len(levels) == 0 {
		return ""
	}
	var parts []string
	for i, high := range levels {
		parts = append(parts, fmt.Sprintf("%d %s m", i+1, client.FormatThousandths(high)))
	}
	return "\n" + faint.Render(strings.Join(parts, "  ")+"  / ramp")
}

// onLevel is the sign of the highest place to stand at over a point: the digit of a level, a slash for a ramp, nothing
// for the floor at 0, ~ where there is none, and the sign of a wall that goes up to the top.
func onLevel(g *client.Ground, c *client.Copy, levels []int64, x, y int64) rune {
	best, sign := int64(0), ' '
	if g.Open {
		best, sign = -1, '~'
	}
	for i := range g.Walls {
		w := &g.Walls[i]
		top, is := topOf(w, x, y)
		if !is || top <= best || w.While != "" && !c.Match().Flag(w.While) {
			continue
		}
		n, own := slices.BinarySearch(levels, w.High)
		switch best = top; {
		case w.Rises != "":
			sign = '/'
		case own:
			sign = rune('1' + n)
		default:
			sign = '▒'
		}
	}
	return sign
}

// topOf is how high a wall is at a point, if that is on it.
func topOf(w *client.Wall, x, y int64) (top int64, is bool) {
	if w.Circle != nil {
		dx, dy := x-w.Circle[0], y-w.Circle[1]
		return w.High, dx*dx+dy*dy <= w.Circle[2]*w.Circle[2]
	}
	b, rise := *w.Box, w.High-w.Low
	if x < b[0] || x > b[2] || y < b[1] || y > b[3] {
		return 0, false
	}
	switch w.Rises {
	case "east":
		return w.Low + rise*(x-b[0])/(b[2]-b[0]), true
	case "west":
		return w.Low + rise*(b[2]-x)/(b[2]-b[0]), true
	case "south":
		return w.Low + rise*(y-b[1])/(b[3]-b[1]), true
	case "north":
		return w.Low + rise*(b[3]-y)/(b[3]-b[1]), true
	}
	return w.High, true
}
