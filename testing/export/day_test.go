package export

import (
	"context"
	"database/sql"
	"encoding/csv"
	"flag"
	"fmt"
	"io"
	"net/http"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/internal/config"
	"pikegate/internal/demo"
	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/service"
)

var rows = flag.Int("rows", 1_000_000, "how many records the table has of which one day is asked for")

// BenchmarkOneDay asks over HTTP for one day of a large table with an index,
// and prints how its time stands to hand-written SQL with the same bounds,
// read with database/sql and written as CSV. Run it with -rows 10000000.
func BenchmarkOneDay(b *testing.B) {
	config.TuneMemory(config.DefaultMemory)
	path, address := fixture(b, *rows)
	db, err := sql.Open("sqlite3", "file:"+path+"?mode=ro")
	require.NoError(b, err)
	defer db.Close()
	const rounds = 101
	for b.Loop() {
		var ratios []float64
		for i := range rounds {
			day := time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, i)
			start := time.Now()
			ours := oneDay(b, address, day)
			middle := time.Now()
			theirs := byHand(b, db, day)
			end := time.Now()
			require.Equal(b, theirs, ours)
			ratios = append(ratios, middle.Sub(start).Seconds()/end.Sub(middle).Seconds())
		}
		slices.Sort(ratios)
		b.ReportMetric(ratios[rounds/2], "times-by-hand")
	}
}

func oneDay(b *testing.B, address string, day time.Time) int {
	b.Helper()
	response, err := http.Post(address+"/api/v1/reports/movements/runs?format=csv", "application/json", strings.NewReader(fmt.Sprintf(`{"inputs":{"period":"%s"}}`, day.Format(time.DateOnly))))
	require.NoError(b, err)
	defer response.Body.Close()
	content, err := io.ReadAll(response.Body)
	require.NoError(b, err)
	return len(content)
}

func byHand(b *testing.B, db *sql.DB, day time.Time) int {
	b.Helper()
	found, err := db.Query("select id, at, on_day, name, place, cast(amount as text), pence, note from movements where at >= ? and at < ? order by id",
		day.Format(time.DateOnly), day.AddDate(0, 0, 1).Format(time.DateOnly))
	require.NoError(b, err)
	defer found.Close()
	var out strings.Builder
	w := csv.NewWriter(&out)
	w.UseCRLF = true
	names, err := found.Columns()
	require.NoError(b, err)
	names[5] = "amount"
	require.NoError(b, w.Write(names))
	cells := make([]sql.NullString, len(names))
	into, texts := make([]any, len(names)), make([]string, len(names))
	for i := range cells {
		into[i] = &cells[i]
	}
	for found.Next() {
		require.NoError(b, found.Scan(into...))
		for i, c := range cells {
			texts[i] = c.String
		}
		texts[1] = strings.TrimSuffix(texts[1], "Z") + "+00:00"
		texts[5] = strings.TrimSuffix(texts[5], ".0")
		require.NoError(b, w.Write(texts))
	}
	require.NoError(b, found.Err())
	w.Flush()
	return out.Len()
}

// BenchmarkEdges prints how the search for the records around a period stands
// to the whole run that it is part of, a month at one lock, on the largest
// table of the demonstration.
func BenchmarkEdges(b *testing.B) {
	folder := b.TempDir()
	require.NoError(b, demo.Prepare(folder))
	source, err := sqlite.Open(engine.Address{Name: "navigation", At: filepath.Join(folder, "navigation.db")})
	require.NoError(b, err)
	defer source.Close()
	around := edgeStatement(b, source)
	address := serve(b, folder, func(s *service.Service) { require.NoError(b, demo.Install(b.Context(), s, folder)) })
	spend := func(stream func() error) time.Duration {
		start := time.Now()
		require.NoError(b, stream())
		return time.Since(start)
	}
	const rounds = 51
	for b.Loop() {
		var ratios []float64
		for range rounds {
			whole := spend(func() error {
				response, err := http.Post(address+"/api/v1/reports/passages-by-date/runs", "application/json", strings.NewReader(`{"inputs":{"period":"2025-03","locks":"Harrow Top"},"as_of":"2026-01-01"}`))
				if err != nil {
					return err
				}
				defer response.Body.Close()
				_, err = io.Copy(io.Discard, response.Body)
				return err
			})
			edges := spend(func() error { return source.Stream(context.Background(), around, func([]any) error { return nil }) })
			ratios = append(ratios, edges.Seconds()/whole.Seconds())
		}
		slices.Sort(ratios)
		b.ReportMetric(ratios[rounds/2], "times-the-run")
	}
}
