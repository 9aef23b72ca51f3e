package hall_test

import (
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/memdb"
)

// TestRestoreFails: a lobby that cannot go on, and one that fails while it is played back, is an error of its own and
// does not end the node.
func TestRestoreFails(t *testing.T) {
	book, problems := rulebook.Compile([]byte(harbour))
	if book == nil {
		t.Fatal(problems.Errors())
	}
	h := hall.New(hall.Config{Directory: memdb.NewDirectory(), Keeper: memdb.NewKeeper(), Names: memdb.NewNames()})
	state := lobby.New(book, lobby.Setup{Code: "QUAY22"}).Save()
	for want, c := range map[string]struct {
		book *rulebook.Book
		left ledger.Left
	}{
		"hash is wrong":          {book, ledger.Left{State: append([]byte("TVXCHKP8"), make([]byte, 40)...)}},
		"entry of the journal":   {book, ledger.Left{State: state, After: []byte("no entry")}},
		"played back, it fails:": {nil, ledger.Left{State: state}},
	} {
		if err := h.Restore(c.book, &c.left); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, wanted %q", err, want)
		}
	}
	if n := h.Lobbies(); n != 0 {
		t.Errorf("%d lobbies live", n)
	}
}
