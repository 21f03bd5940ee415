package service_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"pikegate/internal/wire"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/internal/config"
	"pikegate/internal/engine"
	"pikegate/internal/engine/files"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/identity"
	"pikegate/internal/service"
	"pikegate/testing/demonstration"
)

func TestMain(m *testing.M) { demonstration.Main(m) }

// demonstrated is a service with the demonstration's data and definitions.
func demonstrated(t testing.TB) *service.Service { return demonstratedOn(t, sqlite.Engine) }

// counting is that service, and how often the catalogue of its database was read. Of such a
// source nothing is known but what every source tells.
func counting(t testing.TB) (s *service.Service, read *int) {
	read = new(int)
	on := sqlite.Engine
	on.Open = func(a engine.Address) (engine.Source, error) {
		source, err := sqlite.Open(a)
		return counted{source, read}, err
	}
	return demonstratedOn(t, on), read
}

func demonstratedOn(t testing.TB, database engine.Engine) *service.Service {
	t.Helper()
	own := demonstration.Open(t, t.TempDir())
	s, err := service.New(t.Context(), service.Config{
		Store: own, Engines: []engine.Engine{database, files.Engine},
		Calendar: civil.Calendar{Zone: time.UTC, WeekStart: time.Monday}, Now: time.Now, TimeLimit: time.Minute, Log: slog.New(slog.DiscardHandler),
	})
	require.NoError(t, err)
	t.Cleanup(func() {
		assert.NoError(t, s.Close())
		assert.NoError(t, own.Close())
	})
	return s
}

// counted is a source whose catalogue is read so many times.
type counted struct {
	engine.Source
	read *int
}

func (c counted) Catalogue(ctx context.Context) (catalog.Source, error) {
	*c.read++
	return c.Source.Catalogue(ctx)
}

// definitions are all of the demonstration, in one file.
func definitions(t testing.TB) string {
	t.Helper()
	files, err := filepath.Glob("../demo/definitions/*.yaml")
	require.NoError(t, err)
	require.Greater(t, len(files), 4)
	var all []string
	for _, file := range files {
		content, err := os.ReadFile(file)
		require.NoError(t, err)
		all = append(all, string(content))
	}
	return strings.Join(all, "\n---\n")
}

// BenchmarkKeystroke checks the largest definitions of the demonstration as the
// drafting page does whenever somebody has typed.
func BenchmarkKeystroke(b *testing.B) {
	config.TuneMemory(config.DefaultMemory) // as the service does
	s := demonstrated(b)
	content, err := os.ReadFile("../demo/definitions/tolls-by-month.yaml")
	require.NoError(b, err)
	for i := 0; b.Loop(); i++ {
		typed := strings.Replace(string(content), "Toll of at least", fmt.Sprint("Toll of at least ", i), 1)
		found, err := s.Examine(b.Context(), anybody(b, s), typed, false)
		require.NoError(b, err)
		require.NoError(b, found.Problems.Err())
	}
}

// TestPushReadsOnce: a push of many definitions reads the catalogue of their
// source once.
func TestPushReadsOnce(t *testing.T) {
	s, read := counting(t)
	before := *read
	_, err := s.Push(t.Context(), anybody(t, s), definitions(t), wire.Keeping{})
	require.NoError(t, err)
	assert.Equal(t, 1, *read-before)
}

// TestCallerLeaves: nothing is checked, kept or published for a caller who has
// gone.
func TestCallerLeaves(t *testing.T) {
	s, read := counting(t)
	ctx, leave := context.WithCancelCause(t.Context())
	gone := errors.New("gone")
	leave(gone)
	before := *read
	_, err := s.Push(ctx, anybody(t, s), strings.ReplaceAll(definitions(t), "\ntitle: ", "\ntitle: New "), wire.Keeping{})
	require.ErrorIs(t, err, gone)
	_, err = s.Examine(ctx, anybody(t, s), definitions(t), true)
	require.ErrorIs(t, err, gone)
	_, err = s.Publish(ctx, anybody(t, s), "jobs-due")
	require.Error(t, err)
	assert.Equal(t, before, *read)
	list, err := s.Definitions(t.Context(), anybody(t, s))
	require.NoError(t, err)
	for _, d := range list {
		assert.False(t, d.Draft, d.Name)
	}
}

// anybody is whoever reaches the service while it has no users.
func anybody(t testing.TB, s *service.Service) identity.Actor {
	t.Helper()
	who, err := s.People.Open(t.Context(), "")
	require.NoError(t, err)
	return who
}
