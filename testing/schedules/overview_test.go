package schedules

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/store"
	"pikegate/internal/wire"
)

const glance = `kind: overview
name: glance
title: Dues at a glance
folder: dues
parts:
  - {report: all-invoices, title: How many, show: number, beside: {question: period, with: as-long-before}}
  - {report: all-invoices, title: How much, show: number, of: sum of amount}
  - {report: invoices, title: Each of them}
`

// glances is the document of a schedule of the overview.
func glances(name, rest string) string {
	return strings.Replace(schedule(name, rest), "report: all-invoices", "overview: glance", 1)
}

// TestOverview: an overview goes out as a page, as it was due, in full and once in every form;
// its numbers stand in the mail.
func TestOverview(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	o.push(ada, glance)
	_, err := o.Publish(t.Context(), ada, "glance")
	require.NoError(t, err)
	require.NoError(t, o.publish(ada, glances("s", "deliver:\n  - folder: {file: 'out/{report}-{period}.pdf', provenance: true}\n  - folder: {file: 'out/{due}.html'}\n  - mail: {to: [office@navigation.example], format: html}\n")))
	infos, err := o.Schedules(t.Context(), ada, true)
	require.NoError(t, err)
	assert.True(t, infos[0].Overview)
	assert.Equal(t, "glance", infos[0].Report)
	detail, err := o.Schedule(t.Context(), ada, "s")
	require.NoError(t, err)
	assert.Equal(t, "2026-03-28", detail.Times[0].Answers[0].Canonical[0])

	o.on("2026-03-29 06:00")
	require.Equal(t, store.Delivered, o.last("s").State, o.last("s").Problem)
	pdf, err := os.ReadFile(filepath.Join(o.folder, "out", "glance-2026-03-28.pdf"))
	require.NoError(t, err)
	assert.Equal(t, "%PDF", string(pdf[:4]))
	page, err := os.ReadFile(filepath.Join(o.folder, "out", "2026-03-29.html"))
	require.NoError(t, err)
	assert.Equal(t, 3, strings.Count(string(page), "<section class=\"part "))
	assert.Contains(t, string(page), "<dd>s, occurrence 1, part 1</dd>")
	assert.Contains(t, string(page), "Fri 27 Mar 2026")
	assert.FileExists(t, filepath.Join(o.folder, "out", "glance-2026-03-28.pdf.provenance.json"))
	runs, err := o.store.Runs(t.Context(), store.Filter{}, 100)
	require.NoError(t, err)
	assert.Len(t, runs, 4, "every part is run once for all forms, and a number once more for the other period")
	got := o.mailed("office@navigation.example")
	require.Len(t, got, 1)
	assert.Contains(t, got[0].Subject, "Dues at a glance, Sat 28 Mar 2026")
	assert.Contains(t, got[0].Text, "3 parts")
	assert.Contains(t, got[0].Text, "How much")
	assert.Equal(t, string(page), string(got[0].Files[0].Content), "one page, whatever the way")
}

// TestOverviewEach: each value has a page of its own.
func TestOverviewEach(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	o.push(ada, strings.Replace(glance, "  - {report: all-invoices, title: How much", "  - {report: invoices, title: How much", 1))
	_, err := o.Publish(t.Context(), ada, "glance")
	require.NoError(t, err)
	require.NoError(t, o.publish(ada, glances("s", "each: {question: owner}\ndeliver: [{folder: {file: 'out/{owner}.html'}}]\n")))
	o.on("2026-03-29 06:00")
	require.Equal(t, store.Delivered, o.last("s").State, o.last("s").Problem)
	assert.Equal(t, map[string]string{"Aldous": "ran", "Osier": "ran", "Wold": "ran", "": "ran"}, o.states(o.last("s")))
	wold, err := os.ReadFile(filepath.Join(o.folder, "out", "Wold.html"))
	require.NoError(t, err)
	assert.Contains(t, string(wold), "<td>Wold")
	assert.NotContains(t, string(wold), "<td>Osier")
	blank, err := os.ReadFile(filepath.Join(o.folder, "out", "blank.html"))
	require.NoError(t, err)
	assert.NotContains(t, string(blank), "<td>Wold")
}

// TestOverviewWithout: an overview with a part that its owner does not see goes nowhere, and one
// that is refused pauses before anything is sent.
func TestOverviewWithout(t *testing.T) {
	o := open(t)
	ada := o.as("ada")
	o.push(ada, glance)
	_, err := o.Publish(t.Context(), ada, "glance")
	require.NoError(t, err)
	_, err = o.Push(t.Context(), ada, glances("x", "deliver: [{folder: {file: 'out/{due}.xlsx'}}]\n"), wire.Keeping{})
	assert.ErrorContains(t, err, "PDF or HTML")
	require.NoError(t, o.publish(ada, glances("s", "deliver: [{folder: {file: 'out/{due}.pdf'}}]\n")))
	assert.ErrorContains(t, o.Remove(t.Context(), ada, "report", "invoices", false), "glance", "what uses it is named")
	require.NoError(t, o.Remove(t.Context(), ada, "report", "invoices", true))
	o.on("2026-03-29 06:00")
	k, err := o.store.Schedule(t.Context(), "s")
	require.NoError(t, err)
	assert.Contains(t, k.Paused, `may not see the report of "Each of them"`)
	assert.NoFileExists(t, filepath.Join(o.folder, "out", "2026-03-29.pdf"))
	assert.NotEmpty(t, o.told("ada"))
}
