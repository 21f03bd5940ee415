package period_test

import (
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
	{"before 0001-01-01", "before 0001-01-01", "before Mon 1 Jan 1"},
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
	{"‹2026-3-1›", "unknown_form", "2026-03-01"},
	{"‹2026/03/04›", "unknown_form", "2026-03-04"},
	{"2026-03-14T08:30:15.‹5›", "too_fine", ""},
	{"today ‹tomorrow›", "unknown_form", ""},
	{"‹first month of 2026-03-14›", "part_too_long", ""},
	{"‹日本›", "unknown_word", ""},
	{"this ‹friyay›", "unknown_word", "friday"},
	{"‹Friday›", "incomplete", "last Friday"},
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

func TestBothEndsAreTold(t *testing.T) {
	_, problems := period.Read("31 Feb 2026/2026-13-01", contextAt(t, "UTC", "2026-03-18"))
	require.Len(t, problems, 2)
	assert.Equal(t, []int{0, 12}, []int{problems[0].Offset, problems[1].Offset})
}

// TestFixesRead tries every way out: it must read, or at least be another problem.
func TestFixesRead(t *testing.T) {
	calendar := contextAt(t, "Europe/London", "2026-03-18")
	for _, text := range []string{"2026-02-29", "2026-03-01/2026-04-31", "2026-W54", "2026-Q5", "2026-H0", "03/04/2026", "2026-04-01/2026-03-01", "lst month", "2026-3-1"} {
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
		calendar := civil.Calendar{Zone: time.UTC, Now: 1773830000, WeekStart: time.Monday, FiscalStart: 4}
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
