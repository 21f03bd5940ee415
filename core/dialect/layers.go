package dialect

import (
	"reflect"
	"slices"
	"strings"

	"pikegate/core/plan"
)

// layered tells whether a statement has to be written around another one: what is said of
// groups by their order, and which rows come first, can be said of rows that are there.
func layered(s plan.Statement) bool {
	return s.First != nil || slices.ContainsFunc(s.Aggregates, isOrdered)
}

// isOrdered tells whether a value of a row is made of other rows.
func isOrdered(e plan.Expr) bool {
	switch e := e.(type) {
	case plan.Rank, plan.Over:
		return true
	case plan.Arithmetic:
		return isOrdered(e.Left) || isOrdered(e.Right)
	}
	return false
}

// naming writes a value where a row is looked at.
type naming func(e plan.Expr) string

func (w *writer) here(e plan.Expr) string { return w.comparable(e, false) }

// lifted gives values the names that they have in the statement around the one that has
// them: those of its items, which are known, or of keys that are added to it.
type lifted struct {
	items, keys []plan.Expr
}

func (l *lifted) name(e plan.Expr) string {
	if at := indexOf(l.items, e); at >= 0 {
		return alias(at)
	}
	at := indexOf(l.keys, e)
	if at < 0 {
		at = len(l.keys)
		l.keys = append(l.keys, e)
	}
	return keyName(at)
}

// names are those of the keys.
func (l *lifted) names() []string {
	names := make([]string, len(l.keys))
	for i := range names {
		names[i] = keyName(i)
	}
	return names
}

// firstRecords writes the first records of a result: inside are all of them, with their
// places.
func (w *writer) firstRecords(s plan.Statement) {
	items, names := w.items(s), make([]string, 0, len(s.Fetch))
	for i := range items {
		names = append(names, alias(i))
		items[i] += " as " + alias(i)
	}
	l := &lifted{}
	for _, f := range s.Fetch { // one that is ordered by as it is returned is so once
		item := plan.Expr(nil)
		if column := (plan.Column{Ref: f.Ref}); f.Value == nil && !f.Ref.Column.Bytes && !collated(column) {
			item = column
		}
		l.items = append(l.items, item)
	}
	order := w.keysOf(s.Sort, l.name)
	ranked := slices.ContainsFunc(s.Fetch, func(f plan.Fetched) bool { return isOrdered(f.Value) })
	place := ""
	if ranked {
		place = w.place(*s.First, l.name)
	} else {
		place = w.place(*s.First, w.here)
	}
	for i, key := range l.keys {
		items = append(items, w.comparable(key, true)+" as "+keyName(i))
	}
	w.around(names)
	if ranked {
		w.around(append(append(slices.Clone(names), l.names()...), place))
	} else {
		items = append(items, place)
	}
	w.text("select " + strings.Join(items, ", "))
	w.body(s)
	if ranked {
		w.text("\n) as ranked")
	}
	w.leftOver(s, order)
}

// around begins a statement around another one.
func (w *writer) around(items []string) {
	w.text("select " + strings.Join(items, ", ") + "\nfrom (\n")
}

func (w *writer) keysOf(sort []plan.SortKey, name naming) []string {
	order := make([]string, len(sort))
	for i, k := range sort {
		order[i] = w.key(k, name(k.Expr))
	}
	return order
}

// leftOver ends a statement around rows that have their places.
func (w *writer) leftOver(s plan.Statement, order []string) {
	w.text("\n) as placed\nwhere place <= " + w.bind(s.First.N))
	w.ending(s, order)
}

func (w *writer) ending(s plan.Statement, order []string) {
	if len(order) > 0 {
		w.text("\norder by " + strings.Join(order, ", "))
	}
	w.limit(s)
}

// orderedGroups writes groups with what is said of them by their order, or the first of
// them: inside are the groups.
func (w *writer) orderedGroups(s plan.Statement) {
	all := slices.Concat(s.GroupBy, s.Aggregates)
	l := &lifted{items: s.GroupBy}
	var inner, outer, names []string
	for i, text := range w.items(s) { // those that are ordered are written with the names of what is inside
		names = append(names, alias(i))
		if isOrdered(all[i]) {
			outer = append(outer, w.ordered(all[i], l.name)+" as "+alias(i))
			continue
		}
		inner, outer = append(inner, text+" as "+alias(i)), append(outer, alias(i))
	}
	order := w.keysOf(s.Sort, func(e plan.Expr) string {
		if at := indexOf(all, e); at >= 0 && isOrdered(e) {
			return alias(at)
		} else if isOrdered(e) {
			return w.ordered(e, l.name)
		}
		return l.name(e)
	})
	if s.First != nil {
		place := w.place(*s.First, l.name)
		w.around(names)
		if w.around(append(append(slices.Clone(names), l.names()...), place)); slices.ContainsFunc(s.Aggregates, isOrdered) {
			w.around(append(outer, l.names()...))
		}
	} else {
		w.around(outer)
	}
	for i, key := range l.keys {
		inner = append(inner, w.comparable(key, true)+" as "+keyName(i))
	}
	w.text("select " + strings.Join(inner, ", "))
	w.body(s)
	switch {
	case s.First == nil:
		w.text("\n) as made")
		w.ending(s, order)
		return
	case slices.ContainsFunc(s.Aggregates, isOrdered):
		w.text("\n) as made\n) as ranked")
	default:
		w.text("\n) as made")
	}
	w.leftOver(s, order)
}

func indexOf(list []plan.Expr, e plan.Expr) int {
	return slices.IndexFunc(list, func(other plan.Expr) bool { return reflect.DeepEqual(other, e) })
}

// place writes the place of a row among those that have the same keys.
func (w *writer) place(f plan.First, name naming) string {
	var order []string
	for _, k := range f.Sort {
		order = append(order, w.key(k, name(k.Expr)))
	}
	return "row_number() over (" + partition(f.By, name) + "order by " + strings.Join(order, ", ") + ") as place"
}

// partition writes by what rows are kept apart.
func partition(by []plan.Expr, name naming) string {
	if len(by) == 0 {
		return ""
	}
	keys := make([]string, len(by))
	for i, e := range by {
		keys[i] = name(e)
	}
	return "partition by " + strings.Join(keys, ", ") + " "
}

// ordered writes a value that is made of other rows.
func (w *writer) ordered(e plan.Expr, name naming) string {
	switch e := e.(type) {
	case plan.Rank:
		x := name(e.X)
		key := w.key(plan.SortKey{Descending: !e.Ascending, Nullable: e.Nullable}, x)
		text := "rank() over (" + partition(e.By, name) + "order by " + key + ")"
		if e.Nullable {
			text = "case when " + x + " is not null then " + text + " end"
		}
		return text
	case plan.Over:
		x, window := name(e.Of.X), strings.TrimSpace(partition(e.By, name))
		if window == "" && w.dialect.undivided != nil {
			window = w.dialect.undivided(x)
		}
		clause := " over (" + window + ")"
		return w.aggregateOf(e.Of, x) + clause
	case plan.Arithmetic:
		return w.dialect.divide(w.ordered(e.Left, name), w.ordered(e.Right, name))
	}
	return name(e)
}
