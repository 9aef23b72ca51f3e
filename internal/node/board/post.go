package board

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/store"
)

// Post is a value that somebody reached.
type Post struct {
	Ref
	Subject string    // a player's ID, or TeamID
	Team    string    // of a team: its name
	Value   int64     // -2⁵³ to 2⁵³
	At      time.Time // when it happened: the season follows from it
	Match   string    // the match's ID; "" for none
	ID      string    // a UUID with which the post counts once; "" for none
	Client  bool      // a player's own, held to the board's least interval
}

// TeamID stands for a team on a board.
func TeamID(rulebook, team string) string {
	return uuid.NewSHA1(uuid.NameSpaceOID, []byte("turnvex team "+rulebook+" "+team)).String()
}

// Fate is what became of a post.
type Fate uint8

// The fates of posts.
const (
	Counted  Fate = iota
	Repeated      // its ID has counted before
	Another       // its ID has counted before, for another value or another subject
	NoSeason      // it happened before the board's first season
	NotTaken      // the season is closed, the player barred or deleted, or the interval not over
)

// Placed is an entry as a post left it.
type Placed struct {
	season    int64
	board     Ref
	Subject   string
	Name      string // of a player: as it is now
	Team      string
	Value     int64
	Posts     int64
	ReachedAt time.Time
	Match     *string
	Removed   bool
	Version   int64
}

// line is what the posts of one subject to one season come to.
type line struct {
	season int64
	Post
	posts int64
	of    []int // the posts
}

const most = 1 << 53

// Put posts, in a transaction, and tells what became of each post. After the commit Learn makes it known. Entries are
// taken in one order, so that two cannot wait for each other.
func (b *Boards) Put(tx *store.Tx, posts []Post) (fates []Fate, placed []Placed, err error) {
	fates = make([]Fate, len(posts))
	if err := b.once(tx, posts, fates); err != nil {
		return nil, nil, err
	}
	var lines []*line
	at := map[string]*line{}
	for i := range posts {
		p := &posts[i]
		if fates[i] != Counted {
			continue
		}
		season, err := b.seasonAt(tx, p.Ref, p.At)
		if err != nil {
			return nil, nil, err
		}
		if season == 0 {
			fates[i] = NoSeason
			continue
		}
		key := fmt.Sprint(season, " ", p.Subject)
		l := at[key]
		if l == nil {
			l = &line{season: season, Post: *p, posts: 1}
			at[key] = l
			lines = append(lines, l)
		} else if p.Client && p.Every > 0 {
			fates[i] = NotTaken // another came in the same moment
			continue
		} else {
			l.join(p)
		}
		l.of = append(l.of, i)
	}
	slices.SortFunc(lines, func(x, y *line) int {
		return cmp.Or(cmp.Compare(x.season, y.season), strings.Compare(x.Subject, y.Subject))
	})
	for len(lines) > 0 {
		n := 1
		for n < len(lines) && lines[n].season == lines[0].season {
			n++
		}
		if placed, err = b.write(tx, lines[:n], fates, placed); err != nil {
			return nil, nil, err
		}
		lines = lines[n:]
	}
	return fates, placed, b.unused(tx, posts, fates)
}

// unused forgets the IDs of posts that were not taken: they may be posted again.
func (b *Boards) unused(tx *store.Tx, posts []Post, fates []Fate) error {
	for i := range posts {
		p := &posts[i]
		if p.ID == "" || fates[i] == Counted || fates[i] == Repeated || fates[i] == Another {
			continue
		}
		err := tx.Exec("delete from board_posts where rulebook = ? and board = ? and id = ?", p.Rulebook, p.Name, p.ID).
			Error
		if err != nil {
			return err
		}
	}
	return nil
}

// once notes the IDs of posts, and finds those that have counted before.
func (b *Boards) once(tx *store.Tx, posts []Post, fates []Fate) error {
	type key struct{ rulebook, board, id string }
	first := map[key]int{}
	cols := make([][]string, 6)
	for i := range posts {
		p := &posts[i]
		if p.ID == "" {
			continue
		}
		k := key{p.Rulebook, p.Name, p.ID}
		if fates[i] = Repeated; first[k] > 0 {
			if before := &posts[first[k]-1]; p.Subject != before.Subject || p.Value != before.Value {
				fates[i] = Another
			}
			continue
		}
		first[k] = i + 1
		for c, v := range []string{`"` + p.Rulebook + `"`, `"` + p.Name + `"`, k.id, p.Subject, fmt.Sprint(p.Value),
			moment(p.At)} {
			cols[c] = append(cols[c], v)
		}
	}
	if len(first) == 0 {
		return nil
	}
	var fresh []struct{ Rulebook, Board, ID string }
	err := tx.Raw(`insert into board_posts (rulebook, board, id, subject, value, posted_at)
		select * from unnest(?::text::text[], ?::text::text[], ?::text::uuid[], ?::text::uuid[], ?::text::bigint[],
			?::text::timestamptz[]) as u (r, b, i, s, v, t) order by r, b, i
		on conflict do nothing returning rulebook, board, id`, arrays(cols)...).Scan(&fresh).Error
	if err != nil {
		return err
	}
	for _, f := range fresh {
		fates[first[key{f.Rulebook, f.Board, f.ID}]-1] = Counted
	}
	if len(fresh) == len(first) {
		return nil
	}
	var others []struct{ Rulebook, Board, ID string }
	err = tx.Raw(`select p.rulebook, p.board, p.id from board_posts p join unnest(?::text::text[], ?::text::text[],
			?::text::uuid[], ?::text::uuid[], ?::text::bigint[]) as u (r, b, i, s, v) on p.rulebook = u.r and p.board = u.b
			and p.id = u.i where p.subject <> u.s or p.value <> u.v`, arrays(cols[:5])...).Scan(&others).Error
	for _, o := range others {
		fates[first[key{o.Rulebook, o.Board, o.ID}]-1] = Another
	}
	return err
}

// moment writes a time as an element of an array.
func moment(t time.Time) string { return `"` + t.UTC().Format(time.RFC3339Nano) + `"` }

// arrays writes columns as PostgreSQL's arrays.
func arrays(cols [][]string) []any {
	out := make([]any, len(cols))
	for i, c := range cols {
		out[i] = "{" + strings.Join(c, ",") + "}"
	}
	return out
}

// join adds a further post of the same subject.
func (l *line) join(p *Post) {
	l.posts++
	l.Client = l.Client || p.Client
	switch l.Keep {
	case rulebook.KeepTotal:
		l.Value = min(max(l.Value+p.Value, -most), most)
	case rulebook.KeepLatest:
		if p.At.Before(l.At) {
			return
		}
		l.Value = p.Value
	case rulebook.KeepBest:
		if p.Value == l.Value || (p.Value < l.Value) != l.Least {
			return
		}
		l.Value = p.Value
	}
	if p.At.After(l.At) || l.Keep == rulebook.KeepBest {
		l.At, l.Match = p.At, p.Match
	}
}

// newer is, by the way to keep, the condition under which a post's value takes the place of the entry's.
func newer(b *rulebook.Board) string {
	switch {
	case b.Keep != rulebook.KeepBest:
		return "excluded.reached_at >= e.reached_at"
	case b.Least:
		return "excluded.value < e.value"
	}
	return "excluded.value > e.value"
}

func kept(b *rulebook.Board) string {
	switch b.Keep {
	case rulebook.KeepTotal, rulebook.KeepCount:
		return fmt.Sprintf("least(greatest(e.value + excluded.value, %d), %d)", -most, most)
	}
	return "case when " + newer(b) + " then excluded.value else e.value end"
}

// write writes lines of one season, and adds how the entries stand then.
func (b *Boards) write(tx *store.Tx, lines []*line, fates []Fate, placed []Placed) ([]Placed, error) {
	r := lines[0].Ref
	allowed := "not e.barred"
	if r.Every > 0 {
		allowed += fmt.Sprintf(" and (excluded.client_at is null or e.client_at is null or e.removed or "+
			"e.client_at + interval '%d milliseconds' <= excluded.client_at)", r.Every)
	}
	from := "join players p on p.id = u.subject"
	if r.Team {
		from = ""
	}
	var rows []Placed
	err := tx.Raw(`insert into board_entries as e
		(season, subject, team, value, posts, reached_at, client_at, match, version, mark)
		select s.id, u.subject, u.team, u.value, u.posts, u.at, u.client, u.match, 1, pg_current_xact_id()::text::bigint
		from unnest(?::text::uuid[], ?::text::text[], ?::text::bigint[], ?::text::bigint[], ?::text::timestamptz[],
			?::text::timestamptz[], ?::text::uuid[]) as u (subject, team, value, posts, at, client, match) `+from+`
		join board_seasons s on s.id = ? and s.closed_at is null
		where not exists (select 1 from board_bars x
			where x.rulebook = s.rulebook and x.board = s.board and x.player_id = u.subject)
		order by u.subject
		on conflict (season, subject) do update set
			value = case when e.removed then excluded.value else `+kept(r.Board)+` end,
			posts = case when e.removed then 0 else e.posts end + excluded.posts,
			match = case when e.removed or `+newer(r.Board)+` then excluded.match else e.match end,
			reached_at = case when e.removed or `+newer(r.Board)+` then excluded.reached_at else e.reached_at end,
			client_at = coalesce(excluded.client_at, e.client_at), removed = false,
			version = e.version + 1, mark = excluded.mark
			where `+allowed+`
		returning coalesce((select name from players where players.id = e.subject), '') as name, subject, team, value, posts, reached_at, match, removed, version`,
		append(columns(lines), lines[0].season)...).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("post to the board %s of %s: %w", r.Name, r.Rulebook, err)
	}
	took := map[string]bool{}
	for i := range rows {
		rows[i].season, rows[i].board = lines[0].season, r
		took[rows[i].Subject] = true
	}
	for _, l := range lines {
		for _, i := range l.of {
			if !took[l.Subject] {
				fates[i] = NotTaken
			}
		}
	}
	return append(placed, rows...), nil
}

// columns are the lines as PostgreSQL's arrays.
func columns(lines []*line) []any {
	cols := make([][]string, 7)
	for _, l := range lines {
		client, match := "NULL", "NULL"
		if l.Client {
			client = moment(l.At)
		}
		if l.Match != "" {
			match = l.Match
		}
		value := l.Value
		if l.Keep == rulebook.KeepCount {
			value = l.posts
		}
		for i, v := range []string{l.Subject, `"` + l.Team + `"`, fmt.Sprint(value), fmt.Sprint(l.posts), moment(l.At),
			client, match} {
			cols[i] = append(cols[i], v)
		}
	}
	return arrays(cols)
}
