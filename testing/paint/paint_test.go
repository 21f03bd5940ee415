// Package paint measures the console in Chromium: how soon the largest part of a
// page is there, and how long the frames take while many records are scrolled.
package paint

import (
	"bufio"
	"cmp"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// rounds is of how many the median is taken.
const rounds = 9

// demo serves the demonstration and gives its address and its program.
func demo(b *testing.B) (address, binary string) {
	b.Helper()
	folder := b.TempDir()
	binary = filepath.Join(folder, "pikegate")
	out, err := exec.Command("go", "build", "-o", binary, "pikegate/cmd/pikegate").CombinedOutput()
	require.NoError(b, err, string(out))
	serve := exec.Command(binary, "demo", "--data", filepath.Join(folder, "data"), "--listen", "127.0.0.1:0")
	lines, err := serve.StdoutPipe()
	require.NoError(b, err)
	require.NoError(b, serve.Start())
	b.Cleanup(func() {
		require.NoError(b, serve.Process.Signal(syscall.SIGTERM))
		_ = serve.Wait() // how it ends is tried elsewhere
	})
	first, err := bufio.NewReader(lines).ReadString('\n')
	require.NoError(b, err)
	fields := strings.Fields(first)
	at := slices.IndexFunc(fields, func(f string) bool { return strings.HasPrefix(f, "http://") })
	require.GreaterOrEqual(b, at, 0, first)
	return strings.TrimSuffix(fields[at], "."), binary
}

func median[T cmp.Ordered](values []T) T {
	slices.Sort(values)
	return values[len(values)/2]
}

// BenchmarkLargestPaint: how long after it was asked for the largest part of a
// page is painted, each page opened for the first time; medians.
func BenchmarkLargestPaint(b *testing.B) {
	address, _ := demo(b)
	for name, page := range map[string]struct{ hash, ready string }{
		"reports": {"", "document.querySelectorAll('main li').length > 3"},
		"asking":  {"#/reports/passages-by-date", "document.querySelector('[data-strip]')"}, /* nothing is under way any more */
		"result":  {"#/reports/passages-by-date?period=2025-03-31", "document.querySelector('[role=grid] td')"},
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				var paints []float64
				p := browser.Open(b, "about:blank", 1280, 800)
				p.Uncached()
				for range rounds {
					p.Visit(address + "/" + page.hash)
					p.Wait(page.ready)
					p.Eval("new PerformanceObserver(l => window.largest = l.getEntries().at(-1).startTime).observe({ type: 'largest-contentful-paint', buffered: true }); 1")
					p.Wait("window.largest")
					time.Sleep(200 * time.Millisecond) // one that is larger still may come
					var at float64
					p.Read("window.largest", &at)
					paints = append(paints, at)
				}
				b.ReportMetric(median(paints), "ms/paint")
			}
			b.ReportMetric(0, "ns/op")
		})
	}
}

// BenchmarkScroll: a hundred thousand records scrolled from the first to the last
// in steps of a page; the longest frame, medians.
func BenchmarkScroll(b *testing.B) {
	address, binary := demo(b)
	push := exec.Command(binary, "push", "-", "--server", address)
	push.Stdin = strings.NewReader("kind: query\nname: every-passage\nsource: navigation\nfrom: passages\ncolumns: [id, passed_at, direction, toll_pence]\nsort: [id]\n---\nkind: report\nname: every-passage\nquery: every-passage\n")
	out, err := push.CombinedOutput()
	require.NoError(b, err, string(out))
	out, err = exec.Command(binary, "publish", "every-passage", "--server", address).CombinedOutput()
	require.NoError(b, err, string(out))
	for b.Loop() {
		var longest, all []float64
		p := browser.Open(b, "about:blank", 1280, 800)
		for range rounds {
			p.Visit(address + "/#/reports/every-passage")
			p.Wait("document.querySelector('form')")
			p.Press("Run")
			p.Wait("document.querySelector('[data-outcome=done]') && document.querySelector('[role=grid] td')")
			p.Eval(`(() => {
				const box = document.querySelector('[role=grid]').parentElement, frames = [];
				const step = box.scrollHeight / 120;
				let last = performance.now();
				const next = (now) => {
					frames.push(now - last);
					last = now;
					box.scrollTop += step;
					if (box.scrollTop + box.clientHeight < box.scrollHeight - 1) requestAnimationFrame(next);
					else window.frames = frames.slice(2);
				};
				requestAnimationFrame(next);
			})(); 1`)
			p.Wait("Array.isArray(window.frames) && window.frames.length")
			var frames []float64
			p.Read("window.frames", &frames)
			longest, all = append(longest, slices.Max(frames)), append(all, frames...)
		}
		b.ReportMetric(median(longest), "ms/longest-frame")
		b.ReportMetric(median(all), "ms/frame")
	}
	b.ReportMetric(0, "ns/op")
}
