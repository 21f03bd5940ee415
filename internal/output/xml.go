package output

import (
	"encoding/xml"
	"io"
	"strconv"

	"pikegate/core/record"
)

// xmlNamespace is that of the elements; docs/result.xsd describes them.
const xmlNamespace = "urn:pikegate:result:1"

// xmlWriter writes the result as one document: what was asked, the columns, the records
// with the totals of groups among them, and what was found.
type xmlWriter struct {
	buffered
	cells cells
	names []string // of the columns, as attributes
	line  []byte
	cell  []byte
}

func newXML(w io.Writer) Writer {
	return &xmlWriter{buffered: newBuffered(w)}
}

type (
	xmlHead struct {
		XMLName    xml.Name    `xml:"about"`
		Title      string      `xml:"title"`
		Selected   string      `xml:"selected"`
		Restricted string      `xml:"restricted,omitempty"`
		Zone       string      `xml:"zone"`
		Answers    []xmlAnswer `xml:"answer"`
		Columns    []xmlColumn `xml:"column"`
	}
	xmlAnswer struct {
		Question string `xml:"question,attr"`
		Text     string `xml:",chardata"`
	}
	xmlColumn struct {
		Name  string `xml:"name,attr"`
		Type  string `xml:"type,attr"`
		Label string `xml:"label,attr"`
	}
	xmlTotal struct {
		Name  string `xml:"name,attr"`
		Label string `xml:"label,attr"`
		Blank bool   `xml:"blank,attr,omitempty"`
		Text  string `xml:",chardata"`
	}
	xmlGroup struct {
		XMLName xml.Name   `xml:"group"`
		Level   int        `xml:"level,attr"`
		Label   string     `xml:"label,attr"`
		Value   string     `xml:"value,attr"`
		Blank   bool       `xml:"blank,attr,omitempty"`
		Count   int64      `xml:"count,attr"`
		Totals  []xmlTotal `xml:"total"`
	}
	xmlFound struct {
		XMLName xml.Name   `xml:"found"`
		Count   int64      `xml:"count,attr"`
		First   string     `xml:"first,attr,omitempty"`
		Last    string     `xml:"last,attr,omitempty"`
		Reason  string     `xml:"reason,omitempty"`
		LeftOut string     `xml:"left-out,omitempty"`
		Totals  []xmlTotal `xml:"total"`
	}
)

// attribute is a text as the value of an attribute, between its quotes.
func attribute(text string) string {
	var b []byte
	for _, r := range text {
		switch r {
		case '"':
			b = append(b, "&#34;"...)
		case '\n', '\t':
			b = append(strconv.AppendInt(append(b, "&#"...), int64(r), 10), ';')
		default:
			b = appendXML(b, string(r))
		}
	}
	return string(b)
}

func (x *xmlWriter) Begin(h Header) error {
	x.cells = newCells(h)
	head := xmlHead{Title: h.Title, Selected: h.ReadBack, Restricted: h.Restricted, Zone: h.Zone}
	for _, a := range h.Answers {
		head.Answers = append(head.Answers, xmlAnswer{a.Question, a.ReadBack})
	}
	for _, c := range h.Columns {
		head.Columns = append(head.Columns, xmlColumn{c.Name, string(c.Type), c.Label})
		x.names = append(x.names, attribute(c.Name))
	}
	begin := xml.Header + `<result xmlns="` + xmlNamespace + `" report="` + attribute(h.Report) + `" version="` + strconv.Itoa(h.Version) + `" run="` + strconv.FormatUint(uint64(h.Run), 10) + "\">\n"
	if _, err := x.out.WriteString(begin); err != nil {
		return err
	}
	if err := x.element(head); err != nil {
		return err
	}
	_, err := x.out.WriteString("<records>\n")
	return err
}

// element writes an element on a line of its own.
func (x *xmlWriter) element(v any) error {
	b, err := xml.Marshal(v)
	if err != nil {
		return err
	}
	_, err = x.out.Write(append(b, '\n'))
	return err
}

func (x *xmlWriter) Row(r record.Record) error {
	b := append(x.line[:0], "<record>"...)
	for i := range x.cells.columns {
		var k kind
		x.cell, k = x.cells.append(x.cell[:0], i, r)
		b = append(append(append(b, `<value column="`...), x.names[i]...), '"')
		if k == blank {
			b = append(b, ` blank="true"/>`...)
			continue
		}
		b = append(appendXML(append(b, '>'), string(x.cell)), "</value>"...)
	}
	x.line = append(b, "</record>\n"...)
	_, err := x.out.Write(x.line)
	return err
}

// Subtotal writes what closes a group, after its records.
func (x *xmlWriter) Subtotal(s Subtotal) error {
	group := xmlGroup{Level: s.Level, Label: s.Label, Blank: s.Value == nil, Count: s.Count, Totals: xmlTotals(s.Totals)}
	if s.Value != nil {
		group.Value = orBlank(s.Value)
	}
	return x.element(group)
}

func xmlTotals(totals []Total) []xmlTotal {
	made := make([]xmlTotal, len(totals))
	for i, t := range totals {
		made[i] = xmlTotal{Name: t.Name, Label: t.Label, Blank: t.Value == nil}
		if t.Value != nil {
			made[i].Text = orBlank(t.Value)
		}
	}
	return made
}

func (x *xmlWriter) End(s Summary) error {
	if s.Problem != "" {
		return nil // it is not well-formed without its end
	}
	if _, err := x.out.WriteString("</records>\n"); err != nil {
		return err
	}
	found := xmlFound{Count: s.Count, First: s.First, Last: s.Last, Reason: s.Reason, Totals: xmlTotals(s.Totals)}
	if s.LeftOut != nil {
		found.LeftOut = s.LeftOut.Words()
	}
	if err := x.element(found); err != nil {
		return err
	}
	if _, err := x.out.WriteString("</result>\n"); err != nil {
		return err
	}
	return x.out.Flush()
}
