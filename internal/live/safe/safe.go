// Package safe starts the goroutines of a node. A fault in one of them (a panic) stays where it is, or ends the process
// where a node must not go on after it.
package safe

import (
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"
)

var faults atomic.Uint64

// Faults is how many faults there were in this process.
func Faults() uint64 { return faults.Load() }

// Caught notes a fault that somebody has recovered from: it is counted and logged, with what was being done.
func Caught(log *slog.Logger, what string, fault any, about ...any) {
	faults.Add(1)
	log.Error("a fault: "+what, append([]any{"panic", fmt.Sprint(fault), "stack", string(debug.Stack())},
		about...)...)
}

// Do calls do, and tells whether it came to its end. A fault in it goes no further.
func Do(what string, do func()) (ok bool) {
	defer func() {
		if p := recover(); p != nil {
			Caught(slog.Default(), what, p)
		}
	}()
	do()
	return true
}

// Go is Do in a goroutine of its own.
func Go(what string, do func()) { go Do(what, do) }

// In is Go in a group.
func In(group *sync.WaitGroup, what string, do func()) { group.Go(func() { Do(what, do) }) }

// After is Go after a while, unless the timer is stopped before.
func After(long time.Duration, what string, do func()) *time.Timer {
	return time.AfterFunc(long, func() { Do(what, do) })
}

// Vital runs what a node must not be without: its ledger, its lease, what it hears of other nodes. A fault in it is
// logged and ends the process at once, so that the node says nothing more and others take its lobbies over.
func Vital(group *sync.WaitGroup, what string, do func()) {
	group.Go(func() {
		defer func() {
			if p := recover(); p != nil {
				Caught(slog.Default(), what, p)
				panic(p)
			}
		}()
		do()
	})
}
