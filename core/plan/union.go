package plan

import (
	"reflect"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
)

// Part is one of the queries whose records a union puts below each other. Its rows are
// read as those of a statement of its own, in its own encodings.
type Part struct {
	Statement
	Shown
	// Title is what people call the query.
	Title string
	// Slots tells, for each value that it fetches, which in the row of the union it is.
	Slots []int
}

type (
	// Slot is a value in the rows of a union.
	Slot struct{ At int }
	// PartNumber tells which of the queries of a union a row is from, from 0.
	PartNumber struct{}
)

func (Slot) isExpr()       {}
func (PartNumber) isExpr() {}

// Parts are planners of the queries that a union is of, or of the query itself.
func (p Planner) Parts() []Planner {
	if p.Query == nil || p.Query.Parts == nil {
		return []Planner{p}
	}
	parts := make([]Planner, len(p.Query.Parts))
	for i, part := range p.Query.Parts {
		parts[i] = p
		parts[i].Query = part
	}
	return parts
}

// Splitter takes the rows of a union apart.
type Splitter struct {
	parts []Part
	rows  [][]any
}

// Splitter makes one for the rows of a statement; nil where those are not of the queries of a
// union.
func (s *Statement) Splitter() *Splitter {
	if len(s.GroupBy)+len(s.Aggregates) > 0 {
		return nil
	}
	return newSplitter(s.Union)
}

func newSplitter(parts []Part) *Splitter {
	if parts == nil {
		return nil
	}
	s := &Splitter{parts, make([][]any, len(parts))}
	for i, p := range parts {
		s.rows[i] = make([]any, len(p.Fetch))
	}
	return s
}

// Of tells which query a row is from, and gives the row as that one returns it, which
// holds until the next.
func (s *Splitter) Of(row []any) (part int, own []any) {
	n, _ := row[len(row)-1].(int64)
	part = int(n)
	own = s.rows[part]
	for i, at := range s.parts[part].Slots {
		own[i] = row[at]
	}
	return part, own
}

// union makes the statement of one run of a union: each of its queries as it is by itself,
// and the order of all.
func (p Planner) union(view definition.View, values parameter.Values) (Selection, diag.Problems) {
	b := p.binder(values)
	s := Selection{Statement: Statement{DateIndex: -1}}
	u := union{b: b}
	var problems []diag.Problems
	for _, planner := range p.Parts() {
		made, found := planner.Records(definition.View{Columns: view.Columns}, values)
		title, _ := planner.Query.Query.Heading()
		own := planner.binder(values)
		own.records = true
		u.parts, u.binders, u.tails = append(u.parts, Part{Statement: made.Statement, Shown: made.Shown, Title: title}), append(u.binders, own), append(u.tails, made.Sort)
		problems = append(problems, found)
	}
	b.problems = everywhere(problems)
	s.Outputs = slices.Clone(u.parts[0].Outputs)
	for i := range s.Outputs { // what they have in common
		at := slices.IndexFunc(b.compiled.Columns, func(c definition.CompiledColumn) bool { return c.Name == s.Outputs[i].Name })
		s.Outputs[i].Type = b.compiled.Columns[at].Type
		for _, part := range u.parts { // the offset of a time is told where all have one
			if own := part.Outputs[i].Column; s.Outputs[i].Column.Encoding.IsInstant() && !own.Encoding.IsInstant() {
				s.Outputs[i].Column = own
			}
		}
	}
	b.view(&s, view)
	s.Sort = u.order(view)
	s.settleUnion(&u)
	s.Reach = u.reach()
	for i := range u.binders {
		b.problems = append(b.problems, u.binders[i].problems...)
	}
	return s, b.problems
}

// everywhere are the problems of the queries of a union: that an answer restricts nothing is
// one only where that is so in all of them.
func everywhere(all []diag.Problems) (out diag.Problems) {
	has := func(list diag.Problems, p diag.Problem) bool {
		return slices.ContainsFunc(list, func(q diag.Problem) bool {
			return q.Code == p.Code && q.Field == p.Field && q.Message == p.Message
		})
	}
	for _, found := range all {
		for _, p := range found {
			missing := slices.ContainsFunc(all, func(other diag.Problems) bool { return !has(other, p) })
			if !has(out, p) && (p.Code != "no_effect" || !missing) {
				out = append(out, p)
			}
		}
	}
	return out
}

// union is one while it is made.
type union struct {
	b       *binder
	parts   []Part
	binders []*binder
	// tails are the keys that tell the records of each query apart.
	tails [][]SortKey
	// shared are values of each query that are in one slot: places among what it fetches.
	shared [][]int
}

// order is that of groups, of the author or of whoever asks, and then by what tells records
// apart, in one query after another.
func (u *union) order(view definition.View) (keys []SortKey) {
	c, by := u.b.compiled, view.Sort
	if len(by) == 0 {
		by = c.Sort
	}
	var all []definition.SortKey
	add := func(key definition.SortKey) {
		text := criteria.Print(key.Expr)
		if criteria.FirstColumn(key.Expr) != nil && !slices.ContainsFunc(all, func(k definition.SortKey) bool { return criteria.Print(k.Expr) == text }) {
			all = append(all, key)
		}
	}
	for _, g := range view.Groups {
		key := definition.SortKey{Expr: c.Behind(g.Expr)}
		for _, own := range by { // in the author's direction, where there is one
			if criteria.Print(own.Expr) == criteria.Print(key.Expr) {
				key = own
			}
		}
		add(key)
	}
	for _, key := range by {
		add(key)
	}
	for _, key := range all {
		keys = append(keys, u.key(key))
	}
	keys = append(keys, SortKey{Expr: PartNumber{}})
	for n := range slices.MaxFunc(u.tails, func(a, b []SortKey) int { return len(a) - len(b) }) {
		keys = append(keys, u.tail(n)...)
	}
	for i := range u.parts {
		u.parts[i].Sort = nil
	}
	return keys
}

// tail is the nth of the keys that tell the records of each query apart: one for all where
// they are stored alike, else one for each, which the records of the others have not.
func (u *union) tail(n int) (keys []SortKey) {
	places := make([][]int, 0, len(u.parts)) // of each of the keys
	for i, tail := range u.tails {
		if n >= len(tail) {
			continue
		}
		at := u.fetch(i, tail[n].Expr, true)
		own := u.parts[i].Fetch[at]
		same := slices.IndexFunc(places, func(key []int) bool {
			first := slices.IndexFunc(key, func(at int) bool { return at >= 0 })
			other := u.parts[first].Fetch[key[first]]
			return own.Value == nil && alike(own, other)
		})
		if same < 0 {
			same = len(places)
			places = append(places, slices.Repeat([]int{-1}, len(u.parts)))
			keys = append(keys, tail[n])
		}
		places[same][i] = at
		keys[same].Nullable = keys[same].Nullable || tail[n].Nullable
	}
	for k := range keys {
		keys[k].Expr = Slot{u.slot(places[k])}
	}
	return keys
}

// key is a key of the order, by values that can be compared from one query to another.
func (u *union) key(key definition.SortKey) SortKey {
	own := make([]criteria.Expr, len(u.parts))
	linear, columns, instants := true, true, true
	for i, b := range u.binders {
		own[i] = b.value(criteria.Map(key.Expr, func(e criteria.Expr) criteria.Expr {
			if column, ok := e.(*criteria.Column); ok {
				for _, col := range b.compiled.Own {
					if strings.EqualFold(col.Name, column.Name) {
						return col.Expr
					}
				}
			}
			return e
		}))
		_, factor, term := criteria.Linear(own[i])
		_, factor0, term0 := criteria.Linear(own[0])
		linear = linear && factor.Cmp(factor0) == 0 && term.Cmp(term0) == 0
		column, plain := own[i].(*criteria.Column)
		first, _ := own[0].(*criteria.Column)
		columns = columns && plain && first != nil && column.Ref.Column.Orders() && sameForm(column.Ref.Column, first.Ref.Column)
		instants = instants && plain && column.Ref.Column.Encoding.IsInstant()
	}
	made := SortKey{Descending: key.Descending, BlanksFirst: key.BlanksFirst, Nullable: !columns}
	values, reused := make([]Expr, len(own)), true
	for i, e := range own {
		b := u.binders[i]
		t := criteria.TypeOf(e)
		var x Expr
		switch {
		case !t.IsDate() && linear: // as it is stored
			bare, factor, _ := criteria.Linear(e)
			made.Descending = key.Descending != (factor.Sign() < 0)
			x = b.translate(bare)
		case columns:
			x = b.translate(e)
		case t.IsDate() && instants: // in UTC, where no hour comes twice
			x = b.stored(e.(*criteria.Column), true, civil.UTC)
		case t.IsDate():
			x = b.moment(e, t == catalog.DateTime)
		default:
			x = b.translate(e)
		}
		if column, ok := x.(Column); ok && column.Ref.Column.Encoding != "" && !column.Ref.Column.Encoding.IsNative() {
			s := &u.parts[i].Statement
			s.Written = append(s.Written, b.fetch(s, column.Ref))
		}
		values[i] = x
		column, ok := x.(Column)
		first, alike := values[0].(Column)
		reused = reused && ok && alike && sameForm(column.Ref.Column, first.Ref.Column)
		made.Nullable = made.Nullable || !ok || column.Ref.Nullable
	}
	places := make([]int, len(own))
	for i, x := range values {
		places[i] = u.fetch(i, x, reused)
	}
	made.Expr = Slot{u.slot(places)}
	return made
}

// fetch has a query return a value, and tells its place among what it fetches: that of a
// column that is returned anyhow, where that may be and its order is the one by code point.
func (u *union) fetch(part int, x Expr, reused bool) int {
	s := &u.parts[part].Statement
	if column, ok := x.(Column); ok && reused && !column.Ref.Column.Bytes && (!column.Ref.Column.Collated || column.Ref.Column.Encoding != "") {
		return u.binders[part].fetch(s, column.Ref)
	}
	at := slices.IndexFunc(s.Fetch, func(f Fetched) bool { return f.Value != nil && reflect.DeepEqual(f.Value, x) })
	if at < 0 {
		at = len(s.Fetch)
		f := Fetched{Ref: criteria.NoColumn, Value: x}
		if column, ok := x.(Column); ok {
			f.Ref = column.Ref
		}
		s.Fetch = append(s.Fetch, f)
	}
	return at
}

// slot puts values of the queries into one place of the row, given the place of each among
// what its query fetches, -1 for none.
func (u *union) slot(places []int) int {
	for n, shared := range u.shared {
		if slices.Equal(shared, places) {
			return n
		}
	}
	u.shared = append(u.shared, places)
	return len(u.shared) - 1
}

// settleUnion gives every value of the queries its place in the row: one that is stored
// alike in several of them is in one place.
func (s *Selection) settleUnion(u *union) {
	forms := make([]Fetched, len(u.shared)) // what is in each place
	for i := range u.parts {
		part := &u.parts[i]
		part.Slots = slices.Repeat([]int{-1}, len(part.Fetch))
		taken := make([]bool, len(forms))
		for n, places := range u.shared {
			taken[n] = true // by this query, or as a key that it has not
			at := places[i]
			if at < 0 {
				continue
			}
			forms[n] = part.Fetch[at]
			if part.Slots[at] < 0 {
				part.Slots[at] = n
			} else { // it is in another place as well
				part.Fetch, part.Slots = append(part.Fetch, part.Fetch[at]), append(part.Slots, n)
			}
		}
		for j, f := range part.Fetch {
			if part.Slots[j] >= 0 {
				continue
			}
			n := 0
			for n < len(forms) && (n < len(taken) && taken[n] || !alike(forms[n], f)) {
				n++
			}
			if n == len(forms) {
				forms = append(forms, f)
			}
			taken = append(taken, make([]bool, len(forms)-len(taken))...)
			part.Slots[j], taken[n] = n, true
		}
	}
	for n := range forms {
		s.Fetch = append(s.Fetch, Fetched{Ref: criteria.NoColumn, Value: Slot{n}})
	}
	s.Fetch = append(s.Fetch, Fetched{Ref: criteria.NoColumn, Value: PartNumber{}})
	s.Union, s.Parts = u.parts, u.parts
}

// alike tells whether two values of queries can be in one place.
func alike(a, b Fetched) bool {
	return (a.Value == nil) == (b.Value == nil) && sameForm(a.Column, b.Column)
}

// sameForm tells whether the values of two columns are of one type for the database.
func sameForm(a, b *catalog.Column) bool {
	base := func(c *catalog.Column) string {
		name, _, _ := strings.Cut(strings.ToLower(c.Declared), "(")
		return strings.TrimSpace(name)
	}
	return a.Type == b.Type && a.Encoding == b.Encoding && a.Stored == b.Stored && a.Bytes == b.Bytes && a.Collated == b.Collated && base(a) == base(b)
}

// reach is what is known of the tables of each query, but of those that several read.
func (u *union) reach() (all []Reach) {
	for i, part := range u.parts {
		for _, r := range part.Reach {
			elsewhere := slices.ContainsFunc(u.binders, func(b *binder) bool {
				return b != u.binders[i] && slices.ContainsFunc(b.compiled.EveryTable(), func(t catalog.Table) bool { return t.Name == r.Table })
			})
			if !elsewhere {
				all = append(all, r)
			}
		}
	}
	return all
}

// offeredIn makes the statement of what occurs in the columns that the queries of a union
// offer for a question, once.
func (p Planner) offeredIn(question string, search Search, of func(Planner) (Statement, diag.Problems)) (Statement, diag.Problems) {
	s := Statement{DateIndex: -1}
	var problems []diag.Problems
	for _, part := range p.Parts() {
		offer, ok := part.Query.Offers[question]
		if !ok {
			continue
		}
		if offer.Query != nil {
			return part.rowsOf(offer, search)
		}
		made, found := of(part)
		problems = append(problems, found)
		made.Fetch = []Fetched{{Ref: offer.Column.Ref, Value: Column{offer.Column.Ref}}}
		made.GroupBy, made.Aggregates, made.Sort, made.Limit, made.Offset = nil, nil, nil, 0, 0
		s.Union = append(s.Union, Part{Statement: made, Slots: []int{0}})
	}
	grouped(&s, Slot{0})
	s.Limit, s.Offset = search.Limit, search.Offset
	return s, everywhere(problems)
}

// impossibleIn says why no record of a union can match, if that can be proved of each of its
// queries.
func impossibleIn(parts []Part) string {
	var reasons []string
	for _, part := range parts {
		reason := part.Impossible()
		if reason == "" {
			return ""
		}
		if !slices.Contains(reasons, reason) {
			reasons = append(reasons, reason)
		}
	}
	return strings.Join(reasons, " ")
}

// readBackOf says what the queries of a union select, those together that select by the same.
func readBackOf(parts []Part) string {
	var said []string
	titles := map[string][]string{}
	for _, part := range parts {
		text := ReadBack(part.Statement)
		if titles[text] == nil {
			said = append(said, text)
		}
		titles[text] = append(titles[text], part.Title)
	}
	for i, text := range said {
		said[i] = listed(titles[text]) + ": " + lowered(text)
	}
	return strings.Join(said, " ")
}

func listed(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// conditionsOfParts are the conditions of the queries of a union, those that several have
// once.
func (p Planner) conditionsOfParts(values parameter.Values) (all []Condition, problems diag.Problems) {
	var found []diag.Problems
	for _, part := range p.Parts() {
		conditions, wrong := part.Conditions(values)
		found = append(found, wrong)
		for _, c := range conditions {
			if !slices.ContainsFunc(all, func(other Condition) bool { return other.Words == c.Words }) {
				all = append(all, c)
			}
		}
	}
	return all, everywhere(found)
}

// edgesOfParts are the edges of the queries of a union.
func (p Planner) edgesOfParts(s Statement) (Edges, bool) {
	edges, any := Edges{}, false
	for i, planner := range p.Parts() {
		own, ok := planner.Edges(s.Union[i].Statement)
		edges.Parts, any = append(edges.Parts, own), any || ok
	}
	return edges, any
}
