package definition

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/proof"
)

// maxUnion is how many queries are put below each other at the most.
const maxUnion = 20

// member is a query of a union, compiled by itself.
type member struct {
	field    string
	query    *Query // its questions filled in
	compiled *Compiled
	// values are what its columns are made of, by their names in lower case.
	values map[string]criteria.Expr
}

// union reads the queries whose records a query puts below each other. Their columns are
// what its own columns, criteria and order name, and their questions are asked once.
func (c *compiler) union() {
	q := c.query
	if q.From != "" || len(q.Joins) > 0 || q.SQL.Value != "" || len(q.Tables) > 0 {
		c.fail("union", 0, "twice", "A query has union, or from or sql, not both.", "Remove one of them.")
	}
	if len(q.Union) < 2 || len(q.Union) > maxUnion {
		c.fail("union", 0, "union_size", fmt.Sprintf("A union is of 2 to %d queries.", maxUnion), "Name each query whose records are wanted.")
	}
	if q.Distinct {
		c.fail("distinct", 0, "not_in_union", "distinct does not work on a union: it returns the records of its queries one by one.", "Leave it out.")
	}
	for i, name := range q.Union {
		if m, ok := c.member(fmt.Sprintf("union[%d]", i), name, slices.Contains(q.Union[:i], name)); ok {
			c.members = append(c.members, m)
		}
	}
	whole := len(c.members) == len(q.Union) && len(q.Union) > 0
	c.scope.Open = c.scope.Open || !whole
	c.scope.Related = func(string) (catalog.Table, bool) { return catalog.Table{}, false }
	result := catalog.Table{Name: Result, View: true}
	if whole {
		result.Columns = c.alike()
	}
	c.out.From = criteria.Table{Alias: Result, Table: result}
	c.scope.Tables = []criteria.Table{c.out.From}
	c.columnsOfUnion()
	for _, m := range c.members {
		c.askedOnce(m)
	}
}

// member finds a query of the union and compiles it; false where it cannot be one, which is
// told.
func (c *compiler) member(field, name string, twice bool) (m member, ok bool) {
	fail := func(code, message, hint string) (member, bool) {
		c.fail(field, 0, code, message, hint)
		return m, false
	}
	query, found := c.library.query(name)
	switch {
	case twice:
		return fail("twice", "The query "+name+" is in the union twice.", "Remove one of them.")
	case !found:
		return fail("unknown_query", "There is no query "+name+" here.", "Push it first, or give its file as well.")
	case len(query.Union) > 0:
		return fail("not_in_union", "The query "+name+" is a union itself.", "Name the queries that it is of.")
	case query.SQL.Value != "":
		return fail("not_in_union", "The query "+name+" is hand-written SQL, to which the conditions of a union cannot be added.", "Write union all in the SQL, or that query with from.")
	case query.Source != c.query.Source:
		return fail("other_source", "The query "+name+" is on another source.", "A union is of queries on one source, whose records one statement reads.")
	case query.Calendar != "" && query.Calendar != c.query.Calendar:
		return fail("calendars_differ", "The query "+name+" has the calendar "+query.Calendar+", and the union has not.", "Write calendar: "+query.Calendar+" in the union too.")
	}
	linked, problems := Linked(query, c.library)
	compiled, more := Compile(linked, c.source, c.library)
	_, firsts := criteria.TakeFirst(compiled.Criteria)
	switch {
	case append(problems, more...).Failed():
		return fail("unsound", "The query "+name+" is not valid.", "Check it first.")
	case compiled.Grouped || firsts != nil || slices.ContainsFunc(compiled.Columns, func(col CompiledColumn) bool { return criteria.HasInOrder(col.Expr) }):
		return fail("not_in_union", "The query "+name+" does not return each record by itself: it groups them, or looks at their order.", "Put queries of single records below each other, and have a report group and count them.")
	}
	m = member{field: field, query: linked, compiled: compiled, values: map[string]criteria.Expr{}}
	for _, col := range compiled.Query.Columns {
		m.values[strings.ToLower(col.Name)], _ = criteria.Parse(col.Value.Value)
	}
	return m, true
}

// alike are the columns that the queries of the union have in common: those of the first,
// which the others must have too.
func (c *compiler) alike() (columns []catalog.Column) {
	first := c.members[0]
	for _, col := range first.compiled.Columns {
		made := catalog.Column{Name: col.Name, Type: col.Type, Nullable: true}
		wanted := len(c.query.Columns) == 0 || c.says(col.Name)
		for _, m := range c.members[1:] {
			at := slices.IndexFunc(m.compiled.Columns, func(other CompiledColumn) bool { return strings.EqualFold(other.Name, col.Name) })
			switch {
			case at < 0:
				if wanted {
					c.fail(m.field, 0, "not_alike", fmt.Sprintf("The query %s has no column %s, which %s has.", m.query.Name, col.Name, first.query.Name), "Add it there, or name the columns of the union in columns.")
				}
			case c.source == nil: // types are not known
			case made.Type.IsNumber() && m.compiled.Columns[at].Type.IsNumber():
				if made.Type != m.compiled.Columns[at].Type {
					made.Type = catalog.Decimal
				}
			case made.Type != m.compiled.Columns[at].Type && wanted:
				c.fail(m.field, 0, "not_alike", fmt.Sprintf("%s is %s in %s, and %s in %s.", col.Name, m.compiled.Columns[at].Type.WithArticle(), m.query.Name, made.Type.WithArticle(), first.query.Name), "Give both the same type: date_of(x), date_in(x, 'D.M.Y') or number_of(x, ',') change it.")
			}
		}
		switch made.Type { // in which the criteria read it; each query has its own
		case catalog.Date:
			made.Encoding, made.Stored = catalog.EncISODate, catalog.Text
		case catalog.DateTime:
			made.Encoding, made.Stored = catalog.EncISOLocal, catalog.Text
		}
		columns = append(columns, made)
	}
	if len(c.query.Columns) > 0 {
		return columns
	}
	for _, m := range c.members[1:] {
		for _, col := range m.compiled.Columns {
			if !slices.ContainsFunc(columns, func(other catalog.Column) bool { return strings.EqualFold(other.Name, col.Name) }) {
				c.problems = append(c.problems, diag.Problem{
					Code: "column_not_listed", Severity: diag.Warning, Field: m.field,
					Message: fmt.Sprintf("The query %s returns %s as well, which %s does not; it is not shown.", m.query.Name, col.Name, first.query.Name), Hint: "Add it to the other queries, or take it out of this one.",
				})
			}
		}
	}
	return columns
}

// says tells whether the columns, criteria or order of the union name a column.
func (c *compiler) says(name string) bool {
	return slices.ContainsFunc(c.query.expressions(), func(text Text) bool { return names(text, name) })
}

// columnsOfUnion has the columns of the union shown as the first query shows them, where
// it says nothing else.
func (c *compiler) columnsOfUnion() {
	if len(c.members) == 0 {
		return
	}
	first := c.members[0].compiled
	if len(c.query.Columns) == 0 {
		for _, col := range first.Columns {
			c.query.Columns = append(c.query.Columns, Column{Name: col.Name, Value: Text{Value: criteria.Print(&criteria.Column{Name: col.Name})}})
		}
	}
	c.query.Columns = slices.Clone(c.query.Columns)
	for i := range c.query.Columns {
		col := &c.query.Columns[i]
		plain, ok := col.plain()
		if !ok {
			continue
		}
		for _, own := range first.Columns {
			if strings.EqualFold(own.Name, plain.Name) {
				if col.Label == "" && (own.Label != "" || col.Name == own.Name) {
					col.Label = own.Label
				}
				if col.Format == "" {
					col.Format = own.Format
				}
			}
		}
	}
}

// askedOnce adds the questions and rules of a query to those of the union.
func (c *compiler) askedOnce(m member) {
	for _, q := range m.query.Parameters {
		c.used = append(c.used, q.Name)
		at := slices.IndexFunc(c.query.Parameters, func(own Question) bool { return own.Name == q.Name })
		switch {
		case at < 0:
			c.query.Parameters = append(c.query.Parameters, q)
			c.asked = append(c.asked, q.Name)
		case c.query.Parameters[at].Kind != q.Kind || c.query.Parameters[at].Many != q.Many:
			c.fail(m.field, 0, "questions_differ", fmt.Sprintf("The question %s of %s is of another kind than that of the union or of the queries before.", q.Name, m.query.Name), "Ask for the same in each, or give one of them another name.")
		}
	}
	if c.query.Unfit == "" { // what one of them refuses, the union does
		c.query.Unfit = m.query.Unfit
	}
	rules := slices.Clone(c.query.Rules)
	for _, rule := range m.query.Rules {
		if !slices.ContainsFunc(rules, func(own Rule) bool { return own.Rule.Value == rule.Rule.Value }) {
			rules = append(rules, rule)
		}
	}
	c.query.Rules = rules
}

// offerOfUnion checks from which column of the union the answers of a question are chosen.
// Those of its queries' questions are their own.
func (c *compiler) offerOfUnion(field string, q Question) {
	if q.Choices.Column == "" || slices.Contains(c.asked, q.Name) {
		return
	}
	if q.Choices.Where.Value != "" {
		c.fail(field+".where", 0, "not_in_union", "where does not go with a column of a union.", "Ask the question in the queries, each with its own where.")
	}
	for _, m := range c.members {
		if _, plain := m.values[strings.ToLower(q.Choices.Column)].(*criteria.Column); !plain {
			c.fail(field+".column", 0, "bad_column", fmt.Sprintf("%q is not a column of a table in the query %s.", q.Choices.Column, m.query.Name), "Name a column of the union that is a plain column in each of its queries.")
			return
		}
	}
}

// single refuses what would need the records of all queries at once.
func (c *compiler) single() {
	refuse := func(field string, line int, e criteria.Expr) {
		_, firsts := criteria.TakeFirst(e)
		related := false
		criteria.Walk(e, func(e criteria.Expr) { related = related || criteria.RecordsOf(e) != nil })
		switch {
		case related:
			c.fail(field, line, "not_in_union", "A union cannot ask about records of other tables.", "Write this in its queries, as a condition or a column of theirs.")
		case firsts != nil || criteria.HasAggregate(e) || criteria.HasInOrder(e):
			c.fail(field, line, "not_in_union", "A union returns the records of its queries one by one: it neither groups them nor looks at their order.", "Have a report group and count them.")
		}
	}
	refuse("criteria", c.query.Criteria.Line, c.out.Criteria)
	for i, col := range c.out.Columns {
		refuse(nth("columns", i), col.Value.Line, col.Expr)
	}
	for i, key := range c.out.Sort {
		refuse(nth("sort", i), c.query.Sort[i].Line, key.Expr)
	}
}

// parts makes a query of its own of each of the union: with its conditions and those of the
// union, and the columns of the union made of what its own are made of.
func (c *compiler) parts() {
	c.single()
	if c.problems.Failed() {
		return
	}
	for _, m := range c.members {
		part, problems := c.part(m)
		for _, p := range problems {
			told := diag.Problem{Code: "unsound", Field: m.field, Message: fmt.Sprintf("What the union says does not go with the query %s: %s", m.query.Name, p.Message), Hint: p.Hint}
			switch {
			case p.Severity == diag.Warning || p.Code == "unused_parameter": // a question of another of the queries
				continue
			case p.Code == string(proof.Never): // the others may have records
				told.Code, told.Severity = p.Code, diag.Warning
			}
			c.problems = append(c.problems, told)
		}
		part.Own, part.Shared = m.compiled.Columns, len(conditionsIn(c.out.Criteria))
		c.out.Parts = append(c.out.Parts, part)
	}
}

// part is a query of the union with what the union says.
func (c *compiler) part(m member) (*Compiled, diag.Problems) {
	part := *m.query
	part.Calendar, part.Rules, part.Sort = c.query.Calendar, nil, nil
	part.Parameters = slices.Clone(c.query.Parameters)
	for i := range part.Parameters {
		q := &part.Parameters[i]
		own := slices.IndexFunc(m.query.Parameters, func(own Question) bool { return own.Name == q.Name })
		switch {
		case q.Choices.Column == "":
		case !slices.Contains(c.asked, q.Name):
			column, _ := m.values[strings.ToLower(q.Choices.Column)].(*criteria.Column)
			if column.Table == "" && len(m.query.Joins) == 0 {
				column = &criteria.Column{Table: m.compiled.From.Alias, Name: column.Name}
			}
			q.Choices.Column = criteria.Print(column)
		case own >= 0:
			q.Choices = m.query.Parameters[own].Choices
		default: // it is not asked here
			q.Choices = Choices{}
		}
	}
	part.Columns = slices.Clone(c.query.Columns)
	for i := range part.Columns {
		part.Columns[i].Value = Text{Value: criteria.Print(m.says(part.Columns[i].Value.Value))}
	}
	terms := slices.Concat(conditionsIn(m.says(c.query.Criteria.Value)), conditionsIn(parsed(m.query.Criteria.Value)))
	part.Criteria = Text{}
	switch len(terms) {
	case 0:
	case 1:
		part.Criteria.Value = criteria.Print(terms[0])
	default:
		part.Criteria.Value = criteria.Print(&criteria.Logic{Terms: terms})
	}
	return Compile(&part, c.source, c.library)
}

func parsed(text string) criteria.Expr {
	if strings.TrimSpace(text) == "" {
		return nil
	}
	e, _ := criteria.Parse(text) // its problems are told where it stands
	return e
}

func conditionsIn(e criteria.Expr) []criteria.Expr {
	if e == nil {
		return nil
	}
	return criteria.Conditions(e)
}

// says is what an expression of the union says in the query: with what the query's columns
// are made of in the place of their names.
func (m member) says(text string) criteria.Expr {
	return criteria.Map(parsed(text), func(e criteria.Expr) criteria.Expr {
		if column, ok := e.(*criteria.Column); ok {
			if value, ok := m.values[strings.ToLower(column.Name)]; ok {
				return value
			}
		}
		return e
	})
}
