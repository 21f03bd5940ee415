package oracle_test

import (
	"fmt"
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/testing/oracle"
)

// TestLeftOut: the records that a run counts as left out are those that it does
// not return and that might match, were their date another: on every engine, of
// every way to store dates.
func TestLeftOut(t *testing.T) {
	t.Parallel()
	for _, b := range onEveryEngine(t, 19) {
		counted, once := 0, 0
		for _, c := range b.catalog.Tables[0].Columns {
			if c.Encoding == "" {
				continue
			}
			for pattern, might := range map[string]func(high bool) bool{
				"%s >= '2025-01'":                       func(bool) bool { return true },
				"%s within '2025-03' and m > 1":         func(high bool) bool { return high },
				"not (%s < '2025-02') and m > 1":        func(high bool) bool { return high },
				"%s < '2025-02' or m > 1":               func(high bool) bool { return !high },
				"not (%s < '2025-02' and m > 1)":        func(high bool) bool { return high },
				"(%s < '2025-02' or m <= 1) and m <= 1": func(bool) bool { return false },
			} {
				text := fmt.Sprintf(pattern, c.Name)
				want := int64(0)
				for _, record := range b.records {
					high := record["m"].(*big.Rat).Cmp(big.NewRat(1, 1)) > 0
					if _, unfit := record[c.Name].(oracle.Unfit); unfit && might(high) {
						want++
					}
				}
				compiled := b.compile(t, "kind: query\nname: q\nsource: small\nfrom: r\ncolumns: [id]\ncriteria: \""+text+"\"\n")
				planner := plan.Planner{Query: compiled, Calendar: b.ctx}
				statement, columns := planner.LeftOut(parameter.Values{})
				require.Len(t, columns, 1, text)
				got := int64(-1)
				require.NoError(t, b.source.Stream(t.Context(), b.source.Dialect().Write(statement), func(row []any) error {
					got, _ = row[0].(int64)
					return nil
				}))
				assert.Equal(t, want, got, "%s: %s, %s as %s", b.engine, text, c.Stored, c.Encoding)
				counted += int(want)
				records, problems := planner.Records(definition.View{}, parameter.Values{})
				require.NoError(t, problems.Err(), text)
				if edges, ok := planner.Edges(records.Statement); ok && b.compareOnce(t, planner, edges, parameter.Values{}, text) {
					once++
				}
			}
		}
		assert.Greater(t, counted, 200)
		assert.Positive(t, once, b.engine)
	}
}

// compareOnce holds what one reading of a table tells of the records around a period, and of
// those left out, against the searches for each by itself.
func (b *bench) compareOnce(t *testing.T, planner plan.Planner, edges plan.Edges, values parameter.Values, text string) (made bool) {
	t.Helper()
	if edges.Once == nil {
		return false
	}
	var want []any
	for _, s := range []*plan.Statement{edges.Before, edges.After} {
		if s == nil {
			continue
		}
		if found := b.values(t, *s); len(found) > 0 {
			want = append(want, found[0][0])
		} else {
			want = append(want, nil)
		}
	}
	if edges.Counts {
		left, columns := planner.LeftOut(values)
		require.Len(t, columns, 1, text)
		want = append(want, b.values(t, left)[0][0])
	}
	assert.Equal(t, [][]any{want}, b.values(t, *edges.Once), "%s: %s", b.engine, text)
	return true
}
