package tmpshot

import (
	"testing"
	"time"

	"pikegate/testing/browser"
)

func TestY(t *testing.T) {
	p := browser.Open(t, "http://127.0.0.1:7180/#/build/new/report?source=navigation&table=passages", 1280, 800)
	time.Sleep(3 * time.Second)
	t.Log(p.Eval("Object.keys(localStorage).join() + document.querySelector('main').textContent.slice(0,300)"))
	p.Quiet()
}
