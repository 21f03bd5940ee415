package endtoend

import (
	"fmt"
	"html"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"pikegate/testing/browser"
)

// pages are the pictures of the console: what to open, what to wait for, and
// what is done before the picture is taken.
var pages = []struct {
	name, hash, ready string
	dark              bool
	size              [2]int64
	do                func(*browser.Page)
}{
	{name: "console-reports", ready: "document.querySelectorAll('main li').length > 3"},
	{name: "console-result", hash: "#/reports/passages-by-date?period.start=2025-03-29&period.end=2025-03-30&locks=Harrow+Top&locks=Mossgill", ready: resultShown},
	{name: "console-calendar", hash: "#/reports/passages-by-date?period.start=2025-03-30&period.end=2025-03-31", ready: resultShown, do: func(p *browser.Page) {
		p.Click("[data-slot=period]")
		p.Wait("document.querySelector('[data-strip]')")
		p.Click("button[aria-label^='Pick start']")
		p.Wait("document.querySelector('[data-part=table-cell-trigger]')")
	}},
	{name: "console-problems", hash: "#/reports/passages-by-date?period.start=31+Feb+2025&period.end=2025-01-31", ready: "document.querySelector('[data-problem=no_such_date]') && document.querySelector('[data-strip]')"},
	{name: "console-nothing", hash: "#/reports/jobs-due?period.start=2023-03-01&period.end=2023-03-07&locks=Harrow+Top", ready: "document.querySelector('[data-advice]')"},
	{name: "console-chart", hash: "#/reports/tolls-by-month?period=2025", ready: resultShown, do: func(p *browser.Page) {
		p.Press("Chart")
		p.Wait("document.querySelector('[data-drawn=true] svg')")
	}},
	{name: "console-pages", hash: "#/reports/tolls-by-month?period=2025", ready: resultShown, do: func(p *browser.Page) {
		p.Press("Pages")
		p.Wait("document.querySelector('article')")
	}},
	{name: "console-overview", hash: "#/overviews/navigation-at-a-glance?period=2025-03", ready: allShown + " && document.querySelectorAll('[data-drawn=true] svg').length === 2"},
	{name: "console-build", hash: "#/build/new/report?source=navigation&table=passages", ready: "document.querySelector('[data-findings=\"0\"]') && document.querySelector('[data-counts]')?.textContent.trim()", do: func(p *browser.Page) {
		b := &steps{Page: p}
		b.press("+ condition")
		b.press("Region")
		b.press("Asked")
		b.press("Ask a new question")
		b.settled()
		b.press("+ condition")
		b.press("Toll pence")
		p.Wait("document.querySelector('[data-panel] input')")
		p.Choose("[data-panel] input", "1500")
		b.settled()
		b.click("[data-condition='2'] [data-part=comparison]")
		b.press("is at least")
		b.settled()
		b.click("[data-condition='2'] [aria-label^=More]")
		b.press("Or another condition …")
		p.Wait("document.querySelector('[data-panel] input')")
		b.click("[data-condition='2.1'] [data-part=subject]")
		b.press("Vessel id")
		b.click("[data-condition='2.1'] [data-part=comparison]")
		b.press("is blank")
		b.settled()
		p.Eval("document.activeElement.blur(); 1")
	}},
	{name: "console-publish", hash: "#/drafts/report/passages-by-date", ready: "document.querySelector('[data-reading]') && document.querySelector('[role=grid] td')", do: func(p *browser.Page) {
		field(p, "#f-title", "Every lock passage between two dates")
		p.Wait("document.querySelector('[data-findings=\"0\"]') && document.querySelector('[data-standing=changed]')")
		p.Press("Publish …")
		p.Wait("document.querySelector('dialog [data-changes]')")
	}},
	{name: "console-sources", hash: "#/sources/navigation/passages", ready: "document.querySelector('[data-columns]')?.textContent.includes('119,992') && document.querySelector('[role=grid] td')"},
	{name: "console-phone", size: [2]int64{390, 844}, hash: "#/reports/passages-by-date?period=2025-03-31&region=Wold+Cut", ready: "document.querySelector('#shown-result li button')"},
}

// scheduling are the pictures of schedules, in the demonstration with people.
func scheduling(t *testing.T, n navigation) {
	p := n.enter("cleo")
	p.Visit(n.address + "/#/reports/passages-by-date?period.start=2025-03-29&period.end=2025-03-30")
	p.Wait(resultShown)
	p.Press("Send me this …")
	p.Wait("document.querySelectorAll('[data-times] li').length === 3")
	p.Press("last week")
	p.Choose("[name=format]", "xlsx")
	p.Wait("!document.querySelector('[data-fixed]') && document.querySelector('[data-times]')")
	p.Shot(filepath.Join(*screenshots, "console-send.png"))
	p = n.enter("dev")
	p.Visit(n.address + "/#/schedules/tolls-of-a-month")
	p.Wait("document.querySelector('[data-state=delivered]')")
	p.Shot(filepath.Join(*screenshots, "console-schedule.png"))
}

const resultShown = "document.querySelector('[data-outcome=done]') && document.querySelector('[role=grid] td')"

// TestScreenshots renews the documentation's pictures; `make screenshots`.
func TestScreenshots(t *testing.T) {
	if *screenshots == "" {
		t.Skip("no folder was given with -screenshots")
	}
	shoot := func(name, hash, ready string, dark bool, size [2]int64, do func(*browser.Page)) {
		if size[0] == 0 {
			size = [2]int64{1280, 800}
		}
		p := browser.Open(t, address+"/"+hash, size[0], size[1])
		if dark {
			p.Press("Dark")
		}
		p.Wait(ready)
		if do != nil {
			do(p)
		}
		p.Wait("document.getAnimations().length === 0")
		p.Shot(filepath.Join(*screenshots, name+".png"))
		p.Quiet()
	}
	for _, page := range pages {
		shoot(page.name, page.hash, page.ready, page.dark, page.size, page.do)
	}
	var runs []string
	for _, set := range []string{"period=2025-03", "period=2025-03-05/2025-04-05"} {
		r := pikegate(t, "run", "jobs-due", "--set", set, "--format", "csv")
		runs = append(runs, r.runNumber(t))
	}
	shoot("console-compare", "#/runs/"+runs[0]+"/compare/"+runs[1], "document.querySelector('[data-difference]')", false, [2]int64{}, nil)
}

// TestPeopleScreenshots takes the pictures of the demonstration with people.
func TestPeopleScreenshots(t *testing.T) {
	if *screenshots == "" {
		t.Skip("no folder was given with -screenshots")
	}
	n := withPeople(t)
	n.enter("kit")
	p := n.enter("ada")
	p.Visit(n.address + "/#/people")
	p.Wait("document.querySelector('[data-user=kit]')")
	p.Click("[data-user=kit]")
	p.Wait("document.querySelector('dialog [name=role]')")
	p.Shot(filepath.Join(*screenshots, "console-people.png"))
	p.Press("See what they see")
	p.Wait("document.querySelector('[data-seeing]') && document.querySelectorAll('main li').length > 3")
	p.Eval("location.hash = '#/reports/passages-by-date?period.start=2025-03-30&period.end=2025-03-31'; 1")
	p.Wait(resultShown)
	p.Shot(filepath.Join(*screenshots, "console-seeing.png"))
	scheduling(t, n)
}

// commands are the pictures of the command line.
var commands = []struct {
	name string
	args []string
}{
	{"command-run", []string{"run", "passages-by-date", "--start", "2025-03-30", "--end", "2025-03-30", "--set", "locks=Harrow Top"}},
	{"command-refused", []string{"run", "passages-by-date", "--start", "31 Feb 2025", "--end", "2025-13-01", "--set", "lcks=Mossgill"}},
}

// TestCommandScreenshots draws what commands print, as a terminal shows it.
func TestCommandScreenshots(t *testing.T) {
	if *screenshots == "" {
		t.Skip("no folder was given with -screenshots")
	}
	for _, c := range commands {
		r := pikegate(t, c.args...)
		r.out = strings.ReplaceAll(r.out, binary, "pikegate")
		quoted := make([]string, len(c.args))
		for i, a := range c.args {
			if quoted[i] = a; strings.Contains(a, " ") {
				quoted[i] = "'" + a + "'"
			}
		}
		text := "$ pikegate " + strings.Join(quoted, " ") + "\n"
		if before, after, ok := strings.Cut(r.err, "\n\n"); ok && r.out != "" {
			text += before + "\n\n" + r.out + after // as a terminal interleaves the two
		} else {
			text += r.out + r.err
		}
		page := filepath.Join(t.TempDir(), c.name+".html")
		content := fmt.Sprintf(`<meta charset="utf-8"><body style="background:#10171a;margin:0"><pre style="color:#dfe8ea;font:15px/1.4 'DejaVu Sans Mono',monospace;margin:18px">%s</pre>`, html.EscapeString(text))
		if err := os.WriteFile(page, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
		browser.Open(t, "file://"+page, 1280, 800).Shot(filepath.Join(*screenshots, c.name+".png"))
	}
}
