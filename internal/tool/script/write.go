package script

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// writer turns inputs back into steps.
type writer struct {
	book  *rulebook.Book
	m     *lobby.Lobby
	names map[sheet.ID]string
	taken map[string]bool
}

// FromInputs writes the steps of a script that does what these inputs did to a lobby that was opened in this way. What
// no step can say, such as the result of a save, is left out.
func FromInputs(book *rulebook.Book, setup lobby.Setup, inputs []step.Input) (lines []string) {
	w := &writer{book: book, m: lobby.New(book, setup), names: map[sheet.ID]string{}, taken: map[string]bool{}}
	for i := range inputs {
		in := &inputs[i]
		text := w.line(in)
		out := w.m.Step(in)
		if in.Kind == step.Enter && out.Seat != 0 {
			w.names[out.Seat] = w.called(in)
			text = strings.TrimSpace(w.names[out.Seat] + " enters " + in.Team)
		}
		w.m.Store().ClearChanges()
		if text != "" {
			lines = append(lines, "at "+TimeOf(in.At, book.Rate)+" "+text)
		}
	}
	return lines
}

// TimeOf writes the time at which a tick begins, as a script does.
func TimeOf(at sheet.Tick, rate int) string {
	us := (int64(at)*1_000_000 + int64(rate) - 1) / int64(rate) // no earlier than the tick
	return (time.Duration(us) * time.Microsecond).String()
}

// called is a name of one word for who enters.
func (w *writer) called(in *step.Input) string {
	name := strings.Join(strings.FieldsFunc(in.Name, func(r rune) bool { return r == ' ' || r == '#' || r == '=' }), "")
	if name == "" || name == "all" || name == "operator" || name == "referee" || name == "at" || name == "wait" {
		name = "Player"
	}
	for n, try := 1, name; ; n++ {
		if n > 1 {
			try = fmt.Sprint(name, n)
		}
		if !w.taken[try] {
			w.taken[try] = true
			return try
		}
	}
}

// who is how a script names a sheet.
func (w *writer) who(id sheet.ID) string {
	if n := w.names[id]; n != "" {
		return n
	}
	if r := w.m.Store().Get(id); r != nil && r.Kind == sheet.Team {
		return r.Text(w.book.F.Team.Name)
	}
	return fmt.Sprintf("@%d", id)
}

// line is the step of an input; "" for none.
func (w *writer) line(in *step.Input) string {
	name := w.names[in.Seat]
	switch in.Kind {
	case step.Leave, step.Lost, step.Back:
		return w.does(name,
			map[step.Kind]string{step.Leave: "leaves", step.Lost: "drops", step.Back: "returns"}[in.Kind])
	case step.RefereeOn:
		return map[bool]string{true: "referee arrives", false: "referee leaves"}[in.N != 0]
	case step.Answer:
		return fmt.Sprintf("referee %s %d", map[bool]string{true: "yes", false: "no"}[in.Yes], in.N) +
			w.args(w.answers(in.N), in.Args)
	case step.RefereeAct:
		if r := w.book.Referee; r != nil && r.Act(in.Name) != nil {
			return "referee does " + in.Name + w.args(r.Act(in.Name).Takes, in.Args)
		}
	case step.RefereeSet:
		return "referee sets " + w.field(in) + " " + w.plain(w.fieldOf(in), in.Value)
	case step.Finish:
		return strings.TrimSpace("operator ends " + in.Text)
	case step.Close:
		return "operator closes"
	case step.Field:
		if in.Verb == step.Advance {
			return fmt.Sprint("operator advances ", in.X)
		}
		return "operator sets " + w.field(in) + " " + w.plain(w.fieldOf(in), in.Value)
	case step.Intent:
		return w.does(name, w.intent(in))
	}
	return ""
}

// answers are the values that come with a referee's word on a decision.
func (w *writer) answers(no int64) []*sheet.Field {
	if a := w.m.Deciding(no); a != nil {
		return a.Referee.Answers
	}
	return nil
}

func (w *writer) does(name, what string) string {
	if name == "" || what == "" {
		return ""
	}
	if word, _, _ := strings.Cut(what, " "); w.book.ActionNamed[word] != nil && slices.Contains(stepWords, word) {
		what = meansStep + what
	}
	return name + " " + what
}

func (w *writer) intent(in *step.Input) string {
	switch in.Verb {
	case step.Ready, step.Unready, step.Start, step.Resume, step.Shuffle:
		return string(in.Verb)
	case step.Pause:
		return strings.TrimSpace("pause " + in.Text)
	case step.Rename:
		return "named " + in.Text
	case step.Team:
		return "team " + in.Name
	case step.Kick, step.Ban, step.Swap, step.Mute, step.Unmute:
		return string(in.Verb) + " " + w.who(in.Target)
	case step.HandOver:
		return "host " + w.who(in.Target)
	case step.Steer, step.Claim:
		return string(in.Verb) + w.point(in) + yawOf(in)
	case step.Face:
		return fmt.Sprint("face ", in.Yaw) + pitchOf(in)
	case step.Stop:
		return "stop " + in.Name
	case step.Vote:
		text := "vote " + in.Name
		if in.Target != 0 {
			text += " " + w.who(in.Target)
		}
		return strings.TrimSpace(text + " " + in.Text)
	case step.Advance:
		return fmt.Sprint("advance ", in.X)
	case step.Set:
		return "set " + w.field(in) + " " + w.plain(w.fieldOf(in), in.Value)
	case step.Settings:
		return "settings" + w.args(w.book.Options, in.Args)
	case step.Act:
		return w.act(in)
	}
	return ""
}

// point is where an intent points, or a direction.
func (w *writer) point(in *step.Input) string {
	if w.book.Parts > 2 {
		return fmt.Sprintf(" %d %d %d", in.X, in.Y, in.Z)
	}
	return fmt.Sprintf(" %d %d", in.X, in.Y)
}

// yawOf is where somebody looks who does something, "" if that does not say.
func yawOf(in *step.Input) string {
	if !in.Faces {
		return ""
	}
	return fmt.Sprint(" ", meansYaw, in.Yaw) + pitchOf(in)
}

func pitchOf(in *step.Input) string {
	if in.Pitch == 0 {
		return ""
	}
	return fmt.Sprint(" ", meansPitch, in.Pitch)
}

func (w *writer) act(in *step.Input) string {
	text, a := in.Name, w.book.ActionNamed[in.Name]
	if slices.Contains(stepWords, in.Name) {
		text = meansAction + text
	}
	switch {
	case a == nil:
	case a.Aim.At >= rulebook.AimLine && in.Point:
		text += w.point(in)
	case a.Aim.At == rulebook.AimTarget && in.Target != 0:
		text += " " + w.who(in.Target)
	}
	text += yawOf(in)
	if a == nil {
		return text
	}
	return text + w.args(a.Takes, in.Args)
}

// args writes values, by what takes them.
func (w *writer) args(takes []*sheet.Field, list []step.Named) (text string) {
	for _, n := range list {
		var of *sheet.Field
		for _, f := range takes {
			if f.Name == n.Name {
				of = f
			}
		}
		text += " " + n.Name + "=" + w.plain(of, n.Value)
	}
	return text
}

// field names a field that is set: of a player, the match or the lobby.
func (w *writer) field(in *step.Input) string {
	switch r := w.m.Store().Get(in.Target); {
	case r == nil || r.Kind == sheet.Match:
		return in.Name
	case r.Kind == sheet.Lobby:
		return "lobby." + in.Name
	}
	return w.who(in.Target) + "." + in.Name
}

func (w *writer) fieldOf(in *step.Input) *sheet.Field {
	if r := w.m.Store().Get(in.Target); r != nil {
		return w.book.Schema.Field(r.Kind, in.Name)
	}
	return nil
}

// plain writes a value as a script reads it.
func (w *writer) plain(f *sheet.Field, v sheet.Value) string {
	switch v.Type {
	case sheet.Ref:
		return w.who(sheet.ID(v.N[0]))
	case sheet.Position:
		return fmt.Sprintf("%d,%d", v.N[0], v.N[1])
	case sheet.Position3:
		return fmt.Sprintf("%d,%d,%d", v.N[0], v.N[1], v.N[2])
	case sheet.Flag:
		return map[bool]string{true: "true", false: "false"}[v.N[0] != 0]
	case sheet.Choice:
		if f != nil && int(v.N[0]) < len(f.Choices) {
			return f.Choices[v.N[0]]
		}
	case sheet.List:
		items := sheet.Items(v.S)
		for i, item := range items {
			if n, _ := sheet.NextItem(item); f != nil && f.Item != sheet.Text {
				items[i] = w.plain(f, sheet.IntValue(f.Item, n))
			}
		}
		return strings.Join(items, ",")
	case sheet.Text:
		return strconv.Quote(v.S)
	case sheet.Number:
		return sheet.ShowThousandths(v.N[0])
	}
	return fmt.Sprint(v.N[0])
}
