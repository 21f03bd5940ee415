package engine_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/internal/engine"
)

// TestArena: values stay what they were, however many are made after them and
// whatever becomes of the bytes.
func TestArena(t *testing.T) {
	var a engine.Arena
	var values []any
	var want []any
	buffer := make([]byte, 0, 64<<10)
	for i := range 5000 {
		text := strings.Repeat(fmt.Sprint(i, "ä"), i%300)
		buffer = append(buffer[:0], text...)
		values, want = append(values, a.Text(buffer), a.Number(int64(i))), append(want, text, int64(i))
		for j := range buffer {
			buffer[j] = 0
		}
	}
	assert.Equal(t, want, values)
}

func TestInteger(t *testing.T) {
	for text, want := range map[string]int64{"0": 0, "-1": -1, "123456789012345678": 123456789012345678, "-999999999999999999": -999999999999999999} {
		n, ok := engine.Integer([]byte(text))
		assert.True(t, ok, text)
		assert.Equal(t, want, n)
	}
	for _, text := range []string{"", "-", "1.5", "1e3", fmt.Sprint(math.MinInt64), " 1", "+1"} {
		_, ok := engine.Integer([]byte(text))
		assert.False(t, ok, text)
	}
}
