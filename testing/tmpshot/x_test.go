package tmpshot

import (
	"testing"
	"time"

	"pikegate/testing/browser"
)

const fill = "const set=(n,v)=>{const e=document.querySelector('[name='+n+']');e.value=v;e.dispatchEvent(new Event('input',{bubbles:true}))};"

func TestShots(t *testing.T) {
	p := browser.Open(t, "http://127.0.0.1:7180/", 1280, 800)
	time.Sleep(1500 * time.Millisecond)
	p.Shot("/tmp/s-signin.png")
	p.Eval("(()=>{"+fill+"set('name','ada');set('password','nine barges at the lock');document.querySelector('form').requestSubmit()})()")
	time.Sleep(2 * time.Second)
	p.Shot("/tmp/s-reports.png")
	for _, page := range []string{"account", "people", "rights", "audit"} {
		p.Eval("location.hash='#/"+page+"'")
		time.Sleep(1200 * time.Millisecond)
		p.Shot("/tmp/s-"+page+".png")
	}
	w := browser.Open(t, "http://127.0.0.1:7180/#/welcome/4gq5kdwtit5yazpqm9h5m8ztjxzad47bqp6h7runcbbquediv5ga", 1280, 800)
	time.Sleep(1200 * time.Millisecond)
	w.Shot("/tmp/s-welcome.png")
}
