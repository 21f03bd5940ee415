// Package servers starts real database servers for tests: on spare ports of
// the loopback, in temporary folders, stopped when the test ends.
package servers

import (
	"database/sql"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver pgx
	"github.com/stretchr/testify/require"
)

// Server is a running database server.
type Server struct {
	// Address is HOST:PORT.
	Address string
	// Log is the path of its log.
	Log string

	folder string
	start  func() *exec.Cmd
	cmd    *exec.Cmd
	first  *sql.DB // as its administrator
	create func(t testing.TB, name, reader string) *sql.DB
}

// Reader is the login that may only select, and its password.
const (
	Reader   = "reader"
	Password = "only-to-read"
)

// Database is the name of the database that tests use.
const Database = "business"

// command runs a program as the user that servers run as, for they refuse root.
func command(as, name string, args ...string) *exec.Cmd {
	cmd := exec.Command(name, args...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	if os.Getuid() == 0 {
		u, err := user.Lookup(as)
		if err == nil {
			uid, _ := strconv.ParseUint(u.Uid, 10, 32)
			gid, _ := strconv.ParseUint(u.Gid, 10, 32)
			cmd.SysProcAttr.Credential = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
			cmd.Dir = "/tmp"
		}
	}
	return cmd
}

// folder makes a folder that the server's user owns.
func folder(t testing.TB, owner string) string {
	t.Helper()
	path, err := os.MkdirTemp("", "pikegate-server-")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(path) })
	if os.Getuid() == 0 {
		u, err := user.Lookup(owner)
		require.NoError(t, err)
		uid, _ := strconv.Atoi(u.Uid)
		gid, _ := strconv.Atoi(u.Gid)
		require.NoError(t, os.Chown(path, uid, gid))
	}
	require.NoError(t, os.Chmod(path, 0o755))
	return path
}

func freePort(t testing.TB) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

func run(t testing.TB, cmd *exec.Cmd) {
	t.Helper()
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s\n%s", cmd, out)
}

// Start starts a server that was stopped, and waits until it answers.
func (s *Server) Start(t testing.TB) {
	t.Helper()
	s.cmd = s.start()
	log, err := os.OpenFile(s.Log, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	require.NoError(t, err)
	defer log.Close()
	s.cmd.Stdout, s.cmd.Stderr = log, log
	require.NoError(t, s.cmd.Start())
	for end := time.Now().Add(time.Minute); ; time.Sleep(50 * time.Millisecond) {
		if err = s.first.Ping(); err == nil {
			return
		}
		if time.Now().After(end) {
			content, _ := os.ReadFile(s.Log)
			require.NoError(t, err, "the server does not answer\n%s", content)
		}
	}
}

// Stop stops a server at once, as if its machine had lost its power.
func (s *Server) Stop() {
	if s.cmd != nil {
		_ = s.cmd.Process.Signal(syscall.SIGQUIT)
		done := make(chan struct{})
		go func() { _ = s.cmd.Wait(); close(done) }()
		select {
		case <-done:
		case <-time.After(5 * time.Second):
			_ = s.cmd.Process.Kill()
			<-done
		}
		s.cmd = nil
	}
}

// Open opens a connection that may write, for making tables.
func (s *Server) Open(t testing.TB, driver, dsn string) *sql.DB {
	t.Helper()
	db, err := sql.Open(driver, dsn)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return db
}

// Postgres starts a PostgreSQL server with a database and a reader.
func Postgres(t testing.TB, options ...string) (*Server, *sql.DB) {
	t.Helper()
	bins, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	if len(bins) == 0 {
		t.Fatal("PostgreSQL is not installed: make deps installs it")
	}
	bin := bins[len(bins)-1]
	home := folder(t, "postgres")
	data, port := filepath.Join(home, "data"), freePort(t)
	run(t, command("postgres", filepath.Join(bin, "initdb"), "-D", data, "-A", "trust", "-U", "postgres", "--no-sync", "-E", "UTF8", "--locale=C.UTF-8"))
	hba := "local all all trust\nhost all postgres 127.0.0.1/32 trust\nhost all all 127.0.0.1/32 scram-sha-256\n"
	require.NoError(t, os.WriteFile(filepath.Join(data, "pg_hba.conf"), []byte(hba), 0o600))
	args := []string{"-D", data, "-p", strconv.Itoa(port), "-h", "127.0.0.1", "-k", home, "-c", "fsync=off", "-c", "full_page_writes=off", "-c", "max_connections=200"}
	for _, o := range options {
		args = append(args, "-c", o)
	}
	s := &Server{Address: fmt.Sprintf("127.0.0.1:%d", port), Log: filepath.Join(home, "log"), folder: home}
	s.start = func() *exec.Cmd { return command("postgres", filepath.Join(bin, "postgres"), args...) }
	admin := func(database string) string {
		return fmt.Sprintf("postgres://postgres@%s/%s?sslmode=disable", s.Address, database)
	}
	s.first = s.Open(t, "pgx", admin("postgres"))
	s.Start(t)
	t.Cleanup(s.Stop)
	s.create = func(t testing.TB, name, reader string) *sql.DB {
		for _, text := range []string{"create database " + name, "create role " + reader + " login password '" + Password + "'"} {
			_, err := s.first.Exec(text)
			require.NoError(t, err)
		}
		db := s.Open(t, "pgx", admin(name))
		_, err := db.Exec("grant usage on schema public to " + reader + "; alter default privileges in schema public grant select on tables to " + reader)
		require.NoError(t, err)
		return db
	}
	return s, s.create(t, Database, Reader)
}

// MariaDB starts a MariaDB server with a database and a reader.
func MariaDB(t testing.TB, options ...string) (*Server, *sql.DB) {
	t.Helper()
	program, err := exec.LookPath("mariadbd")
	if err != nil {
		program = "/usr/sbin/mariadbd"
	}
	if _, err := os.Stat(program); err != nil {
		t.Fatal("MariaDB is not installed: make deps installs it")
	}
	home := folder(t, "mysql")
	data, port := filepath.Join(home, "data"), freePort(t)
	install := command("mysql", "mariadb-install-db", "--no-defaults", "--datadir="+data, "--auth-root-authentication-method=normal", "--skip-test-db")
	install.Env = append(os.Environ(), "TMPDIR="+home) // two at once would remove each other's temporary tables
	run(t, install)
	args := append([]string{
		"--no-defaults", "--datadir=" + data, "--port=" + strconv.Itoa(port), "--bind-address=127.0.0.1",
		"--tmpdir=" + home, "--socket=" + filepath.Join(home, "socket"), "--pid-file=" + filepath.Join(home, "pid"),
		"--innodb-flush-log-at-trx-commit=0", "--innodb-buffer-pool-size=256M", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_general_ci",
	}, options...)
	s := &Server{Address: fmt.Sprintf("127.0.0.1:%d", port), Log: filepath.Join(home, "log"), folder: home}
	s.start = func() *exec.Cmd { return command("mysql", program, args...) }
	admin := func(database string) string {
		return fmt.Sprintf("root@tcp(%s)/%s?multiStatements=true&time_zone='%%2B00:00'", s.Address, database)
	}
	s.first = s.Open(t, "mysql", admin(""))
	s.Start(t)
	t.Cleanup(s.Stop)
	s.create = func(t testing.TB, name, reader string) *sql.DB {
		_, err := s.first.Exec("create database " + name + "; create user " + reader + "@'127.0.0.1' identified by '" + Password + "', " + reader + "@localhost identified by '" + Password +
			"'; grant select on " + name + ".* to " + reader + "@'127.0.0.1', " + reader + "@localhost")
		require.NoError(t, err)
		return s.Open(t, "mysql", admin(name))
	}
	return s, s.create(t, Database, Reader)
}

// shared are the servers that the tests of a process have in common, and what ends them.
var shared = struct {
	sync.Mutex
	servers  map[string]*Server // by the name of the engine
	cleanups []func()
	made     int
}{servers: map[string]*Server{}}

// Shared makes a database for one test, and a reader who sees no other, on a server that all
// tests of the process have in common; Main stops that. It gives the server's address and the
// names of the database and its reader. Kind is the name of an engine.
func Shared(t testing.TB, kind string) (address, name, reader string, db *sql.DB) {
	t.Helper()
	shared.Lock()
	defer shared.Unlock()
	s := shared.servers[kind]
	if s == nil {
		start := Postgres
		if kind == "mysql" {
			start = MariaDB
		}
		s, _ = start(lasting{t})
		shared.servers[kind] = s
	}
	shared.made++
	name, reader = Database+strconv.Itoa(shared.made), Reader+strconv.Itoa(shared.made)
	t.Cleanup(func() { _, _ = s.first.Exec("drop database " + name) }) // it goes with the server at the latest
	return s.Address, name, reader, s.create(t, name, reader)
}

// lasting is a test whose cleaning up waits for the end of the process.
type lasting struct{ testing.TB }

func (lasting) Cleanup(f func()) { shared.cleanups = append(shared.cleanups, f) }

// Main runs the tests of a package that has servers in common, and stops those.
func Main(m *testing.M) {
	code := m.Run()
	for _, f := range slices.Backward(shared.cleanups) {
		f()
	}
	os.Exit(code)
}

// init silences the driver, which tells of every connection to a server that is not ready yet.
func init() { _ = mysql.SetLogger(quiet{}) }

type quiet struct{}

func (quiet) Print(...any) {}

// Folder is where the server keeps what is its own.
func (s *Server) Folder() string { return s.folder }
