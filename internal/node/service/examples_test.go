package service_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
)

// table is a folder of examples/ as a browser sees it, with the client where npm puts it.
type table struct {
	t   *testing.T
	url string
}

func atTable(t *testing.T, name string) *table {
	t.Helper()
	dir := t.TempDir()
	page, err := os.ReadFile("../../../examples/" + name + "/index.html")
	if err == nil {
		err = os.WriteFile(filepath.Join(dir, "index.html"), page, 0o644)
	}
	rules, e := os.ReadFile("../../../examples/" + name + "/" + name + ".yaml")
	if err = errorsOf(err, e, withClient(dir)); err != nil {
		t.Fatal(err)
	}
	if _, problems, err := node.Library.Load(soon(t), rules); err != nil {
		t.Fatal(err, problems)
	}
	return &table{t, serves(t, dir)}
}

// serves shows a folder to a browser, which keeps nothing of it.
func serves(t *testing.T, dir string) (address string) {
	files := http.FileServer(http.Dir(dir))
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		files.ServeHTTP(w, r)
	}))
	t.Cleanup(server.Close)
	return server.URL
}

// withClient puts the TypeScript client into a folder.
func withClient(dir string) error {
	there := filepath.Join(dir, "node_modules", "turnvex-client")
	from, err := filepath.Abs("../../../clients/typescript")
	return errorsOf(err, os.MkdirAll(filepath.Dir(there), 0o755), os.Symlink(from, there))
}

// sits opens the page in a tab, as somebody, in the lobby of another tab if one is given.
func (x *table) sits(d *desk, name string, of *desk) {
	hash := ""
	if of != nil {
		hash, _ = of.Text("location.hash")
	}
	d.must("the page", d.Open(x.url+"/?service="+node.Address+"&name="+name+hash))
	d.see(`location.hash.length > 4 && document.getElementById('say').textContent !== '…'`)
}

// TestExamples plays the small games of examples/ in their pages.
func TestExamples(t *testing.T) {
	first := console(t, "")
	tab, err := first.Tab()
	first.must("a second tab", err)
	t.Cleanup(tab.Stop)
	second := &desk{t, tab}
	both := []*desk{first, second}
	t.Run("pond", func(t *testing.T) {
		x := atTable(t, "pond")
		x.sits(first, "Ada", nil)
		x.sits(second, "Bo", first)
		for _, d := range both {
			d.press("Ready")
		}
		for i, pad := range []int{5, 6, 9} { // the second frog turns the first one, the third turns nothing back
			d := both[i%2]
			d.says("Your turn")
			d.presses(fmt.Sprintf("#pond button:nth-child(%d)", pad+1))
		}
		for _, d := range both {
			d.see(`[...document.querySelectorAll('#pond button')].map((b) => b.textContent || '.').join('') ===
				'.....●◆..●......'`)
		}
	})
	t.Run("quiz", func(t *testing.T) {
		x := atTable(t, "quiz")
		x.sits(first, "Ada", nil)
		x.sits(second, "Bo", first)
		for _, d := range both {
			d.press("Ready")
		}
		says := func(d *desk, text string) {
			d.see(`!document.getElementById('form').hidden`)
			d.must("a line", d.Run(fmt.Sprintf(`document.getElementById('text').value = %q
				document.getElementById('form').requestSubmit()`, text)))
		}
		says(first, "Which <b>bird</b> cannot fly?")
		second.says("Which <b>bird</b> cannot fly?")
		says(second, "The <i>penguin</i>")
		first.says("Bo: The <i>penguin</i>")
		first.press("Right")
		for _, d := range both {
			d.says("Bo has it!")
			d.says("Bo 1")
		}
	})
	t.Run("snails", func(t *testing.T) {
		x := atTable(t, "snails")
		x.sits(first, "", nil)
		for _, key := range []string{"q", "p"} {
			first.must("a key", first.Run(fmt.Sprintf("dispatchEvent(new KeyboardEvent('keydown', {key: %q}))", key)))
			first.says(map[string]string{"q": "Quince", "p": "Peat"}[key])
		}
		first.says("Go!")
		first.must("keys", first.Run(`window.racing = setInterval(() =>
			dispatchEvent(new KeyboardEvent('keydown', {key: 'p'})), 120)`))
		first.says("Peat wins!")
	})
}
