package runner

import (
	"encoding/binary"
	"hash"
	"hash/fnv"
	"math"

	"pikegate/core/catalog"
)

// MaxFingerprints is the most records of a run that fingerprints are kept of.
const MaxFingerprints = 20_000

// fingerprints are the fingerprints of a run's records, by which it can be told later
// which came since and how many went, without keeping any of them. Each run has
// its own, so that the fingerprints of two runs tell nothing of each other.
type fingerprints struct {
	run    uint
	hash   hash.Hash64
	buffer []byte // of one record
	list   []byte // eight bytes for each record
	over   bool
}

func newFingerprints(run uint) *fingerprints { return &fingerprints{run: run, hash: fnv.New64a()} }

// see takes in a record.
func (p *fingerprints) see(row []any) {
	if p.over {
		return
	}
	if len(p.list) == 8*MaxFingerprints {
		p.list, p.over = nil, true
		return
	}
	p.list = binary.LittleEndian.AppendUint64(p.list, p.of(row))
}

// of is the fingerprint of a record: of its values, each with its kind.
func (p *fingerprints) of(row []any) uint64 {
	b := p.buffer[:0]
	put := func(kind byte, v uint64) { b = binary.LittleEndian.AppendUint64(append(b, kind), v) }
	put('r', uint64(p.run))
	var room [40]byte
	text := room[:0]
	for _, v := range row {
		switch v := v.(type) {
		case nil:
			put('0', 0)
		case int64:
			put('i', uint64(v))
		case float64:
			put('f', math.Float64bits(v))
		case bool:
			put('b', map[bool]uint64{true: 1}[v])
		case string:
			put('s', uint64(len(v)))
			b = append(b, v...)
		case catalog.MicrosText: // as the text that it is to others
			text = v.AppendText(text[:0])
			put('s', uint64(len(text)))
			b = append(b, text...)
		case []byte:
			put('x', uint64(len(v)))
			b = append(b, v...)
		}
	}
	p.buffer = b
	p.hash.Reset()
	_, _ = p.hash.Write(b)
	return p.hash.Sum64()
}

// since counts, against kept fingerprints, which records came and how many went.
type since struct {
	prints *fingerprints
	left   map[uint64]int
	width  int // how many values of a row were there
}

func newSince(run uint, kept []byte, width int) *since {
	s := &since{newFingerprints(run), map[uint64]int{}, width}
	for ; len(kept) >= 8; kept = kept[8:] {
		s.left[binary.LittleEndian.Uint64(kept)]++
	}
	return s
}

// came takes in a record and tells whether it was not there then.
func (s *since) came(row []any) bool {
	print := s.prints.of(row[:min(s.width, len(row))])
	if s.left[print] == 0 {
		return true
	}
	s.left[print]--
	return false
}

// went is how many records were there then and did not come again.
func (s *since) went() (n int64) {
	for _, left := range s.left {
		n += int64(left)
	}
	return n
}
