package endtoend

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os/exec"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/demo"
	"pikegate/testing/browser"
)

// pushed keeps the definitions of testdata/questions.yaml in the demonstration, once.
var pushed sync.Once

func questions(t *testing.T) {
	t.Helper()
	pushed.Do(func() {
		r := pikegate(t, "check", "testdata/questions.yaml")
		require.Equal(t, 0, r.code, r.err)
		r = pikegate(t, "push", "testdata/questions.yaml")
		require.Equal(t, 0, r.code, r.err)
		r = pikegate(t, "publish", "every-question", "jobs-open")
		require.Equal(t, 0, r.code, r.err)
	})
}

// ids runs a report and gives the first column.
func ids(t *testing.T, report string, args ...string) []string {
	t.Helper()
	r := pikegate(t, append([]string{"run", report, "--format", "csv"}, args...)...)
	require.Equal(t, 0, r.code, r.err)
	rows, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
	require.NoError(t, err)
	out := []string{}
	for _, row := range rows[1:] {
		out = append(out, row[0])
	}
	return out
}

// passageIDs are the ids of passages upstream of 2025 between two days that
// fit, by the generator's records.
func passageIDs(first, last string, fits func(demo.Passage, demo.Lock, string) bool) []string {
	zone := london()
	out := []string{}
	for _, p := range records.Passages {
		owner := ""
		if p.VesselID > 0 {
			owner = records.Vessels[p.VesselID-1].Owner
		}
		day := p.PassedAt.In(zone).Format("2006-01-02")
		if day >= first && day <= last && day[:4] == "2025" && p.Direction == "upstream" && fits(p, records.Locks[p.LockID-1], owner) {
			out = append(out, fmt.Sprint(p.ID))
		}
	}
	return out
}

func TestEveryQuestion(t *testing.T) {
	questions(t)
	days := []string{"--set", "first=2025-03-30", "--set", "last=31 March 2025"}
	for _, c := range []struct {
		args []string
		fits func(demo.Passage, demo.Lock, string) bool
	}{
		{nil, func(demo.Passage, demo.Lock, string) bool { return true }},
		{[]string{"--set", "reach=Wold Cut"}, func(_ demo.Passage, l demo.Lock, _ string) bool { return l.Region == "Wold Cut" }},
		{[]string{"--set", "lock=2"}, func(_ demo.Passage, l demo.Lock, _ string) bool { return l.ID == 2 }},
		{[]string{"--set", "owner=Tarn Carriers"}, func(_ demo.Passage, _ demo.Lock, o string) bool { return o == "Tarn Carriers" || o == "" }},
		{[]string{"--set", "dearest=7,50"}, func(p demo.Passage, _ demo.Lock, _ string) bool { return p.TollPence <= 750 }},
	} {
		want := passageIDs("2025-03-30", "2025-03-31", c.fits)
		require.NotEmpty(t, want)
		assert.Equal(t, want, ids(t, "every-question", append(days, c.args...)...), "%v", c.args)
	}
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"--set", "last=2025-03-29"}, "last: The end is before the start. [rule_broken]"},
		{[]string{"--set", "dearest=0,50"}, "A toll of a pound or less never occurs."},
		{[]string{"--set", "dearest=7.50"}, "Write it as 1250,50."},
		{[]string{"--set", "way=downstream"}, "not_asked"},
		{[]string{"--set", "year=2024"}, "not_asked"},
		{[]string{"--set", "lock=3"}, "not_offered"}, // that lock closed
		{[]string{"--set", "locks=Mossgil"}, "Did you mean Mossgill?"},
	} {
		args := append([]string{"run", "every-question", "--set", "first=2025-03-30"}, c.args...)
		if !strings.HasPrefix(c.args[1], "last=") {
			args = append(args, "--set", "last=2025-03-31")
		}
		r := pikegate(t, args...)
		assert.Equal(t, 3, r.code, "%v %s", c.args, r.err)
		assert.Contains(t, r.err, c.says)
	}
	r := pikegate(t, "run", "every-question", "--set", "first=2025-03-30", "--set", "last=2025-03-31", "--set", "reach=Wold Cut", "--set", "locks=Harrow Top")
	assert.Equal(t, 0, r.code, "answers that occur, though not together, are no mistake")
	assert.Contains(t, r.err, "No records.")
	r = pikegate(t, "run", "every-question")
	assert.Equal(t, 3, r.code, "not on a terminal nothing is asked")
	assert.Contains(t, r.err, "first: An answer is needed.")
	assert.Contains(t, r.err, "last: An answer is needed.")
}

// TestWholeMonths: only whole months, day and month in the report's own
// order, and blank meaning blank.
func TestWholeMonths(t *testing.T) {
	questions(t)
	open := func(month string) []string {
		out := []string{}
		for _, j := range records.Jobs {
			if iso(j.DueOn)[:7] == month && j.DoneOn.IsZero() {
				out = append(out, fmt.Sprint(j.ID))
			}
		}
		return out
	}
	assert.Equal(t, open("2025-03"), ids(t, "jobs-open", "--set", "month=01/03/2025 to 31/03/2025"))
	r := pikegate(t, "run", "jobs-open", "--set", "month=2025-03-05/2025-03-31")
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "Only whole months are taken here.")
	units := choices(t, "jobs-open", "month", "{}")
	require.Len(t, units, 36)
	assert.Equal(t, "2023-01", units[0].Value)
	assert.EqualValues(t, len(open("2023-01")), units[0].Count)
}

type choice struct {
	Value, Label string
	Count        int
}

func choices(t *testing.T, report, question, body string) (out []choice) {
	t.Helper()
	response := post(t, "/reports/"+report+"/questions/"+question+"/choices?limit=500", body)
	require.Equal(t, 200, response.StatusCode)
	require.NoError(t, json.NewDecoder(response.Body).Decode(&out))
	return out
}

// TestChoices: only what occurs under the other answers, with its counts.
func TestChoices(t *testing.T) {
	questions(t)
	want := map[string]int{}
	for _, row := range passages("2025-12-01", "2025-12-31") {
		if row[2] == "Upper Tarn" {
			want[row[1]]++
		}
	}
	got := choices(t, "passages-by-date", "locks", `{"inputs":{"period":"2025-12","region":"Upper Tarn","locks":["Millrace"]}}`)
	require.Len(t, got, len(want))
	require.NotContains(t, want, "Cold Ferry", "it closed before")
	for _, c := range got {
		assert.Equal(t, want[c.Value], c.Count, c.Value)
	}
	labelled := choices(t, "every-question", "lock", "{}")
	require.Len(t, labelled, 13)
	assert.Equal(t, choice{Value: "10", Label: "Barley Staithe"}, labelled[0])
}

// TestCoverage counts days, weeks, months and years across clock changes and
// compares each with the generator's records.
func TestCoverage(t *testing.T) {
	zone := london()
	key := map[string]func(day string) string{
		"day":   func(day string) string { return day },
		"month": func(day string) string { return day[:7] },
		"year":  func(day string) string { return day[:4] },
	}
	for by, unit := range key {
		want := map[string]int{}
		for _, p := range records.Passages {
			if records.Locks[p.LockID-1].Name == "Harrow Top" {
				want[unit(p.PassedAt.In(zone).Format("2006-01-02"))]++
			}
		}
		r := pikegate(t, "coverage", "passages-by-date", "--by", by, "--set", "locks=Harrow Top", "--set", "period=2024-02", "--format", "json")
		require.Equal(t, 0, r.code, r.err)
		var c struct {
			Total int
			Units []struct {
				Period string
				Count  int
			}
		}
		require.NoError(t, json.Unmarshal([]byte(r.out), &c))
		got := map[string]int{}
		for _, u := range c.Units {
			got[u.Period] = u.Count
		}
		assert.Equal(t, want, got, by)
	}
	r := pikegate(t, "coverage", "jobs-due", "--by", "year")
	assert.Equal(t, 0, r.code)
	assert.Regexp(t, `(?m)^2024  \d+  █+`, r.out)
	assert.Contains(t, r.err, "1,500 records, by year")
}

func TestUses(t *testing.T) {
	questions(t)
	r := pikegate(t, "uses", "reach")
	require.Equal(t, 0, r.code, r.err)
	assert.Regexp(t, `query +every-question +draft and published`, r.out)
	assert.Regexp(t, `report +every-question +draft and published +through every-question`, r.out)
	r = pikegate(t, "uses", "rech")
	assert.Equal(t, 3, r.code)
	assert.Contains(t, r.err, "Did you mean reach?")
}

// TestInterview runs a report on a terminal without its answers: it asks,
// explains a wrong answer and asks again, takes a choice by its number.
func TestInterview(t *testing.T) {
	questions(t)
	cmd := exec.Command("script", "-qec", binary+" run passages-by-date --format csv --server "+address, "/dev/null")
	cmd.Stdin = strings.NewReader("31 Feb 2025\n2025-03-30\n2\n\n")
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	require.NoError(t, cmd.Run(), out.String())
	text := out.String()
	for _, says := range []string{
		"Which days?", "period [needed]:", "February 2025 has no day 31", "= Sun 30 Mar 2025",
		" 1  Middle Reach  (", " 2  Upper Tarn  (", "= Upper Tarn", "locks [any]:",
		fmt.Sprintf("%d records", len(passagesIn("2025-03-30", "Upper Tarn"))),
	} {
		assert.Contains(t, text, says)
	}
	for _, row := range passagesIn("2025-03-30", "Upper Tarn") {
		assert.Contains(t, text, strings.Join(row, ","))
	}
}

func passagesIn(day, region string) (out [][]string) {
	for _, row := range passages(day, day) {
		if row[2] == region {
			out = append(out, row)
		}
	}
	return out
}

// TestPeriodFile reads many expressions from standard input.
func TestPeriodFile(t *testing.T) {
	cmd := exec.Command(binary, "period", "--file", "-", "--as-of", "2026-03-18", "--zone", "UTC", "--date-order", "dmy", "--fiscal-start", "4")
	cmd.Stdin = strings.NewReader("03/04/2026\nlst month\nFY2026\n\"\n")
	out, err := cmd.Output()
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	require.Len(t, lines, 4)
	for i, says := range []string{`"canonical":"2026-04-03"`, `"errors":[{"code":"unknown_word"`, `"from":"2025-04-01"`, `"offset":0,"length":1`} {
		assert.Contains(t, lines[i], says)
		assert.True(t, json.Valid([]byte(lines[i])))
	}
	// A line says the same as one expression by itself.
	single := pikegate(t, "period", "FY2026", "--as-of", "2026-03-18", "--zone", "UTC", "--fiscal-start", "4", "--format", "json")
	assert.JSONEq(t, single.out, lines[2])
}

// TestNothingTypedIsLost: while the service does not answer, what was typed stays
// where it is, and it is read again once the service answers.
func TestNothingTypedIsLost(t *testing.T) {
	p := browser.Open(t, address+"/#/reports/jobs-due", 1280, 800)
	p.Wait("document.querySelector('form')")
	p.Eval("window.answering = window.fetch; window.fetch = () => Promise.reject(new TypeError('gone'))")
	p.Type("#q-period-start", "2025-03-01")
	p.Type("#q-period-end", "2025-03-31")
	p.Wait("document.querySelector('[data-unread]')?.textContent.includes('does not answer')")
	var start string
	p.Read("document.querySelector('#q-period-start').value", &start)
	assert.Equal(t, "2025-03-01", start)
	p.Eval("window.fetch = window.answering")
	p.Type("#q-period-end", "2025-03-30")
	p.Wait("!document.querySelector('[data-unread]') && document.querySelector('[data-readback]').textContent.includes('30 Mar 2025')")

	// A report that is not there is said to be none, and one that is comes after it.
	p = browser.Open(t, address+"/#/reports/none-such", 1280, 800)
	p.Wait("document.querySelector('[role=alert]')?.textContent.includes('none-such')")
	p.Eval("location.hash = '#/reports/jobs-due'")
	p.Wait("document.querySelector('form') && !document.querySelector('main [role=alert]')")
}

// TestQuickChoicesFit: a quick choice that holds no record says so, and the latest month that
// holds some is offered.
func TestQuickChoicesFit(t *testing.T) {
	t.Parallel()
	p := browser.Open(t, address+"/#/reports/passages-by-date", 1280, 800)
	p.Wait("[...document.querySelectorAll('form .chip')].some(c => c.textContent.includes('last month · no records'))")
	assert.Equal(t, "false", p.Eval("[...document.querySelectorAll('form .chip')].some(c => c.textContent.startsWith('2025') && c.textContent.includes('no records'))"))
	assert.Equal(t, "null", p.Eval("document.querySelector('[data-latest]')"), "it is a quick choice itself")

	keep(t, "lately", "kind: report\nname: lately\nquery: lock-passages\nask:\n  - period: {label: 'Which days?', quick: [last month, 2025-11]}\n", "report lately")
	p = browser.Open(t, address+"/#/reports/lately", 1280, 800)
	p.Wait("document.querySelector('[data-latest]')")
	assert.Regexp(t, `^2025-12 · [\d,]+ records, the latest$`, p.Text("[data-latest]"))
	p.Click("[data-latest]")
	p.Wait("document.querySelector('[data-readback]')?.textContent.includes('31 Dec 2025')")
	p.Quiet()
}
