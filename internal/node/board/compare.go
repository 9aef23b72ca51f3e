package board

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/ranking"
)

// Comparison is how a season stands in memory beside the database.
type Comparison struct {
	Season   string   `json:"season"`
	Memory   int      `json:"memory"`   // entries
	Database int      `json:"database"` // entries
	Differ   []string `json:"differ"`   // what is not the same, at most 20 lines
}

const maxDiffer = 20

// Compare reads a season from the database and compares what is in memory with it. What is posted meanwhile may differ,
// and what others have posted since the last look.
func (b *Boards) Compare(ctx context.Context, r Ref, season string) (*Comparison, error) {
	s, err := b.present(ctx, r, season)
	if err != nil {
		return nil, err
	}
	out := &Comparison{Season: s.Name, Differ: []string{}}
	if s.ID == 0 {
		return out, nil
	}
	h, err := b.hold(ctx, r, s.ID)
	if err != nil {
		return nil, err
	}
	rows, err := b.readSeason(ctx, s.ID)
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	out.Database = len(rows)
	if h.rank == nil {
		return out, nil
	}
	out.Memory = h.rank.Len()
	differ := func(id [16]byte, format string, args ...any) {
		if len(out.Differ) < maxDiffer {
			out.Differ = append(out.Differ, uuid.UUID(id).String()+": "+fmt.Sprintf(format, args...))
		}
	}
	there := map[[16]byte]bool{}
	for i := range rows {
		x := &rows[i]
		there[x.id] = true
		n, known := b.people.index[x.id]
		e, stands := h.rank.Of(n)
		switch {
		case !known || !stands:
			differ(x.id, "not in memory")
		case e.Value != x.entry.Value || e.At != x.entry.At || e.Match != x.entry.Match:
			differ(x.id, "%d in memory, %d in the database", e.Value, x.entry.Value)
		case b.people.list[n].name != x.name:
			differ(x.id, "called %q in memory, %q in the database", b.people.list[n].name, x.name)
		}
	}
	h.rank.Walk(0, h.rank.Len(), func(e *ranking.Entry) {
		if id := b.people.list[e.Who].id; !there[id] {
			differ(id, "not in the database")
		}
	})
	return out, nil
}
