// Package service is the use cases: what the HTTP interface, and everything
// that reaches Pike Gate through it, can ask for.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
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
	// SecretVariable names the environment's variable for a secret; nil says
	// nothing of it.
	SecretVariable func(name string) string
	Log            *slog.Logger
	// Spool is the folder where rows wait for slow readers; empty for none.
	Spool string
}

// Service is the use cases. It is safe for use by several goroutines.
type Service struct {
	Config
	runner runner.Runner

	mu   sync.Mutex // guards the rest
	open map[string]*openSource
	busy map[string]*sync.Mutex // held while a source is being connected
	kept map[published]ready

	listing sync.Mutex // guards the next, and is held while it is read
	listed  *directory
}

// openSource is a source in use and what its catalogue was when last read.
type openSource struct {
	engine.Source
	// known is the catalogue; nothing in it is changed any more, a better one
	// takes its place.
	known atomic.Pointer[catalog.Source]

	mu       sync.Mutex        // guards the rest
	surveyed map[string]string // by table in lower case, the state the database was in; empty where it does not tell
}

func newOpenSource(source engine.Source, known *catalog.Source) *openSource {
	o := &openSource{Source: source, surveyed: map[string]string{}}
	o.known.Store(known)
	return o
}

// survey looks at how dates are stored in tables, unless that was done since the
// catalogue was read.
func (o *openSource) survey(ctx context.Context, tables ...string) error {
	o.mu.Lock()
	defer o.mu.Unlock()
	var better *catalog.Source
	for _, name := range tables {
		name = strings.ToLower(name)
		if _, done := o.surveyed[name]; done {
			continue
		}
		if better == nil {
			clone := o.known.Load().Clone()
			better = &clone
		}
		at := slices.IndexFunc(better.Tables, func(t catalog.Table) bool { return strings.ToLower(t.Name) == name })
		if at < 0 {
			continue // told elsewhere
		}
		state := engine.StateOf(o.Source)
		if err := engine.Survey(ctx, o.Source, &better.Tables[at]); err != nil {
			return err
		}
		o.surveyed[name] = state
	}
	if better != nil {
		o.known.Store(better)
	}
	return nil
}

// inherit takes over what another one found out, of tables that have not changed
// since then.
func (o *openSource) inherit(old *openSource) {
	if old.known.Load() == nil {
		return
	}
	old.mu.Lock()
	defer old.mu.Unlock()
	now := engine.StateOf(o.Source)
	for name, state := range old.surveyed {
		before, ok1 := old.known.Load().Table(name)
		at := slices.IndexFunc(o.known.Load().Tables, func(t catalog.Table) bool { return strings.ToLower(t.Name) == name })
		if state == "" || state != now || !ok1 || at < 0 {
			continue
		}
		columns := o.known.Load().Tables[at].Columns
		for i := range columns {
			if c, ok := before.Column(columns[i].Name); ok && c.Encoding == columns[i].Encoding {
				columns[i] = c
			}
		}
		if !slices.ContainsFunc(columns, func(c catalog.Column) bool {
			return c.Encoding != "" && !c.Encoding.IsNative() && c.Looked == 0 && c.Evidence == "set by hand"
		}) {
			o.surveyed[name] = state
		}
	}
}

// unchanged tells whether the database is as it was when the tables were last
// looked at; false where it does not tell.
func (o *openSource) unchanged(tables ...string) bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	now := engine.StateOf(o.Source)
	for _, name := range tables {
		if state := o.surveyed[strings.ToLower(name)]; state == "" || state != now {
			return false
		}
	}
	return true
}

// New makes the service; runs that a stop cut short are marked as failed.
func New(c Config) (*Service, error) {
	if c.Log == nil {
		c.Log = slog.New(slog.DiscardHandler)
	}
	if err := c.Store.Unfinished(runner.Failed, "The service was stopped during the run."); err != nil {
		return nil, err
	}
	s := &Service{
		Config: c,
		runner: runner.Runner{Store: c.Store, Limit: c.TimeLimit, Now: c.Now, Spool: c.Spool, Log: c.Log},
		open:   map[string]*openSource{},
		busy:   map[string]*sync.Mutex{},
		kept:   map[published]ready{},
	}
	return s, s.moveEncodings()
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
		return nil, errors.Join(s.withSecret(kept, err), o.Close())
	}
	encodings, err := s.encodings(kept.Name)
	if err != nil {
		return nil, err
	}
	for column, encoding := range encodings {
		if err := catalogue.SetEncoding(column, catalog.Encoding(encoding)); err != nil {
			s.Log.Warn("an encoding no longer fits its source", "source", kept.Name, "column", column, "problem", err)
		}
	}
	fresh := newOpenSource(o.Source, &catalogue)
	fresh.inherit(o)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.open[kept.Name] = fresh
	return fresh, nil
}

// resurvey has the tables of a source looked at again when they are next used.
func (s *Service) resurvey(name string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if o := s.open[name]; o != nil {
		s.open[name] = newOpenSource(o.Source, o.known.Load())
	}
}

// forget takes a source out of use and gives it, to be closed.
func (s *Service) forget(name string) *openSource {
	s.mu.Lock()
	defer s.mu.Unlock()
	o := s.open[name]
	delete(s.open, name)
	return o
}

// withSecret says that a login was refused because no password is known for it.
func (s *Service) withSecret(kept store.Source, err error) error {
	var failure *engine.Failure
	if !errors.As(err, &failure) || failure.Code != engine.WrongLogin || s.address(kept).Password != "" {
		return err
	}
	name := secretName(kept)
	changed := *failure
	changed.Code = engine.NoSecret
	changed.Message = fmt.Sprintf("No password is known for the source %s, and it refused %s without one.", kept.Name, kept.User)
	if s.SecretVariable != nil {
		changed.Hint = fmt.Sprintf("Set %s in the environment of the service and start it again, or write %s=… in the file named with serve --secrets.", s.SecretVariable(name), name)
	}
	return &changed
}

// secretName is the name of the password of a source.
func secretName(kept store.Source) string {
	if kept.Secret != "" {
		return kept.Secret
	}
	return kept.Name
}

// address is where a kept source is, with its password.
func (s *Service) address(kept store.Source) engine.Address {
	a := engine.Address{
		Name: kept.Name, At: kept.Address, Database: kept.Database, User: kept.User, TLS: kept.TLS,
		Limit: s.TimeLimit, Connections: engine.MostConnections,
	}
	if s.Secret != nil {
		a.Password, _ = s.Secret(secretName(kept))
	}
	return a
}
