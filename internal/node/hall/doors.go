package hall

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/wire"
)

// Checked returns what clients have told of their copies.
func (l *Lobby) Checked(ctx context.Context) (CheckedCopies, error) {
	return l.shows.newest(ctx)
}

// Check asks every connection for the hash of its copy and waits for the answers until ctx ends.
func (l *Lobby) Check(ctx context.Context) (*CheckReport, error) {
	return l.shows.checkAll(ctx)
}

// Join brings a connection into the lobby: as the player it was before, as a new player, or as somebody who watches.
// The welcome waits in the client.
func (l *Lobby) Join(ctx context.Context, j Joining) (*Client, error) {
	return l.seats.join(ctx, j)
}

// Expect holds a place for each of some accounts who has no seat, as one party, and tells whether any of them is there,
// and whether all who are, are ready, where a match begins when all are.
func (l *Lobby) Expect(ctx context.Context, accounts []string, party string, hold time.Duration) (here, ready bool,
	err error) {
	return l.seats.expect(ctx, accounts, party, hold)
}

// Sit gives a player a seat without a live connection: it is held as a lost one is, until the connection comes.
func (l *Lobby) Sit(ctx context.Context, j Joining) (sheet.ID, error) {
	return l.seats.sitDown(ctx, j)
}

// Quit gives a player's seats up. It tells whether there were any.
func (l *Lobby) Quit(ctx context.Context, account string) (bool, error) {
	return l.seats.quit(ctx, account)
}

// HasSeat tells whether a player has a seat in the lobby.
func (l *Lobby) HasSeat(ctx context.Context, account string) (has bool) {
	return l.seats.hasSeat(ctx, account)
}

// ByHand does what an operator does in practice: sets a field of a sheet, or lets ticks of play pass, which is the
// intent's Do.
func (l *Lobby) ByHand(ctx context.Context, m *wire.Intent) error {
	return l.play.byHand(ctx, m)
}

// Ask hands in an intent for a player's seat from outside the live connection and returns its verdict.
func (l *Lobby) Ask(ctx context.Context, account string, m *wire.Intent) (v step.Verdict, err error) {
	return l.play.askFor(ctx, account, m)
}
