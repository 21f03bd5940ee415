package engines

import (
	"io"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/parameter"
	"pikegate/internal/api"
	"pikegate/internal/client"
	"pikegate/internal/output"
	"pikegate/internal/service"
	"pikegate/testing/demonstration"
)

func TestMain(m *testing.M) { demonstration.Main(m) }

// TestDiskFull: where the service's own records cannot be kept, a run is
// refused with a clear error before the first row, and goes on working once
// there is room.
func TestDiskFull(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	small := filepath.Join(folder, "small")
	require.NoError(t, os.Mkdir(small, 0o755))
	if err := syscall.Mount("tmpfs", small, "tmpfs", 0, "size=2m"); err != nil {
		t.Skipf("a small disk cannot be mounted here: %v", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(small, syscall.MNT_DETACH) })
	kept := demonstration.Open(t, small)
	s, err := service.New(t.Context(), service.Config{
		Store: kept, Engines: demonstration.Engines, Calendar: civil.Calendar{Zone: time.UTC, WeekStart: time.Monday},
		Now: time.Now, TimeLimit: time.Minute, Log: slog.New(slog.DiscardHandler),
	})
	require.NoError(t, err)
	web := httptest.NewServer(api.New(s, slog.New(slog.DiscardHandler), "test"))
	defer func() {
		web.Close()
		assert.NoError(t, s.Close())
		_ = kept.Close()
	}()
	c := client.Client{Server: web.URL}
	run := func() error {
		_, rows, err := c.Start(t.Context(), "jobs-due", client.Run{Inputs: parameter.Inputs{"period": parameter.Typed("2025-03")}}, output.CSV)
		if err != nil {
			return err
		}
		_, err = io.Copy(io.Discard, rows)
		return err
	}
	require.NoError(t, run())
	ballast := filepath.Join(small, "ballast")
	file, err := os.Create(ballast)
	require.NoError(t, err)
	_, err = io.Copy(file, strings.NewReader(strings.Repeat("x", 4<<20)))
	require.ErrorIs(t, err, syscall.ENOSPC)
	require.NoError(t, file.Close())
	var failed error
	for range 200 { // what is left of pages already there is used first
		if failed = run(); failed != nil {
			break
		}
	}
	require.Error(t, failed)
	assert.Contains(t, failed.Error(), "own records")
	require.NoError(t, os.Remove(ballast))
	require.NoError(t, run())
}
