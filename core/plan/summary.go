package plan

import (
	"reflect"
	"slices"
	"strconv"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// Summary is values of another table's records for each record that they belong to,
// worked out in one reading of that table and joined. It serves where a statement
// reads every record of the query anyway; else the few records that are wanted are
// looked up one by one.
type Summary struct {
	Alias string
	From  Table
	// Where is what its records meet, and Keys the equalities by which they belong to a
	// record.
	Where  Expr
	Keys   []SummaryKey
	Values []Expr
}

// SummaryKey is a column of the other table, and the column of the query it equals.
type SummaryKey struct{ Inner, Outer Column }

// SummaryValue is one of the values of a summary; of no records, a count and a sum
// are 0.
type SummaryValue struct {
	Alias string
	At    int
	Of    Expr
}

func (SummaryValue) isExpr() {}

// readsAll tells whether a statement has to look at every record of the query's
// tables, since nothing is asked of the records themselves.
func (b *binder) readsAll() bool {
	if b.compiled.SQL != nil {
		return false
	}
	return !slices.ContainsFunc(b.resolved, func(r resolved) bool {
		if r.bare == nil || criteria.HasAggregate(r.bare) {
			return false
		}
		asked := criteria.FirstColumn(r.bare) != nil
		criteria.WalkOwn(r.bare, func(e criteria.Expr) {
			_, related := e.(*criteria.Related)
			asked = asked || related
		})
		return asked
	})
}

// ofRecords is one value of related records: looked up, or of a summary.
func (b *binder) ofRecords(r *criteria.Records, of Expr) Expr {
	if b.summed != nil && len(b.summed.Summaries) < mostSummaries {
		if keys, rest, ok := b.keysOf(r); ok && !served(r.Inner.Table, keys, rest) {
			return b.summed.value(b.tableOf(r.Inner.Table, r.Inner.Alias), keys, b.together(rest), of, b.compiled.Tables())
		}
	}
	from, condition := b.belonging(r)
	return RelatedValue{from, condition, of}
}

// served tells whether an index leads from a record straight to those that are wanted
// of the other table, so that looking them up reads no others: it begins with the keys,
// and goes on with a column that is compared with something known.
func served(t catalog.Table, keys []SummaryKey, rest []criteria.Expr) bool {
	isKey := func(name string) bool {
		return slices.ContainsFunc(keys, func(k SummaryKey) bool { return strings.EqualFold(k.Inner.Ref.Column.Name, name) })
	}
	isBounded := func(name string) bool {
		return slices.ContainsFunc(rest, func(e criteria.Expr) bool {
			bounds, ok := boundsOf(e)
			return ok && strings.EqualFold(bounds.Column.Ref.Column.Name, name)
		})
	}
	return slices.ContainsFunc(t.Indexes, func(index catalog.Index) bool {
		n := len(keys)
		return len(index.Columns) > n && !slices.ContainsFunc(index.Columns[:n], func(name string) bool { return !isKey(name) }) && isBounded(index.Columns[n])
	})
}

// mostSummaries is how many a statement has at the most, since engines limit how many
// tables are joined; other values are looked up.
const mostSummaries = 16

// together translates conditions that are all to be met.
func (b *binder) together(conditions []criteria.Expr) Expr {
	summed := b.summed
	b.summed = nil // what is asked inside is looked up where it is
	defer func() { b.summed = summed }()
	terms := make([]Expr, len(conditions))
	for i, e := range conditions {
		terms[i] = b.condition(e, false)
	}
	return all(terms...)
}

// keysOf takes apart what related records have to meet: equalities of one of their
// columns with one of the query's, and what is asked of them alone; false where there
// is anything else.
func (b *binder) keysOf(r *criteria.Records) (keys []SummaryKey, rest []criteria.Expr, ok bool) {
	own := func(alias string) bool { // rather than a table that is asked about around it
		return b.compiled.Aliased(alias) != nil
	}
	var terms []criteria.Expr
	for _, condition := range b.askedOfThem(r) {
		terms = append(terms, criteria.Conditions(condition)...)
	}
	for _, term := range terms {
		if inner, outer, ok := equality(term, r.Inner.Alias); ok && own(outer.Ref.Alias) && inner.Ref.Column.Type == outer.Ref.Column.Type && inner.Ref.Column.Stored == outer.Ref.Column.Stored {
			keys = append(keys, SummaryKey{Column{inner.Ref}, Column{outer.Ref}})
			continue
		}
		if !within(term, r.Inner.Alias) {
			return nil, nil, false
		}
		rest = append(rest, term)
	}
	return keys, rest, len(keys) > 0
}

// equality reads a condition as an equality of a column of a table with one of
// another, neither of which has dates.
func equality(e criteria.Expr, alias string) (inner, outer *criteria.Column, ok bool) {
	compare, ok := e.(*criteria.Compare)
	if !ok || compare.Op != "=" || compare.Fold {
		return nil, nil, false
	}
	x, ok1 := compare.Left.(*criteria.Column)
	y, ok2 := compare.Right.(*criteria.Column)
	if !ok1 || !ok2 || (x.Ref.Alias == alias) == (y.Ref.Alias == alias) || x.Ref.Column.Encoding != "" || y.Ref.Column.Encoding != "" {
		return nil, nil, false
	}
	if y.Ref.Alias == alias {
		x, y = y, x
	}
	return x, y, true
}

// within tells whether a condition is on a table alone, and on those that are asked
// about inside it.
func within(e criteria.Expr, alias string) bool {
	known := []string{alias}
	for _, t := range criteria.RelatedTables(e) {
		known = append(known, t.Alias)
	}
	only := true
	var look func(e criteria.Expr)
	look = func(e criteria.Expr) {
		if c, ok := e.(*criteria.Column); ok && !slices.Contains(known, c.Ref.Alias) {
			only = false
		}
		if r := criteria.RecordsOf(e); r != nil {
			criteria.Walk(r.Link, look)
		}
	}
	criteria.Walk(e, look)
	return only
}

// value gives a value of a summary of the statement, which is added if there is none.
func (s *Statement) value(from Table, keys []SummaryKey, where, of Expr, tables []criteria.Table) Expr {
	at := slices.IndexFunc(s.Summaries, func(m Summary) bool {
		return reflect.DeepEqual(m.From, from) && reflect.DeepEqual(m.Keys, keys) && reflect.DeepEqual(m.Where, where)
	})
	if at < 0 {
		at = len(s.Summaries)
		s.Summaries = append(s.Summaries, Summary{Alias: s.unused(tables), From: from, Where: where, Keys: keys})
	}
	summary := &s.Summaries[at]
	place := slices.IndexFunc(summary.Values, func(e Expr) bool { return reflect.DeepEqual(e, of) })
	if place < 0 {
		place = len(summary.Values)
		summary.Values = append(summary.Values, of)
	}
	return SummaryValue{summary.Alias, place, of}
}

// unused is a name for a summary that no table of the query has.
func (s *Statement) unused(tables []criteria.Table) string {
	for n := len(s.Summaries) + 1; ; n++ {
		name := "related_" + strconv.Itoa(n)
		if !slices.ContainsFunc(tables, func(t criteria.Table) bool { return strings.EqualFold(t.Alias, name) }) {
			return name
		}
	}
}
