package civil_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
)

// TestEveryDayOfFourHundredYears walks a whole cycle of the calendar beside a
// counting calendar that knows nothing but the lengths of months.
func TestEveryDayOfFourHundredYears(t *testing.T) {
	lengths := [...]int{31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31}
	y, m, d, weekday := 1800, 1, 1, time.Wednesday
	day := civil.DateOf(1800, 1, 1)
	for y < 2200 {
		gy, gm, gd := day.YMD()
		if gy != y || gm != m || gd != d || day.Weekday() != weekday || civil.DateOf(y, m, d) != day || !civil.Valid(y, m, d) {
			t.Fatalf("day %d: got %04d-%02d-%02d %s, want %04d-%02d-%02d %s", day, gy, gm, gd, day.Weekday(), y, m, d, weekday)
		}
		isoYear, isoWeek := time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC).ISOWeek()
		monday, ok := civil.ISOWeekMonday(isoYear, isoWeek)
		if !ok || day < monday || day > monday+6 {
			t.Fatalf("%s is not in %d-W%02d, which starts on %s", day, isoYear, isoWeek, monday)
		}
		length := lengths[m-1]
		if m == 2 && (y%4 == 0 && y%100 != 0 || y%400 == 0) {
			length = 29
		}
		day, weekday = day+1, (weekday+1)%7
		if d++; d > length {
			d, m = 1, m+1
		}
		if m > 12 {
			m, y = 1, y+1
		}
	}
}

// zones are a dozen, those that change their clock at midnight among them.
var zones = []string{
	"Europe/London", "America/New_York", "Australia/Lord_Howe", "America/Sao_Paulo", "Africa/Cairo", "Asia/Beirut",
	"America/Havana", "Asia/Kathmandu", "Pacific/Apia", "America/St_Johns", "Asia/Tehran", "Africa/Casablanca",
}

// TestInstants looks at every half hour around every change of the clocks of
// 1970 to 2037: the instant of a civil time is the first one at which the
// clocks show it or a later time.
func TestInstants(t *testing.T) {
	for _, name := range zones {
		zone, err := time.LoadLocation(name)
		require.NoError(t, err)
		clock := civil.NewClock(zone)
		at := time.Date(1970, 1, 2, 0, 0, 0, 0, time.UTC).In(zone)
		for changes := 0; at.Year() < 2038; changes++ {
			_, change := at.ZoneBounds()
			if change.IsZero() {
				break
			}
			at = change
			for minutes := -27 * 60; minutes <= 27*60; minutes += 30 {
				u := civil.Instant(change.Unix() + int64(minutes*60))
				want := civilText(time.Unix(int64(u), 0).In(zone))
				shown, _ := clock.Civil(u)
				require.Equal(t, want, shown.String(), name)
				require.Equal(t, want, civil.CivilOf(u, zone).String(), name)
				back := civil.InstantOf(shown, zone)
				require.LessOrEqual(t, back, u, "%s %s: a time shown twice means the first", name, want)
				require.Equal(t, shown, civil.CivilOf(back, zone), "%s %s", name, want)
				// The civil time half an hour on, which may not exist.
				later := shown + 1800
				i := civil.InstantOf(later, zone)
				require.GreaterOrEqual(t, civil.CivilOf(i, zone), later, "%s %s", name, later)
				require.Less(t, civil.CivilOf(i-1, zone), later, "%s %s", name, later)
			}
		}
	}
}

// TestFarFuture: beyond the tables of the zones, their rules go on; every
// midnight to the year 9999 has its instant.
func TestFarFuture(t *testing.T) {
	for _, name := range zones {
		zone, err := time.LoadLocation(name)
		require.NoError(t, err)
		for day := civil.DateOf(2037, 12, 25); day.Year() < 9999; day += 61 {
			i := civil.InstantOf(day.Midnight(), zone)
			require.GreaterOrEqual(t, civil.CivilOf(i, zone), day.Midnight(), "%s %s", name, day)
			require.Less(t, civil.CivilOf(i-1, zone), day.Midnight(), "%s %s", name, day)
		}
	}
	changes := civil.Changes(time.UTC, 0, 1<<40)
	require.Equal(t, []civil.Change{{At: 0, Offset: 0}}, changes)
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	require.Len(t, civil.Changes(london, civil.InstantOf(civil.DateOf(2023, 1, 1).Midnight(), london), civil.InstantOf(civil.DateOf(2060, 1, 1).Midnight(), london)), 1+2*37)
}

func civilText(t time.Time) string { return t.Format("2006-01-02T15:04:05") }

func TestAddMonths(t *testing.T) {
	for _, c := range []struct {
		from string
		n    int
		want civil.Date
	}{
		{"2026-03-31", -1, civil.DateOf(2026, 2, 28)},
		{"2024-02-29", 12, civil.DateOf(2025, 2, 28)},
		{"2024-02-29", 48, civil.DateOf(2028, 2, 29)},
		{"2026-01-15", -13, civil.DateOf(2024, 12, 15)},
	} {
		day, err := time.Parse(time.DateOnly, c.from)
		require.NoError(t, err)
		assert.Equal(t, c.want, civil.DateOf(day.Year(), int(day.Month()), day.Day()).AddMonths(c.n), "%s %+d", c.from, c.n)
	}
}
