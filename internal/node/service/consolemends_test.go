package service_test

import (
	"fmt"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/hall"
)

// TestConsoleManyLobbies: while one looks at the list many lobbies open in a row; all are counted and can be scrolled
// to, only the rows in sight are drawn, and no change asks the service for anything.
func TestConsoleManyLobbies(t *testing.T) {
	const many = 150
	s := console(t, operatorKey)
	s.open("/lobbies")
	s.see(`/\d+ open/.test(document.body.innerText)`)
	asked := `performance.getEntriesByType('resource').filter(e => e.name.includes('/v1/lobbies?')).length`
	s.must("requests", s.Run(fmt.Sprintf(`window.drawn = 0; window.asked = %s;
		new MutationObserver(() => { window.drawn = Math.max(window.drawn, document.querySelectorAll('tbody tr').length) })
			.observe(document.body, {childList: true, subtree: true})`, asked)))
	book, err := node.Library.Book("duel")
	s.must("the rulebook", err)
	mark := fresh()
	var codes []string
	for i := range many {
		l, err := node.Hall.Open(soon(t), book, hall.Opening{Title: fmt.Sprint("Berth ", mark, " ", i)})
		s.must("open", err)
		codes = append(codes, l.Code)
	}
	s.see(fmt.Sprintf(`document.body.innerText.includes('Berth %s %d')`, mark, many-1))
	s.see(fmt.Sprintf(`+document.body.innerText.match(/(\d+) open/)[1] >= %d`, many))
	s.see(fmt.Sprintf(`(scrollTo(0, document.body.scrollHeight),
		[...document.querySelectorAll('tbody tr')].some(r => +r.dataset.index >= %d))`, many-1))
	drawn, err := s.Text(fmt.Sprintf(`window.drawn + ' rows, ' + (%s - window.asked) + ' requests'`, asked))
	s.must("the figures", err)
	var rows, requests int
	if _, err := fmt.Sscanf(drawn, "%d rows, %d requests", &rows,
		&requests); err != nil || rows > 60 || requests > many/5 {
		t.Errorf("for %d lobbies the page drew %s at most, %v", many, drawn, err)
	}
	all := operator(t)
	for _, code := range codes {
		s.must("close", all.CloseLobby(soon(t), code))
	}
}

// TestConsolePartLoadsAgain: a part of the page that failed to load is loaded at the next try.
func TestConsolePartLoadsAgain(t *testing.T) {
	s := console(t, "")
	s.open("/docs")
	s.must("block", s.Block("*://*:*/assets/Results-*.js"))
	s.must("results", s.Click(`nav a[href="/results"]`))
	s.says("This part of the page could not be loaded")
	s.must("unblock", s.Block())
	s.press("Try again")
	s.see(`document.querySelector('main h1')?.innerText === 'Results'`)
}

// TestConsolePlaysWhatIsWritten: the editor plays the text that is in it, which stays unpublished; the text is still
// there on coming back, until it is discarded.
func TestConsolePlaysWhatIsWritten(t *testing.T) {
	s := console(t, operatorKey)
	book := firstBook(t)
	s.open("/rulebooks/" + book)
	s.see(`document.querySelector('[data-test=verdict]')?.innerText === 'no errors'`)
	s.must("the text", s.Run(`(() => { const v = document.querySelector('.cm-content').cmTile.view;
		v.dispatch({changes: {from: v.state.doc.length, insert: '\ntitle: Still a draft\n'}}) })()`))
	s.see(`document.querySelector('[data-test=verdict]').innerText === 'no errors' &&
		[...document.querySelectorAll('button')].some(b => b.innerText === 'Discard changes' && !b.disabled)`)
	s.press("Play this text")
	s.see(`location.pathname.startsWith('/play/')`)
	s.says("Still a draft")
	s.see(`document.querySelectorAll('[data-panel]').length === 2`)
	code, err := s.Text(`location.pathname.split('/').at(-1)`)
	s.must("the code", err)
	l, err := client.Service{Address: node.Address}.Lobby(soon(t), code)
	if err != nil || !l.Practice || l.Title != "Still a draft" {
		t.Errorf("%+v, %v", l, err)
	}
	if b, err := node.Library.Book(book); err != nil || strings.Contains(string(b.Source), "draft") {
		t.Errorf("trying published it: %v", err)
	}
	var kept struct{ Versions []struct{ Version string } }
	if err := operator(t).Call(soon(t), "GET", "/v1/rulebooks/"+book, nil,
		&kept); err != nil || len(kept.Versions) != 1 {
		t.Errorf("the versions are %+v, %v", kept, err)
	}
	s.open("/rulebooks/" + book)
	const text = `document.querySelector('.cm-content')?.cmTile.view.state.doc.toString()`
	s.see(text + `?.includes('Still a draft')`)
	s.press("Discard changes")
	s.see(text + `?.includes('draft') === false`)
	src := []byte("turnvex: 1\nname: " + book + "\nphases: {play: {lasts: 5s}}\n")
	var tried client.FoundLobby
	if err := operator(t).Call(soon(t), "POST", "/v1/rulebooks/try", src, &tried); err != nil || !tried.Practice {
		t.Errorf("%+v, %v", tried, err)
	}
	bad := []byte("turnvex: 1\nname: nothing\n")
	if err := operator(t).Call(soon(t), "POST", "/v1/rulebooks/try", bad, nil); client.CodeOf(err) != "bad-rulebook" {
		t.Errorf("a text with errors: %v", err)
	}
	if err := as(player(t, "Mara")).Call(soon(t), "POST", "/v1/rulebooks/try", bad,
		nil); client.CodeOf(err) != "forbidden" {
		t.Errorf("a player tries a text: %v", err)
	}
}
