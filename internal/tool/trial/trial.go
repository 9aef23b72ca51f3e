// Package trial holds what all tests share: the seed of a random test, how many rounds it plays, and how long a test
// waits for an event.
package trial

import (
	"context"
	"flag"
	"fmt"
	"hash/fnv"
	"os"
	"strconv"
	"testing"
	"time"
)

var given = flag.Uint64("seed", 0, "the `seed` of random tests, as a failed one has printed it")

// Seed returns the seed of a random test and prints it if the test fails. With -short, as ./dev test runs, it depends
// on the test's name alone, so that a run never fails by chance; ./dev soak draws a fresh one each time. The flag -seed
// overrides both.
func Seed(t testing.TB) uint64 {
	t.Helper()
	s := *given
	switch {
	case s != 0:
	case testing.Short():
		h := fnv.New64a()
		h.Write([]byte(t.Name()))
		s = h.Sum64()
	default:
		s = uint64(time.Now().UnixNano())
	}
	t.Cleanup(func() {
		if t.Failed() {
			t.Logf("to repeat this: go test -run '^%s$' -args -seed %d", t.Name(), s)
		}
	})
	return s
}

// Rounds returns how many rounds a random test plays: long, or short with -short.
func Rounds(long, short int) int {
	if testing.Short() {
		return short
	}
	return long
}

// Patience is by how much every wait inside a test is longer than a quick machine needs. The environment variable
// TURNVEX_PATIENCE sets it, from 1 to 1000.
var Patience = func() time.Duration {
	text := os.Getenv("TURNVEX_PATIENCE")
	if text == "" {
		return 10
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 || n > 1000 {
		panic(fmt.Sprintf("TURNVEX_PATIENCE=%s is not a factor from 1 to 1000", text))
	}
	return time.Duration(n)
}()

// Within returns a context that ends with the test, or when a wait that takes d at most on a quick machine has failed
// on a slow one too.
func Within(t testing.TB, d time.Duration) context.Context {
	ctx, cancel := context.WithTimeout(t.Context(), d*Patience)
	t.Cleanup(cancel)
	return ctx
}
