package endtoend

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// penceOf adds the last column of rows, an amount of pounds with its pence.
func penceOf(t *testing.T, rows [][]string) (sum int) {
	t.Helper()
	for _, row := range rows {
		pence, err := strconv.Atoi(strings.ReplaceAll(row[len(row)-1], ".", ""))
		require.NoError(t, err)
		sum += pence
	}
	return sum
}

// grouped is a number with its thousands parted.
func grouped(text string) string {
	whole, rest, point := strings.Cut(text, ".")
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	if point {
		whole += "." + rest
	}
	return whole
}

// value is the number that a part shows, as it is stored.
func value(p *browser.Page, part int) (shown string) {
	p.Read(fmt.Sprintf("document.querySelector('[data-part=\"%d\"] [data-value]').dataset.value", part), &shown)
	return shown
}

const allShown = "document.querySelectorAll('[data-part]').length === 7 && [...document.querySelectorAll('[data-part]')].every(p => p.dataset.state === 'shown')"

// TestOverview: the parts show what their reports find with the answers of the page, beside the
// same of another period; a change of the days renews them all, and each leads to its report.
func TestOverview(t *testing.T) {
	t.Parallel()
	p := browser.Open(t, address+"/#/overviews/navigation-at-a-glance?period=2025-03", 1280, 900)
	p.Wait(allShown)
	shows := func(first, last, firstBefore, lastBefore, firstYear, lastYear string) {
		t.Helper()
		now, before := len(passages(first, last)), len(passages(firstBefore, lastBefore))
		assert.Equal(t, strconv.Itoa(now), value(p, 1))
		var change string
		p.Read("document.querySelector('[data-part=\"1\"] [data-change]').dataset.change", &change)
		assert.Equal(t, strconv.Itoa(now-before), change)
		tolls, yearBefore := penceOf(t, passages(first, last)), penceOf(t, passages(firstYear, lastYear))
		assert.Equal(t, grouped(pounds(tolls)), p.Text("[data-part='2'] [data-value]"))
		assert.Contains(t, p.Text("[data-part='2'] [data-number]"), grouped(pounds(yearBefore))+":")
		assert.Contains(t, p.Text("[data-part='7']"), fmt.Sprintf("%d records", len(invoices(first, last))))
	}
	shows("2025-03-01", "2025-03-31", "2025-02-01", "2025-02-28", "2024-03-01", "2024-03-31")
	assert.Equal(t, "2", p.Eval("document.querySelectorAll('[data-drawn=true] svg').length"))

	p.Click("[data-slot=period]")
	p.Wait("document.querySelector('#opened [data-strip]')")
	p.Eval("[...document.querySelectorAll('#opened .chip')].find(c => c.textContent.trim() === '2025-Q4').click(); 1")
	p.Wait("location.hash.endsWith('period=2025-Q4') && " + allShown + " && document.querySelector('[data-part=\"1\"] [data-value]').dataset.value === '" + strconv.Itoa(len(passages("2025-10-01", "2025-12-31"))) + "'")
	p.Wait(allShown)
	shows("2025-10-01", "2025-12-31", "2025-07-01", "2025-09-30", "2024-10-01", "2024-12-31")

	p.Click("[data-part='1'] a[href*='passages-by-date']")
	p.Wait("document.querySelector('[data-outcome=done]')")
	assert.Equal(t, strconv.Itoa(len(passages("2025-10-01", "2025-12-31"))), p.Eval("Number(document.querySelector('[data-count]').dataset.count)"))
	p.Eval("history.back(); 1")
	p.Wait("location.hash.endsWith('period=2025-Q4') && " + allShown)
	p.Quiet()
}

// TestOverviewRefused: answers that cannot be read renew nothing, and a part that is stopped or
// fails leaves the others as they are.
func TestOverviewRefused(t *testing.T) {
	p := browser.Open(t, address+"/#/overviews/navigation-at-a-glance?period=31+Feb+2025", 1280, 900)
	p.Wait("document.querySelector('[data-readback]')?.textContent.includes('another look')")
	assert.Equal(t, `"waiting"`, p.Eval("document.querySelector('[data-part=\"1\"]').dataset.state"))
	p.Visit(address + "/#/overviews/navigation-at-a-glance")
	p.Wait(allShown)
	assert.Equal(t, strconv.Itoa(len(passages("2025-12-01", "2025-12-31"))), value(p, 1), "the default of the page")

	p.Late(0)
	p.Eval(`const fetched = window.fetch; window.fetch = (to, how) => String(to).endsWith('/parts/2/number')
		? new Promise((_, refuse) => how.signal.addEventListener('abort', () => refuse(new DOMException('', 'AbortError')))) : fetched(to, how); 1`)
	p.Press("Renew")
	p.Wait("document.querySelector('[data-part=\"2\"]').dataset.state === 'running' && document.querySelectorAll('[data-state=shown]').length === 6")
	p.Eval("document.querySelector('[data-part=\"2\"] button').click(); 1")
	p.Wait("document.querySelector('[data-part=\"2\"] [role=alert]')?.textContent === 'Stopped.'")
	p.Eval("window.fetch = fetched; document.querySelector('[data-part=\"2\"] button').click(); 1")
	p.Wait(allShown)
	p.Quiet()
}

// TestOverviewDraft: an overview is written, tried before it is published, and told of where it
// does not fit.
func TestOverviewDraft(t *testing.T) {
	folder := t.TempDir()
	file := filepath.Join(folder, "weir.yaml")
	write := func(text string) {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	}
	write("kind: overview\nname: at-the-weir\ntitle: At the weir\nparts:\n  - {report: passages-by-date, show: number, of: sum of tol}\n  - {report: jobs-done}\n")
	r := pikegate(t, "push", file)
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "parts[0].of")
	assert.Contains(t, r.err, "There is no report jobs-done here.")
	write("kind: overview\nname: at-the-weir\ntitle: At the weir\nparts:\n  - {report: passages-by-date, title: So many, show: number}\n  - {report: jobs-due}\n")
	require.Zero(t, pikegate(t, "push", file).code)
	t.Cleanup(func() { pikegate(t, "remove", "overview", "at-the-weir") })
	p := browser.Open(t, address+"/#/drafts/overview/at-the-weir", 1280, 900)
	p.Wait("document.querySelector('[data-findings=\"0\"]') && document.querySelector('#f-name')")
	p.Press("Try it")
	p.Wait("document.querySelectorAll('[data-part]').length === 2 && document.querySelector('#opened')")
	p.Eval("[...document.querySelectorAll('#opened .chip')].find(c => c.textContent.trim() === '2025-12').click(); 1")
	p.Wait("[...document.querySelectorAll('[data-part]')].every(p => p.dataset.state === 'shown')")
	assert.Equal(t, strconv.Itoa(len(passages("2025-12-01", "2025-12-31"))), value(p, 1))
	assert.NotContains(t, pikegate(t, "overviews").out, "at-the-weir", "it is not published")
	require.Zero(t, pikegate(t, "publish", "at-the-weir").code)
	assert.Contains(t, pikegate(t, "overviews").out, "at-the-weir")
	assert.Contains(t, pikegate(t, "uses", "jobs-due").out, "at-the-weir")
	p.Quiet()
}

// TestOverviewCommand: an overview as text, part by part, and as a document.
func TestOverviewCommand(t *testing.T) {
	r := pikegate(t, "overview", "navigation-at-a-glance", "--start", "2025-03-01", "--end", "2025-03-31")
	require.Zero(t, r.code, r.err)
	assert.Contains(t, r.err, "Which days: Sat 1 Mar 2025 through Mon 31 Mar 2025 (31 days).")
	assert.Contains(t, r.out, "\nPassages\n--------\n"+grouped(strconv.Itoa(len(passages("2025-03-01", "2025-03-31"))))+"\n▲ ")
	assert.Contains(t, r.out, "\nTolls\n-----\n"+grouped(pounds(penceOf(t, passages("2025-03-01", "2025-03-31"))))+"\n")
	assert.Contains(t, r.out, fmt.Sprintf("%d records.", len(invoices("2025-03-01", "2025-03-31"))))
	folder := t.TempDir()
	for _, form := range []string{"pdf", "html"} {
		file := filepath.Join(folder, "march."+form)
		r := pikegate(t, "overview", "navigation-at-a-glance", "--set", "period=2025-03", "--out", file)
		require.Zero(t, r.code, r.err)
		content, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Contains(t, string(content), map[string]string{"pdf": "%PDF-", "html": "305 more (14.2 %) than before"}[form])
	}
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"navigation-at-a-glanc"}, 3, "Did you mean navigation-at-a-glance?"},
		{[]string{"navigation-at-a-glance", "--set", "period=2025-13"}, 3, "There is no month 13."},
		{[]string{"navigation-at-a-glance", "--set", "perod=2025-12"}, 3, "Did you mean period?"},
		{[]string{"navigation-at-a-glance", "--out", "x.xlsx"}, 2, ".txt, .pdf or .html"},
		{[]string{"navigation-at-a-glance", "--format", "csv"}, 2, "not text, pdf or html"},
		{[]string{"navigation-at-a-glance", "--answers", "mine"}, 3, "There is no set of saved answers mine."},
	} {
		r := pikegate(t, append([]string{"overview"}, c.args...)...)
		assert.Equal(t, c.code, r.code, c.args)
		assert.Contains(t, r.err, c.says, c.args)
	}
}

// TestGroupLeads: the line of a group, and the cells of a table across, lead to the records
// they are made of.
func TestGroupLeads(t *testing.T) {
	p := browser.Open(t, address+"/#/reports/tolls-by-month?period=2025-Q4", 1280, 900)
	p.Wait("document.querySelector('[data-outcome=done]') && document.querySelector('[data-group=\"0\"] a')")
	p.Click("[data-group='0'] a")
	counted := func(n int) string { // the page before has another count
		return fmt.Sprintf(" && document.querySelector('[data-outcome=done]') && Number(document.querySelector('[data-count]')?.dataset.count) === %d", n)
	}
	p.Wait("location.hash === '#/reports/passages-by-date?period=2025-10'" + counted(len(passages("2025-10-01", "2025-10-31"))))

	file := filepath.Join(t.TempDir(), "crossed.yaml")
	require.NoError(t, os.WriteFile(file, []byte(`kind: report
name: crossed
query: lock-passages
groups: [lock]
across: {by: month of passed_at, emphasis: {when: sum of toll > 3000, as: good}, link: {report: passages-by-date, set: {locks: lock, period: month of passed_at}}}
`), 0o600))
	require.Zero(t, pikegate(t, "push", file).code)
	t.Cleanup(func() { pikegate(t, "remove", "report", "crossed") })
	p.Visit(address + "/#/drafts/report/crossed/try?period=2025-Q2")
	const cell = "[aria-rowindex='3'] td:nth-child(3) a" // of May
	p.Wait("document.querySelector('[data-outcome=done]') && document.querySelector(\"" + cell + "\")")
	may := passages("2025-05-01", "2025-05-31", "Chalk Stair")
	shown := p.Text(cell)
	assert.Equal(t, strconv.Itoa(len(may)), strings.TrimPrefix(shown, "✓ "))
	assert.Equal(t, penceOf(t, may) > 300_000, strings.HasPrefix(shown, "✓ "), "%d", penceOf(t, may))
	p.Click(cell)
	p.Wait("location.hash.startsWith('#/reports/passages-by-date?')" + counted(len(may)))
	p.Quiet()
}

// TestOverviewOfOnesOwn: answers to an overview are saved, its page begins with them, and it
// comes by mail as the page that was seen.
func TestOverviewOfOnesOwn(t *testing.T) {
	t.Parallel()
	n := withPeople(t)
	p := n.enter("cleo")
	const hash = "/#/overviews/navigation-at-a-glance"
	p.Visit(n.address + hash + "?period=2025-Q1")
	p.Wait("document.querySelector('[data-part] [data-value]')")
	p.Press("Saved answers")
	p.Wait("document.body.textContent.includes('None yet.')")
	p.Press("Save these answers …")
	p.Type("[name=answers-name]", "First quarter")
	p.Eval("document.querySelector('[name=answers-begins]').click(); 1")
	accessible(t, p, "saving answers to an overview")
	p.Press("Save")
	p.Wait("!document.querySelector('dialog[open]')")
	p.Visit(n.address + "/#/reports")
	p.Wait("document.querySelector('main a')")
	p.Visit(n.address + hash)
	p.Wait("location.hash.includes('period=2025-Q1') && document.querySelector('[data-part] [data-value]')")
	p.Press("Send me this …")
	p.Wait("document.querySelector('dialog [name=often]')")
	assert.Equal(t, `",pdf,html"`, p.Eval("[...document.querySelectorAll('dialog [name=format] option')].map(o => o.value).join()"))
	p.Wait("document.querySelectorAll('[data-times] li').length === 3")
	accessible(t, p, "send me this overview")
	p.Choose("[name=format]", "pdf")
	p.Eval("document.querySelector('[name=now]').click(); 1")
	p.Wait("!document.querySelector('[data-save]').disabled")
	p.Press("Send it")
	p.Wait("document.querySelector('dialog [role=status]')")
	p.Follow("See the schedule")
	p.Wait("document.querySelector('[data-state=delivered]')")
	assert.Contains(t, p.Text("main"), "The navigation at a glance")
	mail := mailTo(t, n.address, "cleo@")
	assert.Contains(t, mail, "Tolls: 83,166.15")
	assert.Contains(t, mail, "The navigation at a glance 2025-Q1.pdf")
}

// TestOverviewAnswers: the command line saves answers to an overview and runs it with them; a
// report of the same answers' name has none.
func TestOverviewAnswers(t *testing.T) {
	const name, answers = "navigation-at-a-glance", "The spring"
	t.Cleanup(func() { pikegate(t, "answers", "remove", name, answers, "--overview") })
	r := pikegate(t, "answers", "save", name, answers, "--overview", "--start", "2025-03-01", "--end", "2025-05-31")
	require.Zero(t, r.code, r.err)
	assert.Equal(t, "saved The spring: period=from 2025-03-01, through 2025-05-31\n", r.out)
	assert.Equal(t, "The spring  yours  period=from 2025-03-01, through 2025-05-31\n", pikegate(t, "answers", "list", name, "--overview").out)
	assert.Equal(t, 3, pikegate(t, "answers", "list", name).code, "there is no such report")
	saved := pikegate(t, "overview", name, "--answers", answers)
	require.Zero(t, saved.code, saved.err)
	assert.Equal(t, pikegate(t, "overview", name, "--set", "period=2025-03 through 2025-05").out, saved.out)
	r = pikegate(t, "overview", name, "--answers", "The springs")
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, answers)
	r = pikegate(t, "schedule", "make", name, "--overview", "--when", "every day at 07:00", "--format", "xlsx", "--only", "count >= 1", "--to", "office@navigation.example")
	assert.Equal(t, 3, r.code)
	for _, code := range []string{"[not_a_page]", "[not_of_overview]"} {
		assert.Contains(t, r.err, code)
	}
}
