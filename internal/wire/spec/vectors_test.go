package spec_test

import (
	"encoding/hex"
	"encoding/json"
	"flag"
	"fmt"
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
	Yaws       []yawVector       `json:"yaws"`
	Directions []yawVector       `json:"directions"`
	Schema     replica.Described `json:"schema"`
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

// story plays a little match and writes what its first player is sent.
func story(t *testing.T, v *vectors) {
	b, problems := rulebook.Compile([]byte(storyBook))
	if b == nil {
		t.Fatal(problems.Error())
	}
	face := replica.NewFace(b.Schema, nil)
	feed := replica.NewFeed(face)
	v.Schema = face.Described
	st := script.NewStage(b, lobby.Setup{Code: "K7WPQ4", Title: "Tide \u00fc \U0001f6f6", Seed: 7})
	var viewers [replica.Encodings]*replica.Viewer
	tell := func(what string, seen map[string]any) {
		t.Helper()
		feed.Begin(&replica.Desk{}, st.M.Store(), st.M.Store().Changes(), st.M.Tick())
		step := vector{What: what, Seen: seen}
		for e := range viewers {
			var data []byte
			if viewers[e] == nil {
				viewers[e] = &replica.Viewer{
					Enc:  replica.Encoding(e),
					View: replica.View{Seats: []sheet.ID{st.Seat("Mara")}},
				}
				data = feed.Snapshot(nil, viewers[e], st.M.Store(), st.M.Tick())
			} else {
				plan := feed.Plan(viewers[e])
				data = feed.Write(nil, viewers[e], &plan)
			}
			if e == int(replica.JSON) {
				step.JSON = data
			} else {
				step.CBOR = hex.EncodeToString(data)
			}
		}
		hash := feed.Image(viewers[0], st.M.Store()).Hash()
		step.Hash = &hash
		feed.End()
		st.M.Store().ClearChanges()
		v.Story = append(v.Story, step)
	}
	play := func(lines string) {
		t.Helper()
		steps, err := script.Parse([]byte(lines))
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range steps {
			if err := st.Do(s); err != nil {
				t.Fatal(err)
			}
		}
	}
	play("at 0s Mara enters amber\nat 0s Joss enters amber")
	tell("a snapshot: two players in the lobby", map[string]any{"4/hull": 100, "4/purse": 2500, "6/purse": nil})
	play("at 0.5s Joss team teal")
	tell("one of them changes sides: the plan is withdrawn", map[string]any{"6/plan": nil})
	play("at 1s all ready\nat 2s Mara plot\nat 2s Joss plot")
	tell("the match runs: sheets appear, a field of several sheets changes",
		map[string]any{"4/angry": true, "6/angry": true, "4/purse": 2375, "6/plan": nil})
	play("at 2.5s Mara hit Joss\nat 2.5s Mara steer 1000 0")
	tell("a hit", map[string]any{"6/hull": 70})
	play("at 3s Mara cut")
	tell("lists change at several places", map[string]any{"6/hull": 70})
	play("at 3.5s Joss leaves")
	tell("somebody leaves, a piece has gone and come", map[string]any{"6/hull": nil})
}

func makeVectors(t *testing.T) *vectors {
	v := &vectors{
		About: "Messages of the live protocol in both encodings, made by go test ./internal/wire/spec -run Vectors " +
			"-update; docs/protocol.md explains them. story: a snapshot and deltas for a copy that knows schema; " +
			"hash is the copy's afterwards, seen some of its values as sent. clocks: what a clock shows at tick now, " +
			"at rate ticks a second. between: where something is shown at a tick, given [tick, x, y]. " +
			"yaws: the direction of each; directions: the yaw of each.",
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
	for _, yaw := range []int64{0, 1, 63, 64, 8191, 8192, 16383, 16384, 20000, 32768, 40001, 49152, 65535} {
		dx, dy := ground.Dir(yaw)
		v.Yaws = append(v.Yaws, yawVector{yaw, [2]int64{dx, dy}})
	}
	for _, d := range [][2]int64{{1, 0}, {1, 1}, {-1000, 999}, {-3, -7}, {123456, -987654}, {0, -1}, {999999, 1}} {
		yaw, _ := ground.YawOf(d[0], d[1])
		v.Directions = append(v.Directions, yawVector{yaw, d})
	}
	return v
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
	x, y := client.Between(seen, tick)
	return [2]float64{x, y}
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
