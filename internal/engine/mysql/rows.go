package mysql

import (
	"bytes"
	"database/sql/driver"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"pikegate/core/civil"
	"pikegate/internal/engine"
)

// wire is how values of a column are sent, in the protocol's binary format; source:
// MariaDB's and MySQL's documentation, "Binary Protocol Resultset Row".
type wire uint8

const (
	wireUnknown wire = iota
	wire1
	wire2
	wire4
	wire8
	wireSingle
	wireDouble
	wireDate
	wireMoment
	wireTime
	wireText
	wireBytes
	wireNothing
)

// wires are the types by the names that the driver has for them.
var wires = map[string]wire{
	"TINYINT": wire1, "SMALLINT": wire2, "YEAR": wire2, "MEDIUMINT": wire4, "INT": wire4, "BIGINT": wire8,
	"FLOAT": wireSingle, "DOUBLE": wireDouble, "DATE": wireDate, "DATETIME": wireMoment, "TIMESTAMP": wireMoment, "TIME": wireTime, "NULL": wireNothing,
	"DECIMAL": wireText, "CHAR": wireText, "VARCHAR": wireText, "TINYTEXT": wireText, "TEXT": wireText, "MEDIUMTEXT": wireText, "LONGTEXT": wireText,
	"ENUM": wireText, "SET": wireText, "JSON": wireText,
	"BIT": wireBytes, "GEOMETRY": wireBytes, "BINARY": wireBytes, "VARBINARY": wireBytes,
	"TINYBLOB": wireBytes, "BLOB": wireBytes, "MEDIUMBLOB": wireBytes, "LONGBLOB": wireBytes,
}

// column reads the values of one column. Days that follow each other are often the same.
type column struct {
	wire     wire
	unsigned bool
	places   int // of seconds
	day      [4]byte
	text     []byte // the last day, as it was written
	days     any    // the same, of a column of days
}

// columnsOf are the columns of a result; false where one is of a type that is not known here.
func columnsOf(rows driver.Rows) ([]column, bool) {
	columns := make([]column, len(rows.Columns()))
	known := true
	for i := range columns {
		name, unsigned := strings.CutPrefix(rows.(driver.RowsColumnTypeDatabaseTypeName).ColumnTypeDatabaseTypeName(i), "UNSIGNED ")
		c := column{wire: wires[name], unsigned: unsigned}
		if c.wire == wireMoment || c.wire == wireTime {
			_, places, _ := rows.(driver.RowsColumnTypePrecisionScale).ColumnTypePrecisionScale(i)
			if c.places = int(places); c.places == 0x1f { // of an expression
				c.places = 0
			}
			known = known && c.places <= 6
		}
		known = known && c.wire != wireUnknown
		columns[i] = c
	}
	return columns, known
}

// each reads the rows that are left of a result and hands them over, without the driver: that
// makes a value by itself of each cell, which costs more than all else. The packet that ends
// the rows is left to the driver, as the one that it waits for.
func (b *buffered) each(columns []column, passing bool, row func([]any) error) error {
	texts := engine.Arena{Passing: passing}
	out := make([]any, len(columns))
	var failure error
	for number, first := byte(0), true; ; first = false {
		head, err := b.reader.Peek(packetHead + 1)
		if err != nil {
			return err
		}
		if first {
			number = head[3]
		}
		if head[packetHead] != 0 { // no row: the end, or an error
			head[3] = number
			return failure
		}
		texts.Begin()
		packet, err := b.packet(&texts)
		if err != nil {
			return err
		}
		if failure != nil { // the rest is read and forgotten
			continue
		}
		if err := readRow(packet, columns, out, &texts); err != nil {
			return err // and the connection is given up: the driver waits for another packet
		}
		failure = row(out)
	}
}

// packetHead is how many bytes stand before what is in a packet: three of its length, and its
// number. One of the greatest length goes on in the next.
const (
	packetHead    = 4
	longestPacket = 1<<24 - 1
)

// packet is the next one, in memory that is not written before the next but one is read, or
// ever again.
func (b *buffered) packet(texts *engine.Arena) ([]byte, error) {
	head, err := b.reader.Peek(packetHead)
	if err != nil {
		return nil, err
	}
	n := lengthOf(head)
	if packetHead+n <= b.reader.Size() {
		whole, err := b.reader.Peek(packetHead + n)
		if err != nil {
			return nil, err
		}
		kept := texts.Keep(whole[packetHead:])
		_, err = b.reader.Discard(packetHead + n)
		return kept, err
	}
	var whole bytes.Buffer
	for n = longestPacket; n == longestPacket; {
		var head [packetHead]byte
		if _, err := io.ReadFull(b.reader, head[:]); err != nil {
			return nil, err
		}
		n = lengthOf(head[:])
		if _, err := io.CopyN(&whole, b.reader, int64(n)); err != nil {
			return nil, err
		}
	}
	return whole.Bytes(), nil
}

func lengthOf(head []byte) int { return int(head[0]) | int(head[1])<<8 | int(head[2])<<16 }

// errMalformed is a row that no server sends.
var errMalformed = errors.New("mysql: a row is malformed")

// readRow reads the values of a row. Texts are parts of the packet.
func readRow(packet []byte, columns []column, out []any, texts *engine.Arena) error {
	blanks := (len(columns) + 2 + 7) / 8
	if len(packet) < 1+blanks {
		return errMalformed
	}
	mask, rest := packet[1:1+blanks], packet[1+blanks:]
	for i := range columns {
		if mask[(i+2)/8]>>((i+2)%8)&1 == 1 {
			out[i] = nil
			continue
		}
		n := columns[i].size()
		if n == 0 { // the length stands before it
			var ok bool
			if n, rest, ok = encodedLength(rest); !ok {
				return errMalformed
			}
		}
		if n > len(rest) {
			return errMalformed
		}
		v, ok := columns[i].read(rest[:n:n], texts)
		if !ok {
			return errMalformed
		}
		out[i], rest = v, rest[n:]
	}
	return nil
}

// size is how many bytes each value has, 0 where that differs.
func (c *column) size() int {
	switch c.wire {
	case wire1:
		return 1
	case wire2:
		return 2
	case wire4, wireSingle:
		return 4
	case wire8, wireDouble:
		return 8
	}
	return 0
}

// encodedLength reads a number as the protocol writes lengths: one byte, or that of a width
// and as many bytes as it says.
func encodedLength(b []byte) (n int, rest []byte, ok bool) {
	if len(b) == 0 {
		return 0, nil, false
	}
	width := 0
	switch first := b[0]; first {
	case 0xfb, 0xff:
		return 0, nil, false
	case 0xfc:
		width = 2
	case 0xfd:
		width = 3
	case 0xfe:
		width = 8
	default:
		return int(first), b[1:], true
	}
	if len(b) <= width {
		return 0, nil, false
	}
	for i := width; i > 0; i-- {
		n = n<<8 | int(b[i])
	}
	return n, b[1+width:], n >= 0
}

// read is a value as the engine's contract has it.
func (c *column) read(v []byte, texts *engine.Arena) (any, bool) {
	switch c.wire {
	case wire1:
		if c.unsigned {
			return texts.Number(int64(v[0])), true
		}
		return texts.Number(int64(int8(v[0]))), true
	case wire2:
		if n := binary.LittleEndian.Uint16(v); c.unsigned {
			return texts.Number(int64(n)), true
		} else {
			return texts.Number(int64(int16(n))), true
		}
	case wire4:
		if n := binary.LittleEndian.Uint32(v); c.unsigned {
			return texts.Number(int64(n)), true
		} else {
			return texts.Number(int64(int32(n))), true
		}
	case wire8:
		n := binary.LittleEndian.Uint64(v)
		if c.unsigned && n > math.MaxInt64 {
			return strconv.FormatUint(n, 10), true
		}
		return texts.Number(int64(n)), true
	case wireSingle:
		return texts.Float(engine.Single(math.Float32frombits(binary.LittleEndian.Uint32(v)))), true
	case wireDouble:
		return texts.Float(math.Float64frombits(binary.LittleEndian.Uint64(v))), true
	case wireDate:
		return c.date(v)
	case wireMoment:
		return c.moment(v, texts)
	case wireTime:
		return c.time(v, texts)
	case wireBytes:
		return slices.Clone(v), true
	}
	return texts.Part(v), true
}

// date is a day: a year of two bytes, month and day, or nothing for that of zeros.
func (c *column) date(v []byte) (any, bool) {
	if len(v) == 0 {
		return "0000-00-00", true
	}
	if len(v) < 4 {
		return nil, false
	}
	if c.turn([4]byte(v)) {
		c.days = string(c.text) // for more than one row
	}
	return c.days, true
}

// turn writes a day, where it is another than the last one.
func (c *column) turn(day [4]byte) (another bool) {
	if c.text != nil && c.day == day {
		return false
	}
	c.day, c.text = day, appendDay(c.text[:0], day[:])
	return true
}

// moment is a day, which hours, minutes, seconds and microseconds follow where they are not
// zero.
func (c *column) moment(v []byte, texts *engine.Arena) (any, bool) {
	if len(v) != 0 && len(v) != 4 && len(v) != 7 && len(v) != 11 {
		return nil, false
	}
	var whole [11]byte
	copy(whole[:], v)
	c.turn([4]byte(whole[:]))
	var scratch [26]byte
	b := civil.AppendClock(append(append(scratch[:0], c.text...), ' '), int(whole[4])*3600+int(whole[5])*60+int(whole[6]))
	return texts.Text(c.appendFraction(b, whole[7:])), true
}

// time is a time, which may be more than a day, before or after: a sign, days, hours,
// minutes, seconds and microseconds.
func (c *column) time(v []byte, texts *engine.Arena) (any, bool) {
	if len(v) != 0 && len(v) != 8 && len(v) != 12 {
		return nil, false
	}
	var whole [12]byte
	copy(whole[:], v)
	b := make([]byte, 0, 24)
	if whole[0] == 1 {
		b = append(b, '-')
	}
	hours := int64(binary.LittleEndian.Uint32(whole[1:]))*24 + int64(whole[5])
	if hours < 10 {
		b = append(b, '0')
	}
	b = append2(append(strconv.AppendInt(b, hours, 10), ':'), whole[6])
	b = append2(append(b, ':'), whole[7])
	return texts.Text(c.appendFraction(b, whole[8:])), true
}

// appendFraction appends microseconds, to the places that the column has.
func (c *column) appendFraction(b, micros []byte) []byte {
	if c.places == 0 {
		return b
	}
	var scratch [8]byte
	digits := strconv.AppendUint(scratch[:0], 1_000_000+uint64(binary.LittleEndian.Uint32(micros))%1_000_000, 10) // a one in front
	return append(append(b, '.'), digits[1:1+c.places]...)
}

func appendDay(b, day []byte) []byte {
	year := binary.LittleEndian.Uint16(day)
	b = append2(append2(b, byte(year/100)), byte(year%100))
	b = append2(append(b, '-'), day[2])
	return append2(append(b, '-'), day[3])
}

func append2(b []byte, n byte) []byte { return append(b, '0'+n/10%10, '0'+n%10) }
