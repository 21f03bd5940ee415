package criteria

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
)

// Alias is the name of the other table in its condition.
func (e *Records) Alias() string {
	if e.As != "" {
		return e.As
	}
	return catalog.Unqualified(e.Table)
}

// related resolves how many records of another table there are to be.
func (r *resolver) related(e *Related) {
	if e.N != nil {
		r.howMany(e)
	}
	r.records(e, &e.Records, nil)
}

func (r *resolver) howMany(e *Related) {
	t := r.typeOf(e.N)
	number, written := e.N.(*Number)
	switch {
	case t != unknownType && t != catalog.Integer:
		r.fail(e.N.At(), "type_mismatch", "How many records there are to be is a whole number; this is "+t.WithArticle()+".", "Write at least 3.")
	case written && number.Value.IsNegative():
		r.fail(e.N.At(), "bad_number", "There are never fewer than no records.", "Write 0 or more.")
	}
}

// infer makes an aggregate one of another table's records where its columns name a
// table that the query does not have.
func (r *resolver) infer(e *Aggregate) {
	table := tableIn(e.X)
	if e.Records != nil || table == "" || r.hasTable(table) {
		return
	}
	if !r.scope.Open {
		if r.scope.Related == nil {
			return
		}
		if _, ok := r.scope.Related(table); !ok {
			return // told as an unknown table
		}
	}
	e.Records = &Records{Table: table, Inferred: true}
}

func (r *resolver) inferAll(e Expr) {
	Walk(e, func(e Expr) {
		if aggregate, ok := e.(*Aggregate); ok {
			r.infer(aggregate)
		}
	})
}

func (r *resolver) hasTable(alias string) bool {
	return r.scope.Near != nil && strings.EqualFold(r.scope.Near.Alias, alias) ||
		slices.ContainsFunc(r.scope.Tables, func(t Table) bool { return strings.EqualFold(t.Alias, alias) })
}

// records resolves what a node says of the records of another table: finds the
// table, resolves what is asked of its records and, by also, what else is said of
// them, and how they belong to a record.
func (r *resolver) records(at Expr, e *Records, also func()) {
	e.Inner = Table{Alias: e.Alias(), Table: catalog.Table{Name: e.Table}}
	if r.scope.Open {
		r.inner(e, also)
		return
	}
	if r.scope.Related == nil {
		r.fail(at.At(), "no_tables_here", "Records of other tables cannot be asked about here.", "Use this in the criteria or the columns of a query on tables.")
		return
	}
	table, ok := r.scope.Related(e.Table)
	if !ok {
		r.fail(at.At(), "unknown_table", "The source has no table "+e.Table+".", "")
		return
	}
	e.Inner.Table = table
	if r.hasTable(e.Inner.Alias) {
		hint := fmt.Sprintf("Give this one another name: %s as other.", lead(at, e))
		if aggregate, ok := at.(*Aggregate); ok && e.Inferred {
			hint = fmt.Sprintf("Of some of the query's own records, write %s of if(condition, %s, blank).", aggregate.Name, Print(aggregate.X))
		}
		r.fail(at.At(), "twice", "The query has a table called "+e.Inner.Alias+" already.", hint)
		return
	}
	before := len(r.problems)
	r.inner(e, also)
	switch {
	case e.All && e.Of != "":
		r.fail(at.At(), "no_relation", "All "+e.Table+" belong to every record, so that of has no meaning.", "Remove all, or of "+e.Of+".")
	case !e.All && len(r.problems) == before && (e.Of != "" || !r.namesOuter(e)):
		r.link(at, e)
	}
}

// lead is how a node begins, the table included.
func lead(at Expr, e *Records) string {
	switch at := at.(type) {
	case *Related:
		return at.Quantity + " " + e.Table
	case *Aggregate:
		if e.Inferred {
			return at.Name + " of " + Print(at.X)
		}
		if at.X != nil {
			return at.Name + " of " + Print(at.X) + " from " + e.Table
		}
	}
	return "count of " + e.Table
}

// inner resolves what is said of the other table's records.
func (r *resolver) inner(e *Records, also func()) {
	outer := r.scope
	defer func() { r.scope = outer }()
	r.scope.Near = &e.Inner
	if outer.Near != nil { // one inside another: the table between stands among those of the query
		r.scope.Tables = append(slices.Clone(outer.Tables), *outer.Near)
	}
	if also != nil {
		also()
	}
	if e.Where == nil {
		return
	}
	r.inferAll(e.Where)
	if HasAggregate(e.Where) {
		r.fail(e.Where.At(), "aggregate_here", "An aggregate cannot be used here.", "Write at least 3 "+e.Table+" to count records.")
		return
	}
	r.condition(e.Where)
}

// namesOuter tells whether the condition says itself how the records belong
// together: it names a column of the query.
func (r *resolver) namesOuter(e *Records) bool {
	found := false
	Walk(e.Where, func(x Expr) {
		c, ok := x.(*Column)
		found = found || ok && c.Ref.Alias != "" && c.Ref.Alias != e.Inner.Alias && r.isOuter(c.Ref.Alias)
	})
	return found
}

func (r *resolver) isOuter(alias string) bool {
	return r.scope.Near != nil && r.scope.Near.Alias == alias || slices.ContainsFunc(r.scope.Tables, func(t Table) bool { return t.Alias == alias })
}

// link finds the one foreign key along which the other table's records belong to
// those of a table of the query.
func (r *resolver) link(at Expr, e *Records) {
	pos := at.At()
	outer := r.scope.Tables
	if r.scope.Near != nil {
		outer = append([]Table{*r.scope.Near}, outer...)
	}
	var links []Expr
	var said []string
	add := func(t Table, own, other []string) {
		l := &Logic{Pos: pos}
		for i := range own {
			x, ok1 := e.Inner.Table.Column(own[i])
			y, ok2 := t.Table.Column(other[i])
			if !ok1 || !ok2 {
				return
			}
			l.Terms = append(l.Terms, &Compare{
				Pos: pos, Op: "=",
				Left:  &Column{pos, e.Inner.Alias, x.Name, Ref{e.Inner.Alias, x, x.Nullable}},
				Right: &Column{pos, t.Alias, y.Name, Ref{t.Alias, y, y.Nullable || t.Optional}},
			})
		}
		link := Expr(l)
		if len(l.Terms) == 1 {
			link = l.Terms[0]
		}
		links, said = append(links, link), append(said, Print(link))
	}
	for _, t := range outer {
		if e.Of != "" && !strings.EqualFold(e.Of, t.Alias) && !strings.EqualFold(e.Of, t.Table.Name) {
			continue
		}
		for _, ref := range e.Inner.Table.References {
			if strings.EqualFold(ref.Table, t.Table.Name) {
				add(t, ref.Columns, ref.To)
			}
		}
		for _, ref := range t.Table.References {
			if strings.EqualFold(ref.Table, e.Inner.Table.Name) && !strings.EqualFold(t.Table.Name, e.Inner.Table.Name) {
				add(t, ref.To, ref.Columns)
			}
		}
	}
	switch len(links) {
	case 1:
		e.Link = links[0]
	case 0:
		r.fail(pos, "no_relation", "No foreign key tells which "+e.Table+" belong to a record.", fmt.Sprintf("Write it: %s where %s.… = …; or all %s, whatever the record.", lead(at, e), e.Inner.Alias, e.Table))
	default:
		r.fail(pos, "ambiguous_relation", "Several foreign keys tell which "+e.Table+" belong to a record.", "Write one of them after where: "+strings.Join(said, ", or ")+".")
	}
}
