package series

import "time"

// SetNow sets what time it is for series; it must be called before any is opened.
func (x *Manager) SetNow(now func() time.Time) { x.now = now }
