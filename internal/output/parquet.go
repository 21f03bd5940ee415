package output

import (
	"fmt"
	"io"
	"math/big"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/core/plan"
	"pikegate/core/record"
)

// How much gathers before it is written as a row group.
const (
	groupRows  = 100_000
	groupBytes = 16 << 20
)

// parquetWriter writes Parquet. What a column holds follows from its type alone, so that the
// files of two runs of a report go together; a value of another type is refused.
type parquetWriter struct {
	out     *parquet.GenericWriter[any]
	to      io.Writer
	columns []plan.Output
	cells   cells
	put     []func(cell []byte, k kind) (parquet.Value, bool)
	row     parquet.Row
	cell    []byte
	records int64
	held    int // records of the row group so far, and bytes
	bytes   int
}

func newParquet(w io.Writer) Writer { return &parquetWriter{to: w} }

// inOrder is a group whose fields stand in the order of the columns.
type inOrder struct {
	parquet.Group
	names []string
}

func (g inOrder) Fields() []parquet.Field {
	fields := g.Group.Fields()
	slices.SortFunc(fields, func(a, b parquet.Field) int {
		return slices.Index(g.names, a.Name()) - slices.Index(g.names, b.Name())
	})
	return fields
}

func (p *parquetWriter) Begin(h Header) error {
	p.columns, p.cells = h.Columns, newCells(h)
	group := inOrder{Group: parquet.Group{}}
	for _, c := range h.Columns {
		node, put := nodeOf(&c)
		group.Group[c.Name] = parquet.Optional(node)
		group.names = append(group.names, c.Name)
		p.put = append(p.put, put)
	}
	p.out = parquet.NewGenericWriter[any](p.to, parquet.NewSchema("records", group), parquet.Compression(&parquet.Zstd), parquet.CreatedBy("Pike Gate", "", ""),
		parquet.KeyValueMetadata("report", h.Report), parquet.KeyValueMetadata("title", h.Title), parquet.KeyValueMetadata("selected", h.ReadBack),
		parquet.KeyValueMetadata("run", strconv.FormatUint(uint64(h.Run), 10)), parquet.KeyValueMetadata("zone", h.Zone))
	return nil
}

func (p *parquetWriter) Row(r record.Record) error {
	p.records++
	p.row = p.row[:0]
	for i := range p.columns {
		var k kind
		p.cell, k = p.cells.append(p.cell[:0], i, r)
		if k == blank {
			p.row = append(p.row, parquet.NullValue().Level(0, 0, i))
			continue
		}
		v, ok := p.put[i](p.cell, k)
		if !ok {
			return diag.Problems{{
				Code: "not_in_format", Field: "format", Message: fmt.Sprintf("Record %s has %q in the column %s, which Parquet holds as %s.", Thousands(p.records), shortened(p.cell), p.columns[i].Name, kindName(&p.columns[i])),
				Hint: "Write the file as CSV, JSON lines or XLSX, or leave the column out.",
			}}
		}
		p.row = append(p.row, v.Level(0, 1, i))
		p.bytes += len(p.cell)
	}
	if _, err := p.out.WriteRows([]parquet.Row{p.row}); err != nil {
		return err
	}
	if p.held++; p.held == groupRows || p.bytes > groupBytes {
		p.held, p.bytes = 0, 0
		return p.out.Flush()
	}
	return nil
}

// shortened is a cell as a message quotes it.
func shortened(cell []byte) string {
	const most = 60
	if text := []rune(string(cell)); len(text) > most {
		return string(text[:most]) + "…"
	}
	return string(cell)
}

// kindName says what a column of Parquet holds.
func kindName(c *plan.Output) string {
	switch c.Type {
	case catalog.Integer:
		return "whole numbers of 64 bits"
	case catalog.Decimal:
		if places, digits, ok := placesOf(c); ok {
			return fmt.Sprintf("decimals of %d digits, %d of them after the point", digits, places)
		}
		return "numbers"
	case catalog.Date:
		return "days"
	case catalog.DateTime:
		return "dates and times, to the microsecond"
	case catalog.Boolean:
		return "yes or no"
	}
	return "text"
}

var declaredPlaces = regexp.MustCompile(`^(?:decimal|numeric)\((\d+), ?(\d+)\)`)

// mostDecimalDigits is how many digits readers take of a decimal.
const mostDecimalDigits = 38

// placesOf is how many digits the decimals of a column have at the most, and how many of them
// after the point; false where nothing says so.
func placesOf(c *plan.Output) (places, digits int, ok bool) {
	if c.Format == "money" {
		return moneyPlaces, mostDecimalDigits, true
	}
	m := declaredPlaces.FindStringSubmatch(c.Column.Declared)
	if m == nil || c.Formula.Is() {
		return 0, 0, false
	}
	digits, _ = strconv.Atoi(m[1])
	places, _ = strconv.Atoi(m[2])
	return places, min(digits, mostDecimalDigits), digits > 0 && places <= min(digits, mostDecimalDigits)
}

// nodeOf is what a column is in Parquet, and how its cells are put.
func nodeOf(c *plan.Output) (parquet.Node, func(cell []byte, k kind) (parquet.Value, bool)) {
	switch c.Type {
	case catalog.Boolean:
		return parquet.Leaf(parquet.BooleanType), func(cell []byte, k kind) (parquet.Value, bool) {
			return parquet.BooleanValue(cell[0] == 't'), k == boolean
		}
	case catalog.Integer:
		if c.Format == "money" {
			return decimalNode(moneyPlaces, mostDecimalDigits)
		}
		return parquet.Int(64), func(cell []byte, k kind) (parquet.Value, bool) {
			n, err := strconv.ParseInt(string(cell), 10, 64)
			return parquet.Int64Value(n), k == number && err == nil
		}
	case catalog.Decimal:
		if places, digits, ok := placesOf(c); ok {
			return decimalNode(places, digits)
		}
		return parquet.Leaf(parquet.DoubleType), func(cell []byte, _ kind) (parquet.Value, bool) {
			f, err := strconv.ParseFloat(string(cell), 64)
			return parquet.DoubleValue(f), err == nil
		}
	case catalog.Date:
		return parquet.Date(), func(cell []byte, _ kind) (parquet.Value, bool) {
			at, err := time.Parse(time.DateOnly, string(cell))
			return parquet.Int32Value(int32(at.Unix() / (24 * 60 * 60))), err == nil
		}
	case catalog.DateTime:
		layout := "2006-01-02T15:04:05"
		if c.Column.Encoding.IsInstant() {
			layout = time.RFC3339
		}
		return parquet.TimestampAdjusted(parquet.Microsecond, c.Column.Encoding.IsInstant()), func(cell []byte, _ kind) (parquet.Value, bool) {
			at, err := time.Parse(layout, string(cell))
			return parquet.Int64Value(at.UnixMicro()), err == nil && at.Nanosecond()%1000 == 0
		}
	}
	return parquet.String(), func(cell []byte, _ kind) (parquet.Value, bool) {
		return parquet.ByteArrayValue(slices.Clone([]byte(strings.ToValidUTF8(string(cell), "\ufffd")))), true
	}
}

// decimalNode holds decimals exactly: as 64 bits where their digits fit, else as 128.
func decimalNode(places, digits int) (parquet.Node, func(cell []byte, k kind) (parquet.Value, bool)) {
	unscaled := func(cell []byte) (*big.Int, bool) {
		d, err := decimal.NewFromString(string(cell))
		if err != nil {
			return nil, false
		}
		shifted := d.Shift(int32(places))
		n := shifted.BigInt()
		return n, shifted.IsInteger() && len(new(big.Int).Abs(n).String()) <= digits
	}
	if digits <= 18 {
		return parquet.Decimal(places, digits, parquet.Int64Type), func(cell []byte, _ kind) (parquet.Value, bool) {
			n, ok := unscaled(cell)
			if !ok {
				return parquet.Value{}, false
			}
			return parquet.Int64Value(n.Int64()), true
		}
	}
	return parquet.Decimal(places, digits, parquet.FixedLenByteArrayType(16)), func(cell []byte, _ kind) (parquet.Value, bool) {
		n, ok := unscaled(cell)
		if !ok {
			return parquet.Value{}, false
		}
		if n.Sign() < 0 { // two's complement
			n = n.Add(n, new(big.Int).Lsh(big.NewInt(1), 128))
		}
		return parquet.FixedLenByteArrayValue(n.FillBytes(make([]byte, 16))), true
	}
}

// Opening writes nothing.
func (p *parquetWriter) Opening(Opening) error { return nil }

// Subtotal writes nothing: the file is a table of records.
func (p *parquetWriter) Subtotal(Subtotal) error { return nil }

// Flush does nothing: row groups are written when they are full.
func (p *parquetWriter) Flush() error { return nil }

func (p *parquetWriter) End(s Summary) error {
	if s.Problem != "" {
		return nil // it is no whole file
	}
	return p.out.Close()
}
