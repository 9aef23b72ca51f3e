package termview

import (
	"encoding/json"
	"strings"

	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"

	"turnvex.example/turnvex/client"
)

// prompt asks for the values that an action takes, one after the other, before it is sent.
type prompt struct {
	action client.Action
	in     client.Intent
	typed  string
}

// asked is the value that is typed now.
func (p *prompt) asked() *client.Field { return p.action.Takes[len(p.in.Args)] }

// draw shows the end of what was typed, as far as there is room.
func (p *prompt) draw(width int) string {
	f := p.asked()
	words := ""
	if len(f.Choices) > 0 {
		words = " (" + strings.Join(f.Choices, ", ") + ")"
	}
	head, tail := p.action.Title+"   "+label(f)+words+": ", "▏   enter send   esc cancel"
	typed := []rune(p.typed)
	for len(typed) > 0 && lipgloss.Width(head+string(typed)+tail) > width {
		typed = typed[1:]
	}
	return clip(head+string(typed)+tail, width)
}

// typing takes a key while a value is asked for.
func (m *model) typing(k tea.KeyPressMsg) tea.Cmd {
	p := m.prompt
	switch k.String() {
	case "ctrl+c":
		return tea.Quit
	case "esc":
		m.prompt = nil
	case "backspace":
		if r := []rune(p.typed); len(r) > 0 {
			p.typed = string(r[:len(r)-1])
		}
	case "enter":
		m.o.Conn.Read(func(c *client.Copy) { p.in.Args[p.asked().Name] = valueOf(c, p.asked(), p.typed) })
		if p.typed = ""; len(p.in.Args) == len(p.action.Takes) {
			m.prompt = nil
			return m.send(p.in, p.action.Title)
		}
	default:
		p.typed += k.Text
	}
	return nil
}

// valueOf reads what was typed: a text as it is, a player or team by name, and anything else as JSON or a word.
func valueOf(c *client.Copy, f *client.Field, typed string) any {
	switch f.Type {
	case client.TypeText:
		return typed
	case client.TypeRef:
		for _, s := range append(c.Players(), c.Teams()...) {
			if s.Text("name") == strings.TrimSpace(typed) {
				return s.ID
			}
		}
	}
	var v any
	if json.Unmarshal([]byte(typed), &v) != nil {
		return strings.TrimSpace(typed)
	}
	return v
}
