package spec_test

import (
	"encoding/hex"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"reflect"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/tool/script"
	"turnvex.example/turnvex/internal/wire"
	"turnvex.example/turnvex/internal/wire/spec"
)

var update = flag.Bool("update", false, "write the vectors anew")

const vectorsFile = "../../../docs/protocol-vectors.json"

// vectors are what every client is tested on.
type vectors struct {
	About      string            `json:"about"`
	Messages   []vector          `json:"messages"`
	Story      []vector          `json:"story"`
	Clocks     []clockVector     `json:"clocks"`
	Between    []betweenVector   `json:"between"`
	Drawing    drawingVector     `json:"drawing"`
	Walks      []walkVector      `json:"walks"`
	Ahead      aheadVector       `json:"ahead"`
	Yaws       []yawVector       `json:"yaws"`
	Directions []yawVector       `json:"directions"`
	Pitches    []pitchVector     `json:"pitches"`
	Schema     replica.Described `json:"schema"`
	Tall       struct {
		Story  []vector          `json:"story"`
		Schema replica.Described `json:"schema"`
	} `json:"tall"`
}

// vector is a message in both encodings; in the story also the hash of the copy that has taken it in, and some of what
// the copy then shows.
type vector struct {
	What string          `json:"what,omitempty"`
	JSON json.RawMessage `json:"json"`
	CBOR string          `json:"cbor"`
	Hash *uint32         `json:"hash,omitempty"`
	Seen map[string]any  `json:"seen,omitempty"` // sheet/field: its value as sent, null where it is not to be seen
}

type clockVector struct {
	Clock  [3]int64 `json:"clock"`
	Now    int64    `json:"now"`
	Rate   int      `json:"rate"`
	Millis int64    `json:"millis"`
	Text   string   `json:"text"`
}

type betweenVector struct {
	Seen [][3]int64 `json:"seen"` // tick, x, y
	Tick float64    `json:"tick"`
	At   [2]float64 `json:"at"`
}

const storyBook = `
turnvex: 1
name: story
tick: 10
players: {least: 2, most: 4, late: seat}
start: {countdown: 100ms}
teams: {list: {amber: {}, teal: {}}, newcomers: choice, locked: never}
ground: {width: 20m, height: 20m, spawns: [{at: [2m, 3m], team: amber}, {at: [18m, 4m], team: teal}]}
movement: {speed: 5m/s}
sheets:
  player:
    hull: {type: integer, start: 100, min: 0, max: 100}
    plan: {type: text, see: team}
    purse: {type: number, start: 2.5, see: owner}
    angry: {type: flag}
    lap: {type: clock}
    hand: {type: list, of: integer, start: [3, -1, 70000], see: owner}
    notes: {type: list, of: text}
    marks: {type: list, of: choice, words: [star, moon]}
  match: {cells: {type: list, of: integer, start: {fill: 0, times: 20}}, log: {type: list, of: text}}
actions:
  plot:
    do: [{set: me.plan, to: "me.name + ' \"§\" ' + me.name"}, {add: me.purse, by: -0.125}, {set: me.angry, to: true}, {clock: me.lap, do: start}, {take: me.hand}, {put: me.notes, item: me.plan}, {put: me.marks, item: moon}]
  hit:
    aim: {kind: target}
    do:
      - {add: target.hull, by: -30}
      - {set: match.cells, nth: 3, to: 7}
      - {set: match.cells, nth: 18, to: -1}
      - {each: match.cells, do: [{put: match.log, item: "'line ' + string(match.log.size())"}]}
  cut: {do: [{take: match.cells, many: 4}, {set: match.log, nth: 9, to: "'\"§\"'"}, {put: match.log, item: "'end'"}]}
pieces: {shell: {number: 1, at: [[10m, 10m]], lasts: 1s}}
phases: {play: {lasts: 60s}}
`

const tallBook = `
turnvex: 1
name: tower
tick: 10
players: {least: 2}
start: {countdown: 0s}
ground: {width: 20m, height: 20m, tall: 9m, walls: [{box: [4m, 0m, 20m, 20m], tall: 2m}], spawns: [{at: [2m, 3m, 0m]}, {at: [8m, 3m, 2m]}]}
facing: {}
movement: {speed: 5m/s, jump: 5m/s}
zones: {top: {box: [4m, 0m, 20m, 20m], bottom: 2m}}
phases: {play: {lasts: 60s}}
`

// teller plays a little match and writes what its first player is sent.
type teller struct {
	t       *testing.T
	st      *script.Stage
	feed    *replica.Feed
	viewers [replica.Encodings]*replica.Viewer
	steps   []vector
}

func tellOf(t *testing.T, book string) (*teller, replica.Described) {
	b, problems := rulebook.Compile([]byte(book))
	if b == nil {
		t.Fatal(problems.Error())
	}
	face := replica.NewFace(b.Schema, nil)
	return &teller{t: t, feed: replica.NewFeed(face),
		st: script.NewStage(b, lobby.Setup{Code: "K7WPQ4", Title: "Tide \u00fc \U0001f6f6", Seed: 7})}, face.Described
}

// tell plays some steps, and writes what there is to see of them.
func (x *teller) tell(steps, what string, seen map[string]any) {
	x.t.Helper()
	list, err := script.Parse([]byte(steps))
	if err != nil {
		x.t.Fatal(err)
	}
	for _, s := range list {
		if err := x.st.Do(s); err != nil {
			x.t.Fatal(err)
		}
	}
	store := x.st.M.Store()
	x.feed.Begin(&replica.Desk{}, store, store.Changes(), x.st.M.Tick())
	step := vector{What: what, Seen: seen}
	for e := range x.viewers {
		var data []byte
		if x.viewers[e] == nil {
			x.viewers[e] = &replica.Viewer{Enc: replica.Encoding(e),
				View: replica.View{Seats: []sheet.ID{x.st.Seat("Mara")}}}
			data = x.feed.Snapshot(nil, x.viewers[e], store, x.st.M.Tick())
		} else {
			plan := x.feed.Plan(x.viewers[e])
			data = x.feed.Write(nil, x.viewers[e], &plan)
		}
		if e == int(replica.JSON) {
			step.JSON = data
		} else {
			step.CBOR = hex.EncodeToString(data)
		}
	}
	hash := x.feed.Image(x.viewers[0], store).Hash()
	step.Hash = &hash
	x.feed.End()
	store.ClearChanges()
	x.steps = append(x.steps, step)
}

func story(t *testing.T, v *vectors) {
	x, schema := tellOf(t, storyBook)
	x.tell("at 0s Mara enters amber\nat 0s Joss enters amber", "a snapshot: two players in the lobby",
		map[string]any{"4/hull": 100, "4/purse": 2500, "6/purse": nil})
	x.tell("at 0.5s Joss team teal", "one of them changes sides: the plan is withdrawn", map[string]any{"6/plan": nil})
	x.tell("at 1s all ready\nat 2s Mara plot\nat 2s Joss plot",
		"the match runs: sheets appear, a field of several sheets changes",
		map[string]any{"4/angry": true, "6/angry": true, "4/purse": 2375, "6/plan": nil})
	x.tell("at 2.5s Mara hit Joss\nat 2.5s Mara steer 1000 0", "a hit", map[string]any{"6/hull": 70})
	x.tell("at 3s Mara cut", "lists change at several places", map[string]any{"6/hull": 70})
	x.tell("at 3.1s Joss steer -400 700", "both walk", map[string]any{"4/pos": []int64{5000, 3000}})
	x.tell("at 3.3s Joss plot", "and go on: in CBOR, places by how far they are off their course",
		map[string]any{"6/pos": []int64{17600, 4700}})
	x.tell("at 3.4s Mara steer 0 1000\nat 3.5s all hit Joss", "one turns",
		map[string]any{"4/pos": []int64{6500, 3500}})
	x.tell("at 3.6s Mara plot", "and both go on", map[string]any{"6/pos": []int64{17000, 5750}})
	x.tell("at 3.7s Mara plot", "as before", map[string]any{"6/pos": []int64{16800, 6100}})
	x.tell("at 3.8s Joss leaves", "somebody leaves, a piece has gone and come", map[string]any{"6/hull": nil})
	v.Schema, v.Story = schema, x.steps

	x, v.Tall.Schema = tellOf(t, tallBook)
	x.tell("at 0s Mara enters\nat 0s Joss enters\nat 0s all ready", "a snapshot of tall ground",
		map[string]any{"2/pos": []int64{2000, 3000, 0}, "4/pos": []int64{8000, 3000, 2000}})
	x.tell("at 0.1s Mara steer 0 0 1000\nat 0.3s Joss steer -1000 0 0 yaw:32768 pitch:-4000",
		"one jumps, one looks down",
		map[string]any{"2/pos": []int64{2000, 3000, 700}, "2/rise": 3000, "4/pitch": -4000})
	x.tell("at 1.5s Joss steer 0 0 0", "and walks off the edge",
		map[string]any{"4/pos": []int64{2000, 3000, 1000}, "4/rise": nil})
	x.tell("at 3.2s all steer 300 -300 0", "both walk", map[string]any{"4/pos": []int64{2000, 3000, 0}})
	x.tell("at 3.3s Mara steer 300 -300 1000", "and one jumps",
		map[string]any{"2/pos": []int64{2150, 2850, 1000}})
	x.tell("at 3.5s Joss steer 300 -300 0 yaw:700", "one falls", map[string]any{"2/rise": -2000})
	x.tell("at 3.6s Joss steer 300 -300 0 yaw:800", "and falls on", map[string]any{"2/pos": []int64{2600, 2400, 400}})
	v.Tall.Story = x.steps
}

func makeVectors(t *testing.T) *vectors {
	v := &vectors{
		About: "Messages of the live protocol in both encodings, made by go test ./internal/wire/spec -run Vectors " +
			"-update; docs/protocol.md explains them. story: a snapshot and deltas for a copy that knows schema; " +
			"hash is the copy's afterwards, seen some of its values as sent. clocks: what a clock shows at tick now, " +
			"at rate ticks a second. between: where something is shown at a tick, given [tick, x, y]. " +
			"drawing: ticks that come when the service is at now, with a place if there is one, and between them " +
			"frames with the tick and the place that are drawn. " +
			"walks: what bodies do on grounds, tick by tick, given what is steered and pushed, as at, rest, rise, " +
			"and whether they stand. " +
			"ahead: what becomes of one body on the first of those grounds, and where it is drawn. " +
			"yaws: the direction of each; directions: the yaw of each; pitches: the direction of a yaw and a pitch. " +
			"tall: a story and a schema of tall ground.",
	}
	for _, m := range spec.Messages {
		typed := reflect.New(reflect.TypeOf(m.Type))
		if err := wire.Read(replica.JSON, []byte(m.Example), typed.Interface()); err != nil {
			t.Fatalf("the example of %s: %v", m.Is, err)
		}
		wholes(typed.Elem())
		data := wire.Encode(replica.CBOR, typed.Interface())
		if m.Is == "snapshot" || m.Is == "delta" {
			data = sequence(t, m.Example)
		}
		v.Messages = append(v.Messages,
			vector{What: m.Is, JSON: json.RawMessage(m.Example), CBOR: hex.EncodeToString(data)})
	}
	story(t, v)
	for _, c := range []clockVector{{Clock: [3]int64{0, 1, 40}, Now: 100, Rate: 20}, {Clock: [3]int64{600, -1, 0},
		Now: 601, Rate: 20},
		{Clock: [3]int64{1300, 0, 0}, Now: 7, Rate: 30}, {Clock: [3]int64{0, 1, 0}, Now: 73_221, Rate: 10}} {
		value := sheet.Value{Type: sheet.Clock, N: c.Clock}
		c.Millis = value.ClockMillis(c.Rate, sheet.Tick(c.Now))
		c.Text = sheet.FormatClock(c.Millis)
		v.Clocks = append(v.Clocks, c)
	}
	places := [][3]int64{{10, 0, 0}, {12, 200, -100}, {20, 1000, 300}}
	for _, tick := range []float64{5, 10, 11, 12, 13.5, 19.75, 20, 99} {
		v.Between = append(v.Between, betweenVector{Seen: places, Tick: tick, At: between(places, tick)})
	}
	v.Between = append(v.Between, betweenVector{Seen: [][3]int64{}, Tick: 3})
	v.Drawing, v.Walks = drawing(), walks()
	v.Ahead = aheadOf(&v.Walks[0])
	for _, yaw := range []int64{0, 1, 63, 64, 8191, 8192, 16383, 16384, 20000, 32768, 40001, 49152, 65535} {
		dx, dy := ground.Dir(yaw)
		v.Yaws = append(v.Yaws, yawVector{yaw, [2]int64{dx, dy}})
	}
	for _, d := range [][2]int64{{1, 0}, {1, 1}, {-1000, 999}, {-3, -7}, {123456, -987654}, {0, -1}, {999999, 1}} {
		yaw, _ := ground.YawOf(d[0], d[1])
		v.Directions = append(v.Directions, yawVector{yaw, d})
	}
	for _, d := range [][2]int64{{0, 0}, {0, 16384}, {8192, -16384}, {20000, 3000}, {65535, -1}, {40001, 8191}} {
		p := ground.DirOf(d[0], d[1])
		v.Pitches = append(v.Pitches, pitchVector{d[0], d[1], [3]int64{p.X, p.Y, p.Z}})
	}
	return v
}

// pitchVector is a yaw and a pitch with their direction, in millionths.
type pitchVector struct {
	Yaw       int64    `json:"yaw"`
	Pitch     int64    `json:"pitch"`
	Direction [3]int64 `json:"direction"`
}

// yawVector is a yaw with its direction, in millionths, or a vector with its yaw.
type yawVector struct {
	Yaw       int64    `json:"yaw"`
	Direction [2]int64 `json:"direction"`
}

func between(places [][3]int64, tick float64) [2]float64 {
	var seen []client.Seen
	for _, p := range places {
		seen = append(seen, client.Seen{Tick: p[0], X: p[1], Y: p[2]})
	}
	at := client.Between(seen, tick)
	return [2]float64{at.X, at.Y}
}

// drawingVector is what comes, and what is drawn of it: where one thing was told to be at a tick that came when the
// service was at now, and the tick and the place of each frame.
type drawingVector struct {
	Rate  int         `json:"rate"`
	Speed float64     `json:"speed"` // millimetres a tick
	Steps []drawnStep `json:"steps"`
}

type drawnStep struct {
	Now  float64    `json:"now"`            // the service's tick
	On   int64      `json:"on,omitempty"`   // what comes is on that tick
	Tick int64      `json:"tick,omitempty"` // and leads to this one; absent: a frame
	Told *[3]int64  `json:"told,omitempty"` // where it is told to be, if it moved
	At   float64    `json:"at,omitempty"`
	Draw [3]float64 `json:"draw,omitzero"`
}

// drawing plays a body that goes, stands, is put elsewhere and is told more rarely, to somebody with a bad connection.
func drawing() drawingVector {
	v := drawingVector{Rate: 20, Speed: 300}
	r := rand.New(rand.NewPCG(5, 9))
	var track client.Track
	var screen client.Screen
	x, y, z, last, come := int64(1000), int64(2000), int64(0), int64(100), 100.0
	for tick := int64(101); tick < 220; tick++ {
		var told *[3]int64
		switch {
		case tick == 150:
			x, y, z = 90_000, 40_000, 3000
			told = &[3]int64{x, y, z}
		case tick < 120 || tick > 130 && tick < 170 || tick >= 170 && tick%5 == 0:
			x, y, z = x+200+tick%7, y-100, z+tick%3
			told = &[3]int64{x, y, z}
		}
		if told == nil && tick%9 != 0 { // nothing has changed
			continue
		}
		from := come
		come = max(come, float64(tick)+0.5+r.Float64()*1.5)
		if r.IntN(20) == 0 {
			come += 3
		}
		for now := from + 0.4; now < come; now += 0.4 {
			s := drawnStep{Now: now, At: screen.Frame(now, v.Rate)}
			at := track.At(s.At)
			s.Draw = [3]float64{at.X, at.Y, at.Z}
			v.Steps = append(v.Steps, s)
		}
		screen.Heard(last, tick, come)
		if told != nil {
			track.Add(client.Seen{Tick: tick, X: x, Y: y, Z: z}, v.Rate, v.Speed)
		}
		v.Steps = append(v.Steps, drawnStep{Now: come, On: last, Tick: tick, Told: told})
		last = tick
	}
	return v
}

// sequence writes the example of a snapshot or a delta as a CBOR sequence, by the general encoder: a second way to the
// same bytes.
func sequence(t *testing.T, example string) []byte {
	var m struct {
		On    *int64
		Tick  int64
		Parts [][]any
	}
	if err := json.Unmarshal([]byte(example), &m); err != nil {
		t.Fatal(err)
	}
	head := []any{m.Tick}
	if m.On != nil {
		head = append(head, m.Tick-*m.On)
	}
	data := wire.Encode(replica.CBOR, head)
	for _, p := range m.Parts {
		data = append(data, wire.Encode(replica.CBOR, whole(p))...)
	}
	return data
}

// whole turns JSON's numbers into integers.
func whole(v any) any {
	switch v := v.(type) {
	case float64:
		return int64(v)
	case json.Number:
		n, _ := v.Int64()
		return n
	case []any:
		for i := range v {
			v[i] = whole(v[i])
		}
	case map[string]any:
		for k := range v {
			v[k] = whole(v[k])
		}
	}
	return v
}

// wholes does so in the free places of a message.
func wholes(m reflect.Value) {
	for i := range m.NumField() {
		switch f := m.Field(i).Interface().(type) {
		case map[string]any:
			whole(f)
		case [][]any:
			for _, p := range f {
				whole(p)
			}
		}
	}
}

// TestVectors: the vectors are the present ones, and the Go client's side reads them: every message, and a copy from
// each encoding that goes through the story.
func TestVectors(t *testing.T) {
	got, err := json.MarshalIndent(makeVectors(t), "", "  ")
	if err != nil {
		t.Fatal(err)
	}
	got = append(got, '\n')
	if *update {
		if err := os.WriteFile(vectorsFile, got, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	data, err := os.ReadFile(vectorsFile)
	if err != nil || string(data) != string(got) {
		t.Fatalf("%s is not the present one; go test ./internal/wire/spec -run Vectors -update writes it (%v)",
			vectorsFile, err)
	}
	page, _ := os.ReadFile("../../../docs/protocol.md")
	if table := strings.Trim(fmt.Sprint(ground.SineTable), "[]"); !strings.Contains(
		strings.ReplaceAll(strings.Join(strings.Fields(string(page)), " "), ",", ""), table) {
		t.Error("docs/protocol.md has not the table of sines")
	}
	var v vectors
	if err := json.Unmarshal(data, &v); err != nil {
		t.Fatal(err)
	}
	for i, m := range spec.Messages {
		var read [replica.Encodings]any
		for e, data := range both(t, v.Messages[i]) {
			kind, err := wire.Kind(replica.Encoding(e), data)
			into := reflect.New(reflect.TypeOf(m.Type)).Interface()
			if err != nil || kind != m.Is {
				t.Errorf("%s is taken for %q, %v", m.Is, kind, err)
			}
			if err := wire.ReadLoose(replica.Encoding(e), data, into); err != nil {
				t.Errorf("%s: %v", m.Is, err)
			}
			again, _ := json.Marshal(into)
			var plain map[string]any
			json.Unmarshal(again, &plain)
			plain["is"] = m.Is // which a CBOR sequence does not carry
			read[e] = plain
		}
		if !reflect.DeepEqual(read[0], read[1]) {
			t.Errorf("%s differs between the encodings:\n%v\n%v", m.Is, read[0], read[1])
		}
	}
	schema, err := v.Schema.Schema()
	if err != nil {
		t.Fatal(err)
	}
	for e := range replica.Encodings {
		c := replica.NewCopy(schema)
		for i, step := range v.Story {
			data := both(t, step)[e]
			if i == 0 {
				var s wire.Snapshot
				err = wire.ReadLoose(replica.Encoding(e), data, &s)
				if err == nil {
					_, err = c.Replace(replica.Parts(s.Parts))
				}
				c.Tick = sheet.Tick(s.Tick)
			} else {
				var d wire.Delta
				err = wire.ReadLoose(replica.Encoding(e), data, &d)
				if err == nil && sheet.Tick(d.On) != c.Tick {
					t.Errorf("%s: on %d, the copy stands at %d", step.What, d.On, c.Tick)
				}
				if err == nil {
					_, err = c.Apply(replica.Parts(d.Parts))
				}
				c.Tick = sheet.Tick(d.Tick)
			}
			if err != nil || c.Hash() != *step.Hash {
				t.Errorf("%s, encoding %d: hash %d, not %d, %v", step.What, e, c.Hash(), *step.Hash, err)
			}
		}
	}
}

func both(t *testing.T, v vector) [replica.Encodings][]byte {
	data, err := hex.DecodeString(v.CBOR)
	if err != nil {
		t.Fatal(err)
	}
	return [replica.Encodings][]byte{replica.JSON: v.JSON, replica.CBOR: data}
}
