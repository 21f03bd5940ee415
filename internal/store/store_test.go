package store_test

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/parameter"
	"pikegate/internal/store"
)

func open(t *testing.T, path string) *store.Store {
	t.Helper()
	s, err := store.Open(path, nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// TestKept: what is kept is there after the file was closed and opened again.
func TestKept(t *testing.T) {
	path := filepath.Join(t.TempDir(), "own.db")
	s := open(t, path)
	source := store.Source{Name: "a", Engine: "sqlite", Address: "/x", Encodings: map[string]string{"t.c": "ymd"}}
	require.NoError(t, s.SaveSource(t.Context(), source, store.Entry{}))
	source.Address = "/y"
	require.NoError(t, s.SaveSource(t.Context(), source, store.Entry{}))

	at := time.Date(2026, 3, 18, 12, 0, 0, 0, time.UTC)
	run := store.Run{
		Report: "r", Version: 2, Outcome: "running", StartedAt: at, Inputs: parameter.Inputs{"p": parameter.Typed("last month")},
		Resolved: map[string]any{"p": "2026-02"}, SQL: "select 1", Args: []any{int64(9007199254740993), "text", nil},
	}
	run.ID = s.NextRun()
	require.NoError(t, s.SaveRun(t.Context(), run, nil))
	run.Outcome, run.Count, run.First = "done", 5, "2026-02-01"
	require.NoError(t, s.SaveRun(t.Context(), run, nil))
	require.NoError(t, s.Close())

	s = open(t, path)
	sources, err := s.Sources(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []store.Source{source}, sources)
	again, err := s.Run(t.Context(), run.ID)
	require.NoError(t, err)
	assert.Equal(t, json.Number("9007199254740993"), again.Args[0], "whole numbers keep their digits")
	again.Args[0] = int64(9007199254740993)
	assert.Equal(t, run, again)
	_, err = s.Run(t.Context(), run.ID+1)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestVersions(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	_, err := s.Published(t.Context(), "report", "r")
	require.ErrorIs(t, err, store.ErrNotFound)
	for n := 1; n <= 3; n++ {
		made, err := s.Publish(t.Context(), []store.Definition{{Kind: "query", Name: "r", Content: "q"}, {Kind: "report", Name: "r", Content: "r", Uses: "q"}}, store.Entry{})
		require.NoError(t, err)
		assert.Equal(t, []int{n, n}, []int{made[0].Number, made[1].Number})
	}
	newest, err := s.Published(t.Context(), "report", "r")
	require.NoError(t, err)
	assert.Equal(t, []any{3, "q"}, []any{newest.Number, newest.Uses})
	all, err := s.AllPublished(t.Context(), "report")
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, 3, all[0].Number)

	// What is pushed again replaces what was there.
	require.NoError(t, s.SaveDrafts(t.Context(), []store.Definition{{Kind: "query", Name: "a", Content: "1"}, {Kind: "query", Name: "a", Content: "2"}}))
	d, err := s.Draft(t.Context(), "query", "a")
	require.NoError(t, err)
	assert.Equal(t, "2", d.Content)
}

// TestPrints: fingerprints are kept of the newest runs, none at all too.
func TestPrints(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	require.NoError(t, s.SaveRun(t.Context(), store.Run{ID: 1}, []byte{1, 2}))
	require.NoError(t, s.SaveRun(t.Context(), store.Run{ID: 2}, []byte{}))
	kept, err := s.Prints(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, []byte{1, 2}, kept)
	kept, err = s.Prints(t.Context(), 2)
	require.NoError(t, err)
	assert.Empty(t, kept)
	require.NoError(t, s.SaveRun(t.Context(), store.Run{ID: 1001}, []byte{}))
	_, err = s.Prints(t.Context(), 1)
	require.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.Prints(t.Context(), 2)
	require.NoError(t, err)
}

// TestUnfinished: runs that a stop cut short do not stay running for ever.
func TestUnfinished(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	cut, done := store.Run{ID: s.NextRun(), Report: "r", Outcome: "running"}, store.Run{ID: s.NextRun(), Report: "r", Outcome: "done"}
	require.NoError(t, s.SaveRun(t.Context(), cut, nil))
	require.NoError(t, s.SaveRun(t.Context(), done, nil))
	require.NoError(t, s.Unfinished(t.Context(), "failed", "stopped"))
	runs, err := s.Runs(t.Context(), store.Filter{Report: "r"}, 10)
	require.NoError(t, err)
	assert.Equal(t, []string{"done", "failed"}, []string{runs[0].Outcome, runs[1].Outcome})
	assert.Equal(t, "stopped", runs[1].Problem)
	runs, err = s.Runs(t.Context(), store.Filter{Report: "other"}, 10)
	require.NoError(t, err)
	assert.Empty(t, runs)
}

// TestTogether: many write at once and all of it is kept; one that fails fails
// alone; a run is found by the day it was on wherever its clock stood.
func TestTogether(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "with ?odd #characters%20 é.db"))
	const callers, each = 50, 20
	var wait sync.WaitGroup
	for range callers {
		wait.Go(func() {
			for range each {
				assert.NoError(t, s.SaveRun(t.Context(), store.Run{ID: s.NextRun(), Report: "r", Outcome: "done", StartedAt: time.Now()}, nil))
				assert.NoError(t, s.SaveDrafts(t.Context(), []store.Definition{{Kind: "query", Name: "same", Content: "x"}}))
			}
		})
	}
	refused := 0
	for range 20 {
		var changed *store.Changed
		if errors.As(s.SaveDrafts(t.Context(), []store.Definition{{Kind: "query", Name: "same", Content: "y", Revision: 99}}), &changed) {
			refused++
		}
	}
	wait.Wait()
	assert.GreaterOrEqual(t, refused, 19)
	runs, err := s.Runs(t.Context(), store.Filter{}, 2000)
	require.NoError(t, err)
	assert.Len(t, runs, callers*each)

	tokyo := time.FixedZone("", 9*3600)
	late := store.Run{ID: s.NextRun(), Report: "tokyo", StartedAt: time.Date(2026, 3, 2, 1, 0, 0, 0, tokyo)}
	require.NoError(t, s.SaveRun(t.Context(), late, nil))
	day := time.Date(2026, 3, 2, 0, 0, 0, 0, tokyo)
	runs, err = s.Runs(t.Context(), store.Filter{Report: "tokyo", From: day, Until: day.AddDate(0, 0, 1)}, 10)
	require.NoError(t, err)
	assert.Len(t, runs, 1)
	runs, err = s.Runs(t.Context(), store.Filter{Report: "tokyo", From: late.StartedAt.UTC().Add(time.Minute)}, 10)
	require.NoError(t, err)
	assert.Empty(t, runs)
}

// TestFiles: nobody else can read the records, and an older binary leaves those
// of a newer one alone.
func TestFiles(t *testing.T) {
	path := filepath.Join(t.TempDir(), "own.db")
	s := open(t, path)
	require.NoError(t, s.SaveRun(t.Context(), store.Run{ID: s.NextRun()}, nil))
	for _, suffix := range []string{"", "-wal", "-shm"} {
		info, err := os.Stat(path + suffix)
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), suffix)
	}
	require.NoError(t, s.Close())
	require.Error(t, s.SaveRun(t.Context(), store.Run{ID: 7}, nil), "closed")

	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = db.Exec("insert into migrations values ('2031-01-flying')")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	_, err = store.Open(path, nil)
	require.ErrorContains(t, err, "newer")
}

// TestUpgrade: a file of any earlier step is brought up to date with what is in it.
func TestUpgrade(t *testing.T) {
	path := filepath.Join(t.TempDir(), "own.db")
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = db.Exec(`
		create table migrations (id text, primary key (id));
		insert into migrations values ('2026-11-first'), ('2026-11-edges');
		create table sources (name text, engine text, address text, encodings text, created_at datetime, primary key (name));
		create table drafts (kind text, name text, content text, updated_at datetime, primary key (kind, name));
		create table versions (kind text, name text, number integer, content text, uses text, published_at datetime, primary key (kind, name, number));
		create table runs (id integer primary key autoincrement, report text, version integer, outcome text, format text, started_at datetime, as_of text, zone text,
			inputs text, resolved text, read_back text, sql text, args text, count integer, first text, last text, millis integer, problem text, reason text, edges text);
		insert into drafts values ('query', 'q', 'kind: query', '2026-11-01 10:00:00+00:00');
		insert into runs (report, outcome, started_at, count) values ('r', 'done', '2026-11-02 01:30:00.5+09:00', 3)`)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	s := open(t, path)
	runs, err := s.Runs(t.Context(), store.Filter{}, 10)
	require.NoError(t, err)
	require.Len(t, runs, 1)
	assert.Equal(t, time.Date(2026, 11, 1, 16, 30, 0, 500_000_000, time.UTC), runs[0].StartedAt.UTC())
	assert.EqualValues(t, 2, s.NextRun())
	draft, err := s.Draft(t.Context(), "query", "q")
	require.NoError(t, err)
	assert.Equal(t, 1, draft.Revision)
	require.NoError(t, s.SaveSource(t.Context(), store.Source{Name: "a", Secret: "b"}, store.Entry{}))
}

// TestPrune: the oldest records of runs go by age, number and size; what is under
// way and what is newer stays, and no number is given twice.
func TestPrune(t *testing.T) {
	now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	fill := func(n int) *store.Store {
		s := open(t, filepath.Join(t.TempDir(), "own.db"))
		for i := range n {
			outcome := "done"
			if i == 3 {
				outcome = "running"
			}
			require.NoError(t, s.SaveRun(t.Context(), store.Run{ID: s.NextRun(), Report: "r", Outcome: outcome, StartedAt: now.AddDate(0, 0, i-n+1), ReadBack: strings.Repeat("x", 2000)}, []byte{1}))
		}
		return s
	}
	ids := func(s *store.Store) (out []uint) {
		runs, err := s.Runs(t.Context(), store.Filter{}, 2000)
		require.NoError(t, err)
		for _, r := range runs {
			out = append(out, r.ID)
		}
		return out
	}
	for name, c := range map[string]struct {
		keep store.Retention
		want []uint
	}{
		"nothing": {store.Retention{}, []uint{10, 9, 8, 7, 6, 5, 4, 3, 2, 1}},
		"age":     {store.Retention{Age: 3*24*time.Hour + time.Hour}, []uint{10, 9, 8, 7, 4}},
		"number":  {store.Retention{Runs: 5}, []uint{10, 9, 8, 7, 6, 4}},
		"size":    {store.Retention{Bytes: 1}, []uint{4}},
	} {
		t.Run(name, func(t *testing.T) {
			s := fill(10)
			require.NoError(t, s.Prune(t.Context(), c.keep, now))
			assert.Equal(t, c.want, ids(s))
			if name == "number" {
				_, err := s.Prints(t.Context(), 1)
				assert.ErrorIs(t, err, store.ErrNotFound)
			}
			assert.EqualValues(t, 11, s.NextRun())
		})
	}
}

// TestPruneTyped: what was typed goes before the record of its run does, with all that
// tells it.
func TestPruneTyped(t *testing.T) {
	now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	const n = 1201 // more than go at a time
	for i := range n {
		r := store.Run{ID: s.NextRun(), Report: "r", Outcome: "done", StartedAt: now.AddDate(0, 0, -40), Count: 7, ReadBack: "Lock: zsouth", Reason: "zsouth", Problem: "zsouth", SQL: "select ?", Edges: []byte(`"zsouth"`)}
		r.Inputs, r.Resolved, r.Args = parameter.Inputs{"lock": parameter.Typed("zsouth")}, map[string]any{"lock": "zsouth"}, []any{"zsouth"}
		switch i {
		case n - 2:
			r.Outcome = "running"
		case n - 1:
			r.StartedAt = now.AddDate(0, 0, -29)
		}
		require.NoError(t, s.SaveRun(t.Context(), r, nil))
	}
	require.NoError(t, s.Prune(t.Context(), store.Retention{}, now))
	require.NoError(t, s.Prune(t.Context(), store.Retention{Typed: 30 * 24 * time.Hour}, now))
	runs, err := s.Runs(t.Context(), store.Filter{}, 2000)
	require.NoError(t, err)
	require.Len(t, runs, n, "the records stay")
	for i := range uint(n) {
		r, err := s.Run(t.Context(), i+1)
		require.NoError(t, err)
		told := fmt.Sprintf("%+v", r)
		assert.EqualValues(t, 7, r.Count)
		if i < n-2 {
			assert.True(t, r.Forgotten)
			assert.NotContains(t, told, "zsouth")
			assert.Nil(t, r.Edges)
		} else {
			assert.False(t, r.Forgotten)
			assert.Contains(t, told, "zsouth")
		}
	}
}
