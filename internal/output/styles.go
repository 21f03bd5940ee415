package output

import (
	"encoding/xml"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/record"
)

// style is how a cell of a workbook looks: the format of its value, blank for that of its
// kind, and its letters.
type style struct {
	code    string
	letters letters
	// right has a text stand at the right, as numbers do.
	right bool
}

// letters are fonts, by their place among those of a workbook.
type letters int

const (
	plainLetters letters = iota
	boldLetters
	quietLetters
	goodLetters
	warningLetters
	badLetters
)

// fonts are the letters as ECMA-376 has them.
const fonts = `<fonts count="6"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font>` +
	`<font><i/><sz val="11"/><color rgb="FF56605B"/><name val="Calibri"/></font>` +
	`<font><b/><sz val="11"/><color rgb="FF1D6B34"/><name val="Calibri"/></font>` +
	`<font><b/><sz val="11"/><color rgb="FF8A5A00"/><name val="Calibri"/></font>` +
	`<font><b/><sz val="11"/><color rgb="FFA8201A"/><name val="Calibri"/></font></fonts>`

// lettersOf are the letters of an emphasis.
func lettersOf(e record.Emphasis) letters {
	return map[record.Emphasis]letters{record.Strong: boldLetters, record.Quiet: quietLetters, record.Good: goodLetters, record.Warning: warningLetters, record.Bad: badLetters}[e]
}

// The formats of values that a column gives none for.
const (
	codeDate     = `yyyy\-mm\-dd`
	codeDateTime = `yyyy\-mm\-dd\ hh:mm:ss`
	codeCount    = `[=1]0" record";#,##0" records"`
	codeHours    = `[h]" h "mm" min"`
	codeMinutes  = `[m]" min "ss" s"`
)

// durationCodes are the formats of durations, by the name of the column's.
var durationCodes = map[string]string{"hours": codeHours, "minutes": codeMinutes}

// styleTable is the styles of a workbook, by their place in cellXfs; the first is that of
// cells which have none.
type styleTable struct {
	all   []style
	codes []string // the formats among them, numbered from formatsOfOwn
	at    map[style]int
}

// formatsOfOwn is the number of the first format of a workbook's own; source: ECMA-376,
// part 1, 18.8.30.
const formatsOfOwn = 164

// of is the place of a style.
func (t *styleTable) of(s style) int {
	if t.at == nil {
		t.at, t.all = map[style]int{{}: 0}, []style{{}}
	}
	at, ok := t.at[s]
	if !ok {
		at = len(t.all)
		t.at[s], t.all = at, append(t.all, s)
		if s.code != "" && !slices.Contains(t.codes, s.code) {
			t.codes = append(t.codes, s.code)
		}
	}
	return at
}

// String is the part of the package that holds them.
func (t *styleTable) String() string {
	t.of(style{})
	var formats, cells strings.Builder
	for i, code := range t.codes {
		var quoted strings.Builder
		_ = xml.EscapeText(&quoted, []byte(code)) // a builder takes all
		fmt.Fprintf(&formats, `<numFmt numFmtId="%d" formatCode="%s"/>`, formatsOfOwn+i, quoted.String())
	}
	for _, s := range t.all {
		format := 0
		if s.code != "" {
			format = formatsOfOwn + slices.Index(t.codes, s.code)
		}
		fmt.Fprintf(&cells, `<xf numFmtId="%d" fontId="%d" xfId="0" applyNumberFormat="1" applyFont="1"`, format, s.letters)
		if s.right {
			cells.WriteString(` applyAlignment="1"><alignment horizontal="right"/></xf>`)
		} else {
			cells.WriteString("/>")
		}
	}
	return `<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">` +
		fmt.Sprintf(`<numFmts count="%d">%s</numFmts>`, len(t.codes), formats.String()) + fonts +
		`<fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills>` +
		`<borders count="1"><border/></borders><cellStyleXfs count="1"><xf numFmtId="0" fontId="0"/></cellStyleXfs>` +
		fmt.Sprintf(`<cellXfs count="%d">%s</cellXfs>`, len(t.all), cells.String()) +
		`<cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>`
}

// codeOf is the format of the cells of a column: of numbers, and of dates and date-times.
func (x *xlsxWriter) codeOf(i int) string {
	column, f := &x.header.Columns[i], &x.shown.shown.formats[i]
	if code, ok := f.Workbook(); ok {
		return code
	}
	switch {
	case f.IsDuration():
		return durationCodes[column.Format]
	case column.Type == catalog.Date:
		return codeDate
	case column.Type == catalog.DateTime:
		return codeDateTime
	}
	return ""
}

// marked is a format with a mark before what it shows, in each of its sections; of texts, and
// of what has no format, it is one of its own.
func marked(code, mark string, isText bool) string {
	switch {
	case mark == "":
		return code
	case isText:
		return quotedCode(mark) + "@"
	case code == "":
		code = "General"
	}
	if code == codeCount {
		return code
	}
	var b strings.Builder
	b.WriteString(quotedCode(mark))
	for i := 0; i < len(code); i++ {
		b.WriteByte(code[i])
		switch code[i] {
		case '\\':
			if i++; i < len(code) {
				b.WriteByte(code[i])
			}
		case ';':
			b.WriteString(quotedCode(mark))
		}
	}
	return b.String()
}

func quotedCode(text string) string {
	var b strings.Builder
	for _, r := range text {
		b.WriteString(`\` + string(r))
	}
	return b.String()
}
