package ranking_test

import (
	"cmp"
	"math/rand/v2"
	"slices"
	"testing"

	"turnvex.example/turnvex/internal/core/ranking"
	"turnvex.example/turnvex/internal/tool/trial"
)

func byWho(a, b uint32) int { return cmp.Compare(a, b) }

// plain is the slow twin: a list that is sorted anew for each question.
type plain struct {
	least bool
	of    map[uint32]ranking.Entry
}

func (p *plain) order() (all []ranking.Entry) {
	for _, e := range p.of {
		all = append(all, e)
	}
	slices.SortFunc(all, func(a, b ranking.Entry) int {
		by := cmp.Compare(b.Value, a.Value)
		if p.least {
			by = -by
		}
		return cmp.Or(by, cmp.Compare(a.At, b.At), cmp.Compare(a.Who, b.Who))
	})
	return all
}

func walked(r *ranking.Ranking, from, n int) (all []ranking.Entry, place int) {
	place = r.Walk(from, n, func(e *ranking.Entry) { all = append(all, *e) })
	return all, place
}

func (p *plain) hold(t *testing.T, r *ranking.Ranking, some *rand.Rand) {
	t.Helper()
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	all := p.order()
	if r.Len() != len(all) {
		t.Fatalf("%d entries, wanted %d", r.Len(), len(all))
	}
	if got, _ := walked(r, 0, len(all)+5); !slices.Equal(got, all) {
		t.Fatalf("the whole is %v, wanted %v", got, all)
	}
	if len(all) == 0 {
		return
	}
	from := some.IntN(len(all))
	n := some.IntN(20) + 1
	page, place := walked(r, from, n)
	if !slices.Equal(page, all[from:min(from+n, len(all))]) {
		t.Fatalf("%d from %d are %v", n, from, page)
	}
	if i, there := r.Index(all[from].Who); !there || i != from {
		t.Fatalf("the index of %v is %d, wanted %d", all[from], i, from)
	}
	better := slices.IndexFunc(all, func(e ranking.Entry) bool { return e.Value == all[from].Value })
	if got := r.Place(all[from].Value); got != better+1 || place != got {
		t.Fatalf("the place of %d is %d, in a page %d, wanted %d", all[from].Value, got, place, better+1)
	}
	if e, there := r.Of(all[from].Who); !there || e != all[from] {
		t.Fatalf("the entry of %d is %v", all[from].Who, e)
	}
}

// TestRankingLikeAList: after random changes, many of them ties, the ranking stands as a sorted list would, whichever
// comes first, from empty and from many at once.
func TestRankingLikeAList(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	for _, least := range []bool{false, true} {
		twin := &plain{least: least, of: map[uint32]ranking.Entry{}}
		entry := func(version int64) ranking.Entry {
			return ranking.Entry{Value: r.Int64N(40), At: r.Int64N(5), Version: version, Who: r.Uint32N(3000)}
		}
		for range 2000 {
			e := entry(1)
			twin.of[e.Who] = e
		}
		rank := ranking.New(least, byWho, twin.order())
		twin.hold(t, rank, r)
		for version := int64(2); version < 4000; version++ {
			e := entry(version)
			_, there := twin.of[e.Who]
			if r.IntN(4) == 0 {
				delete(twin.of, e.Who)
				if rank.Remove(e.Who, version) != there {
					t.Fatalf("seed %d: removing %v, which is there: %v", seed, e, there)
				}
			} else {
				twin.of[e.Who] = e
				if !rank.Set(e) {
					t.Fatalf("seed %d: %v is not taken", seed, e)
				}
			}
			if version%50 == 0 {
				twin.hold(t, rank, r)
			}
		}
		if b := rank.Bytes() / rank.Len(); b < 60 || b > 300 {
			t.Errorf("an entry is said to take %d bytes", b)
		}
		for n, e := range twin.order() { // all of them from the first on, so that blocks end one by one
			delete(twin.of, e.Who)
			rank.Remove(e.Who, 1<<40)
			if n%50 == 0 {
				twin.hold(t, rank, r)
			}
		}
		twin.hold(t, rank, r)
		for n := range int64(4000) { // and one by one again, so that blocks are split
			again := entry(1<<41 + n)
			rank.Set(again)
			if twin.of[again.Who] = again; n%100 == 0 {
				twin.hold(t, rank, r)
			}
		}
		twin.hold(t, rank, r)
	}
}

// TestOlderDoesNotCount: what is told late changes nothing.
func TestOlderDoesNotCount(t *testing.T) {
	r := ranking.New(false, byWho, nil)
	r.Set(ranking.Entry{Who: 7, Value: 10, Version: 3})
	for _, late := range []ranking.Entry{{Who: 7, Value: 99, Version: 2}, {Who: 7, Value: 99, Version: 3}} {
		if r.Set(late) {
			t.Errorf("%v is taken after version 3", late)
		}
	}
	if r.Remove(7, 3) || !r.Remove(7, 4) || r.Remove(7, 5) {
		t.Error("a removal that is late, one that is not, and one of nobody")
	}
	if !r.Set(ranking.Entry{Who: 7, Value: 5, Version: 5}) || r.Len() != 1 {
		t.Error("what is posted after a removal does not stand")
	}
	if r.Search(5, 0) != 0 || r.Search(5, 1) != 1 || r.Search(4, 0) != 1 || r.Search(6, 0) != 0 {
		t.Error("a key is searched in the wrong place")
	}
}
