package endtoend

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

const secretWords = "nine barges at the lock"

// navigation is the demonstration with people: its address, its folder, and the links
// that were printed, by user.
type navigation struct {
	testing.TB
	address, folder string
	links           map[string]string
}

// withPeople serves the demonstration with people.
func withPeople(t *testing.T) navigation {
	t.Helper()
	n := navigation{t, "", filepath.Join(t.TempDir(), "data"), map[string]string{}}
	// Hashing takes twenty times as long under the race detector; testing/access looks for
	// races of people.
	cmd := exec.Command(binary, "demo", "--people", "--data", n.folder, "--listen", "127.0.0.1:0")
	complaints, err := os.Create(filepath.Join(t.TempDir(), "complaints"))
	require.NoError(t, err)
	defer complaints.Close()
	complained := func() string {
		said, err := os.ReadFile(complaints.Name())
		require.NoError(t, err)
		return string(said)
	}
	cmd.Stderr = complaints
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		assert.NoError(t, cmd.Process.Signal(syscall.SIGINT))
		assert.NoError(t, cmd.Wait())
		assert.Contains(t, complained(), "the end of the audit log", "noted where whoever changes the records cannot reach it")
		for _, link := range n.links {
			assert.NotContains(t, complained(), strings.TrimPrefix(link, "/#/welcome/"))
		}
	})
	lines, user := bufio.NewScanner(out), ""
	for lines.Scan() && !strings.HasPrefix(lines.Text(), "Press") {
		switch line := strings.TrimSpace(lines.Text()); {
		case n.address == "":
			n.address = line
		case strings.HasPrefix(line, n.address+"/#/welcome/"):
			n.links[user] = strings.TrimPrefix(line, n.address)
		default:
			user, _, _ = strings.Cut(line, " ")
		}
	}
	require.Len(t, n.links, 4, complained())
	go func() {
		for lines.Scan() { // what else it prints
		}
	}()
	return n
}

// enter has somebody set their password with their link, in a browser of their own.
func (n navigation) enter(name string) *browser.Page {
	n.Helper()
	p := browser.Open(n, n.address+n.links[name], 1280, 800)
	p.Wait("document.querySelector('[data-welcome] form')")
	p.Type("[name=password]", secretWords)
	p.Type("[name=again]", secretWords)
	p.Press("Set it and sign in")
	p.Wait("document.querySelector('[data-account]') && document.querySelectorAll('main li').length > 3")
	return p
}

// pikegate runs a command against it.
func (n navigation) pikegate(input, token string, args ...string) result {
	cmd := exec.CommandContext(n.Context(), binary, args...)
	cmd.Env = append(os.Environ(), "PIKEGATE_SERVER="+n.address, "PIKEGATE_TOKENS="+filepath.Join(n.folder, "tokens.json"), "PIKEGATE_TOKEN="+token)
	cmd.Stdin = strings.NewReader(input)
	var out, complaints bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaints
	_ = cmd.Run() // the code tells
	return result{out.String(), complaints.String(), cmd.ProcessState.ExitCode()}
}

// TestPeople: a keeper sets a password, sees the locks of their region and no others, saves
// answers, signs in anew, and has a script sign in.
func TestPeople(t *testing.T) {
	t.Parallel()
	n := withPeople(t)
	p := n.enter("kit")
	assert.NotContains(t, p.Text("header"), "Drafts", "nothing for authors")
	p.Visit(n.address + "/#/reports/passages-by-date?period.start=2025-03-30&period.end=2025-03-31")
	p.Wait("document.querySelector('[data-outcome=done]')")
	want := 0
	for _, passage := range records.Passages {
		if at := passage.PassedAt.In(london()); at.Year() == 2025 && at.Month() == 3 && at.Day() >= 30 && records.Locks[passage.LockID-1].Region == "Upper Tarn" {
			want++
		}
	}
	assert.Equal(t, fmt.Sprint(want), p.Text("[data-count]"))
	assert.Contains(t, p.Text("[data-restricted]"), "Keepers see what passed the locks of their region (your regions: Upper Tarn)")
	p.Wait("document.querySelector('[role=grid] td')")
	assert.NotContains(t, p.Text("[role=grid]"), "Wold Cut")

	// Saved answers: relative words stay as they are; the page begins with them.
	p.Visit(n.address + "/#/reports/jobs-due")
	p.Wait("document.querySelector('#q-period-words')")
	p.Type("#q-period-words", "2025-04")
	p.Wait("document.querySelector('[data-readback]').textContent.includes('30 days')")
	p.Press("Saved answers")
	p.Wait("document.querySelector('[aria-expanded=true]')")
	p.Press("Save these answers …")
	p.Wait("document.querySelector('[name=answers-name]')")
	assert.Equal(t, `"null"`, p.Eval("JSON.stringify(document.querySelector('[name=answers-shared]'))"), "for all readers they are saved by who manages")
	p.Type("[name=answers-name]", "April")
	p.Click("[name=answers-begins]")
	p.Press("Save")
	p.Wait("!document.querySelector('dialog')")
	p.Visit(n.address + "/#/reports/jobs-due")
	p.Wait("document.querySelector('[data-readback]')?.textContent.includes('30 days')")

	// A link for a spreadsheet.
	p.Press("Run")
	p.Wait("document.querySelector('[data-outcome=done]')")
	p.Press("Export")
	p.Wait("document.querySelector('[data-linked]')")
	p.Click("[data-linked]")
	p.Wait("document.querySelector('[data-address]')")
	answer, err := http.Get(p.Text("[data-address]"))
	require.NoError(t, err)
	defer answer.Body.Close()
	assert.Equal(t, 200, answer.StatusCode)
	assert.NotEmpty(t, answer.Header.Get("ETag"))
	p.Press("Close")

	// A token for the command line.
	p.Visit(n.address + "/#/account")
	p.Wait("[...document.querySelectorAll('button')].some(b => b.textContent === 'New token')")
	p.Press("New token")
	p.Wait("document.querySelector('[name=token-name]')")
	p.Type("[name=token-name]", "my laptop")
	p.Press("Make it")
	p.Wait("document.querySelector('[data-token]')")
	token := p.Text("[data-token]")
	p.Press("Close")
	signedIn := n.pikegate(token+"\n", "", "sign-in")
	assert.Contains(t, signedIn.out, "as kit (reader)")
	info, err := os.Stat(filepath.Join(n.folder, "tokens.json"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	assert.Contains(t, n.pikegate("", "", "whoami").out, "Upper Tarn")
	ran := n.pikegate("", "", "run", "jobs-due", "--answers", "April", "--format", "csv")
	assert.Zero(t, ran.code, ran.err)
	assert.NotContains(t, ran.out, "Barley Staithe")
	assert.Equal(t, exitRefused, n.pikegate("", "", "user", "list").code)
	assert.Contains(t, n.pikegate("", "", "sign-out").out, "The token was ended")
	assert.Contains(t, n.pikegate("", token, "whoami").err, "not_signed_in")
	assert.Contains(t, n.pikegate("nonsense\n", "", "sign-in").err, "not_signed_in")

	// A second factor.
	p.Type("[name=confirm]", secretWords)
	p.Press("Set one up")
	p.Wait("document.querySelector('[data-secret]')")
	code, err := totp.GenerateCode(p.Text("[data-secret]"), time.Now())
	require.NoError(t, err)
	p.Type("[name=factor-code]", code)
	p.Press("Confirm")
	p.Wait("document.querySelectorAll('[data-recovery] li').length === 10")
	written := p.Text("[data-recovery] li")

	// Signed out and in, with a code that was written down. A wrong password is told.
	p.Click("[data-account]")
	p.Wait("[...document.querySelectorAll('button')].some(b => b.textContent === 'Sign out')")
	p.Eval("[...document.querySelectorAll('header button')].find(b => b.textContent.trim() === 'Sign out').click(); 1")
	p.Wait("document.querySelector('[data-sign-in] [name=name]')")
	p.Type("[name=name]", "kit")
	p.Type("[name=password]", "guess")
	p.Press("Sign in")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('is not right')")
	p.Type("[name=password]", secretWords)
	p.Press("Sign in")
	p.Wait("document.querySelector('[name=code]')")
	p.Type("[name=code]", written)
	p.Press("Sign in")
	p.Wait("document.querySelector('[data-account]')")
}

// exitRefused is the code of a command whose request was refused.
const exitRefused = 3

// TestAdministrator: an administrator invites somebody, gives rights, looks at who can run
// a report, sees what a keeper sees, tries a row rule for them, and verifies the log; a
// session that ends takes nothing that was typed away.
func TestAdministrator(t *testing.T) {
	t.Parallel()
	n := withPeople(t)
	n.enter("kit")
	p := n.enter("ada")
	p.Visit(n.address + "/#/people")
	p.Wait("document.querySelector('[data-user=kit]') && document.querySelector('[data-group=keepers]')")
	p.Press("New user")
	p.Wait("document.querySelector('[name=user-name]')")
	p.Type("[name=user-name]", "nan")
	p.Eval("document.querySelector('input[value=keepers]').click(); 1")
	p.Type("[name=attributes]", "regions: Wold Cut, Middle Reach")
	p.Press("Make a link for them")
	p.Wait("document.querySelector('[data-link]')")
	n.links["nan"] = strings.TrimPrefix(p.Text("[data-link]"), n.address)
	p.Press("Close")
	nan := n.enter("nan")
	nan.Visit(n.address + "/#/reports/passages-by-date?period=2025-03-30")
	nan.Wait("document.querySelector('[data-outcome=done]') && document.querySelector('[role=grid] td')")
	assert.Contains(t, nan.Text("[data-restricted]"), "Wold Cut")
	assert.NotContains(t, nan.Text("[role=grid]"), "Upper Tarn")

	p.Visit(n.address + "/#/rights")
	p.Wait("document.querySelector('[name=whom]') && document.querySelector('[name=place] option[value=\"source navigation\"]')")
	p.Type("[name=whom]", "user nan")
	p.Choose("[name=place]", "source navigation")
	p.Wait("document.querySelector('[name=right]').value === 'read'")
	p.Choose("[name=place]", "folder ")
	p.Wait("document.querySelector('[name=right]').value === 'run'")
	p.Choose("[name=place]", "source navigation")
	p.Wait("document.querySelector('[name=right]').value === 'read'")
	p.Press("Give")
	p.Wait("[...document.querySelectorAll('main li')].some(l => l.textContent.includes('nan') && l.textContent.includes('read'))")
	p.Type("[name=whom]", "user nobody-there")
	p.Press("Give")
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('nobody-there')")
	p.Choose("[aria-label=Report]", "jobs-due")
	p.Wait("document.querySelector('[data-readers]')?.textContent.includes('is in the group keepers')")

	p.Visit(n.address + "/#/drafts/rule/own-passages")
	p.Wait("document.querySelector('[data-rule-preview] option[value=kit]')")
	p.Choose("[data-rule-preview] select", "kit")
	p.Wait("document.querySelector('[data-rule-preview] [role=grid] td')")

	p.Visit(n.address + "/#/people")
	p.Wait("document.querySelector('[data-user=kit]')")
	p.Click("[data-user=kit]")
	p.Wait("[...document.querySelectorAll('button')].some(b => b.textContent === 'See what they see')")
	p.Press("See what they see")
	p.Wait("document.querySelector('[data-seeing]')?.textContent.includes('Kit Weir')")
	p.Wait("document.querySelectorAll('main li').length > 3")
	p.Press("Be ada again")
	p.Wait("!document.querySelector('[data-seeing]') && document.querySelector('[data-account]')?.textContent.includes('ada')")

	p.Visit(n.address + "/#/audit?what=see-as")
	p.Wait("document.querySelectorAll('main li').length === 2")
	p.Press("Verify")
	p.Wait("document.querySelector('[data-verified]')?.textContent.includes('are as they were written')")

	// What was typed stays when the session ends.
	nan.Visit(n.address + "/#/reports/jobs-due")
	nan.Wait("document.querySelector('#q-period-words')")
	nan.Type("#q-period-words", "2025-05")
	nan.Wait("document.querySelector('[data-readback]')?.textContent.includes('May 2025')")
	nan.Eval("window.left = false; fetch('api/v1/sign-out', {method: 'POST'}).then(() => (window.left = true)); 1")
	nan.Wait("window.left")
	nan.Press("Run")
	nan.Wait("document.querySelector('[data-sign-in] [name=password]')")
	assert.Contains(t, nan.Text("[data-sign-in]"), "What you typed is still there")
	nan.Type("[name=password]", secretWords)
	nan.Press("Sign in")
	nan.Wait("!document.querySelector('[data-sign-in]') && document.querySelector('[data-outcome=done]')")
	nan.Wait("document.querySelector('[data-slot=period]')?.textContent.includes('31 days')")
}

// TestPeoplePages: axe finds nothing on the pages of people, in both themes.
func TestPeoplePages(t *testing.T) {
	t.Parallel()
	n := withPeople(t)
	p := browser.Open(t, n.address, 1280, 800)
	p.Wait("document.querySelector('[data-sign-in] [data-provider]')")
	accessible(t, p, "sign-in")
	p = n.enter("ada")
	for _, page := range []struct{ hash, ready, click, then string }{
		{"#/account", "document.querySelector('[name=zone] option:nth-child(50)') && document.querySelectorAll('main li').length > 1", "", ""},
		{"#/people", "document.querySelector('[data-user=kit]')", "[data-user=kit]", "document.querySelector('dialog [name=role]')"},
		{"#/rights", "document.querySelectorAll('main li').length > 3", "", ""},
		{"#/audit", "document.querySelectorAll('main li').length > 3", "", ""},
		{"#/drafts/rule/own-locks", "document.querySelector('[data-rule-preview] option[value=kit]')", "", ""},
		{"#/reports/jobs-due", "document.querySelector('#q-period-words')", "main [aria-expanded=false]", "document.querySelector('main [aria-expanded=true]')"},
		{"#/reports", "document.querySelector('[data-account]')", "[data-account]", "document.querySelector('header a[href=\"#/audit\"]')"},
	} {
		p.Visit(n.address + "/" + page.hash)
		p.Wait(page.ready)
		if page.click != "" {
			p.Click(page.click)
			p.Wait(page.then)
		}
		accessible(t, p, page.hash)
	}
}

// TestProviderInBrowser: somebody signs in at the stand-in for an identity provider.
func TestProviderInBrowser(t *testing.T) {
	t.Parallel()
	n := withPeople(t)
	p := browser.Open(t, n.address+"/#/reports/passages-by-date?period=2025-03-30", 1280, 800)
	p.Wait("document.querySelector('[data-provider]')")
	p.Click("[data-provider]")
	p.Wait("document.querySelector('h1')?.textContent === 'Who are you?'")
	p.Follow("Nell Brook")
	p.Wait("document.querySelector('[data-outcome=done]') && document.querySelector('[role=grid] td')")
	assert.Contains(t, p.Text("[data-account]"), "nell")
	assert.Contains(t, p.Text("[role=grid]"), "Wold Cut")
	assert.NotContains(t, p.Text("[role=grid]"), "Upper Tarn")
}

// TestRecovered: at the machine a user is let in again, whether the service runs or not,
// and the installation's key is asked for.
func TestRecovered(t *testing.T) {
	t.Parallel()
	n := withPeople(t)
	made := n.pikegate("", "", "user", "recover", "ada", "--data", n.folder, "--format", "json")
	require.Zero(t, made.code, made.err)
	var link struct{ Link string }
	require.NoError(t, json.Unmarshal([]byte(made.out), &link))
	n.links["ada"] = strings.TrimPrefix(link.Link, n.address)
	n.enter("ada")
	assert.Contains(t, n.pikegate("", "", "user", "recover", "nobody", "--data", n.folder).err, "nobody")
	assert.Equal(t, exitRefused, n.pikegate("", "", "user", "add", "ada", "--role", "reader", "--data", n.folder).code)

	other := filepath.Join(t.TempDir(), "copied")
	require.NoError(t, os.CopyFS(other, os.DirFS(n.folder)))
	assert.Contains(t, n.pikegate("", "", "user", "recover", "ada", "--data", other).err, "the key in", "a copy of the folder without the key gives nothing away")
}
