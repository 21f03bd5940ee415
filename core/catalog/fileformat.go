package catalog

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// FileFormat is what somebody says of how the files of a table are written; what is left out
// is found from them.
type FileFormat struct {
	Delimiter string   `yaml:"delimiter" json:"delimiter,omitempty" maxLength:"10" doc:"The delimiter of the fields: one character, or tab" example:";"`
	Decimal   string   `yaml:"decimal" json:"decimal,omitempty" maxLength:"10" doc:"The decimal mark of numbers: a point or a comma" example:","`
	Header    string   `yaml:"header" json:"header,omitempty" maxLength:"10" doc:"Whether the first record names the columns: yes or no" example:"no"`
	Skip      string   `yaml:"skip" json:"skip,omitempty" maxLength:"10" doc:"How many lines stand before the header row, or the first record" example:"2"`
	Encoding  string   `yaml:"encoding" json:"encoding,omitempty" maxLength:"20" doc:"The encoding of the text: utf-8, utf-16, windows-1252 or latin-1" example:"latin-1"`
	Blank     []string `yaml:"blank" json:"blank,omitempty" maxItems:"50" doc:"Words that stand for no value in a column of numbers, in the place of the usual ones" example:"missing"`
}

// TextEncodings are those that a text file can be said to have.
var TextEncodings = []string{"utf-8", "utf-16", "windows-1252", "latin-1"}

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
	for _, word := range f.Blank {
		if word == "" || len(word) > 100 {
			wrong["blank"] = "A word for no value has 1 to 100 characters. An empty field stands for none anyway."
		}
	}
	return wrong
}

// IsZero tells whether it says nothing.
func (f FileFormat) IsZero() bool {
	return f.Delimiter+f.Decimal+f.Header+f.Skip+f.Encoding == "" && len(f.Blank) == 0
}
