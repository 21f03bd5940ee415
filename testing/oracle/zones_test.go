package oracle_test

import (
	"fmt"
	"math/rand/v2"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// TestZones: the day that an instant falls on, worked out by engines that know no
// zones, is that of the standard library: just before and after midnight by each
// offset a year has, around its clock changes and in every month, in years that
// the tables of zones know and in years for which there is a rule.
func TestZones(t *testing.T) {
	t.Parallel()
	names := []string{"Europe/London", "America/New_York", "America/St_Johns", "Australia/Sydney", "Asia/Jerusalem", "America/Santiago", "Pacific/Auckland", "Africa/Cairo", "Asia/Kolkata", "Australia/Lord_Howe"}
	var zones []*time.Location
	instants := map[int64]bool{}
	for _, name := range names {
		zone, err := time.LoadLocation(name)
		require.NoError(t, err)
		zones = append(zones, zone)
		for _, year := range []int{1890, 1955, 1997, 2025, 2037, 2038, 9998} {
			days, offsets := []time.Time{}, map[int]bool{}
			before := 0
			for day := time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC); day.Year() == year; day = day.AddDate(0, 0, 1) {
				_, offset := day.In(zone).Zone()
				offsets[offset] = true
				if offset != before || day.Day() == 15 {
					days = append(days, day.AddDate(0, 0, -2), day.AddDate(0, 0, -1), day, day.AddDate(0, 0, 1))
				}
				before = offset
			}
			for _, day := range days {
				for offset := range offsets {
					for _, second := range []int64{-1, 0} {
						instants[day.Unix()-int64(offset)+second] = true
					}
				}
			}
		}
	}
	for _, kind := range []string{"sqlite", "mysql"} {
		b, db := newEmpty(t, kind, "create table r (id bigint primary key, at varchar(30))")
		insert, err := db.Begin()
		require.NoError(t, err)
		for at := range instants {
			_, err := insert.Exec("insert into r values (?, ?)", at, time.Unix(at, 0).UTC().Format(time.RFC3339))
			require.NoError(t, err)
		}
		require.NoError(t, insert.Commit())
		b.open(t)
		require.NoError(t, b.catalog.SetEncoding("r.at", catalog.EncISOInstant))
		b.survey(t)
		within := b.compile(t, "kind: query\nname: q\nsource: small\nfrom: r\nparameters: [{name: period, kind: period}]\ncolumns: [id, {name: day, value: day of at}, {name: n, value: count}]\ncriteria: at within :period\n")
		compiled := b.compile(t, "kind: query\nname: q\nsource: small\nfrom: r\ncolumns: [id, {name: day, value: day of at}, {name: n, value: count}]\n")
		for _, zone := range zones {
			ctx := b.ctx
			ctx.Zone = zone
			statement, problems := b.planner(compiled, ctx).Records(definition.View{}, parameter.Values{})
			require.NoError(t, problems.Err())
			wrong, looked := []string{}, 0
			require.NoError(t, b.source.Stream(t.Context(), b.source.Dialect().Write(statement.Statement), func(row []any) error {
				looked++
				at := time.Unix(row[0].(int64), 0).In(zone)
				if want := at.Format(time.DateOnly); fmt.Sprint(row[1]) != want && len(wrong) < 5 {
					wrong = append(wrong, fmt.Sprintf("%s falls on %v", at, row[1]))
				}
				return nil
			}))
			assert.Empty(t, wrong, "%s: %s", kind, zone)
			assert.Equal(t, len(instants), looked)
			for range 20 {
				b.inYear(t, within, ctx, 1900+rand.IntN(200), instants)
			}
		}
	}
}

// inYear looks at the days of the instants of one year, for which only the changes
// of that year matter.
func (b *bench) inYear(t *testing.T, compiled *definition.Compiled, ctx civil.Calendar, year int, instants map[int64]bool) {
	t.Helper()
	span, problems := period.Read(strconv.Itoa(year), ctx)
	require.Empty(t, problems)
	statement, problems := b.planner(compiled, ctx).Records(definition.View{}, parameter.Values{"period": {Given: true, Span: span}})
	require.NoError(t, problems.Err())
	want, got := map[int64]string{}, map[int64]string{}
	for at := range instants {
		if local := time.Unix(at, 0).In(ctx.Zone); local.Year() == year {
			want[at] = local.Format(time.DateOnly)
		}
	}
	q := b.source.Dialect().Write(statement.Statement)
	require.NoError(t, b.source.Stream(t.Context(), q, func(row []any) error {
		got[row[0].(int64)] = fmt.Sprint(row[1])
		return nil
	}))
	assert.Equal(t, want, got, "%s %d\n%s", ctx.Zone, year, q.SQL)
	if b.engine == "sqlite" {
		assert.NotContains(t, q.SQL, "date_text", "SQLite's own functions do where it is known how all are written")
	}
}
