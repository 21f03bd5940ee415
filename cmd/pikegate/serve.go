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
	"syscall"
	"time"

	"pikegate/internal/api"
	"pikegate/internal/config"
	"pikegate/internal/demo"
	"pikegate/internal/engine/mysql"
	"pikegate/internal/engine/postgres"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/service"
	"pikegate/internal/store"
)

// stopping is how long requests under way may take once the service is told
// to stop.
const stopping = 5 * time.Second

// serve wires the service together and runs it until the context ends.
// engines are the kinds of database there are.
var engines = map[string]service.Opener{"sqlite": sqlite.Open, "postgresql": postgres.Open, "mysql": mysql.Open}

func serve(ctx context.Context, c config.Serve, withDemo bool, ready func(address string)) (err error) {
	config.TuneMemory()
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
	kept, err := store.Open(filepath.Join(c.Data, "pikegate.db"))
	if err != nil {
		return err
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, nil))
	s, err := service.New(service.Config{
		Store: kept, Engines: engines, Secret: secrets, SecretVariable: config.SecretVariable,
		Calendar: calendar, Now: time.Now, TimeLimit: c.TimeLimit, Log: log,
	})
	if err != nil {
		return errors.Join(err, kept.Close())
	}
	defer func() { err = errors.Join(err, s.Close(), kept.Close()) }()
	if withDemo {
		if err := demo.Install(ctx, s, c.Data); err != nil {
			return err
		}
	}
	server := &http.Server{
		Handler: api.New(s, log, version), ReadHeaderTimeout: 10 * time.Second,
		BaseContext: func(net.Listener) context.Context { return ctx },
	}
	done := make(chan error, 1)
	go func() { done <- server.Serve(listener) }()
	ready("http://" + listener.Addr().String())
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	closing, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopping)
	defer cancel()
	return server.Shutdown(closing)
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
