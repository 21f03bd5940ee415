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
type Opener func(name, address string) (engine.Source, error)

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
	Log       *slog.Logger
}

// Service is the use cases. It is safe for use by several goroutines.
type Service struct {
	Config
	runner runner.Runner

	mu   sync.Mutex
	open map[string]*openSource
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
	s.mu.Lock()
	defer s.mu.Unlock()
	if o := s.open[name]; o != nil && !fresh {
		return o, nil
	}
	sources, err := s.Store.Sources()
	if err != nil {
		return nil, err
	}
	var names []string
	for _, kept := range sources {
		if kept.Name == name {
			return s.connect(ctx, kept)
		}
		names = append(names, kept.Name)
	}
	return nil, notFound("source", name, names)
}

// connect opens a kept source and reads its catalogue; s.mu is held.
func (s *Service) connect(ctx context.Context, kept store.Source) (*openSource, error) {
	o := s.open[kept.Name]
	if o == nil {
		opened, err := s.Engines[kept.Engine](kept.Name, kept.Address)
		if err != nil {
			return nil, err
		}
		o = &openSource{Source: opened}
	}
	catalogue, err := o.Catalogue(ctx)
	if err != nil {
		return nil, errors.Join(err, o.Close())
	}
	for column, encoding := range kept.Encodings {
		if err := catalogue.SetEncoding(column, catalog.Encoding(encoding)); err != nil {
			s.Log.Warn("an encoding no longer fits its source", "source", kept.Name, "column", column, "problem", err)
		}
	}
	fresh := &openSource{o.Source, catalogue}
	s.open[kept.Name] = fresh
	return fresh, nil
}
