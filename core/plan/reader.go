package plan

import (
	"slices"
	"time"

	"pikegate/core/civil"
	"pikegate/core/record"
)

// Reader makes the records of a statement from the rows that it returns.
type Reader struct {
	shown  *Shown
	clock  *civil.Clock
	record record.Record
	row    []any
	kept   []map[string]*passed // by the place of what is worked out while rows pass
	// split takes the rows of a union apart, and parts read them, the last row the one at.
	split *Splitter
	parts []*Reader
	at    int
	// operands are the values of the record as conditions on them see them.
	operands []any
}

// NewReader makes a reader whose dates are those of a zone.
func NewReader(outputs []Output, zone *time.Location) *Reader {
	return (&Shown{Outputs: outputs}).NewReader(zone)
}

// NewReader makes a reader whose dates are those of a zone.
func (s *Shown) NewReader(zone *time.Location) *Reader {
	r := &Reader{shown: s, clock: civil.NewClock(zone), record: make(record.Record, len(s.Outputs)), split: newSplitter(s.Parts)}
	for i := range s.Parts {
		r.parts = append(r.parts, s.Parts[i].NewReader(zone))
	}
	if s.Emphasis != nil {
		r.operands = make([]any, len(s.Outputs))
	}
	r.Begin()
	return r
}

// Begin forgets the rows that have passed.
func (r *Reader) Begin() {
	r.kept = make([]map[string]*passed, len(r.shown.Passing))
	for i := range r.kept {
		r.kept[i] = map[string]*passed{}
	}
}

// Read makes the record of the next row.
func (r *Reader) Read(row []any) record.Record {
	r.Next(row)
	return r.Record()
}

// Next takes in the next row, whose record need not be made.
func (r *Reader) Next(row []any) {
	if r.split != nil {
		var own []any
		r.at, own = r.split.Of(row)
		r.parts[r.at].Next(own)
		return
	}
	if r.row = row; len(r.kept) == 0 {
		return
	}
	r.row = append(slices.Clone(row), make([]any, len(r.kept))...)
	for i := range r.kept {
		r.row[len(row)+i] = r.shown.Passing[i].next(r.kept[i], r.row)
	}
}

// Record makes the record of the row that was taken in: each column is read, or worked
// out, once.
func (r *Reader) Record() record.Record {
	r.read()
	if r.operands != nil {
		r.emphasise()
	}
	return r.record
}

func (r *Reader) read() {
	if r.split != nil {
		copy(r.record, r.parts[r.at].Record())
		return
	}
	row := r.row
	for i := range r.shown.Outputs {
		o := &r.shown.Outputs[i]
		if o.Formula.Is() {
			r.record[i] = record.Computed(o.Formula.Of(row))
		} else {
			r.record[i].Set(row[o.Index], &o.Column, r.clock)
		}
	}
}
