package criteria

import (
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/diag"
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

func (p *parser) fail(t token, code, message, hint string) {
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
func (p *parser) enter() func() {
	if p.depth++; p.depth > maxDepth {
		p.fail(p.peek(), "too_deep", "The expression is nested more than 100 deep.", "")
	}
	return func() { p.depth-- }
}

// or reads AND { or AND }; no token of it is read yet, as in all that follow.
func (p *parser) or() Expr {
	defer p.enter()()
	return p.logic("or", p.and)
}

func (p *parser) and() Expr { return p.logic("and", p.not) }

func (p *parser) logic(word string, term func() Expr) Expr {
	start := p.peek().start
	first := term()
	if !p.peek().is(word) {
		return first
	}
	l := &Logic{Or: word == "or", Terms: []Expr{first}}
	for p.take(word) {
		l.Terms = append(l.Terms, term())
	}
	l.Pos = p.from(start)
	return l
}

func (p *parser) not() Expr {
	defer p.enter()()
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
	x := p.sum()
	t := p.peek()
	if t.kind == tMark {
		switch t.text {
		case "=", "<>", "<", "<=", ">", ">=":
			p.next()
			y := p.sum()
			return &Compare{p.from(start), t.text, x, y}
		}
		return x
	}
	if p.take("is") {
		not := p.take("not")
		p.expect("blank", "Write is blank or is not blank.")
		return &IsBlank{p.from(start), x, not}
	}
	not := false
	if t.is("not") {
		p.next()
		not = true
	}
	switch {
	case p.take("in"):
		items := p.list()
		return &In{p.from(start), x, items, not}
	case p.take("within"):
		y := p.sum()
		return &Within{p.from(start), x, y, not}
	case p.take("between"):
		low := p.sum()
		p.expect("and", "Write between A and B.")
		high := p.sum()
		return &Between{p.from(start), x, low, high, not}
	case not:
		p.fail(p.peek(), "unexpected", p.quote(p.peek())+" does not fit after not.", "Write not in, not within or not between.")
	}
	return x
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

func (p *parser) sum() Expr { return p.arithmetic("+", "-", p.product) }

func (p *parser) product() Expr { return p.arithmetic("*", "/", p.sign) }

func (p *parser) arithmetic(one, other string, term func() Expr) Expr {
	start := p.peek().start
	x := term()
	for p.peek().kind == tMark && (p.peek().text == one || p.peek().text == other) {
		op := p.next().text[0]
		y := term()
		x = &Arithmetic{p.from(start), op, x, y}
	}
	return x
}

func (p *parser) sign() Expr {
	defer p.enter()()
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
}

func (p *parser) atom() Expr {
	t := p.next()
	switch t.kind {
	case tNumber:
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
			if w.kind != tWord || part != "from" && part != "through" && part != "until" {
				p.fail(w, "unknown_part", "A period has no "+p.quote(w)+".", "Write :"+t.text+".from, .through (last day in) or .until (first day out).")
			}
		}
		return &Parameter{Pos: p.from(t.start), Name: t.text, Part: part}
	case tName, tWord:
		if t.kind == tWord && (t.text == "true" || t.text == "false") {
			return &Bool{p.from(t.start), t.text == "true"}
		}
		if t.kind == tWord && reserved[t.text] {
			break
		}
		c := &Column{Name: p.name(t)}
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

// name is a name as written: lower-casing is for keywords only.
func (p *parser) name(t token) string {
	if t.kind == tName {
		return t.text
	}
	return strings.Clone(p.text[t.start:t.end])
}
