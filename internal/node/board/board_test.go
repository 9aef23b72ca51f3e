package board_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/feed"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/tool/trial"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

// rig is two nodes' boards on one database, with a clock that the test sets.
type rig struct {
	*testing.T
	at    time.Time
	nodes []*board.Boards
	feeds []*feed.Feed      // of the nodes
	names map[string]string // of people, by their IDs
}

func newRig(t *testing.T, budget int) *rig {
	t.Helper()
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	r := &rig{T: t, at: time.Date(2030, 5, 6, 7, 8, 9, 0, time.UTC), names: map[string]string{}}
	for range 2 {
		b := board.New(db, board.Options{Budget: budget, Now: func() time.Time { return r.at }})
		r.nodes = append(r.nodes, b)
		r.feeds = append(r.feeds, feed.New(db, feed.Subscriber{Topic: feed.Entries, Wanted: b.Holds, Look: b.Look},
			feed.Subscriber{Topic: feed.Players, Look: func(_ context.Context, keys []string) error {
				var rows []store.Player
				err := db.Find(&rows, "id in ?", b.Named(keys)).Error
				for _, p := range rows {
					b.Renamed(p.ID, p.Name)
				}
				return err
			}}))
		t.Cleanup(b.Close)
	}
	r.look()
	return r
}

func (r *rig) look() {
	r.Helper()
	for _, f := range r.feeds {
		if err := f.Look(context.Background()); err != nil {
			r.Fatal(err)
		}
	}
}

func (r *rig) person(name string) string {
	r.Helper()
	p := store.Player{ID: uuid.Must(uuid.NewV7()).String(), Name: name, CreatedAt: r.at, SeenAt: r.at}
	if err := db.Create(&p).Error; err != nil {
		r.Fatal(err)
	}
	r.names[p.ID] = name
	return p.ID
}

// put posts on a node, a second after what was posted before.
func (r *rig) put(node int, of board.Ref, player string, value int64) error {
	r.Helper()
	r.at = r.at.Add(time.Second)
	return r.nodes[node].Post(r.Context(), board.Post{Ref: of, Subject: player, Value: value, At: r.at})
}

func (r *rig) must(err error) {
	r.Helper()
	if err != nil {
		r.Error(err)
	}
}

func (r *rig) refused(err error, want code.Code) {
	r.Helper()
	if fault.CodeOf(err) != want {
		r.Errorf("it is refused with %v, wanted %s", err, want)
	}
}

// shows compares a part of a board with lines such as "1 Ada 9".
func (r *rig) shows(node int, of board.Ref, q board.Query, want string) {
	r.Helper()
	if q.Limit == 0 {
		q.Limit = 10
	}
	p, err := r.nodes[node].Read(r.Context(), of, &q)
	if err != nil {
		r.Errorf("%+v: %v", q, err)
		return
	}
	var got []string
	for _, e := range p.Rows {
		got = append(got, fmt.Sprint(e.Place, " ", e.Name, " ", e.Value))
	}
	if got := strings.Join(got, ", "); got != want {
		r.Errorf("node %d: %s, wanted %s", node, got, want)
	}
}

func ref(b rulebook.Board) board.Ref {
	if b.Zone == "" {
		b.Zone = "UTC"
	}
	return board.Ref{Rulebook: "harbour", Board: &b}
}

// same compares what a node has in memory with the database.
func (r *rig) same(node int, b board.Ref) {
	r.Helper()
	c, err := r.nodes[node].Compare(r.Context(), b, "")
	if err != nil || len(c.Differ) > 0 || c.Memory != c.Database {
		r.Errorf("node %d: %+v, %v", node, c, err)
	}
}

// TestPages: equal values share a place and are listed by who was first; pages of any size follow each other without a
// gap; a page begins at any rank, around anybody, or holds only chosen players.
func TestPages(t *testing.T) {
	r := newRig(t, 0)
	for _, least := range []bool{false, true} {
		b := ref(rulebook.Board{Name: fmt.Sprint("best-", least), Keep: rulebook.KeepBest, Least: least})
		ada, bo, cy, di := r.person("Ada"), r.person("Bo"), r.person("Cy"), r.person("Di")
		for _, p := range []struct {
			who   string
			value int64
		}{{bo, 7}, {ada, 7}, {di, 9}, {cy, 7}, {bo, 7}} { // the last again: Bo stays the first of three
			r.must(r.put(0, b, p.who, p.value))
		}
		all := []string{"1 Di 9", "2 Bo 7", "2 Ada 7", "2 Cy 7"}
		if least {
			all = []string{"1 Bo 7", "1 Ada 7", "1 Cy 7", "4 Di 9"}
		}
		part := func(i, j int) string { return strings.Join(all[i:j], ", ") }
		for limit := 1; limit <= 5; limit++ {
			var got []string
			for q := (board.Query{Limit: limit}); ; {
				p, err := r.nodes[0].Read(t.Context(), b, &q)
				if err != nil || p.Count != 4 {
					t.Fatal(p, err)
				}
				for _, e := range p.Rows {
					got = append(got, fmt.Sprint(e.Place, " ", e.Name, " ", e.Value))
				}
				if q.Cursor = p.Next; q.Cursor == "" {
					break
				}
			}
			if got := strings.Join(got, ", "); got != part(0, 4) {
				t.Errorf("pages of %d: %s", limit, got)
			}
		}
		r.shows(0, b, board.Query{From: 2, Limit: 2}, part(1, 3))
		r.shows(0, b, board.Query{From: 5}, "")
		third := []string{ada, cy}[map[bool]int{false: 0, true: 1}[least]]
		r.shows(0, b, board.Query{Around: third, Limit: 3}, part(1, 4))
		r.shows(0, b, board.Query{Around: third, Limit: 1}, part(2, 3))
		r.shows(0, b, board.Query{Around: third, Limit: 9}, part(0, 4))
		r.shows(0, b, board.Query{Around: []string{cy, di}[map[bool]int{false: 0, true: 1}[least]], Limit: 3}, part(1,
			4))
		first, last := []string{di, cy}, []string{bo, di}
		r.shows(0, b, board.Query{Players: []string{map[bool][]string{false: first, true: last}[least][1],
			map[bool][]string{false: first, true: last}[least][0], uuid.NewString(), "x"}}, all[0]+", "+all[3])
	}
	b := ref(rulebook.Board{Name: "best-false", Keep: rulebook.KeepBest})
	for q, want := range map[*board.Query]code.Code{{Limit: 0}: code.OutOfRange, {Limit: 101}: code.OutOfRange,
		{Limit: 1, Cursor: "!"}: code.BadCursor, {Limit: 1, Cursor: "bm8"}: code.BadCursor,
		{Limit: 1, Around: "x"}: code.NotOnBoard, {Limit: 1, Around: uuid.NewString()}: code.NotOnBoard,
		{Limit: 1, Season: "2030"}: code.NoSeason} {
		_, err := r.nodes[0].Read(t.Context(), b, q)
		r.refused(err, want)
	}
}

// TestKeeping: the best, the latest, the total or the count stands, on whichever node it was posted, in one group or
// one by one.
func TestKeeping(t *testing.T) {
	r := newRig(t, 0)
	for _, c := range []struct {
		keep  rulebook.Keep
		least bool
		want  string
	}{{rulebook.KeepBest, false, "1 Ada 9 at 2"}, {rulebook.KeepBest, true, "1 Ada 3 at 1"},
		{rulebook.KeepLatest, false, "1 Ada 5 at 4"}, {rulebook.KeepTotal, false, "1 Ada 26 at 4"},
		{rulebook.KeepCount, false, "1 Ada 4 at 4"}} {
		for _, grouped := range []bool{false, true} {
			b := ref(rulebook.Board{Name: fmt.Sprint(c.keep, c.least, grouped), Keep: c.keep, Least: c.least})
			ada, began := r.person("Ada"), r.at
			var posts []board.Post
			for i, v := range []int64{3, 9, 9, 5} {
				p := board.Post{Ref: b, Subject: ada, Value: v, At: began.Add(time.Duration(i+1) * time.Second)}
				if posts = append(posts, p); !grouped {
					r.must(r.nodes[i%2].Post(t.Context(), p))
				}
			}
			if grouped {
				r.must(db.Transaction(func(tx *store.Tx) error {
					_, placed, err := r.nodes[0].Put(tx, posts)
					r.nodes[0].Learn(placed)
					return err
				}))
			}
			r.look()
			p, err := r.nodes[1].Read(t.Context(), b, &board.Query{Limit: 1})
			if err != nil || len(p.Rows) != 1 {
				t.Fatal(p, err)
			}
			e := p.Rows[0]
			got := fmt.Sprintf("%d %s %d at %.0f", e.Place, e.Name, e.Value, e.Posted.Sub(began).Seconds())
			if got != c.want {
				t.Errorf("%s, grouped %t: %s, wanted %s", c.keep, grouped, got, c.want)
			}
		}
	}
}

// TestOnlyOnce: a post with an ID counts once, on whichever node it is tried; a client posts once in an interval,
// however many of its posts come at once.
func TestOnlyOnce(t *testing.T) {
	r := newRig(t, 0)
	sum := ref(rulebook.Board{Name: "sum", Keep: rulebook.KeepTotal})
	ada := r.person("Ada")
	post := board.Post{Ref: sum, Subject: ada, Value: 4, At: r.at, ID: uuid.NewString()}
	var all sync.WaitGroup
	for i := range 10 {
		all.Go(func() { r.must(r.nodes[i%2].Post(t.Context(), post)) })
	}
	all.Wait()
	r.shows(0, sum, board.Query{}, "1 Ada 4")
	second := post
	second.ID = uuid.NewString()
	mixed := []board.Post{{Ref: sum, Subject: ada, Value: 1, At: r.at}, post, second, second}
	r.must(db.Transaction(func(tx *store.Tx) error {
		fates, placed, err := r.nodes[0].Put(tx, mixed)
		r.nodes[0].Learn(placed)
		if got, want := fmt.Sprint(fates), fmt.Sprint([]board.Fate{board.Counted, board.Repeated, board.Counted,
			board.Repeated}); got != want {
			t.Errorf("the fates are %s, wanted %s", got, want)
		}
		return err
	}))
	r.shows(0, sum, board.Query{}, "1 Ada 9")
	seldom := ref(rulebook.Board{Name: "seldom", Keep: rulebook.KeepCount, Open: true, Every: 5000})
	one := board.Post{Ref: seldom, Subject: ada, Value: 1, At: r.at, Client: true}
	var mu sync.Mutex
	counted := 0
	for i := range 20 {
		all.Go(func() {
			if err := r.nodes[i%2].Post(t.Context(), one); err == nil {
				mu.Lock()
				counted++
				mu.Unlock()
			} else {
				r.refused(err, code.TooSoon)
			}
		})
	}
	all.Wait()
	one.At, one.ID = one.At.Add(4999*time.Millisecond), uuid.NewString()
	r.refused(r.nodes[0].Post(t.Context(), one), code.TooSoon) // which does not use its ID up
	one.At = one.At.Add(time.Millisecond)
	r.must(r.nodes[1].Post(t.Context(), one))
	r.look()
	if r.shows(0, seldom, board.Query{}, "1 Ada 2"); counted != 1 {
		t.Errorf("%d of twenty at once counted", counted)
	}
}

// TestBadPosts: an ID that is none is refused at the door; one that was used for another value or by another counts for
// nothing and says for what it was used; of a group in which one cannot be kept, the others are.
func TestBadPosts(t *testing.T) {
	r := newRig(t, 0)
	b := ref(rulebook.Board{Name: "b", Keep: rulebook.KeepTotal})
	ada, bo := r.person("Ada"), r.person("Bo")
	post := func(who, id string, value int64) error {
		return r.nodes[0].Post(t.Context(), board.Post{Ref: b, Subject: who, Value: value, At: r.at, ID: id})
	}
	const id = "aaaaaaaa-0000-4000-8000-000000000001"
	for _, bad := range []string{"x", strings.ReplaceAll(id, "-", ""), "{" + id + "}", "urn:uuid:" + id,
		strings.ToUpper(id)} {
		r.refused(post(ada, bad, 5), code.BadRequest)
	}
	for range 2 {
		r.must(post(ada, id, 5))
	}
	for _, x := range []struct {
		who   string
		value int64
		says  string
	}{{ada, 6, "the value 5"}, {bo, 5, "somebody else"}} {
		err := post(x.who, id, x.value)
		if r.refused(err, code.IDUsed); !strings.Contains(err.Error(), x.says) {
			t.Errorf("it does not say %q: %v", x.says, err)
		}
	}
	var all sync.WaitGroup
	var failed atomic.Int64
	for n := range 20 {
		all.Go(func() {
			who := []string{ada, bo}[n%2]
			if n == 7 {
				who = "nobody's ID"
			}
			if post(who, "", 1) != nil {
				failed.Add(1)
			}
		})
	}
	all.Wait()
	if failed.Load() != 1 {
		t.Errorf("%d of a group are refused", failed.Load())
	}
	r.shows(0, b, board.Query{}, "1 Ada 15, 2 Bo 9")
}

// TestOthersAreFollowed: what another node does is known after a look: posts, also of a transaction that commits after
// one that began later, new names, removals, bars and deletions. What is in memory is then what the database has.
func TestOthersAreFollowed(t *testing.T) {
	r := newRig(t, 0)
	b := ref(rulebook.Board{Name: "b"})
	ada, bo, cy := r.person("Ada"), r.person("Bo"), r.person("Cy")
	r.must(r.put(0, b, cy, 1))
	r.shows(1, b, board.Query{}, "1 Cy 1") // read whole
	slow := db.Begin()
	if _, _, err := r.nodes[0].Put(slow, []board.Post{{Ref: b, Subject: ada, Value: 5, At: r.at}}); err != nil {
		t.Fatal(err)
	}
	r.must(r.put(0, b, bo, 3))
	r.look()
	r.shows(1, b, board.Query{}, "1 Bo 3, 2 Cy 1")
	r.look()
	r.must(slow.Commit().Error)
	r.look()
	r.shows(1, b, board.Query{}, "1 Ada 5, 2 Bo 3, 3 Cy 1")
	r.must(db.Model(&store.Player{}).Where("id = ?", bo).Update("name", "Bodil").Error)
	r.must(r.nodes[0].Remove(db.DB, b, "", ada, "op", "a slip"))
	r.shows(0, b, board.Query{}, "1 Bodil 3, 2 Cy 1")
	r.look()
	r.shows(1, b, board.Query{}, "1 Bodil 3, 2 Cy 1")
	r.must(r.put(1, b, ada, 2)) // what was removed no longer counts
	r.look()
	r.shows(0, b, board.Query{}, "1 Bodil 3, 2 Ada 2, 3 Cy 1")
	r.must(r.nodes[1].Bar(db.DB, b, ada, "op", "cheated"))
	r.must(db.Delete(&store.Player{}, "id = ?", cy).Error)
	r.look()
	for node := range 2 {
		r.shows(node, b, board.Query{}, "1 Bodil 3")
		r.refused(r.put(node, b, ada, 9), code.Barred)
		r.refused(r.put(node, b, cy, 9), code.NoPlayer)
	}
	r.must(r.nodes[0].Unbar(db.DB, b, ada, "op", "a mistake"))
	r.must(r.put(1, b, ada, 1))
	r.look()
	for node := range 2 {
		r.shows(node, b, board.Query{}, "1 Bodil 3, 2 Ada 1")
		r.same(node, b)
	}
	r.must(db.Exec("delete from board_entries where subject = ?", bo).Error) // by somebody with a shell
	r.look()
	for node := range 2 {
		r.shows(node, b, board.Query{}, "1 Ada 1")
	}
	r.must(r.put(0, b, bo, 2))
	r.look()
	w, _, err := r.nodes[1].Watch(t.Context(), b, board.Query{Limit: 5})
	r.must(err)
	defer w.Stop()
	r.must(db.Exec("update board_entries set value = 7, version = 1, mark = 0 where subject = ?", bo).Error)
	r.look()
	r.shows(1, b, board.Query{}, "1 Bodil 2, 2 Ada 1") // nothing tells of that: the database was set back
	r.must(r.nodes[1].Look(t.Context(), nil))
	r.shows(1, b, board.Query{}, "1 Bodil 7, 2 Ada 1")
	<-w.Wake()
	if change, _, err := w.Take(t.Context()); err != nil || change == nil || change.Set[0].Row.Value != 7 {
		t.Errorf("who watches takes %+v, %v", change, err)
	}
	r.must(r.nodes[0].Look(t.Context(), nil))
	for node := range 2 {
		r.same(node, b)
	}
	r.refused(r.nodes[0].Remove(db.DB, b, "", cy, "op", "why"), code.NotOnBoard)
}

// TestBarsMeetPosts: whoever is barred while they post stands nowhere afterwards.
func TestBarsMeetPosts(t *testing.T) {
	r := newRig(t, 0)
	b := ref(rulebook.Board{Name: "b", Keep: rulebook.KeepTotal})
	other := r.person("Bo")
	r.must(r.put(0, b, other, 1))
	for range 20 {
		ada := r.person("Ada")
		var all sync.WaitGroup
		at := r.at
		for i := range 6 {
			all.Go(func() {
				r.nodes[i%2].Post(t.Context(), board.Post{Ref: b, Subject: ada, Value: 1, At: at})
			})
		}
		all.Go(func() { r.must(r.nodes[0].Bar(db.DB, b, ada, "op", "cheated")) })
		all.Wait()
	}
	r.look()
	for node := range 2 {
		r.shows(node, b, board.Query{}, "1 Bo 1")
		r.same(node, b)
	}
}

// TestPostsAtRandom: after random posts, removals and bars on two nodes at once, each has in memory what the database
// has, and that is what a plain count comes to.
func TestPostsAtRandom(t *testing.T) {
	seed := trial.Seed(t)
	random := rand.New(rand.NewPCG(seed, 0))
	r := newRig(t, 0)
	sum := ref(rulebook.Board{Name: "sum", Keep: rulebook.KeepTotal})
	best := ref(rulebook.Board{Name: "best", Keep: rulebook.KeepBest, Least: true})
	var people []string
	for i := range 30 {
		people = append(people, r.person(fmt.Sprint("P", i)))
	}
	total, least := map[string]int64{}, map[string]int64{}
	for range 20 {
		var all sync.WaitGroup
		for range 40 {
			who, value, node, at := people[random.IntN(30)], random.Int64N(100), random.IntN(2), r.at
			total[who] += value
			if v, there := least[who]; !there || value < v {
				least[who] = value
			}
			all.Go(func() {
				for _, b := range []board.Ref{sum, best} {
					r.must(r.nodes[node].Post(t.Context(), board.Post{Ref: b, Subject: who, Value: value, At: at}))
				}
			})
		}
		all.Wait()
		r.at = r.at.Add(time.Second)
		r.look()
		if random.IntN(3) == 0 {
			who := people[random.IntN(30)]
			if _, there := total[who]; there {
				delete(total, who)
				r.must(r.nodes[random.IntN(2)].Remove(db.DB, sum, "", who, "op", "why"))
			}
		}
	}
	r.look()
	for node := range 2 {
		for b, want := range map[board.Ref]map[string]int64{sum: total, best: least} {
			r.same(node, b)
			p, err := r.nodes[node].Read(t.Context(), b, &board.Query{Limit: 100})
			if err != nil || len(p.Rows) != len(want) {
				t.Fatalf("seed %d: %d rows, wanted %d (%v)", seed, len(p.Rows), len(want), err)
			}
			for _, e := range p.Rows {
				if want[e.Player] != e.Value {
					t.Errorf("seed %d: %s on %s has %d, wanted %d", seed, e.Name, b.Name, e.Value, want[e.Player])
				}
			}
		}
	}
}
