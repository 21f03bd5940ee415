package period

import (
	"fmt"

	"pikegate/core/civil"
)

const (
	perMinute = 60
	perHour   = 3600
	perDay    = 86400
)

// numeric reads a base that begins with a digit.
func (p *parser) numeric() node {
	t := p.next()
	n := p.peek()
	switch {
	case t.digits() == 8:
		return p.day(t.start, t.value/10000, t.value/100%100, t.value%100)
	case t.digits() == 4:
		return p.afterYear(t)
	case t.digits() <= 2 && n.kind == tWord && (n.word.role == rMonth || n.joined && n.word.role == rOrdinal || n.word.role == rOf && p.ahead(1).word.role == rMonth):
		return p.dayFirst(t)
	case t.digits() <= 2 && p.daysAhead():
		return &partial{mark: p.since(t.start), day: t.value}
	case t.digits() == 2 && n.is('-') && n.joined && p.ahead(1).kind == tNumber && p.ahead(1).joined && p.ahead(1).digits() == 2 && !p.ahead(2).is('-'):
		p.at += 2
		return p.withoutYear(t.start, t.value, p.ahead(-1).value)
	case t.digits() <= 2 && n.joined && n.is('-') && p.ahead(1).kind == tWord && p.ahead(1).word.role == rMonth:
		p.next()
		month := p.next()
		if dash := p.peek(); dash.is('-') && dash.joined {
			p.next()
		}
		return p.yearAfterMonth(t.start, month.word.value, t.value)
	case t.digits() <= 2 && n.joined && (n.is('/') || n.is('.') || n.is('-')) &&
		p.ahead(1).kind == tNumber && p.ahead(1).joined && p.ahead(2) == (token{kind: tMark, joined: true, char: n.char, start: p.ahead(2).start, end: p.ahead(2).end}) &&
		p.ahead(3).kind == tNumber && p.ahead(3).joined:
		return p.slashed(t)
	case n.kind == tWord && isUnit(n):
		p.at--
		return p.soLongAgo(t)
	case t.digits() <= 2 && n.is('.') && n.joined && p.ahead(1).kind == tNumber && p.ahead(1).joined && p.ahead(1).digits() <= 2 && p.ahead(2).is('.') && p.ahead(2).joined:
		second := p.ahead(1)
		p.at += 3
		return &yearless{p.since(t.start), t.value, second.value}
	}
	p.fail(t, "unknown_form", "This number is not a date.", "Write a day as 2026-03-14, a month as 2026-03, a year as 2026.")
	return nil
}

// afterYear reads what follows a year of four digits.
func (p *parser) afterYear(t token) node {
	year := t.value
	if year < civil.MinYear {
		p.fail(t, "out_of_range", "Years run from 0001 to 9999.", "")
		return nil
	}
	dash, n := p.peek(), p.ahead(1)
	if again, d := p.ahead(2), p.ahead(3); (dash.is('/') || dash.is('.')) && dash.joined && n.kind == tNumber && n.joined && n.digits() <= 2 &&
		again.is(dash.char) && again.joined && d.kind == tNumber && d.joined && d.digits() <= 2 {
		p.at += 4
		return p.timeAfter(t.start, p.day(t.start, year, n.value, d.value))
	}
	if n.digits() > 2 && n.kind == tNumber {
		return p.months(t.start, year, 1, 12) // a dash before another year
	}
	if !dash.is('-') || !dash.joined || !n.joined {
		return p.months(t.start, year, 1, 12)
	}
	switch {
	case n.kind == tNumber:
		p.next()
		p.next()
		return p.afterMonthNumber(t.start, year, n)
	case n.kind == tWord && (n.word.role == rQ || n.word.role == rH):
		p.next()
		p.next()
		return p.unitOfYear(t.start, n, year)
	case n.kind == tWord && n.word.role == rW:
		p.next()
		p.next()
		return p.week(t.start, year)
	}
	return p.months(t.start, year, 1, 12)
}

// afterMonthNumber reads what follows 2026-03.
func (p *parser) afterMonthNumber(start, year int, month token) node {
	dash, d := p.peek(), p.ahead(1)
	if !dash.is('-') || !dash.joined || d.kind != tNumber || !d.joined {
		if month.digits() != 2 {
			p.failAt(p.since(start), "unknown_form", "A month has two digits.", "", fixText(fmt.Sprintf("%04d-%02d", year, month.value))...)
			return nil
		}
		if month.value < 1 || month.value > 12 {
			p.noSuchMonth(p.since(start), year, month.value)
			return nil
		}
		return p.months(start, year, month.value, 1)
	}
	p.next()
	p.next()
	if month.digits() > 2 || d.digits() > 2 {
		p.failAt(p.since(start), "unknown_form", "This is not a date.", "Write a day as 2026-03-14.")
		return nil
	}
	return p.timeAfter(start, p.day(start, year, month.value, d.value))
}

// timeAfter reads the time of day that may follow a day.
func (p *parser) timeAfter(start int, day *fixed) node {
	t := p.peek()
	if day == nil {
		return nil
	}
	if t.kind == tWord && t.word.role == rT && t.joined && p.ahead(1).kind == tNumber {
		p.next()
		return p.time(start, day.span.From)
	}
	if t.kind == tNumber && p.ahead(1).is(':') {
		return p.time(start, day.span.From)
	}
	return day
}

// time reads HH:MM[:SS][Z|±HH:MM] after a day.
func (p *parser) time(start int, midnight civil.DateTime) node {
	hour := p.next()
	colon, minute := p.peek(), p.ahead(1)
	if !colon.is(':') || minute.kind != tNumber {
		p.fail(hour, "unknown_form", "A time is written as 08:30 or 08:30:15.", "")
		return nil
	}
	p.at += 2
	unit, second := perMinute, token{}
	if p.peek().is(':') && p.ahead(1).kind == tNumber {
		second = p.ahead(1)
		p.at += 2
		unit = 1
	}
	place := mark{hour.start, p.tokens[p.at-1].end}
	if dot := p.peek(); (dot.is('.') || dot.is(',')) && dot.joined && p.ahead(1).kind == tNumber {
		p.fail(p.ahead(1), "too_fine", "Times are read to the second.", "Leave the fraction out.")
		return nil
	}
	if hour.digits() != 2 || minute.digits() != 2 || (unit == 1 && second.digits() != 2) {
		p.failAt(place, "unknown_form", "Hours, minutes and seconds have two digits each.", "Write 08:30 or 08:30:15.")
		return nil
	}
	if hour.value > 23 || minute.value > 59 || second.value > 59 {
		hint := "Times run from 00:00 to 23:59:59."
		if hour.value == 24 && minute.value == 0 && second.value == 0 {
			hint += " An end covers its whole day: leave the time out."
		}
		p.failAt(place, "no_such_date", "There is no such time of day.", hint)
		return nil
	}
	at := midnight + civil.DateTime(hour.value*perHour+minute.value*perMinute+second.value)
	if offset, ok := p.offset(); ok {
		return &instant{p.since(start), civil.Instant(int64(at) - int64(offset)), civil.DateTime(unit)}
	}
	if len(p.problems) > 0 {
		return nil
	}
	return &fixed{p.since(start), Span{at, at + civil.DateTime(unit)}}
}

// offset reads Z or ±HH:MM, in seconds; it must be joined to the time.
func (p *parser) offset() (int, bool) {
	t := p.peek()
	if !t.joined {
		return 0, false
	}
	if t.kind == tWord && t.word.role == rZ {
		p.next()
		return 0, true
	}
	hours, minutes := p.ahead(1), p.ahead(3)
	if (t.is('+') || t.is('-')) && hours.kind == tNumber && hours.joined {
		seconds := hours.value * perHour
		switch {
		case hours.digits() == 4:
			seconds = hours.value/100*perHour + hours.value%100*perMinute
			p.at += 2
		case hours.digits() == 2 && p.ahead(2).is(':') && minutes.kind == tNumber && minutes.digits() == 2:
			seconds += minutes.value * perMinute
			p.at += 4
		default:
			p.fail(hours, "unknown_form", "An offset is written as +01:00.", "")
			return 0, false
		}
		if seconds > 16*perHour {
			p.fail(hours, "no_such_date", "No zone is that far from UTC.", "")
			return 0, false
		}
		if t.is('-') {
			seconds = -seconds
		}
		return seconds, true
	}
	return 0, false
}

// week reads the number after 2026-W and a day of it.
func (p *parser) week(start, year int) node {
	n := p.peek()
	if n.kind != tNumber || !n.joined || n.digits() != 2 {
		p.failAt(p.since(start), "unknown_form", "A week has two digits.", "Write 2026-W05.")
		return nil
	}
	p.next()
	monday, ok := p.monday(start, year, n.value)
	if !ok {
		return nil
	}
	if dash, d := p.peek(), p.ahead(1); dash.is('-') && dash.joined && d.kind == tNumber && d.joined && d.digits() < 4 {
		p.at += 2
		if d.digits() != 1 || d.value < 1 || d.value > 7 {
			p.fail(d, "no_such_date", "The days of a week are 1 (Monday) to 7 (Sunday).", "")
			return nil
		}
		return p.days(start, monday+civil.Date(d.value-1), 1)
	}
	return p.days(start, monday, 7)
}

// monday is the first day of an ISO week.
func (p *parser) monday(start, year, week int) (civil.Date, bool) {
	monday, ok := civil.ISOWeekMonday(year, week)
	if !ok {
		last := 53
		if _, has := civil.ISOWeekMonday(year, 53); !has {
			last = 52
		}
		nearest := min(max(week, 1), last)
		p.failAt(p.since(start), "no_such_date", fmt.Sprintf("%d has no week %d; its weeks are 1 to %d.", year, week, last), "",
			fixText(fmt.Sprintf("%04d-W%02d", year, nearest))...)
	}
	return monday, ok
}

// quarterFirst reads 1 2026 after Q or H.
func (p *parser) quarterFirst(letter token) node {
	number, year := p.peek(), p.ahead(1)
	if number.kind == tNumber && number.joined && year.kind != tNumber {
		if n := p.unitOfYear(letter.start, letter, 2000); n != nil { // which of them, in any year
			_, month, _ := n.span.FirstDay().YMD()
			return &partial{mark: p.since(letter.start), month: month, months: map[role]int{rQ: 3, rH: 6}[letter.word.role]}
		}
		return nil
	}
	if number.kind != tNumber || !number.joined || year.kind != tNumber || year.digits() != 4 || year.value < civil.MinYear {
		p.fail(letter, "unknown_form", "A quarter or half needs its number and year.", "Write Q1 2026 or H2 2026.")
		return nil
	}
	node := p.unitOfYear(letter.start, letter, year.value)
	if node != nil {
		p.next()
		node.mark = p.since(letter.start)
	}
	return node
}

// unitOfYear reads the number after Q or H.
func (p *parser) unitOfYear(start int, letter token, year int) *fixed {
	n := p.peek()
	name, initial, count := "quarter", "Q", 4
	if letter.word.role == rH {
		name, initial, count = "half", "H", 2
	}
	if n.kind != tNumber || !n.joined {
		p.failAt(p.since(start), "unknown_form", "Which "+name+"?", "Write 2026-Q1 or 2026-H2.")
		return nil
	}
	p.next()
	if n.value < 1 || n.value > count || n.digits() != 1 {
		p.failAt(p.since(start), "no_such_date", fmt.Sprintf("A year has no %s %s; there are %d.", name, p.text[n.start:n.end], count), "",
			fixText(fmt.Sprintf("%04d-%s%d", year, initial, min(max(n.value, 1), count)))...)
		return nil
	}
	size := 12 / count
	return p.months(start, year, (n.value-1)*size+1, size)
}

// fiscalYear reads what follows FY.
func (p *parser) fiscalYear(t token) node {
	year := p.peek()
	if year.kind != tNumber || year.digits() != 4 || year.value < civil.MinYear {
		p.fail(t, "unknown_form", "A fiscal year is written as FY2026.", "")
		return nil
	}
	p.next()
	if dash, q, n := p.peek(), p.ahead(1), p.ahead(2); dash.is('-') && dash.joined && q.kind == tWord && q.word.role == rQ && n.kind == tNumber {
		p.at += 3
		return p.fiscalPart(t.start, year.value, civil.FiscalQuarter, n)
	}
	return &fiscal{p.since(t.start), year.value, civil.FiscalYear, 1}
}

// fiscalPart is a part of a fiscal year by its number. How many periods and weeks there are
// is said by the calendar.
func (p *parser) fiscalPart(start, year int, unit civil.Unit, n token) node {
	if n.value < 1 || unit == civil.FiscalQuarter && n.value > 4 {
		p.fail(n, "no_such_date", "A fiscal year has quarters 1 to 4.", "Count from 1.")
		return nil
	}
	return &fiscal{p.since(start), year, unit, n.value}
}

// afterMonth reads what follows a month's name: a year, or a day and a year.
func (p *parser) afterMonth(t token) node {
	n := p.peek()
	if n.kind == tWord && n.word.role == rOf && p.ahead(1).kind == tNumber {
		p.next()
		n = p.peek()
	}
	if dash := n; dash.is('-') && dash.joined && p.ahead(1).kind == tNumber && p.ahead(1).joined {
		p.next()
		n = p.peek()
	}
	if n.kind == tNumber && n.digits() == 4 {
		p.next()
		if n.value < civil.MinYear {
			p.fail(n, "out_of_range", "Years run from 0001 to 9999.", "")
			return nil
		}
		return p.months(t.start, n.value, t.word.value, 1)
	}
	if n.kind == tNumber && n.digits() <= 2 {
		p.next()
		p.ordinal()
		return p.yearAfterMonth(t.start, t.word.value, n.value)
	}
	return &partial{mark: p.since(t.start), month: t.word.value, months: 1}
}

// dayFirst reads 15 May 2014, 15th of May 2014; the day is read.
func (p *parser) dayFirst(t token) node {
	p.ordinal()
	if p.daysAhead() {
		return &partial{mark: p.since(t.start), day: t.value}
	}
	p.take(rOf)
	month := p.peek()
	if month.kind != tWord || month.word.role != rMonth {
		p.failAt(p.since(t.start), "incomplete", "Which month is this a day of?", "Write 14 March 2026.")
		return nil
	}
	p.next()
	return p.yearAfterMonth(t.start, month.word.value, t.value)
}

// ofYear reads the year that follows a number of week, quarter or month: of 2025, 2025 or , 2025.
func (p *parser) ofYear(what token) (int, bool) {
	if !p.take(rOf) && p.peek().is(',') {
		p.next()
	}
	year := p.peek()
	if year.kind != tNumber || year.digits() != 4 || year.value < civil.MinYear {
		p.fail(what, "incomplete", "The year is missing.", "Write week 12 of 2026.")
		return 0, false
	}
	p.next()
	return year.value, true
}

// numbered reads week 12 of 2025, quarter 2 of 2025, year 2025; the unit is read.
func (p *parser) numbered(t token) node {
	unit := civil.Unit(t.word.value)
	switch unit {
	case civil.Week:
		return p.numberedWeek(t)
	case civil.Year:
		if year := p.peek(); year.digits() == 4 && year.value >= civil.MinYear {
			p.next()
			return p.months(t.start, year.value, 1, 12)
		}
	case civil.Month, civil.Quarter, civil.Half:
		n := p.next()
		year, ok := p.ofYear(t)
		if !ok {
			return nil
		}
		if count := 12 / unit.Months(); n.value < 1 || n.value > count {
			p.fail(n, "no_such_date", fmt.Sprintf("A year has %d of them.", count), "Count from 1.")
			return nil
		}
		return p.months(t.start, year, (n.value-1)*unit.Months()+1, unit.Months())
	}
	p.fail(t, "unknown_form", "This is not a date.", "Write a day as 2026-03-14.")
	return nil
}

// numberedWeek reads 12 of 2025 after week or CW.
func (p *parser) numberedWeek(t token) node {
	n := p.next()
	if n.kind != tNumber {
		p.fail(t, "incomplete", "Which week?", "Write week 12 of 2026.")
		return nil
	}
	year, ok := p.ofYear(t)
	if !ok {
		return nil
	}
	monday, ok := p.monday(t.start, year, n.value)
	if !ok {
		return nil
	}
	return p.days(t.start, monday, 7)
}

// numberedFiscal reads 2025 after fiscal year, 2 of 2025 after fiscal quarter, period or
// week; after these the year can be said to be fiscal again.
func (p *parser) numberedFiscal(t token, unit civil.Unit) node {
	n := p.next()
	if unit != civil.FiscalYear {
		if p.peek().word.role == rOf && (p.ahead(1).word.role == rFiscal || p.ahead(1).word.role == rFY) {
			p.at += 2
			if p.peek().word == (word{rUnit, int(civil.Year)}) {
				p.next()
			}
		}
		year, ok := p.ofYear(t)
		if !ok {
			return nil
		}
		return p.fiscalPart(t.start, year, unit, n)
	}
	if n.digits() != 4 || n.value < civil.MinYear {
		p.fail(n, "unknown_form", "A fiscal year is written as FY2026.", "")
		return nil
	}
	return &fiscal{p.since(t.start), n.value, civil.FiscalYear, 1}
}

// yearAfterMonth reads the year of a day whose month and day are known.
func (p *parser) yearAfterMonth(start, month, day int) node {
	y := p.peek()
	if y.kind == tWord && y.word.role == rOf && p.ahead(1).kind == tNumber { // 1 de abril de 2020
		p.next()
		y = p.peek()
	}
	if y.is(',') && p.ahead(1).kind == tNumber {
		p.next()
		y = p.peek()
	}
	switch {
	case y.kind == tNumber && y.digits() == 4:
		p.next()
		if n := p.day(start, y.value, month, day); n != nil {
			return n
		}
	case y.kind == tNumber && y.digits() <= 2:
		p.next()
		return &partial{mark: p.since(start), month: month, day: day, short: &y}
	default:
		return p.withoutYear(start, month, day)
	}
	return nil
}

// slashed reads 03/04/2026, 3.4.2026 or 03-04-2026; the first number is read.
func (p *parser) slashed(first token) node {
	second, year := p.ahead(1), p.ahead(3)
	p.at += 4
	s := &slashed{p.since(first.start), first.value, second.value, year.value, year.digits() == 2}
	switch {
	case !s.short && year.digits() != 4 || second.digits() > 2 || !s.short && year.value < civil.MinYear:
		p.failAt(s.mark, "unknown_form", "This is not a date.", "Write a day as 2026-03-14.")
		return nil
	}
	return s
}

// day makes one day, or says that there is none.
func (p *parser) day(start, year, month, day int) *fixed {
	switch {
	case year < civil.MinYear:
		p.failAt(p.since(start), "out_of_range", "Years run from 0001 to 9999.", "")
		return nil
	case month < 1 || month > 12:
		p.noSuchMonth(p.since(start), year, month)
		return nil
	case !civil.Valid(year, month, day):
		p.noSuchDay(p.since(start), year, month, day)
		return nil
	}
	return p.days(start, civil.DateOf(year, month, day), 1)
}

func (p *parser) days(start int, first civil.Date, count int) *fixed {
	return &fixed{p.since(start), OfDays(first, first+civil.Date(count-1))}
}

func (p *parser) months(start, year, month, count int) *fixed {
	return &fixed{p.since(start), OfDays(civil.DateOf(year, month, 1), civil.DateOf(year, month+count, 1)-1)}
}
