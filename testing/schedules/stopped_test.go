package schedules

import (
	"context"
	"flag"
	"math/rand/v2"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var (
	stopsWanted = flag.Int("stops", 80, "how often the service is stopped over a day")
	killsWanted = flag.Int("kills", 12, "how often it is killed")
	seed        = flag.Uint64("seed", 11, "of when that is")
)

// clock is moved by hand.
type clock struct{ at atomic.Int64 }

func (c *clock) now() time.Time    { return time.Unix(c.at.Load(), 0).UTC() }
func (c *clock) set(at time.Time)  { c.at.Store(at.Unix()) }
func newClock(at time.Time) *clock { c := &clock{}; c.set(at); return c }

// live has time pass dayEnds everything has ended: the clock goes on to when there is something to
// do. It returns when the service was stopped before.
func live(ctx context.Context, r *running, c *clock, end time.Time, crashed func() bool) error {
	for {
		if err := r.Keeper().Pass(ctx); err != nil || crashed() {
			return err
		}
		at, err := r.store.Wakes(ctx, c.now().Unix())
		if err != nil || at == 0 || at > end.Unix() {
			return err
		}
		c.set(time.Unix(at, 0))
	}
}

// TestStopped has 200 schedules live through a day and stops the service at many steps (-stops) of what it
// does: nothing is lost, nothing is run twice to its end, and what arrives twice has the same
// identity.
func TestStopped(t *testing.T) {
	t.Parallel()
	const schedules = 200
	stops := *stopsWanted
	w, all, c, r := begun(t, schedules)

	chance := rand.New(rand.NewPCG(7, *seed))
	happened := map[string]int{}
	stopped := 0
	for {
		// So many steps on it stops; what is under way meets a store that is closed.
		var left atomic.Int64
		var where atomic.Pointer[string]
		left.Store(int64(chance.IntN(max(12_000/max(stops, 1), 6))) + 1)
		if stopped >= stops {
			left.Store(1 << 40)
		}
		ctx, end := context.WithCancel(t.Context())
		r.Keeper().Point = func(step string) {
			if left.Add(-1) == 0 {
				where.Store(&step)
				end()
				_ = r.store.Close()
			}
		}
		err := live(ctx, r, c, settled(dayEnds), func() bool { return where.Load() != nil })
		end()
		step := where.Load()
		if step == nil {
			require.NoError(t, err)
			break
		}
		happened[*step]++
		stopped++
		r.stop()
		if stopped%3 == 0 {
			c.set(c.now().Add(time.Minute)) // it takes a while to be started again
		}
		r, err = start(w.place(), c.now)
		require.NoError(t, err)
		if stopped%5 != 0 { // else the leases run out
			require.NoError(t, r.Keeper().Begin(t.Context()))
		}
	}
	defer r.stop()
	assert.Equal(t, stops, stopped)
	assert.Greater(t, len(happened), 8, "it was stopped at steps of every kind: %v", happened)
	t.Logf("stopped at %v", happened)
	accounted(t, w, r.store, all, dayEnds, stopped)
}
