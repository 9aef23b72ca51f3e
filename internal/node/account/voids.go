package account

import (
	"context"
	"strings"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

// Void is that tokens of before a moment are good no more: those of a player, of a key, or
// of one line of a player's sign-ins.
type Void struct {
	Subject string
	Before  time.Time
}

func ofPlayer(id string) string   { return "player " + id }
func ofKey(id string) string      { return "key " + id }
func ofLine(family string) string { return "line " + family }
func ofSigner(id string) string   { return "signer " + id }

// Voided tells whether the token with which somebody came is good no more. A line of
// sign-ins that is void stays so, on any clock.
func (w *Who) Voided(v *Void) bool {
	return w.line != "" && v.Subject == ofLine(w.line) ||
		w.signer != "" && v.Subject == ofSigner(w.signer) ||
		v.Subject == w.subject && w.at <= v.Before.UnixMicro()
}

// voids is what a node knows of tokens that are good no more.
type voids struct {
	mu    sync.Mutex
	lines map[string]time.Time // guarded by mu; when each was voided
	seen  map[int64]time.Time  // guarded by mu; the rows that were read
	tell  func([]Void)         // guarded by mu
}

// How often every node looks for what is voided, and how far back beyond what it has read: a
// row may be seen later than those that were written after it.
const (
	voidEvery = 400 * time.Millisecond
	voidBack  = 10 * time.Second
)

// OnVoid calls a function with what is voided, on any node, within a second.
func (s *Service) OnVoid(tell func([]Void)) {
	s.voids.mu.Lock()
	defer s.voids.mu.Unlock()
	s.voids.tell = tell
}

// void voids what somebody's tokens were good for, on all nodes.
func (s *Service) void(tx *store.Tx, subject string) error {
	return s.voidBefore(tx, subject, s.now().UTC())
}

func (s *Service) voidBefore(tx *store.Tx, subject string, before time.Time) error {
	s.known.Remove(subject)
	return tx.Exec("insert into voided (subject, before) values (?, ?)", subject, before).Error
}

// FollowVoids reads what is voided until the context ends; failed says what went wrong.
func (s *Service) FollowVoids(ctx context.Context, failed func(error)) {
	read := time.Now().Add(-TokenLife) // when it was known last what is void
	for t := time.NewTicker(voidEvery); ; {
		now := time.Now()
		if err := s.readVoids(ctx, now.Sub(read)+voidBack); err == nil {
			read = now
		} else if ctx.Err() == nil {
			failed(err)
		}
		select {
		case <-ctx.Done():
			t.Stop()
			return
		case <-t.C:
		}
	}
}

func (s *Service) readVoids(ctx context.Context, back time.Duration) error {
	var rows []struct {
		ID int64
		Void
	}
	err := s.db.WithContext(ctx).
		Raw("select id, subject, before from voided where at > clock_timestamp() - ? * interval '1 second' order by id",
			back.Seconds()).
		Scan(&rows).
		Error
	if err != nil {
		return err
	}
	v, now := &s.voids, time.Now()
	var fresh []Void
	dropped := false
	v.mu.Lock()
	for _, r := range rows {
		if _, known := v.seen[r.ID]; known {
			continue
		}
		v.seen[r.ID] = now
		if strings.HasPrefix(r.Subject, ofLine("")) {
			v.lines[r.Subject] = now
		}
		if id, is := strings.CutPrefix(r.Subject, ofSigner("")); is {
			s.signers.drop(id)
			dropped = true
		}
		s.known.Remove(r.Subject)
		fresh = append(fresh, r.Void)
	}
	for id, at := range v.seen {
		if now.Sub(at) > 2*TokenLife {
			delete(v.seen, id)
		}
	}
	for line, at := range v.lines {
		if now.Sub(at) > 2*TokenLife {
			delete(v.lines, line)
		}
	}
	tell := v.tell
	v.mu.Unlock()
	if dropped {
		err = s.signers.look(ctx)
	}
	if len(fresh) > 0 && tell != nil {
		tell(fresh)
	}
	return err
}

// lineVoided tells whether a line of sign-ins is known to be good no more.
func (s *Service) lineVoided(family string) bool {
	s.voids.mu.Lock()
	defer s.voids.mu.Unlock()
	_, is := s.voids.lines[ofLine(family)]
	return is
}
