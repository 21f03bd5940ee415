package endtoend

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestReports runs every report of the demonstration as CSV over spans that
// hold the planted edges.
func TestReports(t *testing.T) {
	for _, c := range []struct {
		report string
		args   []string
		want   [][]string
	}{
		{"passages-by-date", []string{"--start", "2025-03-01", "--end", "2025-03-31"}, passages("2025-03-01", "2025-03-31")},
		{"passages-by-date", []string{"--set", "period=2024-02-29"}, passages("2024-02-29", "2024-02-29")},
		{"passages-by-date", []string{"--set", "period=2025-10-26", "--set", "locks=Harrow Top", "--set", "locks=Mossgill"}, passages("2025-10-26", "2025-10-26", "Harrow Top", "Mossgill")},
		{"passages-by-date", []string{"--set", "period=last 3 months", "--as-of", "2025-01-02"}, passages("2024-10-01", "2024-12-31")},
		{"passages-by-date", []string{"--set", "period=2023"}, passages("2023-01-01", "2023-12-31")},
		{"invoices-issued", []string{"--set", "period=2025-Q1"}, invoices("2025-01-01", "2025-03-31")},
		{"invoices-issued", []string{"--start", "2025-12-01"}, invoices("2025-12-01", "9999-12-31")},
		{"stays-overlapping", []string{"--set", "period=2023-12-31/2024-01-01"}, stays("2023-12-31", "2024-01-01")},
		{"stays-overlapping", []string{"--set", "period=through 2023-01-31"}, stays("0000", "2023-01-31")},
		{"jobs-due", []string{"--set", "period=2025-03-31/2025-04-01"}, jobs("2025-03-31", "2025-04-01")},
		{"jobs-due", nil, jobs("2025-12-01", "2025-12-31")},
	} {
		name := c.report + " " + strings.Join(c.args, " ")
		r := pikegate(t, append([]string{"run", c.report, "--format", "csv"}, c.args...)...)
		require.Equal(t, 0, r.code, "%s: %s", name, r.err)
		rows, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
		require.NoError(t, err)
		require.NotEmpty(t, c.want, name)
		sameRows(t, c.want, rows[1:], name)
	}
}

// sameRows compares rows and shows the first that differs.
func sameRows(t *testing.T, want, got [][]string, what string) {
	t.Helper()
	for i := range min(len(want), len(got)) {
		require.Equal(t, want[i], got[i], "%s: row %d", what, i+1)
	}
	require.Len(t, got, len(want), what)
}

func TestTable(t *testing.T) {
	r := pikegate(t, "run", "passages-by-date", "--set", "period=2024-02-29", "--set", "locks=Harrow Top")
	require.Equal(t, 0, r.code, r.err)
	want := passages("2024-02-29", "2024-02-29", "Harrow Top")
	lines := strings.Split(strings.TrimRight(r.out, "\n"), "\n")
	require.Len(t, lines, len(want)+4)
	assert.Regexp(t, `^Total: Sum of toll \d+\.\d\d$`, lines[len(want)+3])
	assert.Regexp(t, `^Passed at +Lock +Region +Vessel +Direction +Toll$`, lines[0])
	for i, row := range want {
		assert.Equal(t, strings.Fields(strings.Join(row, " ")), strings.Fields(strings.Replace(lines[i+2], " ", "T", 1)))
		assert.Equal(t, len([]rune(lines[0])), len([]rune(lines[i+2])), "the last column is aligned")
	}
	assert.Contains(t, r.err, "Passed at on Thu 29 Feb 2024")
	assert.Contains(t, r.err, "first 2024-02-29T00:00:00+00:00, last 2024-02-29T23:59:59+00:00")
}

func TestFileAndJSON(t *testing.T) {
	path := filepath.Join(t.TempDir(), "out.json")
	r := pikegate(t, "run", "jobs-due", "--set", "period=2024-02-29", "--out", path)
	require.Equal(t, 0, r.code, r.err)
	assert.Empty(t, r.out)
	content, err := os.ReadFile(path)
	require.NoError(t, err)
	var result struct {
		Rows    [][]any
		Outcome string
		Count   int
	}
	require.NoError(t, json.Unmarshal(content, &result))
	assert.Equal(t, len(jobs("2024-02-29", "2024-02-29")), result.Count)
	assert.Len(t, result.Rows, result.Count)

	r = pikegate(t, "run", "jobs-due", "--set", "period=nonsense", "--out", filepath.Join(filepath.Dir(path), "refused.csv"))
	assert.Equal(t, 3, r.code)
	r = pikegate(t, "run", "passages-by-date", "--set", "period=2025", "--out", filepath.Join(filepath.Dir(path), "long.pdf"))
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "take them as CSV or XLSX")
	left, err := os.ReadDir(filepath.Dir(path))
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing half-written stays")
}

func TestExitCodes(t *testing.T) {
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"run", "invoices-issued", "--set", "period=2030-01"}, 0, "No records"},
		{[]string{"run"}, 2, "accepts 1 arg"},
		{[]string{"rn"}, 2, "Did you mean run?"},
		{[]string{"run", "jobs-due", "--form", "csv"}, 2, "unknown flag"},
		{[]string{"run", "jobs-due", "--format", "xls"}, 2, "table, csv, json, jsonl, xlsx, parquet, pdf, html, xml, svg or png"},
		{[]string{"run", "jobs-due", "--set", "period"}, 2, "NAME=VALUE"},
		{[]string{"run", "jobs-due", "--set", "period=2025", "--start", "2025-01-01"}, 2, "either"},
		{[]string{"run", "passages-by-date"}, 3, "period: An answer is needed."},
		{[]string{"run", "passages-by-date", "--start", "31 Feb 2025", "--end", "2025-13-01", "--set", "lcks=x"}, 3, "Did you mean locks?"},
		{[]string{"run", "passages-by-date", "--start", "2025-03-31", "--end", "2025-03-01"}, 3, "2025-03-01/2025-03-31"},
		{[]string{"run", "passages-by-date", "--set", "period=03/04/2025"}, 3, "Thu 3 Apr 2025 or as Tue 4 Mar 2025"},
		{[]string{"run", "passages-by-date", "--set", "period=2022"}, 3, "Sun 1 Jan 2023"},
		{[]string{"run", "jobs-dew"}, 3, "Did you mean jobs-due?"},
		{[]string{"run", "jobs-due", "--server", "http://127.0.0.1:1"}, 1, "No Pike Gate service answers"},
		{[]string{"serve", "--listen", "0.0.0.0:0"}, 2, "--tls-cert"},
		{[]string{"demo", "--listen", "nowhere"}, 2, "HOST:PORT"},
		{[]string{"serve", "--zone", "Mars/Olympus"}, 2, "IANA"},
		{[]string{"check", "missing.yaml"}, 2, "no such file"},
		{[]string{"completion", "bash"}, 0, ""},
	} {
		r := pikegate(t, c.args...)
		assert.Equal(t, c.code, r.code, "%v: %s", c.args, r.err)
		assert.Contains(t, r.err, c.says, "%v", c.args)
		if c.code != 0 {
			assert.Empty(t, r.out, "%v", c.args)
		}
	}
}

func TestPeriodCommand(t *testing.T) {
	r := pikegate(t, "period", "last month", "--as-of", "2026-04-02", "--zone", "Australia/Lord_Howe", "--format", "json")
	require.Equal(t, 0, r.code, r.err)
	assert.JSONEq(t, `{"expression": "last month", "from": "2026-03-01", "until": "2026-04-01", "from_instant": "2026-02-28T13:00:00Z",
		"until_instant": "2026-03-31T13:00:00Z", "days": 31, "canonical": "2026-03", "readback": "Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)"}`, r.out)
	r = pikegate(t, "period", "2026-03-01/..", "--zone", "UTC", "--format", "json")
	assert.JSONEq(t, `{"expression": "2026-03-01/..", "from": "2026-03-01", "until": null, "from_instant": "2026-03-01T00:00:00Z",
		"until_instant": null, "days": null, "canonical": "2026-03-01/..", "readback": "from Sun 1 Mar 2026, no end"}`, r.out)
	r = pikegate(t, "period", "æøå mnth", "--format", "json")
	assert.Equal(t, 3, r.code)
	assert.JSONEq(t, `{"errors": [{"code": "unknown_word", "message": "\"æøå\" is not a word of dates.", "hint": "Write a day as 2026-03-14, or words like last month.", "offset": 0, "length": 3}]}`, r.out)
	r = pikegate(t, "period", "today", "--as-of", "2026-13", "--format", "json")
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.out, `"code": "no_such_date"`)
	r = pikegate(t, "period", "last mnth")
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "    last mnth\n         ^^^^\n    Did you mean month?")
	r = pikegate(t, "period", "from 15 May", "--as-of", "2026-04-02")
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "Say which year is meant.\n    – from 2025-05-15\n    – from 2026-05-15\n")
	r = pikegate(t, "period", "15 May 24 to 1 April", "--as-of", "2026-04-02", "--missing-year", "latest", "--two-digit-years", "1970")
	done(t, r)
	assert.Contains(t, r.out, "canonical  2024-05-15/2026-04-01")
	r = pikegate(t, "period", "the past month", "--as-of", "2026-04-02")
	assert.Contains(t, r.err, "    – the last month\n    – the last 30 days\n")
}

// TestAuthor writes a query and a report, checks, pushes, publishes and runs
// them on a source of its own, as a report developer does.
func TestAuthor(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	good := filepath.Join(folder, "good.yaml")
	require.NoError(t, os.WriteFile(good, []byte(`
kind: query
name: levels
source: again
from: gauge_readings
parameters:
  - { name: period, kind: period, required: true }
columns: [read_at, gauge, { name: level, value: level_mm / 1000 }]
criteria: read_at within :period
sort: [read_at descending, gauge]
---
kind: report
name: gauge-levels
title: Gauge levels
query: levels
`), 0o600))
	bad := filepath.Join(folder, "bad.yaml")
	require.NoError(t, os.WriteFile(bad, []byte("kind: query\nname: b\nsource: again\nfrom: t\ncolums: [a]\ncriteria: a within :perod\n"), 0o600))

	r := pikegate(t, "check", bad)
	assert.Equal(t, 3, r.code)
	for _, says := range []string{bad + ":5: colums: There is no field \"colums\" here. [unknown_field]", "Did you mean columns?", "undeclared_parameter"} {
		assert.Contains(t, r.err, says)
	}
	r = pikegate(t, "check", good)
	assert.Equal(t, 0, r.code, r.err)
	assert.Equal(t, "query levels is valid\nreport gauge-levels is valid\n", r.out)

	r = pikegate(t, "push", good)
	assert.Equal(t, 3, r.code, "there is no such source yet")
	assert.Contains(t, r.err, "unknown_source")
	sources := pikegate(t, "source", "list")
	path := strings.Fields(sources.out[strings.Index(sources.out, "navigation"):])[2]
	r = pikegate(t, "source", "add", "again", "--engine", "sqlite", "--at", path)
	require.Equal(t, 0, r.code, r.err)
	r = pikegate(t, "push", good)
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "within needs a date; this is an integer")
	r = pikegate(t, "source", "set-encoding", "again", "gauge_readings.read_at", "unix-s")
	require.Equal(t, 0, r.code, r.err)
	r = pikegate(t, "push", good)
	require.Equal(t, 0, r.code, r.err)
	r = pikegate(t, "publish", "gauge-levels")
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "query levels is published as version 1\nreport gauge-levels is published as version 1")

	r = pikegate(t, "run", "gauge-levels", "--set", "period=2025-03-30", "--format", "csv")
	require.Equal(t, 0, r.code, r.err)
	rows, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
	require.NoError(t, err)
	want := 0
	for _, g := range records.Readings {
		if g.ReadAt.In(london()).Format("2006-01-02") == "2025-03-30" {
			want++
		}
	}
	assert.Len(t, rows[1:], want)

	r = pikegate(t, "source", "show", "again")
	assert.Regexp(t, `read_at +date-time +unix-s`, r.out)
	assert.Regexp(t, `passed_at +date-time +iso-instant`, r.out)
	r = pikegate(t, "reports")
	assert.Contains(t, r.out, "gauge-levels")
	r = pikegate(t, "ask", "passages-by-date", "--as-of", "2025-04-02")
	assert.Contains(t, r.out, "from 2023-01-01 to 2025-04-02")
	r = pikegate(t, "schema")
	assert.True(t, json.Valid([]byte(r.out)))
}

func TestExplainAndRuns(t *testing.T) {
	r := pikegate(t, "explain", "jobs-due", "--set", "period=first week of 2025")
	require.Equal(t, 0, r.code, r.err)
	for _, says := range []string{"period: first week of 2025", "Wed 1 Jan 2025 through Tue 7 Jan 2025 (7 days)", "by the calendar waterway (version 1)", `"due_on" >= ?1 and "maintenance_jobs"."due_on" < ?2`, "1 = 20250101", "2 = 20250108", "cost = cost_pence / 100"} {
		assert.Contains(t, r.out, says)
	}
	r = pikegate(t, "run", "jobs-due", "--set", "period=last month", "--as-of", "2025-04-02", "--format", "csv")
	require.Equal(t, 0, r.code, r.err)
	r = pikegate(t, "runs", "--report", "jobs-due", "--limit", "1")
	id := strings.Fields(r.out)[0]
	var record struct {
		Outcome, As_of, Zone, SQL, First, Last string
		Count                                  int
		Typed, Resolved                        map[string]any
		Values                                 []struct{ Value any }
	}
	r = pikegate(t, "runs", id)
	require.NoError(t, json.Unmarshal([]byte(r.out), &record))
	assert.Equal(t, "done", record.Outcome)
	assert.Equal(t, len(jobs("2025-03-01", "2025-03-31")), record.Count)
	assert.Equal(t, "last month", record.Typed["period"])
	assert.Equal(t, "2025-03", record.Resolved["period"])
	assert.Equal(t, "2025-04-01T23:00:00Z", record.As_of)
	assert.EqualValues(t, 20250401, record.Values[1].Value)
}

// TestStartedTwice: a second demonstration on the same folder is told why it
// cannot start; after a stop it starts on what is there.
func TestStartedTwice(t *testing.T) {
	t.Parallel()
	folder := filepath.Join(t.TempDir(), "made", "anew")
	first, stop, err := start("demo", "--data", folder)
	require.NoError(t, err)
	assert.Regexp(t, `^http://127\.0\.0\.1:\d+$`, first)
	_, _, err = start("demo", "--data", folder)
	require.ErrorContains(t, err, "another pikegate is using the folder")
	require.NoError(t, stop())
	_, stop, err = start("demo", "--data", folder)
	require.NoError(t, err)
	require.NoError(t, stop())
	_, stop, err = start("serve", "--data", t.TempDir())
	require.NoError(t, err)
	require.NoError(t, stop())
}
