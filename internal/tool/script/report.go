package script

import (
	"encoding/json"
	"fmt"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Reporter writes what happens on a stage as lines for a person. It keeps a client's copy with everything in it, so it
// shows exactly what would be sent.
type Reporter struct {
	stage  *Stage
	copy   *replica.Copy
	feed   *replica.Feed
	desk   replica.Desk
	viewer replica.Viewer
	lines  []string
}

// Report makes a reporter of all that happens on the stage from now on.
func Report(st *Stage) *Reporter {
	face := replica.NewFace(st.Book.Schema, nil)
	schema, err := face.Described.Schema()
	if err != nil {
		panic(err) // a compiled rulebook always describes itself well
	}
	r := &Reporter{stage: st, copy: replica.NewCopy(schema), feed: replica.NewFeed(face),
		viewer: replica.Viewer{View: replica.View{All: true}}}
	r.apply(r.feed.Snapshot(nil, &r.viewer, st.M.Store(), 0), false)
	st.M.Store().ClearChanges()
	st.Out = r.output
	return r
}

// Lines returns what has happened since the last call.
func (r *Reporter) Lines() []string {
	out := r.lines
	r.lines = nil
	return out
}

func (r *Reporter) say(format string, args ...any) {
	r.lines = append(r.lines, fmt.Sprintf(format, args...))
}

func (r *Reporter) output(out *step.Output) {
	switch v := &out.Verdict; v.Code {
	case code.OK:
	case code.Charging:
		r.say("what it costs is taken first")
	default:
		r.say("refused: %s (%s)", v.Reason, v.Code)
	}
	for _, n := range out.Notices {
		to := ""
		if n.To != sheet.Everyone {
			to = fmt.Sprintf(" to the %s of %s", n.To, r.name(n.Of))
			if n.To == sheet.TeamOnly {
				to = " to team " + r.name(n.Of)
			}
		}
		var parts []string
		for i, v := range n.Values {
			parts = append(parts, n.Notice.Fields[i].Name+" "+r.value(n.Notice.Fields[i], v))
		}
		r.say("notice%s: %s %s", to, n.Notice.Name, strings.Join(parts, ", "))
	}
	for _, e := range out.Effects {
		r.effect(e)
	}
	st := r.stage.M.Store()
	r.feed.Begin(&r.desk, st, st.Changes(), r.stage.M.Tick())
	plan := r.feed.Plan(&r.viewer)
	if data := r.feed.Write(nil, &r.viewer, &plan); len(data) > 0 {
		r.apply(data, true)
	}
	r.feed.End()
	st.ClearChanges()
}

func (r *Reporter) effect(e step.Effect) {
	switch e.Kind {
	case step.SaveResult:
		data, _ := json.Marshal(e.Result)
		r.say("result: %s", data)
	case step.SaveRecord:
		var parts []string
		for _, c := range e.Changes {
			f := r.stage.Book.Schema.Field(sheet.Record, c.Field)
			parts = append(parts, fmt.Sprintf("%s %s %s", c.Field, c.Kind, r.value(f, c.Value)))
		}
		r.say("save the record of %s: %s", e.Account, strings.Join(parts, ", "))
	case step.SavePost:
		r.say("post to %s of %s: %d", e.Post.Board, e.Account+e.Post.Team, e.Post.Value)
	case step.Drop:
		r.say("end the connection of %s (%s)", e.Account, e.Reason)
	case step.Seated:
		r.say("%s has a seat now", e.Account)
	case step.CloseLobby:
		r.say("close the lobby")
	case step.AskReferee:
		var parts []string
		for _, t := range e.Decision.Tell {
			parts = append(parts, t.Name+" "+t.Value.Show(nil, r.stage.Book.Rate, 0))
		}
		r.say("ask the referee %d: %s by %s; %s", e.Decision.No, e.Decision.Action, r.name(e.Decision.Seat),
			strings.Join(parts, ", "))
	case step.PromiseBroken:
		of := ""
		if e.Seat != 0 {
			of = " for " + r.name(e.Seat)
		}
		r.say("promise broken%s: %s", of, e.Text)
	case step.Unmanned:
		r.say("no referee: %s", e.Text)
	case step.Refused:
		r.say("refused: a post to %s", e.Text)
	case step.Fault:
		r.say("fault: %s", e.Text)
	}
}

// apply takes a snapshot or a delta into the copy by way of the JSON encoding.
func (r *Reporter) apply(data []byte, tell bool) {
	var m struct{ Parts [][]any }
	if err := json.Unmarshal(data, &m); err != nil {
		r.say("the message is not JSON: %v: %s", err, data)
		return
	}
	changes, err := r.copy.Apply(replica.Parts(m.Parts))
	if err != nil {
		r.say("the parts do not fit the copy: %v", err)
	}
	for _, c := range changes {
		if tell {
			r.change(c)
		}
	}
}

func (r *Reporter) change(c replica.Change) {
	switch {
	case c.Field != nil && c.Field.BuiltIn && c.Field.Name == "steer": // what was asked for stands there already
	case c.Appeared:
		r.say("%s appears", r.sheet(c.Sheet))
	case c.Gone:
		r.say("%s goes", r.sheet(c.Sheet))
	case c.First:
		zero := sheet.Value{Type: c.New.Type}
		if c.New != zero {
			r.say("%s %s: %s", r.sheet(c.Sheet), c.Field.Name, r.value(c.Field, c.New))
		}
	default:
		r.say("%s %s: %s -> %s", r.sheet(c.Sheet), c.Field.Name, r.value(c.Field, c.Old), r.value(c.Field, c.New))
	}
}

func (r *Reporter) sheet(s *replica.Sheet) string {
	switch s.Kind {
	case sheet.Lobby, sheet.Match:
		return s.Kind.String()
	case sheet.Record:
		return "record of " + r.name(s.Owner)
	case sheet.Piece:
		return fmt.Sprintf("piece %d", s.ID)
	case sheet.Creature:
		return fmt.Sprintf("%s %d", s.Text("kind"), s.ID)
	case sheet.Zone:
		return s.Text("kind")
	}
	return r.name(s.ID)
}

// name is a sheet's name in the copy.
func (r *Reporter) name(id sheet.ID) string {
	switch s := r.copy.Sheet(id); {
	case s == nil:
	case s.Kind >= sheet.Creature:
		return r.sheet(s)
	case s.Text("name") != "":
		return s.Text("name")
	}
	if id == 0 {
		return "nobody"
	}
	return fmt.Sprintf("#%d", id)
}

func (r *Reporter) value(f *sheet.Field, v sheet.Value) string {
	switch v.Type {
	case sheet.Ref:
		return r.name(sheet.ID(v.N[0]))
	case sheet.Text:
		return fmt.Sprintf("%q", v.S)
	case sheet.Clock:
		return sheet.FormatClock(
			sheet.Millis(v.N[0], r.stage.Book.Rate)) + map[int64]string{1: " up", -1: " down"}[v.N[1]]
	}
	return v.Show(f, r.stage.Book.Rate, 0)
}
