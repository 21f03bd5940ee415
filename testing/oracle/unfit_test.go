package oracle_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/runner"
	"pikegate/testing/oracle"
)

// TestUnfitRecords: the records listed for a column with dates are those whose
// stored value is no date, and those alone, on every engine.
func TestUnfitRecords(t *testing.T) {
	t.Parallel()
	for _, b := range onEveryEngine(t, 17) {
		listed := 0
		table := b.catalog.Tables[0]
		for _, c := range table.Columns {
			if c.Encoding == "" {
				continue
			}
			want := []string{}
			for _, id := range b.ids {
				if _, unfit := b.records[id][c.Name].(oracle.Unfit); unfit {
					want = append(want, fmt.Sprint(id))
				}
			}
			result, err := runner.UnfitRows(t.Context(), b.source, nil, table, &c, len(b.ids), london)
			require.NoError(t, err)
			got := []string{}
			for _, row := range result.Rows {
				got = append(got, strings.Fields(strings.Trim(fmt.Sprint(row), "[]"))[0])
			}
			slices.Sort(want)
			slices.Sort(got)
			assert.Equal(t, want, got, "%s: %s, %s as %s", b.engine, c.Name, c.Stored, c.Encoding)
			listed += len(want)
		}
		assert.Greater(t, listed, 100)
	}
}
