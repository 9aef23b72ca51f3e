package lobby

import (
	"slices"
	"strconv"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// votes lets people decide together.
type votes struct {
	*room
	voteUntil sheet.Tick // wall tick at which the vote under way ends; 0 without one
}

// openVote is the vote under way; nil without one.
func (l *votes) openVote() *rulebook.Vote {
	if f := l.book.F.Votes.Vote; f != nil {
		if no := l.row.Int(f); no > 0 {
			return l.book.Votes[no-1]
		}
	}
	return nil
}

// vote answers the intent to open a vote, or to vote in the one that is open.
func (l *votes) vote(s *seat, in *step.Input) step.Verdict {
	i := slices.IndexFunc(l.book.Votes, func(v *rulebook.Vote) bool { return v.Name == in.Name })
	if i < 0 {
		return step.Verdict{Code: code.NoVote, Reason: "there is no vote " + strconv.Quote(in.Name)}
	}
	v := l.book.Votes[i]
	switch open := l.openVote(); {
	case open == nil:
		return l.callVote(s, v, in)
	case open != v:
		return step.Verdict{Code: code.VoteOpen, Reason: "the vote " + open.Title + " is under way"}
	case !l.mayVote(s, v):
		return step.Verdict{Code: code.NotVoter, Reason: "you may not vote in this one"}
	}
	cast, ok := castOf(v, in.Text)
	if !ok {
		return step.Verdict{Code: code.BadArgument, Reason: "a vote is yes, no or one of the words"}
	}
	l.cast(s, cast)
	return step.Verdict{}
}

// castOf reads what somebody votes.
func castOf(v *rulebook.Vote, text string) (int64, bool) {
	if v.Choice != nil {
		i := slices.Index(v.Choice.Choices, text)
		return int64(i + 1), i >= 0
	}
	switch text {
	case "", "yes":
		return rulebook.VoteYes, true
	case "no":
		return rulebook.VoteNo, true
	}
	return 0, false
}

// during tells at which of the times of votes the lobby is.
func (l *votes) during() uint8 {
	switch l.State() {
	case rulebook.Playing:
		return rulebook.DuringMatch
	case rulebook.Results:
		return rulebook.DuringResult
	}
	return rulebook.DuringLobby
}

// callVote opens a vote.
func (l *votes) callVote(s *seat, v *rulebook.Vote, in *step.Input) step.Verdict {
	on := l.seat(in.Target)
	cast, ok := castOf(v, in.Text)
	switch {
	case v.During&l.during() == 0:
		return step.Verdict{Code: code.NotNow, Reason: v.Title + " is not voted on now"}
	case !ok:
		return step.Verdict{Code: code.BadArgument, Reason: "a vote is yes, no or one of the words"}
	case v.On == rulebook.VoteOnPlayers && (on == nil || !expr.Relation(v.Whom.String())(s.Row, on.Row)):
		return step.Verdict{Code: code.WrongTarget, Reason: v.Title + " is on " + v.Whom.String() + " only"}
	case s.voteAt > l.tick():
		left := sheet.Millis(int64(s.voteAt-l.tick()), l.book.Rate)
		return step.Verdict{Code: code.Cooldown, Left: left, Reason: "you may open a vote again in " +
			sheet.FormatClock(left)}
	case v.If != nil && !l.match.Rules.Holds(s.Player, v.If, v.Line):
		return step.Verdict{Code: code.Condition, Reason: orElse(v.Else, v.Title+" cannot be voted on as things are")}
	}
	f := &l.book.F.Votes
	l.st.SetInt(l.row, f.Vote, int64(v.No+1))
	l.st.SetInt(l.row, f.By, int64(s.Row.ID))
	if v.On == rulebook.VoteOnPlayers {
		l.st.SetInt(l.row, f.On, int64(on.Row.ID))
	}
	l.st.SetClock(l.row, f.Left, int64(v.Lasts), -1, l.tick())
	l.voteUntil = l.tick() + v.Lasts
	s.voteAt = l.tick() + v.Again
	if l.mayVote(s, v) {
		l.cast(s, cast)
	} else {
		l.countVote()
	}
	return step.Verdict{}
}

func orElse(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// mayVote tells whether a player votes in the vote under way: everybody who is there, but for whom it is about.
func (l *votes) mayVote(s *seat, v *rulebook.Vote) bool {
	f := &l.book.F.Votes
	by := l.st.GetOr(sheet.ID(l.row.Int(f.By)), sheet.Player)
	return !s.gone && s.heldUntil == 0 && l.row.Int(f.On) != int64(s.Row.ID) &&
		(!v.ByTeam || s.Row.Team == by.Team) && (v.Who == nil || l.match.Rules.Holds(s.Player, v.Who, v.Line))
}

func (l *votes) cast(s *seat, n int64) {
	f := &l.book.F.Votes
	l.st.SetInt(s.Row, f.Cast, n)
	l.st.SetFlag(s.Row, f.Voted, true)
	l.countVote()
}

// ballot says how somebody stands in the vote under way.
func (l *votes) ballot(s *seat) (b match.Ballot) {
	f := &l.book.F.Votes
	if l.openVote() == nil {
		return b
	}
	b = match.Ballot{No: l.row.Int(f.Vote), Until: l.voteUntil, Cast: s.Row.Int(f.Cast),
		On: l.row.Int(f.On) == int64(s.Row.ID), By: sheet.ID(l.row.Int(f.By))}
	for _, x := range l.seats {
		if n := x.Row.Int(f.Cast); b.On && n > 0 {
			b.Votes = append(b.Votes, match.Vote{Of: x.Row.ID, Cast: n})
		}
	}
	return b
}

// votesAgain has somebody who comes back stand in the vote as they did, while it lasts: one that was on them, and ended
// because they had left, goes on.
func (l *votes) votesAgain(s *seat, b *match.Ballot) {
	f := &l.book.F.Votes
	switch open := l.openVote(); {
	case b.No == 0 || b.Until <= l.tick():
	case b.On && open == nil:
		l.st.SetInt(l.row, f.Vote, b.No)
		l.st.SetInt(l.row, f.By, int64(b.By))
		l.st.SetInt(l.row, f.On, int64(s.Row.ID))
		l.st.SetClock(l.row, f.Left, int64(b.Until-l.tick()), -1, l.tick())
		l.voteUntil = b.Until
		for _, v := range b.Votes {
			if x := l.seat(v.Of); x != nil {
				l.st.SetInt(x.Row, f.Cast, v.Cast)
				l.st.SetFlag(x.Row, f.Voted, true)
			}
		}
		l.countVote()
	case !b.On && open != nil && l.row.Int(f.Vote) == b.No && l.voteUntil == b.Until && b.Cast > 0:
		l.cast(s, b.Cast)
	}
}

// countVote counts the votes anew, and ends the vote when it is decided.
func (l *votes) countVote() {
	v, f := l.openVote(), &l.book.F.Votes
	if v == nil {
		return
	}
	may, voted := 0, 0
	count := make([]int64, 3)
	if v.Choice != nil {
		count = make([]int64, len(v.Choice.Choices)+1)
	}
	for _, s := range l.seats {
		if l.mayVote(s, v) {
			may++
			if n := s.Row.Int(f.Cast); n > 0 && n < int64(len(count)) {
				count[n]++
				voted++
			}
		}
	}
	over := l.voteUntil <= l.tick() || voted == may ||
		v.On == rulebook.VoteOnPlayers && l.row.Int(f.On) == 0 // whom it was on has left
	if v.Choice != nil {
		l.st.Set(l.row, f.Tally, sheet.Value{Type: sheet.List, S: joined(count[1:])})
		if over {
			l.endVote(v, voted > 0, l.chosen(count))
		}
		return
	}
	needs := v.Needs.Of(may)
	if v.On == rulebook.VoteOnPlayers { // nobody decides alone on somebody else
		needs = max(needs, 2)
	}
	l.st.SetInt(l.row, f.Yes, count[rulebook.VoteYes])
	l.st.SetInt(l.row, f.No, count[rulebook.VoteNo])
	l.st.SetInt(l.row, f.Needs, int64(needs))
	switch yes := int(count[rulebook.VoteYes]); {
	case yes >= needs && may > 0:
		l.endVote(v, true, 0)
	case over || may-int(count[rulebook.VoteNo]) < needs:
		l.endVote(v, false, 0)
	}
}

// chosen is the place of the word with most votes, of equals one by lot.
func (l *votes) chosen(count []int64) int64 {
	most := slices.Max(count[1:])
	var best []int64
	for i, n := range count[1:] {
		if n == most {
			best = append(best, int64(i))
		}
	}
	if len(best) == 1 || most == 0 {
		return best[0]
	}
	return best[draw(l.room, lots.Ballot).IntN(len(best))]
}

func joined(list []int64) string {
	items := make([]string, len(list))
	for i, n := range list {
		items[i] = strconv.FormatInt(n, 10)
	}
	return sheet.ListOf(items, false)
}

// endVote takes the vote off the sheets and does what follows.
func (l *votes) endVote(v *rulebook.Vote, carried bool, choice int64) {
	f := &l.book.F.Votes
	by, on := sheet.ID(l.row.Int(f.By)), sheet.ID(l.row.Int(f.On))
	l.voteUntil = 0
	for _, field := range []*sheet.Field{f.Vote, f.By, f.On, f.Yes, f.No, f.Needs} {
		l.st.SetInt(l.row, field, 0)
	}
	l.st.SetClock(l.row, f.Left, 0, 0, l.tick())
	l.st.Set(l.row, f.Tally, sheet.Value{Type: sheet.List})
	for _, s := range l.seats {
		l.st.SetInt(s.Row, f.Cast, 0)
		l.st.SetFlag(s.Row, f.Voted, false)
	}
	if !carried {
		l.match.Rules.Carry(v.Refused, by, on, 0)
		return
	}
	if v.On == rulebook.VoteOnArenas {
		l.match.Motion.GoTo(choice)
	}
	l.match.Rules.Carry(v.Then, by, on, choice)
}
