// Package load measures small runs by many callers against a bare handler that
// runs the same statement by hand, in the same round; make bench runs it.
package load

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/internal/api"
	"pikegate/internal/config"
	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/identity"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// business makes a table of 90 days with ten records each.
func business(t testing.TB, path string) {
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(`pragma journal_mode = wal; create table tolls (id integer primary key, day text not null, note text); create index tolls_day on tolls (day);
		with recursive n(i) as (select 1 union all select i + 1 from n where i < 900) insert into tolls select i, date('2026-01-01', '+' || (i % 90) || ' days'), 'note ' || i from n`)
	require.NoError(t, err)
}

// bare runs the statement by hand and writes its rows as JSON.
func bare(t testing.TB, path string) *httptest.Server {
	db, err := sql.Open("sqlite3", "file:"+path+"?mode=ro")
	require.NoError(t, err)
	db.SetMaxOpenConns(8)
	db.SetMaxIdleConns(8)
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var in struct{ Day, Next string }
		if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		rows, err := db.QueryContext(r.Context(), "select id, day, note from tolls where day >= ? and day < ? order by id", in.Day, in.Next)
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		defer rows.Close()
		out := struct {
			Rows [][]any `json:"rows"`
		}{}
		for rows.Next() {
			var id int64
			var day, note string
			if err := rows.Scan(&id, &day, &note); err != nil {
				http.Error(w, err.Error(), http.StatusInternalServerError)
				return
			}
			out.Rows = append(out.Rows, []any{id, day, note})
		}
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(out)
	}))
	t.Cleanup(func() { web.Close(); db.Close() })
	return web
}

// served is the service with a report of the same records, and so many runs kept.
func served(t testing.TB, path string, kept int) *httptest.Server {
	folder := t.TempDir()
	own, err := store.Open(filepath.Join(folder, "pikegate.db"), nil)
	require.NoError(t, err)
	if kept > 0 {
		db, err := sql.Open("sqlite3", filepath.Join(folder, "pikegate.db"))
		require.NoError(t, err)
		_, err = db.Exec(`with recursive n(i) as (select 1 union all select i + 1 from n where i < ?)
			insert into runs (report, version, outcome, format, started_at, as_of, zone, sorted_by, inputs, resolved, read_back, sql, args, count, millis)
			select 'tolls', 1, 'done', 'json', '2026-01-01 00:00:00+00:00', '', 'UTC', '[]', '{}', '{}', 'Tolls', 'select 1', '[]', 10, 1 from n`, kept)
		require.NoError(t, err)
		require.NoError(t, db.Close())
		require.NoError(t, own.Close())
		own, err = store.Open(filepath.Join(folder, "pikegate.db"), nil)
		require.NoError(t, err)
	}
	log := slog.New(slog.DiscardHandler)
	s, err := service.New(t.Context(), service.Config{
		Store: own, Engines: []engine.Engine{sqlite.Engine},
		Calendar: civil.Calendar{Zone: time.UTC, WeekStart: time.Monday}, Now: time.Now, TimeLimit: time.Minute, Log: log, Spool: folder,
	})
	require.NoError(t, err)
	_, err = s.AddSource(t.Context(), anybody(t, s), wire.SourceInfo{Name: "tolls", Engine: "sqlite", Address: path, Encodings: map[string]string{"tolls.day": "iso-date"}}, false)
	require.NoError(t, err)
	_, err = s.Push(t.Context(), anybody(t, s), "kind: query\nname: tolls\nsource: tolls\nfrom: tolls\ncolumns: [id, day, note]\nparameters: [{name: period, kind: period}]\ncriteria: day within :period\nsort: [id]\n---\nkind: report\nname: tolls\nquery: tolls\n", wire.Keeping{})
	require.NoError(t, err)
	_, err = s.Publish(t.Context(), anybody(t, s), "tolls")
	require.NoError(t, err)
	web := httptest.NewServer(api.New(s, log, "bench"))
	t.Cleanup(func() { web.Close(); s.Close(); own.Close() })
	return web
}

// round has callers ask n times together, and gives how many were answered in a
// second, and the time that 99 of 100 answers took at the most.
func round(t testing.TB, callers, n int, address string, body func(i int) string) (perSecond float64, most time.Duration) {
	transport := &http.Transport{MaxIdleConnsPerHost: callers}
	defer transport.CloseIdleConnections()
	client := &http.Client{Transport: transport}
	times := make([]time.Duration, n)
	var wait sync.WaitGroup
	start := time.Now()
	for c := range callers {
		wait.Go(func() {
			for i := c; i < n; i += callers {
				at := time.Now()
				response, err := client.Post(address, "application/json", strings.NewReader(body(i)))
				if err != nil {
					t.Error(err)
					return
				}
				content, err := io.ReadAll(response.Body)
				response.Body.Close()
				if err != nil || response.StatusCode != 200 || bytes.Count(content, []byte("note ")) != 10 {
					t.Errorf("%d %v %.300s", response.StatusCode, err, content)
					return
				}
				times[i] = time.Since(at)
			}
		})
	}
	wait.Wait()
	took := time.Since(start)
	slices.Sort(times)
	return float64(n) / took.Seconds(), times[n*99/100]
}

// BenchmarkSmallRuns reports the throughput of small runs as a part of that of the
// bare handler, and how many times its 99th percentile theirs is; the middle of
// five rounds.
func BenchmarkSmallRuns(b *testing.B) {
	config.TuneMemory(config.DefaultMemory)
	path := filepath.Join(b.TempDir(), "tolls.db")
	business(b, path)
	plain := bare(b, path)
	for _, kept := range []int{0, 500_000} {
		gate := served(b, path, kept)
		for _, callers := range []int{1, 8, 64} {
			b.Run(fmt.Sprintf("kept=%d/callers=%d", kept, callers), func(b *testing.B) {
				day := func(i int) time.Time { return time.Date(2026, 1, 1+i%90, 0, 0, 0, 0, time.UTC) }
				for range b.N {
					var parts, times []float64
					for range 5 {
						const n = 2000
						r1, p1 := round(b, callers, n, plain.URL, func(i int) string {
							return fmt.Sprintf(`{"day":%q,"next":%q}`, day(i).Format("2006-01-02"), day(i).AddDate(0, 0, 1).Format("2006-01-02"))
						})
						r2, p2 := round(b, callers, n, gate.URL+"/api/v1/reports/tolls/runs", func(i int) string {
							return fmt.Sprintf(`{"inputs":{"period":%q}}`, day(i).Format("2006-01-02"))
						})
						parts, times = append(parts, r2/r1), append(times, float64(p2)/float64(p1))
					}
					slices.Sort(parts)
					slices.Sort(times)
					b.ReportMetric(parts[2], "of_bare_throughput")
					b.ReportMetric(times[2], "times_bare_p99")
				}
			})
		}
	}
}

// TestLoad: many callers get their answers while others take files away, none
// of them fails, and each run is recorded as it ended.
func TestLoad(t *testing.T) {
	path := filepath.Join(t.TempDir(), "tolls.db")
	business(t, path)
	gate := served(t, path, 0)
	round(t, 50, 1000, gate.URL+"/api/v1/reports/tolls/runs", func(i int) string {
		return fmt.Sprintf(`{"inputs":{"period":"2026-01-%02d"}}`, i%28+1)
	})
	response, err := http.Get(gate.URL + "/api/v1/runs?limit=1000&outcome=done")
	require.NoError(t, err)
	defer response.Body.Close()
	var runs []struct{ Run int }
	require.NoError(t, json.NewDecoder(response.Body).Decode(&runs))
	require.Len(t, runs, 1000)
}

// anybody is whoever reaches the service while it has no users.
func anybody(t testing.TB, s *service.Service) identity.Actor {
	t.Helper()
	who, err := s.People.Open(t.Context(), "")
	require.NoError(t, err)
	return who
}
