package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/store"
)

// ready is a report that was read, and checked against its source: what is the
// same for all who ask it. Nothing in it is changed any more.
type ready struct {
	report   *definition.Report
	version  int
	compiled *definition.Compiled
	view     definition.View
	zone     *time.Location
	source   *openSource
	tables   []string
	// reads are the tables that are read, everything where that cannot be told.
	reads []string
	// draft is what a draft was read with, nil of what is published.
	draft *definition.Set
}

// published names a published version of a report.
type published struct {
	report  string
	version int
}

// maxReady is how many published reports are kept ready.
const maxReady = 500

// job finds a report that somebody may run and makes it ready: a published version
// with what it was frozen with, or what was pushed last.
func (s *Service) job(ctx context.Context, who identity.Actor, r Request) (runner.Job, error) {
	if err := s.mayRun(ctx, who, r); err != nil {
		return runner.Job{}, err
	}
	if u := who.User(); r.Reading == nil {
		r.Reading = &store.Reading{Language: u.Language, DateOrder: u.DateOrder, WeekStart: u.WeekStart, MissingYear: u.MissingYear, TwoDigitYears: u.TwoDigitYears}
	}
	r.likes = output.CSVSettings{CSVFormat: who.User().CSV, Guard: who.User().Guard}
	var err error
	if r.Inputs, err = s.saved(ctx, who, store.Asker{Kind: "report", Name: r.Report}, r.Answers, r.Inputs); err != nil {
		return runner.Job{}, err
	}
	job, err := s.jobFor(ctx, who, r)
	job.User = who.Doer()
	if errors.Is(err, store.ErrNotFound) {
		d, failed := s.directory(ctx)
		if failed != nil {
			return job, failed
		}
		return job, noReport(who, d, r)
	}
	return job, err
}

// csv is how a CSV is written: as the run says it, else the report, else whoever asks.
func (r Request) csv(report *definition.Report) output.CSVSettings {
	return output.CSVSettings{CSVFormat: r.CSV.Over(report.CSV).Over(r.likes.CSVFormat), Guard: r.CSV.Guard || report.Guard || r.likes.Guard}
}

func (s *Service) jobFor(ctx context.Context, who identity.Actor, r Request) (runner.Job, error) {
	if r.Draft {
		kept, err := s.Store.Draft(ctx, "report", r.Report)
		if err != nil {
			return runner.Job{}, err
		}
		documents, err := decoded(kept.Content)
		if err != nil {
			return runner.Job{}, err
		}
		return s.jobOf(ctx, viewerOf(who), r, documents[0].(*definition.Report), 0, definition.NewSet(documents, s.library(ctx, who, true)))
	}
	changes := s.Store.Changes()
	if made, ok := s.isReady(published{r.Report, s.number(r, changes)}); ok {
		return s.asked(ctx, viewerOf(who), made, r)
	}
	kept, err := s.Store.Version(ctx, "report", r.Report, r.Version)
	if err != nil {
		return runner.Job{}, err
	}
	if r.Version == 0 {
		s.keepNumber(r.Report, kept.Number, changes)
	}
	key := published{r.Report, kept.Number}
	made, ok := s.isReady(key)
	if !ok {
		if made, _, err = s.makeReady(ctx, kept); err != nil {
			return runner.Job{}, err
		}
		s.keepReady(key, made)
	}
	return s.asked(ctx, viewerOf(who), made, r)
}

// newest are the numbers of the newest versions of reports, as long as nothing
// was published or removed since.
type newest struct {
	changes uint64
	numbers map[string]int
}

// number is that of the version a request means, -1 where the records have to be
// asked.
func (s *Service) number(r Request, changes uint64) int {
	if r.Version != 0 {
		return r.Version
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if n, ok := s.newest.numbers[r.Report]; ok && s.newest.changes == changes {
		return n
	}
	return -1
}

func (s *Service) keepNumber(report string, number int, changes uint64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.newest.changes != changes || s.newest.numbers == nil {
		s.newest = newest{changes, map[string]int{}}
	}
	s.newest.numbers[report] = number
}

// jobOf makes a report ready to be run with what it uses.
func (s *Service) jobOf(ctx context.Context, v plan.Viewer, r Request, report *definition.Report, version int, set *definition.Set) (runner.Job, error) {
	made, err := s.ready(ctx, report, version, set)
	if err != nil {
		return runner.Job{}, err
	}
	made.draft = set
	return s.asked(ctx, v, made, r)
}

// isReady gives a published version that was made ready before, unless its
// source was read again since.
func (s *Service) isReady(key published) (ready, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	made, ok := s.prepared[key]
	return made, ok && s.open[made.compiled.Query.Source] == made.source && !made.source.Replaced()
}

func (s *Service) keepReady(key published, made ready) {
	if slices.ContainsFunc(made.compiled.Queries(), func(c *definition.Compiled) bool { return c.SQL != nil }) {
		return // the database may tell other columns of it tomorrow
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.prepared) >= maxReady {
		clear(s.prepared)
	}
	s.prepared[key] = made
}

// makeReady reads a published version with what it was frozen with, which is the
// set.
func (s *Service) makeReady(ctx context.Context, kept store.Definition) (ready, *definition.Set, error) {
	documents, err := decoded(kept.Content)
	if err != nil {
		return ready{}, nil, err
	}
	frozen, err := decoded(kept.Uses)
	if err != nil {
		return ready{}, nil, err
	}
	calendars := s.publishedCalendars(ctx, new(int)) // are not frozen
	set := definition.NewSet(frozen, definition.Library{Result: s.result(ctx, false), CalendarOf: calendars.CalendarOf})
	made, err := s.ready(ctx, documents[0].(*definition.Report), kept.Number, set)
	return made, set, err
}

// ready checks a report against its source.
func (s *Service) ready(ctx context.Context, report *definition.Report, version int, set *definition.Set) (ready, error) {
	query, ok := set.Query(report.Query)
	if !ok {
		return ready{}, notFound("query", report.Query, nil)
	}
	source, err := s.source(ctx, query.Source, false)
	if err != nil {
		return ready{}, err
	}
	tables := set.TablesOf(query)
	if err := source.survey(ctx, tables...); err != nil {
		return ready{}, err
	}
	compiled, problems := set.Compile(query, source.known.Load())
	if problems.Failed() {
		return ready{}, fmt.Errorf("the source %s does not fit the report: %w", query.Source, problems)
	}
	problems = definition.CheckReport(report, compiled.Query, definition.Library{})
	calendar, found := report.Calendar.Apply(s.Calendar, time.LoadLocation)
	problems = append(problems, found...)
	if problems.Failed() {
		return ready{}, fmt.Errorf("the report %s does not fit its query: %w", report.Name, problems)
	}
	view, problems := compiled.View(report)
	if problems.Failed() {
		return ready{}, fmt.Errorf("the groups, totals and chart of the report %s do not fit its query: %w", report.Name, problems)
	}
	return ready{report, version, compiled, view, calendar.Zone, source, tables, readsOf(compiled, source.known.Load()), nil}, nil
}

// readsOf are the tables that a query and its choices read, everything where that cannot
// be told.
func readsOf(query *definition.Compiled, known *catalog.Source) (reads []string) {
	for _, c := range query.Queries() {
		for _, name := range c.Touches() {
			if t, ok := known.Table(name); ok {
				reads = append(reads, t.Name)
			}
		}
		if len(c.Unfollowed()) > 0 {
			reads = append(reads, everything)
		}
	}
	return reads
}

// asked puts what a caller gives to a report that is ready, and for whom it is asked.
func (s *Service) asked(ctx context.Context, v plan.Viewer, made ready, r Request) (runner.Job, error) {
	source := made.compiled.Query.Source
	g, err := s.sight(ctx, v, source)
	if err == nil {
		err = s.mayReadRows(ctx, g, made.source, made.compiled)
	}
	if err != nil {
		return runner.Job{}, err
	}
	var found diag.Problems
	made.view.Sort, found = made.compiled.Order(made.report, r.Sort)
	reading := store.Reading{}
	if r.Reading != nil {
		reading = *r.Reading
	}
	calendar, problems := s.livesBy(ctx, made, &reading)
	found = append(append(found, problems...), definition.CSVFormatProblems("csv.", r.CSV.CSVFormat)...)
	calendar, problems = s.now(calendar, r.AsOf)
	if r.due != 0 {
		calendar.Now = civil.Instant(r.due)
	}
	found = append(found, problems...)
	marks, _ := parameter.MarksOf(cmp.Or(made.report.Language, reading.Language))
	unchanged := made.source.unchanged(made.tables...)
	if !unchanged {
		made.source.lookAgain(made.tables, func() { s.resurvey(made.compiled.Query.Source) })
	}
	return runner.Job{
		Rows: s.rows(g, made.source.known.Load()), Seen: g.seenOf(source, made.reads), Reading: reading,
		Report: made.report, Version: made.version, Compiled: made.compiled, View: made.view, Inputs: r.Inputs, Sort: r.Sort, CSV: r.csv(made.report),
		Problems: found, Base: s.Public, Context: parameter.Context{Calendar: calendar, Marks: marks}, Source: s.guard(g, made.source.shared, made.reads...),
		Unchanged: unchanged,
		Confirm:   func(ctx context.Context) error { return made.source.confirm(ctx, made.tables) },
	}, nil
}
