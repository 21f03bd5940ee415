// Package schedule has what is due happen: exactly one run for each time, and its deliveries
// tried until they end. What is to be done is in the store alone, and leased from it: a process
// that is gone loses what it had, and another goes on where it was.
package schedule

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"pikegate/internal/store"
)

// Work is what is done for schedules; the service does it. An error says that it failed this
// time.
type Work interface {
	// Due plans a schedule that is due: what it is due for by now, and when after that.
	Due(ctx context.Context, k store.Schedule, now int64) (store.Planned, error)
	// Run finds the parts of an occurrence, runs those that were not, and spools what they made.
	Run(ctx context.Context, o store.Occurrence) error
	// Deliver makes an attempt at a delivery, and gives what was answered.
	Deliver(ctx context.Context, d store.Delivery) (told string, err error)
	// Retries is how often what failed of a schedule is tried again, and over how long.
	Retries(ctx context.Context, schedule string, version int) (times int, over time.Duration)
	// Tidy removes what is kept no longer.
	Tidy(ctx context.Context) error
	// Told lists who is told of what happens to a schedule: its owner, and with managers those who
	// manage its folder as well.
	Told(ctx context.Context, schedule, owner string, managers bool) []string
}

// Stop says that a schedule cannot go on as it is: the occurrence failed, and the schedule is
// paused.
type Stop struct {
	Why string
	// Managers has those who manage its folder told as well.
	Managers bool
}

func (s *Stop) Error() string { return s.Why }

// Failed says that another attempt would end in the same way.
type Failed struct{ Why string }

func (f *Failed) Error() string { return f.Why }

// Limits bound what happens at a time.
type Limits struct {
	// Workers run occurrences, Couriers deliver.
	Workers, Couriers int
	// Source bounds the occurrences of one source, Lane the deliveries of one lane, Owner those of
	// one owner within either.
	Source, Lane, Owner int
}

// UsualLimits are those where nothing else is said.
var UsualLimits = Limits{Workers: 6, Couriers: 8, Source: 3, Lane: 3, Owner: 2}

const (
	// leased is how long something is leased for; a lease is renewed while it is worked on.
	leased   = 2 * time.Minute
	renewing = 30 * time.Second
	// glance is how often it is looked whether something is due, whatever was said.
	glance = 30 * time.Second
	// jump is by how much a clock may differ from the time that has passed.
	jump = 24 * time.Hour
	// atATime is how many schedules are planned in one transaction.
	atATime = 2000
)

// Keeper has what is due happen.
type Keeper struct {
	Store *store.Store
	Work  Work
	// Now is the clock; Elapsed is how much time has passed by a clock that nobody sets.
	Now     func() time.Time
	Elapsed func() time.Duration
	Limits  Limits
	Log     *slog.Logger
	// Point is called between the steps of what is done; nil in the product.
	Point func(step string)

	name  string // of its leases
	awake chan struct{}

	mu    sync.Mutex // guards the rest
	busy  map[string]map[string]int
	last  map[string]string // owner served last, by source or lane
	count map[string]int    // of what is under way, by table

	clock   time.Time
	elapsed time.Duration
}

// New makes a keeper. Elapsed may be nil.
func New(kept *store.Store, work Work, now func() time.Time, elapsed func() time.Duration, log *slog.Logger) *Keeper {
	if elapsed == nil {
		start := time.Now()
		elapsed = func() time.Duration { return time.Since(start) }
	}
	return &Keeper{
		Store: kept, Work: work, Now: now, Elapsed: elapsed, Limits: UsualLimits, Log: log,
		name: rand.Text(), awake: make(chan struct{}, 1), busy: map[string]map[string]int{}, last: map[string]string{}, count: map[string]int{},
	}
}

// Wake has it look at once whether something is due.
func (k *Keeper) Wake() {
	select {
	case k.awake <- struct{}{}:
	default:
	}
}

// Begin ends the leases of other processes: whoever opened the data folder is alone in it, and they
// are gone.
func (k *Keeper) Begin(ctx context.Context) error { return k.Store.Orphans(ctx) }

// Run has what is due happen until the context ends, and waits for what is under way.
func (k *Keeper) Run(ctx context.Context) {
	if err := k.Begin(ctx); err != nil {
		k.Log.Error("leases of another process could not be ended", "problem", err)
	}
	var under sync.WaitGroup
	defer under.Wait()
	under.Go(func() { k.renew(ctx) })
	under.Go(func() { k.tidy(ctx) })
	for ctx.Err() == nil {
		if err := k.pass(ctx, &under); err != nil && ctx.Err() == nil {
			k.Log.Error("schedules could not be looked at", "problem", err)
		}
		select {
		case <-ctx.Done():
		case <-k.awake:
		case <-time.After(k.pause(ctx)):
		}
	}
}

// pause is how long there is nothing to do.
func (k *Keeper) pause(ctx context.Context) time.Duration {
	now := k.Now()
	at, err := k.Store.Wakes(ctx, now.Unix())
	if err != nil || at == 0 {
		return glance
	}
	return min(max(time.Unix(at, 0).Sub(now), time.Millisecond), glance)
}

// Pass does everything that is due now, and returns when it has ended.
func (k *Keeper) Pass(ctx context.Context) error {
	for {
		var under sync.WaitGroup
		err := k.pass(ctx, &under)
		under.Wait()
		select {
		case <-k.awake: // what ended made room, or something new
		default:
			return err
		}
		if err != nil || ctx.Err() != nil {
			return err
		}
	}
}

// pass plans what is due, and begins as much of it as there is room for.
func (k *Keeper) pass(ctx context.Context, under *sync.WaitGroup) error {
	if jumped, err := k.watch(ctx); jumped || err != nil {
		return err
	}
	if err := k.plan(ctx); err != nil {
		return err
	}
	if err := k.begin(ctx, under, occurrences(k)); err != nil {
		return err
	}
	return k.begin(ctx, under, deliveries(k))
}

// watch looks whether the clock was set by more than a day: then all schedules are paused, and
// the administrators told.
func (k *Keeper) watch(ctx context.Context) (jumped bool, err error) {
	k.mu.Lock()
	now, elapsed := k.Now().Round(0), k.Elapsed()
	before, passed := k.clock, elapsed-k.elapsed
	k.clock, k.elapsed = now, elapsed
	k.mu.Unlock()
	if before.IsZero() {
		before, passed = k.seen(ctx), 0
		if before.IsZero() || !now.Before(before.Add(-jump)) { // forward: the service may have been down
			return false, k.see(ctx, now)
		}
	}
	off := now.Sub(before) - passed
	if off.Abs() <= jump {
		return false, k.see(ctx, now)
	}
	days := max(int(off.Abs()/(24*time.Hour)), 1)
	direction := "forward"
	if off < 0 {
		direction = "back"
	}
	why := fmt.Sprintf("The clock of the machine was set %s by more than %d days.", direction, days)
	if days == 1 {
		why = fmt.Sprintf("The clock of the machine was set %s by more than a day.", direction)
	}
	k.Log.Error("all schedules are paused", "why", why)
	all, err := k.Store.Schedules(ctx, nil)
	if err != nil {
		return true, err
	}
	for _, s := range all {
		if s.Paused == "" {
			if err := k.Store.Pause(ctx, s.Name, why, "", now.Unix(), store.Entry{What: "schedule.paused", To: s.Name}.With(nil, why)); err != nil {
				return true, err
			}
		}
	}
	err = k.Store.AddNotices(ctx, store.Notice{User: "*", At: now.Unix(), Words: why + " All schedules are paused; resume them when it is right."})
	return true, errors.Join(err, k.see(ctx, now))
}

const clockSetting = "schedules-clock"

// seen is when this was last run.
func (k *Keeper) seen(ctx context.Context) time.Time {
	value, err := k.Store.Setting(ctx, clockSetting)
	var t time.Time
	if err == nil && value != nil && t.UnmarshalText(value) != nil {
		return time.Time{}
	}
	return t
}

// see notes when this is run, now and then.
func (k *Keeper) see(ctx context.Context, now time.Time) error {
	if now.Sub(k.seen(ctx)).Abs() < time.Hour {
		return nil
	}
	text, err := now.UTC().Truncate(time.Second).MarshalText()
	if err != nil {
		return err
	}
	return k.Store.KeepSetting(ctx, clockSetting, text)
}

// plan notes what schedules are due for.
func (k *Keeper) plan(ctx context.Context) error {
	for ctx.Err() == nil {
		now := k.Now().Unix()
		due, err := k.Store.DueSchedules(ctx, now, atATime)
		if err != nil || len(due) == 0 {
			return err
		}
		planned := make([]store.Planned, 0, len(due))
		for _, s := range due {
			p, err := k.Work.Due(ctx, s, now)
			var stop *Stop
			switch {
			case errors.As(err, &stop):
				err = k.stop(ctx, s.Name, s.Owner, 0, stop)
			case err == nil:
				planned = append(planned, p)
			}
			if err != nil {
				return err
			}
		}
		k.At("plan")
		if err := k.Store.Plan(ctx, planned); err != nil {
			return err
		}
		k.At("planned")
	}
	return nil
}

// renew lengthens the leases of what is under way.
func (k *Keeper) renew(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(renewing):
		}
		if err := k.Store.Renew(ctx, k.name, k.Now().Add(leased).Unix()); err != nil && ctx.Err() == nil {
			k.Log.Error("leases could not be renewed", "problem", err)
		}
	}
}

// tidying is how often what is kept no longer is removed.
const tidying = time.Hour

func (k *Keeper) tidy(ctx context.Context) {
	for {
		if err := k.Work.Tidy(ctx); err != nil && ctx.Err() == nil {
			k.Log.Error("what schedules leave behind could not be tidied", "problem", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(tidying):
		}
	}
}

// stop pauses a schedule and tells of it.
func (k *Keeper) stop(ctx context.Context, name, owner string, occurrence uint, s *Stop) error {
	now := k.Now().Unix()
	entry := store.Entry{What: "schedule.paused", To: name}.With(nil, s.Why)
	return k.Store.Pause(ctx, name, s.Why, "", now, entry, k.notices(ctx, name, owner, occurrence, "It is paused. "+s.Why, s.Managers)...)
}

// notices tell those whom it concerns.
func (k *Keeper) notices(ctx context.Context, name, owner string, occurrence uint, words string, managers bool) (list []store.Notice) {
	for _, user := range k.Work.Told(ctx, name, owner, managers) {
		list = append(list, store.Notice{User: user, At: k.Now().Unix(), Schedule: name, Occurrence: occurrence, Words: words})
	}
	return list
}

// At tells that a step was reached.
func (k *Keeper) At(step string) {
	if k != nil && k.Point != nil {
		k.Point(step)
	}
}

// Tidy removes what is kept no longer.
func (k *Keeper) Tidy(ctx context.Context) error { return k.Work.Tidy(ctx) }
