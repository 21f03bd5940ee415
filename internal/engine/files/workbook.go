package files

import (
	"cmp"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"

	"pikegate/core/catalog"
)

// What a workbook may come to when it is unpacked.
const (
	mostUnpacked = 1 << 30
	mostInMemory = 16 << 20
)

// lookAtWorkbook writes each sheet as a text file of one shape, where its workers can read it,
// and looks at that.
func (s *source) lookAtWorkbook(ctx context.Context, f file) (tables []*table, err error) {
	book, err := s.workbook(f)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, book.Close()) }()
	base := workbookName(f)
	// Sheets whose names differ in numbers only are one table where they are of one shape.
	var stems []string
	together := map[string][]sheetFile{}
	for _, sheet := range book.GetSheetList() {
		if ctx.Err() != nil {
			return nil, context.Cause(ctx)
		}
		path, err := s.sheet(ctx, book, sheet, cells{})
		if err != nil {
			return nil, s.unreadable(&table{files: []file{f}}, fmt.Errorf("the sheet %s: %w", sheet, err))
		}
		if path == "" { // it is empty
			continue
		}
		stem := sheet
		if m := numberedName.FindStringSubmatch(sheet); m != nil {
			stem = m[1]
		} else if strings.Trim(sheet, "0123456789-_. ") == "" {
			stem = ""
		}
		if together[stem] == nil {
			stems = append(stems, stem)
		}
		together[stem] = append(together[stem], sheetFile{sheet, file{folder: f.folder, path: path, form: separated}})
	}
	for _, stem := range stems {
		sheets := together[stem]
		name := named(base + "_" + stem)
		if len(stems) == 1 {
			name = base
		}
		t, err := s.sheets(ctx, f, name, sheets)
		if err == nil {
			tables = append(tables, t)
			continue
		}
		if len(sheets) == 1 {
			return nil, err
		}
		for _, one := range sheets { // of several shapes
			t, err := s.sheets(ctx, f, named(base+"_"+one.name), []sheetFile{one})
			if err != nil {
				return nil, err
			}
			tables = append(tables, t)
		}
	}
	return tables, nil
}

// workbook opens a workbook.
func (s *source) workbook(f file) (*excelize.File, error) {
	book, err := excelize.OpenFile(f.path, excelize.Options{UnzipSizeLimit: mostUnpacked, UnzipXMLSizeLimit: mostInMemory, RawCellValue: true})
	if err == nil {
		return book, nil
	}
	if isCompound(f.path) {
		err = errors.New("it has a password, or is of the format before 2007")
	}
	return nil, s.unreadable(&table{files: []file{f}}, err)
}

// lookAtRange makes a table of one sheet, or one range, of each of some workbooks.
func (s *source) lookAtRange(ctx context.Context, t *table, said catalog.FileFormat) error {
	books := t.files
	var sheets []file
	what := ""
	for _, f := range books {
		path, name, err := s.rangeOf(ctx, f, said)
		if err != nil {
			return err
		}
		if path == "" {
			return s.unreadable(&table{files: []file{f}}, fmt.Errorf("%s is empty", name))
		}
		sheets, what = append(sheets, file{folder: f.folder, path: path, form: separated}), name
	}
	t.files = sheets
	err := s.lookAtText(ctx, t)
	t.files = books
	t.notes = []string{fmt.Sprintf("%s, %s, as it was said of it: %d columns.", books[0].rel(), what, len(t.columns))}
	if len(books) > 1 {
		t.notes[0] = fmt.Sprintf("%s through %s, %d workbooks, %s of each, as it was said of them: %d columns.", books[0].rel(), books[len(books)-1].rel(), len(books), what, len(t.columns))
	}
	return err
}

// rangeOf writes what is said of a workbook as a text file, and says what that is.
func (s *source) rangeOf(ctx context.Context, f file, said catalog.FileFormat) (path, name string, err error) {
	book, err := s.workbook(f)
	if err != nil {
		return "", "", err
	}
	defer func() { err = errors.Join(err, book.Close()) }()
	refused := func(format string, values ...any) (string, string, error) {
		return "", "", s.unreadable(&table{files: []file{f}}, fmt.Errorf(format, values...))
	}
	sheets := book.GetSheetList()
	sheet, area := cmp.Or(said.Sheet, sheets[0]), said.Range
	if !slices.Contains(sheets, sheet) {
		return refused("it has no sheet %s; it has %s", sheet, strings.Join(sheets, ", "))
	}
	if said.Range != "" && !said.Cells() {
		if sheet, area, err = namedRange(book, said.Range, said.Sheet); err != nil {
			return refused("%w", err)
		}
	}
	within, err := cellsOf(area)
	if err != nil {
		return refused("%w", err)
	}
	name = "the sheet " + sheet
	if area != "" {
		name += ", " + area
	}
	if path, err = s.sheet(ctx, book, sheet, within); err != nil {
		return refused("%s: %w", name, err)
	}
	return path, name, nil
}

// namedRange finds where a table or a name of a workbook is.
func namedRange(book *excelize.File, name, within string) (sheet, area string, err error) {
	var there []string
	for _, sheet := range book.GetSheetList() {
		tables, err := book.GetTables(sheet)
		if err != nil {
			return "", "", err
		}
		for _, t := range tables {
			if there = append(there, t.Name); strings.EqualFold(t.Name, name) && (within == "" || within == sheet) {
				return sheet, t.Range, nil
			}
		}
	}
	for _, d := range book.GetDefinedName() {
		sheet, area, ok := strings.Cut(strings.TrimPrefix(d.RefersTo, "="), "!")
		sheet = strings.ReplaceAll(strings.Trim(sheet, "'"), "''", "'")
		if !ok || strings.HasPrefix(d.Name, "_xlnm.") {
			continue
		}
		if there = append(there, d.Name); strings.EqualFold(d.Name, name) && (within == "" || within == sheet) {
			return sheet, strings.ReplaceAll(area, "$", ""), nil
		}
	}
	if there == nil {
		return "", "", fmt.Errorf("it has no table or range called %s, nor any other", name)
	}
	return "", "", fmt.Errorf("it has no table or range called %s; it has %s", name, strings.Join(there, ", "))
}

// cells are those of a sheet from one corner to the other, from 1; the zero value is all of
// them.
type cells struct{ left, top, right, bottom int }

func cellsOf(area string) (c cells, err error) {
	if area == "" {
		return c, nil
	}
	from, to, _ := strings.Cut(area, ":")
	if c.left, c.top, err = excelize.CellNameToCoordinates(from); err != nil {
		return c, err
	}
	if c.right, c.bottom, err = excelize.CellNameToCoordinates(cmp.Or(to, from)); err != nil {
		return c, err
	}
	c.left, c.right, c.top, c.bottom = min(c.left, c.right), max(c.left, c.right), min(c.top, c.bottom), max(c.top, c.bottom)
	return c, nil
}

// of are those cells of a row that are meant.
func (c cells) of(row []string, at int) []string {
	switch {
	case c == cells{}:
		return row
	case at < c.top || at > c.bottom || len(row) < c.left:
		return nil
	}
	return row[c.left-1 : min(len(row), c.right)]
}

// sheetFile is a sheet that was written as a text file.
type sheetFile struct {
	name string
	file file
}

// sheets makes a table of sheets of one shape.
func (s *source) sheets(ctx context.Context, f file, name string, sheets []sheetFile) (*table, error) {
	t := &table{name: name}
	names := make([]string, len(sheets))
	for i, one := range sheets {
		names[i], t.files = one.name, append(t.files, one.file)
	}
	if err := s.lookAtText(ctx, t); err != nil {
		return nil, err
	}
	t.files = []file{f}
	t.notes = []string{fmt.Sprintf("%s, %s %s: %d columns.", f.rel(), map[bool]string{true: "sheet", false: "sheets"}[len(sheets) == 1], strings.Join(names, ", "), len(t.columns))}
	return t, nil
}

// isCompound tells whether a file is one of those that older programs write, and in which
// encrypted workbooks are. Source: [MS-CFB] 2.2.
func isCompound(path string) bool {
	file, err := os.Open(path)
	if err != nil {
		return false
	}
	defer file.Close()
	var begin [8]byte
	_, err = io.ReadFull(file, begin[:])
	return err == nil && begin == [8]byte{0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1}
}

// sheet writes a sheet as a text file: days and times by their format as ISO text, the others
// as they are kept. What stands above the first row that is as wide as the sheet is left out.
func (s *source) sheet(ctx context.Context, book *excelize.File, sheet string, within cells) (path string, err error) {
	out, err := os.CreateTemp(s.Temporary(), "sheet-*.csv")
	if err != nil {
		return "", err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	properties, err := book.GetWorkbookProps()
	if err != nil {
		return "", err
	}
	from1904 := properties.Date1904 != nil && *properties.Date1904
	rows, err := book.Rows(sheet)
	if err != nil {
		return "", err
	}
	defer func() { err = errors.Join(err, rows.Close()) }()
	var records [][]string
	w := csv.NewWriter(out)
	width, written := 0, 0
	dates := map[int]string{} // by style
	at := 0
	put := func(record []string) error {
		if len(record) > width {
			return fmt.Errorf("row %d has something in column %d, and the rows above have %d", at, len(record), width)
		}
		for len(record) < width {
			record = append(record, "")
		}
		written++
		return w.Write(record)
	}
	for rows.Next() {
		if at++; ctx.Err() != nil {
			return "", context.Cause(ctx)
		}
		row, err := rows.Columns(excelize.Options{RawCellValue: true})
		if err != nil {
			return "", err
		}
		row = within.of(row, at)
		for i, v := range row {
			name, err := excelize.CoordinatesToCellName(i+max(1, within.left), at)
			if err != nil {
				return "", err
			}
			if v == "" {
				if formula, err := book.GetCellFormula(sheet, name); err != nil || formula != "" {
					return "", cmp.Or(err, fmt.Errorf("the formula in cell %s has no value kept with it: open the workbook in a spreadsheet program, and save it", name))
				}
				continue
			}
			if row[i], err = dated(book, sheet, name, v, dates, from1904); err != nil {
				return "", err
			}
		}
		for len(row) > 0 && row[len(row)-1] == "" {
			row = row[:len(row)-1]
		}
		if len(row) == 0 {
			continue
		}
		if written == 0 && len(records) < lookedLines/10 { // the width is that of most of the first rows
			records = append(records, slices.Clone(row))
			continue
		}
		if written == 0 {
			width = within.width(records)
			for _, r := range records[within.head(records, width):] {
				if err := put(r); err != nil {
					return "", err
				}
			}
		}
		if err := put(row); err != nil {
			return "", err
		}
	}
	if written == 0 && len(records) > 0 {
		width = within.width(records)
		for _, r := range records[within.head(records, width):] {
			if err := put(r); err != nil {
				return "", err
			}
		}
	}
	if written == 0 {
		return "", nil
	}
	w.Flush()
	return out.Name(), w.Error()
}

// width is how many columns there are: those that were said, or those of the widest record.
func (c cells) width(records [][]string) int {
	if c != (cells{}) {
		return c.right - c.left + 1
	}
	width := 0
	for _, r := range records {
		width = max(width, len(r))
	}
	return width
}

// head is where the head stands: at the top of what was said, or in the first record with a
// text in every column, after titles.
func (c cells) head(records [][]string, width int) int {
	if c != (cells{}) {
		return 0
	}
	for i, r := range records {
		if len(r) == width && !slices.Contains(r, "") {
			return i
		}
	}
	return 0
}

// dated writes a cell that is shown as a day or a time as ISO text.
func dated(book *excelize.File, sheet, cell, value string, dates map[int]string, from1904 bool) (string, error) {
	if !anyNumber.MatchString(value) {
		return value, nil
	}
	style, err := book.GetCellStyle(sheet, cell)
	if err != nil || style == 0 {
		return value, err
	}
	kind, known := dates[style]
	if !known {
		made, err := book.GetStyle(style)
		if err != nil {
			return value, err
		}
		kind = dateKind(made)
		dates[style] = kind
	}
	if kind == "" {
		return value, nil
	}
	var serial float64
	if _, err := fmt.Sscan(value, &serial); err != nil {
		return value, nil
	}
	if from1904 {
		serial += 1462
	}
	at, ok := catalog.SerialDate(serial)
	switch {
	case !ok:
		return value, nil
	case kind == "date":
		return at.Date().String(), nil
	}
	return at.String(), nil
}

// dateKind tells whether a number format shows a day, or a day with a time. Source: ECMA-376,
// part 1, 18.8.30.
func dateKind(style *excelize.Style) string {
	if style.CustomNumFmt != nil {
		format := strings.ToLower(*style.CustomNumFmt)
		for _, literal := range []string{`"`, "["} { // texts and colours are no fields
			for {
				begin := strings.Index(format, literal)
				if begin < 0 {
					break
				}
				end := strings.Index(format[begin+1:], map[string]string{`"`: `"`, "[": "]"}[literal])
				if end < 0 {
					break
				}
				format = format[:begin] + format[begin+end+2:]
			}
		}
		switch {
		case strings.Contains(format, "y") && strings.Contains(format, "h"), strings.Contains(format, "d") && strings.Contains(format, "h"):
			return "time"
		case strings.Contains(format, "y"), strings.Contains(format, "d"):
			return "date"
		}
		return ""
	}
	switch n := style.NumFmt; {
	case n == 22:
		return "time"
	case n >= 14 && n <= 17, n >= 27 && n <= 31, n >= 50 && n <= 58:
		return "date"
	}
	return ""
}
