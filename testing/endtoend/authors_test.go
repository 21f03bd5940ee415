package endtoend

import (
	"context"
	"database/sql"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	_ "github.com/mattn/go-sqlite3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// visits is a database whose dates are not all dates, and whose instants are
// written in two ways.
func visits(t *testing.T) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "visits.db")
	change(t, path, `create table visits (id integer primary key, day text, at text);
		insert into visits values
		(1, '2025-01-20', '2025-01-20T08:00:00Z'), (2, '2025-01-21', '2025-01-21 09:00:00Z'), (3, '21.01.2025', '2025-01-21T10:00:00.5Z'),
		(4, 'n/a', '2025-01-22 11:00:00Z'), (5, '', '2025-01-23T12:00:00Z'), (6, null, null);
		with recursive n(i) as (select 7 union all select i + 1 from n where i < 60)
		insert into visits select i, date('2025-02-01', '+' || i || ' days'), strftime('%Y-%m-%dT%H:%M:%SZ', '2025-02-01', '+' || i || ' days') from n;
		create index visits_at on visits (at);`)
	return path
}

func change(t *testing.T, path, statements string) {
	t.Helper()
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(statements)
	require.NoError(t, err)
}

const visitQuery = `kind: query
name: visits
source: visits
from: visits
parameters:
  - {name: period, kind: period, required: true}
columns: [id, day, at]
criteria: CRITERION within :period
sort: [at, id]
---
kind: report
name: visits
query: visits
`

// connect adds the visits as a source with a published report, and takes both
// away afterwards.
func connect(t *testing.T, criterion string) (database, file string) {
	t.Helper()
	database = visits(t)
	done(t, pikegate(t, "source", "add", "visits", "--at", database, "--encoding", "visits.day=iso-date", "--anyway"))
	t.Cleanup(func() { // the test's own context has ended
		done(t, pikegateIn(context.Background(), "source", "remove", "visits", "--anyway"))
	})
	return database, keep(t, "visits", strings.Replace(visitQuery, "CRITERION", criterion, 1), "query visits", "report visits")
}

func done(t *testing.T, r result) {
	t.Helper()
	require.Zero(t, r.code, "%s", r.out+r.err)
}

// denied is a refusal that says a text.
func denied(t *testing.T, r result, says ...string) {
	t.Helper()
	assert.Equal(t, 3, r.code, "%s", r.out+r.err)
	for _, text := range says {
		assert.Contains(t, r.err, text)
	}
}

// TestUnfitDates: what is no date meets no condition; a run says how many
// records were left out for it, a command lists them, and a report that must be
// whole is refused.
func TestUnfitDates(t *testing.T) {
	_, file := connect(t, "day")
	r := pikegate(t, "run", "visits", "--set", "period=2025-01", "--format", "csv")
	done(t, r)
	assert.Equal(t, []string{"1", "2"}, firstCells(r.out))
	assert.Contains(t, r.err, "3 records were left out because their dates in visits.day cannot be read.\nTo see them: pikegate source show visits visits --unfit day")
	r = pikegate(t, "source", "show", "visits", "visits", "--unfit", "day", "--format", "json")
	done(t, r)
	var listed struct{ Rows [][]any }
	require.NoError(t, json.Unmarshal([]byte(r.out), &listed))
	require.Len(t, listed.Rows, 3)
	assert.Equal(t, []any{3., "21.01.2025", "2025-01-21T10:00:00.5+00:00"}, listed.Rows[0])
	assert.Contains(t, pikegate(t, "coverage", "visits", "--by", "month").err, "60 records, 1 of them without a date, 3 with a date that cannot be read")

	p := browser.Open(t, address+"/#/reports/visits?period=2025-01", 1280, 800)
	p.Wait("/Left out\\s*3/.test(document.querySelector('[data-facts]')?.textContent)")
	p.Quiet()

	content, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, append(content, "unfit: refuse\n"...), 0o600))
	done(t, pikegate(t, "push", file))
	done(t, pikegate(t, "publish", "visits"))
	denied(t, pikegate(t, "run", "visits", "--set", "period=2025-01"), "[unfit_records]", "--unfit day")
}

// firstCells are those of a CSV file's records.
func firstCells(csv string) []string {
	cells := []string{}
	for _, line := range strings.Split(strings.TrimSpace(csv), "\n")[1:] {
		cell, _, _ := strings.Cut(line, ",")
		cells = append(cells, cell)
	}
	return cells
}

// TestTwoSeparators: instants written with T and with a blank are found and
// sorted as one; when all are rewritten in a third way, a run does not go by
// what was known before.
func TestTwoSeparators(t *testing.T) {
	database, _ := connect(t, "at")
	run := func() result {
		return pikegate(t, "run", "visits", "--set", "period=2025-01-20T00:00/2025-01-23T23:59", "--format", "csv")
	}
	r := run()
	done(t, r)
	assert.Equal(t, []string{"1", "2", "3", "4", "5"}, firstCells(r.out))
	change(t, database, "update visits set at = replace(replace(at, 'T', ' '), 'Z', '+00:00')")
	if r = run(); r.code != 0 { // it was told, and is looked at anew
		assert.Contains(t, r.err, "dates_rewritten")
		r = run()
	}
	done(t, r)
	assert.Equal(t, []string{"1", "2", "3", "4", "5"}, firstCells(r.out))
}

// TestSourceLife: a source is not replaced by adding it, nor removed while it is
// used; encodings that do not fit need to be insisted on; they travel as a
// document.
func TestSourceLife(t *testing.T) {
	database, _ := connect(t, "day")
	denied(t, pikegate(t, "source", "add", "visits", "--at", database), "[source_exists]", "source change")
	denied(t, pikegate(t, "source", "remove", "visits"), "[in_use]", "the query visits", "the report visits")
	denied(t, pikegate(t, "source", "set-encoding", "visits", "visits.day", "ymd"), "[encoding_does_not_fit]", "--anyway", "visits")
	moved := filepath.Join(t.TempDir(), "moved.db")
	content, err := os.ReadFile(database)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(moved, content, 0o600))
	done(t, pikegate(t, "source", "change", "visits", "--at", moved))
	assert.Contains(t, pikegate(t, "source", "list", "--format", "json").out, moved)
	for _, name := range []string{"visits", "visits.day"} {
		assert.Regexp(t, `query +visits +draft and published`, pikegate(t, "uses", name).out, name)
	}

	folder := t.TempDir()
	done(t, pikegate(t, "pull", "visits", "--into", folder))
	document := filepath.Join(folder, "source", "visits.yaml")
	kept, err := os.ReadFile(document)
	require.NoError(t, err)
	assert.Equal(t, "kind: source\nname: visits\nencodings:\n  visits.day: iso-date\n", string(kept))
	r := pikegate(t, "push", document, filepath.Join(folder, "query", "visits.yaml"))
	done(t, r)
	assert.Contains(t, r.out, "query visits is unchanged")
}

// TestTwoAuthors: the second of two authors is told what the first one changed, and keeps
// both changes where they do not touch.
func TestTwoAuthors(t *testing.T) {
	connect(t, "day")
	folders := []string{t.TempDir(), t.TempDir()}
	edit := func(folder, from, to string, options ...string) result {
		path := filepath.Join(folder, "query", "visits.yaml")
		content, err := os.ReadFile(path)
		require.NoError(t, err)
		require.Contains(t, string(content), from)
		require.NoError(t, os.WriteFile(path, []byte(strings.Replace(string(content), from, to, 1)), 0o600))
		return pikegate(t, append([]string{"push", path}, options...)...)
	}
	for _, folder := range folders {
		done(t, pikegate(t, "pull", "visits", "--into", folder))
	}
	done(t, edit(folders[0], "[id, day, at]", "[id, day]"))
	denied(t, edit(folders[1], "[at, id]", "[day, id]"), "[draft_changed]", "Their change: The column “at” is gone.", "Yours: The order “day” is new.")
	done(t, edit(folders[0], "name: visits", "name: visits\ntitle: Visits"))
	r := pikegate(t, "drafts")
	done(t, r)
	assert.Contains(t, r.out, "visits")

	r = edit(folders[1], "[day, id]", "[day, id] # theirs", "--merge")
	done(t, r)
	assert.Contains(t, r.out, "query visits\n  It has the change that somebody else made meanwhile as well.\n  The order “day” is new.\n  The order “at” is gone.\n")
	content, err := os.ReadFile(filepath.Join(folders[1], "query", "visits.yaml"))
	require.NoError(t, err)
	assert.Equal(t, string(content), pikegate(t, "versions", "query", "visits", "--show", "0").out)
	assert.Contains(t, string(content), "name: visits\ntitle: Visits\n")
	assert.Contains(t, string(content), "columns: [id, day]\n")
	assert.Contains(t, string(content), "sort: [day, id] # theirs\n")
	done(t, edit(folders[1], "title: Visits", "title: All visits"))
	denied(t, edit(folders[0], "title: Visits", "title: The visits", "--merge"), "[both_changed]", "Both changed title.")

	// It is only told, or told before it is kept.
	r = edit(folders[1], "title: All visits", "title: Every visit", "--preview")
	done(t, r)
	assert.Equal(t, "query visits\n  The title was “All visits” and is now “Every visit”.\n", r.out)
	assert.Contains(t, pikegate(t, "versions", "query", "visits", "--show", "0").out, "title: All visits")
}

// TestFilesKeepTheirLines: of several files that are checked or pushed together,
// each problem names its own file and the line in it.
func TestFilesKeepTheirLines(t *testing.T) {
	folder := t.TempDir()
	var files []string
	for _, name := range []string{"first", "second"} {
		path := filepath.Join(folder, name+".yaml")
		files = append(files, path)
		text := "kind: query\nname: " + name + "\nsource: navigation\nfrom: passages\ncolumns:\n  - id\n  - tol_pence\nsort: [id]\n"
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	}
	for _, command := range [][]string{{"check", "--run"}, {"push"}} {
		r := pikegate(t, append(command, files...)...)
		denied(t, r, files[0]+":7: query first", files[1]+":7: query second", "Did you mean toll_pence?")
	}
}

// TestMachineReadable: every command that prints things prints them as JSON too.
func TestMachineReadable(t *testing.T) {
	for _, command := range []string{
		"reports", "ask passages-by-date", "explain passages-by-date --set period=2025-03", "why passages-by-date --set period=2025-03",
		"coverage passages-by-date", "runs", "drafts", "uses navigation", "versions lock-passages", "source list", "source show navigation",
		"source show navigation passages", "source check navigation", "review lock-passages", "check --published", "period 2025-03",
	} {
		r := pikegate(t, append(strings.Fields(command), "--format", "json")...)
		assert.Zero(t, r.code, "%s: %s", command, r.err)
		assert.True(t, json.Valid([]byte(r.out)), "%s: %s", command, r.out)
	}
}

// TestCompletion: the shell offers reports, questions, choices and formats.
func TestCompletion(t *testing.T) {
	for typed, offered := range map[string]string{
		"run ": "passages-by-date\tLock passages between two dates", "run passages-by-date --set ": "region=\tRegion",
		"run passages-by-date --set region=": "region=Wold Cut", "run passages-by-date --format ": "csv", "publish ": "lock-passages\tquery",
	} {
		r := pikegate(t, append([]string{"__complete"}, strings.Split(typed, " ")...)...)
		assert.Contains(t, strings.Split(r.out, "\n"), offered, typed)
	}
}

// TestWaysOut: refusals of other kinds say the way out, too.
func TestWaysOut(t *testing.T) {
	r := pikegate(t, "run", "jobs-due", "--set", "period=2025-01", "--out", filepath.Join(t.TempDir(), "jobs.docx"))
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.err, ".docx is not a format")
	r = pikegate(t, "serve", "--listen", strings.TrimPrefix(address, "http://"), "--data", t.TempDir())
	assert.Equal(t, 1, r.code)
	assert.Contains(t, r.err, "--listen (or PIKEGATE_LISTEN)")
	denied(t, pikegate(t, "run", "no-such"), "[not_found]")
	denied(t, pikegate(t, "run", "jobs-due", "--set", "period=2025-02-30"), "[no_such_date]")
	request, err := http.NewRequestWithContext(t.Context(), http.MethodPut, address+"/api/v1/reports", nil)
	require.NoError(t, err)
	answer, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer answer.Body.Close()
	assert.Equal(t, http.StatusMethodNotAllowed, answer.StatusCode)
	assert.Equal(t, "GET", answer.Header.Get("Allow"))
}

// TestNone: an answer that has a default can be none, in a command and on the page.
func TestNone(t *testing.T) {
	_, file := connect(t, "day")
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	text := strings.Replace(string(content), "required: true}", "default: 2025-02}\n  - {name: least, kind: integer, default: 50}", 1)
	text = strings.Replace(text, ":period\n", ":period and id >= :least\n", 1)
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	done(t, pikegate(t, "push", file))
	done(t, pikegate(t, "publish", "visits"))
	count := func(set ...string) int {
		r := pikegate(t, append([]string{"run", "visits", "--format", "csv"}, set...)...)
		done(t, r)
		return len(firstCells(r.out + "\n"))
	}
	march := []string{"--set", "period=2025-03"}
	usual, all := count(march...), count(append(march, "--set", "least=")...)
	assert.Less(t, usual, all)
	assert.Greater(t, count("--set", "period=", "--set", "least="), all)

	// On the page a button answers nothing, and so does a field that is cleared;
	// the default comes back when it is asked for.
	p := browser.Open(t, address+"/#/reports/visits?period=2025-03", 1280, 800)
	says := func(text string) {
		t.Helper()
		p.Wait("document.querySelector('form')?.textContent.includes(" + strconv.Quote(text) + ")")
	}
	p.Wait("document.querySelector('[data-slot=least]')")
	p.Click("[data-slot=least]")
	says("id is at least 50")
	p.Press("Answer nothing instead")
	says("Use 50")
	p.Wait("!document.querySelector('form').textContent.includes('id is at least')")
	p.Press("Use 50")
	says("id is at least 50")
	p.Type("section[aria-labelledby=label-least] input", "7")
	says("id is at least 7")
	p.Keys("\b")
	says("Use 50")
	p.Wait("!document.querySelector('form').textContent.includes('id is at least')")
	p.Quiet()
}

// TestViewPlan: of a view, the tables it is made of are told, with the indexes
// that are searched.
func TestViewPlan(t *testing.T) {
	database, file := connect(t, "day")
	change(t, database, "create view seen as select id, at as moment from visits")
	text := "kind: query\nname: visits\nsource: visits\nfrom: seen\nparameters:\n  - {name: period, kind: period, required: true}\ncolumns: [id, moment]\ncriteria: moment within :period\nsort: [moment]\n"
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	done(t, pikegate(t, "source", "set-encoding", "visits", "seen.moment", "iso-instant"))
	done(t, pikegate(t, "push", file))
	r := pikegate(t, "explain", "visits", "--draft", "--set", "period=2025-01-20", "--plan")
	done(t, r)
	assert.Contains(t, r.out, "seen is a view, and has no index of its own.")
	assert.Contains(t, r.out, "visits")
}

// TestDraftOfTwo: who saves a draft that somebody else has changed since is told
// both changes on the page, keeps what was typed, and may put it in its place.
func TestDraftOfTwo(t *testing.T) {
	_, file := connect(t, "day")
	p := browser.Open(t, address+"/#/drafts/query/visits", 1280, 800)
	p.Wait("document.querySelector('[data-findings=\"0\"]') && document.querySelector('#f-title')")
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(content), "[id, day, at]", "[id, day]", 1)), 0o600))
	done(t, pikegate(t, "push", file))
	field(p, "#f-title", "Visits of the day")
	p.Wait("document.querySelector('[data-standing=changed]')")
	p.Press("Save")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('Their change: The column “at” is gone.')")
	assert.Contains(t, p.Text("[role=alert]"), "Visits of the day")
	assert.Contains(t, drafted(p), "title: Visits of the day")
	p.Eval("[...document.querySelectorAll('button')].find(b => b.textContent.includes('in the place of theirs')).click(); 1")
	p.Wait("document.querySelector('[data-standing=saved]')")
	assert.Contains(t, pikegate(t, "versions", "query", "visits", "--differences", "1..0").out, "Visits of the day")
}

// TestUnfitOnThePage: a table's page lists the records whose date is none, and
// asks again before it takes an encoding that does not fit.
func TestUnfitOnThePage(t *testing.T) {
	connect(t, "day")
	p := browser.Open(t, address+"/#/sources/visits/visits", 1280, 800)
	p.Wait("document.querySelector('[data-columns]')?.textContent.includes('3 do not fit')")
	p.Press("Show them")
	p.Wait("document.querySelector('[data-unfit]')?.textContent.includes('21.01.2025')")
	assert.Contains(t, p.Text("[data-unfit]"), "n/a")
	p.Choose("[data-columns] tbody tr:nth-child(2) select", "ymd")
	p.Wait("document.querySelector('[data-readings=ymd]')?.textContent.includes('no date')")
	assert.NotContains(t, p.Text("[data-readings]"), "2025-01-20 2025-01-20")
	accessible(t, p, "values of a column")
	p.Press("Read day as ymd")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('ymd does not fit visits.day')")
	p.Press("Set day to ymd anyway")
	p.Wait("document.querySelector('[data-columns] tbody tr:nth-child(2) select')?.value === 'ymd' && !document.querySelector('[role=alert]')")
	p.Choose("[data-columns] tbody tr:nth-child(2) select", "iso-date")
	p.Wait("document.querySelector('[data-readings=iso-date]')?.textContent.includes('2025-02')")
	assert.Contains(t, p.Text("[data-readings]"), "2025-01-202025-01-201")
	assert.Contains(t, p.Text("[data-readings]"), "21.01.2025▲ no date1")
	p.Press("Read day as iso-date")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('iso-date does not fit')")
	p.Press("Set day to iso-date anyway")
	p.Wait("document.querySelector('[data-columns]')?.textContent.includes('3 do not fit') && !document.querySelector('[role=alert]')")
	p.Press("Ten values")
	p.Wait("document.querySelector('[data-readings=iso-date]')")
	p.Quiet()
}

// TestColumnsChange: where a column is gone or is of another type, each definition that uses
// it is listed, with the nearest column as a way out.
func TestColumnsChange(t *testing.T) {
	t.Parallel()
	database, file := connect(t, "at")
	done(t, pikegate(t, "source", "check", "visits"))
	change(t, database, "alter table visits rename column at to at_time; create table kept as select id, day from visits; drop table visits; create table visits (id integer primary key, day integer, at_time text); insert into visits select id, id, '2025-01-20T08:00:00Z' from kept; drop table kept")
	r := pikegate(t, "source", "check", "visits")
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.out, "query visits does not fit (version ")
	assert.Contains(t, r.err, "columns[2]: There is no column at.")
	assert.Contains(t, r.err, "There are id, day, at_time.")

	// Where the draft is mended, only what is published is listed.
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	mended := strings.NewReplacer("[id, day, at]", "[id, day, at_time]", "[at, id]", "[at_time, id]", "at within", "at_time within").Replace(string(content))
	require.NoError(t, os.WriteFile(file, []byte(mended), 0o600))
	done(t, pikegate(t, "push", file))
	r = pikegate(t, "source", "check", "visits", "--format", "json")
	assert.Equal(t, 3, r.code)
	var found struct {
		Unfit []struct {
			Kind, Name string
			Draft      bool
			Version    int
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &found))
	require.Len(t, found.Unfit, 1)
	assert.False(t, found.Unfit[0].Draft)
	assert.NotZero(t, found.Unfit[0].Version)
	p := browser.Open(t, address+"/#/sources/visits", 1280, 800)
	p.Wait("document.querySelector('[data-unfit-definitions=\"1\"]')?.textContent.includes('There are id, day, at_time.')")
	accessible(t, p, "definitions that do not fit")
	done(t, pikegate(t, "publish", "visits"))
	done(t, pikegate(t, "source", "check", "visits"))
}
