package endtoend

import (
	"path/filepath"
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
		shot("console-reports")
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
		shot("console-calendar")
		p.Keys("\x1b")
		p.Press("Ask how")
		p.Wait("document.querySelector('dialog pre')")
		shot("console-explain")
		p.Quiet()
	}
}
