package runner

import (
	"errors"
	"slices"
	"strings"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/plan"
	"pikegate/core/record"
	"pikegate/internal/output"
)

// table is what becomes of the records of a run: they are written one by one, or put together
// in a table that is written when it is whole.
type table struct {
	writer output.Writer
	header output.Header
	cross  *plan.Cross // nil where records are written one by one
	begun  bool
	job    Job
	found  Prepared
}

func newTable(job Job, p Prepared, header output.Header, writer output.Writer) *table {
	return &table{writer: writer, header: header, cross: p.Selection.NewCross(job.Context.Calendar), job: job, found: p}
}

// begin writes the header, where its columns are known.
func (t *table) begin() error {
	if t.cross != nil {
		return nil
	}
	t.begun = true
	return t.writer.Begin(t.header)
}

func (t *table) row(r record.Record) error {
	if t.cross == nil {
		return t.writer.Row(r)
	}
	err := t.cross.Row(r)
	if errors.Is(err, plan.ErrAcross) {
		return diag.Problems{{
			Code: "too_many_across", Field: "across", Message: strings.ToUpper(err.Error()[:1]) + err.Error()[1:] + ".",
			Hint: "Ask for fewer records, put larger units across, or fewer groups at the left.",
		}}
	}
	return err
}

func (t *table) flush() error {
	if !t.begun {
		return nil
	}
	return t.writer.Flush()
}

// group writes the end or the beginning of a group; lines of a table are groups themselves.
func (t *table) group(write func(output.Writer) error) error {
	if t.cross != nil {
		return nil
	}
	return write(t.writer)
}

// end writes the table where there is one, or, after an error, the header alone.
func (t *table) end(err error) error {
	if t.begun {
		return err
	}
	t.begun = true
	if err != nil {
		return errors.Join(err, t.writer.Begin(t.header))
	}
	made := t.cross.End()
	t.header.Columns, t.header.Lead, t.header.Groups, t.header.Across = made.Outputs, len(t.header.Groups), nil, true
	for i, top := range made.Tops {
		if column := &made.Outputs[i]; made.IsTop[i] {
			column.Label = strings.TrimSpace(t.header.Value(top, made.Top) + " " + column.Label)
			if t.job.Report.Across.Link.Report != "" {
				t.header.Links = append(t.header.Links, t.cellLink(made, column.Name, top))
			}
		}
	}
	if err := t.writer.Begin(t.header); err != nil {
		return err
	}
	for _, line := range made.Lines {
		if err := t.writer.Row(line); err != nil {
			return err
		}
	}
	if len(made.Lines) == 0 {
		return nil
	}
	return t.writer.Subtotal(output.Subtotal{All: true, Count: int64(len(made.Lines)), Totals: output.TotalsOf(made.Totals)})
}

// cellLink leads from the cells of a column to another report, with answers from their groups
// and from what stands along the top.
func (t *table) cellLink(made plan.CrossTable, on string, top any) output.Link {
	across := t.job.Report.Across
	link := linkTo(t.job, t.found, on, across.Link)
	for question, v := range link.Set {
		if v.Column == "" {
			continue
		}
		if v.Column == across.By.Value {
			v = output.LinkValue{}
			if text := output.Answer(top, made.Top); text != "" {
				v.Texts = []string{text}
			}
		} else if at := slices.IndexFunc(t.job.Report.Groups, func(g definition.Group) bool { return g.By.Value == v.Column }); at >= 0 {
			v.Column = made.Outputs[at].Name
		}
		link.Set[question] = v
	}
	return link
}
