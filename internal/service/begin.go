package service

import (
	"context"
	"time"

	"pikegate/core/begin"
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/internal/identity"
	"pikegate/internal/runner"
)

// lookLimit is how long the dates of a table are looked at before a report begins
// without limits.
const lookLimit = 3 * time.Second

// Begin makes a query and a report of a table, which an author goes on from. Nothing is
// kept.
func (s *Service) Begin(ctx context.Context, who identity.Actor, source, table, on string) (begin.Made, error) {
	o, t, err := s.table(ctx, who, source, table)
	if err != nil {
		return begin.Made{}, err
	}
	taken, err := s.namesTaken(ctx)
	if err != nil {
		return begin.Made{}, err
	}
	calendar, _ := s.usual(ctx, "")
	made, problems := begin.Report(begin.Wanted{
		Source: o.known.Load(), Table: t.Name, On: on, Today: calendar.Today(), Held: s.held(ctx, who, source, o, t), Taken: taken,
	})
	return made, problems.Err()
}

// namesTaken tells whether there is a query or a report of a name: what somebody may not see is
// taken all the same.
func (s *Service) namesTaken(ctx context.Context) (func(name string) bool, error) {
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	return func(name string) bool {
		for _, kind := range []string{"query", "report"} {
			if _, there := d.entry(kind, name); there {
				return true
			}
		}
		return false
	}, nil
}

// BeginSQL makes a query and a report of a statement that somebody brings, with questions in
// the place of the values in its conditions. Nothing is kept. Questions that have the
// names asked are there already.
func (s *Service) BeginSQL(ctx context.Context, who identity.Actor, source, sql string, asked []string) (begin.Made, error) {
	if err := s.mayOn(ctx, who, identity.Read, source); err != nil {
		return begin.Made{}, err
	}
	o, err := s.source(ctx, source, false)
	if err != nil {
		return begin.Made{}, err
	}
	taken, err := s.namesTaken(ctx)
	if err != nil {
		return begin.Made{}, err
	}
	made, problems := begin.SQL(begin.Wanted{Source: o.known.Load(), Taken: taken}, sql)
	made.Questions = begin.Questions(sql, o.known.Load(), asked) // at their places in what was given
	return made, problems.Err()
}

// held is what the dates of a table hold; nothing where that takes too long.
func (s *Service) held(ctx context.Context, who identity.Actor, source string, o *openSource, t catalog.Table) map[string]begin.Held {
	var dates []catalog.Column
	for _, c := range t.Columns {
		if c.Type.IsDate() {
			dates = append(dates, c)
		}
	}
	if dates == nil {
		return nil
	}
	t.Columns = dates
	ctx, stop := context.WithTimeout(ctx, lookLimit)
	defer stop()
	guarded, rows, err := s.tableRows(ctx, who, source, o, t)
	if err != nil {
		return nil
	}
	extents, err := runner.Extents(ctx, guarded, rows, t, s.Calendar.Zone)
	if err != nil {
		return nil
	}
	held := map[string]begin.Held{}
	for _, e := range extents {
		h := begin.Held{Blank: e.Blank, Records: e.Records}
		earliest, ok := dayOf(e.Earliest)
		latest, also := dayOf(e.Latest)
		h.Known, h.Earliest, h.Latest = ok && also, earliest, latest
		held[e.Column] = h
	}
	return held
}

// dayOf is the day that a date or date-time begins with, as extents are written.
func dayOf(text string) (civil.Date, bool) {
	day, err := time.Parse(time.DateOnly, text[:min(len(text), len(time.DateOnly))])
	if err != nil {
		return 0, false
	}
	return civil.DateOf(day.Year(), int(day.Month()), day.Day()), true
}
