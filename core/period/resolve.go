package period

import (
	"fmt"
	"slices"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// Read parses the text and resolves it in the context.
func Read(text string, calendar civil.Calendar) (Span, diag.Problems) {
	if calendar.Language != "" {
		if span, found, ok := readIn(text, calendar, false); ok {
			return span, found
		}
	}
	expr, problems := parse(text)
	if len(problems) > 0 {
		if span, found, ok := readIn(text, calendar, true); ok {
			return span, found
		}
		if unknown := unknownOwn(expr.text, expr.owns, calendar.Almanac); len(unknown) > 0 {
			return Span{}, unknown
		}
		return Span{}, problems
	}
	return expr.Resolve(calendar)
}

// Resolve turns the expression into a span, or into every problem it has in
// the context.
func (e Expr) Resolve(calendar civil.Calendar) (Span, diag.Problems) {
	return e.ResolveWith(calendar, nil)
}

// ResolveWith is Resolve for an expression that may name other values;
// lookUp gives the one of a name, false when there is none.
func (e Expr) ResolveWith(calendar civil.Calendar, lookUp func(name string) (Span, bool)) (Span, diag.Problems) {
	r := resolver{calendar: calendar, text: e.text, today: calendar.Today(), lookUp: lookUp}
	span := r.span(e.root)
	if len(r.problems) > 0 {
		return Span{}, r.problems
	}
	return span, nil
}

// Names are the values the expression names, each once.
func (e Expr) Names() []string {
	var names []string
	walk(e.root, func(n node) {
		if n, ok := n.(*named); ok && !slices.Contains(names, n.name) {
			names = append(names, n.name)
		}
	})
	return names
}

func walk(n node, visit func(node)) {
	if n == nil {
		return
	}
	visit(n)
	switch n := n.(type) {
	case *moved:
		walk(n.term, visit)
	case *partOf:
		walk(n.term, visit)
	case *onWeekday:
		walk(n.term, visit)
	case *outside:
		walk(n.term, visit)
	case *preceding:
		walk(n.term, visit)
	case *interval:
		walk(n.from, visit)
		walk(n.to, visit)
	}
}

type resolver struct {
	calendar civil.Calendar
	text     string
	today    civil.Date
	lookUp   func(name string) (Span, bool)
	problems diag.Problems
}

func (r *resolver) fail(at mark, code, message, hint string, fixes ...diag.Fix) {
	r.problems = append(r.problems, problemAt(r.text, at, code, message, hint, fixes...))
}

// span resolves one node; what it returns after a problem is of no use.
func (r *resolver) span(n node) Span {
	switch n := n.(type) {
	case *fixed:
		return n.span
	case *instant:
		from := civil.CivilOf(n.at, r.calendar.Zone)
		return r.inRange(n.mark, Span{from, from + n.seconds})
	case *slashed:
		return r.slashed(n)
	case *fiscal:
		return r.fiscal(n)
	case *own:
		return r.own(n)
	case *partial:
		return r.partial(n)
	case *yearless:
		return r.yearless(n)
	case *anyWeekday:
		return r.anyWeekday(n)
	case *onWeekday:
		return r.onWeekday(n)
	case *relative:
		if n.unit == civil.WorkingDay {
			day := r.workingDay(n.mark, r.today, n.offset)
			return OfDays(day, day)
		}
		first := r.calendar.Add(n.unit, r.calendar.StartOf(n.unit, r.today), n.offset)
		return r.inRange(n.mark, OfDays(first, r.calendar.Add(n.unit, first, 1)-1))
	case *several:
		return r.several(n)
	case *toDate:
		return OfDays(r.calendar.StartOf(n.unit, r.today), r.today)
	case *ago:
		return r.move(n.mark, OfDays(r.today, r.today), durationOf(n.unit, n.count))
	case *weekday:
		return r.weekday(n)
	case *moved:
		return r.move(n.mark, r.span(n.term), n.by)
	case *partOf:
		return r.part(n)
	case *named:
		return r.named(n)
	case *interval:
		return r.interval(n)
	case *preceding:
		s := r.span(n.term)
		if !s.Closed() {
			r.fail(n.mark, "open_period", "Before an open period there is none that is as long.", "Name a start and an end.")
			return s
		}
		return s.Preceding()
	case *outside:
		s := r.span(n.term)
		if n.after {
			return Span{s.Until, civil.End}
		}
		return Span{civil.Start, s.From}
	}
	panic(fmt.Sprintf("period: no such node: %T", n))
}

func (r *resolver) named(n *named) Span {
	if r.lookUp != nil {
		if s, ok := r.lookUp(n.name); ok {
			return s.Part(n.part)
		}
	}
	r.fail(n.mark, "unknown_value", "There is no date called :"+n.name+" here.", "Write a day, or words like today.")
	return Span{}
}

func (r *resolver) several(n *several) Span {
	if n.unit == civil.WorkingDay {
		return r.severalWorking(n)
	}
	running := r.calendar.StartOf(n.unit, r.today)
	switch {
	case n.next:
		first := r.calendar.Add(n.unit, running, 1)
		return r.inRange(n.mark, OfDays(first, r.calendar.Add(n.unit, first, n.count)-1))
	case n.including:
		return r.inRange(n.mark, OfDays(r.calendar.Add(n.unit, running, 1-n.count), r.today))
	}
	return r.inRange(n.mark, OfDays(r.calendar.Add(n.unit, running, -n.count), running-1))
}

func (r *resolver) weekday(n *weekday) Span {
	day := r.today
	switch n.offset {
	case 0:
		day = r.calendar.StartOf(civil.Week, r.today)
		for int(day.Weekday()) != n.day {
			day++
		}
	default:
		day += civil.Date(n.offset)
		for int(day.Weekday()) != n.day {
			day += civil.Date(n.offset)
		}
	}
	return r.inRange(n.mark, OfDays(day, day))
}

// partial says that a year is missing, with the two nearest as ways out.
func (r *resolver) partial(n *partial) Span {
	if n.month == 0 {
		r.fail(n.mark, "unknown_form", "This number is not a date.", "Write a day as 2026-03-14, a month as 2026-03, a year as 2026.")
		return Span{}
	}
	if n.short != nil {
		if r.calendar.Century == 0 {
			r.problems = append(r.problems, needsSetting(r.text, n)...)
			return Span{}
		}
		year := r.century(n.short.value)
		s, ok := n.of(year)
		if !ok {
			r.noSuchDay(n.mark, year, n.month, n.day)
		}
		return s
	}
	if r.calendar.Missing != civil.YearNone {
		return r.missing(n)
	}
	year := r.today.Year()
	var fixes []diag.Fix
	latest, ok := n.of(year)
	if !ok || latest.FirstDay() > r.today {
		latest, ok = n.of(year - 1)
		year--
	}
	next, also := n.of(year + 1)
	if ok && also {
		fixes = fixText(latest.Canonical(), next.Canonical())
	}
	r.fail(n.mark, "incomplete", "The year is missing.", "Say which year is meant.", fixes...)
	return Span{}
}

// yearless reads a day without its year by the date order, or by the only reading it has.
func (r *resolver) yearless(n *yearless) Span {
	const leap = 2000
	order := r.dateOrder()
	dmy := order != civil.OrderMDY && civil.Valid(leap, n.second, n.first)
	mdy := order != civil.OrderDMY && civil.Valid(leap, n.first, n.second)
	switch {
	case dmy && mdy && n.first != n.second:
		one, other := fmt.Sprintf("%d %s", n.first, monthNames[n.second]), fmt.Sprintf("%d %s", n.second, monthNames[n.first])
		r.fail(n.mark, "ambiguous_date", fmt.Sprintf("This can be read as %s or as %s.", one, other), "Say which one is meant.", fixText(one, other)...)
		return Span{}
	case dmy:
		return r.partial(&partial{mark: n.mark, month: n.second, day: n.first})
	case mdy:
		return r.partial(&partial{mark: n.mark, month: n.first, day: n.second})
	}
	r.fail(n.mark, "no_such_date", "There is no such day.", "Write the day as 2026-03-14.")
	return Span{}
}

// dateOrder is that of the context, or of its language.
func (r *resolver) dateOrder() civil.DateOrder {
	if r.calendar.Order == civil.OrderLanguage {
		return OrderOf(r.calendar.Language)
	}
	return r.calendar.Order
}

// century gives two digits the year they mean.
func (r *resolver) century(year int) int {
	first := r.calendar.Century
	year += first - first%100
	if year < first {
		year += 100
	}
	return year
}

// missing gives what has no year the one that the calendar says. A leap day is looked for as
// far as there is one.
func (r *resolver) missing(n *partial) Span {
	year, step := r.today.Year(), 1
	fits := func(Span) bool { return true }
	switch r.calendar.Missing {
	case civil.YearLatest:
		step, fits = -1, func(s Span) bool { return s.FirstDay() <= r.today }
	case civil.YearNext:
		fits = func(s Span) bool { return s.LastDay() >= r.today }
	}
	for range 9 { // 1896 and 1904 are leap years, and no year between them is
		if s, ok := n.of(year); ok && fits(s) {
			return s
		}
		if r.calendar.Missing == civil.YearRunning {
			break
		}
		year += step
	}
	r.noSuchDay(n.mark, year, n.month, n.day)
	return Span{}
}

// anyWeekday reads a weekday alone as what has no year.
func (r *resolver) anyWeekday(n *anyWeekday) Span {
	switch r.calendar.Missing {
	case civil.YearNone:
		r.problems = append(r.problems, needsSetting(r.text, n)...)
		return Span{}
	case civil.YearRunning:
		return r.weekday(&weekday{n.mark, n.day, 0})
	case civil.YearLatest:
		if int(r.today.Weekday()) != n.day {
			return r.weekday(&weekday{n.mark, n.day, -1})
		}
	case civil.YearNext:
		if int(r.today.Weekday()) != n.day {
			return r.weekday(&weekday{n.mark, n.day, 1})
		}
	}
	return OfDays(r.today, r.today)
}

// onWeekday reads a day, and refuses it where its weekday is another one.
func (r *resolver) onWeekday(n *onWeekday) Span {
	s := r.span(n.term)
	if len(r.problems) > 0 {
		return s
	}
	day := s.FirstDay()
	if s.Days() != 1 || !s.Closed() {
		r.fail(n.word, "unknown_form", "A weekday goes with one day.", "Remove it, or name a day.")
	} else if int(day.Weekday()) != n.day {
		r.fail(n.word, "wrong_weekday", fmt.Sprintf("%s is a %s.", day, day.Weekday()), "Write "+longDay(day)+".", diag.Fix{Label: "Use " + english.weekdays[day.Weekday()], Text: english.weekdays[day.Weekday()]})
	}
	return s
}

// slashed reads a day by the date order, or by the only reading it has.
func (r *resolver) slashed(n *slashed) Span {
	if n.short {
		if r.calendar.Century == 0 {
			r.problems = append(r.problems, needsSetting(r.text, n)...)
			return Span{}
		}
		n = &slashed{n.mark, n.first, n.second, r.century(n.year), false}
	}
	dmy := civil.Valid(n.year, n.second, n.first)
	mdy := civil.Valid(n.year, n.first, n.second)
	day, month := n.first, n.second
	order := r.dateOrder()
	switch order {
	case civil.OrderDMY:
		mdy = false
	case civil.OrderMDY:
		dmy = false
		day, month = n.second, n.first
	}
	one := civil.DateOf(n.year, n.second, n.first)
	other := civil.DateOf(n.year, n.first, n.second)
	switch {
	case dmy && mdy && one != other:
		r.fail(n.mark, "ambiguous_date", fmt.Sprintf("This can be read as %s or as %s.", longDay(one), longDay(other)), "Say which one is meant.",
			diag.Fix{Label: longDay(one), Text: one.String()}, diag.Fix{Label: longDay(other), Text: other.String()})
	case dmy:
		return OfDays(one, one)
	case mdy:
		return OfDays(other, other)
	case month < 1 || month > 12:
		if order == civil.OrderNone && n.first >= 1 && n.first <= 12 {
			day, month = n.second, n.first // a month that exists, its day does not
			r.noSuchDay(n.mark, n.year, month, day)
			break
		}
		hint := "Write the day as 2026-03-14."
		if order != civil.OrderNone {
			hint = fmt.Sprintf("Dates are read in the order %s here.", order)
		}
		r.fail(n.mark, "no_such_date", fmt.Sprintf("There is no month %d.", month), hint)
	default:
		r.noSuchDay(n.mark, n.year, month, day)
	}
	return Span{}
}

func (r *resolver) noSuchDay(at mark, year, month, day int) {
	message, nearest := noSuchDay(year, month, day)
	r.fail(at, "no_such_date", message, "", fixText(nearest)...)
}

// move moves both ends. A span of whole months stays one when it is moved by
// months; elsewhere the first and the last day (or second) move, each keeping
// its day of the month or taking the month's last.
func (r *resolver) move(at mark, s Span, d duration) Span {
	if len(r.problems) > 0 {
		return s
	}
	if !s.Closed() {
		r.fail(at, "open_period", "An open period cannot be moved.", "Name a start and an end.")
		return s
	}
	switch {
	case d.unit == 0:
	case d.unit.IsFiscal() && (r.calendar.Almanac == nil || r.calendar.Almanac.Weeks == nil):
		d = duration{months: d.count * d.unit.Months(), days: 0}
		if d.months == 0 {
			r.fail(at, "no_calendar", "Fiscal years are made of months here; they have no weeks.", "Move it by weeks.")
		}
	default:
		return r.step(at, s, d.unit, d.count)
	}
	return r.inRange(at, d.move(s))
}

// move moves the ends of a span that are not open.
func (d duration) move(s Span) Span {
	unit := civil.DateTime(1)
	switch {
	case wholeMonths(s):
		unit = 0
	case s.WholeDays():
		unit = perDay
	}
	shift := civil.DateTime(d.days*perDay + d.seconds)
	if !s.OpenStart() {
		s.From = moveMonths(s.From, d.months) + shift
	}
	if !s.OpenEnd() {
		s.Until = moveMonths(s.Until-unit, d.months) + unit + shift
	}
	return s
}

func moveMonths(t civil.DateTime, months int) civil.DateTime {
	return t.Date().AddMonths(months).Midnight() + civil.DateTime(t.Seconds())
}

func wholeMonths(s Span) bool {
	if !s.Closed() {
		return false
	}
	_, _, first := s.From.Date().YMD()
	_, _, after := s.Until.Date().YMD()
	return s.WholeDays() && first == 1 && after == 1
}

func (r *resolver) part(n *partOf) Span {
	s := r.span(n.term)
	if len(r.problems) == 0 && !s.Closed() {
		r.fail(n.mark, "open_period", "An open period has no such part.", "Name a start and an end.")
	}
	if len(r.problems) > 0 {
		return s
	}
	first, last := s.FirstDay(), s.LastDay()
	if n.unit == civil.WorkingDay {
		return r.workingPart(n, first, last)
	}
	var part Span
	if n.nth < 0 {
		part = OfDays(r.calendar.Add(n.unit, last+1, -1), last)
	} else {
		part = OfDays(r.calendar.Add(n.unit, first, n.nth-1), r.calendar.Add(n.unit, first, n.nth)-1)
	}
	if n.nth > 1 && part.Until > (last+1).Midnight() {
		r.fail(n.mark, "no_such_part", "The whole has no such part: it ends on "+longDay(last)+".", "Name an earlier part.")
		return part
	}
	if part.From < first.Midnight() || part.Until > (last+1).Midnight() {
		r.fail(n.mark, "part_too_long", "The part is longer than the whole.", "Name a shorter part.")
	}
	return part
}

func (r *resolver) interval(n *interval) Span {
	s := All
	fromLength, startGiven := n.from.(*length)
	toLength, endGiven := n.to.(*length)
	switch {
	case startGiven:
		s.Until = r.span(n.to).Until
		s.From = r.move(n.mark, Span{s.Until, s.Until + perDay}, fromLength.negated()).From
	case endGiven:
		s.From = r.span(n.from).From
		s.Until = r.move(n.mark, Span{s.From, s.From + perDay}, toLength.duration).From
	default:
		var from, to Span
		if n.to != nil {
			to = r.span(n.to)
			s.Until = to.Until
		}
		if n.from != nil {
			from = r.start(n, to)
			s.From = from.From
		}
		if len(r.problems) == 0 && n.from != nil && n.to != nil && s.Until <= s.From {
			a, b := r.text[n.from.place().start:n.from.place().end], r.text[n.to.place().start:n.to.place().end]
			swapped := b + "/" + a
			r.fail(n.mark, "end_before_start", fmt.Sprintf("The end, %s, is before the start, %s.", to.ReadBack(), from.ReadBack()), "",
				diag.Fix{Label: "Swap them: " + swapped, Text: swapped})
		}
	}
	return s
}

// start is the span that an interval starts with. Where neither end has a year, the start
// goes with the end.
func (r *resolver) start(n *interval, to Span) Span {
	f, ok1 := n.from.(*partial)
	t, ok2 := n.to.(*partial)
	if !ok1 || !ok2 || f.month == 0 || f.short != nil || t.short != nil || r.calendar.Missing == civil.YearNone || len(r.problems) > 0 {
		return r.span(n.from)
	}
	last := to.LastDay()
	if s, ok := f.of(last.Year()); ok && s.FirstDay() <= last {
		return s
	}
	if s, ok := f.of(last.Year() - 1); ok {
		return s
	}
	return r.span(n.from)
}

// inRange refuses what leaves the years that are accepted.
func (r *resolver) inRange(at mark, s Span) Span {
	if len(r.problems) == 0 && s.Closed() && (!s.From.Date().InRange() || !(s.Until - 1).Date().InRange()) {
		r.fail(at, "out_of_range", "This leaves the years 0001 to 9999.", "")
	}
	return s
}
