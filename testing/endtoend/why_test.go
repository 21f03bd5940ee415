package endtoend

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	_ "github.com/mattn/go-sqlite3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/output"
	"pikegate/internal/wire"
	"pikegate/testing/browser"
)

// asked decodes what a command prints as JSON.
func asked[T any](t *testing.T, args ...string) (out T) {
	t.Helper()
	r := pikegate(t, append(args, "--format", "json")...)
	require.Equal(t, 0, r.code, r.err)
	require.NoError(t, json.Unmarshal([]byte(r.out), &out))
	return out
}

// TestWhyCounts: what why tells is what counting the conditions one by one
// tells, and the nearest dates are those of the records that meet the rest.
func TestWhyCounts(t *testing.T) {
	t.Parallel()
	db, err := sqlite.Open(engine.Address{Name: "navigation", At: filepath.Join(data, "navigation.db")})
	require.NoError(t, err)
	defer db.Close()
	for _, args := range [][]string{
		{"jobs-due", "--set", "period=2023-03-01/2023-03-07", "--set", "locks=Harrow Top"},
		{"jobs-due", "--set", "period=2023-03"},
		{"passages-by-date", "--set", "period=2023-03", "--set", "locks=Harrow Top", "--set", "region=Wold Cut"},
		{"passages-by-date", "--set", "period=2025-11", "--set", "locks=Cold Ferry", "--set", "locks=Sallow Gate"},
		{"invoices-issued", "--set", "period=2025-01-01", "--set", "owner=R. Aldous"},
		{"tolls-by-month", "--set", "period=2025-12", "--set", "at_least=25.50"},
		{"stays-overlapping", "--set", "period=2023-01-01", "--set", "mooring=Osier Pool"},
	} {
		why := asked[wire.Why](t, append([]string{"why"}, args...)...)
		e := asked[wire.Explanation](t, append([]string{"explain"}, args...)...)
		joined, _, _ := strings.Cut(e.SQL[strings.Index(e.SQL, "\nfrom"):], "\nwhere")
		var values []any
		for _, v := range e.Values {
			if number, ok := v.Value.(float64); ok {
				v.Value = int64(number)
			}
			values = append(values, v.Value)
		}
		count := func(conditions ...string) int64 {
			text := "select count(*)" + joined + " where ?" + fmt.Sprint(len(values)) + " is not null" // all are bound
			for _, c := range conditions {
				text += " and (" + c + ")"
			}
			rows, err := engine.Rows(t.Context(), db, text, values...)
			require.NoError(t, err, text)
			return rows[0][0].(int64)
		}
		var lines []string
		for _, line := range e.Conditions {
			if line.SQL != "" {
				lines = append(lines, line.SQL)
			}
		}
		require.Len(t, why.Conditions, len(lines))
		assert.Equal(t, count(), why.Joined, args)
		for i, c := range why.Conditions {
			assert.Equal(t, count(lines[i]), c.Alone, "%v: %s alone", args, c.Words)
			assert.Equal(t, count(lines[:i+1]...), c.Left, "%v: %s in turn", args, c.Words)
		}
		assert.Equal(t, count(lines...), why.Matches)
		first := ""
		for j := range lines {
			for i := range j {
				if first == "" && count(lines[i], lines[j]) == 0 && count(lines[i]) > 0 && count(lines[j]) > 0 {
					first = fmt.Sprint(i, j)
				}
			}
		}
		clash := ""
		if why.Clash != nil {
			clash = fmt.Sprint(why.Clash.First, why.Clash.Second)
		}
		assert.Equal(t, first, clash, args)
	}
}

// TestNothingFound goes from an empty result to records by the way out, on the
// command line.
func TestNothingFound(t *testing.T) {
	r := pikegate(t, "run", "jobs-due", "--set", "locks=Harrow Top", "--start", "2023-03-01", "--end", "7 Mar 2023", "--edges")
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.err, "nearest before  2023-02-23")
	assert.Contains(t, r.err, "nearest after   2023-03-28")
	assert.Contains(t, r.err, "first day       2023-03-01: no records")
	_, id, found := strings.Cut(strings.TrimSpace(strings.Split(r.err, "Around")[0]), "why ")
	require.True(t, found, r.err)
	r = pikegate(t, "why", id)
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "No record meets both: Due on from Wed 1 Mar through Tue 7 Mar 2023 (7 days); Lock Harrow Top.")
	assert.Contains(t, r.out, "The nearest that meet everything else are Thu 23 Feb 2023 and Tue 28 Mar 2023.")
	_, command, found := strings.Cut(r.out, "run jobs-due ")
	require.True(t, found, r.out)
	assert.Equal(t, "--set 'locks=Harrow Top' --set period=2023-02-23/2023-03-28\n", command)
	r = pikegate(t, "run", "jobs-due", "--set", "locks=Harrow Top", "--set", "period=2023-02-23/2023-03-28")
	assert.Contains(t, r.err, "2 records, first 2023-02-23, last 2023-03-28")
	r = pikegate(t, "why", id, "--set", "period=2025")
	assert.Equal(t, 2, r.code)
}

// TestEdges: the records around a period, from the generator's own.
func TestEdges(t *testing.T) {
	all := passages("2023-01-01", "2025-12-31", "Harrow Top")
	inside := passages("2025-03-30", "2025-03-31", "Harrow Top")
	r := pikegate(t, "run", "passages-by-date", "--set", "period=2025-03-30/2025-03-31", "--set", "locks=Harrow Top", "--edges", "--format", "json")
	require.Equal(t, 0, r.code, r.err)
	var got output.Summary
	require.NoError(t, json.Unmarshal([]byte(r.out), &got))
	before, after, firsts, lasts := "", "", int64(0), int64(0)
	for _, row := range all {
		switch day := row[0][:10]; {
		case day < "2025-03-30":
			before = row[0]
		case day > "2025-03-31" && after == "":
			after = row[0]
		}
	}
	for _, row := range inside {
		if strings.HasPrefix(row[0], "2025-03-30") {
			firsts++
		} else {
			lasts++
		}
	}
	require.NotNil(t, got.Edges)
	assert.Equal(t, []any{before, after}, []any{got.Edges.Before, got.Edges.After})
	assert.Equal(t, []any{"2025-03-30", firsts}, []any{got.Edges.FirstDay.Day, got.Edges.FirstDay.Count})
	assert.Equal(t, []any{"2025-03-31", lasts}, []any{got.Edges.LastDay.Day, got.Edges.LastDay.Count})
	r = pikegate(t, "run", "invoices-issued", "--start", "2025-12-31", "--edges")
	assert.Contains(t, r.err, "first day       2025-12-31")
	assert.NotContains(t, r.err, "nearest after", "that end is open")
}

// TestTotals: groups, subtotals and totals of a query that counts by month.
func TestTotals(t *testing.T) {
	r := pikegate(t, "run", "tolls-by-month", "--set", "period=2025-Q4", "--format", "json")
	require.Equal(t, 0, r.code, r.err)
	var got struct {
		Rows   []json.RawMessage
		Totals []struct{ Value json.Number }
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &got))
	sums, counts := map[string]int{}, map[string]int{}
	for _, p := range records.Passages {
		at := p.PassedAt.In(london())
		lock := records.Locks[p.LockID-1]
		day := iso(at)
		if day < "2025-10-01" || iso(lock.OpenedOn) > day || !lock.ClosedOn.IsZero() && iso(lock.ClosedOn) < day {
			continue
		}
		for _, key := range []string{day[:7] + lock.Region, day[:7], ""} {
			sums[key] += p.TollPence
			counts[key]++
		}
	}
	groups := 0
	for _, line := range got.Rows {
		var row []any
		if json.Unmarshal(line, &row) == nil {
			key := row[0].(string) + row[1].(string)
			assert.EqualValues(t, counts[key], row[2], key)
			assert.Contains(t, string(line), ","+pounds(sums[key])+",", key)
			continue
		}
		var closed struct {
			Group struct {
				Value  string
				Totals []struct{ Value json.Number }
			}
		}
		require.NoError(t, json.Unmarshal(line, &closed))
		groups++
		assert.Equal(t, fmt.Sprint(counts[closed.Group.Value]), closed.Group.Totals[0].Value.String())
		assert.Equal(t, pounds(sums[closed.Group.Value]), closed.Group.Totals[1].Value.String())
	}
	assert.Equal(t, 3, groups)
	assert.Equal(t, pounds(sums[""]), got.Totals[1].Value.String())
	r = pikegate(t, "run", "tolls-by-month", "--set", "period=2025-Q4")
	grouped := func(pence int) string {
		return fmt.Sprintf("%s.%02d", output.Thousands(int64(pence/100)), pence%100)
	}
	assert.Regexp(t, fmt.Sprintf(`\nMonth 2025-12 +%s +%s\n`, output.Thousands(int64(counts["2025-12"])), grouped(sums["2025-12"])), r.out)
	assert.Contains(t, r.out, "\nTotal: Sum of passages "+output.Thousands(int64(counts[""])))
}

func TestPlan(t *testing.T) {
	r := pikegate(t, "explain", "passages-by-date", "--set", "period=2025-03", "--plan")
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "looked up in the index passages_passed_at")
	assert.Contains(t, r.out, "SEARCH passages USING INDEX passages_passed_at")
	r = pikegate(t, "explain", "stays-overlapping", "--set", "period=2025-03", "--plan")
	assert.Contains(t, r.out, "no date criterion on one column")
}

// TestProved: what can never match is an error when it is checked, a run that
// cannot match sends no query, and warnings do not stop a publish.
func TestProved(t *testing.T) {
	file := filepath.Join(t.TempDir(), "q.yaml")
	write := func(criteria string) {
		require.NoError(t, os.WriteFile(file, []byte("kind: query\nname: proved\nsource: navigation\nfrom: passages\nparameters:\n"+
			"  - { name: period, kind: period, required: true }\ncolumns: [passed_at]\ncriteria: "+criteria+"\n---\nkind: report\nname: proved\nquery: proved\n"), 0o644))
	}
	write("passed_at within :period and toll_pence > 5 and toll_pence < 3")
	r := pikegate(t, "push", file)
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "toll_pence > 5 and toll_pence < 3 exclude each other. [never_true]")
	assert.Contains(t, r.err, "    passed_at within :period and toll_pence > 5 and toll_pence < 3\n                                                    ^^^^^^^^^^^^^^\n")
	write("year(passed_at) = 2024 and passed_at within :period and passed_at > :period.from")
	r = pikegate(t, "push", file)
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.err, ".yaml:8: query proved: criteria: The start itself is left out")
	r = pikegate(t, "publish", "proved")
	require.Equal(t, 0, r.code, r.err)
	r = pikegate(t, "run", "proved", "--set", "period=2025-03")
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.err, "No records.")
	assert.Contains(t, r.err, "No record can match: the year of Passed at is 2024 and Passed at from Sat 1 Mar through Mon 31 Mar 2025 (31 days) exclude each other.")
	e := asked[wire.Explanation](t, "explain", "proved", "--set", "period=2024")
	require.NotEmpty(t, e.Findings)
	assert.Equal(t, "redundant", e.Findings[0].Code)
}

func TestFormat(t *testing.T) {
	file := filepath.Join(t.TempDir(), "q.yaml")
	require.NoError(t, os.WriteFile(file, []byte("name: q # a name\nkind: query\nfrom: locks\nsource:   navigation\ncolumns: [name]\ncriteria: |\n   name  = 'A' AND not region != 'B'\n"), 0o644))
	r := pikegate(t, "format", "--check", file)
	assert.Equal(t, 3, r.code)
	r = pikegate(t, "format", file)
	require.Equal(t, 0, r.code, r.err)
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "kind: query\nname: q # a name\nsource: navigation\nfrom: locks\ncolumns: [name]\ncriteria: |\n  name = 'A'\n  and not region <> 'B'\n", string(content))
	r = pikegate(t, "format", "--check", file)
	assert.Equal(t, 0, r.code)
}

// TestConsoleNothingFound: an empty result in the console leads to records by
// its way out.
func TestConsoleNothingFound(t *testing.T) {
	p := browser.Open(t, address+"/#/reports/jobs-due", 1280, 800)
	p.Wait("document.querySelector('form [id$=-start]')")
	p.Type("#q-period-start", "2023-03-01")
	p.Type("#q-period-end", "2023-03-07")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('7 days')")
	p.Press("Run")
	p.Wait("document.querySelector('[data-outcome=done] [data-count]')?.textContent === '14'")
	assert.Contains(t, p.Text("[data-facts]"), "Nearest before")
	p.Click("[data-slot=period]")
	p.Wait("document.querySelector('#q-period-start')")
	p.Type("#q-period-start", "") // the choices are those of the period
	p.Type("#q-period-end", "")
	p.Click("[data-slot=locks]")
	box := "[...document.querySelectorAll('label')].find(l => l.textContent.includes('Harrow Top'))"
	p.Wait(box)
	p.Eval(box + ".click(); 1")
	p.Click("[data-slot=period]")
	p.Wait("document.querySelector('#q-period-start')")
	p.Type("#q-period-start", "2023-03-01")
	p.Type("#q-period-end", "2023-03-07")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('lock Harrow Top')")
	p.Press("Run")
	p.Wait("document.querySelector('[data-advice]')")
	assert.Contains(t, p.Text("[data-advice]"), "Thu 23 Feb 2023 and Tue 28 Mar 2023")
	p.Press("Run it from Thu 23 Feb through Tue 28 Mar 2023 (34 days)")
	p.Wait("document.querySelector('[data-outcome=done] [data-count]')?.textContent === '2'")
	p.Quiet()
}

// TestByHandTold: what lies around a period, why nothing was found and how many records each
// month has are told of SQL by hand as of the report in the structured form.
func TestByHandTold(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "by-hand.yaml")
	written := `kind: query
name: jobs-by-hand
source: navigation
sql: |
  select j.id, j.due_on, l.name as lock
  from maintenance_jobs j join locks l on l.id = j.lock_id
  where { j.due_on within :period } and { l.name in :locks }
parameters:
  - {name: period, kind: period}
  - {name: locks, kind: text, many: true}
columns: [id, {name: due_on, value: due_on, encoding: ymd}, lock]
sort: [due_on]
---
kind: report
name: jobs-by-hand
query: jobs-by-hand
---
kind: query
name: jobs-structured
source: navigation
from: maintenance_jobs
joins: [{table: locks, on: maintenance_jobs.lock_id = locks.id}]
parameters:
  - {name: period, kind: period}
  - {name: locks, kind: text, many: true}
columns: [maintenance_jobs.id, due_on, {name: lock, value: locks.name}]
criteria: due_on within :period and locks.name in :locks
sort: [due_on]
---
kind: report
name: jobs-structured
query: jobs-structured
`
	for said, told := range map[string]string{
		"":                     "due_on looks like dates: ymd fits the first 200 values. [looks_dated]",
		", encoding: iso-date": "iso-date does not fit due_on: of the first 200 values, 200 are no such dates. [encoding_does_not_fit]",
		", encoding: ymd":      "",
	} {
		require.NoError(t, os.WriteFile(file, []byte(strings.Replace(written, ", encoding: ymd", said, 1)), 0o600))
		r := pikegate(t, "check", file, "--run")
		if told == "" {
			assert.NotContains(t, r.err, "warning")
		} else {
			assert.Contains(t, r.err, told)
		}
	}
	require.NoError(t, os.WriteFile(file, []byte(written), 0o600))
	done(t, pikegate(t, "push", file))
	for _, name := range []string{"jobs-by-hand", "jobs-structured"} {
		done(t, pikegate(t, "publish", name))
		t.Cleanup(func() {
			done(t, pikegateIn(context.Background(), "remove", "report", name, "--anyway"))
			done(t, pikegateIn(context.Background(), "remove", "query", name, "--anyway"))
		})
	}
	for _, answers := range [][]string{
		{"--set", "locks=Harrow Top", "--set", "period=2023-03-01/2023-03-07"}, // nothing
		{"--set", "period=2025-03"},
		{"--set", "locks=Cold Ferry", "--set", "period=1990"}, // years before the first
	} {
		both := func(command string, more ...string) (byHand, structured result) {
			byHand = pikegate(t, slices.Concat([]string{command, "jobs-by-hand"}, answers, more)...)
			return byHand, pikegate(t, slices.Concat([]string{command, "jobs-structured"}, answers, more)...)
		}
		byHand, structured := both("run", "--edges")
		require.Equal(t, 0, byHand.code, byHand.err)
		around := func(r result) string { _, told, _ := strings.Cut(r.err, "Around"); return told }
		assert.Contains(t, around(byHand), "nearest after")
		assert.Equal(t, around(structured), around(byHand))
		assert.Equal(t, structured.out, byHand.out)

		byHand, structured = both("coverage", "--by", "month")
		require.Equal(t, 0, byHand.code, byHand.err)
		assert.Equal(t, structured.out, byHand.out)

		why := asked[wire.Why](t, slices.Concat([]string{"why", "jobs-by-hand"}, answers)...)
		want := asked[wire.Why](t, slices.Concat([]string{"why", "jobs-structured"}, answers)...)
		for i := range why.Conditions { // the words name the columns of each
			assert.Equal(t, []int64{want.Conditions[i].Alone, want.Conditions[i].Left}, []int64{why.Conditions[i].Alone, why.Conditions[i].Left}, answers)
		}
		assert.Equal(t, want.Matches, why.Matches)
		assert.Equal(t, want.Joined, why.Joined)
		assert.Equal(t, want.Nearest, why.Nearest)
		assert.Equal(t, want.WaysOut, why.WaysOut)
	}
}
