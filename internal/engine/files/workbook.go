package files

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
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
	book, err := excelize.OpenFile(f.path, excelize.Options{UnzipSizeLimit: mostUnpacked, UnzipXMLSizeLimit: mostInMemory, RawCellValue: true})
	if err != nil {
		if isCompound(f.path) {
			err = errors.New("it has a password, or is of the format before 2007")
		}
		return nil, s.unreadable(&table{files: []file{f}}, err)
	}
	defer func() { err = errors.Join(err, book.Close()) }()
	_, stem := formOf(f.path)
	base := named(strings.ReplaceAll(filepath.Join(filepath.Dir(f.rel()), stem), string(filepath.Separator), "_"))
	// Sheets whose names differ in numbers only are one table where they are of one shape.
	var stems []string
	together := map[string][]sheetFile{}
	for _, sheet := range book.GetSheetList() {
		if ctx.Err() != nil {
			return nil, context.Cause(ctx)
		}
		path, err := s.sheet(ctx, book, f, sheet)
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
func (s *source) sheet(ctx context.Context, book *excelize.File, f file, sheet string) (path string, err error) {
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
		cells, err := rows.Columns(excelize.Options{RawCellValue: true})
		if err != nil {
			return "", err
		}
		for i, v := range cells {
			if v == "" {
				continue
			}
			name, err := excelize.CoordinatesToCellName(i+1, at)
			if err != nil {
				return "", err
			}
			if cells[i], err = dated(book, sheet, name, v, dates, from1904); err != nil {
				return "", err
			}
		}
		for len(cells) > 0 && cells[len(cells)-1] == "" {
			cells = cells[:len(cells)-1]
		}
		if len(cells) == 0 {
			continue
		}
		if written == 0 && len(records) < lookedLines/10 { // the width is that of most of the first rows
			records = append(records, slices.Clone(cells))
			continue
		}
		if written == 0 {
			width = widest(records)
			for _, r := range records[headAt(records, width):] {
				if err := put(r); err != nil {
					return "", err
				}
			}
		}
		if err := put(cells); err != nil {
			return "", err
		}
	}
	if written == 0 && len(records) > 0 {
		width = widest(records)
		for _, r := range records[headAt(records, width):] {
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

// widest is how many columns the records have at the most.
func widest(records [][]string) int {
	width := 0
	for _, r := range records {
		width = max(width, len(r))
	}
	return width
}

// headAt is where the head stands: the first record with a text in every column, after titles.
func headAt(records [][]string, width int) int {
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
