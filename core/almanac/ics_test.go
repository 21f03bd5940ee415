package almanac_test

import (
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/almanac"
	"pikegate/core/civil"
)

// ics wraps lines of events into a file.
func ics(lines ...string) string {
	return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Test//EN\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VCALENDAR\r\n"
}

func event(lines ...string) string {
	return "BEGIN:VEVENT\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VEVENT"
}

func read(text string) (days []string, codes []string) {
	found, problems := almanac.ReadICS(text, civil.DateOf(2024, 1, 1), civil.DateOf(2027, 12, 31), time.LoadLocation)
	for _, h := range found {
		days = append(days, strings.TrimSpace(h.Day.String()+" "+h.Name))
	}
	for _, p := range problems {
		codes = append(codes, p.Code)
	}
	return days, codes
}

// TestICS: the days were worked out by hand from RFC 5545.
func TestICS(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		want []string
	}{
		"a day":      {ics(event("DTSTART;VALUE=DATE:20260605", "SUMMARY:Open day")), []string{"2026-06-05 Open day"}},
		"two days":   {ics(event("DTSTART;VALUE=DATE:20260605", "DTEND;VALUE=DATE:20260607")), []string{"2026-06-05", "2026-06-06"}},
		"a duration": {ics(event("DTSTART;VALUE=DATE:20260605", "DURATION:P2D")), []string{"2026-06-05", "2026-06-06"}},
		"whole by the clock": {
			ics(event("DTSTART;TZID=Europe/London:20260605T000000", "DTEND;TZID=Europe/London:20260606T000000")),
			[]string{"2026-06-05"},
		},
		"whole days within":   {ics(event("DTSTART:20260604T120000Z", "DTEND:20260607T120000Z")), []string{"2026-06-05", "2026-06-06"}},
		"folded and escaped":  {ics(event("DTSTART;VALUE=DATE:20260605", "SUMMARY:Locks\\, wei", " rs\\; and\\n pumps")), []string{"2026-06-05 Locks, weirs; and  pumps"}},
		"every year":          {ics(event("DTSTART;VALUE=DATE:20201226", "RRULE:FREQ=YEARLY")), []string{"2024-12-26", "2025-12-26", "2026-12-26", "2027-12-26"}},
		"until":               {ics(event("DTSTART;VALUE=DATE:20241226", "RRULE:FREQ=YEARLY;UNTIL=20251231")), []string{"2024-12-26", "2025-12-26"}},
		"counted":             {ics(event("DTSTART;VALUE=DATE:20241226", "RRULE:FREQ=YEARLY;COUNT=2")), []string{"2024-12-26", "2025-12-26"}},
		"first Monday of May": {ics(event("DTSTART;VALUE=DATE:20240506", "RRULE:FREQ=YEARLY;BYMONTH=5;BYDAY=1MO")), []string{"2024-05-06", "2025-05-05", "2026-05-04", "2027-05-03"}},
		"exceptions": {
			ics(event("DTSTART;VALUE=DATE:20240506", "RRULE:FREQ=YEARLY;BYMONTH=5;BYDAY=1MO", "EXDATE;VALUE=DATE:20250505,20260504", "RDATE;VALUE=DATE:20250509")),
			[]string{"2024-05-06", "2025-05-09", "2027-05-03"},
		},
		"one moved": {
			ics(event("UID:a", "DTSTART;VALUE=DATE:20240506", "RRULE:FREQ=YEARLY;BYMONTH=5;BYDAY=1MO;COUNT=2"), event("UID:a", "RECURRENCE-ID;VALUE=DATE:20250505", "DTSTART;VALUE=DATE:20250508")),
			[]string{"2024-05-06", "2025-05-08"},
		},
		"leap days":                 {ics(event("DTSTART;VALUE=DATE:20200229", "RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29")), []string{"2024-02-29"}},
		"cancelled":                 {ics(event("DTSTART;VALUE=DATE:20260605", "STATUS:CANCELLED"), event("DTSTART;VALUE=DATE:20260606")), []string{"2026-06-06"}},
		"a zone of its own":         {ics("BEGIN:VTIMEZONE", "TZID:Lockland", "END:VTIMEZONE", event("DTSTART;TZID=Lockland:20260605T000000", "DURATION:P1D")), []string{"2026-06-05"}},
		"outside the years":         {ics(event("DTSTART;VALUE=DATE:20200101"), event("DTSTART;VALUE=DATE:20260101")), []string{"2026-01-01"}},
		"a quoted colon, and a BOM": {"\ufeff" + ics(event(`DTSTART;X-NOTE="a:b;c";VALUE=DATE:20260605`)), []string{"2026-06-05"}},
		"an alarm within":           {ics(event("DTSTART;VALUE=DATE:20260605", "BEGIN:VALARM", "TRIGGER:-PT15M", "SUMMARY:Wake", "END:VALARM", "SUMMARY:Day")), []string{"2026-06-05 Day"}},
	} {
		t.Run(name, func(t *testing.T) {
			days, codes := read(c.text)
			assert.Empty(t, codes)
			assert.Equal(t, c.want, days)
			days, codes = read(strings.ReplaceAll(c.text, "\r\n", "\n"))
			assert.Empty(t, codes)
			assert.Equal(t, c.want, days)
		})
	}
}

func TestICSRefused(t *testing.T) {
	for name, c := range map[string]struct{ text, code string }{
		"no calendar":         {"kind: calendar\n", "bad_ics"},
		"a card":              {"BEGIN:VCARD\nEND:VCARD\n", "bad_ics"},
		"empty":               {"", "bad_ics"},
		"cut off":             {ics(event("DTSTART;VALUE=DATE:20260605"))[:90], "bad_ics"},
		"cut off in a line":   {"BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTST", "bad_ics"},
		"crossed":             {ics("BEGIN:VEVENT", "END:VTODO"), "bad_ics"},
		"no start":            {ics(event("SUMMARY:x")), "bad_ics"},
		"no date":             {ics(event("DTSTART:tomorrow")), "bad_ics"},
		"ends before":         {ics(event("DTSTART;VALUE=DATE:20260605", "DTEND;VALUE=DATE:20260601")), "bad_ics"},
		"a bad rule":          {ics(event("DTSTART;VALUE=DATE:20260605", "RRULE:FREQ=NEVER")), "bad_ics"},
		"every second":        {ics(event("DTSTART;VALUE=DATE:20260605", "RRULE:FREQ=SECONDLY")), "bad_ics"},
		"hours of each day":   {ics(event("DTSTART;VALUE=DATE:20260605", "RRULE:FREQ=DAILY;BYHOUR=1,2,3")), "bad_ics"},
		"a negative interval": {ics(event("DTSTART;VALUE=DATE:20260605", "RRULE:FREQ=DAILY;INTERVAL=-1")), "bad_ics"},
		"no duration":         {ics(event("DTSTART;VALUE=DATE:20260605", "DURATION:long")), "bad_ics"},
		"a zone there is not": {ics(event("DTSTART;TZID=Atlantis/Harbour:20260605T000000")), "unknown_zone"},
		"a part of a day":     {ics(event("DTSTART:20260605T100000", "DTEND:20260605T110000")), "part_of_day"},
		"long ago":            {ics(event("DTSTART;VALUE=DATE:10000101", "RRULE:FREQ=YEARLY")), "bad_ics"},
		"no text":             {"\xff\xfe", "not_utf8"},
	} {
		t.Run(name, func(t *testing.T) {
			days, problems := almanac.ReadICS(c.text, civil.DateOf(2024, 1, 1), civil.DateOf(2027, 12, 31), time.LoadLocation)
			require.NotEmpty(t, problems)
			assert.Equal(t, c.code, problems[0].Code)
			assert.NotEmpty(t, problems[0].Hint)
			assert.Positive(t, problems[0].Line)
			assert.Empty(t, days)
		})
	}
	// A day that never comes, looked for to the end of time, ends all the same.
	days, codes := read(ics(event("DTSTART;VALUE=DATE:18000101", "RRULE:FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30")))
	assert.Empty(t, days)
	assert.Empty(t, codes)
	days, codes = read(ics(event("DTSTART;VALUE=DATE:18000101", "RRULE:FREQ=DAILY")))
	assert.Len(t, days, 1461)
	assert.Empty(t, codes)
}

func FuzzReadICS(f *testing.F) {
	f.Add(ics(event("DTSTART;VALUE=DATE:20260605", "RRULE:FREQ=YEARLY;COUNT=3", "EXDATE;VALUE=DATE:20260605")))
	f.Add("BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART;TZID=\"a:b\":2026\n x\n")
	f.Fuzz(func(t *testing.T, text string) {
		days, _ := almanac.ReadICS(text, civil.DateOf(2026, 1, 1), civil.DateOf(2026, 12, 31), nil)
		for _, h := range days {
			assert.Equal(t, 2026, h.Day.Year())
		}
	})
}

// TestICSOfPrograms: files as other programs write them, from Debian's packages (calcurse 4.7.1,
// khal 0.10.5); the days are those that the programs list themselves.
func TestICSOfPrograms(t *testing.T) {
	for file, want := range map[string][]string{
		"calcurse.ics": {
			"2025-03-03 Silt survey", "2025-03-17 Silt survey", "2025-03-31 Silt survey", "2025-04-14 Silt survey", "2025-04-18 Good Friday", "2025-05-05 Lock inspection",
			"2025-06-09 Founders' day", "2025-07-05 Lock inspection", "2025-08-05 Lock inspection", "2025-12-25 Christmas Day", "2025-12-26 Boxing Day", "2026-06-09 Founders' day", "2027-06-09 Founders' day",
		},
		"khal.ics": {"2025-04-18 Good Friday", "2025-12-25 Christmas", "2025-12-26 Christmas"},
	} {
		text, err := os.ReadFile("testdata/" + file)
		require.NoError(t, err)
		days, codes := read(string(text))
		assert.Equal(t, []string{"part_of_day", "part_of_day"}, codes, "%s: the meetings take no whole day", file)
		slices.Sort(days)
		assert.Equal(t, want, days, file)
	}
}
