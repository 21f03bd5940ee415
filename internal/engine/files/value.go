package files

import (
	"math/big"
	"strconv"
	"strings"
	"time"
	"unsafe"

	duckdb "github.com/duckdb/duckdb-go-bindings"

	"pikegate/core/catalog"
)

// column reads the values of a column where they lie in a vector. Source: DuckDB's C API,
// "Vectors".
type column struct {
	data, valid unsafe.Pointer
	read        func(at int) any
}

func (c *column) value(at int) any {
	if isNull(c.valid, at) {
		return nil
	}
	return c.read(at)
}

func at[T any](c *column, i int) T {
	return *(*T)(unsafe.Add(c.data, uintptr(i)*unsafe.Sizeof(*new(T))))
}

// columnOf is how the values of a column of a result are read.
func columnOf(result *duckdb.Result, i duckdb.IdxT) *column {
	logical := duckdb.ColumnLogicalType(result, i)
	defer duckdb.DestroyLogicalType(&logical)
	c := &column{}
	switch duckdb.ColumnType(result, i) {
	case duckdb.TypeBoolean:
		c.read = func(i int) any { return at[bool](c, i) }
	case duckdb.TypeTinyInt:
		c.read = func(i int) any { return int64(at[int8](c, i)) }
	case duckdb.TypeSmallInt:
		c.read = func(i int) any { return int64(at[int16](c, i)) }
	case duckdb.TypeInteger:
		c.read = func(i int) any { return int64(at[int32](c, i)) }
	case duckdb.TypeBigInt:
		c.read = func(i int) any { return at[int64](c, i) }
	case duckdb.TypeUTinyInt:
		c.read = func(i int) any { return int64(at[uint8](c, i)) }
	case duckdb.TypeUSmallInt:
		c.read = func(i int) any { return int64(at[uint16](c, i)) }
	case duckdb.TypeUInteger:
		c.read = func(i int) any { return int64(at[uint32](c, i)) }
	case duckdb.TypeUBigInt:
		c.read = func(i int) any { return wide(new(big.Int).SetUint64(at[uint64](c, i)), 0) }
	case duckdb.TypeHugeInt:
		c.read = func(i int) any { return wide(huge(at[[2]uint64](c, i)), 0) }
	case duckdb.TypeFloat:
		c.read = func(i int) any {
			f := at[float32](c, i)
			exact, _ := strconv.ParseFloat(strconv.FormatFloat(float64(f), 'g', -1, 32), 64) // as it is written
			return exact
		}
	case duckdb.TypeDouble:
		c.read = func(i int) any { return at[float64](c, i) }
	case duckdb.TypeDecimal:
		scale := int(duckdb.DecimalScale(logical))
		switch duckdb.DecimalInternalType(logical) {
		case duckdb.TypeSmallInt:
			c.read = func(i int) any { return fixed(int64(at[int16](c, i)), scale) }
		case duckdb.TypeInteger:
			c.read = func(i int) any { return fixed(int64(at[int32](c, i)), scale) }
		case duckdb.TypeBigInt:
			c.read = func(i int) any { return fixed(at[int64](c, i), scale) }
		default:
			c.read = func(i int) any { return wide(huge(at[[2]uint64](c, i)), scale) }
		}
	case duckdb.TypeDate:
		c.read = func(i int) any { return time.Unix(int64(at[int32](c, i))*86400, 0).UTC().Format("2006-01-02") }
	case duckdb.TypeTimestamp, duckdb.TypeTimestampTZ:
		c.read = func(i int) any { return stamp(time.UnixMicro(at[int64](c, i))) }
	case duckdb.TypeTimestampS:
		c.read = func(i int) any { return stamp(time.Unix(at[int64](c, i), 0)) }
	case duckdb.TypeTimestampMS:
		c.read = func(i int) any { return stamp(time.UnixMilli(at[int64](c, i))) }
	case duckdb.TypeTimestampNS:
		c.read = func(i int) any { return stamp(time.Unix(0, at[int64](c, i))) }
	case duckdb.TypeVarchar:
		c.read = func(i int) any { return string(c.bytes(i)) }
	case duckdb.TypeBlob:
		c.read = func(i int) any { return append([]byte{}, c.bytes(i)...) }
	default:
		c.read = func(int) any { return "(a value of a kind that is not shown)" }
	}
	return c
}

// text is a string of DuckDB's: up to 12 bytes in it, longer ones elsewhere.
type text struct {
	length  uint32
	inlined [12]byte
}

func (c *column) bytes(i int) []byte {
	t := (*text)(unsafe.Add(c.data, uintptr(i)*unsafe.Sizeof(text{})))
	if t.length <= 12 {
		return t.inlined[:t.length]
	}
	return unsafe.Slice(*(**byte)(unsafe.Pointer(&t.inlined[4])), t.length)
}

// stamp writes a date-time as text that is read without a zone, or in UTC.
func stamp(t time.Time) string { return t.UTC().Format("2006-01-02 15:04:05.999999999") }

// huge is a whole number of 128 bits, the lower half first.
func huge(halves [2]uint64) *big.Int {
	n := new(big.Int).Lsh(big.NewInt(int64(halves[1])), 64)
	return n.Add(n, new(big.Int).SetUint64(halves[0]))
}

// fixed is a decimal with so many places.
func fixed(n int64, scale int) any {
	if scale == 0 {
		return n
	}
	return point(strconv.FormatInt(n, 10), scale)
}

// wide is the same of a number that may have more than 64 bits.
func wide(n *big.Int, scale int) any {
	if scale == 0 && n.IsInt64() {
		return n.Int64()
	}
	return point(n.String(), scale)
}

func point(digits string, scale int) string {
	if scale == 0 {
		return digits
	}
	sign := ""
	if digits[0] == '-' {
		sign, digits = "-", digits[1:]
	}
	if len(digits) <= scale {
		digits = strings.Repeat("0", scale-len(digits)+1) + digits
	}
	return sign + digits[:len(digits)-scale] + "." + digits[len(digits)-scale:]
}

// typed sets the type of a column of DuckDB's.
func typed(c *catalog.Column, declared string) {
	c.Declared = strings.ToLower(declared)
	base, _, _ := strings.Cut(c.Declared, "(")
	switch base {
	case "varchar", "enum", "uuid":
		c.Type = catalog.Text
	case "tinyint", "smallint", "integer", "bigint", "utinyint", "usmallint", "uinteger", "ubigint", "hugeint":
		c.Type = catalog.Integer
	case "float", "double", "decimal":
		c.Type = catalog.Decimal
	case "boolean":
		c.Type = catalog.Boolean
	case "date":
		c.Type, c.Encoding = catalog.Date, catalog.EncDate
	case "timestamp", "timestamp_s", "timestamp_ms", "timestamp_ns":
		c.Type, c.Encoding = catalog.DateTime, catalog.EncLocal
	case "timestamp with time zone":
		c.Type, c.Encoding = catalog.DateTime, catalog.EncInstant
	case "blob":
		c.Type, c.Bytes = catalog.Other, true
	default:
		c.Type = catalog.Other
	}
}
