package mysql

import (
	"testing"

	"github.com/stretchr/testify/require"

	"pikegate/internal/engine"
)

// FuzzRow: whatever a server sends is read or refused, and never more than there is.
func FuzzRow(f *testing.F) {
	f.Add([]byte{0, 0, 0})
	f.Add([]byte{0, 0, 0, 0, 0, 0, 0, 7, 0xe9, 7, 3, 31, 8, 30, 15, 3, 'a', 'b', 'c'})
	f.Add([]byte{0, 0, 0, 0, 0, 0, 0, 0xfe, 255, 255, 255, 255, 255, 255, 255, 255})
	f.Fuzz(func(t *testing.T, packet []byte) {
		var texts engine.Arena
		for kind := wireUnknown; kind <= wireNothing; kind++ {
			columns := []column{{wire: kind, unsigned: len(packet)%2 == 1, places: len(packet) % 7}, {wire: wireText}, {wire: kind}}
			out := make([]any, len(columns))
			if err := readRow(packet, columns, out, &texts); err == nil {
				for _, v := range out {
					text, _ := v.(string)
					require.LessOrEqual(t, len(text), max(len(packet), 26))
				}
			}
		}
	})
}
