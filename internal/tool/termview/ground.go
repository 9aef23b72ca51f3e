package termview

import (
	"strings"

	"charm.land/lipgloss/v2"

	"turnvex.example/turnvex/client"
)

// cell is one character of the drawn ground.
type cell struct {
	r     rune
	style lipgloss.Style
}

// ground draws the playing area in at most w by h characters; "" when there is none, no match, or no room.
func (m *model) ground(c *client.Copy, w, h int) string {
	g := c.Ground()
	if g == nil || c.Match() == nil || h < 6 {
		return ""
	}
	floors := levels(g)
	rows := h - 2 - min(len(floors), 1)
	cols := int(int64(rows) * 2 * g.Width / g.Height) // a character is twice as high as wide
	if cols > w-2 {
		cols = w - 2
		rows = max(int(int64(cols)*g.Height/g.Width/2), 4)
	}
	cells := make([][]cell, rows)
	for y := range cells {
		cells[y] = make([]cell, cols)
		for x := range cells[y] {
			cells[y][x] = cell{' ', faint}
			mx, my := (int64(x)*2+1)*g.Width/int64(2*cols), (int64(y)*2+1)*g.Height/int64(2*rows)
			if g.Tall > 0 {
				cells[y][x].r = onLevel(g, c, floors, mx, my)
			} else if walled(g, c, mx, my) {
				cells[y][x].r = '▒'
			}
		}
	}
	put := func(s *client.Sheet, r rune, style lipgloss.Style) {
		v, ok := s.Get("pos")
		x, y := int(v.N[0]*int64(cols)/g.Width), int(v.N[1]*int64(rows)/g.Height)
		if ok {
			cells[min(max(y, 0), rows-1)][min(max(x, 0), cols-1)] = cell{r, style}
		}
	}
	for _, p := range c.Of(client.KindPiece) {
		put(p, '*', notice)
	}
	for _, z := range c.Of(client.KindZone) {
		m.zone(c, z, cells)
	}
	side := func(p *client.Sheet, style lipgloss.Style) lipgloss.Style {
		for i, t := range c.Teams() {
			if int64(t.ID) == p.Int("team") {
				return tints[i%len(tints)]
			}
		}
		return style
	}
	for _, p := range c.Of(client.KindCreature) {
		if p.Flag("alive") {
			put(p, []rune(p.Text("kind"))[0], side(p, bad)) // people are written with a capital
		}
	}
	for _, p := range c.Players() {
		if !p.Flag("alive") {
			continue
		}
		style := side(p, bold).Bold(true)
		put(p, []rune(p.Text("name") + "?")[0], style)
	}
	return frame(cells) + named(floors)
}

// zone dots the room of a zone, in the colour of its holder.
func (m *model) zone(c *client.Copy, z *client.Sheet, cells [][]cell) {
	g := c.Ground()
	at, _ := z.Get("pos")
	size, _ := z.Get("size")
	style := faint
	for i, t := range c.Teams() {
		if int64(t.ID) == z.Int("holder") {
			style = tints[i%len(tints)]
		}
	}
	rows, cols := len(cells), len(cells[0])
	for y := range cells {
		for x := range cells[y] {
			dx := (int64(x)*2+1)*g.Width/int64(2*cols) - at.N[0]
			dy := (int64(y)*2+1)*g.Height/int64(2*rows) - at.N[1]
			in := size.N[1] == 0 && dx*dx+dy*dy <= size.N[0]*size.N[0] ||
				size.N[1] > 0 && max(dx, -dx) <= size.N[0] && max(dy, -dy) <= size.N[1]
			if in && cells[y][x].r == ' ' {
				cells[y][x] = cell{'·', style}
			}
		}
	}
}

func walled(g *client.Ground, c *client.Copy, x, y int64) bool {
	for _, b := range g.Boxes {
		if x >= b[0] && x <= b[2] && y >= b[1] && y <= b[3] {
			return true
		}
	}
	for _, r := range g.Circles {
		if (x-r[0])*(x-r[0])+(y-r[1])*(y-r[1]) <= r[2]*r[2] {
			return true
		}
	}
	for _, gate := range g.Gates {
		if !c.Match().Flag(gate.While) {
			continue
		}
		one := client.Ground{}
		if gate.Box != nil {
			one.Boxes = [][4]int64{*gate.Box}
		} else {
			one.Circles = [][3]int64{*gate.Circle}
		}
		if walled(&one, c, x, y) {
			return true
		}
	}
	return false
}

func frame(cells [][]cell) string {
	var b strings.Builder
	edge := strings.Repeat("─", len(cells[0]))
	b.WriteString(faint.Render("┌"+edge+"┐") + "\n")
	for _, row := range cells {
		b.WriteString(faint.Render("│"))
		for _, c := range row {
			if c.r == ' ' {
				b.WriteByte(' ')
			} else {
				b.WriteString(c.style.Render(string(c.r)))
			}
		}
		b.WriteString(faint.Render("│") + "\n")
	}
	b.WriteString(faint.Render("└" + edge + "┘"))
	return b.String()
}
