package keep

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
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

// Without leaves fields of records out, and what was done to them.
func (p *Person) Without(hidden func(rulebook, field string) bool) error {
	part := func(rulebook string, data *json.RawMessage) error {
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
	for i := range p.Records {
		if err := part(p.Records[i].Rulebook, &p.Records[i].Fields); err != nil {
			return err
		}
	}
	for i := range p.Changes {
		c := &p.Changes[i]
		if err := errors.Join(part(c.Rulebook, &c.Was), part(c.Rulebook, &c.Became)); err != nil {
			return err
		}
		var list []Corrected
		if err := json.Unmarshal(c.Changes, &list); err != nil {
			return err
		}
		seen := []Corrected{}
		for _, x := range list {
			if !hidden(c.Rulebook, x.Field) {
				seen = append(seen, x)
			}
		}
		data, err := json.Marshal(seen)
		if err != nil {
			return err
		}
		c.Changes = data
	}
	p.Changes = slices.DeleteFunc(p.Changes, func(c PersonChange) bool { // nothing that may be known
		return string(c.Changes) == "[]" && bytes.Equal(c.Was, c.Became)
	})
	return nil
}

// Person returns everything that is kept of a player, from one moment.
func (k *Keeper) Person(ctx context.Context, p *store.Player) (out *Person, err error) {
	out = &Person{Player: p.ID, Name: p.Name, Created: p.CreatedAt.UTC(), Seen: p.SeenAt.UTC(), Devices: []time.Time{},
		Records: []PersonRecord{}, Changes: []PersonChange{}, Results: []PersonResult{}, Boards: []PersonEntry{},
		Posts: []PersonPost{}, Bars: []PersonBar{}}
	err = k.db.Snapshot(ctx, func(tx *store.Tx) error {
		var logins []string
		if err := tx.Table("accounts").Where("player_id = ?", p.ID).Pluck("login", &logins).Error; err != nil {
			return err
		}
		if len(logins) > 0 {
			out.Login = logins[0]
		}
		for _, part := range []struct {
			into any
			sql  string
		}{
			{&out.Devices, "select created_at from devices where player_id = ? order by 1"},
			{&out.Records, "select rulebook, fields, updated_at as updated from records where player_id = ? order " +
				"by 1"},
			{&out.Changes, `select rulebook, changed_at as at, lobby_id as lobby, number, revision, match, version, author,
				why, changes, was, became from record_changes where player_id = ? and (changes <> '[]' or was <> became)
				order by rulebook, revision`},
			{&out.Results, `select m.id, m.ended_at as ended, m.result from match_players p
				join matches m on m.ended_at = p.ended_at and m.id = p.match_id where p.player_id = ? order by 2, 1`},
			{&out.Boards, `select s.rulebook, s.board, s.name as season, e.value, e.posts, e.reached_at as reached
				from board_entries e join board_seasons s on s.id = e.season where e.subject = ? and not e.removed
				order by 1, 2, s.begins`},
			{&out.Posts, `select rulebook, board, id, value, posted_at as posted from board_posts where subject = ?
				order by 5`},
			{&out.Bars, `select rulebook, board, why, barred_at as barred from board_bars where player_id = ?
				order by 4`},
		} {
			if err := tx.Raw(part.sql, p.ID).Scan(part.into).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		out.Totals, err = k.Totals(ctx, p.ID, "")
	}
	return out, err
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
