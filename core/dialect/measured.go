package dialect

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"pikegate/core/plan"
)

// measured are groups of which values at a place are asked, for an engine that has no
// aggregate for them, or a slow one: a statement inside has the keys of the groups, what
// their values are made of, and of those at a place which each record has and among how many.
type measured struct {
	keys   []plan.Expr
	values []plan.Aggregate // only what they are made of
	placed []int            // which of the values have places
	// near are conditions that the records meet which have such a place, at least one of each
	// group; every record is needed where other values are made of them.
	near  []string
	every bool
}

const measuredName = "measured"

// measuredKey gives a key of the groups, if it is one.
func (w *writer) measuredKey(e plan.Expr) (string, bool) {
	if w.measured == nil {
		return "", false
	}
	at := indexOf(w.measured.keys, e)
	return measuredName + "." + keyName(at), at >= 0
}

// measuredAggregate writes a value of a group with the names of what is inside.
func (w *writer) measuredAggregate(e plan.Aggregate) string {
	w.measured.every = w.measured.every || e.Name != "percentile"
	of := plan.Aggregate{X: e.X, Where: e.Where}
	if of.X == nil && of.Where == nil {
		return w.aggregateOf(e, "")
	}
	at := slices.IndexFunc(w.measured.values, func(other plan.Aggregate) bool { return reflect.DeepEqual(other, of) })
	if at < 0 {
		at = len(w.measured.values)
		w.measured.values = append(w.measured.values, of)
	}
	x := measuredName + "." + valueName(at)
	if e.Name != "percentile" {
		return w.aggregateOf(plan.Aggregate{Name: e.Name, X: e.X}, x)
	}
	if !slices.Contains(w.measured.placed, at) {
		w.measured.placed = append(w.measured.placed, at)
	}
	within := "0 and 9999" // as ceil(among * share) is the place
	if e.Place.Above {
		within = "1 and 10000"
	}
	from := fmt.Sprintf("%[1]s.place_%[2]d * 10000 - %[1]s.among_%[2]d * %[3]d between ", measuredName, at+1, e.Place.Of10000)
	if near := from + "0 and 10000"; !slices.Contains(w.measured.near, near) {
		w.measured.near = append(w.measured.near, near)
	}
	return "max(case when " + from + within + " then " + x + " end)"
}

// apart has what is written before the end be of none of these groups.
func (w *writer) apart() (end func()) {
	m, isApart := w.measured, w.isApart
	w.measured, w.isApart = nil, true
	return func() { w.measured, w.isApart = m, isApart }
}

// measuredRecords writes the statement inside.
func (w *writer) measuredRecords(s plan.Statement) {
	m := w.measured
	defer w.apart()()
	var items, keys []string
	for i, key := range m.keys {
		text := w.comparable(key, true)
		items, keys = append(items, text+" as "+keyName(i)), append(keys, text)
	}
	apart := ""
	if len(keys) > 0 {
		apart = "partition by " + strings.Join(keys, ", ")
	}
	for i, value := range m.values {
		x := w.operandOf(value)
		number := strconv.Itoa(i + 1)
		if items = append(items, x+" as "+valueName(i)); !slices.Contains(m.placed, i) {
			continue
		}
		all := apart
		if all == "" && w.dialect.undivided != nil {
			all = w.dialect.undivided(x)
		}
		order := x
		if column, plain := value.X.(plan.Column); !plain || column.Ref.Nullable || value.Where != nil {
			order = x + " is null, " + x
		}
		items = append(items, "row_number() over ("+strings.TrimSpace(apart+" order by "+order)+") as place_"+number, "count("+x+") over ("+all+") as among_"+number)
	}
	w.text("\nfrom (\nselect " + strings.Join(items, ", "))
	s.GroupBy, s.Having = nil, nil
	w.body(s)
	w.text("\n) as " + measuredName)
	if !m.every {
		w.text("\nwhere " + strings.Join(m.near, " or "))
	}
}
