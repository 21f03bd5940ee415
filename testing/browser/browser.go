// Package browser drives Debian's headless Chromium for tests of the console
// and for the screenshots of the documentation.
package browser

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// Page is one tab, and everything its page complained about.
type Page struct {
	testing.TB
	ctx context.Context

	mu         sync.Mutex
	complaints []string
}

// patience is how long a page may take to come to a state that is waited for; long,
// since all tests together keep a small machine busy.
const patience = 60 * time.Second

// chromium is the browser that all tests of a process share: each page has cookies,
// storage and cache of its own, and starting takes longer than most of what they do. It is
// Chromium without windows and menus, of which nothing is tried and which cost a third more.
var chromium = sync.OnceValues(func() (context.Context, error) {
	path, err := exec.LookPath("chromium-headless-shell")
	if err != nil {
		path, err = exec.LookPath("chromium") // does as well
	}
	if err != nil {
		return nil, fmt.Errorf("the browser tests need Debian's package chromium-headless-shell; `make test` installs it: %w", err)
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true), chromedp.Flag("lang", "en-GB"))
	allocator, _ := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, _ := chromedp.NewContext(allocator)
	started = ctx
	return ctx, chromedp.Do(ctx) // it starts with the first action
})

var started context.Context

// Close ends the browser, if it was started, after the last test of a process.
func Close() {
	if started == nil {
		return
	}
	closing, done := context.WithTimeout(started, patience)
	defer done()
	_ = chromedp.Cancel(closing) // it ends with the process in any case
}

// Open opens a tab of that size at an address. Without Chromium the test fails and says
// what to install.
func Open(t testing.TB, address string, width, height int64) *Page {
	t.Helper()
	shared, err := chromium()
	require.NoError(t, err)
	ctx, cancel := chromedp.NewContext(shared, chromedp.WithNewBrowserContext())
	t.Cleanup(func() {
		closing, done := context.WithTimeout(ctx, patience)
		defer done()
		_ = chromedp.Cancel(closing) // a tab that does not close goes with the browser
		cancel()
	})
	p := &Page{TB: t, ctx: ctx}
	require.NoError(t, chromedp.Do(ctx, chromedp.EmulateViewport(width, height)))
	messages := chromedp.Console(ctx)
	go p.listen(messages)
	p.Do(chromedp.Navigate(address))
	return p
}

// Visit loads another address from nothing, whatever it has in common with the
// one before.
func (p *Page) Visit(address string) {
	p.Helper()
	p.Do(chromedp.Navigate("about:blank"))
	p.Do(chromedp.Navigate(address))
}

// Crash ends the process of the tab at once, as a fault in it would, and opens the address
// in another tab of the same person.
func (p *Page) Crash(address string) {
	p.Helper()
	ctx, cancel := chromedp.NewContext(p.ctx)
	p.Cleanup(cancel)
	p.check(chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)), "a second tab")
	crashing, done := context.WithTimeout(p.ctx, time.Second)
	defer done()
	_, _ = chromedp.Call(crashing, page.Crash, cdp.Empty{}) // nobody is left to answer
	p.ctx = ctx
	messages := chromedp.Console(ctx)
	go p.listen(messages)
	p.Do(chromedp.Navigate(address))
}

// listen keeps what the page logs as errors, refusals by the security policy
// among them, and exceptions nobody caught.
func (p *Page) listen(messages func(yield func(chromedp.ConsoleMessage, error) bool)) {
	for m, err := range messages {
		if err != nil {
			return
		}
		// A refusal is an answer like another; the browser logs it all the same.
		refusal := m.Source == "network" && strings.Contains(m.Text, "422")
		if !refusal && (m.IsException() || m.Type == "error" || m.Source == "security") {
			p.mu.Lock()
			p.complaints = append(p.complaints, m.String())
			p.mu.Unlock()
		}
	}
}

// Quiet fails the test if the page complained about anything but the answers
// it asked for and shows.
func (p *Page) Quiet() {
	p.Helper()
	p.mu.Lock()
	defer p.mu.Unlock()
	require.Empty(p, p.complaints, "the page complained")
}

// Do runs actions, each of which must succeed in time.
func (p *Page) Do(actions ...chromedp.Action[chromedp.Void]) {
	p.Helper()
	for i, action := range actions {
		ctx, cancel := context.WithTimeout(p.ctx, patience)
		err := chromedp.Do(ctx, action)
		cancel()
		p.check(err, fmt.Sprintf("action %d", i+1))
	}
}

// check fails the test with a picture of how the page looked.
func (p *Page) check(err error, what string) {
	p.Helper()
	if err == nil {
		return
	}
	path := filepath.Join(os.TempDir(), "pikegate-failed.png")
	if png, shotErr := chromedp.Run(p.ctx, chromedp.CaptureScreenshot()); shotErr == nil {
		_ = os.WriteFile(path, png, 0o644) // the failure is told in any case
	}
	require.NoError(p, err, "%s (the page looked like %s)", what, path)
}

// Eval evaluates JavaScript and gives its value as JSON.
func (p *Page) Eval(script string) string {
	p.Helper()
	value, err := p.evaluate(script)
	p.check(err, script)
	return value
}

func (p *Page) evaluate(script string) (string, error) {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	value, err := chromedp.Run(ctx, chromedp.Evaluate[[]byte](script))
	return string(value), err
}

// Read evaluates JavaScript into a value.
func (p *Page) Read(script string, into any) {
	p.Helper()
	p.check(json.Unmarshal([]byte(p.Eval(script)), into), script)
}

// navigating is what Chromium says of a script that a page's going cut off.
const navigating = "Inspected target navigated or closed"

// Wait waits until a JavaScript condition holds; on a page that is just loaded
// anew it is asked again.
func (p *Page) Wait(condition string) {
	p.Helper()
	end := time.Now().Add(patience)
	for {
		value, err := p.evaluate("Boolean(" + condition + ")")
		if err != nil && !strings.Contains(err.Error(), navigating) {
			p.check(err, condition)
		}
		if err == nil && value == "true" {
			return
		}
		if time.Now().After(end) {
			p.check(context.DeadlineExceeded, "waiting for "+condition)
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// Type puts text into a field as the keyboard does, in place of what is there.
func (p *Page) Type(selector, text string) {
	p.Helper()
	p.Eval("document.querySelector(" + quote(selector) + ").focus(); document.activeElement.select(); 1")
	if text == "" {
		text = "\b"
	}
	p.Keys(text)
}

// Keys presses keys, wherever the focus is.
func (p *Page) Keys(keys string, options ...chromedp.KeyOption) {
	p.Helper()
	p.Do(chromedp.KeyEvent(keys, options...))
}

// Click clicks what the selector finds.
func (p *Page) Click(selector string) {
	p.Helper()
	p.Do(chromedp.Click(chromedp.CSS(selector)))
}

// Drag drags the mouse from the middle of one element to that of another.
func (p *Page) Drag(from, to string) {
	p.Helper()
	var at [4]float64
	middle := "(e => { const b = e.getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2] })"
	p.Read("["+middle+"("+from+"), "+middle+"("+to+")].flat()", &at)
	p.Do(chromedp.DragAndDropXY(at[0], at[1], at[2], at[3]))
}

// Press clicks the button that reads so.
func (p *Page) Press(label string) {
	p.Helper()
	p.Eval("[...document.querySelectorAll('button')].find(b => !b.disabled && b.textContent.trim() === " + quote(label) + ").click(); 1")
}

// Follow follows the link that reads so.
func (p *Page) Follow(label string) {
	p.Helper()
	p.Eval("[...document.querySelectorAll('a')].find(a => a.textContent.trim() === " + quote(label) + ").click(); 1")
}

// Choose takes an option of a list as a person does.
func (p *Page) Choose(selector, option string) {
	p.Helper()
	p.Eval("(s => { s.value = " + quote(option) + "; s.dispatchEvent(new Event('change', { bubbles: true })) })(document.querySelector(" + quote(selector) + ")); 1")
}

// Text is the text of what the selector finds, its white space folded.
func (p *Page) Text(selector string) string {
	p.Helper()
	var text string
	p.Read("document.querySelector("+quote(selector)+").textContent.replace(/\\s+/g, ' ').trim()", &text)
	return text
}

// Shot writes a picture of what is in view.
func (p *Page) Shot(path string) {
	p.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	p.check(err, "a screenshot")
	require.NoError(p, os.WriteFile(path, png, 0o644))
}

// Print gives the page as a PDF, as it would come out of a printer.
func (p *Page) Print() []byte {
	p.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	pdf, err := chromedp.Run(ctx, chromedp.PrintToPDF(chromedp.PDFPreferCSSPageSize(), chromedp.PDFPrintBackground()))
	p.check(err, "printing")
	return pdf
}

// Downloads has files saved into a folder.
func (p *Page) Downloads(folder string) {
	p.Helper()
	_, err := chromedp.CallBrowser(p.ctx, browser.SetDownloadBehavior, browser.SetDownloadBehaviorParams{
		Behavior: browser.SetDownloadBehaviorBehaviorAllow, DownloadPath: folder, BrowserContextID: chromedp.FromContext(p.ctx).BrowserContextID,
	})
	p.check(err, "where files are saved")
}

// Uncached has every file asked for anew, as by who comes for the first time.
func (p *Page) Uncached() {
	p.Helper()
	_, err := chromedp.Call(p.ctx, network.Enable, network.EnableParams{})
	p.check(err, "the network")
	_, err = chromedp.Call(p.ctx, network.SetCacheDisabled, network.SetCacheDisabledParams{CacheDisabled: true})
	p.check(err, "no cache")
}

// Late has what pages ask of the service answered that much later, and the last line of
// each answer as much later again, as over a slow line.
func (p *Page) Late(by time.Duration) {
	p.Helper()
	_, err := chromedp.Call(p.ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{
		Source: fmt.Sprintf(late, by.Milliseconds()),
	})
	p.check(err, "a slow line")
}

const late = `
const fetched = window.fetch;
const later = () => new Promise((go) => setTimeout(go, %d));
window.fetch = async (...of) => {
	await later();
	const answer = await fetched(...of);
	if (!answer.body) return answer;
	let last = '';
	const slow = new TransformStream({
		transform(text, out) {
			text = last + text;
			const end = text.lastIndexOf('\n', text.length - 2) + 1;
			out.enqueue(text.slice(0, end));
			last = text.slice(end);
		},
		async flush(out) {
			await later();
			out.enqueue(last);
		},
	});
	const body = answer.body.pipeThrough(new TextDecoderStream()).pipeThrough(slow).pipeThrough(new TextEncoderStream());
	return new Response(body, { status: answer.status, headers: answer.headers });
};`

// Language is what the pages that are loaded from now on take for the reader's.
func (p *Page) Language(tag string) {
	p.Helper()
	var agent string
	p.Read("navigator.userAgent", &agent)
	_, err := chromedp.Call(p.ctx, emulation.SetUserAgentOverride, emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: tag})
	p.check(err, "the reader's language")
}

func quote(s string) string {
	b, err := json.Marshal(s)
	if err != nil {
		panic("browser: text is always JSON: " + err.Error())
	}
	return string(b)
}
