package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/period"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// mostCalendars is how many texts of calendars are kept worked out.
const mostCalendars = 50

// calendarFrom gives the calendar of a text, worked out once.
func (s *Service) calendarFrom(content string) (*definition.Calendar, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if d, ok := s.calendars[content]; ok {
		return d, true
	}
	documents, err := decoded(content)
	if err != nil || len(documents) != 1 {
		return nil, false
	}
	d, ok := documents[0].(*definition.Calendar)
	if ok {
		if len(s.calendars) >= mostCalendars {
			clear(s.calendars)
		}
		s.calendars[content] = d
	}
	return d, ok
}

// publishedCalendars finds calendars as they are published now; version notes which one was
// found.
func (s *Service) publishedCalendars(ctx context.Context, version *int) definition.Library {
	return definition.Library{CalendarOf: func(name string) (*definition.Calendar, bool) {
		d, err := s.directory(ctx)
		if err != nil {
			return nil, false
		}
		e, _ := d.entry("calendar", name)
		if e.published.Number == 0 {
			return nil, false
		}
		*version = e.published.Number
		return s.calendarFrom(e.published.Content)
	}}
}

// usual is the service's own context now, as the calendar has it that the service uses.
func (s *Service) usual(ctx context.Context, asOf string) (civil.Calendar, diag.Problems) {
	version := 0
	calendar, problems := s.publishedCalendars(ctx, &version).In(s.Calendar, s.CalendarName)
	calendar, found := s.now(calendar, asOf)
	return calendar, append(problems, found...)
}

// livesBy is the context of a report: the service's, as the calendar has it that the report,
// its query or the service names, and then as the report says itself. The calendar is the
// newest that is published, or the version that a run had which is repeated; of a draft what
// was pushed last.
func (s *Service) livesBy(ctx context.Context, made ready, reading *store.Reading) (civil.Calendar, diag.Problems) {
	own := made.report.Calendar
	name, version := cmp.Or(own.Use, made.compiled.Query.Calendar, s.CalendarName), 0
	library := s.publishedCalendars(ctx, &version)
	switch {
	case made.draft != nil:
		library = made.draft.Library
	case reading.Calendar == name && reading.CalendarVersion > 0:
		version = reading.CalendarVersion
		library.CalendarOf = func(name string) (*definition.Calendar, bool) {
			kept, err := s.Store.Version(ctx, "calendar", name, version)
			if err != nil {
				return nil, false
			}
			return s.calendarFrom(kept.Content)
		}
	}
	liked := civil.Settings{DateOrder: reading.DateOrder, WeekStart: reading.WeekStart, MissingYear: reading.MissingYear, TwoDigitYears: reading.TwoDigitYears}
	calendar, problems := liked.Apply(s.Calendar, nil)
	calendar, unknown := library.In(calendar, name)
	reading.Calendar, reading.CalendarVersion = name, version
	calendar.Zone, own.Zone = made.zone, ""
	calendar.Language = cmp.Or(made.report.Language, reading.Language)
	calendar, found := own.Apply(calendar, nil)
	return calendar, slices.Concat(problems, unknown, found)
}

// Calendars lists the calendars that are published. Everybody may see them: reports say
// what they say.
func (s *Service) Calendars(ctx context.Context, who identity.Actor) ([]wire.CalendarInfo, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	out := []wire.CalendarInfo{}
	for _, e := range d.entries {
		if e.draft.Kind == "calendar" && e.published.Number > 0 {
			out = append(out, wire.CalendarInfo{Name: e.published.Name, Title: e.publishedHead.title, About: e.publishedHead.about, Version: e.published.Number})
		}
	}
	return out, nil
}

// CalendarYear tells a year as a published calendar has it; 0 is this year.
func (s *Service) CalendarYear(ctx context.Context, who identity.Actor, name string, year int) (wire.CalendarYear, error) {
	if err := admitted(who); err != nil {
		return wire.CalendarYear{}, err
	}
	version := 0
	library := s.publishedCalendars(ctx, &version)
	d, ok := library.CalendarOf(name)
	if !ok {
		all, err := s.Calendars(ctx, who)
		names := make([]string, len(all))
		for i, c := range all {
			names[i] = c.Name
		}
		return wire.CalendarYear{}, cmp.Or(err, notFound("calendar", name, names))
	}
	start, _ := s.now(s.Calendar, "")
	c, problems := library.In(start, name)
	if year == 0 {
		year = c.Today().Year()
	}
	if year < civil.MinYear || year >= civil.MaxYear {
		problems = append(problems, diag.Problem{Code: "out_of_range", Field: "year", Message: fmt.Sprintf("There is no year %d here.", year), Hint: "Years run from 1 to 9998."})
	}
	if problems.Failed() {
		return wire.CalendarYear{}, problems
	}
	out := yearOf(c, year)
	out.Name, out.Version = name, version
	out.Title, out.About = d.Heading()
	return out, nil
}

// yearOf is a year as a calendar has it.
func yearOf(c civil.Calendar, year int) wire.CalendarYear {
	a, first, last := c.Almanac, civil.DateOf(year, 1, 1), civil.DateOf(year, 12, 31)
	out := wire.CalendarYear{
		Year: year, Known: a.Known(first) && a.Known(last), WeekStart: strings.ToLower(c.WeekStart.String()),
		Working: []string{}, Months: []wire.CalendarStretch{}, Weeks: []wire.CalendarStretch{}, Fiscal: []wire.CalendarStretch{},
		Periods: []wire.CalendarStretch{}, Holidays: []wire.CalendarHoliday{},
	}
	stretch := func(kind, name string, first, last civil.Date) wire.CalendarStretch {
		return wire.CalendarStretch{
			Name: name, Kind: kind, From: first.String(), Through: last.String(),
			Days: int(last-first) + 1, Worked: a.WorkingBetween(first-1, last),
		}
	}
	for i := range 7 {
		if day := (c.WeekStart + time.Weekday(i)) % 7; !a.Off[day] {
			out.Working = append(out.Working, strings.ToLower(day.String()))
		}
	}
	for month := 1; month <= 12; month++ {
		from, through := civil.DateOf(year, month, 1), civil.DateOf(year, month+1, 1)-1
		out.Months = append(out.Months, stretch("month", period.OfDays(from, through).Canonical(), from, through))
	}
	for week := 1; ; week++ {
		monday, ok := civil.ISOWeekMonday(year, week)
		if !ok {
			break
		}
		out.Weeks = append(out.Weeks, stretch("week", fmt.Sprintf("%04d-W%02d", year, week), monday, monday+6))
	}
	for _, kind := range []string{"fiscal year", "fiscal quarter", "fiscal period", "fiscal week"} {
		whole, ok := period.WholeOf(kind, c)
		if !ok || kind == "fiscal period" && a.Weeks == nil { // these are the months
			continue
		}
		for d := first; d <= last; {
			from, through, _ := whole.At(d, c)
			out.Fiscal = append(out.Fiscal, stretch(kind, whole.Name(from, c), from, through))
			d = through + 1
		}
	}
	for _, p := range a.Periods {
		for _, s := range p.Within(year-1, year) {
			if s.Last >= first && s.First <= last {
				out.Periods = append(out.Periods, stretch(p.Name, fmt.Sprintf("%s %d", p.Name, s.Year), s.First, s.Last))
			}
		}
	}
	for _, h := range a.Holidays {
		if h.Day >= first && h.Day <= last {
			out.Holidays = append(out.Holidays, wire.CalendarHoliday{Day: h.Day.String(), Name: h.Name, Off: a.Off[h.Day.Weekday()]})
		}
	}
	return out
}
