package board

import (
	"encoding/json"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/tool/trial"
	"turnvex.example/turnvex/internal/wire"
)

// TestViewsAreWrittenAsTheLibraryDoes: random views, with texts of every kind and what may be left out left out, are
// written as the bytes that encoding/json makes of their pages.
func TestViewsAreWrittenAsTheLibraryDoes(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	texts := []string{"", "plain", `"quoted"`, `back\slash`, "ø“x”", "a\nb\x00", "<b>&", "\xff", "line\u2028", "\x7f"}
	text := func() string { return texts[r.IntN(len(texts))] }
	moment := func() time.Time {
		return time.UnixMicro(r.Int64N(1 << 52)).In(time.FixedZone("", 60*60*r.IntN(3)))
	}
	id := func() (id [16]byte) {
		if r.IntN(3) > 0 {
			for i := range id {
				id[i] = byte(r.Uint32())
			}
		}
		return id
	}
	for range 2000 {
		v := View{head: Page{Rulebook: text(), Board: text(), Title: text(), Show: text(), Order: text(),
			Season: wire.Season{Name: text(), Begins: moment(), State: text()}, Count: r.IntN(1 << 40),
			First: r.IntN(99), Next: text()}, titles: map[string]string{"plain": text()}}
		if r.IntN(2) == 0 {
			ends := moment()
			v.head.Season.Ends = &ends
		}
		for range r.IntN(4) {
			v.rows = append(v.rows, standing{place: r.Int64(), value: r.Int64() - 1<<62, at: r.Int64N(1 << 52),
				id: id(), match: id(), name: text(), team: text()})
		}
		page := v.Page()
		want, err := json.Marshal(page)
		if got := v.AppendJSON(nil); err != nil || string(got) != string(want) {
			t.Fatalf("seed %d: %s\nwanted %s (%v)", seed, got, want, err)
		}
		for i, s := range v.rows {
			if row := page.Rows[i]; row.Match != "" && row.Match != uuid.UUID(s.match).String() {
				t.Fatalf("seed %d: the match %v is told as %s", seed, s.match, row.Match)
			}
		}
	}
}
