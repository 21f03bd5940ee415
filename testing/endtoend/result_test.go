package endtoend

import (
	"bytes"
	"compress/gzip"
	"database/sql"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	_ "github.com/mattn/go-sqlite3" // a database that changes between two runs
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// keydown presses a key where the focus is, with Shift or Alt held.
func keydown(p *browser.Page, key, held string) {
	p.Eval(fmt.Sprintf("document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key: %q, bubbles: true, cancelable: true%s })); 1", key, held))
}

// copied is what copying the selection gives to other programs.
func copied(p *browser.Page) (text string) {
	p.Read("(() => { const d = new DataTransfer(); document.querySelector('[role=grid]').dispatchEvent(new ClipboardEvent('copy', { clipboardData: d, bubbles: true, cancelable: true })); return d.getData('text/plain') })()", &text)
	return text
}

// TestGrid: cells are chosen with the keyboard and copied as tab-separated
// text; columns keep the place and width a reader gives them.
func TestGrid(t *testing.T) {
	want := jobs("2025-03-01", "2025-03-31")
	p := browser.Open(t, address+"/#/reports/jobs-due?period=2025-03", 1280, 800)
	p.Wait("document.querySelector('[data-outcome=done]') && document.querySelector('[role=grid] td time')")
	p.Eval("document.querySelector('[role=grid]').focus(); 1")
	keydown(p, "ArrowDown", "")
	p.Wait("document.querySelectorAll('td[aria-selected=true]').length === 1")
	assert.Equal(t, want[0][0], copied(p), "one cell is copied alone")
	keydown(p, "ArrowDown", ", shiftKey: true")
	keydown(p, "ArrowRight", ", shiftKey: true")
	p.Wait("document.querySelectorAll('td[aria-selected=true]').length === 4")
	assert.Equal(t, "Due on\tLock\n"+want[0][0]+"\t"+want[0][1]+"\n"+want[1][0]+"\t"+want[1][1], copied(p))
	keydown(p, "a", ", ctrlKey: true")
	assert.Len(t, strings.Split(copied(p), "\n"), len(want)+1)
	keydown(p, "End", ", ctrlKey: true")
	p.Wait(fmt.Sprintf("document.querySelector('tr[aria-rowindex=\"%d\"] [aria-selected=true]')", len(want)+1))
	assert.Equal(t, want[len(want)-1][4], copied(p), "the last cell of the last row, exact")

	heads := func() (names []string) {
		p.Read("[...document.querySelectorAll('[data-head]')].map(h => h.dataset.head)", &names)
		return names
	}
	p.Eval("document.querySelector('[data-head=cost]').focus(); 1")
	keydown(p, "ArrowLeft", ", altKey: true")
	p.Wait("document.activeElement.dataset.head === 'cost'")
	assert.Equal(t, []string{"due_on", "lock", "job", "cost", "done_on"}, heads())
	width := func() (n float64) {
		p.Read("parseFloat(document.querySelectorAll('[role=grid] col')[0].style.width)", &n)
		return n
	}
	before := width()
	p.Eval("document.querySelector('[role=slider][aria-label=\"Width of Due on\"]').focus(); 1")
	keydown(p, "ArrowRight", "")
	p.Wait(fmt.Sprintf("parseFloat(document.querySelectorAll('[role=grid] col')[0].style.width) > %g", before))
	p.Eval("window.before = true; location.reload(); 1")
	p.Wait("!window.before && document.querySelector('[role=grid] td time')")
	assert.Equal(t, []string{"due_on", "lock", "job", "cost", "done_on"}, heads(), "the reader's order is kept")
	assert.Greater(t, width(), before)
	p.Press("Columns as the report has them")
	p.Wait("document.querySelectorAll('[data-head]')[4].dataset.head === 'cost'")
	p.Drag("document.querySelector('[data-head=job]')", "document.querySelector('[data-head=due_on]')")
	p.Wait("document.querySelectorAll('[data-head]')[0].dataset.head === 'job'")
	p.Drag("document.querySelectorAll('tbody tr[aria-rowindex] td')[0]", "document.querySelectorAll('tbody tr[aria-rowindex] td')[6]")
	p.Wait("document.querySelectorAll('td[aria-selected=true]').length === 4") // two columns of two rows
	p.Quiet()
}

// TestHundredThousand: the whole of a hundred thousand records scrolls with a
// few rows in the page, and the database puts them in another order.
func TestHundredThousand(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "all.yaml")
	require.NoError(t, os.WriteFile(file, []byte("kind: query\nname: every-passage\nsource: navigation\nfrom: passages\ncolumns: [id, passed_at, toll_pence]\nsort: [id]\n---\nkind: report\nname: every-passage\nquery: every-passage\n"), 0o600))
	require.Equal(t, 0, pikegate(t, "push", file).code)
	require.Equal(t, 0, pikegate(t, "publish", "every-passage").code)
	p := browser.Open(t, address+"/#/reports/every-passage", 1280, 800)
	p.Wait("document.querySelector('form')")
	p.Press("Run")
	p.Wait("document.querySelector('[data-outcome=done]')")
	var count int
	p.Read("Number(document.querySelector('[data-count]').dataset.count)", &count)
	require.Greater(t, count, 100_000)
	first := func() (cell string) {
		p.Read("document.querySelector('tr[aria-rowindex=\"2\"]').cells[0].textContent.trim()", &cell)
		return cell
	}
	assert.Equal(t, "1", first())
	p.Eval("document.querySelector('[role=region]').scrollTop = 1e9; 1")
	p.Wait(fmt.Sprintf("document.querySelector('tr[aria-rowindex=\"%d\"]')", count+1))
	var rows int
	p.Read("document.querySelectorAll('[role=grid] tr').length", &rows)
	assert.Less(t, rows, 120)
	p.Click("[data-head=id]")
	p.Wait("document.querySelector('th[aria-sort=ascending]') && document.querySelector('[data-outcome=done]')")
	p.Click("[data-head=id]")
	p.Wait(fmt.Sprintf("document.querySelector('[data-outcome=done]') && document.querySelector('tr[aria-rowindex=\"2\"]')?.cells[0].textContent.trim() === '%d'", count))
	p.Quiet()
}

// TestChartAndPages: the chart has the values of the records, and the pages are
// the paper that the report names.
func TestChartAndPages(t *testing.T) {
	t.Parallel()
	p := browser.Open(t, address+"/#/reports/tolls-by-month?period=2025", 1280, 800)
	p.Wait("document.querySelector('[data-outcome=done]')")
	p.Press("Chart")
	p.Wait("document.querySelector('[data-drawn=true] svg')")
	var drawn [][]string
	p.Read("[...document.querySelectorAll('figure tbody tr')].map(r => [...r.cells].map(c => c.textContent.replaceAll(',', '')))", &drawn)
	r := pikegate(t, "run", "tolls-by-month", "--set", "period=2025", "--format", "csv")
	records, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
	require.NoError(t, err)
	var want [][]string
	for _, record := range records[1:] {
		want = append(want, []string{record[0], record[1], record[4]})
	}
	assert.Equal(t, want, drawn)

	p.Press("Pages")
	p.Wait("document.querySelector('[data-pages=ended]') && document.querySelectorAll('article svg').length === 2")
	assert.Contains(t, p.Text("article:last-of-type"), "Tarn and Wold Navigation")
	assert.Contains(t, p.Text("article:last-of-type"), "2 / 2")
	var bars int
	p.Read("document.querySelectorAll('article path title').length", &bars)
	assert.GreaterOrEqual(t, bars, 12, "the chart is on paper too")
	for _, page := range []struct{ hash, size string }{
		{"", "594.9 841.9"},
		{"#/reports/passages-by-date?period=2025-03-31", "841.9 594.9"},
	} {
		if page.hash != "" {
			p = browser.Open(t, address+"/"+page.hash, 1280, 800)
			p.Wait("document.querySelector('[data-outcome=done]')")
			p.Press("Pages")
			p.Wait("document.querySelector('[data-pages=ended]') && document.querySelector('article svg')")
		}
		assert.Equal(t, page.size, strings.Join(boxes(t, p), ", "), "every page of paper is as large as the report says")
	}
	p.Quiet()
}

// boxes prints the page and gives the sizes of its sheets, each once.
func boxes(t *testing.T, p *browser.Page) (sizes []string) {
	t.Helper()
	for _, box := range regexp.MustCompile(`/MediaBox ?\[0 0 (\d+\.?\d*) (\d+\.?\d*)\]`).FindAllSubmatch(p.Print(), -1) {
		w, _ := strconv.ParseFloat(string(box[1]), 64)
		h, _ := strconv.ParseFloat(string(box[2]), 64)
		size := fmt.Sprintf("%.1f %.1f", float64(int(w*10))/10, float64(int(h*10))/10)
		if len(sizes) == 0 || sizes[len(sizes)-1] != size {
			sizes = append(sizes, size)
		}
	}
	return sizes
}

// TestKeyboardAlone goes from the start page to a file with the keyboard alone.
func TestKeyboardAlone(t *testing.T) {
	folder := t.TempDir()
	p := browser.Open(t, address, 1280, 800)
	p.Downloads(folder)
	p.Wait("document.querySelectorAll('main li').length > 3")
	reach := func(what, condition string) {
		t.Helper()
		for range 80 {
			p.Keys(kb.Tab)
			if p.Eval("(a => Boolean("+condition+"))(document.activeElement)") == "true" {
				return
			}
		}
		t.Fatalf("the keyboard does not reach %s", what)
	}
	reach("the search", "a.type === 'search'")
	p.Keys("maintenance due")
	p.Wait("document.querySelectorAll('main li').length === 1")
	reach("the report", "a.matches('main a')")
	p.Keys(kb.Enter)
	p.Wait("document.querySelector('#q-period-start') && document.activeElement === document.querySelector('main')")
	reach("the start date", "a.id === 'q-period-start'")
	p.Keys("2025-03-01")
	reach("the end date", "a.id === 'q-period-end'")
	p.Keys("2025-03-31" + kb.Enter)
	p.Wait("document.querySelector('[data-outcome=done]')")
	reach("the files", "a.textContent.trim() === 'Export'")
	p.Keys(kb.Enter)
	reach("the file", "a.dataset.format === 'csv'")
	p.Keys(kb.Enter)
	path := filepath.Join(folder, "jobs-due.csv")
	require.Eventually(t, func() bool { _, err := os.Stat(path); return err == nil }, 20*time.Second, 50*time.Millisecond)
	content, err := os.ReadFile(path)
	require.NoError(t, err)
	records, err := csv.NewReader(bytes.NewReader(content)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, jobs("2025-03-01", "2025-03-31"), records[1:])
	p.Quiet()
}

// TestFirstPageIsSmall: what the first page fetches, compressed, and that the
// editor and charts are not part of it. Files named by their content are kept.
func TestFirstPageIsSmall(t *testing.T) {
	get := func(path string) (plain []byte, size int, header http.Header) {
		request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address+"/"+path, nil)
		require.NoError(t, err)
		request.Header.Set("Accept-Encoding", "gzip")
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		defer response.Body.Close()
		body, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		if response.Header.Get("Content-Encoding") != "gzip" {
			return body, len(body), response.Header
		}
		reader, err := gzip.NewReader(bytes.NewReader(body))
		require.NoError(t, err)
		plain, err = io.ReadAll(reader)
		require.NoError(t, err)
		return plain, len(body), response.Header
	}
	page, whole, _ := get("")
	assets := regexp.MustCompile(`(?:src|href)="\./([^"]+)"`).FindAllSubmatch(page, -1)
	require.GreaterOrEqual(t, len(assets), 3)
	for _, a := range assets {
		plain, size, header := get(string(a[1]))
		whole += size
		if strings.HasPrefix(string(a[1]), "assets/") {
			assert.Contains(t, header.Get("Cache-Control"), "immutable", string(a[1]))
			assert.NotContains(t, string(plain), "cm-gutters", "the editor is fetched when it is needed")
		}
	}
	assert.Less(t, whole, 130_000)
}

// TestFits: no page is wider than a phone.
func TestFits(t *testing.T) {
	t.Parallel()
	p := browser.Open(t, address, 390, 844)
	run := pikegate(t, "run", "passages-by-date", "--set", "period=2025-03-31").runNumber(t)
	for _, hash := range []string{"", "#/reports/passages-by-date?period=2025-03-31", "#/runs", "#/runs/" + run, "#/drafts", "#/drafts/query/lock-passages", "#/drafts/report/jobs-due/try?period=2025-03", "#/runs/" + run + "/compare/" + run, "#/sources/navigation/passages", "#/schedules", "#/schedules/dues-of-a-week", "#/occurrences/1"} {
		p.Visit(address + "/" + hash)
		p.Wait("document.querySelector('main h1, main h2') && document.getAnimations().length === 0")
		if strings.Contains(hash, "period=") { // once there is something that could be too wide
			p.Wait("document.querySelector('#shown-result li button')")
		}
		if strings.Contains(hash, "/try") {
			p.Wait("document.querySelector('[data-explained] code')")
		}
		p.Wait("document.documentElement.scrollWidth <= 390")
		p.Quiet()
	}
}

// TestLongOnes: a long title, fourteen questions with labels of eighty characters,
// forty columns and texts that run from right to left make no page wider than its
// screen, before and after a run.
func TestLongOnes(t *testing.T) {
	t.Parallel()
	var text strings.Builder
	text.WriteString("kind: query\nname: long-ones\nsource: navigation\nfrom: locks\nparameters:\n")
	var conditions []string
	for i := range 14 {
		fmt.Fprintf(&text, "  - { name: q%d, kind: text, label: \"%s %d\", choices: { column: locks.region } }\n", i, strings.Repeat("Rather long ", 6), i)
		conditions = append(conditions, fmt.Sprintf("region <> :q%d", i))
	}
	text.WriteString("columns:\n")
	for i := range 40 {
		fmt.Fprintf(&text, "  - { name: c%d, label: \"Column number %d\", value: \"concat('נעילה ', name, ' قفل')\" }\n", i, i)
	}
	fmt.Fprintf(&text, "criteria: %s\n---\nkind: report\nname: long-ones\ntitle: %s\nabout: %s\nquery: long-ones\n", strings.Join(conditions, " and "), strings.Repeat("An unusually long title ", 6), strings.Repeat("about_something_without_any_blank", 4))
	file := filepath.Join(t.TempDir(), "long.yaml")
	require.NoError(t, os.WriteFile(file, []byte(text.String()), 0o600))
	r := pikegate(t, "push", file)
	require.Equal(t, 0, r.code, r.err)
	require.Equal(t, 0, pikegate(t, "publish", "long-ones").code)
	for _, width := range []int64{390, 1280} {
		p := browser.Open(t, address+"/#/reports/long-ones", width, 844)
		p.Wait("document.querySelectorAll('#q-q13 option').length > 2")
		fits := fmt.Sprintf("document.documentElement.scrollWidth <= %d && document.querySelector('main').scrollWidth <= %d", width, width)
		p.Wait(fits)
		p.Press("Run")
		p.Wait("document.querySelector('[data-outcome=done]') && document.querySelector('#shown-result li, [role=grid] td')")
		p.Wait(fits)
		p.Visit(address + "/#/reports")
		p.Wait("document.querySelectorAll('main li').length > 3")
		p.Wait(fits)
		p.Quiet()
	}
}

// TestPhoneRecords: on a phone the records are a list of their first columns, and
// a touch shows all of one.
func TestPhoneRecords(t *testing.T) {
	p := browser.Open(t, address+"/#/reports/passages-by-date?period=2025-03-30", 390, 844)
	p.Wait("document.querySelector('#shown-result li button')")
	first := passages("2025-03-30", "2025-03-30")[0]
	assert.Contains(t, p.Text("#shown-result li button"), first[1])
	p.Click("#shown-result li button")
	p.Wait("document.querySelector('dialog dl')")
	for _, value := range first[1:] {
		assert.Contains(t, p.Text("dialog dl"), value)
	}
	p.Quiet()
}

// TestAnswersAgain: while the service does not answer a page says so, and goes on
// by itself when it answers again.
func TestAnswersAgain(t *testing.T) {
	p := browser.Open(t, address+"/#/runs", 1280, 800)
	p.Wait("document.querySelector('main h1')")
	p.Eval("window.answering = window.fetch; window.fetch = () => Promise.reject(new TypeError('gone')); location.hash = '#/'")
	p.Wait("document.querySelector('[data-down]') && document.querySelector('main [role=alert]')")
	assert.Equal(t, "null", p.Eval("document.querySelector('main li')"), "nothing is said to be there, nor not")
	p.Eval("window.fetch = window.answering")
	p.Wait("!document.querySelector('[data-down]') && document.querySelectorAll('main li').length > 3")
}

// TestSourcesPage: what the columns of a table hold, and a query begun from it.
func TestSourcesPage(t *testing.T) {
	p := browser.Open(t, address+"/#/sources", 1280, 800)
	p.Wait("document.querySelector('nav[aria-label=Sources] a[href$=\"navigation/maintenance_jobs\"]')")
	p.Click("nav[aria-label=Sources] a[href$='navigation/maintenance_jobs']")
	p.Wait("document.querySelector('[data-columns]')?.textContent.includes('values fit')")
	p.Wait("![...document.querySelectorAll('[data-columns] td')].some(c => c.textContent === '…')")
	var rows [][]string
	p.Read("[...document.querySelectorAll('[data-columns] tbody tr')].map(r => [...r.cells].map(c => c.textContent.replace(/\\s+/g, ' ').trim()))", &rows)
	r := pikegate(t, "source", "show", "navigation", "maintenance_jobs")
	for _, row := range rows {
		assert.Regexp(t, regexp.QuoteMeta(strings.TrimSuffix(row[0], ", key"))+`\s+`+regexp.QuoteMeta(row[4])+` distinct\s+`+regexp.QuoteMeta(row[3])+" blank", r.out)
	}
	p.Wait("document.querySelectorAll('[role=grid] tbody tr[aria-rowindex]').length >= 10")
	p.Follow("Write a query")
	p.Wait("document.querySelector('#f-from')?.value === 'maintenance_jobs'")
	p.Quiet()
}

// TestTwoRuns: runs are filtered, two are chosen, and what came and went
// between them is shown.
func TestTwoRuns(t *testing.T) {
	for _, set := range []string{"period=2025-06", "period=2025-06-02/2025-07-01", "period=31 Feb 2025"} {
		pikegate(t, "run", "jobs-due", "--set", set, "--format", "csv")
	}
	p := browser.Open(t, address+"/#/runs?report=jobs-due&outcome=done", 1280, 800)
	p.Wait("document.querySelectorAll('main li').length >= 2")
	assert.NotContains(t, p.Text("main ul"), "Refused")
	p.Eval("[...document.querySelectorAll('main li input')].slice(0, 2).forEach(i => i.click()); 1")
	p.Wait("[...document.querySelectorAll('a')].some(a => a.textContent === 'Compare them')")
	p.Follow("Compare them")
	p.Wait("document.querySelector('[data-compared]')")
	came, went := len(jobs("2025-07-01", "2025-07-01")), len(jobs("2025-06-01", "2025-06-01"))
	assert.Contains(t, p.Text("[data-compared]"), fmt.Sprintf("%d came", came))
	assert.Contains(t, p.Text("[data-compared]"), fmt.Sprintf("%d went", went))
	var kinds []string
	p.Read("[...document.querySelectorAll('[data-difference]')].map(r => r.dataset.difference)", &kinds)
	assert.Len(t, kinds, came+went)
	p.Quiet()
}

// TestCompareChanged: records whose values another version shows otherwise
// have changed, and neither came nor went.
func TestCompareChanged(t *testing.T) {
	var runs []string
	for _, divisor := range []string{"100", "10"} {
		file := filepath.Join(t.TempDir(), "costs.yaml")
		content := "kind: query\nname: costs\nsource: navigation\nfrom: maintenance_jobs\nparameters: [{name: period, kind: period}]\ncolumns: [due_on, {name: cost, value: cost_pence / " + divisor + "}]\ncriteria: due_on within :period\n---\nkind: report\nname: costs\nquery: costs\n"
		require.NoError(t, os.WriteFile(file, []byte(content), 0o600))
		require.Equal(t, 0, pikegate(t, "push", file).code)
		require.Equal(t, 0, pikegate(t, "publish", "costs").code)
		r := pikegate(t, "run", "costs", "--set", "period=2025-03", "--format", "csv")
		runs = append(runs, r.runNumber(t))
	}
	r := pikegate(t, "compare", runs[0], runs[1], "--format", "json")
	require.Equal(t, 0, r.code, r.err)
	var c struct {
		Came, Went, Changed, Same int
		Rows                      []struct {
			Kind          string
			Before, After []any
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &c))
	n := len(jobs("2025-03-01", "2025-03-31"))
	assert.Equal(t, []int{0, 0, n, 0}, []int{c.Came, c.Went, c.Changed, c.Same})
	for _, row := range c.Rows {
		assert.Equal(t, "changed", row.Kind)
		assert.InDelta(t, row.Before[1].(float64)*10, row.After[1].(float64), 1e-6)
	}
	other := pikegate(t, "run", "passages-by-date", "--set", "period=2025-03-31", "--format", "csv").runNumber(t)
	assert.Equal(t, 3, pikegate(t, "compare", runs[0], other).code, "runs of two reports are not compared")
}

// TestStopped: a long run shows its records so far, and is stopped in the
// database when it is stopped on the page.
func TestStopped(t *testing.T) {
	file := filepath.Join(t.TempDir(), "endless.yaml")
	require.NoError(t, os.WriteFile(file, []byte("kind: query\nname: endless\nsource: navigation\nsql: with recursive n(i) as (select 1 union all select i + 1 from n where i < 2000000000) select i from n\ncolumns: [i]\n---\nkind: report\nname: endless\nquery: endless\n"), 0o600))
	require.Equal(t, 0, pikegate(t, "push", file).code)
	require.Equal(t, 0, pikegate(t, "publish", "endless").code)
	p := browser.Open(t, address+"/#/reports/endless", 1280, 800)
	p.Wait("document.querySelector('form')")
	p.Press("Run")
	p.Wait("/Records so far\\s*[1-9][\\d,]*\\s*Running for\\s*[0-9.]+ s/.test(document.querySelector('[data-outcome=running]')?.textContent)")
	p.Wait("document.querySelector('tr[aria-rowindex=\"2\"]')")
	p.Press("Stop")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('Stopped.')")
	require.Eventually(t, func() bool {
		return strings.Contains(pikegate(t, "runs", "--report", "endless", "--outcome", "cancelled").out, "endless")
	}, 20*time.Second, 50*time.Millisecond)
	p.Quiet()
}

// TestReadersLanguage: dates and numbers stand in the language of the reader,
// times with their offset on the days on which the clocks change.
func TestReadersLanguage(t *testing.T) {
	p := browser.Open(t, address, 1280, 800)
	p.Language("de-DE")
	p.Eval("window.before = true; location.href = '#/reports/passages-by-date?period=2025-03-31'; location.reload(); 1")
	p.Wait("!window.before && document.querySelector('[data-outcome=done]') && document.querySelector('[role=grid] time')")
	assert.Regexp(t, `^31\. März, 23:59:59$`, p.Text("[data-last]"))
	assert.Regexp(t, `^\d{1,2},\d\d$`, p.Text("tr[aria-rowindex='2'] td:last-child"))
	p.Eval("location.href = '#/reports/passages-by-date?period=2025-03-30'")
	p.Wait("document.querySelector('[data-first]')?.textContent.includes('+00:00')")
	assert.Regexp(t, `^30\. März, 23:35:41 \+01:00$`, p.Text("[data-last]"))
	assert.Contains(t, p.Text("tr[aria-rowindex='2'] td"), "clocks go forward")
	p.Quiet()
}

// TestChips: what is chosen of many stands as chips, which take it away again;
// the choices shrink as other questions are answered.
func TestChips(t *testing.T) {
	p := browser.Open(t, address+"/#/reports/passages-by-date", 1280, 800)
	label := func(name string) string {
		return "[...document.querySelectorAll('fieldset label')].find(l => l.textContent.includes('" + name + "'))"
	}
	p.Wait(label("Wold Cut") + " && " + label("Harrow Top"))
	p.Eval(label("Wold Cut") + ".click(); 1")
	p.Wait("!" + label("Harrow Top")) // a lock of another region
	p.Wait(label("Wold Cut") + ".matches('.on')")
	p.Eval(label("Middle Reach") + ".click(); 1")
	p.Wait("document.querySelectorAll('section[aria-labelledby=label-region] .chip.on').length === 2")
	p.Eval(label("Wold Cut") + ".click(); 1")
	p.Wait("document.querySelectorAll('section[aria-labelledby=label-region] .chip.on').length === 1")
	p.Wait(label("Osier Bend"))
	p.Eval(label("Osier Bend") + ".click(); 1")
	p.Wait("document.querySelector('[aria-label=\"Remove Osier Bend\"]')")
	p.Click("[aria-label='Remove Osier Bend']")
	p.Wait("!document.querySelector('[aria-label=\"Remove Osier Bend\"]')")
	p.Quiet()
}

// TestComparedSince: what came, went and changed in the data after a run is
// told, though no record of it is kept.
func TestComparedSince(t *testing.T) {
	path := filepath.Join(data, "weir.db") // a source stays as long as the service does
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer db.Close()
	execute := func(text string) {
		t.Helper()
		_, err := db.Exec(text)
		require.NoError(t, err)
	}
	execute("create table levels (id integer primary key, read_on date, mm integer); insert into levels values (1, '2025-03-01', 10), (2, '2025-03-02', 20), (3, '2025-03-03', 30), (4, '2025-04-01', 40)")
	require.Equal(t, 0, pikegate(t, "source", "add", "weir", "--at", path).code)
	file := filepath.Join(t.TempDir(), "weir.yaml")
	require.NoError(t, os.WriteFile(file, []byte("kind: query\nname: weir-levels\nsource: weir\nfrom: levels\nparameters: [{name: period, kind: period}]\ncolumns: [read_on, mm]\ncriteria: read_on within :period\n---\nkind: report\nname: weir-levels\nquery: weir-levels\n"), 0o600))
	require.Equal(t, 0, pikegate(t, "push", file).code)
	require.Equal(t, 0, pikegate(t, "publish", "weir-levels").code)
	run := func() string {
		r := pikegate(t, "run", "weir-levels", "--set", "period=2025-03", "--format", "csv")
		require.Equal(t, 0, r.code, r.err)
		return r.runNumber(t)
	}
	first := run()
	execute("insert into levels values (5, '2025-03-31', 9007199254740993); update levels set mm = 21 where id = 2; delete from levels where id = 3; insert into levels values (6, '2025-04-02', 60)")
	second := run()
	r := pikegate(t, "compare", first, second)
	require.Equal(t, 0, r.code, r.err)
	assert.Equal(t, fmt.Sprintf("since %[1]s  2025-03-02  21\nsince %[1]s  2025-03-31  9007199254740993\n", first), r.out)
	assert.Contains(t, r.err, fmt.Sprintf("Run %s found 3 records then and finds 3 records now: 2 came since or changed, 2 are no longer there as they were.", first))
	assert.Contains(t, r.err, fmt.Sprintf("Run %s found 3 records then and finds 3 records now.", second))
	p := browser.Open(t, address+"/#/runs/"+first+"/compare/"+second, 1280, 800)
	p.Wait("document.querySelectorAll('[data-difference=since]').length === 2")
	assert.Contains(t, p.Text("[aria-label='First run']"), "2 came or have other values, 2 are no longer there as they were")
	assert.Contains(t, p.Text("[aria-label='Second run']"), "The data are the same as then.")
	p.Quiet()
}

// TestRenews: where a reader wants it, the result follows the answers; the field that is
// typed into stays open, and the address goes along.
func TestRenews(t *testing.T) {
	p := browser.Open(t, address+"/#/reports", 1280, 800)
	p.Wait("document.querySelectorAll('main li').length > 3")
	p.Eval("location.hash = '#/reports/jobs-due?period=2025-03'; 1")
	p.Wait(resultShown)
	march := len(jobs("2025-03-01", "2025-03-31"))
	require.Equal(t, strconv.Itoa(march), p.Eval("document.querySelector('[data-count]').dataset.count.replace(/\"/g, '') * 1"))
	p.Click("[data-slot=period]")
	p.Wait("document.querySelector('#q-period-words')")
	p.Type("#q-period-words", "2025-04")
	p.Wait("document.querySelector('#opened [data-readback]').textContent.includes('30 days') && document.body.textContent.includes('Answers changed')")
	p.Click("[name=renews]")
	count := func(n int) {
		t.Helper()
		p.Wait(fmt.Sprintf("document.querySelector('[data-outcome=done]') && document.querySelector('[data-count]')?.dataset.count === '%d'", n))
	}
	count(len(jobs("2025-04-01", "2025-04-30")))
	p.Type("#q-period-words", "2025-05")
	count(len(jobs("2025-05-01", "2025-05-31")))
	assert.Equal(t, `"q-period-words"`, p.Eval("document.activeElement.id"))
	p.Type("#q-period-words", "2025-0")
	p.Wait("document.querySelector('#opened [data-problem]')")
	p.Type("#q-period-words", "2025-06")
	count(len(jobs("2025-06-01", "2025-06-30")))
	assert.Equal(t, `true`, p.Eval("location.hash.includes('2025-06')"))
	p.Visit(address + "/#/reports/jobs-due?period=2025-03")
	p.Wait(resultShown)
	assert.Equal(t, "true", p.Eval("document.querySelector('[name=renews]').checked"), "it is kept")
	p.Quiet()
}
