package tmpshot

import (
	"testing"
	"time"

	"pikegate/testing/browser"
)

func TestX(t *testing.T) {
	for _, s := range []struct {
		name string
		w, h int64
		dark bool
	}{{"p1", 390, 844, false}, {"p2", 1920, 1080, true}} {
		p := browser.Open(t, "http://127.0.0.1:7180/#/build/report/tolls-by-month", s.w, s.h)
		p.Wait("document.querySelector('[data-condition]') && document.querySelector('[role=grid] td') && document.querySelector('[data-counts]').textContent.trim()")
		if s.dark {
			p.Eval("document.documentElement.dataset.mode = 'dark'; 1")
			p.Click("[data-condition='1'] [data-part=value]")
		}
		time.Sleep(700 * time.Millisecond)
		p.Shot("/tmp/" + s.name + ".png")
	}
}
