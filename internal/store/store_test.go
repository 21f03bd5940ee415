package store_test

import (
	"encoding/json"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/store"
)

func open(t *testing.T, path string) *store.Store {
	t.Helper()
	s, err := store.Open(path)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// TestKept: what is kept is there after the file was closed and opened again.
func TestKept(t *testing.T) {
	path := filepath.Join(t.TempDir(), "own.db")
	s := open(t, path)
	source := store.Source{Name: "a", Engine: "sqlite", Address: "/x", Encodings: map[string]string{"t.c": "ymd"}}
	require.NoError(t, s.SaveSource(source))
	source.Address = "/y"
	require.NoError(t, s.SaveSource(source))

	at := time.Date(2026, 3, 18, 12, 0, 0, 0, time.UTC)
	run := store.Run{
		Report: "r", Version: 2, Outcome: "running", StartedAt: at, Inputs: map[string]any{"p": "last month"},
		Resolved: map[string]any{"p": "2026-02"}, SQL: "select 1", Args: []any{int64(9007199254740993), "text", nil},
	}
	require.NoError(t, s.SaveRun(&run))
	require.NotZero(t, run.ID)
	run.Outcome, run.Count, run.First = "done", 5, "2026-02-01"
	require.NoError(t, s.SaveRun(&run))
	require.NoError(t, s.Close())

	s = open(t, path)
	sources, err := s.Sources()
	require.NoError(t, err)
	assert.Equal(t, []store.Source{source}, sources)
	again, err := s.Run(run.ID)
	require.NoError(t, err)
	assert.Equal(t, json.Number("9007199254740993"), again.Args[0], "whole numbers keep their digits")
	again.Args[0] = int64(9007199254740993)
	assert.Equal(t, run, again)
	_, err = s.Run(run.ID + 1)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestVersions(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	_, err := s.Published("report", "r")
	require.ErrorIs(t, err, store.ErrNotFound)
	for n := 1; n <= 3; n++ {
		made, err := s.Publish([]store.Definition{{Kind: "query", Name: "r", Content: "q"}, {Kind: "report", Name: "r", Content: "r", Uses: "q"}})
		require.NoError(t, err)
		assert.Equal(t, []int{n, n}, []int{made[0].Number, made[1].Number})
	}
	newest, err := s.Published("report", "r")
	require.NoError(t, err)
	assert.Equal(t, []any{3, "q"}, []any{newest.Number, newest.Uses})
	all, err := s.AllPublished("report")
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, 3, all[0].Number)

	// What is pushed again replaces what was there.
	require.NoError(t, s.SaveDrafts([]store.Definition{{Kind: "query", Name: "a", Content: "1"}, {Kind: "query", Name: "a", Content: "2"}}))
	d, err := s.Draft("query", "a")
	require.NoError(t, err)
	assert.Equal(t, "2", d.Content)
}

// TestPrints: fingerprints are kept of the newest runs, none at all too.
func TestPrints(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	require.NoError(t, s.SavePrints(1, []byte{1, 2}))
	require.NoError(t, s.SavePrints(2, nil))
	kept, err := s.Prints(1)
	require.NoError(t, err)
	assert.Equal(t, []byte{1, 2}, kept)
	kept, err = s.Prints(2)
	require.NoError(t, err)
	assert.Empty(t, kept)
	require.NoError(t, s.SavePrints(1001, nil))
	_, err = s.Prints(1)
	require.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.Prints(2)
	require.NoError(t, err)
}

// TestUnfinished: runs that a stop cut short do not stay running for ever.
func TestUnfinished(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	cut, done := store.Run{Report: "r", Outcome: "running"}, store.Run{Report: "r", Outcome: "done"}
	require.NoError(t, s.SaveRun(&cut))
	require.NoError(t, s.SaveRun(&done))
	require.NoError(t, s.Unfinished("failed", "stopped"))
	runs, err := s.Runs(store.Filter{Report: "r"}, 10)
	require.NoError(t, err)
	assert.Equal(t, []string{"done", "failed"}, []string{runs[0].Outcome, runs[1].Outcome})
	assert.Equal(t, "stopped", runs[1].Problem)
	runs, err = s.Runs(store.Filter{Report: "other"}, 10)
	require.NoError(t, err)
	assert.Empty(t, runs)
}
