package almanac_test

import (
	"fmt"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/almanac"
	"pikegate/core/civil"
)

// gauss is Easter Sunday by another algorithm than the product's.
// Source: Gauss 1816, as completed by Lichtenberg.
func gauss(year int) civil.Date {
	k := year / 100
	m := 15 + (3*k+3)/4 - (8*k+13)/25
	s := 2 - (3*k+3)/4
	a := year % 19
	d := (19*a + m) % 30
	r := (d + a/11) / 29
	og := 21 + d - r
	sz := 7 - (year+year/4+s)%7
	oe := 7 - (og-sz)%7
	return civil.DateOf(year, 3, og+oe)
}

// TestEaster holds it to another algorithm in every year, and to ncal where it goes.
func TestEaster(t *testing.T) {
	for year := 1583; year <= 9999; year++ {
		require.Equal(t, gauss(year), almanac.Easter(year), year)
	}
	for _, year := range []int{1818, 1943, 1954, 1981, 2000, 2008, 2019, 2025, 2026, 2038, 2049, 2076} {
		ncal := exec.Command("ncal", "-e", fmt.Sprint(year))
		ncal.Env = []string{"LC_ALL=C"}
		out, err := ncal.Output()
		require.NoError(t, err, "make deps installs ncal")
		want, err := time.Parse("01/02/06", strings.TrimSpace(string(out)))
		require.NoError(t, err, string(out))
		assert.Equal(t, want.Format("01-02"), almanac.Easter(year).String()[5:])
	}
}

func TestRules(t *testing.T) {
	for _, c := range []struct {
		text string
		year int
		want string // empty for none
	}{
		{"2026-06-05", 2026, "2026-06-05"},
		{"2026-06-05", 2027, ""},
		{"every 12-26", 2026, "2026-12-26"},
		{"every 02-29", 2024, "2024-02-29"},
		{"every 02-29", 2026, ""},
		{"every easter", 2026, "2026-04-05"},
		{"every easter - 2 days", 2026, "2026-04-03"},
		{"every Easter + 1 day", 2026, "2026-04-06"},
		{"every easter + 49 days", 2026, "2026-05-24"},
		{"every first monday of may", 2026, "2026-05-04"},
		{"every last monday of may", 2026, "2026-05-25"},
		{"every fifth friday of february", 2026, ""},
		{"every fifth saturday of february", 2020, "2020-02-29"},
		{"every 05-01 from 1978", 1977, ""},
		{"every 05-01 from 1978", 1978, "1978-05-01"},
		{"every 05-01 through 2000", 2001, ""},
		{"every 05-01 from 1990 through 2000", 2000, "2000-05-01"},
	} {
		rule, problems := almanac.ParseRule(c.text)
		require.Empty(t, problems, c.text)
		day, ok := rule.In(c.year)
		if assert.Equal(t, c.want != "", ok, "%s in %d", c.text, c.year) && ok {
			assert.Equal(t, c.want, day.String(), c.text)
		}
	}
}

// TestRulesRefused tells what is wrong, and where.
func TestRulesRefused(t *testing.T) {
	for _, c := range [][3]string{
		{"Boxing Day", "bad_holiday", "Boxing"},
		{"every monday", "bad_holiday", "monday"},
		{"every 13-01", "bad_holiday", "13-01"},
		{"every first monday", "bad_holiday", ""},
		{"every first someday of may", "bad_holiday", "someday"},
		{"every first monday of maytime", "bad_holiday", "maytime"},
		{"every easter - two days", "bad_holiday", "two"},
		{"every easter - 2", "bad_holiday", ""},
		{"every 12-26 or the day after", "bad_holiday", "or"},
		{"every 12-26 and 12-27", "bad_holiday", "and"},
		{"every 12-26 from then", "bad_holiday", "then"},
		{"2026-02-30", "bad_holiday", "2026-02-30"},
		{"every 02-30", "never_occurs", "every 02-30"},
		{"every 04-31", "never_occurs", "every 04-31"},
		{"every 05-01 from 2020 through 2019", "never_occurs", "every 05-01 from 2020 through 2019"},
		{"every 02-29 from 2021 through 2023", "never_occurs", "every 02-29 from 2021 through 2023"},
		{"", "bad_holiday", ""},
	} {
		_, problems := almanac.ParseRule(c[0])
		if assert.Len(t, problems, 1, c[0]) {
			p := problems[0]
			assert.Equal(t, c[1], p.Code, c[0])
			assert.Equal(t, c[2], string([]rune(c[0])[p.Offset:p.Offset+p.Length]), c[0])
			assert.NotEmpty(t, p.Hint, c[0])
		}
	}
}

// TestYearEnds holds the ends of fiscal years of weeks to a walk over the days.
func TestYearEnds(t *testing.T) {
	for _, text := range []string{"last saturday of january", "last friday of december", "saturday nearest 01-31", "friday nearest 12-31", "sunday nearest 06-30"} {
		end, problems := almanac.ParseYearEnd(text)
		require.Empty(t, problems, text)
		words := strings.Fields(text)
		for year := 1990; year <= 2050; year++ {
			var want civil.Date
			if words[0] == "last" {
				for d := civil.DateOf(year, end.Month, 1); ; d++ {
					if _, m, _ := d.YMD(); m != end.Month {
						break
					} else if strings.EqualFold(d.Weekday().String(), words[1]) {
						want = d
					}
				}
			} else {
				anchor := civil.DateOf(year, end.Month, end.Day)
				for away := civil.Date(0); want == 0; away++ {
					for _, d := range []civil.Date{anchor - away, anchor + away} {
						if strings.EqualFold(d.Weekday().String(), words[0]) {
							want = d
						}
					}
				}
			}
			assert.Equal(t, want.String(), end.End(year).String(), "%s in %d", text, year)
		}
	}
	for _, text := range []string{"", "saturday", "last someday of may", "last saturday of may or so", "friday nearest 02-30", "friday nearest"} {
		_, problems := almanac.ParseYearEnd(text)
		assert.Len(t, problems, 1, text)
	}
}

func TestDaysOfYears(t *testing.T) {
	days, problems := almanac.ParseDays("11-15/02-29")
	require.Empty(t, problems)
	p := civil.NamedPeriod{Name: "winter", Every: &days}
	for year, want := range map[int]string{2023: "2023-11-15 2024-02-29", 2024: "2024-11-15 2025-02-28"} {
		s, ok := p.In(year)
		require.True(t, ok)
		assert.Equal(t, want, s.First.String()+" "+s.Last.String())
	}
	for _, text := range []string{"", "04-01", "04-01/13-01", "02-30/03-01", "2026-04-01/2026-10-31"} {
		_, problems := almanac.ParseDays(text)
		assert.Len(t, problems, 1, text)
	}
}

func FuzzParseRule(f *testing.F) {
	for _, text := range []string{"2026-06-05", "every 12-26 or the next working day", "every easter - 2 days", "every first monday of may from 1978"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		rule, problems := almanac.ParseRule(text)
		for _, p := range problems {
			assert.LessOrEqual(t, p.Offset+p.Length, len(text))
		}
		if len(problems) == 0 {
			for year := 2000; year < 2030; year++ {
				if day, ok := rule.In(year); ok && day.Year() != year && rule.Move == 0 && !strings.Contains(strings.ToLower(text), "easter") {
					t.Errorf("%q gives %s in %d", text, day, year)
				}
			}
		}
	})
}
