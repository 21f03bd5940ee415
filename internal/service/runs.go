package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"time"

	"pikegate/core/diag"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/store"
)

// Answer is how one question was understood.
type Answer struct {
	Name      string   `json:"name"`
	Label     string   `json:"label"`
	Typed     string   `json:"typed" doc:"What was typed, or the default"`
	Default   bool     `json:"default" doc:"Whether the question was left to its default"`
	Given     bool     `json:"given" doc:"Whether there is an answer at all"`
	Canonical []string `json:"canonical" doc:"The answer in a form that reads back to the same value"`
	ReadBack  string   `json:"readback" doc:"The answer in words"`
	From      string   `json:"from,omitempty" doc:"The first day of a period"`
	Through   string   `json:"through,omitempty" doc:"The last day of a period"`
	Days      int      `json:"days,omitempty" doc:"How many days a period touches"`
}

// Preview is how inputs would be understood, without running anything.
type Preview struct {
	ReadBack string        `json:"readback" doc:"What would be selected, in words; empty while there are problems"`
	Answers  []Answer      `json:"answers"`
	Problems diag.Problems `json:"problems" doc:"Everything that stands in the way of a run"`
}

// Preview reads inputs back.
func (s *Service) Preview(ctx context.Context, r Request) (Preview, error) {
	job, err := s.job(ctx, r)
	out := Preview{Answers: []Answer{}, Problems: diag.Problems{}}
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
	out.Answers = append(out.Answers, answers(prepared)...)
	out.ReadBack = prepared.ReadBack
	return out, nil
}

func answers(p runner.Prepared) []Answer {
	var out []Answer
	for _, q := range p.Questions {
		v := p.Values[q.Name]
		a := Answer{
			Name: q.Name, Label: q.Label, Typed: v.Typed, Default: v.Default, Given: v.Given,
			Canonical: q.Canonical(v), ReadBack: q.ReadBack(v),
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

// Explanation is how a run would come about.
type Explanation struct {
	Report     string         `json:"report"`
	Version    int            `json:"version"`
	ReadBack   string         `json:"readback"`
	AsOf       string         `json:"as_of" doc:"The instant taken for now"`
	Zone       string         `json:"zone"`
	Answers    []Answer       `json:"answers"`
	Conditions []dialect.Line `json:"conditions" doc:"Each criterion in words, as written, and as SQL"`
	SQL        string         `json:"sql" doc:"The statement, its values numbered"`
	Values     []BoundValue   `json:"values" doc:"The values bound to it"`
	Findings   diag.Problems  `json:"findings,omitempty" doc:"What can be proved of the criteria with these answers"`
	Plan       *Approach      `json:"plan,omitempty" doc:"How the database would go about it, where that was asked for"`
	Computed   []string       `json:"computed,omitempty" doc:"Columns worked out from what the database returns, exactly"`
}

// BoundValue is one value bound to a statement.
type BoundValue struct {
	Number int `json:"number"`
	Value  any `json:"value"`
}

// Explain tells how a run would come about, without running it.
func (s *Service) Explain(ctx context.Context, r Request, plan bool) (Explanation, error) {
	job, err := s.job(ctx, r)
	if err != nil {
		return Explanation{}, err
	}
	p, err := runner.Prepare(ctx, job)
	if err != nil {
		return Explanation{}, err
	}
	out := Explanation{
		Report: r.Report, Version: job.Version, ReadBack: p.ReadBack, AsOf: job.Context.Now.String(),
		Zone: job.Context.Zone.String(), Answers: answers(p), Conditions: p.Query.Lines, SQL: p.Query.SQL, Values: bound(p.Query.Args),
	}
	out.Findings = findings(job, p)
	if plan {
		if out.Plan, err = approach(ctx, job, p); err != nil {
			return Explanation{}, err
		}
	}
	for _, c := range job.Compiled.Columns {
		for _, o := range p.Statement.Outputs {
			if o.Name == c.Name && o.Formula.Is() {
				out.Computed = append(out.Computed, c.Name+" = "+c.Value.Value)
			}
		}
	}
	return out, nil
}

func bound(args []any) []BoundValue {
	values := make([]BoundValue, len(args))
	for i, v := range args {
		values[i] = BoundValue{i + 1, v}
	}
	return values
}

// Run runs a report; begin is called once, before the first row, and gives
// the writer. An error means that nothing was written.
func (s *Service) Run(ctx context.Context, r Request, format output.Format, begin func(RunRecord) output.Writer) (RunRecord, error) {
	job, err := s.job(ctx, r)
	if err != nil {
		return RunRecord{}, err
	}
	record, err := s.runner.Run(ctx, job, format, func(started store.Run) output.Writer { return begin(recordOf(started)) })
	if record.Rewritten { // what was known of the source holds no longer
		s.resurvey(job.Compiled.Query.Source)
	}
	return recordOf(record), err
}

// RunSummary is what a list of runs tells of one.
type RunSummary struct {
	Run       uint      `json:"run" doc:"The number of the run"`
	Report    string    `json:"report"`
	Version   int       `json:"version" doc:"The version of the report, 0 for a draft"`
	Outcome   string    `json:"outcome" enum:"running,done,empty,failed,refused,cancelled,timed_out,stalled,stopped"`
	Format    string    `json:"format"`
	StartedAt time.Time `json:"started_at"`
	AsOf      string    `json:"as_of" doc:"The instant taken for now"`
	Zone      string    `json:"zone"`
	ReadBack  string    `json:"readback" doc:"What was selected, in words; in a list the beginning of what is long"`
	Count     int64     `json:"count"`
	First     string    `json:"first,omitempty"`
	Last      string    `json:"last,omitempty"`
	Millis    int64     `json:"ms"`
	Problem   string    `json:"problem,omitempty"`
}

func summaryOf(r store.Run) RunSummary {
	return RunSummary{
		Run: r.ID, Report: r.Report, Version: r.Version, Outcome: r.Outcome, Format: r.Format, StartedAt: r.StartedAt, AsOf: r.AsOf, Zone: r.Zone,
		ReadBack: r.ReadBack, Count: r.Count, First: r.First, Last: r.Last, Millis: r.Millis, Problem: r.Problem,
	}
}

// RunRecord is what is kept of a run: enough to explain and to repeat it.
type RunRecord struct {
	RunSummary
	Sort     []string       `json:"sort,omitempty" doc:"An order of the caller's own"`
	Typed    map[string]any `json:"typed" doc:"What was typed, by question"`
	Resolved map[string]any `json:"resolved" doc:"What it was read as, by question"`
	SQL      string         `json:"sql"`
	Values   []BoundValue   `json:"values"`
	Reason   string         `json:"reason,omitempty" doc:"Why no record could match, where that was proved"`
	LeftOut  string         `json:"left_out,omitempty" doc:"How many records were left out because their dates cannot be read"`
	Edges    *output.Edges  `json:"edges,omitempty" doc:"What lies around the period of the run"`
}

func recordOf(r store.Run) RunRecord {
	var edges *output.Edges
	if r.Edges != nil {
		_ = json.Unmarshal(r.Edges, &edges) // an older shape reads as what it has
	}
	return RunRecord{
		RunSummary: summaryOf(r), Sort: r.Sort, Typed: orEmpty(r.Inputs), Resolved: orEmpty(r.Resolved),
		SQL: r.SQL, Values: bound(r.Args), Reason: r.Reason, LeftOut: r.LeftOut, Edges: edges,
	}
}

func orEmpty(m map[string]any) map[string]any {
	if m == nil {
		return map[string]any{}
	}
	return m
}

// RunRecord gives the record of a run.
func (s *Service) RunRecord(id uint) (RunRecord, error) {
	r, err := s.Store.Run(id)
	if active, ok := s.runner.Active.Record(id); ok && errors.Is(err, store.ErrNotFound) {
		return recordOf(active), nil
	}
	if errors.Is(err, store.ErrNotFound) {
		return RunRecord{}, &NotFound{What: "run", Name: strconv.FormatUint(uint64(id), 10)}
	}
	return recordOf(r), err
}

// RunRecords lists the newest runs that are meant.
func (s *Service) RunRecords(f store.Filter, limit int) ([]RunSummary, error) {
	runs, err := s.Store.Runs(f, limit)
	out := make([]RunSummary, len(runs))
	for i, r := range runs {
		out[i] = summaryOf(r)
	}
	return out, err
}

// request asks for the same again: the version, the answers, the order and the
// day of the run.
func (r RunRecord) request() Request {
	return Request{Report: r.Report, Inputs: r.Typed, AsOf: r.AsOf, Sort: r.Sort, Version: r.Version, Draft: r.Version == 0}
}

// Compare runs two runs of a report anew, as they were, and tells how their
// records differ.
func (s *Service) Compare(ctx context.Context, before, after uint) (runner.Comparison, error) {
	var runs [2]runner.Run
	var reports [2]string
	for i, id := range []uint{before, after} {
		record, err := s.RunRecord(id)
		if err != nil {
			return runner.Comparison{}, err
		}
		job, err := s.job(ctx, record.request())
		if err != nil {
			return runner.Comparison{}, err
		}
		prints, err := s.Store.Prints(id)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return runner.Comparison{}, err
		}
		if err == nil && prints == nil {
			prints = []byte{} // of no records, which is not unknown
		}
		runs[i], reports[i] = runner.Run{Job: job, ID: id, Then: record.Count, Prints: prints}, record.Report
	}
	if reports[0] != reports[1] {
		return runner.Comparison{}, diag.Problems{{
			Code: "other_report", Message: fmt.Sprintf("Run %d is of %s, run %d of %s.", before, reports[0], after, reports[1]),
			Hint: "Choose two runs of one report.",
		}}
	}
	ctx, stop := s.runner.Limited(ctx)
	defer stop()
	return runner.Compare(ctx, runs[0], runs[1])
}
