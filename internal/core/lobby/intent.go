package lobby

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// remembered is how many of a seat's latest verdicts are kept, to answer a repeated intent again.
const remembered = 32

// answered is what is remembered of a verdict.
type answered struct {
	seq     uint64
	at      sheet.Tick
	refused *refusal // of an accepted one nil, or memory to be used again, with no code
}

type refusal struct {
	code   code.Code
	reason string
	left   int64
}

// intent answers what a seat asks for. A number that was answered before is answered again and nothing is done twice.
func (l *Lobby) intent(in *step.Input) {
	s := l.seat(in.Seat)
	if s == nil {
		l.match.Kept.Uncharge(in.N)
		l.answer(
			step.Verdict{Seat: in.Seat, Seq: in.Seq, Code: code.NoSeat, Reason: "there is no such seat in this lobby"})
		return
	}
	if in.Seq > 0 && in.Seq <= s.lastSeq {
		l.out.Verdict = l.again(s, in)
		return
	}
	v := l.grant(s, in)
	if v.Code == code.Charging {
		l.out.Verdict = v
		return
	}
	v.Seat, v.Seq, v.At = in.Seat, in.Seq, l.tick()
	s.remember(v)
	l.out.Verdict = v
}

// again is the verdict of an intent that was answered before.
func (l *Lobby) again(s *seat, in *step.Input) step.Verdict {
	for i := range s.answers {
		a := &s.answers[i]
		if a.seq != in.Seq {
			continue
		}
		v := step.Verdict{Seat: in.Seat, Seq: in.Seq, At: a.at}
		if r := a.refused; r != nil {
			v.Code, v.Reason, v.Left = r.code, r.reason, r.left
		}
		return v
	}
	return step.Verdict{Seat: in.Seat, Seq: in.Seq, Code: code.OldIntent,
		Reason: "this intent is too old to be answered again", At: l.tick()}
}

// remember keeps a verdict in place of the one remembered longest.
func (s *seat) remember(v step.Verdict) {
	if v.Seq == 0 {
		return
	}
	s.lastSeq = v.Seq
	i := s.oldest
	if len(s.answers) < remembered {
		i = len(s.answers)
		s.answers = append(s.answers, answered{})
	} else {
		s.oldest = (i + 1) % remembered
	}
	a := &s.answers[i]
	a.seq, a.at = v.Seq, v.At
	if a.refused == nil && v.Code != code.OK {
		a.refused = &refusal{}
	}
	if a.refused != nil {
		*a.refused = refusal{v.Code, v.Reason, v.Left}
	}
}

// grant does what is asked for, or says why not.
func (l *Lobby) grant(s *seat, in *step.Input) step.Verdict {
	if in.Value.Type == sheet.Unreadable && in.Verb != step.Set {
		return step.Verdict{Code: code.BadArgument, Reason: in.Value.S}
	}
	if in.Faces && in.N == 0 { // and not again when a cost has been taken
		if v := l.match.Facing.Face(s.Player, in); !v.OK() {
			return v
		}
	}
	switch in.Verb {
	case step.Face:
		return l.match.Facing.Faced(s.Player, in)
	case step.Act:
		if in.N != 0 {
			return l.match.Charged(s.Player, in)
		}
		return l.match.Acts.Act(s.Player, in)
	case step.Stop:
		return l.match.Acts.StopAction(s.Player, in.Name)
	case step.Steer:
		return l.match.Motion.Steer(s.Player, in)
	case step.Claim:
		return l.match.Motion.Claim(s.Player, in)
	case step.Pause:
		return l.match.Pauses.AskPause(s.Player, in.Text)
	case step.Resume:
		return l.match.Pauses.AskResume(s.Player)
	case step.Ready, step.Unready:
		return l.start.setReady(s, in.Verb == step.Ready)
	case step.Rename:
		return l.seating.rename(s, in.Text)
	case step.Team:
		return l.sides.changeTeam(s, in)
	case step.Start:
		return l.start.hostStarts(s)
	case step.Kick:
		return l.seating.kick(s, in.Target)
	case step.HandOver:
		return l.seating.handOver(s, in.Target)
	case step.Settings:
		return l.settings.settings(s, in)
	case step.Ban:
		return l.seating.ban(s, in.Target)
	case step.Unban:
		return l.seating.unban(s, in.Text)
	case step.Swap:
		return l.sides.swap(s, in.Target)
	case step.Shuffle:
		return l.sides.shuffle(s)
	case step.Mute, step.Unmute:
		return mute(&l.room, s, in.Target, in.Verb == step.Mute)
	case step.Vote:
		return l.votes.vote(s, in)
	case step.Set:
		if !l.hostIs(s) {
			return step.Verdict{Code: code.NotHost, Reason: "only the host may set fields by hand"}
		}
		return l.match.Referee.SetByHand(in)
	case step.Advance:
		if !l.hostIs(s) {
			return step.Verdict{Code: code.NotHost, Reason: "only the host can step through play"}
		}
		return l.match.Pauses.Advance(in.X)
	}
	return step.Verdict{Code: code.NoVerb, Reason: fmt.Sprintf("there is no intent %q", in.Verb)}
}
