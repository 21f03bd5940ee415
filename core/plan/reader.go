package plan

import (
	"time"

	"pikegate/core/civil"
	"pikegate/core/record"
)

// Reader makes the records of a statement from the rows that it returns.
type Reader struct {
	outputs []Output
	clock   *civil.Clock
	record  record.Record
}

// NewReader makes a reader whose dates are those of a zone.
func NewReader(outputs []Output, zone *time.Location) *Reader {
	return &Reader{outputs, civil.NewClock(zone), make(record.Record, len(outputs))}
}

// Read makes the record of a row: each column is read, or worked out, once.
func (r *Reader) Read(row []any) record.Record {
	for i := range r.outputs {
		o := &r.outputs[i]
		if o.Formula.Is() {
			r.record[i] = record.Computed(o.Formula.Of(row))
		} else {
			r.record[i].Set(row[o.Index], &o.Column, r.clock)
		}
	}
	return r.record
}
