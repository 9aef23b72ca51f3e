package hall

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
)

// expect is Lobby.Expect.
func (l *seating) expect(ctx context.Context, accounts []string, party string, hold time.Duration) (
	here, ready bool, err error,
) {
	ready = true
	err = l.do(ctx, func() {
		var absent []string
		for _, a := range accounts {
			seat := l.m.SeatOf(a)
			if seat == 0 {
				absent = append(absent, a)
			} else if r := l.m.Store().Get(seat); !r.Flag(l.book.F.Player.Away) {
				here = true
				ready = ready && r.Flag(l.book.F.Player.Ready)
			}
		}
		if len(absent) > 0 {
			l.step(&step.Input{Kind: step.Reserve, Names: absent, Text: party,
				N: int64(hold/time.Millisecond) * int64(l.book.Rate) / 1000})
		}
	})
	return here, here && ready, err
}

// Playing tells whether a match is running, or its result is being shown.
func (l *Lobby) Playing(ctx context.Context) (playing bool) {
	l.do(ctx, func() { playing = l.m.State() == rulebook.Playing || l.m.State() == rulebook.Results })
	return playing
}

// CloseAfter closes the lobby: at once, or when the result that is being shown has been.
func (l *Lobby) CloseAfter() {
	l.post(func() { l.closing = true })
}

func (l *Lobby) closeWhenShown() {
	if l.closing && l.m.State() != rulebook.Results {
		l.closing = false
		l.step(&step.Input{Kind: step.Close, Text: "it was for a meeting that is decided"})
	}
}

// TellPlayer sends a message on every connection of a player.
func (h *Hall) TellPlayer(account string, message any) {
	for _, l := range h.All() {
		l.post(func() {
			for _, c := range l.shows.clients {
				if c.account == account && account != "" {
					c.Say(message)
				}
			}
		})
	}
}
