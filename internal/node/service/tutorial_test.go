package service_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
)

// meadow is a browser that plays the tutorial's game as far as it is written.
type meadow struct {
	*desk
	dir  string
	url  string
	code string
}

// TestTutorial goes through docs/tutorial.md: the finished game is what its blocks say together, and after each of them
// the page does what the text says, seen by a player of the service beside it.
func TestTutorial(t *testing.T) {
	const page, game = "../../../docs/tutorial.md", "../../../examples/bees/"
	m := &meadow{desk: console(t, ""), dir: t.TempDir()}
	js := blocks(t, page, "js")
	for file, want := range map[string]string{"bees.yaml": blocks(t, page, "yaml")[0],
		"index.html": blocks(t, page, "html")[0], "game.js": strings.Join(js, "\n\n")} {
		text, err := os.ReadFile(game + file)
		if err != nil || strings.TrimSpace(string(text)) != strings.TrimSpace(want) {
			t.Errorf("examples/bees/%s is not what the tutorial says: %v", file, err)
		}
		m.writes(file, want)
	}
	if _, problems, err := node.Library.Load(soon(t), []byte(blocks(t, page, "yaml")[0])); err != nil {
		t.Fatal(err, problems)
	}
	if err := withClient(m.dir); err != nil {
		t.Fatal(err)
	}
	m.url = serves(t, m.dir) + "/?service=" + node.Address

	for step, does := range []func(*testing.T){m.signsIn, m.meets, m.draws, m.flies, m.ends} {
		m.writes("game.js", strings.Join(js[:step+1], "\n\n"))
		t.Run(fmt.Sprint("step ", step+2), func(t *testing.T) {
			m.desk.t = t
			does(t)
		})
		m.desk.t = t
	}
}

func (m *meadow) writes(file, text string) {
	if err := os.WriteFile(filepath.Join(m.dir, file), []byte(text), 0o644); err != nil {
		m.t.Fatal(err)
	}
}

// signsIn opens the page, which finds itself a lobby.
func (m *meadow) signsIn(t *testing.T) {
	m.must("the page", m.Open("about:blank"))
	m.must("the page", m.Open(m.url))
	m.see(`document.getElementById('say')?.textContent.includes('Send a friend this address: ' + location.href)`)
	code, err := m.Text("location.hash.slice(1)")
	m.must("the code", err)
	if m.code = code; len(code) < 4 {
		t.Errorf("the page's address ends with %q", code)
	}
}

// meets begins a match with a second tab, which it returns.
func (m *meadow) meets(t *testing.T) { m.pair(t) }

func (m *meadow) pair(t *testing.T) (other *desk) {
	m.signsIn(t)
	tab, err := m.Tab()
	m.must("a second tab", err)
	t.Cleanup(tab.Stop)
	other = &desk{t, tab}
	other.must("the page", other.Open(m.url+"#"+m.code))
	for _, d := range []*desk{m.desk, other} {
		d.says("Both here. Are you ready?")
		d.press("Ready")
	}
	for _, d := range []*desk{m.desk, other} {
		d.see(`document.getElementById('ready').disabled`) // the match has begun
	}
	return other
}

// watches sees the match as a spectator does.
func (m *meadow) watches(t *testing.T) *client.Conn {
	return join(t, player(t, "Ines"), client.Options{Lobby: m.code, Watch: true})
}

// draws looks whether there is a bee where the service has one, and a clock.
func (m *meadow) draws(t *testing.T) {
	other := m.pair(t)
	for _, d := range []*desk{m.desk, other} {
		d.see(`/^[0-9]+ s$/.test(document.getElementById('time').textContent)`)
		d.see(`(() => { const all = document.getElementById('meadow').getContext('2d').getImageData(60, 300, 40, 40).data
			for (let i = 0; i < all.length; i += 4) if (all[i] > 240 && all[i + 1] > 140 && all[i + 2] < 90) return true })()`)
	}
}

// flies holds a key and lets go of it, and buzzes.
func (m *meadow) flies(t *testing.T) {
	m.pair(t)
	c := m.watches(t)
	until(t, c, "play", func(c *client.Copy) bool { return c.Match().Text("phase") == "play" })
	where := func(c *client.Copy) int64 { x, _, _ := c.Players()[0].Pos("pos"); return x }
	key := func(kind, code string) {
		m.must("a key", m.Run(fmt.Sprintf("dispatchEvent(new KeyboardEvent(%q, {code: %q}))", kind, code)))
	}
	key("keydown", "ArrowRight")
	until(t, c, "it flies", func(c *client.Copy) bool { return where(c) > 3000 })
	until(t, c, "to the hedge, half a metre before it", func(c *client.Copy) bool { return where(c) == 6500 })
	key("keyup", "ArrowRight")
	key("keydown", "KeyA")
	until(t, c, "and back", func(c *client.Copy) bool { return where(c) < 6500 })
	key("keyup", "KeyA")
	key("keydown", "Space")
	m.says("buzz reaches 4 m")
}

// ends pauses, goes on, reloads the page, and comes to the end and the board.
func (m *meadow) ends(t *testing.T) {
	other := m.pair(t)
	c := m.watches(t)
	until(t, c, "play", func(c *client.Copy) bool { return c.Match().Text("phase") == "play" })
	m.press("Pause")
	other.says("The meadow stands still.")
	m.press("Go on")
	m.says("Play goes on in three seconds")
	name, err := m.Text("sessionStorage.called")
	m.must("the name", err)
	m.must("reload", m.Run("location.reload()"))
	m.says("Gather seven flowers.")
	m.says(name)
	c.Read(func(c *client.Copy) {
		if n := len(c.Players()); n != 2 {
			t.Errorf("behind the reload there are %d players", n)
		}
	})
	for _, d := range []*desk{m.desk, other} { // what is said at the end does not stand for long
		d.must("listen", d.Run(`window.said = []
			new MutationObserver(() => said.push(document.getElementById('say').textContent)).observe(
				document.getElementById('say'), { childList: true })`))
	}
	if err := operator(t).EndMatch(soon(t), m.code, "rain"); err != nil {
		t.Fatal(err)
	}
	for _, d := range []*desk{m.desk, other} {
		d.see(`said.some((text) => /^(A draw!|\w+ wins!) Most nectar: \w+ \d/.test(text))`)
	}
}
