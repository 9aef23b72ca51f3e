package termview

import (
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/plain"
)

var (
	bold   = lipgloss.NewStyle().Bold(true)
	faint  = lipgloss.NewStyle().Faint(true)
	bad    = lipgloss.NewStyle().Foreground(lipgloss.Red)
	good   = lipgloss.NewStyle().Foreground(lipgloss.Green)
	notice = lipgloss.NewStyle().Foreground(lipgloss.Yellow)
	tints  = []lipgloss.Style{lipgloss.NewStyle().Foreground(lipgloss.Yellow),
		lipgloss.NewStyle().Foreground(lipgloss.Cyan), lipgloss.NewStyle().Foreground(lipgloss.Magenta),
		lipgloss.NewStyle().Foreground(lipgloss.Blue)}
)

// View draws everything.
func (m *model) View() tea.View {
	var text string
	m.o.Conn.Read(func(c *client.Copy) { text = m.draw(c) })
	v := tea.NewView(plain.Styled(text))
	v.AltScreen = true
	return v
}

func (m *model) draw(c *client.Copy) string {
	var b strings.Builder
	head := m.heading(c)
	roster := m.roster(c)
	foot := m.footer(c)
	b.WriteString(head + "\n" + roster + "\n")
	room := m.height - lipgloss.Height(head) - lipgloss.Height(roster) - lipgloss.Height(foot) - 1
	lines := min(6, max(room/3, 3))
	if g := m.ground(c, m.width, room-lines-1); g != "" {
		b.WriteString(g + "\n")
	}
	for _, l := range m.log[max(len(m.log)-lines, 0):] {
		b.WriteString(notice.Render(clip(l, m.width)) + "\n")
	}
	used := lipgloss.Height(b.String())
	for ; used < m.height-lipgloss.Height(foot)+1; used++ {
		b.WriteByte('\n')
	}
	b.WriteString(foot)
	return b.String()
}

func clip(s string, width int) string {
	if lipgloss.Width(s) <= width {
		return s
	}
	r := []rune(s)
	return string(r[:max(min(len(r), width-1), 0)]) + "…"
}

// heading says which lobby it is and where the match stands.
func (m *model) heading(c *client.Copy) string {
	lob, mat := c.Lobby(), c.Match()
	line := bold.Render(lob.Text("title")) + faint.Render(
		fmt.Sprintf("  %s  %s, %d of %d seats", lob.Text("code"), c.Book.Title, lob.Int("seats"), lob.Int("capacity")))
	state := ""
	switch {
	case mat == nil && lob.Text("state") == "starting":
		state = good.Render("starting in " + client.FormatClock(c.Clock(lob, "countdown")))
	case mat == nil:
		state = "gathering: " + faint.Render("the match starts when all are ready")
		if a := c.Arena(); a != nil {
			state += faint.Render(", in ") + a.Title
		}
	case mat.Flag("over"):
		state = bold.Render("over: "+mat.Text("because")) + "  " + m.outcome(c)
	default:
		state = bold.Render(phaseTitle(c, mat.Text("phase"))) + "  " + client.FormatClock(c.Clock(mat, "clock"))
		if n := mat.Int("round"); n > 0 {
			state += fmt.Sprintf("  round %d", n)
		}
		if a := c.Arena(); a != nil {
			state += faint.Render("  in ") + a.Title
		}
		switch mat.Text("paused") {
		case "yes":
			state += bad.Render("  paused") + faint.Render(" "+mat.Text("pause_why"))
		case "resuming":
			state += bad.Render("  goes on in " + client.FormatClock(c.Clock(mat, "resume")))
		}
	}
	var teams []string
	for i, t := range c.Teams() {
		s := tints[i%len(tints)].Render(t.Text("title")) + m.score(c, t)
		teams = append(teams, s)
	}
	if len(teams) > 0 {
		state += "   " + strings.Join(teams, "   ")
	}
	if s := m.standing(c); s != "" {
		state += "\n" + s
	}
	return line + "\n" + state
}

func phaseTitle(c *client.Copy, name string) string {
	for _, p := range c.Book.Phases {
		if p.Name == name {
			return p.Title
		}
	}
	return name
}

// score writes a team's own numbers.
func (m *model) score(c *client.Copy, t *client.Sheet) string {
	var parts []string
	for _, f := range t.Fields() {
		if drawn(f) {
			v, _ := t.Get(f.Name)
			parts = append(parts, faint.Render(label(f))+" "+v.Show(f, c.Rate, 0))
		}
	}
	if n := t.Int("rounds"); n > 0 {
		parts = append(parts, fmt.Sprintf("%s %d", faint.Render("rounds won"), n))
	}
	if len(parts) == 0 {
		return ""
	}
	return " " + strings.Join(parts, ", ")
}

func label(f *client.Field) string {
	if f.Title != "" {
		return f.Title
	}
	return strings.ReplaceAll(f.Name, "_", " ")
}

func (m *model) outcome(c *client.Copy) string {
	switch o := c.Me().Text("outcome"); o {
	case "won":
		return good.Render("you have won")
	case "lost":
		return bad.Render("you have lost")
	case "drawn":
		return "a draw"
	}
	return ""
}

// roster draws a line for each player: name, state, bars and numbers, in columns.
func (m *model) roster(c *client.Copy) string {
	players := c.Players()
	wide := 8
	for _, p := range players {
		wide = max(wide, lipgloss.Width(p.Text("name")))
	}
	lines := make([]string, len(players))
	for i, p := range players {
		lines[i] = m.player(c, p, wide)
	}
	for _, f := range c.Fields(client.KindPlayer) {
		if drawn(f) {
			m.column(c, f, players, lines)
		}
	}
	for i, p := range players {
		lines[i] = clipStyled(lines[i]+faint.Render(fmt.Sprintf("  %d ms", p.Int("ping"))), m.width)
	}
	return strings.Join(lines, "\n")
}

// column adds a field to the lines of those of whom it is seen.
func (m *model) column(c *client.Copy, f *client.Field, players []*client.Sheet, lines []string) {
	cells, wide := make([]string, len(players)), 0
	for i, p := range players {
		if _, seen := p.Get(f.Name); seen {
			cells[i] = "  " + field(c, p, f)
			wide = max(wide, lipgloss.Width(cells[i]))
		}
	}
	for i := range lines {
		lines[i] += cells[i] + strings.Repeat(" ", wide-lipgloss.Width(cells[i]))
	}
}

func clipStyled(s string, width int) string { return lipgloss.NewStyle().MaxWidth(width).Render(s) }

func (m *model) player(c *client.Copy, p *client.Sheet, wide int) string {
	mark := " "
	switch {
	case p.ID == m.target:
		mark = ">"
	case c.Me() != nil && p.ID == c.Me().ID:
		mark = "•"
	}
	name := p.Text("name") + strings.Repeat(" ", wide-lipgloss.Width(p.Text("name")))
	style := lipgloss.NewStyle()
	for i, t := range c.Teams() {
		if int64(t.ID) == p.Int("team") {
			style = tints[i%len(tints)]
		}
	}
	state := ""
	switch {
	case p.Flag("away"):
		state = "away"
	case c.Match() != nil && !p.Flag("playing"):
		state = "waits"
	case c.Match() != nil && !p.Flag("alive") && !c.Match().Flag("over"):
		state = "out " + client.FormatClock(c.Clock(p, "respawn"))[3:8]
	case c.Match() == nil && p.Flag("ready"):
		state = "ready"
	case c.Match() == nil:
		state = "not ready"
	case c.Match().Flag("over"):
		state = p.Text("outcome")
	}
	out := mark + " " + style.Render(name) + " " + fmt.Sprintf("%-9s", state)
	switch {
	case p.Flag("stand_in"):
		out += faint.Render(" auto")
	case p.ID == uint32(c.Lobby().Int("host")):
		out += faint.Render(" host")
	default:
		out += "     "
	}
	if pos, seen := p.Get("pos"); seen && pos.Type == client.TypePosition3 && c.Match() != nil {
		out += fmt.Sprintf(" at %-5s", fmt.Sprintf("%.1f m", float64(pos.N[2])/1000))
	}
	return out
}

// field draws a bounded number as a bar, anything else as its value.
func field(c *client.Copy, p *client.Sheet, f *client.Field) string {
	v, _ := p.Get(f.Name)
	if f.Type == client.TypeClock {
		return faint.Render(label(f)) + " " + client.FormatClock(c.Clock(p, f.Name))
	}
	if f.Show == "time" {
		return faint.Render(label(f)) + " " + client.FormatClock(v.N[0]/unit(f))
	}
	most := f.Max
	if f.MaxBy != "" {
		most = p.Int(f.MaxBy)
	}
	if isBar(f, most) {
		const cells = 8
		full := int(min((v.N[0]-f.Min)*cells/(most-f.Min), cells))
		style := good
		if 4*full < cells {
			style = bad
		}
		return faint.Render(label(f)) + " " + style.Render(strings.Repeat("█", full)) + faint.Render(
			strings.Repeat("░", cells-full)) + fmt.Sprintf(" %-4s", v.Show(f, c.Rate, 0))
	}
	return faint.Render(label(f)) + " " + fmt.Sprintf("%-3s", v.Show(f, c.Rate, 0))
}

// isBar tells whether a field is a share of a greatest value, and not a count.
func isBar(f *client.Field, most int64) bool {
	return f.Bounded && most > f.Min && (f.Show == "bar" || f.Show == "any" && most <= 200*unit(f))
}

// unit is what one stands for in a number's value.
func unit(f *client.Field) int64 {
	if f.Type == client.TypeNumber {
		return 1000
	}
	return 1
}

// drawn tells whether a field has a column: a declared one that is no text and not put aside.
func drawn(f *client.Field) bool {
	return f.Declared && f.Type != client.TypeText && f.Show != "aside"
}

func (m *model) footer(c *client.Copy) string {
	if !m.o.Play {
		return faint.Render("watching   q quit")
	}
	if m.prompt != nil {
		return m.prompt.draw(m.width)
	}
	keys := []string{"enter ready", "ctrl+p pause"}
	if c.Book.Moves {
		keys = append(keys, "arrows steer, space stop")
		if c.Parts() > 2 {
			keys = append(keys, "page up rises or jumps")
		}
	}
	keys = append(keys, "tab target")
	me := c.Me()
	for i, a := range c.Book.Actions {
		k := keyOf(a, i) + " " + a.Title
		if left := c.Clock(me, "cool_"+a.Name); left > 0 {
			k += " (" + client.FormatClock(left)[3:7] + ")"
		}
		keys = append(keys, k)
	}
	return faint.Render(clip(strings.Join(append(keys, "q leave"), "   "), m.width))
}
