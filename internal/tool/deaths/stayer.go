package deaths

import (
	"context"
	"fmt"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/client"
)

// stayer is a client that stays through every death, in a lobby whose match does not end: its copy is the service's.
type stayer struct {
	w      *world
	conn   *client.Conn
	token  string
	code   string
	differ atomic.Int64 // fields in which the copy differed
}

func (s *stayer) begin(ctx context.Context) error {
	in, err := client.SignIn(ctx, s.w.at.address, "a-device-that-stays-through-it-all", "Stays")
	if err != nil {
		return err
	}
	l, err := client.Service{Address: s.w.at.address, Token: in.Token}.Open(ctx, client.Opening{Rulebook: "spark",
		Options: map[string]any{"long": true}, Hidden: true})
	if err != nil {
		return err
	}
	s.token, s.code = in.Token, l.Code
	if err := s.connect(ctx); err != nil {
		return err
	}
	return s.conn.Do(ctx, client.Intent{Do: "ready"})
}

func (s *stayer) connect(ctx context.Context) (err error) {
	s.conn, err = client.Connect(ctx, client.Options{Address: s.w.at.address, Token: s.token, Lobby: s.code,
		Patience: time.Minute, OnDiffers: func(all []client.Difference) { s.differ.Add(int64(len(all))) }})
	return err
}

// moves connects anew, to a node of which it did not know, when that has taken the lobby over.
func (s *stayer) moves(ctx context.Context) (err error) {
	s.conn.Close()
	ctx, over := context.WithTimeout(ctx, time.Minute)
	defer over()
	for {
		if err = s.connect(ctx); err == nil || ctx.Err() != nil {
			return err
		}
		time.Sleep(pollEvery)
	}
}

// check does something in the match, which must be answered, and says whether the copy was ever wrong.
func (s *stayer) check(ctx context.Context) (wrong []string) {
	ctx, over := context.WithTimeout(ctx, time.Minute)
	defer over()
	var before, after int64
	s.conn.Read(func(c *client.Copy) { before = c.Me().Int("bought") })
	err := patiently(func() error { return s.conn.Do(ctx, client.Intent{Do: "act", Name: "buy"}) })
	if err == nil {
		err = s.conn.Wait(ctx, func(c *client.Copy) bool { after = c.Me().Int("bought"); return after > 0 })
	}
	if err != nil {
		wrong = append(wrong, fmt.Sprintf("who stays had bought %d, and cannot act: %v", before, err))
	}
	if n := s.differ.Swap(0); n > 0 {
		wrong = append(wrong, fmt.Sprintf("the copy of who stays differed in %d fields", n))
	}
	return wrong
}

func (w *world) close() { w.stays.conn.Close() }
