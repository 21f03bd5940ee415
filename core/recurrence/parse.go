package recurrence

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// longest is how many characters a rule may have.
const longest = 300

type kind uint8

const (
	tEnd kind = iota
	tWord
	tNumber
	tOrdinal
	tTime
	tDate
	tMonthDay
	tComma
	tOther
)

// token is a part of a rule, its place in characters.
type token struct {
	kind       kind
	text       string
	number     int
	start, end int
}

var (
	isTime     = regexp.MustCompile(`^([0-9]{1,2}):([0-9]{2})$`)
	isDate     = regexp.MustCompile(`^([0-9]{4})-([0-9]{2})-([0-9]{2})$`)
	isMonthDay = regexp.MustCompile(`^([0-9]{2})-([0-9]{2})$`)
	isOrdinal  = regexp.MustCompile(`^([0-9]{1,3})(?:st|nd|rd|th)$`)
	isNumber   = regexp.MustCompile(`^[0-9]{1,6}$`)
	isWord     = regexp.MustCompile(`^[a-z]+$`)
)

// parser reads a rule.
type parser struct {
	text     string
	tokens   []token
	at       int
	problems diag.Problems
	rule     Rule
	step     token // where the step stands
	broken   bool  // whether the rest cannot be read
}

// Parse reads a rule, in words or as a recurrence rule of RFC 5545.
func Parse(text string) (Rule, diag.Problems) {
	if n := utf8.RuneCountInString(text); n > longest {
		p := diag.At(text, 0, n, "too_long", fmt.Sprintf("The rule has %d characters.", n))
		p.Hint = fmt.Sprintf("Write one of %d at the most.", longest)
		return Rule{}, diag.Problems{p}
	}
	if isRFC(text) {
		return parseRFC(text)
	}
	p := &parser{text: text, rule: Rule{Every: 1, End: lastMinute}}
	p.lex()
	p.read()
	if len(p.problems) > 0 {
		return Rule{}, p.problems
	}
	return p.rule, nil
}

func (p *parser) lex() {
	runes := []rune(strings.ToLower(p.text))
	for i := 0; i < len(runes); {
		switch r := runes[i]; {
		case r == ' ' || r == '\t' || r == '\n':
			i++
			continue
		case r == ',':
			p.tokens = append(p.tokens, token{kind: tComma, text: ",", start: i, end: i + 1})
			i++
			continue
		}
		start := i
		for i < len(runes) && !strings.ContainsRune(" \t\n,", runes[i]) {
			i++
		}
		p.tokens = append(p.tokens, p.token(string(runes[start:i]), start, i))
	}
	p.tokens = append(p.tokens, token{kind: tEnd, start: len(runes), end: len(runes)})
}

func (p *parser) token(text string, start, end int) token {
	t := token{kind: tOther, text: text, start: start, end: end}
	number := func(s string) int { n, _ := strconv.Atoi(s); return n }
	if m := isTime.FindStringSubmatch(text); m != nil {
		t.kind, t.number = tTime, number(m[1])*60+number(m[2])
		if number(m[1]) > 23 || number(m[2]) > 59 {
			p.fail(t, "no_such_time", text+" is no time of day.", "Times are from 00:00 to 23:59.")
		}
	} else if m := isDate.FindStringSubmatch(text); m != nil {
		t.kind = tDate
		if y, month, d := number(m[1]), number(m[2]), number(m[3]); civil.Valid(y, month, d) {
			t.number = int(civil.DateOf(y, month, d))
		} else {
			p.fail(t, "no_such_date", text+" is no day.", "Write a day that there is, such as 2026-03-31.")
		}
	} else if m := isMonthDay.FindStringSubmatch(text); m != nil {
		t.kind, t.number = tMonthDay, number(m[1])*100+number(m[2])
		if !civil.Valid(2024, number(m[1]), number(m[2])) { // a leap year
			p.fail(t, "no_such_date", text+" is no day of any year.", "Write month and day, such as 04-06 for 6 April.")
		}
	} else if m := isOrdinal.FindStringSubmatch(text); m != nil {
		t.kind, t.number = tOrdinal, number(m[1])
	} else if isNumber.MatchString(text) {
		t.kind, t.number = tNumber, number(text)
	} else if isWord.MatchString(text) {
		t.kind = tWord
		if n := slices.Index(ordinals[:], text); n > 0 {
			t.kind, t.number = tOrdinal, n
		}
	}
	return t
}

// fail notes a problem at a token.
func (p *parser) fail(t token, code, message, hint string) {
	problem := diag.At(p.text, t.start, max(t.end, t.start+1), code, message)
	problem.Hint = hint
	p.problems = append(p.problems, problem)
}

// expected says what should stand where something else does; the rest is not read.
func (p *parser) expected(what string, words ...string) {
	if p.broken {
		return
	}
	p.broken = true
	t := p.peek()
	if t.kind == tEnd {
		p.fail(t, "incomplete", "The rule ends where "+what+" should follow.", "Write it as in every monday at 07:00.")
		return
	}
	p.fail(t, "not_understood", fmt.Sprintf("%q is not understood here: %s should follow.", t.text, what), diag.DidYouMean(t.text, words))
}

func (p *parser) peek() token { return p.tokens[p.at] }

func (p *parser) next() token {
	t := p.tokens[p.at]
	if t.kind != tEnd {
		p.at++
	}
	return t
}

// word takes one of some words.
func (p *parser) word(words ...string) (string, bool) {
	if t := p.peek(); t.kind == tWord && slices.Contains(words, t.text) {
		p.at++
		return t.text, true
	}
	return "", false
}

// take takes a token of a kind.
func (p *parser) take(k kind) (token, bool) {
	if t := p.peek(); t.kind == k {
		p.at++
		return t, true
	}
	return token{}, false
}

// more takes what joins the parts of a list: a comma, and, or both.
func (p *parser) more() bool {
	before := p.at
	_, comma := p.take(tComma)
	_, and := p.word("and")
	if t := p.peek(); comma && !and && t.kind == tWord && slices.Contains(clauses, t.text) { // it ends the list
		p.at = before
		return false
	}
	return comma || and
}

// clauses are what parts that stand behind a rule begin with.
var clauses = []string{"at", "between", "on", "from", "until", "except"}

func (p *parser) read() {
	switch word, ok := p.word("every", "on"); {
	case !ok:
		p.expected("every or on", "every", "on")
	case word == "every":
		p.every()
	default:
		p.picks()
	}
	for !p.broken && p.peek().kind != tEnd {
		p.clause()
	}
	if !p.broken {
		p.settle()
	}
}

// every reads what stands behind every.
func (p *parser) every() {
	p.step = p.peek()
	if days, ok := p.weekdays(); ok {
		p.rule.Unit, p.rule.Weekdays = Week, days
		return
	}
	p.stepAndUnit()
}

// stepAndUnit reads 2 weeks, or week.
func (p *parser) stepAndUnit() {
	p.step = p.peek()
	if n, ok := p.take(tNumber); ok {
		if p.rule.Every = n.number; n.number < 1 || n.number > 1000 {
			p.fail(n, "bad_step", n.text+" is no step.", "Write a number from 1 to 1000.")
			p.rule.Every = 1
		}
	}
	units := map[string]Unit{
		"minute": Minute, "minutes": Minute, "day": Day, "days": Day, "week": Week, "weeks": Week, "month": Month, "months": Month, "quarter": Quarter, "quarters": Quarter,
		"half": Half, "halves": Half, "year": Year, "years": Year,
	}
	t := p.peek()
	switch t.text {
	case "working":
		p.next()
		if _, ok := p.word("day", "days"); !ok {
			p.expected("day", "day", "days")
		}
		p.rule.Unit = WorkingDay
		return
	case "fiscal":
		p.next()
		switch word, ok := p.word("quarter", "quarters", "year", "years"); {
		case !ok:
			p.expected("quarter or year", "quarter", "year")
		case strings.HasPrefix(word, "quarter"):
			p.rule.Unit = FiscalQuarter
		default:
			p.rule.Unit = FiscalYear
		}
		return
	case "hour", "hours":
		p.next()
		p.rule.Unit, p.rule.Every = Minute, p.rule.Every*60
		return
	}
	unit, ok := units[t.text]
	if !ok {
		words := append([]string{"working", "hour", "fiscal"}, weekdayWords[:]...)
		for word := range units {
			words = append(words, word)
		}
		slices.Sort(words)
		p.expected("a weekday, or day, week, month, year, hour or minutes", words...)
		return
	}
	p.next()
	p.rule.Unit = unit
}

// weekdays reads monday and thursday.
func (p *parser) weekdays() (days []time.Weekday, ok bool) {
	for {
		t := p.peek()
		day, named := civil.WeekdayOf(strings.TrimSuffix(t.text, "s"))
		if t.kind != tWord || !named {
			if days != nil {
				p.expected("a weekday", weekdayWords[:]...)
			}
			return days, days != nil
		}
		p.next()
		if days = append(days, day); !p.more() {
			break
		}
	}
	slices.SortFunc(days, func(x, y time.Weekday) int { return fromMonday(x) - fromMonday(y) })
	return slices.Compact(days), true
}

// picks reads the 1st and the last working day of every month.
func (p *parser) picks() {
	for {
		if _, ok := p.word("the"); !ok {
			p.expected("the, as in on the 1st of every month", "the")
			return
		}
		p.pick()
		if p.broken {
			return
		}
		if !p.more() {
			break
		}
	}
	if _, ok := p.word("of"); !ok {
		p.expected("of every month", "of")
		return
	}
	if _, ok := p.word("every", "each"); !ok {
		p.expected("every", "every")
		return
	}
	if p.stepAndUnit(); p.broken {
		return
	}
	most := map[Unit]int{Week: 7, Month: 31, Quarter: 92, Half: 184, Year: 366, FiscalQuarter: 100, FiscalYear: 380}[p.rule.Unit]
	if most == 0 {
		p.fail(p.step, "bad_unit", "No day is picked of "+unitWords[p.rule.Unit][1]+".", "Pick days of every week, month, quarter, half or year.")
		return
	}
	for _, pick := range p.rule.Picks {
		limit := most
		if pick.Of == OneWeekday {
			limit = (most + 6) / 7
		}
		if max(pick.Nth, -pick.Nth) > limit {
			p.fail(p.step, "no_such_day", fmt.Sprintf("No %s has %s.", unitWords[p.rule.Unit][0], strings.Replace(pick.String(), "the ", "a ", 1)), "Pick a day that there can be.")
		}
	}
	slices.SortFunc(p.rule.Picks, func(x, y Pick) int { return slices.Compare(x.order(), y.order()) })
	p.rule.Picks = slices.Compact(p.rule.Picks)
}

// pick reads 1st, first working day, last friday, second last day.
func (p *parser) pick() {
	pick, placed := Pick{Nth: 1}, false
	if t, ok := p.take(tOrdinal); ok {
		pick.Nth, placed = t.number, true
		if t.number == 0 {
			p.fail(t, "no_such_day", "There is no "+t.text+".", "Count from the 1st, or from the last.")
		}
	}
	if _, ok := p.word("last"); ok {
		pick.Nth, placed = -pick.Nth, true
	}
	if !placed {
		p.expected("1st, first, last or the like", append([]string{"last"}, ordinals[1:]...)...)
		return
	}
	t := p.peek()
	weekday, named := civil.WeekdayOf(t.text)
	switch {
	case t.text == "day":
		p.next()
	case t.text == "working":
		p.next()
		if _, ok := p.word("day"); !ok {
			p.expected("day", "day")
			return
		}
		pick.Of = Working
	case named:
		p.next()
		pick.Of, pick.Weekday = OneWeekday, weekday
	case pick.Nth < 0:
		p.expected("day, working day or a weekday", append([]string{"day", "working"}, weekdayWords[:]...)...)
		return
	}
	p.rule.Picks = append(p.rule.Picks, pick)
}

// clause reads what may stand behind: times, ends, exceptions.
func (p *parser) clause() {
	p.take(tComma)
	t := p.peek()
	switch word, _ := p.word(clauses...); word {
	case "at":
		p.times(t)
	case "between":
		p.between(t)
	case "on":
		p.on(t)
	case "from":
		p.rule.From, p.rule.HasFrom = p.day(t, p.rule.HasFrom), true
	case "until":
		p.rule.Until, p.rule.HasUntil = p.day(t, p.rule.HasUntil), true
	case "except":
		p.except(t)
	default:
		p.expected("at, on, between, from, until or except", clauses...)
	}
}

// twice tells that something was said already.
func (p *parser) twice(t token, said bool) {
	if said {
		p.fail(t, "twice", t.text+" stands here a second time.", "Write it once.")
	}
}

func (p *parser) day(t token, said bool) civil.Date {
	p.twice(t, said)
	d, ok := p.take(tDate)
	if !ok {
		p.expected("a day, such as 2026-03-31")
	}
	return civil.Date(d.number)
}

func (p *parser) times(t token) {
	p.twice(t, p.rule.Times != nil)
	for {
		at, ok := p.take(tTime)
		if !ok {
			p.expected("a time, such as 07:00")
			return
		}
		p.rule.Times = append(p.rule.Times, Clock(at.number))
		if !p.more() {
			break
		}
	}
	slices.Sort(p.rule.Times)
	p.rule.Times = slices.Compact(p.rule.Times)
	if p.rule.Unit == Minute {
		p.fail(t, "time_of_steps", "Steps within the day have no time.", "Write between 08:00 and 18:00, or every day at 07:00.")
	}
}

func (p *parser) between(t token) {
	p.twice(t, p.rule.Start > 0 || p.rule.End < lastMinute)
	from, ok := p.take(tTime)
	if !ok {
		p.expected("a time, such as 08:00")
		return
	}
	if _, ok := p.word("and"); !ok {
		p.expected("and", "and")
		return
	}
	to, ok := p.take(tTime)
	if !ok {
		p.expected("a time, such as 18:00")
		return
	}
	switch {
	case p.rule.Unit != Minute:
		p.fail(t, "between_of_days", "Only steps within the day are kept between two times.", "Write every 15 minutes between 08:00 and 18:00, or at 08:00 and 18:00.")
	case to.number < from.number:
		p.fail(to, "end_before_start", to.text+" is before "+from.text+".", "Write the earlier time first.")
	}
	p.rule.Start, p.rule.End = Clock(from.number), Clock(to.number)
}

func (p *parser) on(t token) {
	switch {
	case p.rule.Unit == Minute:
		p.twice(t, p.rule.OnWorkingDays || p.rule.Weekdays != nil)
		if _, ok := p.word("working"); ok {
			if _, ok := p.word("days"); !ok {
				p.expected("days", "days")
			}
			p.rule.OnWorkingDays = true
			return
		}
		days, ok := p.weekdays()
		if !ok {
			p.expected("working days, or a weekday", append([]string{"working"}, weekdayWords[:]...)...)
		}
		p.rule.Weekdays = days
	case p.rule.Unit == Week && p.rule.Picks == nil:
		p.twice(t, p.rule.Weekdays != nil)
		days, ok := p.weekdays()
		if !ok {
			p.expected("a weekday", weekdayWords[:]...)
		}
		p.rule.Weekdays = days
	case p.rule.Unit == Year && p.rule.Picks == nil:
		p.twice(t, p.rule.Dates != nil)
		for {
			d, ok := p.take(tMonthDay)
			if !ok {
				p.expected("month and day, such as 04-06")
				return
			}
			p.rule.Dates = append(p.rule.Dates, MonthDay{d.number / 100, d.number % 100})
			if !p.more() {
				break
			}
		}
		slices.SortFunc(p.rule.Dates, func(x, y MonthDay) int { return (x.Month*100 + x.Day) - (y.Month*100 + y.Day) })
		p.rule.Dates = slices.Compact(p.rule.Dates)
	default:
		p.fail(t, "on_of_days", "Days are not chosen here.", "Write on the 1st of every month, every 2 weeks on friday, or every year on 04-06.")
		p.broken = true
	}
}

func (p *parser) except(t token) {
	p.twice(t, p.rule.ExceptHolidays)
	if _, ok := p.word("holidays"); !ok {
		p.expected("holidays", "holidays")
		return
	}
	p.rule.ExceptHolidays = true
	before := p.at
	p.take(tComma)
	if _, ok := p.word("then"); !ok {
		p.at = before
		return
	}
	p.word("on")
	_, the := p.word("the")
	which, ok := p.word("next", "previous")
	if !the || !ok {
		p.expected("the next or the previous working day", "the", "next", "previous")
		return
	}
	_, working := p.word("working")
	if _, ok := p.word("day"); !working || !ok {
		p.expected("working day", "working", "day")
		return
	}
	p.rule.Shift = map[string]Shift{"next": ToNext, "previous": ToPrevious}[which]
}

// settle looks at what belongs together.
func (p *parser) settle() {
	r, end := &p.rule, p.tokens[len(p.tokens)-1]
	if r.Unit != Minute && r.Times == nil {
		p.fail(end, "no_time", "At which time was not said.", "Write at 07:00 behind it.")
	}
	switch {
	case r.Unit == Week && r.Weekdays == nil && r.Picks == nil:
		p.fail(end, "no_day", "On which day of the week was not said.", "Write every week on monday, or every monday.")
	case r.Unit == Year && r.Dates == nil && r.Picks == nil:
		p.fail(end, "no_day", "On which day of the year was not said.", "Write every year on 04-06, or on the 1st of every year.")
	case (r.Unit == Month || r.Unit == Quarter || r.Unit == Half || r.Unit >= FiscalQuarter) && r.Picks == nil:
		p.fail(end, "no_day", "On which day of the "+unitWords[r.Unit][0]+" was not said.", "Write on the 1st of every "+unitWords[r.Unit][0]+", or on the last working day of it.")
	}
	if r.Every > 1 && r.Unit != Minute && !r.HasFrom {
		p.fail(p.step, "needs_from", "From which day "+unitWords[r.Unit][1]+" are counted was not said.", "Write from 2026-01-02, a day that is one of them, behind it.")
	}
	if r.Unit == Minute && r.Every > 24*60 {
		p.fail(p.step, "bad_step", "Steps within the day are no longer than it.", "Write every 2 days at 07:00 from 2026-01-02.")
	}
	if r.HasFrom && r.HasUntil && r.Until < r.From {
		p.fail(end, "end_before_start", "The last day is before the first.", "Write the earlier day behind from.")
	}
}
