package service

import (
	"context"
	"sync"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

// shared is a source that several use at a time. Whatever is asked of it ends at
// the time limit, and it is closed when the last of them has done, a while after
// it was taken out of use: who was just given it can still ask.
type shared struct {
	engine.Source
	limited func(context.Context) (context.Context, context.CancelFunc)
	file    bool          // it is one, read in processes of our own
	files   chan struct{} // full while as many files are made as may be

	mu      sync.Mutex // guards the rest
	users   int
	retired bool
	closed  bool
}

// mostFiles is how many files are made of one source at a time; the other
// connections are for short runs.
const mostFiles = engine.MostConnections - 3

// File waits for room for one more file; leave is to be called when it is made.
func (s *shared) File(ctx context.Context) (leave func(), err error) {
	select {
	case s.files <- struct{}{}:
		return func() { <-s.files }, nil
	case <-ctx.Done():
		return nil, context.Cause(ctx)
	}
}

// linger is how long a source that was taken out of use can be asked.
const linger = 10 * time.Second

// use has a source stay open; done is to be called when it has been asked.
func (s *shared) use(ctx context.Context) (limited context.Context, done func()) {
	s.mu.Lock()
	s.users++
	s.mu.Unlock()
	limited, stop := s.limited(ctx)
	return limited, func() {
		stop()
		s.mu.Lock()
		defer s.mu.Unlock()
		s.users--
		if s.retired {
			_ = s.shut() // nobody is there to be told
		}
	}
}

// shut closes it if nobody uses it; it is locked.
func (s *shared) shut() error {
	if s.users > 0 || s.closed {
		return nil
	}
	s.closed = true
	return s.Source.Close()
}

// retire takes it out of use.
func (s *shared) retire() {
	time.AfterFunc(linger, func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.retired = true
		_ = s.shut()
	})
}

// Close closes it whoever uses it: the service ends.
func (s *shared) Close() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.closed {
		return nil
	}
	s.closed = true
	return s.Source.Close()
}

func (s *shared) Catalogue(ctx context.Context) (catalog.Source, error) {
	ctx, done := s.use(ctx)
	defer done()
	return s.Source.Catalogue(ctx)
}

func (s *shared) Stream(ctx context.Context, q dialect.Query, row func([]any) error) error {
	ctx, done := s.use(ctx)
	defer done()
	return s.Source.Stream(ctx, q, row)
}

func (s *shared) Plan(ctx context.Context, q dialect.Query) (engine.Plan, error) {
	ctx, done := s.use(ctx)
	defer done()
	return s.Source.Plan(ctx, q)
}

func (s *shared) Describe(ctx context.Context, q dialect.Query) (engine.Description, error) {
	ctx, done := s.use(ctx)
	defer done()
	return s.Source.Describe(ctx, q)
}

func (s *shared) Check(ctx context.Context) (engine.Inspection, error) {
	ctx, done := s.use(ctx)
	defer done()
	return s.Source.Check(ctx)
}

// Places tells where records stand in files, see engine.Placed.
func (s *shared) Places(ctx context.Context, table string, c catalog.Column, most int) ([]engine.Place, error) {
	placed, ok := s.Source.(engine.Placed)
	if !ok {
		return nil, nil
	}
	ctx, done := s.use(ctx)
	defer done()
	return placed.Places(ctx, table, c, most)
}

// State is the state of the source, see engine.StateOf.
func (s *shared) State() string { return engine.StateOf(s.Source) }

// Replaced tells whether another database stands where this one was opened.
func (s *shared) Replaced() bool {
	replaced, ok := s.Source.(interface{ Replaced() bool })
	return ok && replaced.Replaced()
}
