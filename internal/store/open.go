package store

import (
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// Store is the open file: one connection writes, a few only read.
type Store struct {
	path    string
	db      *gorm.DB
	writer  *gorm.DB
	changes atomic.Uint64
	people  atomic.Uint64
	key     []byte // of the audit log

	isClosed    *sql.Stmt
	closedState atomic.Bool
	lastRun     atomic.Uint64

	queue   chan change
	written chan struct{} // closed when nothing is written any more

	closing sync.RWMutex // guards closed, and sending to the queue
	closed  bool
}

// readers is how many connections read at a time.
const readers = 4

// Open opens the file at a path, making it and bringing it up to date. Key is what
// the audit log is sealed with.
func Open(path string, key []byte) (*Store, error) {
	fail := func(what string, err error) (*Store, error) {
		return nil, fmt.Errorf("store: %s cannot be %s: %w", path, what, err)
	}
	// Nobody else may read it; the files beside it take its mode.
	file, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return fail("opened", err)
	}
	if err := errors.Join(file.Chmod(0o600), file.Close()); err != nil {
		return fail("opened", err)
	}
	writer, err := connect(path, 1, false, "_txlock=immediate&_journal_mode=WAL&_synchronous=NORMAL")
	if err != nil {
		return fail("opened", err)
	}
	options := *gormigrate.DefaultOptions
	options.ValidateUnknownMigrations = true
	if err := gormigrate.New(writer, &options, migrations).Migrate(); errors.Is(err, gormigrate.ErrUnknownPastMigration) {
		return fail("opened by this version of Pike Gate", errors.Join(errors.New("a newer one has written it"), shut(writer)))
	} else if err != nil {
		return fail("brought up to date", errors.Join(err, shut(writer)))
	}
	db, err := connect(path, readers, true, "_query_only=1")
	if err != nil {
		return fail("opened", errors.Join(err, shut(writer)))
	}
	s := &Store{path: path, key: key, db: db, writer: writer, queue: make(chan change, mostTogether), written: make(chan struct{})}
	var last uint64
	// The sequence keeps the number of a run that was removed.
	if err := db.Raw("select max(coalesce((select seq from sqlite_sequence where name = 'runs'), 0), coalesce((select max(id) from runs), 0))").Scan(&last).Error; err != nil {
		return fail("read", errors.Join(err, shut(db), shut(writer)))
	}
	s.lastRun.Store(last)
	pool, err := db.DB()
	if err == nil {
		s.isClosed, err = pool.Prepare("select count(*) from settings where key = '" + closedMark + "'")
	}
	if err != nil {
		return fail("read", errors.Join(err, shut(db), shut(writer)))
	}
	go s.writeAll()
	return s, nil
}

func connect(path string, connections int, prepared bool, settings string) (*gorm.DB, error) {
	absolute, err := filepath.Abs(path)
	if err != nil {
		return nil, err
	}
	address := url.URL{Scheme: "file", Path: absolute, RawQuery: "_busy_timeout=10000&_foreign_keys=1&_stmt_cache_size=50&" + settings}
	db, err := gorm.Open(sqlite.Open(address.String()), &gorm.Config{
		Logger:                 logger.Discard,
		NowFunc:                func() time.Time { return time.Now().UTC() },
		PrepareStmt:            prepared,
		SkipDefaultTransaction: true,
	})
	if err != nil {
		return nil, err
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	return db, nil
}

// Owns tells whether a path leads to the store's own records, by whatever name, or is a folder
// that has them somewhere in it.
func (s *Store) Owns(path string) bool {
	info, err := os.Stat(path)
	if err != nil {
		return false
	}
	if info.IsDir() {
		real, err := filepath.Abs(s.path)
		if err == nil {
			real, err = filepath.EvalSymlinks(real)
		}
		for folder := filepath.Dir(real); err == nil; folder = filepath.Dir(folder) {
			if above, err := os.Stat(folder); err == nil && os.SameFile(above, info) {
				return true
			}
			if folder == filepath.Dir(folder) {
				return false
			}
		}
	}
	for _, suffix := range []string{"", "-wal", "-shm"} {
		if own, err := os.Stat(s.path + suffix); err == nil && os.SameFile(own, info) {
			return true
		}
	}
	return false
}

func shut(db *gorm.DB) error {
	pool, err := db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// Close closes the file when all that was to be written is.
func (s *Store) Close() error {
	s.closing.Lock()
	if s.closed {
		s.closing.Unlock()
		return nil
	}
	s.closed = true
	close(s.queue)
	s.closing.Unlock()
	<-s.written
	return errors.Join(s.isClosed.Close(), shut(s.db), shut(s.writer))
}
