package script

import (
	"slices"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// stepWords are the words that say what a player does, beside the names of actions.
var stepWords = []string{"enters", "waits", "leaves", "drops", "returns", "ready", "unready", "start", "resume",
	"pause", "named", "team", "kick", "ban", "swap", "shuffle", "mute", "unmute", "unban", "settings", "host", "steer",
	"claim", "face", "vote", "stop", "advance", "set"}

// What stands before a word that could be both a step and an action.
const meansAction, meansStep = "act:", "step:"

// unmistakable takes that off a step, and tells whether an action is meant. A word that could be both needs it.
func (st *Stage) unmistakable(s Step) (plain Step, act bool, err error) {
	if st.Book.ActionNamed[s.Verb] != nil && slices.Contains(stepWords, s.Verb) {
		return s, false, s.fail("%s is an action of this rulebook and a step: write %s%s for the action, %s%s for the "+
			"step", s.Verb, meansAction, s.Verb, meansStep, s.Verb)
	}
	if word, is := strings.CutPrefix(s.Verb, meansStep); is {
		s.Verb = word
		return s, false, nil
	}
	s.Verb, act = strings.CutPrefix(s.Verb, meansAction)
	return s, act, nil
}

// intent turns a step into an intent. A word that is no verb is an action.
func (st *Stage) intent(s Step) (step.Input, error) {
	target := func() (sheet.ID, error) {
		if len(s.Args) != 1 {
			return 0, s.fail("%s needs one player", s.Verb)
		}
		return st.seats[s.Args[0]], nil
	}
	var in step.Input
	var err error
	switch s.Verb {
	case "ready", "unready", "start", "resume":
		in.Verb = step.Verb(s.Verb)
	case "pause":
		in.Verb, in.Text = step.Pause, strings.Join(s.Args, " ")
	case "named":
		in.Verb, in.Text = step.Rename, strings.Join(s.Args, " ")
	case "team":
		in.Verb, in.Name = step.Team, strings.Join(s.Args, " ")
		if team, who, two := strings.Cut(in.Name, " "); two && st.seats[who] != 0 { // the host moves somebody
			in.Name, in.Target = team, st.seats[who]
		}
	case "kick", "ban", "swap", "mute", "unmute":
		in.Verb = step.Verb(s.Verb)
		in.Target, err = target()
	case "shuffle":
		in.Verb = step.Shuffle
	case "unban":
		in.Verb, in.Text = step.Unban, "acct-"+strings.Join(s.Args, " ")
	case "settings":
		return st.settings(s)
	case "host":
		in.Verb = step.HandOver
		in.Target, err = target()
	case "steer", "claim":
		in.Verb = step.Verb(s.Verb)
		err = st.point(s, looks(s.Args, &in), &in)
	case "face":
		in.Verb = step.Face
		if len(looks(strings.Fields(meansYaw+strings.Join(s.Args, " ")), &in)) > 0 {
			err = s.fail("face needs a yaw, from 0 to 65535")
		}
	case "vote":
		return st.vote(s)
	case "stop":
		in.Verb, in.Name = step.Stop, strings.Join(s.Args, " ")
	case "advance":
		in.Verb, in.X = step.Advance, 1
		if len(s.Args) > 0 {
			in.X, err = strconv.ParseInt(s.Args[0], 10, 64)
		}
	case "set":
		return st.set(s)
	default:
		return st.action(s)
	}
	return in, err
}

// meansYaw stands before where somebody looks, behind what they do, and meansPitch before how far up: steer 1000 0 0
// yaw:16384 pitch:2000.
const meansYaw, meansPitch = "yaw:", "pitch:"

// looks takes where somebody looks off the words of a step.
func looks(words []string, in *step.Input) (rest []string) {
	for _, w := range words {
		before, number, _ := strings.Cut(w, ":")
		switch n, err := strconv.ParseInt(number, 10, 64); {
		case err == nil && before+":" == meansYaw:
			in.Yaw, in.Faces = n, true
		case err == nil && before+":" == meansPitch:
			in.Pitch = n
		default:
			rest = append(rest, w)
		}
	}
	return rest
}

// vote reads: vote NAME [PLAYER] [yes | no | WORD].
func (st *Stage) vote(s Step) (step.Input, error) {
	in := step.Input{Verb: step.Vote}
	for i, w := range s.Args {
		switch id := st.seats[w]; {
		case i == 0:
			in.Name = w
		case id != 0:
			in.Target = id
		default:
			in.Text = w
		}
	}
	return in, nil
}

func (st *Stage) point(s Step, words []string, in *step.Input) error {
	n, err := s.ints(words)
	if parts := st.Book.Parts; err != nil || len(n) != parts {
		return s.fail("%s needs %s integers", s.Verb, map[int]string{2: "two", 3: "three"}[parts])
	}
	if in.X, in.Y, in.Point = n[0], n[1], true; len(n) > 2 {
		in.Z = n[2]
	}
	return nil
}

// action reads: ACTION [TARGET | X Y] [name=value ...].
func (st *Stage) action(s Step) (step.Input, error) {
	in := step.Input{Verb: step.Act, Name: s.Verb}
	var takes []*sheet.Field
	if a := st.Book.ActionNamed[s.Verb]; a != nil {
		takes = a.Takes
	}
	var rest []string
	in.Args, rest = st.arguments(takes, looks(s.Args, &in))
	switch len(rest) {
	case 0:
	case 1:
		in.Target = st.named(rest[0])
	default:
		return in, st.point(s, rest, &in)
	}
	return in, nil
}

// arguments reads the values among words, NAME=VALUE, and returns the other words.
func (st *Stage) arguments(takes []*sheet.Field, words []string) (args []step.Named, rest []string) {
	for _, w := range words {
		if name, value, named := strings.Cut(w, "="); named {
			args = append(args, step.Named{Name: name, Value: st.argument(takes, name, value)})
		} else {
			rest = append(rest, w)
		}
	}
	return args, rest
}

// argument reads a value that is sent along; players and teams are given by name.
func (st *Stage) argument(takes []*sheet.Field, name, value string) sheet.Value {
	v := sheet.UnreadableValue("the action takes no such value")
	for _, f := range takes {
		if f.Name != name {
			continue
		}
		if id := st.named(value); id != 0 && f.Type == sheet.Ref {
			return sheet.IntValue(sheet.Ref, int64(id))
		}
		if f.Type == sheet.List && f.Item == sheet.Ref {
			var ids []string
			for _, name := range strings.FieldsFunc(value, func(r rune) bool { return r == ',' }) {
				ids = append(ids, strconv.FormatInt(int64(st.named(name)), 10))
			}
			value = strings.Join(ids, ",")
		}
		if f.Person {
			text, err := match.Written(f, value)
			if err != nil {
				return sheet.UnreadableValue(err.Error())
			}
			return sheet.TextValue(text)
		}
		read, err := sheet.ReadText(f, value)
		if err != nil {
			return sheet.UnreadableValue(err.Error())
		}
		v = read
	}
	return v
}

// named returns the player or team of a name, or the first of a kind of creature or piece, the living before those who
// are out; 0 if there is none.
func (st *Stage) named(name string) sheet.ID {
	if id, is := st.seats[name]; is {
		return id
	}
	if number, is := strings.CutPrefix(name, "@"); is {
		n, _ := strconv.ParseUint(number, 10, 32)
		return sheet.ID(n)
	}
	for _, t := range st.M.Store().Of(sheet.Team) {
		if t.Text(st.Book.F.Team.Name) == name {
			return t.ID
		}
	}
	return st.ofKind(name)
}

func (st *Stage) ofKind(name string) (id sheet.ID) {
	f := &st.Book.F
	for _, r := range st.M.Store().Of(sheet.Creature) {
		if f.Creature.Kind.Choices[r.Int(f.Creature.Kind)] == name && (id == 0 || r.Flag(f.Creature.Alive)) {
			if id = r.ID; r.Flag(f.Creature.Alive) {
				return id
			}
		}
	}
	for _, r := range st.M.Store().Of(sheet.Piece) {
		if id == 0 && f.Piece.Kind.Choices[r.Int(f.Piece.Kind)] == name {
			id = r.ID
		}
	}
	return id
}

// settings reads: settings NAME=VALUE ...
func (st *Stage) settings(s Step) (step.Input, error) {
	in := step.Input{Verb: step.Settings}
	for _, a := range s.Args {
		name, raw, _ := strings.Cut(a, "=")
		v := sheet.TextValue(raw)
		if f := lobby.SettingField(st.Book, name); f != nil && name != "password" {
			var err error
			if v, err = sheet.ReadText(f, raw); err != nil {
				return in, s.fail("%s: %s", name, err)
			}
		}
		in.Args = append(in.Args, step.Named{Name: name, Value: v})
	}
	return in, nil
}

// set reads: set [PLAYER.]FIELD VALUE; without a player it is the match's, or with lobby. the lobby's.
func (st *Stage) set(s Step) (step.Input, error) {
	if len(s.Args) < 2 {
		return step.Input{}, s.fail("set needs a field and a value, as in: Mara set Joss.hull 10")
	}
	who, field, found := strings.Cut(s.Args[0], ".")
	in := step.Input{Verb: step.Set, Name: field}
	kind := sheet.Player
	if in.Target = st.seats[who]; !found || in.Target == 0 {
		kind = sheet.Match
		if in.Name = strings.TrimPrefix(s.Args[0], "match."); who == "lobby" {
			kind, in.Name = sheet.Lobby, field
		}
		if list := st.M.Store().Of(kind); len(list) > 0 {
			in.Target = list[0].ID
		}
	}
	if f := st.Book.Schema.Field(kind, in.Name); f != nil {
		if f.Type == sheet.Ref {
			in.Value = sheet.IntValue(sheet.Ref, int64(st.named(s.Args[1])))
			return in, nil
		}
		v, err := sheet.ReadText(f, strings.Join(s.Args[1:], " "))
		if err != nil {
			return in, s.fail("%s: %s", in.Name, err)
		}
		in.Value = v
	}
	return in, nil
}
