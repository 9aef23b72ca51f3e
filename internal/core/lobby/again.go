package lobby

import "turnvex.example/turnvex/internal/core/sheet"

// Conns returns the seats that share each connection, in the order of the seats: what a driver
// that has restored the lobby brings back by.
func (l *Lobby) Conns() map[string][]sheet.ID {
	out := map[string][]sheet.ID{}
	for _, s := range l.seats {
		if s.conn != "" && !s.gone && !s.filler {
			out[s.conn] = append(out[s.conn], s.Row.ID)
		}
	}
	return out
}

// There returns the seats whose connection counts as alive.
func (l *Lobby) There() (out []sheet.ID) {
	for _, s := range l.seats {
		if !s.gone && !s.filler && !s.Row.Flag(l.book.F.Player.Away) {
			out = append(out, s.Row.ID)
		}
	}
	return out
}

// Line returns the connections that stand in line for a seat.
func (l *Lobby) Line() (out []string) {
	for _, w := range l.line {
		out = append(out, w.conn)
	}
	return out
}
