package schedules

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/parameter"
	"pikegate/internal/output"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// each is a schedule that goes through the owners.
func each(name, rest string) string {
	return strings.Replace(schedule(name, rest), "all-invoices", "invoices", 1)
}

// states are those of the parts of an occurrence, by their labels.
func (o *office) states(of store.Occurrence) map[string]string {
	o.Helper()
	parts, err := o.store.Parts(context.Background(), of.ID)
	require.NoError(o, err)
	out := map[string]string{}
	for _, p := range parts {
		out[p.Label] = p.State
	}
	return out
}

// TestEach: one run and one delivery for each value that occurs, blank among them, and addresses
// looked up for each.
func TestEach(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	require.NoError(t, o.publish(ada, each("s", "each: {question: owner}\ndeliver:\n  - folder: {file: 'out/{period.from}/{owner}.csv', provenance: true}\n")))
	o.on("2026-03-29 06:00")
	assert.Equal(t, store.Delivered, o.last("s").State)
	assert.Equal(t, map[string]string{"Aldous": "ran", "Osier": "ran", "Wold": "ran", "": "ran"}, o.states(o.last("s")))
	for _, name := range []string{"Aldous", "Osier", "Wold", "blank"} {
		content, err := os.ReadFile(filepath.Join(o.folder, "out", "2026-03-28", name+".csv"))
		require.NoError(t, err)
		lines := strings.Split(strings.TrimSpace(string(content)), "\r\n")
		require.Greater(t, len(lines), 1, name)
		for _, line := range lines[1:] {
			assert.Contains(t, line, "2026-03-28", name)
			assert.Equal(t, name != "blank", strings.Contains(line, ","+name+","), line)
		}
		written, err := os.ReadFile(filepath.Join(o.folder, "out", "2026-03-28", name+".csv.provenance.json"))
		require.NoError(t, err)
		var told wire.Provenance
		require.NoError(t, json.Unmarshal(written, &told))
		assert.Equal(t, sumOf(content), told.SHA256)
		assert.Equal(t, "2026-03-28", told.Resolved["period"])
		assert.Equal(t, int64(len(lines)-1), told.Count)
		// The service says the same to who may see the run, and less to others.
		found, err := o.VerifyFile(t.Context(), ada, told.SHA256)
		require.NoError(t, err)
		require.Len(t, found, 1)
		assert.Equal(t, told.ReadBack, found[0].ReadBack)
		assert.Equal(t, "yesterday", found[0].Typed["period"].Texts[0])
		found, err = o.VerifyFile(t.Context(), o.as("rob"), told.SHA256)
		require.NoError(t, err)
		require.Len(t, found, 1)
		assert.Empty(t, found[0].ReadBack+found[0].Report+found[0].Target)
		found, err = o.VerifyFile(t.Context(), ada, sumOf(append(content, 'x')))
		require.NoError(t, err)
		assert.Empty(t, found)
	}

	require.NoError(t, o.publish(ada, each("same", "each: {question: owner}\ndeliver: [{folder: {file: 'out/same-{due}.csv'}}]\n")))
	o.on("2026-03-30 06:00")
	assert.Equal(t, store.Failed, o.last("same").State)
	assert.Contains(t, o.last("same").Problem, "would have the same file, out/same-2026-03-30.csv. Put {owner} into its name.")
	assert.NoFileExists(t, filepath.Join(o.folder, "out", "same-2026-03-30.csv"), "nothing is written")
}

// TestOnly: what a condition on the totals keeps back is not sent.
func TestOnly(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	for name, only := range map[string]string{"many": "count >= 100", "some": "count >= 1 and sum of amount > 1000", "none": "sum of amount is blank"} {
		require.NoError(t, o.publish(ada, schedule(name, "only: "+only+"\ndeliver: [{mail: {to: "+name+"@navigation.example}}]\n")))
	}
	o.on("2026-03-29 06:00")
	for name, state := range map[string]string{"many": store.NothingToSend, "some": store.Delivered, "none": store.NothingToSend} {
		assert.Equal(t, state, o.last(name).State, name)
		assert.Len(t, o.mailed(name+"@navigation.example"), map[bool]int{true: 1, false: 0}[state == store.Delivered], name)
	}
	parts, err := o.store.Parts(t.Context(), o.last("many").ID)
	require.NoError(t, err)
	assert.Equal(t, "The condition count >= 100 does not hold.", parts[0].Problem)
	// No records: they are sent all the same, with the reason.
	require.NoError(t, o.publish(ada, strings.Replace(schedule("empty", "deliver: [{mail: {to: empty@navigation.example, format: csv}}]\n"), "yesterday", "2019", 1)))
	o.on("2026-03-30 06:00")
	got := o.mailed("empty@navigation.example")
	require.Len(t, got, 1)
	assert.Contains(t, got[0].Text, "No records.")
	assert.Contains(t, got[0].Text, "Nothing matches all of these criteria. The nearest after it is of 2026-03-01.")
}

// TestLookedUp: addresses are looked up in the table that the values are chosen from.
func TestLookedUp(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	o.push(ada, strings.NewReplacer("choices: {column: invoices.owner}, when_blank: match_blank", "choices: {column: owners.name}", "from: invoices\n", "from: invoices\njoins: [{table: owners, on: invoices.owner = owners.name}]\n", "name: invoices\n", "name: by-owner\n", "query: invoices\n", "query: by-owner\n", "owner = :owner", "owners.name = :owner").Replace(strings.Join(strings.Split(report, "---\n")[:2], "---\n")))
	_, err := o.Publish(t.Context(), ada, "by-owner")
	require.NoError(t, err)
	document := strings.Replace(each("s", "each: {question: owner}\ndeliver:\n  - mail: {to: {by: owner, from: owners.email}, subject: 'Dues of {owner}, {period}', format: csv, file: 'dues-{owner}'}\n"), "report: invoices", "report: by-owner", 1)
	require.NoError(t, o.publish(ada, document))
	o.on("2026-03-29 06:00")
	require.Equal(t, store.Delivered, o.last("s").State, o.last("s").Problem)
	for _, name := range []string{"Aldous", "Osier", "Wold"} {
		got := o.mailed(strings.ToLower(name) + "@navigation.example")
		require.Len(t, got, 1, name)
		assert.Equal(t, "Dues of "+name+", 2026-03-28", got[0].Subject)
		assert.Equal(t, "dues-"+name+".csv", got[0].Files[0].Name)
		assert.Contains(t, string(got[0].Files[0].Content), ","+name+",")
	}
	require.NoError(t, o.publish(ada, strings.NewReplacer("owners.email", "invoices.owner", "name: s\n", "name: wrong\n").Replace(document)))
	o.on("2026-03-30 06:00")
	assert.Contains(t, o.last("wrong").Problem, "the table that the values of owner are chosen from")
}

// TestAgain: a schedule is run now, and again for a time that has passed; the answers are read as of
// that time.
func TestAgain(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	require.NoError(t, o.publish(ada, schedule("s", "deliver: [{folder: {file: 'out/{period}-{due}.csv'}}]\n")))
	o.on("2026-03-29 06:00")
	due := time.Date(2026, 3, 29, 6, 0, 0, 0, time.UTC)
	first := o.last("s")
	o.on("2026-03-29 12:00")
	summary, err := o.RunSchedule(t.Context(), ada, "s", due)
	require.NoError(t, err)
	assert.Equal(t, 1, summary.Repeat)
	o.on("2026-03-29 12:01")
	again := o.last("s")
	assert.Equal(t, store.Delivered, again.State)
	assert.Equal(t, first.AsOf, again.AsOf, "its dates are read as of the time it was due")
	assert.FileExists(t, filepath.Join(o.folder, "out", "2026-03-28-2026-03-29.csv"))
	_, err = o.RunSchedule(t.Context(), ada, "s", due.Add(time.Minute))
	assert.ErrorContains(t, err, "not due then")
	_, err = o.RunSchedule(t.Context(), ada, "s", due.AddDate(0, 0, -3).Add(time.Hour))
	require.NoError(t, err, "a time before it was made, at which it would have been due")
	list, err := o.Schedule(t.Context(), ada, "s")
	require.NoError(t, err)
	assert.Len(t, list.Occurrences, 3)
	require.Len(t, list.Times, 5)
	assert.Equal(t, "2026-03-30T07:00:00+01:00", list.Times[0].At)
	assert.Equal(t, "2026-03-29", list.Times[0].Answers[0].From, "what yesterday means then")
}

// TestEdited: an edit takes effect for the times after it; what was due before is run as it was.
func TestEdited(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	require.NoError(t, o.publish(ada, schedule("s", "deliver: [{folder: {file: 'out/before-{due}.csv'}}]\n")))
	limits := o.Keeper().Limits
	o.Keeper().Limits.Workers = 0
	o.on("2026-03-29 06:00") // it waits for its turn
	require.NoError(t, o.publish(ada, schedule("s", "deliver: [{folder: {file: 'out/after-{due}.csv'}}]\n")))
	o.Keeper().Limits = limits
	o.on("2026-03-30 06:00")
	for _, name := range []string{"before-2026-03-29.csv", "after-2026-03-30.csv"} {
		assert.FileExists(t, filepath.Join(o.folder, "out", name))
	}
	assert.NoFileExists(t, filepath.Join(o.folder, "out", "after-2026-03-29.csv"))
}

// TestOthersFile: a schedule writes over its own file, and not over one of another.
func TestOthersFile(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	require.NoError(t, o.publish(ada, schedule("mine", "deliver: [{folder: {file: 'out/{schedule}.csv'}}, {folder: {file: 'out/other.csv'}}]\n")))
	o.on("2026-03-29 06:00")
	o.on("2026-03-30 06:00")
	require.Equal(t, store.Delivered, o.last("mine").State, o.last("mine").Problem)
	require.NoError(t, o.publish(ada, schedule("theirs", "deliver: [{folder: {file: 'out/theirs.csv'}}, {folder: {file: 'out/mine.csv'}}]\n")))
	o.on("2026-03-31 06:00")
	assert.Equal(t, store.Delivered, o.last("mine").State, o.last("mine").Problem)
	assert.Equal(t, store.Failed, o.last("theirs").State)
	assert.Equal(t, "The schedule mine delivered the file out/mine.csv, which is not written over.", o.last("theirs").Problem)
}

// TestMissed: what was due while the service was down.
func TestMissed(t *testing.T) {
	for missed, want := range map[string]map[string]int{
		"once": {store.Delivered: 1, store.Missed: 2}, "each": {store.Delivered: 3}, "skip": {store.Missed: 3},
	} {
		o := open(t)
		require.NoError(t, o.publish(o.as("ada"), schedule("s", "missed: "+missed+"\ndeliver: [{folder: {file: 'out/{due}.csv'}}]\n")))
		o.on("2026-03-31 12:00")
		list, err := o.store.Occurrences(t.Context(), "s", 0, 100)
		require.NoError(t, err)
		got := map[string]int{}
		for _, x := range list {
			got[x.State]++
		}
		assert.Equal(t, want, got, missed)
		o.on("2026-04-01 06:00")
		assert.Equal(t, store.Delivered, o.last("s").State, missed)
	}
}

// TestPaused: what is due while a schedule is paused is skipped.
func TestPaused(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	require.NoError(t, o.publish(ada, schedule("s", "deliver: [{folder: {file: 'out/{due}.csv'}}]\n")))
	_, err := o.PauseSchedule(t.Context(), ada, "s", "the lock is dry")
	require.NoError(t, err)
	o.on("2026-03-31 12:00")
	_, err = o.ResumeSchedule(t.Context(), ada, "s")
	require.NoError(t, err)
	o.on("2026-04-01 06:00")
	list, err := o.store.Occurrences(t.Context(), "s", 0, 100)
	require.NoError(t, err)
	var states []string
	for _, x := range list {
		states = append(states, x.State)
	}
	assert.Equal(t, []string{store.Delivered, store.Skipped, store.Skipped, store.Skipped}, states)
}

// TestUnfit: where the answers do not fit the report any more, the schedule is paused and its owner
// told.
func TestUnfit(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	require.NoError(t, o.publish(ada, schedule("s", "deliver: [{folder: {file: 'out/{due}.csv'}}]\n")))
	o.push(ada, strings.NewReplacer("name: period", "name: days", ":period", ":days").Replace(strings.Join(strings.Split(report, "---\n")[2:], "---\n")))
	_, err := o.Publish(t.Context(), ada, "all-invoices")
	require.NoError(t, err)
	o.on("2026-03-29 06:00")
	assert.Equal(t, store.Failed, o.last("s").State)
	k, err := o.store.Schedule(t.Context(), "s")
	require.NoError(t, err)
	assert.Contains(t, k.Paused, "period")
	assert.Contains(t, strings.Join(o.told("ada"), "\n"), "It is paused.")
	for text, says := range map[string]string{
		strings.Replace(schedule("t", "deliver: [{folder: {file: 'out/t.csv'}}]\n"), "period", "dys", 1):                                 "no question dys",
		strings.Replace(schedule("t", "deliver: [{folder: {file: 'out/t.csv'}}]\n"), "period: yesterday", "days: the day before now", 1): "days",
	} {
		_, err = o.Push(t.Context(), ada, text, wire.Keeping{})
		if err == nil {
			_, err = o.Publish(t.Context(), ada, "t")
		}
		assert.ErrorContains(t, err, says)
	}
}

// rows runs a report and gives its rows.
func (o *office) rows(report string, inputs parameter.Inputs) [][]any {
	o.Helper()
	var buffer strings.Builder
	_, err := o.Service.Run(context.Background(), o.as("ada"), service.Request{Report: report, Inputs: inputs}, output.JSON, func(wire.RunRecord, output.Format) output.Writer {
		return output.JSON.New(&buffer)
	})
	require.NoError(o, err)
	var result struct {
		Rows [][]any `json:"rows"`
	}
	require.NoError(o, json.Unmarshal([]byte(buffer.String()), &result))
	return result.Rows
}

// kept is a query and a report on a kept table.
func kept(table, columns string) string {
	return strings.NewReplacer("TABLE", table, "NAME", "of-"+strings.ReplaceAll(table, "_", "-"), "COLUMNS", columns).Replace(`kind: query
name: NAME
source: kept
from: TABLE
parameters:
  - {name: as_of, kind: period}
columns: [COLUMNS]
criteria: kept_as_of within :as_of
sort: [kept_as_of, COLUMNS]
---
kind: report
name: NAME
query: NAME
`)
}

// TestKept: results that are kept are the records of a source: the last of them or all, as they were
// known then; a repeat takes the place of what it repeats, and they go when their time is over.
func TestKept(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	_, err := o.AddSource(t.Context(), ada, wire.SourceInfo{Name: "kept", Engine: "sqlite", Address: filepath.Join(o.folder, "dues.db")}, false)
	assert.ErrorContains(t, err, "which schedules keep", "the name is taken")
	require.NoError(t, o.publish(ada, schedule("all", "deliver: [{keep: {as: all_days, how: append, for: 3 days}}]\n")))
	require.NoError(t, o.publish(ada, schedule("last", "deliver: [{keep: {as: last_day}}]\n")))
	assert.ErrorContains(t, o.publish(ada, schedule("taken", "deliver: [{keep: {as: last_day}}]\n")), "last_day")
	o.on("2026-03-29 06:00")
	o.on("2026-03-30 06:00")
	require.Equal(t, store.Delivered, o.last("all").State, o.last("all").Problem)
	for _, table := range []string{"all_days", "last_day"} {
		o.push(ada, kept(table, "id, issued_on, amount, kept_from"))
		_, err := o.Publish(t.Context(), ada, "of-"+strings.ReplaceAll(table, "_", "-"))
		require.NoError(t, err)
	}
	assert.Len(t, o.rows("of-all-days", nil), 12, "six invoices of each of two days")
	last := o.rows("of-last-day", nil)
	require.Len(t, last, 6)
	assert.Equal(t, "2026-03-29", last[0][1])
	assert.Equal(t, "2026-03-29", last[0][3])

	// What was known as of a day: the database says something else today.
	was := o.rows("of-all-days", parameter.Inputs{"as_of": parameter.Typed("2026-03-29")})
	require.Len(t, was, 6)
	assert.Equal(t, "2026-03-28", was[0][1])

	// A repeat takes the place of what it repeats.
	_, err = o.RunSchedule(t.Context(), ada, "all", time.Date(2026, 3, 29, 6, 0, 0, 0, time.UTC))
	require.NoError(t, err)
	o.on("2026-03-30 12:00")
	assert.Len(t, o.rows("of-all-days", nil), 12)
	list, err := o.store.KeptResults(t.Context())
	require.NoError(t, err)
	require.Len(t, list, 3)
	onDisk, err := filepath.Glob(filepath.Join(o.folder, "kept", "*", "*.parquet"))
	require.NoError(t, err)
	assert.Len(t, onDisk, 3, "what was replaced is gone")

	// A file that is not on the list is no record.
	require.NoError(t, os.Link(onDisk[0], filepath.Join(filepath.Dir(onDisk[0]), "stray.parquet")))
	assert.Len(t, o.rows("of-all-days", nil), 12)

	// Other columns of other types begin a version of their own.
	o.push(ada, strings.NewReplacer("name: all-invoices", "name: other", "query: all-invoices", "query: other", "amount]", "{name: amount, value: owner}]", ", sum of amount", "").Replace(strings.Join(strings.Split(report, "---\n")[2:], "---\n")))
	_, err = o.Publish(t.Context(), ada, "other")
	require.NoError(t, err)
	require.NoError(t, o.publish(ada, strings.Replace(schedule("all", "deliver: [{keep: {as: all_days, how: append, for: 3 days}}]\n"), "all-invoices", "other", 1)))
	o.on("2026-03-31 06:00")
	require.Equal(t, store.Delivered, o.last("all").State, o.last("all").Problem)
	source, err := o.Catalogue(t.Context(), ada, "kept")
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"all_days", "all_days_v1", "last_day"}, source.TableNames())

	// They go when their time is over.
	o.on("2026-04-01 12:00")
	require.NoError(t, o.Keeper().Tidy(t.Context()))
	list, err = o.store.KeptResults(t.Context())
	require.NoError(t, err)
	for _, k := range list {
		assert.NotEqual(t, time.Date(2026, 3, 29, 6, 0, 0, 0, time.UTC).Unix(), k.Due, "%s is gone", k.Name)
	}
}

// TestTooMuchForPaper: what a format does not hold fails the occurrence, and pauses nothing.
func TestTooMuchForPaper(t *testing.T) {
	o := open(t)
	db, err := sql.Open("sqlite3", filepath.Join(o.folder, "dues.db"))
	require.NoError(t, err)
	_, err = db.Exec("with recursive n(i) as (select 1000 union all select i + 1 from n where i < 22000) insert into invoices select i, 'Wold', '2026-03-28', 1 from n")
	require.NoError(t, errors.Join(err, db.Close()))
	require.NoError(t, o.publish(o.as("ada"), schedule("s", "deliver: [{folder: {file: 'out/{due}.pdf'}}, {folder: {file: 'out/{due}.csv'}}]\n")))
	o.on("2026-03-29 06:00")
	assert.Equal(t, store.Failed, o.last("s").State)
	assert.Contains(t, o.last("s").Problem, "20000 records at the most")
	k, err := o.store.Schedule(t.Context(), "s")
	require.NoError(t, err)
	assert.Empty(t, k.Paused)
	assert.NoFileExists(t, filepath.Join(o.folder, "out", "2026-03-29.csv"), "all of it or nothing")
	left, err := os.ReadDir(filepath.Join(o.folder, "spool", "1"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// TestSpool: what was delivered stays in the spool for a week.
func TestSpool(t *testing.T) {
	o := open(t)
	require.NoError(t, o.publish(o.as("ada"), schedule("s", "deliver: [{folder: {file: 'out/{due}.csv'}}]\n")))
	o.on("2026-03-29 06:00")
	spooled := filepath.Join(o.folder, "spool", "1", "1.csv")
	assert.FileExists(t, spooled)
	o.clock.set(begins.AddDate(0, 0, 6))
	require.NoError(t, o.Keeper().Tidy(t.Context()))
	assert.FileExists(t, spooled)
	o.clock.set(begins.AddDate(0, 0, 9))
	require.NoError(t, o.Keeper().Tidy(t.Context()))
	assert.NoFileExists(t, spooled)
	assert.NoDirExists(t, filepath.Dir(spooled))
	found, err := o.Occurrence(t.Context(), o.as("ada"), 1)
	require.NoError(t, err)
	assert.False(t, found.Parts[0].Deliveries[0].Kept)
	assert.NotEmpty(t, found.Parts[0].Deliveries[0].SHA256, "what it was is known all the same")
}
