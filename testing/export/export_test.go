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
	"pikegate/internal/engine"
	"pikegate/internal/engine/files"
	"pikegate/internal/engine/mysql"
	"pikegate/internal/engine/postgres"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/identity"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
	"pikegate/testing/servers"
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
		_, err = s.AddSource(b.Context(), anybody(b, s), wire.SourceInfo{Name: "s", Engine: "sqlite", Address: path}, false)
		require.NoError(b, err)
		_, err = s.Push(b.Context(), anybody(b, s), definitions, wire.Keeping{})
		require.NoError(b, err)
		_, err = s.Publish(b.Context(), anybody(b, s), "movements")
		require.NoError(b, err)
	})
}

// serve starts a service that keeps its records in a folder.
func serve(b *testing.B, folder string, install func(*service.Service)) (address string) {
	b.Helper()
	kept, err := store.Open(filepath.Join(folder, "pikegate.db"), nil)
	require.NoError(b, err)
	s, err := service.New(b.Context(), service.Config{
		Store: kept, Engines: []engine.Engine{sqlite.Engine, postgres.Engine, mysql.Engine, files.Engine},
		Secret:   func(string) (string, bool) { return servers.Password, true },
		Calendar: civil.Calendar{Zone: time.UTC, WeekStart: time.Monday}, Now: time.Now, Log: slog.New(slog.DiscardHandler),
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

// export downloads the whole in a format and gives the bytes and the peak of
// the heap in use meanwhile.
func export(b *testing.B, address, format string) (size int64, peak uint64) {
	b.Helper()
	response, err := http.Post(address+"/api/v1/reports/movements/runs?format="+format, "application/json", strings.NewReader(`{"inputs":{"period":"since 2023-01-01"}}`))
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
	drain(b, cmd)
}

// BenchmarkExport alternates the two, so that both meet the same machine, and
// prints the median ratio of their times.
func BenchmarkExport(b *testing.B) {
	if _, err := exec.LookPath("sqlite3"); err != nil {
		b.Skip("the sqlite3 program is not installed")
	}
	config.TuneMemory(config.DefaultMemory) // as the service does
	path, address := fixture(b, million)
	small, smallAddress := fixture(b, 10_000)
	_, base := export(b, smallAddress, "csv")
	require.NoError(b, os.Remove(small))
	compare(b, address, "csv", base, "times-sqlite3", func() { plain(b, path) })
}

// BenchmarkWorkbook is the same as a workbook, against our own CSV.
func BenchmarkWorkbook(b *testing.B) { againstCSV(b, "xlsx") }

// BenchmarkHTML is the same as one page of HTML, which is written as the records come.
func BenchmarkHTML(b *testing.B) { againstCSV(b, "html") }

func againstCSV(b *testing.B, format string) {
	config.TuneMemory(config.DefaultMemory)
	_, address := fixture(b, million)
	small, smallAddress := fixture(b, 10_000)
	_, base := export(b, smallAddress, format)
	require.NoError(b, os.Remove(small))
	compare(b, address, format, base, "times-csv", func() { export(b, address, "csv") })
}

const (
	million = 1_000_000
	rounds  = 5
)

func compare(b *testing.B, address, format string, base uint64, name string, plain func()) {
	for b.Loop() {
		var ratios []float64
		var peak uint64
		var ours, theirs time.Duration
		for range rounds {
			start := time.Now()
			_, p := export(b, address, format)
			ours = time.Since(start)
			peak = max(peak, p)
			start = time.Now()
			plain()
			theirs = time.Since(start)
			ratios = append(ratios, ours.Seconds()/theirs.Seconds())
		}
		slices.Sort(ratios)
		b.ReportMetric(ratios[rounds/2], name)
		b.ReportMetric(float64(peak)/(1<<20), "MiB-peak")
		if base > 0 {
			b.ReportMetric(float64(peak)/(1<<20)-float64(base)/(1<<20), "MiB-over-10k-rows")
		}
		b.ReportMetric(float64(million)/ours.Seconds(), "rows/s")
	}
}

// onServer serves a million records that a server keeps.
func onServer(b *testing.B, kind string, server *servers.Server) (address string) {
	return serve(b, b.TempDir(), func(s *service.Service) {
		_, err := s.AddSource(b.Context(), anybody(b, s), wire.SourceInfo{Name: "s", Engine: kind, Address: server.Address, Database: servers.Database, User: servers.Reader}, false)
		require.NoError(b, err)
		_, err = s.Push(b.Context(), anybody(b, s), definitions, wire.Keeping{})
		require.NoError(b, err)
		_, err = s.Publish(b.Context(), anybody(b, s), "movements")
		require.NoError(b, err)
	})
}

// BenchmarkExportPostgres is BenchmarkExport against psql's \copy.
func BenchmarkExportPostgres(b *testing.B) {
	config.TuneMemory(config.DefaultMemory)
	server, db := servers.Postgres(b)
	_, err := db.Exec(`create table movements (id int primary key, at timestamptz not null, on_day date not null, name text not null, place text not null, amount numeric(10, 2), pence int, note text);
		insert into movements select i, timestamptz '2023-01-01 00:00+00' + i * interval '1 minute', date '2023-01-01' + i / 1440, 'Vessel ' || (i % 997), 'Lock number ' || (i % 37), (i % 9973) / 4.0, i % 100003, case when i % 5 > 0 then 'a note' end from generate_series(1, ` + fmt.Sprint(million) + `) as i; analyze movements`)
	require.NoError(b, err)
	host, port, _ := strings.Cut(server.Address, ":")
	compare(b, onServer(b, "postgresql", server), "csv", 0, "times-psql", func() {
		cmd := exec.Command("psql", "-h", host, "-p", port, "-U", "postgres", "-d", servers.Database, "-q", "-c",
			`\copy (select id, at, on_day, name, place, amount, pence, note from movements where at >= '2023-01-01' order by id) to stdout with (format csv)`)
		drain(b, cmd)
	})
}

// BenchmarkExportMariaDB is BenchmarkExport against mariadb --batch --quick.
func BenchmarkExportMariaDB(b *testing.B) {
	config.TuneMemory(config.DefaultMemory)
	server, db := servers.MariaDB(b)
	_, err := db.Exec(`create table movements (id int primary key, at datetime not null, on_day date not null, name varchar(40) not null, place varchar(40) not null, amount decimal(10, 2), pence int, note varchar(40));
		insert into movements select seq, timestamp'2023-01-01 00:00:00' + interval seq minute, date'2023-01-01' + interval floor(seq / 1440) day, concat('Vessel ', seq % 997), concat('Lock number ', seq % 37), (seq % 9973) / 4, seq % 100003, if(seq % 5 > 0, 'a note', null) from seq_1_to_` + fmt.Sprint(million))
	require.NoError(b, err)
	host, port, _ := strings.Cut(server.Address, ":")
	compare(b, onServer(b, "mysql", server), "csv", 0, "times-mariadb", func() {
		cmd := exec.Command("mariadb", "--no-defaults", "-h", host, "-P", port, "-u", servers.Reader, "--password="+servers.Password, "--batch", "--quick", servers.Database,
			"-e", "select id, at, on_day, name, place, amount, pence, note from movements where at >= '2023-01-01' order by id")
		drain(b, cmd)
	})
}

// drain runs a program and reads what it writes.
func drain(b *testing.B, cmd *exec.Cmd) {
	b.Helper()
	var complaints bytes.Buffer
	cmd.Stderr = &complaints
	out, err := cmd.StdoutPipe()
	require.NoError(b, err)
	require.NoError(b, cmd.Start())
	_, err = io.CopyBuffer(struct{ io.Writer }{io.Discard}, out, make([]byte, 1<<20))
	require.NoError(b, err)
	require.NoError(b, cmd.Wait(), complaints.String())
}

// anybody is whoever reaches the service while it has no users.
func anybody(t testing.TB, s *service.Service) identity.Actor {
	t.Helper()
	who, err := s.People.Open(t.Context(), "")
	require.NoError(t, err)
	return who
}
