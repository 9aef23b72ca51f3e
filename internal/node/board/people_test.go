package board

import (
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/ranking"
)

// TestPeopleAreShared: whoever stands on several boards is one, until gone from all; then the number is another's, and
// nothing of who had it is left; a name that nobody knows replaces none.
func TestPeopleAreShared(t *testing.T) {
	p := people{index: map[[16]byte]uint32{}}
	ada, bo, cy := uuid.New(), uuid.New(), uuid.New()
	a := p.take(ada, "Ada", "red")
	b := p.take(bo, "Bo", "")
	if again := p.take(ada, "", ""); again != a || p.list[a].name != "Ada" {
		t.Errorf("on a second board she is %d %q, not %d", again, p.list[again].name, a)
	}
	if p.take(ada, "Ada L", ""); p.list[a].name != "Ada L" {
		t.Errorf("renamed, she is %q", p.list[a].name)
	}
	p.drop(a)
	p.drop(a)
	if n, there := p.index[ada]; !there || n != a {
		t.Error("who still stands on a board is gone")
	}
	if p.drop(a); len(p.index) != 1 || p.index[bo] != b {
		t.Errorf("gone from all boards: %v", p.index)
	}
	if c := p.take(cy, "Cy", ""); c != a || p.list[c] != (person{id: cy, name: "Cy", stand: 1}) || len(p.list) != 2 {
		t.Errorf("the next one is %d of %d: %+v", c, len(p.list), p.list[c])
	}
}

// TestEntriesInAnyOrder: of what is learned of an entry the newest counts, in whatever order it comes; what is learned
// while a season is being read counts when it has been; a row that is gone makes room for a new one.
func TestEntriesInAnyOrder(t *testing.T) {
	b := New(nil, Options{})
	defer b.Close()
	who, now := uuid.NewString(), time.Now()
	h := &held{season: 1, gone: map[[16]byte]int64{}, watchers: map[*Watcher]bool{}}
	place := func(version, value int64, removed bool) {
		b.placeLocked(h, &Placed{Subject: who, Name: "Ada", Value: value, ReachedAt: now, Version: version,
			Removed: removed})
	}
	if place(1, 5, false); len(h.missed) != 1 || h.missed[0].Value != 5 {
		t.Errorf("before it is read: %+v", h.missed)
	}
	h.rank = ranking.New(false, b.people.compare, nil)
	for _, x := range []struct {
		what     string
		version  int64
		value    int64
		removed  bool
		want     int64 // -1 for none
		standing int
	}{{"new", 2, 7, false, 7, 1}, {"older", 1, 5, false, 7, 1}, {"newer", 3, 6, false, 6, 1},
		{"removed", 5, 0, true, -1, 0}, {"late news of before", 4, 9, false, -1, 0},
		{"removed again", 5, 0, true, -1, 0},
		{"back", 6, 8, false, 8, 1}, {"gone from the database", vanished, 0, true, -1, 0},
		{"a new row", 1, 3, false, 3, 1}} {
		place(x.version, x.value, x.removed)
		got := int64(-1)
		h.rank.Walk(0, 9, func(e *ranking.Entry) { got = e.Value })
		if got != x.want || h.rank.Len() != x.standing || len(b.people.index) != x.standing {
			t.Errorf("%s: %d, %d stand, %d are known", x.what, got, h.rank.Len(), len(b.people.index))
		}
	}
}
