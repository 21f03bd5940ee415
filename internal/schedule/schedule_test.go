package schedule_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/recurrence"
	"pikegate/internal/delivery"
	"pikegate/internal/schedule"
	"pikegate/internal/store"
)

func at(text string) int64 {
	t, err := time.Parse("2006-01-02 15:04", text)
	if err != nil {
		panic(err)
	}
	return t.Unix()
}

func calendar(t testing.TB) civil.Calendar {
	t.Helper()
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	return civil.Calendar{Zone: zone, WeekStart: time.Monday}
}

func rule(t testing.TB, text string) recurrence.Rule {
	t.Helper()
	r, problems := recurrence.Parse(text)
	require.Empty(t, problems)
	return r
}

// TestTimes: what passed while nobody looked, and when it is due next.
func TestTimes(t *testing.T) {
	for _, c := range []struct {
		rule, from, through string
		count               int
		last, next          string
	}{
		{"every day at 07:00", "2026-03-02 07:00", "2026-03-02 07:00", 1, "2026-03-02 07:00", "2026-03-03 07:00"},
		{"every day at 07:00", "2026-03-02 07:00", "2026-03-05 06:59", 3, "2026-03-04 07:00", "2026-03-05 07:00"},
		{"every day at 07:00", "2026-03-02 07:00", "2026-03-30 12:00", 29, "2026-03-30 06:00", "2026-03-31 06:00"}, // summer time from the 29th on
		{"every day at 07:00", "2020-01-01 07:00", "2026-03-02 07:00", 100, "2026-03-02 07:00", "2026-03-03 07:00"},
		{"every 5 minutes between 00:00 and 23:55 on monday", "2020-01-06 00:00", "2026-03-03 07:00", 100, "2026-03-02 23:55", "2026-03-09 00:00"},
		{"every year on 04-06 at 06:00", "2020-04-06 05:00", "2026-03-02 07:00", 6, "2025-04-06 05:00", "2026-04-06 05:00"},
		{"every day at 07:00 until 2026-03-03", "2026-03-02 07:00", "2026-03-09 12:00", 2, "2026-03-03 07:00", ""},
		{"every day at 07:00 until 2026-03-03", "2026-03-04 07:00", "2026-03-09 12:00", 0, "", ""},
	} {
		passed, next := schedule.Times(rule(t, c.rule), at(c.from), at(c.through), calendar(t))
		require.Len(t, passed, c.count, c.rule)
		if c.count > 0 {
			assert.Equal(t, at(c.last), passed[len(passed)-1], c.rule)
		}
		want := int64(0)
		if c.next != "" {
			want = at(c.next)
		}
		assert.Equal(t, want, next, c.rule)
		assert.True(t, slices.IsSorted(passed))
	}
}

// TestSplit: what is done about times that passed.
func TestSplit(t *testing.T) {
	now := at("2026-03-02 12:00")
	hours := func(list ...int) (out []int64) {
		for _, h := range list {
			out = append(out, now-int64(h)*3600)
		}
		return out
	}
	for name, c := range map[string]struct {
		passed    []int64
		missed    string
		run, gone []int64
	}{
		"nothing":            {nil, "", nil, nil},
		"on time":            {hours(0), "skip", hours(0), nil},
		"once":               {hours(3, 2, 1), "", hours(1), hours(3, 2)},
		"once, the last now": {hours(2, 1, 0), "once", hours(0), hours(2, 1)},
		"each":               {hours(3, 2, 1), "each", hours(3, 2, 1), nil},
		"skip":               {hours(3, 2, 1), "skip", nil, hours(3, 2, 1)},
		"skip, the last now": {hours(2, 0), "skip", hours(0), hours(2)},
	} {
		run, gone := schedule.Split(c.passed, now, c.missed)
		assert.ElementsMatch(t, c.run, run, name)
		assert.ElementsMatch(t, c.gone, gone, name)
	}
}

// TestWait: pauses grow, and together they last as long as is said.
func TestWait(t *testing.T) {
	sum := time.Duration(0)
	before := time.Duration(0)
	for attempt := 1; attempt <= 5; attempt++ {
		w := schedule.Wait(attempt, 5, 2*time.Hour, 0.5)
		assert.Greater(t, w, before)
		before, sum = w, sum+w
		assert.InDelta(t, 0.8*float64(w), float64(schedule.Wait(attempt, 5, 2*time.Hour, 0)), float64(time.Second))
		assert.InDelta(t, 1.2*float64(w), float64(schedule.Wait(attempt, 5, 2*time.Hour, 1)), float64(time.Second))
	}
	assert.InDelta(t, float64(2*time.Hour), float64(sum), float64(time.Second))
	assert.GreaterOrEqual(t, schedule.Wait(1, 50, time.Minute, 0), time.Second)
	assert.Positive(t, schedule.Wait(60, 60, time.Hour, 0.5))
}

// TestOutcome: what becomes of an occurrence, by its deliveries.
func TestOutcome(t *testing.T) {
	for want, by := range map[string]map[string]int{
		store.Delivered: {store.Delivered: 2, store.NothingToSend: 1}, store.Failed: {store.Failed: 1, store.NothingToSend: 4}, store.PartlyDelivered: {store.Delivered: 1, store.Failed: 1},
		store.NothingToSend: {store.NothingToSend: 3}, store.Cancelled: {store.Cancelled: 1, store.NothingToSend: 1},
	} {
		assert.Equal(t, want, store.Outcome(by, 0), want)
	}
	assert.Equal(t, store.Retrying, store.Outcome(map[string]int{store.Retrying: 1, store.Delivered: 3}, 1))
	assert.Equal(t, store.OccurrenceRuns, store.Outcome(map[string]int{store.Ready: 1, store.Failed: 3}, 1))
}

// work stands in for the service.
type work struct {
	mu      sync.Mutex // guards the rest
	order   []string   // owners, as their occurrences were begun
	under   map[string]int
	most    map[string]int
	fail    func(o store.Occurrence) error
	deliver func(d store.Delivery) error
	kept    *store.Store
	parts   int
	routine int
	heap    []uint64 // bytes that were held, now and then
}

func (w *work) Due(_ context.Context, k store.Schedule, now int64) (store.Planned, error) {
	return store.Planned{Schedule: k, Next: now + 86400, Occurrences: []store.Occurrence{{
		Schedule: k.Name, Due: k.Next, Version: k.Version, Owner: k.Owner, Source: k.Source, State: store.Due, Phase: store.PhaseRun, TryAt: k.Next,
	}}}, nil
}

func (w *work) count(by int, keys ...string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, key := range keys {
		w.under[key] += by
		w.most[key] = max(w.most[key], w.under[key])
	}
	w.routine = max(w.routine, runtime.NumGoroutine())
}

func (w *work) Run(ctx context.Context, o store.Occurrence) error {
	w.count(1, "all", o.Source, o.Source+" "+o.Owner)
	defer w.count(-1, "all", o.Source, o.Source+" "+o.Owner)
	w.mu.Lock()
	if w.order = append(w.order, o.Owner); len(w.order)%1000 == 0 {
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		w.heap = append(w.heap, m.HeapAlloc)
	}
	w.mu.Unlock()
	if w.fail != nil {
		if err := w.fail(o); err != nil {
			return err
		}
	}
	if w.parts == 0 {
		return nil
	}
	return w.kept.NoteParts(ctx, o, []store.Part{{Occurrence: o.ID, Number: 1, State: "ran"}}, []store.Delivery{{
		ID: fmt.Sprintf("pg-%d", o.ID), Occurrence: o.ID, Part: 1, Owner: o.Owner, Way: "mail", Target: "a@b.example", Lane: "mail", State: store.Ready, Phase: store.PhaseDeliver,
	}})
}

func (w *work) Deliver(_ context.Context, d store.Delivery) (string, error) {
	if w.deliver == nil {
		return "", nil
	}
	return "", w.deliver(d)
}

func (*work) Retries(context.Context, string, int) (int, time.Duration) { return 3, time.Hour }
func (*work) Tidy(context.Context) error                                { return nil }
func (*work) Told(_ context.Context, _, owner string, managers bool) []string {
	if managers {
		return []string{owner, "manager"}
	}
	return []string{owner}
}

// bench is a keeper on a store of its own, at a time that is moved by hand.
type bench struct {
	*schedule.Keeper
	*work
	kept *store.Store
	now  time.Time
	gone time.Duration
}

func newBench(t testing.TB) *bench {
	t.Helper()
	kept, err := store.Open(filepath.Join(t.TempDir(), "pikegate.db"), []byte("key"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, kept.Close()) })
	b := &bench{kept: kept, work: &work{under: map[string]int{}, most: map[string]int{}, kept: kept}, now: time.Unix(at("2026-03-02 07:00"), 0)}
	b.Keeper = schedule.New(kept, b.work, func() time.Time { return b.now }, func() time.Duration { return b.gone }, slog.New(slog.DiscardHandler))
	return b
}

// pass has time pass.
func (b *bench) pass(t testing.TB, by time.Duration) {
	t.Helper()
	b.now, b.gone = b.now.Add(by), b.gone+by
	require.NoError(t, b.Pass(t.Context()))
}

// crowd is many schedules that are due at the same minute: most of them of one owner.
func crowd(t testing.TB, b *bench, n int) {
	t.Helper()
	for i := range n {
		owner := "busy"
		if i%10 == 0 {
			owner = fmt.Sprintf("owner-%02d", i/10%50)
		}
		require.NoError(t, b.kept.SaveSchedule(t.Context(), store.Schedule{Name: fmt.Sprintf("s-%05d", i), Owner: owner, Source: fmt.Sprintf("source-%d", i%4), Version: 1, Next: b.now.Unix() + 60}))
	}
}

// TestCrowd: many are due at the same minute. No source and no owner has more under way than they
// may, nobody waits for one owner to end, and no more is held than is under way.
func TestCrowd(t *testing.T) {
	const n = 3000
	b := newBench(t)
	crowd(t, b, n)
	before := runtime.NumGoroutine()
	b.pass(t, time.Minute)
	require.Len(t, b.order, n, "all were run")
	assert.LessOrEqual(t, b.most["all"], b.Limits.Workers)
	for key, most := range b.most {
		if key == "all" {
			continue
		}
		limit := b.Limits.Source
		if len(key) > len("source-0") {
			limit = b.Limits.Owner
		}
		assert.LessOrEqual(t, most, limit, key)
	}
	assert.Less(t, b.routine-before, 100, "what waits is in the store")
	assert.Less(t, slices.Max(b.heap)-slices.Min(b.heap), uint64(16<<20), "bytes, however many wait")
	// Each of the others is served as often as the one with most, until they have no more.
	last := map[string]int{}
	for i, owner := range b.order {
		last[owner] = i
	}
	for owner, i := range last {
		if owner != "busy" {
			assert.Less(t, i, n/2, "%s waited for the one who has most", owner)
		}
	}
}

// TestFailing: what fails is tried again after pauses, in the end failed, and told to the owner;
// what cannot go on pauses its schedule.
func TestFailing(t *testing.T) {
	b := newBench(t)
	save := func(name string) {
		require.NoError(t, b.kept.SaveSchedule(t.Context(), store.Schedule{Name: name, Owner: "ada", Source: "s", Version: 1, Next: b.now.Unix() + 60}))
	}
	for _, name := range []string{"flaky", "down", "stopped", "wrong", "edited"} {
		save(name)
	}
	tries := map[string]int{}
	b.fail = func(o store.Occurrence) error {
		tries[o.Schedule]++
		switch {
		case o.Schedule == "flaky" && tries["flaky"] < 3, o.Schedule == "down":
			return errors.New("the source is down")
		case o.Schedule == "stopped", o.Schedule == "edited":
			return &schedule.Stop{Why: "The answers do not fit.", Managers: true}
		case o.Schedule == "wrong":
			return &schedule.Failed{Why: "Two parts of one name."}
		}
		return nil
	}
	b.Limits.Owner, b.Limits.Source = 1, 1 // tries is used by one at a time
	workers := b.Limits.Workers
	b.Limits.Workers = 0
	b.pass(t, time.Minute) // planned, not run
	edited, err := b.kept.Schedule(t.Context(), "edited")
	require.NoError(t, err)
	edited.Version = 2
	require.NoError(t, b.kept.SaveSchedule(t.Context(), edited))
	b.Limits.Workers = workers
	b.pass(t, 0)
	state := func(name string) store.Occurrence {
		list, err := b.kept.Occurrences(t.Context(), name, 0, 10)
		require.NoError(t, err)
		require.Len(t, list, 1)
		return list[0]
	}
	assert.Equal(t, store.Retrying, state("flaky").State)
	assert.Equal(t, "the source is down", state("flaky").Problem)
	b.pass(t, time.Second)
	assert.Equal(t, 1, tries["flaky"], "not before its time")
	for range 30 {
		b.pass(t, 5*time.Minute)
	}
	assert.Equal(t, 3, tries["flaky"])
	assert.Equal(t, store.NothingToSend, state("flaky").State)
	assert.Equal(t, 4, tries["down"], "once, and three times again")
	assert.Equal(t, store.Failed, state("down").State)
	assert.Equal(t, 1, tries["stopped"])
	assert.Equal(t, store.Failed, state("stopped").State)
	assert.Equal(t, 1, tries["wrong"])
	k, err := b.kept.Schedule(t.Context(), "stopped")
	require.NoError(t, err)
	assert.Equal(t, "The answers do not fit.", k.Paused)
	for name, why := range map[string]string{"down": "a source that is down pauses nothing", "edited": "the version that could not go on is not the newest"} {
		k, err = b.kept.Schedule(t.Context(), name)
		require.NoError(t, err)
		assert.Empty(t, k.Paused, why)
	}
	told := map[string]int{}
	for _, user := range []string{"ada", "manager"} {
		list, err := b.kept.Notices(t.Context(), user, false, 100)
		require.NoError(t, err)
		for _, n := range list {
			told[user+" "+n.Schedule]++
		}
	}
	assert.Equal(t, map[string]int{"ada down": 1, "ada wrong": 1, "ada edited": 1, "ada stopped": 1, "manager stopped": 1}, told)
}

// TestDeliveries: each delivery is tried by itself, and ends by itself.
func TestDeliveries(t *testing.T) {
	b := newBench(t)
	b.parts = 1
	for i := range 3 {
		require.NoError(t, b.kept.SaveSchedule(t.Context(), store.Schedule{Name: fmt.Sprintf("s-%d", i), Owner: "ada", Source: "s", Version: 1, Next: b.now.Unix() + 60}))
	}
	var mu sync.Mutex
	tries := map[string]int{}
	b.deliver = func(d store.Delivery) error {
		mu.Lock()
		defer mu.Unlock()
		tries[d.ID]++
		switch {
		case d.ID == "pg-1" && tries[d.ID] < 2:
			return &delivery.Failure{Message: "Come back later."}
		case d.ID == "pg-2":
			return &delivery.Failure{Message: "There is no such recipient.", Final: true}
		}
		return nil
	}
	b.pass(t, time.Minute)
	for range 20 {
		b.pass(t, 5*time.Minute)
	}
	var states []string
	for id := uint(1); id <= 3; id++ {
		o, err := b.kept.Occurrence(t.Context(), id)
		require.NoError(t, err)
		states = append(states, o.State)
	}
	assert.Equal(t, []string{store.Delivered, store.Failed, store.Delivered}, states)
	assert.Equal(t, map[string]int{"pg-1": 2, "pg-2": 1, "pg-3": 1}, tries)
}

// TestBroken: what is broken off again and again, as if it brought the process down, ends as failed.
func TestBroken(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.kept.SaveSchedule(t.Context(), store.Schedule{Name: "s", Owner: "ada", Source: "s", Version: 1, Next: b.now.Unix() + 60}))
	b.Limits.Workers = 0
	b.pass(t, time.Minute)
	for i := range 60 {
		_, err := b.kept.TakeOccurrence(t.Context(), "s", "", nil, store.Lease{Name: "gone", Now: b.now.Unix() + int64(i), Until: b.now.Unix() + int64(i)})
		require.NoError(t, err)
	}
	b.Limits.Workers = 1
	b.pass(t, 2*time.Minute)
	o, err := b.kept.Occurrence(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, store.Failed, o.State)
	assert.Contains(t, o.Problem, "begun too often")
	assert.Empty(t, b.order, "it is not run once more")
}

// TestClock: a clock that is set by more than a day pauses all schedules; one that is set by less,
// and a service that was down for days, do not.
func TestClock(t *testing.T) {
	paused := func(b *bench) bool {
		k, err := b.kept.Schedule(t.Context(), "s")
		require.NoError(t, err)
		return k.Paused != ""
	}
	for name, c := range map[string]struct {
		set  time.Duration
		want bool
	}{"forward by days": {80 * time.Hour, true}, "back by days": {-80 * time.Hour, true}, "by hours": {20 * time.Hour, false}, "back by hours": {-20 * time.Hour, false}} {
		b := newBench(t)
		require.NoError(t, b.kept.SaveSchedule(t.Context(), store.Schedule{Name: "s", Owner: "ada", Source: "s", Version: 1, Next: b.now.Unix() + 60}))
		b.pass(t, time.Second)
		b.now = b.now.Add(c.set)
		b.pass(t, time.Second)
		assert.Equal(t, c.want, paused(b), name)
		list, err := b.kept.Notices(t.Context(), "root", true, 10)
		require.NoError(t, err)
		assert.Equal(t, c.want, len(list) == 1, name)
		assert.Len(t, b.order, map[bool]int{true: 1, false: 0}[!c.want && c.set > 0], "%s: nothing is run by a clock that is not right", name)
	}
	b := newBench(t)
	require.NoError(t, b.kept.SaveSchedule(t.Context(), store.Schedule{Name: "s", Owner: "ada", Source: "s", Version: 1, Next: b.now.Unix() + 60}))
	b.pass(t, time.Second)
	again := schedule.New(b.kept, b.work, func() time.Time { return b.now.Add(80 * time.Hour) }, func() time.Duration { return 0 }, slog.New(slog.DiscardHandler))
	require.NoError(t, again.Pass(t.Context()))
	assert.False(t, paused(b), "it was down for days")
	back := schedule.New(b.kept, b.work, func() time.Time { return b.now.Add(-80 * time.Hour) }, func() time.Duration { return 0 }, slog.New(slog.DiscardHandler))
	require.NoError(t, back.Pass(t.Context()))
	assert.True(t, paused(b), "time has gone back since it was last run")
}

// TestLease: what another took over is not noted twice.
func TestLease(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.kept.SaveSchedule(t.Context(), store.Schedule{Name: "s", Owner: "ada", Source: "s", Version: 1, Next: b.now.Unix() + 60}))
	b.pass(t, 0)
	require.NoError(t, b.kept.Plan(t.Context(), []store.Planned{{Schedule: store.Schedule{Name: "s", Version: 1, Next: b.now.Unix() + 60}, Next: 0, Occurrences: []store.Occurrence{{Schedule: "s", Due: 1, Owner: "ada", Source: "s", State: store.Due, Phase: store.PhaseRun}}}}))
	now := b.now.Unix()
	first, err := b.kept.TakeOccurrence(t.Context(), "s", "", nil, store.Lease{Name: "one", Now: now, Until: now + 60})
	require.NoError(t, err)
	_, err = b.kept.TakeOccurrence(t.Context(), "s", "", nil, store.Lease{Name: "two", Now: now + 59, Until: now + 120})
	require.ErrorIs(t, err, store.ErrNotFound, "it is leased")
	second, err := b.kept.TakeOccurrence(t.Context(), "s", "", nil, store.Lease{Name: "two", Now: now + 60, Until: now + 120})
	require.NoError(t, err, "the lease has ended")
	assert.Equal(t, 2, second.Attempts)
	parts := []store.Part{{Occurrence: first.ID, Number: 1, State: "due"}}
	require.ErrorIs(t, b.kept.NoteParts(t.Context(), first, parts, []store.Delivery{{ID: "a", Occurrence: first.ID, Part: 1}}), store.ErrLeaseLost)
	first.State, first.Phase = store.Failed, store.PhaseEnded
	require.ErrorIs(t, b.kept.EndRun(t.Context(), first), store.ErrLeaseLost)
	list, err := b.kept.Parts(t.Context(), first.ID)
	require.NoError(t, err)
	assert.Empty(t, list)
	require.NoError(t, b.kept.NoteParts(t.Context(), second, parts, []store.Delivery{{ID: "a", Occurrence: first.ID, Part: 1}}))
}

// BenchmarkCrowd: 10,000 schedules that are due at the same minute are planned.
func BenchmarkCrowd(b *testing.B) {
	for b.Loop() {
		b.StopTimer()
		made := newBench(b)
		for i := range 10_000 {
			_ = made.kept.SaveSchedule(b.Context(), store.Schedule{Name: fmt.Sprintf("s-%05d", i), Owner: fmt.Sprintf("owner-%d", i%100), Source: "s", Version: 1, Next: made.now.Unix()})
		}
		made.Limits.Workers = 0
		b.StartTimer()
		made.pass(b, 0)
	}
}
