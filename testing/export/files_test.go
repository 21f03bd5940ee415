package export

import (
	"context"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	duckdb "github.com/duckdb/duckdb-go-bindings"
	"github.com/stretchr/testify/require"

	"pikegate/internal/service"
	"pikegate/internal/wire"
)

// inDuck runs statements in a DuckDB of their own.
func inDuck(b *testing.B, statements ...string) {
	b.Helper()
	var database duckdb.Database
	var connection duckdb.Connection
	require.Equal(b, duckdb.StateSuccess, duckdb.Open(":memory:", &database))
	defer duckdb.Close(&database)
	require.Equal(b, duckdb.StateSuccess, duckdb.Connect(database, &connection))
	defer duckdb.Disconnect(&connection)
	for _, statement := range statements {
		var result duckdb.Result
		require.Equal(b, duckdb.StateSuccess, duckdb.Query(connection, statement, &result), duckdb.ResultError(&result))
		duckdb.DestroyResult(&result)
	}
}

// BenchmarkFiles prints how a month of a CSV of ten million rows, taken as CSV over HTTP, stands
// to DuckDB's own copy of the same rows, and the most memory that a reader held for all of them.
func BenchmarkFiles(b *testing.B) {
	folder := filepath.Join(b.TempDir(), "exports")
	require.NoError(b, os.Mkdir(folder, 0o755))
	path := filepath.Join(folder, "passages.csv")
	inDuck(b, `copy (select i as id, strftime(date '2020-01-01' + cast(i * 7919 % 2190 as integer), '%Y-%m-%d') as day, 'Lock ' || (i % 37) as lock,
		cast(i % 10000 as decimal(10, 2)) / 100 as toll, 'A note of some length about passage ' || i as note from range(10000000) t(i)) to '`+path+`' (header)`)
	address := serve(b, b.TempDir(), func(s *service.Service) {
		_, err := s.AddSource(b.Context(), anybody(b, s), wire.SourceInfo{Name: "exports", Engine: "files", Address: folder}, false)
		require.NoError(b, err)
		_, err = s.Push(b.Context(), anybody(b, s), "kind: query\nname: passages\nsource: exports\nfrom: passages\nparameters:\n  - {name: period, kind: period, required: true}\ncolumns: [id, day, lock, toll, note]\ncriteria: day within :period\nsort: [day, id]\n---\nkind: report\nname: passages\nquery: passages\n", wire.Keeping{})
		require.NoError(b, err)
		_, err = s.Publish(b.Context(), anybody(b, s), "passages")
		require.NoError(b, err)
	})
	take := func(period string) (lines int) {
		response, err := http.Post(address+"/api/v1/reports/passages/runs?format=csv", "application/json", strings.NewReader(`{"inputs":{"period":"`+period+`"}}`))
		require.NoError(b, err)
		defer response.Body.Close()
		require.Equal(b, 200, response.StatusCode)
		buffer := make([]byte, 1<<20)
		for {
			n, err := response.Body.Read(buffer)
			lines += strings.Count(string(buffer[:n]), "\n")
			if err == io.EOF {
				return lines
			}
			require.NoError(b, err)
		}
	}
	spend := func(f func()) float64 {
		start := time.Now()
		f()
		return time.Since(start).Seconds()
	}
	const rounds = 5
	for b.Loop() {
		var ratios []float64
		for range rounds {
			ours := spend(func() { require.Equal(b, 141_552, take("2023-03")) })
			theirs := spend(func() {
				inDuck(b, "copy (select id, day, lock, toll, note from read_csv('"+path+"') where day >= '2023-03-01' and day < '2023-04-01' order by day, id) to '"+filepath.Join(b.TempDir(), "month.csv")+"' (header)")
			})
			ratios = append(ratios, ours/theirs)
		}
		slices.Sort(ratios)
		b.ReportMetric(ratios[rounds/2], "times-its-own-copy")
		ctx, stop := context.WithCancel(b.Context())
		most := make(chan int64)
		go func() { most <- mostResident(ctx) }()
		require.Equal(b, 10_000_001, take("2019/2026"))
		stop()
		b.ReportMetric(float64(<-most)/1024, "MiB-reader")
	}
}

// mostResident is the most memory, in KiB, that a reader of files held while the context lasts,
// as the kernel counts it.
func mostResident(ctx context.Context) (most int64) {
	for ctx.Err() == nil {
		time.Sleep(100 * time.Millisecond)
		processes, _ := filepath.Glob("/proc/[0-9]*/cmdline")
		for _, cmdline := range processes {
			if called, err := os.ReadFile(cmdline); err != nil || !strings.HasPrefix(string(called), "pikegate-files\x00") {
				continue
			}
			status, _ := os.ReadFile(filepath.Join(filepath.Dir(cmdline), "status"))
			for line := range strings.Lines(string(status)) {
				if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
					n, _ := strconv.ParseInt(strings.TrimSuffix(strings.TrimSpace(rest), " kB"), 10, 64)
					most = max(most, n)
				}
			}
		}
	}
	return most
}
