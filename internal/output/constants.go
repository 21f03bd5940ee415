package output

import (
	"slices"

	"github.com/parquet-go/parquet-go"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/plan"
	"pikegate/core/record"
)

// Constant is a column that has one value in every record.
type Constant struct {
	Name  string
	Type  catalog.Type
	Value record.Value
}

// WithConstants adds columns behind those of the records: which they are is known once the header
// is. A column of the records that has the name of one is written as NAME_before.
func WithConstants(w Writer, constants func(Header) []Constant) Writer {
	return &constantWriter{Writer: w, constants: constants}
}

type constantWriter struct {
	Writer
	constants func(Header) []Constant
	values    record.Record
	row       record.Record
}

func (c *constantWriter) Begin(h Header) error {
	h.Columns = slices.Clone(h.Columns)
	for _, more := range c.constants(h) {
		for i := range h.Columns {
			if h.Columns[i].Name == more.Name {
				h.Columns[i].Name += "_before"
			}
		}
		h.Columns = append(h.Columns, plan.Output{Name: more.Name, Label: definition.Labelled(more.Name), Type: more.Type, Column: catalog.Column{Name: more.Name, Type: more.Type}, Index: len(h.Columns)})
		c.values = append(c.values, more.Value)
	}
	return c.Writer.Begin(h)
}

func (c *constantWriter) Row(r record.Record) error {
	c.row = append(append(c.row[:0], r...), c.values...)
	return c.Writer.Row(c.row)
}

// ParquetColumns are the columns of a Parquet file and their types in words, in their order.
func ParquetColumns(file interface {
	ReadAt(p []byte, off int64) (n int, err error)
}, size int64,
) ([][2]string, error) {
	f, err := parquet.OpenFile(file, size)
	if err != nil {
		return nil, err
	}
	var out [][2]string
	for _, field := range f.Schema().Fields() {
		out = append(out, [2]string{field.Name(), field.Type().String()})
	}
	return out, nil
}
