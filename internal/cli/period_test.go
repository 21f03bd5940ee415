package cli

import (
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
)

// BenchmarkPeriodFile reads expressions a line from a file to JSON lines.
func BenchmarkPeriodFile(b *testing.B) {
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(b, err)
	ctx := civil.Calendar{Zone: zone, Now: 1773830000, WeekStart: time.Monday, FiscalStart: 4}
	some := []string{
		"2026-03-14", "last 3 months including today", "2026-03-01/2026-03-31", "first day of last month", "FY2026-Q2",
		"14 March 2026", "this month - 1 year", "since 2026-03-01", "P7D/2026-03-31", "2026-03-14T08:30/..",
	}
	const lines = 100_000
	text := strings.Repeat(strings.Join(some, "\n")+"\n", lines/len(some))
	b.ReportAllocs()
	for b.Loop() {
		require.NoError(b, describeLines(strings.NewReader(text), io.Discard, ctx))
	}
	b.ReportMetric(float64(lines)*float64(b.N)/b.Elapsed().Seconds(), "expressions/s")
}
