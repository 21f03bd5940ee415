package output

import (
	"errors"
	"strings"

	"pikegate/core/record"
)

// Together is several formats that one run is written in.
func Together(formats ...Format) Format {
	if len(formats) == 1 {
		return formats[0]
	}
	names := make([]string, len(formats))
	whole := Format{each: formats, File: true}
	for i, f := range formats {
		names[i] = f.Name
		whole.Framed, whole.Charted = whole.Framed || f.Framed, whole.Charted || f.Charted
	}
	whole.Name = strings.Join(names, "+")
	return whole
}

// Each are the formats that were put together, or the format itself.
func (f Format) Each() []Format {
	if f.each == nil {
		return []Format{f}
	}
	return f.each
}

// FormatOf is the format of a name.
func FormatOf(name string) (Format, bool) {
	for _, f := range Formats {
		if f.Name == name {
			return f, true
		}
	}
	return Format{}, false
}

// Tee writes what it is given with several writers.
type Tee []Writer

// Begin begins each.
func (t Tee) Begin(h Header) error {
	return t.all(func(w Writer) error { return w.Begin(h) })
}

// Row writes a record with each.
func (t Tee) Row(r record.Record) error {
	for _, w := range t {
		if err := w.Row(r); err != nil {
			return err
		}
	}
	return nil
}

// Opening begins a group with each.
func (t Tee) Opening(g Opening) error {
	return t.all(func(w Writer) error { return w.Opening(g) })
}

// Subtotal writes a subtotal with each.
func (t Tee) Subtotal(s Subtotal) error {
	return t.all(func(w Writer) error { return w.Subtotal(s) })
}

// Flush sends on what can be sent.
func (t Tee) Flush() error { return t.all(Writer.Flush) }

// End ends each.
func (t Tee) End(s Summary) error {
	return t.all(func(w Writer) error { return w.End(s) })
}

func (t Tee) all(do func(Writer) error) (err error) {
	for _, w := range t {
		err = errors.Join(err, do(w))
	}
	return err
}

// Overviews writes one overview in several ways.
type Overviews []Overview

// Begin begins each.
func (o Overviews) Begin() error { return o.all(Overview.Begin) }

// Number writes a number with each.
func (o Overviews) Number(at Frame, f Figure) error {
	return o.all(func(one Overview) error { return one.Number(at, f) })
}

// Part gives a writer to all of them.
func (o Overviews) Part(at Frame, chart bool) Writer {
	tee := make(Tee, len(o))
	for i, one := range o {
		tee[i] = one.Part(at, chart)
	}
	return tee
}

// Missing says with each why nothing is shown of a part.
func (o Overviews) Missing(at Frame, why string) error {
	return o.all(func(one Overview) error { return one.Missing(at, why) })
}

// End ends each.
func (o Overviews) End() error { return o.all(Overview.End) }

func (o Overviews) all(do func(Overview) error) (err error) {
	for _, one := range o {
		err = errors.Join(err, do(one))
	}
	return err
}
