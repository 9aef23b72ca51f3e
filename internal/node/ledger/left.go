package ledger

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"time"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/store"
)

// Head is a lobby as it was opened.
type Head struct {
	Lobby    string
	Code     string
	Name     string // by which open-or-join finds it
	Rulebook string
	Version  string
	Setup    lobby.Setup
	Opened   time.Time
}

// headOf reads how a lobby was opened.
func headOf(r *store.LedgerLobby) (Head, error) {
	h := Head{Lobby: r.LobbyID, Code: r.Code, Name: r.Name, Rulebook: r.Rulebook, Version: r.Version,
		Opened: r.OpenedAt}
	if err := cbor.Unmarshal(r.Setup, &h.Setup); err != nil {
		return h, fmt.Errorf("how the lobby %s was opened: %w", r.Code, err)
	}
	return h, nil
}

func personOf(p *store.LedgerPerson) journal.Person {
	return journal.Person{Token: p.Token, Of: p.OfToken, Text: p.Text}
}

// Left is a lobby that a node held when it ended: its last checkpoint, and what it took in after it.
type Left struct {
	Head
	Seq    int64     // of the last entry
	Until  time.Time // up to when everything that it took in is here
	Began  time.Time // when its tick 0 was
	State  []byte
	People []journal.Person
	After  []byte // the entries, one behind the other
	Gap    bool   // what lies between the journal's last piece and the checkpoint was never written

	entries [][]byte // the same, one by one
	first   int64    // the row of the log that holds the first of them
	from    int64    // rows before it do not count
}

// logPage is how many rows of the log are read at once.
const logPage = 500

// after reads what the lobbies took in after their checkpoints.
func after(tx Rows, log *slog.Logger, node string, byID map[string]*Left) error {
	gaps := map[*Left]bool{}
	for last := int64(0); ; {
		rows, err := tx.Log(node, last, logPage)
		if err != nil || len(rows) == 0 {
			return err
		}
		for i := range rows {
			last = rows[i].ID
			for dec := cbor.NewDecoder(bytes.NewReader(rows[i].Data)); ; {
				var e logged
				err := dec.Decode(&e)
				if errors.Is(err, io.EOF) {
					break
				}
				if err != nil {
					return fmt.Errorf("row %d of the log: %w", last, err)
				}
				x := byID[e.Lobby]
				if x == nil || last < x.from || e.Seq <= x.Seq || gaps[x] {
					continue
				}
				if e.Seq != x.Seq+1 {
					log.Warn("the log lacks what a lobby took in; it goes on from before that", "lobby", x.Code)
					gaps[x] = true
					continue
				}
				if x.first == 0 {
					x.first = last
				}
				x.Seq, x.After, x.entries = e.Seq, append(x.After, e.Entry...), append(x.entries, e.Entry)
			}
		}
	}
}
