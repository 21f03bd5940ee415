package definition

import (
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"pikegate/core/almanac"
	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// Calendar is the calendar an organisation lives by: which days it works, its holidays, its
// fiscal year and the periods it has names for.
type Calendar struct {
	Head     `yaml:",inline"`
	Week     CalendarWeek                `yaml:"week" doc:"The days of its week"`
	Fiscal   CalendarFiscal              `yaml:"fiscal" doc:"Its fiscal year, of months or of weeks"`
	Years    CalendarYears               `yaml:"years" doc:"The years whose holidays it knows"`
	Holidays []CalendarHoliday           `yaml:"holidays" doc:"Days nobody works on, in the order in which those that move find their place"`
	Periods  map[string]map[string]Plain `yaml:"periods" doc:"Periods with names of its own: by the year FIRST/LAST, or every year MM-DD/MM-DD" example:"season"`
}

// CalendarWeek is the days of a week.
type CalendarWeek struct {
	Start   string  `yaml:"start" doc:"The first day of the week" enum:"monday,tuesday,wednesday,thursday,friday,saturday,sunday"`
	Working []Plain `yaml:"working" doc:"The weekdays that are worked, monday to friday when left out" example:"monday"`
}

// CalendarFiscal is a fiscal year.
type CalendarFiscal struct {
	Start    Plain   `yaml:"start" doc:"The month it starts in, 1 to 12" example:"4"`
	NamedBy  string  `yaml:"named_by" doc:"Whether it has the name of the calendar year it starts or ends in" enum:"start,end"`
	Weeks    []Plain `yaml:"weeks" doc:"How many weeks its periods have, for years of whole weeks; a 53rd week goes to the last" example:"4"`
	YearEnds Plain   `yaml:"year_ends" doc:"The day a year of weeks ends on" example:"last saturday of january"`
}

// CalendarYears are the first and the last year whose holidays are known.
type CalendarYears struct {
	First   Plain `yaml:"first" doc:"The first year, 1970 when left out" example:"1990"`
	Through Plain `yaml:"through" doc:"The last year, 2069 when left out" example:"2049"`
}

// CalendarHoliday is a holiday, or a file of them.
type CalendarHoliday struct {
	Day  Plain  `yaml:"day" doc:"A day, or a rule for one of every year" example:"every 12-26 or the next working day"`
	Name string `yaml:"name" doc:"What it is called" example:"Boxing Day"`
	File Plain  `yaml:"file" doc:"An iCalendar file, read when the definition is pushed" example:"holidays.ics"`
	ICS  Plain  `yaml:"ics" doc:"What stands in that file" example:"BEGIN:VCALENDAR"`
}

func (h *CalendarHoliday) setText(t Text) { h.Day = Plain(t) }

// The years whose holidays are known where the calendar does not say, and how many there
// may be.
const (
	firstKnown, lastKnown = 1970, 2069
	mostKnown             = 400
)

// workedOut is what came of calendars by their texts: a check while somebody types asks for
// the same ones again and again.
var workedOut = struct {
	sync.Mutex
	of map[calendarText]calendarMade
}{of: map[calendarText]calendarMade{}}

type calendarText struct {
	name, text string
	zones      bool
}

type calendarMade struct {
	almanac  *civil.Almanac
	problems diag.Problems
}

const mostWorkedOut = 100

// Almanac works the calendar out, or tells all that is wrong with it. Zone finds a zone by
// its name; it may be nil, and all are taken for known.
func (d *Calendar) Almanac(zone func(name string) (*time.Location, error)) (*civil.Almanac, diag.Problems) {
	key := calendarText{d.Name, d.Raw(), zone != nil}
	workedOut.Lock()
	made, ok := workedOut.of[key]
	workedOut.Unlock()
	if !ok {
		made.almanac, made.problems = d.workOut(zone)
		workedOut.Lock()
		if len(workedOut.of) >= mostWorkedOut {
			clear(workedOut.of)
		}
		workedOut.of[key] = made
		workedOut.Unlock()
	}
	return made.almanac, slices.Clone(made.problems)
}

func (d *Calendar) workOut(zone func(name string) (*time.Location, error)) (*civil.Almanac, diag.Problems) {
	c := calendarCompiler{of: d, out: &civil.Almanac{Name: d.Name}}
	c.name(d.Head)
	c.week()
	c.years()
	c.fiscal()
	c.holidays(zone)
	c.periods()
	if c.problems.Failed() {
		return nil, c.problems
	}
	h := fnv.New64a()
	_, _ = h.Write([]byte(d.Raw())) // it never fails
	c.out.Fingerprint = h.Sum64()
	return c.out.Seal(), c.problems
}

// In is a context as the calendar of that name has it; with no name it stays what it is.
func (l Library) In(c civil.Calendar, name string) (civil.Calendar, diag.Problems) {
	if name == "" {
		return c, nil
	}
	var d *Calendar
	found := false
	if l.CalendarOf != nil {
		d, found = l.CalendarOf(name)
	}
	if !found {
		return c, diag.Problems{{Code: "unknown_calendar", Message: "There is no calendar " + name + " here.", Hint: "Push it first, or give its file as well."}}
	}
	a, problems := d.Almanac(nil)
	if problems.Failed() {
		return c, diag.Problems{{Code: "unknown_calendar", Message: "The calendar " + name + " cannot be used: " + problems[0].Message, Hint: "Correct it first."}}
	}
	c, _ = d.Settings().Apply(c, nil) // they were checked with it
	c.Almanac = a
	return c, nil
}

// Settings are what the calendar says besides its days.
func (d *Calendar) Settings() civil.Settings {
	return civil.Settings{WeekStart: d.Week.Start, FiscalStart: d.Fiscal.Start.Value, FiscalNamedBy: d.Fiscal.NamedBy}
}

type calendarCompiler struct {
	compiler
	of  *Calendar
	out *civil.Almanac
}

func (c *calendarCompiler) week() {
	working := c.of.Week.Working
	if len(working) == 0 {
		working = []Plain{{Value: "monday"}, {Value: "tuesday"}, {Value: "wednesday"}, {Value: "thursday"}, {Value: "friday"}}
	}
	for day := range c.out.Off {
		c.out.Off[day] = true
	}
	for i, t := range working {
		field, name := fmt.Sprintf("week.working[%d]", i), t.Value
		day, ok := civil.WeekdayOf(name)
		if !ok {
			c.fail(field, t.Line, "bad_calendar", fmt.Sprintf("%q is not a day of the week.", name), "Write monday, sunday or another.")
			continue
		}
		if !c.out.Off[day] {
			c.fail(field, t.Line, "twice", name+" is written twice.", "Remove one of them.")
		}
		c.out.Off[day] = false
	}
}

func (c *calendarCompiler) years() {
	year := func(field string, text Plain, usual int) int {
		if text.Value == "" {
			return usual
		}
		n, err := strconv.Atoi(text.Value)
		if err != nil || n < civil.MinYear || n > civil.MaxYear {
			c.fail(field, text.Line, "bad_calendar", fmt.Sprintf("%q is not a year.", text.Value), "Write a year, such as 1990.")
			return usual
		}
		return n
	}
	first, last := year("years.first", c.of.Years.First, firstKnown), year("years.through", c.of.Years.Through, lastKnown)
	line := max(c.of.Years.First.Line, c.of.Years.Through.Line)
	switch {
	case last < first:
		c.fail("years", line, "end_before_start", fmt.Sprintf("The last year, %d, is before the first, %d.", last, first), "Write the earlier one first.")
		last = first
	case last-first >= mostKnown:
		c.fail("years", line, "too_long", fmt.Sprintf("A calendar knows at most %d years.", mostKnown), "Name the years your records are in.")
		last = first
	}
	c.out.First, c.out.Last = civil.DateOf(first, 1, 1), civil.DateOf(last, 12, 31)
}

func (c *calendarCompiler) fiscal() {
	f := c.of.Fiscal
	settings := c.of.Settings()
	settings.WeekStart = ""
	_, problems := settings.Apply(civil.Calendar{}, nil)
	for _, p := range problems {
		p.Field = "fiscal." + strings.TrimPrefix(p.Field, "fiscal_")
		c.problems = append(c.problems, p)
	}
	if len(f.Weeks) == 0 {
		if f.YearEnds.Value != "" {
			c.fail("fiscal.weeks", f.YearEnds.Line, "missing_field", "How many weeks the periods have is missing.", "Write weeks: [4, 4, 5].")
		}
		return
	}
	if f.Start.Value != "" {
		c.fail("fiscal.start", f.Start.Line, "bad_fiscal", "A fiscal year of weeks starts after the last one ended, in no month of its own.", "Remove start.")
	}
	end, problems := almanac.ParseYearEnd(f.YearEnds.Value)
	c.place("fiscal.year_ends", Text(f.YearEnds), problems)
	sum := 0
	for i, text := range f.Weeks {
		n, err := strconv.Atoi(text.Value)
		if err != nil || n < 1 || n > 52 {
			c.fail(fmt.Sprintf("fiscal.weeks[%d]", i), text.Line, "bad_fiscal", fmt.Sprintf("%q is not a number of weeks.", text.Value), "Write a number from 1 to 52.")
			return
		}
		end.Weeks, sum = append(end.Weeks, n), sum+n
	}
	if 52%sum != 0 || sum > 52 {
		c.fail("fiscal.weeks", f.Weeks[0].Line, "bad_fiscal", fmt.Sprintf("Periods of %d weeks, again and again, do not fill the 52 weeks of a year.", sum), "Write the weeks of a quarter, such as [4, 4, 5], or those of the whole year.")
		return
	}
	end.Weeks = slices.Repeat(end.Weeks, 52/sum)
	if len(problems) == 0 {
		c.out.Weeks = &end
	}
}

// holidays puts those that stay where they are first; then those that move find their
// place, in order.
func (c *calendarCompiler) holidays(zone func(name string) (*time.Location, error)) {
	rules := make([]*almanac.Rule, len(c.of.Holidays))
	taken := map[civil.Date]bool{}
	add := func(d civil.Date, name string) {
		taken[d] = true
		c.out.Holidays = append(c.out.Holidays, civil.Holiday{Day: d, Name: name})
	}
	for i, h := range c.of.Holidays {
		field := fmt.Sprintf("holidays[%d]", i)
		switch {
		case h.Day.Value != "":
			rule, problems := almanac.ParseRule(h.Day.Value)
			c.place(field, Text(h.Day), problems)
			if len(problems) == 0 {
				rules[i] = &rule
			}
			if h.File.Value != "" || h.ICS.Value != "" {
				c.fail(field, h.Day.Line, "two_readings", "This is a day and a file at once.", "Make two holidays of it.")
			}
		case h.ICS.Value != "":
			days, problems := almanac.ReadICS(h.ICS.Value, c.out.First, c.out.Last, zone)
			for _, p := range problems {
				p.Field, p.Message = field+".ics", fmt.Sprintf("Line %d of %s: %s", p.Line, fileOf(h), p.Message)
				p.Line += max(h.ICS.Line-1, 0)
				c.problems = append(c.problems, p)
			}
			for _, day := range days {
				if h.Name != "" {
					day.Name = h.Name
				}
				add(day.Day, day.Name)
			}
		case h.File.Value != "":
			c.fail(field+".file", h.File.Line, "file_not_read", fmt.Sprintf("What stands in %s is not here.", h.File.Value), "Push the definition with pikegate push, from the folder the file is in.")
		default:
			c.fail(field, 0, "missing_field", "A holiday needs its day.", "Write 2026-06-05, or every 12-25.")
		}
	}
	if c.problems.Failed() {
		return
	}
	first, last := c.out.First.Year(), c.out.Last.Year()
	// A day may move over the end of its year.
	each := func(visit func(h CalendarHoliday, r *almanac.Rule, day civil.Date)) {
		for year := first - 1; year <= last+1; year++ {
			for i, r := range rules {
				if r == nil {
					continue
				}
				if day, ok := r.In(year); ok {
					visit(c.of.Holidays[i], r, day)
				}
			}
		}
	}
	off := func(d civil.Date) bool { return c.out.Off[d.Weekday()] }
	stays := map[*almanac.Rule]map[civil.Date]bool{}
	each(func(h CalendarHoliday, r *almanac.Rule, day civil.Date) {
		if r.Move != 0 && (off(day) || taken[day]) {
			return
		}
		if stays[r] == nil {
			stays[r] = map[civil.Date]bool{}
		}
		stays[r][day] = true
		add(day, h.Name)
	})
	if !slices.Contains(c.out.Off[:], false) {
		return // nothing is worked, so nothing moves
	}
	each(func(h CalendarHoliday, r *almanac.Rule, day civil.Date) {
		if r.Move == 0 || stays[r][day] {
			return
		}
		for off(day) || taken[day] {
			day += civil.Date(r.Move)
		}
		add(day, h.Name)
	})
	c.out.Holidays = slices.DeleteFunc(c.out.Holidays, func(h civil.Holiday) bool { return !c.out.Known(h.Day) })
}

func fileOf(h CalendarHoliday) string {
	if h.File.Value != "" {
		return h.File.Value
	}
	return "the iCalendar text"
}

// everyYear is the key of a period that is the same each year.
const everyYear = "every year"

func (c *calendarCompiler) periods() {
	for _, name := range slices.Sorted(maps.Keys(c.of.Periods)) {
		field, line := "periods."+name, 0
		for _, text := range c.of.Periods[name] {
			if line == 0 || text.Line < line {
				line = text.Line
			}
		}
		if word, ok := period.WordOf(name); ok || !period.IsOwnName(name) {
			message, hint := fmt.Sprintf("%q is not a name of a period.", name), "Use lower-case words of letters, such as winter stoppage."
			if ok {
				message, hint = fmt.Sprintf("%q has a word of dates in it: %s.", name, word), "Give it another name; else nobody could tell the two apart."
			}
			c.fail(field, line, "bad_name", message, hint)
			continue
		}
		p := civil.NamedPeriod{Name: name}
		for _, key := range slices.Sorted(maps.Keys(c.of.Periods[name])) {
			c.entry(&p, field+"."+key, key, c.of.Periods[name][key])
		}
		if len(c.of.Periods[name]) == 0 {
			c.fail(field, 0, "missing_field", "The period has no days.", "Write every year: 04-01/10-31, or 2026: 2026-01-05/2026-02-20.")
		}
		c.overlaps(p, field, line)
		c.out.Periods = append(c.out.Periods, p)
	}
}

// entry reads the days of a period in one year, or in each.
func (c *calendarCompiler) entry(p *civil.NamedPeriod, field, key string, text Plain) {
	if key == everyYear {
		days, problems := almanac.ParseDays(text.Value)
		c.place(field, Text(text), problems)
		if len(problems) == 0 {
			p.Every = &days
		}
		return
	}
	year, err := strconv.Atoi(key)
	if err != nil || len(key) != 4 || year < civil.MinYear {
		c.fail(field, text.Line, "bad_period", fmt.Sprintf("%q is not a year.", key), "Write every year, or a year such as 2026.")
		return
	}
	span, problems := period.Read(text.Value, civil.Calendar{Zone: civil.UTC, WeekStart: time.Monday})
	e, parsed := period.Parse(text.Value)
	if len(problems) == 0 && (len(parsed) > 0 || !span.Closed() || !span.WholeDays() || !e.IsFixed()) {
		p := diag.At(text.Value, 0, len(text.Value), "bad_period", "This is not a first and a last day.")
		p.Hint = "Write 2026-01-05/2026-02-20."
		problems = diag.Problems{p}
	}
	if len(problems) == 0 && span.FirstDay().Year() != year {
		p := diag.At(text.Value, 0, len(text.Value), "bad_period", fmt.Sprintf("This starts in %d, not in %d.", span.FirstDay().Year(), year))
		p.Hint = "A period is named by the year it starts in."
		problems = diag.Problems{p}
	}
	c.place(field, Text(text), problems)
	if len(problems) == 0 {
		p.Of = append(p.Of, civil.Stretch{Year: year, First: span.FirstDay(), Last: span.LastDay()})
	}
}

// overlaps refuses a period that begins before that of the year before it has ended.
func (c *calendarCompiler) overlaps(p civil.NamedPeriod, field string, line int) {
	first, last := c.out.First.Year(), c.out.Last.Year()
	for _, s := range p.Of {
		first, last = min(first, s.Year-1), max(last, s.Year+1)
	}
	var before *civil.Stretch
	for _, s := range p.Within(first, last) {
		if before != nil && s.First <= before.Last {
			c.fail(field, line, "overlapping", fmt.Sprintf("The %s of %d begins on %s, before that of %d ends, on %s.", p.Name, s.Year, s.First, before.Year, before.Last), "Let each end before the next begins.")
			return
		}
		before = &s
	}
}
