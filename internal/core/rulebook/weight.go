package rulebook

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/sheet"
)

// MostState is how many bytes the sheets of a lobby may take at most.
const MostState = 64 << 20

// weighState finds how many bytes the sheets of a lobby may take, with every seat taken, every list full and every text
// as long as it may be, and fails where that is too much.
func weighState(b *terms) {
	k := b.book
	many := b.checker.Sizes
	many[sheet.Lobby], many[sheet.Match], many[sheet.Record] = 1, 1, many[sheet.Player]
	heaviest, most := "", int64(0)
	for kind := range sheet.Kinds {
		for _, f := range k.Schema.Fields(sheet.Kind(kind)) {
			n := many[kind] * fieldWeight(f)
			if k.State += n; n > most {
				heaviest, most = sheet.Kind(kind).String()+"."+f.Name, n
			}
		}
	}
	if k.State > MostState {
		b.fail(b.top, "too-large", "", "the sheets of a lobby may come to %s, and at most %s are allowed; most of it, "+
			"%s, is in %s: lower its most, or players.most", showBytes(k.State), showBytes(MostState), showBytes(most),
			heaviest)
	}
}

// fieldWeight is how many bytes a field takes at most. A character is taken for two bytes.
func fieldWeight(f *sheet.Field) int64 {
	switch f.Type {
	case sheet.Text:
		return 2 * f.Max
	case sheet.List:
		each := int64(12)
		switch f.Item {
		case sheet.Text:
			each = 2 * itemTextMost
		case sheet.Choice:
			each = 3
		}
		return int64(f.Most) * each
	}
	return 8 * int64(f.Type.Width())
}

func showBytes(n int64) string {
	if n >= 1<<20 {
		return fmt.Sprintf("%.1f MiB", float64(n)/(1<<20))
	}
	return fmt.Sprintf("%d KiB", n>>10+1)
}

// Weighing says how much the sheets of a lobby may take.
func (b *Book) Weighing() string {
	return "the sheets of a full lobby take at most " + showBytes(b.State)
}
