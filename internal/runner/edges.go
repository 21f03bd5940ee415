package runner

import (
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/plan"
)

// edges counts the rows and keeps the earliest and the latest value of the
// date column. Stored dates are compared as they are, since every encoding
// keeps the order of time, and read only once at the end.
type edges struct {
	index       int
	column      catalog.Column
	zone        *time.Location
	count       int64
	first, last any
}

func newEdges(s plan.Statement, zone *time.Location) *edges {
	e := &edges{index: s.DateIndex, zone: zone}
	if e.index >= 0 {
		e.column = s.Fetch[e.index].Column
	}
	return e
}

func (e *edges) see(row []any) {
	e.count++
	if e.index < 0 || row[e.index] == nil {
		return
	}
	v := row[e.index]
	if e.first == nil || less(v, e.first) {
		e.first = v
	}
	if e.last == nil || less(e.last, v) {
		e.last = v
	}
}

func less(a, b any) bool {
	switch a := a.(type) {
	case string:
		b, ok := b.(string)
		return ok && a < b
	case int64:
		b, ok := b.(int64)
		return ok && a < b
	case float64:
		b, ok := b.(float64)
		return ok && a < b
	}
	return false
}

// text is the first and the last date as people read them.
func (e *edges) text() (first, last string) {
	clock := civil.NewClock(e.zone)
	read := func(v any) string {
		stamp, ok := e.column.Decode(v, clock)
		if v == nil || !ok {
			return ""
		}
		return string(stamp.AppendTo(nil, &e.column, 'T'))
	}
	return read(e.first), read(e.last)
}
