package endtoend

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// river is a database that was connected just now: jobs at sluices, on dates.
func river(t *testing.T, name, table string) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "river.db")
	change(t, path, strings.ReplaceAll(`create table sluices (id integer primary key, name text not null, region text not null);
		insert into sluices values (1, 'Alder', 'North'), (2, 'Birch', 'North'), (3, 'Cedar', 'South');
		create table jobs (id integer primary key, sluice_id integer not null references sluices (id), created_at text not null, done_on text, kind text not null, pence integer not null);
		with recursive n(i) as (select 1 union all select i + 1 from n where i < 300)
		insert into jobs select i, i % 3 + 1, '2025-06-01T08:00:00Z', date('2025-01-01', '+' || i || ' days'), case i % 4 when 0 then 'repair' when 1 then 'paint' else 'inspection' end, i * 10 from n;
		create index jobs_done on jobs (done_on);`, "jobs", table))
	done(t, pikegate(t, "source", "add", name, "--at", path))
	t.Cleanup(func() { // what a test has made of it goes with it
		for _, made := range []string{table + "-of-mine", table} {
			for _, kind := range []string{"report", "query"} {
				pikegateIn(context.Background(), "remove", kind, made, "--anyway")
			}
		}
		done(t, pikegateIn(context.Background(), "source", "remove", name, "--anyway"))
	})
}

// steps are what somebody does on the way: clicks, and words typed.
type steps struct {
	*browser.Page
	clicks, words int
}

func (s *steps) click(selector string) {
	s.Helper()
	s.Wait("document.querySelector(" + fmt.Sprintf("%q", selector) + ")?.checkVisibility()")
	s.clicks++
	s.Click(selector)
}

// press clicks the button, option or link that reads so.
func (s *steps) press(text string) {
	s.Helper()
	find := fmt.Sprintf("['dialog[open]', '[data-panel]', 'body'].flatMap(within => [...document.querySelectorAll(within + ' :is(button, a, [role=option], [role=radio])')]).find(b => b.checkVisibility() && !b.disabled && b.textContent.trim().replace(/\\s+/g, ' ').startsWith(%q))", text)
	s.Wait(find)
	s.clicks++
	s.Eval(find + ".click(); 1")
}

// publish saves and publishes, after a look at what changes.
func (s *steps) publish(says string) {
	s.Helper()
	s.press("Publish …")
	s.Wait(fmt.Sprintf("document.querySelector('dialog')?.textContent.includes(%q) && !document.querySelector('dialog .button-act').disabled", says))
	s.press("Publish")
	s.Wait("!document.querySelector('dialog') && document.querySelector('[data-standing=saved]')?.textContent.includes('published as version')")
}

// settled waits until the page has said all of the report as it stands.
func (s *steps) settled() {
	s.Helper()
	s.Wait("document.querySelector('[data-findings=\"0\"]') && document.querySelector('[role=grid] td') && [...document.querySelectorAll('[data-counts]')].every(c => c.textContent.trim())")
}

// written is the text of both documents.
func (s *steps) written() string {
	s.Helper()
	s.Keys("e", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	s.Wait("document.querySelector('[data-editor=definition]')?.shadowRoot?.querySelector('.cm-line')")
	text := drafted(s.Page)
	s.Keys("e", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	s.Wait("document.querySelector('[data-sentence]')")
	return text
}

// TestReportInOneMinute: from the start page, a database just connected, to a published
// report with a start and an end date, and on to one that asks more.
func TestReportInOneMinute(t *testing.T) {
	t.Parallel()
	river(t, "river", "jobs")
	p := &steps{Page: browser.Open(t, address, 1280, 800)}
	p.press("Sources")
	p.click("a[href='#/sources/river/jobs']")
	p.click("[data-build]")
	p.settled()
	assert.Contains(t, p.Text("[data-sentence]"), "Show jobs with id, sluice, created at, done on, kind, pence + ⠿ where done on is within Which days?")
	p.publish("report jobs becomes version 1")
	assert.LessOrEqual(t, p.clicks, 12)
	assert.Zero(t, p.words)
	ran := pikegate(t, "run", "jobs", "--start", "2025-03-01", "--end", "2025-03-31", "--format", "csv")
	done(t, ran)
	assert.Len(t, strings.Split(strings.TrimSpace(ran.out), "\n"), 1+31)

	// One more asked, chosen from the data; a fixed condition that becomes a question; any
	// of two; an order; a column with another heading.
	p.press("+ condition")
	p.press("Kind")
	p.press("Asked")
	p.press("Ask a new question")
	p.Wait("document.querySelector('[data-card=kind]')")
	p.press("+ condition")
	p.press("Pence")
	p.Wait("document.querySelector('[data-panel] input')")
	p.Choose("[data-panel] input", "500")
	p.words++
	p.click("[data-condition='2'] [data-part=comparison]")
	p.press("is at least")
	p.settled()
	p.click("[data-condition='2'] [aria-label^=More]")
	p.press("Or another condition …")
	p.Wait("document.querySelector('[data-panel] input')")
	p.Choose("[data-panel] input", "20")
	p.words++
	p.settled()
	p.click("[data-condition='2.0'] [data-part=value]")
	p.press("Asked")
	p.press("Ask a new question")
	p.Wait("document.querySelector('[data-card=pence]')")
	p.press("+ then by")
	p.press("Pence")
	p.click("[data-column=done_on]")
	p.Wait("document.querySelector('[data-panel] [name=label]')")
	p.Choose("[data-panel] [name=label]", "Finished")
	p.words++
	p.Wait("document.querySelector('[role=grid]')?.textContent.includes('Finished')") // it was looked at anew
	p.settled()
	p.publish("report jobs becomes version 2")
	assert.LessOrEqual(t, p.clicks, 30)
	text := p.written()
	assert.Contains(t, text, `
  - name: kind
    kind: text
    label: Kind
    many: true
    choices: {column: jobs.kind}
`)
	assert.Contains(t, text, `
criteria: |
  done_on within :period
  and kind in :kind
  and (pence >= :pence or pence >= 20)
sort:
  - done_on descending
  - pence ascending
`)
	assert.Contains(t, text, "  - {name: done_on, value: done_on, label: Finished}\n")

	// A copy to be varied, with a query of its own.
	p.press("Copy …")
	p.Wait("document.querySelector('dialog [name=copy-name]')?.value === 'jobs-2'")
	accessible(t, p.Page, "a copy")
	p.Type("[name=copy-name]", "passages-by-date")
	p.Eval("document.querySelector('dialog form button').click(); 1")
	p.Wait("document.querySelector('dialog [role=alert]')?.textContent.includes('There is a report passages-by-date already')")
	p.Type("[name=copy-name]", "jobs-of-mine")
	p.Eval("document.querySelector('dialog form button').click(); 1")
	p.Wait("location.hash === '#/build/report/jobs-of-mine' && document.querySelector('[data-standing=saved]')?.textContent.includes('jobs-of-mine')")
	p.settled()
	assert.Contains(t, p.written(), "kind: query\nname: jobs-of-mine\n")
	p.Quiet()
}

// TestSentences: every definition of the demonstration opens as a sentence, and saving
// it without a change leaves its text as it was.
func TestSentences(t *testing.T) {
	t.Parallel()
	p := &steps{Page: browser.Open(t, address, 1280, 800)}
	for _, d := range []struct{ kind, name, says string }{
		{"report", "passages-by-date", "where passed at is within Which days? ⋯ any"},
		{"query", "lock-passages", "and region is one of Region"},
		{"report", "tolls-by-month", "and The lock was in service"},
		{"report", "invoices-issued", "and owner is Owner ⋯ any 165 remain + condition the oldest first by paid on"},
		{"report", "stays-overlapping", "arrives on to Departs on overlaps"},
		{"report", "jobs-due", "and lock is one of Locks"},
		{"criterion", "in_service", "where opened on is on or before passages.passed_at"},
	} {
		kept := pikegate(t, "versions", d.kind, d.name, "--show", "0")
		p.Visit(address + "/#/build/" + d.kind + "/" + d.name)
		p.Wait("document.querySelector('[data-condition]')")
		if d.kind != "criterion" {
			p.settled()
		}
		assert.Contains(t, p.Text("[data-sentence]"), d.says, d.name)
		p.press("Save")
		p.Wait("document.querySelector('[role=status]')?.textContent.includes('Saved')")
		assert.Equal(t, kept.out, pikegate(t, "versions", d.kind, d.name, "--show", "0").out, d.name)
	}
	p.Quiet()
}

// TestBuildKeepsAll: nothing that was done is lost by a reload; Escape gives back what
// was there, and so do steps back, over sentence and text alike.
func TestBuildKeepsAll(t *testing.T) {
	t.Parallel()
	river(t, "river-kept", "repairs")
	p := &steps{Page: browser.Open(t, address+"/#/build/new/report?source=river-kept&table=repairs", 1280, 800)}
	p.settled()
	before := p.written()
	p.click("[data-condition='0'] [data-part=comparison]")
	p.press("is not within")
	p.settled()
	p.Wait("document.querySelector('[data-condition=\"0\"]').textContent.includes('is not within')")
	p.click("[data-condition='0'] [data-part=value]")
	p.press("Fixed")
	p.Wait("document.querySelector('[data-panel] input')")
	p.Choose("[data-panel] input", "2025-03")
	p.Wait("document.querySelector('[data-condition=\"0\"] [data-part=value]').textContent === '2025-03'")
	p.Keys(kb.Escape)
	p.Wait("document.querySelector('[data-condition=\"0\"] [data-part=value]').textContent === 'Which days?' && !document.querySelector('[data-panel]')")
	changed := p.written()
	for tries := 0; changed == before && tries < 20; tries++ { // a change that was under way is written again
		changed = p.written()
	}
	assert.Equal(t, strings.Replace(before, "done_on within", "done_on not within", 1), changed)
	p.Visit(address + "/#/build/new/report?source=river-kept&table=repairs")
	p.settled()
	assert.Equal(t, changed, p.written())
	p.click("[data-add-condition]")
	p.press("Kind")
	p.Wait("document.querySelector('[data-panel] [data-value=paint]')")
	p.click("[data-value=paint]")
	p.click("[aria-label='First rows']")
	p.Wait("!document.querySelector('[data-panel]')")
	p.settled()
	assert.Contains(t, p.written(), "and kind in ('paint')")
	p.press("Undo")
	p.Wait("!document.querySelector('[data-condition=\"1\"]')")
	assert.Equal(t, changed, p.written())
	p.press("Redo")
	p.Wait("document.querySelector('[data-condition=\"1\"]')")
	p.settled()
	p.Quiet()

	// Another author publishes meanwhile under the same name; neither is lost.
	p.press("Save")
	p.Wait("document.querySelector('[data-standing=saved]')")
	file := filepath.Join(t.TempDir(), "jobs.yaml")
	kept := pikegate(t, "versions", "query", "repairs", "--show", "0")
	require.Zero(t, kept.code, kept.err)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(kept.out, "title: Repairs", "title: Repairs of theirs", 1)), 0o600))
	done(t, pikegate(t, "push", file))
	p.click("[data-condition='0'] [data-part=comparison]")
	p.press("is within")
	p.Wait("document.querySelector('[data-standing=changed]')")
	p.settled()
	p.press("Save")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('Not saved')")
	p.press("Keep both changes")
	p.Wait("document.querySelector('[data-standing=saved]') && ![...document.querySelectorAll('button')].some(b => b.textContent.trim() === 'Keep both changes')")
	p.settled()
	text := p.written()
	assert.Contains(t, text, "title: Repairs of theirs")
	assert.Contains(t, text, "  done_on within :period\n  and kind in ('paint')\n")
	p.Quiet()

	// Where both changed one field, it is one or the other.
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(pikegate(t, "versions", "report", "repairs", "--show", "0").out, "title: Repairs", "title: Theirs", 1)), 0o600))
	done(t, pikegate(t, "push", file))
	p.click("[data-title]")
	p.Choose("input[name=title]", "Ours")
	p.Eval("document.querySelector('input[name=title]').blur(); 1")
	p.Wait("document.querySelector('[data-title]')?.textContent === 'Ours'")
	p.press("Save")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('Not saved')")
	assert.Equal(t, "false", p.Eval("[...document.querySelectorAll('button')].some(b => b.textContent.trim() === 'Keep both changes')"))
	p.press("Save this in the place of theirs")
	p.Wait("document.querySelector('[data-standing=saved]')")
	p.Quiet()

	// A question gets another name, after every line was shown.
	p.press("Rename …")
	p.Wait("document.querySelector('[data-rename]')")
	p.Choose("[name=rename-what]", "question period")
	p.Type("[name=rename-to]", "Days!")
	p.press("Show what changes")
	p.Wait("document.querySelector('dialog [role=alert]')?.textContent.includes('not a name')")
	p.Type("[name=rename-to]", "days")
	p.press("Show what changes")
	p.Wait("document.querySelector('[data-renamed]')?.textContent.includes('done_on within :days')")
	accessible(t, p.Page, "a renaming")
	p.press("Rename")
	p.Wait("!document.querySelector('[data-rename]') && document.querySelector('p[role=status]')?.textContent.includes('Renamed')")
	p.settled()
	assert.Contains(t, p.written(), "  done_on within :days\n  and kind in ('paint')\n")
	p.Quiet()
}

// reach moves the focus by Tab to what a selector finds, and text begins with.
func (s *steps) reach(selector, text string) {
	s.Helper()
	here := fmt.Sprintf("(e => e.matches(%q) && e.textContent.trim().replace(/\\s+/g, ' ').startsWith(%q))(document.activeElement)", selector, text)
	for range 150 {
		if s.Eval(here) == "true" {
			return
		}
		s.Keys(kb.Tab)
	}
	s.Shot("/tmp/pikegate-failed.png")
	require.Fail(s, "not reached by Tab", "%s %s", selector, text)
}

// TestReportByKeyboard is TestReportInOneMinute without a pointer.
func TestReportByKeyboard(t *testing.T) {
	t.Parallel()
	river(t, "river-keys", "rounds")
	p := &steps{Page: browser.Open(t, address, 1280, 800)}
	enter := func(selector, text string) {
		t.Helper()
		p.reach(selector, text)
		p.Keys(kb.Enter)
	}
	enter("header a", "Sources")
	p.Wait("document.querySelector('a[href=\"#/sources/river-keys/rounds\"]')")
	enter("a[href='#/sources/river-keys/rounds']", "rounds")
	p.Wait("document.querySelector('[data-build]')")
	enter("[data-build]", "Build a report")
	p.settled()
	enter("button", "+ condition")
	p.Wait("document.activeElement.matches('[data-panel] input')")
	p.Keys("kind" + kb.Enter)
	p.Wait("document.querySelector('[data-panel] [data-value=paint]')")
	enter("[role=radio]", "Asked")
	enter("button", "Ask a new question")
	p.Wait("document.querySelector('[data-card=kind]') && document.querySelector('[data-condition=\"1\"] [data-part=value]').textContent === 'Kind'")
	enter("button", "+ condition")
	p.Wait("document.activeElement.matches('[data-panel] input')")
	p.Keys("pence" + kb.Enter)
	p.Wait("document.activeElement.matches('[data-panel] input[aria-label=Value]')")
	p.Keys("500" + kb.Enter)
	p.Wait("!document.querySelector('[data-panel]') && document.querySelector('[data-condition=\"2\"] [data-counts]')?.textContent.trim()")
	p.Eval("document.querySelector('main').focus(); 1")
	enter("[data-condition='2'] [data-part=comparison]", "is")
	p.Wait("document.activeElement.matches('[data-panel] input')")
	p.Keys("at least" + kb.Enter)
	p.settled()
	// Up and down by the arrow keys of its handle.
	p.Eval("document.querySelector('main').focus(); 1")
	p.reach("[data-move='2']", "")
	p.Keys(kb.ArrowUp)
	p.Wait("document.activeElement.matches('[data-move=\"1\"]') && document.querySelector('[data-condition=\"1\"]').textContent.includes('pence')")
	p.settled()
	assert.Equal(t, "true", p.Eval("document.activeElement.matches('[data-move=\"1\"]')"), "the handle keeps the focus when the change is written")
	p.Keys("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	p.Wait("document.querySelector('[data-standing=saved]')")
	assert.Contains(t, p.written(), "criteria: |\n  done_on within :period\n  and pence >= 500\n  and kind in :kind\n")
	p.Eval("document.querySelector('main').focus(); 1")
	enter("button", "Publish …")
	p.Wait("document.querySelector('dialog .button-act') && !document.querySelector('dialog .button-act').disabled")
	enter("dialog button", "Publish")
	p.Wait("!document.querySelector('dialog') && document.querySelector('[data-standing=saved]')?.textContent.includes('published as version 1')")
	p.Quiet()
}

// TestShape: at the heads of the records, and by phrases of their own, a report gets an
// order, groups, totals and a drawing; columns are hidden, moved, removed and added by
// dragging. Each is one step back.
func TestShape(t *testing.T) {
	t.Parallel()
	river(t, "river-shape", "works")
	p := &steps{Page: browser.Open(t, address+"/#/build/new/report?source=river-shape&table=works", 1280, 800)}
	p.settled()
	before := p.written()
	head := func(column string) {
		t.Helper()
		p.click("[data-head=" + column + "]")
		p.Wait("document.querySelector('th [data-panel]')")
	}
	chip := func(text string) {
		t.Helper()
		p.press(text)
		p.Wait(fmt.Sprintf("[...document.querySelectorAll('[data-panel] .chip[aria-pressed=true]')].some(c => c.textContent.trim().startsWith(%q))", text))
	}
	head("pence")
	chip("the largest first")
	chip("money")
	chip("sum")
	accessible(t, p.Page, "the head of a column")
	p.Keys(kb.Enter)
	head("done_on")
	chip("month")
	p.Choose("[data-panel] [name=label]", "Finished")
	p.click("[data-panel] [name=value]") // a field; the panel stays
	p.Eval("document.querySelector('[aria-label=Sentence]').dispatchEvent(new PointerEvent('pointerdown', {bubbles: true})); 1")
	p.Wait("!document.querySelector('[data-panel]')")
	p.click("[data-add-part='group-totals:0']")
	p.click("[data-panel] [data-value=count]")
	p.Wait("document.querySelector('[data-sentence]').textContent.includes('with the number of records')") // the sentence grows, and the panel moves with it
	p.click("[data-panel] [data-value='average of pence']")
	p.Wait("document.querySelector('[data-sentence]').textContent.includes('average of pence')")
	p.Eval("document.querySelector('[aria-label=Sentence]').dispatchEvent(new PointerEvent('pointerdown', {bubbles: true})); 1")
	p.Wait("!document.querySelector('[data-panel]')")
	p.click("[data-add-part=chart]")
	p.Wait("document.querySelector('[data-part-of-report=\"chart:x\"]')")
	p.click("[data-add-part='chart:split']")
	accessible(t, p.Page, "a part of the report")
	p.click("[data-panel] [data-value=kind]")
	head("created_at")
	p.press("Hide")
	p.Wait("!document.querySelector('[data-head=created_at]')")
	head("id")
	p.press("Remove")
	p.Wait("!document.querySelector('[data-head=id]')")
	// By keyboard: a head is moved with Alt and the arrows.
	p.Eval("document.querySelector('[data-head=kind]').focus(); 1")
	p.Keys(kb.ArrowLeft, chromedp.KeyModifiers(chromedp.ModifierAlt))
	p.Wait("[...document.querySelectorAll('[data-head]')].map(h => h.dataset.head).join() === 'sluice,kind,done_on,pence'")
	p.settled()
	assert.Contains(t, p.Text("[data-sentence]"), "the newest first by finished then the largest first by pence + then by in a group for each month of finished with the number of records, average of pence in total sum of pence drawn as bars of the number of records by month of finished for each kind")
	p.press("Save")
	p.Wait("document.querySelector('[data-standing=saved]')")
	query, report := pikegate(t, "versions", "query", "works", "--show", "0").out, pikegate(t, "versions", "report", "works", "--show", "0").out
	assert.Contains(t, query, `
columns:
  - {name: sluice, value: sluices.name}
  - created_at
  - kind
  - {name: done_on, value: done_on, label: Finished}
  - {name: pence, value: pence, format: money}
criteria: done_on within :period
sort:
  - done_on descending
  - pence descending
`)
	assert.Contains(t, report, `
columns:
  - sluice
  - kind
  - done_on
  - pence
groups:
  - {by: month of done_on, totals: [count, average of pence]}
totals:
  - sum of pence
chart:
  kind: bars
  x: month of done_on
  y: count
  split: kind
`)
	// A column comes back by dragging it out of the tree.
	p.Drag("document.querySelector('[data-tree-column=\"works.id\"]')", "document.querySelector('[aria-label=\"First rows\"]')")
	p.Wait("document.querySelector('[data-tree-column=\"works.id\"][aria-pressed=true]')")
	for range 40 {
		if p.Eval("[...document.querySelectorAll('button')].find(b => b.textContent.trim() === 'Undo').disabled") == "true" {
			break
		}
		p.press("Undo")
	}
	p.settled()
	assert.Equal(t, before, p.written())
	p.Quiet()
}

// TestBuildSurvives: what was pointed at is there again after the tab has crashed, after the
// service was away, and while the database was.
func TestBuildSurvives(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	own, stop, err := start("serve", "--data", data)
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "river.db")
	change(t, path, "create table fords (id integer primary key, seen_on text, depth integer); insert into fords values (1, '2025-04-01', 3), (2, '2025-05-02', 4)")
	done(t, pikegate(t, "source", "add", "fords", "--at", path, "--server", own))
	begin := own + "/#/build/new/report?source=fords&table=fords"
	p := &steps{Page: browser.Open(t, begin, 1280, 800)}
	p.settled()
	p.click("[data-condition='0'] [data-part=comparison]")
	p.press("is not within")
	p.Wait("document.querySelector('[data-condition=\"0\"] [data-part=comparison]')?.textContent.trim() === 'is not within'")
	p.settled()
	changed := p.written()
	require.Contains(t, changed, "seen_on not within :period")
	p.Crash(begin)
	p.settled()
	assert.Equal(t, changed, p.written())

	// The database is away: the page says so, and what is changed meanwhile stays.
	require.NoError(t, os.Rename(path, path+"-away"))
	reorder := func(words string) {
		t.Helper()
		p.click("[data-sorting] .compared")
		p.press(words)
	}
	reorder("the oldest first")
	p.Wait("document.querySelector('[data-sentence]').textContent.includes('the oldest first') && document.querySelector('[data-findings]')?.textContent.includes('There is no database file')")
	require.NoError(t, os.Rename(path+"-away", path))
	reorder("the newest first")
	p.settled()
	assert.Equal(t, changed, p.written())

	// The service is away, and comes back at the same place.
	require.NoError(t, stop())
	reorder("the oldest first")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('does not answer')")
	again, stop, err := start("serve", "--data", data, "--listen", strings.TrimPrefix(own, "http://"))
	require.NoError(t, err)
	defer func() { assert.NoError(t, stop()) }()
	require.Equal(t, own, again)
	p.Wait("!document.querySelector('[data-down]')")
	p.Visit(begin)
	p.settled()
	assert.Equal(t, strings.Replace(changed, "seen_on descending", "seen_on ascending", 1), p.written())
}

// TestConnectInConsole: a database is connected, changed and forgotten in the console;
// what is wrong with it stands at its field, and nothing typed is lost.
func TestConnectInConsole(t *testing.T) {
	t.Parallel()
	path := filepath.Join(t.TempDir(), "fords.db")
	change(t, path, "create table fords (id integer primary key, built_on text); insert into fords values (1, '1901-05-01')")
	p := &steps{Page: browser.Open(t, address+"/#/sources", 1280, 800)}
	p.press("Connect …")
	p.Wait("document.querySelector('[data-connection]')")
	p.Type("[name=source-name]", "Fords!")
	p.Type("[name=address]", "fords.db")
	p.Eval("document.querySelector('[data-connection] [type=submit]').click(); 1")
	p.Wait("document.querySelector('[data-problem=bad_name]') && document.querySelector('[data-problem=not_absolute]')")
	accessible(t, p.Page, "a connection with problems")
	p.Type("[name=source-name]", "fords")
	p.Type("[name=address]", path+"x")
	p.Eval("document.querySelector('[data-connection] [type=submit]').click(); 1")
	p.Wait("document.querySelector('[data-connection] [role=alert], [data-connection] [data-problem]')")
	p.Type("[name=address]", path)
	p.Eval("document.querySelector('[data-connection] [type=submit]').click(); 1")
	p.Wait("location.hash === '#/sources/fords' && document.querySelector('a[href=\"#/sources/fords/fords\"]') && !document.querySelector('[data-connection]')")
	p.Wait("document.querySelector('dl')?.textContent.includes('writing was tried and refused')")
	p.press("Change …")
	p.Wait("document.querySelector('[data-connection] [name=address]')?.value.endsWith('fords.db')")
	p.Eval("document.querySelector('[data-connection] [type=submit]').click(); 1")
	p.Wait("!document.querySelector('[data-connection]')")
	file := filepath.Join(t.TempDir(), "fords.yaml")
	require.NoError(t, os.WriteFile(file, []byte(pikegate(t, "begin", "fords", "--source", "fords").out), 0o600))
	done(t, pikegate(t, "push", file))
	p.press("Forget …")
	p.press("Forget it")
	p.Wait("document.querySelector('dialog [role=alert]')?.textContent.includes('is used by the query fords')")
	accessible(t, p.Page, "a source to forget")
	p.press("Forget it anyway")
	p.Wait("!document.querySelector('dialog') && !document.querySelector('a[href=\"#/sources/fords\"]')")
	done(t, pikegate(t, "remove", "report", "fords"))
	done(t, pikegate(t, "remove", "query", "fords"))
}
