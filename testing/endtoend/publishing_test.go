package endtoend

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// keep writes definitions to a file, pushes them and publishes a name, and takes
// all away afterwards, the last first.
func keep(t *testing.T, name, text string, ids ...string) (file string) {
	t.Helper()
	file = filepath.Join(t.TempDir(), name+".yaml")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	done(t, pikegate(t, "push", file))
	done(t, pikegate(t, "publish", name))
	t.Cleanup(func() {
		slices.Reverse(ids)
		for _, id := range ids { // the test's own context has ended
			done(t, pikegateIn(context.Background(), append([]string{"remove"}, append(strings.Fields(id), "--anyway")...)...))
		}
	})
	return file
}

// TestPull: everything that is published can be written to files, and pushing
// these changes nothing; a file that would change is left alone and named.
func TestPull(t *testing.T) {
	t.Parallel()
	// A service of its own: others leave drafts.
	own, stop, err := start("demo", "--data", t.TempDir())
	require.NoError(t, err)
	defer func() { assert.NoError(t, stop()) }()
	folder := t.TempDir()
	done(t, pikegate(t, "pull", "--into", folder, "--server", own))
	var files []string
	require.NoError(t, filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if err == nil && strings.HasSuffix(path, ".yaml") {
			files = append(files, path)
		}
		return err
	}))
	require.Greater(t, len(files), 8)
	r := pikegate(t, append([]string{"push", "--server", own}, files...)...)
	done(t, r)
	assert.Equal(t, len(files), strings.Count(r.out, " is unchanged\n"), r.out)

	path := filepath.Join(folder, "query", "lock-passages.yaml")
	content, err := os.ReadFile(path)
	require.NoError(t, err)
	mine := append(content, "# mine\n"...)
	require.NoError(t, os.WriteFile(path, mine, 0o600))
	r = pikegate(t, "pull", "lock-passages", "--into", folder, "--server", own)
	assert.Contains(t, r.err, "lock-passages.yaml was changed here and is left alone")
	left, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(mine), string(left))
	done(t, pikegate(t, "pull", "lock-passages", "--into", folder, "--force", "--server", own))
	left, err = os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(content), string(left))
}

const busyLocks = `kind: query
name: busy
source: navigation
from: passages
joins:
  - {table: locks, on: passages.lock_id = locks.id}
parameters:
  - {name: period, kind: period, required: true}
  - {name: least, kind: integer}
columns:
  - {name: lock, value: locks.name}
  - {name: n, value: count}
  - {name: tolls, value: sum of toll_pence / 100, format: money}
criteria: passed_at within :period and count >= :least
sort: [sum of toll_pence descending]
---
kind: report
name: busy-locks
query: busy
`

// TestTogether: a report and its query, of another name, are published together;
// what is published has no draft left; a removed report is no longer run, and
// what uses a query keeps it from being removed.
func TestTogether(t *testing.T) {
	text := strings.ReplaceAll(busyLocks, "busy", "idle") // versions count on after a removal
	file := keep(t, "idle-locks", text, "query idle", "report idle-locks")
	r := pikegate(t, "versions", "query", "idle")
	done(t, r)
	assert.Contains(t, r.out, "1  ")
	assert.NotContains(t, pikegate(t, "drafts").out, "idle")
	assert.Contains(t, pikegate(t, "push", file).out, "query idle is unchanged\nreport idle-locks is unchanged\n")
	denied(t, pikegate(t, "remove", "query", "idle"), "[in_use]", "the report idle-locks")

	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(text, "name: n,", "name: passages,", 1)), 0o600))
	r = pikegate(t, "push", file)
	assert.Contains(t, r.out, "query idle is kept as a draft, revision ")
	assert.Contains(t, r.out, "report idle-locks is unchanged")
	r = pikegate(t, "review", "idle-locks")
	done(t, r)
	assert.Contains(t, r.out, "query idle would become version 2\n  The column “passages” is new.\n  The column “n” is gone.")
	r = pikegate(t, "publish", "idle-locks")
	done(t, r)
	assert.Contains(t, r.out, "query idle is published as version 2\nreport idle-locks is published as version 2\n")
	assert.Contains(t, pikegate(t, "run", "idle-locks", "--set", "period=2025-03", "--format", "csv").out, "lock,passages,tolls")

	number := pikegate(t, "run", "idle-locks", "--set", "period=2025-03").runNumber(t)
	done(t, pikegate(t, "remove", "report", "idle-locks"))
	denied(t, pikegate(t, "run", "idle-locks", "--set", "period=2025-03"), "[not_found]")
	assert.Contains(t, pikegate(t, "runs", number).out, "idle-locks", "the record of a run stays")
	done(t, pikegate(t, "push", file))
	done(t, pikegate(t, "publish", "idle-locks"))
}

// TestConditionsOnGroups: groups are chosen by what they hold and ordered by
// what is made of them, as an independent count has it.
func TestConditionsOnGroups(t *testing.T) {
	keep(t, "busy-locks", busyLocks, "query busy", "report busy-locks")
	type group struct {
		lock     string
		n, pence int
	}
	groups := map[string]*group{}
	for _, p := range passages("2025-03-01", "2025-03-31") {
		g := groups[p[1]]
		if g == nil {
			g = &group{lock: p[1]}
			groups[p[1]] = g
		}
		g.n++
		pence, err := strconv.Atoi(strings.Replace(p[5], ".", "", 1))
		require.NoError(t, err)
		g.pence += pence
	}
	for _, least := range []int{0, 150, 175, 100_000} {
		var want [][]string
		chosen := []*group{}
		for _, g := range groups {
			if g.n >= least {
				chosen = append(chosen, g)
			}
		}
		slices.SortFunc(chosen, func(a, b *group) int { return b.pence - a.pence })
		for _, g := range chosen {
			want = append(want, []string{g.lock, strconv.Itoa(g.n), fmt.Sprintf("%d.%02d", g.pence/100, g.pence%100)})
		}
		r := pikegate(t, "run", "busy-locks", "--set", "period=2025-03", "--set", fmt.Sprintf("least=%d", least), "--format", "csv")
		done(t, r)
		lines, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
		require.NoError(t, err)
		assert.Equal(t, want, append([][]string(nil), lines[1:]...), "least %d", least)
		assert.Contains(t, r.err, fmt.Sprintf("the number of records is at least %d", least))
	}
}

// TestNumbersOverHTTP: an answer may be a JSON number, of any size and form; the
// record of its run can be explained and repeated.
func TestNumbersOverHTTP(t *testing.T) {
	keep(t, "busy-locks", busyLocks, "query busy", "report busy-locks")
	for body, says := range map[string]string{
		`{"inputs": {"period": 2025, "least": 1000000}}`:                   "at least 1000000",
		`{"inputs": {"period": "2025", "least": 1e6}}`:                     "at least 1000000",
		`{"inputs": {"period": "2025", "least": 12345678901234567890}}`:    "at least 12345678901234567890",
		`{"inputs": {"period": {"start": 20250301, "end": "2025-03-31"}}}`: "through Mon 31 Mar 2025",
		`{"inputs": {"period": [2025], "least": [150]}}`:                   "at least 150",
	} {
		answer, err := http.Post(address+"/api/v1/reports/busy-locks/runs?format=json", "application/json", strings.NewReader(body))
		require.NoError(t, err)
		var run struct{ ReadBack string }
		require.NoError(t, json.NewDecoder(answer.Body).Decode(&run))
		require.NoError(t, answer.Body.Close())
		assert.Contains(t, run.ReadBack, says, body)
		r := pikegate(t, "runs", answer.Header.Get("Pikegate-Run"))
		assert.Zero(t, r.code, r.err)
		r = pikegate(t, "why", answer.Header.Get("Pikegate-Run"))
		assert.Zero(t, r.code, "%s: %s", body, r.err)
	}
	for body, code := range map[string]string{
		`{"inputs": {"period": "2025", "least": 1.5}}`:      "not_whole_number",
		`{"inputs": {"period": "2025", "least": {"a": 1}}}`: "wrong_shape",
		`{"inputs": {"period": ["2025", null]}}`:            "wrong_shape",
		`{"inputs": {"period": true}}`:                      "unknown_word",
	} {
		answer, err := http.Post(address+"/api/v1/reports/busy-locks/runs", "application/json", bytes.NewReader([]byte(body)))
		require.NoError(t, err)
		var refused struct {
			Errors []struct{ Code, Field string }
		}
		require.NoError(t, json.NewDecoder(answer.Body).Decode(&refused))
		require.NoError(t, answer.Body.Close())
		assert.Equal(t, http.StatusUnprocessableEntity, answer.StatusCode, body)
		require.NotEmpty(t, refused.Errors, body)
		assert.Equal(t, code, refused.Errors[0].Code, body)
	}
}

// TestReadBacksAreTyped: what a run printed of its period can be typed for the
// next one, and means the same.
func TestReadBacksAreTyped(t *testing.T) {
	for _, typed := range []string{"2025-03-14", "2025-03", "2025-03-14T08:30", "2025-03-14T08:30/2025-03-15T09:45", "last 7 days", "2024", "Q1 2025", "2025-03-01/.."} {
		first := pikegate(t, "period", typed, "--as-of", "2025-04-02", "--zone", "Europe/London")
		done(t, first)
		readback, rest, _ := strings.Cut(first.out, "\n")
		second := pikegate(t, "period", readback, "--as-of", "2025-04-02", "--zone", "Europe/London")
		assert.Zero(t, second.code, "%s, read back as %s: %s", typed, readback, second.err)
		assert.Equal(t, rest, strings.SplitN(second.out, "\n", 2)[1], "%s, read back as %s", typed, readback)
	}
	r := pikegate(t, "period", "Mon 14 Mar 2025")
	denied(t, r, "[wrong_weekday]", "Fri 14 Mar 2025")
}
