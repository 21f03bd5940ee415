package export

import (
	"context"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/internal/demo"
	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/service"
)

// tollsByHand is tolls-by-month of 2025 as somebody would write it who knows when
// the clocks changed in that year.
const tollsByHand = `select substr(date(passages.passed_at, case when passages.passed_at >= '2025-03-30T01' and passages.passed_at < '2025-10-26T01' then '3600 seconds' else '0 seconds' end), 1, 7) as month,
	locks.region, count(*), count(distinct passages.vessel_id), sum(passages.toll_pence) / 100.0, avg(passages.toll_pence) / 100.0, max(passages.passed_at)
	from passages join locks on passages.lock_id = locks.id
	where passages.passed_at >= '2025-01-01' and passages.passed_at < '2026-01-01'
	and locks.opened_on <= date(passages.passed_at, case when passages.passed_at >= '2025-03-30T01' and passages.passed_at < '2025-10-26T01' then '3600 seconds' else '0 seconds' end)
	and (locks.closed_on is null or locks.closed_on >= date(passages.passed_at, case when passages.passed_at >= '2025-03-30T01' and passages.passed_at < '2025-10-26T01' then '3600 seconds' else '0 seconds' end))
	group by 1, 2 order by 1, 2`

// BenchmarkMonths prints how the statement of tolls-by-month for a year stands to
// the same grouping by hand, both read from the database alone.
func BenchmarkMonths(b *testing.B) {
	folder := b.TempDir()
	require.NoError(b, demo.Prepare(folder))
	source, err := sqlite.Open(engine.Address{Name: "navigation", At: filepath.Join(folder, "navigation.db")})
	require.NoError(b, err)
	defer source.Close()
	var ours dialect.Query
	serve(b, folder, func(s *service.Service) {
		require.NoError(b, demo.Install(b.Context(), s, folder))
		explained, err := s.Explain(b.Context(), anybody(b, s), service.Request{Report: "tolls-by-month", Inputs: parameter.Inputs{"period": parameter.Typed("2025")}}, false)
		require.NoError(b, err)
		ours.SQL = explained.SQL
		for _, v := range explained.Values {
			ours.Args = append(ours.Args, v.Value)
		}
	})
	spend := func(q dialect.Query) (took time.Duration, rows int) {
		start := time.Now()
		require.NoError(b, source.Stream(context.Background(), q, func([]any) error { rows++; return nil }))
		return time.Since(start), rows
	}
	const rounds = 15
	for b.Loop() {
		var ratios []float64
		for range rounds {
			first, n := spend(ours)
			second, m := spend(dialect.Query{SQL: tollsByHand})
			require.Equal(b, m, n)
			ratios = append(ratios, first.Seconds()/second.Seconds())
		}
		slices.Sort(ratios)
		b.ReportMetric(ratios[rounds/2], "times-by-hand")
		b.ReportMetric(float64(len(ours.SQL)), "characters")
	}
}
