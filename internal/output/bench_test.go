package output_test

import (
	"fmt"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/plan"
	"pikegate/internal/output"
)

// BenchmarkPages lays 20,000 records in three levels of groups out on paper, as PDF and as
// the console's pages. `make bench`; meant to be under 3 s.
func BenchmarkPages(b *testing.B) {
	columns := []plan.Output{
		{Name: "region", Label: "Region", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}},
		{Name: "lock", Label: "Lock", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}, Index: 1},
		{Name: "month", Label: "Month", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}, Index: 2},
		{Name: "passed_at", Label: "Passed at", Type: catalog.DateTime, Format: "medium", Column: catalog.Column{Type: catalog.DateTime, Encoding: catalog.EncISOInstant}, Index: 3},
		{Name: "vessel", Label: "Vessel", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}, Index: 4},
		{Name: "tons", Label: "Tons", Type: catalog.Integer, Column: catalog.Column{Type: catalog.Integer}, Index: 5},
		{Name: "toll", Label: "Toll", Type: catalog.Decimal, Format: "'£'#,##0.00", Column: catalog.Column{Type: catalog.Decimal}, Index: 6},
	}
	groups := []output.Grouping{{Label: "Region", Of: "region", Head: true, Once: true}, {Label: "Lock", Of: "lock", Head: true, Once: true}, {Label: "Month", Of: "month", Once: true}}
	for _, f := range []output.Format{output.PDF, output.Pages} {
		b.Run(f.Name, func(b *testing.B) {
			for b.Loop() {
				w, reader := f.New(io.Discard), plan.NewReader(columns, time.UTC)
				require.NoError(b, w.Begin(output.Header{Title: "Tolls", ReadBack: "All of them.", Columns: columns, Groups: groups, Location: time.UTC, Page: output.PaperOf(definition.Page{})}))
				open := [3]string{}
				for i := range output.MaxPDFRows {
					keys := [3]string{fmt.Sprint("Region ", i/5000), fmt.Sprint("Lock ", i/500), fmt.Sprint("2025-", i/50%12+1)}
					level := 0
					for level < 3 && keys[level] == open[level] {
						level++
					}
					for l := 2; l >= level && i > 0; l-- {
						require.NoError(b, w.Subtotal(output.Subtotal{Level: l, Label: groups[l].Label, Of: groups[l].Of, Type: catalog.Text, Value: open[l], Totals: []output.Total{{Name: "sum of toll", Label: "Sum of toll", Of: "toll", Type: catalog.Decimal, Format: columns[6].Format, Value: "1234.5"}}}))
					}
					for l := level; l < 3; l++ {
						require.NoError(b, w.Opening(output.Opening{Level: l, Label: groups[l].Label, Of: groups[l].Of, Type: catalog.Text, Value: keys[l]}))
					}
					open = keys
					require.NoError(b, w.Row(reader.Read([]any{keys[0], keys[1], keys[2], "2025-03-30T10:03:34Z", fmt.Sprint("Vessel ", i%997), int64(i % 90), fmt.Sprintf("%d.%02d", i%500, i%100)})))
				}
				require.NoError(b, w.End(output.Summary{Outcome: "done", Count: output.MaxPDFRows}))
			}
		})
	}
}
