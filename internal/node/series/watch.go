package series

import (
	"context"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/series"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/hall"
)

// watch looks now and then who is late, and holds the places of who is not there.
func (x *Manager) watch() {
	tick := time.NewTicker(look)
	defer tick.Stop()
	for {
		select {
		case <-x.stop:
			return
		case <-tick.C:
		}
		ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
		x.mu.Lock()
		var runs []*run
		for _, r := range x.live {
			runs = append(runs, r)
		}
		x.mu.Unlock()
		for _, r := range runs {
			x.lookAfter(ctx, r)
		}
		cancel()
	}
}

// lookAfter looks after the open meetings of a series.
func (x *Manager) lookAfter(ctx context.Context, r *run) {
	r.mu.Lock()
	n := len(r.m.State().Meetings)
	r.mu.Unlock()
	for no := 1; no <= n; no++ {
		if in, until := x.holdPlaces(ctx, r, no); until > 0 && x.now().UnixMilli() >= until {
			x.take(ctx, r, in)
		}
	}
}

// hold holds a place for everybody who is to be in a meeting's lobby and is not there, and notes who is, and is ready.
func hold(ctx context.Context, l *hall.Lobby, m *series.Meeting, entrants []series.Entrant,
	in *series.Input) (err error) {
	for i, s := range m.Sides {
		e := entrants[s.Entrant-1]
		if in.Here[i], in.Ready[i], err = l.Expect(ctx, e.Players, e.Name, holdFor); err != nil {
			return err
		}
	}
	return nil
}

// holdPlaces holds a place for everybody who is to be in a meeting's lobby and is not there, and tells what is to be
// taken in when somebody is late. Until is when who is not there, or not ready, has lost; 0 while a match is running.
func (x *Manager) holdPlaces(ctx context.Context, r *run, no int) (in series.Input, until int64) {
	in = series.Input{Kind: series.Late, Meeting: no}
	r.mu.Lock()
	m, entrants := r.m.State().Meetings[no-1], slices.Clone(r.m.State().Entrants)
	r.mu.Unlock()
	if m.Stage != series.Comes && m.Stage != series.Plays {
		return in, 0
	}
	l, err := x.hall.Find(m.Lobby)
	if err != nil || l.ID != m.LobbyID {
		x.take(ctx, r, series.Input{Kind: series.Gone, Meeting: no, LobbyID: m.LobbyID})
		return in, 0
	}
	if err = hold(ctx, l, &m, entrants, &in); err != nil || l.Playing(ctx) {
		return in, 0
	}
	return in, m.Until
}

// Ended counts a match that has ended and is kept, if its lobby is a meeting's. It tries until that is kept too.
func (x *Manager) Ended(lobbyID string, r *step.Result) {
	x.mu.Lock()
	p, is := x.at[lobbyID]
	x.mu.Unlock()
	if !is {
		return
	}
	for wait := 100 * time.Millisecond; ; wait = min(2*wait, 5*time.Second) {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		err := x.result(ctx, p, lobbyID, r.Match, r)
		cancel()
		if err == nil {
			return
		}
		x.log.Warn("could not count a match of a series; trying again", "series", p.run.id, "error", err)
		select {
		case <-x.stop:
			return // it is counted at the next start
		case <-time.After(wait):
		}
	}
}

// result counts a match of a meeting: who has won is the entrant of whom somebody has.
func (x *Manager) result(ctx context.Context, p place, lobbyID string, number int64, r *step.Result) error {
	if r.Because == step.BecauseClosed {
		return nil // it is played again
	}
	p.run.mu.Lock()
	s := p.run.m.State()
	sides := s.Meetings[p.meeting-1].Sides
	of := map[string]int{}
	for _, side := range sides {
		for _, account := range s.Entrants[side.Entrant-1].Players {
			of[account] = side.Entrant
		}
	}
	p.run.mu.Unlock()
	won := map[int]bool{}
	for _, player := range r.Players {
		if player.Outcome == "won" && of[player.Account] != 0 {
			won[of[player.Account]] = true
		}
	}
	winner := 0
	if len(won) == 1 {
		for e := range won {
			winner = e
		}
	}
	_, failed := x.take(ctx, p.run, series.Input{Kind: series.Result, Meeting: p.meeting, LobbyID: lobbyID,
		Number: number, Entrant: winner})
	return failed
}

// Closed notes that a lobby is gone, if it was a meeting's: another is opened in its place.
func (x *Manager) Closed(lobbyID string) {
	x.mu.Lock()
	p, is := x.at[lobbyID]
	x.mu.Unlock()
	if is {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		x.take(ctx, p.run, series.Input{Kind: series.Gone, Meeting: p.meeting, LobbyID: lobbyID})
	}
}
