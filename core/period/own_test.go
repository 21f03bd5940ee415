package period_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/period"
)

// river is the calendar of the demonstration, made by hand: worked from Monday to Friday,
// with a few holidays, a season each year, and stoppages of three years.
func river() *civil.Almanac {
	day := civil.DateOf
	return (&civil.Almanac{
		Name: "river", Off: [7]bool{0: true, 6: true}, First: day(2020, 1, 1), Last: day(2029, 12, 31),
		Holidays: []civil.Holiday{{Day: day(2026, 1, 1)}, {Day: day(2026, 4, 3)}, {Day: day(2026, 4, 6)}, {Day: day(2025, 12, 25)}, {Day: day(2025, 12, 26)}},
		Periods: []civil.NamedPeriod{
			{Name: "season", Every: &civil.Yearday{FromMonth: 4, FromDay: 1, ThroughMonth: 10, ThroughDay: 31}},
			{Name: "winter stoppage", Of: []civil.Stretch{
				{Year: 2023, First: day(2023, 12, 4), Last: day(2024, 1, 19)}, {Year: 2025, First: day(2025, 1, 6), Last: day(2025, 2, 14)}, {Year: 2026, First: day(2026, 1, 5), Last: day(2026, 2, 20)},
			}},
		},
	}).Seal()
}

// TestOwnPeriods is read on Wed 18 Mar 2026; what is refused begins with its code.
func TestOwnPeriods(t *testing.T) {
	calendar := contextAt(t, "Europe/London", "2026-03-18")
	calendar.Almanac = river()
	calendar.FiscalStart, calendar.FiscalByStart = 4, true
	for _, c := range [][2]string{
		{"season 2025", "2025-04-01/2025-10-31"},
		{"Season of 2025", "2025-04-01/2025-10-31"},
		{`"season" 2025`, "2025-04-01/2025-10-31"},
		{"the season 2025", "2025-04-01/2025-10-31"},
		{"last season", "2025-04-01/2025-10-31"},
		{"next season", "2026-04-01/2026-10-31"},
		{"winter stoppage 2026", "2026-01-05/2026-02-20"},
		{"winter  Stoppage of 2023", "2023-12-04/2024-01-19"},
		{"last winter stoppage", "2026-01-05/2026-02-20"},
		{"first month of season 2025", "2025-04"},
		{"last day of season 2025", "2025-10-31"},
		{"end of last season", "2025-10-31"},
		{"season 2025 - 1 year", "2024-04-01/2024-10-31"},
		{"season 2024 to season 2025", "2024-04-01/2025-10-31"},
		{"season 2025/..", "2025-04-01/.."},
		{"since last season", "2025-04-01/.."},
		{"before season 2025", "../2025-03-31"},
		{"3 working days ago", "2026-03-13"},
		{"a working day ago", "2026-03-17"},
		{"in 2 working days", "2026-03-20"},
		{"last working day", "2026-03-17"},
		{"this working day", "2026-03-18"},
		{"next workday", "2026-03-19"},
		{"last business day of last month", "2026-02-27"},
		{"first working day of 2026-04", "2026-04-01"},
		{"third working day of 2026-04", "2026-04-07"},
		{"next 12 working days", "2026-03-19/2026-04-07"},
		{"last 10 working days", "2026-03-04/2026-03-17"},
		{"last 10 working days including today", "2026-03-05/2026-03-18"},
		{"today + 12 working days", "2026-04-07"},
		{"2025-12-25 + 1 working day", "2025-12-29"},
		{"2025-12-27 - 1 working day", "2025-12-24"},
		{"2026-01-01 - two working days", "2025-12-30"},
		{"period 7 of fiscal 2026", "2026-10"},
		{"period 7 of FY2026", "2026-10"},
		{"fiscal period 1 of 2026", "2026-04"},
		{"fiscal month 12 of 2025", "2026-03"},
		{"last fiscal period", "2026-02"},
		{"FY2025-Q4", "2026-Q1"},

		{"this season", "no_such_date"},
		{"season to date", "no_such_date"},
		{"next winter stoppage", "no_such_date"},
		{"winter stoppage 2024", "no_such_date"},
		{"season", "incomplete"},
		{"winter stopage 2026", "unknown_word"},
		{"winter quarter", "unknown_word"},
		{"last summer", "unknown_word"},
		{`"season 2025`, "incomplete"},
		{"working day", "incomplete"},
		{"working days ago", "incomplete"},
		{"working season 2025", "unknown_word"},
		{"2026-01-01 + 0 working days", "bad_count"},
		{"1990-01-05 + 3 working days", "out_of_calendar"},
		{"2029-12-30 + 3 working days", "out_of_calendar"},
		{"last month + 3 working days", "not_a_day"},
		{"sixth working day of first week of 2026", "no_such_part"},
		{"last working day of 2025-12-25/2025-12-28", "no_such_part"},
		{"fiscal week 3 of 2026", "no_calendar"},
		{"today - 2 fiscal weeks", "no_calendar"},
		{"fiscal period 13 of 2026", "no_such_date"},
	} {
		span, problems := period.Read(c[0], calendar)
		if len(problems) > 0 {
			assert.Equal(t, c[1], problems[0].Code, "%s: %v", c[0], problems)
			continue
		}
		assert.Equal(t, c[1], span.Canonical(), c[0])
	}
	off := contextAt(t, "Europe/London", "2026-04-03")
	off.Almanac = river()
	_, problems := period.Read("this working day", off)
	require.Len(t, problems, 1)
	assert.Equal(t, "not_worked", problems[0].Code)
	assert.Equal(t, "2026-04-02", problems[0].Fixes[0].Text)
	assert.Equal(t, "2026-04-07", problems[0].Fixes[1].Text)
	for text, code := range map[string]string{"season 2025": "unknown_word", "last working day": "no_calendar", "today + 3 working days": "no_calendar"} {
		_, problems = period.Read(text, contextAt(t, "Europe/London", "2026-03-18"))
		require.Len(t, problems, 1, text)
		assert.Equal(t, code, problems[0].Code, text)
	}
	// What leaves out its year, by the setting.
	for missing, want := range map[civil.MissingYear]string{civil.YearLatest: "2025-04-01/2025-10-31", civil.YearRunning: "2026-04-01/2026-10-31", civil.YearNext: "2026-04-01/2026-10-31"} {
		calendar.Missing = missing
		span, problems := period.Read("season", calendar)
		require.Empty(t, problems)
		assert.Equal(t, want, span.Canonical(), missing)
	}
}

// TestOwnPeriodsByTheDay holds forms of named periods and working days to a walk over the
// days, on random days.
func TestOwnPeriodsByTheDay(t *testing.T) {
	random := rand.New(rand.NewPCG(18, 2))
	a := river()
	worked := func(d civil.Date) bool {
		_, free := a.Holiday(d)
		return !free && d.Weekday() != time.Saturday && d.Weekday() != time.Sunday
	}
	in := func(name string, d civil.Date) (year int, ok bool) {
		for y := d.Year() - 1; y <= d.Year(); y++ {
			p, _ := a.Period(name)
			if s, has := p.In(y); has && s.First <= d && d <= s.Last {
				return y, true
			}
		}
		return 0, false
	}
	walk := func(d civil.Date, n int) civil.Date {
		step := civil.Date(1)
		if n < 0 {
			step, n = -1, -n
		}
		for n > 0 {
			if d += step; worked(d) {
				n--
			}
		}
		return d
	}
	for range 2000 {
		today := civil.DateOf(2021, 1, 1) + civil.Date(random.IntN(7*365))
		calendar := contextAt(t, "Europe/London", today.String())
		calendar.Almanac = a
		read := func(format string, given ...any) (period.Span, bool) {
			span, problems := period.Read(fmt.Sprintf(format, given...), calendar)
			return span, len(problems) == 0
		}
		n := 1 + random.IntN(15)
		span, ok := read("today + %d working days", n)
		require.True(t, ok)
		require.Equal(t, walk(today, n), span.FirstDay())
		span, _ = read("%d working days ago", n)
		require.Equal(t, walk(today, -n), span.FirstDay())
		span, _ = read("last %d working days", n)
		require.Equal(t, period.OfDays(walk(today, -n), walk(today, -1)), span)
		span, _ = read("next %d working days", n)
		require.Equal(t, period.OfDays(walk(today, 1), walk(today, n)), span)
		span, _ = read("last working day of last month")
		_, month, _ := today.YMD()
		require.Equal(t, walk(civil.DateOf(today.Year(), month, 1), -1), span.FirstDay())

		year, within := in("season", today)
		span, ok = read("this season")
		require.Equal(t, within, ok)
		if within {
			require.Equal(t, period.OfDays(civil.DateOf(year, 4, 1), civil.DateOf(year, 10, 31)), span)
		}
		back := today
		for _, now := in("season", back); now; _, now = in("season", back) {
			back--
		}
		for _, now := in("season", back); !now; _, now = in("season", back) {
			back--
		}
		span, ok = read("last season")
		require.True(t, ok)
		require.Equal(t, back, span.LastDay())
	}
}

func BenchmarkOwnPeriods(b *testing.B) {
	calendar := contextAt(b, "Europe/London", "2026-03-18")
	calendar.Almanac = river()
	for _, text := range []string{"season 2025", "last season", "last working day of last month", "today + 5 working days"} {
		b.Run(text, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, problems := period.Read(text, calendar); len(problems) > 0 {
					b.Fatal(problems)
				}
			}
		})
	}
}

// TestPreceding: as long a time right before, in whole months where the period is of these,
// whatever their lengths.
func TestPreceding(t *testing.T) {
	for text, want := range map[string]string{
		"as long before 2025-03":                "2025-02",
		"as long before 2024-02-01/2024-03-31":  "2023-12-01/2024-01-31",
		"as long before 2025-Q1":                "2024-Q4",
		"as long before 2025":                   "2024",
		"as long before 2025-03-10/2025-03-16":  "2025-03-03/2025-03-09",
		"as long before 2024-03-01":             "2024-02-29",
		"as long before 2025-01-15/2025-02-14":  "2024-12-15/2025-01-14",
		"as long before 2025-03-01T06:00/PT12H": "2025-02-28T18:00/PT12H",
	} {
		e, problems := period.Parse(text)
		require.Empty(t, problems, text)
		span, problems := e.Resolve(civil.Calendar{Zone: time.UTC, WeekStart: time.Monday})
		require.Empty(t, problems, text)
		wanted, problems := period.Parse(want)
		require.Empty(t, problems, want)
		other, problems := wanted.Resolve(civil.Calendar{Zone: time.UTC, WeekStart: time.Monday})
		require.Empty(t, problems, want)
		assert.Equal(t, other, span, text)
	}
	e, problems := period.Parse("as long before 2025-01-01/..")
	require.Empty(t, problems)
	_, problems = e.Resolve(civil.Calendar{Zone: time.UTC, WeekStart: time.Monday})
	assert.NotEmpty(t, problems)
	for _, text := range []string{"as long", "as long before", "as before 2025", "as long before since 2025"} {
		_, problems := period.Parse(text)
		assert.NotEmpty(t, problems, text)
	}
}
