package runner

import (
	"cmp"
	"context"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/dialect"
	"pikegate/core/plan"
	"pikegate/internal/output"
)

// edges counts the rows and keeps the earliest and the latest value of the
// date column, and how many are of the first and the last day of the period.
// Stored dates are compared as they are where that is the order of time, and read only
// once at the end.
type edges struct {
	index             int
	column            *catalog.Column
	zone              *time.Location
	count             int64
	first, last       kept
	firstKey, lastKey kept // what they are compared by, where that is not themselves
	// read gives what values are compared by, nil where that is themselves.
	read func(stored any) any
	// The bounds of the two days as they are stored, nil where they are not
	// counted.
	firstUntil, lastFrom *dayBound
	firstDay, lastDay    int64
	// split takes the rows of a union apart, and parts are what is kept of each query.
	split *plan.Splitter
	parts []*edges
}

func newEdges(s plan.Statement, around plan.Edges, zone *time.Location) *edges {
	e := &edges{index: s.DateIndex, zone: zone, split: s.Splitter()}
	for i, part := range s.Union {
		own := plan.Edges{}
		if i < len(around.Parts) {
			own = around.Parts[i]
		}
		e.parts = append(e.parts, newEdges(part.Statement, own, zone))
	}
	if e.index < 0 {
		return e
	}
	e.column = s.Fetch[e.index].Column
	if !e.column.Compares() {
		utc := civil.NewClock(civil.UTC)
		e.read = func(stored any) any {
			stamp, ok := e.column.Decode(stored, utc)
			if !ok {
				return nil
			}
			return stamp.At.String() + stamp.Fraction
		}
	}
	bound := func(t civil.DateTime) *dayBound {
		at, err := e.column.StoredTime(t, zone)
		var stored any = at.String()
		if e.read == nil {
			stored, err = e.column.Bound(t, zone)
		}
		if err != nil {
			return nil
		}
		return &dayBound{stored, catalog.MicrosAt(at)}
	}
	if span := around.Span; around.Column != nil && span.WholeDays() && span.From < span.Until {
		if !span.OpenStart() {
			e.firstUntil = bound((span.FirstDay() + 1).Midnight())
		}
		if !span.OpenEnd() {
			e.lastFrom = bound(span.LastDay().Midnight())
		}
	}
	return e
}

func (e *edges) see(row []any) {
	e.count++
	if e.split != nil {
		part, own := e.split.Of(row)
		e.parts[part].see(own)
		return
	}
	if e.index < 0 || row[e.index] == nil {
		return
	}
	v, first, last := row[e.index], &e.first, &e.last
	if e.read != nil {
		if v = e.read(v); v == nil {
			return
		}
		first, last = &e.firstKey, &e.lastKey
	}
	if first.isAfter(v) {
		first.set(v)
		if e.read != nil {
			e.first.set(row[e.index])
		}
	}
	if last.isBefore(v) {
		last.set(v)
		if e.read != nil {
			e.last.set(row[e.index])
		}
	}
	if e.firstUntil != nil && e.firstUntil.isAfter(v) {
		e.firstDay++
	}
	if e.lastFrom != nil && !e.lastFrom.isAfter(v) {
		e.lastDay++
	}
}

// dayBound is where a day begins: as the column stores it, and for times that are given so.
type dayBound struct {
	stored any
	micros int64
}

func (b *dayBound) isAfter(v any) bool {
	if at, ok := catalog.MicrosOf(v); ok {
		return at < b.micros
	}
	return less(v, b.stored)
}

// kept is a value of a row that has passed, in memory of its own; the zero one is none, and
// comes before and after all others.
type kept struct {
	kind   keptKind
	text   []byte
	micros int64
	other  any
}

type keptKind uint8

const (
	keptNone keptKind = iota
	keptText
	keptTime
	keptInstant
	keptOther
)

func (k *kept) set(v any) {
	k.kind = keptOther
	switch v := v.(type) {
	case string:
		k.kind, k.text = keptText, append(k.text[:0], v...)
	case catalog.Micros:
		k.kind, k.micros = keptTime, int64(v)
	case catalog.InstantMicros:
		k.kind, k.micros = keptInstant, int64(v)
	case int64:
		k.other = v // anew, as the next: what is in the row may be written over
	case float64:
		k.other = v
	default:
		k.other = v
	}
}

func (k *kept) value() any {
	switch k.kind {
	case keptText:
		return string(k.text)
	case keptTime:
		return catalog.Micros(k.micros)
	case keptInstant:
		return catalog.InstantMicros(k.micros)
	}
	return k.other
}

// compare is the order of it and a value: negative where it comes before that. Values of
// several kinds have none.
func (k *kept) compare(v any) int {
	switch k.kind {
	case keptText:
		switch text, ok := v.(string); { // each conversion without a copy
		case ok && string(k.text) < text:
			return -1
		case ok && string(k.text) > text:
			return 1
		}
	case keptTime, keptInstant:
		if micros, ok := catalog.MicrosOf(v); ok {
			return cmp.Compare(k.micros, micros)
		}
	case keptOther:
		if less(k.other, v) {
			return -1
		}
		if less(v, k.other) {
			return 1
		}
	}
	return 0
}

func (k *kept) isAfter(v any) bool  { return k.kind == keptNone || k.compare(v) > 0 }
func (k *kept) isBefore(v any) bool { return k.kind == keptNone || k.compare(v) < 0 }

func less(a, b any) bool {
	switch a := a.(type) {
	case string:
		b, ok := b.(string)
		return ok && a < b
	case int64:
		switch b := b.(type) {
		case int64:
			return a < b
		case float64:
			return float64(a) < b
		}
	case float64:
		switch b := b.(type) {
		case int64:
			return a < float64(b)
		case float64:
			return a < b
		}
	}
	return false
}

// text is the first and the last date as people read them.
func (e *edges) text() (first, last string) {
	for _, part := range e.parts {
		from, until := part.text()
		first, last = earlier(first, from), later(last, until)
	}
	if e.parts != nil {
		return first, last
	}
	return dateText(e.first.value(), e.column, e.zone), dateText(e.last.value(), e.column, e.zone)
}

// earlier and later are the one of two dates, as text, that is; blank is none.
func earlier(a, b string) string {
	if a == "" || b != "" && b < a {
		return b
	}
	return a
}

func later(a, b string) string { return max(a, b) }

// dateText is a stored date as people read it, empty for none.
func dateText(v any, column *catalog.Column, zone *time.Location) string {
	if v == nil {
		return ""
	}
	stamp, ok := column.Decode(v, civil.NewClock(zone))
	if !ok {
		return ""
	}
	return string(stamp.AppendTo(nil, column, 'T'))
}

// edgeLimit is how long the search for the nearest records may take, in the
// rare case that no index helps and few records meet the rest.
const edgeLimit = 2 * time.Second

// beside are the dates beside a period as they are stored, nil for none; those of the
// queries of a union are apart.
type beside struct {
	known         bool
	before, after any
	// unfit is how many records were left out, nil where that was not counted with them.
	unfit *int64
	parts []beside
}

// nearestOf finds the nearest records outside the period. A failure leaves them unknown:
// the run itself is not spoiled by it.
func nearestOf(ctx context.Context, job Job, around plan.Edges) beside {
	var out beside
	for _, part := range around.Parts {
		out.parts = append(out.parts, nearestOf(ctx, job, part))
	}
	if around.Before == nil && around.After == nil {
		return out
	}
	ctx, stop := context.WithTimeout(ctx, edgeLimit)
	defer stop()
	found, err := nearestTo(ctx, job, around)
	found.known = err == nil
	return found
}

// around tells what is at the edges of the period, on both sides.
func (e *edges) around(around plan.Edges, near beside) *output.Edges {
	if around.Parts != nil {
		return e.aroundParts(around, near)
	}
	if around.Column == nil {
		return nil
	}
	out := &output.Edges{}
	if e.firstUntil != nil {
		out.FirstDay = &output.DayCount{Day: around.Span.FirstDay().String(), Count: e.firstDay}
	}
	if e.lastFrom != nil {
		out.LastDay = &output.DayCount{Day: around.Span.LastDay().String(), Count: e.lastDay}
	}
	if !near.known {
		return out
	}
	column := around.Column.Ref.Column
	if around.Before != nil {
		out.Before, out.NoBefore = dateText(near.before, column, e.zone), near.before == nil
	}
	if around.After != nil {
		out.After, out.NoAfter = dateText(near.after, column, e.zone), near.after == nil
	}
	return out
}

// nearestTo finds the dates beside a period as they are stored, nil for none: with one
// statement, or two where there are none within a month.
func nearestTo(ctx context.Context, job Job, around plan.Edges) (found beside, err error) {
	d := job.Source.Dialect()
	sides := func(before, after *plan.Statement) (wanted []plan.Statement, into []*any) {
		if before != nil {
			wanted, into = append(wanted, *before), append(into, &found.before)
		}
		if after != nil {
			wanted, into = append(wanted, *after), append(into, &found.after)
		}
		return wanted, into
	}
	if around.Once != nil {
		_, into := sides(around.Before, around.After)
		var unfit any
		if around.Counts {
			into = append(into, &unfit)
		}
		err = fetchInto(ctx, job, d.Write(*around.Once), into)
		if n, ok := unfit.(int64); ok {
			found.unfit = &n
		}
		return found, err
	}
	find := func(before, after *plan.Statement) error {
		wanted, into := sides(before, after)
		if wanted == nil {
			return nil
		}
		return fetchInto(ctx, job, d.WriteTogether(wanted), into)
	}
	if err := find(around.NearBefore, around.NearAfter); err != nil {
		return found, err
	}
	if found.before != nil {
		around.Before = nil
	}
	if found.after != nil {
		around.After = nil
	}
	err = find(around.Before, around.After)
	return found, err
}

// fetchInto puts the values of the one row that a query returns where they belong.
func fetchInto(ctx context.Context, job Job, q dialect.Query, into []*any) error {
	return job.Source.Stream(ctx, q, func(row []any) error {
		for i, v := range row {
			*into[i] = v
		}
		return nil
	})
}

// aroundParts tells of the nearest records of all the queries of a union.
func (e *edges) aroundParts(around plan.Edges, near beside) *output.Edges {
	var out *output.Edges
	add := func(to **output.DayCount, day *output.DayCount) {
		switch {
		case day == nil:
		case *to == nil:
			*to = day
		default:
			(*to).Count += day.Count
		}
	}
	for i, part := range e.parts {
		own := part.around(around.Parts[i], near.parts[i])
		switch {
		case own == nil:
		case out == nil:
			out = own
		default:
			add(&out.FirstDay, own.FirstDay)
			add(&out.LastDay, own.LastDay)
			out.Before, out.After = later(out.Before, own.Before), earlier(out.After, own.After)
			out.NoBefore, out.NoAfter = out.NoBefore && own.NoBefore, out.NoAfter && own.NoAfter
		}
	}
	return out
}
