package state_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/state"
)

type crew struct {
	name string
	wind int64
	up   bool
	legs []int32
	tags []string
	mast []spar
}

type spar struct {
	small int8
	far   uint64
}

func (c *crew) walk(w *state.Walk) {
	state.Text(w, "name", &c.name)
	state.Int(w, "wind", &c.wind)
	state.Bool(w, "up", &c.up)
	w.In("below", func() {
		state.Ints(w, "legs", &c.legs)
		state.Texts(w, "tags", &c.tags)
	})
	state.List(w, "mast", &c.mast, func(s *spar) {
		state.Int(w, "small", &s.small)
		state.Int(w, "far", &s.far)
	})
}

func whole() *crew {
	return &crew{"Mara \"é\"", -5, true, []int32{1, -2, math.MaxInt32}, []string{"", "x"},
		[]spar{{-128, math.MaxUint64}, {127, 0}}}
}

// TestOneWalkForAll: what is saved is restored as it was, hashes alike, and is listed by where it stands.
func TestOneWalkForAll(t *testing.T) {
	c, back := whole(), &crew{name: "old", legs: []int32{9}, mast: make([]spar, 7)}
	data := state.Save([]byte("head"), c.walk)
	if string(data[:4]) != "head" {
		t.Error("what stood before is gone")
	}
	if err := state.Restore(data[4:], back.walk); err != nil || fmt.Sprint(back) != fmt.Sprint(c) {
		t.Fatalf("%+v, %v", back, err)
	}
	if state.Hash(c.walk) != state.Hash(back.walk) {
		t.Error("the hashes differ")
	}
	var got []string
	for _, l := range state.Lines(c.walk) {
		got = append(got, l.Path+"="+l.Value)
	}
	const want = `name="Mara \"é\"" wind=-5 up=1 below.legs.len=3 below.legs.0.n=1 below.legs.1.n=-2 below.legs.2.n=2147483647 ` +
		`below.tags.len=2 below.tags.0.text="" below.tags.1.text="x" mast.len=2 mast.0.small=-128 mast.0.far=-1 mast.1.small=127 mast.1.far=0`
	if strings.Join(got, " ") != want {
		t.Errorf("listed as %s", strings.Join(got, " "))
	}
	empty := &crew{legs: []int32{}, tags: []string{"x"}}
	if err := state.Restore(state.Save(nil, (&crew{}).walk), empty.walk); err != nil || empty.legs != nil ||
		empty.tags != nil {
		t.Errorf("%+v, %v", empty, err)
	}
}

// TestEveryValueCounts: each change changes the hash, also far behind in a long state.
func TestEveryValueCounts(t *testing.T) {
	seen := map[uint64]string{state.Hash(whole().walk): "unchanged"}
	for what, change := range map[string]func(*crew){
		"name": func(c *crew) { c.name = "Mara" }, "wind": func(c *crew) { c.wind++ },
		"up":    func(c *crew) { c.up = false },
		"a leg": func(c *crew) { c.legs[2]-- }, "legs": func(c *crew) { c.legs = c.legs[:2] },
		"no legs": func(c *crew) { c.legs = nil },
		"tag":     func(c *crew) { c.tags[0] = "x" }, "tags apart": func(c *crew) { c.tags = []string{"x", ""} },
		"mast": func(c *crew) { c.mast[1].far = 1 }, "small": func(c *crew) { c.mast[0].small = 127 },
	} {
		c := whole()
		change(c)
		if h := state.Hash(c.walk); seen[h] != "" {
			t.Errorf("%s hashes as %s", what, seen[h])
		} else {
			seen[h] = what
		}
	}
	long := make([]int64, 20000)
	walk := func(w *state.Walk) { state.Ints(w, "n", &long) }
	hashes := map[uint64]int{state.Hash(walk): -1}
	for _, i := range []int{0, 4095, 4096, 10000, 19999} {
		long[i]++
		if h := state.Hash(walk); hashes[h] != 0 {
			t.Errorf("number %d does not count", i)
		} else {
			hashes[h] = i + 1
		}
	}
}

// TestWhatDoesNotFit: a checkpoint that is cut, longer, or of other values is refused, with the first word about it.
func TestWhatDoesNotFit(t *testing.T) {
	good := state.Save(nil, whole().walk)
	for n := range len(good) {
		if err := state.Restore(good[:n], (&crew{}).walk); err == nil {
			t.Errorf("cut to %d bytes it is taken", n)
		}
	}
	refused := func(what string, data []byte, walk func(*state.Walk), want string) {
		t.Helper()
		if err := state.Restore(data, walk); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, wanted %q", what, err, want)
		}
	}
	refused("a byte more", append(slices.Clone(good), 0), (&crew{}).walk, "1 bytes stand behind the state")
	big := int64(1 << 40)
	number := state.Save(nil, func(w *state.Walk) { state.Int(w, "n", &big) })
	refused("a number too large", number, func(w *state.Walk) {
		var n int8
		state.Int(w, "n", &n)
	}, "n is 1099511627776, which it cannot hold")
	refused("a list too long", number, func(w *state.Walk) { var l []int8; state.Ints(w, "list", &l) },
		"list has 1099511627776 elements")
	refused("a text too long", number, func(w *state.Walk) { var s string; state.Text(w, "s", &s) }, "ends too soon")
	big = -1
	number = state.Save(nil, func(w *state.Walk) { state.Int(w, "n", &big) })
	refused("a list of -1", number, func(w *state.Walk) { var l []int8; state.Ints(w, "list", &l) },
		"list has -1 elements")
	refused("a text of -1", number, func(w *state.Walk) { var s string; state.Text(w, "s", &s) }, "ends too soon")
	refused("a walk that fails", good, func(w *state.Walk) {
		if !w.Restoring() || w.Failed() {
			t.Error("it has failed before")
		}
		w.Fail("it is %s", "torn")
		w.Fail("and something else")
		whole().walk(w)
		if !w.Failed() {
			t.Error("it has not failed")
		}
	}, "it is torn")
}

// TestCompare: what differs, what one has and the other has not, and no more than asked.
func TestCompare(t *testing.T) {
	a, b := whole(), whole()
	a.legs, b.wind, b.tags = []int32{1, -2, 7, 8}, 6, []string{"", "x", "y"}
	show := func(most int) (out []string) {
		for _, d := range state.Compare(state.Lines(a.walk), state.Lines(b.walk), most) {
			out = append(out, fmt.Sprintf("%s=%s|%s=%s", d[0].Path, d[0].Value, d[1].Path, d[1].Value))
		}
		return out
	}
	want := []string{
		"wind=-5|wind=6",
		"below.legs.len=4|below.legs.len=3",
		"below.legs.2.n=7|below.legs.2.n=2147483647",
		"below.legs.3.n=8|=",
		"below.tags.len=2|below.tags.len=3",
		`=|below.tags.2.text="y"`,
	}
	for most := range len(want) + 2 {
		if got := show(most); !slices.Equal(got, want[:min(most, len(want))]) {
			t.Errorf("at most %d: %q", most, got)
		}
	}
	if d := state.Compare(state.Lines(a.walk), state.Lines(a.walk), 5); len(d) != 0 {
		t.Errorf("a state differs from itself: %v", d)
	}
}
