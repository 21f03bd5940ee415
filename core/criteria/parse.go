package criteria

import (
	"regexp"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/diag"
	"pikegate/core/period"
)

// The limits of one expression.
const (
	maxLength = 20_000 // bytes
	maxDepth  = 100
)

// Parse reads the text to a tree, or to the problems it has.
func Parse(text string) (Expr, diag.Problems) {
	if len(text) > maxLength {
		return nil, diag.Problems{diag.At(text, maxLength, len(text), "too_long", "The expression is longer than 20,000 bytes.")}
	}
	tokens, problems := lex(text)
	if len(problems) > 0 {
		return nil, problems
	}
	p := parser{text: text, tokens: tokens}
	return p.whole()
}

// parser is a recursive-descent parser; fail leaves it by a panic that only
// whole recovers.
type parser struct {
	text   string
	tokens []token
	at     int
	depth  int
}

type failure struct{ problem diag.Problem }

func (p *parser) whole() (e Expr, problems diag.Problems) {
	defer func() {
		if r := recover(); r != nil {
			f, ok := r.(failure)
			if !ok {
				panic(r)
			}
			e, problems = nil, diag.Problems{f.problem}
		}
	}()
	if p.peek().kind == tEnd {
		p.fail(p.peek(), "empty", "Nothing was written.", "Write a condition, such as passed_at within :period.")
	}
	e = p.or()
	if t := p.peek(); t.kind != tEnd {
		p.fail(t, "unexpected", p.quote(t)+" does not fit here.", "Conditions are joined by and or or.")
	}
	return e, nil
}

// advice is what to write instead of words and marks of SQL, and of other
// languages, that are not ours.
var advice = map[string]string{
	"like": "Write contains, starts with, ends with, or matches 'P*'; ignoring case after it.", "ilike": "Write contains 'text' ignoring case.",
	"regexp": "Write contains, starts with or ends with.", "rlike": "Write contains, starts with or ends with.", "similar": "Write contains, starts with or ends with.",
	"null": "Write is blank, or is not blank.", "exists": "Write any passages where passed_at within :period.", "any": "Write any TABLE where …, or in ('A', 'B').",
	"case": "Write if(condition, value, other value).", "ifnull": "Write coalesce(a, b).", "isnull": "Write is blank, or coalesce(a, b).", "nvl": "Write coalesce(a, b).",
	"select": "Name a condition with meets, or write the query in SQL by hand.", "as": "Values are compared as they are; nothing has to be cast.", "cast": "Values are compared as they are; nothing has to be cast.",
	"now": "Write 'today', or a question :name, beside a date.", "current_date": "Write 'today' beside a date.", "current_timestamp": "Write 'today' beside a date.",
	"getdate": "Write 'today' beside a date.", "substr": "Write part(name, 1, 3), or starts with.", "substring": "Write part(name, 1, 3), or starts with.", "left": "Write part(name, 1, 3), or starts with.", "instr": "Write position(name, 'x').", "lpad": "Write pad_left(name, 8, '0').", "rpad": "Write pad_right(name, 8, ' ').", "to_number": "Write number_of(text, ',').", "to_date": "Write date_in(column, 'D.M.Y').",
	"interval": "Write issued_on + 30 days.", "datediff": "Write paid_on - issued_on.", "dateadd": "Write issued_on + 30 days.", "date": "Write date_of(passed_at).",
	"avg": "Write average of toll.", "min": "Write least of toll.", "max": "Write greatest of toll.", "sum": "Write sum of toll.", "having": "Write the condition on groups among the others, joined by and.",
	"limit": "Every record that matches is returned.", "distinct": "Write count distinct of vessel.", "ceiling": "Write ceil(toll).", "len": "Write length(name).", "ucase": "Write upper(name).", "lcase": "Write lower(name).",
	"=": "Write = once.", "&": "Write and.", "|": "Write or; texts are joined by concat(a, b).", "!": "Write not, or <> for what differs.", "%": "There is no remainder; write a - floor(a / b) * b.",
	";": "One condition ends where the text ends.", "`": "Write an odd name in double quotes.", "[": "Write an odd name in double quotes, and a list in parentheses.", "{": "Write a question as :name.", "$": "Write a question as :name.", "?": "Write a question as :name.", "@": "Write a question as :name.", "~": "Write contains, starts with or ends with.",
}

// adviceFor is what to write instead of a token, else the hint.
func adviceFor(t token, hint string) string {
	if a, ok := advice[t.text]; ok && (t.kind == tWord || t.kind == tMark) {
		return a
	}
	return hint
}

func (p *parser) fail(t token, code, message, hint string) {
	hint = adviceFor(t, hint)
	for i, before := range p.tokens { // a word of another language is seen to be one at what follows it
		if i+1 < len(p.tokens) && p.tokens[i+1].start == t.start {
			hint = adviceFor(before, hint)
		}
	}
	problem := diag.At(p.text, t.start, t.end, code, message)
	problem.Hint = hint
	panic(failure{problem})
}

func (p *parser) quote(t token) string {
	if t.kind == tEnd {
		return "The end"
	}
	return "\"" + p.text[t.start:t.end] + "\""
}

func (p *parser) peek() token { return p.tokens[p.at] }

func (p *parser) next() token {
	t := p.tokens[p.at]
	if t.kind != tEnd {
		p.at++
	}
	return t
}

func (p *parser) ahead(n int) token { return p.tokens[min(p.at+n, len(p.tokens)-1)] }

func (p *parser) take(text string) bool {
	if p.peek().is(text) {
		p.at++
		return true
	}
	return false
}

func (p *parser) expect(text, hint string) {
	if !p.take(text) {
		p.fail(p.peek(), "unexpected", text+" is missing here.", hint)
	}
}

// from is the stretch from the start of e to what was read last.
func (p *parser) from(start int) Pos { return Pos{start, p.tokens[p.at-1].end} }

// enter guards against expressions nested too deeply.
func (p *parser) enter() {
	if p.depth++; p.depth > maxDepth {
		p.fail(p.peek(), "too_deep", "The expression is nested more than 100 deep.", "Give a part of it a name, as a criterion of its own.")
	}
}

func (p *parser) leave() { p.depth-- }

// or reads AND { or AND }; no token of it is read yet, as in all that follow.
func (p *parser) or() Expr {
	p.enter()
	defer p.leave()
	return p.logic("or")
}

// logic reads terms joined by "or", each of which is terms joined by "and".
func (p *parser) logic(word string) Expr {
	start := p.peek().start
	first := p.term(word)
	if !p.peek().is(word) {
		return first
	}
	l := &Logic{Or: word == "or", Terms: []Expr{first}}
	for p.take(word) {
		l.Terms = append(l.Terms, p.term(word))
	}
	l.Pos = p.from(start)
	return l
}

// term reads what the word joins.
func (p *parser) term(word string) Expr {
	if word == "or" {
		return p.logic("and")
	}
	return p.not()
}

func (p *parser) not() Expr {
	p.enter()
	defer p.leave()
	t := p.peek()
	if p.take("not") {
		x := p.not()
		return &Not{p.from(t.start), x}
	}
	return p.comparison()
}

// comparison reads a sum and what is said of it.
func (p *parser) comparison() Expr {
	start := p.peek().start
	if p.peek().is("span") && p.ahead(1).is("(") {
		return p.spans()
	}
	if related := p.related(); related != nil {
		return related
	}
	if first := p.first(); first != nil {
		return first
	}
	x := p.sum()
	t := p.peek()
	if t.kind == tMark {
		switch t.text {
		case "=", "<>", "<", "<=", ">", ">=":
			p.next()
			y := p.sum()
			fold := p.ignoringCase()
			return &Compare{p.from(start), t.text, x, y, fold}
		}
		return x
	}
	if p.take("is") {
		not := p.take("not")
		if p.peek().is("true") || p.peek().is("false") {
			p.fail(p.peek(), "unexpected", p.quote(p.peek())+" does not fit after is.", "Write = true or = false, or the column alone.")
		}
		p.expect("blank", "Write is blank or is not blank.")
		return &IsBlank{p.from(start), x, not}
	}
	not := p.take("not")
	switch {
	case p.take("in"):
		items := p.list()
		fold := p.ignoringCase()
		return &In{p.from(start), x, items, not, fold}
	case p.take("within"):
		y := p.sum()
		return &Within{p.from(start), x, y, not}
	case p.take("between"):
		low := p.sum()
		p.expect("and", "Write between A and B.")
		high := p.sum()
		return &Between{p.from(start), x, low, high, not}
	case p.take("contains"):
		return p.match(start, "contains", x, not)
	case p.take("matches"):
		return p.match(start, "matches", x, not)
	case p.peek().is("starts") || p.peek().is("ends"):
		op := p.next().text + " with"
		p.expect("with", "Write "+op+" 'text'.")
		return p.match(start, op, x, not)
	case not:
		p.fail(p.peek(), "unexpected", p.quote(p.peek())+" does not fit after not.", "Write not in, not within, not between or not contains.")
	}
	return x
}

// saidOf are the words that say something of what stands before them: "any" and
// "no" before one of them are columns.
var saidOf = map[string]bool{
	"and": true, "or": true, "not": true, "in": true, "is": true, "within": true, "between": true, "contains": true, "matches": true,
	"starts": true, "ends": true, "ignoring": true, "overlaps": true, "inside": true, "covers": true,
}

// isTable tells whether the token so many ahead can be the name of a table.
func (p *parser) isTable(n int) bool {
	next := p.ahead(n)
	return next.kind == tName || next.kind == tWord && !saidOf[next.text] && !next.is("where") && !next.is("of") && !next.is("as")
}

// related reads "any passages of vessels where …"; nil where something else
// stands here.
func (p *parser) related() Expr {
	t := p.peek()
	quantity, n := t.text, Expr(nil)
	switch {
	case (t.is("any") || t.is("no")) && p.isTable(1):
		p.next()
	case t.is("at") && (p.ahead(1).is("least") || p.ahead(1).is("most")):
		p.next()
		quantity = "at " + p.next().text
		n = p.number()
	case t.is("exactly") && (p.ahead(1).kind == tNumber || p.ahead(1).kind == tParameter):
		p.next()
		n = p.number()
	default:
		return nil
	}
	records := p.records()
	return &Related{p.from(t.start), quantity, n, records}
}

// records reads "passages as p of vessels where …", or "all passages where …".
func (p *parser) records() Records {
	r := Records{All: p.peek().is("all") && p.isTable(1)}
	if r.All {
		p.next()
	}
	r.Table = p.table()
	if p.take("as") {
		r.As = p.table()
	}
	p.belonging(&r)
	return r
}

func (p *parser) belonging(r *Records) {
	if p.take("of") {
		r.Of = p.table()
	}
	if p.take("where") {
		r.Where = p.or()
	}
}

// aggregate reads what one value is made of: "toll_pence", "passages.toll_pence
// where …" or "p.toll_pence from passages as p". What comes before has been read.
func (p *parser) aggregate(start int, name string, percent *Number) Expr {
	a := &Aggregate{Name: name, Percent: percent, X: p.sum()}
	next := p.peek()
	switch {
	case p.take("from"):
		records := p.records()
		a.Records = &records
	case next.is("of"), next.is("where") && tableIn(a.X) != "": // the table may be the query's own: Resolve tells
		a.Records = &Records{Table: tableIn(a.X), Inferred: true}
		if a.Records.Table == "" {
			p.fail(next, "unexpected", "Which table's records these are is not said.", "Write "+name+" of passages.toll_pence of ….")
		}
		p.belonging(a.Records)
	case p.take("where"):
		a.Where = p.or()
	}
	a.Pos = p.from(start)
	return a
}

// percent reads how many of a hundred values a percentile is not less than.
func (p *parser) percent(t token) *Number {
	value, err := decimal.NewFromString(t.text)
	if err != nil || !value.IsPositive() || value.GreaterThan(decimal.New(100, 0)) || value.Exponent() < -2 {
		p.fail(t, "bad_number", "A percentile is from 0.01 to 100, with no more than two decimal places.", "Write percentile 90 of toll: 90 of a hundred are no more than that.")
	}
	return &Number{Pos{t.start, t.end}, value}
}

// tableIn is the table that the first column with one names, empty if none does.
func tableIn(e Expr) (table string) {
	WalkOwn(e, func(e Expr) {
		if c, ok := e.(*Column); ok && table == "" {
			table = c.Table
		}
	})
	return table
}

// number reads how many records there are to be: a number or a question.
func (p *parser) number() Expr {
	t := p.peek()
	if t.kind != tNumber && t.kind != tParameter {
		p.fail(t, "unexpected", p.quote(t)+" does not fit here.", "Write a number or a :question, then a table: at least 3 passages.")
	}
	return p.atom()
}

// table reads the name of a table, perhaps after that of its schema.
func (p *parser) table() string {
	t := p.next()
	if t.kind != tWord && t.kind != tName || t.kind == tWord && (reserved[t.text] || t.text == "where") {
		p.fail(t, "unexpected", p.quote(t)+" does not fit here.", "The name of a table is expected: any passages where passed_at within :period.")
	}
	name := p.name(t)
	if p.take(".") {
		name += "." + p.table()
	}
	return name
}

func (p *parser) match(start int, op string, x Expr, not bool) Expr {
	y := p.sum()
	fold := p.ignoringCase()
	return &Match{p.from(start), op, x, y, not, fold}
}

// ignoringCase reads what may stand after a comparison of texts.
func (p *parser) ignoringCase() bool {
	if !p.take("ignoring") {
		return false
	}
	p.expect("case", "Write ignoring case.")
	return true
}

// spans reads "span(a, b) overlaps p".
func (p *parser) spans() Expr {
	start := p.next().start
	p.next()
	from := p.sum()
	p.expect(",", "Write span(start, end).")
	until := p.sum()
	p.expect(")", "The parenthesis is not closed.")
	not := p.take("not")
	t := p.next()
	if !t.is("overlaps") && !t.is("inside") && !t.is("covers") {
		p.fail(t, "unexpected", p.quote(t)+" does not fit after a span.", "Write overlaps, inside or covers, and a period.")
	}
	period := p.sum()
	return &Spans{p.from(start), t.text, from, until, period, not}
}

// list reads :name, or (a, b, …).
func (p *parser) list() []Expr {
	if p.peek().kind == tParameter {
		return []Expr{p.atom()}
	}
	p.expect("(", "Write in :name, or in ('A', 'B').")
	items := []Expr{p.sum()}
	for p.take(",") {
		items = append(items, p.sum())
	}
	p.expect(")", "The list is not closed.")
	return items
}

// sum reads products joined by + and -.
func (p *parser) sum() Expr {
	start := p.peek().start
	x := p.product()
	for p.peek().is("+") || p.peek().is("-") {
		op := p.next().text[0]
		y := p.product()
		if p.take("days") || p.take("day") { // as many as a column says
			if op == '-' {
				y = &Negative{y.At(), y}
			}
			x = &Call{Pos: p.from(start), Name: "days_after", Args: []Expr{x, y}}
			continue
		}
		x = &Arithmetic{p.from(start), op, x, y, unknownType}
	}
	return x
}

func (p *parser) product() Expr {
	start := p.peek().start
	x := p.sign()
	for p.peek().is("*") || p.peek().is("/") {
		op := p.next().text[0]
		y := p.sign()
		x = &Arithmetic{p.from(start), op, x, y, unknownType}
	}
	return x
}

func (p *parser) sign() Expr {
	p.enter()
	defer p.leave()
	t := p.peek()
	if p.take("-") {
		x := p.sign()
		return &Negative{p.from(t.start), x}
	}
	return p.atom()
}

// reserved words cannot be column names unless quoted.
var reserved = map[string]bool{
	"and": true, "or": true, "not": true, "in": true, "is": true, "within": true,
	"between": true, "blank": true, "true": true, "false": true,
	"contains": true, "meets": true, "ignoring": true,
}

// aggregates are the words for one value of many records.
var aggregates = map[string]bool{"sum": true, "average": true, "least": true, "greatest": true, "median": true}

// userName begins what a row rule asks of whoever asks: ":user.regions".
const userName = "user"

// Attribute is what a parameter asks of whoever asks, ":user.regions"; ok is false for a
// question.
func (p *Parameter) Attribute() (name string, ok bool) {
	return strings.CutPrefix(p.Name, userName+".")
}

func (p *parser) atom() Expr {
	t := p.next()
	switch t.kind {
	case tNumber:
		if p.peek().kind == tWord && lengthUnits[p.peek().text] {
			p.next()
			return p.length(t.start)
		}
		if e := p.workingDays(t); e != nil {
			return e
		}
		value, err := decimal.NewFromString(t.text)
		if err != nil || len(t.text) > 40 {
			p.fail(t, "bad_number", p.quote(t)+" is not a number.", "Write 12 or 12.50.")
		}
		return &Number{p.from(t.start), value}
	case tText:
		return &Text{Pos: p.from(t.start), Value: t.text}
	case tParameter:
		part := ""
		if p.take(".") {
			w := p.next()
			part = w.text
			if t.text == userName && (w.kind == tWord || w.kind == tName) && part != "from" && part != "through" && part != "until" {
				return &Parameter{Pos: p.from(t.start), Name: userName + "." + strings.ToLower(part)}
			}
			if w.kind != tWord || part != "from" && part != "through" && part != "until" {
				p.fail(w, "unknown_part", "A period has no "+p.quote(w)+".", "Write :"+t.text+".from, .through (last day in) or .until (first day out).")
			}
		}
		return &Parameter{Pos: p.from(t.start), Name: t.text, Part: part}
	case tName, tWord:
		if t.kind == tWord {
			if e := p.word(t); e != nil {
				return e
			}
		}
		if t.kind == tWord && reserved[t.text] {
			break
		}
		c := &Column{Name: p.name(t), Ref: NoColumn}
		if p.take(".") {
			n := p.next()
			if n.kind != tWord && n.kind != tName {
				p.fail(n, "unexpected", "A column's name is missing after the dot.", "")
			}
			c.Table, c.Name = c.Name, p.name(n)
		}
		c.Pos = p.from(t.start)
		return c
	case tMark:
		if t.text == "(" {
			e := p.or()
			p.expect(")", "The parenthesis is not closed.")
			return e
		}
	}
	p.fail(t, "unexpected", p.quote(t)+" does not fit here.", "A column, a :question or a value is expected.")
	return nil
}

// word reads what begins with a word and is not a column; nil if it is one.
// The word has been read.
func (p *parser) word(t token) Expr {
	next := p.peek()
	switch {
	case t.text == "true" || t.text == "false":
		return &Bool{p.from(t.start), t.text == "true"}
	case t.text == "blank":
		return &Blank{p.from(t.start)}
	case t.text == "meets" && (next.kind == tWord || next.kind == tName):
		m := &Meets{Name: p.name(p.next())}
		if p.take("of") {
			m.Of = p.name(p.next())
		}
		m.Pos = p.from(t.start)
		return m
	case isoLength.MatchString(p.text[t.start:t.end]):
		return p.length(t.start)
	case aggregates[t.text] && next.is("of"):
		p.next()
		return p.aggregate(t.start, t.text, nil)
	case t.text == "percentile" && next.kind == tNumber && p.ahead(1).is("of"):
		p.at += 2
		return p.aggregate(t.start, t.text, p.percent(next))
	case t.text == "count" && next.is("distinct") && p.ahead(1).is("of"):
		p.at += 2
		return p.aggregate(t.start, "count distinct", nil)
	case t.text == "count" && next.is("of"):
		p.next()
		records := p.records()
		return &Aggregate{Pos: p.from(t.start), Name: "count", Records: &records}
	case t.text == "count" && next.is("where"):
		p.next()
		where := p.or()
		return &Aggregate{Pos: p.from(t.start), Name: "count", Where: where}
	case Units[t.text] != 0 && next.is("of"):
		p.next()
		x := p.sign()
		return &UnitOf{p.from(t.start), t.text, x}
	}
	if e := p.inOrder(t); e != nil {
		return e
	}
	if next.is("(") {
		return p.call(t)
	}
	return p.ownUnit(t)
}

// ownUnit reads "season of d", "fiscal year of d": a unit that a calendar knows, of up to
// four words. Nothing else has "of" after it here.
func (p *parser) ownUnit(t token) Expr {
	for n := range 4 {
		word := p.ahead(n)
		if word.is("of") {
			p.at += n + 1
			unit := strings.ToLower(strings.Join(strings.Fields(p.text[t.start:word.start]), " "))
			return &UnitOf{p.from(t.start), unit, p.sign()}
		}
		if word.kind != tWord || reserved[word.text] || follows[word.text] {
			return nil
		}
	}
	return nil
}

// call reads the arguments of a function.
func (p *parser) call(t token) Expr {
	p.enter()
	defer p.leave()
	p.next()
	c := &Call{Name: t.text}
	for !p.take(")") {
		if len(c.Args) > 0 {
			p.expect(",", "The parenthesis is not closed.")
		}
		if unit := p.peek(); t.text == "start_of" && len(c.Args) == 0 && unit.kind == tWord {
			p.next()
			c.Args = append(c.Args, &Text{Pos: p.from(unit.start), Value: unit.text})
			continue
		}
		c.Args = append(c.Args, p.or())
	}
	c.Pos = p.from(t.start)
	return c
}

// isoLength is a length of whole days or longer as ISO 8601 writes it.
var isoLength = regexp.MustCompile(`^P([0-9]+[YMWD])+$`)

// lengthUnits are the words that make a number a length.
var lengthUnits = map[string]bool{
	"day": true, "days": true, "week": true, "weeks": true, "month": true, "months": true,
	"quarter": true, "quarters": true, "year": true, "years": true,
}

// workingDays reads 5 working days; the number was read.
func (p *parser) workingDays(t token) Expr {
	switch next := p.peek(); {
	case next.is("workday") || next.is("workdays"):
		p.next()
	case (next.is("working") || next.is("business")) && (p.ahead(1).is("day") || p.ahead(1).is("days")):
		p.at += 2
	default:
		return nil
	}
	n, err := strconv.Atoi(t.text)
	if err != nil || n < 1 || n > mostWorkingDays {
		p.fail(t, "bad_count", p.quote(t)+" is not a number of working days.", "Write a whole number from 1 to 10000.")
	}
	text := t.text + " working days"
	if n == 1 {
		text = "1 working day"
	}
	return &Length{p.from(t.start), text, period.Length{}, n}
}

// mostWorkingDays is how many a date can be moved by.
const mostWorkingDays = 10_000

// length reads what stands from start to the last token read.
func (p *parser) length(start int) Expr {
	at := p.from(start)
	text := strings.Join(strings.Fields(p.text[at.Start:at.End]), " ")
	if text[0] != 'P' {
		text = strings.ToLower(text)
	}
	length, problems := period.ParseLength(text)
	if len(problems) > 0 {
		p.fail(token{start: at.Start, end: at.End}, problems[0].Code, problems[0].Message, problems[0].Hint)
	}
	if length.Months() > 12_000 || length.Days() > 366_000 {
		p.fail(token{start: at.Start, end: at.End}, "too_long", "The length is more than a thousand years.", "")
	}
	return &Length{at, text, length, 0}
}

// ParseAggregate reads a value that may be made of many records: count alone
// is one, which elsewhere is the name of a column.
func ParseAggregate(text string) (Expr, diag.Problems) {
	if strings.EqualFold(strings.TrimSpace(text), "count") {
		return &Aggregate{Pos: Pos{0, len(text)}, Name: "count"}, nil
	}
	return Parse(text)
}

// name is a name as written: lower-casing is for keywords only.
func (p *parser) name(t token) string {
	if t.kind == tName {
		return t.text
	}
	return p.text[t.start:t.end]
}
