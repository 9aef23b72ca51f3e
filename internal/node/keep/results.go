package keep

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Save keeps a job, in one transaction. It may be repeated: a result that is kept
// already is not kept twice, with what follows from it. Players who were deleted
// meanwhile are left out.
func (k *Keeper) Save(ctx context.Context, job *Job) (stand map[string]Standing, err error) {
	err = k.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		there, err := store.Present(tx, job.Players()...)
		if err != nil {
			return err
		}
		if stand, err = k.saveRecords(tx, job, there); err != nil || job.Result == nil {
			return err
		}
		return k.saveResult(tx, job, there)
	})
	return stand, err
}

// saveResult writes a result, with what follows from it for the players who are
// there.
func (k *Keeper) saveResult(tx *store.Tx, job *Job, there map[string]bool) error {
	r := job.Result
	data, err := json.Marshal(r)
	if err != nil {
		return err
	}
	row := store.Match{
		ID:       uuid.Must(uuid.NewV7()).String(),
		LobbyID:  job.Lobby,
		Number:   r.Match,
		Rulebook: r.Rulebook,
		Version:  r.Version,
		Because:  r.Because,
		Millis:   r.Millis,
		Practice: r.Practice,
		EndedAt:  job.Ended.UTC(),
		Result:   data,
	}
	done := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
	if done.Error != nil || done.RowsAffected == 0 { // none: an earlier try was committed after all
		return done.Error
	}
	if err := savePlayers(tx, row.ID, r, there); err != nil {
		return err
	}
	for _, p := range r.Posts {
		if b := job.Book.Board(p.Board); b != nil && there[p.Account] {
			if err := k.Post(tx, b, job.Book.Name, p.Account, p.Value); err != nil {
				return err
			}
		}
	}
	return nil
}

func savePlayers(tx *store.Tx, match string, r *step.Result, there map[string]bool) error {
	seen := map[string]bool{}
	for _, p := range r.Players {
		if !there[p.Account] || seen[p.Account] {
			continue
		}
		seen[p.Account] = true
		row := store.MatchPlayer{
			MatchID:  match,
			PlayerID: p.Account,
			Name:     p.Name,
			Team:     p.Team,
			Outcome:  p.Outcome,
			Place:    p.Place,
		}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
	}
	return nil
}

// Ended is a match that has ended, with its lobby's join code.
type Ended struct {
	store.Match
	Code string
}

// Query is what a page of ended matches is asked for with. What is empty is any.
type Query struct {
	Rulebook string    // its name
	Lobby    string    // a join code
	Player   string    // who took part
	Before   time.Time // with BeforeID: where the last page ended
	BeforeID string
	Limit    int // how many matches
}

func (k *Keeper) matches(ctx context.Context) *store.Tx {
	return k.db.WithContext(ctx).
		Table("matches m").
		Select("m.*, l.code as code").
		Joins("join lobbies l on l.id = m.lobby_id")
}

// Matches lists ended matches, newest first.
func (k *Keeper) Matches(ctx context.Context, query Query) (rows []Ended, err error) {
	q := k.matches(ctx)
	if query.Rulebook != "" {
		q = q.Where("m.rulebook = ?", query.Rulebook)
	}
	if query.Lobby != "" {
		q = q.Where("l.code = ?", strings.ToUpper(query.Lobby))
	}
	if query.Player != "" {
		if uuid.Validate(query.Player) != nil {
			return nil, fault.New(code.NoPlayer, "there is no player %q", query.Player)
		}
		q = q.Where(
			"exists (select 1 from match_players mp where mp.match_id = m.id and mp.player_id = ?)",
			query.Player,
		)
	}
	if query.BeforeID != "" {
		q = q.Where("(m.ended_at, m.id) < (?, ?::uuid)", query.Before, query.BeforeID)
	}
	err = q.Order("m.ended_at desc, m.id desc").Limit(query.Limit).Scan(&rows).Error
	return rows, err
}

// Match returns an ended match by its ID, or fault code.NoMatch.
func (k *Keeper) Match(ctx context.Context, id string) (row Ended, err error) {
	err = store.ErrNotFound
	if uuid.Validate(id) == nil {
		err = k.matches(ctx).Where("m.id = ?", id).Take(&row).Error
	}
	if errors.Is(err, store.ErrNotFound) {
		err = fault.New(code.NoMatch, "there is no match %q", id)
	}
	return row, err
}
