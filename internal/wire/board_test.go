package wire_test

import (
	"encoding/json"
	"math/rand/v2"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/tool/seed"
	"turnvex.example/turnvex/internal/wire"
)

// TestPagesAreWrittenAsTheLibraryDoes: random pages, with texts of every kind and what may
// be left out left out, are the bytes that encoding/json writes.
func TestPagesAreWrittenAsTheLibraryDoes(t *testing.T) {
	seed := seed.Of(t)
	r := rand.New(rand.NewPCG(seed, 0))
	texts := []string{"", "plain", `"quoted"`, `back\slash`, "ø“x”", "a\nb\x00", "<b>&", "\xff", "line\u2028", "\x7f"}
	text := func() string { return texts[r.IntN(len(texts))] }
	moment := func() time.Time {
		return time.UnixMicro(r.Int64N(1 << 52)).In(time.FixedZone("", 60*60*r.IntN(3)))
	}
	for range 2000 {
		p := wire.BoardPage{Rulebook: text(), Board: text(), Title: text(), Show: text(), Order: text(),
			Season: wire.Season{Name: text(), Begins: moment(), State: text()}, Count: r.IntN(1 << 40),
			First: r.IntN(99), Rows: []wire.BoardRow{}, Next: text()}
		if r.IntN(2) == 0 {
			ends := moment()
			p.Season.Ends = &ends
		}
		for range r.IntN(4) {
			p.Rows = append(p.Rows, wire.BoardRow{Place: r.Int64(), Player: text(), Team: text(), Name: text(),
				Value: r.Int64() - 1<<62, Posted: moment(), Match: text()})
		}
		want, err := json.Marshal(p)
		if got := p.AppendJSON(nil); err != nil || string(got) != string(want) {
			t.Fatalf("seed %d: %s\nwanted %s (%v)", seed, got, want, err)
		}
	}
}
