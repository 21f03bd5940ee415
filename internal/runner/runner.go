// Package runner takes one run from what was typed to rows and a record. It
// is the only place where the heart and the databases meet.
package runner

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/dialect"
	"pikegate/core/format"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/output"
	"pikegate/internal/store"
)

// The ways a run can end.
const (
	Running   = "running"
	Done      = "done"
	Empty     = "empty"
	Failed    = "failed"
	Refused   = "refused"
	Cancelled = "cancelled" // the caller went away
	TimedOut  = "timed_out"
	Stalled   = "stalled" // the caller was there and took nothing
	Stopped   = "stopped" // the service was told to stop
)

// The causes that end a run from outside, beside the caller's going.
var (
	ErrStalled = errors.New("runner: the caller took nothing for too long")
	ErrStopped = errors.New("runner: the service was stopped during the run")
)

// timedOut says that a statement was stopped at its limit.
func timedOut(limit time.Duration) error {
	return &engine.Failure{Code: engine.TimedOut, Message: fmt.Sprintf("The statement took longer than the limit of %s and was stopped.", limit)}
}

// Job is what is to be run: a report, its checked query and the inputs.
type Job struct {
	// Base is the address of the service for people, blank where that is not known.
	Base   string
	Report *definition.Report
	// Version is 0 for a draft.
	Version  int
	Compiled *definition.Compiled
	View     definition.View
	Inputs   parameter.Inputs
	// User is who asked, blank for nobody; for the record.
	User string
	// Sort is an order of the caller's own, for the record.
	Sort []string
	// Delivery says in words for what it is run, where it was not asked for by hand.
	Delivery string
	// CSV is how a CSV is written.
	CSV output.CSVSettings
	// Problems is what was wrong before the inputs could be read one by one.
	Problems diag.Problems
	Context  parameter.Context
	// Rows tells which rows whoever asks may see, Seen says so for the record.
	Rows plan.Rows
	Seen store.Seen
	// Reading is how the inputs are read for whoever asks, for the record.
	Reading store.Reading
	// Source bounds how long each of its statements takes: a slow reader of rows has
	// a limit of its own.
	Source engine.Source
	// Unchanged tells that the database is as it was when its columns were last
	// looked at, so that what is known of their dates holds; Confirm looks at them
	// again where it has changed since, after rows were read in that belief.
	Unchanged bool
	Confirm   func(ctx context.Context) error
}

// Prepared is a job that was read, resolved and translated, but not run.
type Prepared struct {
	Questions []parameter.Parameter
	Values    parameter.Values
	Selection plan.Selection
	Query     dialect.Query
	// Edges is how to find what lies around the period, if there is one.
	Edges plan.Edges
	// Impossible says why no record can match with these answers, empty where
	// that could not be proved.
	Impossible string
	// ReadBack says in one sentence what will be selected.
	ReadBack string
	// Restricts tells of which tables not every row may be seen.
	Restricts []plan.Restricted
}

// Prepare reads the inputs and writes the SQL. Nothing is asked of the
// database unless an answer must be one of the values that occur in it.
func Prepare(ctx context.Context, job Job) (Prepared, error) {
	asked, values, problems := job.Read()
	problems = append(slices.Clone(job.Problems), problems...)
	found, err := offered(ctx, job, asked, values)
	problems = append(problems, found...)
	if problems.Failed() {
		return Prepared{Questions: asked, Values: values}, problems.Err()
	}
	if err != nil {
		return Prepared{Questions: asked, Values: values}, err
	}
	planner := job.planner()
	statement, problems := planner.Records(job.View, values)
	if err := problems.Err(); err != nil {
		return Prepared{Questions: asked, Values: values}, err
	}
	edges, _ := planner.Edges(statement.Statement)
	restricts := planner.Restricts(job.Compiled.EveryTable())
	return Prepared{
		asked, values, statement, job.Source.Dialect().Write(statement.Statement), edges, statement.Impossible(),
		plan.ReadBack(statement.Statement) + restricted(restricts), restricts,
	}, nil
}

// restricted says that not every row may be seen.
func restricted(tables []plan.Restricted) (text string) {
	for _, r := range tables {
		if len(r.Rows) == 0 {
			text += fmt.Sprintf(" You may see none of %s.", r.Table)
			continue
		}
		words := make([]string, len(r.Rows))
		for i, rows := range r.Rows {
			words[i] = cmp.Or(rows.Title, rows.Words)
		}
		text += fmt.Sprintf(" Not all of %s is shown: %s.", r.Table, strings.Join(words, "; or "))
	}
	return text
}

// Conditions are those of a job in words. Nothing is asked of the database.
func Conditions(job Job) ([]plan.Condition, error) {
	_, values, problems := job.Read()
	if err := problems.Err(); err != nil {
		return nil, err
	}
	conditions, problems := job.planner().Conditions(values)
	return conditions, problems.Err()
}

// planner makes the job's statements.
func (job Job) planner() plan.Planner {
	return plan.Planner{Query: job.Compiled, Calendar: job.Context.Calendar, Rows: job.Rows, Sure: func(c *catalog.Column) bool {
		return job.Unchanged && c.Reliable()
	}}
}

// Read reads the inputs: the questions people see, and the values of all, those
// the report sets itself among them.
func (job Job) Read() (asked []parameter.Parameter, values parameter.Values, problems diag.Problems) {
	asked, set := job.Report.Questions(*job.Compiled.Query)
	for i := range set {
		set[i].Default, set[i].Shown = []string{job.Report.Set[set[i].Name]}, parameter.Hidden
	}
	values, problems = parameter.Read(slices.Concat(asked, set), job.Compiled.Rules, job.Inputs, job.Context)
	shown := asked[:0:0]
	for _, q := range asked {
		if q.Shown != parameter.Hidden {
			shown = append(shown, q)
		}
	}
	return shown, values, problems
}

// Runner runs jobs and keeps their records.
type Runner struct {
	Store *store.Store
	// Limit is the longest a statement may take; 0 means no limit.
	Limit time.Duration
	Now   func() time.Time
	// Active are the runs under way.
	Active *Active
	// Spool is the folder where rows wait for a slow reader; empty for none.
	Spool string
	Log   *slog.Logger
}

// Active holds the records of runs that have begun and are not kept yet.
type Active struct{ records sync.Map }

// Record is that of a run under way.
func (a *Active) Record(id uint) (store.Run, bool) {
	record, ok := a.records.Load(id)
	if !ok {
		return store.Run{}, false
	}
	return record.(store.Run), true
}

// lasting is how long a run may take before its beginning is kept as well as its
// end.
const lasting = time.Second

// Run runs a job, writes the rows as they come and keeps the record, which is
// there before the last byte is written. An error means that no row was written:
// the inputs were refused or the record could not be made. What goes wrong later
// is told by the record and the writer's end.
func (r Runner) Run(ctx context.Context, job Job, format output.Format, begin func(store.Run, output.Format) output.Writer) (store.Run, error) {
	started := r.Now()
	record := store.Run{
		ID: r.Store.NextRun(), Report: job.Report.Name, Version: job.Version, Format: format.Name, StartedAt: started,
		AsOf: job.Context.Now.String(), Zone: job.Context.Zone.String(), Inputs: job.Inputs, Sort: job.Sort, Outcome: Running, User: job.User, Seen: job.Seen, Reading: job.Reading,
	}
	if format.File {
		leave, err := lane(ctx, job.Source)
		if err != nil {
			return record, err
		}
		defer leave()
	}
	prepared, err := Prepare(ctx, job)
	if err == nil && format.File && prepared.Selection.Union != nil {
		prepared.Selection.Whole = true
		prepared.Query = job.Source.Dialect().Write(prepared.Selection.Statement)
	}
	if err == nil {
		err = refuseUnfit(ctx, job, prepared)
	}
	if err != nil {
		record.Outcome, record.Problem = outcomeOf(err), r.problemOf(record, err)
		return record, errors.Join(err, r.keep(ctx, record, nil))
	}
	record.Resolved, record.ReadBack = resolved(job, prepared), prepared.ReadBack
	record.SQL, record.Args = prepared.Query.SQL, prepared.Query.Args
	r.Active.records.Store(record.ID, record)
	defer r.Active.records.Delete(record.ID)
	marked := r.mark(ctx, record)
	defer func() {
		if v := recover(); v != nil { // the record says so, and whoever called as well
			marked()
			record.Outcome, record.Problem = Failed, r.problemOf(record, &Panicked{v, debug.Stack()})
			_ = r.keep(ctx, record, nil)
			panic(v)
		}
	}()

	if !format.Charted {
		prepared.Selection.Chart = nil // it has no place for one
	}
	format = format.As(job.CSV)
	var quick *direct
	if isDirect(format, &prepared.Selection) {
		quick, prepared.Query.Passing = &direct{}, true
		format = format.Through(quick.onto)
	}
	writer := begin(record, format)
	edges := newEdges(prepared.Selection.Statement, prepared.Edges, job.Context.Zone)
	header := headerOf(job, prepared)
	header.Run = record.ID
	kept := newFingerprints(record.ID)
	summary := output.Summary{Reason: prepared.Impossible}
	passed := int64(0)
	table := newTable(job, prepared, header, writer)
	around := prepared.Edges
	if job.Compiled.Traits.Scanned && !format.Framed { // it would be read once more for what a file does not say
		around = around.Unread()
	}
	wait := lasts
	if job.Compiled.Traits.Scanned { // its statement takes all there is of the machine
		wait = 0
	}
	found, drop := meanwhile(ctx, wait, func(ctx context.Context) aside { return lookAside(ctx, job, prepared, around) })
	defer drop()
	if err = table.begin(); err == nil && prepared.Impossible == "" {
		head := beginning
		if format.Framed {
			head = idle
		}
		passed, err = stream(ctx, r.Spool, head, job, prepared, table, quick, func(row []any) {
			edges.see(row)
			kept.see(row)
		}, &summary)
	}
	err = table.end(err)
	if err == nil && prepared.Impossible == "" && job.Unchanged {
		err = job.Confirm(ctx)
	}
	if err == nil && prepared.Impossible == "" {
		aside := found()
		summary.Edges = edges.around(around, aside.near)
		summary.LeftOut, err = aside.leftOut.WithPassed(passed), aside.err
	}
	record.Reason = summary.Reason
	if summary.LeftOut != nil {
		record.LeftOut = summary.LeftOut.Told()
	}
	if summary.Edges != nil {
		var failure error
		if record.Edges, failure = json.Marshal(summary.Edges); failure != nil {
			return record, failure
		}
	}

	record.Count = edges.count
	record.First, record.Last = edges.text()
	record.Outcome = outcomeOf(err)
	if err == nil && record.Count == 0 {
		record.Outcome = Empty
	}
	if err != nil {
		var failure *engine.Failure
		record.Rewritten = errors.As(err, &failure) && failure.Code == engine.Rewritten
		record.Problem = r.problemOf(record, err)
	}
	record.Millis = r.Now().Sub(started).Milliseconds()
	summary.Outcome, summary.Count, summary.Problem, summary.Millis = record.Outcome, record.Count, record.Problem, record.Millis
	summary.First, summary.Last = record.First, record.Last
	var prints []byte
	if !kept.over && (record.Outcome == Done || record.Outcome == Empty) {
		prints = append([]byte{}, kept.list...)
	}
	marked()
	if err := r.keep(ctx, record, prints); err != nil {
		return record, err
	}
	if ended := writer.End(summary); ended != nil && err == nil {
		record.Outcome = outcomeOf(ended)
		record.Problem = r.problemOf(record, ended)
		return record, r.keep(ctx, record, nil)
	}
	return record, nil
}

// lane waits until a source has room for one more file: files take long, and
// leave some of its connections to short runs.
func lane(ctx context.Context, source engine.Source) (leave func(), err error) {
	if s, ok := source.(interface {
		File(ctx context.Context) (leave func(), err error)
	}); ok {
		return s.File(ctx)
	}
	return func() {}, nil
}

// keep keeps the record of a run, though nobody may wait for it any more.
func (r Runner) keep(ctx context.Context, record store.Run, prints []byte) error {
	return r.Store.SaveRun(context.WithoutCancel(ctx), record, prints)
}

// mark keeps the beginning of a run that lasts; done is to be called when it has
// ended, before that is kept.
func (r Runner) mark(ctx context.Context, record store.Run) (done func()) {
	kept := make(chan struct{})
	timer := time.AfterFunc(lasting, func() {
		defer close(kept)
		if err := r.keep(ctx, record, nil); err != nil {
			r.Log.Error("the beginning of a run was not kept", "run", record.ID, "problem", err)
		}
	})
	return sync.OnceFunc(func() {
		if !timer.Stop() {
			<-kept
		}
	})
}

// Limited ends a context when the longest time of a statement is over.
func (r Runner) Limited(ctx context.Context) (context.Context, context.CancelFunc) {
	if r.Limit <= 0 {
		return context.WithCancel(ctx)
	}
	return context.WithTimeoutCause(ctx, r.Limit, timedOut(r.Limit))
}

// headerOf is what is known of a run before its first row.
func headerOf(job Job, p Prepared) output.Header {
	title, _ := job.Report.Heading()
	header := output.Header{
		Report: job.Report.Name, Title: title, Version: job.Version, Delivery: job.Delivery,
		ReadBack: p.ReadBack, Restricted: strings.TrimSpace(restricted(p.Restricts)), Zone: job.Context.Zone.String(), Location: job.Context.Zone, Language: job.Report.Language, Columns: p.Selection.Outputs, Page: output.PaperOf(job.Report.Page),
	}
	for _, g := range p.Selection.Groups {
		header.Groups = append(header.Groups, output.Grouping{Label: g.Label, Of: g.Of, Head: g.Head, Once: g.Once, Page: g.Page})
	}
	header.Base, header.Links = job.Base, linksOf(job, p)
	header.Filled = Filled(job, p, header.Place())
	for _, q := range p.Questions {
		header.Answers = append(header.Answers, output.Answered{Question: q.Label, ReadBack: q.ReadBack(p.Values[q.Name], job.Context.Language)})
	}
	return header
}

// linksOf are the links of a report, with the answers to its own questions.
func linksOf(job Job, p Prepared) (links []output.Link) {
	for _, l := range job.Report.Links {
		links = append(links, linkTo(job, p, l.On, l.Target))
	}
	return links
}

func linkTo(job Job, p Prepared, on string, t definition.Target) output.Link {
	link := output.Link{On: on, Report: t.Report, Set: map[string]output.LinkValue{}}
	for question, value := range t.Set {
		own, isQuestion := strings.CutPrefix(value, ":")
		if !isQuestion {
			link.Set[question] = output.LinkValue{Column: value}
			continue
		}
		for _, q := range job.Compiled.Questions {
			if q.Name == own && p.Values[own].Given {
				link.Set[question] = output.LinkValue{Texts: q.Canonical(p.Values[own])}
			}
		}
	}
	return link
}

// Filled is what names in the braces of titles, footers and notes stand for: the answers, and
// the day that was taken for today.
func Filled(job Job, p Prepared, place format.Place) map[string]string {
	shown := place.Of(catalog.Date, "medium", format.Words{})
	day := func(d civil.Date) string { return shown.Date(d.String()) }
	names := map[string]string{"as_of": day(job.Context.Today())}
	for _, q := range job.Compiled.Questions {
		v := p.Values[q.Name]
		names[q.Name] = strings.Join(q.Canonical(v), ", ")
		if !v.Given {
			names[q.Name] = "any"
			continue
		}
		if q.Kind != parameter.Period || q.Many {
			continue
		}
		from, through := "", ""
		if !v.Span.OpenStart() {
			from = day(v.Span.From.Date())
		}
		if !v.Span.OpenEnd() {
			through = day((v.Span.Until - 1).Date())
		}
		names[q.Name+".from"], names[q.Name+".through"] = from, through
		switch {
		case from == through:
			names[q.Name] = from
		case from == "":
			names[q.Name] = "through " + through
		case through == "":
			names[q.Name] = "from " + from
		default:
			names[q.Name] = from + " – " + through
		}
	}
	return names
}

// stream hands the rows to the writer as they come, and before to who wants to
// see them, each group's subtotal after its last row, and puts the totals and the chart into the summary.
// It returns how many records were left out because a date in them does not fit.
func stream(ctx context.Context, folder string, head time.Duration, job Job, p Prepared, writer *table, quick *direct, see func(row []any), summary *output.Summary) (int64, error) {
	fitting := newFitting(&p.Selection.Statement, job.Context.Zone)
	reader := p.Selection.NewReader(job.Context.Zone)
	tally := p.Selection.NewTally(job.Context.Calendar)
	subtotals := func(closed []plan.Subtotal) error {
		for _, s := range closed {
			if err := writer.group(func(w output.Writer) error { return w.Subtotal(output.SubtotalOf(s)) }); err != nil {
				return err
			}
		}
		return nil
	}
	read := func(row func([]any) error) error { return job.Source.Stream(ctx, p.Query, row) }
	write := fitting.through(func(row []any) error {
		see(row)
		record := reader.Read(row)
		if tally != nil {
			closed, opened := tally.Row(record)
			if err := subtotals(closed); err != nil {
				return err
			}
			for _, g := range opened {
				if err := writer.group(func(w output.Writer) error { return w.Opening(output.OpeningOf(g)) }); err != nil {
					return err
				}
			}
		}
		return writer.row(record)
	})
	var err error
	if quick != nil {
		err = quick.stream(ctx, folder, head, read, write, writer.flush)
	} else {
		err = pipeline(ctx, folder, read, sink{head: head, flush: writer.flush, write: write})
	}
	if err != nil || tally == nil {
		return fitting.leftOut, err
	}
	closed, totals := tally.End()
	summary.Judged = tally.Judged()
	if len(totals) > 0 {
		summary.Totals = output.TotalsOf(totals)
	}
	if p.Selection.Chart != nil {
		points, leftOut := tally.Chart()
		summary.Chart = output.ChartOf(p.Selection.Chart, points, leftOut)
		if target := job.Report.Chart.Link; target.Report != "" {
			link := linkTo(job, p, "", target)
			summary.Chart.Link = &link
			summary.Chart.Base = job.Base
		}
	}
	return fitting.leftOut, subtotals(closed)
}

func outcomeOf(err error) string {
	var problems diag.Problems
	var failure *engine.Failure
	var panicked *Panicked
	switch {
	case err == nil:
		return Done
	case errors.As(err, &problems):
		return Refused
	case errors.As(err, &failure) && failure.Code == engine.TimedOut:
		return TimedOut
	case errors.As(err, &failure), errors.As(err, &panicked):
		return Failed
	case errors.Is(err, ErrStalled):
		return Stalled
	case errors.Is(err, ErrStopped):
		return Stopped
	}
	return Cancelled // the context ended, or the writer's other side is gone
}

// problemOf says what went wrong, and has the log say more of what is a fault of
// ours or of a source.
func (r Runner) problemOf(record store.Run, err error) string {
	var panicked *Panicked
	switch outcome := outcomeOf(err); {
	case outcome == Cancelled:
		r.Log.Debug("a caller went away", "run", record.ID, "problem", err)
		return "The caller went away."
	case outcome == Stalled, outcome == Stopped:
		r.Log.Warn("a run was ended", "run", record.ID, "report", record.Report, "outcome", outcome)
		return map[string]string{Stalled: "The caller took nothing of it for too long.", Stopped: "The service was stopped during the run."}[outcome]
	case errors.As(err, &panicked):
		r.Log.Error("a run panicked", "run", record.ID, "report", record.Report, "problem", panicked.Value, "stack", string(panicked.Stack))
		return fmt.Sprintf("Something went wrong inside Pike Gate. The service's log says what, beside run %d.", record.ID)
	case outcome == Failed, outcome == TimedOut:
		r.Log.Warn("a run failed", "run", record.ID, "report", record.Report, "problem", err)
	}
	return err.Error()
}

// resolved is what the inputs were read as, by question.
func resolved(job Job, p Prepared) map[string]any {
	out := map[string]any{}
	for _, q := range job.Compiled.Questions {
		switch canonical := q.Canonical(p.Values[q.Name]); {
		case len(canonical) == 0:
			out[q.Name] = nil
		case q.Many:
			out[q.Name] = canonical
		default:
			out[q.Name] = canonical[0]
		}
	}
	return out
}
