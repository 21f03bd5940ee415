package schedules

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"pikegate/core/parameter"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// TestYear: a summary is kept each night for a year, and a report reads all of them: by month, and as
// the figures were known on a day.
func TestYear(t *testing.T) {
	t.Parallel()
	o := open(t)
	ada := o.as("ada")
	o.push(ada, `kind: query
name: so-far
folder: dues
source: dues
from: invoices
parameters:
  - {name: period, kind: period, required: true}
columns:
  - {name: invoices, value: count}
  - {name: owed, value: sum of amount}
criteria: issued_on within :period
---
kind: report
name: so-far
folder: dues
query: so-far
`)
	_, err := o.Publish(t.Context(), ada, "so-far")
	require.NoError(t, err)
	require.NoError(t, o.publish(ada, strings.NewReplacer("all-invoices", "so-far", "yesterday", "2026-03-01 through today", "07:00", "23:00").Replace(schedule("nightly", "deliver: [{keep: {as: nightly, how: append}}]\n"))))
	for night := begins; night.Before(begins.AddDate(1, 0, 0)); night = night.AddDate(0, 0, 1) {
		o.on(night.Format("2006-01-02") + " 23:30")
	}
	list, err := o.store.KeptResults(t.Context())
	require.NoError(t, err)
	require.Equal(t, 364, len(list), "from the 29th on: it was made after eleven on the 28th")
	o.push(ada, strings.NewReplacer("of-nightly", "nights", "columns: [invoices]", "columns: [{name: month, value: month of kept_as_of}, {name: nights, value: count}, {name: most, value: greatest of owed}]", "sort: [kept_as_of, invoices]", "sort: [month]").Replace(kept("nightly", "invoices")))
	_, err = o.Publish(t.Context(), ada, "nights")
	require.NoError(t, err)
	rows := o.rows("nights", nil)
	require.Len(t, rows, 13)
	assert.Equal(t, []any{"2026-03", 3.0, 1720500.0}, rows[0], "what had been issued by then, as it was known in March")
	assert.Equal(t, []any{"2027-02", 28.0, 1990000.0}, rows[11])
	rows = o.rows("nights", parameter.Inputs{"as_of": parameter.Typed("2026-04")})
	require.Len(t, rows, 1)
	assert.Equal(t, 30.0, rows[0][1])
}

// TestInside: a workbook says on its last sheet which run and which occurrence it is of.
func TestInside(t *testing.T) {
	o := open(t)
	require.NoError(t, o.publish(o.as("ada"), schedule("s", "deliver: [{folder: {file: 'out/{due}.xlsx'}}, {folder: {file: 'out/{due}.pdf'}}]\n")))
	o.on("2026-03-29 06:00")
	book, err := excelize.OpenFile(filepath.Join(o.folder, "out", "2026-03-29.xlsx"))
	require.NoError(t, err)
	defer book.Close()
	about, err := book.GetRows("About")
	require.NoError(t, err)
	said := map[string]string{}
	for _, row := range about {
		if len(row) > 1 {
			said[row[0]] = row[1]
		}
	}
	assert.Equal(t, "s, occurrence 1, part 1", said["Delivery"])
	assert.NotEmpty(t, said["Run"])
	pages, err := os.ReadFile(filepath.Join(o.folder, "out", "2026-03-29.pdf"))
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(pages, []byte("%PDF-")))
	parts, err := o.store.Parts(t.Context(), 1)
	require.NoError(t, err)
	assert.Len(t, parts, 1, "one run for both files")
}

// TestSecretBound: a secret signs requests to the host it was first used for, and to no other.
func TestSecretBound(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	host := o.place().Web
	other := strings.Replace(host, "127.0.0.1", "localhost", 1)
	o.Destinations.Web[other] = o.Destinations.Web[host]
	require.NoError(t, o.publish(ada, schedule("first", "deliver: [{web: {url: 'http://"+host+"/in', secret: ledger}}]\n")))
	o.on("2026-03-29 06:00")
	assert.Equal(t, store.Delivered, o.last("first").State)
	require.NoError(t, o.publish(ada, schedule("second", "deliver: [{web: {url: 'http://"+other+"/in', secret: ledger}}]\n")))
	require.NoError(t, o.publish(ada, schedule("third", "retry: {times: 0}\ndeliver: [{web: {url: 'http://"+host+"/in', secret: unknown}}]\n")))
	o.on("2026-03-30 06:00")
	assert.Equal(t, store.Failed, o.last("second").State)
	found, err := o.Occurrence(t.Context(), ada, o.last("second").ID)
	require.NoError(t, err)
	assert.Equal(t, "The secret ledger is for another place.", found.Parts[0].Deliveries[0].Problem)
	assert.Equal(t, 1, found.Parts[0].Deliveries[0].Attempts, "another attempt would end the same")
	assert.Equal(t, store.Failed, o.last("third").State)
}

// TestManagedByOthers: who may publish a schedule may pause and run it; who may only draft sees it.
func TestManagedByOthers(t *testing.T) {
	o := open(t)
	require.NoError(t, o.publish(o.as("ada"), schedule("s", "deliver: [{folder: {file: 'out/{due}.csv'}}]\n")))
	for name, may := range map[string]bool{"ann": true, "abe": false} {
		detail, err := o.Schedule(t.Context(), o.as(name), "s")
		require.NoError(t, err, name)
		assert.Equal(t, may, detail.Changes, name)
		_, err = o.PauseSchedule(t.Context(), o.as(name), "s", "")
		assert.Equal(t, may, err == nil, name)
	}
	for _, name := range []string{"rita", "rob"} {
		_, err := o.Schedule(t.Context(), o.as(name), "s")
		assert.ErrorContains(t, err, "There is no schedule s", name)
	}
	require.NoError(t, o.Remove(t.Context(), o.as("ada"), "schedule", "s", false))
	o.on("2026-03-30 12:00")
	list, err := o.Schedules(t.Context(), o.as("ada"), true)
	require.NoError(t, err)
	assert.Empty(t, list)
	_, err = o.store.Schedule(t.Context(), "s")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// TestCancel: what is under way of an occurrence is ended by hand.
func TestCancel(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	require.NoError(t, o.publish(ada, schedule("s", "deliver: [{web: {url: 'http://"+o.place().Web+"/in', secret: unknown}}]\n")))
	o.on("2026-03-29 06:00")
	assert.Equal(t, store.Retrying, o.last("s").State)
	require.NoError(t, o.CancelOccurrence(t.Context(), ada, o.last("s").ID))
	assert.Equal(t, store.Cancelled, o.last("s").State)
	assert.ErrorContains(t, o.CancelOccurrence(t.Context(), ada, o.last("s").ID), "Nothing of it is under way")
	before := o.last("s")
	o.on("2026-03-29 12:00")
	assert.Equal(t, before, o.last("s"), "nothing more comes of it")
}

// TestReportRemoved: a report that is gone pauses what runs it.
func TestReportRemoved(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	require.NoError(t, o.publish(ada, schedule("s", "deliver: [{folder: {file: 'out/{due}.csv'}}]\n")))
	assert.ErrorContains(t, o.Remove(t.Context(), ada, "report", "all-invoices", false), "s", "what uses it is named")
	require.NoError(t, o.Remove(t.Context(), ada, "report", "all-invoices", true))
	o.on("2026-03-29 06:00")
	k, err := o.store.Schedule(t.Context(), "s")
	require.NoError(t, err)
	assert.Contains(t, k.Paused, "all-invoices")
	assert.NotEmpty(t, o.told("ada"))
	_, err = o.PreviewSchedule(t.Context(), ada, wire.OwnSchedule{Report: "all-invoices", When: "every day at 07:00"})
	assert.ErrorContains(t, err, "There is no")
}

// TestOften: what is due more often than it can be run does not fill the service.
func TestOften(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	_, err := o.SaveOwnSchedule(t.Context(), o.as("rita"), "", wire.OwnSchedule{Report: "all-invoices", Set: parameter.Inputs{"period": parameter.Typed("yesterday")}, When: "every 5 minutes"})
	assert.ErrorContains(t, err, "every 15 minutes at the most")
	require.NoError(t, o.publish(ada, strings.Replace(schedule("s", "missed: each\ndeliver: [{folder: {file: 'out/{due}-{due.time}.csv'}}]\n"), "every day at 07:00", "every 1 minutes", 1)))
	limits := o.Keeper().Limits
	o.Keeper().Limits.Workers = 0
	for minute := range 130 {
		o.on(begins.Add(time.Duration(minute+1) * time.Minute).Format("2006-01-02 15:04"))
	}
	list, err := o.store.Occurrences(t.Context(), "s", 0, 1000)
	require.NoError(t, err)
	states := map[string]int{}
	for _, x := range list {
		states[x.State]++
	}
	assert.Equal(t, map[string]int{store.Due: 100, store.Missed: 30}, states)
	o.Keeper().Limits = limits
	for _, minute := range []time.Duration{131, 132} {
		o.on(begins.Add(minute * time.Minute).Format("2006-01-02 15:04"))
	}
	assert.Equal(t, store.Delivered, o.last("s").State, "and then it goes on")
}

// TestRenamed: a question that gets another name has it in the schedules of the reports that ask it.
func TestRenamed(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	require.NoError(t, o.publish(ada, schedule("s", "deliver: [{folder: {file: 'out/{period.from}.csv'}}]\n")))
	renamed, err := o.Rename(t.Context(), ada, wire.Renaming{Kind: "query", Name: "all-invoices", Question: "period", To: "days", Keep: true})
	require.NoError(t, err)
	var changed []string
	for _, c := range renamed.Changes {
		changed = append(changed, c.Kind+" "+c.Name)
	}
	assert.Contains(t, changed, "schedule s")
	content, _, err := o.Definition(t.Context(), ada, "schedule", "s", 0)
	require.NoError(t, err)
	assert.Contains(t, content, "set: {days: yesterday}")
	assert.Contains(t, content, "out/{days.from}.csv")
}
