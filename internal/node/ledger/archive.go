package ledger

import (
	"context"
	"log/slog"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/store"
)

// Archive reads the journals that are kept, of all lobbies of all nodes. It may be used by several goroutines.
type Archive struct {
	db  *store.DB
	log *slog.Logger
}

// NewArchive returns the journals in a database.
func NewArchive(db *store.DB, log *slog.Logger) *Archive { return &Archive{db, log} }

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

// Journal reads the journal of the newest lobby that had a join code, or of the lobby with an ID; nil if none is kept.
// Of an open lobby it reaches to what was committed last.
func (a *Archive) Journal(ctx context.Context, codeOrID string) (out *Journal, err error) {
	return a.JournalFrom(ctx, codeOrID, 0)
}

// JournalFrom is Journal, with a state from before a tick, if one is kept, and only what follows it.
func (a *Archive) JournalFrom(ctx context.Context, codeOrID string, tick int64) (out *Journal, err error) {
	err = a.db.Snapshot(ctx, func(tx *store.Tx) error { // pieces of the log become segments meanwhile
		out, err = a.journal(tx, codeOrID, tick)
		return err
	})
	return out, err
}

func (a *Archive) journal(tx *store.Tx, codeOrID string, tick int64) (*Journal, error) {
	var found []store.LedgerLobby
	err := tx.Order("opened_at desc").Limit(1).
		Find(&found, "code = ? or lobby_id::text = ?", strings.ToUpper(codeOrID), strings.ToLower(codeOrID)).Error
	if err != nil || len(found) == 0 {
		return nil, err
	}
	r := &found[0]
	x := &Left{from: r.LogFrom}
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
		err = after(rows{tx}, a.log, r.Node, map[string]*Left{r.LobbyID: x})
		out.Entries = append(out.Entries, x.After)
	}
	return out, err
}

// Of returns the journals, by join code and lobby, in which an account stands.
func (a *Archive) Of(ctx context.Context, account string) (out []string, err error) {
	return out, a.db.WithContext(ctx).Raw("select l.code || '-' || l.lobby_id from ledger_people p join "+
		"ledger_lobbies l using (lobby_id) where p.text = ? and p.token like 'a%' "+
		"order by l.opened_at", account).Scan(&out).Error
}

// Sweep removes what is kept of lobbies that ended so long ago, unless that is 0, and the oldest of it as far as it
// takes more bytes than it may, and what was written of players while they were being deleted.
func (a *Archive) Sweep(ctx context.Context, keep time.Duration, most int64) error {
	err := a.db.WithContext(ctx).Exec(`update ledger_segments s set state = null from ledger_people a, ledger_lobbies l
		where l.lobby_id = a.lobby_id and l.ended_at is not null and a.token like 'a%' and s.lobby_id = a.lobby_id
		and s.state is not null and not exists (select 1 from players p where p.id::text = a.text)`).Error
	if err != nil {
		return err
	}
	err = a.db.WithContext(ctx).Exec(`delete from ledger_people n using ledger_people a, ledger_lobbies l
		where l.lobby_id = a.lobby_id and l.ended_at is not null and a.token like 'a%'
		and not exists (select 1 from players p where p.id::text = a.text)
		and n.lobby_id = a.lobby_id and (n.token = a.token or n.of_token = a.token)`).Error
	if err != nil {
		return err
	}
	if keep > 0 {
		err = a.db.WithContext(ctx).Exec("delete from ledger_lobbies where ended_at < clock_timestamp() - "+
			"? * interval '1 second'", keep.Seconds()).Error
	}
	if err == nil {
		err = a.db.WithContext(ctx).Exec(`delete from ledger_lobbies where lobby_id in (select lobby_id from (
			select l.lobby_id, sum(z.size) over (order by l.ended_at desc,
				l.lobby_id) as total from ledger_lobbies l join (
				select lobby_id, sum(pg_column_size(data) + coalesce(pg_column_size(state), 0)) as size
				from ledger_segments group by lobby_id) z using (lobby_id) where l.ended_at is not null) x
			where total > ?)`, most).Error
	}
	for _, table := range []string{"ledger_segments", "ledger_people", "ledger_checkpoints"} {
		if err == nil {
			err = a.db.WithContext(ctx).Exec("delete from " + table + " t where not exists (select 1 from " +
				"ledger_lobbies l " +
				"where l.lobby_id = t.lobby_id)").Error
		}
	}
	return err
}
