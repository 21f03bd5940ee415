package oracle

import (
	"cmp"
	"fmt"
	"math/big"
	"slices"
	"strings"

	"pikegate/core/criteria"
)

// What a record of a result consists of besides its values: all records of the result, those
// that are left of it, its place among these, and the records of a group that it stands for.
const (
	allRows = "all of the result"
	left    = "what is left of it"
	members = "its records"
)

// Result gives records, in the order of a result, what is said of them by that order: of all
// of them, and of those that are left of it.
func Result(all []Record, stays func(Record) bool) (out []Record) {
	for _, r := range all {
		if stays(r) {
			out = append(out, r)
		}
	}
	for _, r := range all {
		r[allRows], r[left] = all, out
	}
	return out
}

// Grouped is a record that stands for a group.
func Grouped(records []Record) Record {
	r := Record{members: records}
	for name, v := range records[0] {
		r[name] = v
	}
	return r
}

// inOrder is a value that other records of the result give.
func (w World) inOrder(e *criteria.InOrder, r Record) any {
	rows := r[left].([]Record)
	if e.FromDatabase() {
		rows = r[allRows].([]Record)
	}
	var before, same []Record // those of the same keys: through this one, and all
	for i, passed := 0, false; i < len(rows); i++ {
		if w.key(e.By, rows[i]) != w.key(e.By, r) {
			continue
		}
		same = append(same, rows[i])
		if !passed {
			before = append(before, rows[i])
		}
		passed = passed || fmt.Sprintf("%p", rows[i]) == fmt.Sprintf("%p", r)
	}
	switch e.Name {
	case "previous":
		if len(before) < 2 {
			return nil
		}
		return w.Unit(e.X, before[len(before)-2])
	case "rank":
		x, n := w.Unit(e.X, r), int64(1)
		if x == nil {
			return nil
		}
		for _, other := range same {
			op := ">"
			if e.Ascending {
				op = "<"
			}
			if order(w.Unit(e.X, other), op, x, false) == True {
				n++
			}
		}
		return big.NewRat(n, 1)
	case "share":
		sum, _ := w.Aggregate(&criteria.Aggregate{Name: "sum", X: e.X}, same).(*big.Rat)
		x, ok := w.Value(e.X, r).(*big.Rat)
		if !ok || sum == nil || sum.Sign() == 0 {
			return nil
		}
		return new(big.Rat).Quo(x, sum)
	}
	return w.Aggregate(&criteria.Aggregate{Name: strings.TrimPrefix(e.Name, "running "), X: e.X}, before)
}

// key is a text for what a record has in common with others.
func (w World) key(by []criteria.Expr, r Record) string {
	text := ""
	for _, e := range by {
		v := w.Unit(e, r)
		if m, ok := v.(Moment); ok {
			if v = fmt.Sprint(m.At, m.Nanos); m.Instant != nil {
				v = fmt.Sprint(*m.Instant, m.Nanos)
			}
		}
		text += fmt.Sprintf("%T %v|", v, v)
	}
	return text
}

// First tells which records of a result are left by a condition, n of each.
func (w World) First(e *criteria.First, all []Record) func(Record) bool {
	sorted := slices.Clone(all)
	if e.Of != nil {
		slices.SortStableFunc(sorted, func(a, b Record) int {
			x, y := w.Unit(e.Of, a), w.Unit(e.Of, b)
			switch {
			case x == nil || y == nil:
				return cmp.Compare(blankLast(x), blankLast(y))
			case order(x, "=", y, false) == True:
				return 0
			case (order(x, "<", y, false) == True) == (e.Which == "least"):
				return -1
			}
			return 1
		})
	}
	n, _ := w.Value(e.N, nil).(*big.Rat)
	counts, stays := map[string]int64{}, map[string]bool{}
	for _, r := range sorted {
		key := w.key(e.By, r)
		if counts[key]++; n == nil || counts[key] <= n.Num().Int64() {
			stays[fmt.Sprintf("%p", r)] = true
		}
	}
	return func(r Record) bool { return stays[fmt.Sprintf("%p", r)] }
}

func blankLast(v any) int {
	if v == nil {
		return 1
	}
	return 0
}
