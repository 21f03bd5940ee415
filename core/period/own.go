package period

import (
	"fmt"
	"strings"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// Periods with a name of the organisation's own, working days and fiscal years of weeks: what
// is read by the calendar that the context names.

// ownName reads the name of a period that is no word of the language, or stands in quotes.
func (p *parser) ownName() (name string, at mark) {
	t := p.peek()
	if t.is('"') {
		p.next()
		for !p.peek().is('"') {
			if p.peek().kind == tEnd {
				p.fail(t, "incomplete", "The quotes are not closed.", "Close them after the name.")
				return "", mark{}
			}
			p.next()
		}
		p.next()
		at = p.since(t.start)
		return ownNameOf(p.text[at.start+1 : at.end-1]), at
	}
	for n := p.peek(); n.kind == tWord && n.word.role == unknown; n = p.peek() {
		p.next()
	}
	at = p.since(t.start)
	return ownNameOf(p.text[at.start:at.end]), at
}

func ownNameOf(text string) string { return strings.Join(strings.Fields(strings.ToLower(text)), " ") }

// isOwn tells whether the name of a period of its own may begin with a token.
func isOwn(t token) bool { return t.kind == tWord && t.word.role == unknown || t.is('"') }

// own reads season 2025, season of 2025, season to date, or season alone.
func (p *parser) own() node {
	start := p.peek().start
	n := &own{}
	if n.name, n.at = p.ownName(); len(p.problems) > 0 {
		return nil
	}
	p.owns = append(p.owns, n)
	year := p.peek()
	if year.kind == tWord && year.word.role == rOf && p.ahead(1).kind == tNumber && p.ahead(1).digits() == 4 {
		p.next()
		year = p.peek()
	}
	switch {
	case year.kind == tNumber && year.digits() == 4 && !year.joined:
		p.next()
		n.form, n.year = ofItsYear, year.value
	case p.bound(rTo, rDate):
		n.form = toItsDate
	}
	n.mark = p.since(start)
	return n
}

// ownNear reads the name after last, this or next.
func (p *parser) ownNear(t token) node {
	n := &own{form: nearToday, offset: t.word.value}
	if n.name, n.at = p.ownName(); len(p.problems) > 0 {
		return nil
	}
	p.owns = append(p.owns, n)
	if t.word.value == 0 && p.bound(rTo, rDate) {
		n.form = toItsDate
	}
	n.mark = p.since(t.start)
	return n
}

// unknownOwn are the problems of names that no calendar has; nil where all of them are known.
// Words are those of another language that may be meant.
func unknownOwn(text string, owns []*own, almanac *civil.Almanac, words ...string) (problems diag.Problems) {
	for _, n := range owns {
		if _, ok := almanac.Period(n.name); ok {
			continue
		}
		at, names := n.at, ownNames(almanac)
		if _, near := diag.Nearest(text[at.start:at.end], names); !near { // no name of several words
			at.end = at.start + len(firstWord(text[at.start:at.end]))
		}
		problems = append(problems, unknownWord(text, at, append(names, words...)...))
	}
	return problems
}

func firstWord(text string) string {
	word, _, _ := strings.Cut(text, " ")
	return word
}

func ownNames(almanac *civil.Almanac) (names []string) {
	if almanac == nil {
		return nil
	}
	for _, p := range almanac.Periods {
		names = append(names, p.Name)
	}
	return names
}

// own resolves a period by its name.
func (r *resolver) own(n *own) Span {
	p, ok := r.calendar.Almanac.Period(n.name)
	if !ok {
		r.problems = append(r.problems, unknownOwn(r.text, []*own{n}, r.calendar.Almanac)...)
		return Span{}
	}
	last, this, next := p.Near(r.today)
	var s *civil.Stretch
	switch {
	case n.form == ofItsYear:
		if found, ok := p.In(n.year); ok {
			s = &found
			break
		}
		r.fail(n.mark, "no_such_date", fmt.Sprintf("There is no %s of %d.", n.name, n.year), "There are those of "+yearsOf(p)+".", nearestYears(p, n.year)...)
	case n.form == nearToday && n.offset < 0:
		if s = last; s == nil {
			r.fail(n.mark, "no_such_date", fmt.Sprintf("No %s ended before today.", n.name), "There are those of "+yearsOf(p)+".", ways(n.name, this, next)...)
		}
	case n.form == nearToday && n.offset > 0:
		if s = next; s == nil {
			r.fail(n.mark, "no_such_date", fmt.Sprintf("No %s begins after today.", n.name), "There are those of "+yearsOf(p)+".", ways(n.name, last, this)...)
		}
	case n.form == nearToday || n.form == toItsDate:
		if s = this; s == nil {
			r.fail(n.mark, "no_such_date", fmt.Sprintf("Today, %s, is in no %s.", longDay(r.today), n.name), "Say which one is meant.", ways(n.name, last, next)...)
		} else if n.form == toItsDate {
			return OfDays(s.First, r.today)
		}
	default:
		s = r.ownMissing(n, last, this, next)
	}
	if s == nil {
		return Span{}
	}
	return r.inRange(n.mark, OfDays(s.First, s.Last))
}

// ownMissing gives a name that has no year the one that the settings say.
func (r *resolver) ownMissing(n *own, last, this, next *civil.Stretch) *civil.Stretch {
	switch r.calendar.Missing {
	case civil.YearLatest:
		if this == nil {
			this = last
		}
	case civil.YearNext:
		if this == nil {
			this = next
		}
	case civil.YearRunning:
		p, _ := r.calendar.Almanac.Period(n.name)
		if s, ok := p.In(r.today.Year()); ok {
			return &s
		}
		this = nil
	case civil.YearNone:
		if latest := this; latest != nil || last != nil {
			if latest == nil {
				latest = last
			}
			r.fail(n.mark, "incomplete", "The year is missing.", "Say which year is meant.", ways(n.name, latest, next)...)
			return nil
		}
		this = nil
	}
	if this == nil {
		p, _ := r.calendar.Almanac.Period(n.name)
		r.fail(n.mark, "incomplete", "The year is missing.", "There are those of "+yearsOf(p)+".", ways(n.name, last, next)...)
	}
	return this
}

// ways are the periods that can be meant.
func ways(name string, these ...*civil.Stretch) (fixes []diag.Fix) {
	for _, s := range these {
		if s != nil {
			text := fmt.Sprintf("%s %d", name, s.Year)
			fixes = append(fixes, diag.Fix{Label: "Write " + text, Text: text})
		}
	}
	return fixes
}

// nearestYears are the entries on both sides of a year that has none.
func nearestYears(p civil.NamedPeriod, year int) []diag.Fix {
	var before, after *civil.Stretch
	for _, s := range p.Of {
		if s.Year < year {
			before = &s
		} else if after == nil {
			after = &s
		}
	}
	return ways(p.Name, before, after)
}

// yearsOf says in which years a period is.
func yearsOf(p civil.NamedPeriod) string {
	if p.Every != nil {
		return "every year"
	}
	var texts []string
	for i := 0; i < len(p.Of); i++ {
		first := p.Of[i].Year
		for i+1 < len(p.Of) && p.Of[i+1].Year == p.Of[i].Year+1 {
			i++
		}
		if last := p.Of[i].Year; last > first {
			texts = append(texts, fmt.Sprintf("%d to %d", first, last))
		} else {
			texts = append(texts, fmt.Sprint(first))
		}
	}
	return strings.Join(texts, ", ")
}

// fiscal resolves a fiscal year or a part of one.
func (r *resolver) fiscal(n *fiscal) Span {
	first, last, ok := r.calendar.FiscalPart(n.unit, n.year, n.nth)
	switch {
	case ok:
		return r.inRange(n.mark, OfDays(first, last))
	case n.unit == civil.FiscalWeek && r.calendar.FiscalParts(civil.FiscalWeek, n.year) == 0:
		r.fail(n.mark, "no_calendar", "Fiscal years are made of months here; they have no weeks.", "Write the days, or a week of the year: 2026-W12.")
	default:
		count := r.calendar.FiscalParts(n.unit, n.year)
		r.fail(n.mark, "no_such_date", fmt.Sprintf("The fiscal year %d has no %s %d; it has %d.", n.year, fiscalNames[n.unit], n.nth, count), "Count from 1.")
	}
	return Span{}
}

var fiscalNames = map[civil.Unit]string{
	civil.FiscalYear: "year", civil.FiscalQuarter: "quarter", civil.FiscalPeriod: "period", civil.FiscalWeek: "week",
}

// worked tells whether a calendar says which days are worked; if none does, that is a
// problem.
func (r *resolver) worked(at mark) bool {
	if r.calendar.Almanac == nil {
		r.fail(at, "no_calendar", "Which days are worked is said by a calendar, and none is used here.", "Name one in the report: calendar: {use: NAME}.")
	}
	return r.calendar.Almanac != nil
}

// workingDay is the n-th working day after a day, or before it.
func (r *resolver) workingDay(at mark, d civil.Date, n int) civil.Date {
	if len(r.problems) > 0 || !r.worked(at) {
		return d
	}
	a := r.calendar.Almanac
	day, ok := a.AddWorking(d, n)
	switch {
	case ok:
	case n == 0:
		before, _ := a.AddWorking(d, -1)
		after, _ := a.AddWorking(d, 1)
		r.fail(at, "not_worked", fmt.Sprintf("%s is no working day.", longDay(d)), "Say which one is meant.", fixText(before.String(), after.String())...)
	default:
		r.fail(at, "out_of_calendar", fmt.Sprintf("The holidays of the calendar %s are known from %d through %d.", a.Name, a.First.Year(), a.Last.Year()), "Stay within these years, or give the calendar more of them.")
	}
	return day
}

// severalWorking is the last or next so many working days, from the first of them through
// the last.
func (r *resolver) severalWorking(n *several) Span {
	at, today := n.mark, r.today
	switch {
	case n.next:
		return OfDays(r.workingDay(at, today, 1), r.workingDay(at, today, n.count))
	case n.including:
		return OfDays(r.workingDay(at, today+1, -n.count), today)
	}
	return OfDays(r.workingDay(at, today, -n.count), r.workingDay(at, today, -1))
}

// workingPart is the nth working day of a span, or its last.
func (r *resolver) workingPart(n *partOf, first, last civil.Date) Span {
	day := r.workingDay(n.mark, first-1, max(n.nth, 1))
	if n.nth < 0 {
		day = r.workingDay(n.mark, last+1, -1)
	}
	if len(r.problems) == 0 && (day < first || day > last) {
		r.fail(n.mark, "no_such_part", "The whole has no such working day.", "Name another part.")
	}
	return OfDays(day, day)
}

// step moves a span by units of the calendar: parts that are whole stay whole, elsewhere
// the first and the last day move.
func (r *resolver) step(at mark, s Span, unit civil.Unit, n int) Span {
	switch {
	case unit == civil.WorkingDay:
		if s.Days() != 1 || !s.WholeDays() {
			r.fail(at, "not_a_day", "Working days are counted from one day.", "Name a day, such as the last day of it.")
			return s
		}
		day := r.workingDay(at, s.FirstDay(), n)
		return OfDays(day, day)
	case !s.WholeDays():
		r.fail(at, "unknown_form", "A time of day is not moved by parts of a fiscal year.", "Move it by days.")
		return s
	}
	c := r.calendar
	first, last := c.Add(unit, s.FirstDay(), n), civil.Date(0)
	if after := s.LastDay() + 1; c.StartOf(unit, after) == after {
		last = c.Add(unit, after, n) - 1
	} else {
		last = c.Add(unit, s.LastDay(), n)
	}
	return r.inRange(at, OfDays(first, last))
}

// WordOf is the first word of the language in the name of a period, which is then no name:
// nobody could tell the two apart.
func WordOf(name string) (word string, ok bool) {
	for word := range strings.FieldsSeq(name) {
		if lookUp(word).role != unknown {
			return word, true
		}
		for _, l := range languages {
			if _, ok := l.phrases[word]; ok {
				return word, true
			}
		}
	}
	return "", false
}

// IsOwnName tells whether a text can be the name of a period: lower-case words of letters,
// joined by one blank.
func IsOwnName(name string) bool {
	var buffer [8]token
	tokens := lex(name, buffer[:0])
	for i, t := range tokens[:len(tokens)-1] {
		if t.kind != tWord || t.joined && i > 0 {
			return false
		}
	}
	return name != "" && len(name) <= 60 && name == ownNameOf(name)
}

// IsFixed tells whether the expression means the same days in every context.
func (e Expr) IsFixed() bool {
	fixedOnly := true
	walk(e.root, func(n node) {
		switch n := n.(type) {
		case *fixed, *length, *outside:
		case *interval:
			fixedOnly = fixedOnly && n.from != nil && n.to != nil
		default:
			fixedOnly = false
		}
	})
	return fixedOnly
}
