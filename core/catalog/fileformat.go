package catalog

import (
	"fmt"
	"path"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// FileFormat is what somebody says of how the files of a table are written; what is left out
// is found from them.
type FileFormat struct {
	Files     string   `yaml:"files" json:"files,omitempty" maxLength:"300" doc:"The files that the table is made of, as a pattern of their paths in the folder, in the place of those whose names differ in numbers only" example:"archive/passages-*.csv"`
	Delimiter string   `yaml:"delimiter" json:"delimiter,omitempty" maxLength:"10" doc:"The delimiter of the fields: one character, or tab" example:";"`
	Decimal   string   `yaml:"decimal" json:"decimal,omitempty" maxLength:"10" doc:"The decimal mark of numbers: a point or a comma" example:","`
	Header    string   `yaml:"header" json:"header,omitempty" maxLength:"10" doc:"Whether the first record names the columns: yes or no" example:"no"`
	Skip      string   `yaml:"skip" json:"skip,omitempty" maxLength:"10" doc:"How many lines stand before the header row, or the first record" example:"2"`
	Encoding  string   `yaml:"encoding" json:"encoding,omitempty" maxLength:"20" doc:"The encoding of the text: utf-8, utf-16, windows-1252 or latin-1" example:"latin-1"`
	Comment   string   `yaml:"comment" json:"comment,omitempty" maxLength:"10" doc:"What lines begin with that are no records: one mark" example:"#"`
	Sheet     string   `yaml:"sheet" json:"sheet,omitempty" maxLength:"31" doc:"The sheet of a workbook" example:"Stoppages 2025"`
	Range     string   `yaml:"range" json:"range,omitempty" maxLength:"255" doc:"The cells of a sheet, header row first, or the name of a table or range of the workbook" example:"B4:F200"`
	Dates     string   `yaml:"dates" json:"dates,omitempty" maxLength:"60" doc:"The layout of dates kept as text, for the columns whose values fit it" example:"D.M.Y"`
	Blank     []string `yaml:"blank" json:"blank,omitempty" maxItems:"50" doc:"Words that stand for no value in a column of numbers, in the place of the usual ones" example:"missing"`
}

// TextEncodings are those that a text file can be said to have.
var TextEncodings = []string{"utf-8", "utf-16", "windows-1252", "latin-1"}

var (
	cellRange = regexp.MustCompile(`^[A-Za-z]{1,3}[1-9][0-9]{0,6}:[A-Za-z]{1,3}[1-9][0-9]{0,6}$`)
	rangeName = regexp.MustCompile(`^[\pL_][\pL\pN_.]*$`)
)

// Cells tells whether a range of a workbook is one of cells, not a name.
func (f FileFormat) Cells() bool { return cellRange.MatchString(f.Range) }

// mostSkipped is how many lines may stand before the header row.
const mostSkipped = 10_000

// Check tells, by field, what is wrong with it.
func (f FileFormat) Check() map[string]string {
	wrong := map[string]string{}
	if d := f.Delimiter; d != "" && d != "tab" && (len(d) != 1 || d[0] <= ' ' || d[0] >= 0x7f || strings.ContainsAny(d, "\"'0123456789") || d[0]|' ' >= 'a' && d[0]|' ' <= 'z') {
		wrong["delimiter"] = fmt.Sprintf("%q cannot be a delimiter. Write one mark, such as ; or |, or tab.", d)
	}
	if f.Decimal != "" && f.Decimal != "." && f.Decimal != "," {
		wrong["decimal"] = fmt.Sprintf("%q is no decimal mark. Write a point or a comma.", f.Decimal)
	}
	if f.Header != "" && f.Header != "yes" && f.Header != "no" {
		wrong["header"] = fmt.Sprintf("%q does not say whether there is a header row. Write yes or no.", f.Header)
	}
	if n, err := strconv.Atoi(f.Skip); f.Skip != "" && (err != nil || n < 0 || n > mostSkipped) {
		wrong["skip"] = fmt.Sprintf("%q is no number of lines. Write one from 0 to %d.", f.Skip, mostSkipped)
	}
	if f.Encoding != "" && !slices.Contains(TextEncodings, f.Encoding) {
		wrong["encoding"] = fmt.Sprintf("%q is not read. Write %s.", f.Encoding, strings.Join(TextEncodings, ", "))
	}
	if c := f.Comment; c != "" && (len(c) != 1 || c[0] <= ' ' || c[0] >= 0x7f || c == "\"" || c == f.Delimiter) {
		wrong["comment"] = fmt.Sprintf("%q cannot begin lines that are no records. Write one mark, such as # or %%.", c)
	}
	if _, err := path.Match(f.Files, ""); f.Files != "" && (err != nil || path.IsAbs(f.Files) || strings.Contains(f.Files, "..") || strings.Contains(f.Files, "\\")) {
		wrong["files"] = fmt.Sprintf("%q is no pattern of paths in the folder. Write one such as archive/passages-*.csv.", f.Files)
	}
	if f.Range != "" && !cellRange.MatchString(f.Range) && !rangeName.MatchString(f.Range) {
		wrong["range"] = fmt.Sprintf("%q is no range. Write one such as B4:F200, or the name of a table or range of the workbook.", f.Range)
	}
	if e := Encoding(f.Dates); f.Dates != "" && (e.Check() != nil || !e.IsLayout() && e != EncISODate && e != EncISOLocal && e != EncISOInstant) {
		wrong["dates"] = fmt.Sprintf("%q is no layout of dates. Write one such as D.M.Y or M/D/Y h:m, or iso-date.", f.Dates)
	}
	for _, word := range f.Blank {
		if word == "" || len(word) > 100 {
			wrong["blank"] = "A word for no value has 1 to 100 characters. An empty field stands for none anyway."
		}
	}
	return wrong
}

// Said is what it says, by the names of definitions.
func (f FileFormat) Said() map[string]any {
	said := map[string]any{}
	v := reflect.ValueOf(f)
	for i := range v.NumField() {
		if field := v.Field(i); field.Len() > 0 { // each is a text, or a list of them
			said[v.Type().Field(i).Tag.Get("yaml")] = field.Interface()
		}
	}
	return said
}

// IsZero tells whether it says nothing.
func (f FileFormat) IsZero() bool { return len(f.Said()) == 0 }
