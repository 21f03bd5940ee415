// Package service is the use cases: what the HTTP interface, and everything
// that reaches Pike Gate through it, can ask for.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/period"
	"pikegate/internal/engine"
	"pikegate/internal/runner"
	"pikegate/internal/store"
)

// Opener opens a source of one engine.
type Opener func(engine.Address) (engine.Source, error)

// Config is what a service needs to run.
type Config struct {
	Store *store.Store
	// Engines are the openers by engine name.
	Engines map[string]Opener
	// Calendar is how dates are read; its Now is set at each request.
	Calendar civil.Context
	// Now is the clock.
	Now func() time.Time
	// TimeLimit is the longest a statement may take; 0 means no limit.
	TimeLimit time.Duration
	// Secret gives the password of that name; nil knows none.
	Secret func(name string) (string, bool)
	Log    *slog.Logger
}

// Service is the use cases. It is safe for use by several goroutines.
type Service struct {
	Config
	runner runner.Runner

	mu   sync.Mutex // guards the rest
	open map[string]*openSource
	busy map[string]*sync.Mutex // held while a source is being connected
	kept map[published]ready
	used map[string][]string // by text, what it refers to
}

// openSource is a source in use and what its catalogue was when last read.
type openSource struct {
	engine.Source
	catalogue catalog.Source
}

// New makes the service; runs that a stop cut short are marked as failed.
func New(c Config) (*Service, error) {
	if err := c.Store.Unfinished(runner.Failed, "The service was stopped during the run."); err != nil {
		return nil, err
	}
	return &Service{
		Config: c,
		runner: runner.Runner{Store: c.Store, Limit: c.TimeLimit, Now: c.Now},
		open:   map[string]*openSource{},
		busy:   map[string]*sync.Mutex{},
		kept:   map[published]ready{},
		used:   map[string][]string{},
	}, nil
}

// Close closes every source.
func (s *Service) Close() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	var err error
	for _, o := range s.open {
		err = errors.Join(err, o.Close())
	}
	s.open = map[string]*openSource{}
	return err
}

// NotFound says that there is nothing of a name.
type NotFound struct{ What, Name, Hint string }

func (e *NotFound) Error() string { return fmt.Sprintf("There is no %s %s.", e.What, e.Name) }

func notFound(what, name string, names []string) error {
	return &NotFound{what, name, diag.DidYouMean(name, names)}
}

// now sets a calendar's clock to this moment, or to the day or instant given as
// asOf; its problems are in the field as_of.
func (s *Service) now(calendar civil.Context, asOf string) (civil.Context, diag.Problems) {
	calendar.Now = civil.Instant(s.Now().Unix())
	calendar, problems := period.AsOf(calendar, asOf)
	return calendar, problems.In("as_of")
}

// source gives an open source, opening it if need be; fresh reads its
// catalogue again.
func (s *Service) source(ctx context.Context, name string, fresh bool) (*openSource, error) {
	if o := s.opened(name); o != nil && !fresh {
		return o, nil
	}
	sources, err := s.Store.Sources()
	if err != nil {
		return nil, err
	}
	var names []string
	for _, kept := range sources {
		if kept.Name == name {
			defer s.hold(name)()
			if o := s.opened(name); o != nil && !fresh {
				return o, nil // another request was faster
			}
			return s.connect(ctx, kept)
		}
		names = append(names, kept.Name)
	}
	return nil, notFound("source", name, names)
}

func (s *Service) opened(name string) *openSource {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.open[name]
}

// hold keeps others from connecting the source meanwhile; a source that does
// not answer holds up nobody else.
func (s *Service) hold(name string) (release func()) {
	s.mu.Lock()
	lock := s.busy[name]
	if lock == nil {
		lock = &sync.Mutex{}
		s.busy[name] = lock
	}
	s.mu.Unlock()
	lock.Lock()
	return lock.Unlock
}

// connect opens a kept source and reads its catalogue; it is held.
func (s *Service) connect(ctx context.Context, kept store.Source) (*openSource, error) {
	o := s.opened(kept.Name)
	if o == nil {
		opened, err := s.Engines[kept.Engine](s.address(kept))
		if err != nil {
			return nil, err
		}
		o = &openSource{Source: opened}
	}
	catalogue, err := o.Catalogue(ctx)
	if err != nil {
		s.forget(kept.Name)
		return nil, errors.Join(err, o.Close())
	}
	for column, encoding := range kept.Encodings {
		if err := catalogue.SetEncoding(column, catalog.Encoding(encoding)); err != nil {
			s.Log.Warn("an encoding no longer fits its source", "source", kept.Name, "column", column, "problem", err)
		}
	}
	fresh := &openSource{o.Source, catalogue}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.open[kept.Name] = fresh
	return fresh, nil
}

// forget takes a source out of use and gives it, to be closed.
func (s *Service) forget(name string) *openSource {
	s.mu.Lock()
	defer s.mu.Unlock()
	o := s.open[name]
	delete(s.open, name)
	return o
}

// address is where a kept source is, with its password.
func (s *Service) address(kept store.Source) engine.Address {
	a := engine.Address{
		Name: kept.Name, At: kept.Address, Database: kept.Database, User: kept.User, TLS: kept.TLS,
		Limit: s.TimeLimit, Connections: engine.MostConnections,
	}
	if s.Secret != nil {
		name := kept.Secret
		if name == "" {
			name = kept.Name
		}
		a.Password, _ = s.Secret(name)
	}
	return a
}
