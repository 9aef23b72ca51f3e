package account

import (
	"context"
	"sync"
	"time"

	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/store"
)

// Mutes are the players whose texts reach nobody, as a node knows them. It may be used by several goroutines.
type Mutes struct {
	db    *store.DB
	now   func() time.Time
	guard *guard.Guard
	mu    sync.Mutex
	of    map[string]store.Mute // guarded by mu
}

// Look learns who of some players is muted, or of all where players is nil.
func (m *Mutes) Look(ctx context.Context, players []string) error {
	var list []store.Mute
	q := m.db.WithContext(ctx)
	if players != nil {
		q = q.Where("player_id in ?", players)
	}
	if err := q.Find(&list).Error; err != nil {
		return err
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if players == nil {
		m.of = map[string]store.Mute{}
	}
	for _, p := range players {
		delete(m.of, p)
	}
	for _, x := range list {
		m.of[x.PlayerID] = x
	}
	return nil
}

// MayWrite refuses a player who is muted, or who writes too much.
func (m *Mutes) MayWrite(player string) error {
	m.mu.Lock()
	x, muted := m.of[player]
	m.mu.Unlock()
	if muted && (x.Until == nil || m.now().Before(*x.Until)) {
		return fault.New(code.Muted, "you are muted %s", banned(x.Until, x.Tell))
	}
	_, err := m.guard.Take(guard.Texts, player)
	return err
}

// Mute lets what a player writes reach nobody, until a moment or, with none, for good. They play on, and are told for
// how long, and what tell says.
func (m *Mutes) Mute(ctx context.Context, player string, until *time.Time, tell string) error {
	if err := endsLater(until, m.now()); err != nil {
		return err
	}
	err := m.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).
		Create(&store.Mute{PlayerID: player, Until: until, Tell: tell}).Error
	return m.known(ctx, player, err)
}

// lift lets what a player writes be read again.
func (m *Mutes) lift(ctx context.Context, player string) error {
	return m.known(ctx, player, m.db.WithContext(ctx).Delete(&store.Mute{}, "player_id = ?", player).Error)
}

// known takes up here what was done; where that fails it is known when other nodes know it.
func (m *Mutes) known(ctx context.Context, player string, err error) error {
	if err == nil {
		m.Look(ctx, []string{player})
	}
	return err
}
