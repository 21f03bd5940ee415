package period

import (
	"fmt"
	"unicode/utf8"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// MaxLength is how many characters an expression may have.
const MaxLength = 200

// Parse reads the text to a tree, or to every problem it has. What leaves out its year is
// one: which year is meant depends on the day. Words that are none of the language may be
// the name of a period of a calendar; that is found out when it is resolved.
func Parse(text string) (Expr, diag.Problems) {
	e, problems := parse(text)
	if len(problems) > 0 && len(e.owns) > 0 { // what is no name of a period makes the rest unreadable
		return Expr{}, unknownOwn(e.text, e.owns, nil)
	}
	walk(e.root, func(n node) {
		problems = append(problems, needsSetting(e.text, n)...)
	})
	if len(problems) > 0 {
		return Expr{}, problems
	}
	return e, nil
}

// needsSetting tells what a node leaves open that a setting of the calendar may say.
func needsSetting(text string, n node) diag.Problems {
	switch n := n.(type) {
	case *partial:
		if n.short != nil {
			return diag.Problems{shortYear(text, n.mark, n.short.value)}
		}
		return diag.Problems{problemAt(text, n.mark, "incomplete", "The year is missing.", "Write March 2026 or 14 March 2026.")}
	case *yearless:
		return diag.Problems{problemAt(text, n.mark, "incomplete", "The year is missing.", "Write 15.5.2026 or 15 May 2026.")}
	case *anyWeekday:
		name := text[n.start:n.end]
		return diag.Problems{problemAt(text, n.mark, "incomplete", "Which "+name+"?", "Write last "+name+", this "+name+" or next "+name+".")}
	case *slashed:
		if n.short {
			return diag.Problems{shortYear(text, n.mark, n.year)}
		}
	}
	return nil
}

func shortYear(text string, at mark, year int) diag.Problem {
	return problemAt(text, at, "two_digit_year", "A year has four digits.", fmt.Sprintf("Write 20%02d, if that is the year.", year))
}

func parse(text string) (Expr, diag.Problems) {
	if n := utf8.RuneCountInString(text); n > MaxLength {
		return Expr{}, diag.Problems{tooLong(text, n)}
	}
	text, problems := english.unsaid(plain(text))
	if len(problems) > 0 {
		return Expr{}, problems
	}
	p := parser{text: text, tokens: lex(text, make([]token, 0, 8))}
	root := p.expression()
	return Expr{text, root, p.owns}, p.problems
}

type parser struct {
	text     string
	tokens   []token
	at       int
	problems diag.Problems
	owns     []*own
}

func (p *parser) peek() token { return p.tokens[p.at] }

func (p *parser) ahead(n int) token { return p.tokens[min(p.at+n, len(p.tokens)-1)] }

func (p *parser) next() token {
	t := p.tokens[p.at]
	if t.kind != tEnd {
		p.at++
	}
	return t
}

// take steps over the next token if it is a word of that role.
func (p *parser) take(r role) bool {
	if t := p.peek(); t.kind == tWord && t.word.role == r {
		p.at++
		return true
	}
	return false
}

// since marks what was read from the byte start up to here.
func (p *parser) since(start int) mark {
	end := start
	if p.at > 0 {
		end = max(start, p.tokens[p.at-1].end)
	}
	return mark{start, end}
}

// expression reads the whole text.
func (p *parser) expression() node {
	first := p.peek()
	if first.kind == tEnd {
		p.fail(first, "empty", "Nothing was typed.", "Write a day (2026-03-14), a month (2026-03), a period (2026-03-01/2026-03-31) or words like last month.")
		return nil
	}
	var root node
	switch {
	case p.take(rAll):
		root = &interval{mark: p.since(first.start)}
	case p.bound(rAs, rLong, rBefore):
		term := p.interval(p.peek().start, false)
		root = &preceding{p.since(first.start), term}
	case first.kind == tWord && (first.word.role == rBefore || first.word.role == rAfter):
		p.next()
		term := p.term()
		root = &outside{p.since(first.start), term, first.word.role == rAfter}
	case p.take(rBetween):
		from := p.term()
		if from != nil && !p.take(rAnd) {
			p.fail(p.peek(), "incomplete", "Between what, and what?", "Write between 1 March 2026 and 10 March 2026.")
			return nil
		}
		if len(p.problems) == 0 {
			to := p.term()
			from, to = p.complete(from, to)
			root = &interval{p.since(first.start), from, to}
		}
	case p.bound(rNot, rBefore), p.bound(rOn, rOr, rAfter):
		root = &interval{p.since(first.start), p.term(), nil}
	case p.bound(rNot, rAfter), p.bound(rOn, rOr, rBefore), p.bound(rUp, rTo, rAnd, rIncluding), p.bound(rUp, rTo):
		to := p.term()
		root = &interval{p.since(first.start), nil, to}
	case p.take(rThrough):
		to := p.term()
		root = &interval{p.since(first.start), nil, to}
	case p.take(rSince):
		from := p.term()
		root = &interval{p.since(first.start), from, nil}
	default:
		worded := p.take(rFrom)
		if !worded {
			p.take(rOn)
		}
		root = p.interval(first.start, worded)
	}
	if p.peek().is('.') && p.ahead(1).kind == tEnd {
		p.next() // the full stop of a sentence
	}
	if len(p.problems) == 0 && p.peek().kind != tEnd {
		p.unexpected()
	}
	return root
}

// bound steps over words that stand in this order, where all of them are there.
func (p *parser) bound(roles ...role) bool {
	for i, r := range roles {
		if t := p.ahead(i); t.kind != tWord || t.word.role != r {
			return false
		}
	}
	p.at += len(roles)
	return true
}

// separator steps over what divides the two ends of an interval.
func (p *parser) separator() bool {
	t := p.peek()
	if p.bound(rUp, rTo) || p.take(rTo) || p.take(rThrough) {
		return true
	}
	if t.is('/') || isDash(t) {
		p.next()
		return true
	}
	return false
}

// interval reads END [ '/' END ]; worded tells that "from" stood before it.
func (p *parser) interval(start int, worded bool) node {
	from := p.end()
	if len(p.problems) > 0 && !p.skipToSeparator() {
		return nil
	}
	sep := p.peek()
	if !p.separator() {
		_, isLength := from.(*length)
		switch {
		case from != nil && !isLength && (p.take(rOnwards) || worded && p.take(rOn)), worded:
			return &interval{p.since(start), from, nil}
		case isLength:
			p.failAt(from.place(), "incomplete", "A length needs a start or an end.", "Write P7D/2026-03-31 or 2026-03-01/P7D.")
		case from == nil && len(p.problems) == 0:
			p.fail(sep, "incomplete", "An open side needs the other end.", "Write ../2026-03-31, or all for no bounds.")
		}
		return from
	}
	if p.peek().kind == tEnd {
		p.fail(sep, "incomplete", "The end is missing.", "Write an end, or .. for no end.")
		return nil
	}
	to := p.end()
	if f, ok := from.(*length); ok {
		if _, both := to.(*length); both || to == nil {
			p.failAt(f.mark, "incomplete", "A length needs a date on the other side.", "Write P7D/2026-03-31.")
		}
	}
	if t, ok := to.(*length); ok && from == nil {
		p.failAt(t.mark, "incomplete", "A length needs a date on the other side.", "Write 2026-03-01/P7D.")
	}
	from, to = p.complete(from, to)
	return &interval{p.since(start), from, to}
}

// skipToSeparator steps to what divides the two ends, so that the second one
// is read, and its problems told, even when the first is wrong.
func (p *parser) skipToSeparator() bool {
	for ; p.peek().kind != tEnd; p.at++ {
		t := p.peek()
		if t.is('/') && p.ahead(1).kind != tEnd || t.kind == tWord && t.word.role == rTo && p.ahead(1).kind != tEnd {
			return true
		}
	}
	return false
}

// end reads one end of an interval: a term, a length, or .. as nil.
func (p *parser) end() node {
	t := p.peek()
	if t.kind == tDots {
		p.next()
		return nil
	}
	if t.kind == tWord && t.word.role == rP {
		d, ok := p.isoDuration()
		if !ok {
			return nil
		}
		return &length{p.since(t.start), d}
	}
	return p.term()
}

// term reads a base and what it is moved by.
func (p *parser) term() node {
	start := p.peek().start
	term := p.base()
	for term != nil {
		op := p.peek()
		if !op.is('+') && !(op.is('-') && p.moves()) {
			break
		}
		p.next()
		by, ok := p.duration()
		if !ok {
			return nil
		}
		if op.is('-') {
			by = by.negated()
		}
		term = &moved{p.since(start), term, by}
	}
	return term
}

// moves tells whether the dash that comes next moves what stands before it, rather than
// stand between the ends of an interval.
func (p *parser) moves() bool {
	n, unit := p.ahead(1), p.ahead(2)
	switch {
	case n.kind == tNumber:
		return unit.kind == tEnd && n.digits() < 4 || unit.kind == tWord && isUnit(unit)
	case n.kind == tWord && n.word.role == rCount:
		return true
	}
	return n.kind == tEnd && !p.peek().joined || n.kind == tWord && n.word.role == rP
}

// base reads one term without movement. The first token is not read yet.
func (p *parser) base() node {
	before := len(p.problems)
	var read node
	switch p.peek().kind {
	case tNumber:
		read = p.numeric()
	case tWord:
		if isOwn(p.peek()) {
			read = p.own()
			break
		}
		read = p.worded()
	case tName:
		read = p.named()
	default:
		if !isOwn(p.peek()) {
			p.unexpected()
			break
		}
		read = p.own()
	}
	if len(p.problems) > before {
		return nil
	}
	return read
}

// named reads :name, :name.from, :name.through or :name.until.
func (p *parser) named() node {
	t := p.next()
	n := &named{name: p.text[t.start+1 : t.end]}
	if dot := p.peek(); dot.is('.') && dot.joined {
		p.next()
		part := p.next()
		n.part = p.text[part.start:part.end]
		if n.part != "from" && n.part != "through" && n.part != "until" {
			p.fail(part, "unknown_part", "A period has no \""+n.part+"\".", "Write .from, .through (last day in) or .until (first day out).")
			return nil
		}
	}
	n.mark = p.since(t.start)
	return n
}

// worded reads a base that begins with a word.
func (p *parser) worded() node {
	t := p.next()
	switch t.word.role {
	case rDay:
		return &ago{p.since(t.start), civil.Day, t.word.value}
	case rMonth:
		return p.afterMonth(t)
	case rDirection:
		return p.afterDirection(t)
	case rThe:
		return p.afterThe(t)
	case rCalendar:
		return p.base()
	case rCW:
		return p.numberedWeek(t)
	case rPast:
		return p.afterPast(t)
	case rCount:
		p.at--
		return p.soLongAgo(t)
	case rEdge:
		if !p.take(rOf) {
			p.fail(p.peek(), "incomplete", "The "+p.text[t.start:t.end]+" of what?", "Write end of last month.")
			return nil
		}
		term := p.base()
		if term == nil {
			return nil
		}
		return &partOf{p.since(t.start), civil.Day, -t.word.value, term} // its first day or its last
	case rMiddle:
		p.fail(t, "unknown_form", "Which days the middle is made of is said by no rule.", "Write its first and its last day.")
	case rUnit:
		if n := p.peek(); n.kind == tNumber {
			return p.numbered(t)
		}
		p.at--
		unit, _ := p.unit()
		if unit != civil.WorkingDay && p.take(rTo) && p.take(rDate) {
			return &toDate{p.since(t.start), unit}
		}
		p.failAt(p.since(t.start), "incomplete", "A unit alone says nothing about when.", "Write this "+p.text[t.start:t.end]+", last "+p.text[t.start:t.end]+" or "+p.text[t.start:t.end]+" to date.")
	case rFiscal:
		p.at--
		if unit, ok := p.unit(); ok {
			if n := p.peek(); n.kind == tNumber {
				return p.numberedFiscal(t, unit)
			}
			if p.take(rTo) && p.take(rDate) {
				return &toDate{p.since(t.start), unit}
			}
			p.failAt(p.since(t.start), "incomplete", "A fiscal unit alone says nothing about when.", "Write this fiscal year or fiscal year to date.")
		}
	case rWorking:
		p.at--
		if _, ok := p.unit(); ok {
			p.failAt(p.since(t.start), "incomplete", "A unit alone says nothing about when.", "Write last working day, or 3 working days ago.")
		}
	case rPeriod:
		if n := p.peek(); n.kind == tNumber {
			return p.numberedFiscal(t, civil.FiscalPeriod)
		}
		p.fail(t, "incomplete", "Which period of which fiscal year?", "Write period 7 of fiscal 2026.")
	case rNth:
		return p.partOf(t, t.word.value)
	case rIn:
		if count, unit, ok := p.counted(); ok {
			return &ago{p.since(t.start), unit, count}
		}
	case rQ, rH:
		return p.quarterFirst(t)
	case rFY:
		return p.fiscalYear(t)
	case rWeekday:
		if p.dayAhead() {
			return p.afterWeekday(t)
		}
		return &anyWeekday{p.since(t.start), t.word.value}
	case rP:
		p.fail(t, "incomplete", "A length stands on one side of an interval.", "Write P7D/2026-03-31 or 2026-03-01/P7D.")
	default:
		p.at--
		p.unexpected()
	}
	return nil
}

// afterDirection reads what follows last, this or next.
func (p *parser) afterDirection(t token) node {
	direction := t.word.value
	n := p.peek()
	switch {
	case n.kind == tNumber, n.kind == tWord && n.word.role == rCount:
		if direction == 0 {
			p.fail(t, "unknown_form", "\"this\" goes with one unit.", "Write last 7 days or next 7 days.")
			return nil
		}
		count, unit, ok := p.counted()
		if !ok {
			return nil
		}
		s := &several{unit: unit, count: count, next: direction > 0}
		if p.take(rIncluding) {
			if d := p.next(); d.kind != tWord || d.word != vocabulary["today"] || s.next {
				p.failAt(p.since(t.start), "unknown_form", "Only \"last … including today\" takes an ending.", "Write last 7 days including today.")
				return nil
			}
			s.including = true
		}
		s.mark = p.since(t.start)
		return s
	case n.kind == tWord && n.word.role == rWeekday:
		p.next()
		return &weekday{p.since(t.start), n.word.value, direction}
	case isOwn(n):
		return p.ownNear(t)
	case n.kind == tWord && isUnit(n):
		if direction < 0 && n.word.role == rWorking && p.ahead(2).word.role == rOf || direction < 0 && p.ahead(1).kind == tWord && p.ahead(1).word.role == rOf {
			return p.partOf(t, -1)
		}
		unit, ok := p.unit()
		if !ok {
			return nil
		}
		return &relative{p.since(t.start), unit, direction}
	}
	p.unexpected("day", "week", "month", "quarter", "half", "year", "fiscal", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
	return nil
}

// afterThe reads what follows "the": the year is this year.
func (p *parser) afterThe(t token) node {
	n := p.peek()
	if n.kind == tWord && isUnit(n) {
		if unit, ok := p.unit(); ok {
			return &relative{p.since(t.start), unit, 0}
		}
		return nil
	}
	return p.base()
}

// afterPast reads what follows "past": past 7 days are the last 7 days. The past month is the
// one before this one, or so many days up to now: nobody knows which.
func (p *parser) afterPast(t token) node {
	n := p.peek()
	if n.kind == tNumber || n.kind == tWord && n.word.role == rCount {
		t.word = word{rDirection, -1}
		return p.afterDirection(t)
	}
	unit, ok := p.unit()
	if !ok {
		return nil
	}
	name := p.text[n.start:p.since(n.start).end]
	days := rolling[unit]
	p.failAt(p.since(t.start), "two_readings", "This can be read as last "+name+" or as "+days+".", "Say which one is meant.",
		diag.Fix{Label: "last " + name, Text: "last " + name}, diag.Fix{Label: days, Text: days})
	return nil
}

// rolling is what the past of a unit can mean beside the last one.
var rolling = map[civil.Unit]string{
	civil.Day: "today", civil.Week: "last 7 days", civil.Month: "last 30 days", civil.Quarter: "last 3 months", civil.Half: "last 6 months",
	civil.Year: "last 12 months", civil.FiscalQuarter: "last 12 months", civil.FiscalYear: "last 12 months",
}

// soLongAgo reads a week ago, 3 days ago.
func (p *parser) soLongAgo(t token) node {
	count, unit, ok := p.counted()
	if !ok {
		return nil
	}
	if !p.take(rAgo) {
		text := p.text[t.start:p.since(t.start).end]
		p.failAt(p.since(t.start), "incomplete", "A length alone says nothing about when.", fmt.Sprintf("Write last %s, next %[1]s or %[1]s ago.", text))
		return nil
	}
	return &ago{p.since(t.start), unit, -count}
}

// dayAhead tells whether a date comes next, after a comma perhaps.
func (p *parser) dayAhead() bool {
	n := p.peek()
	if n.is(',') {
		n = p.ahead(1)
	}
	return n.kind == tNumber || n.kind == tWord && (n.word.role == rMonth || n.word.role == rThe)
}

// afterWeekday reads the day whose weekday was said.
func (p *parser) afterWeekday(t token) node {
	if p.peek().is(',') {
		p.next()
	}
	term := p.base()
	if term == nil {
		return nil
	}
	if day, ok := term.(*fixed); ok && day.span.Days() == 1 && int(day.span.FirstDay().Weekday()) == t.word.value {
		day.mark = p.since(t.start) // as it stands it needs no look at the calendar
		return day
	}
	return &onWeekday{p.since(t.start), t.word.value, mark{t.start, t.end}, term}
}

// partOf reads UNIT of TERM; which of them is read.
func (p *parser) partOf(t token, nth int) node {
	unit, ok := p.unit()
	if !ok {
		return nil
	}
	if !p.take(rOf) {
		p.fail(p.peek(), "incomplete", "First of what?", "Write first day of last month.")
		return nil
	}
	term := p.base()
	if term == nil {
		return nil
	}
	return &partOf{p.since(t.start), unit, nth, term}
}

// unit reads a unit word, fiscal or not.
func (p *parser) unit() (civil.Unit, bool) {
	isFiscal := p.take(rFiscal)
	if !isFiscal && p.take(rWorking) {
		if t := p.peek(); t.kind == tWord && t.word == (word{rUnit, int(civil.Day)}) {
			p.next()
			return civil.WorkingDay, true
		}
		p.unexpected("day", "days")
		return 0, false
	}
	t := p.peek()
	if isFiscal && p.take(rPeriod) {
		return civil.FiscalPeriod, true
	}
	if t.kind != tWord || t.word.role != rUnit {
		p.unexpected("day", "week", "month", "quarter", "half", "year", "days", "weeks", "months", "quarters", "years")
		return 0, false
	}
	p.next()
	unit := civil.Unit(t.word.value)
	if isFiscal {
		switch unit {
		case civil.Quarter:
			return civil.FiscalQuarter, true
		case civil.Year:
			return civil.FiscalYear, true
		case civil.Month:
			return civil.FiscalPeriod, true
		case civil.Week:
			return civil.FiscalWeek, true
		}
		p.fail(t, "unknown_form", "Only weeks, periods, quarters and years are fiscal.", "Write this fiscal year or last fiscal quarter.")
		return 0, false
	}
	return unit, true
}

// isUnit tells whether a word begins a unit: day, fiscal year, working day.
func isUnit(t token) bool {
	return t.word.role == rUnit || t.word.role == rFiscal || t.word.role == rWorking
}

// counted reads NUMBER UNIT, as in 7 days.
func (p *parser) counted() (int, civil.Unit, bool) {
	n := p.peek()
	if n.kind == tWord && n.word.role == rCount {
		n.kind, n.value = tNumber, n.word.value
	}
	if n.kind != tNumber {
		p.unexpected()
		return 0, 0, false
	}
	p.next()
	unit, ok := p.unit()
	if !ok {
		return 0, 0, false
	}
	if !p.countable(n, 1) {
		return 0, 0, false
	}
	return n.value, unit, true
}

// countable refuses counts below least and above the limit.
func (p *parser) countable(n token, least int) bool {
	switch {
	case n.value < least:
		p.fail(n, "bad_count", "The number must be at least 1.", "For the day itself write today; else count from 1.")
		return false
	case n.value > maxNumber || n.word.role != rCount && n.digits() > 8:
		p.fail(n, "out_of_range", "The number is too large.", "Dates run from year 0001 to 9999.")
		return false
	}
	return true
}
