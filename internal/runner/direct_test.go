package runner

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
)

// other is who takes the bytes of a file, as the body of a response does.
type other struct {
	mu      sync.Mutex
	got     bytes.Buffer
	flushed chan string // what was there, at each flush
	write   func() error
}

func (o *other) Write(data []byte) (int, error) {
	if o.write != nil {
		if err := o.write(); err != nil {
			return 0, err
		}
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.got.Write(data)
}

func (o *other) FlushError() error {
	if o.flushed != nil {
		o.flushed <- o.text()
	}
	return nil
}

func (o *other) text() string {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.got.String()
}

// writing is a direct run that writes each row as a line, with a head before and an end after.
func writing(ctx context.Context, folder string, to *other, read func(row func([]any) error) error) error {
	d := &direct{}
	out := bufio.NewWriter(d.onto(to))
	_, _ = out.WriteString("head\n")
	flush := func() error {
		if err := out.Flush(); err != nil {
			return err
		}
		return d.FlushError()
	}
	err := d.stream(ctx, folder, 5*idle, read, func(row []any) error {
		_, err := fmt.Fprintln(out, row[0], row[1])
		return err
	}, flush)
	if err != nil {
		return err
	}
	_, _ = out.WriteString("end\n")
	return out.Flush()
}

func lines(n int, text string) string {
	var want strings.Builder
	want.WriteString("head\n")
	for i := range n {
		fmt.Fprintln(&want, i, text)
	}
	return want.String() + "end\n"
}

// TestDirect: the bytes of every row arrive in order, between the head and the end, whoever is
// slow, and nothing is left behind; what fails on either side is told, and ends the other.
func TestDirect(t *testing.T) {
	const n = 50_000
	text := strings.Repeat("é", 40)
	row := make([]any, 2)
	reads := func(take func([]any) error) error {
		for i := range n {
			row[0], row[1] = i, text
			if err := take(row); err != nil {
				return err
			}
		}
		return nil
	}
	to := &other{}
	require.NoError(t, writing(t.Context(), "", to, reads))
	require.Equal(t, lines(n, text), to.text())

	// Whoever takes nothing does not hold the database up: the bytes wait in a file.
	folder, released := t.TempDir(), make(chan struct{})
	to = &other{write: func() error { <-released; return nil }}
	require.NoError(t, writing(t.Context(), folder, to, func(take func([]any) error) error {
		defer close(released)
		return reads(take)
	}))
	require.Equal(t, lines(n, text), to.text())
	left, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Empty(t, left)

	full, broken := errors.New("full"), errors.New("broken")
	assert.ErrorIs(t, writing(t.Context(), "", &other{write: func() error { return full }}, reads), full)
	to = &other{}
	assert.ErrorIs(t, writing(t.Context(), "", to, func(take func([]any) error) error {
		if err := take([]any{1, "x"}); err != nil {
			return err
		}
		return broken
	}), broken)
	assert.Empty(t, to.text(), "nothing was sent yet, so that what went wrong can be told in its place")

	var panicked *Panicked
	assert.ErrorAs(t, writing(t.Context(), "", &other{}, func(take func([]any) error) error {
		return take(nil)
	}), &panicked)

	ctx, leave := context.WithCancelCause(t.Context())
	gone := errors.New("gone")
	assert.ErrorIs(t, writing(ctx, "", &other{}, func(func([]any) error) error {
		leave(gone)
		<-ctx.Done()
		return context.Cause(ctx)
	}), gone)
}

// TestDirectFlush: what there is is sent on while nothing more comes: the head, and each row.
func TestDirectFlush(t *testing.T) {
	to := &other{flushed: make(chan string, 100)}
	arrives := func(want string) {
		deadline := time.After(10 * time.Second)
		for {
			select {
			case got := <-to.flushed:
				if got == want {
					return
				}
			case <-deadline:
				t.Errorf("%q did not arrive", want)
				return
			}
		}
	}
	require.NoError(t, writing(t.Context(), "", to, func(take func([]any) error) error {
		arrives("head\n")
		require.NoError(t, take([]any{0, "x"}))
		arrives("head\n0 x\n")
		require.NoError(t, take([]any{1, "x"}))
		arrives("head\n0 x\n1 x\n")
		return nil
	}))
	assert.Equal(t, lines(2, "x"), to.text())
}

// TestKept: the first and the last value of a column are what they were when their rows
// passed, whatever becomes of the memory they were in.
func TestKept(t *testing.T) {
	room := []byte("2025-03-05")
	var k kept
	assert.True(t, k.isAfter("x"))
	assert.True(t, k.isBefore("x"))
	k.set(string(room))
	copy(room, "1999")
	assert.Equal(t, "2025-03-05", k.value())
	assert.True(t, k.isAfter("2025-03-04"))
	assert.False(t, k.isAfter("2025-03-05"))
	assert.True(t, k.isBefore("2025-03-06"))
	assert.False(t, k.isAfter(int64(1)), "values of two kinds have no order")
	for _, v := range []any{int64(7), 7.5, catalog.Micros(7), catalog.InstantMicros(7)} {
		var k kept
		k.set(v)
		assert.Equal(t, v, k.value())
		assert.False(t, k.isBefore(v))
		assert.False(t, k.isAfter(v))
		assert.False(t, k.isBefore("8"))
	}
	k = kept{}
	k.set(catalog.Micros(7))
	assert.True(t, k.isBefore(catalog.Micros(8)))
	assert.True(t, k.isAfter(catalog.Micros(6)))
}
