package tmpshot

import (
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"pikegate/testing/browser"
)

// lines: address path [width height [js...]]
func TestX(t *testing.T) {
	for _, l := range strings.Split(strings.TrimSpace(os.Getenv("SHOTS")), "\n") {
		f := strings.SplitN(l, " ", 5)
		w, h := int64(1280), int64(800)
		if len(f) > 3 {
			a, _ := strconv.Atoi(f[2])
			b, _ := strconv.Atoi(f[3])
			w, h = int64(a), int64(b)
		}
		p := browser.Open(t, f[0], w, h)
		time.Sleep(1500 * time.Millisecond)
		if len(f) > 4 {
			p.Eval(f[4] + "; ''")
			time.Sleep(1500 * time.Millisecond)
		}
		p.Shot(f[1])
	}
}
