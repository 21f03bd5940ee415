package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// Preview reads inputs back.
func (s *Service) Preview(ctx context.Context, who identity.Actor, r Request) (wire.Preview, error) {
	job, err := s.asks(ctx, who, r)
	out := wire.Preview{Answers: []wire.Answer{}, Problems: diag.Problems{}}
	if err != nil {
		return out, err
	}
	prepared, err := runner.Prepare(ctx, job)
	var problems diag.Problems
	if errors.As(err, &problems) {
		out.Problems = problems
	} else if err != nil {
		return out, err
	}
	out.Answers = append(out.Answers, answers(prepared, job.Context.Language)...)
	out.ReadBack = prepared.ReadBack
	return out, nil
}

func answers(p runner.Prepared, language string) []wire.Answer {
	var out []wire.Answer
	for _, q := range p.Questions {
		v := p.Values[q.Name]
		a := wire.Answer{
			Name: q.Name, Label: q.Label, Typed: v.Typed, Default: v.Default, Given: v.Given,
			Canonical: q.Canonical(v), ReadBack: q.ReadBack(v, language),
		}
		if v.Given && q.Kind == parameter.Period {
			if !v.Span.OpenStart() {
				a.From = v.Span.FirstDay().String()
			}
			if !v.Span.OpenEnd() {
				a.Through = v.Span.LastDay().String()
			}
			a.Days = v.Span.Days()
		}
		out = append(out, a)
	}
	return out
}

// Explain tells how a run would come about, without running it.
func (s *Service) Explain(ctx context.Context, who identity.Actor, r Request, withPlan bool) (wire.Explanation, error) {
	job, err := s.asks(ctx, who, r)
	if err != nil {
		return wire.Explanation{}, err
	}
	p, err := runner.Prepare(ctx, job)
	if err != nil {
		return wire.Explanation{}, err
	}
	out := wire.Explanation{
		Report: r.Report, Version: job.Version, ReadBack: p.ReadBack, AsOf: job.Context.Now.String(),
		Zone: job.Context.Zone.String(), Calendar: job.Reading.Calendar, CalendarVersion: job.Reading.CalendarVersion, Answers: answers(p, job.Context.Language), Conditions: p.Query.Lines, SQL: p.Query.SQL, Values: bound(p.Query.Args),
	}
	out.Findings = findings(job, p)
	for _, r := range p.Restricts {
		told := wire.Restriction{Table: r.Table, Rows: []wire.SeenRows{}}
		for _, rows := range r.Rows {
			told.Rows = append(told.Rows, wire.SeenRows(rows))
		}
		out.Restrictions = append(out.Restrictions, told)
	}
	if (withPlan || job.Compiled.Traits.Scanned) && len(p.Restricts) == 0 { // how a database goes about it tells of hidden rows
		found, err := job.Source.Plan(ctx, p.Query)
		if err != nil {
			return wire.Explanation{}, err
		}
		if out.Files = found.Files; withPlan {
			out.Plan = approach(job, p, found)
		}
	}
	for i, part := range p.Selection.Union {
		for _, said := range computed(job.Compiled.Parts[i], part.Outputs) {
			out.Computed = append(out.Computed, part.Title+": "+said)
		}
	}
	if p.Selection.Union == nil {
		out.Computed = computed(job.Compiled, p.Selection.Outputs)
	}
	return out, nil
}

// computed tells of which values columns are made that are worked out from records.
func computed(c *definition.Compiled, outputs []plan.Output) (all []string) {
	for _, col := range c.Columns {
		for _, o := range outputs {
			if o.Name == col.Name && o.Formula.Is() {
				all = append(all, col.Name+" = "+col.Value.Value)
			}
		}
	}
	return all
}

func bound(args []any) []wire.BoundValue {
	values := make([]wire.BoundValue, len(args))
	for i, v := range args {
		values[i] = wire.BoundValue{Number: i + 1, Value: v}
	}
	return values
}

// Run runs a report; begin is called once, before the first row, and gives
// the writer. An error means that nothing was written.
func (s *Service) Run(ctx context.Context, who identity.Actor, r Request, format output.Format, begin func(wire.RunRecord, output.Format) output.Writer) (wire.RunRecord, error) {
	if _, inputs, narrowed := who.Narrowed(); narrowed {
		r.Inputs, r.AsOf, r.Answers = inputs, "", ""
	}
	if err := takes(who, format); err != nil {
		return wire.RunRecord{}, err
	}
	job, err := s.job(ctx, who, r)
	if err != nil {
		return wire.RunRecord{}, err
	}
	return s.runJob(ctx, who, job, format, begin)
}

// takes refuses files to whoever looks at what somebody else sees.
func takes(who identity.Actor, format output.Format) error {
	if who.Behind() != "" && format.File {
		return forbidden("Nothing is taken away while you see as "+who.Name()+".", "End seeing as them first.")
	}
	return nil
}

// runJob runs a report that is ready.
func (s *Service) runJob(ctx context.Context, who identity.Actor, job runner.Job, format output.Format, begin func(wire.RunRecord, output.Format) output.Writer) (wire.RunRecord, error) {
	record, err := s.runner.Run(ctx, job, format, func(started store.Run, format output.Format) output.Writer {
		return begin(recordOf(started), format)
	})
	if format.File && record.Count > s.tellExports() && err == nil {
		entry := who.Entry("exported", job.Report.Name).With(nil, map[string]any{"run": record.ID, "records": record.Count, "format": format.Name})
		if err := s.Store.Audit(context.WithoutCancel(ctx), entry); err != nil {
			s.Log.Error("an export was not told to the audit log", "run", record.ID, "problem", err)
		}
	}
	if record.Rewritten { // what was known of the source holds no longer
		s.resurvey(job.Compiled.Query.Source)
	}
	return recordOf(record), err
}

// usuallyTold is from how many records on the audit log is told of an export, where
// nothing else is said.
const usuallyTold = 10_000

func (s *Service) tellExports() int64 {
	if s.ExportsTold != 0 {
		return s.ExportsTold
	}
	return usuallyTold
}

func summaryOf(r store.Run) wire.RunSummary {
	if r.Forgotten {
		r.ReadBack = notKept
	}
	return wire.RunSummary{
		Run: r.ID, Report: r.Report, Version: r.Version, Outcome: r.Outcome, Format: r.Format, StartedAt: r.StartedAt, AsOf: r.AsOf, Zone: r.Zone,
		ReadBack: r.ReadBack, Count: r.Count, First: r.First, Last: r.Last, Millis: r.Millis, Problem: r.Problem, User: r.User, Hidden: r.Hidden, Forgotten: r.Forgotten,
	}
}

func recordOf(r store.Run) wire.RunRecord {
	var edges *output.Edges
	if r.Edges != nil {
		_ = json.Unmarshal(r.Edges, &edges) // an older shape reads as what it has
	}
	return wire.RunRecord{
		RunSummary: summaryOf(r), Sort: r.Sort, Typed: orEmpty(r.Inputs), Resolved: orEmpty(r.Resolved),
		Reading: wire.TypedReading(r.Reading), SQL: r.SQL, Values: bound(r.Args), Reason: r.Reason, LeftOut: r.LeftOut, Edges: edges,
	}
}

func orEmpty[M ~map[string]V, V any](m M) M {
	if m == nil {
		return M{}
	}
	return m
}

// RunRecord gives the record of a run.
func (s *Service) RunRecord(ctx context.Context, who identity.Actor, id uint) (wire.RunRecord, error) {
	if err := admitted(who); err != nil {
		return wire.RunRecord{}, err
	}
	of, err := s.whose(ctx, who)
	if err != nil {
		return wire.RunRecord{}, err
	}
	r, err := s.Store.Run(ctx, id)
	if active, ok := s.runner.Active.Record(id); ok && errors.Is(err, store.ErrNotFound) {
		r, err = active, nil
	}
	if errors.Is(err, store.ErrNotFound) || err == nil && !of.Has(r) {
		return wire.RunRecord{}, &NotFound{What: "run", Name: strconv.FormatUint(uint64(id), 10)}
	}
	return s.shown(ctx, who, r, err)
}

// shown is the record of a run as somebody may see it.
func (s *Service) shown(ctx context.Context, who identity.Actor, r store.Run, err error) (wire.RunRecord, error) {
	if err != nil {
		return wire.RunRecord{}, err
	}
	may, err := s.mayShow(ctx, who, r)
	if err == nil && !may {
		hideFound(&r)
	}
	return recordOf(r), err
}

// RunRecords lists the newest runs that are meant.
func (s *Service) RunRecords(ctx context.Context, who identity.Actor, f store.Filter, limit int) ([]wire.RunSummary, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	of, err := s.whose(ctx, who)
	if err != nil {
		return nil, err
	}
	f.Of = of
	runs, err := s.Store.Runs(ctx, f, limit)
	out := make([]wire.RunSummary, len(runs))
	for i, r := range runs {
		if may, failed := s.mayShow(ctx, who, r); failed != nil {
			return nil, failed
		} else if !may {
			hideFound(&r)
		}
		out[i] = summaryOf(r)
	}
	return out, err
}

// notKept is read where the answers of a run were.
const notKept = "What was typed is kept no longer."

// requestOf asks for the same again: the version, the answers, the order and the
// day of the run.
func requestOf(r wire.RunRecord) (Request, error) {
	if r.Forgotten {
		return Request{}, diag.Problems{{Code: "answers_forgotten", Message: fmt.Sprintf("What was typed in run %d is kept no longer.", r.Run), Hint: "Run the report anew."}}
	}
	reading := store.Reading(r.Reading)
	return Request{Report: r.Report, Inputs: r.Typed, AsOf: r.AsOf, Sort: r.Sort, Version: r.Version, Draft: r.Version == 0, Reading: &reading}, nil
}

// Compare runs two runs of a report anew, as they were, and tells how their
// records differ.
func (s *Service) Compare(ctx context.Context, who identity.Actor, before, after uint) (wire.Comparison, error) {
	var runs [2]runner.Run
	var reports [2]string
	for i, id := range []uint{before, after} {
		record, err := s.RunRecord(ctx, who, id)
		if err != nil {
			return wire.Comparison{}, err
		}
		request, err := requestOf(record)
		if err != nil {
			return wire.Comparison{}, err
		}
		job, err := s.job(ctx, who, request)
		if err != nil {
			return wire.Comparison{}, err
		}
		var prints []byte
		if err = store.ErrNotFound; !record.Hidden { // those of hidden rows tell how many changed
			prints, err = s.Store.Prints(ctx, id)
		}
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return wire.Comparison{}, err
		}
		if err == nil && prints == nil {
			prints = []byte{} // of no records, which is not unknown
		}
		runs[i], reports[i] = runner.Run{Job: job, ID: id, Then: record.Count, Prints: prints}, record.Report
	}
	if reports[0] != reports[1] {
		return wire.Comparison{}, diag.Problems{{
			Code: "other_report", Message: fmt.Sprintf("Run %d is of %s, run %d of %s.", before, reports[0], after, reports[1]),
			Hint: "Choose two runs of one report.",
		}}
	}
	ctx, stop := s.runner.Limited(ctx)
	defer stop()
	return runner.Compare(ctx, runs[0], runs[1])
}
