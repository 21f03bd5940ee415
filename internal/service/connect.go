package service

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/internal/engine"
	"pikegate/internal/store"
)

// source gives an open source, opening it if need be; fresh reads its
// catalogue again.
func (s *Service) source(ctx context.Context, name string, fresh bool) (*openSource, error) {
	if o := s.opened(name); o != nil && o.Replaced() { // its file is another one
		s.retire(name)
	} else if o != nil && !fresh {
		return o, nil
	}
	sources, err := s.Store.Sources(ctx)
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
	lock := s.connecting[name]
	if lock == nil {
		lock = make(chan struct{}, 1)
		s.connecting[name] = lock
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
		address, err := s.address(ctx, kept)
		if err != nil {
			return nil, err
		}
		opened, err := s.engine(kept.Engine).Open(address)
		if err != nil {
			return nil, err
		}
		o = &openSource{shared: s.share(opened, s.engine(kept.Engine))}
	}
	catalogue, err := o.Catalogue(ctx)
	if err != nil {
		if s.opened(kept.Name) == nil {
			return nil, errors.Join(s.withSecret(ctx, kept, err), o.Close())
		}
		if ctx.Err() == nil { // others go on with it where only the caller went away
			s.retire(kept.Name)
		}
		return nil, s.withSecret(ctx, kept, err)
	}
	encodings, err := s.encodings(ctx, kept.Name)
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
func (s *Service) share(opened engine.Source, kind engine.Engine) *shared {
	return &shared{Source: opened, file: kind.File, limited: s.runner.Limited, files: make(chan struct{}, mostFiles)}
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
func (s *Service) withSecret(ctx context.Context, kept store.Source, err error) error {
	var failure *engine.Failure
	if !errors.As(err, &failure) || failure.Code != engine.WrongLogin || s.hasSecret(ctx, kept) {
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
		missing.Hint = fmt.Sprintf("Say pikegate secret set %s, or set %s in the environment of the service and start it again, or write %s=… in the file named with serve --secrets.", name, s.SecretVariable(name), name)
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

func (s *Service) hasSecret(ctx context.Context, kept store.Source) bool {
	_, ok := s.secret(ctx, secretName(kept))
	return ok
}

// place is what a secret is bound to.
func place(kept store.Source) string {
	return kept.Engine + " " + kept.User + "@" + kept.Address
}

// address is where a kept source is, with its password: a secret is given to the
// place it was first used at and to no other, whoever names it.
func (s *Service) address(ctx context.Context, kept store.Source) (engine.Address, error) {
	a := engine.Address{
		Name: kept.Name, At: kept.Address, Database: kept.Database, User: kept.User, TLS: kept.TLS,
		Limit: s.TimeLimit, Connections: engine.MostConnections, PassPerson: kept.PassPerson,
	}
	if s.engine(kept.Engine).File {
		d, err := s.sourceDocument(ctx, kept.Name)
		if err != nil {
			return a, err
		}
		a.Files = d.Files
		if kept.Name == KeptSource {
			if a.Listed, err = s.keptTables(ctx); err != nil {
				return a, err
			}
			a.At = s.Kept
			return a, os.MkdirAll(a.At, 0o700)
		}
		if s.isUploaded(kept) {
			a.At = s.uploads(kept.Name)
			return a, os.MkdirAll(a.At, 0o700)
		}
		return a, s.readable(kept.Address)
	}
	if !s.hasSecret(ctx, kept) {
		if kept.Secret != "" {
			return a, s.noSecret(kept)
		}
		return a, nil
	}
	name := secretName(kept)
	bound, err := s.Store.Bound(ctx, name)
	if err != nil {
		return a, err
	}
	if bound != "" && bound != place(kept) {
		return a, diag.Problems{{
			Code: "secret_bound", Field: "secret", Message: fmt.Sprintf("The secret %s is for another place, and is not given to %s.", name, place(kept)),
			Hint: "Give the service the password under another name, and name that with --secret.",
		}}
	}
	a.Password, _ = s.secret(ctx, name)
	return a, nil
}

// readable refuses files that no report is to read: our own records, and what
// lies outside the folders that sources are to be in.
func (s *Service) readable(path string) error {
	if s.Store.Owns(path) {
		return diag.Problems{{Code: "own_records", Field: "address", Message: path + " holds the service's own records.", Hint: "Give the file of a business database, or a folder without them."}}
	}
	if len(s.Folders) == 0 {
		return nil
	}
	real, err := filepath.EvalSymlinks(path)
	if err != nil {
		return nil // told when it is opened
	}
	for _, folder := range s.Folders {
		if folder, err := filepath.EvalSymlinks(folder); err == nil && (real == filepath.Clean(folder) || strings.HasPrefix(real, filepath.Clean(folder)+string(filepath.Separator))) {
			return nil
		}
	}
	return diag.Problems{{
		Code: "outside_folders", Field: "address", Message: path + " is outside the folders that sources may be in.",
		Hint: "They are " + strings.Join(s.Folders, ", ") + "; serve --sources names them.",
	}}
}

// bind keeps where the secret of a source is used from now on.
func (s *Service) bind(ctx context.Context, kept store.Source) error {
	if s.engine(kept.Engine).File || !s.hasSecret(ctx, kept) {
		return nil
	}
	return s.Store.Bind(ctx, secretName(kept), place(kept), s.Now().UTC())
}

// bindAll binds the secrets of the sources that are kept already.
func (s *Service) bindAll(ctx context.Context) error {
	sources, err := s.Store.Sources(ctx)
	for _, kept := range sources {
		err = errors.Join(err, s.bind(ctx, kept))
	}
	return err
}
