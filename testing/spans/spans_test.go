// Package spans tries the promise everything rests on: a record is returned
// exactly when its civil time lies in the period, whatever the zone and
// however the date is stored, and neighbouring periods part the records.
package spans

import (
	"database/sql"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
)

// zones are tried one by one; those of the second line change their clocks at
// midnight.
var zones = []string{
	"Europe/London", "America/New_York", "Australia/Lord_Howe", "Pacific/Auckland", "Asia/Kolkata", "Pacific/Apia",
	"America/Sao_Paulo", "Africa/Cairo", "Asia/Beirut", "America/Havana", "America/Asuncion",
}

// stored are the columns of the test table: how each keeps the moment. Local
// is the civil time, of which a day's encoding keeps the day only.
var stored = []struct {
	encoding catalog.Encoding
	declared string
	value    func(u time.Time, local string) any
}{
	{catalog.EncDate, "date", func(_ time.Time, l string) any { return l[:10] }},
	{catalog.EncISODate, "text", func(_ time.Time, l string) any { return l[:10] }},
	{catalog.EncISOLocal, "text", func(_ time.Time, l string) any { return l }},
	{catalog.EncLocal, "timestamp", func(_ time.Time, l string) any { return l + ".250" }},
	{catalog.EncISOInstant, "text", func(u time.Time, _ string) any { return u.UTC().Format("2006-01-02T15:04:05Z") }},
	{catalog.EncInstant, "text", func(u time.Time, _ string) any { return u.UTC().Format("2006-01-02T15:04:05.000Z") }},
	{catalog.EncYMD, "integer", func(_ time.Time, l string) any { return l[:4] + l[5:7] + l[8:10] }},
	{catalog.EncUnixS, "integer", func(u time.Time, _ string) any { return u.Unix() }},
	{catalog.EncUnixMS, "integer", func(u time.Time, _ string) any { return u.UnixMilli() + 999 }},
	{catalog.EncUnixUS, "integer", func(u time.Time, _ string) any { return u.UnixMicro() }},
	{catalog.EncSerial1900, "real", func(_ time.Time, l string) any { return serial(l) }},
}

// serial is a spreadsheet's day number of a civil time, worked out from the
// distance to a day whose number is known (1 January 2000 is 36526).
func serial(local string) float64 {
	at, err := time.Parse("2006-01-02T15:04:05", local)
	if err != nil {
		panic(err)
	}
	return 36526 + at.Sub(time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)).Hours()/24
}

// record is one row, and its civil time by the standard library.
type record struct {
	id    int64
	local string
}

func TestRecordsAreReturnedExactly(t *testing.T) {
	for _, name := range zones {
		t.Run(name, func(t *testing.T) {
			zone, err := time.LoadLocation(name)
			require.NoError(t, err)
			random := rand.New(rand.NewPCG(7, uint64(len(name))))
			source, records := table(t, zone, random)
			for _, s := range stored {
				column := string(s.encoding)
				query := compile(t, source, s.encoding)
				for range 60 {
					span := randomSpan(random, records)
					require.Equal(t, expected(records, span), returned(t, query, zone, span), "%s within %s", column, span.Canonical())
				}
				for _, y := range []int{2018, 2024} {
					months := 0
					for m := 1; m <= 12; m++ {
						months += len(returned(t, query, zone, period.OfDays(civil.DateOf(y, m, 1), civil.DateOf(y, m+1, 1)-1)))
					}
					year := len(returned(t, query, zone, period.OfDays(civil.DateOf(y, 1, 1), civil.DateOf(y, 12, 31))))
					require.Equal(t, year, months, "%s: the twelve months of %d", column, y)
					require.NotZero(t, year)
				}
			}
		})
	}
}

// table makes a database whose records crowd around midnights and clock changes.
func table(t *testing.T, zone *time.Location, random *rand.Rand) (engine.Source, []record) {
	t.Helper()
	var moments []time.Time
	first, last := time.Date(2017, 12, 30, 0, 0, 0, 0, time.UTC), time.Date(2025, 1, 3, 0, 0, 0, 0, time.UTC)
	for at := first.In(zone); at.Before(last); {
		_, change := at.ZoneBounds()
		if change.IsZero() || change.After(last) {
			break
		}
		for _, around := range []time.Duration{-25 * time.Hour, -2 * time.Hour, -time.Second, 0, time.Second, 30 * time.Minute, time.Hour, 25 * time.Hour} {
			moments = append(moments, change.Add(around))
		}
		at = change
	}
	for d := first; d.Before(last); d = d.AddDate(0, 0, 1+random.IntN(6)) {
		midnight := time.Date(d.Year(), d.Month(), d.Day(), 0, 0, 0, 0, zone)
		moments = append(moments, midnight.Add(-time.Second), midnight, midnight.Add(time.Duration(random.IntN(86400))*time.Second))
	}

	path := filepath.Join(t.TempDir(), "records.db")
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	ddl, holders := "create table records (id integer primary key", "?"
	for _, s := range stored {
		ddl += fmt.Sprintf(", %q %s", s.encoding, s.declared)
		holders += ", ?"
	}
	_, err = db.Exec(ddl + ")")
	require.NoError(t, err)
	tx, err := db.Begin()
	require.NoError(t, err)
	var records []record
	for i, u := range moments {
		r := record{int64(i + 1), u.In(zone).Format("2006-01-02T15:04:05")}
		values := []any{r.id}
		for _, s := range stored {
			values = append(values, s.value(u, r.local))
		}
		_, err := tx.Exec("insert into records values ("+holders+")", values...)
		require.NoError(t, err)
		records = append(records, r)
	}
	require.NoError(t, tx.Commit())
	require.NoError(t, db.Close())
	source, err := sqlite.Open(engine.Address{Name: "s", At: path})
	require.NoError(t, err)
	t.Cleanup(func() { source.Close() })
	return source, records
}

// query is a checked query on one column, and where it runs.
type query struct {
	*definition.Compiled
	source engine.Source
}

func compile(t *testing.T, source engine.Source, encoding catalog.Encoding) query {
	t.Helper()
	c, err := source.Catalogue(t.Context())
	require.NoError(t, err)
	require.NoError(t, c.SetEncoding("records."+string(encoding), encoding))
	documents, problems := definition.Decode("", fmt.Appendf(nil, `
kind: query
name: q
source: s
from: records
parameters: [{ name: period, kind: period, limits: { ends: open } }]
columns: [id]
criteria: '"%s" within :period'
`, encoding))
	require.Empty(t, problems)
	compiled, problems := definition.Compile(documents[0].(*definition.Query), &c, definition.Library{})
	require.Empty(t, problems)
	return query{compiled, source}
}

func returned(t *testing.T, q query, zone *time.Location, span period.Span) []int64 {
	t.Helper()
	values := parameter.Values{"period": {Given: true, Span: span}}
	statement, problems := plan.Planner{Query: q.Compiled, Calendar: civil.Calendar{Zone: zone}}.Records(definition.View{}, values)
	require.Empty(t, problems)
	ids := []int64{}
	err := q.source.Stream(t.Context(), q.source.Dialect().Write(statement.Statement), func(row []any) error {
		ids = append(ids, row[0].(int64))
		return nil
	})
	require.NoError(t, err)
	return ids
}

// expected is the same by comparing civil times as text.
func expected(records []record, span period.Span) []int64 {
	ids := []int64{}
	for _, r := range records {
		if (span.OpenStart() || r.local >= span.From.String()) && (span.OpenEnd() || r.local < span.Until.String()) {
			ids = append(ids, r.id)
		}
	}
	return ids
}

// randomSpan is of whole days, so that every encoding can hold it; its ends
// fall on days that have records, and one side is open now and then.
func randomSpan(random *rand.Rand, records []record) period.Span {
	day := func() civil.Date {
		at, err := time.Parse(time.DateOnly, records[random.IntN(len(records))].local[:10])
		if err != nil {
			panic(err)
		}
		return civil.DateOf(at.Year(), int(at.Month()), at.Day()) + civil.Date(random.IntN(3)-1)
	}
	a, b := day(), day()
	span := period.OfDays(min(a, b), max(a, b))
	switch random.IntN(8) {
	case 0:
		span.From = civil.Start
	case 1:
		span.Until = civil.End
	}
	return span
}

// TestTimesOfDay: spans that start and end inside a day, on the encodings
// that keep times, away from the hours that clocks show twice.
func TestTimesOfDay(t *testing.T) {
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	random := rand.New(rand.NewPCG(3, 4))
	source, records := table(t, zone, random)
	for _, s := range stored {
		if s.encoding.Type() == catalog.Date {
			continue
		}
		q := compile(t, source, s.encoding)
		for range 60 {
			span := randomSpan(random, records)
			if !span.OpenStart() {
				span.From += civil.DateTime(3*3600 + random.IntN(18*3600))
			}
			if !span.OpenEnd() {
				span.Until += civil.DateTime(3*3600 + random.IntN(1000)*60)
			}
			require.Equal(t, expected(records, span), returned(t, q, zone, span), "%s within %s", s.encoding, span.Canonical())
		}
	}
}

// TestFinerThanColumn: a day's column refuses a period that falls inside a day.
func TestFinerThanColumn(t *testing.T) {
	source, _ := table(t, time.UTC, rand.New(rand.NewPCG(1, 1)))
	for _, e := range []catalog.Encoding{catalog.EncISODate, catalog.EncYMD} {
		q := compile(t, source, e)
		span, problems := period.Read("2024-03-14T08:30/2024-03-15", civil.Calendar{Zone: time.UTC})
		require.Empty(t, problems)
		_, problems = plan.Planner{Query: q.Compiled, Calendar: civil.Calendar{Zone: time.UTC}}.Records(definition.View{}, parameter.Values{"period": {Given: true, Span: span}})
		require.Len(t, problems, 1)
		require.Equal(t, "finer_than_column", problems[0].Code)
		require.Equal(t, "period", problems[0].Field)
	}
}

// TestCoverage counts the records of each day and month in the database and
// compares with the civil times, for every encoding and zone.
func TestCoverage(t *testing.T) {
	for _, name := range zones {
		t.Run(name, func(t *testing.T) {
			zone, err := time.LoadLocation(name)
			require.NoError(t, err)
			source, records := table(t, zone, rand.New(rand.NewPCG(11, 12)))
			for unit, length := range map[civil.Unit]int{civil.Day: 10, civil.Month: 7, civil.Year: 4} {
				want := map[string]int64{}
				for _, r := range records {
					want[r.local[:length]]++
				}
				for _, s := range stored {
					q := compile(t, source, s.encoding)
					statement, problems := plan.Planner{Query: q.Compiled, Calendar: civil.Calendar{Zone: zone}}.Coverage(unit, nil)
					require.Empty(t, problems)
					got := map[string]int64{}
					err := q.source.Stream(t.Context(), q.source.Dialect().Write(statement), func(row []any) error {
						got[fmt.Sprint(row[1])] = row[2].(int64)
						return nil
					})
					require.NoError(t, err)
					require.Equal(t, want, got, "%s by %d characters", s.encoding, length)
				}
			}
		})
	}
}
