package cluster

import (
	"time"

	"golang.org/x/sys/unix"
)

// sinceBoot is the time since the machine was started, also while it slept or this process was stopped.
func sinceBoot() time.Duration {
	var t unix.Timespec
	if err := unix.ClockGettime(unix.CLOCK_BOOTTIME, &t); err != nil {
		panic(err) // every Linux since 2.6.39 has it
	}
	return time.Duration(t.Nano())
}
