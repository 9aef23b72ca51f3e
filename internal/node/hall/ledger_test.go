package hall_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// kept is what a ledger keeps, in a database that can go away.
type kept struct {
	*rig
	ledger *ledger.Ledger
	away   bool
}

// withLedger runs a story over a hall with a ledger, for which so many bytes may wait.
func withLedger(t *testing.T, src string, most int, story func(k *kept)) {
	t.Helper()
	withLedgerSet(t, src, most, func(*hall.Config) {}, story)
}

func withLedgerSet(t *testing.T, src string, most int, set func(*hall.Config), story func(k *kept)) {
	t.Helper()
	k := &kept{}
	inHall(t, src, func(r *rig, cfg *hall.Config) {
		set(cfg)
		k.rig = r
		r.dir.Gate = func(ctx context.Context, _ string) error {
			if k.away {
				return errors.New("the database is away")
			}
			return ctx.Err()
		}
		epoch, err := r.dir.Enter(context.Background(), &cluster.Identity{Name: "n1"}, time.Hour)
		if err != nil {
			t.Fatal(err)
		}
		cfg.Fence = func() store.Fence { return store.Fence{Node: "n1", Epoch: epoch} }
		k.ledger = ledger.New(r.dir, "n1", cfg.Fence, slog.New(slog.DiscardHandler), most)
		cfg.Ledger = k.ledger
	}, func(r *rig) {
		k.ledger.OnFull(r.hall.Refresh)
		story(k)
		k.away = false
		r.hall.Stop()
		k.ledger.Close(context.Background())
	})
}

// state is how far the checkpoint of the only lobby reaches.
func (k *kept) state() int64 {
	k.t.Helper()
	held, err := k.dir.Rows(context.Background()).Read([]string{k.dir.Entries()[0].ID})
	if err != nil || len(held.Checkpoints) != 1 {
		k.t.Fatalf("%+v, %v", held, err)
	}
	return held.Checkpoints[0].Seq
}

// TestNothingIsLeftUnderWay: while a cost is being taken a lobby makes no checkpoint, and does not go to another node;
// then it does both.
func TestNothingIsLeftUnderWay(t *testing.T) {
	withLedger(t, stall, 0, func(k *kept) {
		taken := make(chan struct{})
		k.keeper.Gate = func(ctx context.Context, call string) error {
			if call == "charge" {
				select {
				case <-taken:
				case <-ctx.Done():
				}
			}
			return ctx.Err()
		}
		l := k.open(hall.Opening{})
		ada := k.join(l, hall.Joining{Account: "ada"})
		pass(time.Second)
		ada.Receive(&wire.Intent{Is: "intent", Seat: uint32(ada.First()), N: 1, Do: "act", Name: "buy"})
		pass(aTick)
		before := k.state()
		k.hall.Refresh()
		given := make(chan error, 1)
		go func() { given <- l.Give(context.Background(), hall.Destination{Node: "n2"}) }()
		pass(time.Second)
		if after := k.state(); after != before || k.dir.Entries()[0].Node != "n1" || len(given) > 0 {
			t.Errorf("the checkpoint reaches from %d to %d; the lobby is at %s", before, after, k.dir.Entries()[0].Node)
		}
		close(taken)
		pass(time.Second)
		if after := k.state(); after <= before || k.dir.Entries()[0].Node != "n2" || <-given != nil {
			t.Errorf("the checkpoint still reaches to %d; the lobby is at %s", after, k.dir.Entries()[0].Node)
		}
	})
}

// TestJoinedWhenKept: who joins while nothing can be kept is refused within some seconds, and has no seat afterwards.
func TestJoinedWhenKept(t *testing.T) {
	withLedger(t, harbour, 0, func(k *kept) {
		l := k.open(hall.Opening{})
		k.join(l, hall.Joining{Account: "ada"})
		pass(time.Second)
		k.away = true
		if _, err := k.tryJoin(l, hall.Joining{Account: "bo"}); fault.CodeOf(err) != code.Stopping {
			t.Errorf("who joins meanwhile: %v", err)
		}
		k.away = false
		pass(time.Second)
		if info, err := l.Info(context.Background()); err != nil || info.Seats != 1 {
			t.Errorf("%d seats, %v", info.Seats, err)
		}
	})
}

// TestNamesWaitForTheirCause: a name that a player takes in a lobby is kept when that they took it is.
func TestNamesWaitForTheirCause(t *testing.T) {
	withLedger(t, harbour, 0, func(k *kept) {
		ada := k.join(k.open(hall.Opening{}), hall.Joining{Account: "ada"})
		pass(time.Second)
		k.away = true
		ada.does(wire.Intent{Do: "rename", Text: "Ada Lamp"})
		pass(time.Minute)
		if name := k.names.Name("ada"); name != "" {
			t.Errorf("she is called %q, of which nothing is kept", name)
		}
		k.away = false
		pass(10 * time.Second)
		if name := k.names.Name("ada"); name != "Ada Lamp" {
			t.Errorf("she is called %q", name)
		}
	})
}

// TestPiecesGiveWay: a piece of a lobby's journal for which there is no room is missing, and is told to be; what comes
// after it is there, and every byte that was held is given back.
func TestPiecesGiveWay(t *testing.T) {
	withLedger(t, harbour, 8000, func(k *kept) {
		l := k.open(hall.Opening{})
		ada := k.join(l, hall.Joining{Account: "ada"})
		pass(time.Minute)
		k.away = true
		for range 300 {
			ada.ask(wire.Intent{Do: "settings", Args: map[string]any{"title": "By the mole"}})
		}
		k.away = false
		pass(10 * time.Second)
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"title": "Quay"}})
		pass(time.Minute)
		gaps, last := 0, int64(0)
		for _, s := range k.dir.Journal(l.ID) {
			if s.Missing {
				gaps++
			}
			last = s.Seq
		}
		if bytes, since := k.ledger.Waiting(); gaps == 0 || last != k.state() || bytes != 0 || !since.IsZero() ||
			k.ledger.Held() != 0 {
			t.Errorf("%d gaps; the journal reaches to %d of %d; %d bytes wait, %d are held", gaps, last, k.state(),
				bytes, k.ledger.Held())
		}
	})
}

// TestOldEpoch: a lobby that is opened while its node loses its lease does not begin.
func TestOldEpoch(t *testing.T) {
	epoch := int64(1)
	inHall(t, harbour, func(_ *rig, cfg *hall.Config) {
		cfg.Fence = func() store.Fence { return store.Fence{Node: "n1", Epoch: epoch} }
	}, func(r *rig) {
		r.dir.Late = func(ctx context.Context, call string) error {
			if call == "open" {
				epoch++
			}
			return ctx.Err()
		}
		if _, err := r.hall.Open(context.Background(), r.book, hall.Opening{}); fault.CodeOf(err) != code.Stopping ||
			r.hall.Lobbies() != 0 {
			t.Errorf("%v; %d lobbies are alive", err, r.hall.Lobbies())
		}
		synctest.Wait()
	})
}

// TestRefusalsCostLittle: whatever is refused costs a lobby's journal little, however much of it was sent; and beyond
// what the journal of one lobby may have nothing is added to it, which its end says, while the lobby goes on.
func TestRefusalsCostLittle(t *testing.T) {
	const most = 40_000
	withLedgerSet(t, harbour, 0, func(cfg *hall.Config) { cfg.Journal = most }, func(k *kept) {
		l := k.open(hall.Opening{})
		ada := k.join(l, hall.Joining{Account: "ada"})
		size := func() (bytes int) {
			pass(time.Minute)
			for _, s := range k.dir.Journal(l.ID) {
				bytes += len(s.Data)
			}
			return bytes
		}
		long := strings.Repeat("oar ", 4000)
		many := map[string]any{}
		for i := range 500 {
			many[fmt.Sprint("oar ", i)] = i
		}
		before := size()
		floods := []wire.Intent{{Do: "act", Name: long}, {Do: long}, {Do: "ready", Text: long},
			{Do: "act", Name: "score", Args: many}, {Do: "act", Name: "score", Args: map[string]any{long: 1}}}
		for _, args := range []map[string]any{many, {"title": long}, {"capacity": long}, {"capacity": []any{long}},
			{"password": long}} {
			floods = append(floods, wire.Intent{Do: "settings", Args: args})
		}
		for _, m := range floods {
			ada.ask(m)
		}
		if cost := size() - before; cost > 300*len(floods) {
			t.Errorf("%d intents that were refused cost the journal %d bytes", len(floods), cost)
		}
		for i := range 2 * most / 50 {
			ada.ask(wire.Intent{Do: "settings", Args: map[string]any{"title": fmt.Sprint("By the mole ", i)}})
			if i%100 == 0 {
				pass(time.Second)
			}
		}
		if got := size(); got > most || got < 1000 || ada.ended() != "" {
			t.Errorf("the journal has %d bytes, of %d that it may; ada ended %q", got, most, ada.ended())
		}
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"title": "Quay"}})
		l.Close("the evening is over")
		pass(time.Second)
		if all := k.dir.Journal(l.ID); !all[len(all)-1].Missing {
			t.Error("the journal does not say that its end is missing")
		}
	})
}
