package runner

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"sync"
)

// maxSpool is how many bytes of rows wait in a file at the most; then the
// database waits as well.
const maxSpool = 1 << 30

// spool is rows that wait in a file for a reader who is slow. The file has no
// name any more when it is used: it goes with the process, however that ends.
type spool struct {
	file *os.File

	mu            sync.Mutex // guards the rest
	more          *sync.Cond
	written, read int64
	ended, gone   bool
}

func newSpool(folder string) (*spool, error) {
	file, err := os.CreateTemp(folder, "rows-*")
	if err != nil {
		return nil, fmt.Errorf("rows cannot wait in %s: %w", folder, err)
	}
	if err := os.Remove(file.Name()); err != nil {
		return nil, err
	}
	s := &spool{file: file}
	s.more = sync.NewCond(&s.mu)
	return s, nil
}

// put adds rows at the end; stopped ends the waiting for room.
func (s *spool) put(ctx context.Context, b *batch, stopped <-chan struct{}) error {
	data := binary.AppendUvarint(make([]byte, 4, 4096), uint64(b.width))
	for _, v := range b.cells {
		data = appendValue(data, v)
	}
	binary.BigEndian.PutUint32(data, uint32(len(data)-4))
	wake := context.AfterFunc(ctx, s.more.Broadcast)
	defer wake()
	s.mu.Lock()
	defer s.mu.Unlock()
	for s.written > 0 && s.written+int64(len(data)) > maxSpool && !s.gone && ctx.Err() == nil {
		if s.read == s.written { // all of it was taken: it begins anew
			s.read, s.written = 0, 0
			break
		}
		s.more.Wait()
	}
	select {
	case <-stopped:
		return errStopped
	default:
	}
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	if _, err := s.file.WriteAt(data, s.written); err != nil {
		return fmt.Errorf("rows cannot wait in a file: %w", err)
	}
	s.written += int64(len(data))
	s.more.Broadcast()
	return nil
}

// end says that nothing more comes.
func (s *spool) end() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.ended = true
	s.more.Broadcast()
}

// each hands over the rows in their order until there are no more, and flushes
// where it has to wait for some.
func (s *spool) each(ctx context.Context, take func(*batch) error, flush func() error) error {
	defer func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.gone = true
		s.more.Broadcast()
	}()
	wake := context.AfterFunc(ctx, s.more.Broadcast)
	defer wake()
	b := &batch{}
	var data []byte
	for {
		s.mu.Lock()
		waits := s.read == s.written && !s.ended
		s.mu.Unlock()
		if waits {
			if err := flush(); err != nil {
				return err
			}
		}
		s.mu.Lock()
		for s.read == s.written && !s.ended && ctx.Err() == nil {
			s.more.Wait()
		}
		at, whole := s.read, s.read == s.written
		s.mu.Unlock()
		switch {
		case ctx.Err() != nil:
			return context.Cause(ctx)
		case whole:
			return nil
		}
		var size [4]byte
		if _, err := s.file.ReadAt(size[:], at); err != nil {
			return err
		}
		n := int(binary.BigEndian.Uint32(size[:]))
		if cap(data) < n {
			data = make([]byte, n)
		}
		data = data[:n]
		if _, err := s.file.ReadAt(data, at+4); err != nil {
			return err
		}
		width, read := binary.Uvarint(data)
		b.width, b.cells = int(width), b.cells[:0]
		for rest := data[read:]; len(rest) > 0; {
			var v any
			v, rest = valueOf(rest)
			b.cells = append(b.cells, v)
		}
		if err := take(b); err != nil {
			return err
		}
		s.mu.Lock()
		s.read += int64(4 + n)
		s.more.Broadcast()
		s.mu.Unlock()
	}
}

func (s *spool) remove() { s.file.Close() }

// The kinds of values that engine.Source hands over, in a file.
const (
	isNil byte = iota
	isInt
	isFloat
	isFalse
	isTrue
	isText
	isBytes
)

func appendValue(data []byte, v any) []byte {
	switch v := v.(type) {
	case int64:
		return binary.AppendVarint(append(data, isInt), v)
	case float64:
		return binary.BigEndian.AppendUint64(append(data, isFloat), math.Float64bits(v))
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
	panic(fmt.Sprintf("runner: no value of a source: %T", v))
}

func valueOf(data []byte) (v any, rest []byte) {
	kind, data := data[0], data[1:]
	switch kind {
	case isInt:
		n, read := binary.Varint(data)
		return n, data[read:]
	case isFloat:
		return math.Float64frombits(binary.BigEndian.Uint64(data)), data[8:]
	case isFalse, isTrue:
		return kind == isTrue, data
	case isText, isBytes:
		n, read := binary.Uvarint(data)
		text, rest := data[read:read+int(n)], data[read+int(n):]
		if kind == isText {
			return string(text), rest
		}
		return append([]byte(nil), text...), rest
	}
	return nil, data
}
