package output

import (
	"encoding/xml"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/numeral"
)

// The styles of cells, by their place in cellXfs.
const (
	styleBold = iota + 1
	styleDate
	styleDateTime
	styleMoney
	// Those of lines with totals.
	styleTotal
	styleTotalMoney
	styleTotalDate
	styleTotalDateTime
	styleTotalCount
	// Durations.
	styleHours
	styleMinutes
	styleTotalHours
	styleTotalMinutes
)

// styleOf is the style of a number in a format, by itself and as a total.
var styleOf = map[string]numberStyle{
	"money": {styleMoney, styleTotalMoney}, hours: {styleHours, styleTotalHours}, minutes: {styleMinutes, styleTotalMinutes},
}

type numberStyle struct{ cell, total int }

// stylesOfOwn is how many styles there are before those of the columns' patterns, and
// formatsOfOwn the number of the first format of theirs.
const (
	stylesOfOwn  = styleTotalMinutes + 1
	formatsOfOwn = 169
)

// styleOf is the style of a number in a format; that of a pattern is added when it is first
// asked for.
func (x *xlsxWriter) styleOf(format string) (style numberStyle, ok bool) {
	if format == "" || format == "plain" {
		return style, false
	}
	if style, ok = styleOf[format]; ok {
		return style, true
	}
	at := slices.Index(x.patterns, format)
	if at < 0 {
		p, err := numeral.Parse(format)
		if err != nil {
			return style, false
		}
		code, ok := p.Workbook()
		if !ok {
			return style, false
		}
		at = len(x.patterns)
		x.patterns, x.codes = append(x.patterns, format), append(x.codes, code)
	}
	return numberStyle{stylesOfOwn + 2*at, stylesOfOwn + 2*at + 1}, true
}

// styles are those of all workbooks, and of the patterns of this one.
func (x *xlsxWriter) styles() string {
	var formats, cells strings.Builder
	for i, code := range x.codes {
		var quoted strings.Builder
		_ = xml.EscapeText(&quoted, []byte(code)) // a builder takes all
		fmt.Fprintf(&formats, `<numFmt numFmtId="%d" formatCode="%s"/>`, formatsOfOwn+i, quoted.String())
		fmt.Fprintf(&cells, `<xf numFmtId="%[1]d" applyNumberFormat="1"/><xf numFmtId="%[1]d" fontId="1" applyNumberFormat="1" applyFont="1"/>`, formatsOfOwn+i)
	}
	return fmt.Sprintf(styles, formatsOfOwn-164+len(x.codes), formats.String(), stylesOfOwn+2*len(x.codes), cells.String())
}

const styles = `<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">` +
	`<numFmts count="%d"><numFmt numFmtId="164" formatCode="yyyy\-mm\-dd"/><numFmt numFmtId="165" formatCode="yyyy\-mm\-dd\ hh:mm:ss"/><numFmt numFmtId="166" formatCode="[=1]0&quot; record&quot;;#,##0&quot; records&quot;"/><numFmt numFmtId="167" formatCode="[h]&quot; h &quot;mm&quot; min&quot;"/><numFmt numFmtId="168" formatCode="[m]&quot; min &quot;ss&quot; s&quot;"/>%s</numFmts>` +
	`<fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts>` +
	`<fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills>` +
	`<borders count="1"><border/></borders>` +
	`<cellStyleXfs count="1"><xf/></cellStyleXfs>` +
	`<cellXfs count="%d"><xf/>` +
	`<xf fontId="1" applyFont="1"/>` +
	`<xf numFmtId="164" applyNumberFormat="1"/>` +
	`<xf numFmtId="165" applyNumberFormat="1"/>` +
	`<xf numFmtId="4" applyNumberFormat="1"/>` +
	`<xf fontId="1" applyFont="1"/>` +
	`<xf numFmtId="4" fontId="1" applyNumberFormat="1" applyFont="1"/>` +
	`<xf numFmtId="164" fontId="1" applyNumberFormat="1" applyFont="1"/>` +
	`<xf numFmtId="165" fontId="1" applyNumberFormat="1" applyFont="1"/>` +
	`<xf numFmtId="166" fontId="1" applyNumberFormat="1" applyFont="1"/>` +
	`<xf numFmtId="167" applyNumberFormat="1"/>` +
	`<xf numFmtId="168" applyNumberFormat="1"/>` +
	`<xf numFmtId="167" fontId="1" applyNumberFormat="1" applyFont="1"/>` +
	`<xf numFmtId="168" fontId="1" applyNumberFormat="1" applyFont="1"/>` +
	`%s</cellXfs></styleSheet>`
