package engine_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/core/catalog"
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

// TestArenaRow: the values of a row stay what they were, blanks and empty ones among them,
// however long the row is and whatever becomes of the bytes.
func TestArenaRow(t *testing.T) {
	var a engine.Arena
	var values, want [][]any
	for i := range 3000 {
		buffer := []byte(fmt.Sprintf("%04d:%s;%s", i, strings.Repeat("ä", i%2500), "end"))
		end := len(buffer) - len("end") - 1
		row := [][]byte{nil, buffer[:4], {}, buffer[5:end], nil, buffer[end+1:], buffer[:0]}
		var kept, texts []any
		for _, v := range a.Row(row) {
			kept = append(kept, a.Part(v))
		}
		for _, v := range row {
			texts = append(texts, string(v))
		}
		values, want = append(values, kept), append(want, texts)
		clear(buffer)
	}
	assert.Equal(t, want, values)
	assert.Equal(t, [][]byte{nil, {}}, a.Row([][]byte{nil, {}}), "a row with nothing in it")
}

// TestArenaPassing: the values of a row are there until the next one begins, in the same memory
// as those before it, and a row larger than that as well.
func TestArenaPassing(t *testing.T) {
	a := engine.Arena{Passing: true}
	row := func(i, n int) {
		a.Begin()
		buffer := []byte(strings.Repeat(fmt.Sprint(i, "ä"), n))
		var values, want []any
		for j := range n {
			part := a.Keep(buffer[j:])
			assert.Same(t, &buffer[j], &part[0], "it was copied")
			values = append(values, a.Part(part), a.Text(buffer[:j]), a.Number(int64(i*j)), a.Float(float64(j)/4), a.Time(int64(j)), a.Instant(int64(-j)))
			want = append(want, string(buffer[j:]), string(buffer[:j]), int64(i*j), float64(j)/4, catalog.Micros(j), catalog.InstantMicros(-j))
		}
		assert.Equal(t, want, values)
	}
	for i, n := range []int{1, 3, 700, 3, 2, 900} {
		row(i, n)
	}
	assert.Zero(t, testing.AllocsPerRun(100, func() {
		a.Begin()
		for i := range 100 {
			a.Number(int64(i))
		}
	}), "each row took memory of its own")
}
