package oracle_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/testing/oracle"
)

// TestUnits: "month of d", made by the database for a group or here for a
// record, is the period that the language of periods reads around the day.
func TestUnits(t *testing.T) {
	r := random{Rand: rand.New(rand.NewPCG(*seed, 99))}
	for _, b := range []*bench{newBench(t, r), newClean(t, r)} {
		tryUnits(t, b)
	}
}

func tryUnits(t *testing.T, b *bench) {
	units := map[string]civil.Unit{"day": civil.Day, "week": civil.Week, "month": civil.Month, "quarter": civil.Quarter, "half": civil.Half, "year": civil.Year}
	for _, start := range []time.Weekday{time.Monday, time.Sunday, time.Saturday} {
		ctx := b.ctx
		ctx.WeekStart = start
		for word, unit := range units {
			for _, column := range dated {
				for _, grouped := range []string{"", ", { name: n, value: count }"} {
					name := fmt.Sprintf("%s of %s, weeks from %s%s", word, column, start, grouped)
					text := fmt.Sprintf("kind: query\nname: q\nsource: small\nfrom: r\ncolumns: [id, { name: v, value: %s of %s }%s]\n", word, column, grouped)
					compiled := b.compile(t, text)
					statement, problems := b.planner(compiled, ctx).Records(definition.View{}, parameter.Values{})
					require.NoError(t, problems.Err(), name)
					require.NoError(t, b.source.Stream(t.Context(), b.source.Dialect().Write(statement.Statement), func(row []any) error {
						made := any(nil)
						if out := statement.Outputs[1]; out.Formula.Is() {
							made = out.Formula.Of(row)
						} else {
							made = row[out.Index]
						}
						value := b.records[row[0].(int64)][column]
						if _, unfit := value.(oracle.Unfit); unfit || value == nil {
							assert.Nil(t, made, name)
							return nil
						}
						day := value.(oracle.Moment).At.Date()
						want := period.OfDays(day, day).Enclosing(unit, ctx)
						if !want.FirstDay().InRange() {
							return nil
						}
						if last := civil.DateOf(9999, 12, 31) + 1; want.Until > last.Midnight() && start != time.Monday {
							want.Until = last.Midnight()
						}
						got, problems := period.Read(made.(string), ctx)
						assert.Empty(t, problems, "%s: %v", name, made)
						assert.Equal(t, want, got, "%s: %v for %s", name, made, day)
						return nil
					}))
				}
			}
		}
	}
}
