package keep

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"io"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/store"
)

// Person is everything that is kept of a player.
type Person struct {
	Player  string         `json:"player"`
	Name    string         `json:"name"`
	Created time.Time      `json:"created"`
	Seen    time.Time      `json:"seen"`
	Login   string         `json:"login,omitempty"` // of the account, if there is one
	Devices []time.Time    `json:"devices"`         // when each was signed in with first; their keys are not kept
	Records []PersonRecord `json:"records"`
	Changes []PersonChange `json:"changes"` // of the records, oldest first
	Totals  []Totals       `json:"totals"`
	Results []PersonResult `json:"results"` // oldest first
	Boards  []PersonEntry  `json:"boards"`
	Posts   []PersonPost   `json:"posts"` // that carried IDs
	Bars    []PersonBar    `json:"bars"`

	Journals []journal.Mention `json:"journals"` // of lobbies, on this node, in which the player stands
}

// PersonRecord is a record in an export: as it is kept, also what no rulebook knows now.
type PersonRecord struct {
	Rulebook string          `json:"rulebook"`
	Fields   json.RawMessage `json:"fields"`
	Updated  time.Time       `json:"updated"`
}

// PersonChange is a change of a record in an export.
type PersonChange struct {
	Rulebook string `json:"rulebook"`
	Change
}

// PersonResult is a result in an export.
type PersonResult struct {
	ID     string          `json:"id"`
	Ended  time.Time       `json:"ended"`
	Result json.RawMessage `json:"result"`
}

// PersonEntry is an entry on a board in an export.
type PersonEntry struct {
	Rulebook string    `json:"rulebook"`
	Board    string    `json:"board"`
	Season   string    `json:"season"`
	Value    int64     `json:"value"`
	Posts    int64     `json:"posts"`
	Reached  time.Time `json:"reached"`
}

// PersonPost is a post in an export.
type PersonPost struct {
	Rulebook string    `json:"rulebook"`
	Board    string    `json:"board"`
	ID       string    `json:"id"`
	Value    int64     `json:"value"`
	Posted   time.Time `json:"posted"`
}

// PersonBar is a board that a player may not stand on, in an export.
type PersonBar struct {
	Rulebook string    `json:"rulebook"`
	Board    string    `json:"board"`
	Why      string    `json:"why"`
	Barred   time.Time `json:"barred"`
}

// Hidden tells which fields of records an export leaves out, as one for the player themselves does; one that is nil
// leaves nothing out.
type Hidden func(rulebook, field string) bool

// without leaves fields out of what a record held.
func (hidden Hidden) without(rulebook string, data *json.RawMessage) error {
	if hidden == nil {
		return nil
	}
	f, err := ReadFields(*data)
	if err != nil {
		return err
	}
	for name := range f {
		if hidden(rulebook, name) {
			delete(f, name)
		}
	}
	*data, err = json.Marshal(f)
	return err
}

// change leaves fields out of a change, and its number, which counts the saves of others too. It tells whether anything
// is left that may be known.
func (hidden Hidden) change(c *PersonChange) (bool, error) {
	if hidden == nil {
		return true, nil
	}
	c.Number = 0
	if err := errors.Join(hidden.without(c.Rulebook, &c.Was), hidden.without(c.Rulebook, &c.Became)); err != nil {
		return false, err
	}
	var list []Corrected
	if err := json.Unmarshal(c.Changes, &list); err != nil {
		return false, err
	}
	seen := slices.DeleteFunc(list, func(x Corrected) bool { return hidden(c.Rulebook, x.Field) })
	data, err := json.Marshal(append([]Corrected{}, seen...))
	c.Changes = data
	return len(seen) > 0 || !bytes.Equal(c.Was, c.Became), err
}

// Export writes everything that is kept of a player, from one moment, as one JSON object in the form of Person. It is
// read and written row by row, and in w when it returns without an error; after one, what w holds is cut off.
func (k *Keeper) Export(ctx context.Context, p *store.Player, hidden Hidden, journals []journal.Mention,
	w io.Writer) error {
	totals, err := k.Totals(ctx, p.ID, "")
	if err != nil {
		return err
	}
	begun := false
	return k.db.Snapshot(ctx, func(tx *store.Tx) error {
		if begun {
			return errors.New("an export broke off, and was begun again")
		}
		begun = true
		x := &export{tx: tx, player: p.ID, w: bufio.NewWriter(w)}
		x.put("{", "player", p.ID)
		x.put(",", "name", p.Name)
		x.put(",", "created", p.CreatedAt.UTC())
		x.put(",", "seen", p.SeenAt.UTC())
		var logins []string
		x.err = cmp.Or(x.err, tx.Table("accounts").Where("player_id = ?", p.ID).Pluck("login", &logins).Error)
		if len(logins) > 0 {
			x.put(",", "login", logins[0])
		}
		rows(x, "devices", "select created_at from devices where player_id = ? order by 1", all[time.Time])
		rows(x, "records", "select rulebook, fields, updated_at as updated from records where player_id = ? order by 1",
			func(r *PersonRecord) (bool, error) { return true, hidden.without(r.Rulebook, &r.Fields) })
		rows(x, "changes", `select rulebook, changed_at as at, lobby_id as lobby, number, revision, match, version, author,
			why, changes, was, became from record_changes where player_id = ? and (changes <> '[]' or was <> became)
			order by rulebook, revision`, hidden.change)
		x.put(",", "totals", totals)
		rows(x, "results", `select m.id, m.ended_at as ended, m.result from match_players p
			join matches m on m.ended_at = p.ended_at and m.id = p.match_id where p.player_id = ? order by 2, 1`,
			all[PersonResult])
		rows(x, "boards", `select s.rulebook, s.board, s.name as season, e.value, e.posts, e.reached_at as reached
			from board_entries e join board_seasons s on s.id = e.season where e.subject = ? and not e.removed
			order by 1, 2, s.begins`, all[PersonEntry])
		rows(x, "posts", `select rulebook, board, id, value, posted_at as posted from board_posts where subject = ?
			order by 5`, all[PersonPost])
		rows(x, "bars", `select rulebook, board, why, barred_at as barred from board_bars where player_id = ?
			order by 4`, all[PersonBar])
		x.put(",", "journals", append([]journal.Mention{}, journals...))
		x.text("}\n")
		return errors.Join(x.err, x.w.Flush())
	})
}

// export is an export that is being written. After an error it does nothing.
type export struct {
	tx     *store.Tx
	player string
	w      *bufio.Writer
	err    error
}

func (x *export) text(s string) {
	if x.err == nil {
		_, x.err = x.w.WriteString(s)
	}
}

// put writes a key and its value behind something.
func (x *export) put(behind, key string, value any) {
	x.text(behind + `"` + key + `":`)
	x.value(value)
}

func (x *export) value(v any) {
	data, err := json.Marshal(v)
	x.err = cmp.Or(x.err, err)
	x.text(string(data))
}

// all leaves nothing out.
func all[T any](*T) (bool, error) { return true, nil }

// rows writes a key with the rows of a query, each as it is read, but those that keep leaves out.
func rows[T any](x *export, key, sql string, keep func(*T) (bool, error)) {
	x.text(`,"` + key + `":[`)
	if x.err != nil {
		return
	}
	list, err := x.tx.Raw(sql, x.player).Rows()
	if x.err = err; err != nil {
		return
	}
	defer list.Close()
	for first := true; x.err == nil && list.Next(); {
		var row T
		kept := false
		if x.err = x.tx.ScanRows(list, &row); x.err == nil {
			kept, x.err = keep(&row)
		}
		if !kept || x.err != nil {
			continue
		}
		if !first {
			x.text(",")
		}
		first = false
		x.value(&row)
	}
	x.err = cmp.Or(x.err, list.Err())
	x.text("]")
}

// Sweep drops results that are older than they are to be kept, unless that is 0, by months of which all is older. It
// makes the partitions of what comes.
func (k *Keeper) Sweep(ctx context.Context, results time.Duration) error {
	now := k.now().UTC()
	if err := k.Month(ctx, now.AddDate(0, 0, 7)); err != nil || results == 0 { // ahead, so that no save waits for it
		return err
	}
	return k.dropMonths(ctx, now.Add(-results))
}

// dropMonths drops the results of the months that ended before a moment.
func (k *Keeper) dropMonths(ctx context.Context, before time.Time) error {
	y, m, _ := before.Date()
	first := time.Date(y, m, 1, 0, 0, 0, 0, time.UTC)
	var tables []string
	err := k.db.WithContext(ctx).Raw(`select c.relname from pg_inherits i join pg_class c on c.oid = i.inhrelid
		join pg_class p on p.oid = i.inhparent where p.relname in ('matches', 'match_players')
		and c.relnamespace = current_schema()::regnamespace and right(c.relname, 7) < ?`,
		first.Format("2006_01")).Scan(&tables).Error
	if err != nil {
		return err
	}
	k.months.Clear()
	for _, t := range tables {
		if err := k.db.WithContext(ctx).Exec(`drop table "` + t + `"`).Error; err != nil {
			return err
		}
	}
	return k.db.WithContext(ctx).Delete(&store.MatchKept{}, "ended_at < ?", first).Error
}
