package runner

import (
	"context"
	"errors"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// to is a sink of which only the rows matter.
func to(write func([]any) error) sink {
	return sink{write: write, flush: func() error { return nil }, head: idle}
}

// TestSlowReader: the database is done at its own speed whoever is slow, every
// row arrives in order and as it was, and nothing is left behind.
func TestSlowReader(t *testing.T) {
	folder := t.TempDir()
	row := func(i int64) []any {
		return []any{i, float64(i) / 3, i%2 == 0, nil, strings.Repeat("é", int(i%50)), []byte{byte(i), 0}, int64(-1 << 63)}
	}
	const n = 50_000
	released := make(chan struct{})
	got := int64(0)
	err := pipeline(t.Context(), folder, func(take func([]any) error) error {
		defer close(released)
		for i := range int64(n) {
			if err := take(row(i)); err != nil {
				return err
			}
		}
		return nil
	}, to(func(r []any) error {
		if got == 1 {
			<-released // it takes nothing until the database is done
		}
		require.Equal(t, row(got), r)
		got++
		return nil
	}))
	require.NoError(t, err)
	assert.EqualValues(t, n, got)
	left, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Empty(t, left)

	// The caller's going ends a writer that waits for rows, and one that has some.
	ctx, leave := context.WithCancelCause(t.Context())
	gone := errors.New("gone")
	err = pipeline(ctx, folder, func(take func([]any) error) error {
		for i := int64(0); ; i++ {
			if err := take(row(i)); err != nil {
				return err
			}
			if i == 5000 {
				leave(gone)
				<-ctx.Done()
				return context.Cause(ctx)
			}
		}
	}, to(func(r []any) error {
		if r[0] == int64(1) {
			<-ctx.Done()
		}
		return nil
	}))
	assert.ErrorIs(t, err, gone)
}

// TestFlush: what there is is sent on while nothing more comes: the beginning,
// and each row.
func TestFlush(t *testing.T) {
	written, flushed := 0, make(chan int)
	err := pipeline(t.Context(), "", func(take func([]any) error) error {
		for i := range 4 {
			assert.Equal(t, i, <-flushed)
			if err := take([]any{i}); err != nil {
				return err
			}
			// A batch that is not full goes with the next row, or at the end.
			if i > 0 {
				break
			}
		}
		return nil
	}, sink{write: func([]any) error { written++; return nil }, flush: func() error { flushed <- written; return nil }, head: idle})
	require.NoError(t, err)
}

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
	err := pipeline(t.Context(), "", reader, to(func(row []any) error {
		assert.Equal(t, []any{got, "x"}, row)
		got++
		return nil
	}))
	assert.NoError(t, err)
	assert.Equal(t, n, got)

	full := errors.New("full")
	err = pipeline(t.Context(), "", reader, to(func(row []any) error {
		if row[0] == 100 {
			return full
		}
		return nil
	}))
	assert.ErrorIs(t, err, full)
	assert.Less(t, read, n, "the reader was stopped")

	broken := errors.New("broken")
	got = 0
	err = pipeline(t.Context(), "", func(take func([]any) error) error {
		for range 6 {
			if err := take([]any{1}); err != nil {
				return err
			}
		}
		return broken
	}, to(func([]any) error { got++; return nil }))
	assert.ErrorIs(t, err, broken)
	assert.Equal(t, 6, got, "what came before is written")

	// A panic on either side is that of this run alone.
	var panicked *Panicked
	err = pipeline(t.Context(), "", reader, to(func([]any) error { panic("oh") }))
	assert.ErrorAs(t, err, &panicked)
	assert.Panics(t, func() {
		_ = pipeline(t.Context(), "", func(func([]any) error) error { panic("oh") }, to(func([]any) error { return nil }))
	})
}
