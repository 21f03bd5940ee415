// Package service is the use cases: what the HTTP interface, and everything
// that reaches Pike Gate through it, can ask for.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/period"
	"pikegate/internal/engine"
	"pikegate/internal/runner"
	"pikegate/internal/store"
)

// Config is what a service needs to run.
type Config struct {
	Store *store.Store
	// Engines are the kinds of databases that sources can be.
	Engines []engine.Engine
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
	// Folders are those that files of sources may be in; none means anywhere.
	Folders []string
	// Spool is the folder where rows wait for slow readers; empty for none.
	Spool string
}

// Service is the use cases. It is safe for use by several goroutines.
type Service struct {
	Config
	runner runner.Runner

	mu     sync.Mutex // guards the rest
	open   map[string]*openSource
	busy   map[string]chan struct{} // full while a source is being connected
	kept   map[published]ready
	newest newest

	typing  sync.Mutex // guards the next
	decoder definition.Decoder

	listing sync.Mutex // guards the next, and is held while it is read
	listed  *directory
}

// openSource is a source in use and what its catalogue was when last read.
type openSource struct {
	*shared
	// known is the catalogue; nothing in it is changed any more, a better one
	// takes its place.
	known atomic.Pointer[catalog.Source]

	mu       sync.Mutex        // guards the rest
	surveyed map[string]string // by table in lower case, the state the database was in; empty where it does not tell
	looked   time.Time         // when it was looked at again on the side
}

func newOpenSource(source *shared, known *catalog.Source) *openSource {
	o := &openSource{shared: source, surveyed: map[string]string{}}
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
		state := o.State()
		if err := engine.Survey(ctx, o.shared, &better.Tables[at]); err != nil {
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
	now := o.State()
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
	now := o.State()
	for _, name := range tables {
		if state := o.surveyed[strings.ToLower(name)]; state == "" || state != now {
			return false
		}
	}
	return true
}

// again looks at tables as they are now. It tells a column whose dates can no
// longer be relied on, empty for none, and whether anything else is known by now.
func (o *openSource) again(ctx context.Context, tables []string) (worse string, other bool, err error) {
	states := map[string]string{}
	for _, name := range tables {
		before, ok := o.known.Load().Table(name)
		if !ok || !slices.ContainsFunc(before.Columns, func(c catalog.Column) bool { return c.Whole }) {
			continue
		}
		now := before
		now.Columns = slices.Clone(before.Columns)
		state := o.State()
		if err := engine.Survey(ctx, o.shared, &now); err != nil {
			return "", false, err
		}
		for i, c := range before.Columns {
			reliable := now.Columns[i].Reliable() && now.Columns[i].Layout == c.Layout
			if c.Reliable() && !reliable {
				return name + "." + c.Name, true, nil
			}
			other = other || now.Columns[i].Reliable() != c.Reliable()
		}
		states[strings.ToLower(name)] = state
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	maps.Copy(o.surveyed, states)
	return "", other, nil
}

// confirm looks at tables that have changed since they were last looked at, for a
// run that relied on what was known of their dates. The error says that it does
// not hold any more.
func (o *openSource) confirm(ctx context.Context, tables []string) error {
	if o.unchanged(tables...) {
		return nil
	}
	worse, _, err := o.again(ctx, tables)
	if worse != "" {
		return engine.WrittenOtherwise(worse)
	}
	return err
}

// lookAgainAfter is how often a file that is written to is looked at again, so
// that what is known of its dates can be relied on until it is next.
const lookAgainAfter = 30 * time.Second

// lookAgain looks at tables that have changed, on the side, unless that was done a
// moment ago; changed is called where something else was found.
func (o *openSource) lookAgain(tables []string, changed func()) {
	now := time.Now()
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.State() == "" || now.Sub(o.looked) < lookAgainAfter {
		return
	}
	o.looked = now
	go func() {
		if _, other, err := o.again(context.Background(), tables); err == nil && other {
			changed()
		}
	}()
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
		runner: runner.Runner{Store: c.Store, Limit: c.TimeLimit, Now: c.Now, Active: &runner.Active{}, Spool: c.Spool, Log: c.Log},
		open:   map[string]*openSource{},
		busy:   map[string]chan struct{}{},
		kept:   map[published]ready{},
	}
	return s, errors.Join(s.moveEncodings(), s.bindAll())
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
	if o := s.opened(name); o != nil && o.Replaced() { // its file is another one
		s.retire(name)
	} else if o != nil && !fresh {
		return o, nil
	}
	sources, err := s.Store.Sources()
	if err != nil {
		return nil, err
	}
	var names []string
	for _, kept := range sources {
		if kept.Name == name {
			release, err := s.hold(ctx, name)
			if err != nil {
				return nil, err
			}
			defer release()
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
func (s *Service) hold(ctx context.Context, name string) (release func(), err error) {
	s.mu.Lock()
	lock := s.busy[name]
	if lock == nil {
		lock = make(chan struct{}, 1)
		s.busy[name] = lock
	}
	s.mu.Unlock()
	ctx, stop := s.runner.Limited(ctx)
	defer stop()
	select {
	case lock <- struct{}{}:
		return func() { <-lock }, nil
	case <-ctx.Done():
		return nil, context.Cause(ctx)
	}
}

// connect opens a kept source and reads its catalogue; it is held.
func (s *Service) connect(ctx context.Context, kept store.Source) (*openSource, error) {
	o := s.opened(kept.Name)
	if o == nil {
		address, err := s.address(kept)
		if err != nil {
			return nil, err
		}
		opened, err := s.engine(kept.Engine).Open(address)
		if err != nil {
			return nil, err
		}
		o = &openSource{shared: s.share(opened)}
	}
	catalogue, err := o.Catalogue(ctx)
	if err != nil {
		if s.opened(kept.Name) == nil {
			return nil, errors.Join(s.withSecret(kept, err), o.Close())
		}
		if ctx.Err() == nil { // others go on with it where only the caller went away
			s.retire(kept.Name)
		}
		return nil, s.withSecret(kept, err)
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
	fresh := newOpenSource(o.shared, &catalogue)
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
		s.open[name] = newOpenSource(o.shared, o.known.Load())
	}
}

// share makes a source that several can use.
func (s *Service) share(opened engine.Source) *shared {
	return &shared{Source: opened, limited: s.runner.Limited, files: make(chan struct{}, mostFiles)}
}

// retire takes a source out of use; it is closed when nobody uses it any more.
func (s *Service) retire(name string) {
	s.mu.Lock()
	o := s.open[name]
	delete(s.open, name)
	s.mu.Unlock()
	if o != nil {
		o.retire()
	}
}

// withSecret says that a login was refused because no password is known for it.
func (s *Service) withSecret(kept store.Source, err error) error {
	var failure *engine.Failure
	if !errors.As(err, &failure) || failure.Code != engine.WrongLogin || s.hasSecret(kept) {
		return err
	}
	changed := *s.noSecret(kept)
	changed.Message, changed.Err = fmt.Sprintf("No password is known for the source %s, and it refused %s without one.", kept.Name, kept.User), failure
	return &changed
}

// noSecret says where a password is looked up.
func (s *Service) noSecret(kept store.Source) *engine.Failure {
	name := secretName(kept)
	missing := &engine.Failure{Code: engine.NoSecret, Message: fmt.Sprintf("There is no secret %s for the source %s.", name, kept.Name)}
	if s.SecretVariable != nil {
		missing.Hint = fmt.Sprintf("Set %s in the environment of the service and start it again, or write %s=… in the file named with serve --secrets.", s.SecretVariable(name), name)
	}
	return missing
}

// secretName is the name of the password of a source.
func secretName(kept store.Source) string {
	if kept.Secret != "" {
		return kept.Secret
	}
	return kept.Name
}

// engine is the kind of database of a name; the zero one where there is none.
func (s *Service) engine(name string) engine.Engine {
	for _, e := range s.Engines {
		if e.Name == name {
			return e
		}
	}
	return engine.Engine{}
}

func (s *Service) hasSecret(kept store.Source) bool {
	if s.Secret == nil {
		return false
	}
	_, ok := s.Secret(secretName(kept))
	return ok
}

// place is what a secret is bound to.
func place(kept store.Source) string {
	return kept.Engine + " " + kept.User + "@" + kept.Address
}

// address is where a kept source is, with its password: a secret is given to the
// place it was first used at and to no other, whoever names it.
func (s *Service) address(kept store.Source) (engine.Address, error) {
	a := engine.Address{
		Name: kept.Name, At: kept.Address, Database: kept.Database, User: kept.User, TLS: kept.TLS,
		Limit: s.TimeLimit, Connections: engine.MostConnections,
	}
	if s.engine(kept.Engine).File {
		return a, s.readable(kept.Address)
	}
	if !s.hasSecret(kept) {
		if kept.Secret != "" {
			return a, s.noSecret(kept)
		}
		return a, nil
	}
	name := secretName(kept)
	bound, err := s.Store.Bound(name)
	if err != nil {
		return a, err
	}
	if bound != "" && bound != place(kept) {
		return a, diag.Problems{{
			Code: "secret_bound", Field: "secret", Message: fmt.Sprintf("The secret %s is for another place, and is not given to %s.", name, place(kept)),
			Hint: "Give the service the password under another name, and name that with --secret.",
		}}
	}
	a.Password, _ = s.Secret(name)
	return a, nil
}

// readable refuses files that no report is to read: our own records, and what
// lies outside the folders that sources are to be in.
func (s *Service) readable(path string) error {
	if s.Store.Owns(path) {
		return diag.Problems{{Code: "own_records", Field: "address", Message: path + " holds the service's own records.", Hint: "Give the file of a business database."}}
	}
	if len(s.Folders) == 0 {
		return nil
	}
	real, err := filepath.EvalSymlinks(path)
	if err != nil {
		return nil // told when it is opened
	}
	for _, folder := range s.Folders {
		if folder, err := filepath.EvalSymlinks(folder); err == nil && strings.HasPrefix(real, filepath.Clean(folder)+string(filepath.Separator)) {
			return nil
		}
	}
	return diag.Problems{{
		Code: "outside_folders", Field: "address", Message: path + " is outside the folders that sources may be in.",
		Hint: "They are " + strings.Join(s.Folders, ", ") + "; serve --sources names them.",
	}}
}

// bind keeps where the secret of a source is used from now on.
func (s *Service) bind(kept store.Source) error {
	if s.engine(kept.Engine).File || !s.hasSecret(kept) {
		return nil
	}
	return s.Store.Bind(secretName(kept), place(kept), s.Now().UTC())
}

// bindAll binds the secrets of the sources that are kept already.
func (s *Service) bindAll() error {
	sources, err := s.Store.Sources()
	for _, kept := range sources {
		err = errors.Join(err, s.bind(kept))
	}
	return err
}
