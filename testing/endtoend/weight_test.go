package endtoend

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"pikegate/testing/browser"
)

// TestWeight: what the first page needs is small and comes in few requests, and
// nothing on a page moves once it is there.
func TestWeight(t *testing.T) {
	t.Parallel()
	for _, page := range []struct {
		hash, ready string
		// most is how many bytes come over the wire, and requests in how many.
		most, requests int
		// moves is how far things may move: choices come as many as there are.
		moves float64
	}{
		{"", "document.querySelectorAll('main li').length > 3", 60_000, 12, 0},
		{"#/reports/passages-by-date", "document.querySelector('[data-strip]') && document.querySelector('.chip')", 90_000, 22, 0.01},
		{"#/reports/passages-by-date?period=2025-03-31", "document.querySelector('[role=grid] td') && document.querySelector('[data-send]:enabled')", 104_000, 24, 0.001},
		{"#/runs", "document.querySelector('main h1')", 70_000, 14, 0},
	} {
		p := browser.Open(t, "about:blank", 1280, 800)
		p.Late(150 * time.Millisecond) // each answer is drawn before the next comes
		p.Visit(address + "/" + page.hash)
		p.Wait(page.ready)
		p.Eval("new PerformanceObserver(l => window.moved = [...window.moved ?? [], ...l.getEntries().filter(e => !e.hadRecentInput).map(e => ({ By: e.value, What: e.sources.map(s => `${s.node?.className ?? s.node?.nodeName}, from ${s.previousRect.y} to ${s.currentRect.y}`).join('; ') }))]).observe({ type: 'layout-shift', buffered: true }); 1")
		time.Sleep(300 * time.Millisecond)
		var loaded struct{ Bytes, Requests int }
		p.Read(`(() => {
			const files = [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')];
			const parts = files.filter(f => !f.name.includes('/api/') && !f.name.endsWith('.svg'));
			return { Bytes: parts.reduce((sum, f) => sum + f.encodedBodySize, 0), Requests: files.length };
		})()`, &loaded)
		assert.Positive(t, loaded.Bytes, page.hash)
		assert.LessOrEqual(t, loaded.Bytes, page.most, "bytes of %q", page.hash)
		assert.LessOrEqual(t, loaded.Requests, page.requests, "requests of %q", page.hash)
		var moved []struct {
			By   float64
			What string
		}
		p.Read("window.moved ?? []", &moved)
		sum := 0.0
		for _, m := range moved {
			sum += m.By
		}
		assert.LessOrEqual(t, sum, page.moves, "what moved on %q: %v", page.hash, moved)
		p.Quiet()
	}
}
