package board

import (
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Act is what an operator did to a board.
type Act struct {
	At      time.Time `json:"at"`
	Does    string    `json:"does"`              // remove, bar, unbar or renew
	Season  string    `json:"season,omitempty"`  // of remove and renew
	Subject string    `json:"subject,omitempty"` // the player
	Author  string    `json:"author"`            // the operator's key
	Why     string    `json:"why"`
}

type act struct {
	season, subject, what, author, why string
}

func (b *Boards) act(tx *store.Tx, r Ref, a act) error {
	why, err := fault.Reason(a.why)
	if err != nil {
		return err
	}
	row := store.BoardAct{Rulebook: r.Rulebook, Board: r.Name, Season: a.season, Act: a.what, Author: a.author,
		Why: why, ActedAt: b.now().UTC()}
	if a.subject != "" {
		row.Subject = &a.subject
	}
	return tx.Create(&row).Error
}

// Acts lists what operators did to a board, newest first, from before a number (0 begins with the newest).
func (b *Boards) Acts(tx *store.Tx, r Ref, before int64, limit int) (out []Act, next int64, err error) {
	var rows []store.BoardAct
	q := tx.Where("rulebook = ? and board = ?", r.Rulebook, r.Name)
	if before > 0 {
		q = q.Where("id < ?", before)
	}
	if err := q.Order("id desc").Limit(limit + 1).Find(&rows).Error; err != nil {
		return nil, 0, err
	}
	if len(rows) > limit {
		rows = rows[:limit]
		next = rows[limit-1].ID
	}
	out = []Act{}
	for _, a := range rows {
		one := Act{At: a.ActedAt.UTC(), Does: a.Act, Season: a.Season, Author: a.Author, Why: a.Why}
		if a.Subject != nil {
			one.Subject = *a.Subject
		}
		out = append(out, one)
	}
	return out, next, nil
}

// changed are the columns of an entry that an operator changed.
const changed = "subject, team, value, posts, reached_at, match, removed or barred as removed, version"

// Remove takes an entry away from a season ("" for the present one), for a reason. The places below move at once. The
// player, or the team, may post again.
func (b *Boards) Remove(tx *store.Tx, r Ref, season, subject, author, why string) error {
	row, err := b.find(tx, r, season)
	if err != nil {
		return err
	}
	var placed []Placed
	err = tx.Transaction(func(tx *store.Tx) error {
		if store.IsID(subject) {
			err := tx.Raw(`update board_entries set removed = true, version = version + 1,
				mark = pg_current_xact_id()::text::bigint where season = ? and subject = ? and not removed
				returning `+changed, row.ID, subject).Scan(&placed).Error
			if err != nil {
				return err
			}
		}
		if len(placed) == 0 {
			return fault.New(code.NotOnBoard, "%q has no entry on this board in this season", subject)
		}
		placed[0].season = row.ID
		return b.act(tx, r, act{season: row.Name, subject: subject, what: "remove", author: author, why: why})
	})
	if err == nil {
		b.Learn(placed)
	}
	return err
}

// Bar keeps a player off a board, for a reason: what they have in seasons that are not closed is taken away, and
// nothing they post counts until Unbar. Doing it again changes nothing but the reason.
func (b *Boards) Bar(tx *store.Tx, r Ref, player, author, why string) error {
	var rows []struct {
		Season int64
		Placed
	}
	err := tx.Transaction(func(tx *store.Tx) error {
		bar := store.BoardBar{Rulebook: r.Rulebook, Board: r.Name, PlayerID: player, Author: author, Why: why,
			BarredAt: b.now().UTC()}
		err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&bar).Error
		if errors.Is(err, gorm.ErrForeignKeyViolated) {
			return fault.New(code.NoPlayer, "there is no player %q", player)
		}
		if err != nil {
			return err
		}
		// An entry that is not there is made, so that whoever posts at this moment meets it.
		err = tx.Raw(`insert into board_entries as e
				(season, subject, value, posts, reached_at, removed, barred, version, mark)
			select id, ?::uuid, 0, 0, ?::timestamptz, true, true, 1, pg_current_xact_id()::text::bigint
			from board_seasons where rulebook = ? and board = ? and closed_at is null order by id
			on conflict (season, subject) do update set removed = true, barred = true, version = e.version + 1,
				mark = excluded.mark
			returning season, `+changed, player, b.now().UTC(), r.Rulebook, r.Name).Scan(&rows).Error
		if err != nil {
			return err
		}
		return b.act(tx, r, act{subject: player, what: "bar", author: author, why: why})
	})
	if err != nil {
		return err
	}
	for i := range rows {
		rows[i].Placed.season = rows[i].Season
		b.Learn([]Placed{rows[i].Placed})
	}
	return nil
}

// Unbar lets a barred player post to a board again. What was taken away stays so.
func (b *Boards) Unbar(tx *store.Tx, r Ref, player, author, why string) error {
	return tx.Transaction(func(tx *store.Tx) error {
		done := tx.Where("rulebook = ? and board = ? and player_id = ?", r.Rulebook, r.Name, player).
			Delete(&store.BoardBar{})
		if done.Error != nil {
			return done.Error
		}
		if done.RowsAffected == 0 {
			return nil // not barred: nothing to do
		}
		err := tx.Exec(`update board_entries e set barred = false, version = version + 1,
			mark = pg_current_xact_id()::text::bigint from board_seasons s
			where s.id = e.season and s.rulebook = ? and s.board = ? and e.subject = ? and e.barred`,
			r.Rulebook, r.Name, player).Error
		if err != nil {
			return err
		}
		return b.act(tx, r, act{subject: player, what: "unbar", author: author, why: why})
	})
}
