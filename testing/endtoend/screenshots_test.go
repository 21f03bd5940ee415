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

// TestScreenshots renews the documentation's pictures; `make screenshots`.
func TestScreenshots(t *testing.T) {
	if *screenshots == "" {
		t.Skip("no folder was given with -screenshots")
	}
	for _, mode := range []string{"light", "dark"} {
		p := browser.Open(t, address, 1280, 800)
		if mode == "dark" {
			p.Press("Dark")
		}
		shot := func(name string) { p.Shot(filepath.Join(*screenshots, name+"-"+mode+".png")) }
		p.Wait("document.querySelectorAll('main li').length > 3")
		if mode == "light" {
			shot("console-reports")
		}
		p.Click("a[href$='passages-by-date']")
		p.Wait("document.querySelector('#q-period-start')")
		p.Type("#q-period-start", "31 Feb 2025")
		p.Type("#q-period-end", "2025-01-31")
		p.Wait("document.querySelector('[data-problem=no_such_date]')")
		shot("console-problems")
		p.Type("#q-period-start", "2025-03-30")
		p.Type("#q-period-end", "2025-03-31")
		p.Wait("document.querySelector('[data-readback]').textContent.includes('2 days')")
		p.Press("Run")
		p.Wait("document.querySelector('[data-outcome=done]')")
		shot("console-result")
		p.Click("button[aria-label^='Pick start']")
		p.Wait("document.querySelector('[data-part=table-cell-trigger]')")
		if mode == "light" {
			shot("console-calendar")
		}
		p.Keys("\x1b")
		p.Press("Ask how")
		p.Wait("document.querySelector('dialog pre')")
		if mode == "light" {
			shot("console-explain")
		}
		if mode == "light" {
			p = browser.Open(t, address+"/#/reports/invoices-issued", 1280, 800)
			p.Wait("document.querySelector('#q-owner option[value=\"R. Aldous\"]')")
			p.Eval("const s = document.querySelector('#q-owner'); s.value = 'R. Aldous'; s.dispatchEvent(new Event('change', { bubbles: true })); 1")
			p.Type("#q-period-start", "2025-03-12")
			p.Type("#q-period-end", "2025-03-18")
			p.Wait("document.querySelector('[data-readback]').textContent.includes('7 days')")
			p.Press("Run")
			p.Wait("document.querySelector('[data-advice]')")
			shot("console-nothing")
			p = browser.Open(t, address+"/#/reports/tolls-by-month?period=2025-Q4", 1280, 800)
			p.Wait("document.querySelector('[data-group]')")
			shot("console-groups")
			p = browser.Open(t, address+"/#/runs/1", 1280, 800)
			p.Wait("document.querySelector('[data-repeat]')")
			shot("console-run")
			p = browser.Open(t, address+"/#/reports/passages-by-date?period=2025-03-31", 390, 844)
			p.Wait("document.querySelector('[data-outcome=done]') && document.querySelector('[data-strip]')")
			shot("console-phone")
		}
		p.Quiet()
	}
}

// commands are the pictures of the command line.
var commands = []struct {
	name string
	args []string
}{
	{"command-run", []string{"run", "passages-by-date", "--start", "2025-03-30", "--end", "2025-03-30", "--set", "locks=Harrow Top"}},
	{"command-refused", []string{"run", "passages-by-date", "--start", "31 Feb 2025", "--end", "2025-13-01", "--set", "lcks=Mossgill"}},
	{"command-explain", []string{"explain", "jobs-due", "--set", "period=first week of 2025"}},
	{"command-ask", []string{"ask", "passages-by-date", "--as-of", "2025-12-31"}},
	{"command-period", []string{"period", "last 3 months including today", "--as-of", "2025-03-31", "--zone", "Europe/London"}},
	{"command-coverage", []string{"coverage", "passages-by-date", "--by", "quarter", "--set", "locks=Harrow Top"}},
	{"command-why", []string{"why", "jobs-due", "--start", "2023-03-01", "--end", "2023-03-07", "--set", "locks=Harrow Top"}},
	{"command-source", []string{"source", "show", "navigation"}},
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
