package plan

import (
	"errors"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/sqltext"
)

// raw puts the answers into hand-written SQL.
func (b *binder) raw(s *Statement) {
	placed := b.compiled.Placed
	for _, p := range b.compiled.SQL {
		piece := Piece{Text: p.Text, Slot: p.Kind == sqltext.Criteria}
		switch p.Kind {
		case sqltext.Condition:
			condition := b.placed(s, placed[0])
			piece.Condition, placed = &condition, placed[1:]
		case sqltext.Rows:
			if t, ok := b.compiled.RowsOf(p.Text); ok { // one that is not there is told by the check
				table := b.tableOf(t, t.Own())
				piece.Table, piece.Named = &table, p.Named
			}
		case sqltext.Value:
			at := slices.IndexFunc(b.compiled.Questions, func(q parameter.Parameter) bool { return q.Name == p.Text })
			if at < 0 {
				continue // told by the check
			}
			q := b.compiled.Questions[at]
			if said := q.Label + ": " + q.ReadBack(b.given[p.Text], b.calendar.Language); b.given[p.Text].Given && !slices.Contains(s.Said, said) {
				s.Said = append(s.Said, said)
			}
			b.used[p.Text] = true
			piece.List = q.Many
			piece.Values = b.plainValues(q, p)
			s.Raw = append(s.Raw, piece)
			if staysAs(p, q) {
				s.Raw = append(s.Raw, Piece{Text: p.AsText})
			}
			continue
		}
		s.Raw = append(s.Raw, piece)
	}
}

// staysAs tells whether "as" and what follows a value stay in the SQL: a name for it in
// the result, or the type of a cast, even where that is the form as well.
func staysAs(p sqltext.Piece, q parameter.Parameter) bool {
	_, isForm := definition.FormOf(p)
	return p.AsText != "" && (!isForm || !q.Kind.IsDated() || p.Call == "cast" && p.After != "as")
}

// placed binds a condition in braces.
func (b *binder) placed(s *Statement, p definition.Placed) Condition {
	made := b.bindOne(s, resolved{p.Expr, b.bare(p.Expr)}, strings.TrimSpace(p.Text))
	if p.Part {
		made.Words += " (in a part only)"
	}
	return made
}

// plainValues are the values of an answer that stands in the SQL by itself: dates in
// the form that it says. Left blank, it is blank.
func (b *binder) plainValues(q parameter.Parameter, p sqltext.Piece) []any {
	v := b.given[q.Name]
	if !v.Given {
		return []any{nil}
	}
	var out []any
	switch {
	case q.Kind == parameter.Period:
		out = append(out, b.inForm(q, p, v.Span.Part(p.Part)))
	case q.Kind.IsDated():
		for _, span := range v.Spans {
			out = append(out, b.inForm(q, p, span))
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

// inForm is the start of a stretch of time in the form that a value takes; an end that
// is open has none.
func (b *binder) inForm(q parameter.Parameter, p sqltext.Piece, span period.Span) any {
	if span.From == civil.Start || span.From == civil.End {
		return nil
	}
	form, _ := definition.FormOf(p)
	column := catalog.Column{Name: q.Name, Type: form.Type(), Stored: catalog.Text, Encoding: form}
	if form == catalog.EncYMD || form == catalog.EncYM || form.IsCount() {
		column.Stored = catalog.Integer
	}
	v, err := column.Bound(span.From, b.calendar.Zone)
	if err == nil {
		return v
	}
	problem := diag.Problem{Code: "finer_than_column", Field: q.Name, Message: q.ReadBack(b.given[q.Name], b.calendar.Language) + " cannot be written as " + p.As + ".", Hint: "Give dates that start and end between " + unitOf(&column) + "."}
	if !errors.Is(err, catalog.ErrFiner) {
		problem.Code, problem.Hint = "out_of_range", "Give other dates."
	}
	b.problems = append(b.problems, problem)
	return nil
}

// Described is the statement of hand-written SQL without any answer, to ask
// what its columns are. In the place of rows(t) stands the table, or, where apart says
// so, nothing that reads it: to ask what else is read.
func Described(q *definition.Query, pieces []sqltext.Piece, table func(name string) (catalog.Table, bool), apart bool) Statement {
	s := Statement{DateIndex: -1}
	for _, p := range pieces {
		piece := Piece{Text: p.Text, Slot: p.Kind == sqltext.Criteria}
		switch p.Kind {
		case sqltext.Rows:
			t, _ := table(p.Text)
			piece.Table, piece.Named = &Table{Schema: t.Schema, Name: t.Own(), Alias: t.Own()}, p.Named
			if apart {
				piece.Text, piece.Table = emptyLike(t), nil
				if !p.Named {
					piece.Text += " as " + t.Own()
				}
			}
		case sqltext.Condition:
			piece.Condition = &Condition{}
		case sqltext.Value:
			piece.Values = []any{nil}
			stays := p.AsText != ""
			for _, question := range q.Parameters {
				if question.Name == p.Text {
					piece.List = question.Many
					stays = staysAs(p, question.Parameter())
				}
			}
			if stays {
				s.Raw = append(s.Raw, piece)
				piece = Piece{Text: p.AsText}
			}
		}
		s.Raw = append(s.Raw, piece)
	}
	return s
}

// emptyLike is no rows of a table's columns, which reads nothing. It is asked of SQLite
// alone, where names are quoted so.
func emptyLike(t catalog.Table) string {
	columns := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		columns[i] = `null as "` + strings.ReplaceAll(c.Name, `"`, `""`) + `"`
	}
	return "(select " + strings.Join(columns, ", ") + " where 1 = 0)"
}
