package sqlite_test

import (
	"database/sql"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
)

// as runs this test binary as another user, to do one thing.
func as(t *testing.T, user uint32, do, path string) string {
	t.Helper()
	binary := filepath.Join(filepath.Dir(path), "test")
	if _, err := os.Stat(binary); err != nil { // where it is, others do not get to
		content, err := os.ReadFile(os.Args[0])
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(binary, content, 0o755))
	}
	command := exec.Command(binary, "-test.run", "^TestAsAnother$")
	command.Env = []string{"DO=" + do, "FILE=" + path, "TMPDIR=/tmp"}
	command.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: user, Gid: user}}
	out, err := command.CombinedOutput()
	require.NoError(t, err, "%s", out)
	return string(out)
}

// TestAsAnother is the part of TestOwnerWrites that another user does.
func TestAsAnother(t *testing.T) {
	path := os.Getenv("FILE")
	switch os.Getenv("DO") {
	case "read":
		source, err := sqlite.Open(engine.Address{Name: "s", At: path})
		require.NoError(t, err)
		rows, err := engine.Rows(t.Context(), source, "select count(*) from t")
		require.NoError(t, err)
		report, err := source.Check(t.Context())
		require.NoError(t, err)
		fmt.Println(rows, report.Notes)
	case "write":
		db, err := sql.Open("sqlite3", path)
		require.NoError(t, err)
		_, err = db.Exec("insert into t values (2)")
		require.NoError(t, err)
	default:
		t.Skip("nothing is to be done as another user")
	}
}

// TestOwnerWrites: reading a file that is written ahead does not keep its owner
// from writing, whoever owns the files beside it.
func TestOwnerWrites(t *testing.T) {
	t.Parallel()
	if os.Geteuid() != 0 {
		t.Skip("only root can act as two users")
	}
	const owner, reader = 4001, 4002
	folder, err := os.MkdirTemp("/tmp", "pikegate-test-") // both users get there
	require.NoError(t, err)
	defer os.RemoveAll(folder)
	require.NoError(t, os.Chmod(folder, 0o777))
	path := filepath.Join(folder, "own.db")
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = db.Exec("pragma journal_mode = wal; create table t (a); insert into t values (1)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	require.NoError(t, os.Chown(path, owner, owner))
	require.NoError(t, os.Chmod(path, 0o644))
	require.NoFileExists(t, path+"-shm", "the last to close takes it away")

	out := as(t, reader, "read", path)
	assert.Contains(t, out, "[[1]] []", "no note of files that hinder the owner")
	info, err := os.Stat(path + "-shm")
	require.NoError(t, err)
	require.Equal(t, uint32(reader), info.Sys().(*syscall.Stat_t).Uid)
	as(t, owner, "write", path)
	assert.Contains(t, as(t, reader, "read", path), "[[2]] []")

	// SQLite sets the mode of an empty file anew, which takes the owner's right away.
	require.NoError(t, os.Truncate(path+"-wal", 0))
	assert.Contains(t, as(t, reader, "read", path), "[[1]] []")
	as(t, owner, "write", path)

	// Where the files are a third one's, it is said.
	for _, ending := range []string{"-wal", "-shm"} {
		_ = os.Remove(path + ending)
		require.NoError(t, os.WriteFile(path+ending, []byte{0}, 0o600))
		require.NoError(t, os.Chown(path+ending, 4003, reader))
		require.NoError(t, os.Chmod(path+ending, 0o664))
	}
	assert.Contains(t, as(t, reader, "read", path), "kept from writing")
}
