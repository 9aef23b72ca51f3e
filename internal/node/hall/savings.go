package hall

import "sync"

// savings knows whose records are being saved, so that a record is not read
// before the last save of it is done.
type savings struct {
	mu      sync.Mutex
	pending map[string]*saving // guarded by mu; by account
}

type saving struct {
	count int
	idle  chan struct{}
}

func (s *savings) begin(account string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	p := s.pending[account]
	if p == nil {
		p = &saving{idle: make(chan struct{})}
		s.pending[account] = p
	}
	p.count++
}

func (s *savings) done(account string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if p := s.pending[account]; p != nil {
		if p.count--; p.count == 0 {
			close(p.idle)
			delete(s.pending, account)
		}
	}
}

// wait returns when nothing of the account is being saved.
func (s *savings) wait(account string) {
	s.mu.Lock()
	p := s.pending[account]
	s.mu.Unlock()
	if p != nil {
		<-p.idle
	}
}
