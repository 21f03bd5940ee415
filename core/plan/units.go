package plan

import (
	"slices"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/period"
)

// units are the units of time along an axis, so that those without records can be shown.
type units struct {
	// name is blank where the axis has none.
	name     string
	calendar civil.Calendar
	// asked is the stretch of time that records were asked of, empty where that has not
	// both ends.
	asked period.Span
}

// unitsOf are those of an expression over the columns of the result.
func (b *binder) unitsOf(e criteria.Expr) units {
	u := units{calendar: b.calendar}
	of := e
	if unit, ok := e.(*criteria.UnitOf); ok {
		u.name, of = unit.Unit, unit.X
	} else if criteria.TypeOf(e) == catalog.Date {
		u.name = "day"
	}
	behind := b.compiled.Behind(of)
	if unit, ok := behind.(*criteria.UnitOf); ok { // a column that is one
		u.name, behind = unit.Unit, unit.X
	}
	if column, ok := behind.(*criteria.Column); ok && u.name != "" {
		if span, ok := b.window[windowName(column.Ref)]; ok && span.Closed() {
			span.Until = min(span.Until, (b.calendar.Today() + 1).Midnight()) // what is to come has no records yet
			u.asked = span
		}
	}
	return u
}

// longestAxis is over how many days units are looked for at the most.
const longestAxis = 40_000

// missing are the units without records: between the first and the last of some values, and
// in what was asked for.
func (u units) missing(values []any) (missing []any) {
	if u.name == "" {
		return nil
	}
	here := map[string]bool{}
	first, last, isDay, known := civil.Date(0), civil.Date(0), false, false
	for _, v := range values {
		if v == nil {
			continue
		}
		here[text(v)] = true
		day, ok := u.dayOf(v)
		if !ok {
			return nil
		}
		if _, isDay = v.(catalog.Stamp); !known {
			first, last, known = day, day, true
		}
		first, last = min(first, day), max(last, day)
	}
	if !known {
		return nil
	}
	if u.asked.Until > u.asked.From && u.asked.Closed() {
		first, last = min(first, u.asked.From.Date()), max(last, (u.asked.Until-1).Date())
	}
	if last-first > longestAxis {
		return nil
	}
	column := &criteria.Column{Ref: criteria.Ref{Column: &catalog.Column{Type: catalog.Date, Encoding: catalog.EncDate}}}
	of := newFormula(&criteria.UnitOf{Unit: u.name, X: column}, u.calendar, func(*criteria.Column) int { return 0 })
	for day := first; day <= last; day++ {
		var v any = catalog.Stamp{At: day.Midnight()}
		if !isDay {
			v = of.Of([]any{v})
		}
		if v != nil && !here[text(v)] {
			here[text(v)] = true
			missing = append(missing, v)
		}
	}
	return missing
}

// dayOf is the first day of a unit.
func (u units) dayOf(v any) (civil.Date, bool) {
	switch v := v.(type) {
	case catalog.Stamp:
		return v.At.Date(), true
	case string:
		p, problems := period.Parse(v)
		if problems.Failed() {
			return 0, false
		}
		span, problems := p.Resolve(u.calendar)
		return span.From.Date(), !problems.Failed() && !span.OpenStart()
	}
	return 0, false
}

// none are totals of no records.
func none(totals []Total, empty string) []TotalValue {
	made := (&tally{kept: make([]accumulator, len(totals))}).made(totals)
	for i := range made {
		if made[i].Value = nil; isZero(totals[i], empty) {
			made[i].Value = decimal.Decimal{}
		}
	}
	return made
}

// isZero tells whether a total of no records is zero rather than a gap: as it is said, or
// else as what it is makes sense.
func isZero(t Total, empty string) bool {
	counts := slices.Contains([]string{"count", "count distinct", "sum"}, t.aggregate)
	return empty == "zero" || empty == "" && counts
}
