package endtoend

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// TestPublishedAtOnce: what was changed a moment ago is published with the rest, on a slow
// line too, and where it could not be saved the page says so and goes on saying it.
func TestPublishedAtOnce(t *testing.T) {
	t.Parallel()
	river(t, "brook", "errands")
	p := &steps{Page: browser.Open(t, address, 1280, 800)}
	p.Late(100 * time.Millisecond)
	p.Visit(address + "/#/sources/brook/errands")
	p.click("[data-build]")
	p.settled()
	p.publish("report errands becomes version 1")

	// A condition that is just being written.
	p.press("+ condition")
	p.press("Pence")
	p.Wait("document.querySelector('[data-panel] input')")
	p.Choose("[data-panel] input", "2800")
	p.press("Publish …")
	p.Wait("document.querySelector('dialog')?.textContent.includes('becomes version 2')")
	p.Keys(kb.Escape)
	p.Wait("!document.querySelector('dialog')")

	// The check that is under way is answered after the refusal.
	p.settled()
	p.Eval(`(ask => { window.fetch = async (...of) => of[1]?.method === 'POST' && of[0].endsWith('/definitions')
		? new Response('{"title":"Busy","detail":"The service has too much to do."}', { status: 503, headers: { 'Content-Type': 'application/problem+json' } })
		: ask(...of) })(window.fetch); 1`)
	p.click("[data-column=done_on]")
	p.Wait("document.querySelector('[data-panel] [name=label]')")
	p.Choose("[data-panel] [name=label]", "Finished")
	p.press("Publish …")
	p.Wait("document.querySelector('[role=alert]')?.textContent.startsWith('Not saved: ')")
	p.Wait("document.querySelector('[role=grid]')?.textContent.includes('Finished')")
	assert.Equal(t, "true", p.Eval("document.querySelector('[role=alert]')?.textContent.startsWith('Not saved: ') ?? false"))
}

// TestUnionAsSentence: the queries of a union are phrases: another one is put below them,
// moved up and removed again, and what all have in common can be asked about.
func TestUnionAsSentence(t *testing.T) {
	t.Parallel()
	river(t, "millpond", "chores")
	t.Cleanup(func() {
		for _, made := range []string{"report everything", "query everything", "query first-half", "query second-half", "query inspections"} {
			kind, name, _ := strings.Cut(made, " ")
			pikegateIn(context.Background(), "remove", kind, name, "--anyway")
		}
	})
	path := filepath.Join(t.TempDir(), "union.yaml")
	text := ""
	for name, criteria := range map[string]string{"first-half": "done_on < '2025-07-01' and kind <> 'inspection'", "second-half": "done_on >= '2025-07-01' and kind <> 'inspection'", "inspections": "kind = 'inspection'"} {
		text += "kind: query\nname: " + name + "\nsource: millpond\nfrom: chores\ncolumns:\n  - {name: day, value: done_on}\n  - {name: pounds, value: pence / 100, format: money}\ncriteria: " + criteria + "\n---\n"
	}
	require.NoError(t, os.WriteFile(path, []byte(text+"kind: query\nname: everything\nsource: millpond\nunion: [first-half, second-half]\nparameters:\n  - {name: period, kind: period, label: Which days?, default: 2025-06-29/2025-07-02}\ncriteria: day within :period\nsort: [day]\n---\nkind: report\nname: everything\nquery: everything\n"), 0o644))
	done(t, pikegate(t, "push", path))

	p := &steps{Page: browser.Open(t, address, 1280, 800)}
	p.Visit(address + "/#/build/report/everything")
	p.settled()
	assert.Contains(t, p.Text("[data-sentence]"), "Show first half and second half + below each other, with all columns")
	rows := func() string {
		return p.Eval("document.querySelectorAll('[role=grid] [role=row], [role=grid] tbody tr').length")
	}
	two := rows()

	p.Eval("document.querySelector('[aria-label=\"Add a query\"]').click(); 1")
	p.press("Inspections")
	p.Wait("document.querySelector('[data-union=inspections]')")
	p.settled()
	p.Wait("document.querySelectorAll('[role=grid] [role=row], [role=grid] tbody tr').length > " + two)
	p.click("[data-union=inspections]")
	p.press("Move up")
	p.Wait("[...document.querySelectorAll('[data-union]')].map((u) => u.dataset.union).join() === 'first-half,inspections,second-half'")
	p.press("+ condition")
	p.press("Pounds")
	p.Wait("document.querySelector('[data-panel] input')")
	p.Choose("[data-panel] input", "18.1")
	p.settled()
	assert.Contains(t, p.written(), "union: [first-half, inspections, second-half]")
	p.publish("report everything becomes version 1")
	r := pikegate(t, "run", "everything", "--format", "csv")
	done(t, r)
	assert.Equal(t, "day,pounds\n2025-07-01,18.10\n", strings.ReplaceAll(r.out, "\r", ""))

	p.click("[data-union=first-half]")
	p.press("Remove")
	p.Wait("[...document.querySelectorAll('[data-union]')].map((u) => u.dataset.union).join() === 'inspections,second-half'")
}

// TestOrderAsSentence: how many records are left, and what a column is made of other
// records, are parts that are chosen.
func TestOrderAsSentence(t *testing.T) {
	t.Parallel()
	river(t, "mere", "tasks")
	p := &steps{Page: browser.Open(t, address, 1280, 800)}
	p.Visit(address + "/#/sources/mere/tasks")
	p.click("[data-build]")
	p.settled()
	seen := func() { // how many are left is not counted
		p.Wait("document.querySelector('[data-findings=\"0\"]') && document.querySelector('[role=grid] td')")
	}
	p.press("+ condition")
	p.press("Only the first records")
	p.Wait("document.querySelector('[data-condition=\"1\"]')?.textContent.replace(/\\s+/g, ' ').includes('only the first 10')")
	seen()
	p.click("[data-condition='1'] [data-part=comparison]")
	p.press("the greatest of a column")
	p.Wait("document.querySelector('[data-condition=\"1\"] [data-part=subject]')")
	p.click("[data-condition='1'] [data-part=subject]")
	p.press("Pence")
	p.Wait("document.querySelector('[data-condition=\"1\"] [data-part=subject]').textContent === 'pence'")
	p.press("+ for each")
	p.press("Kind")
	p.Wait("document.querySelector('[data-condition=\"1\"] [data-part=by]')?.textContent === 'kind'")
	p.click("[data-condition='1'] [data-part=value]")
	p.Wait("document.querySelector('[data-panel] input')")
	p.Choose("[data-panel] input", "2")
	seen()
	p.Wait("document.querySelectorAll('[role=grid] tbody tr, [role=grid] [role=row]').length >= 6")
	assert.Contains(t, p.written(), "and greatest 2 of pence by kind")
	p.Wait("!document.querySelector('[data-panel]')")

	p.click("[data-sentence] [data-column=pence]")
	p.Wait("document.querySelector('[data-panel] [aria-label=\"What is made\"]')")
	p.Choose("[data-panel] [aria-label=\"What is made\"]", "running sum")
	p.Wait("document.querySelector('[data-panel] [aria-label=\"For each\"]')")
	p.Choose("[data-panel] [aria-label=\"For each\"]", "kind")
	seen()
	text := p.written()
	assert.Contains(t, text, "value: running sum of pence by kind")
	assert.Contains(t, text, "name: pence")

	// A number that is asked for.
	p.click("[data-condition='1'] [data-part=value]")
	p.press("Asked")
	p.press("Ask a new question")
	p.Wait("document.querySelector('[data-card=how_many]')")
	seen()
	assert.Contains(t, p.written(), "greatest :how_many of pence by kind")
}
