// Package evaluate works expressions and conditions out, in three-valued logic:
// of a record that was fetched, or of answers alone.
package evaluate

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/period"
)

// Evaluator works out what criteria.SimplifyWithin left of an expression, exactly:
// numbers in decimals, whatever numbers a database has, and dates in the zone of
// its context. A value is a decimal, text, bool or catalog.Stamp, nil for blank.
type Evaluator struct {
	calendar civil.Calendar
	clock    *civil.Clock
	units    map[string][]period.Stretch // of the calendar, that were asked for
	column   func(c *criteria.Column, row []any) any
}

// New makes an evaluator. column gives the value of a column in a row; of a date
// that does not fit its encoding it gives Unfit.
func New(calendar civil.Calendar, column func(c *criteria.Column, row []any) any) *Evaluator {
	if calendar.Zone == nil {
		calendar.Zone = time.UTC
	}
	return &Evaluator{calendar: calendar, clock: civil.NewClock(calendar.Zone), column: column}
}

// Unfit is the value of a date that is stored in a way that does not fit its
// column: every comparison with it is open, and in a value it counts as blank.
var Unfit any = new(byte)

// Value works an expression out; nil for blank, which most blank operands and a
// division by zero give.
func (w *Evaluator) Value(e criteria.Expr, row []any) any {
	switch e := e.(type) {
	case *criteria.Column:
		if v := w.column(e, row); v != Unfit {
			return v
		}
	case *criteria.Number:
		return e.Value
	case *criteria.Text:
		return e.Value
	case *criteria.Bool:
		return e.Value
	case *criteria.Span:
		if e.Span.From != civil.Start && e.Span.From != civil.End {
			return catalog.Stamp{At: e.Span.From}
		}
	case *criteria.Negative:
		if x, ok := w.Value(e.X, row).(decimal.Decimal); ok {
			return x.Neg()
		}
	case *criteria.Arithmetic:
		return w.arithmetic(e, row)
	case *criteria.UnitOf:
		if x, ok := w.Value(e.X, row).(catalog.Stamp); ok {
			if criteria.Units[e.Unit] == 0 {
				return w.ownUnit(e.Unit, x.At.Date())
			}
			return w.unitOf(e.Unit, x.At.Date())
		}
	case *criteria.Call:
		if e.Name == "if" {
			if ok, known := w.Holds(e.Args[0], row); known && ok {
				return w.Value(e.Args[1], row)
			}
			return w.Value(e.Args[2], row)
		}
		return w.call(e, row)
	case *criteria.Compare, *criteria.Within, *criteria.In, *criteria.IsBlank, *criteria.Match, *criteria.Logic, *criteria.Not:
		if ok, known := w.Holds(e, row); known {
			return ok
		}
	}
	return nil
}

// unitOf is the unit of the calendar a day falls in, as people write it.
func (w *Evaluator) unitOf(unit string, day civil.Date) string {
	if criteria.Units[unit] == civil.Week {
		return WeekText(day, w.calendar.WeekStart)
	}
	return period.OfDays(day, day).Enclosing(criteria.Units[unit], w.calendar).Canonical()
}

// ownUnit is what the unit of a calendar is called that holds a day; blank where none does.
func (w *Evaluator) ownUnit(unit string, day civil.Date) any {
	units, ok := w.units[unit]
	if !ok {
		whole, _ := period.WholeOf(unit, w.calendar)
		units = whole.Stretches(w.calendar)
		if w.units == nil {
			w.units = map[string][]period.Stretch{}
		}
		w.units[unit] = units
	}
	at, _ := slices.BinarySearchFunc(units, day, func(s period.Stretch, day civil.Date) int { return cmp.Compare(s.Last, day) })
	if at == len(units) || day < units[at].First {
		return nil
	}
	return units[at].Name
}

// WeekText is the week of a day as people write it: where weeks start on Monday
// the ISO week, else its first and last day.
func WeekText(day civil.Date, start time.Weekday) string {
	if start == time.Monday {
		thursday := day + 3 - civil.Date((int(day.Weekday())+6)%7)
		return fmt.Sprintf("%04d-W%02d", thursday.Year(), civil.ISOWeek(day))
	}
	first := day - civil.Date((int(day.Weekday())-int(start)+7)%7)
	return first.String() + "/" + min(first+6, civil.DateOf(civil.MaxYear, 12, 31)).String()
}

func (w *Evaluator) arithmetic(e *criteria.Arithmetic, row []any) any {
	left := w.Value(e.Left, row)
	if n, ok := e.MovesWorking(); ok {
		x, ok := left.(catalog.Stamp)
		if !ok || w.calendar.Almanac == nil {
			return nil
		}
		day, ok := w.calendar.Almanac.AddWorking(x.At.Date(), n)
		if !ok {
			return nil
		}
		return w.stamp(day.Midnight()+civil.DateTime(x.At.Seconds()), x.Fraction)
	}
	if length, n, ok := e.Moves(); ok {
		x, ok := left.(catalog.Stamp)
		if !ok {
			return nil
		}
		at := length.Move(period.Span{From: x.At, Until: civil.End}, n).From
		if !at.Date().InRange() {
			return nil
		}
		return w.stamp(at, x.Fraction)
	}
	switch y := w.Value(e.Right, row).(type) {
	case decimal.Decimal:
		if x, ok := left.(decimal.Decimal); ok {
			if d, ok := criteria.Calculate(e.Op, x, y); ok {
				return d
			}
		}
	case catalog.Stamp:
		if x, ok := left.(catalog.Stamp); ok {
			return decimal.New(int64(x.At.Date()-y.At.Date()), 0)
		}
	}
	return nil
}

// stamp is a civil time with the offset it has in the zone.
func (w *Evaluator) stamp(at civil.DateTime, fraction string) catalog.Stamp {
	_, offset := w.clock.Civil(civil.InstantOf(at, w.calendar.Zone))
	return catalog.Stamp{At: at, Fraction: fraction, Offset: offset}
}

func (w *Evaluator) call(e *criteria.Call, row []any) any {
	args := make([]any, len(e.Args))
	for i, arg := range e.Args {
		args[i] = w.Value(arg, row)
		if e.Name == "coalesce" && args[i] != nil {
			return args[i]
		}
		if args[i] == nil && e.Name != "coalesce" {
			return nil
		}
	}
	if len(args) == 0 {
		return nil
	}
	if made, ok := w.ofText(e, args); ok {
		return made
	}
	switch x := args[len(args)-1].(type) {
	case catalog.Stamp:
		if first, ok := args[0].(catalog.Stamp); ok && e.Name == "working_days" {
			return w.workingDays(first.At.Date(), x.At.Date())
		}
		return w.dated(e, x.At.Date())
	case string:
		switch e.Name {
		case "lower":
			return strings.ToLower(x)
		case "upper":
			return strings.ToUpper(x)
		case "trim":
			return strings.Trim(x, " ")
		case "length":
			return decimal.New(int64(utf8.RuneCountInString(x)), 0)
		case "concat":
			var b strings.Builder
			for _, arg := range args {
				text, _ := arg.(string)
				b.WriteString(text)
			}
			return b.String()
		}
	case decimal.Decimal:
		number, _ := args[0].(decimal.Decimal)
		switch e.Name {
		case "round":
			if len(args) == 2 {
				return number.Round(int32(x.IntPart()))
			}
			return number.Round(0)
		case "abs":
			return number.Abs()
		case "floor":
			return number.Floor()
		case "ceil":
			return number.Ceil()
		}
	}
	return nil
}

// workingDays counts those after one day through another; blank beyond those that are known.
func (w *Evaluator) workingDays(first, last civil.Date) any {
	a := w.calendar.Almanac
	if a == nil || !a.Known(first) || !a.Known(last) {
		return nil
	}
	return decimal.New(int64(a.WorkingBetween(first, last)), 0)
}

// dated works out a function of a day.
func (w *Evaluator) dated(e *criteria.Call, day civil.Date) any {
	y, m, d := day.YMD()
	n := 0
	switch e.Name {
	case "date_of":
		return catalog.Stamp{At: day.Midnight()}
	case "is_working_day", "is_holiday":
		a := w.calendar.Almanac
		if a == nil || !a.Known(day) {
			return nil
		}
		if e.Name == "is_working_day" {
			return a.Working(day)
		}
		_, free := a.Holiday(day)
		return free
	case "start_of":
		return catalog.Stamp{At: w.calendar.StartOf(criteria.Units[e.Args[0].(*criteria.Text).Value], day).Midnight()}
	case "year":
		n = y
	case "quarter":
		n = (m + 2) / 3
	case "month":
		n = m
	case "week":
		n = civil.ISOWeek(day)
	case "day":
		n = d
	case "weekday":
		n = (int(day.Weekday())+6)%7 + 1
	}
	return decimal.New(int64(n), 0)
}

// Holds works a condition out: known is false where a blank leaves it open.
func (w *Evaluator) Holds(e criteria.Expr, row []any) (ok, known bool) {
	switch e.(type) {
	case *criteria.Logic, *criteria.Not, *criteria.Guarded:
	default: // a comparison with a date that does not fit is open
		if w.unfit(e, row) {
			return false, false
		}
	}
	switch e := e.(type) {
	case *criteria.Guarded:
		if ok, known = w.Holds(e.Where, row); !ok || !known {
			return false, false
		}
		return w.Holds(e.X, row)
	case *criteria.Logic:
		known = true
		for _, t := range e.Terms {
			termOK, termKnown := w.Holds(t, row)
			if termKnown && termOK == e.Or {
				return e.Or, true
			}
			known = known && termKnown
		}
		return !e.Or, known
	case *criteria.Not:
		ok, known = w.Holds(e.X, row)
		return !ok, known
	case *criteria.IsBlank:
		return (w.Value(e.X, row) == nil) != e.Not, true
	case *criteria.Compare:
		return w.compare(e, row)
	case *criteria.Within:
		x, isDate := w.Value(e.X, row).(catalog.Stamp)
		within, ok := e.Period.(*criteria.Span) // else one that is blank
		if !ok {
			return false, false
		}
		return x.At >= within.Span.From && x.At < within.Span.Until, isDate
	case *criteria.In:
		for _, item := range e.Items {
			if ok, known = w.compare(&criteria.Compare{Op: "=", Left: e.X, Right: item, Fold: e.Fold}, row); ok && known {
				return true, true
			}
		}
		return false, known
	case *criteria.Match:
		return w.match(e, row)
	}
	yes, isBool := w.Value(e, row).(bool)
	return yes, isBool
}

func (w *Evaluator) compare(e *criteria.Compare, row []any) (ok, known bool) {
	order := 0
	switch x := w.Value(e.Left, row).(type) {
	case decimal.Decimal:
		y, same := w.Value(e.Right, row).(decimal.Decimal)
		order, known = x.Cmp(y), same
	case string:
		y, same := w.Value(e.Right, row).(string)
		if e.Fold {
			x, y = strings.ToLower(x), strings.ToLower(y)
		}
		order, known = strings.Compare(x, y), same
	case bool:
		y, same := w.Value(e.Right, row).(bool)
		if x != y {
			order = 1
		}
		known = same
	case catalog.Stamp:
		y, same := w.Value(e.Right, row).(catalog.Stamp)
		left, right := x.At, y.At
		_, bound := e.Right.(*criteria.Span)
		byDay := !bound && (criteria.TypeOf(e.Left) == catalog.Date || criteria.TypeOf(e.Right) == catalog.Date)
		if byDay {
			left, right = left.Date().Midnight(), right.Date().Midnight()
		}
		order, known = cmp.Compare(left, right), same
		if !bound && criteria.IsInstant(e.Left) && criteria.IsInstant(e.Right) {
			order = x.Compare(y)
		} else if order == 0 && !bound && !byDay {
			order = strings.Compare(x.Fraction, y.Fraction)
		}
	}
	return criteria.Holds(order, e.Op), known
}

// unfit tells whether a date that an expression reads is stored in a way that
// does not fit its column.
func (w *Evaluator) unfit(e criteria.Expr, row []any) bool {
	found := false
	criteria.Walk(e, func(e criteria.Expr) {
		if c, ok := e.(*criteria.Column); ok && !found && c.Ref.Column.Encoding != "" {
			found = w.column(c, row) == Unfit
		}
	})
	return found
}

func (w *Evaluator) match(e *criteria.Match, row []any) (ok, known bool) {
	x, ok1 := w.Value(e.X, row).(string)
	y, ok2 := w.Value(e.Y, row).(string)
	if e.Fold {
		x, y = strings.ToLower(x), strings.ToLower(y)
	}
	switch e.Op {
	case "contains":
		ok = strings.Contains(x, y)
	case "starts with":
		ok = strings.HasPrefix(x, y)
	case "matches":
		ok = wild(x, y)
	default:
		ok = strings.HasSuffix(x, y)
	}
	return ok, ok1 && ok2
}
