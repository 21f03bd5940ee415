package runner

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestPipeline: every row arrives whole and in order, however the reader uses
// its row again; what fails on either side is told, and ends the other.
func TestPipeline(t *testing.T) {
	const n = 5000
	row := make([]any, 2)
	var read int
	reader := func(take func([]any) error) error {
		for read = 0; read < n; read++ {
			row[0], row[1] = read, "x"
			if err := take(row); err != nil {
				return err
			}
		}
		return nil
	}
	got := 0
	err := pipeline(reader, func(row []any) error {
		assert.Equal(t, []any{got, "x"}, row)
		got++
		return nil
	})
	assert.NoError(t, err)
	assert.Equal(t, n, got)

	full := errors.New("full")
	err = pipeline(reader, func(row []any) error {
		if row[0] == 100 {
			return full
		}
		return nil
	})
	assert.ErrorIs(t, err, full)
	assert.Less(t, read, n, "the reader was stopped")

	broken := errors.New("broken")
	got = 0
	err = pipeline(func(take func([]any) error) error {
		for range 3 {
			if err := take([]any{1}); err != nil {
				return err
			}
		}
		return broken
	}, func([]any) error { got++; return nil })
	assert.ErrorIs(t, err, broken)
	assert.Equal(t, 3, got, "what came before is written")
}
