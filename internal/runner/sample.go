package runner

import (
	"context"
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
		err = stream(ctx, job, p, &output.Keeper{}, counted.see, &summary)
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
	result, err := look(ctx, job.Source, p, most, job.Context.Zone, headerOf(job, p))
	result.Reason = p.Impossible
	return result, err
}

// FirstRows gives rows of a table as they are stored, dates read.
func FirstRows(ctx context.Context, source engine.Source, t catalog.Table, most int, zone *time.Location) (output.Result, error) {
	s := plan.Statement{From: plan.Table{Name: t.Name, Alias: t.Name}, DateIndex: -1, Limit: most}
	for i, c := range t.Columns {
		s.Fetch = append(s.Fetch, criteria.Ref{Alias: t.Name, Column: c})
		s.Outputs = append(s.Outputs, plan.Output{Name: c.Name, Label: c.Name, Type: c.Type, Column: c, Index: i})
	}
	p := Prepared{Statement: s, Query: source.Dialect().Write(s)}
	return look(ctx, source, p, most, zone, output.Header{Title: t.Name, Zone: zone.String(), Columns: s.Outputs})
}

func look(ctx context.Context, source engine.Source, p Prepared, most int, zone *time.Location, header output.Header) (output.Result, error) {
	kept := output.Keep(most, zone)
	if err := kept.Begin(header); err != nil || p.Impossible != "" {
		return kept.Result, err
	}
	ctx, stop := context.WithTimeoutCause(ctx, sampleLimit, timedOut(sampleLimit))
	defer stop()
	err := source.Stream(ctx, p.Query, kept.Row)
	kept.Count = int64(len(kept.Rows))
	return kept.Result, err
}
