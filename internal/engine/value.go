package engine

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
)

// The kinds of values that a Source hands over, as they are written.
const (
	isNil byte = iota
	isInt
	isFloat
	isFalse
	isTrue
	isText
	isBytes
)

// AppendValue writes a value of a Source, so that ReadValue reads it back: in a
// file, or to another process.
func AppendValue(data []byte, v any) []byte {
	switch v := v.(type) {
	case int64:
		return binary.AppendVarint(append(data, isInt), v)
	case float64:
		return binary.LittleEndian.AppendUint64(append(data, isFloat), math.Float64bits(v))
	case bool:
		if v {
			return append(data, isTrue)
		}
		return append(data, isFalse)
	case string:
		return append(binary.AppendUvarint(append(data, isText), uint64(len(v))), v...)
	case []byte:
		return append(binary.AppendUvarint(append(data, isBytes), uint64(len(v))), v...)
	case nil:
		return append(data, isNil)
	}
	panic(fmt.Sprintf("engine: no value of a source: %T", v))
}

// errCut is data that AppendValue did not write.
var errCut = errors.New("engine: values are cut off")

// ReadValue reads what AppendValue wrote into data that is never written again:
// texts are parts of it.
func (a *Arena) ReadValue(data []byte) (v any, rest []byte, err error) {
	if len(data) == 0 {
		return nil, nil, errCut
	}
	kind, data := data[0], data[1:]
	switch kind {
	case isNil:
		return nil, data, nil
	case isInt:
		n, read := binary.Varint(data)
		if read <= 0 {
			return nil, nil, errCut
		}
		return a.Number(n), data[read:], nil
	case isFloat:
		if len(data) < 8 {
			return nil, nil, errCut
		}
		return a.Float(math.Float64frombits(binary.LittleEndian.Uint64(data))), data[8:], nil
	case isFalse, isTrue:
		return kind == isTrue, data, nil
	case isText, isBytes:
		n, read := binary.Uvarint(data)
		if read <= 0 || n > uint64(len(data)-read) {
			return nil, nil, errCut
		}
		text, rest := data[read:read+int(n)], data[read+int(n):]
		if kind == isText {
			return a.Part(text), rest, nil
		}
		return text[:len(text):len(text)], rest, nil
	}
	return nil, nil, errCut
}
