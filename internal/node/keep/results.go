package keep

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Save keeps a job, in one transaction. It may be repeated: a result that is kept already is not kept twice, with what
// follows from it. Players who were deleted meanwhile are left out.
func (k *Keeper) Save(ctx context.Context, job *Job) (stand map[string]Standing, err error) {
	var placed []board.Placed
	if job.Result != nil {
		if err := k.Month(ctx, job.Ended); err != nil {
			return nil, err
		}
	}
	err = k.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		if err := job.Fence.Holds(tx, job.Lobby); err != nil {
			return err
		}
		there, err := store.Present(tx, job.Players()...)
		if err != nil {
			return err
		}
		if stand, err = k.saveRecords(tx, job, there); err != nil {
			return err
		}
		posts := k.effectPosts(job, there)
		if job.Result != nil {
			more, err := k.saveResult(tx, job, there)
			if err != nil {
				return err
			}
			posts = append(posts, more...)
		}
		_, placed, err = k.boards.Put(tx, posts)
		return err
	})
	if err == nil {
		k.boards.Learn(placed)
	}
	return stand, err
}

// matchID names a match by its lobby and number, the same each time.
func matchID(lobby string, number int64) string {
	return uuid.NewSHA1(uuid.NameSpaceOID, fmt.Appendf(nil, "turnvex match %s %d", lobby, number)).String()
}

// effectPosts are a job's posts that are not the result's, each with an ID by which it counts once.
func (k *Keeper) effectPosts(job *Job, there map[string]bool) (out []board.Post) {
	for _, p := range job.Posts {
		id := uuid.NewSHA1(uuid.NameSpaceOID, fmt.Appendf(nil, "turnvex post %s %d", job.Lobby, p.Number)).String()
		match := ""
		if p.Match > 0 {
			match = matchID(job.Lobby, p.Match)
		}
		out = job.post(out, &p.Post, p.Reached, match, id, there)
	}
	return out
}

// post adds a post, if its board and its player are there.
func (j *Job) post(list []board.Post, p *step.Post, at time.Time, match, id string,
	there map[string]bool) []board.Post {
	b := j.Book.Board(p.Board)
	if b == nil || p.Team == "" && !there[p.Account] {
		return list
	}
	ref := board.Ref{Rulebook: j.Book.Name, Board: b}
	if b.Game {
		ref.Rulebook = rulebook.GamePrefix + j.Book.Game
	}
	out := board.Post{Ref: ref, Subject: p.Account, Team: p.Team,
		Value: p.Value, At: at.UTC(), Match: match, ID: id}
	if p.Team != "" {
		out.Subject = board.TeamID(ref.Rulebook, p.Team)
	}
	return append(list, out)
}

// Month makes room for the results of the month of a moment.
func (k *Keeper) Month(ctx context.Context, at time.Time) error {
	y, m, _ := at.UTC().Date()
	month := time.Date(y, m, 1, 0, 0, 0, 0, time.UTC)
	if _, there := k.months.Load(month); there {
		return nil
	}
	err := k.db.WithContext(ctx).Exec("select results_month(?)", month).Error
	if err == nil {
		k.months.Store(month, true)
	}
	return err
}

// saveResult writes a result, with what follows from it for the players who are there, and returns what it posts to
// boards.
func (k *Keeper) saveResult(tx *store.Tx, job *Job, there map[string]bool) (posts []board.Post, err error) {
	r := job.Result
	data, err := json.Marshal(without(r, there))
	if err != nil {
		return nil, err
	}
	row := store.Match{EndedAt: job.Ended.UTC().Truncate(time.Millisecond), ID: matchID(job.Lobby, r.Match),
		LobbyID: job.Lobby, Code: job.Code, Number: r.Match, Rulebook: r.Rulebook, Version: r.Version,
		Because: r.Because, Millis: r.Millis, Hidden: job.Hidden, Result: data}
	first := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&store.MatchKept{ID: row.ID, EndedAt: row.EndedAt})
	if first.Error != nil || first.RowsAffected == 0 { // none: it is kept, whenever it ended
		return nil, first.Error
	}
	done := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
	if done.Error != nil || done.RowsAffected == 0 { // none: a node with a program of before has kept it
		return nil, done.Error
	}
	if err := k.savePlayers(tx, &row, r, there); err != nil {
		return nil, err
	}
	for i := range r.Posts {
		p := &r.Posts[i]
		posts = job.post(posts, p, job.Moment(p.At), row.ID, "", there)
	}
	return posts, nil
}

// without is a result in which people who were deleted meanwhile stand as those who were deleted later do.
func without(r *step.Result, there map[string]bool) *step.Result {
	out := *r
	out.Players = slices.Clone(r.Players)
	for i := range out.Players {
		if p := &out.Players[i]; p.Account != "" && !there[p.Account] {
			p.Account, p.Name = "", "(erased)"
		}
	}
	out.Posts = slices.DeleteFunc(slices.Clone(r.Posts), func(p step.Post) bool {
		return p.Account != "" && !there[p.Account]
	})
	return &out
}

// savePlayers writes who took part, and adds to what their results come to.
func (k *Keeper) savePlayers(tx *store.Tx, m *store.Match, r *step.Result, there map[string]bool) error {
	seen := map[string]bool{}
	for _, p := range r.Players {
		if !there[p.Account] || seen[p.Account] {
			continue
		}
		seen[p.Account] = true
		row := store.MatchPlayer{PlayerID: p.Account, EndedAt: m.EndedAt, MatchID: m.ID, Rulebook: m.Rulebook,
			Name: p.Name, Team: p.Team, Outcome: p.Outcome, Place: p.Place}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
	}
	return addTotals(tx, m, r, slices.Sorted(maps.Keys(seen)))
}

// Query is what a page of ended matches is asked for with. What is empty is any.
type Query struct {
	Rulebook string    // its name
	Lobby    string    // a join code
	Player   string    // who took part
	Since    time.Time // that ended then or later
	Before   time.Time // with BeforeID: where the last page ended; without it: that ended earlier
	BeforeID string
	Public   bool   // of lobbies that were not listed only those in which the seer took part
	Seer     string // a player, or nobody
	Limit    int    // how many matches
}

// Matches lists ended matches, newest first.
func (k *Keeper) Matches(ctx context.Context, query Query) (rows []store.Match, err error) {
	if query.Player != "" && !store.IsID(query.Player) {
		return nil, fault.New(code.NoPlayer, "there is no player %q", query.Player)
	}
	return rows, query.On(k.db.WithContext(ctx)).Scan(&rows).Error
}

// On is the query of a list, which reads an index in the list's own order.
func (query *Query) On(tx *store.Tx) *store.Tx {
	q, of, id := tx.Table("matches m").Select("m.*"), "m", "id"
	if query.Player != "" {
		of, id = "p", "match_id"
		q = tx.Table("match_players p").Select("m.*").
			Joins("join matches m on m.ended_at = p.ended_at and m.id = p.match_id").
			Where("p.player_id = ?", query.Player)
	}
	if query.Rulebook != "" {
		q = q.Where(of+".rulebook = ?", query.Rulebook)
	}
	if query.Public && (query.Seer == "" || query.Seer != query.Player) {
		if query.Seer == "" {
			q = q.Where("not m.hidden")
		} else {
			q = q.Where("(not m.hidden or exists (select 1 from match_players x where x.player_id = ? and "+
				"x.ended_at = m.ended_at and x.match_id = m.id))", query.Seer)
		}
	}
	if query.Lobby != "" {
		q = q.Where("m.code = ?", strings.ToUpper(query.Lobby))
	}
	if !query.Since.IsZero() {
		q = q.Where(of+".ended_at >= ?", query.Since)
	}
	switch {
	case query.BeforeID != "": // said twice: the months after it are left out for the first alone
		q = q.Where(of+".ended_at <= ? and ("+of+".ended_at, "+of+"."+id+") < (?, ?::uuid)", query.Before,
			query.Before, query.BeforeID)
	case !query.Before.IsZero():
		q = q.Where(of+".ended_at < ?", query.Before)
	}
	return q.Order(of + ".ended_at desc, " + of + "." + id + " desc").Limit(query.Limit)
}

// Match returns an ended match by its ID, as far as a query lets it be seen, or fault code.NoMatch.
func (k *Keeper) Match(ctx context.Context, id string, as Query) (row store.Match, err error) {
	err = store.ErrNotFound
	as.Limit = 1
	if store.IsID(id) {
		err = as.On(k.db.WithContext(ctx)).Where("m.id = ?", id).Take(&row).Error
	}
	if errors.Is(err, store.ErrNotFound) {
		err = fault.New(code.NoMatch, "there is no match %q", id)
	}
	return row, err
}
