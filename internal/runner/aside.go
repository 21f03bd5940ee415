package runner

import (
	"context"
	"sync"
	"time"

	"pikegate/core/plan"
	"pikegate/internal/output"
)

// aside is what a run tells beside its records, found by statements of their own.
type aside struct {
	near    beside
	leftOut *output.LeftOut
	err     error
}

func lookAside(ctx context.Context, job Job, p Prepared, around plan.Edges) (a aside) {
	a.near = nearestOf(ctx, job, around)
	a.leftOut, a.err = leftOut(ctx, job, p, unfitLimit, a.near.unfit)
	return a
}

// lasts is after how long a statement lasts: what is told beside its records is found
// while it goes on.
const lasts = 100 * time.Millisecond

// meanwhile does something on another goroutine once a wait is over, which it never is where
// there is none, or else when its result is asked for. Dropped, it is done no more.
func meanwhile[T any](ctx context.Context, wait time.Duration, do func(context.Context) T) (result func() T, drop func()) {
	ctx, stop := context.WithCancel(ctx)
	result = sync.OnceValue(func() T { return do(ctx) })
	if wait <= 0 {
		return result, stop
	}
	timer := time.AfterFunc(wait, func() {
		defer func() { _ = recover() }() // whoever asks for the result meets it again
		result()
	})
	return result, func() {
		timer.Stop()
		stop()
	}
}
