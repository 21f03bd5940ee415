package plan

import (
	"slices"

	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/sqltext"
)

// raw puts the answers into hand-written SQL.
func (b *binder) raw(s *Statement) {
	for _, p := range b.compiled.SQL {
		piece := Piece{Text: p.Text, Slot: p.Kind == sqltext.Criteria}
		if p.Kind == sqltext.Value {
			at := slices.IndexFunc(b.compiled.Questions, func(q parameter.Parameter) bool { return q.Name == p.Text })
			if at < 0 {
				continue // told by the check
			}
			q := b.compiled.Questions[at]
			if said := q.Label + ": " + q.ReadBack(b.given[p.Text]); b.given[p.Text].Given && !slices.Contains(s.Said, said) {
				s.Said = append(s.Said, said)
			}
			b.used[p.Text] = true
			piece.List = q.Many
			piece.Values = plainValues(q, b.given[p.Text], p.Part)
		}
		s.Raw = append(s.Raw, piece)
	}
}

// plainValues are the values of an answer as they are bound where nothing is
// known of what they stand beside: dates as ISO text. Left blank, it is blank.
func plainValues(q parameter.Parameter, v parameter.Value, part string) []any {
	if !v.Given {
		return []any{nil}
	}
	var out []any
	switch {
	case q.Kind == parameter.Period:
		if end := v.Span.Part(part); end.From == end.Until { // an open end
			return []any{nil}
		} else if v.Span.WholeDays() {
			out = append(out, end.FirstDay().String())
		} else {
			out = append(out, end.From.String())
		}
	case q.Kind == parameter.Date:
		for _, s := range v.Spans {
			out = append(out, s.FirstDay().String())
		}
	case q.Kind == parameter.DateTime:
		for _, s := range v.Spans {
			out = append(out, s.From.String())
		}
	case q.Kind == parameter.YesNo:
		out = append(out, v.Bool)
	default:
		for _, t := range v.Texts {
			out = append(out, t)
		}
		for _, n := range v.Numbers {
			out = append(out, n)
		}
	}
	return out
}

// Described is the statement of hand-written SQL without any answer, to ask
// what its columns are.
func Described(q *definition.Query, pieces []sqltext.Piece) Statement {
	s := Statement{DateIndex: -1}
	for _, p := range pieces {
		piece := Piece{Text: p.Text, Slot: p.Kind == sqltext.Criteria}
		if p.Kind == sqltext.Value {
			piece.Values = []any{nil}
			for _, question := range q.Parameters {
				piece.List = piece.List || question.Name == p.Text && question.Many
			}
		}
		s.Raw = append(s.Raw, piece)
	}
	return s
}
