package tmpshot

import (
	"testing"
	"time"

	"pikegate/testing/browser"
)

func TestX(t *testing.T) {
	p := browser.Open(t, "http://127.0.0.1:7180/#/build/new/report?source=navigation&table=passages", 1280, 800)
	shot := func(name string) { time.Sleep(500 * time.Millisecond); p.Shot("/tmp/" + name + ".png") }
	p.Wait("document.querySelector('[data-condition]') && document.querySelector('[role=grid] td') && document.querySelector('[data-counts]').textContent.trim()")
	p.Click("[data-add-condition]")
	p.Wait("document.querySelector('[data-panel] [role=option]')")
	p.Keys("direction\r")
	p.Wait("document.querySelector('[data-panel] [data-value=upstream]')")
	p.Click("[data-value=upstream]")
	p.Keys("\r")
	p.Wait("document.querySelectorAll('[data-condition]')[1].querySelector('[data-counts]').textContent.trim()")
	p.Click("[data-condition='1'] [aria-label^='More']")
	p.Wait("document.querySelector('[data-panel]')")
	shot("b1")
	p.Press("Or something else …")
	p.Wait("document.querySelector('[data-condition=\"1.1\"]')")
	shot("b2")
	p.Keys("\x1b")
	p.Click("[data-condition='1'] [data-part=value]")
	p.Wait("document.querySelector('[data-panel]')")
	p.Eval("[...document.querySelectorAll('[role=radio]')].find(b => b.textContent === 'Asked').click(); 1")
	p.Press("Ask a new question")
	p.Wait("document.querySelector('[data-card=direction]')")
	shot("b3")
	p.Keys("\x05")
	p.Eval("window.dispatchEvent(new KeyboardEvent('keydown', {key: 'e', ctrlKey: true})); 1")
	shot("b4")
	p.Quiet()
}
