// Package output writes rows as they come: one file per format. Nothing is
// kept; what a writer has been given is on its way out.
package output

import (
	"bufio"
	"cmp"
	"encoding/json"
	"io"
	"strconv"
	"strings"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/plan"
	"pikegate/core/record"
)

// Header is what is known before the first row.
type Header struct {
	Run      uint   `json:"run" doc:"The number of the run"`
	Report   string `json:"report"`
	Title    string `json:"title"`
	Version  int    `json:"version"`
	ReadBack string `json:"readback" doc:"What was selected, in words"`
	// Restricted says that whoever asked may not see every row, blank where they may.
	Restricted string        `json:"restricted,omitempty" doc:"Which rows of which tables were left out because whoever asked may not see them, in words"`
	Zone       string        `json:"zone" doc:"The IANA zone dates are read and shown in"`
	Language   string        `json:"language,omitempty" doc:"The language that numbers and dates are shown in; that of whoever reads them when left out"`
	Columns    []plan.Output `json:"columns"`
	Groups     []Grouping    `json:"groups,omitempty" doc:"What the records are put together by, from the outside in; an object among the rows closes a group"`
	Links      []Link        `json:"links,omitempty" doc:"Columns that lead to other reports"`
	Across     bool          `json:"across,omitempty" doc:"Whether the rows are groups, with a column for each value across"`
	Answers    []Answered    `json:"answers,omitempty" doc:"What was asked, and what each answer was read as"`
	Delivery   string        `json:"delivery,omitempty" doc:"What it was run for, where that was due by itself: the schedule, the occurrence and the part"`
	// Filled is what names in braces stand for in titles and footers.
	Filled map[string]string `json:"-"`
	// LastRun is the number of the last run of a page with several, whose first Run is.
	LastRun uint `json:"-"`
	// Lead is how many columns at the left say what a line is of.
	Lead int `json:"-"`
	// Base is the address of the service for people, blank where that is not known.
	Base string `json:"-"`
	// Location is the zone itself.
	Location *time.Location `json:"-"`
	// Page is the paper it is printed on.
	Page Paper `json:"page" doc:"The paper the report is printed on"`
}

// Grouping is what records are put together by.
type Grouping struct {
	Label string `json:"label" doc:"What people read"`
	Of    string `json:"of,omitempty" doc:"The column, where it is one"`
	Head  bool   `json:"head,omitempty" doc:"Whether an object before its records says what they have in common"`
	Once  bool   `json:"once,omitempty" doc:"Whether its column is shown in the first record of a group alone"`
	// Page tells that each group begins a page on paper.
	Page bool `json:"-"`
}

// Link has the values of a column lead to another report.
type Link struct {
	On     string               `json:"on,omitempty" doc:"The column"`
	Report string               `json:"report" doc:"The report it leads to"`
	Set    map[string]LinkValue `json:"set,omitempty" doc:"The answers there, by question"`
}

// LinkValue is where an answer comes from.
type LinkValue struct {
	Column string   `json:"column,omitempty" doc:"The column of the record that has it"`
	Texts  []string `json:"texts,omitempty" doc:"The answer itself, where it is the same for all records"`
}

// Answered is what a question was answered with.
type Answered struct {
	Question string `json:"question" doc:"What people read"`
	ReadBack string `json:"readback,omitempty" doc:"What the answer was read as, blank where there was none"`
}

// Paper is the paper of a report, its lengths in millimetres.
type Paper struct {
	Width  float64 `json:"width" doc:"In millimetres"`
	Height float64 `json:"height" doc:"In millimetres"`
	// The others are as the report has them.
	Title    string `json:"-"`
	Subtitle string `json:"-"`
	Footer   string `json:"-"`
	Notes    string `json:"-"`
	Chart    string `json:"-"`
	ReadBack string `json:"-"`
}

// TitleOr is the title of the paper, or else another.
func (p Paper) TitleOr(title string) string { return cmp.Or(p.Title, title) }

// PaperOf is the paper that a report names.
func PaperOf(p definition.Page) Paper {
	width, height := p.Millimetres()
	return Paper{width, height, p.Title, p.Subtitle, p.Footer, p.Notes, p.Chart, p.ReadBack}
}

// Result is a whole result in one value, as the JSON format writes it.
type Result struct {
	Header
	Rows []any `json:"rows" doc:"One array for each record: text, number, true or false, or null where blank; an object closes a group, or says how values of the next record stand out"`
	Summary
}

// Place says in columns of their own where the records stand in files, where that is known
// of each.
func (r *Result) Place(files []string, lines []int) {
	if len(files) == 0 || len(files) != len(r.Rows) {
		return
	}
	r.Columns = append([]plan.Output{{Name: "file", Label: "File", Type: catalog.Text}, {Name: "line", Label: "Line", Type: catalog.Integer}}, r.Columns...)
	for i, row := range r.Rows {
		if cells, ok := row.([]any); ok {
			r.Rows[i] = append([]any{files[i], json.Number(strconv.Itoa(lines[i]))}, cells...)
		}
	}
}

// Summary is what is known after the last row.
type Summary struct {
	Outcome string  `json:"outcome" doc:"done, empty, failed, cancelled, timed_out or stopped"`
	Count   int64   `json:"count" doc:"How many records"`
	First   string  `json:"first,omitempty" doc:"The earliest date among the records"`
	Last    string  `json:"last,omitempty" doc:"The latest date among the records"`
	Problem string  `json:"problem,omitempty" doc:"What went wrong, where the outcome is not done or empty"`
	Reason  string  `json:"reason,omitempty" doc:"Why no record can match, where that was proved and the database not asked"`
	Edges   *Edges  `json:"edges,omitempty" doc:"What lies around the period of the run"`
	Totals  []Total `json:"totals,omitempty" doc:"What is made of all records"`
	Chart   *Chart  `json:"chart,omitempty" doc:"What is drawn of the records"`
	// LeftOut is nil where no record was left out.
	LeftOut *LeftOut `json:"left_out,omitempty" doc:"Records left out because a date in them is not stored as its column stores dates"`
	// Judged are the values of totals that are not shown.
	Judged []any `json:"-"`
	Millis int64 `json:"ms" doc:"Time spent, in milliseconds"`
}

// LeftOut is the records that were left out because a date that the criteria
// compare is none.
type LeftOut struct {
	Records int64    `json:"records" doc:"How many there are that might match otherwise"`
	AtLeast bool     `json:"at_least,omitempty" doc:"Whether there may be more: the table is too large to be counted"`
	Source  string   `json:"source" doc:"The source they are in"`
	Columns []string `json:"columns" doc:"The columns they may be in, as TABLE.COLUMN"`
}

// OrNone is nil where it is known that no record was left out.
func (l *LeftOut) OrNone() *LeftOut {
	if l.Records == 0 && !l.AtLeast {
		return nil
	}
	return l
}

// WithPassed is it where so many of them passed by while records were read: no fewer than
// those were left out.
func (l *LeftOut) WithPassed(n int64) *LeftOut {
	if l != nil && l.AtLeast {
		l.Records = n
	}
	return l
}

// Words says it in a sentence.
func (l *LeftOut) Words() string {
	columns := strings.Join(l.Columns, ", ")
	if l.AtLeast && l.Records == 0 {
		return "Records whose dates cannot be read were not counted: " + columns + " has too many values."
	}
	text := Counted(l.Records, "record was left out because its date", "records were left out because their dates") + " in " + columns + " cannot be read."
	if l.AtLeast {
		return "At least " + text
	}
	return text
}

// Told is the sentence and the command that lists the records.
func (l *LeftOut) Told() string { return l.Words() + "\nTo see them: " + l.Command() }

// Command lists the records of the first of the columns.
func (l *LeftOut) Command() string {
	table, column, _ := catalog.SplitColumn(l.Columns[0])
	return "pikegate source show " + l.Source + " " + table + " --unfit " + column
}

// Edges is what lies around the period of a run's date criterion.
type Edges struct {
	Before   string    `json:"before,omitempty" doc:"The nearest date before the period, of records that meet everything else"`
	After    string    `json:"after,omitempty" doc:"The nearest date after the period, of records that meet everything else"`
	NoBefore bool      `json:"no_before,omitempty" doc:"That there is no record before the period"`
	NoAfter  bool      `json:"no_after,omitempty" doc:"That there is no record after the period"`
	FirstDay *DayCount `json:"first_day,omitempty" doc:"The first day of the period"`
	LastDay  *DayCount `json:"last_day,omitempty" doc:"The last day of the period"`
}

// DayCount is how many records of a run are of one day.
type DayCount struct {
	Day   string `json:"day"`
	Count int64  `json:"count"`
}

// Writer writes one result: Begin, then Row for each record, with Opening before the
// first one of a group and Subtotal after its last one, then End.
type Writer interface {
	Begin(Header) error
	Row(r record.Record) error
	Opening(Opening) error
	Subtotal(Subtotal) error
	// Flush sends on what can be sent so far; a format that is put together at
	// its end has nothing.
	Flush() error
	End(Summary) error
}

// Flusher is something written to that may hold bytes back itself.
type Flusher interface{ FlushError() error }

// flush sends on what gathered for to, and what that holds back.
func flush(gathered *bufio.Writer, to io.Writer) error {
	if err := gathered.Flush(); err != nil {
		return err
	}
	if f, ok := to.(Flusher); ok {
		return f.FlushError()
	}
	return nil
}

// Format is a way to write a result.
type Format struct {
	Name, ContentType string
	// Framed tells that the result itself says how it ended; of another one
	// the reader learns by the connection's end.
	Framed bool
	// File tells that it is made to be kept, and is long more often than not.
	File bool
	// Quick tells that a record is soon written, by itself, and nothing of it kept.
	Quick bool
	// Charted tells that it has a place for a chart.
	Charted bool
	each    []Format
	new     func(w io.Writer) Writer
}

// New makes a writer of the format; dates are shown in the zone of the header.
func (f Format) New(w io.Writer) Writer { return f.new(w) }

// Through has what is written go somewhere else on its way.
func (f Format) Through(onto func(io.Writer) io.Writer) Format {
	own := f.new
	f.new = func(w io.Writer) Writer { return own(onto(w)) }
	return f
}

// The formats.
var (
	CSV = Format{
		Name: "csv", ContentType: "text/csv; charset=utf-8; header=present", File: true, Quick: true,
		new: func(w io.Writer) Writer { return newCSV(w, CSVSettings{}) },
	}
	JSON    = Format{Name: "json", ContentType: "application/json", Framed: true, Charted: true, new: newJSON}
	NDJSON  = Format{Name: "ndjson", ContentType: "application/x-ndjson", Framed: true, Charted: true, new: newNDJSON}
	JSONL   = Format{Name: "jsonl", ContentType: "application/jsonl", File: true, Quick: true, new: newJSONLines}
	XLSX    = Format{Name: "xlsx", ContentType: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", File: true, new: newXLSX}
	Parquet = Format{Name: "parquet", ContentType: "application/vnd.apache.parquet", File: true, new: newParquet}
	Pages   = Format{Name: "pages", ContentType: "application/vnd.pikegate.pages", Charted: true, new: newPages}
	SVG     = Format{Name: "svg", ContentType: "image/svg+xml", Charted: true, new: newSVG}
	PNG     = Format{Name: "png", ContentType: "image/png", Charted: true, new: newPNG}
	PDF     = Format{Name: "pdf", ContentType: "application/pdf", File: true, Charted: true, new: newPDF}
	HTML    = Format{Name: "html", ContentType: "text/html; charset=utf-8", File: true, Charted: true, new: newHTML}
	XML     = Format{Name: "xml", ContentType: "application/xml; charset=utf-8", File: true, Quick: true, new: newXML}
)

// Formats lists the formats, the default first.
var Formats = []Format{JSON, CSV, NDJSON, JSONL, XLSX, Parquet, PDF, HTML, XML, Pages, SVG, PNG}
