package postgres

import (
	"encoding/binary"
	"fmt"
	"math"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/internal/engine"
)

// The two formats of the protocol; source: PostgreSQL's documentation, "Formats and Format
// Codes".
const (
	asText   int16 = 0
	asBinary int16 = 1
)

// sizeOf is how many bytes a value of a type has as it is stored, 0 for a type that is asked
// for as text. To send numbers of a fixed size and dates as they are spares the server a
// quarter of its work for a large result.
func sizeOf(oid uint32) int {
	switch oid {
	case pgtype.BoolOID:
		return 1
	case pgtype.Int2OID:
		return 2
	case pgtype.Int4OID, pgtype.OIDOID, pgtype.Float4OID, pgtype.DateOID:
		return 4
	case pgtype.Int8OID, pgtype.Float8OID, pgtype.TimestampOID, pgtype.TimestamptzOID:
		return 8
	}
	return 0
}

// decoder reads the values of a column. Days that follow each other are often the same, and
// are written once.
type decoder struct {
	oid  uint32
	size int
	day  int64 // the last one, in days from the server's epoch
	text []byte
	era  string // what stands at the end of it
	any  any    // of a column of days
}

func decodersOf(fields []pgconn.FieldDescription) (decoders []decoder, formats []int16) {
	decoders, formats = make([]decoder, len(fields)), make([]int16, len(fields))
	for i, f := range fields {
		decoders[i] = decoder{oid: f.DataTypeOID, size: sizeOf(f.DataTypeOID)}
		if formats[i] = asText; decoders[i].size > 0 {
			formats[i] = asBinary
		}
	}
	return decoders, formats
}

// read is a value as the engine's contract has it. Texts are parts of the bytes; what is
// written anew is the arena's.
func (d *decoder) read(v []byte, texts *engine.Arena) any {
	switch {
	case v == nil:
		return nil
	case d.size > 0 && d.size != len(v): // as no server sends it
		return texts.Part(v)
	}
	switch d.oid {
	case pgtype.Int2OID:
		return texts.Number(int64(int16(binary.BigEndian.Uint16(v))))
	case pgtype.Int4OID:
		return texts.Number(int64(int32(binary.BigEndian.Uint32(v))))
	case pgtype.Int8OID:
		return texts.Number(int64(binary.BigEndian.Uint64(v)))
	case pgtype.OIDOID:
		return texts.Number(int64(binary.BigEndian.Uint32(v)))
	case pgtype.Float4OID:
		return texts.Float(engine.Single(math.Float32frombits(binary.BigEndian.Uint32(v))))
	case pgtype.Float8OID:
		return texts.Float(math.Float64frombits(binary.BigEndian.Uint64(v)))
	case pgtype.BoolOID:
		return v[0] != 0
	case pgtype.DateOID:
		return d.date(int32(binary.BigEndian.Uint32(v)))
	case pgtype.TimestampOID, pgtype.TimestamptzOID:
		return d.time(int64(binary.BigEndian.Uint64(v)), texts)
	case pgtype.ByteaOID:
		return make([]byte, max(len(v)-2, 0)/2) // its length is what is shown; text is \x and two digits a byte
	}
	return texts.Part(v)
}

// epoch is the day that the server counts from; source: its src/include/datatype/timestamp.h.
var epoch = civil.DateOf(2000, 1, 1)

// date is a day as the server writes it with the DateStyle ISO.
func (d *decoder) date(days int32) any {
	switch days {
	case math.MaxInt32:
		return "infinity"
	case math.MinInt32:
		return "-infinity"
	}
	if d.turn(int64(days)) {
		d.any = string(append(d.text, d.era...)) // for more than one row
	}
	return d.any
}

// The years that catalog.Micros has, as the server counts, and its epoch.
var (
	epochMicros = catalog.MicrosAt(epoch.Midnight())
	firstMicros = catalog.MicrosAt(civil.DateOf(1, 1, 1).Midnight()) - epochMicros
	untilMicros = catalog.MicrosAt(civil.DateOf(10_000, 1, 1).Midnight()) - epochMicros
)

// time is a time in microseconds as the server writes it, in the zone UTC where it has one.
func (d *decoder) time(micros int64, texts *engine.Arena) any {
	switch micros {
	case math.MaxInt64:
		return "infinity"
	case math.MinInt64:
		return "-infinity"
	}
	const second, day = int64(1_000_000), int64(86_400_000_000)
	if texts.Passing && micros >= firstMicros && micros < untilMicros {
		if d.oid == pgtype.TimestamptzOID {
			return texts.Instant(micros + epochMicros)
		}
		return texts.Time(micros + epochMicros)
	}
	days := micros / day
	if micros%day < 0 {
		days--
	}
	micros -= days * day
	d.turn(days)
	var scratch [40]byte
	b := civil.AppendClock(append(append(scratch[:0], d.text...), ' '), int(micros/second))
	b = civil.AppendFraction(b, int(micros%second))
	if d.oid == pgtype.TimestamptzOID {
		b = append(b, "+00"...)
	}
	return texts.Text(append(b, d.era...))
}

// turn writes a day, where it is another than the last one.
func (d *decoder) turn(days int64) (another bool) {
	if d.text != nil && d.day == days {
		return false
	}
	d.day, d.text, d.era = days, d.text[:0], ""
	day := epoch + civil.Date(days)
	year, month, of := day.YMD()
	if year <= 0 {
		year, d.era = 1-year, " BC"
	}
	if year <= 9999 && d.era == "" {
		d.text = day.AppendTo(d.text)
		return true
	}
	d.text = fmt.Appendf(d.text, "%04d-%02d-%02d", year, month, of)
	return true
}
