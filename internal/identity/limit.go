package identity

import (
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// tries slows down what fails, by account and by address.
type tries struct {
	mu    sync.Mutex
	every time.Duration // one more is let in
	burst int
	of    map[string]*tried
}

type tried struct {
	failures *rate.Limiter
	under    int // way
	last     time.Time
}

// mostTried is how many accounts or addresses are remembered; those that were
// tried longest ago go first.
const mostTried = 10_000

func newTries(every time.Duration, burst int) *tries {
	return &tries{every: every, burst: burst, of: map[string]*tried{}}
}

// begin lets an attempt in, or tells how long to wait; done is to be called with
// what became of it.
func (t *tries) begin(key string, now time.Time) (done func(failed bool), wait time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	entry := t.of[key]
	if entry == nil {
		t.forget(now)
		entry = &tried{failures: rate.NewLimiter(rate.Every(t.every), t.burst)}
		t.of[key] = entry
	}
	entry.last = now
	if entry.failures.TokensAt(now)-float64(entry.under) < 1 {
		return nil, t.every
	}
	entry.under++
	return func(failed bool) {
		t.mu.Lock()
		defer t.mu.Unlock()
		entry.under--
		if failed {
			entry.failures.AllowN(now, 1)
		}
	}, 0
}

// forget makes room.
func (t *tries) forget(now time.Time) {
	if len(t.of) < mostTried {
		return
	}
	whole := t.every * time.Duration(t.burst) // after which nothing is held against it
	oldest, at := "", now
	for key, entry := range t.of {
		if now.Sub(entry.last) > whole && entry.under == 0 {
			delete(t.of, key)
		} else if entry.last.Before(at) && entry.under == 0 {
			oldest, at = key, entry.last
		}
	}
	if len(t.of) >= mostTried {
		delete(t.of, oldest)
	}
}
