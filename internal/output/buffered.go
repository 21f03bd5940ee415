package output

import (
	"bufio"
	"io"
)

// bufferSize is how many bytes gather before they are written on.
const bufferSize = 64 << 10

// buffered is what writers that write as they go write to.
type buffered struct {
	to  io.Writer
	out *bufio.Writer
}

func newBuffered(w io.Writer) buffered { return buffered{w, bufio.NewWriterSize(w, bufferSize)} }

// Flush sends on what was written.
func (b buffered) Flush() error { return flush(b.out, b.to) }

// Opening does nothing: most formats tell of groups at their end.
func (b buffered) Opening(Opening) error { return nil }

// endWhole writes what is left, unless the run broke off: then it is no whole file.
func (b buffered) endWhole(s Summary) error {
	if s.Problem != "" {
		return nil
	}
	return b.out.Flush()
}
