package criteria

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
)

// Alias is the name of the other table in its condition.
func (e *Related) Alias() string {
	if e.As != "" {
		return e.As
	}
	return catalog.Unqualified(e.Table)
}

// related resolves a condition on the records of another table: finds the table,
// resolves what is asked of its records, and how they belong to a record.
func (r *resolver) related(e *Related) {
	e.Inner = Table{Alias: e.Alias(), Table: catalog.Table{Name: e.Table}}
	if e.N != nil {
		r.howMany(e)
	}
	if r.scope.Open {
		r.inner(e)
		return
	}
	if r.scope.Related == nil {
		r.fail(e.Pos, "no_tables_here", "Records of other tables cannot be asked about here.", "Use this in the criteria of a query on tables.")
		return
	}
	table, ok := r.scope.Related(e.Table)
	if !ok {
		r.fail(e.Pos, "unknown_table", "The source has no table "+e.Table+".", "")
		return
	}
	e.Inner.Table = table
	for _, t := range r.scope.Tables {
		if strings.EqualFold(t.Alias, e.Inner.Alias) {
			r.fail(e.Pos, "twice", "The query has a table called "+t.Alias+" already.", fmt.Sprintf("Give this one another name: %s %s as other.", e.Quantity, e.Table))
			return
		}
	}
	before := len(r.problems)
	r.inner(e)
	if len(r.problems) == before && (e.Of != "" || !r.namesOuter(e)) {
		r.link(e)
	}
}

func (r *resolver) howMany(e *Related) {
	t := r.typeOf(e.N)
	number, written := e.N.(*Number)
	switch {
	case t != unknownType && t != catalog.Integer:
		r.fail(e.N.At(), "type_mismatch", "How many records there are to be is a whole number; this is "+a(t)+".", "Write at least 3.")
	case written && number.Value.IsNegative():
		r.fail(e.N.At(), "bad_number", "There are never fewer than no records.", "Write 0 or more.")
	}
}

// inner resolves what is asked of the other table's records.
func (r *resolver) inner(e *Related) {
	if e.Where == nil {
		return
	}
	if HasAggregate(e.Where) {
		r.fail(e.Where.At(), "aggregate_here", "An aggregate cannot be used here.", "Write at least 3 "+e.Table+" to count records.")
		return
	}
	outer := r.scope
	r.scope.Near = &e.Inner
	if outer.Near != nil { // one inside another: the table between stands among those of the query
		r.scope.Tables = append(slices.Clone(outer.Tables), *outer.Near)
	}
	r.condition(e.Where)
	r.scope = outer
}

// namesOuter tells whether the condition says itself how the records belong
// together: it names a column of the query.
func (r *resolver) namesOuter(e *Related) bool {
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
func (r *resolver) link(e *Related) {
	outer := r.scope.Tables
	if r.scope.Near != nil {
		outer = append([]Table{*r.scope.Near}, outer...)
	}
	var links []Expr
	var said []string
	add := func(t Table, own, other []string) {
		l := &Logic{Pos: e.Pos}
		for i := range own {
			x, ok1 := e.Inner.Table.Column(own[i])
			y, ok2 := t.Table.Column(other[i])
			if !ok1 || !ok2 {
				return
			}
			l.Terms = append(l.Terms, &Compare{
				Pos: e.Pos, Op: "=",
				Left:  &Column{e.Pos, e.Inner.Alias, x.Name, Ref{e.Inner.Alias, x, x.Nullable}},
				Right: &Column{e.Pos, t.Alias, y.Name, Ref{t.Alias, y, y.Nullable || t.Optional}},
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
		r.fail(e.Pos, "no_relation", "No foreign key tells which "+e.Table+" belong to a record.", fmt.Sprintf("Write it: %s %s where %s.… = ….", e.Quantity, e.Table, e.Inner.Alias))
	default:
		r.fail(e.Pos, "ambiguous_relation", "Several foreign keys tell which "+e.Table+" belong to a record.", "Write one of them after where: "+strings.Join(said, ", or ")+".")
	}
}
