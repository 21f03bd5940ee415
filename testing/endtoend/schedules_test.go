package endtoend

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestSendMe: somebody has a report come by itself, made of what they have before them: it says when
// it comes and what its answers mean then, one comes at once, and it is theirs alone.
func TestSendMe(t *testing.T) {
	t.Parallel()
	n := withPeople(t)
	p := n.enter("cleo")
	p.Visit(n.address + "/#/reports/passages-by-date?period=2025-03-31")
	p.Wait("document.querySelector('[data-outcome=done]')")
	p.Press("Send me this …")
	p.Wait("document.querySelectorAll('[data-times] li').length === 3")
	assert.Contains(t, p.Text("dialog"), "These are the same days each time.")
	accessible(t, p, "send me this")
	p.Press("last week")
	p.Wait("!document.querySelector('[data-fixed]') && !document.querySelector('[data-times]').textContent.includes('2025')")
	p.Choose("[name=often]", "working day")
	p.Wait("document.querySelector('[data-problem=no_calendar]')?.textContent.includes('calendar') || document.querySelectorAll('[data-times] li').length === 3")
	p.Choose("[name=often]", "words")
	p.Type("[name=when]", "every mondy at 07:00")
	p.Wait("document.querySelector('[data-problem=not_understood]') && document.querySelector('[data-save]').disabled")
	p.Type("[name=when]", "on the last friday of every month at 09:00")
	p.Wait("document.querySelectorAll('[data-times] li').length === 3 && !document.querySelector('[data-save]').disabled")
	p.Choose("[name=format]", "xlsx")
	p.Eval("document.querySelector('[name=now]').click(); 1")
	p.Wait("!document.querySelector('[data-save]').disabled")
	p.Press("Send it")
	p.Wait("document.querySelector('dialog [role=status]')?.textContent.includes('comes on the last friday of every month at 09:00')")
	p.Follow("See the schedule")
	p.Wait("document.querySelector('[data-state=delivered]')")
	accessible(t, p, "a schedule")
	assert.Contains(t, p.Text("main"), "cleo@navigation.example")

	r := n.pikegate("", "", "schedule", "show", "passages-by-date@cleo")
	assert.Equal(t, 3, r.code, "the command is nobody")
	page := mailTo(t, n.address, "cleo@")
	assert.Contains(t, page, "Nothing matches all of these criteria. The nearest record before the period is of 2025-12-31")
	assert.Contains(t, page, "Lock passages between two dates, Mon ")

	ada := n.enter("ada")
	ada.Visit(n.address + "/#/people")
	ada.Wait("document.querySelector('[data-user=cleo]')")
	ada.Click("[data-user=cleo]")
	ada.Wait("document.querySelector('[data-hand-over]')?.textContent.includes('One schedule runs for cleo')")
	accessible(t, ada, "handing schedules over")

	p.Press("Pause")
	p.Wait("document.querySelector('[data-paused]')")
	p.Press("Resume")
	p.Wait("!document.querySelector('[data-paused]')")
	p.Click("main li a[href*='#/occurrences/']")
	p.Wait("document.querySelector('[data-part] [data-state=delivered]')")
	accessible(t, p, "an occurrence")
	p.Press("Run again")
	p.Wait("document.querySelector('main [role=status]')?.textContent.includes('It is run again')")
	p.Visit(n.address + "/#/schedules")
	p.Wait("document.querySelectorAll('main li').length === 1")
	accessible(t, p, "schedules")
	p.Visit(n.address + "/#/schedules/passages-by-date@cleo")
	p.Wait("document.querySelectorAll('main li a[href*=\"#/occurrences/\"]').length === 2")
	p.Press("Remove")
	p.Wait("document.querySelector('dialog[open]')")
	accessible(t, p, "removing a schedule")
	p.Eval("document.querySelector('dialog[open] .button-act').click(); 1")
	p.Wait("location.hash === '#/schedules' && document.body.textContent.includes('Nothing comes by itself yet.')")
}

// mailTo is the first mail to an address that the demonstration kept; its own come as well.
func mailTo(t *testing.T, service, address string) (page string) {
	t.Helper()
	for i := 1; i < 6 && !strings.Contains(page, "<dd>"+address); i++ {
		response, err := http.Get(fmt.Sprintf("%s/demo-mail/%d", service, i))
		require.NoError(t, err)
		content, err := io.ReadAll(response.Body)
		require.NoError(t, errors.Join(err, response.Body.Close()))
		page = string(content)
	}
	return page
}

// TestScheduleCommands: what the command line says of the demonstration's schedules, and a file that
// was delivered is known again.
func TestScheduleCommands(t *testing.T) {
	var r result
	require.Eventually(t, func() bool {
		r = pikegate(t, "schedules")
		return r.code == 0 && strings.Count(r.out, " delivered ") == 2
	}, 30*time.Second, 200*time.Millisecond, "those that were run when the demonstration was made")
	assert.Regexp(t, `(?m)^dues-of-a-week +every monday at 07:00 +next \d{4}-\d\d-\d\d 07:00 +delivered +Dues of a week, by owner$`, r.out)
	r = pikegate(t, "schedule", "show", "dues-of-a-week")
	require.Equal(t, 0, r.code, r.err)
	for _, part := range []string{"dues-of-a-week runs invoices-issued, every monday at 07:00 in Europe/London", "To the file dues/{period.from}/{owner}.xlsx", "Once for each owner", "Only if count >= 1", "07:00  Issued when?: Mon "} {
		assert.Contains(t, r.out, part)
	}
	assert.Equal(t, 3, pikegate(t, "schedule", "show", "dues-of-a-weak").code)
	r = pikegate(t, "schedule", "occurrence", "1")
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "dues-of-a-week, due ")
	assert.Contains(t, r.out, "xlsx  delivered")

	files, err := filepath.Glob(filepath.Join(data, "dues", "*", "*.xlsx"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	r = pikegate(t, "verify", files[0])
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "It is what the schedule dues-of-a-week delivered on ")
	assert.Contains(t, r.out, "report      invoices-issued, version 1, run ")
	content, err := os.ReadFile(files[0])
	require.NoError(t, err)
	changed := filepath.Join(t.TempDir(), "changed.xlsx")
	require.NoError(t, os.WriteFile(changed, append(content, 0), 0o600))
	r = pikegate(t, "verify", changed)
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "No delivery had this file")
	assert.FileExists(t, files[0]+".provenance.json")

	assert.Contains(t, pikegate(t, "schedule", "pause", "tolls-of-a-month", "--why", "the lock is dry").out, "tolls-of-a-month is paused: the lock is dry")
	assert.Contains(t, pikegate(t, "schedules").out, "paused")
	assert.Regexp(t, `^tolls-of-a-month: next \d`, pikegate(t, "schedule", "resume", "tolls-of-a-month").out)
	r = pikegate(t, "schedule", "run", "tolls-of-a-month", "--due", "2999-01-01T07:00:00Z")
	assert.Equal(t, 3, r.code)
	r = pikegate(t, "schedule", "make", "jobs-due", "--set", "period=this week", "--when", "every working day at 06:30", "--to", "office@navigation.example")
	assert.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "jobs-due@: every working day at 06:30, next ")
	assert.Equal(t, "removed\n", pikegate(t, "schedule", "remove", "jobs-due@").out)
	r = pikegate(t, "schedule", "destinations")
	assert.Contains(t, r.out, "folder:dues\nkeep\nmail:*\nmail:navigation.example\n")

	// What was kept is the records of a source.
	r = pikegate(t, "source", "show", "kept", "monthly_tolls")
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "kept_as_of")
}
