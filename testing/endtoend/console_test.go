package endtoend

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// open opens the console's page of a report.
func open(t *testing.T, report string) *browser.Page {
	t.Helper()
	p := browser.Open(t, address+"/#/reports/"+report, 1280, 800)
	p.Wait("document.querySelector('form [id$=-start], form select[name$=-first]')")
	return p
}

// cellValue is the value behind a cell, which is shown in the reader's language.
const cellValue = "(c => c.querySelector('.blank') ? '' : c.querySelector('time')?.dateTime ?? c.textContent.trim().replaceAll(',', ''))"

// ran waits until the run has ended and compares the counts and the rows in view.
func ran(t *testing.T, p *browser.Page, want [][]string) {
	t.Helper()
	p.Wait("document.querySelector('[data-outcome=done]')")
	assert.Equal(t, fmt.Sprint(len(want)), strings.ReplaceAll(p.Text("[data-count]"), ",", ""))
	assert.JSONEq(t, fmt.Sprintf("%q", want[0][0]), p.Eval("document.querySelector('[data-first]').dateTime"))
	assert.JSONEq(t, fmt.Sprintf("%q", want[len(want)-1][0]), p.Eval("document.querySelector('[data-last]').dateTime"))
	p.Wait("document.querySelectorAll('tbody tr[aria-rowindex]').length > 0")
	compare := func() {
		var rows []struct { // read at once, since they change while the page is drawn
			Index int
			Cells []string
		}
		p.Read("[...document.querySelectorAll('tbody tr[aria-rowindex]')].map(r => ({ Index: Number(r.getAttribute('aria-rowindex')) - 2, Cells: [...r.cells].map("+cellValue+") }))", &rows)
		for _, row := range rows {
			require.Equal(t, want[row.Index], row.Cells)
		}
		require.Less(t, len(rows), 120, "only the rows in view are in the page")
	}
	compare()
	p.Eval("document.querySelector('[role=region]').scrollTop = 1e9; 1")
	p.Wait(fmt.Sprintf("document.querySelector('tr[aria-rowindex=\"%d\"]')", len(want)+1))
	compare()
}

// TestConsole goes the whole way with the mouse: find, ask, read-back, run,
// read, ask how.
func TestConsole(t *testing.T) {
	p := browser.Open(t, address, 1280, 800)
	p.Wait("document.querySelectorAll('main li').length > 3")
	p.Type("input[type=search]", "traffic lock")
	p.Wait("document.querySelectorAll('main li').length === 1")
	p.Click("a[href$='passages-by-date']")
	p.Wait("document.querySelector('#q-period-start')")
	p.Type("#q-period-start", "2024-02-01")
	p.Type("#q-period-end", "2024-02-28")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('Thu 1 Feb through Wed 28 Feb 2024 (28 days)')")
	p.Type("#q-period-end", "2024-02-29")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('Thu 29 Feb 2024 (29 days)')")
	p.Press("Run")
	ran(t, p, passages("2024-02-01", "2024-02-29"))
	p.Press("Explain")
	p.Wait("document.querySelector('dialog pre')")
	assert.Contains(t, p.Text("dialog"), `"passages"."passed_at" < ?2`)
	assert.Contains(t, p.Text("dialog"), "toll = toll_pence / 100")

	// The same as a command and as a request, which do the same.
	var same string
	p.Read("document.querySelector('[data-command]').textContent", &same)
	command, request, _ := strings.Cut(same, "\n\n")
	shell := exec.CommandContext(t.Context(), "sh", "-c", strings.Replace(command, "pikegate", binary, 1)+" --format csv")
	shell.Env = append(os.Environ(), "PIKEGATE_SERVER="+address)
	lines, err := shell.Output()
	require.NoError(t, err, command)
	assert.Equal(t, len(passages("2024-02-01", "2024-02-29"))+1, bytes.Count(lines, []byte("\r\n")))
	head, body, _ := strings.Cut(request, "\n\n")
	method, url, _ := strings.Cut(strings.SplitN(head, "\n", 2)[0], " ")
	response, err := http.Post(url+"?format=csv", "application/json", strings.NewReader(body))
	require.NoError(t, err)
	defer response.Body.Close()
	asked, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	assert.Equal(t, []string{"POST", string(lines)}, []string{method, string(asked)})
	p.Quiet()
}

// TestConsoleByKeyboard takes both dates from the calendar and runs, with the
// keyboard alone: the start through the month and year views.
func TestConsoleByKeyboard(t *testing.T) {
	p := open(t, "passages-by-date")
	p.Eval("document.querySelector('#q-period-start').focus(); 1")
	p.Keys("2025-05-14" + kb.Tab + kb.Enter)
	p.Wait("document.activeElement.dataset.part === 'table-cell-trigger'")
	p.Keys(kb.ArrowRight)
	p.Wait("document.activeElement.textContent.trim() === '15'")
	p.Keys(kb.PageUp)
	p.Wait("document.querySelector('[data-part=view-trigger]').textContent.includes('April 2025')")
	p.Keys(kb.Enter)
	p.Wait("document.querySelector('#q-period-start').value === '2025-04-15'")
	p.Wait("document.activeElement.id === 'q-period-start'")
	p.Keys(kb.Tab + kb.Tab + "2025-04-16" + kb.Enter)
	ran(t, p, passages("2025-04-15", "2025-04-16"))
	p.Wait("document.activeElement.textContent.trim() === 'Run'") // the fields are folded away
	p.Click("[data-slot=period]")
	p.Wait("document.activeElement.id === 'q-period-start'")
	p.Keys(kb.ArrowDown, chromedp.KeyModifiers(chromedp.ModifierAlt))
	p.Wait("document.querySelector('[data-part=view-trigger]')")
	p.Keys(kb.Escape)
	p.Wait("!document.querySelector('[data-part=view-trigger]')")
	p.Quiet()
}

// TestConsoleViews reaches a month of another year in the calendar by clicks.
func TestConsoleViews(t *testing.T) {
	p := open(t, "passages-by-date")
	p.Type("#q-period-start", "2025-05-14")
	p.Click("button[aria-label^='Pick start']")
	visible := func(text string) string {
		return "[...document.querySelectorAll('[data-part=table-cell-trigger]')].find(c => c.offsetParent && c.textContent.trim() === '" + text + "')"
	}
	p.Wait(visible("14"))
	trigger := "[...document.querySelectorAll('[data-part=view-trigger]')].find(b => b.offsetParent)"
	for _, step := range []string{"2023", "Feb", "28"} {
		if step == "2023" {
			p.Eval(trigger + ".click(); 1")
			p.Wait(visible("May"))
			p.Eval(trigger + ".click(); 1")
		}
		p.Wait(visible(step))
		p.Eval(visible(step) + ".click(); 1")
	}
	p.Wait("document.querySelector('#q-period-start').value === '2023-02-28'")
	p.Quiet()
}

// TestConsoleProblems types what is wrong: each problem stands beside its
// field, with a way out that works.
func TestConsoleProblems(t *testing.T) {
	p := open(t, "passages-by-date")
	beside := func(part, code string) {
		t.Helper()
		p.Wait(fmt.Sprintf("document.querySelector('#q-period%s-problems [data-problem=%s]')", part, code))
	}
	p.Eval("document.querySelector('form [type=submit]').click(); document.querySelector('#q-period-end').focus(); 1")
	beside("", "missing")
	p.Wait("performance.getEntriesByType('resource').some(e => e.name.includes('/runs?format'))")
	time.Sleep(50 * time.Millisecond) // the page has taken the refusal in
	assert.Equal(t, `"q-period-end"`, p.Eval("document.activeElement.id"), "the focus stays where somebody has gone on to")
	p.Type("#q-period-start", "31 Feb 2025")
	p.Type("#q-period-end", "2025-13-01")
	beside("-start", "no_such_date")
	beside("-end", "no_such_date")
	p.Press("Write 2025-02-28")
	p.Wait("document.querySelector('#q-period-start').value === '2025-02-28'")
	p.Type("#q-period-end", "2025-02-01")
	beside("-end", "end_before_start")
	assert.Equal(t, `"2025-02-01"`, p.Eval("document.querySelector('#q-period-end').value"), "what was typed stays")
	p.Press("Swap the dates")
	p.Wait("document.querySelector('#q-period-start').value === '2025-02-01' && document.querySelector('#q-period-end').value === '2025-02-28'")
	p.Type("#q-period-end", "03/04") // both of its numbers are wrong in the same words
	beside("-end", "unknown_form")
	assert.Equal(t, "1", p.Eval("document.querySelectorAll('#q-period-end-problems p').length"))
	p.Type("#q-period-end", "03/04/2025")
	beside("-end", "ambiguous_date")
	p.Press("Thu 3 Apr 2025")
	p.Wait("document.querySelector('#q-period-end').value === '2025-04-03'")
	p.Type("#q-period-start", "2022-01-01")
	beside("-start", "before_earliest")
	beside("-end", "too_long")
	p.Type("#q-period-words", "last mnth")
	beside("", "unknown_word")
	p.Press("2025-Q4")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('92 days')")
	p.Press("Run")
	ran(t, p, passages("2025-10-01", "2025-12-31"))
	p.Quiet()
}

// TestConsoleQuestions takes a whole month from those offered with their
// counts, sees the choices follow the other answers, and runs.
func TestConsoleQuestions(t *testing.T) {
	t.Parallel()
	questions(t)
	p := open(t, "jobs-open")
	p.Wait("document.querySelectorAll('#q-month-units select[name$=-first] option').length === 37")
	assert.Regexp(t, `^2023-01 · \d+$`, p.Text("#q-month-units option[value='0']"))
	p.Choose("#q-month-units select[name$=-first]", "24")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('Fri 31 Jan 2025')")
	p.Choose("#q-month-units select[name$=-last]", "26")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('Wed 1 Jan through Mon 31 Mar 2025 (90 days)')")
	// The first is never after the last.
	p.Choose("#q-month-units select[name$=-first]", "30")
	p.Wait("document.querySelector('#q-month-units select[name$=-last]').value === '30'")
	p.Choose("#q-month-units select[name$=-last]", "26")
	p.Wait("document.querySelector('#q-month-units select[name$=-first]').value === '26'")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('(31 days), done on is blank')")
	p.Press("Run")
	p.Wait("document.querySelector('[data-outcome=done]')")
	assert.Equal(t, fmt.Sprint(len(ids(t, "jobs-open", "--set", "month=2025-03"))), p.Text("[data-count]"))
	p.Click("[data-slot=month]")
	p.Wait("document.querySelector('#q-month-words')")
	p.Type("#q-month-words", "2025-03-05/2025-03-31")
	p.Wait("document.querySelector('#q-month-problems [data-problem=not_whole]')")
	p.Quiet()

	p = browser.Open(t, address+"/#/reports/every-question", 1280, 800)
	p.Wait("document.querySelector('#q-first')")
	p.Type("#q-first", "2025-12-01")
	p.Type("#q-last", "2025-12-31")
	p.Wait("![...document.querySelectorAll('fieldset label')].some(l => l.textContent.includes('Cold Ferry'))")
	assert.Contains(t, p.Text("form"), "upstream", "a stated answer is shown")
	p.Type("#q-last", "2025-11-30")
	p.Wait("document.querySelector('#q-last-problems [data-problem=rule_broken]')")
	p.Quiet()
}
