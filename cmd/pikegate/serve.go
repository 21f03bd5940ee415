package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"go.yaml.in/yaml/v4"

	"pikegate/internal/api"
	"pikegate/internal/cli"
	"pikegate/internal/config"
	"pikegate/internal/delivery"
	"pikegate/internal/demo"
	"pikegate/internal/demo/mailbox"
	"pikegate/internal/engine"
	"pikegate/internal/engine/files"
	"pikegate/internal/engine/mysql"
	"pikegate/internal/engine/postgres"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/identity"
	"pikegate/internal/runner"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// stopping is how long requests under way may take once the service is told to
// stop, and ending how long those that were ended then.
const (
	stopping = 30 * time.Second
	ending   = 5 * time.Second
)

// engines are the kinds of database there are.
var engines = []engine.Engine{sqlite.Engine, postgres.Engine, mysql.Engine, files.Engine}

// serve wires the service together and runs it until the context ends.
func serve(ctx context.Context, c config.Serve, with cli.Demo, ready func(address string, invited []wire.Invitation)) (err error) {
	withDemo := with.Data
	config.TuneMemory(c.Memory)
	if withDemo && c.Calendar.Zone == "" {
		c.Calendar.Zone = demo.Zone
	}
	calendar, err := config.Calendar(c.Calendar, time.Now())
	if err != nil {
		return err
	}
	if err := os.MkdirAll(c.Data, 0o700); err != nil {
		return err
	}
	unlock, err := lock(c.Data)
	if err != nil {
		return err
	}
	defer unlock()
	// The port is taken first: a second start is told so before anything is made.
	listener, err := net.Listen("tcp", c.Listen)
	if err != nil {
		if errors.Is(err, syscall.EADDRINUSE) {
			return fmt.Errorf("another program listens on %s; stop it, or give another address with --listen (or PIKEGATE_LISTEN), such as --listen 127.0.0.1:7181", c.Listen)
		}
		return fmt.Errorf("the service cannot listen on %s, which --listen names: %w", c.Listen, err)
	}
	defer listener.Close()

	if withDemo {
		if err := demo.Prepare(c.Data); err != nil {
			return err
		}
	}
	secrets, err := config.Secrets(c.Secrets)
	if err != nil {
		return err
	}
	kept, vault, err := openRecords(ctx, c.Data)
	if err != nil {
		return err
	}
	spool := filepath.Join(c.Data, "waiting")
	if err := os.MkdirAll(spool, 0o700); err != nil {
		return errors.Join(err, kept.Close())
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, nil))
	var own *certificate
	if c.TLSCert != "" {
		if own, err = newCertificate(c.TLSCert, c.TLSKey, log); err != nil {
			return errors.Join(err, kept.Close())
		}
	}
	closed, err := kept.Closed(ctx)
	if err != nil {
		return errors.Join(err, kept.Close())
	}
	if !closed && !c.OnLoopback() {
		return errors.Join(kept.Close(), fmt.Errorf("--listen %s is refused: there are no users yet, so anybody who reaches the service may use it. Make one first: pikegate user add NAME --role administrator --data %s", c.Listen, c.Data))
	}
	destinations, mailbox, err := destinationsOf(c, with)
	if err != nil {
		return errors.Join(err, kept.Close())
	}
	if mailbox != nil {
		defer func() { err = errors.Join(err, mailbox.Close()) }()
	}
	address := "http://" + listener.Addr().String()
	if own != nil {
		address = "https://" + listener.Addr().String()
	}
	s, err := service.New(ctx, service.Config{
		Destinations: destinations, Delivered: filepath.Join(c.Data, "spool"), Kept: filepath.Join(c.Data, "kept"), Public: publicAddress(c, address), Demonstration: withDemo,
		KeepOccurrences: time.Duration(c.Keep.Days) * 24 * time.Hour,
		Store:           kept, Vault: vault, Engines: engines, Secret: secrets, SecretVariable: config.SecretVariable,
		ExportsTold: c.ExportsTold, Calendar: calendar, CalendarName: c.Calendar.Use, Now: time.Now, TimeLimit: c.TimeLimit, Log: log, Spool: spool, Uploads: filepath.Join(c.Data, "uploads"), Folders: c.Folders,
	})
	if err != nil {
		return errors.Join(err, kept.Close())
	}
	defer func() { err = errors.Join(err, s.Close(), kept.Close()) }()
	if withDemo && !closed { // what was installed before stays
		if err := demo.Install(ctx, s, c.Data); err != nil {
			return err
		}
	}
	var invited []wire.Invitation
	if with.People && !closed {
		if invited, err = demo.InstallPeople(ctx, s); err != nil {
			return err
		}
	}
	// Requests live on when the service is told to stop, until they have had time
	// to end.
	requests, end := context.WithCancelCause(context.WithoutCancel(ctx))
	defer end(nil)
	handler := api.New(s, log, version)
	served := http.Handler(handler)
	if c.IdentityProvider != "" {
		if err := useProvider(s.People, c.IdentityProvider); err != nil {
			return err
		}
	} else if with.People {
		standIn, provider, err := demo.StandIn(address)
		if err == nil {
			err = s.People.UseProvider(provider)
		}
		if err != nil {
			return err
		}
		served = beside(served, demo.StandInPath, standIn)
	}
	if mailbox != nil {
		served = beside(served, demo.MailPath, mailbox)
	}
	handler.Stall = c.Stall
	handler.Reach = api.Reach{Public: c.Public, Proxies: c.Proxies}
	go s.People.Watch(ctx)
	scheduling, endScheduling := context.WithCancel(ctx)
	var scheduled sync.WaitGroup
	scheduled.Go(func() { s.KeepSchedules(scheduling) })
	defer scheduled.Wait()
	defer endScheduling()
	go witness(ctx, kept, log)
	defer func() { err = errors.Join(err, note(context.WithoutCancel(ctx), kept, log)) }()
	var idle connections
	go kept.Retain(ctx, store.Retention{
		Age: time.Duration(c.Keep.Days) * 24 * time.Hour, Runs: c.Keep.Runs, Bytes: int64(c.Keep.MiB) << 20,
		Typed: time.Duration(c.Keep.TypedDays) * 24 * time.Hour,
	}, func(err error) { log.Error("old records of runs could not be let go", "problem", err) })
	server := &http.Server{
		Handler: served, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: time.Minute, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10,
		ConnState: idle.changed, BaseContext: func(net.Listener) context.Context { return requests },
		ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelDebug),
	}
	// Streams have a limit of their own, that of what is taken.
	if server.WriteTimeout = c.TimeLimit + time.Minute; c.TimeLimit == 0 {
		server.WriteTimeout = 24 * time.Hour
	}
	done := make(chan error, 1)
	if own != nil {
		handler.Reach.Certified = own.named
		server.TLSConfig = own.config()
		go func() { done <- server.ServeTLS(limit(listener), "", "") }()
	} else {
		go func() { done <- server.Serve(limit(listener)) }()
	}
	ready(address, invited)
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	log.Info("stopping; what is under way may end", "seconds", stopping.Seconds())
	unhurried, hurry := context.WithTimeout(context.WithoutCancel(ctx), stopping)
	defer hurry()
	if server.Shutdown(unhurried) == nil {
		return nil
	}
	end(runner.ErrStopped)
	closing, cancel := context.WithTimeout(context.WithoutCancel(ctx), ending)
	defer cancel()
	return errors.Join(ignored(server.Shutdown(closing)), server.Close())
}

// beside serves something else beneath a path.
func beside(handler http.Handler, path string, also http.Handler) http.Handler {
	mux := http.NewServeMux()
	mux.Handle(path+"/", http.StripPrefix(path, also))
	mux.Handle("/", handler)
	return mux
}

// publicAddress is where people reach the service.
func publicAddress(c config.Serve, address string) string {
	if c.Public != nil {
		return c.Public.Scheme + "://" + c.Public.Host
	}
	return address
}

// destinationsOf are where schedules may deliver: as the file says that --destinations names, or in
// the demonstration to a mail server and a folder of its own.
func destinationsOf(c config.Serve, with cli.Demo) (delivery.Destinations, *mailbox.Mailbox, error) {
	if c.Destinations == "" {
		if !with.Data {
			return delivery.Destinations{}, nil, nil
		}
		return demo.Destinations(c.Data)
	}
	content, err := os.ReadFile(c.Destinations)
	if err != nil {
		return delivery.Destinations{}, nil, err
	}
	folder, err := filepath.Abs(filepath.Dir(c.Destinations))
	if err != nil {
		return delivery.Destinations{}, nil, err
	}
	d, err := delivery.Read(content, folder)
	if err != nil {
		err = fmt.Errorf("%s, which --destinations names, cannot be used: %w", c.Destinations, err)
	}
	return d, nil, err
}

// witnessed is how often the end of the audit log goes to the service's log, where
// whoever changes the records cannot reach it.
const witnessed = time.Hour

func witness(ctx context.Context, kept *store.Store, log *slog.Logger) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(witnessed):
			if err := note(ctx, kept, log); err != nil {
				log.Error("the end of the audit log could not be read", "problem", err)
			}
		}
	}
}

func note(ctx context.Context, kept *store.Store, log *slog.Logger) error {
	head, err := kept.AuditHead(ctx)
	if err == nil && head.Count > 0 {
		log.Info("the end of the audit log", "head", head.String())
	}
	return err
}

// useProvider reads what a file tells of an identity provider.
func useProvider(people *identity.Keeper, file string) error {
	content, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	var c identity.ProviderConfig
	if err := yaml.Load(content, &c, yaml.WithKnownFields()); err != nil {
		return fmt.Errorf("%s, which --identity-provider names, cannot be read: %w", file, err)
	}
	if secret := os.Getenv("PIKEGATE_PROVIDER_SECRET"); secret != "" {
		c.ClientSecret = secret
	}
	if err := people.UseProvider(c); err != nil {
		return fmt.Errorf("%s, which --identity-provider names: %w", file, err)
	}
	return nil
}

// ignored is no error where time was up: the service ends all the same.
func ignored(err error) error {
	if errors.Is(err, context.DeadlineExceeded) {
		return nil
	}
	return err
}

// lock keeps a second service out of a data folder while one is using it. The
// lock goes with the process, however it ends.
func lock(folder string) (unlock func(), err error) {
	file, err := os.OpenFile(filepath.Join(folder, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(file.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		return nil, errors.Join(fmt.Errorf("another pikegate is using the folder %s; stop it, or give another with --data", folder), file.Close())
	}
	return func() { file.Close() }, nil
}
