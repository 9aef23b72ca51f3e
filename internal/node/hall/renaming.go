package hall

import (
	"context"

	"turnvex.example/turnvex/internal/core/step"
)

// keepName keeps the name that a player took in this lobby, and brings it to every other lobby that they are in.
func (l *keeping) keepName(player, name string) {
	cause := l.memory.cause(false)
	l.tasks.add(func() {
		if l.retry("keep a name", keepFor, func(ctx context.Context) (err error) {
			if err = cause(ctx); err == nil {
				_, err = l.hall.cfg.Names.Rename(ctx, player, name)
			}
			return err
		}) {
			l.hall.rename(player, name, l.ID)
		}
	})
}

// Renamed brings a player's new name, which is kept already, to every lobby that they are in.
func (h *Hall) Renamed(player, name string) { h.rename(player, name, "") }

// rename hands the name to each lobby before it returns, so that of two names that were kept one after the other the
// later one is the last everywhere.
func (h *Hall) rename(player, name string, but string) {
	for _, l := range h.Where(player) {
		if l.ID == but {
			continue
		}
		l.post(func() {
			if id := l.m.SeatOf(player); id != 0 && l.m.Store().Get(id).Text(l.book.F.Player.Name) != name {
				l.step(&step.Input{Kind: step.Called, Seat: id, Text: l.apart(name, id)})
			}
		})
	}
}

// Removed gives up every seat of a player who was deleted.
func (h *Hall) Removed(player string) {
	for _, l := range h.Where(player) {
		l.Quit(context.Background(), player)
	}
}
