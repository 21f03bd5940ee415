// Package export measures what a large export costs: the service over HTTP
// against the sqlite3 program that writes the same records as CSV. `make bench`.
package export

import (
	"bytes"
	"database/sql"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/internal/api"
	"pikegate/internal/config"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/service"
	"pikegate/internal/store"
)

const definitions = `
kind: query
name: movements
source: s
from: movements
parameters: [{ name: period, kind: period, limits: { ends: open } }]
columns: [id, at, on_day, name, place, amount, pence, note]
criteria: at within :period
sort: [id]
---
kind: report
name: movements
query: movements
`

// fixture makes a table of n records of eight columns and a service on it.
func fixture(b *testing.B, n int) (path, address string) {
	b.Helper()
	folder := b.TempDir()
	path = filepath.Join(folder, "s.db")
	db, err := sql.Open("sqlite3", path+"?_journal_mode=OFF&_synchronous=OFF")
	require.NoError(b, err)
	_, err = db.Exec(`create table movements (id integer primary key, at text not null, on_day text not null, name text not null, place text not null, amount real, pence integer, note text);
		with recursive n(i) as (select 1 union all select i + 1 from n where i < ` + fmt.Sprint(n) + `)
		insert into movements select i, strftime('%Y-%m-%dT%H:%M:%SZ', 1672531200 + i * 60, 'unixepoch'), date(1672531200 + i * 60, 'unixepoch'),
			'Vessel ' || (i % 997), 'Lock number ' || (i % 37), (i % 9973) / 4.0, i % 100003, case when i % 5 then 'a note' end from n;
		create index movements_at on movements (at)`)
	require.NoError(b, err)
	require.NoError(b, db.Close())
	return path, serve(b, folder, func(s *service.Service) {
		_, err = s.AddSource(b.Context(), service.SourceInfo{Name: "s", Engine: "sqlite", Address: path})
		require.NoError(b, err)
		_, err = s.Push(b.Context(), definitions)
		require.NoError(b, err)
		_, err = s.Publish(b.Context(), "movements")
		require.NoError(b, err)
	})
}

// serve starts a service that keeps its records in a folder.
func serve(b *testing.B, folder string, install func(*service.Service)) (address string) {
	b.Helper()
	kept, err := store.Open(filepath.Join(folder, "pikegate.db"))
	require.NoError(b, err)
	s, err := service.New(service.Config{
		Store: kept, Engines: map[string]service.Opener{"sqlite": sqlite.Open},
		Calendar: civil.Context{Zone: time.UTC, WeekStart: time.Monday}, Now: time.Now, Log: slog.New(slog.DiscardHandler),
	})
	require.NoError(b, err)
	install(s)
	web := httptest.NewServer(api.New(s, slog.New(slog.DiscardHandler), "bench"))
	b.Cleanup(func() {
		web.Close()
		_ = s.Close()
		_ = kept.Close()
	})
	return web.URL
}

// export downloads the whole as CSV and gives the bytes and the peak of the
// heap in use meanwhile.
func export(b *testing.B, address string) (size int64, peak uint64) {
	b.Helper()
	response, err := http.Post(address+"/api/v1/reports/movements/runs?format=csv", "application/json", strings.NewReader(`{"inputs":{"period":"since 2023-01-01"}}`))
	require.NoError(b, err)
	defer response.Body.Close()
	require.Equal(b, 200, response.StatusCode)
	buffer := make([]byte, 1<<20)
	var m runtime.MemStats
	for next := int64(0); ; {
		n, err := response.Body.Read(buffer)
		size += int64(n)
		if size >= next {
			runtime.ReadMemStats(&m)
			peak, next = max(peak, m.HeapInuse+m.StackInuse), size+8<<20
		}
		if err == io.EOF {
			return size, peak
		}
		require.NoError(b, err)
	}
}

// plain has the sqlite3 program write the same as CSV.
func plain(b *testing.B, path string) {
	b.Helper()
	cmd := exec.Command("sqlite3", "-readonly", "-csv", path, "select id, at, on_day, name, place, amount, pence, note from movements where at >= '2023-01-01' order by id")
	var complaints bytes.Buffer
	cmd.Stderr = &complaints
	out, err := cmd.StdoutPipe()
	require.NoError(b, err)
	require.NoError(b, cmd.Start())
	_, err = io.CopyBuffer(struct{ io.Writer }{io.Discard}, out, make([]byte, 1<<20))
	require.NoError(b, err)
	require.NoError(b, cmd.Wait(), complaints.String())
}

// BenchmarkExport alternates the two, so that both meet the same machine, and
// prints the median ratio of their times.
func BenchmarkExport(b *testing.B) {
	if _, err := exec.LookPath("sqlite3"); err != nil {
		b.Skip("the sqlite3 program is not installed")
	}
	config.TuneMemory() // as the service does
	const rows, rounds = 1_000_000, 5
	path, address := fixture(b, rows)
	small, smallAddress := fixture(b, 10_000)
	_, base := export(b, smallAddress)
	require.NoError(b, os.Remove(small))
	for b.Loop() {
		var ratios []float64
		var peak uint64
		var ours, theirs time.Duration
		for range rounds {
			start := time.Now()
			_, p := export(b, address)
			ours = time.Since(start)
			peak = max(peak, p)
			start = time.Now()
			plain(b, path)
			theirs = time.Since(start)
			ratios = append(ratios, ours.Seconds()/theirs.Seconds())
		}
		slices.Sort(ratios)
		b.ReportMetric(ratios[rounds/2], "times-sqlite3")
		b.ReportMetric(float64(peak)/(1<<20), "MiB-peak")
		b.ReportMetric(float64(peak)/(1<<20)-float64(base)/(1<<20), "MiB-over-10k-rows")
		b.ReportMetric(float64(rows)/ours.Seconds(), "rows/s")
	}
}
