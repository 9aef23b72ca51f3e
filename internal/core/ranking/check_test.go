package ranking

import "fmt"

// Check holds a ranking to its invariants.
func (r *Ranking) Check() error {
	seen := map[uint32]bool{}
	var last uint32
	for n := range r.blocks {
		b := &r.blocks[n]
		if len(b.slots) == 0 || len(b.slots) >= most || len(b.slots) != len(b.values) {
			return fmt.Errorf("block %d has %d slots and %d values", n, len(b.slots), len(b.values))
		}
		if b.first != b.values[0] {
			return fmt.Errorf("block %d begins with %d, not %d", n, b.values[0], b.first)
		}
		for i, s := range b.slots {
			e := &r.entries[s]
			switch {
			case seen[s]:
				return fmt.Errorf("slot %d stands twice", s)
			case b.values[i] != e.Value:
				return fmt.Errorf("beside slot %d stands %d, not %d", s, b.values[i], e.Value)
			case r.slots[e.Who] != s:
				return fmt.Errorf("%d is said to be in slot %d, not %d", e.Who, r.slots[e.Who], s)
			case len(seen) > 0 && r.compare(last, s) >= 0:
				return fmt.Errorf("slot %d stands behind %d", s, last)
			}
			seen[s], last = true, s
		}
	}
	if len(seen) != len(r.slots) || len(r.sums) != len(r.blocks)+1 && len(r.blocks) > 0 {
		return fmt.Errorf("%d slots stand in blocks, %d are known; %d sums of %d blocks", len(seen), len(r.slots),
			len(r.sums), len(r.blocks))
	}
	for _, s := range r.free {
		if seen[s] {
			return fmt.Errorf("slot %d is free and used", s)
		}
	}
	sum := 0
	for n := range r.blocks {
		if got := r.before(n); got != sum {
			return fmt.Errorf("before block %d stand %d, not %d", n, got, sum)
		}
		sum += len(r.blocks[n].slots)
	}
	return nil
}
