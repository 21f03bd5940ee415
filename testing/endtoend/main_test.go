// Package endtoend tries Pike Gate as its users do: the built binary serves
// the demonstration on loopback and is driven through its three doors, the
// command line, HTTP and the console in Chromium. What comes back is compared
// with an independent computation over the generator's records.
package endtoend

import (
	"bufio"
	"bytes"
	"context"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"

	"pikegate/internal/demo"
	"pikegate/testing/browser"
)

var (
	screenshots = flag.String("screenshots", "", "write the documentation's screenshots into this folder")

	racing = flag.Bool("racing", false, "have the service look for data races, which takes it twice the time")

	binary  string     // the built pikegate
	server  string     // the same, which looks for data races where it is to
	data    string     // its folder
	address string     // of the running demonstration
	records *demo.Data // what the generator made
)

func TestMain(m *testing.M) {
	flag.Parse()
	code, err := serveAndRun(m)
	browser.Close()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

func serveAndRun(m *testing.M) (int, error) {
	folder, err := os.MkdirTemp("", "pikegate-endtoend-")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(folder)
	binary = filepath.Join(folder, "pikegate")
	builds := [][]string{{"build", "-o", binary}}
	if server = binary; *racing {
		// A command, which does one thing at a time, would only start a second later for it.
		server = filepath.Join(folder, "racing")
		builds = append(builds, []string{"build", "-race", "-o", server})
	}
	for _, arguments := range builds {
		if out, err := exec.Command("go", append(arguments, "pikegate/cmd/pikegate")...).CombinedOutput(); err != nil {
			return 1, fmt.Errorf("the binary cannot be built: %w\n%s", err, out)
		}
	}
	var stop func() error
	data = filepath.Join(folder, "data")
	address, stop, err = start("demo", "--data", data)
	if err != nil {
		return 1, err
	}
	if records, err = demo.Generate(); err != nil {
		return 1, err
	}
	code := m.Run()
	return code, stop()
}

// start runs a serving command on a free port and gives its address, which is
// the first line it prints, and a function that interrupts it as Ctrl+C does.
func start(args ...string) (address string, stop func() error, err error) {
	if !slices.Contains(args, "--listen") {
		args = append(args, "--listen", "127.0.0.1:0")
	}
	cmd := exec.Command(server, args...)
	var complaints bytes.Buffer
	cmd.Stderr = &complaints
	out, err := cmd.StdoutPipe()
	if err != nil {
		return "", nil, err
	}
	if err := cmd.Start(); err != nil {
		return "", nil, err
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		_ = cmd.Wait() // it has ended; what it complained about tells why
		return "", nil, fmt.Errorf("pikegate %s did not start: %s", strings.Join(args, " "), complaints.String())
	}
	return strings.TrimSpace(line), func() error {
		if err := cmd.Process.Signal(syscall.SIGINT); err != nil {
			return err
		}
		if err := cmd.Wait(); err != nil {
			return fmt.Errorf("pikegate did not stop cleanly: %w\n%s", err, complaints.String())
		}
		if strings.Contains(complaints.String(), "DATA RACE") {
			return fmt.Errorf("a data race:\n%s", complaints.String())
		}
		return nil
	}, nil
}

// runNumber is that of the run that a command has made.
func (r result) runNumber(t testing.TB) string {
	t.Helper()
	m := regexp.MustCompile(`Run (\d+)`).FindStringSubmatch(r.err)
	require.NotNil(t, m, r.err)
	return m[1]
}

// result is what a command printed and how it ended.
type result struct {
	out, err string
	code     int
}

// pikegate runs a command against the running demonstration.
func pikegate(t testing.TB, args ...string) result {
	t.Helper()
	return pikegateIn(t.Context(), args...)
}

func pikegateIn(ctx context.Context, args ...string) result {
	cmd := exec.CommandContext(ctx, binary, args...)
	cmd.Env = append(os.Environ(), "PIKEGATE_SERVER="+address)
	var out, complaints bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaints
	err := cmd.Run()
	code := cmd.ProcessState.ExitCode()
	if err != nil && code < 0 {
		complaints.WriteString(err.Error())
	}
	return result{out.String(), complaints.String(), code}
}
