package account

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// passLife is how long a pass is good.
const passLife = 2 * time.Minute

// Pass is a player's consent to come along.
type Pass struct {
	Pass    string    `json:"pass"`
	Expires time.Time `json:"expires"`
}

// Pass makes a pass, with which anybody may take the player along in quick join, and do nothing else.
func (s *Service) Pass(w *Who) (*Pass, error) {
	text, expires, err := issueAs(s, ofPasses, w.Player, "", w.line, passLife)
	return &Pass{text, expires}, err
}

// PassedBy returns the player whose pass it is. Of somebody who has signed out, was banned or deleted since it is good
// no more.
func (s *Service) PassedBy(ctx context.Context, pass string) (string, error) {
	w, err := check(s, ctx, pass, ofPasses)
	if c := fault.CodeOf(err); c == code.BadToken || c == code.NoToken || c == code.ShutOut {
		return "", fault.New(code.BadPass, "a pass in party is not valid or has expired; the player makes another, "+
			"with turnvex pass or POST /v1/me/pass, and gives it to you")
	}
	if err != nil {
		return "", err
	}
	return w.Player, nil
}
