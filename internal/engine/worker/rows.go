package worker

import (
	"encoding/binary"
	"os"
	"sync"

	"pikegate/internal/engine"
)

// Rows are the rows of a statement on their way to the parent, some of them together.
type Rows struct {
	socket *os.File

	mu     sync.Mutex // guards the rest
	bytes  []byte     // a message that was not sent yet
	packed func([]byte) []byte
	failed error // of sending
}

// begin forgets the statement before.
func (r *Rows) begin() { r.bytes, r.packed = append(r.bytes[:0], 0, 0, 0, 0, someRows), nil }

// Add takes in a row, whose values are those of engine.Source.
func (r *Rows) Add(row []any) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.bytes = binary.AppendUvarint(r.bytes, uint64(len(row)))
	for _, v := range row {
		r.bytes = engine.AppendValue(r.bytes, v)
	}
	if len(r.bytes) >= Together {
		r.send()
	}
	return r.failed
}

// Packed says where rows are found that whoever reads has written as Add writes them: take
// appends those that it has not given yet, and may be called from any goroutine. They are
// sent with Send, or with the next rows that have waited.
func (r *Rows) Packed(take func([]byte) []byte) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.packed = take
}

// Send sends what rows there are.
func (r *Rows) Send() error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.send()
	return r.failed
}

// send is Send where it is locked.
func (r *Rows) send() {
	r.fetch()
	if len(r.bytes) <= 5 || r.failed != nil {
		return
	}
	binary.LittleEndian.PutUint32(r.bytes, uint32(len(r.bytes)-4))
	_, r.failed = r.socket.Write(r.bytes)
	r.bytes = r.bytes[:5]
}

// fetch fetches the rows that were packed; it is locked.
func (r *Rows) fetch() {
	if r.packed != nil {
		r.bytes = r.packed(r.bytes)
	}
}

// end sends the rows that wait and how the statement ended, in one piece.
func (r *Rows) end(kind byte, content []byte) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.fetch(); r.failed != nil {
		return r.failed
	}
	message := r.bytes
	if len(message) <= 5 {
		message = message[:0]
	} else {
		binary.LittleEndian.PutUint32(message, uint32(len(message)-4))
	}
	message = binary.LittleEndian.AppendUint32(message, uint32(len(content)+1))
	_, err := r.socket.Write(append(append(message, kind), content...))
	return err
}
