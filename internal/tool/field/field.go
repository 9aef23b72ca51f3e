// Package field is where measurements and attacks take place: PostgreSQL servers and nodes, in this process or in
// processes of their own, all below the project's folder and on loopback, which end with the run.
package field

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"path/filepath"
	"slices"
	"strconv"
	"time"

	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

// Field is one run of a program of the lab.
type Field struct {
	Out   io.Writer
	Short bool // everything is tried on a small scale, and nothing is judged
}

// Size returns how many of something a run takes: full, or short in a short one.
func (f *Field) Size(full, short int) int {
	if f.Short {
		return short
	}
	return full
}

// For is Size for durations.
func (f *Field) For(full, short time.Duration) time.Duration {
	if f.Short {
		return short
	}
	return full
}

// Rulebooks is the folder with the demo's rulebooks.
const Rulebooks = "demo/rulebooks"

// Box starts a PostgreSQL server that goes when it stops.
func (f *Field) Box(ctx context.Context) (*pgbox.Box, func(), error) {
	root, err := filepath.Abs(".")
	if err != nil {
		return nil, nil, err
	}
	return pgbox.Temp(ctx, pgbox.Folder(root))
}

// Database starts a PostgreSQL server with the newest schema and nothing in it.
func (f *Field) Database(ctx context.Context) (*store.DB, func(), error) {
	box, stop, err := f.Box(ctx)
	if err != nil {
		return nil, nil, err
	}
	db, err := store.Open(ctx, box.Address, slog.New(slog.DiscardHandler))
	if err == nil {
		err = db.Migrate(ctx)
	}
	if err != nil {
		stop()
		return nil, nil, err
	}
	return db, func() { db.Close(); stop() }, nil
}

// Node starts a database and a node with the demo's rulebooks in this process.
func (f *Field) Node(ctx context.Context) (*service.Service, func(), error) {
	service.Tune()
	box, stop, err := f.Box(ctx)
	if err != nil {
		return nil, nil, err
	}
	node, err := service.Start(ctx, service.Config{Database: box.Address, Rulebooks: Rulebooks})
	if err != nil {
		stop()
		return nil, nil, err
	}
	return node, func() { node.Stop(); stop() }, nil
}

// Numbers reads arguments that are whole numbers in a range; fewer may be given.
func Numbers(args []string, least, most int, into ...*int) error {
	if len(args) > len(into) {
		return fmt.Errorf("%q is too much: at most %d numbers are expected", args[len(into)], len(into))
	}
	for i, a := range args {
		n, err := strconv.Atoi(a)
		if err != nil || n < least || n > most {
			return fmt.Errorf("%q is not a number from %d to %d", a, least, most)
		}
		*into[i] = n
	}
	return nil
}

// Percentile returns the duration below which the given part of some durations lies; 0 of none.
func Percentile(d []time.Duration, part float64) time.Duration {
	if len(d) == 0 {
		return 0
	}
	s := slices.Sorted(slices.Values(d))
	return s[min(int(float64(len(s))*part), len(s)-1)]
}
