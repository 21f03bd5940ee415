// Package oracle works criteria out the slow way, record by record and written
// apart from the product, for tests to compare with.
package oracle

import (
	"cmp"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"unicode/utf8"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// Moment is a date or date-time: its civil time, and for instants the instant.
type Moment struct {
	At      civil.DateTime
	Instant *civil.Instant
	// Nanos is the fraction of its second.
	Nanos int
	// Day tells that it is a day, without a time.
	Day bool
}

// Unfit is what is stored in a column with dates and is none.
type Unfit struct{ Stored any }

// Record is the values of one record by column: nil for blank, *big.Rat,
// string, bool, Moment or Unfit.
type Record map[string]any

// Truth is the result of a condition.
type Truth int

// The results. Absent means that a question was left blank.
const (
	False Truth = iota - 1
	Unknown
	True
	Absent
)

// World is what conditions are worked out in.
type World struct {
	Calendar  civil.Calendar
	Questions map[string]parameter.Parameter
	Answers   parameter.Values
	// Tables has the records of each table that can be asked about.
	Tables map[string][]Record
}

func truth(b bool) Truth {
	if b {
		return True
	}
	return False
}

// Condition works out whether a record meets a condition.
func (w World) Condition(e criteria.Expr, r Record) Truth {
	switch e := e.(type) {
	case *criteria.Logic:
		result, present := False, false
		if !e.Or {
			result = True
		}
		for _, t := range e.Terms {
			v := w.Condition(t, r)
			if v == Absent {
				continue
			}
			present = true
			if e.Or {
				result = max(result, v)
			} else {
				result = min(result, v)
			}
			if e.Or && result == True || !e.Or && result == False { // whatever the others are
				return result
			}
		}
		if !present {
			return Absent
		}
		return result
	case *criteria.Not:
		v := w.Condition(e.X, r)
		if v == Absent || w.blankAnyway(e.X, r) {
			return v
		}
		return -v
	case *criteria.Bool:
		return truth(e.Value)
	case *criteria.Related:
		return w.related(e, r)
	}
	if p, ok := e.(*criteria.Parameter); ok && !w.Answers[p.Name].Given {
		return Absent
	}
	if criteria.IsComparison(e) {
		e = w.asked(e)
		if not, ok := e.(*criteria.Not); ok {
			return w.Condition(not, r)
		}
		if name, missing := w.missing(e); missing {
			if w.Questions[name].WhenBlank == parameter.MatchBlank && len(criteria.Columns(e)) > 0 {
				if w.hasUnfit(criteria.Columns(e)[0], r) {
					return Unknown
				}
				return truth(r.cell(criteria.Columns(e)[0]) == nil)
			}
			return Absent
		}
		if w.blankAnyway(e, r) {
			return True
		}
		return w.comparison(e, r)
	}
	if blank, ok := e.(*criteria.IsBlank); ok {
		if p, ok := blank.X.(*criteria.Parameter); ok { // whether it was answered
			return truth(w.Answers[p.Name].Given == blank.Not)
		}
		if _, missing := w.missing(blank); missing {
			return Absent
		}
		if w.stretches(blank.X) != nil {
			return truth(blank.Not)
		}
	}
	if known, ok := e.(*criteria.Guarded); ok {
		if w.Condition(known.Where, r) != True {
			return Unknown
		}
		return w.Condition(known.X, r)
	}
	if w.hasUnfit(e, r) {
		return Unknown
	}
	if blank, ok := e.(*criteria.IsBlank); ok {
		return truth((w.Value(blank.X, r) == nil) != blank.Not)
	}
	if v, ok := w.Value(e, r).(bool); ok {
		return truth(v)
	}
	return Unknown
}

// missing is the first question left blank whose answer an expression needs.
func (w World) missing(e criteria.Expr) (string, bool) {
	for _, p := range needed(e) {
		if !w.Answers[p.Name].Given {
			return p.Name, true
		}
	}
	return "", false
}

// needed are the questions whose answers an expression needs: it can be told of
// any whether it was left blank.
func needed(e criteria.Expr) (out []*criteria.Parameter) {
	switch e := e.(type) {
	case *criteria.Parameter:
		return []*criteria.Parameter{e}
	case *criteria.IsBlank:
		if _, ok := e.X.(*criteria.Parameter); ok {
			return nil
		}
	case *criteria.Aggregate:
		if e.X == nil { // there whatever is asked of them
			return nil
		}
		return needed(e.X)
	}
	for child := range criteria.Children(e) {
		out = append(out, needed(child)...)
	}
	return out
}

// asked is what is left of a comparison whose questions were left blank in
// part: of a list the other values, of "between" one side.
func (w World) asked(e criteria.Expr) criteria.Expr {
	for _, p := range needed(e) {
		if !w.Answers[p.Name].Given && w.Questions[p.Name].WhenBlank == parameter.MatchBlank {
			return e
		}
	}
	absent := func(e criteria.Expr) bool {
		_, missing := w.missing(e)
		return missing
	}
	switch e := e.(type) {
	case *criteria.In:
		left := *e
		left.Items = slices.DeleteFunc(slices.Clone(e.Items), absent)
		if len(left.Items) > 0 {
			return &left
		}
	case *criteria.Between:
		if absent(e.X) || absent(e.Low) == absent(e.High) {
			break
		}
		var side criteria.Expr = &criteria.Compare{Pos: e.Pos, Op: ">=", Left: e.X, Right: e.Low}
		if absent(e.Low) {
			side = &criteria.Compare{Pos: e.Pos, Op: "<=", Left: e.X, Right: e.High}
		}
		if e.Not {
			side = &criteria.Not{Pos: e.Pos, X: side}
		}
		return side
	}
	return e
}

// hasUnfit tells whether an expression looks at a date that is none; what is not
// asked looks at nothing.
func (w World) hasUnfit(e criteria.Expr, r Record) bool {
	if c, ok := e.(*criteria.Column); ok {
		_, unfit := r.cell(c).(Unfit)
		return unfit
	}
	if call, ok := e.(*criteria.Call); ok && call.Name == "date_in" {
		_, unfit := w.dateIn(call, r).(Unfit)
		return unfit
	}
	if criteria.RecordsOf(e) != nil { // of another table's records each is looked at by itself
		return false
	}
	if criteria.IsComparison(e) {
		if _, missing := w.missing(w.asked(e)); missing {
			return false
		}
	}
	return slices.ContainsFunc(slices.Collect(criteria.Children(e)), func(child criteria.Expr) bool { return w.hasUnfit(child, r) })
}

// Blanks tells whether a value in an expression is blank, or a date that is none.
func (w World) Blanks(e criteria.Expr, r Record) bool {
	if _, length := e.(*criteria.Length); length {
		return false
	}
	return w.Value(e, r) == nil || criteria.RecordsOf(e) == nil && slices.ContainsFunc(slices.Collect(criteria.Children(e)), func(child criteria.Expr) bool { return w.Blanks(child, r) })
}

// blankAnyway tells whether a comparison is met because its column is blank,
// whatever the answer.
func (w World) blankAnyway(e criteria.Expr, r Record) bool {
	if !criteria.IsComparison(e) || len(criteria.Columns(e)) == 0 || r.cell(criteria.Columns(e)[0]) != nil {
		return false
	}
	if _, missing := w.missing(w.asked(e)); missing {
		return false
	}
	includes := false
	for _, p := range needed(w.asked(e)) {
		includes = includes || w.Questions[p.Name].IncludeBlanks
	}
	return includes
}

func negate(t Truth, not bool) Truth {
	if not {
		return -t
	}
	return t
}

func (w World) comparison(e criteria.Expr, r Record) Truth {
	switch e := e.(type) {
	case *criteria.Compare:
		return w.compare(e.Left, e.Op, e.Right, e.Fold, r)
	case *criteria.Between:
		return negate(min(w.compare(e.X, ">=", e.Low, false, r), w.compare(e.X, "<=", e.High, false, r)), e.Not)
	case *criteria.Within:
		return negate(w.compare(e.X, "=", e.Period, false, r), e.Not)
	case *criteria.In:
		result := False
		for _, item := range e.Items {
			result = max(result, w.compare(e.X, "=", item, e.Fold, r))
		}
		return negate(result, e.Not)
	case *criteria.Match:
		x, ok1 := w.Value(e.X, r).(string)
		y, ok2 := w.Value(e.Y, r).(string)
		if !ok1 || !ok2 || w.hasUnfit(e, r) {
			return Unknown
		}
		if e.Fold {
			x, y = strings.ToLower(x), strings.ToLower(y)
		}
		found := map[string]bool{"contains": strings.Contains(x, y), "starts with": strings.HasPrefix(x, y), "ends with": strings.HasSuffix(x, y), "matches": e.Op == "matches" && matches(x, y)}
		return negate(truth(found[e.Op]), e.Not)
	case *criteria.Spans:
		return negate(w.spans(e, r), e.Not)
	}
	panic(fmt.Sprintf("oracle: %T", e))
}

// spans looks at the days or seconds of a span one end at a time.
func (w World) spans(e *criteria.Spans, r Record) Truth {
	if w.stretches(e.Period) == nil { // a date of the record
		ended := w.compare(e.Until, ">=", e.Period, false, r)
		if w.Value(e.Until, r) == nil && !w.hasUnfit(e.Until, r) {
			ended = True
		}
		return min(w.compare(e.From, "<=", e.Period, false, r), ended)
	}
	p := w.stretches(e.Period)[0]
	from, ok := w.Value(e.From, r).(Moment)
	until, ended := w.Value(e.Until, r).(Moment)
	unfit := w.hasUnfit(e.Until, r)
	known := func(b bool) Truth {
		if !ok || w.hasUnfit(e.From, r) {
			return Unknown
		}
		return truth(b)
	}
	unit := period.Span{From: p.From, Until: p.Until}
	switch e.Op {
	case "overlaps":
		start := known(!ok || w.before(from, p.Until))
		if p.OpenEnd() || p.Until == civil.Start {
			start = truth(p.OpenEnd())
		}
		end := truth(!ended || !w.before(until, p.From) || p.OpenStart())
		if unfit && !p.OpenStart() {
			end = Unknown
		}
		return min(start, end)
	case "inside":
		start := known(!ok || !w.before(from, p.From))
		if p.OpenStart() || p.From == civil.End {
			start = truth(p.OpenStart())
		}
		end := False // it goes on
		if ended {
			end = truth(w.before(until, p.Until))
		}
		if unfit {
			end = Unknown
		}
		if p.OpenEnd() {
			end = True
		}
		if p.Until == civil.Start {
			end = min(end, False)
		}
		return min(start, end)
	}
	if p.OpenStart() {
		return False
	}
	start := known(!ok || w.before(from, unit.Part("from").Until))
	end := truth(!ended)
	if ended && !p.OpenEnd() {
		end = truth(!w.before(until, unit.Part("through").From))
	}
	if unfit {
		end = Unknown
	}
	return min(start, end)
}

// before tells whether a moment is before a civil time.
func (w World) before(m Moment, t civil.DateTime) bool {
	if m.Instant != nil && t != civil.Start && t != civil.End {
		return *m.Instant < civil.InstantOf(t, w.Calendar.Zone)
	}
	return m.At < t
}

// stretches are the periods an operand means; nil for what is no period.
func (w World) stretches(e criteria.Expr) []period.Span {
	switch e := e.(type) {
	case *criteria.Span:
		return []period.Span{e.Span}
	case *criteria.Text:
		if e.Period != nil {
			span, _ := e.Period.Resolve(w.Calendar)
			return []period.Span{span}
		}
	case *criteria.Parameter:
		v := w.Answers[e.Name]
		if e.Question.Type == criteria.Period {
			return []period.Span{v.Span.Part(e.Part)}
		}
		return v.Spans
	case *criteria.Arithmetic:
		if length, ok := e.Right.(*criteria.Length); ok {
			var out []period.Span
			for _, s := range w.stretches(e.Left) {
				n := 1
				if e.Op == '-' {
					n = -1
				}
				if length.Working > 0 && !s.OpenStart() && !s.OpenEnd() {
					day, _ := w.addWorking(s.FirstDay(), n*length.Working)
					s = period.Span{From: s.From + civil.DateTime(day-s.FirstDay())*86400, Until: s.Until + civil.DateTime(day-s.FirstDay())*86400}
				}
				out = append(out, length.Length.Move(s, n))
			}
			return out
		}
	}
	return nil
}

var flip = map[string]string{"=": "=", "<>": "<>", "<": ">", ">": "<", "<=": ">=", ">=": "<="}

func (w World) compare(left criteria.Expr, op string, right criteria.Expr, fold bool, r Record) Truth {
	if w.stretches(left) != nil && w.stretches(right) == nil {
		left, op, right = right, flip[op], left
	}
	if spans := w.stretches(right); spans != nil {
		result := False
		for _, s := range spans {
			result = max(result, w.compareStretch(left, op, s, r))
		}
		return result
	}
	if w.hasUnfit(left, r) || w.hasUnfit(right, r) {
		return Unknown
	}
	if p, ok := right.(*criteria.Parameter); ok { // one of several answers
		result := False
		for _, v := range answers(w.Answers[p.Name]) {
			result = max(result, order(w.Value(left, r), op, v, fold))
		}
		return result
	}
	return order(w.Value(left, r), op, w.Value(right, r), fold)
}

func answers(v parameter.Value) []any {
	var out []any
	for _, n := range v.Numbers {
		out = append(out, n.Rat())
	}
	for _, t := range v.Texts {
		out = append(out, t)
	}
	for _, s := range v.Spans {
		out = append(out, Moment{At: s.From, Day: true})
	}
	if out == nil {
		out = append(out, v.Bool)
	}
	return out
}

func (w World) compareStretch(left criteria.Expr, op string, s period.Span, r Record) Truth {
	if unit, ok := left.(*criteria.UnitOf); ok && criteria.Units[unit.Unit] == 0 {
		return w.compareOwn(unit, op, s, r)
	}
	if unit, ok := left.(*criteria.UnitOf); ok { // its first day stands for it
		left = &criteria.Call{Name: "start_of", Args: []criteria.Expr{&criteria.Text{Value: unit.Unit}, unit.X}, Type: catalog.Date}
	}
	edge := s.From
	if op == "<=" || op == ">" {
		edge = s.Until
	}
	if op != "=" && op != "<>" && (edge == civil.Start || edge == civil.End) { // everything is after the one, and before the other
		return truth((edge == civil.Start) == (op == ">=" || op == ">"))
	}
	if (op == "=" || op == "<>") && s.OpenStart() && s.OpenEnd() && s.From != s.Until {
		return truth(op == "=")
	}
	if (op == "=" || op == "<>") && s.From == s.Until && (s.From == civil.Start || s.From == civil.End) {
		return truth(op == "<>") // nothing is at an end that is open
	}
	m, ok := w.Value(left, r).(Moment)
	if !ok || w.hasUnfit(left, r) {
		return Unknown
	}
	before, after := w.before(m, s.From), !w.before(m, s.Until)
	if s.OpenStart() {
		before = false
	}
	if s.OpenEnd() {
		after = false
	}
	return truth(map[string]bool{"<": before, ">=": !before, "<=": !after, ">": after, "=": !before && !after, "<>": before || after}[op])
}

func order(x any, op string, y any, fold bool) Truth {
	if x == nil || y == nil {
		return Unknown
	}
	n := 0
	switch x := x.(type) {
	case *big.Rat:
		n = x.Cmp(y.(*big.Rat))
	case string:
		y := y.(string)
		if fold {
			x, y = strings.ToLower(x), strings.ToLower(y)
		}
		n = strings.Compare(x, y)
	case bool:
		if x != y.(bool) {
			n = 1
			if !x {
				n = -1
			}
		}
	case Moment:
		y := y.(Moment)
		n = x.Compare(y)
	}
	return truth(map[string]bool{"<": n < 0, ">=": n >= 0, "<=": n <= 0, ">": n > 0, "=": n == 0, "<>": n != 0}[op])
}

// Compare orders two moments: by days where one is a day, by the instants where
// both have one.
func (m Moment) Compare(y Moment) int {
	n := 0
	switch {
	case m.Day || y.Day:
		return cmp.Compare(m.At.Date(), y.At.Date())
	case m.Instant != nil && y.Instant != nil:
		n = cmp.Compare(*m.Instant, *y.Instant)
	default:
		n = cmp.Compare(m.At, y.At)
	}
	return cmp.Or(n, cmp.Compare(m.Nanos, y.Nanos))
}

// Value works out an expression for a record.
func (w World) Value(e criteria.Expr, r Record) any {
	switch e := e.(type) {
	case *criteria.Column:
		if _, unfit := r.cell(e).(Unfit); unfit {
			return nil
		}
		return r.cell(e)
	case *constant:
		return e.Value
	case *criteria.Number:
		return e.Value.Rat()
	case *criteria.Text:
		return e.Value
	case *criteria.Bool:
		return e.Value
	case *criteria.Parameter:
		if !w.Answers[e.Name].Given {
			return nil
		}
		if e.Question.Type == criteria.Period {
			return start(w.Answers[e.Name].Span.Part(e.Part))
		}
		return answers(w.Answers[e.Name])[0]
	case *criteria.Negative:
		if x, ok := w.Value(e.X, r).(*big.Rat); ok {
			return new(big.Rat).Neg(x)
		}
	case *criteria.Arithmetic:
		return w.arithmetic(e, r)
	case *criteria.Call:
		return w.call(e, r)
	case *criteria.Blank:
	case *criteria.Span:
		return start(e.Span)
	case *criteria.UnitOf:
		return w.Unit(e, r)
	case *criteria.Aggregate:
		if records, ok := r[members].([]Record); ok && e.Records == nil {
			return w.Aggregate(e, records)
		}
		return w.ofRelated(e, r)
	case *criteria.InOrder:
		return w.inOrder(e, r)
	case *criteria.Length:
		panic("oracle: a length by itself")
	default:
		switch w.Condition(e, r) {
		case True, Absent: // what is not asked is met
			return true
		case False:
			return false
		}
	}
	return nil
}

// start is a stretch as one value; an end that is open is none.
func start(s period.Span) any {
	if s.From == civil.Start || s.From == civil.End {
		return nil
	}
	return Moment{At: s.From}
}

func (w World) arithmetic(e *criteria.Arithmetic, r Record) any {
	left := w.Value(e.Left, r)
	if length, ok := e.Right.(*criteria.Length); ok {
		m, ok := left.(Moment)
		if !ok {
			return nil
		}
		if length.Working > 0 {
			n := length.Working
			if e.Op == '-' {
				n = -n
			}
			day, ok := w.addWorking(m.At.Date(), n)
			if !ok {
				return nil
			}
			return Moment{At: day.Midnight() + civil.DateTime(m.At.Seconds()), Day: m.Day, Nanos: m.Nanos}
		}
		months, days := length.Length.Months(), length.Length.Days()
		if e.Op == '-' {
			months, days = -months, -days
		}
		y, mo, d := m.At.Date().YMD()
		y, mo = y+(mo-1+months+12000)/12-1000, (mo-1+months+12000)%12+1
		day := civil.DateOf(y, mo, min(d, civil.DaysIn(y, mo))) + civil.Date(days)
		if year := day.Year(); year < 1 || year > 9999 {
			return nil
		}
		return Moment{At: day.Midnight() + civil.DateTime(m.At.Seconds()), Day: m.Day, Nanos: m.Nanos}
	}
	right := w.Value(e.Right, r)
	if left == nil || right == nil {
		return nil
	}
	if x, ok := left.(Moment); ok {
		return big.NewRat(int64(x.At.Date()-right.(Moment).At.Date()), 1)
	}
	x, y, z := left.(*big.Rat), right.(*big.Rat), new(big.Rat)
	switch e.Op {
	case '+':
		return z.Add(x, y)
	case '-':
		return z.Sub(x, y)
	case '*':
		return z.Mul(x, y)
	}
	if y.Sign() == 0 {
		return nil
	}
	return z.Quo(x, y)
}

func floor(x *big.Rat) *big.Rat {
	q := new(big.Int).Div(x.Num(), x.Denom()) // Euclidean: the denominator is positive
	return new(big.Rat).SetInt(q)
}

func (w World) call(e *criteria.Call, r Record) any {
	if e.Name == "if" {
		if t := w.Condition(e.Args[0], r); t == True || t == Absent {
			return w.Value(e.Args[1], r)
		}
		return w.Value(e.Args[2], r)
	}
	if e.Name == "date_in" {
		if made := w.dateIn(e, r); made != (Unfit{}) {
			if _, unfit := made.(Unfit); !unfit {
				return made
			}
		}
		return nil
	}
	var args []any
	for _, arg := range e.Args {
		v := w.Value(arg, r)
		if e.Name == "coalesce" && v != nil {
			return v
		}
		args = append(args, v)
	}
	for _, v := range args {
		if v == nil {
			return nil
		}
	}
	if made, ok := w.ofText(e, r, args); ok {
		return made
	}
	if e.Name == "working_days" {
		return w.workingDays(args[0].(Moment).At.Date(), args[1].(Moment).At.Date())
	}
	if m, ok := args[len(args)-1].(Moment); ok {
		return w.dated(e, m.At.Date())
	}
	half := big.NewRat(1, 2)
	switch e.Name {
	case "lower":
		return strings.ToLower(args[0].(string))
	case "upper":
		return strings.ToUpper(args[0].(string))
	case "trim":
		return strings.Trim(args[0].(string), " ")
	case "length":
		return big.NewRat(int64(utf8.RuneCountInString(args[0].(string))), 1)
	case "concat":
		text := ""
		for _, v := range args {
			text += v.(string)
		}
		return text
	case "abs":
		return new(big.Rat).Abs(args[0].(*big.Rat))
	case "floor":
		return floor(args[0].(*big.Rat))
	case "ceil":
		return new(big.Rat).Neg(floor(new(big.Rat).Neg(args[0].(*big.Rat))))
	case "round":
		scale := big.NewRat(1, 1)
		if len(args) == 2 {
			for range args[1].(*big.Rat).Num().Int64() {
				scale.Mul(scale, big.NewRat(10, 1))
			}
		}
		x := new(big.Rat).Mul(args[0].(*big.Rat), scale)
		sign := x.Sign()
		x = floor(x.Add(x.Abs(x), half))
		if sign < 0 {
			x.Neg(x)
		}
		return x.Quo(x, scale)
	}
	panic("oracle: " + e.Name)
}

// dated counts days one by one where a rule is about weeks.
func (w World) dated(e *criteria.Call, d civil.Date) any {
	y, m, day := d.YMD()
	number := func(n int) any { return big.NewRat(int64(n), 1) }
	weekday := (int(d)%7+7+3)%7 + 1 // 1970-01-01 was a Thursday
	switch e.Name {
	case "year":
		return number(y)
	case "quarter":
		return number((m-1)/3 + 1)
	case "month":
		return number(m)
	case "day":
		return number(day)
	case "weekday":
		return number(weekday)
	case "week":
		thursday := d + civil.Date(4-weekday)
		n := 0
		for t := thursday; t.Year() == thursday.Year(); t -= 7 {
			n++
		}
		return number(n)
	case "date_of":
		return Moment{At: d.Midnight(), Day: true}
	case "is_working_day", "is_holiday":
		if !w.known(d) {
			return nil
		}
		if e.Name == "is_working_day" {
			return w.worked(d)
		}
		return w.holiday(d)
	}
	first := civil.DateOf(y, m, 1)
	switch e.Args[0].(*criteria.Text).Value {
	case "day":
		first = d
	case "week":
		for first = d; first.Weekday() != w.Calendar.WeekStart; first-- {
		}
	case "quarter":
		first = civil.DateOf(y, (m-1)/3*3+1, 1)
	case "half":
		first = civil.DateOf(y, (m-1)/6*6+1, 1)
	case "year":
		first = civil.DateOf(y, 1, 1)
	}
	return Moment{At: first.Midnight(), Day: true}
}

// Unit is Value, and of a unit of the calendar its text.
func (w World) Unit(e criteria.Expr, r Record) any {
	unit, ok := e.(*criteria.UnitOf)
	if !ok {
		return w.Value(e, r)
	}
	m, ok := w.Value(unit.X, r).(Moment)
	if !ok {
		return nil
	}
	day := m.At.Date()
	if criteria.Units[unit.Unit] == 0 {
		if name, _, ok := w.own(unit.Unit, day); ok {
			return name
		}
		return nil
	}
	y, month, _ := day.YMD()
	switch unit.Unit {
	case "week":
		thursday := day - civil.Date((int(day.Weekday())+6)%7) + 3
		week := w.dated(&criteria.Call{Name: "week"}, day).(*big.Rat).Num().Int64()
		return fmt.Sprintf("%04d-W%02d", thursday.Year(), week)
	case "month":
		return fmt.Sprintf("%04d-%02d", y, month)
	case "quarter":
		return fmt.Sprintf("%04d-Q%d", y, (month+2)/3)
	case "half":
		return fmt.Sprintf("%04d-H%d", y, (month+5)/6)
	case "year":
		return fmt.Sprintf("%04d", y)
	case "day":
		return day.String()
	}
	panic("oracle: " + unit.Unit)
}

// Aggregate makes one value of many records.
func (w World) Aggregate(a *criteria.Aggregate, records []Record) any {
	number := func(n int) any { return big.NewRat(int64(n), 1) }
	if a.Where != nil {
		all := records
		records = nil
		for _, r := range all {
			if t := w.Condition(a.Where, r); t == True || t == Absent {
				records = append(records, r)
			}
		}
	}
	if a.X == nil {
		return number(len(records))
	}
	var values []any
	for _, r := range records {
		if v := w.Value(a.X, r); v != nil {
			values = append(values, v)
		}
	}
	if a.Name == "count distinct" {
		different := map[string]bool{}
		for _, v := range values {
			text := fmt.Sprint(v)
			if m, ok := v.(Moment); ok {
				if text = fmt.Sprint(m.At, m.Nanos); m.Instant != nil {
					text = fmt.Sprint(*m.Instant, m.Nanos)
				}
			}
			different[text] = true
		}
		return number(len(different))
	}
	if len(values) == 0 {
		if a.Name == "sum" && a.Where != nil {
			return new(big.Rat)
		}
		return nil
	}
	switch a.Name {
	case "sum", "average":
		sum := new(big.Rat)
		for _, v := range values {
			sum.Add(sum, v.(*big.Rat))
		}
		if a.Name == "average" {
			sum.Quo(sum, big.NewRat(int64(len(values)), 1))
		}
		return sum
	}
	if a.Name == "median" || a.Percent != nil {
		return percentile(a, values)
	}
	best := values[0]
	for _, v := range values[1:] {
		op := "<"
		if a.Name == "greatest" {
			op = ">"
		}
		if order(v, op, best, false) == True {
			best = v
		}
	}
	return best
}

// percentile is the first value, from the least on, that as many of a hundred values as it
// says do not exceed. A median is the middle one, of numbers the average of both middle ones.
func percentile(a *criteria.Aggregate, values []any) any {
	slices.SortStableFunc(values, func(x, y any) int {
		switch {
		case order(x, "<", y, false) == True:
			return -1
		case order(y, "<", x, false) == True:
			return 1
		}
		return 0
	})
	n := len(values)
	if a.Percent == nil {
		low, number := values[(n-1)/2].(*big.Rat)
		if !number {
			return values[(n-1)/2]
		}
		sum := new(big.Rat).Add(low, values[n/2].(*big.Rat))
		return sum.Quo(sum, big.NewRat(2, 1))
	}
	share := new(big.Rat).Quo(a.Percent.Value.Rat(), big.NewRat(100, 1))
	for i, v := range values {
		if big.NewRat(int64(i+1), int64(n)).Cmp(share) >= 0 {
			return v
		}
	}
	panic("oracle: a percentile above 100")
}

// Made is a condition on a group with the values made of its records in it.
func Made(w World, e criteria.Expr, records []Record) criteria.Expr {
	return criteria.MapOwn(e, func(e criteria.Expr) criteria.Expr {
		if a, ok := criteria.OfGroup(e); ok {
			return &constant{Value: w.Aggregate(a, records)}
		}
		return e
	})
}

// constant is a value that is known.
type constant struct {
	criteria.Pos
	Value any
}
