// Package service is the use cases: what the HTTP interface, and everything
// that reaches Pike Gate through it, can ask for.
package service

import (
	"context"
	"crypto/x509"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/period"
	"pikegate/internal/delivery"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/runner"
	"pikegate/internal/schedule"
	"pikegate/internal/store"
)

// Config is what a service needs to run.
type Config struct {
	Store *store.Store
	// Vault seals secrets; nil seals them under a key that goes with the service.
	Vault *identity.Vault
	// Engines are the kinds of databases that sources can be.
	Engines []engine.Engine
	// Calendar is how dates are read; its Now is set at each request.
	Calendar civil.Calendar
	// CalendarName is the published calendar dates are read by where a report names none;
	// blank for none.
	CalendarName string
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
	// ExportsTold is the number of records above which the audit log is told of an export;
	// 0 means 10,000.
	ExportsTold int64
	// Uploads is the folder of the files that people upload; empty where nobody can.
	Uploads string
	// Delivered is the folder of what schedules made, until it was delivered and a while after.
	Delivered string
	// Kept is the folder of the results that schedules keep.
	Kept string
	// KeepOccurrences is how long it is known what came of schedules; 0 is for ever.
	KeepOccurrences time.Duration
	// Destinations are where schedules may deliver.
	Destinations delivery.Destinations
	// Public is the address people use, blank for none.
	Public string
	// Demonstration tells that there may be schedules while there are no users.
	Demonstration bool
	// Elapsed is how much time has passed, by a clock that nobody sets; nil is the machine's.
	Elapsed func() time.Duration
	// MailRoots are what certificates of mail servers go back to; nil is the system's.
	MailRoots *x509.CertPool
	// Spool is the folder where rows wait for slow readers; empty for none.
	Spool string
}

// Service is the use cases. It is safe for use by several goroutines.
type Service struct {
	Config
	// People knows who asks.
	People *identity.Keeper
	runner runner.Runner
	keeper *schedule.Keeper
	mailer *delivery.Mailer
	web    *delivery.Web

	mu         sync.Mutex // guards the rest
	open       map[string]*openSource
	connecting map[string]chan struct{} // full while a source is being connected
	prepared   map[published]ready
	newest     newest
	calendars  map[string]*definition.Calendar // by their texts
	schedules  map[scheduleVersion]knownSchedule

	typing  sync.Mutex // guards the next
	decoder definition.Decoder

	listing sync.Mutex // guards the next, and is held while it is read
	listed  *directory
}

// New makes the service; runs that a stop cut short are marked as failed.
func New(ctx context.Context, c Config) (*Service, error) {
	if c.Log == nil {
		c.Log = slog.New(slog.DiscardHandler)
	}
	if err := c.Store.Unfinished(ctx, runner.Failed, "The service was stopped during the run."); err != nil {
		return nil, err
	}
	if c.Vault == nil {
		var err error
		if c.Vault, err = identity.NewVault(identity.NewKey()); err != nil {
			return nil, err
		}
	}
	s := &Service{
		Config: c, People: identity.NewKeeper(c.Store, c.Vault, c.Now, c.Log),
		runner:     runner.Runner{Store: c.Store, Limit: c.TimeLimit, Now: c.Now, Active: &runner.Active{}, Spool: c.Spool, Log: c.Log},
		open:       map[string]*openSource{},
		connecting: map[string]chan struct{}{},
		prepared:   map[published]ready{},
		calendars:  map[string]*definition.Calendar{},
		schedules:  map[scheduleVersion]knownSchedule{},
	}
	s.keeper = schedule.New(c.Store, scheduled{s}, c.Now, c.Elapsed, c.Log)
	s.web = delivery.NewWeb(c.Destinations.Web, "Pike Gate")
	s.mailer = &delivery.Mailer{Server: c.Destinations.Mail, Roots: c.MailRoots, Password: func(ctx context.Context) (string, bool) { return s.secret(ctx, c.Destinations.Mail.Secret) }}
	return s, errors.Join(s.moveEncodings(ctx), s.bindAll(ctx), s.syncSchedules(ctx))
}

// KeepSchedules has what is due happen until the context ends.
func (s *Service) KeepSchedules(ctx context.Context) { s.keeper.Run(ctx) }

// Keeper is who has what is due happen, for tests to drive.
func (s *Service) Keeper() *schedule.Keeper { return s.keeper }

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
func (s *Service) now(calendar civil.Calendar, asOf string) (civil.Calendar, diag.Problems) {
	calendar.Now = civil.Instant(s.Now().Unix())
	calendar, problems := period.AsOf(calendar, asOf)
	return calendar, problems.In("as_of")
}
