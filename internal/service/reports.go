package service

import (
	"cmp"
	"context"

	"pikegate/core/civil"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/plan"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// Reports lists the published reports.
func (s *Service) Reports(ctx context.Context, who identity.Actor) ([]wire.ReportInfo, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	var mine *string // others' runs are for authors
	if name := who.Name(); !who.Authors() {
		mine = &name
	}
	last, err := s.Store.LastRuns(ctx, mine)
	if err != nil {
		return nil, err
	}
	out := []wire.ReportInfo{}
	for _, e := range d.entries {
		if e.draft.Kind != "report" || !e.seenBy(who, false) {
			continue
		}
		info := e.info(false)
		if at, ok := last[info.Name]; ok {
			info.LastRun = &at
		}
		out = append(out, info)
	}
	return out, nil
}

// Ask tells what a report asks; of the request, the answers play no part.
func (s *Service) Ask(ctx context.Context, who identity.Actor, r Request) (wire.ReportForm, error) {
	job, err := s.asks(ctx, who, r)
	if err == nil {
		err = job.Problems.Err()
	}
	if err != nil {
		return wire.ReportForm{}, err
	}
	info := wire.ReportInfo{Name: r.Report, Tags: job.Report.Tags, Folder: job.Report.Folder, Version: job.Version}
	info.Title, info.About = job.Report.Heading()
	sheet := wire.ReportForm{ReportInfo: info, Zone: job.Context.Zone.String(), Calendar: job.Reading.Calendar, Today: job.Context.Today().String()}
	asked, values, _ := job.Read()
	for _, q := range asked {
		sheet.Questions = append(sheet.Questions, formQuestion(q, values[q.Name], job.Context))
	}
	return sheet, nil
}

// formQuestion is a question with what its default, which was read, and its limits mean.
func formQuestion(q parameter.Parameter, v parameter.Value, c parameter.Context) wire.FormQuestion {
	made := wire.FormQuestion{Parameter: q}
	if v.Given {
		made.DefaultReadBack = q.ReadBack(v, c.Language)
	}
	made.Earliest = daysOf(q.Limits.Earliest, c.Calendar).From
	made.Latest = daysOf(q.Limits.Latest, c.Calendar).Through
	if q.Kind == parameter.Period {
		for _, text := range q.Quick {
			made.Suggested = append(made.Suggested, daysOf(text, c.Calendar))
		}
	}
	return made
}

// daysOf are the days of a period that an author wrote, none where nothing was.
func daysOf(text string, calendar civil.Calendar) (days wire.Days) {
	span, problems := period.Read(text, calendar)
	if len(problems) > 0 {
		return days // told where the report is checked
	}
	if !span.OpenStart() {
		days.From = span.FirstDay().String()
	}
	if !span.OpenEnd() {
		days.Through = span.LastDay().String()
	}
	return days
}

// Choices lists a page of what a question's answer is chosen from, under the
// other answers.
func (s *Service) Choices(ctx context.Context, who identity.Actor, r Request, question string, search plan.Search) ([]parameter.Choice, error) {
	job, err := s.asks(ctx, who, r)
	if err != nil {
		return nil, err
	}
	asked, _, _ := job.Read()
	var names []string
	for _, q := range asked {
		if q.Name == question {
			return runner.Choices(ctx, job, q, search)
		}
		names = append(names, q.Name)
	}
	return nil, notFound("question", question, names)
}

// Coverage tells how many records each unit of time holds, the other answers
// applied.
func (s *Service) Coverage(ctx context.Context, who identity.Actor, r Request, by string) (wire.Coverage, error) {
	job, err := s.asks(ctx, who, r)
	if err != nil {
		return wire.Coverage{}, err
	}
	return runner.Cover(ctx, job, by)
}

// Request is what a caller gives to run or explain a report.
type Request struct {
	Report string
	Inputs parameter.Inputs
	// AsOf is the day or instant taken for now; blank means the clock.
	AsOf string
	// Sort is an order of the caller's own, over the columns shown.
	Sort []string
	// Version is the version of the report, 0 for the newest.
	Version int
	// Draft asks for what was pushed last instead.
	Draft bool
	// Answers is the name of saved answers, under those that are given.
	Answers string
	// Reading is how what is typed is read, where the report does not say it; nil as whoever
	// asks likes it.
	Reading *store.Reading
	// CSV is how a CSV is written, where not as the report or whoever asks has it.
	CSV output.CSVSettings
	// due is the instant that is now for a run that was due then, in seconds since 1970; 0 for none.
	due int64
	// likes is how whoever asks likes a CSV to be written.
	likes output.CSVSettings
}

// asks makes a report ready for somebody who asks about it rather than for its
// records.
func (s *Service) asks(ctx context.Context, who identity.Actor, r Request) (runner.Job, error) {
	if err := admitted(who); err != nil {
		return runner.Job{}, err
	}
	return s.job(ctx, who, r)
}

// Period reads an expression in the service's calendar, or in the published one of a name; in English, or also in
// another language.
func (s *Service) Period(ctx context.Context, who identity.Actor, expression, asOf, calendarName, language string) (period.Reading, error) {
	if err := admitted(who); err != nil {
		return period.Reading{}, err
	}
	version := 0
	calendar, problems := s.publishedCalendars(ctx, &version).In(s.Calendar, cmp.Or(calendarName, s.CalendarName))
	problems = problems.In("calendar")
	calendar.Language = language
	calendar, found := s.now(calendar, asOf)
	problems = append(problems, found...)
	if len(problems) > 0 {
		return period.Reading{}, problems
	}
	reading, problems := period.Describe(expression, calendar)
	return reading, problems.Err()
}
