package bench

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/wire"
)

const stallBook = `turnvex: 1
name: stall
players: {least: 1, most: 8, hold: 10m}
phases: {play: {lasts: 10m}}
actions: {buy: {also: [lobby], certain: true, cost: {coins: 1}, do: [{add: record.hats, by: 1}]}}
record: {coins: {min: 0, start: 1000000}, hats: {}}
`

// certainCost has a player pay again and again, each time beside a bare commit of one row.
func certainCost(t *Table) error {
	ctx := context.Background()
	log := slog.New(slog.DiscardHandler)
	db, stop, err := durable(ctx, log)
	if err != nil {
		return err
	}
	defer stop()
	g := ledger.New(ledger.In(db), "bench", nil, log, 0)
	defer g.Close(ctx)
	boards := board.New(db, board.Options{})
	defer boards.Close()
	keeper := keep.New(db, boards, time.Now)
	h := hall.New(hall.Config{Directory: memdb.NewDirectory(), Keeper: keeper,
		Names: memdb.NewNames(), Node: "bench", Ledger: g})
	defer h.Stop()
	book, problems := rulebook.Compile([]byte(stallBook))
	if book == nil {
		return problems.Errors()
	}
	who := store.Player{ID: uuid.Must(uuid.NewV7()).String(), Name: "Oar", CreatedAt: time.Now(), SeenAt: time.Now()}
	if err := db.Create(&who).Error; err != nil {
		return err
	}
	l, err := h.Open(ctx, book, hall.Opening{Linger: time.Hour})
	if err == nil {
		_, err = l.Sit(ctx, hall.Joining{Account: who.ID, Name: who.Name})
	}
	if err == nil {
		err = db.Exec("create table bare (n bigint)").Error
	}
	if err != nil {
		return err
	}
	var took [3][]time.Duration
	for n := range t.Size(600, 10) {
		for i, do := range []func() error{
			func() error { return db.Exec("insert into bare values (?)", n).Error },
			func() error {
				_, _, err := keeper.Charge(ctx, &keep.Job{Lobby: uuid.NewString(), Book: book, Records: []keep.Record{{
					Player: who.ID, Number: 1, Changes: []step.Change{{Field: "coins", Kind: step.ChangeAdd,
						Value: sheet.IntValue(sheet.Integer, -1)}}}}})
				return err
			},
			func() error {
				v, err := l.Ask(ctx, who.ID, &wire.Intent{Do: "act", Name: "buy"})
				for err == nil && v.Code == code.Loading {
					v, err = l.Ask(ctx, who.ID, &wire.Intent{Do: "act", Name: "buy"})
				}
				if err == nil && !v.OK() {
					err = fmt.Errorf("it is not bought: %s", v.Reason)
				}
				return err
			},
		} {
			began := time.Now()
			if err := do(); err != nil {
				return err
			}
			took[i] = append(took[i], time.Since(began))
		}
	}
	for _, part := range []float64{0.5, 0.99} {
		var ms [3]float64
		for i := range took {
			ms[i] = field.Percentile(took[i], part).Seconds() * 1000
		}
		t.Row(fmt.Sprintf("%.0f %%: a bare commit, the charge alone, the verdict", 100*part),
			fmt.Sprintf("%.2f, %.2f, %.2f ms", ms[0], ms[1], ms[2]), "")
		t.Row("  the verdict, in bare commits", times(ms[2]/ms[0]), "at most 2.2 ×")
		t.Row("  the verdict, in charges", times(ms[2]/ms[1]), "")
	}
	return nil
}

// durable is a database whose commits reach the disk.
func durable(ctx context.Context, log *slog.Logger) (*store.DB, func(), error) {
	root, err := filepath.Abs(".")
	if err != nil {
		return nil, nil, err
	}
	dir := filepath.Join(pgbox.Folder(root), "bench-"+strconv.Itoa(os.Getpid()))
	box, err := pgbox.Start(ctx, pgbox.Options{Dir: dir})
	if err != nil {
		return nil, nil, err
	}
	stop := func() { box.Stop(); os.RemoveAll(dir) }
	db, err := store.Open(ctx, box.Address, log)
	if err == nil {
		err = db.Migrate(ctx)
	}
	if err != nil {
		stop()
		return nil, nil, err
	}
	return db, func() { db.Close(); stop() }, nil
}
