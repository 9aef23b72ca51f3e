package board

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"sync"
	"time"

	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/zone"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// Season is a board from one renewal to the next.
type Season = wire.Season

// The states of a season.
const (
	Open    = "open"
	Closing = "closing"
	Closed  = "closed"
)

type seasonKey struct{ rulebook, board, name string }

// span is a season by the calendar, whether anything was posted in it or not.
type span struct {
	name   string
	begins time.Time
	ends   time.Time // zero for none that is known
}

// always is the name of a season without an end.
const always = "all"

var epoch = time.Unix(0, 0).UTC()

// spanAt is the season of a calendar at a moment; ok is false before its first.
func spanAt(b *rulebook.Board, at time.Time) (s span, ok bool) {
	if b.Renew == rulebook.RenewNever || b.Renew == rulebook.RenewByHand {
		return span{name: always, begins: epoch}, true
	}
	in := zoneOf(b.Zone)
	local := at.In(in)
	y, m, d := local.Date()
	switch b.Renew {
	case rulebook.RenewDaily:
		return span{local.Format(time.DateOnly), zone.Begins(y, m, d, in), zone.Begins(y, m, d+1, in)}, true
	case rulebook.RenewWeekly:
		monday := d - (int(local.Weekday())+6)%7
		year, week := local.ISOWeek()
		return span{fmt.Sprintf("%d-W%02d", year, week), zone.Begins(y, m, monday, in),
			zone.Begins(y, m, monday+7, in)}, true
	case rulebook.RenewMonthly:
		return span{local.Format("2006-01"), zone.Begins(y, m, 1, in), zone.Begins(y, m+1, 1, in)}, true
	}
	return spanOfDates(b.Dates, in, at)
}

// zones are the time zones that were read, by name.
var zones sync.Map

func zoneOf(name string) *time.Location {
	if z, there := zones.Load(name); there {
		return z.(*time.Location)
	}
	z, err := zone.Load(name)
	if err != nil { // the checker has let none through that is not known
		z = time.UTC
	}
	zones.Store(name, z)
	return z
}

func spanOfDates(dates []string, in *time.Location, at time.Time) (s span, ok bool) {
	begins := func(i int) time.Time {
		day, _ := time.Parse(time.DateOnly, dates[i]) // the checker has read it
		return zone.Begins(day.Year(), day.Month(), day.Day(), in)
	}
	for i, date := range dates {
		if at.Before(begins(i)) {
			return s, ok
		}
		s, ok = span{name: "since-" + date, begins: begins(i)}, true
		if i+1 < len(dates) {
			s.ends = begins(i + 1)
		}
	}
	return s, ok
}

// seasonAt is the number of a board's season at a moment, which is made if it is not there yet; 0 before the first.
func (b *Boards) seasonAt(tx *store.Tx, r Ref, at time.Time) (int64, error) {
	if r.Renew == rulebook.RenewByHand {
		return b.seasonByHand(tx, r, at)
	}
	s, ok := spanAt(r.Board, at)
	if !ok {
		return 0, nil
	}
	key := seasonKey{r.Rulebook, r.Name, s.name}
	b.mu.Lock()
	id := b.seasons[key]
	b.mu.Unlock()
	if id != 0 {
		return id, nil
	}
	return b.makeSeason(tx, key, s)
}

// makeSeason makes a season's row, if there is none, and returns its number. It is remembered when the transaction is
// committed, by Learn.
func (b *Boards) makeSeason(tx *store.Tx, key seasonKey, s span) (int64, error) {
	row := s.row()
	row.Rulebook, row.Board = key.rulebook, key.board
	find := func() error {
		return tx.Take(row, "rulebook = ? and board = ? and name = ?", key.rulebook, key.board, key.name).Error
	}
	if err := find(); !errors.Is(err, store.ErrNotFound) {
		return row.ID, err
	}
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(row).Error; err != nil {
		return 0, err
	}
	row = &store.BoardSeason{}
	err := find() // the one that is there, whoever made it
	return row.ID, err
}

// seasonByHand finds the season of a board that is renewed by hand.
func (b *Boards) seasonByHand(tx *store.Tx, r Ref, at time.Time) (int64, error) {
	var rows []store.BoardSeason
	err := tx.Where("rulebook = ? and board = ? and begins <= ?", r.Rulebook, r.Name, at).
		Order("begins desc").Limit(1).Find(&rows).Error
	if err != nil || len(rows) > 0 {
		return first(rows).ID, err
	}
	return b.makeSeason(tx, seasonKey{r.Rulebook, r.Name, "1"}, span{name: "1", begins: epoch})
}

func first[T any](list []T) (x T) {
	if len(list) > 0 {
		x = list[0]
	}
	return x
}

func (b *Boards) shown(row *store.BoardSeason) Season {
	s := Season{Name: row.Name, Begins: row.Begins.UTC(), Ends: row.Ends, State: Open}
	switch {
	case row.ClosedAt != nil:
		s.State = Closed
	case row.Ends != nil && !b.now().Before(*row.Ends):
		s.State = Closing
	}
	return s
}

// Seasons lists a board's seasons to which something was posted, and the present one, newest first, at most limit of
// those that were posted to, from after one of a number (0 begins with the newest). next is the number of the last, if
// there are more.
func (b *Boards) Seasons(tx *store.Tx, r Ref, after int64, limit int) (out []Season, next int64, err error) {
	var rows []store.BoardSeason
	q := tx.Where("rulebook = ? and board = ?", r.Rulebook, r.Name)
	if after > 0 {
		q = q.Where("(begins, id) < (select begins, id from board_seasons where id = ?)", after)
	}
	if err := q.Order("begins desc, id desc").Limit(limit + 1).Find(&rows).Error; err != nil {
		return nil, 0, err
	}
	if len(rows) > limit {
		rows = rows[:limit]
		next = rows[limit-1].ID
	}
	out = []Season{}
	if now, ok := spanAt(r.Board, b.now()); ok && after == 0 && r.Renew != rulebook.RenewByHand &&
		(len(rows) == 0 || rows[0].Name != now.name) {
		out = append(out, b.shown(now.row()))
	}
	for i := range rows {
		out = append(out, b.shown(&rows[i]))
	}
	return out, next, nil
}

// known is the season that is wanted, where it is known without asking the database: the season of a calendar that it
// is now, and closed ones; nil for others. That nothing was posted yet, and the season of a board that is renewed by
// hand, are good for a moment.
func (b *Boards) known(r Ref, name string) *store.BoardSeason {
	now := b.now()
	s, ok := spanAt(r.Board, now)
	b.mu.Lock()
	defer b.mu.Unlock()
	if ok && r.Renew != rulebook.RenewByHand && (name == "" || name == s.name) {
		if id := b.seasons[seasonKey{r.Rulebook, r.Name, s.name}]; id != 0 {
			row := s.row()
			row.ID = id
			return row
		}
	}
	if was, there := b.found[seasonKey{r.Rulebook, r.Name, name}]; there && now.Sub(was.at) >= 0 &&
		(was.row.ClosedAt != nil || now.Sub(was.at) < foundFor) {
		return &was.row
	}
	return nil
}

// present is the season that is wanted, which the database is asked for if it is not known.
func (b *Boards) present(ctx context.Context, r Ref, name string) (*store.BoardSeason, error) {
	if row := b.known(r, name); row != nil {
		return row, nil
	}
	now := b.now()
	row, err := b.find(b.db.WithContext(ctx), r, name)
	if err != nil {
		return nil, err
	}
	s, ok := spanAt(r.Board, now)
	byHand := r.Renew == rulebook.RenewByHand
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.found) >= maxFound {
		clear(b.found)
	}
	if byHand || row.ClosedAt != nil || row.ID == 0 {
		b.found[seasonKey{r.Rulebook, r.Name, name}] = found{row, now}
	} else if ok && row.Name == s.name {
		b.seasons[seasonKey{r.Rulebook, r.Name, s.name}] = row.ID
	}
	return &row, nil
}

// found is a season as it was found at a moment.
type found struct {
	row store.BoardSeason
	at  time.Time
}

// The most seasons that are remembered as they were found, and for how long one of them that may change.
const (
	maxFound = 10000
	foundFor = 500 * time.Millisecond
)

// row is a season to which nothing was posted yet.
func (s *span) row() *store.BoardSeason {
	row := &store.BoardSeason{Name: s.name, Begins: s.begins}
	if !s.ends.IsZero() {
		row.Ends = &s.ends
	}
	return row
}

// find returns a season by its name, or the present one for "". One to which nothing was posted has no number.
func (b *Boards) find(tx *store.Tx, r Ref, name string) (row store.BoardSeason, err error) {
	q := tx.Where("rulebook = ? and board = ?", r.Rulebook, r.Name)
	now, ok := spanAt(r.Board, b.now())
	switch {
	case name != "":
		q = q.Where("name = ?", name)
	case r.Renew == rulebook.RenewByHand:
		q = q.Order("begins desc").Limit(1)
	default:
		name = now.name
		q = q.Where("name = ?", name)
	}
	err = q.Take(&row).Error
	switch {
	case !errors.Is(err, store.ErrNotFound):
	case name == "":
		return store.BoardSeason{Name: "1", Begins: epoch}, nil
	case ok && name == now.name:
		return *now.row(), nil
	default:
		err = fault.New(code.NoSeason, "the board %s of %s has no season %q", r.Name, r.Rulebook, name)
	}
	return row, err
}

// Renew begins a board anew that is renewed by hand, and returns its new season. after is the season that it ends, or
// "" for whichever is the present one; if it has been ended already, that is not done again.
func (b *Boards) Renew(tx *store.Tx, r Ref, after, author, why string) (s Season, err error) {
	if r.Renew != rulebook.RenewByHand {
		return s, fault.New(code.NotNow, "the board %s of %s is not renewed by hand: its rulebook says renew: %s",
			r.Name, r.Rulebook, r.Renew)
	}
	err = tx.Transaction(func(tx *store.Tx) error {
		now := b.now().UTC()
		if _, err := b.seasonByHand(tx, r, now); err != nil {
			return err
		}
		last, err := b.lastSeason(tx, r)
		if err != nil {
			return err
		}
		n, err := strconv.Atoi(last.Name)
		if err != nil {
			n = 0
		}
		switch after {
		case "", last.Name:
		case fmt.Sprint(n - 1):
			s = b.shown(&last)
			return nil
		default:
			return fault.New(code.NotNow, "season %.40q of the board %s of %s is not the present one, which is %s",
				after, r.Name, r.Rulebook, last.Name)
		}
		if !now.After(last.Begins) {
			now = last.Begins.Add(time.Microsecond)
		}
		next := store.BoardSeason{Rulebook: r.Rulebook, Board: r.Name, Name: fmt.Sprint(n + 1), Begins: now}
		if err := tx.Model(&last).Update("ends", now).Error; err != nil {
			return err
		}
		if err := tx.Create(&next).Error; err != nil {
			return err
		}
		s = b.shown(&next)
		b.mu.Lock()
		delete(b.found, seasonKey{r.Rulebook, r.Name, ""})
		b.mu.Unlock()
		return b.act(tx, r, act{season: next.Name, what: "renew", author: author, why: why})
	})
	return s, err
}

// lastSeason returns the season of a board that began last, and keeps others from beginning one until the transaction
// ends.
func (b *Boards) lastSeason(tx *store.Tx, r Ref) (last store.BoardSeason, err error) {
	of := func() *store.Tx { return tx.Where("rulebook = ? and board = ?", r.Rulebook, r.Name) }
	err = of().Clauses(clause.Locking{Strength: "UPDATE"}).Order("id").Take(&store.BoardSeason{}).Error
	if err != nil {
		return last, err
	}
	return last, of().Order("begins desc").Limit(1).Take(&last).Error // somebody may have begun it meanwhile
}
