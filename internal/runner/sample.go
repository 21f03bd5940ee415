package runner

import (
	"context"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
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
	p.Selection.Chart = nil
	counted := newEdges(p.Selection.Statement, p.Edges, job.Context.Zone)
	summary := output.Summary{Reason: p.Impossible}
	if p.Impossible == "" {
		_, err = stream(ctx, "", beginning, job, p, &table{writer: &output.Keeper{}, begun: true}, nil, counted.see, &summary)
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
	s := p.Selection
	s.Limit = most
	p.Query = job.Source.Dialect().Write(s.Statement)
	result, err := sample(ctx, job.Source, p, most, headerOf(job, p))
	result.Reason = p.Impossible
	return result, err
}

// tables makes the statements that look at a table by itself, of the rows that whoever
// asks may see.
func tables(rows plan.Rows, zone *time.Location) plan.Planner {
	return plan.Planner{Rows: rows, Calendar: civil.Calendar{Zone: zone}}
}

// FirstRows gives rows of a table as they are stored, dates read.
func FirstRows(ctx context.Context, source engine.Source, rows plan.Rows, t catalog.Table, most int, zone *time.Location) (output.Result, error) {
	return sampleOf(ctx, source, tables(rows, zone).FirstRows(t, t.Columns, most), zone)
}

// UnfitRows gives the records of a table in which a value of a column with dates
// is none, their keys first.
func UnfitRows(ctx context.Context, source engine.Source, rows plan.Rows, t catalog.Table, c *catalog.Column, most int, zone *time.Location) (output.Result, error) {
	return sampleOf(ctx, source, tables(rows, zone).UnfitRows(t, c, most), zone)
}

func sampleOf(ctx context.Context, source engine.Source, s plan.Selection, zone *time.Location) (output.Result, error) {
	p := Prepared{Selection: s, Query: source.Dialect().Write(s.Statement)}
	return sample(ctx, source, p, s.Limit, output.Header{Title: s.From.Name, Zone: zone.String(), Location: zone, Columns: s.Outputs})
}

func sample(ctx context.Context, source engine.Source, p Prepared, most int, header output.Header) (output.Result, error) {
	kept := output.Keep(most)
	if err := kept.Begin(header); err != nil || p.Impossible != "" {
		return kept.Result, err
	}
	ctx, stop := context.WithTimeoutCause(ctx, sampleLimit, timedOut(sampleLimit))
	defer stop()
	reader := p.Selection.NewReader(header.Location)
	err := source.Stream(ctx, p.Query, newFitting(&p.Selection.Statement, header.Location).through(func(row []any) error { return kept.Row(reader.Read(row)) }))
	kept.Count = int64(len(kept.Rows))
	return kept.Result, err
}
