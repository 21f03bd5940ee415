package runner

import (
	"context"
	"slices"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/output"
)

// Try runs a job and keeps neither its rows nor a record of it.
func Try(ctx context.Context, job Job) (output.Summary, error) {
	p, err := Prepare(ctx, job)
	if err != nil {
		return output.Summary{}, err
	}
	p.Statement.Chart = nil
	counted := newEdges(p.Statement, p.Edges, job.Context.Zone)
	summary := output.Summary{Reason: p.Impossible}
	if p.Impossible == "" {
		_, err = stream(ctx, "", beginning, job, p, &output.Keeper{}, counted.see, &summary)
	}
	summary.Count = counted.count
	summary.First, summary.Last = counted.text()
	return summary, err
}

// sampleLimit is how long a look at first rows may take.
const sampleLimit = 5 * time.Second

// Sample gives the first rows of a job, without a record of it.
func Sample(ctx context.Context, job Job, most int) (output.Result, error) {
	p, err := Prepare(ctx, job)
	if err != nil {
		return output.Result{}, err
	}
	s := p.Statement
	s.Limit = most
	p.Query = job.Source.Dialect().Write(s)
	result, err := look(ctx, job.Source, p, most, headerOf(job, p))
	result.Reason = p.Impossible
	return result, err
}

// FirstRows gives rows of a table as they are stored, dates read.
func FirstRows(ctx context.Context, source engine.Source, t catalog.Table, most int, zone *time.Location) (output.Result, error) {
	return lookAt(ctx, source, tableStatement(t, t.Columns, most), zone)
}

// UnfitRows gives the records of a table in which a value of a column with dates
// is none, their keys first.
func UnfitRows(ctx context.Context, source engine.Source, t catalog.Table, c catalog.Column, most int, zone *time.Location) (output.Result, error) {
	var keys, others []catalog.Column
	for _, name := range t.Key {
		if key, ok := t.Column(name); ok && key.Name != c.Name {
			keys = append(keys, key)
		}
	}
	for _, other := range t.Columns {
		if other.Name != c.Name && !slices.Contains(t.Key, other.Name) {
			others = append(others, other)
		}
	}
	s := tableStatement(t, slices.Concat(keys, []catalog.Column{c}, others), most)
	for _, key := range s.Fetch[:len(keys)] {
		s.Sort = append(s.Sort, plan.SortKey{Expr: plan.Column{Ref: key}})
	}
	s.Where = []plan.Condition{{Expr: plan.Unfit(s.Fetch[len(keys)])}}
	return lookAt(ctx, source, s, zone)
}

// tableStatement reads columns of a table as they are stored.
func tableStatement(t catalog.Table, columns []catalog.Column, most int) plan.Statement {
	s := plan.Statement{From: plan.Table{Name: t.Name, Alias: t.Name}, DateIndex: -1, Limit: most}
	for i, c := range columns {
		s.Fetch = append(s.Fetch, criteria.Ref{Alias: t.Name, Column: c, Nullable: c.Nullable})
		s.Outputs = append(s.Outputs, plan.Output{Name: c.Name, Label: c.Name, Type: c.Type, Column: c, Index: i})
	}
	return s
}

func lookAt(ctx context.Context, source engine.Source, s plan.Statement, zone *time.Location) (output.Result, error) {
	p := Prepared{Statement: s, Query: source.Dialect().Write(s)}
	return look(ctx, source, p, s.Limit, output.Header{Title: s.From.Name, Zone: zone.String(), Location: zone, Columns: s.Outputs})
}

func look(ctx context.Context, source engine.Source, p Prepared, most int, header output.Header) (output.Result, error) {
	kept := output.Keep(most)
	if err := kept.Begin(header); err != nil || p.Impossible != "" {
		return kept.Result, err
	}
	ctx, stop := context.WithTimeoutCause(ctx, sampleLimit, timedOut(sampleLimit))
	defer stop()
	err := source.Stream(ctx, p.Query, newFitting(&p.Statement, header.Location).through(kept.Row))
	kept.Count = int64(len(kept.Rows))
	return kept.Result, err
}
