package plan

import (
	"strings"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// label is what people read above the column, or its name in words.
func (b *binder) label(c *criteria.Column) string {
	for _, out := range b.compiled.Columns {
		if plain, ok := out.Expr.(*criteria.Column); ok && plain.Ref.Alias == c.Ref.Alias && plain.Ref.Column.Name == c.Ref.Column.Name {
			return out.Heading()
		}
	}
	return definition.Labelled(c.Name)
}

// anything says that a condition restricts nothing in this run.
func (b *binder) anything(e criteria.Expr) string {
	var labels []string
	criteria.Walk(e, func(e criteria.Expr) {
		if c, ok := e.(*criteria.Column); ok {
			labels = append(labels, b.label(c))
		}
	})
	if len(labels) == 0 {
		return "no restriction"
	}
	return labels[0] + ": any"
}

// words says a condition with the values of the run.
func (b *binder) words(e criteria.Expr) string {
	if blank, ok := b.leftBlank(e); ok && blank.WhenBlank == parameter.MatchBlank {
		return b.words(firstColumn(e)) + " is blank"
	}
	if b.includesBlanks(e) {
		return b.condition(e) + ", or is blank"
	}
	return b.condition(e)
}

func (b *binder) condition(e criteria.Expr) string {
	not := func(yes bool) string {
		if yes {
			return "not "
		}
		return ""
	}
	switch e := e.(type) {
	case *criteria.Column:
		return b.label(e)
	case *criteria.Parameter:
		if isPeriod(e) {
			words := []string{}
			for _, span := range b.spans(e) {
				words = append(words, when(span))
			}
			return parameter.OneOf(words)
		}
		q := b.question(e.Name)
		q.IncludeBlanks = false // said beside the condition
		return q.ReadBack(b.values[e.Name])
	case *criteria.Text:
		if e.Period != nil {
			return when(b.span(e))
		}
		return e.Value
	case *criteria.Compare:
		left, right, op := e.Left, e.Right, e.Op
		if isPeriod(left) {
			left, right, op = right, left, flipped[op]
		}
		dated := isPeriod(right)
		if c, ok := left.(*criteria.Column); ok && c.Ref.Column.Type.IsDate() {
			dated = true
		}
		word := relation(op, dated)
		if isPeriod(right) && (op == "=" || op == "<>") && b.spans(right)[0].Days() != 1 {
			word += "within "
		}
		return b.words(left) + " is " + word + b.words(right)
	case *criteria.Between:
		return b.words(e.X) + " is " + not(e.Not) + "between " + b.words(e.Low) + " and " + b.words(e.High) + ", both included"
	case *criteria.Within:
		return b.words(e.X) + " is " + not(e.Not) + "within " + b.words(e.Period)
	case *criteria.In:
		var items []string
		for _, item := range e.Items {
			items = append(items, b.words(item))
		}
		return b.words(e.X) + " is " + not(e.Not) + parameter.OneOf(items)
	case *criteria.IsBlank:
		return b.words(e.X) + " is " + not(e.Not) + "blank"
	case *criteria.Not:
		if b.includesBlanks(e.X) {
			return "not (" + b.condition(e.X) + "), or is blank"
		}
		return "not (" + b.words(e.X) + ")"
	case *criteria.Logic:
		return b.joined(e)
	}
	return criteria.Print(e)
}

func (b *binder) joined(e *criteria.Logic) string {
	word := " and "
	if e.Or {
		word = " or "
	}
	var terms []string
	for _, t := range e.Terms {
		if _, open := b.bind(t); open {
			continue // a question left blank
		}
		words := b.words(t)
		if inner, ok := t.(*criteria.Logic); ok && inner.Or != e.Or {
			words = "(" + words + ")"
		}
		terms = append(terms, words)
	}
	return strings.Join(terms, word)
}

func relation(op string, dated bool) string {
	number := map[string]string{"=": "", "<>": "not ", "<": "less than ", "<=": "at most ", ">": "more than ", ">=": "at least "}
	date := map[string]string{"=": "", "<>": "not ", "<": "before ", "<=": "on or before ", ">": "after ", ">=": "on or after "}
	if dated {
		return date[op]
	}
	return number[op]
}

func when(s period.Span) string {
	if s.From == s.Until {
		return "an open end"
	}
	return s.ReadBack()
}
