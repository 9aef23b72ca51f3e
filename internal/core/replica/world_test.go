package replica_test

import (
	"math/rand/v2"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// world is a lobby with its onlookers.
type world struct {
	t                    *testing.T
	b                    *rulebook.Book
	m                    *lobby.Lobby
	feed                 *replica.Feed
	desk                 replica.Desk
	seed                 uint64
	told                 sheet.Tick
	schema               *replica.Schema
	lookers              []*onlooker
	past                 history
	caught, kept, shared int
}

func newWorld(t *testing.T, b *rulebook.Book, seed uint64) *world {
	face := faceOf(b)
	schema, err := face.Described.Schema()
	if err != nil {
		t.Fatal(err)
	}
	return &world{
		t:      t,
		b:      b,
		m:      lobby.New(b, lobby.Setup{Code: "SOAK22", Seed: seed}),
		feed:   replica.NewFeed(face),
		seed:   seed,
		told:   0, // as the first copies are of tick 0
		schema: schema,
		past:   history{},
	}
}

// faceOf is the face of a rulebook.
func faceOf(b *rulebook.Book) *replica.Face {
	s := b.Ground.Sight
	if s == nil {
		return replica.NewFace(b.Schema, nil)
	}
	sight := &replica.Sight{Near: s.Near, Far: s.Far, Every: s.Every, Player: b.F.Player.Pos, Facing: b.SeenFacing(),
		Piece: b.F.Piece.Pos, Creature: b.F.Creature.Pos}
	if s.Cone != nil {
		sight.Cos, sight.Keep, sight.Looks = s.Cone.Cos, s.Cone.Keep, b.Looks
	}
	if b.Ground.Tall > 0 {
		sight.Tall = func(r *sheet.Row) int64 { return b.Body(r).Tall }
	}
	return replica.NewFace(b.Schema, sight)
}

func (w *world) arrive(name string, v replica.View) {
	for _, enc := range []replica.Encoding{replica.JSON, replica.CBOR} {
		o := &onlooker{name: name, viewer: &replica.Viewer{View: v, Enc: enc}, copy: replica.NewCopy(w.schema)}
		if err := o.take(w.feed.Snapshot(nil, o.viewer, w.m.Store(), w.told)); err != nil {
			w.t.Fatal(err)
		}
		w.lookers = append(w.lookers, o)
	}
}

func (w *world) publish(r *rand.Rand) {
	w.told = w.m.Tick()
	w.feed.Begin(&w.desk, w.m.Store(), w.m.Store().Changes(), w.told)
	made := map[replica.Key][]byte{}
	for _, o := range w.lookers {
		var data []byte
		switch {
		case o.behind > 1:
			o.behind--
			continue
		case o.seated(w.m.Store()) && (r.IntN(40) == 0 || o.behind == 1 && r.IntN(2) == 0):
			// a new connection with the copy of the old one
			v := replica.View{Seats: o.viewer.Seats, All: o.viewer.All}
			w.feed.Join(&v, w.m.Store())
			o.viewer = &replica.Viewer{View: v, Enc: o.viewer.Enc, On: o.copy.Tick}
			if w.feed.CanCatchUp(o.viewer, true) {
				data = w.feed.CatchUp(nil, o.viewer)
				w.kept++
			} else {
				data = w.feed.Snapshot(nil, o.viewer, w.m.Store(), w.told)
			}
		case o.behind == 1 && w.feed.CanCatchUp(o.viewer, false):
			data = w.feed.CatchUp(nil, o.viewer)
			w.caught++
		case o.behind == 1:
			data = w.feed.Snapshot(nil, o.viewer, w.m.Store(), w.told)
		case r.IntN(20) == 0:
			o.behind = 1 + r.IntN(6)
			continue
		default:
			plan := w.feed.Plan(o.viewer)
			if shared, ok := made[plan.Key]; ok && !plan.Own {
				data = shared
				o.viewer.On = w.told
				w.shared++
			} else if !plan.Nothing {
				data = w.feed.Write(nil, o.viewer, &plan)
				made[plan.Key] = data
			}
		}
		o.behind = 0
		if err := o.take(data); err != nil {
			w.t.Fatalf("seed %d, %s: %v: %s", w.seed, o.name, err, data)
		}
	}
	w.feed.End()
	w.m.Store().ClearChanges()
}
