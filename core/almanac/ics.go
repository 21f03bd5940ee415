package almanac

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/teambition/rrule-go"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// ReadICS reads the days of an iCalendar file: those of events that take whole days, between
// two days. Clock times are those written in it. Source: RFC 5545.
func ReadICS(text string, first, last civil.Date, zone func(name string) (*time.Location, error)) ([]civil.Holiday, diag.Problems) {
	r := icsReader{first: first, last: last, zone: zone}
	r.read(text)
	return r.days, r.problems
}

// mostDays is how many days a file may give.
const mostDays = 20_000

type icsReader struct {
	first, last civil.Date
	zone        func(name string) (*time.Location, error)
	days        []civil.Holiday
	// moved are the days of occurrences that an event of their own takes the place of, by
	// UID.
	moved    map[string][]time.Time
	zones    []string // that the file describes itself
	problems diag.Problems
}

// line is a content line: NAME;PARAMETER=VALUE:VALUE.
type line struct {
	number      int
	name, value string
	parameters  map[string]string
}

func (r *icsReader) refuse(line int, code, message, hint string) {
	r.problems = append(r.problems, diag.Problem{Line: line, Code: code, Message: message, Hint: hint})
}

func (r *icsReader) warn(line int, code, message, hint string) {
	r.problems = append(r.problems, diag.Problem{Line: line, Severity: diag.Warning, Code: code, Message: message, Hint: hint})
}

// read takes the file apart, and then each event.
func (r *icsReader) read(text string) {
	var open []string
	var event []line
	var events [][]line
	for _, l := range r.lines(text) {
		component := strings.ToUpper(strings.TrimSpace(l.value))
		switch l.name {
		case "BEGIN":
			if len(open) == 0 && component != "VCALENDAR" {
				r.refuse(l.number, "bad_ics", "This is not an iCalendar file: it begins with "+component+".", "Give a file that begins with BEGIN:VCALENDAR.")
				return
			}
			open = append(open, component)
			if component == "VEVENT" {
				event = nil
			}
		case "END":
			if len(open) == 0 || open[len(open)-1] != component {
				r.refuse(l.number, "bad_ics", "END:"+component+" ends what did not begin.", "Export the file again.")
				return
			}
			open = open[:len(open)-1]
			if component == "VEVENT" {
				events = append(events, event)
			}
		case "TZID":
			if len(open) > 0 && open[len(open)-1] == "VTIMEZONE" {
				r.zones = append(r.zones, l.value)
			}
		default:
			switch {
			case len(open) == 0:
				r.refuse(l.number, "bad_ics", "This is not an iCalendar file.", "Give a file that begins with BEGIN:VCALENDAR.")
				return
			case open[len(open)-1] == "VEVENT":
				event = append(event, l)
			}
		}
	}
	if len(r.problems) > 0 {
		return
	}
	if len(open) > 0 {
		r.refuse(strings.Count(text, "\n")+1, "bad_ics", "The file is cut off within "+open[len(open)-1]+".", "Export it again.")
		return
	}
	if len(events) == 0 {
		r.warn(1, "bad_ics", "The file holds no event.", "Export the holidays as events.")
	}
	r.moved = map[string][]time.Time{}
	for _, e := range events {
		if id, ok := find(e, "RECURRENCE-ID"); ok {
			if at, _, ok := r.moment(id, id.value); ok {
				uid, _ := find(e, "UID")
				r.moved[uid.value] = append(r.moved[uid.value], at)
			}
		}
	}
	for _, e := range events {
		r.event(e)
		if len(r.days) > mostDays {
			r.refuse(e[0].number, "too_long", fmt.Sprintf("The file gives more than %d days.", mostDays), "Leave out what is no holiday.")
			return
		}
	}
}

// lines unfolds the file and reads its content lines.
func (r *icsReader) lines(text string) (lines []line) {
	text = strings.TrimPrefix(text, "\ufeff")
	if !utf8.ValidString(text) {
		r.refuse(1, "not_utf8", "The file is not UTF-8 text.", "Save it as UTF-8.")
		return nil
	}
	var whole string
	number := 0
	flush := func() {
		if strings.TrimSpace(whole) == "" {
			return
		}
		if l, ok := contentLine(whole); ok {
			l.number = number
			lines = append(lines, l)
		} else {
			r.refuse(number, "bad_ics", "This line is no line of an iCalendar file.", "Export the file again.")
		}
	}
	for i, raw := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		if raw != "" && (raw[0] == ' ' || raw[0] == '\t') {
			whole += raw[1:]
			continue
		}
		flush()
		whole, number = raw, i+1
	}
	flush()
	return lines
}

// contentLine takes one apart; quotes keep colons and semicolons together.
func contentLine(text string) (line, bool) {
	l := line{parameters: map[string]string{}}
	quoted, start := false, 0
	var parts []string
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c == '"':
			quoted = !quoted
		case c == ';' && !quoted, c == ':' && !quoted:
			parts = append(parts, text[start:i])
			start = i + 1
			if c == ':' {
				l.name, l.value = strings.ToUpper(parts[0]), text[start:]
				for _, p := range parts[1:] {
					name, value, _ := strings.Cut(p, "=")
					l.parameters[strings.ToUpper(name)] = strings.Trim(value, `"`)
				}
				return l, l.name != ""
			}
		}
	}
	return l, false
}

func find(event []line, name string) (line, bool) {
	at := slices.IndexFunc(event, func(l line) bool { return l.name == name })
	if at < 0 {
		return line{}, false
	}
	return event[at], true
}

// moment reads a date or a date-time of a property as a clock shows it; whole tells that it
// is a date.
func (r *icsReader) moment(l line, text string) (at time.Time, whole, ok bool) {
	text = strings.TrimSpace(text)
	if name := l.parameters["TZID"]; name != "" && !slices.Contains(r.zones, name) && r.zone != nil {
		if _, err := r.zone(strings.TrimPrefix(name, "/")); err != nil {
			r.refuse(l.number, "unknown_zone", fmt.Sprintf("There is no zone %q.", name), "Write an IANA name, such as Europe/London, or days without a time.")
			return at, false, false
		}
	}
	var err error
	if len(text) == len("20260102") {
		at, err = time.Parse("20060102", text)
		whole = true
	} else {
		at, err = time.Parse("20060102T150405", strings.TrimSuffix(text, "Z"))
	}
	if err != nil {
		r.refuse(l.number, "bad_ics", fmt.Sprintf("%q is not a date.", text), "Dates are written as 20260102 or 20260102T080000.")
	}
	return at, whole, err == nil
}

// event adds the days that an event takes whole.
func (r *icsReader) event(e []line) {
	start, ok := find(e, "DTSTART")
	if !ok {
		at := 1
		if len(e) > 0 {
			at = e[0].number
		}
		r.refuse(at, "bad_ics", "The event has no DTSTART.", "Say on which day it begins.")
		return
	}
	if status, _ := find(e, "STATUS"); strings.EqualFold(status.value, "CANCELLED") {
		return
	}
	begin, whole, ok := r.moment(start, start.value)
	if !ok {
		return
	}
	length, ok := r.length(e, begin, whole)
	if !ok {
		return
	}
	before := len(r.problems)
	starts := r.starts(e, start, begin)
	if len(r.problems) > before {
		return
	}
	name := unescaped(valueOf(e, "SUMMARY"))
	days := 0
	for _, at := range starts {
		first, after := wholeDays(at, at.Add(length))
		for d := max(first, r.first); d < min(after, r.last+1); d++ {
			if r.days = append(r.days, civil.Holiday{Day: d, Name: name}); len(r.days) > mostDays {
				return
			}
		}
		days += max(0, int(after-first))
	}
	if days == 0 && len(starts) > 0 {
		r.warn(start.number, "part_of_day", fmt.Sprintf("%q takes no day as a whole; it is left out.", name), "Make it an event of whole days, if nobody works then.")
	}
}

func valueOf(e []line, name string) string {
	l, _ := find(e, name)
	return l.value
}

// unescaped is a text without its backslashes.
var unescape = strings.NewReplacer(`\\`, `\`, `\n`, " ", `\N`, " ", `\,`, ",", `\;`, ";")

func unescaped(text string) string { return strings.TrimSpace(unescape.Replace(text)) }

// wholeDays are the days that a stretch of clock time takes whole, the last left out.
func wholeDays(from, until time.Time) (first, after civil.Date) {
	const day = 24 * 60 * 60
	seconds, end := from.Unix(), until.Unix()
	return civil.DateTime(seconds + day - 1).Date(), civil.DateTime(end).Date()
}

// length is how long an event is: to its end, or its duration, or the day it begins on.
func (r *icsReader) length(e []line, begin time.Time, whole bool) (time.Duration, bool) {
	if end, ok := find(e, "DTEND"); ok {
		at, _, ok := r.moment(end, end.value)
		if ok && at.Before(begin) {
			r.refuse(end.number, "bad_ics", "The event ends before it begins.", "Correct its DTEND.")
			return 0, false
		}
		return at.Sub(begin), ok
	}
	if d, ok := find(e, "DURATION"); ok {
		length, ok := duration(d.value)
		if !ok {
			r.refuse(d.number, "bad_ics", fmt.Sprintf("%q is not a duration.", d.value), "Durations are written as P1D or PT8H.")
		}
		return length, ok
	}
	if whole {
		return 24 * time.Hour, true
	}
	return 0, true
}

// duration reads P1D, P2W, PT8H30M.
func duration(text string) (length time.Duration, ok bool) {
	rest, ok := strings.CutPrefix(strings.ToUpper(strings.TrimPrefix(text, "+")), "P")
	n, digits := time.Duration(0), 0
	units := map[byte]time.Duration{'W': 7 * 24 * time.Hour, 'D': 24 * time.Hour, 'H': time.Hour, 'M': time.Minute, 'S': time.Second}
	for i := 0; ok && i < len(rest); i++ {
		c := rest[i]
		switch unit := units[c]; {
		case c >= '0' && c <= '9' && digits < 6:
			n, digits = n*10+time.Duration(c-'0'), digits+1
		case c == 'T' && digits == 0:
		case unit > 0 && digits > 0:
			length, n, digits = length+n*unit, 0, 0
		default:
			return 0, false
		}
	}
	return length, ok && digits == 0 && len(rest) > 0
}

// The library counts in nanoseconds, which reach over 292 years.
const firstRecurring, mostRecurring = 1800, 290

var errTooOften = errors.New("too often")

// starts are when an event begins, each time: by its rule and its further days, without
// its exceptions and those that another event takes the place of.
func (r *icsReader) starts(e []line, start line, begin time.Time) []time.Time {
	if _, recurs := find(e, "RRULE"); recurs && begin.Year() < firstRecurring {
		r.refuse(start.number, "bad_ics", fmt.Sprintf("The event recurs from %d on; recurrences are read from %d on.", begin.Year(), firstRecurring), "Let it begin later.")
		return nil
	}
	set := rrule.Set{}
	set.DTStart(begin)
	set.RDate(begin)
	for _, l := range e {
		switch l.name {
		case "RRULE":
			rule, err := yearlyRule(l.value, begin)
			if err != nil {
				message := "The recurrence cannot be read: " + err.Error() + "."
				if errors.Is(err, errTooOften) {
					message = "The event recurs more often than daily."
				}
				r.refuse(l.number, "bad_ics", message, "Write it as FREQ=YEARLY;BYMONTH=5;BYDAY=1MO.")
				return nil
			}
			set.RRule(rule)
		case "RDATE", "EXDATE":
			for text := range strings.SplitSeq(l.value, ",") {
				text, _, _ = strings.Cut(text, "/") // of a period its start
				at, _, ok := r.moment(l, text)
				switch {
				case !ok:
					return nil
				case l.name == "RDATE":
					set.RDate(at)
				default:
					set.ExDate(at)
				}
			}
		}
	}
	if _, ok := find(e, "RECURRENCE-ID"); !ok {
		for _, at := range r.moved[valueOf(e, "UID")] {
			set.ExDate(at)
		}
	}
	var starts []time.Time
	last := time.Unix(int64((min(r.last, civil.DateOf(begin.Year()+mostRecurring, 1, 1)) + 1).Midnight()), 0).UTC()
	next := set.Iterator()
	for range 400_000 {
		at, ok := next()
		if !ok || at.After(last) {
			return starts
		}
		starts = append(starts, at)
	}
	r.refuse(start.number, "too_long", "The event recurs too often.", "Leave it out, or let it begin later.")
	return nil
}

// yearlyRule reads a recurrence rule, which may not recur more often than daily.
func yearlyRule(text string, begin time.Time) (*rrule.RRule, error) {
	option, err := rrule.StrToROption(text)
	if err != nil {
		return nil, err
	}
	if option.Freq > rrule.DAILY || len(option.Byhour)+len(option.Byminute)+len(option.Bysecond) > 0 {
		return nil, errTooOften
	}
	option.Dtstart = begin
	return rrule.NewRRule(*option)
}
