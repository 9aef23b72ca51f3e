// Package seed gives random tests their seed: another one each time, which a test that
// fails prints, or the one that is given with -seed, so that a failure can be had again.
package seed

import (
	"flag"
	"testing"
	"time"
)

var given = flag.Uint64(
	"seed",
	0,
	"the `seed` of random tests, as one that failed has printed it; another one each time if 0",
)

// Of returns the seed for a test, and prints it if the test fails.
func Of(t testing.TB) uint64 {
	s := *given
	if s == 0 {
		s = uint64(time.Now().UnixNano())
	}
	t.Cleanup(func() {
		if t.Failed() {
			t.Logf("to have this again: go test -run '^%s$' -args -seed %d", t.Name(), s)
		}
	})
	return s
}

// Rounds is how often a random test tries: as often as it is worth, or, with -short,
// often enough for every day.
func Rounds(long, short int) int {
	if testing.Short() {
		return short
	}
	return long
}
