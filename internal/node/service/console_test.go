package service_test

import (
	"fmt"
	"net/url"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/browser"
	"turnvex.example/turnvex/internal/tool/trial"
)

// desk is the console in a browser, as a test uses it.
type desk struct {
	t *testing.T
	*browser.Browser
}

// console opens one, signed in with a key if one is given.
func console(t *testing.T, key string) *desk {
	t.Helper()
	page, err := browser.Start(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(page.Stop)
	s := &desk{t, page}
	if key != "" {
		s.open("/#key=" + key)
		s.see(`document.body.innerText.includes('Operator:')`)
	}
	return s
}

func (s *desk) must(what string, err error) {
	s.t.Helper()
	if err != nil {
		s.t.Fatalf("%s: %v", what, err)
	}
}

func (s *desk) open(path string) {
	s.t.Helper()
	s.must(path, s.Open(node.Address+path))
}

// see waits until an expression holds.
func (s *desk) see(expression string) {
	s.t.Helper()
	s.must("the page", s.Until(expression, time.Minute*trial.Patience))
}

// says waits until the page says something.
func (s *desk) says(text string) {
	s.t.Helper()
	s.see(fmt.Sprintf(`document.body.innerText.includes(%q)`, text))
}

// press clicks the button or link with a text, when it is there and can be.
func (s *desk) press(text string) {
	s.t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll('button, a, label')].findLast(b => b.innerText.trim() === %q && !b.disabled)`, text)
	s.see(`!!` + find)
	s.must(text, s.Run(find+`.click()`))
}

// presses clicks what a selector finds, when it is there and can be: a button may wait for the page to know what was
// typed.
func (s *desk) presses(selector string) {
	s.t.Helper()
	find := fmt.Sprintf(`document.querySelector(%q)`, selector)
	s.see(find + `?.disabled === false`)
	s.must(selector, s.Run(find+`.click()`))
}

// TestConsole drives the console in Chromium while a match is played: the list, the match page following each hit, the
// truth beside two seats' copies, the result and the board.
func TestConsole(t *testing.T) {
	mara, joss := player(t, "Mara Quill"), player(t, "Joss Fenwick")
	book := variant(t, "lasts: 300ms", "lasts: 10m") // the end stands until the page has been read
	lob := lobby(t, mara, client.Opening{Rulebook: book, Title: "Console round"})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	s := console(t, "")
	s.open("/")
	s.says("Running now")
	bytes, err := s.Text(`String([...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')]
		.filter(e => !e.name.includes('/v1/')).reduce((n, e) => n + e.encodedBodySize, 0))`)
	if n, bad := strconv.Atoi(bytes); err != nil || bad != nil || n < 50_000 || n > 350_000 {
		t.Errorf("the first page takes %s bytes, at most 350000 are promised: %v", bytes, err)
	} else {
		t.Logf("the first page takes %d bytes", n)
	}
	s.open("/?first#key=wrong")
	s.says("this key is not known")
	s.open("/lobbies?again#key=" + operatorKey)
	s.says("Operator:")
	s.says("Console round")
	if href, err := s.Text("location.href + localStorage.getItem('operator')"); err != nil ||
		strings.Contains(href, operatorKey) {
		t.Errorf("the key stays: %s, %v", href, err)
	}
	s.open("/lobbies?once+more#key=wrong")
	s.says("Sign in with another key?")
	s.press("Stay signed in")
	s.says("Console round")
	if there, err := s.Text("document.body.innerText"); err != nil || strings.Contains(there, "key is not known") {
		t.Errorf("a key that was not taken was tried: %v", err)
	}
	s.see(`location.hash = 'key=wrong', true`)
	s.press("Use the link’s key")
	s.says("this key is not known")
	s.says("Operator:")
	s.must("the lobby", s.Click(fmt.Sprintf(`a[href="/lobby/%s"]`, lob)))
	s.see(`document.querySelectorAll('[data-seat]').length === 2 && document.body.innerText.includes('gathering')`)
	do(t, a, client.Intent{Do: "ready"})
	do(t, b, client.Intent{Do: "ready"})
	s.see(`document.querySelector('[data-test=phase]').innerText === 'Play'`)
	before, err := s.Text(`document.querySelector('[data-test=clock]').innerText`)
	s.must("the clock", err)
	s.see(fmt.Sprintf(`document.querySelector('[data-test=clock]').innerText !== %q`, before))
	do(t, a, client.Intent{Do: "act", Name: "ram", Target: b.Seat()})
	s.see(fmt.Sprintf(`document.querySelector('[data-seat="%d"] [data-field=hull]').textContent.includes('40')`, b.Seat()))
	s.says("Mara Quill rammed Joss Fenwick.")
	s.press("Side by side")
	s.see(`[...document.querySelectorAll('[data-test=compare] tbody tr')].some(r => r.children[1].innerText === 'Wind' && ` +
		`r.children[2].innerText === '47.5' && r.children[3].innerText === '47.5' && r.children[4].innerText === 'not visible')`)
	s.see(`document.querySelector('[data-test=differences]').innerText.startsWith('No difference')`)
	s.press("Ask the clients")
	s.see(
		`/^(\d+) of \1 answered: their copies are right$/.test(document.querySelector('[data-test=copies]')?.innerText ?? '')`,
	)
	liar := bareTo(t, node.Address, map[string]any{"token": player(t, "Pim").Token, "lobby": lob, "watch": true}, 0)
	go liar.lie(liar.next("snapshot")["parts"].([]any), map[any]bool{})
	s.press("Ask the clients")
	s.see( // one field at least: the pings may have changed since
		`/fields differ/.test(document.querySelector('[data-test=copies]')?.innerText ?? '') && ` +
			`document.body.innerText.includes('A wrong title')`,
	)
	do(t, a, client.Intent{Do: "pause"})
	s.says("Paused by Mara Quill")
	do(t, a, client.Intent{Do: "resume"})
	do(t, a, client.Intent{Do: "rename", Text: "Mara Tide"})
	s.see(fmt.Sprintf(`document.querySelector('[data-seat="%d"]').textContent.includes('Mara Tide')`, a.Seat()))
	if err := b.Leave(soon(t)); err != nil {
		t.Fatal(err)
	}
	s.see(`document.querySelector('[data-test=phase]').innerText === 'Over'`)
	s.says("too few players are left")
	untilSaved(t, a)
	s.open("/results?lobby=" + lob)
	s.says("of " + lob)
	s.open("/boards/" + book + "/points")
	s.says("Mara Tide")
	s.open("/nowhere")
	s.says("nothing at this address")
}

// TestConsolePlays: from home to playing in three clicks; two seats in one page, each with its own view and keys; a
// pause; the end by an operator with a reason, which stands in the audit trail at once; and looking back at all of it,
// in the truth and as a seat saw it.
func TestConsolePlays(t *testing.T) {
	book := variant(t, "hold: 5s", "hold: 10m") // the seats stay until another page has been opened
	s := console(t, operatorKey)
	s.open("/")
	s.press("Play a match here")
	s.see(`!!document.querySelector('[data-play=` + book + `]')`)
	s.must("play", s.Click(`[data-play=`+book+`]`))
	s.see(`document.querySelectorAll('[data-panel]').length === 2`)
	s.see(`[...document.querySelectorAll('[data-panel] [data-test=phase]')].every(p => p.innerText === 'Play')`)
	panel := func(i int) string { return fmt.Sprintf(`document.querySelectorAll('[data-panel]')[%d]`, i) }
	s.must("ram", s.Run(panel(0)+`.querySelector('[data-action=ram]').click()`))
	s.see(panel(1) + `.querySelector('[data-field=hull]').textContent.includes('40')`)
	s.see(panel(0) + `.querySelector('[role=status]').innerText.toLowerCase().startsWith('ram')`)
	s.must("a key", s.Run(`dispatchEvent(new KeyboardEvent('keydown', {code: 'ArrowUp'}))`))
	s.must("a key", s.Run(`dispatchEvent(new KeyboardEvent('keyup', {code: 'ArrowUp'}))`))
	s.must("a value", s.Type(`[data-test=by-hand] input`, "7"))
	s.presses(`[data-test=by-hand] button`)
	s.see(panel(0) + `.querySelector('[data-field=hull]').textContent.includes('7')`)
	s.must("a reason", s.Type(`input[placeholder=Reason]`, "the tide is in"))
	s.press("Pause")
	for i := range 2 {
		s.see(panel(i) + `.innerText.includes('Paused by Player 1')`)
		s.see(panel(i) + `.querySelector('[data-test=pause-why]')?.innerText === 'the tide is in'`)
	}
	s.press("Go on")
	s.see(panel(1) + `.querySelector('[data-test=paused]') === null`)
	s.press("Freeze")
	frozen := panel(0) + `.querySelector('[data-test=stepping]').innerText`
	s.see(frozen + `.includes('frozen at play tick')`)
	before, err := s.Text(frozen + `.match(/\d+$/)[0]`)
	s.must("the tick", err)
	s.press("5 ticks")
	s.see(fmt.Sprintf(`%s.endsWith('play tick ' + (%s + 5))`, frozen, before))
	s.press("Run")
	s.see(frozen + `.includes('Freeze')`)
	code, err := s.Text(`location.pathname.split('/').at(-1)`)
	s.must("the code", err)
	s.open("/lobby/" + code)
	s.press("Side by side")
	s.see(`!!document.querySelector('[data-test=compare] [data-test=stepping]')`)
	s.must("a value", s.Type(`[data-test=compare] [data-test=by-hand] input`, "33"))
	s.presses(`[data-test=compare] [data-test=by-hand] button`)
	s.see(`[...document.querySelectorAll('[data-test=compare] tbody tr')].some(r => r.children[1].innerText === 'Hull' && ` +
		`[2, 3].every(i => r.children[i].innerText === '33'))`)
	s.press("End match")
	s.see(`!!document.querySelector('[role=alertdialog] input')`)
	s.must("the reason", s.Type(`[role=alertdialog] input`, "seen enough of it"))
	s.presses(`[role=alertdialog] button[type=submit]`)
	// The result is shown for 300 ms, which a slow browser may miss.
	s.see(`!!document.querySelector('[data-test=ending]') || document.body.innerText.includes('gathering')`)
	s.open("/operations")
	s.press("Audit trail")
	s.see(`document.querySelector('[data-test=audit]')?.innerText.includes('seen enough of it')`)
	s.open("/lobby/" + code + "/back")
	s.see(`!!document.querySelector('[data-test=scrubber]')`)
	s.press("Match 1")
	hulls := `[...document.querySelectorAll('[data-seat] [data-field=hull]')].map(f => f.textContent.match(/\d+$/)?.[0]).sort().join()`
	s.see(hulls + ` === '100,100'`)
	s.must("playing", s.Run(`document.querySelector('[aria-label=Play]').click()`))
	s.see(hulls + ` === '100,40'`)
	s.must("as a seat", s.Run(`(() => { const f = document.querySelector('[aria-label="Whose view"]');
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(f, f.options[1].value);
		f.dispatchEvent(new Event('change', {bubbles: true})) })()`))
	s.says("You see what this seat was sent")
	s.see(`document.querySelectorAll('[data-seat]').length === 2`)
}

// TestConsoleFault: a copy whose connection is bad is seen beside the truth, with since when; when it has caught up
// nothing differs, and what differed stays in the list.
func TestConsoleFault(t *testing.T) {
	s := console(t, operatorKey)
	code, a, b := started(t, "duel", client.Options{})
	s.open("/lobby/" + code)
	s.press("Side by side")
	s.see(`[...document.querySelectorAll('[data-test=compare] tbody tr')].filter(r => r.children[1].innerText === 'Hull' && ` +
		`[2, 3, 4].every(i => r.children[i].innerText === '100')).length === 2`)
	s.must("delay", s.Run(`[...document.querySelectorAll('[data-test=compare] button')].find(b => b.innerText === 'Delay').click()`))
	do(t, a, client.Intent{Do: "act", Name: "ram", Target: b.Seat()})
	s.see(`/^[1-9]\d* differ/.test(document.querySelector('[data-test=differences]').innerText)`)
	s.see(`/≠ for \d+ ticks/.test(document.querySelector('[data-test=compare]').innerText)`)
	s.press("No delay")
	s.see(`document.querySelector('[data-test=differences]').innerText.startsWith('No difference')`)
	s.see(`/Hull of .* was 100 in copy \d, in truth 40/.test(document.querySelector('[data-test=faults]').innerText)`)
}

// TestConsoleEditor: the service's checker as one types, a fix at a click, publishing with a reason, and the rulebook
// there for all.
func TestConsoleEditor(t *testing.T) {
	s := console(t, operatorKey)
	name := "book_" + fresh()
	s.open("/rulebooks/new")
	s.see(`document.querySelector('[data-test=verdict]')?.innerText === 'no errors'`)
	s.must("the text", s.Run(fmt.Sprintf(`(() => { const v = document.querySelector('.cm-content').cmTile.view;
		const text = v.state.doc.toString().replace('name: first', 'name: %s').replace('lasts: 60s', 'lsats: 60s');
		v.dispatch({changes: {from: 0, to: v.state.doc.length, insert: text}}) })()`, name)))
	s.see(`/\d errors/.test(document.querySelector('[data-test=verdict]').innerText)`)
	s.see(`document.querySelector('[data-test=problems]').innerText.includes('lsats')`)
	s.see(`document.querySelectorAll('.cm-lintRange-error').length > 0`)
	s.must("the fix", s.Click(`[data-test=fix]`))
	s.see(`document.querySelector('[data-test=verdict]').innerText === 'no errors'`)
	s.see(`document.querySelector('[data-test=flow] [data-phase=end]') !== null`)
	s.press("Rehearse")
	s.see(`/100 matches, 100 ended/.test(document.querySelector('[data-test=rehearsal]').innerText)`)
	s.press("Publish")
	s.must("the reason", s.Type(`[role=alertdialog] input`, "first of its name"))
	s.presses(`[role=alertdialog] button[type=submit]`)
	s.see(fmt.Sprintf(`location.pathname === '/rulebooks/%s'`, name))
	code := lobby(t, player(t, "Mara"), client.Opening{Rulebook: name})
	c := join(t, player(t, "Joss"), client.Options{Lobby: code})
	s.see(`document.querySelector('[data-test=flow]')?.innerText.includes('Between matches')`)
	do(t, c, client.Intent{Do: "ready"})
	s.see(`document.querySelector('[data-test=flow] [data-phase=play]')?.dataset.here === 'true'`)
	var report struct{ Matches int }
	short := []byte("turnvex: 1\nname: short\nplayers: {least: 1, most: 2}\nphases: {play: {lasts: 5s}}\n")
	if err := operator(t).Call(soon(t), "POST", "/v1/rulebooks/rehearse?matches=5", short, &report); err != nil ||
		report.Matches != 5 {
		t.Errorf("%+v, %v", report, err)
	}
	var text struct {
		Source   string
		Versions []struct{ Current bool }
	}
	err := operator(t).Call(soon(t), "GET", "/v1/rulebooks/"+name, nil, &text)
	if err != nil || !strings.Contains(text.Source, "name: "+name) || len(text.Versions) != 1 ||
		!text.Versions[0].Current {
		t.Errorf("%+v, %v", text, err)
	}
}

// TestConsoleSessionEnds: when the operator's session is over the page asks to sign in again where it is; who does goes
// on as an operator, and a page that is opened later knows them without a key.
func TestConsoleSessionEnds(t *testing.T) {
	name := "evening watch " + fresh()
	key, err := operator(t).MakeKey(soon(t), name, "operator")
	if err != nil {
		t.Fatal(err)
	}
	player(t, "Mara")
	s := console(t, key.Key)
	s.open("/players")
	s.says("Operator: " + name)
	if kept, err := s.Text(`JSON.stringify(localStorage) + document.cookie`); err != nil ||
		strings.Contains(kept, key.Key) || strings.Contains(kept, "eyJ") {
		t.Errorf("scripts can read %s, %v", kept, err)
	}
	in, err := client.SignInKey(soon(t), node.Address, key.Key)
	if err != nil {
		t.Fatal(err)
	}
	again, err := client.Service{Address: node.Address, Token: in.Token}.RotateKey(soon(t), name, 0)
	if err != nil {
		t.Fatal(err)
	}
	s.must("a name", s.Type(`input[type=search]`, "M"))
	s.press("Search") // which the service refuses: the key has another text
	s.see(`document.querySelector('[data-test=sign-in]')?.innerText.includes('Your session has ended')`)
	s.says("Operator: " + name)
	s.must("the key", s.Type(`[data-test=sign-in] input`, again.Key))
	s.presses(`[data-test=sign-in] button[type=submit]`)
	s.see(`!document.querySelector('[data-test=sign-in]') && document.querySelectorAll('tbody tr').length > 0`)
	s.open("/operations")
	s.says("Operator: " + name)
	s.see(`document.querySelector('main h1')?.innerText === 'Operations'`)
	s.press("Sign out")
	s.says("Operator sign-in")
	s.open("/operations")
	s.says("Sign in as an operator")
}

// accessible are the pages that are looked at with axe.
var accessible = []string{"/", "/lobbies", "/play", "/results", "/boards/duel/points", "/players", "/rulebooks",
	"/rulebooks/duel", "/operations", "/docs", "/docs/rulebook", "/nowhere"}

// aMatch is a match that has ended, and somebody who was in it.
func aMatch(t *testing.T) (id string, in *client.Signed) {
	t.Helper()
	in = player(t, "Mara")
	code := lobby(t, in, client.Opening{Rulebook: "duel"})
	a, b := join(t, in, client.Options{Lobby: code}), join(t, player(t, "Joss"), client.Options{Lobby: code})
	play(t, a, b)
	until(t, a, "the match runs", func(c *client.Copy) bool { return c.Match() != nil })
	if err := operator(t).EndMatch(soon(t), code, ""); err != nil {
		t.Fatal(err)
	}
	until(t, a, "the result is kept", func(*client.Copy) bool {
		list, err := as(in).Matches(soon(t), url.Values{"lobby": {code}})
		if err == nil && len(list) == 1 {
			id = list[0].ID
		}
		return id != ""
	})
	return id, in
}

// TestConsoleAccessible: no page has what axe-core finds (WCAG 2.2, A and AA, and its best practices), in both colour
// modes, and none is wider than a phone.
func TestConsoleAccessible(t *testing.T) {
	code, _, _ := started(t, "duel", client.Options{})
	axe, err := os.ReadFile("../../../console/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	s := console(t, operatorKey)
	played, in := aMatch(t)
	for i, path := range append([]string{"/lobby/" + code, "/lobby/" + code + "/back", "/results/" + played,
		"/players/" + in.Player}, accessible...) {
		s.must("colours", s.Run(fmt.Sprintf(`localStorage.setItem('mode', %q)`, []string{"light", "dark"}[i%2])))
		s.open(path)
		s.see(`!!document.querySelector('main h1') && !document.querySelector('[aria-busy=true]') && ` +
			`document.querySelector('[data-test=verdict]')?.innerText !== 'checking' && document.getAnimations().length === 0`)
		s.must("axe", s.Run(string(axe)))
		s.must("axe", s.Run(`window.found = undefined; axe.run(document, {resultTypes: ['violations']}).then(r => {
			window.found = r.violations.map(v => v.id + ': ' + v.help + ' ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + ' ' + (n.any[0]?.message ?? '')).join(' | ')).join('\n') })`))
		s.see(`window.found !== undefined`)
		if found, err := s.Text(`window.found`); err != nil || found != "" {
			t.Errorf("%s: %s %v", path, found, err)
		}
		s.must("a phone", s.Size(390, 844))
		if wide, err := s.Text(`String(document.documentElement.scrollWidth)`); err != nil || wide != "390" {
			t.Errorf("%s is %s pixels wide on a phone of 390: %v", path, wide, err)
		}
		s.must("a desk", s.Size(1280, 800))
	}
}
