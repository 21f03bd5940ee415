package catalog

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// CSVFormat is how the CSV of a result is written; what is left out is as RFC 4180 and UTF-8
// have it.
type CSVFormat struct {
	Delimiter string `yaml:"delimiter" json:"delimiter,omitempty" maxLength:"10" doc:"The delimiter of the fields: one character, or tab; a comma when left out, a semicolon where the decimal mark is a comma" example:";"`
	Decimal   string `yaml:"decimal" json:"decimal,omitempty" maxLength:"10" doc:"The decimal mark of numbers: a point or a comma" example:","`
	Encoding  string `yaml:"encoding" json:"encoding,omitempty" maxLength:"20" doc:"The encoding of the text: utf-8, utf-16, windows-1252 or latin-1" example:"windows-1252"`
	Mark      string `yaml:"mark" json:"mark,omitempty" maxLength:"10" doc:"Whether the file begins with a byte-order mark: yes or no; only UTF-16 has one when left out" example:"yes"`
	Values    string `yaml:"values" json:"values,omitempty" maxLength:"10" doc:"Whether values are written raw, for programs, or as people are shown them: raw or shown" example:"shown"`
}

// Over puts what is said here over what is said elsewhere.
func (f CSVFormat) Over(other CSVFormat) CSVFormat {
	return CSVFormat{cmp.Or(f.Delimiter, other.Delimiter), cmp.Or(f.Decimal, other.Decimal), cmp.Or(f.Encoding, other.Encoding), cmp.Or(f.Mark, other.Mark), cmp.Or(f.Values, other.Values)}
}

// Check tells, by field, what is wrong with it.
func (f CSVFormat) Check() map[string]string {
	wrong := FileFormat{Delimiter: f.Delimiter, Decimal: f.Decimal}.Check()
	if f.Encoding != "" && !slices.Contains(TextEncodings, f.Encoding) {
		wrong["encoding"] = fmt.Sprintf("%q cannot be written. Write %s.", f.Encoding, strings.Join(TextEncodings, ", "))
	}
	if f.Values != "" && f.Values != "raw" && f.Values != "shown" {
		wrong["values"] = fmt.Sprintf("%q does not say how values are written. Write raw or shown.", f.Values)
	}
	switch {
	case f.Mark != "" && f.Mark != "yes" && f.Mark != "no":
		wrong["mark"] = fmt.Sprintf("%q does not say whether there is a byte-order mark. Write yes or no.", f.Mark)
	case f.Mark == "yes" && f.Encoding != "" && f.Encoding != "utf-8" && f.Encoding != "utf-16":
		wrong["mark"] = f.Encoding + " has no byte-order mark. Leave it out, or write utf-8 or utf-16."
	}
	return wrong
}

// IsZero tells whether it says nothing.
func (f CSVFormat) IsZero() bool { return f == CSVFormat{} }

// Separator is the delimiter as it is written.
func (f CSVFormat) Separator() byte {
	switch {
	case f.Delimiter == "tab":
		return '\t'
	case f.Delimiter != "":
		return f.Delimiter[0]
	case f.Decimal == ",":
		return ';'
	}
	return ','
}

// Marked tells whether a byte-order mark comes first.
func (f CSVFormat) Marked() bool {
	return f.Mark == "yes" || f.Mark == "" && f.Encoding == "utf-16"
}

// Charset is the encoding as MIME names it. Source: IANA, Character Sets.
func (f CSVFormat) Charset() string {
	switch f.Encoding {
	case "utf-16":
		if !f.Marked() {
			return "utf-16le"
		}
		return "utf-16"
	case "windows-1252":
		return "windows-1252"
	case "latin-1":
		return "iso-8859-1"
	}
	return "utf-8"
}
