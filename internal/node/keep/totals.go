package keep

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/store"
)

// Totals are what a player's results of a rulebook come to.
type Totals struct {
	Rulebook string    `json:"rulebook"`
	Matches  int64     `json:"matches"`
	Won      int64     `json:"won"`
	Lost     int64     `json:"lost"`
	Drawn    int64     `json:"drawn"`
	Left     int64     `json:"left"`   // before the end
	Millis   int64     `json:"millis"` // of play time
	Last     time.Time `json:"last"`   // when the last of them ended
	Streak   Streak    `json:"streak"`
}

// Streak is how many of the newest matches in a row had the same outcome.
type Streak struct {
	Outcome string `json:"outcome"` // none, won, lost, drawn or left
	Matches int    `json:"matches"` // at most 100 are counted
}

// addTotals adds a result to what those of its players come to, in one order, so that two results cannot wait for each
// other.
func addTotals(tx *store.Tx, m *store.Match, r *step.Result, players []string) error {
	outcome := map[string]string{}
	for _, p := range r.Players {
		if outcome[p.Account] == "" {
			outcome[p.Account] = p.Outcome
		}
	}
	one := func(is bool) int {
		if is {
			return 1
		}
		return 0
	}
	for _, p := range players {
		o := outcome[p]
		err := tx.Exec(`insert into player_totals as t
			(player_id, rulebook, matches, won, lost, drawn, gone, millis, last_at) values (?, ?, 1, ?, ?, ?, ?, ?, ?)
			on conflict (player_id, rulebook) do update set matches = t.matches + 1, won = t.won + excluded.won,
				lost = t.lost + excluded.lost, drawn = t.drawn + excluded.drawn, gone = t.gone + excluded.gone,
				millis = t.millis + excluded.millis, last_at = greatest(t.last_at, excluded.last_at)`,
			p, m.Rulebook, one(o == rulebook.OutcomeWord(rulebook.Won)), one(o == rulebook.OutcomeWord(rulebook.Lost)),
			one(o == rulebook.OutcomeWord(rulebook.Drawn)), one(o == rulebook.OutcomeWord(rulebook.Left)), m.Millis,
			m.EndedAt).Error
		if err != nil {
			return err
		}
	}
	return nil
}

// streakOf is how many matches are looked at for a streak.
const streakOf = 100

// Totals returns what a player's results come to, the rulebook of the newest first; only of one rulebook if it is
// named.
func (k *Keeper) Totals(ctx context.Context, player, book string) (out []Totals, err error) {
	var rows []store.PlayerTotal
	db := k.db.WithContext(ctx)
	q := db.Where("player_id = ?", player)
	if book != "" {
		q = q.Where("rulebook = ?", book)
	}
	if err := q.Order("last_at desc, rulebook").Limit(streakOf).Find(&rows).Error; err != nil {
		return nil, err
	}
	out = []Totals{}
	for _, r := range rows {
		t := Totals{Rulebook: r.Rulebook, Matches: r.Matches, Won: r.Won, Lost: r.Lost, Drawn: r.Drawn, Left: r.Gone,
			Millis: r.Millis, Last: r.LastAt.UTC()}
		var outcomes []string
		err := db.Model(&store.MatchPlayer{}).Where("player_id = ? and rulebook = ?", player, r.Rulebook).
			Order("ended_at desc, match_id desc").Limit(streakOf).Pluck("outcome", &outcomes).Error
		if err != nil {
			return nil, err
		}
		for _, o := range outcomes {
			if t.Streak.Matches > 0 && o != t.Streak.Outcome {
				break
			}
			t.Streak = Streak{o, t.Streak.Matches + 1}
		}
		out = append(out, t)
	}
	return out, nil
}
