package schedules

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// childPlace is the variable by which the test binary is told to be a service on a place.
const childPlace = "SCHEDULES_CHILD"

func TestMain(m *testing.M) {
	if text := os.Getenv(childPlace); text != "" {
		if err := serve(text); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		return
	}
	os.Exit(m.Run())
}

// serve is the service in a process of its own. It reads the time from standard input, a number of
// seconds on each line, does what is due then, and writes when there is something to do next.
func serve(text string) error {
	var p place
	if err := json.Unmarshal([]byte(text), &p); err != nil {
		return err
	}
	c := newClock(begins)
	lines := bufio.NewScanner(os.Stdin)
	var r *running
	for lines.Scan() {
		at, err := strconv.ParseInt(lines.Text(), 10, 64)
		if err != nil {
			return err
		}
		c.set(time.Unix(at, 0))
		if r == nil {
			if r, err = start(p, c.now); err == nil {
				err = r.Keeper().Begin(context.Background())
			}
			if err != nil {
				return err
			}
		}
		if err := r.Keeper().Pass(context.Background()); err != nil {
			return err
		}
		next, err := r.store.Wakes(context.Background(), at)
		if err != nil {
			return err
		}
		fmt.Println(next)
	}
	return nil
}

// child is the service in a process of its own.
type child struct {
	cmd   *exec.Cmd
	in    *bufio.Writer
	lines chan string // what it writes, closed with it
}

func spawn(t *testing.T, p place) *child {
	t.Helper()
	text, err := json.Marshal(p)
	require.NoError(t, err)
	c := &child{cmd: exec.Command(os.Args[0]), lines: make(chan string)}
	c.cmd.Env = append(os.Environ(), childPlace+"="+string(text))
	c.cmd.Stderr = os.Stderr
	in, err := c.cmd.StdinPipe()
	require.NoError(t, err)
	out, err := c.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.cmd.Start())
	c.in = bufio.NewWriter(in)
	go func() {
		defer close(c.lines)
		for s := bufio.NewScanner(out); s.Scan(); {
			c.lines <- s.Text()
		}
	}()
	return c
}

// kill ends it with signal 9.
func (c *child) kill() {
	_ = c.cmd.Process.Kill()
	for range c.lines {
	}
	_ = c.cmd.Wait()
}

// TestKilled has schedules live through a day in processes that are killed with signal 9 at 30
// moments (-kills).
func TestKilled(t *testing.T) {
	t.Parallel()
	const schedules = 60
	kills := *killsWanted
	w, all, c, r := begun(t, schedules)
	r.stop()

	chance := rand.New(rand.NewPCG(3, *seed))
	killed, at := 0, begins.Unix()
	service := spawn(t, w.place())
	defer func() { service.kill() }()
	for at > 0 && at <= settled(dayEnds).Unix() {
		_, err := fmt.Fprintf(service.in, "%d\n", at)
		require.NoError(t, err)
		require.NoError(t, service.in.Flush())
		moment := make(<-chan time.Time)
		if killed < kills {
			moment = time.After(time.Duration(chance.IntN(60_000)) * time.Microsecond)
		}
		select {
		case line, ok := <-service.lines:
			require.True(t, ok, "the service ended by itself")
			at, err = strconv.ParseInt(strings.TrimSpace(line), 10, 64)
			require.NoError(t, err)
		case <-moment: // in the middle of what is due at this time
			service.kill()
			killed++
			service = spawn(t, w.place())
		}
	}
	assert.Equal(t, kills, killed)
	service.kill()
	r, err := start(w.place(), c.now)
	require.NoError(t, err)
	defer r.stop()
	accounted(t, w, r.store, all, dayEnds, killed*8) // of each courier there is
}
