package termview

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"

	tea "charm.land/bubbletea/v2"

	"turnvex.example/turnvex/client"
)

// standing says whose turn it is, what is voted on, and what creature is aimed at; "" where there is nothing of that.
func (m *model) standing(c *client.Copy) string {
	var parts []string
	if mat := c.Match(); mat != nil {
		if id := uint32(mat.Int("turn")); id != 0 {
			s := c.Sheet(id)
			line := "turn of " + bold.Render(cmp.Or(s.Text("title"), s.Text("name")))
			if left := c.Clock(mat, "turn_left"); left > 0 {
				line += " " + client.FormatClock(left)
			}
			parts = append(parts, line)
		}
	}
	if s := c.Sheet(m.target); s != nil && s.Kind == client.KindCreature {
		parts = append(parts, "aiming at "+bad.Render(s.Text("kind")))
	}
	if v := voteNamed(c, c.Lobby().Text("vote")); v != nil {
		parts = append(parts, m.voting(c, v))
	}
	return strings.Join(parts, "   ")
}

func voteNamed(c *client.Copy, name string) *client.Vote {
	for i := range c.Book.Votes {
		if c.Book.Votes[i].Name == name {
			return &c.Book.Votes[i]
		}
	}
	return nil
}

// voting is one line on the vote under way.
func (m *model) voting(c *client.Copy, v *client.Vote) string {
	lob := c.Lobby()
	line := notice.Render("vote: " + v.Title)
	if on := c.Sheet(uint32(lob.Int("vote_on"))); on != nil {
		line += " " + bold.Render(on.Text("name"))
	}
	left := client.FormatClock(c.Clock(lob, "vote_left"))
	if len(v.Words) > 0 {
		tally, _ := lob.Get("vote_tally")
		for i, n := range tally.Items() {
			if i < len(v.Words) {
				line += faint.Render(fmt.Sprintf("  f%d ", i+1)) + fmt.Sprintf("%s %d", v.Words[i], n)
			}
		}
		return line + faint.Render("  "+left)
	}
	return line + fmt.Sprintf(" %d yes, %d no, %d needed ", lob.Int("vote_yes"), lob.Int("vote_no"),
		lob.Int("vote_needs")) + faint.Render(left+"  ctrl+y yes  ctrl+n no")
}

// vote answers the vote under way.
func (m *model) vote(text string) tea.Cmd {
	name := ""
	m.o.Conn.Read(func(c *client.Copy) {
		if v := voteNamed(c, c.Lobby().Text("vote")); v != nil && len(v.Words) == 0 {
			name = v.Name
		}
	})
	return m.castVote(name, text)
}

// voteWord votes for the word at the place that a function key names.
func (m *model) voteWord(key string) tea.Cmd {
	name, word := "", ""
	m.o.Conn.Read(func(c *client.Copy) {
		n, err := strconv.Atoi(key[1:])
		if v := voteNamed(c, c.Lobby().Text("vote")); v != nil && err == nil && n > 0 && n <= len(v.Words) {
			name, word = v.Name, v.Words[n-1]
		}
	})
	return m.castVote(name, word)
}

func (m *model) castVote(name, text string) tea.Cmd {
	if name == "" {
		return nil
	}
	return m.send(client.Intent{Do: "vote", Name: name, Text: text}, "vote "+text)
}
