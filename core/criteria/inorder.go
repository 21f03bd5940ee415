package criteria

import (
	"slices"
	"strings"

	"pikegate/core/catalog"
)

// HasInOrder tells whether a value that other records of the result give occurs in an
// expression.
func HasInOrder(e Expr) bool { return Any(e, IsInOrder) }

// IsInOrder tells whether a node is such a value.
func IsInOrder(e Expr) bool {
	_, ok := e.(*InOrder)
	return ok
}

// FromDatabase tells whether the database gives the value, since it needs records that
// come later; else it is worked out while the records pass.
func (e *InOrder) FromDatabase() bool { return e.Name == "rank" || e.Name == "share" }

// inOrder checks a value that other records give, and gives its type.
func (r *resolver) inOrder(e *InOrder) catalog.Type {
	if !r.scope.Ordered {
		r.fail(e.At(), "in_order_here", "A value that other records of the result give cannot be used here.", "Make it a column of the query; to leave the first of the records, write first 10 by region among the criteria.")
		return unknownType
	}
	t := catalog.Integer
	if e.X != nil {
		t = r.typeOf(e.X)
		r.noBlank(e.X)
	}
	r.keys(e.By)
	numeric := e.Name == "share" || e.Name == "running sum" || e.Name == "running average"
	if numeric && t != unknownType && !t.IsNumber() {
		r.fail(e.X.At(), "type_mismatch", e.Name+" needs a number; this is "+t.WithArticle()+".", "")
	}
	if e.FromDatabase() && (HasInOrder(e.X) || slices.ContainsFunc(e.By, HasInOrder)) {
		r.fail(e.At(), "nested_order", "A rank or a share cannot be made of values that other records give.", "Make it of columns, and the other value a column of its own.")
	}
	return e.typeOf(t)
}

func (e *InOrder) typeOf(x catalog.Type) catalog.Type {
	switch e.Name {
	case "rank", "running count":
		return catalog.Integer
	case "share", "running average":
		return catalog.Decimal
	}
	return x
}

// keys checks what records are kept apart by.
func (r *resolver) keys(keys []Expr) {
	for _, key := range keys {
		r.noBlank(key)
		if t := r.typeOf(key); t == Period || t == LengthOfTime {
			r.fail(key.At(), "type_mismatch", "Records cannot be kept apart by "+t.WithArticle()+".", "Name a column.")
		}
	}
}

// first checks how many records are left of the result.
func (r *resolver) first(e *First) {
	t := r.typeOf(e.N)
	number, written := e.N.(*Number)
	switch {
	case t != unknownType && t != catalog.Integer:
		r.fail(e.N.At(), "type_mismatch", "How many records are left is a whole number; this is "+t.WithArticle()+".", "Write first 10.")
	case written && (number.Value.Sign() <= 0 || len(number.Value.String()) > 9):
		r.fail(e.N.At(), "bad_number", "How many records are left is a whole number from 1 on.", "Write first 10.")
	}
	if e.Of != nil {
		r.noBlank(e.Of)
		r.typeOf(e.Of)
	}
	r.keys(e.By)
	if HasInOrder(e.Of) || slices.ContainsFunc(e.By, HasInOrder) {
		r.fail(e.At(), "nested_order", "Which records are left cannot depend on values that other records give.", "Name columns.")
	}
}

// TakeFirst parts what says how many records are left of a result from the conditions,
// which may then be nil; there may be several.
func TakeFirst(e Expr) (rest Expr, firsts []*First) {
	if e == nil {
		return nil, nil
	}
	isFirst := func(term Expr) bool { _, ok := term.(*First); return ok }
	if !slices.ContainsFunc(Conditions(e), isFirst) {
		return e, nil
	}
	var terms []Expr
	for _, term := range Conditions(e) {
		if first, ok := term.(*First); ok {
			firsts = append(firsts, first)
			continue
		}
		terms = append(terms, term)
	}
	switch {
	case len(terms) == 0:
		return nil, firsts
	case len(terms) == 1:
		return terms[0], firsts
	}
	return &Logic{e.At(), false, terms}, firsts
}

// Said is how a person reads the name of the value.
func (e *InOrder) Said() string {
	switch name, running := strings.CutPrefix(e.Name, "running "); {
	case e.Name == "running count":
		return "the running number of records"
	case running:
		return "the running " + name + " of "
	case e.Name == "previous":
		return "the previous "
	}
	return "the " + e.Name + " of "
}

// first reads "first 10 by region", or "greatest 3 of toll by region"; nil where something
// else stands here.
func (p *parser) first() Expr {
	t, next := p.peek(), p.ahead(1)
	if !t.is("first") && !t.is("greatest") && !t.is("least") || next.kind != tNumber && next.kind != tParameter {
		return nil
	}
	p.next()
	e := &First{Which: t.text, N: p.number()}
	if t.text != "first" {
		p.expect("of", "Write "+t.text+" 10 of toll.")
		e.Of = p.sum()
	}
	e.By = p.keys("by")
	e.Pos = p.from(t.start)
	return e
}

// keys reads what records are kept apart by: "by region", or "by (region, direction)".
func (p *parser) keys(word string) []Expr {
	if !p.take(word) {
		return nil
	}
	if !p.take("(") {
		return []Expr{p.sign()}
	}
	keys := []Expr{p.sum()}
	for p.take(",") {
		keys = append(keys, p.sum())
	}
	p.expect(")", "The list is not closed.")
	return keys
}

// inOrder reads a value that other records of the result give; nil where something else
// begins with the word, which has been read.
func (p *parser) inOrder(t token) Expr {
	if t.text != "running" && t.text != "previous" && t.text != "rank" && t.text != "share" {
		return nil
	}
	next := p.peek()
	e := &InOrder{Name: t.text}
	switch {
	case t.text == "running" && next.is("count"):
		p.next()
		e.Name = "running count"
	case t.text == "running" && aggregates[next.text]:
		p.next()
		e.Name += " " + next.text
		p.expect("of", "Write "+e.Name+" of toll.")
		e.X = p.sum()
	case t.text == "previous" && (next.kind == tName || next.is("(") || next.kind == tWord && !saidOf[next.text] && !follows[next.text]):
		e.X = p.sign()
	case (t.text == "rank" || t.text == "share") && next.is("of"):
		p.next()
		e.X = p.sum()
		e.Ascending = t.text == "rank" && p.take("ascending")
	default:
		return nil
	}
	word := "by"
	if t.text == "share" {
		word = "in"
	}
	e.By = p.keys(word)
	e.Pos = p.from(t.start)
	return e
}

// follows are the words that go on after a column, so that "previous" before one of them is
// a column itself.
var follows = map[string]bool{"by": true, "where": true, "from": true, "of": true, "as": true, "ascending": true}
