package period_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/period"
)

// readings: expression, canonical form, read-back; read on Wed 18 Mar 2026 in London.
var readings = [][3]string{
	{"2026-03-14", "2026-03-14", "Sat 14 Mar 2026"},
	{" 14-MAR-2026 ", "2026-03-14", "Sat 14 Mar 2026"},
	{"March 14 2026", "2026-03-14", "Sat 14 Mar 2026"},
	{"2014-5-15", "2014-05-15", "Thu 15 May 2014"},
	{"2014/05/15", "2014-05-15", "Thu 15 May 2014"},
	{"2014.5.15", "2014-05-15", "Thu 15 May 2014"},
	{"2014/5/15 08:30", "2014-05-15T08:30", "Thu 15 May 2014 08:30"},
	{"2014-05-15t08:30", "2014-05-15T08:30", "Thu 15 May 2014 08:30"},
	{"1st of April 2020", "2020-04-01", "Wed 1 Apr 2020"},
	{"1 of April 2020", "2020-04-01", "Wed 1 Apr 2020"},
	{"April 1st, 2020", "2020-04-01", "Wed 1 Apr 2020"},
	{"the 15th of May 2014", "2014-05-15", "Thu 15 May 2014"},
	{"15 MAY, 2014.", "2014-05-15", "Thu 15 May 2014"},
	{"Thu 15 May 2014", "2014-05-15", "Thu 15 May 2014"},
	{"Thursday, 15 May 2014", "2014-05-15", "Thu 15 May 2014"},
	{"Thursday the 15th of May, 2014", "2014-05-15", "Thu 15 May 2014"},
	{"Thu, May 15th 2014", "2014-05-15", "Thu 15 May 2014"},
	{"thurs 2014-05-15", "2014-05-15", "Thu 15 May 2014"},
	{"March of 2026", "2026-03", "Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)"},
	{"1 to 10 April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"1-10 April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"1 – 10 April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"1 April to 10 April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"1st of April to 10th of April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"1st to 10th of April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"from 1 April until 10 April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"from 1 April 2020 up to 10 April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"between 1 April and 10 April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"between 1 and 10 April 2020", "2020-04-01/2020-04-10", "Wed 1 Apr 2020 through Fri 10 Apr 2020 (10 days)"},
	{"April 2020 to June 2020", "2020-Q2", "Wed 1 Apr 2020 through Tue 30 Jun 2020 (91 days)"},
	{"April to June 2020", "2020-Q2", "Wed 1 Apr 2020 through Tue 30 Jun 2020 (91 days)"},
	{"Apr-Jun 2020", "2020-Q2", "Wed 1 Apr 2020 through Tue 30 Jun 2020 (91 days)"},
	{"Q1 to Q3 2025", "2025-01-01/2025-09-30", "Wed 1 Jan 2025 through Tue 30 Sep 2025 (273 days)"},
	{"Q1-Q3 2025", "2025-01-01/2025-09-30", "Wed 1 Jan 2025 through Tue 30 Sep 2025 (273 days)"},
	{"15 December to 15 January 2026", "2025-12-15/2026-01-15", "Mon 15 Dec 2025 through Thu 15 Jan 2026 (32 days)"},
	{"December to February 2026", "2025-12-01/2026-02-28", "Mon 1 Dec 2025 through Sat 28 Feb 2026 (90 days)"},
	{"2024-12-15 to 01-15", "2024-12-15/2025-01-15", "Sun 15 Dec 2024 through Wed 15 Jan 2025 (32 days)"},
	{"15 March 2025 to 10 April", "2025-03-15/2025-04-10", "Sat 15 Mar 2025 through Thu 10 Apr 2025 (27 days)"},
	{"Jan 2024 - Mar 2024", "2024-Q1", "Mon 1 Jan 2024 through Sun 31 Mar 2024 (91 days)"},
	{"2024-01-01 – 2024-03-31", "2024-Q1", "Mon 1 Jan 2024 through Sun 31 Mar 2024 (91 days)"},
	{"2024-01-01-2024-03-31", "2024-Q1", "Mon 1 Jan 2024 through Sun 31 Mar 2024 (91 days)"},
	{"13.03.2026-31.03.2026", "2026-03-13/2026-03-31", "Fri 13 Mar 2026 through Tue 31 Mar 2026 (19 days)"},
	{"2024 - 2025", "2024-01-01/2025-12-31", "Mon 1 Jan 2024 through Wed 31 Dec 2025 (731 days)"},
	{"2024-2025", "2024-01-01/2025-12-31", "Mon 1 Jan 2024 through Wed 31 Dec 2025 (731 days)"},
	{"2026-W12-2026-W13", "2026-03-16/2026-03-29", "Mon 16 Mar 2026 through Sun 29 Mar 2026 (14 days)"},
	{"between 1 March 2026 and 10 March 2026", "2026-03-01/2026-03-10", "Sun 1 Mar 2026 through Tue 10 Mar 2026 (10 days)"},
	{"from 1 March 2026", "2026-03-01/..", "from Sun 1 Mar 2026, no end"},
	{"from 1 March 2026 onwards", "2026-03-01/..", "from Sun 1 Mar 2026, no end"},
	{"from 1 March 2026 on", "2026-03-01/..", "from Sun 1 Mar 2026, no end"},
	{"on or after 1 March 2026", "2026-03-01/..", "from Sun 1 Mar 2026, no end"},
	{"not before 1 March 2026", "2026-03-01/..", "from Sun 1 Mar 2026, no end"},
	{"until 31 March 2026", "../2026-03-31", "before Wed 1 Apr 2026"},
	{"up to 31 March 2026", "../2026-03-31", "before Wed 1 Apr 2026"},
	{"up to and including 31 March 2026", "../2026-03-31", "before Wed 1 Apr 2026"},
	{"on or before 31 March 2026", "../2026-03-31", "before Wed 1 Apr 2026"},
	{"not after 31 March 2026", "../2026-03-31", "before Wed 1 Apr 2026"},
	{"on 14 March 2026", "2026-03-14", "Sat 14 Mar 2026"},
	{"week 12 of 2025", "2025-03-17/2025-03-23", "Mon 17 Mar 2025 through Sun 23 Mar 2025 (7 days)"},
	{"week 12 2025", "2025-03-17/2025-03-23", "Mon 17 Mar 2025 through Sun 23 Mar 2025 (7 days)"},
	{"calendar week 12, 2025", "2025-03-17/2025-03-23", "Mon 17 Mar 2025 through Sun 23 Mar 2025 (7 days)"},
	{"CW12 2025", "2025-03-17/2025-03-23", "Mon 17 Mar 2025 through Sun 23 Mar 2025 (7 days)"},
	{"year 2025", "2025", "Wed 1 Jan 2025 through Wed 31 Dec 2025 (365 days)"},
	{"quarter 2 of 2025", "2025-Q2", "Tue 1 Apr 2025 through Mon 30 Jun 2025 (91 days)"},
	{"fiscal year 2025", "2025", "Wed 1 Jan 2025 through Wed 31 Dec 2025 (365 days)"},
	{"fiscal quarter 2 of 2025", "2025-Q2", "Tue 1 Apr 2025 through Mon 30 Jun 2025 (91 days)"},
	{"first quarter of 2025", "2025-Q1", "Wed 1 Jan 2025 through Mon 31 Mar 2025 (90 days)"},
	{"the second half of 2025", "2025-H2", "Tue 1 Jul 2025 through Wed 31 Dec 2025 (184 days)"},
	{"third month of 2025", "2025-03", "Sat 1 Mar 2025 through Mon 31 Mar 2025 (31 days)"},
	{"last week of March 2026", "2026-03-25/2026-03-31", "Wed 25 Mar 2026 through Tue 31 Mar 2026 (7 days)"},
	{"previous year", "2025", "Wed 1 Jan 2025 through Wed 31 Dec 2025 (365 days)"},
	{"current month", "2026-03", "Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)"},
	{"past 7 days", "2026-03-11/2026-03-17", "Wed 11 Mar 2026 through Tue 17 Mar 2026 (7 days)"},
	{"the last 7 days", "2026-03-11/2026-03-17", "Wed 11 Mar 2026 through Tue 17 Mar 2026 (7 days)"},
	{"7 days back", "2026-03-11", "Wed 11 Mar 2026"},
	{"a week ago", "2026-03-11", "Wed 11 Mar 2026"},
	{"one year ago", "2025-03-18", "Tue 18 Mar 2025"},
	{"last two weeks", "2026-03-02/2026-03-15", "Mon 2 Mar 2026 through Sun 15 Mar 2026 (14 days)"},
	{"last twelve months", "2025-03-01/2026-02-28", "Sat 1 Mar 2025 through Sat 28 Feb 2026 (365 days)"},
	{"today - two weeks", "2026-03-04", "Wed 4 Mar 2026"},
	{"end of last month", "2026-02-28", "Sat 28 Feb 2026"},
	{"start of this quarter", "2026-01-01", "Thu 1 Jan 2026"},
	{"the beginning of the year", "2026-01-01", "Thu 1 Jan 2026"},
	{"the year", "2026", "Thu 1 Jan 2026 through Thu 31 Dec 2026 (365 days)"},
	{"\u00a0２０２６‑０３‑０１\u202fto\u00a0２０２６‑０３‑３１", "2026-03", "Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)"},
	{"2026-03-31 − 1 month", "2026-02-28", "Sat 28 Feb 2026"},
	{"2026-03", "2026-03", "Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)"},
	{"2026-03-01/2026-03-31", "2026-03", "Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)"},
	{"from 2026-03-01 through 2026-04-02", "2026-03-01/2026-04-02", "Sun 1 Mar 2026 through Thu 2 Apr 2026 (33 days)"},
	{"2026-Q1", "2026-Q1", "Thu 1 Jan 2026 through Tue 31 Mar 2026 (90 days)"},
	{"h2 2026", "2026-H2", "Wed 1 Jul 2026 through Thu 31 Dec 2026 (184 days)"},
	{"2026", "2026", "Thu 1 Jan 2026 through Thu 31 Dec 2026 (365 days)"},
	{"2026-W12-3", "2026-03-18", "Wed 18 Mar 2026"},
	{"2026-03-14T08:30", "2026-03-14T08:30", "Sat 14 Mar 2026 08:30"},
	{"2026-03-14 08:30:15", "2026-03-14T08:30:15", "Sat 14 Mar 2026 08:30:15"},
	{"2026-03-14T08:30/2026-03-14T09:15", "2026-03-14T08:30/2026-03-14T09:15", "Sat 14 Mar 2026 08:30 up to and including 09:15"},
	{"2026-07-14T08:30:00+02:00", "2026-07-14T07:30:00", "Tue 14 Jul 2026 07:30:00"},
	{"since 2026-03-01", "2026-03-01/..", "from Sun 1 Mar 2026, no end"},
	{"../2026-03-31", "../2026-03-31", "before Wed 1 Apr 2026"},
	{"before 2026-04", "../2026-03-31", "before Wed 1 Apr 2026"},
	{"after 2026-03-31T23:59", "2026-04-01/..", "from Wed 1 Apr 2026, no end"},
	{"all", "../..", "all dates"},
	{"yesterday", "2026-03-17", "Tue 17 Mar 2026"},
	{"last month", "2026-02", "Sun 1 Feb 2026 through Sat 28 Feb 2026 (28 days)"},
	{"last 7 days", "2026-03-11/2026-03-17", "Wed 11 Mar 2026 through Tue 17 Mar 2026 (7 days)"},
	{"last monday/today", "2026-03-16/2026-03-18", "Mon 16 Mar 2026 through Wed 18 Mar 2026 (3 days)"},
	{"first week of 2026", "2026-01-01/2026-01-07", "Thu 1 Jan 2026 through Wed 7 Jan 2026 (7 days)"},
	{"first month of last quarter", "2025-10", "Wed 1 Oct 2025 through Fri 31 Oct 2025 (31 days)"},
	{"2026-03-31 - 1 month", "2026-02-28", "Sat 28 Feb 2026"},
	{"2026-02 + 1 month", "2026-03", "Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)"},
	{"2026-03-01/P1M", "2026-03", "Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)"},
	{"P1W/2026-03-31", "2026-03-25/2026-03-31", "Wed 25 Mar 2026 through Tue 31 Mar 2026 (7 days)"},
	{"fiscal year to date", "2026-01-01/2026-03-18", "Thu 1 Jan 2026 through Wed 18 Mar 2026 (77 days)"},
	{"9999-12-31", "9999-12-31", "Fri 31 Dec 9999"},
	{"after 9999-12-31", "after 9999-12-31", "from Sat 1 Jan 10000, no end"},
	{"before 0001-01-01", "before 0001-01-01", "before Mon 1 Jan 0001"},
}

func TestReadings(t *testing.T) {
	calendar := contextAt(t, "Europe/London", "2026-03-18")
	for _, r := range readings {
		span, problems := period.Read(r[0], calendar)
		require.Empty(t, problems, r[0])
		assert.Equal(t, r[1], span.Canonical(), r[0])
		assert.Equal(t, r[2], span.ReadBack(), r[0])
	}
}

// refusals: the expression with the part in question between ‹ and ›, the
// code, and a piece of the hint or of a fix.
var refusals = [][3]string{
	{"‹›", "empty", "last month"},
	{"‹2026-02-29›", "no_such_date", "2026-02-28"},
	{"2026-03-01/‹2026-04-31›", "no_such_date", "2026-03-01/2026-04-30"},
	{"‹2026-W54›", "no_such_date", "2026-W53"},
	{"‹2026-Q5›", "no_such_date", "2026-Q4"},
	{"2026-03-14T‹24:01›", "no_such_date", "23:59:59"},
	{"‹03/04/2026›", "ambiguous_date", "2026-04-03"},
	{"‹5-15-14›", "two_digit_year", "2014"},
	{"‹2026-04-01/2026-03-01›", "end_before_start", "2026-03-01/2026-04-01"},
	{"‹lst› month", "unknown_word", "last"},
	{"last ‹mnth›", "unknown_word", "month"},
	{"last ‹0› days", "bad_count", ""},
	{"last ‹999999999› days", "out_of_range", ""},
	{"‹last 9999999 years›", "out_of_range", ""},
	{"2026-03-01‹/›", "incomplete", ".."},
	{"2026-03-14T08:30:15.‹5›", "too_fine", ""},
	{"today ‹tomorrow›", "unknown_form", ""},
	{"‹first month of 2026-03-14›", "part_too_long", ""},
	{"‹日本›", "unknown_word", ""},
	{"this ‹friyay›", "unknown_word", "friday"},
	{"‹Friday›", "incomplete", "last Friday"},
	{"‹15 May›", "incomplete", "2025-05-15"},
	{"‹15 May›", "incomplete", "2026-05-15"},
	{"‹January›", "incomplete", "2026-01"},
	{"‹Q1›", "incomplete", "2026-Q1"},
	{"‹31 June›", "no_such_date", "30 days"},
	{"‹May 32nd›", "no_such_date", "31 days"},
	{"‹Friday›, 15th of May 2014", "wrong_weekday", "Thu 15 May 2014"},
	{"‹Tue› 2026-03-14", "wrong_weekday", "Sat"},
	{"‹Mon› March 2026", "unknown_form", "Remove"},
	{"the ‹past month›", "two_readings", "last 30 days"},
	{"‹past year›", "two_readings", "last 12 months"},
	{"the ‹middle› of March 2026", "unknown_form", "last day"},
	{"‹fifth quarter of 2025›", "no_such_part", "earlier"},
	{"‹week 53 of 2025›", "no_such_date", "2025-W52"},
	{"‹week› 12", "incomplete", "week 12 of 2026"},
	{"fiscal quarter ‹5› of 2025", "no_such_date", ""},
	{"between 2026-03-01‹›", "incomplete", "and 10 March"},
	{"‹1› to 2026-03", "unknown_form", ""},
	{"2026-03-01 -‹›", "incomplete", "3 months"},
	{"‹30 Feb 2026› - 31 Mar 2026", "no_such_date", "2026-02-28"},
	{"‹31 March 2026 - 1 March 2026›", "end_before_start", "Swap"},
	{"‹5› to 7", "unknown_form", ""},
}

func TestRefusals(t *testing.T) {
	calendar := contextAt(t, "Europe/London", "2026-03-18")
	for _, r := range refusals {
		before, rest, _ := strings.Cut(r[0], "‹")
		part, _, _ := strings.Cut(rest, "›")
		text := strings.NewReplacer("‹", "", "›", "").Replace(r[0])
		_, problems := period.Read(text, calendar)
		require.NotEmpty(t, problems, text)
		p := problems[0]
		assert.Equal(t, r[1], p.Code, text)
		assert.Equal(t, []int{len([]rune(before)), len([]rune(part))}, []int{p.Offset, p.Length}, "%s: place", text)
		wayOut := p.Hint
		for _, f := range p.Fixes {
			wayOut += " " + f.Text
		}
		assert.Contains(t, wayOut, r[2], text)
	}
}

// TestLeftOut holds what an interval leaves out against a walk day by day: a start without
// its year is the last such day up to the end, an end without its year the next one from the
// start.
func TestLeftOut(t *testing.T) {
	calendar := contextAt(t, "UTC", "2026-03-18")
	random := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		known := civil.DateOf(1900+random.IntN(200), 1+random.IntN(12), 1+random.IntN(28))
		_, month, day := (known + civil.Date(random.IntN(366))).YMD()
		y, m, d := known.YMD()
		walk := func(step civil.Date) civil.Date {
			for at := known; ; at += step {
				if _, am, ad := at.YMD(); am == month && ad == day {
					return at
				}
			}
		}
		names := [...]string{1: "January", "Feb", "March", "Apr", "May", "June", "Jul", "August", "Sept", "October", "Nov", "December"}
		for text, want := range map[string]string{
			fmt.Sprintf("%d %s to %d %s %d", day, names[month], d, names[m], y):                    walk(-1).String() + "/" + known.String(),
			fmt.Sprintf("%s %d - %04d-%02d-%02d", names[month], day, y, m, d):                      walk(-1).String() + "/" + known.String(),
			fmt.Sprintf("%04d-%02d-%02d until %02d-%02d", y, m, d, month, day):                     known.String() + "/" + walk(1).String(),
			fmt.Sprintf("between %s %d, %d and the %dth of %s", names[m], d, y, day, names[month]): known.String() + "/" + walk(1).String(),
		} {
			wanted, problems := period.Read(want, calendar)
			require.Empty(t, problems)
			got, problems := period.Read(text, calendar)
			if month == 2 && day == 29 && len(problems) > 0 { // a leap day that the nearest year lacks is refused
				assert.Equal(t, "no_such_date", problems[0].Code, text)
				continue
			}
			require.Empty(t, problems, text)
			assert.Equal(t, wanted, got, text)
		}
	}
}

func TestBothEndsAreTold(t *testing.T) {
	_, problems := period.Read("31 Feb 2026/2026-13-01", contextAt(t, "UTC", "2026-03-18"))
	require.Len(t, problems, 2)
	assert.Equal(t, []int{0, 12}, []int{problems[0].Offset, problems[1].Offset})
}

// TestFixesRead tries every way out: it must read, or at least be another problem.
func TestFixesRead(t *testing.T) {
	calendar := contextAt(t, "Europe/London", "2026-03-18")
	for _, text := range []string{"2026-02-29", "2026-03-01/2026-04-31", "2026-W54", "2026-Q5", "2026-H0", "03/04/2026", "2026-04-01/2026-03-01", "lst month", "15 May", "Q1", "the past month", "Thu 14 March 2026"} {
		_, problems := period.Read(text, calendar)
		require.NotEmpty(t, problems, text)
		require.NotEmpty(t, problems[0].Fixes, text)
		for _, fix := range problems[0].Fixes {
			_, problems := period.Read(fix.Text, calendar)
			assert.Empty(t, problems, "%s: the way out %s", text, fix.Text)
		}
	}
}

func TestDateOrder(t *testing.T) {
	calendar := contextAt(t, "UTC", "2026-03-18")
	for order, want := range map[civil.DateOrder]string{civil.OrderDMY: "2026-04-03", civil.OrderMDY: "2026-03-04"} {
		calendar.Order = order
		span, problems := period.Read("03/04/2026", calendar)
		require.Empty(t, problems)
		assert.Equal(t, want, span.Canonical())
	}
	calendar.Order = civil.OrderMDY
	_, problems := period.Read("25/12/2026", calendar)
	require.NotEmpty(t, problems, "a set order accepts only that order")
}

// TestSettingsOfYears: a setting says which year is meant where none is written, or two
// digits; without it both are refused (see refusals).
func TestSettingsOfYears(t *testing.T) {
	calendar := contextAt(t, "UTC", "2026-03-18") // a Wednesday
	for _, c := range []struct{ text, latest, running, next string }{
		{"January", "2026-01", "2026-01", "2027-01"},
		{"March", "2026-03", "2026-03", "2026-03"},
		{"April", "2025-04", "2026-04", "2026-04"},
		{"Q1", "2026-Q1", "2026-Q1", "2026-Q1"},
		{"H2", "2025-H2", "2026-H2", "2026-H2"},
		{"15 May", "2025-05-15", "2026-05-15", "2026-05-15"},
		{"18 March", "2026-03-18", "2026-03-18", "2026-03-18"},
		{"17th of March", "2026-03-17", "2026-03-17", "2027-03-17"},
		{"29 Feb", "2024-02-29", "no_such_date", "2028-02-29"},
		{"Wednesday", "2026-03-18", "2026-03-18", "2026-03-18"},
		{"Friday", "2026-03-13", "2026-03-20", "2026-03-20"},
		{"Monday", "2026-03-16", "2026-03-16", "2026-03-23"},
		{"Tuesday, 17 March", "2026-03-17", "2026-03-17", "wrong_weekday"},
		{"since 1 April", "2025-04-01/..", "2026-04-01/..", "2026-04-01/.."},
		{"April to June", "2025-Q2", "2026-Q2", "2026-Q2"},
		{"February to December", "2025-02-01/2025-12-31", "2026-02-01/2026-12-31", "2026-02-01/2026-12-31"},
		{"December to February", "2025-12-01/2026-02-28", "2025-12-01/2026-02-28", "2026-12-01/2027-02-28"},
		{"first week of May", "2025-05-01/2025-05-07", "2026-05-01/2026-05-07", "2026-05-01/2026-05-07"},
	} {
		for missing, want := range map[civil.MissingYear]string{civil.YearLatest: c.latest, civil.YearRunning: c.running, civil.YearNext: c.next} {
			calendar.Missing = missing
			span, problems := period.Read(c.text, calendar)
			if len(problems) > 0 {
				assert.Equal(t, want, problems[0].Code, "%s, %s: %v", c.text, missing, problems)
				continue
			}
			assert.Equal(t, want, span.Canonical(), "%s, %s", c.text, missing)
		}
	}
	calendar.Order = civil.OrderMDY
	for text, want := range map[string]string{
		"5/15/14": "2014-05-15", "5/15/70": "1970-05-15", "5/15/69": "2069-05-15", "14 May 26": "2026-05-14", "May 14, 99": "1999-05-14",
		"Thu 15 May 14": "2014-05-15", "5/1/14 - 5/31/14": "2014-05",
	} {
		calendar.Century = 0
		_, problems := period.Read(text, calendar)
		require.NotEmpty(t, problems, text)
		assert.Equal(t, "two_digit_year", problems[0].Code, text)
		_, problems = period.Parse(text) // a definition means the same whatever is set
		assert.NotEmpty(t, problems, text)
		calendar.Century = 1970
		span, problems := period.Read(text, calendar)
		require.Empty(t, problems, text)
		assert.Equal(t, want, span.Canonical(), text)
	}
	_, problems := period.Read("2/29/25", calendar)
	require.NotEmpty(t, problems)
	assert.Equal(t, "no_such_date", problems[0].Code)
}

// FuzzRead holds that nothing panics, that a place lies inside the text, and
// that what is printed reads back to the same span.
func FuzzRead(f *testing.F) {
	for _, r := range readings {
		f.Add(r[0])
	}
	for _, r := range refusals {
		f.Add(strings.NewReplacer("‹", "", "›", "").Replace(r[0]))
	}
	f.Fuzz(func(t *testing.T, text string) {
		calendar := civil.Calendar{Zone: time.UTC, Now: 1773830000, WeekStart: time.Monday, FiscalStart: 4, Missing: []civil.MissingYear{"", civil.YearLatest, civil.YearRunning, civil.YearNext}[len(text)%4], Century: len(text) % 3 * 800}
		span, problems := period.Read(text, calendar)
		for _, p := range problems {
			if p.Code == "" || p.Message == "" || p.Offset < 0 || p.Offset+p.Length > len([]rune(text)) {
				t.Fatalf("%q: a problem out of place: %+v", text, p)
			}
		}
		if len(problems) > 0 {
			return
		}
		again, problems := period.Read(span.Canonical(), calendar)
		if len(problems) > 0 || again != span {
			t.Fatalf("%q reads as %+v, printed %q, which reads as %+v %v", text, span, span.Canonical(), again, problems)
		}
		if span.ReadBack() == "" || span.Closed() && span.From >= span.Until {
			t.Fatalf("%q: an empty span %+v", text, span)
		}
	})
}

func BenchmarkRead(b *testing.B) {
	calendar := civil.Calendar{Zone: time.UTC, Now: 1773830000, WeekStart: time.Monday}
	for _, text := range []string{"2026-03-14", "2026-03-01/2026-03-31", "last 3 months including today", "first day of last month"} {
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
