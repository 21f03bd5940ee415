package plan

import (
	"cmp"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/period"
	"pikegate/core/record"
)

// Formula works out a computed column from a fetched row, exactly: numbers in
// decimals, whatever numbers the database has, and dates in the zone of the
// run. The zero Formula is none.
type Formula struct {
	expr criteria.Expr
	// columns maps each column of the expression to its fetched index.
	columns map[*criteria.Column]int
	ctx     civil.Context
	clock   *civil.Clock
}

// Is tells whether there is a formula.
func (f Formula) Is() bool { return f.expr != nil }

// Of works the formula out: a decimal, text, bool or catalog.Stamp, nil for
// blank, which most blank operands and a division by zero give.
func (f Formula) Of(row []any) any { return f.of(f.expr, row) }

func (f Formula) of(e criteria.Expr, row []any) any {
	switch e := e.(type) {
	case *criteria.Column:
		return Fetched(row[f.columns[e]], &e.Ref.Column, f.clock)
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
		if x, ok := f.of(e.X, row).(decimal.Decimal); ok {
			return x.Neg()
		}
	case *criteria.Arithmetic:
		return f.arithmetic(e, row)
	case *criteria.UnitOf:
		if x, ok := f.of(e.X, row).(catalog.Stamp); ok {
			return f.unitOf(e.Unit, x.At.Date())
		}
	case *criteria.Call:
		if e.Name == "if" {
			if ok, known := f.holds(e.Args[0], row); known && ok {
				return f.of(e.Args[1], row)
			}
			return f.of(e.Args[2], row)
		}
		return f.call(e, row)
	case *criteria.Compare, *criteria.Between, *criteria.Within, *criteria.In, *criteria.IsBlank, *criteria.Match,
		*criteria.Logic, *criteria.Not, *criteria.Spans:
		if ok, known := f.holds(e, row); known {
			return ok
		}
	}
	return nil
}

// Fetched is a fetched value as formulas see it.
func Fetched(v any, c *catalog.Column, clock *civil.Clock) any {
	switch v.(type) {
	case nil, decimal.Decimal, catalog.Stamp:
		return v // worked out already
	}
	return operand(record.Of(v, c, clock), c, clock)
}

// operand is a value as formulas see it: a decimal, text, bool or catalog.Stamp;
// nil for blanks, and for dates that do not fit.
func operand(v record.Value, c *catalog.Column, clock *civil.Clock) any {
	switch v.Kind() {
	case record.Stamp:
		return v.Stamp()
	case record.Written:
		if stamp, ok := c.Decode(v.Text(), clock); ok {
			return stamp
		}
		return nil
	case record.YesNo:
		return v.Yes()
	case record.Text:
		if c.Encoding != "" || c.Type.IsNumber() {
			return nil
		}
		return v.Text()
	case record.Whole, record.Float, record.Digits, record.Decimal:
		d, ok := v.Decimal()
		switch {
		case !ok || c.Encoding != "" && v.Kind() != record.Decimal:
			return nil
		case v.Kind() == record.Decimal || c.Type.IsNumber() || c.Type == "": // not known before its values
			return d
		}
		return d.String()
	}
	return nil
}

// unitOf is the unit of the calendar a day falls in, as people write it.
func (f Formula) unitOf(unit string, day civil.Date) string {
	if criteria.Units[unit] == civil.Week {
		return WeekText(day, f.ctx.WeekStart)
	}
	return period.OfDays(day, day).Enclosing(criteria.Units[unit], f.ctx).Canonical()
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

func (f Formula) arithmetic(e *criteria.Arithmetic, row []any) any {
	left := f.of(e.Left, row)
	if length, n, ok := e.Moves(); ok {
		x, ok := left.(catalog.Stamp)
		if !ok {
			return nil
		}
		at := length.Move(period.Span{From: x.At, Until: civil.End}, n).From
		if !at.Date().InRange() {
			return nil
		}
		return f.stamp(at, x.Fraction)
	}
	switch y := f.of(e.Right, row).(type) {
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
func (f Formula) stamp(at civil.DateTime, fraction string) catalog.Stamp {
	_, offset := f.clock.Civil(civil.InstantOf(at, f.ctx.Zone))
	return catalog.Stamp{At: at, Fraction: fraction, Offset: offset}
}

func (f Formula) call(e *criteria.Call, row []any) any {
	args := make([]any, len(e.Args))
	for i, arg := range e.Args {
		args[i] = f.of(arg, row)
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
	switch x := args[len(args)-1].(type) {
	case catalog.Stamp:
		return f.dated(e, x.At.Date())
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

// dated works out a function of a day.
func (f Formula) dated(e *criteria.Call, day civil.Date) any {
	y, m, d := day.YMD()
	n := 0
	switch e.Name {
	case "date_of":
		return catalog.Stamp{At: day.Midnight()}
	case "start_of":
		return catalog.Stamp{At: f.ctx.StartOf(criteria.Units[e.Args[0].(*criteria.Text).Value], day).Midnight()}
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

// holds works a condition of a formula out in three-valued logic: known is
// false where a blank leaves it open.
func (f Formula) holds(e criteria.Expr, row []any) (ok, known bool) {
	switch e.(type) {
	case *criteria.Logic, *criteria.Not, *criteria.Known:
	default: // a comparison with a date that does not fit is open
		if f.unfit(e, row) {
			return false, false
		}
	}
	switch e := e.(type) {
	case *criteria.Known:
		if ok, known = f.holds(e.Where, row); !ok || !known {
			return false, false
		}
		return f.holds(e.X, row)
	case *criteria.Logic:
		known = true
		for _, t := range e.Terms {
			termOK, termKnown := f.holds(t, row)
			if termKnown && termOK == e.Or {
				return e.Or, true
			}
			known = known && termKnown
		}
		return !e.Or, known
	case *criteria.Not:
		ok, known = f.holds(e.X, row)
		return !ok, known
	case *criteria.IsBlank:
		return (f.of(e.X, row) == nil) != e.Not, true
	case *criteria.Compare:
		return f.compare(e, row)
	case *criteria.Within:
		x, isDate := f.of(e.X, row).(catalog.Stamp)
		span := e.Period.(*criteria.Span).Span
		return x.At >= span.From && x.At < span.Until, isDate
	case *criteria.In:
		for _, item := range e.Items {
			if ok, known = f.compare(&criteria.Compare{Op: "=", Left: e.X, Right: item, Fold: e.Fold}, row); ok && known {
				return true, true
			}
		}
		return false, known
	case *criteria.Match:
		return f.match(e, row)
	}
	yes, isBool := f.of(e, row).(bool)
	return yes, isBool
}

func (f Formula) compare(e *criteria.Compare, row []any) (ok, known bool) {
	order := 0
	switch x := f.of(e.Left, row).(type) {
	case decimal.Decimal:
		y, same := f.of(e.Right, row).(decimal.Decimal)
		order, known = x.Cmp(y), same
	case string:
		y, same := f.of(e.Right, row).(string)
		if e.Fold {
			x, y = strings.ToLower(x), strings.ToLower(y)
		}
		order, known = strings.Compare(x, y), same
	case bool:
		y, same := f.of(e.Right, row).(bool)
		if x != y {
			order = 1
		}
		known = same
	case catalog.Stamp:
		y, same := f.of(e.Right, row).(catalog.Stamp)
		left, right := x.At, y.At
		_, bound := e.Right.(*criteria.Span)
		if !bound && (criteria.TypeOf(e.Left) == catalog.Date || criteria.TypeOf(e.Right) == catalog.Date) {
			left, right = left.Date().Midnight(), right.Date().Midnight()
		}
		order, known = cmp.Compare(left, right), same
		if !bound && isInstant(e.Left) && isInstant(e.Right) {
			order = x.Compare(y)
		} else if order == 0 && !bound && left == x.At {
			order = strings.Compare(x.Fraction, y.Fraction)
		}
	}
	return criteria.Holds(order, e.Op), known
}

// unfit tells whether a date that an expression reads is stored in a way that
// does not fit its column.
func (f Formula) unfit(e criteria.Expr, row []any) bool {
	found := false
	criteria.Walk(e, func(e criteria.Expr) {
		c, ok := e.(*criteria.Column)
		if !ok || found || c.Ref.Column.Encoding == "" {
			return
		}
		v := row[f.columns[c]]
		found = v != nil && Fetched(v, &c.Ref.Column, f.clock) == nil
	})
	return found
}

func (f Formula) match(e *criteria.Match, row []any) (ok, known bool) {
	x, ok1 := f.of(e.X, row).(string)
	y, ok2 := f.of(e.Y, row).(string)
	if e.Fold {
		x, y = strings.ToLower(x), strings.ToLower(y)
	}
	switch e.Op {
	case "contains":
		ok = strings.Contains(x, y)
	case "starts with":
		ok = strings.HasPrefix(x, y)
	default:
		ok = strings.HasSuffix(x, y)
	}
	return ok, ok1 && ok2
}

// newFormula prepares an expression to be worked out for row after row: its
// conditions are simplified once.
func newFormula(e criteria.Expr, ctx civil.Context, index func(criteria.Ref) int) Formula {
	zone := ctx.Zone
	if zone == nil {
		zone = time.UTC
	}
	f := Formula{criteria.SimplifyWithin(e, ctx), map[*criteria.Column]int{}, ctx, civil.NewClock(zone)}
	criteria.Walk(f.expr, func(e criteria.Expr) {
		if c, ok := e.(*criteria.Column); ok {
			f.columns[c] = index(c.Ref)
		}
	})
	return f
}
