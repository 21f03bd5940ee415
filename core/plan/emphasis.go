package plan

import (
	"slices"
	"strings"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/record"
)

// Highlight makes values of a record stand out that meets a condition on them.
type Highlight struct {
	when    Formula // over the columns of the result
	as      record.Emphasis
	outputs []int
}

// emphasis binds what stands out. One that asks for an answer which was not given drops out.
func (b *binder) emphasis(highlights []definition.CompiledHighlight, outputs []Output, index func(*criteria.Column) int) []Highlight {
	var made []Highlight
	for _, h := range highlights {
		if slices.ContainsFunc(criteria.Parameters(h.When), func(name string) bool { return !b.given[strings.ToLower(name)].Given }) {
			continue
		}
		var at []int
		for i, o := range outputs {
			if len(h.Columns) == 0 || slices.Contains(h.Columns, o.Name) {
				at = append(at, i)
			}
		}
		made = append(made, Highlight{newFormula(b.value(h.When), b.calendar, index), record.EmphasisOf(h.As), at})
	}
	return made
}

// emphasise says of each value of a record how it stands out.
func (r *Reader) emphasise() {
	outputs := r.shown.Outputs
	for i := range r.record {
		r.record[i].Emphasis = 0
		r.operands[i] = operand(r.record[i], &outputs[i].Column, r.clock)
	}
	for _, h := range r.shown.Emphasis {
		if holds, _ := h.when.Of(r.operands).(bool); !holds {
			continue
		}
		for _, at := range h.outputs {
			if r.record[at].Emphasis == 0 {
				r.record[at].Emphasis = h.as
			}
		}
	}
}
