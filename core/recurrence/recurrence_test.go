package recurrence_test

import (
	"archive/zip"
	"flag"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/teambition/rrule-go"

	"pikegate/core/civil"
	"pikegate/core/recurrence"
)

// TestParse: what can be said, and the one way in which it is kept.
func TestParse(t *testing.T) {
	for _, c := range []struct{ text, canonical string }{
		{"every day at 06:30", ""},
		{"Every Day at 6:30", "every day at 06:30"},
		{"every 2 days at 06:30 from 2026-01-01", ""},
		{"every working day at 7:00", "every working day at 07:00"},
		{"every 3 working days at 07:00 from 2026-01-05", ""},
		{"every monday and thursday at 07:00", ""},
		{"every thursday, monday, thursday at 12:00, 07:00", "every monday and thursday at 07:00 and 12:00"},
		{"every week on friday at 07:00", "every friday at 07:00"},
		{"every 2 weeks on friday at 12:00 from 2026-01-02", ""},
		{"every sunday, monday and friday at 00:00", "every monday, friday and sunday at 00:00"},
		{"on the 1st and the 15th of every month at 06:00", ""},
		{"on the 15th, the 1st of each month at 06:00", "on the 1st and the 15th of every month at 06:00"},
		{"on the first of every month at 06:00", "on the 1st of every month at 06:00"},
		{"on the first day of every month at 06:00", "on the 1st of every month at 06:00"},
		{"on the last day of every month at 23:30", ""},
		{"on the second last day of every month at 23:30", ""},
		{"on the first working day of every month at 07:00", ""},
		{"on the 10th working day and the last working day of every month at 07:00", ""},
		{"on the last friday of every quarter at 09:00", ""},
		{"on the 1st of every 3 months at 09:00 from 2026-02-01", ""},
		{"on the 1st of every fiscal year at 09:00", ""},
		{"on the 3rd of every week at 09:00", ""},
		{"every year on 04-06 at 06:00", ""},
		{"every year on 10-06, 04-06 at 06:00", "every year on 04-06 and 10-06 at 06:00"},
		{"every 4 years on 02-29 at 06:00 from 2024-02-29", ""},
		{"every 15 minutes between 08:00 and 18:00 on working days", ""},
		{"every 15 minutes on working days between 08:00 and 18:00", "every 15 minutes between 08:00 and 18:00 on working days"},
		{"every 90 minutes", ""},
		{"every 60 minutes", "every hour"},
		{"every 2 hours between 08:30 and 18:00 on monday and friday", ""},
		{"every day at 07:00 until 2026-12-31", ""},
		{"every day at 07:00 until 2026-12-31 from 2026-02-01 except holidays", "every day at 07:00 from 2026-02-01 until 2026-12-31 except holidays"},
		{"every monday at 07:00 except holidays, then the next working day", ""},
		{"every monday at 07:00, except holidays then on the previous working day until 2026-12-31", "every monday at 07:00 until 2026-12-31 except holidays, then the previous working day"},
		{"every minute", ""},
	} {
		r, problems := recurrence.Parse(c.text)
		require.NoError(t, problems.Err(), c.text)
		want := c.canonical
		if want == "" {
			want = c.text
		}
		assert.Equal(t, want, r.String(), c.text)
		again, problems := recurrence.Parse(r.String())
		require.NoError(t, problems.Err(), r.String())
		assert.Equal(t, r, again)
	}
}

// TestProblems: what is wrong is marked where it stands, all of it at once where it can be.
func TestProblems(t *testing.T) {
	for text, want := range map[string]string{
		"":                          "incomplete@0+0",
		"monday at 07:00":           "not_understood@0+6",
		"every":                     "incomplete@5+0",
		"every mondey at 07:00":     "not_understood@6+6 Did you mean monday?",
		"every monday":              "no_time@12+0",
		"every monday at 25:00":     "no_such_time@16+5",
		"every monday at 7":         "not_understood@16+1",
		"every monday and at 07:00": "not_understood@17+2",
		"every monday at 07:00 untill 2026-01-01":             "not_understood@22+6 Did you mean until?",
		"every day at 07:00 until 2026-02-30":                 "no_such_date@25+10",
		"every 2 days at 07:00":                               "needs_from@6+1",
		"every 0 days at 07:00 from 2026-01-01":               "bad_step@6+1",
		"every week at 07:00":                                 "no_day@19+0",
		"every year at 07:00":                                 "no_day@19+0",
		"every month at 07:00":                                "no_day@20+0",
		"every month":                                         "no_time@11+0 no_day@11+0",
		"every year on 02-30 at 07:00":                        "no_such_date@14+5",
		"on 1st of every month at 07:00":                      "not_understood@3+3",
		"on the 32nd of every month at 07:00":                 "no_such_day@21+5",
		"on the 6th monday of every month at 07:00":           "no_such_day@27+5",
		"on the 1st of every day at 07:00":                    "bad_unit@20+3",
		"on the last of every month at 07:00":                 "not_understood@12+2",
		"every 15 minutes at 07:00":                           "time_of_steps@17+2",
		"every day between 08:00 and 18:00 at 07:00":          "between_of_days@10+7",
		"every hour between 18:00 and 08:00":                  "end_before_start@29+5",
		"every 2000 minutes":                                  "bad_step@6+4",
		"every day at 07:00 on friday":                        "on_of_days@19+2",
		"every day at 07:00 at 08:00":                         "twice@19+2",
		"every day at 07:00 except sundays":                   "not_understood@26+7",
		"every day at 07:00 except holidays, then later":      "not_understood@41+5",
		"every day at 07:00 from 2026-02-01 until 2026-01-01": "end_before_start@51+0",
		strings.Repeat("every ", 60):                          "too_long@0+360",
	} {
		_, problems := recurrence.Parse(text)
		var got []string
		for _, p := range problems {
			said := fmt.Sprintf("%s@%d+%d", p.Code, p.Offset, p.Length)
			if strings.HasPrefix(p.Hint, "Did you mean") {
				said += " " + p.Hint
			}
			got = append(got, said)
			assert.NotEmpty(t, p.Message)
		}
		want, suggestion, _ := strings.Cut(want, " Did")
		if suggestion != "" {
			want += " Did" + suggestion
		}
		assert.Equal(t, want, strings.Join(got, " "), "%q", text)
	}
}

// almanac has some holidays in 2025 and 2026, weekends besides.
func almanac() *civil.Almanac {
	a := &civil.Almanac{First: civil.DateOf(2025, 1, 1), Last: civil.DateOf(2027, 12, 31), Off: [7]bool{time.Saturday: true, time.Sunday: true}}
	for _, d := range []civil.Date{civil.DateOf(2025, 12, 25), civil.DateOf(2025, 12, 26), civil.DateOf(2026, 1, 1), civil.DateOf(2026, 4, 3), civil.DateOf(2026, 4, 6), civil.DateOf(2026, 5, 4), civil.DateOf(2026, 12, 25), civil.DateOf(2026, 12, 28)} {
		a.Holidays = append(a.Holidays, civil.Holiday{Day: d, Name: "a holiday"})
	}
	return a.Seal()
}

func in(t *testing.T, zone string) civil.Calendar {
	t.Helper()
	loaded, err := time.LoadLocation(zone)
	require.NoError(t, err)
	return civil.Calendar{Zone: loaded, WeekStart: time.Monday, FiscalStart: 4, Almanac: almanac()}
}

// TestNext: examples of when rules are due, on the clock of their zone.
func TestNext(t *testing.T) {
	for text, want := range map[string]string{
		"every day at 06:30": "2026-03-28T06:30:00 2026-03-29T06:30:00 2026-03-30T06:30:00",
		"every day at 01:30": "2026-03-28T01:30:00 2026-03-29T02:00:00 2026-03-30T01:30:00", // the clock leaves it out
		"every 30 minutes between 00:30 and 02:00 on sunday":                                "2026-03-29T00:30:00 2026-03-29T02:00:00 2026-04-05T00:30:00",
		"every monday at 07:00":                                                             "2026-03-30T07:00:00 2026-04-06T07:00:00 2026-04-13T07:00:00",
		"every monday at 07:00 except holidays":                                             "2026-03-30T07:00:00 2026-04-13T07:00:00 2026-04-20T07:00:00",
		"every monday at 07:00 except holidays, then the next working day":                  "2026-03-30T07:00:00 2026-04-07T07:00:00 2026-04-13T07:00:00",
		"every monday at 07:00 except holidays, then the previous working day":              "2026-03-30T07:00:00 2026-04-02T07:00:00 2026-04-13T07:00:00",
		"on the first working day of every month at 07:00":                                  "2026-04-01T07:00:00 2026-05-01T07:00:00 2026-06-01T07:00:00",
		"on the last working day of every month at 07:00":                                   "2026-03-31T07:00:00 2026-04-30T07:00:00 2026-05-29T07:00:00",
		"on the 31st of every month at 07:00":                                               "2026-03-31T07:00:00 2026-05-31T07:00:00 2026-07-31T07:00:00",
		"on the last day of every month at 07:00":                                           "2026-03-31T07:00:00 2026-04-30T07:00:00 2026-05-31T07:00:00",
		"on the last friday of every quarter at 09:00":                                      "2026-06-26T09:00:00 2026-09-25T09:00:00 2026-12-25T09:00:00",
		"every 2 weeks on friday at 12:00 from 2026-01-02":                                  "2026-04-10T12:00:00 2026-04-24T12:00:00 2026-05-08T12:00:00",
		"every year on 02-29 at 06:00":                                                      "2028-02-29T06:00:00 2032-02-29T06:00:00 2036-02-29T06:00:00",
		"every day at 07:00 until 2026-03-29":                                               "2026-03-28T07:00:00 2026-03-29T07:00:00 end",
		"every monday at 07:00 until 2026-04-06 except holidays, then the next working day": "2026-03-30T07:00:00 2026-04-07T07:00:00 end",
		"on the first working day of every week at 08:00":                                   "2026-03-30T08:00:00 2026-04-07T08:00:00 2026-04-13T08:00:00",
		"on the last friday of every 2 quarters at 08:00 from 2026-01-01":                   "2026-09-25T08:00:00 2027-03-26T08:00:00 2027-09-24T08:00:00",
		"on the 2nd of every 2 weeks at 08:00 from 2026-03-30":                              "2026-03-31T08:00:00 2026-04-14T08:00:00 2026-04-28T08:00:00",
		"on the 1st of every fiscal year at 08:00":                                          "2026-04-01T08:00:00 2027-04-01T08:00:00 2028-04-01T08:00:00",
		"every 3 working days at 07:00 from 2026-04-01":                                     "2026-04-01T07:00:00 2026-04-08T07:00:00 2026-04-13T07:00:00",
	} {
		c := in(t, "Europe/London")
		r, problems := recurrence.Parse(text)
		require.NoError(t, problems.Err(), text)
		after := civil.InstantOf(civil.DateOf(2026, 3, 27).Midnight()+24*3600-1, c.Zone)
		list, ended := r.Upcoming(after, 3, c)
		var got []string
		for _, d := range list {
			got = append(got, civil.CivilOf(d.At, c.Zone).String())
		}
		if ended != recurrence.NotEnded {
			got = append(got, "end")
		}
		assert.Equal(t, want, strings.Join(got, " "), text)
	}
	r, problems := recurrence.Parse("every working day at 07:00")
	require.NoError(t, problems.Err())
	_, ended := r.Next(civil.InstantOf(civil.DateOf(2027, 12, 31).Midnight()+8*3600, time.UTC), in(t, "UTC"))
	assert.Equal(t, recurrence.CalendarEnds, ended)
}

var every = flag.Bool("every", false, "whether every clock change is tried, not three of those that are alike")

// TestEveryClockChange: in every zone, three days around each change of its clocks from 1970 to
// 2037, what is due every quarter of an hour is what the clock shows for the first time, and
// what it leaves out is due at once when it goes on.
func TestEveryClockChange(t *testing.T) {
	r, problems := recurrence.Parse("every 15 minutes")
	require.NoError(t, problems.Err())
	zones := distinctZones(t)
	require.Greater(t, len(zones), 300)
	const ages = 900_000_000_000         // so that nothing is negative
	const step = 30                      // seconds: since 1970 clocks were set to half minutes at the finest
	changes, seen := 0, map[[2]int]int{} // by the time of day, and how far the clocks are set
	for _, name := range zones {
		zone, err := time.LoadLocation(name)
		require.NoError(t, err)
		c := civil.Calendar{Zone: zone}
		from := civil.InstantOf(civil.DateOf(1970, 1, 2).Midnight(), zone)
		for _, change := range civil.Changes(zone, from, civil.InstantOf(civil.DateOf(2037, 12, 30).Midnight(), zone)) {
			changes++
			before, after := civil.CivilOf(change.At-1, zone), civil.CivilOf(change.At, zone)
			like := [2]int{before.Seconds(), int(after - before)}
			if seen[like]++; seen[like] > 3 && !*every {
				continue
			}
			begin, end := change.At-36*3600, change.At+36*3600
			// Step by step: a civil quarter is due when it is first shown, or passed over.
			var want []civil.Instant
			first := civil.CivilOf(begin, zone)
			shown := first // the latest that the clock has shown
			for i := begin; ; {
				if i >= change.At-4*3600 && i < change.At+4*3600 {
					i += step
				} else { // where nothing but time goes on
					i += civil.Instant(900 - (civil.CivilOf(i, zone)+ages)%900)
				}
				if i > end {
					break
				}
				now := civil.CivilOf(i, zone)
				if now <= shown {
					continue
				}
				if (now+ages)/900 != (shown+ages)/900 { // a quarter was reached or jumped over
					want = append(want, i)
				}
				shown = now
			}
			var got []civil.Instant
			for at := begin; ; {
				due, ended := r.Next(at, c)
				require.Equal(t, recurrence.NotEnded, ended)
				if due.At > end {
					break
				}
				got, at = append(got, due.At), due.At
			}
			require.Equal(t, want, got, "%s at %s", name, change.At)
		}
	}
	assert.Greater(t, changes, 20_000)
}

// distinctZones are the zones of the time zone database that comes with Go, those that are the
// same under several names once.
func distinctZones(t *testing.T) (names []string) {
	t.Helper()
	root, err := exec.Command("go", "env", "GOROOT").Output()
	require.NoError(t, err)
	files, err := zip.OpenReader(filepath.Join(strings.TrimSpace(string(root)), "lib", "time", "zoneinfo.zip"))
	require.NoError(t, err)
	defer files.Close()
	seen := map[uint32]bool{}
	for _, f := range files.File {
		if !seen[f.CRC32] && !strings.HasSuffix(f.Name, "/") {
			seen[f.CRC32] = true
			names = append(names, f.Name)
		}
	}
	return names
}

// TestCivilDates: the days of random rules are those of another library for RFC 5545, in UTC.
func TestCivilDates(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	days := map[string]rrule.Weekday{"monday": rrule.MO, "tuesday": rrule.TU, "wednesday": rrule.WE, "thursday": rrule.TH, "friday": rrule.FR, "saturday": rrule.SA, "sunday": rrule.SU}
	names := []string{"monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"}
	start := time.Date(2024, 1, 1, 7, 30, 0, 0, time.UTC) // a Monday, and the first of all
	for range 2000 {
		every := 1 + r.IntN(5)
		option := rrule.ROption{Interval: every, Dtstart: start, Count: 12, Wkst: rrule.MO}
		text := ""
		step := func(unit string) string {
			if every == 1 {
				return "every " + unit
			}
			return fmt.Sprintf("every %d %s", every, strings.Replace(unit+"s", "halfs", "halves", 1))
		}
		switch r.IntN(6) {
		case 0:
			option.Freq, text = rrule.DAILY, step("day")
		case 1:
			option.Freq = rrule.WEEKLY
			name := names[r.IntN(7)]
			option.Byweekday = []rrule.Weekday{days[name]}
			text = step("week") + " on " + name
		case 2:
			option.Freq = rrule.MONTHLY
			n := 1 + r.IntN(31)
			option.Bymonthday = []int{n}
			text = fmt.Sprintf("on the %s of %s", place(n), step("month"))
		case 3:
			option.Freq = rrule.MONTHLY
			n := 1 + r.IntN(5)
			option.Bymonthday = []int{-n}
			text = fmt.Sprintf("on the %s last day of %s", place(n), step("month"))
		case 4:
			option.Freq = rrule.MONTHLY
			n, name := 1+r.IntN(5), names[r.IntN(7)]
			weekday := days[name]
			if r.IntN(2) == 0 {
				option.Byweekday = []rrule.Weekday{weekday.Nth(n)}
				text = fmt.Sprintf("on the %s %s of %s", place(n), name, step("month"))
			} else {
				option.Byweekday = []rrule.Weekday{weekday.Nth(-n)}
				text = fmt.Sprintf("on the %s last %s of %s", place(n), name, step("month"))
			}
		default:
			option.Freq = rrule.YEARLY
			month, day := 1+r.IntN(12), 1+r.IntN(29)
			if !civil.Valid(2024, month, day) {
				continue
			}
			option.Bymonth, option.Bymonthday = []int{month}, []int{day}
			text = fmt.Sprintf("%s on %02d-%02d", step("year"), month, day)
		}
		text += " at 07:30 from 2024-01-01"
		theirs, err := rrule.NewRRule(option)
		require.NoError(t, err)
		rule, problems := recurrence.Parse(text)
		require.NoError(t, problems.Err(), text)
		limit := time.Date(2060, 1, 1, 0, 0, 0, 0, time.UTC)
		var want, got []string
		for _, at := range theirs.All() {
			if at.Before(limit) {
				want = append(want, at.Format("2006-01-02T15:04:05"))
			}
		}
		list, _ := rule.Upcoming(civil.Instant(start.Unix()-1), len(want), civil.Calendar{Zone: time.UTC, WeekStart: time.Monday})
		for _, d := range list {
			got = append(got, d.Civil.String())
		}
		require.Equal(t, want, got, text)
	}
}

func place(n int) string {
	return fmt.Sprintf("%d%s", n, map[int]string{1: "st", 2: "nd", 3: "rd", 21: "st", 22: "nd", 23: "rd", 31: "st"}[n]) + map[bool]string{true: "th"}[n > 3 && n != 21 && n != 22 && n != 23 && n != 31]
}

// FuzzParse: whatever is typed is read or refused, and what is read is written and read again
// the same.
func FuzzParse(f *testing.F) {
	for _, text := range []string{"every day at 06:30", "on the second last working day of every fiscal quarter at 7:00, 8:00 from 2026-01-01", "every 15 minutes between 08:00 and 18:00 on working days except holidays, then the next working day", "every 4 years on 02-29 at 06:00 from 2024-02-29"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		r, problems := recurrence.Parse(text)
		for _, p := range problems {
			assert.LessOrEqual(t, p.Offset+p.Length, len([]rune(text))+1)
		}
		if len(problems) > 0 {
			return
		}
		again, problems := recurrence.Parse(r.String())
		require.NoError(t, problems.Err(), r.String())
		require.Equal(t, r, again)
		_, _ = r.Next(1_770_000_000, civil.Calendar{Zone: time.UTC, WeekStart: time.Monday, Almanac: almanac()})
	})
}

// BenchmarkNext is the next time of 10,000 rules.
func BenchmarkNext(b *testing.B) {
	var rules []recurrence.Rule
	texts := []string{"every monday at 07:00", "every working day at 07:00 except holidays, then the next working day", "on the last working day of every month at 07:00", "on the last friday of every quarter at 09:00", "every year on 04-06 at 06:00", "every 15 minutes between 08:00 and 18:00 on working days"}
	for i := range 10_000 {
		r, problems := recurrence.Parse(texts[i%len(texts)])
		require.NoError(b, problems.Err())
		rules = append(rules, r)
	}
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(b, err)
	c := civil.Calendar{Zone: zone, WeekStart: time.Monday, Almanac: almanac()}
	for b.Loop() {
		for i, r := range rules {
			r.Next(civil.Instant(1_770_000_000+i*60), c)
		}
	}
}

// TestRFC5545: a recurrence rule is read where words of ours say the same, and a rule is
// written as one where that does.
func TestRFC5545(t *testing.T) {
	for text, want := range map[string]string{
		"FREQ=DAILY;BYHOUR=7":                                                     "every day at 07:00",
		"RRULE:FREQ=WEEKLY;BYDAY=TH,MO;BYHOUR=7;BYMINUTE=30":                      "every monday and thursday at 07:30",
		"DTSTART:20260102T120000\nRRULE:FREQ=WEEKLY;INTERVAL=2;BYDAY=FR":          "every 2 weeks on friday at 12:00 from 2026-01-02",
		"DTSTART;TZID=Europe/London:20260102T120000\nRRULE:FREQ=DAILY;INTERVAL=2": "every 2 days at 12:00 from 2026-01-02",
		"FREQ=DAILY;BYDAY=MO,TU,WE,TH,FR;BYHOUR=7,12;BYMINUTE=0":                  "every monday, tuesday, wednesday, thursday and friday at 07:00 and 12:00",
		"FREQ=MONTHLY;BYMONTHDAY=1,15,-1;BYHOUR=6":                                "on the 1st, the 15th and the last day of every month at 06:00",
		"FREQ=MONTHLY;BYDAY=1MO,-1FR;BYHOUR=6":                                    "on the first monday and the last friday of every month at 06:00",
		"FREQ=YEARLY;BYMONTH=4;BYMONTHDAY=6;BYHOUR=6;UNTIL=20301231":              "every year on 04-06 at 06:00 until 2030-12-31",
		"FREQ=DAILY;BYHOUR=7;UNTIL=20301231T235959Z":                              "every day at 07:00 until 2030-12-31",
		"FREQ=DAILY;COUNT=5;BYHOUR=7":                                             "not_exact@11+7",
		"FREQ=DAILY":                                                              "no_time@0+10",
		"FREQ=DAILY;INTERVAL=2;BYHOUR=7":                                          "needs_from@0+30",
		"FREQ=WEEKLY;BYHOUR=7":                                                    "not_exact@0+20",
		"FREQ=MONTHLY;BYDAY=MO;BYSETPOS=1;BYHOUR=7":                               "not_exact@22+10 not_exact@0+41",
		"FREQ=SECONDLY": "no_time@0+13 not_exact@0+13",
		"FREQ=DAILY;BYHOUR=24;BYDAY=XX;UNTIL=2030":  "bad_number@11+9 bad_number@21+8 no_such_date@30+10 no_time@0+40",
		"FREQ=DAILY;BYHOUR=7;UNTIL=20301231T120000": "not_exact@20+21",
	} {
		r, problems := recurrence.Parse(text)
		got := r.String()
		if len(problems) > 0 {
			var said []string
			for _, p := range problems {
				said = append(said, fmt.Sprintf("%s@%d+%d", p.Code, p.Offset, p.Length))
			}
			got = strings.Join(said, " ")
		}
		assert.Equal(t, want, got, text)
	}
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	for text, want := range map[string]string{
		"every day at 07:00":           "RRULE:FREQ=DAILY;BYHOUR=7;BYMINUTE=0;BYSECOND=0",
		"every day at 01:30":           "", // which the clock leaves out once a year
		"every day at 07:00 and 12:30": "", // 07:30 and 12:00 would be as well
		"every monday and friday at 07:00 and 12:00 until 2026-12-31": "RRULE:FREQ=WEEKLY;BYDAY=MO,FR;BYHOUR=7,12;BYMINUTE=0;BYSECOND=0;UNTIL=20261231T235959",
		"every 2 weeks on friday at 12:00 from 2026-01-02":            "DTSTART:20260102T120000\nRRULE:FREQ=WEEKLY;INTERVAL=2;BYDAY=FR;BYHOUR=12;BYMINUTE=0;BYSECOND=0",
		"on the 1st and the last day of every month at 07:00":         "RRULE:FREQ=MONTHLY;BYMONTHDAY=1,-1;BYHOUR=7;BYMINUTE=0;BYSECOND=0",
		"on the 1st and the last friday of every month at 07:00":      "",
		"every year on 04-06 and 10-06 at 06:00":                      "RRULE:FREQ=YEARLY;BYMONTH=4,10;BYMONTHDAY=6;BYHOUR=6;BYMINUTE=0;BYSECOND=0",
		"every year on 04-06 and 10-05 at 06:00":                      "",
		"every working day at 07:00":                                  "",
		"every day at 07:00 except holidays":                          "",
		"every 15 minutes":                                            "",
	} {
		r, problems := recurrence.Parse(text)
		require.NoError(t, problems.Err(), text)
		got, ok := r.RFC5545(london)
		assert.Equal(t, want != "", ok, text)
		assert.Equal(t, want, got, text)
		if ok {
			again, problems := recurrence.Parse(got)
			require.NoError(t, problems.Err(), got)
			assert.Equal(t, r, again, got)
		}
	}
}
