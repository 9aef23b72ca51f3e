package ledger

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/fxamacker/cbor/v2"
	"gorm.io/gorm/clause"

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

// Open writes how a lobby is opened, with its first state. It is committed when it returns.
func (g *Ledger) Open(ctx context.Context, h Head, state []byte) error {
	setup, err := cbor.Marshal(h.Setup)
	if err != nil {
		return err
	}
	return g.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		row := store.LedgerLobby{LobbyID: h.Lobby, Node: g.node, Code: h.Code, Name: h.Name, Rulebook: h.Rulebook,
			Version: h.Version, Setup: setup, OpenedAt: h.Opened.UTC()}
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).
			Create(&store.LedgerCheckpoint{LobbyID: h.Lobby, Data: state, BeganAt: h.Opened.UTC()}).Error
	})
}

// Drop forgets a lobby that was not opened after all.
func (g *Ledger) Drop(ctx context.Context, lobby string) error {
	return g.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		if err := tx.Delete(&store.LedgerLobby{}, "lobby_id = ?", lobby).Error; err != nil {
			return err
		}
		return tx.Delete(&store.LedgerCheckpoint{}, "lobby_id = ?", lobby).Error
	})
}

// writeRest writes what of a batch is not in the log.
func writeRest(tx *store.Tx, b *batch) error {
	again := tx.Clauses(clause.OnConflict{DoNothing: true})
	if len(b.people) > 0 {
		if err := again.CreateInBatches(b.people, 1000).Error; err != nil {
			return err
		}
	}
	if len(b.segments) > 0 {
		if err := again.CreateInBatches(b.segments, 200).Error; err != nil {
			return err
		}
	}
	if len(b.checkpoints) > 0 {
		rows := slices.Collect(maps.Values(b.checkpoints))
		slices.SortFunc(rows, func(x, y *store.LedgerCheckpoint) int {
			return bytes.Compare([]byte(x.LobbyID), []byte(y.LobbyID))
		})
		newer := tx.Clauses(clause.OnConflict{UpdateAll: true})
		if err := newer.CreateInBatches(rows, 200).Error; err != nil {
			return err
		}
	}
	if len(b.ends) == 0 {
		return nil
	}
	return tx.Exec("with ended as (update ledger_lobbies set ended_at = clock_timestamp() where lobby_id in ? "+
		"returning lobby_id) "+
		"delete from ledger_checkpoints c using ended e where c.lobby_id = e.lobby_id", b.ends).Error
}

// Left is a lobby that a node held when it ended: its last checkpoint, and what it took in
// after it.
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
}

// logPage is how many rows of the log are read at once.
const logPage = 500

// after reads what the lobbies took in after their checkpoints.
func (g *Ledger) after(tx *store.Tx, node string, byID map[string]*Left) error {
	gaps := map[*Left]bool{}
	for last := int64(0); ; {
		var rows []store.LedgerLog
		err := tx.Order("id").Limit(logPage).Find(&rows, "node = ? and id > ?", node, last).Error
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
				if x == nil || e.Seq <= x.Seq || gaps[x] {
					continue
				}
				if e.Seq != x.Seq+1 {
					g.log.Warn("the log lacks what a lobby took in; it goes on from before that", "lobby", x.Code)
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

// Journal is what is kept of a lobby, open or ended.
type Journal struct {
	Head
	People  []journal.Person
	State   []byte        // the state from which the entries go on; nil for the beginning
	Entries [][]byte      // pieces, in their order
	Until   int64         // the tick up to which they are everything
	Age     time.Duration // of an open lobby: the time from its tick 0 up to which they are everything
	Ended   *time.Time
	Missing int64 // what lies between Until and this tick is missing; 0 if nothing is
	GoesOn  bool  // the journal can be asked for from there on
}

// Journal reads the journal of the newest lobby that had a join code, or of the lobby with an ID;
// nil if none is kept. Of an open lobby it reaches to what was committed last.
func (g *Ledger) Journal(ctx context.Context, codeOrID string) (out *Journal, err error) {
	return g.JournalFrom(ctx, codeOrID, 0)
}

// JournalFrom is Journal, with a state from before a tick, if one is kept, and only what follows it.
func (g *Ledger) JournalFrom(ctx context.Context, codeOrID string, tick int64) (out *Journal, err error) {
	err = g.db.Snapshot(ctx, func(tx *store.Tx) error { // pieces of the log become segments meanwhile
		out, err = g.journal(tx, codeOrID, tick)
		return err
	})
	return out, err
}

func (g *Ledger) journal(tx *store.Tx, codeOrID string, tick int64) (*Journal, error) {
	var rows []store.LedgerLobby
	err := tx.Order("opened_at desc").Limit(1).
		Find(&rows, "code = ? or lobby_id::text = ?", strings.ToUpper(codeOrID), strings.ToLower(codeOrID)).Error
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	r := &rows[0]
	x := &Left{}
	if x.Head, err = headOf(r); err != nil {
		return nil, err
	}
	out := &Journal{Head: x.Head, Ended: r.EndedAt}
	var people []store.LedgerPerson
	if err := tx.Find(&people, "lobby_id = ?", r.LobbyID).Error; err != nil {
		return nil, err
	}
	for i := range people {
		out.People = append(out.People, personOf(&people[i]))
	}
	var from []store.LedgerSegment
	if err := tx.Order("seq desc").Limit(1).Find(&from, "lobby_id = ? and tick <= ? and state is not null", r.LobbyID,
		tick).Error; err != nil {
		return nil, err
	}
	for _, s := range from {
		out.State, out.Until, x.Seq = s.State, s.Tick, s.Seq
	}
	var segments []struct {
		Seq, Tick     int64
		Data          []byte
		Missing, Goes bool
	}
	piece := tx.Model(&store.LedgerSegment{}).Select("seq, tick, data, missing, state is not null as goes")
	if err := piece.Order("seq").Find(&segments, "lobby_id = ? and seq > ?", r.LobbyID, x.Seq).Error; err != nil {
		return nil, err
	}
	for _, s := range segments {
		if s.Missing {
			out.Missing, out.GoesOn = s.Tick, s.Goes
			return out, nil
		}
		out.Entries, out.Until, x.Seq = append(out.Entries, s.Data), max(out.Until, s.Tick), s.Seq
	}
	if r.EndedAt == nil {
		var alive time.Time
		var point []store.LedgerCheckpoint
		if err := tx.Raw("select alive_at from ledger_nodes where node = ?", r.Node).Scan(&alive).Error; err != nil {
			return nil, err
		}
		if err := tx.Select("began_at").Find(&point, "lobby_id = ?", r.LobbyID).Error; err != nil {
			return nil, err
		}
		if len(point) == 1 && !alive.IsZero() {
			out.Age = alive.Sub(point[0].BeganAt)
		}
		err = g.after(tx, r.Node, map[string]*Left{r.LobbyID: x})
		out.Entries = append(out.Entries, x.After)
	}
	return out, err
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

// Of returns the journals, by join code and lobby, in which an account stands.
func (g *Ledger) Of(ctx context.Context, account string) (out []string, err error) {
	return out, g.db.WithContext(ctx).Raw("select l.code || '-' || l.lobby_id from ledger_people p join "+
		"ledger_lobbies l using (lobby_id) where p.text = ? order by l.opened_at", account).Scan(&out).Error
}

// Sweep removes what is kept of lobbies that ended so long ago, and the oldest of it as far as it
// takes more bytes than it may, and what was written of players while they were being deleted.
func (g *Ledger) Sweep(ctx context.Context, keep time.Duration, most int64) error {
	err := g.db.WithContext(ctx).Exec(`update ledger_segments s set state = null from ledger_people a, ledger_lobbies l
		where l.lobby_id = a.lobby_id and l.ended_at is not null and a.token like 'a%' and s.lobby_id = a.lobby_id
		and s.state is not null and not exists (select 1 from players p where p.id::text = a.text)`).Error
	if err != nil {
		return err
	}
	err = g.db.WithContext(ctx).Exec(`delete from ledger_people n using ledger_people a, ledger_lobbies l
		where l.lobby_id = a.lobby_id and l.ended_at is not null and a.token like 'a%'
		and not exists (select 1 from players p where p.id::text = a.text)
		and n.lobby_id = a.lobby_id and (n.token = a.token or n.of_token = a.token)`).Error
	if err != nil {
		return err
	}
	err = g.db.WithContext(ctx).Exec("delete from ledger_lobbies where ended_at < clock_timestamp() - ? * interval "+
		"'1 second'", keep.Seconds()).Error
	if err == nil {
		err = g.db.WithContext(ctx).Exec(`delete from ledger_lobbies where lobby_id in (select lobby_id from (
			select l.lobby_id, sum(z.size) over (order by l.ended_at desc,
				l.lobby_id) as total from ledger_lobbies l join (
				select lobby_id, sum(pg_column_size(data) + coalesce(pg_column_size(state), 0)) as size
				from ledger_segments group by lobby_id) z using (lobby_id) where l.ended_at is not null) x
			where total > ?)`, most).Error
	}
	for _, table := range []string{"ledger_segments", "ledger_people", "ledger_checkpoints"} {
		if err == nil {
			err = g.db.WithContext(ctx).Exec("delete from " + table + " t where not exists (select 1 from " +
				"ledger_lobbies l " +
				"where l.lobby_id = t.lobby_id)").Error
		}
	}
	return err
}
