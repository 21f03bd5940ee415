package oracle

import (
	"math"
	"math/big"

	"pikegate/core/criteria"
)

// cell is the value of a column: of another table's record, where one is looked at
// beside this one under its alias.
func (r Record) cell(c *criteria.Column) any {
	for r[alias] != nil {
		if r[alias] == c.Ref.Alias {
			return r[other].(Record)[c.Name]
		}
		r = r[outer].(Record)
	}
	return r[c.Name]
}

// What a record consists of that has another one beside it.
const (
	alias = "its alias"
	other = "the other"
	outer = "itself"
)

// Beside is the record with one of another table beside it.
func (r Record) Beside(name string, record Record) Record {
	for record[outer] != nil {
		record = record[outer].(Record)
	}
	return Record{alias: name, other: record, outer: r}
}

// related counts the records of another table that belong to a record, one by one.
func (w World) related(e *criteria.Related, r Record) Truth {
	least, most := int64(1), int64(math.MaxInt64)
	if p, ok := e.N.(*criteria.Parameter); ok && !w.Answers[p.Name].Given {
		return Absent
	}
	n := int64(0)
	if e.N != nil {
		n = w.Value(e.N, r).(*big.Rat).Num().Int64()
	}
	switch e.Quantity {
	case "no":
		least, most = 0, 0
	case "at least":
		least = n
	case "at most":
		least, most = 0, n
	case "exactly":
		least, most = n, n
	}
	records, absent := w.belonging(&e.Records, r)
	if absent {
		return Absent
	}
	found := int64(len(records))
	return truth(found >= least && found <= most)
}

// belonging are the records of another table that belong to a record, each beside it;
// absent tells that what is asked of them was left blank.
func (w World) belonging(of *criteria.Records, r Record) (records []Record, absent bool) {
	for _, other := range w.Tables[of.Table] {
		both := r.Beside(of.Alias(), other)
		meets := True
		for _, part := range []criteria.Expr{of.Link, of.Where} {
			if part == nil {
				continue
			}
			v := w.Condition(part, both)
			if v == Absent {
				absent = true
				continue
			}
			meets = min(meets, v)
		}
		if meets == True {
			records = append(records, both)
		}
	}
	return records, absent
}

// ofRelated is one value of related records. Nothing is asked of them where that was
// left blank, and a sum of none is 0.
func (w World) ofRelated(e *criteria.Aggregate, r Record) any {
	records, _ := w.belonging(e.Records, r)
	v := w.Aggregate(e, records)
	if v == nil && e.Name == "sum" {
		return new(big.Rat)
	}
	return v
}
