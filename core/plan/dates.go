package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// moment is a date as text that compares like time, whatever it is stored as:
// a day, or with fine a date-time with every digit of its seconds.
func (b *binder) moment(e criteria.Expr, fine bool) Expr {
	if b.full(e) {
		return Value{nil}
	}
	switch e := e.(type) {
	case *criteria.Column:
		return b.stored(e, fine, b.calendar.Zone)
	case *criteria.Span:
		return spanValue(e.Span, fine)
	case *criteria.Blank:
		return Value{nil}
	case *criteria.Aggregate:
		return b.aggregated(e, b.moment(e.X, fine))
	case *criteria.Arithmetic:
		if n, ok := e.MovesWorking(); ok {
			left := e.Left
			for inner, ok := left.(*criteria.Arithmetic); ok; inner, ok = left.(*criteria.Arithmetic) {
				more, working := inner.MovesWorking()
				if !working || (more > 0) != (n > 0) {
					break
				}
				left, n = inner.Left, n+more // there, and on in the same direction
			}
			return WorkingMoved{b.moment(left, fine), fine, n, b.almanac(e)}
		}
		length, n, _ := e.Moves()
		return Moved{b.moment(e.Left, fine), fine, n * length.Months(), n * length.Days()}
	case *criteria.Call:
		switch e.Name {
		case "date_of":
			return b.moment(e.Args[0], false)
		case "start_of":
			return DatePart{b.moment(e.Args[1], false), StartOf, criteria.Units[e.Args[0].(*criteria.Text).Value], b.calendar.WeekStart}
		case "date_in":
			return b.moment(e.Args[0], fine)
		case "days_after":
			return MovedBy{b.moment(e.Args[0], fine), b.translate(e.Args[1]), fine}
		case "if":
			return If{b.condition(criteria.Simplify(e.Args[0], b.calendar), false), b.moment(e.Args[1], fine), b.moment(e.Args[2], fine)}
		}
		args := make([]Expr, len(e.Args))
		for i, arg := range e.Args {
			args[i] = b.moment(arg, fine)
		}
		return Func{Name: e.Name, Args: args}
	}
	b.untold(e)
	return Value{nil}
}

// almanac is the calendar that says which days are worked; that there is none is told.
func (b *binder) almanac(e criteria.Expr) *civil.Almanac {
	if b.calendar.Almanac != nil {
		return b.calendar.Almanac
	}
	p := diag.Problem{
		Code: "no_calendar", Field: b.field(e), Message: "Which days are worked is said by a calendar, and none is used here.",
		Hint: "Name one in the query: calendar: NAME.",
	}
	if !slices.ContainsFunc(b.problems, func(q diag.Problem) bool { return q.Code == p.Code }) {
		b.problems = append(b.problems, p)
	}
	return (&civil.Almanac{}).Seal()
}

// stretches are the units of a calendar; that it does not have them is told.
func (b *binder) stretches(e *criteria.UnitOf) []period.Stretch {
	whole, ok := period.WholeOf(e.Unit, b.calendar)
	if !ok {
		b.problems = append(b.problems, diag.Problem{
			Code: "no_calendar", Field: b.field(e), Message: "No calendar that is used here says what a " + e.Unit + " is.",
			Hint: "Name one in the query: calendar: NAME.",
		})
	}
	return whole.Stretches(b.calendar)
}

// daysCondition is is_holiday or is_working_day of a day: a bare column is compared with the
// days as it stores them. Beyond the days that are known it is open, so that neither it nor
// its negation is met.
func (b *binder) daysCondition(e *criteria.Call, negated bool) Expr {
	a, x := b.almanac(e), e.Args[0]
	days := a.Free()
	if e.Name == "is_holiday" {
		days = make([]civil.Date, len(a.Holidays))
		for i, h := range a.Holidays {
			days[i] = h.Day
		}
	}
	free := b.onDays(x, days)
	if e.Name == "is_holiday" {
		if !negated {
			return free
		}
		return all(Not{free}, b.knownDay(x, a))
	}
	weekday := In{X: DatePart{b.moment(x, false), DayOf, civil.Week, b.calendar.WeekStart}, Constant: true}
	for day, off := range a.Off {
		if !off {
			weekday.Values = append(weekday.Values, int64((day+6)%7+1))
		}
	}
	slices.SortFunc(weekday.Values, func(x, y any) int { return int(x.(int64) - y.(int64)) })
	if negated {
		return all(Logic{true, []Expr{Not{weekday}, free}}, b.knownDay(x, a))
	}
	return all(weekday, Not{free}, b.knownDay(x, a))
}

// knownDay is met by days whose holidays are known.
func (b *binder) knownDay(x criteria.Expr, a *civil.Almanac) Expr {
	known := &criteria.Within{Pos: x.At(), X: x, Period: &criteria.Span{Pos: x.At(), Span: period.OfDays(a.First, a.Last)}}
	return b.condition(criteria.Simplify(known, b.calendar), false)
}

// onDays is met by dates that fall on one of some days.
func (b *binder) onDays(x criteria.Expr, days []civil.Date) Expr {
	in := In{X: b.moment(x, false), Constant: true}
	value := func(d civil.Date) any { return d.String() }
	if c, bare := x.(*criteria.Column); bare && c.Ref.Column.Type == catalog.Date && c.Ref.Column.Encoding != catalog.EncYM && c.Ref.Column.Compares() {
		if _, err := c.Ref.Column.Bound(civil.DateOf(2000, 1, 1).Midnight(), b.calendar.Zone); err == nil {
			in.X = Column{c.Ref}
			value = func(d civil.Date) any {
				v, _ := c.Ref.Column.Bound(d.Midnight(), b.calendar.Zone) // tried just before
				return v
			}
		}
	}
	if len(days) == 0 {
		return Const{false}
	}
	for _, d := range days {
		in.Values = append(in.Values, value(d))
	}
	return in
}

// spanValue is a stretch of time as one value, its start; an end that is open is
// none.
func spanValue(s period.Span, fine bool) Expr {
	if s.From == civil.Start || s.From == civil.End {
		return Value{nil}
	}
	return Value{momentText(s.From, fine)}
}

// stored is a column as such text, by the clocks of a zone.
func (b *binder) stored(c *criteria.Column, fine bool, zone *time.Location) Expr {
	m := Moment{Ref: c.Ref, Fine: fine, Sure: b.trusts(c.Ref)}
	if !c.Ref.Column.Encoding.IsInstant() {
		return m
	}
	m.Zone = zone.String()
	known := clockOf(zone)
	if span, ok := b.window[windowName(c.Ref)]; ok {
		known = known.within(span, b.calendar.Zone)
	}
	m.Yearly = known.yearly
	for i := len(known.changes) - 1; i >= 0; i-- {
		shift := Shift{Offset: known.changes[i].Offset}
		if i > 0 {
			at := civil.DateTime(known.changes[i].At)
			v, err := c.Ref.Column.Bound(at, civil.UTC)
			if m.Sure && c.Ref.Column.Shape != "" && c.Ref.Column.Encoding.IsTimedText() {
				v = catalog.IsoBound(at, separatorOf(c.Ref.Column.Shape))
			}
			if err != nil {
				b.problems = append(b.problems, diag.Problem{Code: "no_encoding", Field: "criteria", Message: err.Error()})
				return m
			}
			shift.From = v
		}
		m.Shifts = append(m.Shifts, shift)
	}
	return m
}

// clock is how the clocks of a zone have changed, and how they change every
// year from some year on.
type clock struct {
	changes []civil.Change
	yearly  *civil.Yearly
}

// clocks are those that were worked out, by the names of their zones: it takes a
// while, and a zone's clocks are the same in every statement.
var clocks sync.Map

func clockOf(zone *time.Location) clock {
	if made, ok := clocks.Load(zone.String()); ok {
		return made.(clock)
	}
	last := civil.DateOf(civil.MaxYear, 1, 1)
	var made clock
	if yearly, ok := civil.YearlyOf(zone); ok {
		made.yearly = &yearly
		last = civil.DateOf(yearly.From, 1, 1)
	}
	made.changes = civil.Changes(zone, civil.Instant(civil.DateOf(civil.MinYear, 1, 2).Midnight()), civil.Instant(last.Midnight()))
	clocks.Store(zone.String(), made)
	return made
}

// mostYears is for how many years changes by a rule are listed.
const mostYears = 3

// within is what matters of a clock in a stretch of time, that of another zone
// perhaps: a day on either side is farther than any zone is from another.
func (c clock) within(span period.Span, zone *time.Location) clock {
	from, until := civil.Instant(civil.Start), civil.Instant(civil.End)
	if !span.OpenStart() {
		from = civil.InstantOf(span.From, zone) - 86400
	}
	if !span.OpenEnd() {
		until = civil.InstantOf(span.Until, zone) + 86400
	}
	first, last := 0, 0
	for i, change := range c.changes {
		if change.At <= from {
			first = i
		}
		if change.At < until {
			last = i
		}
	}
	out := clock{changes: c.changes[first : max(first, last)+1]}
	y := c.yearly
	if y == nil || until < civil.Instant(civil.DateOf(y.From, 1, 1).Midnight()) {
		return out
	}
	since, through := max(y.From, civil.DateTime(from).Date().Year()-1), civil.DateTime(until).Date().Year()
	if span.OpenEnd() || through-since > mostYears {
		out.yearly = y
		return out
	}
	out.changes = slices.Clone(out.changes)
	for year := since; year <= through; year++ {
		out.changes = append(out.changes, y.Changes[0].In(year), y.Changes[1].In(year))
	}
	return clock{changes: out.changes}.within(span, zone)
}

func momentText(t civil.DateTime, fine bool) string {
	if fine {
		return t.String()
	}
	return t.Date().String()
}

// bounds compares a column with a stretch of time.
func (b *binder) bounds(bounds Bounds, at criteria.Expr, negated bool) Expr {
	terms := make([]Expr, 0, 2)
	add := func(op string, t civil.DateTime) {
		if negated {
			op = map[string]string{">=": "<", "<": ">="}[op]
		}
		terms = append(terms, b.bound(bounds.Column, op, t, at))
	}
	if !bounds.Span.OpenStart() {
		add(">=", bounds.Span.From)
	}
	if !bounds.Span.OpenEnd() {
		add("<", bounds.Span.Until)
	}
	if len(terms) == 1 {
		return terms[0]
	}
	if negated {
		return Logic{true, terms}
	}
	return all(terms...)
}

// bound compares a date with a civil time, by >= or <: a bare column in its own
// encoding. At is where that was written.
func (b *binder) bound(x criteria.Expr, op string, t civil.DateTime, at criteria.Expr) Expr {
	c, bare := x.(*criteria.Column)
	if !bare {
		fine := criteria.TypeOf(x) == catalog.DateTime
		if !fine && !t.IsMidnight() {
			t = (t.Date() + 1).Midnight() // the first day that starts no earlier
		}
		day := b.moment(x, fine)
		switch {
		case t.Date() > civil.DateOf(civil.MaxYear, 12, 31):
			return anyOf(day, op == "<")
		case t.Date() < civil.DateOf(civil.MinYear, 1, 1):
			return anyOf(day, op == ">=")
		}
		return Compare{op, day, Value{momentText(t, fine)}}
	}
	column := c.Ref.Column
	v, err := column.Bound(t, b.calendar.Zone)
	switch {
	case errors.Is(err, catalog.ErrLater):
		return always(Column{c.Ref}, op == "<")
	case errors.Is(err, catalog.ErrEarlier):
		return always(Column{c.Ref}, op == ">=")
	case err != nil:
		b.unbound(c, t, at, err)
		return Const{false}
	}
	if column.Encoding.IsTimedText() {
		stored, _ := column.StoredTime(t, b.calendar.Zone)
		switch {
		case b.trusts(c.Ref) && column.Shape != "":
			v = catalog.IsoBound(stored, separatorOf(column.Shape))
		case !stored.IsMidnight():
			return b.timed(c.Ref, op, stored)
		}
	}
	if !column.Compares() {
		zone, fine := b.calendar.Zone, column.Type == catalog.DateTime
		if !column.Encoding.IsInstant() {
			zone = civil.UTC
		}
		return Compare{op, b.stored(c, fine, zone), Value{momentText(t, fine)}}
	}
	return Compare{op, Column{c.Ref}, Value{v}}
}

// separatorOf stands between day and time in texts that are written in a way.
func separatorOf(layout string) byte {
	if len(layout) > len("0000-00-00") {
		return layout[len("0000-00-00")]
	}
	return 'T'
}

// always is met by everything but blanks, or by nothing.
func always(x Expr, yes bool) Expr {
	if yes {
		return Not{IsBlank{x}}
	}
	return Const{false}
}

// anyOf is the same for a value that may be negated with it: open for blanks.
func anyOf(x Expr, yes bool) Expr {
	if yes {
		return Compare{"=", x, x}
	}
	return Compare{"<>", x, x}
}

// timed compares a text with a time of day. Values with T and with a blank
// between day and time do not sort among each other within a day, nor do those
// with and without seconds within a minute: the bare column is compared with a
// bound that leaves none of them out, and on the day of the bound the text is
// looked at as well.
func (b *binder) timed(ref criteria.Ref, op string, t civil.DateTime) Expr {
	day, next := t.Date().String(), catalog.AfterEveryText
	if t.Date() < civil.DateOf(civil.MaxYear, 12, 31) {
		next = (t.Date() + 1).String()
	}
	blanks := ref.Column.Separator() == ' '
	indexed := b.indexed(ref) && !ref.Column.Collated
	var column Expr = Column{ref} // which stands in several places
	exact := Compare{op, Plain{ref}, Value{catalog.IsoBound(t, 'T')}}
	whole := t + civil.DateTime((60-t.Seconds()%60)%60)
	if op == ">=" {
		var low Expr = Value{day}
		switch {
		case ref.Column.Collated:
		case blanks:
			low = Value{catalog.IsoBound(t-civil.DateTime(t.Seconds()%60), ' ')}
		case indexed:
			low = Either{b.tableOf(b.compiled.TableOf(ref.Alias), "other"), ref, day + " ", day + "!", day, catalog.IsoBound(t, 'T')}
		}
		return all(Compare{">=", column, low}, Logic{true, []Expr{Compare{">=", column, Value{next}}, exact}})
	}
	var high Expr = Value{next}
	switch tight := catalog.IsoBound(whole, ref.Column.Separator()); {
	case ref.Column.Collated || whole.IsMidnight():
	case !blanks:
		high = Value{tight}
	case indexed:
		high = Either{b.tableOf(b.compiled.TableOf(ref.Alias), "other"), ref, day + "T", day + "U", next, tight}
	}
	return all(Compare{"<", column, high}, Logic{true, []Expr{Compare{"<", column, Value{day}}, exact}})
}

// indexed tells whether an index begins with the column.
func (b *binder) indexed(ref criteria.Ref) bool {
	t := b.compiled.Aliased(ref.Alias)
	if t == nil {
		return false
	}
	for _, index := range t.Table.Indexes {
		if len(index.Columns) > 0 && strings.EqualFold(index.Columns[0], ref.Column.Name) {
			return true
		}
	}
	return len(t.Table.Key) > 0 && strings.EqualFold(t.Table.Key[0], ref.Column.Name)
}

// unbound says why a column cannot be compared with a time.
func (b *binder) unbound(c *criteria.Column, t civil.DateTime, at criteria.Expr, err error) {
	p := diag.Problem{
		Code: "finer_than_column", Field: b.field(at),
		Message: fmt.Sprintf("%s holds %s, but %s falls inside one.", b.label(c), unitOf(c.Ref.Column), t),
		Hint:    "Give a period that starts and ends between " + unitOf(c.Ref.Column) + ".",
	}
	if !errors.Is(err, catalog.ErrFiner) {
		p.Code, p.Message, p.Hint = "no_encoding", err.Error(), "Set the column's encoding with pikegate source set-encoding."
	}
	if !slices.ContainsFunc(b.problems, func(q diag.Problem) bool { return q.Code == p.Code && q.Field == p.Field }) {
		b.problems = append(b.problems, p)
	}
}
