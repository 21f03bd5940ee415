package recurrence

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// A recurrence rule of RFC 5545 (3.3.10) is read where it says what a rule of ours can say, and
// a rule of ours is written as one where that says exactly the same: it knows no holidays, and
// leaves out times that the clock leaves out.

// isRFC tells whether a text is such a rule: RRULE:FREQ=WEEKLY;BYDAY=MO, perhaps after a line
// or a part with DTSTART.
func isRFC(text string) bool { return strings.Contains(strings.ToUpper(text), "FREQ=") }

// rfcDays are the weekdays by their names there.
var rfcDays = map[string]time.Weekday{"SU": time.Sunday, "MO": time.Monday, "TU": time.Tuesday, "WE": time.Wednesday, "TH": time.Thursday, "FR": time.Friday, "SA": time.Saturday}

// rfcReader reads such a rule.
type rfcReader struct {
	text     string
	problems diag.Problems
	rule     Rule
	freq     string
	hours    []int
	minutes  []int
	months   []int
	days     []int
	weekdays []Pick // with 0 for every one
}

// part is a name and its value, at its place in characters.
type part struct {
	name, value string
	start, end  int
}

func (r *rfcReader) fail(p part, code, message, hint string) {
	problem := diag.At(r.text, p.start, p.end, code, message)
	problem.Hint = hint
	r.problems = append(r.problems, problem)
}

// parseRFC reads a recurrence rule.
func parseRFC(text string) (Rule, diag.Problems) {
	r := &rfcReader{text: text, rule: Rule{Every: 1, End: lastMinute}}
	for _, p := range rfcParts(text) {
		r.part(p)
	}
	whole := part{start: 0, end: utf8.RuneCountInString(text)}
	r.settle(whole)
	if len(r.problems) > 0 {
		return Rule{}, r.problems
	}
	made, problems := Parse(r.rule.String()) // what our own words cannot say is told in them
	for i := range problems {
		problems[i].Offset, problems[i].Length, problems[i].Source = 0, whole.end, ""
	}
	return made, problems
}

// rfcParts takes a rule apart at semicolons and line ends.
func rfcParts(text string) (parts []part) {
	at := 0
	for _, piece := range strings.FieldsFunc(strings.ReplaceAll(text, "\r", "\n"), func(r rune) bool { return r == ';' || r == '\n' }) {
		index := strings.Index(text[at:], piece)
		start := utf8.RuneCountInString(text[:at+index])
		at += index + len(piece)
		clean := strings.ToUpper(strings.TrimSpace(piece))
		clean = strings.TrimPrefix(clean, "RRULE:")
		name, value, ok := strings.Cut(clean, "=")
		if !ok || strings.HasPrefix(clean, "DTSTART:") || strings.HasPrefix(clean, "TZID=") {
			name, value, _ = strings.Cut(clean, ":")
		}
		if strings.HasPrefix(name, "TZID=") { // the zone is the schedule's
			name = "DTSTART"
		} else if name == "DTSTART" && value == "" {
			continue
		}
		parts = append(parts, part{name, value, start, start + utf8.RuneCountInString(piece)})
	}
	return parts
}

func (r *rfcReader) part(p part) {
	const unsaid = "Write it in words, such as every monday at 07:00."
	switch p.name {
	case "":
	case "FREQ":
		r.freq = p.value
	case "INTERVAL":
		n, err := strconv.Atoi(p.value)
		if err != nil || n < 1 || n > 1000 {
			r.fail(p, "bad_step", p.value+" is no step.", "Write a number from 1 to 1000.")
			return
		}
		r.rule.Every = n
	case "BYHOUR":
		r.hours = r.numbers(p, 0, 23)
	case "BYMINUTE":
		r.minutes = r.numbers(p, 0, 59)
	case "BYSECOND":
		if p.value != "0" {
			r.fail(p, "not_exact", "Times here are whole minutes.", unsaid)
		}
	case "BYMONTH":
		r.months = r.numbers(p, 1, 12)
	case "BYMONTHDAY":
		r.days = r.numbers(p, -31, 31)
	case "BYDAY":
		r.byDay(p)
	case "WKST":
		if p.value != "MO" && r.rule.Every > 1 {
			r.fail(p, "not_exact", "Weeks begin as the calendar of the service has them, not with the rule.", "Leave WKST out.")
		}
	case "UNTIL":
		r.until(p)
	case "DTSTART":
		d, clock, ok := rfcTime(p.value)
		if !ok {
			r.fail(p, "no_such_date", p.value+" is no day.", "Write it as in DTSTART:20260102T070000.")
			return
		}
		r.rule.From, r.rule.HasFrom = d, true
		if clock >= 0 && r.hours == nil && r.minutes == nil {
			r.hours, r.minutes = []int{int(clock) / 60}, []int{int(clock) % 60}
		}
	default:
		r.fail(p, "not_exact", p.name+" is not read.", unsaid)
	}
}

func (r *rfcReader) numbers(p part, least, most int) (list []int) {
	for _, text := range strings.Split(p.value, ",") {
		n, err := strconv.Atoi(text)
		if err != nil || n < least || n > most || n == 0 && least != 0 {
			r.fail(p, "bad_number", fmt.Sprintf("%s is no number from %d to %d.", text, least, most), "Write numbers, parted by commas.")
			return nil
		}
		list = append(list, n)
	}
	slices.Sort(list)
	return slices.Compact(list)
}

func (r *rfcReader) byDay(p part) {
	for _, text := range strings.Split(p.value, ",") {
		weekday, ok := rfcDays[text[max(0, len(text)-2):]]
		n, err := 0, error(nil)
		if len(text) > 2 {
			n, err = strconv.Atoi(text[:len(text)-2])
		}
		if !ok || err != nil {
			r.fail(p, "bad_number", text+" is no weekday.", "Write MO, 1MO for the first, or -1FR for the last.")
			return
		}
		r.weekdays = append(r.weekdays, Pick{n, OneWeekday, weekday})
	}
}

// until reads the last day; a time of it has to be its last.
func (r *rfcReader) until(p part) {
	d, clock, ok := rfcTime(strings.TrimSuffix(p.value, "Z"))
	switch {
	case !ok:
		r.fail(p, "no_such_date", p.value+" is no day.", "Write it as in UNTIL=20261231.")
	case clock >= 0 && clock != lastMinute:
		r.fail(p, "not_exact", "The last day counts in full here, and "+p.value+" ends within it.", "Write UNTIL with a day alone.")
	}
	r.rule.Until, r.rule.HasUntil = d, true
}

// rfcTime reads 20260102 or 20260102T070000; the clock is -1 where none is written.
func rfcTime(text string) (d civil.Date, clock Clock, ok bool) {
	layout, clock := "20060102", Clock(-1)
	if strings.Contains(text, "T") {
		layout = "20060102T150405"
	}
	at, err := time.Parse(layout, strings.TrimSuffix(text, "Z"))
	if err != nil {
		return 0, 0, false
	}
	if layout != "20060102" {
		clock = Clock(at.Hour()*60 + at.Minute())
	}
	return civil.DateOf(at.Year(), int(at.Month()), at.Day()), clock, true
}

// settle makes a rule of what was read.
func (r *rfcReader) settle(whole part) {
	for _, h := range r.hours {
		minutes := r.minutes
		if minutes == nil {
			minutes = []int{0}
		}
		for _, m := range minutes {
			r.rule.Times = append(r.rule.Times, Clock(h*60+m))
		}
	}
	unsaid := func(what string) {
		r.fail(whole, "not_exact", "No rule here says "+what+".", "Write it in words, such as every monday at 07:00.")
	}
	if r.rule.Times == nil && r.freq != "" {
		r.fail(whole, "no_time", "At which time was not said.", "Write BYHOUR and BYMINUTE, or DTSTART with a time.")
	}
	nth := slices.ContainsFunc(r.weekdays, func(p Pick) bool { return p.Nth != 0 })
	switch r.freq {
	case "DAILY":
		r.rule.Unit = Day
		if r.months != nil || r.days != nil || nth {
			unsaid("days of some months only")
		}
		if r.weekdays != nil && r.rule.Every == 1 {
			r.rule.Unit = Week
		} else if r.weekdays != nil {
			unsaid("every so many days, and of those some weekdays")
		}
	case "WEEKLY":
		r.rule.Unit = Week
		if r.months != nil || r.days != nil || nth || r.weekdays == nil {
			unsaid("weeks without their weekdays, or in some months only")
		}
	case "MONTHLY":
		r.rule.Unit = Month
		if r.months != nil || r.weekdays != nil && r.days != nil || r.weekdays == nil && r.days == nil || r.weekdays != nil && slices.ContainsFunc(r.weekdays, func(p Pick) bool { return p.Nth == 0 }) {
			unsaid("months without their days, or some months only")
		}
		for _, d := range r.days {
			r.rule.Picks = append(r.rule.Picks, Pick{Nth: d})
		}
		r.rule.Picks = append(r.rule.Picks, r.weekdays...)
	case "YEARLY":
		r.rule.Unit = Year
		if r.weekdays != nil || len(r.months) == 0 || len(r.days) == 0 || r.days[0] < 0 {
			unsaid("years without month and day")
			return
		}
		for _, m := range r.months {
			for _, d := range r.days {
				if civil.Valid(2024, m, d) {
					r.rule.Dates = append(r.rule.Dates, MonthDay{m, d})
				}
			}
		}
	default:
		unsaid("FREQ=" + r.freq)
	}
	if r.rule.Unit == Week {
		for _, p := range r.weekdays {
			r.rule.Weekdays = append(r.rule.Weekdays, p.Weekday)
		}
	}
}

// RFC5545 is the rule as a recurrence rule, and true where that says exactly the same on the
// clock of a zone.
func (r Rule) RFC5545(zone *time.Location) (string, bool) {
	if r.NeedsCalendar() || r.Unit == Minute || r.Unit == Quarter || r.Unit == Half || r.Unit >= FiscalQuarter || r.Unit == Week && r.Picks != nil || r.Unit == Year && r.Picks != nil {
		return "", false
	}
	hours, minutes := map[int]bool{}, map[int]bool{}
	for _, t := range r.Times {
		hours[int(t)/60], minutes[int(t)%60] = true, true
	}
	if len(hours)*len(minutes) != len(r.Times) || r.leftOut(zone) {
		return "", false
	}
	var parts []string
	add := func(name string, values []string) { parts = append(parts, name+"="+strings.Join(values, ",")) }
	var days []string
	name := func(d time.Weekday) string { return strings.ToUpper(weekdayWords[d][:2]) }
	switch r.Unit {
	case Day:
		parts = append(parts, "FREQ=DAILY")
	case Week:
		parts = append(parts, "FREQ=WEEKLY")
		for _, d := range r.Weekdays {
			days = append(days, name(d))
		}
	case Month:
		parts = append(parts, "FREQ=MONTHLY")
		var dates []string
		for _, p := range r.Picks {
			if p.Of == AnyDay {
				dates = append(dates, strconv.Itoa(p.Nth))
			} else {
				days = append(days, strconv.Itoa(p.Nth)+name(p.Weekday))
			}
		}
		if dates != nil && days != nil { // both would have to be met
			return "", false
		}
		if dates != nil {
			add("BYMONTHDAY", dates)
		}
	case Year:
		parts = append(parts, "FREQ=YEARLY")
		months, dates := map[int]bool{}, map[int]bool{}
		for _, d := range r.Dates {
			months[d.Month], dates[d.Day] = true, true
		}
		if len(months)*len(dates) != len(r.Dates) {
			return "", false
		}
		add("BYMONTH", sorted(months))
		add("BYMONTHDAY", sorted(dates))
	}
	if days != nil {
		add("BYDAY", days)
	}
	if r.Every > 1 {
		parts = slices.Insert(parts, 1, "INTERVAL="+strconv.Itoa(r.Every))
	}
	add("BYHOUR", sorted(hours))
	add("BYMINUTE", sorted(minutes))
	parts = append(parts, "BYSECOND=0")
	if r.HasUntil {
		parts = append(parts, "UNTIL="+strings.ReplaceAll(r.Until.String(), "-", "")+"T235959")
	}
	text := "RRULE:" + strings.Join(parts, ";")
	if r.HasFrom {
		text = "DTSTART:" + strings.ReplaceAll(r.From.String(), "-", "") + "T" + strings.ReplaceAll(r.Times[0].String(), ":", "") + "00\n" + text
	}
	return text, true
}

func sorted(set map[int]bool) (texts []string) {
	var list []int
	for n := range set {
		list = append(list, n)
	}
	slices.Sort(list)
	for _, n := range list {
		texts = append(texts, strconv.Itoa(n))
	}
	return texts
}

// leftOut tells whether the clocks of a zone ever leave out one of the times, as far as its
// rules are known.
func (r Rule) leftOut(zone *time.Location) bool {
	from := civil.InstantOf(civil.DateOf(1970, 1, 2).Midnight(), zone)
	for _, change := range civil.Changes(zone, from, civil.InstantOf(civil.DateOf(2037, 12, 31).Midnight(), zone)) {
		before, after := civil.CivilOf(change.At-1, zone)+1, civil.CivilOf(change.At, zone)
		for at := before; at < after; at += 60 {
			if slices.Contains(r.Times, Clock(at.Seconds()/60)) {
				return true
			}
		}
	}
	return false
}
