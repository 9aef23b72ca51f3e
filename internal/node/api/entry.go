package api

import (
	"context"
	"net/http"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
)

// find finds a lobby by its code. Codes that do not exist are counted against the player, or the address of who has not
// signed in, and against all that come from there; whoever has a seat in the lobby is let through all the same, and
// service keys are not counted.
func (s *server) find(r *http.Request, who *account.Who, joinCode string) (*hall.Lobby, error) {
	l, missing := s.Hall.Find(joinCode)
	back, err := s.guesses(r, who)
	switch {
	case err != nil && missing == nil && who != nil && l.HasSeat(r.Context(), who.Player):
		return l, nil
	case err != nil:
		return nil, err
	case missing != nil:
		return nil, missing
	}
	back()
	return l, nil
}

// guesses counts a code that somebody has tried; it is given back where there is a lobby with it.
func (s *server) guesses(r *http.Request, who *account.Who) (giveBack func(), err error) {
	if who != nil && !who.IsPlayer() {
		return func() {}, nil
	}
	guesser := "address " + addressOf(r)
	if who != nil {
		guesser = "player " + who.Player
	}
	return s.Guard.TakeAll(guard.Use{Limit: guard.Codes, Who: guesser},
		guard.Use{Limit: guard.CodesThere, Who: addressOf(r)})
}

// enter lets a player into a lobby by the given way, as often as players may join and try passwords. Whoever has a seat
// comes back to it, and is not counted.
func (s *server) enter(ctx context.Context, l *hall.Lobby, j *hall.Joining, way func() error) error {
	if j.Account == "" || l.HasSeat(ctx, j.Account) {
		return way()
	}
	if _, err := s.Guard.Take(guard.Joined, j.Account); err != nil {
		return err
	}
	if !j.Watch {
		s.holds.end(hold{j.Account, l.Code})
		free, err := s.Guard.Take(guard.Seats, j.Account)
		if err != nil {
			return err
		}
		j.GiveBack = free
		inner := way
		way = func() error {
			err := inner()
			if err != nil {
				free()
			}
			return err
		}
	}
	if j.Pass == "" {
		return way()
	}
	back, err := s.Guard.TakeAll(guard.Use{Limit: guard.Passwords, Who: j.Account + " " + l.Code},
		guard.Use{Limit: guard.AtLobby, Who: l.Code})
	if err != nil {
		if j.GiveBack != nil {
			j.GiveBack()
		}
		return err
	}
	if err = way(); fault.CodeOf(err) != code.WrongPassword {
		back()
	}
	return err
}
