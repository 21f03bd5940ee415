package civil_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
)

// someAlmanac is one with random days off and holidays.
func someAlmanac(random *rand.Rand) *civil.Almanac {
	a := &civil.Almanac{First: civil.DateOf(1990, 1, 1), Last: civil.DateOf(2050, 12, 31)}
	for {
		for day := range a.Off {
			a.Off[day] = random.IntN(3) == 0
		}
		if a.Off != [7]bool{true, true, true, true, true, true, true} {
			break
		}
	}
	for range random.IntN(600) {
		a.Holidays = append(a.Holidays, civil.Holiday{Day: a.First + civil.Date(random.IntN(int(a.Last-a.First)))})
	}
	return a.Seal()
}

// TestWorkingDays holds counting and moving to a walk over the days.
func TestWorkingDays(t *testing.T) {
	random := rand.New(rand.NewPCG(18, 1))
	for range 40 {
		a := someAlmanac(random)
		worked := func(d civil.Date) bool {
			for _, h := range a.Holidays {
				if h.Day == d {
					return false
				}
			}
			return !a.Off[d.Weekday()]
		}
		for range 60 {
			d := a.First + 400 + civil.Date(random.IntN(int(a.Last-a.First-800)))
			require.Equal(t, worked(d), a.Working(d), d)
			n := random.IntN(60) - 30
			at, left := d, n
			for left != 0 {
				step := civil.Date(1)
				if left < 0 {
					step = -1
				}
				if at += step; worked(at) {
					left -= int(step)
				}
			}
			got, ok := a.AddWorking(d, n)
			if n == 0 {
				require.Equal(t, worked(d), ok, d)
				continue
			}
			require.True(t, ok)
			require.Equal(t, at, got, "%s %+d", d, n)

			other := d + civil.Date(random.IntN(200)-100)
			count := 0
			for day := min(d, other) + 1; day <= max(d, other); day++ {
				if worked(day) {
					count++
				}
			}
			if other < d {
				count = -count
			}
			require.Equal(t, count, a.WorkingBetween(d, other), "%s to %s", d, other)
		}
		_, ok := a.AddWorking(a.First-1, 1)
		assert.False(t, ok, "before what is known")
		_, ok = a.AddWorking(a.Last-3, 40)
		assert.False(t, ok, "beyond what is known")
		_, ok = a.AddWorking(a.First+3, -40)
		assert.False(t, ok, "beyond what is known, backwards")
	}
}

// TestFiscalWeeks: the parts of years of weeks follow one another without a hole over 60
// years, have the weeks that are written, and the 53rd is the last part's.
func TestFiscalWeeks(t *testing.T) {
	for _, weeks := range [][]int{{4, 4, 5, 4, 4, 5, 4, 4, 5, 4, 4, 5}, {4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4}, {5, 4, 4, 5, 4, 4, 5, 4, 4, 5, 4, 4}, {26, 26}} {
		for _, end := range []civil.FiscalWeeks{
			{Weekday: time.Saturday, Month: 1}, {Weekday: time.Friday, Month: 12}, {Weekday: time.Saturday, Month: 1, Day: 31}, {Weekday: time.Friday, Month: 12, Day: 31},
		} {
			end.Weeks = weeks
			for _, byStart := range []bool{false, true} {
				c := civil.Calendar{Zone: time.UTC, FiscalByStart: byStart, Almanac: (&civil.Almanac{Weeks: &end}).Seal()}
				for _, unit := range []civil.Unit{civil.FiscalYear, civil.FiscalQuarter, civil.FiscalPeriod, civil.FiscalWeek} {
					next := civil.Date(0)
					for year := 1990; year < 2050; year++ { // plain comparisons: there are millions
						count := c.FiscalParts(unit, year)
						for nth := 1; nth <= count; nth++ {
							first, last, ok := c.FiscalPart(unit, year, nth)
							if !ok || next != 0 && next != first || int(last+1-first)%7 != 0 {
								t.Fatalf("part %d of %d: %s to %s, after %s", nth, year, first, last, next-1)
							}
							next = last + 1
							if unit == civil.FiscalPeriod && nth < count {
								require.Equal(t, weeks[nth-1], int(last+1-first)/7)
							}
							if unit == civil.FiscalYear {
								require.Contains(t, []int{364, 371}, int(last+1-first))
								require.Equal(t, end.Weekday, last.Weekday())
							}
							for _, d := range []civil.Date{first, last, (first + last) / 2} {
								if c.StartOf(unit, d) != first || c.FiscalYearOf(d) != year || c.Add(unit, first, 1) != last+1 || c.Add(unit, last+1, -1) != first {
									t.Fatalf("%s in part %d of %d, %s to %s", d, nth, year, first, last)
								}
							}
						}
					}
				}
			}
		}
	}
}
