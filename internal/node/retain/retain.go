// Package retain says for how long rows are kept that nobody needs to play, and removes those whose time is over: one
// table of all that grows while people play.
package retain

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

const day = 24 * time.Hour

// Sort is one sort of what grows.
type Sort struct {
	Name  string
	Says  string        // what goes, for whoever runs a node
	For   time.Duration // how long it is kept unless somebody says otherwise; 0 is for ever
	Least time.Duration // no shorter period is taken

	// What of it is old, table by table: a condition on a row x. None where other packages remove it.
	old []old
}

type old struct{ table, is string }

// Sorts are all that grows, in the order in which it is removed: what names other rows goes before them.
var Sorts = []Sort{
	{Name: "results", Says: "results of matches, by whole months: one goes when all of it is older", Least: day},
	{Name: "history", Says: "what changed in records, and why", Least: day,
		old: []old{{"record_changes", "x.changed_at < @before"}}},
	{Name: "journals", Says: "journals of lobbies that ended, for playback", For: 7 * day, Least: time.Minute},
	{Name: "lobbies", Says: "lobbies that closed, once their journals are gone", For: 30 * day, Least: time.Hour,
		old: []old{{"lobbies", `x.closed_at < @before
			and not exists (select 1 from ledger_lobbies l where l.lobby_id = x.id)`}}},
	{Name: "seasons", Says: "closed seasons of leaderboards, with their entries", For: 730 * day, Least: day,
		old: []old{
			{"board_entries", `exists (select 1 from board_seasons s where s.id = x.season and s.closed_at < @before)`},
			{"board_seasons", `x.closed_at < @before
				and not exists (select 1 from board_entries e where e.season = x.id)`},
		}},
	{Name: "series", Says: "series that ended", For: 365 * day, Least: day,
		old: []old{{"series", "x.over and x.changed_at < @before"}}},
	{Name: "guests", Says: "players without an account who came on one day only and of whom nothing is kept: no " +
		"record, result, entry, post, bar, ban, series or journal", For: 90 * day, Least: 31 * day,
		old: []old{{"players", guest}}},
	{Name: "acts", Says: "what operators did to leaderboards", For: 365 * day, Least: day,
		old: []old{{"board_acts", "x.acted_at < @before"}}},
	{Name: "audit", Says: "lines of the audit trail", For: 365 * day, Least: day,
		old: []old{{"audit", "x.at < @before"}}},
}

// guest is a player who came on one day and left nothing. Refresh tokens have run out by then (see Least), so that
// nobody is signed in as them.
const guest = `x.banned_at is null and x.seen_at - x.created_at < interval '1 day' and x.seen_at < @before
	and not exists (select 1 from accounts y where y.player_id = x.id)
	and not exists (select 1 from records y where y.player_id = x.id)
	and not exists (select 1 from record_changes y where y.player_id = x.id)
	and not exists (select 1 from player_totals y where y.player_id = x.id)
	and not exists (select 1 from match_players y where y.player_id = x.id)
	and not exists (select 1 from board_entries y where y.subject = x.id)
	and not exists (select 1 from board_posts y where y.subject = x.id)
	and not exists (select 1 from board_bars y where y.player_id = x.id)
	and not exists (select 1 from series_players y where y.player_id = x.id)
	and not exists (select 1 from ledger_people y where y.text = x.id::text and y.token like 'a%')`

// Periods say how long each sort is kept, by its name.
type Periods map[string]time.Duration

// Parse reads periods such as "results=365d, guests=0": a number of days, or a Go duration; 0 keeps for ever. What is
// not named is kept as Sorts say.
func Parse(text string) (Periods, error) {
	p := Periods{}
	for _, s := range Sorts {
		p[s.Name] = s.For
	}
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' }) {
		name, value, _ := strings.Cut(part, "=")
		i := slices.IndexFunc(Sorts, func(s Sort) bool { return s.Name == name })
		if i < 0 {
			return nil, fmt.Errorf("%q is nothing that has an end; there are %s", name, names())
		}
		d, err := period(value)
		if err != nil {
			return nil, fmt.Errorf("%s: %q is no period: write days such as 90d, a time such as 36h, or 0 for ever",
				name, value)
		}
		if d != 0 && d < Sorts[i].Least {
			return nil, fmt.Errorf("%s are kept for %s at least, or for ever (0)", name, Written(Sorts[i].Least))
		}
		p[name] = d
	}
	return p, nil
}

func names() string {
	var all []string
	for _, s := range Sorts {
		all = append(all, s.Name)
	}
	return strings.Join(all, ", ")
}

// mostDays is the longest period: a century.
const mostDays = 36500

func period(text string) (time.Duration, error) {
	if text == "0" {
		return 0, nil
	}
	if days, is := strings.CutSuffix(text, "d"); is {
		n, err := strconv.Atoi(days)
		if err == nil && (n < 1 || n > mostDays) {
			err = strconv.ErrRange
		}
		return time.Duration(n) * day, err
	}
	d, err := time.ParseDuration(text)
	if err == nil && (d <= 0 || d > mostDays*day) {
		err = strconv.ErrRange
	}
	return d, err
}

// Written writes a period as Parse reads it.
func Written(d time.Duration) string {
	switch {
	case d == 0:
		return "0"
	case d%day == 0:
		return fmt.Sprintf("%dd", d/day)
	}
	text := d.String()
	for _, none := range []string{"m0s", "h0m"} {
		if strings.HasSuffix(text, none) {
			text = text[:len(text)-2]
		}
	}
	return text
}

// atOnce is how many rows go in one statement.
const atOnce = 1000

// Sweep removes what is older than it is to be kept, and returns how many rows of each sort went. Several nodes may do
// it at once: rows that another is about to change are left for the next time.
func Sweep(ctx context.Context, db *store.DB, now time.Time, p Periods) (map[string]int64, error) {
	gone, failed := map[string]int64{}, []error(nil)
	for _, s := range Sorts {
		for _, o := range s.old {
			if p[s.Name] == 0 {
				continue
			}
			n, err := o.remove(ctx, db, now.Add(-p[s.Name]))
			if n > 0 {
				gone[s.Name] += n
			}
			if err != nil {
				failed = append(failed, fmt.Errorf("remove old %s: %w", s.Name, err))
			}
		}
	}
	return gone, errors.Join(failed...)
}

func (o old) remove(ctx context.Context, db *store.DB, before time.Time) (n int64, err error) {
	for {
		res := db.WithContext(ctx).Exec(`delete from `+o.table+` where ctid = any (array (
			select x.ctid from `+o.table+` x where `+o.is+` limit @most for update of x skip locked))`,
			map[string]any{"before": before, "most": atOnce})
		n += res.RowsAffected
		if res.Error != nil || res.RowsAffected < atOnce {
			return n, res.Error
		}
	}
}
