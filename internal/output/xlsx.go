package output

import (
	"archive/zip"
	"bufio"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/klauspost/compress/flate"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/format"
	"pikegate/core/record"
	"pikegate/internal/paper"
)

// The limits of a worksheet; source: ECMA-376 as its readers have them.
const (
	maxSheetRows = 1 << 20
	maxCellText  = 32767
	// maxDigits is how many digits a number keeps there; one with more is text.
	maxDigits = 15
)

// measuredRows is how many rows are looked at to find how wide the columns are.
const measuredRows = 200

// xlsxWriter writes a workbook (ECMA-376, transitional) as it goes: the records
// on one sheet, on further ones where they are too many for it, and at last a
// sheet about the run. Texts stand in their cells, so that little is kept: the first rows of
// a sheet, until the widths of its columns are known.
type xlsxWriter struct {
	zip    *zip.Writer
	sheet  *bufio.Writer
	header Header
	cells  cells // with every digit, so that what is added up there is what was added up here
	shown  cells
	sheets []string
	rows   int // of the sheet
	line   []byte
	cell   []byte
	cut    int // texts that were too long for a cell

	held   []byte // the first rows of a sheet, nil once they are written
	widths []int  // of its columns, in characters

	begins []int // by level, the row its group begins in; 0 where that is on an earlier sheet
	styles styleTable
	codes  []string // by column, the format of its cells
	links  *links

	broken []bool // by column, whether adding its cells up is not the total
	blanks []bool // by column, whether a record has none
}

func newXLSX(w io.Writer) Writer {
	z := zip.NewWriter(w)
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, flate.BestSpeed) })
	return &xlsxWriter{zip: z}
}

func (x *xlsxWriter) Begin(h Header) error {
	x.header, x.shown, x.links = h, newCells(h), newLinks(h)
	x.cells.columns = slices.Clone(h.Columns)
	for i := range x.cells.columns {
		x.cells.columns[i].Format = ""
	}
	x.codes = make([]string, len(h.Columns))
	for i := range x.codes {
		x.codes[i] = x.codeOf(i)
	}
	x.broken, x.blanks, x.begins = make([]bool, len(h.Columns)), make([]bool, len(h.Columns)), make([]int, len(h.Groups)+1)
	if err := x.records(); err != nil {
		return err
	}
	for i := range x.begins {
		x.begins[i] = x.rows + 1
	}
	return nil
}

// records begins a sheet of records with the columns' labels.
func (x *xlsxWriter) records() error {
	name := "Records"
	if n := len(x.sheets); n > 0 {
		name = fmt.Sprintf("Records %d", n+1)
	}
	if err := x.begin(name); err != nil {
		return err
	}
	clear(x.begins) // groups that were begun are on the sheet before
	x.held, x.widths = []byte{}, make([]int, len(x.header.Columns))
	for i, c := range x.header.Columns {
		x.widths[i] = max(utf8.RuneCountInString(c.Label)+4, map[catalog.Type]int{catalog.DateTime: 20, catalog.Date: 12}[c.Type], 8)
	}
	x.row()
	for _, c := range x.header.Columns {
		x.text(c.Label, x.styles.of(style{letters: boldLetters, right: c.Type.IsNumber() || c.Type.IsDate()}))
	}
	return x.flush()
}

// begin begins a sheet.
func (x *xlsxWriter) begin(name string) error {
	x.sheets, x.rows = append(x.sheets, name), 0
	return x.part(fmt.Sprintf("xl/worksheets/sheet%d.xml", len(x.sheets)), `<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">`)
}

// part begins a file of the package.
func (x *xlsxWriter) part(name, content string) error {
	file, err := x.zip.Create(name)
	if err != nil {
		return err
	}
	x.sheet = bufio.NewWriterSize(file, bufferSize)
	_, err = x.sheet.WriteString(`<?xml version="1.0" encoding="UTF-8" standalone="yes"?>` + "\n" + content)
	return err
}

// widest is how many characters a column shows at the most.
const widestColumn = 60

// settle writes the head of a sheet of records, and its first rows.
func (x *xlsxWriter) settle() error {
	head := []byte(`<sheetPr><pageSetUpPr fitToPage="1"/></sheetPr><sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews><cols>`)
	for i, width := range x.widths {
		head = fmt.Appendf(head, `<col min="%d" max="%d" width="%d" customWidth="1"/>`, i+1, i+1, min(width, widestColumn))
	}
	if len(x.widths) == 0 {
		head = append(head, `<col min="1" max="1" width="10"/>`...)
	}
	_, err := x.sheet.Write(append(append(head, `</cols><sheetData>`...), x.held...))
	x.held = nil
	return err
}

// endRecords ends a sheet of records; the filter reaches to its last record.
func (x *xlsxWriter) endRecords(last int) error {
	if x.held != nil {
		if err := x.settle(); err != nil {
			return err
		}
	}
	filter := ""
	if n := len(x.header.Columns); n > 0 {
		filter = fmt.Sprintf(`<autoFilter ref="A1:%s%d"/>`, columnLetters(n-1), last)
	}
	return x.end(filter + x.paper())
}

// paperSizes are the numbers of papers by the shorter of their sides, in millimetres. Source:
// ECMA-376, part 1, 18.3.1.63.
var paperSizes = map[float64]int{297: 8, 210: 9, 148: 11}

// paper is how a sheet of records prints: on the report's paper, as wide as that, with its
// foot on every page.
func (x *xlsxWriter) paper() string {
	page := x.header.Page
	if page.Width == 0 {
		return ""
	}
	size := paperSizes[min(page.Width, page.Height)]
	switch max(page.Width, page.Height) {
	case 279.4:
		size = 1 // letter
	case 355.6:
		size = 5 // legal
	}
	orientation := "portrait"
	if page.Width > page.Height {
		orientation = "landscape"
	}
	text := func(s string) string { return strings.ReplaceAll(paper.Printable(s), "&", "&&") }
	left := filled(page.Footer, func(name string) string {
		switch name {
		case "page":
			return "\x01P"
		case "pages":
			return "\x01N"
		}
		return x.header.filled(name, 1, 1)
	})
	parts := strings.Split(left, "\x01")
	for i := range parts { // what stands for a number is no text
		if i == 0 {
			parts[i] = text(parts[i])
		} else {
			parts[i] = parts[i][:1] + text(parts[i][1:])
		}
	}
	foot := "&L" + strings.Join(parts, "&") + "&R&P / &N"
	if len(parts) > 1 {
		foot = "&L" + strings.Join(parts, "&")
	}
	var b []byte
	b = fmt.Appendf(b, `<pageMargins left="0.5" right="0.5" top="0.5" bottom="0.6" header="0.3" footer="0.3"/><pageSetup paperSize="%d" orientation="%s" fitToWidth="1" fitToHeight="0"/><headerFooter><oddFooter>`, size, orientation)
	return string(append(appendXML(b, foot), "</oddFooter></headerFooter>"...))
}

// end ends the sheet.
func (x *xlsxWriter) end(after string) error {
	_, err := x.sheet.WriteString("</sheetData>" + after + "</worksheet>")
	return errors.Join(err, x.sheet.Flush())
}

// columnLetters names a column: A, Z, AA.
func columnLetters(i int) string {
	name := ""
	for i++; i > 0; i = (i - 1) / 26 {
		name = string(rune('A'+(i-1)%26)) + name
	}
	return name
}

func (x *xlsxWriter) row() {
	x.rows++
	x.line = append(x.line, "<row>"...)
}

func (x *xlsxWriter) flush() error {
	x.line = append(x.line, "</row>"...)
	var err error
	if x.held != nil {
		if x.held = append(x.held, x.line...); x.rows >= measuredRows {
			err = x.settle()
		}
	} else {
		_, err = x.sheet.Write(x.line)
	}
	x.line = x.line[:0]
	return err
}

// next makes room for another row.
func (x *xlsxWriter) next() error {
	if x.rows == maxSheetRows {
		if err := x.endRecords(x.rows); err != nil {
			return err
		}
		if err := x.records(); err != nil {
			return err
		}
	}
	x.row()
	return nil
}

func (x *xlsxWriter) Row(r record.Record) error {
	if err := x.next(); err != nil {
		return err
	}
	addresses := x.links.addresses(r)
	for i := range x.cells.columns {
		var k kind
		x.cell, k = x.cells.append(x.cell[:0], i, r)
		if k == number && digits(x.cell) > maxDigits { // no spreadsheet keeps them
			x.broken[i] = true
			x.cell, k = x.shown.append(x.cell[:0], i, r)
		}
		if k == blank {
			x.blanks[i] = true
		}
		if x.held != nil {
			width := utf8.RuneCount(x.cell)
			if f := &x.shown.shown.formats[i]; k == number {
				width = utf8.RuneCountInString(f.Number(string(x.cell)))
			} else if f.Type.IsDate() {
				width = utf8.RuneCountInString(f.Date(string(x.cell)))
			}
			x.widths[i] = max(x.widths[i], width+2)
		}
		address := ""
		if addresses != nil {
			address = fitting(addresses[i])
		}
		x.value(x.cell, k, i, r[i].Emphasis, address)
	}
	return x.flush()
}

// value appends a cell of a column, which leads to an address where there is one.
func (x *xlsxWriter) value(cell []byte, k kind, i int, e record.Emphasis, address string) {
	column, f := &x.header.Columns[i], &x.shown.shown.formats[i]
	letters, mark := lettersOf(e), Marks[e]
	words := func(text string) {
		x.words(text, address, style{code: marked("", mark, true), letters: letters})
	}
	counts := func(code string, number []byte) {
		of := style{code: marked(code, mark, false), letters: letters}
		if address == "" {
			x.cellOf(of, "")
		} else {
			x.leads(address, string(number), of, "")
		}
		x.line = append(append(x.line, number...), "</v></c>"...)
	}
	switch k {
	case blank:
		if f.Words.Blank != "" {
			x.broken[i] = true // it would be counted
			words(f.Words.Blank)
			return
		}
		x.line = append(x.line, "<c/>"...)
	case boolean:
		if column.Words != nil {
			words(f.YesNo(cell[0] == 't'))
			return
		}
		x.cellOf(style{code: marked("", mark, false), letters: letters}, ` t="b"`)
		x.line = append(append(x.line, map[bool]byte{true: '1', false: '0'}[cell[0] == 't']), "</v></c>"...)
	case number:
		if digits(cell) > maxDigits {
			words(string(cell))
			return
		}
		code := x.codes[i]
		if column.Type.IsDate() {
			code = "" // it is none
		}
		if f.IsDuration() {
			cell = []byte(f.Days(string(cell), maxDigits))
		}
		counts(code, cell)
	default:
		if serial, _, ok := serialOf(cell); ok && column.Type.IsDate() {
			counts(x.codes[i], serial)
			return
		}
		words(string(cell))
	}
}

// longestLiteral is how many characters a text in a formula has at the most.
const longestLiteral = 255

// fitting is an address that a formula can have, blank for one that is too long.
func fitting(address string) string {
	if len(address) > longestLiteral {
		return ""
	}
	return address
}

// words appends a cell of text, which leads to an address where there is one.
func (x *xlsxWriter) words(text, address string, of style) {
	if address == "" || utf8.RuneCountInString(text) > longestLiteral {
		x.text(text, x.styles.of(of))
		return
	}
	x.leads(address, literal(text), of, ` t="str"`)
	x.line = append(appendXML(x.line, text), "</v></c>"...)
}

// literal is a text in a formula.
func literal(text string) string { return `"` + strings.ReplaceAll(text, `"`, `""`) + `"` }

// leads begins a cell of a style that leads to an address and shows a value, written as a
// formula has it; the value itself follows. It can be added up and sorted as any other.
func (x *xlsxWriter) leads(address, shown string, of style, kind string) {
	x.line = fmt.Appendf(x.line, `<c%s s="%d"><f>`, kind, x.styles.of(of))
	x.line = append(appendXML(x.line, "HYPERLINK("+literal(address)+","+shown+")"), "</f><v>"...)
}

// cellOf begins a cell of a style whose value follows.
func (x *xlsxWriter) cellOf(s style, kind string) {
	x.line = append(x.line, "<c"...)
	if at := x.styles.of(s); at > 0 {
		x.line = append(strconv.AppendInt(append(x.line, ` s="`...), int64(at), 10), '"')
	}
	x.line = append(append(x.line, kind...), "><v>"...)
}

// text appends a cell of text. What XML cannot hold is the replacement
// character, and what a cell cannot hold is cut.
func (x *xlsxWriter) text(text string, style int) {
	if n := utf8.RuneCountInString(text); n > maxCellText {
		text = string([]rune(text)[:maxCellText-1]) + "…"
		x.cut++
	}
	x.line = append(x.line, `<c t="inlineStr"`...)
	if style > 0 {
		x.line = fmt.Appendf(x.line, ` s="%d"`, style)
	}
	x.line = append(x.line, `><is><t xml:space="preserve">`...)
	x.line = appendXML(x.line, text)
	x.line = append(x.line, "</t></is></c>"...)
}

// appendXML appends text as XML has it; source: XML 1.0, 2.2.
func appendXML(b []byte, text string) []byte {
	for _, r := range text {
		switch {
		case r == '&':
			b = append(b, "&amp;"...)
		case r == '<':
			b = append(b, "&lt;"...)
		case r == '>':
			b = append(b, "&gt;"...)
		case r == '\r':
			b = append(b, "&#13;"...)
		case r < ' ' && r != '\t' && r != '\n', r == 0xFFFE, r == 0xFFFF:
			b = utf8.AppendRune(b, utf8.RuneError)
		default:
			b = utf8.AppendRune(b, r)
		}
	}
	return b
}

func digits(number []byte) int {
	n := 0
	for _, c := range number {
		if c >= '0' && c <= '9' {
			n++
		}
	}
	return n
}

// serialFrom is the first day whose number all readers agree on: they count 29
// February 1900, which there was not. serialZero is the day before number 1, as
// numbers from then on count.
var (
	serialFrom = civil.DateOf(1900, 3, 1)
	serialZero = civil.DateOf(1899, 12, 30)
)

// serialOf gives the number of a day as it is shown, or of the wall clock's time
// of a date-time, as a spreadsheet counts them.
func serialOf(text []byte) (serial []byte, isDay, ok bool) {
	number := func(from, to int) int {
		n := 0
		for _, c := range text[from:to] {
			if c < '0' || c > '9' {
				return -1
			}
			n = 10*n + int(c-'0')
		}
		return n
	}
	if len(text) < len("2026-03-31") || text[4] != '-' || text[7] != '-' {
		return nil, false, false
	}
	year, month, day := number(0, 4), number(5, 7), number(8, 10)
	if year < 0 || !civil.Valid(year, month, day) || civil.DateOf(year, month, day) < serialFrom {
		return nil, false, false
	}
	days := int64(civil.DateOf(year, month, day) - serialZero)
	if len(text) == 10 {
		return strconv.AppendInt(nil, days, 10), true, true
	}
	if len(text) < len("2026-03-31T08:30:15") || text[10] != 'T' {
		return nil, false, false
	}
	hour, minute, second := number(11, 13), number(14, 16), number(17, 19)
	if hour < 0 || minute < 0 || second < 0 {
		return nil, false, false
	}
	seconds := float64(hour*3600 + minute*60 + second)
	end := 19
	for end < len(text) && (end == 19 && text[end] == '.' || text[end] >= '0' && text[end] <= '9') {
		end++
	}
	if fraction, err := strconv.ParseFloat("0"+string(text[19:end]), 64); err == nil {
		seconds += fraction
	}
	return strconv.AppendFloat(nil, float64(days)+seconds/86400, 'f', -1, 64), false, true
}

// Opening writes what the records of a group have in common, where that is shown.
func (x *xlsxWriter) Opening(g Opening) error {
	address := fitting(x.links.opens(g))
	if !x.shown.isHeaded(g.Level) {
		return nil
	}
	if err := x.next(); err != nil {
		return err
	}
	x.words(x.shown.shown.OpeningText(g), address, style{letters: boldLetters})
	if len(x.broken) > 0 {
		x.broken[0] = true // it would be counted
	}
	return x.flush()
}

// Subtotal writes the totals of a group beneath its records, with the formulas that make
// them, so that they follow what is changed or filtered there.
func (x *xlsxWriter) Subtotal(s Subtotal) error {
	begin, last := x.begins[s.Level], x.rows
	address := ""
	if !s.All {
		address = fitting(x.links.group(s.Level))
	}
	if err := x.totals(x.shown.shown.Heading(s), address, s.Totals, s.Count, begin, last); err != nil {
		return err
	}
	for level := s.Level; level < len(x.begins); level++ {
		x.begins[level] = x.rows + 1
	}
	return nil
}

// totals writes lines of totals of the rows from begin to last, without formulas where begin
// is 0.
func (x *xlsxWriter) totals(label, address string, totals []Total, count int64, begin, last int) error {
	for _, l := range x.shown.shown.linesOf(label, totals, count) {
		sheet := len(x.sheets)
		if err := x.next(); err != nil {
			return err
		}
		if len(x.sheets) != sheet {
			begin = 0
		}
		for i := range max(1, len(x.header.Columns)) {
			t, ok := l.under[i]
			switch {
			case ok:
				x.total(t, i, begin, last)
			case i == 0 && l.label != "":
				x.words(l.label, address, style{letters: boldLetters})
			default:
				x.line = append(x.line, "<c/>"...)
			}
		}
		if err := x.flush(); err != nil {
			return err
		}
	}
	return nil
}

// subtotalFunctions are the numbers by which SUBTOTAL knows functions; it leaves out cells
// that are subtotals themselves. Source: ECMA-376, part 1, 18.17.7.318.
var subtotalFunctions = map[string]int{"average": 1, countName: 3, "greatest": 4, "least": 5, "sum": 9}

// total appends the cell of a total.
func (x *xlsxWriter) total(t Total, at, begin, last int) {
	value, code := orBlank(t.Value), ""
	isNumber := false
	f := x.shown.shown.place.Of(t.Type, t.Format, format.Words{})
	switch v := t.Value.(type) {
	case nil:
		x.line = append(x.line, "<c/>"...)
		return
	case json.Number:
		isNumber = digits([]byte(v)) <= maxDigits
		code, _ = f.Workbook()
	case string:
		if serial, ofDays, ok := serialOf([]byte(v)); ok && t.Type.IsDate() {
			value, isNumber = string(serial), true
			if code, ok = f.Workbook(); !ok {
				code = map[bool]string{true: codeDate, false: codeDateTime}[ofDays]
			}
		}
	}
	switch {
	case t.isCount():
		code = codeCount
	case f.IsDuration() && isNumber:
		value, code = f.Days(value, maxDigits), durationCodes[t.Format]
	}
	if !isNumber {
		x.broken[at] = true
		x.text(value, x.bold())
		return
	}
	x.line = fmt.Appendf(x.line, `<c s="%d">`, x.styles.of(style{code: code, letters: boldLetters}))
	if formula := x.formula(t, at, begin, last); formula != "" {
		x.line = append(append(append(x.line, "<f>"...), formula...), "</f>"...)
	} else {
		x.broken[at] = true // the total of what is around it would count this twice
	}
	x.line = append(append(append(x.line, "<v>"...), value...), "</v></c>"...)
}

// bold is the style of heads and totals.
func (x *xlsxWriter) bold() int { return x.styles.of(style{letters: boldLetters}) }

// formula makes a total of the cells above it; blank where none does.
func (x *xlsxWriter) formula(t Total, at, begin, last int) string {
	name, _, _ := strings.Cut(t.Name, " ")
	function, ok := subtotalFunctions[name]
	if !ok || t.partial || begin == 0 || last < begin || strings.HasPrefix(t.Name, "count distinct") {
		return ""
	}
	if !t.isCount() {
		if x.broken[at] {
			return ""
		}
	} else { // of a column in which every record has something, and nothing else stands
		at = 1
		for at < len(x.blanks) && (x.blanks[at] || x.broken[at]) {
			at++
		}
		if at == len(x.blanks) {
			return ""
		}
	}
	return fmt.Sprintf("SUBTOTAL(%d,%s%d:%s%d)", function, columnLetters(at), begin, columnLetters(at), last)
}

func orBlank(v any) string {
	if v == nil {
		return "blank"
	}
	return fmt.Sprint(v)
}

// totalsText is what was made of many records, on one line; their number where
// nothing was.
func (shown *Shown) totalsText(totals []Total, count int64) string {
	if len(totals) == 0 {
		return Counted(count, "record", "records")
	}
	parts := make([]string, len(totals))
	for i, t := range totals {
		parts[i] = t.Label + " " + shown.Total(t)
	}
	return strings.Join(parts, " · ")
}

// Flush does nothing: a workbook is put together at its end.
func (x *xlsxWriter) Flush() error { return nil }

func (x *xlsxWriter) End(s Summary) error {
	if s.Problem != "" {
		return nil // it is no whole file
	}
	last := x.rows
	if len(s.Totals) > 0 && s.Count > 0 {
		begin := 2
		if len(x.sheets) > 1 {
			begin = 0
		}
		if err := x.totals("All records", "", s.Totals, s.Count, begin, last); err != nil {
			return err
		}
		last = min(last, x.rows) // where they went on on a sheet of their own
	}
	if err := x.endRecords(last); err != nil {
		return err
	}
	if err := x.about(s); err != nil {
		return err
	}
	var types, books, links, titles strings.Builder
	titles.WriteString("<definedNames>")
	for i, name := range x.sheets {
		fmt.Fprintf(&types, `<Override PartName="/xl/worksheets/sheet%d.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/>`, i+1)
		fmt.Fprintf(&books, `<sheet name="%s" sheetId="%d" r:id="rId%d"/>`, name, i+1, i+1)
		fmt.Fprintf(&links, `<Relationship Id="rId%d" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet%d.xml"/>`, i+1, i+1)
	}
	for i, name := range x.sheets[:len(x.sheets)-1] { // the heads of columns are on every page
		fmt.Fprintf(&titles, `<definedName name="_xlnm.Print_Titles" localSheetId="%d">'%s'!$1:$1</definedName>`, i, name)
	}
	titles.WriteString("</definedNames>")
	const relationships = `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">`
	for _, part := range []struct{ name, content string }{
		{"xl/styles.xml", x.styles.String()},
		{"xl/workbook.xml", `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets>` + books.String() + `</sheets>` + titles.String() + `</workbook>`},
		{"xl/_rels/workbook.xml.rels", relationships + links.String() + fmt.Sprintf(`<Relationship Id="rId%d" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/styles" Target="styles.xml"/></Relationships>`, len(x.sheets)+1)},
		{"_rels/.rels", relationships + `<Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`},
		{"[Content_Types].xml", `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/styles.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.styles+xml"/>` + types.String() + `</Types>`},
	} {
		if err := x.part(part.name, part.content); err != nil {
			return err
		}
		if err := x.sheet.Flush(); err != nil {
			return err
		}
	}
	return x.zip.Close()
}

// about writes the sheet that says what the records are.
func (x *xlsxWriter) about(s Summary) error {
	if err := x.begin("About"); err != nil {
		return err
	}
	x.line = append(x.line[:0], `<cols><col min="1" max="1" width="22" customWidth="1"/><col min="2" max="2" width="90" customWidth="1"/></cols><sheetData>`...)
	for _, line := range aboutLines(x.header, s, x.cut) {
		x.row()
		x.text(line[0], x.bold())
		x.text(line[1], 0)
		if err := x.flush(); err != nil {
			return err
		}
	}
	return x.end("")
}

// aboutLines say what records are, for who finds them in a file.
func aboutLines(h Header, s Summary, cut int) [][2]string {
	version := "draft"
	if h.Version > 0 {
		version = "version " + strconv.Itoa(h.Version)
	}
	lines := [][2]string{
		{"Title", h.Title},
		{"Selected", h.ReadBack},
	}
	lines = append(lines, h.answerLines()...)
	lines = append(lines, [][2]string{
		{"Report", h.Report + ", " + version},
		{"Run", strconv.FormatUint(uint64(h.Run), 10)},
	}...)
	if h.Delivery != "" {
		lines = append(lines, [2]string{"Delivery", h.Delivery})
	}
	lines = append(lines, [][2]string{
		{"Days and times in", h.Zone},
		{"Records", strconv.FormatInt(s.Count, 10)},
	}...)
	add := func(name, text string) {
		if text != "" {
			lines = append(lines, [2]string{name, text})
		}
	}
	shown := NewShown(h)
	add("First", shown.Moment(s.First))
	add("Last", shown.Moment(s.Last))
	for _, t := range s.Totals {
		add(t.Label, shown.Total(t))
	}
	if s.Edges != nil {
		add("Nearest before", shown.Moment(s.Edges.Before))
		add("Nearest after", shown.Moment(s.Edges.After))
	}
	add("Why there are none", s.Reason)
	if cut > 0 {
		add("Cut", fmt.Sprintf("%d texts were longer than a cell can hold.", cut))
	}
	return lines
}

// answerLines are the questions, and what each was answered with.
func (h Header) answerLines() (lines [][2]string) {
	for _, a := range h.Answers {
		lines = append(lines, [2]string{a.Question, cmp.Or(a.ReadBack, "any")})
	}
	return lines
}
