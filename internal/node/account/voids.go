package account

import (
	"context"
	"strings"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

// Void is that tokens of before a moment are good no more: those of a player, of a key, or of one line of a player's
// sign-ins.
type Void struct {
	Subject string
	Before  time.Time
}

// Player is whose tokens are all void, "" for those of a key or of one line of sign-ins.
func (v *Void) Player() string {
	id, _ := strings.CutPrefix(v.Subject, ofPlayer(""))
	if id == v.Subject {
		return ""
	}
	return id
}

func ofPlayer(id string) string   { return "player " + id }
func ofKey(id string) string      { return "key " + id }
func ofLine(family string) string { return "line " + family }
func ofSigner(id string) string   { return "signer " + id }

// Voided tells whether the token with which somebody came is good no more. A line of sign-ins that is void stays so, on
// any clock.
func (w *Who) Voided(v *Void) bool {
	return w.line != "" && v.Subject == ofLine(w.line) ||
		w.signer != "" && v.Subject == ofSigner(w.signer) ||
		v.Subject == w.subject && w.at <= v.Before.UnixMicro()
}

// voids is what a node knows of tokens that are good no more.
type voids struct {
	mu    sync.Mutex
	lines map[string]time.Time // guarded by mu; when each was voided
	tell  func([]Void)         // guarded by mu
}

// OnVoid calls a function with what is voided, on any node, within a second.
func (s *Service) OnVoid(tell func([]Void)) {
	s.voids.mu.Lock()
	defer s.voids.mu.Unlock()
	s.voids.tell = tell
}

// voidedHere is the key of the list of what a transaction voids.
type voidedHere struct{}

// voiding runs a transaction. What it voids is known here when it returns; to other nodes it is within a second.
func (s *Service) voiding(ctx context.Context, do func(tx *store.Tx) error) error {
	var subjects []string
	err := s.db.WithContext(context.WithValue(ctx, voidedHere{}, &subjects)).Transaction(do)
	if err == nil && subjects != nil {
		s.LookVoided(ctx, subjects) // where that fails it is known when the others know it
	}
	return err
}

// void voids what somebody's tokens were good for, on all nodes.
func (s *Service) void(tx *store.Tx, subject string) error {
	return s.voidBefore(tx, subject, s.now().UTC())
}

func (s *Service) voidBefore(tx *store.Tx, subject string, before time.Time) error {
	if all, is := tx.Statement.Context.Value(voidedHere{}).(*[]string); is {
		*all = append(*all, subject)
	}
	return tx.Exec("insert into voided (subject, before) values (?, ?)", subject, before).Error
}

// LookVoided learns what of some subjects is voided, or of all where subjects is nil.
func (s *Service) LookVoided(ctx context.Context, subjects []string) error {
	fresh, err := s.readVoids(ctx, subjects)
	if err != nil || len(fresh) == 0 {
		return err
	}
	v, now, dropped := &s.voids, time.Now(), false
	v.mu.Lock()
	for _, r := range fresh {
		if strings.HasPrefix(r.Subject, ofLine("")) {
			v.lines[r.Subject] = now
		}
		if id, is := strings.CutPrefix(r.Subject, ofSigner("")); is {
			s.signers.drop(id)
			dropped = true
		}
		s.known.Remove(r.Subject)
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
	if tell != nil {
		tell(fresh)
	}
	return err
}

// readVoids reads what of some subjects is voided, or of all, as far back as tokens may live.
func (s *Service) readVoids(ctx context.Context, subjects []string) (out []Void, err error) {
	q := s.db.WithContext(ctx).Table("voided").Select("subject, max(before) as before").
		Where("at > clock_timestamp() - ? * interval '1 second'", 2*TokenLife.Seconds())
	if subjects != nil {
		q = q.Where("subject in ?", subjects)
	}
	return out, q.Group("subject").Scan(&out).Error
}

// lineVoided tells whether a line of sign-ins is known to be good no more.
func (s *Service) lineVoided(family string) bool {
	s.voids.mu.Lock()
	defer s.voids.mu.Unlock()
	_, is := s.voids.lines[ofLine(family)]
	return is
}
