package parameter

import (
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// Rule is a condition across answers, with what to say when it is broken.
type Rule struct {
	Expr    criteria.Expr
	Message string
	// Hint is a way out, may be empty.
	Hint string
}

// CheckRules tries every rule. One that refers to a question left blank is
// not broken. The problem stands at the last question the rule names.
func CheckRules(rules []Rule, values Values) diag.Problems {
	var problems diag.Problems
	for _, r := range rules {
		ok, known := holds(r.Expr, values)
		if ok || !known {
			continue
		}
		p := diag.Problem{Code: "rule_broken", Message: r.Message, Hint: r.Hint}
		criteria.Walk(r.Expr, func(e criteria.Expr) {
			if named, is := e.(*criteria.Parameter); is {
				p.Field = named.Name
			}
		})
		problems = append(problems, p)
	}
	return problems
}

// holds works a condition out in three-valued logic: known is false where a
// blank leaves it open.
func holds(e criteria.Expr, values Values) (ok, known bool) {
	switch e := e.(type) {
	case *criteria.Bool:
		return e.Value, true
	case *criteria.Logic:
		known = true
		for _, t := range e.Terms {
			termOK, termKnown := holds(t, values)
			if termKnown && termOK == e.Or {
				return e.Or, true
			}
			known = known && termKnown
		}
		return !e.Or, known
	case *criteria.Not:
		ok, known = holds(e.X, values)
		return !ok, known
	case *criteria.IsBlank:
		return (operandOf(e.X, values).kind == "") != e.Not, true
	case *criteria.Compare:
		return compare(operandOf(e.Left, values), e.Op, operandOf(e.Right, values))
	case *criteria.Between:
		x := operandOf(e.X, values)
		low, known1 := compare(x, ">=", operandOf(e.Low, values))
		high, known2 := compare(x, "<=", operandOf(e.High, values))
		return (low && high) != e.Not, known1 && known2
	case *criteria.Within:
		ok, known = compare(operandOf(e.X, values), "=", operandOf(e.Period, values))
		return ok != e.Not, known
	case *criteria.In:
		x := operandOf(e.X, values)
		known = x.kind != ""
		for _, item := range e.Items {
			for _, one := range operandsOf(item, values) {
				if same, sure := compare(x, "=", one); sure && same {
					ok = true
				}
			}
		}
		return ok != e.Not, known
	case *criteria.Parameter:
		v := values[e.Name]
		return v.Bool, v.Given
	}
	return false, false
}

// operand is one side of a comparison; without a kind it is blank.
type operand struct {
	kind   catalog.Type
	span   period.Span
	number decimal.Decimal
	text   string
	yes    bool
}

func operandOf(e criteria.Expr, values Values) operand {
	if all := operandsOf(e, values); len(all) == 1 {
		return all[0]
	}
	return operand{}
}

func operandsOf(e criteria.Expr, values Values) []operand {
	switch e := e.(type) {
	case *criteria.Text:
		return []operand{{kind: catalog.Text, text: e.Value}}
	case *criteria.Bool:
		return []operand{{kind: catalog.Boolean, yes: e.Value}}
	case *criteria.Parameter:
		return values[e.Name].operands(e)
	}
	if n, ok := arithmetic(e, values); ok {
		return []operand{{kind: catalog.Decimal, number: n}}
	}
	return nil
}

// operands are the answers to a question, none when it was left blank.
func (v Value) operands(e *criteria.Parameter) []operand {
	var out []operand
	if !v.Given {
		return nil
	}
	for _, n := range v.Numbers {
		out = append(out, operand{kind: catalog.Decimal, number: n})
	}
	for _, t := range v.Texts {
		out = append(out, operand{kind: catalog.Text, text: t})
	}
	for _, s := range v.Spans {
		out = append(out, operand{kind: criteria.Period, span: s})
	}
	switch {
	case out != nil:
	case e.Question.Type == criteria.Period:
		out = append(out, operand{kind: criteria.Period, span: v.Span.Part(e.Part)})
	case e.Question.Type == catalog.Boolean:
		out = append(out, operand{kind: catalog.Boolean, yes: v.Bool})
	}
	return out
}

// compare compares two sides; a stretch of time on the left counts by its
// start, one on the right as a whole, as for the columns of a table.
func compare(x operand, op string, y operand) (ok, known bool) {
	if x.kind == "" || y.kind == "" || x.kind != y.kind {
		return false, false
	}
	order := 0
	switch x.kind {
	case criteria.Period:
		switch {
		case x.span.From < y.span.From:
			order = -1
		case x.span.From >= y.span.Until && y.span.From != y.span.Until:
			order = 1
		}
	case catalog.Decimal:
		order = x.number.Cmp(y.number)
	case catalog.Text:
		order = strings.Compare(x.text, y.text)
	case catalog.Boolean:
		if x.yes != y.yes {
			order = 1
		}
	}
	return criteria.Holds(order, op), true
}
