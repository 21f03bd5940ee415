package worker_test

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
	"pikegate/internal/engine/worker"
)

// kind is a worker that does what it is told, to see what it can do.
const kind = "pikegate-probe"

func init() {
	worker.Main(kind, worker.Limits{Memory: 64 << 20, File: 1 << 20, Beside: []string{"-beside"}}, func(path string) (worker.Reader, error) {
		if strings.HasSuffix(path, "absent") {
			return nil, &engine.Failure{Code: engine.Unreachable, Message: "no such thing"}
		}
		return probe{path}, nil
	})
}

var described = engine.Description{
	Columns: []catalog.Column{{Name: "a", Type: catalog.Integer, Declared: "int", Nullable: true}, {Name: "b", Nullable: true}},
	Reads:   &catalog.Reads{Tables: []string{"t"}, Columns: []string{"t.a"}},
}

type probe struct{ path string }

func (probe) Describe(context.Context, dialect.Query) (engine.Description, error) {
	return described, nil
}

// Stream does what the text says, and gives what came of it as a row.
func (p probe) Stream(ctx context.Context, q dialect.Query, to *worker.Rows) error {
	row := to.Add
	word, rest, _ := strings.Cut(q.SQL, " ")
	outcome := func(err error) error {
		if err != nil {
			return row([]any{err.Error()})
		}
		return row([]any{"done"})
	}
	switch word {
	case "read":
		_, err := os.ReadFile(rest)
		return outcome(err)
	case "write":
		return outcome(os.WriteFile(rest, make([]byte, 4096), 0o600))
	case "fill":
		return outcome(os.WriteFile(filepath.Join(os.Getenv("TMPDIR"), "x"), make([]byte, 2<<20), 0o600))
	case "connect":
		_, err := net.Dial("tcp", rest)
		return outcome(err)
	case "environment":
		return row([]any{strings.Join(os.Environ(), " ")})
	case "die":
		_ = row([]any{"before"})
		os.Exit(7)
	case "die-at-once":
		os.Exit(8)
	case "eat":
		for eaten := []byte("more"); ; {
			eaten = append(eaten, eaten...)
		}
	case "count": // for ever; it stops when it is told to
		for i := int64(0); ctx.Err() == nil; i++ {
			if err := row([]any{i}); err != nil {
				return err
			}
		}
		return ctx.Err()
	case "hang": // it does not stop
		_ = row([]any{"before"})
		time.Sleep(time.Hour)
	case "complain":
		return &engine.Failure{Code: engine.NoSuchTable, Message: rest}
	case "pid":
		return row([]any{int64(os.Getpid())})
	case "echo":
		return row(q.Args)
	}
	return nil
}

func pool(t *testing.T, path string, most int) *worker.Pool {
	t.Helper()
	p, err := worker.NewPool(kind, "probe", path, most, func() {})
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, p.Close()) })
	return p
}

// rows has a worker do something.
func rows(ctx context.Context, p *worker.Pool, text string, args ...any) (out [][]any, err error) {
	err = p.Stream(ctx, dialect.Query{SQL: text, Args: args}, func(row []any) error {
		out = append(out, append([]any(nil), row...))
		return nil
	})
	return out, err
}

// TestValues: what goes to a worker and comes back is what it was.
func TestValues(t *testing.T) {
	p := pool(t, filepath.Join(t.TempDir(), "x"), 1)
	values := []any{nil, int64(-1 << 63), int64(1<<63 - 1), 1.5, true, false, "", "text\x00 é", []byte{0, 255}, strings.Repeat("long ", 100_000)}
	got, err := rows(t.Context(), p, "echo", values...)
	require.NoError(t, err)
	assert.Equal(t, [][]any{values}, got)
	told, err := p.Describe(t.Context(), dialect.Query{SQL: "x"})
	require.NoError(t, err)
	assert.Equal(t, described, told)
}

// TestClosedIn: a worker sees its file and those beside it, and nothing else of
// the machine, the network or the service's environment.
func TestClosedIn(t *testing.T) {
	t.Setenv("PIKEGATE_SECRET_PROBE", "not for workers")
	folder := t.TempDir()
	path, other := filepath.Join(folder, "own"), filepath.Join(folder, "other")
	for _, f := range []string{path, path + "-beside", other} {
		require.NoError(t, os.WriteFile(f, []byte("x"), 0o600))
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer listener.Close()
	p := pool(t, path, 1)
	for _, c := range []struct{ do, want string }{
		{"read " + path, "done"},
		{"read " + path + "-beside", "done"},
		{"write " + path + "-beside", "done"},
		{"write " + path, "permission denied"},
		{"read " + other, "permission denied"},
		{"write " + filepath.Join(folder, "new"), "permission denied"},
		{"read /etc/passwd", "permission denied"},
		{"connect " + listener.Addr().String(), "permission denied"},
		{"fill", "file too large"},
	} {
		got, err := rows(t.Context(), p, c.do)
		require.NoError(t, err, c.do)
		if c.want == "permission denied" && !landlocked() {
			continue // this kernel cannot hide files
		}
		assert.Contains(t, got[0][0], c.want, c.do)
	}
	got, err := rows(t.Context(), p, "environment")
	require.NoError(t, err)
	assert.NotContains(t, got[0][0], "not for workers")
}

// TestWild: what a statement does to its worker it does to itself alone.
func TestWild(t *testing.T) {
	p := pool(t, filepath.Join(t.TempDir(), "x"), 2)
	pid := func() int64 {
		got, err := rows(t.Context(), p, "pid")
		require.NoError(t, err)
		return got[0][0].(int64)
	}
	var failure *engine.Failure
	for _, text := range []string{"die", "eat"} {
		before := pid()
		_, err := rows(t.Context(), p, text)
		require.ErrorAs(t, err, &failure, text)
		assert.Equal(t, engine.TooLarge, failure.Code, text)
		assert.NotEqual(t, before, pid(), text)
	}

	_, err := rows(t.Context(), p, "complain no such table: t")
	require.ErrorAs(t, err, &failure)
	assert.Equal(t, engine.Failure{Code: engine.NoSuchTable, Message: "The source probe could not answer: no such table: t.", Err: failure.Err}, *failure)

	// One that stops when it is told to keeps its process; one that does not is killed.
	before := pid()
	enough := errors.New("enough")
	n := 0
	require.ErrorIs(t, p.Stream(t.Context(), dialect.Query{SQL: "count"}, func([]any) error {
		if n++; n == 10_000 {
			return enough
		}
		return nil
	}), enough)
	assert.Equal(t, before, pid())
	ctx, stop := context.WithCancelCause(t.Context())
	require.ErrorIs(t, p.Stream(ctx, dialect.Query{SQL: "hang"}, func([]any) error { stop(enough); return nil }), enough)
	assert.NotEqual(t, before, pid())
	require.Eventually(t, func() bool { return !alive(before) }, 10*time.Second, 10*time.Millisecond)

	// One that dies before it says anything is tried once more, whoever is free.
	_, err = rows(t.Context(), p, "die-at-once")
	require.ErrorAs(t, err, &failure)
	assert.Equal(t, engine.TooLarge, failure.Code)
	assert.Contains(t, failure.Message, "exit status 8")

	// A free one that died meanwhile is replaced without a word.
	before = pid()
	process, err := os.FindProcess(int(before))
	require.NoError(t, err)
	require.NoError(t, process.Kill())
	assert.NotEqual(t, before, pid())
}

// TestPlaces: no more work than may, and all of them end with the pool.
func TestPlaces(t *testing.T) {
	p, err := worker.NewPool(kind, "probe", filepath.Join(t.TempDir(), "x"), 2, func() {})
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	under := make(chan error, 2)
	began := make(chan bool, 2)
	for range 2 {
		go func() {
			first := true
			under <- p.Stream(ctx, dialect.Query{SQL: "count"}, func([]any) error {
				if first {
					first = false
					began <- true
				}
				return nil
			})
		}()
	}
	<-began
	<-began
	waiting, cancel := context.WithTimeout(t.Context(), 50*time.Millisecond)
	defer cancel()
	_, err = rows(waiting, p, "pid")
	require.ErrorIs(t, err, context.DeadlineExceeded)
	stop()
	require.ErrorIs(t, <-under, context.Canceled)
	require.ErrorIs(t, <-under, context.Canceled)
	got, err := rows(t.Context(), p, "pid")
	require.NoError(t, err)
	require.NoError(t, p.Close())
	require.Eventually(t, func() bool { return !alive(got[0][0].(int64)) }, 10*time.Second, 10*time.Millisecond)
	_, err = rows(t.Context(), p, "pid")
	require.ErrorContains(t, err, "closed")

	absent := pool(t, filepath.Join(t.TempDir(), "absent"), 1)
	_, err = rows(t.Context(), absent, "pid")
	require.ErrorContains(t, err, "no such thing")
}

func alive(pid int64) bool {
	_, err := os.Stat(fmt.Sprintf("/proc/%d", pid))
	return err == nil
}

// landlocked tells whether this kernel can hide files.
func landlocked() bool {
	version, _, _ := syscall.Syscall(unix.SYS_LANDLOCK_CREATE_RULESET, 0, 0, unix.LANDLOCK_CREATE_RULESET_VERSION)
	return int(version) >= 4
}
