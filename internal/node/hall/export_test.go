package hall

// Fault lets a job of the lobby's loop fail as a mistake in the code would.
func (l *Lobby) Fault() { l.post(func() { panic("made up by a test") }) }

// Stick keeps the lobby's loop busy until it is released.
func (l *Lobby) Stick() (release func()) {
	until := make(chan struct{})
	l.post(func() { <-until })
	return func() { close(until) }
}
