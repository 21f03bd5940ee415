package criteria

import "slices"

// Places tells where parts of a text stand in it.
type Places struct {
	tokens     []token
	start, end map[int]int // which token starts and ends at a byte
}

// NewPlaces takes a text that can be parsed.
func NewPlaces(text string) Places {
	tokens, _ := lex(text)
	p := Places{tokens, make(map[int]int, len(tokens)), make(map[int]int, len(tokens))}
	for i, t := range tokens[:len(tokens)-1] {
		p.start[t.start], p.end[t.end] = i, i
	}
	return p
}

// Extent is the stretch of a node with the parentheses directly around it: "(a or b)" for
// the place of "a or b".
func (p Places) Extent(at Pos) Pos {
	first, last := p.start[at.Start], p.end[at.End]
	for first > 0 && last+1 < len(p.tokens) && p.tokens[first-1].is("(") && p.tokens[last+1].is(")") {
		if first > 1 && callee(p.tokens[first-2]) {
			break
		}
		first, last = first-1, last+1
	}
	return Pos{p.tokens[first].start, p.tokens[last].end}
}

// Named is a question, a named criterion or a column that an expression names.
type Named struct {
	// Kind is question, criterion or column.
	Kind, Name string
	// Pos is where the name itself stands, without the colon of a question, and with the
	// quotes of an odd name.
	Pos
}

// Names lists what an expression names, in the order of the text that it was parsed from.
// Attributes of whoever asks are not among it.
func Names(text string, e Expr) (names []Named) {
	p := NewPlaces(text)
	Walk(e, func(e Expr) {
		switch e := e.(type) {
		case *Parameter:
			if _, attribute := e.Attribute(); !attribute {
				names = append(names, Named{"question", e.Name, Pos{e.Start + 1, e.Start + 1 + len(e.Name)}})
			}
		case *Meets:
			t := p.tokens[p.start[e.Start]+1]
			names = append(names, Named{"criterion", e.Name, Pos{t.start, t.end}})
		case *Column:
			t := p.tokens[p.end[e.End]]
			names = append(names, Named{"column", e.Name, Pos{t.start, t.end}})
		}
	})
	slices.SortFunc(names, func(a, b Named) int { return a.Start - b.Start })
	return names
}

// callee tells whether a parenthesis after the token begins arguments or a list.
func callee(t token) bool {
	return t.kind == tName || t.kind == tWord && !connects[t.text]
}

// connects are the words after which a parenthesis begins a condition.
var connects = map[string]bool{"and": true, "or": true, "not": true, "where": true, "between": true, "within": true}

// AsOperand is the text of an expression as it can stand beside a comparison: in
// parentheses where it binds looser.
func AsOperand(text string, e Expr) string { return bracketed(text, e, looseSum) }

// AsTerm is the text of a condition as it can stand among those joined by "and" or "or".
func AsTerm(text string, e Expr, or bool) string {
	if or {
		return bracketed(text, e, looseOr+1)
	}
	return bracketed(text, e, looseAnd+1)
}

// AsNegated is the text of a condition as it can stand after "not".
func AsNegated(text string, e Expr) string { return bracketed(text, e, looseNot) }

func bracketed(text string, e Expr, place int) string {
	if strength(e) >= place {
		return text
	}
	if whole := NewPlaces(text).Extent(placeIn(text)); whole.Start == 0 && whole.End == len(text) && text[0] == '(' {
		if again, problems := Parse(text[1 : len(text)-1]); again != nil && problems == nil {
			return text // they are there
		}
	}
	return "(" + text + ")"
}

// placeIn is where the expression of a text stands in it.
func placeIn(text string) Pos {
	e, _ := Parse(text)
	if e == nil {
		return Pos{0, len(text)}
	}
	return e.At()
}
