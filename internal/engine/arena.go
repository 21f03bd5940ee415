package engine

import (
	"math"
	"strconv"
	"unsafe"

	"pikegate/core/catalog"
)

// Arena makes values of what a driver reads into bytes that it uses again for
// the next row: many of them in one piece of memory, which is never written
// twice. A value by itself would cost two allocations, which is most of what
// an export costs.
type Arena struct {
	// Passing tells that the values of a row are of no use once the next one begins, so that
	// there need be room for one only, and the driver's bytes need not be copied; see
	// dialect.Query.
	Passing bool

	room
	whole room // what the room was before there was anything in it
	row   [][]byte
}

// room is memory for values to come.
type room struct {
	bytes   []byte
	texts   []string
	numbers []int64
}

// Begin says that a row begins.
func (a *Arena) Begin() {
	if a.Passing {
		a.room = a.whole
	}
}

// The sizes of the pieces, in bytes and in values.
const (
	arenaBytes  = 32 << 10
	arenaValues = 512
)

// face is what an any is made of; source: the runtime's eface.
type face struct{ kind, data unsafe.Pointer }

var (
	textKind    = kindOf("")
	wholeKind   = kindOf(int64(0))
	floatKind   = kindOf(float64(0))
	timeKind    = kindOf(catalog.Micros(0))
	instantKind = kindOf(catalog.InstantMicros(0))
)

func kindOf(v any) unsafe.Pointer { return (*face)(unsafe.Pointer(&v)).kind }

func boxed(kind, data unsafe.Pointer) any {
	f := face{kind, data}
	return *(*any)(unsafe.Pointer(&f))
}

// Text is the bytes as a string of its own.
func (a *Arena) Text(b []byte) any {
	if len(b) == 0 {
		return ""
	}
	return a.Part(a.copied(b))
}

// Keep is the bytes in memory that is not written again, or, where rows are passing, the bytes
// themselves.
func (a *Arena) Keep(b []byte) []byte {
	if a.Passing {
		return b
	}
	return a.copied(b)
}

func (a *Arena) copied(b []byte) []byte {
	if len(b) > arenaBytes/8 {
		return append([]byte(nil), b...)
	}
	if len(b) > len(a.bytes) {
		a.bytes = make([]byte, arenaBytes)
		a.whole.bytes = a.bytes
	}
	n := copy(a.bytes, b)
	b, a.bytes = a.bytes[:n:n], a.bytes[n:]
	return b
}

// Row keeps the bytes of a row's values, in one copy: they stand in one piece, as a server
// sends them. The slice is used again for the next row.
func (a *Arena) Row(values [][]byte) [][]byte {
	if a.Passing {
		return values
	}
	first, last := -1, -1
	for i, v := range values {
		if len(v) > 0 {
			if first < 0 {
				first = i
			}
			last = i
		}
	}
	if first < 0 {
		return values
	}
	from := uintptr(unsafe.Pointer(unsafe.SliceData(values[first])))
	size := int(uintptr(unsafe.Pointer(unsafe.SliceData(values[last])))-from) + len(values[last])
	whole := unsafe.Slice(unsafe.SliceData(values[first]), size)
	whole = a.Keep(whole)
	a.row = a.row[:0]
	for _, v := range values {
		if len(v) > 0 {
			at := int(uintptr(unsafe.Pointer(unsafe.SliceData(v))) - from)
			v = whole[at : at+len(v) : at+len(v)]
		}
		a.row = append(a.row, v)
	}
	return a.row
}

// Part is the bytes as a string without a copy: they are not written again.
func (a *Arena) Part(b []byte) any {
	if len(b) == 0 {
		return ""
	}
	if len(a.texts) == 0 {
		a.texts = make([]string, arenaValues)
		a.whole.texts = a.texts
	}
	a.texts[0] = unsafe.String(&b[0], len(b))
	v := boxed(textKind, unsafe.Pointer(&a.texts[0]))
	a.texts = a.texts[1:]
	return v
}

// Number is a whole number.
func (a *Arena) Number(n int64) any { return a.number(wholeKind, n) }

// Float is a binary fraction.
func (a *Arena) Float(f float64) any { return a.number(floatKind, int64(math.Float64bits(f))) }

// Time is catalog.Micros, and Instant catalog.InstantMicros, for rows that are passing.
func (a *Arena) Time(micros int64) any    { return a.number(timeKind, micros) }
func (a *Arena) Instant(micros int64) any { return a.number(instantKind, micros) }

func (a *Arena) number(kind unsafe.Pointer, n int64) any {
	if len(a.numbers) == 0 {
		a.numbers = make([]int64, arenaValues)
		a.whole.numbers = a.numbers
	}
	a.numbers[0] = n
	v := boxed(kind, unsafe.Pointer(&a.numbers[0]))
	a.numbers = a.numbers[1:]
	return v
}

// Single is a number of single precision as the one of double precision that is written with
// the same digits.
func Single(v float32) float64 {
	f, _ := strconv.ParseFloat(strconv.FormatFloat(float64(v), 'g', -1, 32), 64) // reads what it wrote
	return f
}
