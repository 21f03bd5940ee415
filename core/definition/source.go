package definition

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"

	"pikegate/core/catalog"
	"pikegate/core/diag"
)

// checkSource checks what is said of a source, against its catalogue where that
// is known.
func checkSource(d *Source, known Environment) diag.Problems {
	c := compiler{query: &Query{}}
	c.name(d.Head)
	var found *catalog.Source
	if known.Source != nil {
		source, problem := known.Source(d.Name)
		if problem != nil {
			problem.Field = "name"
			return append(c.problems, *problem)
		}
		clone := source.Clone()
		found = &clone
	}
	for _, column := range slices.Sorted(maps.Keys(d.Encodings)) {
		encoding := catalog.Encoding(d.Encodings[column])
		field := "encodings." + column
		if encoding.Check() != nil {
			c.problems = append(c.problems, UnknownEncoding(field, string(encoding)))
		} else if found != nil {
			if err := found.SetEncoding(column, encoding); errors.Is(err, catalog.ErrNotText) {
				c.fail(field, 0, "layout_of_text", column+" is no text, and "+string(encoding)+" is a layout of texts.", "Set an encoding of numbers, such as ymd, unix-s or serial-1900.")
			} else if err != nil {
				c.fail(field, 0, "unknown_column", "There is no column "+column+" in "+d.Name+".", "Write TABLE.COLUMN.")
			}
		}
	}
	for _, table := range slices.Sorted(maps.Keys(d.Files)) {
		c.problems = append(c.problems, FileFormatProblems("files."+table+".", d.Files[table])...)
		if found == nil {
			continue
		}
		if _, ok := found.Table(table); !ok && d.Files[table].Files == "" {
			c.fail("files."+table, 0, "unknown_table", fmt.Sprintf("The source %s has no table %s.", d.Name, table), nearOr(table, found.TableNames()))
		}
	}
	return c.problems
}

// FileFormatProblems are what is wrong with what is said of files.
func FileFormatProblems(field string, f catalog.FileFormat) diag.Problems {
	return formatProblems(field, f.Check())
}

// CSVFormatProblems are what is wrong with how a CSV is to be written.
func CSVFormatProblems(field string, f catalog.CSVFormat) diag.Problems {
	return formatProblems(field, f.Check())
}

func formatProblems(field string, wrong map[string]string) (problems diag.Problems) {
	for _, name := range slices.Sorted(maps.Keys(wrong)) {
		message, hint, _ := strings.Cut(wrong[name], ". ")
		problems = append(problems, diag.Problem{Code: "bad_file_format", Field: field + name, Message: message + ".", Hint: hint})
	}
	return problems
}

// UnknownEncoding says that there is no such encoding.
func UnknownEncoding(field, e string) diag.Problem {
	names := make([]string, len(catalog.Encodings))
	for i, known := range catalog.Encodings {
		names[i] = string(known)
	}
	message, hint := fmt.Sprintf("There is no encoding %q.", e), diag.DidYouMean(e, names)
	if err := catalog.Encoding(e).Check(); hint == "" && err != nil {
		message = fmt.Sprintf("There is no encoding %q. As a layout it does not do: %s.", e, err)
		hint = fmt.Sprintf("There are %s, and layouts such as D.M.Y h:m.", strings.Join(names, ", "))
	}
	return diag.Problem{Code: "unknown_encoding", Field: field, Message: message, Hint: hint}
}

// WriteSource writes the document of a source.
func WriteSource(d *Source) string {
	files := map[string]map[string]any{}
	for table, f := range d.Files {
		files[table] = f.Said()
	}
	text, err := yaml.Dump(struct {
		Kind      string                    `yaml:"kind"`
		Name      string                    `yaml:"name"`
		Encodings map[string]string         `yaml:"encodings"`
		Files     map[string]map[string]any `yaml:"files,omitempty"`
	}{"source", d.Name, d.Encodings, files}, yaml.WithIndent(2))
	if err != nil {
		panic("definition: texts are always YAML: " + err.Error())
	}
	return string(text)
}
