package runner

import (
	"context"
	"encoding/binary"
	"fmt"
	"os"
	"sync"

	"pikegate/internal/engine"
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
		data = engine.AppendValue(data, v)
	}
	data = append(data, b.data...) // after a width of none
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
	var arena engine.Arena
	var err error
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
		data := make([]byte, n) // the rows' texts are parts of it
		if _, err := s.file.ReadAt(data, at+4); err != nil {
			return err
		}
		width, read := binary.Uvarint(data)
		b.width, b.cells, b.data = int(width), b.cells[:0], nil
		if width == 0 {
			b.data, data = data[read:], data[:read]
		}
		for rest := data[read:]; len(rest) > 0; {
			var v any
			if v, rest, err = arena.ReadValue(rest); err != nil {
				return err
			}
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
