package definition

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/proof"
	"pikegate/core/sqltext"
)

// named lists the criteria that expressions meet by name.
func named(texts ...Text) (names []string) {
	for _, text := range texts {
		if !strings.Contains(strings.ToLower(text.Value), "meets") {
			continue
		}
		e, _ := criteria.Parse(text.Value)
		criteria.Walk(e, func(e criteria.Expr) {
			if m, ok := e.(*criteria.Meets); ok && !slices.Contains(names, m.Name) {
				names = append(names, m.Name)
			}
		})
	}
	return names
}

// expressions are the texts of a query that can ask about records: its criteria, columns
// and keys, how its tables are joined, and which records choices are taken from.
func (q *Query) expressions() []Text {
	all := []Text{q.Criteria}
	for _, c := range q.Columns {
		all = append(all, c.Value)
	}
	for _, text := range q.Sort {
		_, by := sortKey(text.Value)
		all = append(all, Text{by, text.Line})
	}
	for _, j := range q.Joins {
		all = append(all, j.On)
	}
	for _, question := range q.Parameters {
		all = append(all, question.Choices.Where)
	}
	if q.SQL.Value != "" {
		pieces, _ := sqltext.Split(q.SQL.Value, sqltext.Flavour{}) // whatever the engine: it is for the names in it
		for _, p := range pieces {
			if p.Kind == sqltext.Condition {
				all = append(all, Text{p.Text, q.SQL.Line})
			}
		}
	}
	return all
}

// maxNested is how deep named criteria may use each other.
const maxNested = 8

// meets gives the condition of a named criterion as this query means it: bare
// names are columns of the table the criterion is about.
func (c *compiler) meets(m *criteria.Meets) (criteria.Expr, *diag.Problem) {
	fail := func(code, message, hint string) (criteria.Expr, *diag.Problem) {
		return nil, &diag.Problem{Code: code, Message: message, Hint: hint}
	}
	criterion, ok := c.library.criterion(m.Name)
	if !ok {
		return fail("unknown_criterion", "There is no criterion "+m.Name+" here.", "Push it first, or give its file as well.")
	}
	if len(c.query.Union) > 0 {
		return fail("not_in_union", "The criterion "+m.Name+" is about the table "+criterion.On+", and a union has columns alone.", "Write it in its queries.")
	}
	m.Title, _ = criterion.Heading()
	var aliases []string
	for _, t := range c.scope.Tables {
		if strings.EqualFold(t.Table.Name, criterion.On) && (m.Of == "" || strings.EqualFold(m.Of, t.Alias)) {
			aliases = append(aliases, t.Alias)
		}
	}
	switch {
	case len(aliases) == 0 && m.Of != "":
		return fail("unknown_table", fmt.Sprintf("The query has no table %s that is %s, which %s is about.", m.Of, criterion.On, m.Name), "")
	case len(aliases) == 0:
		return fail("unknown_table", fmt.Sprintf("The criterion %s is about %s, which the query does not have.", m.Name, criterion.On), "Join "+criterion.On+" first.")
	case len(aliases) > 1:
		return fail("ambiguous_table", fmt.Sprintf("The query has %s several times.", criterion.On), "Write meets "+m.Name+" of "+strings.Join(aliases, " or of ")+".")
	}
	if c.nested++; c.nested > maxNested {
		c.nested--
		return fail("circular", "The criterion "+m.Name+" refers to itself.", "Remove meets from one of the criteria that use each other.")
	}
	defer func() { c.nested-- }()
	e, problems := criteria.Parse(criterion.Criteria.Value)
	if len(problems) == 0 {
		c.qualify(e, criterion.On, aliases[0])
		problems = criteria.ResolveCondition(criterion.Criteria.Value, e, c.scope)
	}
	if len(problems) > 0 {
		return fail("unsound", "The criterion "+m.Name+" cannot be used here: "+problems[0].Message, problems[0].Hint)
	}
	criteria.Relocate(e, m.Pos)
	return e, nil
}

// qualify puts the name a table has in the query before its columns.
func (c *compiler) qualify(e criteria.Expr, table, alias string) {
	at := slices.IndexFunc(c.scope.Tables, func(t criteria.Table) bool { return t.Alias == alias })
	criteria.WalkOwn(e, func(e criteria.Expr) {
		if column, ok := e.(*criteria.Column); ok {
			_, own := c.scope.Tables[at].Table.Column(column.Name)
			if column.Table == "" && own || strings.EqualFold(column.Table, table) {
				column.Table = alias
			}
		}
		records := criteria.RecordsOf(e)
		if records == nil || c.scope.Related == nil {
			return
		}
		if records.Of != "" && strings.EqualFold(records.Of, table) {
			records.Of = alias
		}
		other, _ := c.scope.Related(records.Table)
		for part := range criteria.Children(e) {
			criteria.Walk(part, func(x criteria.Expr) { // a bare name there is first one of the other table
				column, ok := x.(*criteria.Column)
				if !ok {
					return
				}
				_, near := other.Column(column.Name)
				_, own := c.scope.Tables[at].Table.Column(column.Name)
				if column.Table == "" && own && !near || strings.EqualFold(column.Table, table) && !strings.EqualFold(records.Alias(), table) {
					column.Table = alias
				}
			})
		}
	})
}

// checkCriterion checks a criterion by itself; its columns are looked up in the
// queries that use it.
func checkCriterion(d *Criterion, library Library) diag.Problems {
	q := &Query{Head: d.Head, From: d.On, Parameters: slices.Clone(d.Parameters), Criteria: d.Criteria}
	linked, problems := Linked(q, library)
	c := compiler{query: linked, library: library, problems: problems, out: &Compiled{Query: linked, Offers: map[string]Offer{}}}
	c.name(d.Head)
	c.tables()
	c.questions()
	c.criteria()
	c.unused()
	return c.problems
}

// prove adds what can be proved of the criteria before anything is asked.
func (c *compiler) prove() {
	if !c.provable || c.out.Criteria == nil {
		return
	}
	if conditions, _ := criteria.TakeFirst(c.out.Criteria); conditions != nil {
		c.proveOf("criteria", c.query.Criteria, conditions)
	}
}

// proveOf adds what can be proved of one expression.
func (c *compiler) proveOf(field string, text Text, e criteria.Expr) {
	known := make(map[string]proof.Question, len(c.out.Questions))
	for _, p := range c.out.Questions {
		known[p.Name] = sure(p)
	}
	questions := proof.Questions{Of: func(name string) proof.Question { return known[name] }}
	for _, r := range c.out.Rules {
		if compare, ok := r.Expr.(*criteria.Compare); ok {
			left, ok1 := compare.Left.(*criteria.Parameter)
			right, ok2 := compare.Right.(*criteria.Parameter)
			switch {
			case !ok1 || !ok2 || left.Part != "" || right.Part != "":
			case compare.Op == "<=" || compare.Op == "<":
				questions.Ordered = append(questions.Ordered, [2]string{left.Name, right.Name})
			case compare.Op == ">=" || compare.Op == ">":
				questions.Ordered = append(questions.Ordered, [2]string{right.Name, left.Name})
			}
		}
	}
	c.place(field, text, proof.Check(text.Value, e, questions))
}

// sure is what is sure about the answer to a question.
func sure(p parameter.Parameter) proof.Question {
	q := proof.Question{Earliest: civil.Start, Latest: civil.End}
	answered := p.Required || len(p.Default) > 0
	q.Optional = !answered && p.WhenBlank != parameter.MatchBlank && p.Derive == ""
	q.Certain = answered && !p.Many && !p.IncludeBlanks && (p.Kind != parameter.Period || p.Limits.Ends == parameter.EndsClosed)
	if span, ok := fixed(p.Limits.Earliest); ok {
		q.Earliest = span.From
	}
	if span, ok := fixed(p.Limits.Latest); ok {
		q.Latest = span.Until
	}
	q.Least, q.Most = number(p.Limits.Least), number(p.Limits.Most)
	return q
}

// fixed reads a period that means the same on every day.
func fixed(text string) (period.Span, bool) {
	if text == "" {
		return period.Span{}, false
	}
	e, problems := period.Parse(text)
	if len(problems) > 0 {
		return period.Span{}, false
	}
	return proof.Fixed(e)
}
