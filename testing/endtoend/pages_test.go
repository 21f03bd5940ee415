package endtoend

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// TestLinks: a link carries the answers, Back and Forward go through the runs
// of a page, and a reload loses nothing.
func TestLinks(t *testing.T) {
	p := browser.Open(t, address+"/#/reports/jobs-due?period=2025-03&locks=Harrow+Top", 1280, 800)
	p.Wait("document.querySelector('[data-outcome=done]')")
	p.Click("[data-slot=period]")
	p.Wait("document.querySelector('[data-readback]')?.textContent.includes('Sat 1 Mar through Mon 31 Mar 2025 (31 days), lock Harrow Top')")
	count := p.Text("[data-count]")
	p.Type("#q-period-words", "2025-04")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('30 days')")
	p.Press("Run")
	p.Wait("document.querySelector('[data-outcome=done]') && document.querySelector('[data-slot=period]').textContent.includes('30 days')")
	p.Wait("location.hash.includes('period=2025-04')")
	p.Eval("history.back(); 1")
	p.Wait("document.querySelector('[data-slot=period]').textContent.includes('31 days')")
	p.Wait(fmt.Sprintf("document.querySelector('[data-count]')?.textContent === '%s'", count))
	p.Eval("history.forward(); 1")
	p.Wait("document.querySelector('[data-outcome=done]') && document.querySelector('[data-slot=period]').textContent.includes('30 days')")
	p.Eval("window.before = true; location.reload(); 1")
	p.Wait("!window.before && document.querySelector('[data-slot=period]')?.textContent.includes('30 days')")
	p.Wait("document.querySelector('[data-slot=locks]').textContent.includes('Harrow Top')")
	p.Quiet()
}

// TestSortedByHead: a click on a head orders by the database, up, down, and as
// the report does; the address keeps it.
func TestSortedByHead(t *testing.T) {
	p := browser.Open(t, address+"/#/reports/jobs-due?period=2025-03", 1280, 800)
	p.Wait("document.querySelector('[data-outcome=done]')")
	costs := func() (list []float64) { // of the first records; how many more are drawn is the grid's to say
		p.Read("[...document.querySelectorAll('tbody tr[aria-rowindex]')].slice(0, 20).map(r => Number("+cellValue+"(r.cells[4])))", &list)
		return list
	}
	own := costs()
	p.Click("[data-head=cost]")
	p.Wait("document.querySelector('th[aria-sort=ascending]') && document.querySelector('[data-outcome=done]')")
	assert.IsIncreasing(t, slices.Compact(costs()))
	p.Click("th[aria-sort=ascending] button")
	p.Wait("document.querySelector('th[aria-sort=descending]') && document.querySelector('[data-outcome=done]')")
	assert.IsDecreasing(t, slices.Compact(costs()))
	p.Wait("location.hash.includes('cost+descending')")
	p.Eval("window.before = true; location.reload(); 1")
	p.Wait("!window.before && document.querySelector('th[aria-sort=descending]') && document.querySelector('[data-outcome=done]')")
	var run string
	p.Read("/Run (\\d+)/.exec(document.querySelector('[aria-label=Result]').textContent)[1]", &run)
	p.Click("th[aria-sort=descending] button")
	p.Wait("!document.querySelector('th[aria-sort=descending]') && document.querySelector('[data-outcome=done]')")
	assert.Equal(t, own, costs())
	p.Visit(address + "/#/runs/" + run) // its record has the order
	p.Wait("document.querySelector('[data-repeat=same]')")
	p.Click("[data-repeat=same]")
	p.Wait("document.querySelector('th[aria-sort=descending]') && document.querySelector('[data-outcome=done]')")
	assert.IsDecreasing(t, slices.Compact(costs()))
	p.Quiet()
}

// TestCoverageStrip chooses a period by its handles with the keyboard, and by
// dragging over it.
func TestCoverageStrip(t *testing.T) {
	t.Parallel()
	p := browser.Open(t, address+"/#/reports/passages-by-date", 1280, 800)
	p.Wait("document.querySelectorAll('[data-strip] [role=slider]').length === 2")
	var bars int
	p.Read("document.querySelectorAll('[data-strip] [title]').length", &bars)
	assert.Equal(t, 36, bars, "a bar a month")
	p.Eval("document.querySelector('[data-strip] [role=slider]').focus(); 1")
	p.Keys("\ue012") // nothing before the first month
	for range 26 {
		p.Eval("document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true })); 1")
	}
	p.Wait("document.querySelector('#q-period-start').value === '2025-03-01' && document.querySelector('#q-period-end').value === '2025-12-31'")
	p.Eval("document.querySelectorAll('[data-strip] [role=slider]')[1].dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowLeft', bubbles: true })); 1")
	p.Wait("document.querySelector('#q-period-end').value === '2025-11-30'")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('Sun 30 Nov 2025')")
	bar := func(month string) string { return "document.querySelector('[data-strip] [title^=\"" + month + ":\"]')" }
	p.Drag(bar("2024-06"), bar("2024-02"))
	p.Wait("document.querySelector('#q-period-start').value === '2024-02-01' && document.querySelector('#q-period-end').value === '2024-06-30'")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('Thu 1 Feb through Sun 30 Jun 2024 (151 days)')")
	p.Quiet()
}

// TestRunsPage: a run is found, shown in full, and repeated as it was.
func TestRunsPage(t *testing.T) {
	r := pikegate(t, "run", "jobs-due", "--set", "period=last month", "--as-of", "2025-04-10", "--set", "locks=Mossgill", "--format", "csv")
	require.Equal(t, 0, r.code, r.err)
	p := browser.Open(t, address+"/#/runs?report=jobs-due", 1280, 800)
	p.Wait("document.querySelector('main li a')")
	p.Click("main li a")
	p.Wait("document.querySelector('[data-repeat=same]')")
	text := p.Text("main")
	assert.Contains(t, text, "last month")
	assert.Contains(t, text, "2025-03")
	assert.Contains(t, text, "20250401")
	p.Click("[data-repeat=same]")
	p.Wait("document.querySelector('[data-outcome=done]')")
	p.Wait("document.querySelector('[data-slot=period]')?.textContent.includes('31 days')")
	p.Quiet()
}

// axe is what looks for what a page keeps from somebody.
var axe = sync.OnceValues(func() ([]byte, error) { return os.ReadFile("../../console/node_modules/axe-core/axe.min.js") })

// accessible has axe look at a page as it stands, in both themes.
func accessible(t *testing.T, p *browser.Page, what string) {
	t.Helper()
	script, err := axe()
	require.NoError(t, err)
	p.Eval(string(script) + "; 1")
	for theme, rules := range map[string]string{"light": "", "dark": ", runOnly: ['color-contrast', 'link-in-text-block']"} { // a theme is colours
		p.Eval("document.documentElement.dataset.mode = '" + theme + "'; 1")
		p.Wait("document.getAnimations().length === 0") // colours that change gently are done
		p.Eval("window.axeResult = undefined; axe.run({ resultTypes: ['violations']" + rules + " }).then(r => { window.axeResult = r.violations }); 1")
		p.Wait("window.axeResult")
		var found []string
		p.Read("window.axeResult.map(v => v.id + ': ' + v.help + ' ' + v.nodes.map(n => n.html).join(' | '))", &found)
		assert.Empty(t, found, "%s, %s:\n%s", what, theme, strings.Join(found, "\n"))
	}
}

// TestAccessible has axe look at every page in both themes.
func TestAccessible(t *testing.T) {
	t.Parallel()
	var runs []string
	for _, set := range []string{"period=2025-03", "period=2025-04"} {
		r := pikegate(t, "run", "jobs-due", "--set", set, "--format", "csv")
		runs = append(runs, r.runNumber(t))
	}
	settled := " && !document.querySelector('form button:disabled')"
	done := "document.querySelector('[data-outcome=done]')" + settled
	checked := "document.querySelector('[data-findings=\"0\"]') && document.querySelector('[role=grid] td') && document.querySelector('#f-name')"
	built := "document.querySelector('[data-condition] [data-counts]')?.textContent.trim() && document.querySelector('[role=grid] td')"
	pages := []struct {
		name, hash, ready string
		// press is a button pressed then, click a selector, and then what the page
		// waits for.
		press, click, then string
	}{
		{name: "reports", ready: "document.querySelectorAll('main li').length > 3"},
		{name: "form", hash: "#/reports/passages-by-date?region=Wold+Cut", ready: "document.querySelector('[data-strip]') && document.querySelector('.chip.on')"},
		{name: "units", hash: "#/reports/tolls-by-month", ready: "document.querySelector('#q-period-units option[value]')"},
		{name: "result", hash: "#/reports/passages-by-date?period=2025-03-31", ready: done},
		{name: "groups", hash: "#/reports/tolls-by-month?period=2025-Q4", ready: done + " && document.querySelector('[data-group]')"},
		{name: "chart", hash: "#/reports/tolls-by-month?period=2025-Q4", ready: done, press: "Chart", then: "document.querySelector('[data-drawn=true]')"},
		{name: "pages", hash: "#/reports/tolls-by-month?period=2025-Q4", ready: done, press: "Pages", then: "document.querySelector('article')"},
		{name: "how", hash: "#/reports/tolls-by-month?period=2025-Q4", ready: done, press: "Explain", then: "document.querySelector('dialog pre')"},
		{name: "asking beneath", hash: "#/reports/passages-by-date?period=2025-03-31", ready: done, click: "[data-slot=period]", then: "document.querySelector('#opened [data-strip]')"},
		{name: "export", hash: "#/reports/passages-by-date?period=2025-03-31", ready: done, press: "Export", then: "document.querySelector('[data-format=csv]')"},
		{name: "calendar", hash: "#/reports/passages-by-date", ready: "document.querySelector('#q-period-start') && document.querySelector('[data-strip]')", click: "button[aria-label^='Pick start']", then: "document.querySelector('[data-marked] li')"},
		{name: "the year", hash: "#/calendars/waterway/2026", ready: "document.querySelectorAll('[data-month]').length === 12"},
		{name: "find", ready: "document.querySelectorAll('main li').length > 3", click: "header [aria-keyshortcuts='Control+K']", then: "document.querySelectorAll('[role=option]').length > 10"},
		{name: "keyboard", ready: "document.querySelectorAll('main li').length > 3", click: "header [aria-keyshortcuts='?']", then: "document.querySelector('dialog kbd')"},
		{name: "problems", hash: "#/reports/jobs-due?period.start=31+Feb+2025&period.end=2025-01-01", ready: "document.querySelector('[data-problem]')"},
		{name: "nothing", hash: "#/reports/jobs-due?period=2023-03-01%2F2023-03-07&locks=Harrow+Top", ready: "document.querySelector('[data-advice]')" + settled},
		{name: "overview", hash: "#/overviews/navigation-at-a-glance?period=2025-03", ready: allShown + " && document.querySelectorAll('[data-drawn=true] svg').length === 2"},
		{name: "runs", hash: "#/runs?report=jobs-due", ready: "document.querySelector('main li')"},
		{name: "run", hash: "#/runs/" + runs[0], ready: "document.querySelector('[data-repeat]') || document.querySelector('main pre')"},
		{name: "two runs", hash: "#/runs/" + strings.Join(runs, "/compare/"), ready: "document.querySelector('[data-difference]')"},
		{name: "drafts", hash: "#/drafts", ready: "document.querySelectorAll('main li').length > 6"},
		{name: "draft", hash: "#/drafts/query/lock-passages", ready: checked},
		{name: "draft of a report", hash: "#/drafts/report/tolls-by-month", ready: checked},
		{name: "draft with problems", hash: "#/drafts/new/query", ready: "document.querySelector('#f-name') && document.querySelector('[data-findings] li button')"},
		{name: "publish", hash: "#/drafts/report/tolls-by-month", ready: checked, press: "Publish …", then: "document.querySelector('dialog h3')"},
		{name: "versions", hash: "#/drafts/report/tolls-by-month", ready: checked, press: "Versions", then: "document.querySelector('[data-differences]')"},
		{name: "try", hash: "#/drafts/report/tolls-by-month/try?period=2025-Q4", ready: done + " && document.querySelector('[data-explained] pre')"},
		{name: "build", hash: "#/build/report/passages-by-date", ready: built, click: "[data-card=period]", then: "document.querySelector('#f-parameters-0-label')"},
		{name: "build, a value", hash: "#/build/report/passages-by-date", ready: built, click: "[data-condition='1'] [data-part=value]", then: "document.querySelector('[data-panel] [role=radio]')"},
		{name: "build, a condition", hash: "#/build/report/passages-by-date", ready: built, click: "[data-add-condition]", then: "document.querySelector('[data-panel] [role=option]')"},
		{name: "build, text", hash: "#/build/report/passages-by-date", ready: built, click: "[aria-pressed=false]:has(kbd)", then: "document.querySelector('[data-editor=definition]')"},
		{name: "sources", hash: "#/sources/navigation", ready: "document.querySelector('dl')"},
		{name: "table", hash: "#/sources/navigation/passages", ready: "document.querySelector('[role=grid] td') && document.querySelector('[data-columns]').textContent.includes('119,992')"},
	}
	for _, page := range pages {
		t.Run(page.name, func(t *testing.T) {
			t.Parallel()
			p := browser.Open(t, address+"/"+page.hash, 1280, 800)
			p.Wait(page.ready)
			if page.press != "" {
				p.Press(page.press)
				p.Wait(page.then)
			}
			if page.click != "" {
				p.Click(page.click)
				p.Wait(page.then)
			}
			accessible(t, p, page.name)
			p.Quiet()
		})
	}
}

// tooSmall lists what is pressed or typed into on a page and is smaller than so
// many pixels. A box stands for its label; the edge of a column's head is moved by
// keys as well.
const tooSmall = `(least => [...document.querySelectorAll('button, select, input, a.button, a.button-act, [role=tab], [role=slider]')].map(e => e.closest('label') ?? e)
	.filter(e => e.checkVisibility({ visibilityProperty: true }) && !e.matches('thead [role=slider], .sr-only, [data-part]') && !e.closest('.cm-editor, p'))
	.map(e => [e, e.getBoundingClientRect()]).filter(([e, r]) => r.width > 0 && (r.height < least - 0.5 || r.width < Math.min(least, 24) - 0.5))
	.map(([e, r]) => Math.round(r.width) + ' by ' + Math.round(r.height) + ': ' + e.outerHTML.slice(0, 140)))`

// TestTargets: what is pressed is large enough for a pointer, and on a phone for a
// finger.
func TestTargets(t *testing.T) {
	t.Parallel()
	for _, screen := range []struct {
		width, height int64
		least         int
	}{{1280, 800, 24}, {390, 844, 44}} {
		p := browser.Open(t, address, screen.width, screen.height)
		for hash, ready := range map[string]string{
			"":                           "document.querySelectorAll('main li').length > 3",
			"#/reports/passages-by-date": "document.querySelector('.chip input')",
			"#/reports/tolls-by-month":   "document.querySelector('#q-period-units option[value]')",
			"#/reports/passages-by-date?period=2025-03-31": "document.querySelector('#shown-result')",
			"#/runs":                        "document.querySelector('main h1')",
			"#/drafts":                      "document.querySelectorAll('main li').length > 6",
			"#/drafts/query/lock-passages":  "document.querySelector('#f-name') && document.querySelector('[role=grid] td')",
			"#/sources/navigation/passages": "document.querySelector('[data-columns] select')",
		} {
			p.Visit(address + "/" + hash)
			p.Wait(ready)
			var small []string
			p.Read(fmt.Sprintf("%s(%d)", tooSmall, screen.least), &small)
			assert.Empty(t, small, "%q at %d: %s", hash, screen.width, strings.Join(small, "\n"))
		}
	}
}
