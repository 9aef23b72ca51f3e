package replica_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"

	"testing"
	"time"

	"github.com/fxamacker/cbor/v2"

	"turnvex/internal/match"
	"turnvex/internal/replica"
	"turnvex/internal/rulebook"
	"turnvex/internal/sheet"
)

// onlooker is a client's copy kept up to date by what would be sent to it.
type onlooker struct {
	name  string
	view  replica.View
	codec replica.Codec
	copy  *replica.Copy
}

func (o *onlooker) decode(t *testing.T, data []byte) (parts [][]any) {
	t.Helper()
	if o.codec == replica.JSON {
		d := json.NewDecoder(bytes.NewReader(append(append([]byte("["), data...), ']')))
		d.UseNumber()
		if err := d.Decode(&parts); err != nil {
			t.Fatalf("%v: %s", err, data)
		}
		return parts
	}
	d := cbor.NewDecoder(bytes.NewReader(data))
	for {
		var p []any
		if err := d.Decode(&p); err == io.EOF {
			return parts
		} else if err != nil {
			t.Fatalf("%v: %x", err, data)
		}
		parts = append(parts, p)
	}
}

// check compares the copy with everything that the view may see, no more and no
// less.
func (o *onlooker) check(schema *sheet.Schema, masks *replica.Masks, st *sheet.Store) error {
	n := 0
	for k := 0; k < sheet.Kinds; k++ {
		for _, r := range st.Of(sheet.Kind(k)) {
			n++
			s := o.copy.Sheet(r.ID)
			if s == nil {
				return fmt.Errorf("%s %d is missing", r.Kind, r.ID)
			}
			mask := o.view.Fields(masks, r)
			for _, f := range schema.Fields(r.Kind) {
				v, seen := s.Get(f.Name)
				if seen != mask.Has(f.No) {
					return fmt.Errorf("%s %d: %s is seen: %v, should be: %v", r.Kind, r.ID, f.Name, seen, mask.Has(f.No))
				}
				if seen && v != r.Get(f) {
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

const book = `
turnvex: 1
name: soak
tick: 10
players: {least: 2, most: 8, hold: 1s, late: seat}
start: {countdown: 200ms}
teams: {list: {red: {}, blue: {}, green: {}}, newcomers: choice, locked: never, least: 0}
ground: {width: 20m, height: 20m}
movement: {speed: 8m}
sheets:
  match: {tide: {type: number, see: referees}}
  team: {plan: {type: integer, see: team}, size2: {type: integer, is: team.size * 2}}
  player:
    open: {type: integer}
    mine: {type: integer, see: owner}
    ours: {type: number, see: team}
    note: {type: text, see: team}
    lap: {type: clock}
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
pieces: {shell: {keep: 3, touch: [{remove: piece}]}}
phases: {play: {length: 9s}}
end: {show: 500ms}
record: {stirs: {of: me.open, keep: total}, seen: {of: me.open, keep: best, see: everyone}}
`

// TestCopiesEqualTheTruth lets players come, go, change sides and play at random;
// after every publishing each onlooker's copy, in both encodings, is exactly what
// it may see.
func TestCopiesEqualTheTruth(t *testing.T) {
	b, problems := rulebook.Compile([]byte(book))
	if b == nil {
		t.Fatal(problems.Error())
	}
	seed := uint64(time.Now().UnixNano())
	r := rand.New(rand.NewPCG(seed, 0))
	m := match.New(b, match.Setup{Code: "SOAK22", Seed: seed})
	masks := replica.MasksOf(b.Schema)
	collector := replica.NewCollector(masks)
	schema, err := replica.Describe(b.Schema).Schema()
	if err != nil {
		t.Fatal(err)
	}
	var lookers []*onlooker
	arrive := func(name string, v replica.View) {
		for _, c := range []replica.Codec{replica.JSON, replica.CBOR} {
			o := &onlooker{name, v, c, replica.NewCopy(schema)}
			o.view.Join(m.Store())
			g := o.view.Whole(masks, m.Store())
			if _, err := o.copy.Replace(o.decode(t, c.Append(nil, b.Schema, &g))); err != nil {
				t.Fatal(err)
			}
			lookers = append(lookers, o)
		}
	}
	arrive("spectator", replica.View{})
	arrive("operator", replica.View{All: true})
	var seats []sheet.ID
	publish := func() {
		ch := m.Store().Changes()
		groups := collector.Collect(ch)
		for _, o := range lookers {
			before := o.view
			shifted := o.view.Join(m.Store())
			var data []byte
			for i := range groups {
				if o.view.Sees(groups[i].Audience) {
					data = appendPart(data, o.codec, o.codec.Append(nil, b.Schema, &groups[i]))
				}
			}
			if shifted || len(ch.Moved) > 0 {
				if g := replica.Shift(masks, m.Store(), &before, &o.view, ch.Moved); !g.Empty() {
					data = appendPart(data, o.codec, o.codec.Append(nil, b.Schema, &g))
				}
			}
			if _, err := o.copy.Apply(o.decode(t, data)); err != nil {
				t.Fatalf("seed %d, %s: %v", seed, o.name, err)
			}
		}
		m.Store().ClearChanges()
	}
	for i := 0; i < 1500 && !m.Closed(); i++ {
		in := match.Input{At: m.Tick() + sheet.Tick(r.IntN(3)), Kind: match.Intent, X: r.Int64N(2001) - 1000, Y: r.Int64N(2001) - 1000}
		if len(seats) > 0 {
			in.Seat = seats[r.IntN(len(seats))]
		}
		switch n := r.IntN(30); {
		case n < 2:
			in.Kind, in.Acct, in.Name = match.Enter, fmt.Sprint("a", i), fmt.Sprint("Pip ", i%5)
		case n == 2:
			in.Kind = match.Leave
		case n < 6:
			in.Verb, in.Name = match.VerbTeam, []string{"red", "blue", "green"}[r.IntN(3)]
		case n < 12:
			in.Verb = match.VerbReady
		case n < 18:
			in.Verb = match.VerbSteer
		default:
			in.Verb, in.Name = match.VerbAct, "stir"
		}
		seat := m.Step(&in).Seat
		if seat != 0 {
			seats = append(seats, seat)
			m.Step(&match.Input{At: m.Tick(), Kind: match.Loaded, Seat: seat})
		}
		if r.IntN(3) > 0 {
			publish()
			for _, o := range lookers {
				if err := o.check(b.Schema, masks, m.Store()); err != nil {
					t.Fatalf("seed %d, step %d (%s %s), %s: %v", seed, i, in.Kind, in.Verb, o.name, err)
				}
			}
			if seat != 0 {
				arrive(fmt.Sprint("seat ", seat), replica.View{Seats: []sheet.ID{seat}})
			}
			if len(lookers) > 24 {
				lookers = append(lookers[:4], lookers[6:]...)
			}
		}
	}
}

func appendPart(data []byte, c replica.Codec, part []byte) []byte {
	if len(data) > 0 {
		data = append(data, c.Join()...)
	}
	return append(data, part...)
}

// FuzzApply: whatever parts arrive, the copy answers with an error at worst.
func FuzzApply(f *testing.F) {
	b, _ := rulebook.Compile([]byte(book))
	schema, err := replica.Describe(b.Schema).Schema()
	if err != nil {
		f.Fatal(err)
	}
	for _, s := range []string{`[[0,1,3,1,0,"Mara"],[1,0,"Joss"],[-2,1,0],[-1,1]]`, `[[0]]`, `[[7,1]]`, `[[0,1,9,1]]`, `[[0,1,3,1,99,1]]`, `[["x"]]`, `[[]]`, `[[-1]]`} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		var parts [][]any
		if json.Unmarshal(data, &parts) != nil {
			return
		}
		c := replica.NewCopy(schema)
		c.Apply(parts)
		c.Replace(parts)
	})
}
