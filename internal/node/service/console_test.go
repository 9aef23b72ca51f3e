package service_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/browser"
)

// TestConsole drives the console in Chromium while a match is played: the list,
// the match page following each hit, the truth beside two seats' copies, the
// result and the board.
func TestConsole(t *testing.T) {
	mara, joss := player(t, "Mara Quill"), player(t, "Joss Fenwick")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel", Title: "Console round"})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	page, err := browser.Start(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(page.Stop)
	must := func(what string, err error) {
		t.Helper()
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
	}
	see := func(expression string) { t.Helper(); must("the page", page.Until(expression, time.Minute)) }

	must("a wrong key", page.Open(node.Address+"/#key=wrong"))
	see(`document.body.innerText.includes('this key is not known')`)
	must("the sign-in", page.Open(node.Address+"/?again#key="+operatorKey))
	see(`document.body.innerText.includes('Sign out') && document.body.innerText.includes('Console round')`)
	if href, err := page.Text("location.href"); err != nil || strings.Contains(href, operatorKey) {
		t.Errorf("the key stays in the address: %s, %v", href, err)
	}
	must("the lobby", page.Click(fmt.Sprintf(`a[href="/lobby/%s"]`, lob)))
	see(`document.querySelectorAll('[data-seat]').length === 2 && document.body.innerText.includes('gathering')`)
	do(t, a, client.Intent{Do: "ready"})
	do(t, b, client.Intent{Do: "ready"})
	see(`document.querySelector('[data-test=phase]').innerText === 'play'`)
	before, err := page.Text(`document.querySelector('[data-test=clock]').innerText`)
	must("the clock", err)
	see(fmt.Sprintf(`document.querySelector('[data-test=clock]').innerText < %q`, before))
	do(t, a, client.Intent{Do: "act", Name: "ram", Target: b.Seat()})
	see(fmt.Sprintf(`document.querySelector('[data-seat="%d"] [data-field=hull]').innerText.includes('40')`, b.Seat()))
	see(`document.body.innerText.includes('rammed by: Mara Quill, whom: Joss Fenwick')`)

	cell := func(row, col int) string {
		return fmt.Sprintf(
			`document.querySelectorAll('[data-test=compare] tbody tr')[%d].children[%d].innerText`,
			row,
			col,
		)
	}
	see(cell(1, 1) + ` === 'wind' && ` + cell(1, 3) + ` === '47.5' && ` + cell(1, 4) + ` === '47.5' && ` +
		cell(1, 5) + ` === 'not seen'`)
	see(`document.querySelector('[data-test=differences]').innerText === 'no difference'`)
	must("asking the clients", page.Click(`[data-test=ask-copies]`))
	see(
		`/^(\d+) of \1 answered: their copies are right$/.test(document.querySelector('[data-test=copies]')?.innerText ?? '')`,
	)
	liar := bareTo(t, node.Address, map[string]any{"token": player(t, "Pim").Token, "lobby": lob, "watch": true}, 0)
	go liar.lie(liar.next("snapshot")["parts"].([]any))
	must("asking again", page.Click(`[data-test=ask-copies]`))
	see( // one field at least: the pings may have changed since
		`/fields differ/.test(document.querySelector('[data-test=copies]')?.innerText ?? '') && ` +
			`document.body.innerText.includes('A wrong title')`,
	)
	do(t, a, client.Intent{Do: "pause"})
	see(`document.body.innerText.includes('paused')`)
	do(t, a, client.Intent{Do: "resume"})
	do(t, a, client.Intent{Do: "rename", Text: "Mara Tide"})
	see(fmt.Sprintf(`document.querySelector('[data-seat="%d"]').innerText.includes('Mara Tide')`, a.Seat()))
	if err := b.Leave(soon(t)); err != nil {
		t.Fatal(err)
	}
	see(`document.querySelector('[data-test=phase]').innerText === 'Over: too few players are left'`)
	untilSaved(t, a)
	must("results", page.Open(node.Address+"/results"))
	see(fmt.Sprintf(`[...document.querySelectorAll('[data-match]')].some(m => m.innerText.includes('of %s'))`, lob))
	must("boards", page.Open(node.Address+"/boards/duel/points"))
	see(`document.body.innerText.includes('Mara Tide')`)
	must("a page that is not there", page.Open(node.Address+"/nowhere"))
	see(`document.body.innerText.includes('nothing at this address')`)
}
