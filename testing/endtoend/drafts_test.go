package endtoend

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// field fills a field of the drafting form and leaves it.
func field(p *browser.Page, selector, text string) {
	p.Type(selector, text+kb.Tab)
}

// choose takes an option of a list as a person does.
func choose(p *browser.Page, label, option string) {
	p.Wait(fmt.Sprintf("[...document.querySelectorAll('select[aria-label=%q] option')].some(o => o.value === %q)", label, option))
	p.Choose(fmt.Sprintf("select[aria-label=%q]", label), option)
}

// editor is the content of the editor of a mode, inside its shadow root.
func editor(mode string) string {
	return "document.querySelector('[data-editor=" + mode + "]').shadowRoot.querySelector('.cm-content')"
}

// drafted is the text of the definition that is being written.
func drafted(p *browser.Page) (text string) {
	p.Read("[..."+editor("definition")+".querySelectorAll('.cm-line')].map(l => l.textContent).join('\\n')", &text)
	return text
}

// TestDraftToPublished goes from an empty page to a published report without
// leaving the console: tables, a proposed join, columns, a question, criteria
// with completion, first rows, a report of it, trying it, an example, publishing.
func TestDraftToPublished(t *testing.T) {
	t.Parallel()
	p := browser.Open(t, address+"/#/drafts", 1280, 800)
	p.Click("[data-new=query]")
	p.Wait("document.querySelector('#f-from') && document.querySelector('[data-editor=definition]')")
	p.Wait("getComputedStyle(document.querySelector('[data-editor=definition]').shadowRoot.querySelector('.cm-scroller')).fontFamily.includes('monospace')") // its styles came through the policy
	field(p, "#f-name", "river-works")
	field(p, "#f-source", "navigation")
	field(p, "#f-title", "River works")
	field(p, "#f-from", "maintenance_jobs")
	p.Wait("[...document.querySelectorAll('[data-proposal]')].some(b => b.textContent.includes('locks on maintenance_jobs.lock_id = locks.id'))")
	p.Click("[data-proposal]")
	p.Wait("document.querySelector('[data-list=joins] li')")
	for _, column := range []string{"due_on", "locks.name", "cost_pence"} {
		choose(p, "Add to columns", column)
	}
	p.Press("Add a question")
	p.Wait("document.querySelector('[data-findings]').textContent.includes('Nothing uses the answer to :period')")

	// The criteria, with what can be written offered while they are typed.
	p.Eval(editor("criteria") + ".focus(); 1")
	p.Keys("due_on within :per")
	p.Wait("document.querySelector('[data-editor=criteria]').shadowRoot.querySelector('.cm-tooltip-autocomplete')?.textContent.includes(':period')")
	time.Sleep(150 * time.Millisecond) // what is offered is not taken by a key that was on its way already
	p.Keys(kb.Enter)
	p.Wait("document.querySelector('[data-findings=\"0\"]')")
	choose(p, "Add to sort", "due_on descending")
	p.Wait("document.querySelector('[aria-label=\"First rows\"] [role=grid] td time')")
	assert.Equal(t, strings.TrimSpace(`
kind: query
name: river-works
title: River works
source: navigation
from: maintenance_jobs
joins:
  - {table: locks, on: maintenance_jobs.lock_id = locks.id}
parameters:
  - {name: period, kind: period}
columns: [due_on, locks.name, cost_pence]
criteria: |
  due_on within :period
sort:
  - due_on descending`), strings.TrimSpace(drafted(p)))
	p.Press("Save")
	p.Wait("location.hash === '#/drafts/query/river-works'")
	p.Wait("document.querySelector('[data-standing=saved]')?.textContent.includes('never published')")

	p.Follow("Make a report of it")
	p.Wait("document.querySelector('#f-query')?.value === 'river-works'")
	field(p, "#f-name", "river-works-due")
	field(p, "#f-title", "River works due")
	choose(p, "Add to ask", "period")
	choose(p, "Add to totals", "sum of cost_pence")
	p.Wait("document.querySelector('[data-findings=\"0\"]')")
	p.Press("Try it")
	p.Wait("document.querySelector('#q-period-start')")
	p.Type("#q-period-start", "2025-03-01")
	p.Type("#q-period-end", "2025-03-31")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('31 days')")
	p.Press("Run")
	p.Wait("document.querySelector('[data-outcome=done]')")
	var count int
	p.Read("Number(document.querySelector('[data-count]').dataset.count)", &count)
	assert.Equal(t, len(jobs("2025-03-01", "2025-03-31")), count)
	p.Press("Keep as an example")
	p.Wait("document.body.textContent.includes('Kept as an example in the draft')")
	p.Follow("Back to the draft")
	p.Wait("document.querySelector('[data-editor=definition]') && " + editor("definition") + ".textContent.includes('examples:')")
	assert.Contains(t, drafted(p), fmt.Sprintf("expect: {rows: %d, first: 2025-03-0", count))

	// They are run although the check of what was typed just now is still to come.
	p.Wait("document.querySelector('#f-title')")
	field(p, "#f-title", "River works due soon")
	p.Press("Run the examples")
	p.Wait("document.querySelector('[data-examples] li')?.textContent.includes('kept')")
	p.Press("Publish …")
	p.Wait("document.querySelector('[data-changes]')")
	review := p.Text("dialog")
	assert.Contains(t, review, "query river-works becomes version 1")
	assert.Contains(t, review, "report river-works-due becomes version 1")
	assert.Contains(t, review, "example 1: kept.")
	assert.Contains(t, review, "Nothing that is published uses it.")
	p.Press("Publish")
	p.Wait("document.querySelector('[data-standing=saved]')?.textContent.includes('published as version 1')")
	p.Press("Publish …")
	p.Wait("document.querySelector('dialog')?.textContent.includes('published already')")
	p.Press("Not now")
	p.Quiet()

	// A promise that is not kept is told before it is published.
	text := strings.Replace(drafted(p), fmt.Sprintf("rows: %d", count), "rows: 1", 1)
	file := filepath.Join(t.TempDir(), "due.yaml")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	require.Equal(t, 0, pikegate(t, "push", file).code)
	broken := pikegate(t, "review", "river-works-due")
	assert.Equal(t, 3, broken.code)
	assert.Contains(t, broken.out, fmt.Sprintf("example 1: BROKEN. The number of records should be 1 and is %d.", count))
	assert.Contains(t, broken.out, "was “"+strconv.Itoa(count)+"” and is now “1”")

	r := pikegate(t, "run", "river-works-due", "--set", "period=2025-03", "--format", "json")
	require.Equal(t, 0, r.code, r.err)
	var result struct{ Count, Version int }
	require.NoError(t, json.Unmarshal([]byte(r.out), &result))
	assert.Equal(t, []int{count, 1}, []int{result.Count, result.Version})
}

// TestBroughtSQL: of a statement that was pasted, each value in its conditions becomes a
// question by one click; the records stay the same, and the questions are asked.
func TestBroughtSQL(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "brought.yaml")
	statement := "kind: query\nname: brought\nsource: navigation\nsql: |\n  select id, passed_at, toll_pence from passages\n  where passed_at >= '2025-01-01' and passed_at < '2025-04-01'\n    and direction in ('upstream') and toll_pence > 1800\nsort: [id]\n"
	require.NoError(t, os.WriteFile(file, []byte(statement), 0o600))
	pikegate(t, "push", file)
	p := browser.Open(t, address+"/#/drafts/query/brought", 1280, 800)
	p.Wait("document.querySelectorAll('[data-statement] li').length === 3")
	p.Wait("document.querySelector('[aria-label=\"First rows\"] [role=grid] td')")
	before := ""
	p.Read("document.querySelector('[aria-label=\"First rows\"] [role=grid]').textContent", &before)
	if shot := os.Getenv("SHOT"); shot != "" {
		p.Shot("/tmp/before.png")
	}
	for left := 2; left >= 0; left-- {
		p.Click("[data-statement] button")
		p.Wait(fmt.Sprintf("document.querySelectorAll('[data-statement] li').length === %d", left))
	}
	p.Wait("document.querySelector('[data-findings=\"1\"]')") // how the date is stored is not said
	assert.Equal(t, strings.TrimSpace(`
kind: query
name: brought
source: navigation
sql: |
  select id, passed_at, toll_pence from passages
  where { passed_at within :period }
    and { direction in :directions } and { toll_pence > :toll_pence }
parameters:
  - {name: period, kind: period, label: Passed at, default: [2025-01-01/2025-03-31]}
  - name: directions
    kind: text
    label: Direction
    many: true
    choices: {column: passages.direction}
    default:
      - upstream
  - {name: toll_pence, kind: integer, label: Toll pence, default: [1800]}
sort: [id]`), strings.TrimSpace(drafted(p)))
	p.Wait(fmt.Sprintf("document.querySelector('[aria-label=\"First rows\"] [role=grid]')?.textContent === %q", before))
	if shot := os.Getenv("SHOT"); shot != "" {
		p.Shot(shot)
	}
	p.Quiet()
}

// TestNoSuchDraft: an address of no draft says so and offers a way on; nothing
// there can be saved or published.
func TestNoSuchDraft(t *testing.T) {
	p := browser.Open(t, address+"/#/drafts/query/no-such-one", 1280, 800)
	p.Wait("document.querySelector('main [role=alert]')?.innerText.includes('There is no query no-such-one.')")
	assert.Equal(t, `"no-such-one"`, p.Eval("document.querySelector('h1').innerText"))
	assert.Equal(t, `"Try again"`, p.Eval("[...document.querySelectorAll('main button')].map((b) => b.innerText).join()"))
	p.Follow("all drafts")
	p.Wait("document.querySelector('h1')?.innerText === 'Drafts'")
}

// TestDraftKeepsComments: a change in the form is made at its place in the
// text; comments and the order of fields stay, and the form follows the text.
func TestDraftKeepsComments(t *testing.T) {
	t.Parallel()
	p := browser.Open(t, address+"/#/drafts/query/dues-invoices", 1280, 800)
	p.Wait("document.querySelector('[data-findings=\"0\"]') && document.querySelector('#f-title')")
	before := drafted(p)
	require.Contains(t, before, "# unpaid first")
	field(p, "#f-title", "Dues, invoiced")
	p.Wait("document.querySelector('[data-standing=changed]')")
	assert.Equal(t, strings.Replace(before, "title: Dues invoices", "title: Dues, invoiced", 1), drafted(p), "one text is changed and nothing else")

	// A structural change keeps the comments too.
	p.Click("[aria-label='Move owner up']")
	p.Wait("document.querySelector('[data-list=parameters] summary').textContent === 'owner'")
	assert.Contains(t, drafted(p), "# unpaid first")

	// What is wrong in the text is marked there, and told beside the form's field.
	p.Eval(editor("definition") + ".focus(); 1")
	p.Eval("(() => { const v = document.querySelector('[data-editor=definition]'); window.lines = v.shadowRoot.querySelectorAll('.cm-line').length })(); 1")
	field(p, "#f-from", "dues_invoice")
	p.Wait("document.querySelector('#f-from-problems')?.textContent.includes('Did you mean dues_invoices?')")
	p.Wait("document.querySelector('[data-editor=definition]').shadowRoot.querySelector('.cm-lintRange-error')?.textContent === 'dues_invoice'")

	// A reload loses nothing of it.
	p.Eval("window.before = true; location.reload(); 1")
	p.Wait("!window.before && document.querySelector('#f-from-problems')")
	assert.Contains(t, drafted(p), "from: dues_invoice\n")
	p.Press("Back to what was saved")
	p.Wait("document.querySelector('[data-standing=saved]') && document.querySelector('[data-findings=\"0\"]')")
	assert.Equal(t, before, drafted(p))
	p.Quiet()
}

// TestVersionsCompared: what changed since a version is said in words, and a
// version is brought back.
func TestVersionsCompared(t *testing.T) {
	t.Parallel()
	push := func(label string) {
		file := filepath.Join(t.TempDir(), "weirs.yaml")
		content := "kind: query\nname: weirs\nsource: navigation\nfrom: locks\ncolumns:\n  - {name: name, value: name, label: " + label + "}\nsort: [name]\n"
		require.NoError(t, os.WriteFile(file, []byte(content), 0o600))
		require.Equal(t, 0, pikegate(t, "push", file).code)
		require.Equal(t, 0, pikegate(t, "publish", "weirs").code)
	}
	push("Weir")
	push("Name of the weir")
	p := browser.Open(t, address+"/#/drafts/query/weirs", 1280, 800)
	p.Wait("document.querySelector('[data-findings=\"0\"]')")
	p.Press("Versions")
	p.Wait("document.querySelectorAll('dialog option').length === 6")
	p.Choose("dialog select", "1")
	p.Wait("document.querySelector('[data-differences]').textContent.includes('was “Weir” and is now “Name of the weir”')")
	p.Press("Bring version 1 back")
	p.Wait("document.querySelector('[data-standing=changed]')")
	assert.Contains(t, drafted(p), "label: Weir}")
	p.Press("Save")
	p.Wait("document.querySelector('[data-standing=saved]')")
	p.Press("Publish …")
	p.Wait("document.querySelector('[data-changes]')?.textContent.includes('was “Name of the weir” and is now “Weir”')")
	p.Press("Publish")
	p.Wait("document.querySelector('[data-standing=saved]')?.textContent.includes('published as version 3')")
	p.Quiet()
	r := pikegate(t, "versions", "weirs")
	assert.Len(t, strings.Split(strings.TrimSpace(r.out), "\n"), 3)
	r = pikegate(t, "versions", "weirs", "--differences", "1..3")
	assert.Equal(t, "  Nothing differs but comments and the order of fields.\n", r.out)
}
