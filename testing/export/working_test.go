package export

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/service"
	"pikegate/internal/wire"
)

const fortyYears = `kind: calendar
name: forty
years: {first: 1990, through: 2029}
holidays:
  - every 01-01 or the next working day
  - every easter - 2 days
  - every easter + 1 day
  - every first monday of may
  - every last monday of may
  - every last monday of august
  - every 12-25 or the next working day
  - every 12-26 or the next working day
`

// BenchmarkWorkingDays prints how conditions with 40 years of holidays stand to the same
// written by hand with a list of the days, or, where working days are counted, with a table of
// them beside the data.
func BenchmarkWorkingDays(b *testing.B) {
	folder := b.TempDir()
	path := filepath.Join(folder, "bills.db")
	documents, problems := definition.Decode("", []byte(fortyYears))
	require.Empty(b, problems)
	almanac, problems := documents[0].(*definition.Calendar).Almanac(nil)
	require.Empty(b, problems)
	var free []string
	for _, h := range almanac.Holidays {
		free = append(free, "'"+h.Day.String()+"'")
	}
	list := strings.Join(free, ", ")
	db, err := sql.Open("sqlite3", path)
	require.NoError(b, err)
	_, err = db.Exec(`create table bills (id integer primary key, issued text not null, paid text not null); create index bills_issued on bills (issued);
		with recursive n(i) as (select 1 union all select i + 1 from n where i < 200000)
		insert into bills select i, date('1991-01-01', '+' || (i * 7919 % 13000) || ' days'), date('1991-01-01', '+' || (i * 7919 % 13000 + i % 60) || ' days') from n;
		create table worked (day text primary key) without rowid; analyze`)
	require.NoError(b, err)
	for d := almanac.First; d <= almanac.Last; d++ {
		if almanac.Working(d) {
			_, err = db.Exec("insert into worked values (?)", d.String())
			require.NoError(b, err)
		}
	}
	require.NoError(b, db.Close())
	source, err := sqlite.Open(engine.Address{Name: "bills", At: path})
	require.NoError(b, err)
	defer source.Close()
	spend := func(q dialect.Query) (took time.Duration, rows int) {
		start := time.Now()
		require.NoError(b, source.Stream(context.Background(), q, func([]any) error { rows++; return nil }))
		return time.Since(start), rows
	}
	cases := []struct{ name, criteria, byHand string }{
		{"is-holiday", "is_holiday(issued)", "issued in (" + list + ")"},
		{"is-working-day", "is_working_day(issued)", "strftime('%w', issued) not in ('0', '6') and issued not in (" + list + ")"},
		{"counted", "working_days(issued, paid) > 30", "(select count(*) from worked where day > issued and day <= paid) > 30"},
		{"moved", "issued + 10 working days >= '2010-01-01' and issued + 10 working days < '2011-01-01'", fmt.Sprintf("issued >= '%s' and issued < '%s'", moved(almanac, 2010), moved(almanac, 2011))},
	}
	serve(b, folder, func(s *service.Service) {
		who := anybody(b, s)
		_, err := s.AddSource(b.Context(), who, wire.SourceInfo{Name: "bills", Engine: "sqlite", Address: path, Encodings: map[string]string{"bills.issued": "iso-date", "bills.paid": "iso-date"}}, false)
		require.NoError(b, err)
		text := fortyYears
		for _, c := range cases {
			text += fmt.Sprintf("---\nkind: query\nname: %s\nsource: bills\nfrom: bills\ncalendar: forty\ncolumns: [id, issued]\ncriteria: %s\n---\nkind: report\nname: %[1]s\nquery: %[1]s\n", c.name, c.criteria)
		}
		_, err = s.Push(b.Context(), who, text, wire.Keeping{})
		require.NoError(b, err)
		for _, c := range cases {
			b.Run(c.name, func(b *testing.B) {
				explained, err := s.Explain(b.Context(), who, service.Request{Report: c.name, Draft: true, Inputs: parameter.Inputs{}}, false)
				require.NoError(b, err)
				ours := dialect.Query{SQL: explained.SQL}
				for _, v := range explained.Values {
					ours.Args = append(ours.Args, v.Value)
				}
				const rounds = 9
				for b.Loop() {
					var ratios []float64
					for range rounds {
						first, n := spend(ours)
						second, m := spend(dialect.Query{SQL: "select id, issued from bills where " + c.byHand + " order by id"})
						require.Equal(b, m, n)
						ratios = append(ratios, first.Seconds()/second.Seconds())
					}
					slices.Sort(ratios)
					b.ReportMetric(ratios[rounds/2], "times-by-hand")
					b.ReportMetric(float64(len(ours.SQL)), "characters")
				}
			})
		}
	})
}

// moved is the first day that, ten working days later, is in a year.
func moved(a *civil.Almanac, year int) civil.Date {
	d := civil.DateOf(year, 1, 1)
	for {
		if at, ok := a.AddWorking(d-1, 10); !ok || at.Year() < year {
			return d
		}
		d--
	}
}
