package runner

import (
	"context"
	"errors"
	"fmt"
	"hash/maphash"
	"slices"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/plan"
	"pikegate/internal/output"
	"pikegate/internal/wire"
)

// The most records of a run that can be compared, and how many of each kind of
// difference are shown.
const (
	MaxCompared   = 1_000_000
	maxDifference = 500
)

// Run is a run to be compared: its job, its number, how many records it found,
// and their fingerprints, nil where none are kept.
type Run struct {
	Job    Job
	ID     uint
	Then   int64
	Prints []byte
}

// compared is one of the two runs while they are compared.
type compared struct {
	job    Job
	p      Prepared
	reader *plan.Reader
	kept   *output.Keeper
	places []int
	buffer []byte
	seed   maphash.Seed
	count  int64
	since  *since
	found  *wire.Since
}

// fingerprints are the fingerprints of a record: of what tells it apart, and of its
// values. Two records of a million share one by chance once in a hundred
// million comparisons.
func (c *compared) fingerprints(row []any) (key, values uint64) {
	c.buffer = c.kept.Text(c.buffer[:0], c.reader.Record())
	values = maphash.Bytes(c.seed, c.buffer)
	if c.places == nil {
		return values, values
	}
	c.buffer = c.buffer[:0]
	for _, place := range c.places {
		c.buffer = fmt.Appendf(c.buffer, "%v\x00", row[place])
	}
	return maphash.Bytes(c.seed, c.buffer), values
}

// each streams the records of a run with their fingerprints.
func (c *compared) each(ctx context.Context, see func(key, values uint64, row []any) error) error {
	c.count = 0
	if c.p.Impossible != "" {
		return nil
	}
	fitting := newFitting(&c.p.Selection.Statement, c.job.Context.Zone)
	c.reader.Begin()
	err := c.job.Source.Stream(ctx, c.p.Query, fitting.through(func(row []any) error {
		if c.count++; c.count > MaxCompared {
			return diag.Problems{{Code: "too_many", Message: fmt.Sprintf("There are more than %d records to compare.", MaxCompared), Hint: "Compare runs of shorter periods."}}
		}
		c.reader.Next(row)
		key, values := c.fingerprints(row)
		return see(key, values, row)
	}))
	if errors.Is(err, errStopped) {
		return nil
	}
	return err
}

// held is what is remembered of a record of the first run.
type held struct {
	values uint64
	count  int
}

// Compare runs two jobs of a report and tells how their records differ. It
// keeps fingerprints of the first, and the records that it shows.
func Compare(ctx context.Context, before, after Run) (wire.Comparison, error) {
	sides := [2]*compared{{job: before.Job}, {job: after.Job}}
	out := wire.Comparison{Rows: []wire.DifferentRecord{}}
	common := shared(before.Job, after.Job)
	if len(common) == 0 {
		return out, diag.Problems{{Code: "nothing_shared", Message: "The two versions of the report have no column in common.", Hint: "Compare runs of versions that do."}}
	}
	seed := maphash.MakeSeed()
	for i, run := range []Run{before, after} {
		c := sides[i]
		whole := slices.Equal(shownColumns(c.job), common)
		c.job.View, c.seed = definition.View{Columns: common}, seed
		var err error
		if c.p, err = Prepare(ctx, c.job); err != nil {
			return out, err
		}
		if run.Prints != nil && whole {
			c.since, c.found = newSince(run.ID, run.Prints, width(c.p.Selection.Statement)), &wire.Since{}
		}
		c.places = c.job.planner().Identify(&c.p.Selection.Statement)
		c.p.Query = c.job.Source.Dialect().Write(c.p.Selection.Statement)
		c.reader = c.p.Selection.NewReader(c.job.Context.Zone)
		c.kept = output.Keep(0)
		if err := c.kept.Begin(headerOf(c.job, c.p)); err != nil {
			return out, err
		}
	}
	a, b := sides[0], sides[1]
	if len(a.places) != len(b.places) {
		a.places, b.places = nil, nil
	}
	out.Columns, out.Whole = b.p.Selection.Outputs, b.places == nil

	first := map[uint64]held{}
	err := a.each(ctx, func(key, values uint64, row []any) error {
		first[key] = held{values, first[key].count + 1}
		a.changed(&out, before.ID, row)
		return nil
	})
	if err != nil {
		return out, err
	}
	changed := map[uint64]int{} // where the change stands among the rows
	err = b.each(ctx, func(key, values uint64, row []any) error {
		b.changed(&out, after.ID, row)
		was, there := first[key]
		if was.count--; there && was.count <= 0 {
			delete(first, key)
		} else if there {
			first[key] = was
		}
		switch {
		case !there:
			if out.Came++; out.Came <= maxDifference {
				out.Rows = append(out.Rows, wire.DifferentRecord{Kind: "came", After: b.kept.Cells(b.reader.Record())})
			}
		case was.values != values:
			if out.Changed++; out.Changed <= maxDifference {
				changed[key] = len(out.Rows)
				out.Rows = append(out.Rows, wire.DifferentRecord{Kind: "changed", After: b.kept.Cells(b.reader.Record())})
			}
		default:
			out.Same++
		}
		return nil
	})
	if err != nil {
		return out, err
	}
	for _, left := range first {
		out.Went += int64(left.count)
	}
	out.Before, out.After = a.side(before), b.side(after)
	return out, a.valuesBefore(ctx, &out, first, changed)
}

// valuesBefore fetches the values of what went or changed from the first run.
func (c *compared) valuesBefore(ctx context.Context, out *wire.Comparison, went map[uint64]held, changed map[uint64]int) error {
	wanted := int(min(out.Went, maxDifference)) + len(changed)
	shown := 0
	if wanted == 0 {
		return nil
	}
	return c.each(ctx, func(key, _ uint64, row []any) error {
		at, isChanged := changed[key]
		_, isGone := went[key]
		switch {
		case isChanged:
			out.Rows[at].Before = c.kept.Cells(c.reader.Record())
			delete(changed, key)
			wanted--
		case isGone && shown < maxDifference:
			if left := went[key]; left.count > 1 {
				went[key] = held{left.values, left.count - 1}
			} else {
				delete(went, key)
			}
			out.Rows = append(out.Rows, wire.DifferentRecord{Kind: "went", Before: c.kept.Cells(c.reader.Record())})
			shown++
			wanted--
		}
		if wanted == 0 {
			return errStopped
		}
		return nil
	})
}

// changed takes in a record of a run, and shows it if it came since then.
func (c *compared) changed(out *wire.Comparison, run uint, row []any) {
	if c.since == nil || !c.since.came(row) {
		return
	}
	if c.found.Came++; c.found.Came <= maxDifference {
		out.Rows = append(out.Rows, wire.DifferentRecord{Kind: "since", Run: run, After: c.kept.Cells(c.reader.Record())})
	}
}

func (c *compared) side(run Run) wire.Side {
	side := wire.Side{Run: run.ID, Version: c.job.Version, ReadBack: c.p.ReadBack, Then: run.Then, Now: c.count}
	if c.since != nil {
		c.found.Went = c.since.went()
		side.Since = c.found
	}
	return side
}

// width is how many values a row of a statement has.
func width(s plan.Statement) int {
	if len(s.GroupBy)+len(s.Aggregates) > 0 {
		return len(s.GroupBy) + len(s.Aggregates)
	}
	return len(s.Fetch)
}

// shared are the columns that both versions of a report show, in the order of
// the second.
func shared(before, after Job) []string {
	var out []string
	old := shownColumns(before)
	for _, name := range shownColumns(after) {
		if slices.Contains(old, name) {
			out = append(out, name)
		}
	}
	return out
}

func shownColumns(job Job) []string {
	if len(job.View.Columns) > 0 {
		return job.View.Columns
	}
	var names []string
	for _, c := range job.Compiled.Columns {
		names = append(names, c.Name)
	}
	return names
}
