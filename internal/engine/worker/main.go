package worker

import (
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"syscall"

	"github.com/landlock-lsm/go-landlock/landlock"
)

// Limits are what a worker may take.
type Limits struct {
	// Memory is in bytes, beyond what the process has when it starts.
	Memory int64
	// File is how large a file may be that it writes, in bytes: a sort that does
	// not fit into memory goes to one.
	File int64
	// Beside are the endings of files next to the database that it writes too.
	Beside []string
	// Folder tells that what it reads is a folder of files, and Open how many of them it
	// may have open, 0 for a few.
	Folder bool
	Open   int64
}

// Main makes this process a worker and never returns, where it was started as
// one of the kind; elsewhere it does nothing. It is called when the package of
// an engine is set up, so that every binary with that engine can be its worker,
// the tests' too.
func Main(kind string, limits Limits, open func(path string) (Reader, error)) {
	if os.Args[0] != kind || len(os.Args) != 2 {
		return
	}
	path := os.Args[1]
	if err := limits.enter(path); err != nil {
		fmt.Fprintf(os.Stderr, "pikegate: a reader of %s cannot be closed in: %v\n", path, err)
		os.Exit(1)
	}
	socket := os.NewFile(3, "service")
	s := &server{open: func() (Reader, error) { return open(path) }, socket: socket, rows: Rows{socket: socket}}
	if err := s.serve(); err != nil {
		fmt.Fprintf(os.Stderr, "pikegate: a reader of %s ended: %v\n", path, err)
		os.Exit(1)
	}
	os.Exit(0)
}

// enter sets the limits for this process, for good.
func (l Limits) enter(path string) error {
	signal.Ignore(syscall.SIGXFSZ) // writing says so instead
	debug.SetMemoryLimit(l.Memory / 2)
	has, err := dataSize()
	if err != nil {
		return err
	}
	for resource, most := range map[int]int64{syscall.RLIMIT_DATA: has + l.Memory, syscall.RLIMIT_FSIZE: l.File, syscall.RLIMIT_CORE: 0, syscall.RLIMIT_NOFILE: max(l.Open, 64)} {
		if err := syscall.Setrlimit(resource, &syscall.Rlimit{Cur: uint64(most), Max: uint64(most)}); err != nil {
			return err
		}
	}
	temporary := os.Getenv("TMPDIR")
	rules := []landlock.Rule{
		landlock.ROFiles("/etc/localtime").IgnoreIfMissing(),
		landlock.RODirs("/usr/share/zoneinfo").IgnoreIfMissing(),
		landlock.RWDirs(temporary),
	}
	if l.Folder {
		rules = append(rules, landlock.RODirs(path), landlock.ROFiles("/proc/self/cgroup", "/proc/meminfo", "/proc/cpuinfo").IgnoreIfMissing(), landlock.RODirs("/sys/fs/cgroup", "/sys/devices/system/cpu").IgnoreIfMissing())
	} else {
		rules = append(rules, landlock.ROFiles(path, path+"-journal").IgnoreIfMissing())
	}
	for _, ending := range l.Beside {
		rules = append(rules, landlock.RWFiles(path+ending).IgnoreIfMissing())
	}
	return landlock.V6.BestEffort().Restrict(rules...)
}

// dataSize is how much memory the process has for data; source: proc(5).
func dataSize() (int64, error) {
	status, err := os.ReadFile(filepath.Join("/proc", "self", "status"))
	if err != nil {
		return 0, err
	}
	for line := range strings.Lines(string(status)) {
		if rest, ok := strings.CutPrefix(line, "VmData:"); ok {
			n, err := strconv.ParseInt(strings.TrimSuffix(strings.TrimSpace(rest), " kB"), 10, 64)
			return n << 10, err
		}
	}
	return 0, fmt.Errorf("/proc/self/status tells no VmData")
}
