package account

import (
	"sync"
	"time"

	"golang.org/x/time/rate"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// The limits of failed sign-ins. An account takes accountTries in a row and then
// one each accountWait; an address addressTries and then one each addressWait.
const (
	accountTries = 5
	accountWait  = time.Minute
	addressTries = 20
	addressWait  = 3 * time.Second
)

// tries counts failed sign-ins by account and by address.
type tries struct {
	mu    sync.Mutex
	by    map[string]*rate.Limiter // guarded by mu
	seen  map[string]time.Time     // guarded by mu
	swept time.Time                // guarded by mu
}

func newTries() *tries {
	return &tries{by: map[string]*rate.Limiter{}, seen: map[string]time.Time{}, swept: time.Now()}
}

func (t *tries) limiterLocked(key string, every time.Duration, burst int) *rate.Limiter {
	now := time.Now()
	if now.Sub(t.swept) > time.Minute {
		t.swept = now
		for k, at := range t.seen {
			if now.Sub(at) > 10*time.Minute {
				delete(t.by, k)
				delete(t.seen, k)
			}
		}
	}
	t.seen[key] = now
	if t.by[key] == nil {
		t.by[key] = rate.NewLimiter(rate.Every(every), burst)
	}
	return t.by[key]
}

// allow tells whether another try may be made; only failed ones are counted.
func (t *tries) allow(account, address string) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	wait := time.Duration(0)
	if account != "" && t.limiterLocked("account "+account, accountWait, accountTries).Tokens() < 1 {
		wait = accountWait
	}
	if t.limiterLocked("address "+address, addressWait, addressTries).Tokens() < 1 {
		wait = max(wait, addressWait)
	}
	if wait == 0 {
		return nil
	}
	f := fault.New(code.TooMany, "too many failed tries; wait %s", wait)
	f.Left = int(wait.Seconds())
	return f
}

func (t *tries) failed(account, address string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if account != "" {
		t.limiterLocked("account "+account, accountWait, accountTries).Allow()
	}
	t.limiterLocked("address "+address, addressWait, addressTries).Allow()
}

func (t *tries) worked(account string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.by, "account "+account)
}
