//go:build !linux

package cluster

import "time"

var started = time.Now()

// sinceBoot is the time since this process was started, also while it was stopped.
func sinceBoot() time.Duration { return time.Since(started) }
