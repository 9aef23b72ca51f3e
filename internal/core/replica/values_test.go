package replica_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
)

// shelf is a store with one player sheet of every type of field, and its face.
func shelf(t *testing.T, sight *replica.Sight) (*sheet.Store, *replica.Face) {
	t.Helper()
	s := &sheet.Schema{}
	for _, f := range []sheet.Field{
		{Name: "n", Type: sheet.Integer}, {Name: "x", Type: sheet.Number}, {Name: "on", Type: sheet.Flag},
		{Name: "mood", Type: sheet.Choice, Choices: []string{"calm", "cross"}}, {Name: "say", Type: sheet.Text,
			Max: 300},
		{Name: "pos", Type: sheet.Position}, {Name: "clock", Type: sheet.Clock}, {Name: "of", Type: sheet.Ref,
			Of: sheet.Player}, {Name: "pile", Type: sheet.List, Item: sheet.Integer, Most: 9},
		{Name: "notes", Type: sheet.List, Item: sheet.Text, Most: 9},
	} {
		if _, err := s.Add(sheet.Player, f); err != nil {
			t.Fatal(err)
		}
	}
	if sight != nil {
		sight.Player = s.Field(sheet.Player, "pos")
	}
	return sheet.NewStore(s), replica.NewFace(s, sight)
}

func player(st *sheet.Store, x, y int64) *sheet.Row {
	r := st.Add(sheet.Player)
	r.Owner = r.ID
	st.SetPos(r, st.Schema.Field(sheet.Player, "pos"), x, y)
	return r
}

// taken is the copy that a snapshot makes.
func taken(t *testing.T, face *replica.Face, feed *replica.Feed, v *replica.Viewer, st *sheet.Store) *replica.Copy {
	t.Helper()
	schema, err := face.Described.Schema()
	if err != nil {
		t.Fatal(err)
	}
	o := &onlooker{viewer: v, copy: replica.NewCopy(schema)}
	if err := o.take(feed.Snapshot(nil, v, st, 5)); err != nil {
		t.Fatal(err)
	}
	return o.copy
}

// TestValuesAtTheirEdges: every type of value arrives as it was, in both encodings, also where the encoding changes its
// form, and a copy's own parts make the same copy again.
func TestValuesAtTheirEdges(t *testing.T) {
	st, face := shelf(t, nil)
	p, field := player(st, -70000, 65536), func(name string) *sheet.Field { return st.Schema.Field(sheet.Player, name) }
	st.SetText(p, field("say"), "tab\tquote\" slash\\ é \x01")
	st.SetFlag(p, field("on"), true)
	st.SetInt(p, field("mood"), 1)
	st.Set(p, field("notes"), sheet.Value{Type: sheet.List, S: sheet.ListOf([]string{"a,b", "[", "<é>", ""}, true)})
	st.SetClock(p, field("clock"), 1200, -1, 256)
	for _, n := range []int64{0, 1, 23, 24, 255, 256, 65535, 65536, 1<<32 - 1, 1 << 32, 1<<63 - 1, -1, -24, -25, -256,
		-257, -65536, -65537, -1 << 63} {
		st.SetInt(p, field("n"), n)
		st.SetInt(p, field("x"), n)
		st.Set(p, field("pile"), sheet.Value{Type: sheet.List, S: fmt.Sprintf("%d,0,%d", n, n)})
		for _, enc := range []replica.Encoding{replica.JSON, replica.CBOR} {
			c := taken(t, face, replica.NewFeed(face), &replica.Viewer{Enc: enc}, st)
			for _, f := range st.Schema.Fields(sheet.Player) {
				if got, ok := c.Sheet(p.ID).Get(f.Name); !ok || got != p.Get(f) {
					t.Errorf("%s of %d in encoding %d is %v, not %v", f.Name, n, enc, got, p.Get(f))
				}
			}
			again := replica.NewCopy(c.Schema)
			if _, err := again.Replace(replica.Parts(decoded(t, c.Parts()))); err != nil || again.Hash() != c.Hash() {
				t.Errorf("%d: its own parts make another copy: %v", n, err)
			}
		}
	}
	c := taken(t, face, replica.NewFeed(face), &replica.Viewer{}, st)
	if _, err := c.Apply(replica.Parts([][]any{{int64(p.ID), int64(5), []int64{7, 8}}})); err != nil {
		t.Error(err)
	}
	for _, wrong := range [][]any{
		{int64(p.ID), int64(0), []int64{1, 2}}, {int64(p.ID), int64(5), []int64{1, 2, 3}},
		{int64(p.ID), int64(5), []int64{1}}, {int64(p.ID), int64(2), 1.5},
		{int64(p.ID), int64(6), []any{json.Number("1"), json.Number("x"), json.Number("2")}}, {int64(p.ID), int64(4),
			true}, {int64(p.ID), int64(2), "no"},
	} {
		if _, err := c.Apply(replica.Parts([][]any{wrong})); err == nil {
			t.Errorf("%v was taken", wrong)
		}
	}
}

// TestWordsOfChoices: a choice is read as its word, where it has one and is to be seen.
func TestWordsOfChoices(t *testing.T) {
	st, face := shelf(t, nil)
	p := player(st, 0, 0)
	c := taken(t, face, replica.NewFeed(face), &replica.Viewer{}, st)
	for n, want := range map[int64]string{0: "calm", 1: "cross", 2: "", -1: ""} {
		if _, err := c.Apply(replica.Parts([][]any{{int64(p.ID), int64(3), n}})); err != nil ||
			c.Sheet(p.ID).Text("mood") != want {
			t.Errorf("%d is %q, %v", n, c.Sheet(p.ID).Text("mood"), err)
		}
	}
	if _, err := c.Apply(replica.Parts([][]any{{int64(-2), int64(p.ID), int64(3)}})); err != nil ||
		c.Sheet(p.ID).Text("mood") != "" {
		t.Errorf("out of sight it is %q, %v", c.Sheet(p.ID).Text("mood"), err)
	}
}

// TestManyAudiences: each of many owners gets what is theirs of one tick, and no more.
func TestManyAudiences(t *testing.T) {
	s := &sheet.Schema{}
	n, err := s.Add(sheet.Player, sheet.Field{Name: "n", Type: sheet.Integer, See: sheet.OwnerOnly})
	if err != nil {
		t.Fatal(err)
	}
	st, face := sheet.NewStore(s), replica.NewFace(s, nil)
	feed := replica.NewFeed(face)
	var rows []*sheet.Row
	var lookers []*onlooker
	for range 300 { // more than a key tells apart
		r := st.Add(sheet.Player)
		r.Owner = r.ID
		rows = append(rows, r)
	}
	for _, r := range rows {
		v := &replica.Viewer{View: replica.View{Seats: []sheet.ID{r.ID}}}
		lookers = append(lookers, &onlooker{viewer: v, copy: taken(t, face, feed, v, st)})
	}
	st.ClearChanges()
	var desk replica.Desk
	for tick, many := range []int{1, 64, 65, 128, 300} {
		for i, r := range rows[:many] {
			st.SetInt(r, n, int64(1000*many+i))
		}
		feed.Begin(&desk, st, st.Changes(), sheet.Tick(6+tick))
		for i, o := range lookers {
			plan := feed.Plan(o.viewer)
			if plan.Nothing == (i < many) && !plan.Own {
				t.Fatalf("number %d of %d has something to be told: %v", i, many, !plan.Nothing)
			}
			if err := o.take(feed.Write(nil, o.viewer, &plan)); err != nil {
				t.Fatal(err)
			}
			if got := o.copy.Sheet(rows[i].ID).Int("n"); got != rows[i].Int(n) {
				t.Fatalf("number %d of %d holds %d, not %d", i, many, got, rows[i].Int(n))
			}
		}
		feed.End()
		st.ClearChanges()
	}
}

// TestWithdrawing: a field that is withdrawn is no longer there; one that is not there, or of which nothing is known,
// is left alone.
func TestWithdrawing(t *testing.T) {
	st, face := shelf(t, nil)
	p := player(st, 1, 2)
	c := taken(t, face, replica.NewFeed(face), &replica.Viewer{}, st)
	for i, want := range []int{1, 0, 0, 0} {
		part := [][]any{{int64(-2), int64(p.ID), int64(0)}, {int64(-2), int64(p.ID), int64(99)}, {int64(-2), int64(77),
			int64(0)}}
		told, err := c.Apply(replica.Parts(part))
		if _, seen := c.Sheet(p.ID).Get("n"); seen || err != nil || len(told) != want {
			t.Errorf("time %d: %v, %d changes, seen %v", i, err, len(told), seen)
		}
	}
	if _, seen := c.Sheet(p.ID).Get("x"); !seen {
		t.Error("another field went as well")
	}
}

// TestExpectations: what is expected is shown until it is taken back, the newest first, and taking it back tells
// whether one sees a change.
func TestExpectations(t *testing.T) {
	st, face := shelf(t, nil)
	p := player(st, 0, 0)
	c := taken(t, face, replica.NewFeed(face), &replica.Viewer{}, st)
	shown := func() int64 { v, _ := c.Sheet(p.ID).Get("n"); return v.N[0] }
	one := sheet.IntValue(sheet.Integer, 1)
	first, change, err := c.Expect(p.ID, "n", one)
	if err != nil || shown() != 1 || change.Old.N[0] != 0 || change.New != one || !change.Expected {
		t.Fatalf("%+v, %v", change, err)
	}
	second, _, _ := c.Expect(p.ID, "n", sheet.IntValue(sheet.Integer, 2))
	if shown() != 2 {
		t.Errorf("%d is shown", shown())
	}
	if change, told := first.End(); told || shown() != 2 {
		t.Errorf("an older one ended: %+v, %d is shown", change, shown())
	}
	if change, told := second.End(); !told || !change.Undone || change.Old.N[0] != 2 || change.New.N[0] != 0 ||
		shown() != 0 {
		t.Errorf("the newest ended: %+v, %d is shown", change, shown())
	}
	if change, told := second.End(); told || change.Sheet != nil {
		t.Errorf("it ended again: %+v", change)
	}
	right, _, _ := c.Expect(p.ID, "n", one)
	if _, err := c.Apply(replica.Parts([][]any{{int64(p.ID), int64(0), int64(1)}})); err != nil {
		t.Fatal(err)
	}
	if change, told := right.End(); told || shown() != 1 {
		t.Errorf("it came true: %+v", change)
	}
	kept, _, _ := c.Expect(p.ID, "n", sheet.IntValue(sheet.Integer, 8))
	if _, err := c.Replace(replica.Parts(decoded(t, c.Parts()))); err != nil || shown() != 8 {
		t.Errorf("after a snapshot %d is shown, %v", shown(), err)
	}
	kept.End()
	gone, _, _ := c.Expect(p.ID, "n", one)
	if _, err := c.Apply(replica.Parts([][]any{{int64(-1), int64(p.ID)}})); err != nil {
		t.Fatal(err)
	}
	if change, told := gone.End(); told || change.Sheet != nil {
		t.Errorf("its sheet is gone: %+v", change)
	}
	for _, bad := range []struct {
		id    sheet.ID
		field string
		v     sheet.Value
	}{{p.ID, "n", one}, {99, "n", one}} {
		if _, _, err := c.Expect(bad.id, bad.field, bad.v); err == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}

// TestSightToTheMillimetre: who is exactly as far as one sees is seen, and lost only a tenth farther on; one's first
// snapshot needs nothing told before.
func TestSightToTheMillimetre(t *testing.T) {
	st, face := shelf(t, &replica.Sight{Near: 100, Far: 1000, Every: 10})
	me, other := player(st, 0, 0), player(st, 1000, 0)
	pos := st.Schema.Field(sheet.Player, "pos")
	feed, viewer := replica.NewFeed(face), &replica.Viewer{View: replica.View{Seats: []sheet.ID{me.ID}}}
	c := taken(t, face, feed, viewer, st)
	o := &onlooker{viewer: viewer, copy: c}
	var desk replica.Desk
	st.ClearChanges()
	now := sheet.Tick(5)
	seen := func(x int64) (at int64, sees bool) {
		t.Helper()
		st.SetPos(other, pos, x, 0)
		now++
		feed.Begin(&desk, st, st.Changes(), now)
		plan := feed.Plan(viewer)
		if err := o.take(feed.Write(nil, viewer, &plan)); err != nil {
			t.Fatal(err)
		}
		feed.End()
		st.ClearChanges()
		v, sees := c.Sheet(other.ID).Get("pos")
		return v.N[0], sees
	}
	if v, sees := c.Sheet(other.ID).Get("pos"); !sees || v.N[0] != 1000 {
		t.Errorf("at 1000 mm %v", v)
	}
	for _, s := range []struct {
		x, at int64
		sees  bool
	}{{1100, 1000, true}, {1101, 0, false}, {1001, 0, false}, {1000, 1000, true}, {100, 100, true}, {99, 99, true},
		{101, 99, true}} {
		if at, sees := seen(s.x); sees != s.sees || sees && at != s.at {
			t.Errorf("at %d mm: seen %v, at %d; wanted %v, at %d", s.x, sees, at, s.sees, s.at)
		}
	}
	all := func(yield func(*replica.Viewer) bool) { yield(viewer) }
	if due := feed.Due(st, all); due < now || due > now+10 {
		t.Errorf("at tick %d the next is due at %d", now, due)
	}
	now += 20
	if at, _ := seen(101); at != 101 {
		t.Errorf("after a while it is still told to be at %d", at)
	}
}

// TestWhatASnapshotChanges: what a snapshot brings is told as changes against the copy before: what came, what went,
// what is another value, and nothing else.
func TestWhatASnapshotChanges(t *testing.T) {
	st, face := shelf(t, nil)
	p, n := player(st, 0, 0), st.Schema.Field(sheet.Player, "n")
	gone := player(st, 5, 5)
	c := taken(t, face, replica.NewFeed(face), &replica.Viewer{}, st)
	whole := c.Parts()
	if told, err := c.Replace(replica.Parts(decoded(t, whole))); err != nil || len(told) != 0 {
		t.Errorf("the same again changes %+v, %v", told, err)
	}
	st.SetInt(p, n, 9)
	st.Remove(gone)
	came := player(st, 7, 7)
	next := taken(t, face, replica.NewFeed(face), &replica.Viewer{}, st).Parts()
	told, err := c.Replace(replica.Parts(decoded(t, next)))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, ch := range told {
		field := ""
		if ch.Field != nil {
			field = ch.Field.Name
		}
		if ch.Sheet.ID == p.ID || ch.Appeared || ch.Gone {
			got = append(got, fmt.Sprint(ch.Sheet.ID, field, ch.Appeared, ch.Gone, ch.Old.N[0], ch.New.N[0]))
		}
	}
	want := []string{fmt.Sprint(gone.ID, "", false, true, 0, 0), fmt.Sprint(p.ID, "n", false, false, 0, 9),
		fmt.Sprint(came.ID, "", true, false, 0, 0)}
	if !slices.Equal(got, want) {
		t.Errorf("told %q, not %q", got, want)
	}
}

// TestComparing: what differs between two copies is told, one by one: a sheet that only one of them has, a value, and a
// field that only one of them may see.
func TestComparing(t *testing.T) {
	st, face := shelf(t, nil)
	p := player(st, 1, 2)
	gone := player(st, 3, 4)
	feed := replica.NewFeed(face)
	want := taken(t, face, feed, &replica.Viewer{}, st)
	if all := want.Sheet(p.ID).Fields(); len(all) != 10 || all[0].Name != "n" {
		t.Errorf("a sheet has the fields %v", all)
	}
	st.Remove(gone)
	added := player(st, 5, 6)
	st.SetInt(p, st.Schema.Field(sheet.Player, "n"), 7)
	found := taken(t, face, feed, &replica.Viewer{}, st)
	if _, err := found.Apply(replica.Parts([][]any{{int64(-2), int64(p.ID), int64(0)}})); err != nil {
		t.Fatal(err) // n, the first field, is withdrawn
	}
	if _, err := found.Apply(replica.Parts([][]any{{int64(p.ID), int64(2), true}})); err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, d := range want.Compare(found) {
		name := "all"
		if d.Field != nil {
			name = d.Field.Name
		}
		got = append(got, fmt.Sprint(d.Sheet, " ", name, " ", d.Want != nil, d.Found != nil))
	}
	wanted := []string{fmt.Sprint(p.ID, " n true false"), fmt.Sprint(p.ID, " on true true"),
		fmt.Sprint(gone.ID, " all true false"), fmt.Sprint(added.ID, " all false true")}
	if !slices.Equal(got, wanted) {
		t.Errorf("the copies differ in %q, wanted %q", got, wanted)
	}
	if same := want.Compare(want); len(same) > 0 {
		t.Errorf("a copy differs from itself in %v", same)
	}
}

// TestRates: a field that is told only so often is told at once the first time, then with its newest value when its
// time has come, and not at all when it has gone back.
func TestRates(t *testing.T) {
	s := &sheet.Schema{}
	first, _ := s.Add(sheet.Match, sheet.Field{Name: "first", Type: sheet.Integer, Rate: 10})
	other, _ := s.Add(sheet.Match, sheet.Field{Name: "other", Type: sheet.Integer, Rate: 4})
	plain, _ := s.Add(sheet.Match, sheet.Field{Name: "plain", Type: sheet.Integer})
	st, face := sheet.NewStore(s), replica.NewFace(s, nil)
	r := st.Add(sheet.Match)
	feed, v := replica.NewFeed(face), &replica.Viewer{}
	nobody := func(func(*replica.Viewer) bool) {}
	c := taken(t, face, feed, v, st) // at tick 5
	st.ClearChanges()
	o := &onlooker{viewer: v, copy: c}
	var desk replica.Desk
	tell := func(now sheet.Tick) {
		feed.Begin(&desk, st, st.Changes(), now)
		plan := feed.Plan(v)
		if data := feed.Write(nil, v, &plan); len(data) > 0 {
			if err := o.take(data); err != nil {
				t.Fatal(err)
			}
		}
		feed.End()
		st.ClearChanges()
	}
	shows := func(now sheet.Tick, a, b, p int64, due sheet.Tick) {
		t.Helper()
		got := c.Sheet(r.ID)
		if got.Int("first") != a || got.Int("other") != b || got.Int("plain") != p {
			t.Errorf("at tick %d the copy shows %d, %d, %d, wanted %d, %d, %d", now, got.Int("first"), got.Int("other"),
				got.Int("plain"), a, b, p)
		}
		if next := feed.Due(st, nobody); next != due {
			t.Errorf("at tick %d something is due at %d, wanted %d", now, next, due)
		}
		if image := feed.Image(v, st); image.Hash() != c.Hash() {
			t.Errorf("at tick %d the feed thinks otherwise: %v", now, image.Compare(c))
		}
	}
	set := func(a, b, p int64) {
		st.SetInt(r, first, a)
		st.SetInt(r, other, b)
		st.SetInt(r, plain, p)
	}
	set(1, 1, 1)
	tell(20)
	shows(20, 1, 1, 1, 0)
	set(2, 2, 2)
	tell(21)
	shows(21, 1, 1, 2, 24)
	set(3, 1, 2) // other goes back to what was told
	tell(22)
	shows(22, 1, 1, 2, 24)
	tell(24)
	shows(24, 1, 1, 2, 30)
	tell(30)
	shows(30, 3, 1, 2, 0)
	set(4, 1, 2)
	tell(31)
	st.Remove(r)
	tell(32)
	if next := feed.Due(st, nobody); next != 0 {
		t.Errorf("a sheet that is gone is due at %d", next)
	}
}

// TestBeat: fields that are told in the same ticks are told at once when they begin to change, and from then on in the
// ticks that their rate divides, whoever began when.
func TestBeat(t *testing.T) {
	s := &sheet.Schema{}
	pos, _ := s.Add(sheet.Player, sheet.Field{Name: "pos", Type: sheet.Position, Rate: 4, Beat: true})
	st, face := sheet.NewStore(s), replica.NewFace(s, nil)
	one, two := st.Add(sheet.Player), st.Add(sheet.Player)
	feed, v := replica.NewFeed(face), &replica.Viewer{}
	c := taken(t, face, feed, v, st)
	st.ClearChanges()
	var desk replica.Desk
	var told []string
	for now := sheet.Tick(6); now < 18; now++ {
		if now != 15 { // somebody who stops is told where, when it is time
			st.SetPos(one, pos, int64(now), 0)
		}
		if now > 8 {
			st.SetPos(two, pos, int64(now), 1)
		}
		was := []int64{c.Sheet(one.ID).Int("pos"), c.Sheet(two.ID).Int("pos")}
		feed.Begin(&desk, st, st.Changes(), now)
		plan := feed.Plan(v)
		if err := (&onlooker{viewer: v, copy: c}).take(feed.Write(nil, v, &plan)); err != nil {
			t.Fatal(err)
		}
		feed.End()
		st.ClearChanges()
		for i, r := range []*sheet.Row{one, two} {
			if x := c.Sheet(r.ID).Int("pos"); x != was[i] {
				told = append(told, fmt.Sprintf("%d: %d at %d", now, i+1, x))
			}
		}
	}
	want := "6: 1 at 6, 8: 1 at 8, 9: 2 at 9, 12: 1 at 12, 12: 2 at 12, 16: 1 at 16, 16: 2 at 16"
	if got := strings.Join(told, ", "); got != want {
		t.Errorf("told is %s\nwanted  %s", got, want)
	}
}
