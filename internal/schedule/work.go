package schedule

import (
	"context"
	"errors"
	"math/rand/v2"
	"sync"
	"time"

	"pikegate/internal/delivery"
	"pikegate/internal/store"
)

// kind is a kind of work that waits: occurrences by their sources, deliveries by their lanes.
type kind struct {
	name string
	// most at a time, of each place, and of one owner there.
	most, place, owner int
	waiting            func(ctx context.Context, now int64) ([]string, error)
	// take leases the next of a place and gives who owns it and how it is done.
	take func(ctx context.Context, place, after string, busy []string, l store.Lease) (owner string, do func(context.Context), err error)
}

func occurrences(k *Keeper) kind {
	return kind{"run", k.Limits.Workers, k.Limits.Source, k.Limits.Owner, k.Store.WaitingSources, func(ctx context.Context, place, after string, busy []string, l store.Lease) (string, func(context.Context), error) {
		o, err := k.Store.TakeOccurrence(ctx, place, after, busy, l)
		return o.Owner, func(ctx context.Context) { k.run(ctx, o) }, err
	}}
}

func deliveries(k *Keeper) kind {
	return kind{"deliver", k.Limits.Couriers, k.Limits.Lane, k.Limits.Owner, k.Store.WaitingLanes, func(ctx context.Context, place, after string, busy []string, l store.Lease) (string, func(context.Context), error) {
		d, err := k.Store.TakeDelivery(ctx, place, after, busy, l)
		return d.Owner, func(ctx context.Context) { k.deliver(ctx, d) }, err
	}}
}

// begin takes work of each place in turn, and of each owner there, while there is room: what
// waits in one place, or of one owner, holds up nobody else.
func (k *Keeper) begin(ctx context.Context, under *sync.WaitGroup, of kind) error {
	now := k.Now()
	places, err := of.waiting(ctx, now.Unix())
	if err != nil {
		return err
	}
	for len(places) > 0 && ctx.Err() == nil {
		var left []string
		for _, place := range places {
			after, busy, room := k.room(of, place)
			if !room {
				continue
			}
			owner, do, err := of.take(ctx, place, after, busy, store.Lease{Name: k.name, Now: now.Unix(), Until: now.Add(leased).Unix()})
			if errors.Is(err, store.ErrNotFound) {
				continue
			} else if err != nil {
				return err
			}
			left = append(left, place)
			done := k.occupy(of, place, owner)
			under.Go(func() {
				defer k.Wake()
				defer done()
				defer func() {
					if v := recover(); v != nil {
						k.Log.Error("work on a schedule panicked", "problem", v)
					}
				}()
				do(ctx)
			})
		}
		places = left
	}
	return nil
}

// room tells whether one more of a place can be begun, after whose turn, and who has as many
// under way as they may.
func (k *Keeper) room(of kind, place string) (after string, busy []string, ok bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	key, sum := of.name+" "+place, 0
	for owner, n := range k.busy[key] {
		sum += n
		if n >= of.owner {
			busy = append(busy, owner)
		}
	}
	return k.last[key], busy, k.count[of.name] < of.most && sum < of.place
}

// occupy counts one more; done counts it as ended.
func (k *Keeper) occupy(of kind, place, owner string) (done func()) {
	k.mu.Lock()
	defer k.mu.Unlock()
	key := of.name + " " + place
	if k.busy[key] == nil {
		k.busy[key] = map[string]int{}
	}
	k.busy[key][owner]++
	k.count[of.name]++
	k.last[key] = owner
	return func() {
		k.mu.Lock()
		defer k.mu.Unlock()
		k.count[of.name]--
		if k.busy[key][owner]--; k.busy[key][owner] == 0 {
			delete(k.busy[key], owner)
		}
	}
}

// mostBroken is how many attempts may be broken off by the end of a process: what brings the process
// down is not tried for ever.
const mostBroken = 50

// brokenOff says that something was broken off too often to be tried again.
func brokenOff(attempts, times int) error {
	if attempts <= times+1+mostBroken {
		return nil
	}
	return &Failed{Why: "It was begun too often without coming to an end."}
}

// run runs an occurrence and notes how that ended.
func (k *Keeper) run(ctx context.Context, o store.Occurrence) {
	k.At("taken")
	times, over := k.Work.Retries(ctx, o.Schedule, o.Version)
	err := brokenOff(o.Attempts, times)
	if err == nil {
		err = k.Work.Run(ctx, o)
	}
	if ctx.Err() != nil || errors.Is(err, store.ErrLeaseLost) {
		return // another goes on with it
	}
	k.At("ran")
	var stop *Stop
	var failed *Failed
	var notices []store.Notice
	if o.EndedAt = k.Now().Unix(); err != nil {
		o.Failures++
	}
	switch {
	case err == nil:
		o.State, o.Phase, o.Problem = store.OccurrenceRuns, store.PhaseDeliver, ""
	case errors.As(err, &stop), errors.As(err, &failed), o.Failures > times:
		o.State, o.Phase, o.Problem = store.Failed, store.PhaseEnded, err.Error()
		notices = k.notices(ctx, o.Schedule, o.Owner, o.ID, "It failed. "+err.Error(), false)
	default:
		o.State, o.Phase, o.Problem, o.EndedAt = store.Retrying, store.PhaseRun, err.Error(), 0
		o.TryAt = k.Now().Add(Wait(o.Failures, times, over, rand.Float64())).Unix()
	}
	if stop != nil && !k.edited(ctx, o) { // its own notice says why
		notices = nil
		if err := k.stop(ctx, o.Schedule, o.Owner, o.ID, stop); err != nil {
			k.Log.Error("a schedule could not be paused", "schedule", o.Schedule, "problem", err)
			return
		}
	}
	if err := k.Store.EndRun(ctx, o, notices...); err != nil && !errors.Is(err, store.ErrLeaseLost) {
		k.Log.Error("how a run of a schedule ended was not noted", "occurrence", o.ID, "problem", err)
	}
	k.At("run ended")
}

// edited tells whether a schedule has another version than an occurrence was due by: what that could
// not do, this one may.
func (k *Keeper) edited(ctx context.Context, o store.Occurrence) bool {
	s, err := k.Store.Schedule(ctx, o.Schedule)
	return err == nil && s.Version != o.Version
}

// deliver makes an attempt at a delivery and notes how that ended.
func (k *Keeper) deliver(ctx context.Context, d store.Delivery) {
	k.At("courier")
	o, err := k.Store.Occurrence(ctx, d.Occurrence)
	if err != nil {
		k.Log.Error("the occurrence of a delivery is not there", "delivery", d.ID, "problem", err)
		return
	}
	times, over := k.Work.Retries(ctx, o.Schedule, o.Version)
	told, err := "", brokenOff(d.Attempts, times)
	if err == nil {
		told, err = k.Work.Deliver(ctx, d)
	}
	if ctx.Err() != nil && err != nil {
		return // another goes on with it
	}
	k.At("delivered")
	ctx = context.WithoutCancel(ctx) // what went out is noted
	now := k.Now()
	if d.Told = told; err != nil {
		d.Failures++
	}
	var failure *delivery.Failure
	var notices []store.Notice
	var failed *Failed
	switch {
	case err == nil:
		d.State, d.Phase, d.Problem, d.DeliveredAt = store.Delivered, store.PhaseEnded, "", now.Unix()
	case errors.As(err, &failure) && failure.Final, errors.As(err, &failed), d.Failures > times:
		d.State, d.Phase, d.Problem = store.Failed, store.PhaseEnded, err.Error()
		notices = k.notices(ctx, o.Schedule, o.Owner, o.ID, "It did not reach "+d.Target+". "+err.Error(), false)
	default:
		d.State, d.Phase, d.Problem = store.Retrying, store.PhaseDeliver, err.Error()
		d.TryAt = now.Add(Wait(d.Failures, times, over, rand.Float64())).Unix()
	}
	if err := k.Store.EndDelivery(ctx, d, now.Unix(), notices...); err != nil && !errors.Is(err, store.ErrLeaseLost) {
		k.Log.Error("how a delivery ended was not noted", "delivery", d.ID, "problem", err)
	}
	k.At("delivery ended")
}

// jitter is by how much a pause varies, so that what failed together is not tried together.
const jitter = 0.2

// Wait is how long to wait after a failed attempt, from 1: each pause is twice as long as the one
// before, and all together last over. Chance is from 0 to 1.
func Wait(attempt, times int, over time.Duration, chance float64) time.Duration {
	if times < 1 {
		return over
	}
	shares := float64(uint64(1)<<min(times, 50)) - 1
	share := float64(uint64(1)<<min(attempt-1, 50)) / shares
	return max(time.Duration(float64(over)*share*(1+jitter*(2*chance-1))), time.Second)
}
