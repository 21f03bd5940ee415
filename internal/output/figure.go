package output

import (
	"encoding/json"
	"io"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/format"
	"pikegate/core/record"
)

// Figure is one number of a report, and the same of another period.
type Figure struct {
	Run   uint   `json:"run" doc:"The number of the run that found it"`
	Total Total  `json:"total" doc:"The number"`
	Zone  string `json:"zone" doc:"The IANA zone in which days begin and end"`
	// Language is that of the report.
	Language   string `json:"language,omitempty" doc:"The language that numbers and dates are shown in; that of whoever reads them when left out"`
	ReadBack   string `json:"readback" doc:"What was selected, in words"`
	Before     *Total `json:"before,omitempty" doc:"The same number of the other period"`
	With       string `json:"with,omitempty" enum:"year-before,as-long-before" doc:"The other period: the same a year before, or as long before it"`
	Restricted string `json:"restricted,omitempty" doc:"Which rows were left out because whoever asked may not see them, in words"`
	BeforeRun  uint   `json:"before_run,omitempty" doc:"The number of the run that found that"`
	Period     string `json:"period,omitempty" doc:"The other period, in words"`
	// Header is that of its run.
	Header Header `json:"-"`
	// Uncompared is blank where there is one.
	Uncompared string `json:"uncompared,omitempty" doc:"Why there is no number of the other period"`
	Change     any    `json:"change,omitempty" doc:"By how much it is more, where both are numbers"`
	Percent    any    `json:"percent,omitempty" doc:"The change in percent of the other, rounded to a tenth; left out where that is zero"`
}

// Compare puts the number of another period beside a figure.
func (f *Figure) Compare(before Total) {
	f.Before = &before
	now, isNow := decimalOf(f.Total.Value)
	then, isThen := decimalOf(before.Value)
	if !isNow || !isThen {
		return
	}
	change := now.Sub(then)
	f.Change = json.Number(change.String())
	if !then.IsZero() {
		f.Percent = json.Number(change.Mul(decimal.New(100, 0)).DivRound(then.Abs(), 1).String())
	}
}

// Texts are the number as it is shown, by how much it differs from that of the other period,
// and that.
func (f *Figure) Texts() (value, change, before string) {
	place := f.Header.Place()
	number := func(t Total) string {
		t.Name = "" // a count has its thousands parted here
		return t.Text(place)
	}
	value = number(f.Total)
	if f.Before == nil {
		switch {
		case f.Uncompared != "":
			before = "Not compared with " + f.Period + ": " + f.Uncompared
		case f.With != "":
			before = "Not compared: the period is open."
		}
		return value, "", before
	}
	before = number(*f.Before) + ": " + f.Period
	amount, ok := decimalOf(f.Change)
	if !ok {
		return value, "", before
	}
	than := " before"
	if f.With == "year-before" {
		than = " a year before"
	}
	if amount.IsZero() {
		return value, "As much as" + than, before
	}
	mark, way := "▲ ", " more"
	if amount.IsNegative() {
		mark, way = "▼ ", " less"
	}
	by := f.Total
	by.Value = json.Number(amount.Abs().String())
	change = mark + number(by) + way
	if percent, ok := decimalOf(f.Percent); ok {
		change += " (" + showAs(place.Of(catalog.Decimal, "", format.Words{}), json.Number(percent.Abs().String())) + " %)"
	}
	return value, change + " than" + than, before
}

func decimalOf(v any) (decimal.Decimal, bool) {
	digits, ok := v.(json.Number)
	if !ok {
		return decimal.Decimal{}, false
	}
	d, err := decimal.NewFromString(digits.String())
	return d, err == nil
}

// Number takes the records of a run for one of their totals alone.
var Number = Format{Name: "number", Framed: true, new: func(io.Writer) Writer { return &Found{} }}

// Found keeps what is known before and after the records of a run, and none of them.
type Found struct {
	Header  Header
	Summary Summary
}

// Begin keeps the header.
func (f *Found) Begin(h Header) error {
	f.Header = h
	return nil
}

// Row passes a record over.
func (f *Found) Row(record.Record) error { return nil }

// Opening passes the beginning of a group over.
func (f *Found) Opening(Opening) error { return nil }

// Subtotal passes the end of a group over.
func (f *Found) Subtotal(Subtotal) error { return nil }

// Flush has nothing to send.
func (f *Found) Flush() error { return nil }

// End keeps the summary.
func (f *Found) End(s Summary) error {
	f.Summary = s
	return nil
}

// First hands on only so many of the records; what is known of all of them stays.
func First(w Writer, most int) Writer { return &first{Writer: w, most: most} }

type first struct {
	Writer
	most int
}

func (f *first) Row(r record.Record) error {
	if f.most--; f.most < 0 {
		return nil
	}
	return f.Writer.Row(r)
}

func (f *first) Opening(g Opening) error {
	if f.most <= 0 {
		return nil
	}
	return f.Writer.Opening(g)
}

func (f *first) Subtotal(s Subtotal) error {
	if f.most < 0 {
		return nil
	}
	return f.Writer.Subtotal(s)
}
