package tmpshot

import (
	"testing"
	"time"

	"pikegate/testing/browser"
)

func TestY(t *testing.T) {
	p := browser.Open(t, "http://127.0.0.1:7180/#/reports/passages-by-date", 1280, 800)
	time.Sleep(3 * time.Second)
	p.Quiet()
	t.Log(p.Eval("document.querySelector('[data-strip]')?.outerHTML.slice(0,300) ?? 'none'"))
	t.Log(p.Eval("localStorage.getItem('months:passages-by-date') ?? 'no months'"))
	t.Log(p.Eval("JSON.stringify(performance.getEntriesByType('resource').map(r => r.name.slice(-60)+' '+r.duration).slice(-12))"))
}
