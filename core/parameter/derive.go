package parameter

import (
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/evaluate"
	"pikegate/core/period"
)

// needs are the questions whose values a derived one is made of.
func (q Parameter) needs() []string {
	switch q.Kind {
	case Period, Date, DateTime:
		e, _ := period.Parse(q.Derive) // what cannot be read is told by derive
		return e.Names()
	case Integer, Decimal:
		if e, problems := criteria.Parse(q.Derive); len(problems) == 0 {
			return criteria.Parameters(e)
		}
		return nil
	}
	return []string{strings.TrimPrefix(strings.TrimSpace(q.Derive), ":")}
}

// derive works a value out from others: a period or date by the language of
// periods (":period - 1 year"), a number by an expression (":from * 2"), a text
// by naming another (":region"). Without what it needs it is left blank.
func (q Parameter) derive(values Values, questions []Parameter, ctx Context) (Value, diag.Problems) {
	switch q.Kind {
	case Period, Date, DateTime:
		return q.deriveSpan(values, ctx)
	case Integer, Decimal:
		return q.deriveNumber(values, questions, ctx)
	}
	v := values[strings.TrimPrefix(strings.TrimSpace(q.Derive), ":")]
	v.Typed = q.Derive
	return v, nil
}

func (q Parameter) deriveNumber(values Values, questions []Parameter, ctx Context) (Value, diag.Problems) {
	e, problems := Formula(q.Derive, questions)
	if len(problems) > 0 {
		return Value{}, problems
	}
	n, ok := evaluate.New(ctx.Calendar, nil).Value(values.Put(e, ctx.Calendar), nil).(decimal.Decimal)
	n = n.Round(criteria.ShownPlaces)
	if !ok {
		return Value{}, nil
	}
	if q.Kind == Integer {
		n = n.Round(0)
	}
	return Value{Given: true, Typed: q.Derive, Numbers: []decimal.Decimal{n}}, nil
}

// Formula reads how a number is worked out from other questions.
func Formula(text string, questions []Parameter) (criteria.Expr, diag.Problems) {
	e, problems := criteria.Parse(text)
	if len(problems) > 0 {
		return nil, problems
	}
	scope := criteria.Scope{Questions: make([]criteria.Question, len(questions))}
	for i, q := range questions {
		scope.Questions[i] = q.Question()
	}
	return e, criteria.ResolveNumber(text, e, scope)
}

func (q Parameter) deriveSpan(values Values, ctx Context) (Value, diag.Problems) {
	e, problems := period.Parse(q.Derive)
	if len(problems) > 0 {
		return Value{}, problems
	}
	for _, name := range e.Names() {
		if !values[name].Given {
			return Value{}, nil
		}
	}
	span, problems := e.ResolveWith(ctx.Calendar, func(name string) (period.Span, bool) { return values[name].stretch() })
	if len(problems) > 0 {
		return Value{}, problems
	}
	v := Value{Given: true, Typed: q.Derive, Span: span}
	if q.Kind != Period {
		v.Spans = []period.Span{span}
	}
	return v, nil
}

// stretch is the value as one stretch of time.
func (v Value) stretch() (period.Span, bool) {
	if len(v.Spans) > 0 {
		return v.Spans[0], v.Given
	}
	return v.Span, v.Given
}
