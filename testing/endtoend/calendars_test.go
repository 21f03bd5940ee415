package endtoend

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// TestCalendarPublished: a calendar with a file of holidays is pushed and published, is shown,
// and what uses it reads with the newest version; a run is repeated with the one it had.
func TestCalendarPublished(t *testing.T) {
	folder := t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(folder, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	write("tides.ics", "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20250310\r\nSUMMARY:Spring tide\r\nRRULE:FREQ=YEARLY;COUNT=2\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
	calendar := "kind: calendar\nname: tidal\ntitle: The tidal year\nfiscal: {weeks: [4, 4, 5], year_ends: last saturday of january}\nholidays:\n  - every 12-25\n  - file: tides.ics\nperiods:\n  floods: {2024: 2024-11-20/2025-01-10, 2025: 2025-03-03/2025-03-14}\n"
	file := write("tidal.yaml", calendar)
	report := "kind: query\nname: tidal-jobs\nsource: navigation\nfrom: maintenance_jobs\ncalendar: tidal\nparameters:\n  - {name: period, kind: period, required: true, limits: {ends: closed}}\ncolumns: [id, due_on]\ncriteria: due_on within :period\nsort: [id ascending]\n---\nkind: report\nname: tidal-jobs\nquery: tidal-jobs\nask: [{period: {quick: [floods 2025, last working day]}}]\n"
	done(t, pikegate(t, "check", file, write("jobs.yaml", report)))
	done(t, pikegate(t, "push", file, filepath.Join(folder, "jobs.yaml"), "--keep"))
	r := pikegate(t, "publish", "tidal-jobs")
	done(t, r)
	assert.Contains(t, r.out, "calendar tidal", "it is published with what uses it")

	r = pikegate(t, "calendar", "show", "tidal", "--year", "2025")
	done(t, r)
	assert.Contains(t, r.out, "The tidal year, 2025 (tidal, version 1)")
	assert.Contains(t, r.out, "Mon 10 Mar 2025  Spring tide")
	assert.Contains(t, r.out, "floods 2024")
	assert.Contains(t, r.out, "2025-W11  10* 11  12  13  14  15· 16·       4")
	assert.Contains(t, r.out, "fiscal period 1 of 2026")
	assert.Contains(t, pikegate(t, "calendar", "list").out, "tidal")
	r = pikegate(t, "calendar", "show", "tidel")
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "Did you mean tidal?")

	assert.Equal(t, ids(t, "tidal-jobs", "--set", "period=2025-03-03/2025-03-14"), ids(t, "tidal-jobs", "--set", "period=floods 2025"))
	assert.Equal(t, ids(t, "tidal-jobs", "--set", "period=2025-03-11"), ids(t, "tidal-jobs", "--set", "period=2025-03-07 + 1 working day"))
	r = pikegate(t, "run", "tidal-jobs", "--set", "period=flods 2025")
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "Did you mean floods?")
	r = pikegate(t, "coverage", "tidal-jobs", "--by", "fiscal quarter")
	done(t, r)
	assert.Contains(t, r.out, "FY2025-Q1")
	r = pikegate(t, "coverage", "tidal-jobs", "--by", "floods")
	done(t, r)
	assert.Contains(t, r.out, "floods 2025")
	assert.Contains(t, r.err, "in none of them")

	// A new version holds for the next run at once; the one before is repeated with its own.
	run := pikegate(t, "run", "tidal-jobs", "--set", "period=floods 2025", "--format", "csv")
	number := run.runNumber(t)
	write("tidal.yaml", strings.Replace(calendar, "2025-03-03/2025-03-14", "2025-04-07/2025-04-18", 1))
	done(t, pikegate(t, "push", file, "--keep"))
	done(t, pikegate(t, "publish", "tidal"))
	assert.Equal(t, ids(t, "tidal-jobs", "--set", "period=2025-04-07/2025-04-18"), ids(t, "tidal-jobs", "--set", "period=floods 2025"))
	r = pikegate(t, "compare", number, number)
	done(t, r)
	assert.Contains(t, r.err, "finds 17 records now")
	assert.Contains(t, r.err, "0 came, 0 went, 0 changed")
	r = pikegate(t, "runs", number, "--format", "json")
	done(t, r)
	assert.Contains(t, r.out, `"calendar_version": 1`)

	// What uses it keeps it from being removed.
	denied(t, pikegate(t, "remove", "calendar", "tidal"), "tidal-jobs")
}

// TestCalendarOnThePage: a year in full; and the calendar beside a date shows holidays and
// named periods, jumps, and gives the first and the last day by the keyboard.
func TestCalendarOnThePage(t *testing.T) {
	t.Parallel()
	p := browser.Open(t, address+"/#/calendars/waterway/2025", 1280, 800)
	p.Wait("document.querySelectorAll('[data-month]').length === 12")
	assert.Equal(t, `"Jan 6, 2025, winter stoppage 2025"`, p.Eval("document.querySelector('[data-day=\"2025-01-06\"]').title"))
	assert.Equal(t, `"Jun 13, 2025, Two hundred years of the Navigation, season 2025, not worked"`, p.Eval("document.querySelector('[data-day=\"2025-06-13\"]').title"))
	p.Click("button[aria-label='The year after']")
	p.Wait("document.querySelector('[data-year]').textContent === '2026'")
	assert.Contains(t, p.Text("main"), "Good Friday")
	p.Quiet()

	p = browser.Open(t, address+"/#/reports/passages-by-date", 1280, 800)
	p.Wait("document.querySelector('#q-period-start')")
	p.Type("#q-period-start", "2025-05-14")
	p.Click("button[aria-label^='Pick start']")
	p.Wait("document.querySelector('[data-marked]')?.textContent.includes('Spring Holiday')")
	assert.Contains(t, p.Text("[data-marked]"), "5 · May Day")
	assert.Contains(t, p.Text("[data-marked]"), "season 2025 2025-04-01 to 2025-10-31")
	p.Click("button[aria-label='A year earlier']")
	p.Wait("[...document.querySelectorAll('[data-part=view-trigger]')].some(b => b.textContent.includes('May 2024'))")
	last := "[...document.querySelectorAll('button')].find(b => b.textContent.trim() === 'Last day')"
	p.Eval(last + ".focus(); 1")
	p.Keys("\r")
	p.Wait("document.querySelector('#q-period-start').value === '2024-05-31'")
	p.Quiet()
}

// TestWhen: when something is due next, by the service's calendar, on the clock of a zone, with
// what a period means at each of the times; what is wrong is marked.
func TestWhen(t *testing.T) {
	r := pikegate(t, "when", "every", "monday", "at", "07:00", "--as-of", "2026-03-20", "--zone", "Europe/London", "--next", "2", "--period", "last week")
	done(t, r)
	assert.Equal(t, "every monday at 07:00, in Europe/London\n"+
		"  Mon 23 Mar 2026  07:00:00+00:00  Mon 16 Mar 2026 through Sun 22 Mar 2026 (7 days)\n"+
		"  Mon 30 Mar 2026  07:00:00+01:00  Mon 23 Mar 2026 through Sun 29 Mar 2026 (7 days)\n", r.out)
	r = pikegate(t, "when", "every day at 01:30", "--as-of", "2026-03-29", "--zone", "Europe/London", "--next", "1")
	assert.Contains(t, r.out, "02:00:00+01:00, as the clock leaves out 01:30")
	r = pikegate(t, "when", "every day at 07:00 until 2026-03-21", "--as-of", "2026-03-20", "--format", "json")
	done(t, r)
	assert.Contains(t, r.out, `"ended": "That is the last time."`)
	r = pikegate(t, "when", "on the first working day of every month at 07:00", "--calendar", "waterway", "--as-of", "2025-12-20", "--next", "1", "--zone", "Europe/London")
	done(t, r)
	assert.Contains(t, r.out, "Fri 2 Jan 2026", "1 January is a holiday")
	denied(t, pikegate(t, "when", "every mondey at 7"), "[not_understood]", "Did you mean monday?", "^^^^^^")
	denied(t, pikegate(t, "when", "every working day at 07:00"), "[no_calendar]")
	denied(t, pikegate(t, "when", "every day at 07:00", "--period", "lst week"), "[unknown_word]")
	assert.Equal(t, 2, pikegate(t, "when", "every day at 07:00", "--next", "0").code)
}
