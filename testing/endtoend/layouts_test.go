package endtoend

import (
	"context"
	"database/sql"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// dredgings makes a database whose dates are text in layouts of their own, and connects it.
func dredgings(t *testing.T, name string) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "dredging.db")
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(`create table dredgings (id integer primary key, held_on text, sent text, seen text, tonnes integer);
insert into dredgings values
	(1, '28.02.2025', '1 Mar 2025 08:30', '3/4/25', 5), (2, '1.3.2025', '1 Mar 2025 08:30', '3/4/25', 6), (3, '31.03.2025', '2 MARCH 2025', '4/3/25', 7),
	(4, '1.4.2025', '2 Apr. 2025 17:05', '5/6/25', 8), (5, '31.02.2025', '30 Feb 2025', '13/1/25', 9), (6, null, 'soon', null, 10)`)
	require.NoError(t, err)
	done(t, pikegate(t, "source", "add", name, "--at", path))
	t.Cleanup(func() { done(t, pikegateIn(context.Background(), "source", "remove", name, "--anyway")) })
}

// TestLayoutsOfDates: dates kept as text in layouts of their own are asked about by a period
// like others, the last day in full; what is no date is counted and listed.
func TestLayoutsOfDates(t *testing.T) {
	dredgings(t, "silt")
	denied(t, pikegate(t, "source", "set-encoding", "silt", "dredgings.held_on", "dd.mm.yyyy"), "[unknown_encoding]", "As a layout", "D, DD")
	denied(t, pikegate(t, "source", "set-encoding", "silt", "dredgings.held_on", "D.M.Y"), "[encoding_does_not_fit]", "31.02.2025")
	done(t, pikegate(t, "source", "set-encoding", "silt", "dredgings.held_on", "D.M.Y", "--anyway"))
	done(t, pikegate(t, "source", "set-encoding", "silt", "dredgings.sent", "D Mon Y[ h:m]", "--anyway"))
	done(t, pikegate(t, "source", "set-encoding", "silt", "dredgings.seen", "M/D/YY from 1970", "--anyway"))
	r := pikegate(t, "source", "show", "silt", "dredgings")
	done(t, r)
	assert.Contains(t, r.out, "D.M.Y: of all 5 values, 1 does not fit, such as \"31.02.2025\"")

	file := filepath.Join(t.TempDir(), "q.yaml")
	require.NoError(t, os.WriteFile(file, []byte("kind: query\nname: dredged\nsource: silt\nfrom: dredgings\nparameters:\n  - {name: period, kind: period, required: true}\ncolumns: [id, held_on, sent, seen]\ncriteria: held_on within :period\nsort: [held_on descending]\n"+
		"---\nkind: report\nname: dredged\nquery: dredged\n"), 0o600))
	r = pikegate(t, "push", file)
	done(t, r)
	assert.Contains(t, r.err, "texts as D.M.Y do not sort by time")
	r = pikegate(t, "run", "dredged", "--draft", "--set", "period=March 2025", "--format", "csv")
	done(t, r)
	assert.Equal(t, "id,held_on,sent,seen\r\n3,2025-03-31,2025-03-02T00:00:00,2025-04-03\r\n2,2025-03-01,2025-03-01T08:30:00,2025-03-04\r\n", r.out)
	assert.Contains(t, r.err, "1 record")
	r = pikegate(t, "run", "dredged", "--draft", "--set", "period=2025-04", "--format", "csv")
	assert.Contains(t, r.out, "4,2025-04-01,2025-04-02T17:05:00,2025-05-06\r\n", "an abbreviation may have its full stop")
	r = pikegate(t, "source", "show", "silt", "dredgings", "--unfit", "held_on")
	done(t, r)
	assert.Contains(t, r.out, "31.02.2025")
	r = pikegate(t, "explain", "dredged", "--draft", "--set", "period=March 2025", "--plan")
	done(t, r)
	assert.Contains(t, r.out, "No index on it can help, since texts as D.M.Y do not sort by time.")
}

// TestLayoutOnThePage: a layout is tried on ten values before it is set.
func TestLayoutOnThePage(t *testing.T) {
	t.Parallel()
	dredgings(t, "sediment")
	p := browser.Open(t, address+"/#/sources/sediment/dredgings", 1280, 800)
	p.Wait("document.querySelector('[data-columns] tbody tr:nth-child(4) select')")
	const row = "[data-columns] tbody tr:nth-child(4) select"
	p.Choose(row, "layout")
	p.Wait("document.querySelector('[data-readings] input')")
	accessible(t, p, "a layout")
	p.Type("[data-readings] input", "D/M")
	p.Keys("\r")
	p.Wait("document.querySelector('[data-readings]')?.textContent.includes('a day has a year')")
	p.Type("[data-readings] input", "M/D/YY from 1970")
	p.Keys("\r")
	p.Wait("document.querySelector('[data-readings]')?.textContent.includes('2025-03-04')")
	assert.Contains(t, p.Text("[data-readings]"), "13/1/25▲ no date1")
	p.Press("Read seen as M/D/YY from 1970")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('does not fit')")
	p.Press("Set seen to M/D/YY from 1970 anyway")
	p.Wait("document.querySelector('" + row + "')?.value === 'M/D/YY from 1970'")
	p.Quiet()
}
