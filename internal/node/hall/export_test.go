package hall

// Fault lets a job of the lobby's loop fail as a mistake in the code would.
func (l *Lobby) Fault() { l.post(func() { panic("made up by a test") }) }
