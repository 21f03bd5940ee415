// Package demonstration gives tests a service's records with the demonstration installed in
// them, and its data. To make these takes a while, so that a process makes them once.
package demonstration

import (
	"context"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/internal/delivery"
	"pikegate/internal/demo"
	"pikegate/internal/engine"
	"pikegate/internal/engine/files"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/service"
	"pikegate/internal/store"
)

// Engines are those that the demonstration's sources need.
var Engines = []engine.Engine{sqlite.Engine, files.Engine}

// Destinations are those that the demonstration's schedules deliver to: a folder, and a mail
// server that nobody is.
func Destinations(folder string) delivery.Destinations {
	return delivery.Destinations{
		Folders: map[string]string{"dues": folder},
		Mail:    delivery.MailServer{Server: "127.0.0.1:1", TLS: "none", From: "reports@navigation.example", Domains: []string{"navigation.example"}},
	}
}

const records = "pikegate.db"

// folder is where the data and the records that tests copy lie.
var folder string

var installed = sync.OnceValue(func() (err error) {
	if folder, err = os.MkdirTemp("", "pikegate-demonstration-"); err != nil {
		return err
	}
	if err := demo.Prepare(folder); err != nil {
		return err
	}
	kept, err := store.Open(filepath.Join(folder, records), nil)
	if err != nil {
		return err
	}
	s, err := service.New(context.Background(), service.Config{
		Store: kept, Engines: Engines, Calendar: civil.Calendar{Zone: time.UTC, WeekStart: time.Monday},
		Now: time.Now, TimeLimit: time.Minute, Log: slog.New(slog.DiscardHandler), Destinations: Destinations(folder), Demonstration: true,
	})
	if err != nil {
		return errors.Join(err, kept.Close())
	}
	return errors.Join(demo.Install(context.Background(), s, folder), s.Close(), kept.Close())
})

// Open opens the test's own copy of the records, in a folder of its own. The data that they
// name are those of all tests of the process, and no test changes them.
func Open(t testing.TB, own string) *store.Store {
	t.Helper()
	require.NoError(t, installed())
	content, err := os.ReadFile(filepath.Join(folder, records))
	require.NoError(t, err)
	path := filepath.Join(own, records)
	require.NoError(t, os.WriteFile(path, content, 0o600))
	kept, err := store.Open(path, nil)
	require.NoError(t, err)
	return kept
}

// Main runs the tests of a package that opens the demonstration, and removes what they had in
// common; TestMain calls it.
func Main(m *testing.M) {
	code := m.Run()
	_ = os.RemoveAll(folder) // it lies in the folder for what is temporary
	os.Exit(code)
}
