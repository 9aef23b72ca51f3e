package service_test

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/trial"
)

// soaker is somebody who comes, goes, acts and is cut off at random.
type soaker struct {
	s    *service.Service
	in   *client.Signed
	code string
	r    *rand.Rand
	conn *client.Conn
	sat  bool // and so does not watch

	differs func([]client.Difference)
}

// step does one thing. What is refused is as good as what is done.
func (k *soaker) step(ctx context.Context) error {
	if k.conn == nil {
		c, err := client.Connect(
			ctx,
			client.Options{
				Address:   k.s.Address,
				Token:     k.in.Token,
				Lobby:     k.code,
				JSON:      k.r.IntN(2) == 0,
				Patience:  10 * time.Second, // far longer than its seat is held
				Watch:     k.r.IntN(4) == 0 && !k.sat,
				OnDiffers: func(d []client.Difference) { k.differs(d) },
			},
		)
		k.sat = client.CodeOf(err) == "already-in" // its seat is held, or it had one in this match
		if refusesEntry(err) {
			return nil
		}
		k.conn = c
		return err
	}
	switch n := k.r.IntN(24); {
	case n == 0:
		err := k.conn.Leave(ctx)
		if k.conn = nil; refusesEntry(err) {
			err = nil
		}
		return err
	case n < 3:
		k.conn.Cut()
		return nil
	case n == 3:
		k.conn.Close()
		k.conn = nil
		return nil
	}
	if k.conn.Seat() == 0 {
		return nil
	}
	_, err := k.conn.Send(k.wish()).Verdict(ctx)
	if refusesEntry(err) { // it was away for longer than its seat was held, or came too often
		k.conn, err = nil, nil
	}
	return err
}

// refusesEntry says whether an error is a refusal that those meet who come and go all the time.
func refusesEntry(err error) bool {
	switch client.CodeOf(err) {
	case "already-in", "lobby-full", "spectators-full", "too-many-requests":
		return true
	}
	return false
}

func (k *soaker) wish() client.Intent {
	var target uint32
	k.conn.Read(func(c *client.Copy) {
		if all := c.Players(); len(all) > 0 {
			target = uint32(all[k.r.IntN(len(all))].ID)
		}
	})
	switch k.r.IntN(9) {
	case 0:
		return client.Intent{Do: "ready"}
	case 1:
		return client.Intent{Do: "team", Name: []string{"amber", "teal"}[k.r.IntN(2)]}
	case 2:
		return client.Intent{Do: []string{"pause", "resume"}[k.r.IntN(2)]}
	case 3:
		return client.Intent{Do: "rename", Text: fmt.Sprint("Skiff ", k.r.IntN(100))}
	case 4:
		return client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": k.r.IntN(10)}}
	case 5, 6:
		return client.Intent{Do: "act", Name: "ram", Target: target}
	}
	return client.Intent{Do: "steer", At: []int64{k.r.Int64N(2001) - 1000, k.r.Int64N(2001) - 1000}}
}

// TestSoak: after some seconds in which everybody comes, goes, changes sides, pauses and is cut off at random, in both
// encodings and with limited sight, every copy is what its audience should see; and it was at each check on the way.
func TestSoak(t *testing.T) {
	seed := trial.Seed(t)
	t.Log("seed", seed)
	journals := t.TempDir()
	checked := another(t, service.Config{Check: 150 * time.Millisecond, Journals: journals})
	book := variant(t, "teams:\n  list", "teams:\n  newcomers: choice\n  locked: never\n  list", "late: seat",
		"late: seat, gone: remove", "hold: 5s", "hold: 300ms", "height: 20m",
		"height: 20m\n  sight: {near: 4m, far: 7m, update: 200ms}", "plan: {type: integer, see: owner}",
		"plan: {type: integer, see: team, update: 300ms}")
	if _, _, err := checked.Library.Load(soon(t), source(t, book)); err != nil {
		t.Fatal(err)
	}
	host := player(t, "Mara")
	l, err := at(checked, host).Open(soon(t), client.Opening{Rulebook: book})
	if err != nil {
		t.Fatal(err)
	}
	var all sync.WaitGroup
	soakers := make([]*soaker, 8)
	ends := time.Now().Add(4 * time.Second)
	for i := range soakers {
		k := &soaker{
			s:    checked,
			in:   player(t, fmt.Sprint("Skiff ", i)),
			code: l.Code,
			r:    rand.New(rand.NewPCG(seed, uint64(i))),
		}
		k.differs = func(d []client.Difference) { t.Errorf("seed %d, %d: its copy differed: %+v", seed, i, d) }
		soakers[i] = k
		ctx := soon(t)
		all.Go(func() {
			for time.Now().Before(ends) {
				if err := k.step(ctx); err != nil {
					t.Errorf("seed %d, %d: %v", seed, i, err)
					return
				}
			}
		})
	}
	all.Wait()
	clients := 0
	for _, k := range soakers {
		if k.conn == nil {
			continue
		}
		t.Cleanup(k.conn.Close)
		if k.conn.Seat() != 0 {
			_, err := k.conn.Send(client.Intent{Do: "unready"}).Verdict(soon(t)) // it is back when this is answered
			if refusesEntry(err) {
				continue
			}
			if err != nil {
				t.Errorf("seed %d: %v", seed, err)
			}
		} else if err := k.conn.Wait(soon(t), func(*client.Copy) bool { return k.conn.Trip() > 0 }); err != nil {
			if refusesEntry(err) {
				continue
			}
			t.Errorf("seed %d: %v", seed, err)
		}
		clients++
	}
	noDifferences(t, checked, l.Code, clients)
	checked.Hall.Stop()
	files, _ := filepath.Glob(filepath.Join(journals, "*.journal"))
	if len(files) != 1 {
		t.Fatal(files)
	}
	file, err := os.Open(files[0])
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	rp, err := journal.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	rp.OnOutput = func(*step.Output) {
		if err := rp.M.Check(); err != nil {
			t.Fatalf("seed %d, tick %d: %v", seed, rp.M.Tick(), err)
		}
	}
	if err := rp.RunTo(-1); err != io.EOF || rp.Inputs < 200 || rp.Hashes == 0 {
		t.Errorf("seed %d: its journal is played back with %d inputs and %d hashes: %v", seed, rp.Inputs, rp.Hashes,
			err)
	}
}
