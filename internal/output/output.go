// Package output writes rows as they come: one file per format. Nothing is
// kept; what a writer has been given is on its way out.
package output

import (
	"io"
	"time"

	"pikegate/core/plan"
)

// Header is what is known before the first row.
type Header struct {
	Run      uint          `json:"run" doc:"The number of the run"`
	Report   string        `json:"report"`
	Title    string        `json:"title"`
	Version  int           `json:"version"`
	ReadBack string        `json:"readback" doc:"What was selected, in words"`
	Zone     string        `json:"zone" doc:"The IANA zone dates are read and shown in"`
	Columns  []plan.Output `json:"columns"`
}

// Summary is what is known after the last row.
type Summary struct {
	Outcome string `json:"outcome" doc:"done, empty, failed, cancelled or timed_out"`
	Count   int64  `json:"count" doc:"How many records"`
	First   string `json:"first,omitempty" doc:"The earliest date among the records"`
	Last    string `json:"last,omitempty" doc:"The latest date among the records"`
	Problem string `json:"problem,omitempty" doc:"What went wrong, where the outcome is not done or empty"`
	Millis  int64  `json:"ms" doc:"Time spent, in milliseconds"`
}

// Writer writes one result: Begin, then Row for each record, then End.
type Writer interface {
	Begin(Header) error
	Row(row []any) error
	End(Summary) error
}

// Format is a way to write a result.
type Format struct {
	Name, ContentType string
	// Framed tells that the result itself says how it ended; of another one
	// the reader learns by the connection's end.
	Framed bool
	new    func(w io.Writer, zone *time.Location) Writer
}

// New makes a writer of the format; dates are shown in the zone.
func (f Format) New(w io.Writer, zone *time.Location) Writer { return f.new(w, zone) }

// The formats.
var (
	CSV    = Format{"csv", "text/csv; charset=utf-8; header=present", false, newCSV}
	JSON   = Format{"json", "application/json", true, newJSON}
	NDJSON = Format{"ndjson", "application/x-ndjson", true, newNDJSON}
)

// Formats lists the formats, the default first.
var Formats = []Format{JSON, CSV, NDJSON}
