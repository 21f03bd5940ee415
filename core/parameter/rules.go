package parameter

import (
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/evaluate"
)

// Rule is a condition across answers, with what to say when it is broken.
type Rule struct {
	Expr    criteria.Expr
	Message string
	// Hint is a way out, may be empty.
	Hint string
}

// CheckRules tries every rule. One that is open because a question was left
// blank is not broken. The problem stands at the last question the rule names.
func CheckRules(rules []Rule, values Values, ctx civil.Calendar) diag.Problems {
	if len(rules) == 0 {
		return nil
	}
	var problems diag.Problems
	evaluator := evaluate.New(ctx, nil)
	for _, r := range rules {
		if ok, known := evaluator.Holds(values.Put(r.Expr, ctx), nil); ok || !known {
			continue
		}
		p := diag.Problem{Code: "rule_broken", Message: r.Message, Hint: r.Hint}
		if names := criteria.Parameters(r.Expr); len(names) > 0 {
			p.Field = names[len(names)-1]
		}
		problems = append(problems, p)
	}
	return problems
}

// Put puts the answers into an expression on questions alone, reads the periods that are written out
// in it, and simplifies it.
func (v Values) Put(e criteria.Expr, ctx civil.Calendar) criteria.Expr {
	listed := criteria.Map(e, func(e criteria.Expr) criteria.Expr {
		if in, ok := e.(*criteria.In); ok {
			var items []criteria.Expr
			for _, item := range in.Items {
				if p, ok := item.(*criteria.Parameter); ok {
					items = append(items, v.Answers(p)...)
				} else {
					items = append(items, item)
				}
			}
			in.Items = items
		}
		return e
	})
	return criteria.SimplifyWithin(criteria.Map(listed, func(e criteria.Expr) criteria.Expr {
		switch e := e.(type) {
		case *criteria.Parameter:
			return v.Answers(e)[0]
		case *criteria.Text:
			if e.Period == nil {
				return e
			}
			if span, problems := e.Period.Resolve(ctx); len(problems) == 0 {
				return &criteria.Span{Pos: e.Pos, Span: span}
			}
			return &criteria.Blank{Pos: e.Pos}
		case *criteria.Arithmetic:
			if span, ok := e.Left.(*criteria.Span); ok {
				if moved, ok := e.Move(span); ok {
					return moved
				}
			}
		}
		return e
	}), ctx)
}

// Answers are the answers to a question as constants of an expression: one, or
// several; blank where there is none.
func (v Values) Answers(p *criteria.Parameter) []criteria.Expr {
	answer := v[p.Name]
	if !answer.Given {
		return []criteria.Expr{&criteria.Blank{Pos: p.Pos}}
	}
	out := make([]criteria.Expr, 0, 1)
	for _, t := range answer.Texts {
		out = append(out, &criteria.Text{Pos: p.Pos, Value: t})
	}
	for _, n := range answer.Numbers {
		out = append(out, &criteria.Number{Pos: p.Pos, Value: n})
	}
	for _, s := range answer.Spans {
		out = append(out, &criteria.Span{Pos: p.Pos, Span: s, Type: p.Question.Type})
	}
	switch {
	case len(out) > 0:
	case p.Question.Type == criteria.Period:
		out = append(out, &criteria.Span{Pos: p.Pos, Span: answer.Span.Part(p.Part)})
	default:
		out = append(out, &criteria.Bool{Pos: p.Pos, Value: answer.Bool})
	}
	return out
}
