package replica_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/trial"
)

// onlooker is a client's copy kept up to date by what would be sent to it.
type onlooker struct {
	name   string
	viewer *replica.Viewer
	copy   *replica.Copy
	behind int // publishings for which it gets nothing yet
	steps  int // parts that told of places by their steps
}

// take reads a snapshot or a delta into the copy.
func (o *onlooker) take(data []byte) error {
	m, err := decode(o.viewer.Enc, data)
	if err != nil || len(data) == 0 {
		return err
	}
	parts := replica.Parts(m.Parts)
	if m.behind != nil {
		parts = replica.Sequence(m.behind)
	}
	for rest := m.behind; len(rest) > 0; {
		var p []any
		if rest, err = cbor.UnmarshalFirst(rest, &p); err == nil && p[0] == int64(-5) {
			o.steps++
		}
	}
	for _, p := range m.Parts { // what goes was there
		if fmt.Sprint(p[0]) != "-1" {
			continue
		}
		for _, id := range p[1:] {
			n, _ := strconv.Atoi(fmt.Sprint(id))
			if o.copy.Sheet(sheet.ID(n)) == nil {
				return fmt.Errorf("sheet %d goes, which the copy never held", n)
			}
		}
	}
	if m.On == nil {
		_, err = o.copy.Replace(parts)
	} else if o.copy.Tick != *m.On {
		err = fmt.Errorf("a delta on %d for a copy of %d", *m.On, o.copy.Tick)
	} else {
		_, err = o.copy.Apply(parts)
	}
	o.copy.Tick = m.Tick
	return err
}

type message struct {
	On    *sheet.Tick
	Tick  sheet.Tick
	Parts [][]any

	behind []byte // what stands behind the head in CBOR
}

func decode(enc replica.Encoding, data []byte) (m message, err error) {
	if len(data) == 0 {
		return m, nil
	}
	if enc == replica.JSON {
		d := json.NewDecoder(bytes.NewReader(data))
		d.UseNumber()
		return m, d.Decode(&m)
	}
	var head []sheet.Tick
	if m.behind, err = cbor.UnmarshalFirst(data, &head); err != nil {
		return m, err
	}
	if m.Tick = head[0]; len(head) > 1 {
		on := head[0] - head[1]
		m.On = &on
	}
	return m, nil
}

// history remembers what every field held at every tick, so that what is told late can be held against what was true
// then.
type history map[sheet.ID]map[int][]was

type was struct {
	at sheet.Tick
	v  sheet.Value
}

func (h history) note(schema *sheet.Schema, st *sheet.Store, now sheet.Tick) {
	for k := range sheet.Kinds {
		for _, r := range st.Of(sheet.Kind(k)) {
			if h[r.ID] == nil {
				h[r.ID] = map[int][]was{}
			}
			for _, f := range schema.Fields(r.Kind) {
				list := h[r.ID][f.No]
				if len(list) == 0 || list[len(list)-1].v != r.Get(f) {
					h[r.ID][f.No] = append(list, was{now, r.Get(f)})
				}
			}
		}
	}
}

// lately tells whether a field held a value at some time in the last so many ticks.
func (h history) lately(id sheet.ID, no int, v sheet.Value, now, within sheet.Tick) bool {
	list := h[id][no]
	for i := len(list) - 1; i >= 0; i-- {
		if list[i].v == v {
			return true
		}
		if list[i].at <= now-within {
			return false
		}
	}
	return false
}

// check compares the copy with everything that the view may see, no more and no less.
func (o *onlooker) check(b *rulebook.Book, st *sheet.Store, h history, now sheet.Tick) error {
	n := 0
	masks := replica.MasksOf(b.Schema, nil)
	for k := 0; k < sheet.Kinds; k++ {
		for _, r := range st.Of(sheet.Kind(k)) {
			n++
			s := o.copy.Sheet(r.ID)
			if s == nil {
				return fmt.Errorf("%s %d is missing", r.Kind, r.ID)
			}
			mask := o.viewer.Fields(masks, r)
			for _, f := range b.Schema.Fields(r.Kind) {
				must, may, within := mask.Has(f.No), mask.Has(f.No), f.Rate
				if f.See == sheet.Group {
					must, may = o.among(b, st, f.Group), o.among(b, st, f.Group)
				}
				if must && (f == b.F.Player.Pos || f == b.F.Player.Yaw || f == b.F.Player.Pitch || f == b.F.Piece.Pos) {
					must, may, within = o.distance(b, st, r)
					within = max(within, f.Rate)
				}
				v, seen := s.Get(f.Name)
				switch {
				case seen && !may || !seen && must:
					return fmt.Errorf("%s %d: %s is seen: %v; must be: %v, may be: %v", r.Kind, r.ID, f.Name, seen,
						must, may)
				case seen && v != r.Get(f) && !(within > 0 && h.lately(r.ID, f.No, v, now, within)):
					return fmt.Errorf("%s %d: %s is %v, should be %v", r.Kind, r.ID, f.Name, v, r.Get(f))
				}
			}
		}
	}
	for k := 0; k < sheet.Kinds; k++ {
		n -= len(o.copy.Of(sheet.Kind(k)))
	}
	if n != 0 {
		return fmt.Errorf("the copy has %d sheets too many", -n)
	}
	return nil
}

// seated tells whether all of the onlooker's seats are still there: otherwise nobody comes back with its copy.
func (o *onlooker) seated(st *sheet.Store) bool {
	return !slices.ContainsFunc(o.viewer.Seats, func(id sheet.ID) bool { return st.Get(id) == nil })
}

// among tells whether one of the onlooker's players is in a list of the match.
func (o *onlooker) among(b *rulebook.Book, st *sheet.Store, list string) bool {
	for _, match := range st.Of(sheet.Match) {
		for _, id := range sheet.Items(match.Text(b.Schema.Field(sheet.Match, list))) {
			for _, seat := range o.viewer.Seats {
				if fmt.Sprint(seat) == id {
					return true
				}
			}
		}
	}
	return o.viewer.All
}

// distance tells whether a position must and may be seen, and how late.
func (o *onlooker) distance(b *rulebook.Book, st *sheet.Store, r *sheet.Row) (must, may bool, within sheet.Tick) {
	if b.Ground.Sight == nil || o.viewer.All || len(o.viewer.Seats) == 0 {
		return true, true, 0
	}
	sight, at := b.Ground.Sight, middle(b, r)
	within = sight.Every
	for _, id := range o.viewer.Seats {
		own := st.Get(id)
		if own == nil {
			continue
		}
		far, off := 0.0, 0.0
		for i, n := range middle(b, own) {
			far += (at[i] - n) * (at[i] - n)
		}
		if far = math.Sqrt(far); sight.Cone != nil && far > 0 {
			off = angle(b, own, at)
		}
		half, cone := 180.0, sight.Cone
		if cone != nil {
			half = float64(cone.Angle) / 2
		}
		must = must || far <= float64(sight.Far) && off < half-0.01
		may = may || far <= float64(sight.Far)*1.1 && off < half*1.1+0.5
		if far <= float64(sight.Near) && off < half-0.01 {
			within = 0
		}
	}
	return must, may, within
}

// middle is the middle of a body.
func middle(b *rulebook.Book, r *sheet.Row) [3]float64 {
	f := map[sheet.Kind]*sheet.Field{sheet.Player: b.F.Player.Pos, sheet.Piece: b.F.Piece.Pos}[r.Kind]
	x, y := r.Pos(f)
	return [3]float64{float64(x), float64(y), float64(r.Height(f) + b.Body(r).Tall/2)}
}

// angle is how many degrees off where somebody looks a place is.
func angle(b *rulebook.Book, own *sheet.Row, at [3]float64) float64 {
	turn := 2 * math.Pi / 65536
	yaw, pitch := float64(own.Int(b.F.Player.Yaw))*turn, 0.0
	if f := b.F.Player.Pitch; f != nil {
		pitch = float64(own.Int(f)) * turn
	}
	looks := [3]float64{math.Cos(yaw) * math.Cos(pitch), math.Sin(yaw) * math.Cos(pitch), math.Sin(pitch)}
	dot, long := 0.0, 0.0
	for i, n := range middle(b, own) {
		dot += looks[i] * (at[i] - n)
		long += (at[i] - n) * (at[i] - n)
	}
	return math.Acos(max(min(dot/math.Sqrt(long), 1), -1)) * 180 / math.Pi
}

const book = `
turnvex: 1
name: soak
tick: 10
players: {least: 2, most: 8, hold: 1s, late: seat}
start: {countdown: 200ms}
teams: {list: {red: {}, blue: {}, green: {}}, newcomers: choice, locked: never, least: 0}
ground: {width: 20m, height: 20m, sight: {near: 4m, far: 9m, update: 400ms}}
movement: {speed: 8m/s}
facing: {fastest: 720deg}
sheets:
  match:
    tide: {type: number, see: referees}
    board: {type: list, of: integer, start: {fill: 0, times: 30}}
    log: {type: list, of: text, most: 20}
    ring: {type: list, of: player, most: 4, see: match.ring, reset: never}
    watch: {type: list, of: player, most: 3}
    code: {type: integer, see: match.ring}
    codes: {type: list, of: integer, see: match.watch, update: 300ms}
  team: {plan: {type: integer, see: team}, size2: {type: integer, is: team.size * 2}}
  player:
    open: {type: integer}
    mine: {type: integer, see: owner}
    ours: {type: number, see: team}
    note: {type: text, see: team}
    hand: {type: list, of: integer, see: owner, most: 40, reset: never}
    sworn: {type: integer, see: match.ring}
    plans: {type: list, of: player, see: team, most: 12, reset: never}
    lap: {type: clock}
    slow: {type: integer, update: 500ms}
    secret: {type: integer, see: team, update: 300ms}
actions:
  stir:
    do:
      - {add: me.open, by: 1}
      - {add: me.mine, by: "random(1, 9)"}
      - {add: me.ours, by: 0.125}
      - {add: team.plan, by: 1}
      - {set: match.tide, to: me.ours}
      - {set: me.note, to: "me.name + ' \"§\" ' + string(me.mine)"}
      - {clock: me.lap, do: start}
      - {add: me.slow, by: 1}
      - {set: me.secret, to: "random(0, 2)"}
      - {set: match.board, nth: "random(1, 30)", to: me.open}
      - {set: match.board, nth: "random(1, 30)", to: me.open}
      - {put: match.log, item: "me.name + string(me.open)"}
      - {put: me.hand, item: "random(1, 9)", where: random}
      - {put: me.plans, item: players.pick()}
      - {set: match.code, to: me.mine}
      - {set: me.sworn, to: me.open}
      - {put: match.codes, item: me.mine}
      - {if: "me in match.ring", then: [{take: match.ring, item: me}], else: [{put: match.ring, item: me}]}
      - {if: me.open % 2 == 0, then: [{put: match.watch, item: players.pick()}], else: [{take: match.watch}]}
      - if: me.open % 7 == 0
        then: [{shuffle: me.hand}, {empty: me.plans}, {take: match.log, many: 3}, {take: me.hand, many: 5, where: random}]
pieces: {shell: {number: 3, touch: [{remove: piece}]}}
phases: {play: {lasts: 9s}}
end: {lasts: 500ms}
record: {stirs: {value: me.open, keep: total}, seen: {value: me.open, keep: best, see: everyone}}
`

// TestCopiesEqualTheTruth lets players come, go, change sides and play at random, while some onlookers fall behind and
// others come back with an old copy. After every publishing each onlooker's copy, in both encodings, is exactly what it
// may see, and the feed knows it.
func TestCopiesEqualTheTruth(t *testing.T) {
	beat := strings.Replace(book, "movement: {speed: 8m/s", "movement: {update: 300ms, speed: 8m/s", 1)
	cone := strings.Replace(book, "update: 400ms}", "update: 400ms, angle: 130deg}", 1)
	for name, src := range map[string]string{"near": book, // where one sees far, one may come back with an old copy
		"far":  strings.Replace(beat, ", sight: {near: 4m, far: 9m, update: 400ms}", "", 1),
		"beat": beat,
		"cone": cone, "tall": strings.NewReplacer("height: 20m,", "height: 20m, tall: 9m,", "speed: 8m/s",
			"speed: 8m/s, jump: 9m/s", "{number: 3,", "{number: 3, tall: 3m,").Replace(cone)} {
		t.Run(name, func(t *testing.T) { copiesEqual(t, src) })
	}
}

func copiesEqual(t *testing.T, src string) {
	b, problems := rulebook.Compile([]byte(src))
	if b == nil {
		t.Fatal(problems.Error())
	}
	rounds := trial.Rounds(1500, 600)
	seed := trial.Seed(t)
	w := newWorld(t, b, seed)
	r := rand.New(rand.NewPCG(seed, 0))
	w.arrive("spectator", replica.View{})
	w.arrive("operator", replica.View{All: true})
	var seats []sheet.ID
	steps := 0
	for i := 0; i < rounds && !w.m.Closed(); i++ {
		in := randomInput(r, w.m, seats, i)
		seat := w.m.Step(&in).Seat
		if seat != 0 {
			seats = append(seats, seat)
			w.m.Step(&step.Input{At: w.m.Tick(), Kind: step.Loaded, Seat: seat})
		}
		w.past.note(b.Schema, w.m.Store(), w.m.Tick())
		if r.IntN(3) == 0 || w.m.Tick() == w.told {
			continue
		}
		w.publish(r)
		for _, o := range w.lookers {
			steps += o.steps
			if o.steps = 0; o.behind > 0 {
				continue
			}
			if err := o.check(b, w.m.Store(), w.past, w.m.Tick()); err != nil {
				t.Fatalf("seed %d, step %d (%s %s), %s: %v", seed, i, in.Kind, in.Verb, o.name, err)
			}
			if want := w.feed.Image(o.viewer, w.m.Store()); want.Hash() != o.copy.Hash() {
				t.Fatalf("seed %d, step %d, %s: the feed thinks otherwise: %+v", seed, i, o.name, want.Compare(o.copy))
			}
		}
		if seat != 0 {
			w.arrive(fmt.Sprint("seat ", seat), replica.View{Seats: []sheet.ID{seat}})
		}
		if len(w.lookers) > 24 {
			w.lookers = slices.Delete(w.lookers, 4, 6)
		}
	}
	if w.caught == 0 || w.kept == 0 || w.shared == 0 || steps == 0 {
		t.Errorf("seed %d: %d caught up, %d kept their copy, %d deltas were shared, %d told steps", seed, w.caught,
			w.kept, w.shared, steps)
	}
}

func randomInput(r *rand.Rand, m *lobby.Lobby, seats []sheet.ID, i int) step.Input {
	in := step.Input{
		At:   m.Tick() + sheet.Tick(r.IntN(3)),
		Kind: step.Intent,
		X:    r.Int64N(2001) - 1000,
		Y:    r.Int64N(2001) - 1000,
	}
	if len(seats) > 0 {
		in.Seat = seats[r.IntN(len(seats))]
	}
	switch n := r.IntN(30); {
	case n < 2:
		in.Kind, in.Acct, in.Name = step.Enter, fmt.Sprint("a", i), fmt.Sprint("Pip ", i%5)
	case n == 2:
		in.Kind = step.Leave
	case n == 3 && r.IntN(3) == 0:
		in.Verb, in.Name = step.Team, []string{"red", "blue", "green"}[r.IntN(3)]
	case n < 12:
		in.Verb = step.Ready
	case n < 18:
		in.Verb, in.Faces, in.Yaw = step.Steer, true, r.Int64N(65536)
		if m.Store().Schema.Deep {
			in.Z, in.Pitch = r.Int64N(3)-1, r.Int64N(32769)-16384
		}
	default:
		in.Verb, in.Name = step.Act, "stir"
	}
	return in
}

// FuzzApply: whatever parts arrive, the copy answers with an error at worst.
func FuzzApply(f *testing.F) {
	b, _ := rulebook.Compile([]byte(book))
	schema, err := replica.Describe(b.Schema).Schema()
	if err != nil {
		f.Fatal(err)
	}
	for _, s := range []string{`[[0,1,3,1,0,"Mara"],[1,0,"Joss"],[-2,1,0],[-1,1]]`, `[[0]]`, `[[7,1]]`, `[[0,1,9,1]]`,
		`[[0,1,3,1,99,1]]`, `[["x"]]`, `[[]]`, `[[-1]]`} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		var parts [][]any
		if json.Unmarshal(data, &parts) == nil {
			c := replica.NewCopy(schema)
			c.Apply(replica.Parts(parts))
			c.Replace(replica.Parts(parts))
			whole := c.Parts()
			again := replica.NewCopy(schema)
			if _, err := again.Replace(replica.Parts(decoded(t, whole))); err != nil || again.Hash() != c.Hash() {
				t.Errorf("the copy %v is read as another one: %v", whole, err)
			}
		}
	})
}

// decoded is what a general decoder makes of a copy's parts.
func decoded(t *testing.T, parts [][]any) (out [][]any) {
	data, err := json.Marshal(parts)
	if err != nil {
		t.Fatal(err)
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	if err := d.Decode(&out); err != nil {
		t.Fatal(err)
	}
	return out
}

// FuzzSequence: what is read straight from a CBOR sequence gives the same copy as by way of the general decoder, which
// takes some forms more.
func FuzzSequence(f *testing.F) {
	b, _ := rulebook.Compile([]byte(book))
	schema, err := replica.Describe(b.Schema).Schema()
	if err != nil {
		f.Fatal(err)
	}
	for _, parts := range [][][]any{{{0, 1, 3, 1, 0, []int{1, 2}, 4, "Mara"}, {-3, 0, 1, 300, -70000}, {1, 3, true},
		{-2, 1, 3}, {-1, 1}}, {{0, 9, 1, 0, 3, []int{600, -1, 0}}}, {{}}, {{7, 1}}} {
		var data []byte
		for _, p := range parts {
			raw, _ := cbor.Marshal(p)
			data = append(data, raw...)
		}
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		straight, general := replica.NewCopy(schema), replica.NewCopy(schema)
		_, err := straight.Apply(replica.Sequence(data))
		var parts [][]any
		for rest := data; len(rest) > 0; {
			var p []any
			var bad error
			if rest, bad = reading.UnmarshalFirst(rest, &p); bad != nil {
				if err == nil {
					t.Fatalf("%x is read straight, but it is not CBOR: %v", data, bad)
				}
				return
			}
			parts = append(parts, p)
		}
		_, other := general.Apply(replica.Parts(parts))
		if err == nil && (other != nil || straight.Hash() != general.Hash()) {
			t.Fatalf("%x: straight %v, by the general decoder %v", data, err, other)
		}
	})
}

var reading, _ = cbor.DecOptions{IntDec: cbor.IntDecConvertSignedOrFail, UTF8: cbor.UTF8RejectInvalid}.DecMode()
