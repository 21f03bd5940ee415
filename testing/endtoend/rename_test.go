package endtoend

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/testing/browser"
)

const wharfage = `kind: parameter
name: dock
parameter: {kind: text, many: true, choices: {query: docks, value: name}}
---
kind: criterion
name: lately
on: passages
parameters:
  - {name: days, kind: period, required: true}
criteria: passed_at within :days -- :days is asked once
---
kind: query
name: docks
source: navigation
from: locks
columns: [name, region]
sort: [name]
---
kind: query
name: wharfage
source: navigation
from: passages
joins:
  - {table: locks, on: passages.lock_id = locks.id}
parameters:
  - use: dock
  - {name: least, kind: decimal}
columns:
  - passages.id # of the passage
  - {name: toll, value: toll_pence / 100}
criteria: |
  meets lately and locks.name in :dock
  and toll_pence >= :least * 100
sort: [toll descending, passages.id]
---
kind: query
name: moorings
source: navigation
from: passages
parameters:
  - {name: days, kind: period, default: last month}
columns: [id, passed_at]
criteria: meets lately or passed_at within :days
sort: [passed_at]
---
kind: report
name: wharfage
query: wharfage
ask:
  - days: {label: Which days?}
  - least
columns: [toll, id]
totals: [sum of toll]
examples:
  - {ask: {days: 2025-03, dock: [Harrow Top]}, expect: {refused: missing}}
---
kind: report
name: moorings
query: moorings
set: {days: 2025-03}
`

// TestRename: a name is another one wherever it is used, after every line was shown; what
// has the old one for good reason stays, and names that are taken are refused.
func TestRename(t *testing.T) {
	keep(t, "wharfage", strings.Replace(wharfage, "  - {ask: {days: 2025-03, dock: [Harrow Top]}, expect: {refused: missing}}\n", "  - {ask: {days: 2025-03, dock: [Harrow Top]}, expect: {first: 2025-03-01}}\n", 1),
		"parameter dock", "criterion lately", "query docks", "query wharfage", "query moorings", "report wharfage", "report moorings")
	done(t, pikegate(t, "publish", "moorings"))
	text := func(kind, name string) string { return pikegate(t, "versions", kind, name, "--show", "0").out }

	// It is shown, and nothing changes.
	before := text("query", "wharfage")
	shown := pikegate(t, "rename", "query", "wharfage", "dues", "--column", "toll")
	done(t, shown)
	assert.Equal(t, `query wharfage
   12  - {name: toll, value: toll_pence / 100}
    →  - {name: dues, value: toll_pence / 100}
   16  sort: [toll descending, passages.id]
    →  sort: [dues descending, passages.id]
report wharfage
    7  columns: [toll, id]
    →  columns: [dues, id]
    8  totals: [sum of toll]
    →  totals: [sum of dues]
`, shown.out)
	assert.Contains(t, shown.err, "Nothing was changed.")
	assert.Equal(t, before, text("query", "wharfage"))

	rename := func(arguments ...string) {
		t.Helper()
		done(t, pikegate(t, append([]string{"rename", "--keep"}, arguments...)...))
	}
	rename("query", "wharfage", "dues", "--column", "toll")
	rename("query", "wharfage", "no", "--column", "id")
	rename("report", "wharfage", "at_least", "--question", "least")
	rename("query", "wharfage", "period", "--question", "days") // asked by the condition it meets, and so by others
	rename("query", "wharfage", "lock", "--question", "dock")   // a shared one
	rename("query", "docks", "lock", "--column", "name")        // that choices come from
	rename("criterion", "lately", "in_these_days")
	rename("query", "docks", "locks-by-name")
	rename("query", "wharfage", "wharf-dues")
	assert.Equal(t, `kind: query
name: wharf-dues
source: navigation
from: passages
joins:
  - {table: locks, on: passages.lock_id = locks.id}
parameters:
  - use: lock
  - {name: at_least, kind: decimal}
columns:
  - {name: "no", value: passages.id} # of the passage
  - {name: dues, value: toll_pence / 100}
criteria: |
  meets in_these_days and locks.name in :lock
  and toll_pence >= :at_least * 100
sort: [dues descending, passages.id]
`, text("query", "wharf-dues"))
	assert.Equal(t, "kind: parameter\nname: lock\nparameter: {kind: text, many: true, choices: {query: locks-by-name, value: lock}}\n", text("parameter", "lock"))
	assert.Equal(t, "kind: criterion\nname: in_these_days\non: passages\nparameters:\n  - {name: period, kind: period, required: true}\ncriteria: passed_at within :period -- :days is asked once\n", text("criterion", "in_these_days"))
	assert.Contains(t, text("query", "moorings"), "  - {name: period, kind: period, default: last month}\ncolumns: [id, passed_at]\ncriteria: meets in_these_days or passed_at within :period\n")
	assert.Contains(t, text("report", "moorings"), "set: {period: 2025-03}\n")
	assert.Contains(t, text("report", "wharfage"), "query: wharf-dues\nask:\n  - period: {label: Which days?}\n  - at_least\ncolumns: [dues, \"no\"]\ntotals: [sum of dues]\nexamples:\n  - {ask: {period: 2025-03, lock: [Harrow Top]}")

	// What is published answers as before, and the new one as well once it is published.
	done(t, pikegate(t, "run", "wharfage", "--set", "days=2025-03", "--format", "csv"))
	done(t, pikegate(t, "publish", "wharfage"))
	ran := pikegate(t, "run", "wharfage", "--set", "period=2025-03", "--set", "lock=Harrow Top", "--format", "csv")
	done(t, ran)
	assert.Equal(t, "dues,no", strings.TrimSpace(strings.Split(ran.out, "\n")[0]))
	done(t, pikegate(t, "run", "moorings", "--format", "csv"))
	done(t, pikegate(t, "publish", "moorings"))

	for _, refused := range []struct{ says, arguments string }{
		{"There is a column dues already. [name_taken]", "query wharf-dues dues --column no"},
		{"There is a question period already. [name_taken]", "report wharfage period --question lock"},
		{"There is a query wharfage already. [name_taken]", "query wharf-dues wharfage"},
		{"There is a parameter dock already. [name_taken]", "report wharfage dock --question lock"},
		{"It is called period already. [same_name]", "report wharfage period --question period"},
		{"There is no column duess of the query wharf-dues. [not_found]\n    Did you mean dues?", "query wharf-dues x --column duess"},
		{`"Per iod" is not a name a question can have. [bad_name]`, "report|wharfage|Per iod|--question|period"},
		{"cannot be renamed. [not_renamed]", "source navigation other"},
	} {
		arguments := strings.Fields(refused.arguments)
		if strings.Contains(refused.arguments, "|") {
			arguments = strings.Split(refused.arguments, "|")
		}
		denied(t, pikegate(t, append([]string{"rename", "--keep"}, arguments...)...), refused.says)
	}
	// The same in the console, for what has no sentence.
	p := &steps{Page: browser.Open(t, address+"/#/drafts/parameter/lock", 1280, 800)}
	p.press("Rename …")
	p.Type("[name=rename-to]", "basin")
	p.press("Show what changes")
	p.Wait("document.querySelector('[data-renamed]')?.textContent.includes('use: basin')")
	p.press("Rename")
	p.Wait("location.hash === '#/drafts/parameter/basin' && document.querySelector('[data-standing=saved]')")
	p.Quiet()
	defer func() { done(t, pikegate(t, "remove", "parameter", "basin", "--anyway")) }()
	for _, id := range []string{"parameter lock", "criterion in_these_days", "query locks-by-name", "query wharf-dues"} {
		kind, name, _ := strings.Cut(id, " ")
		defer func() { done(t, pikegate(t, "remove", kind, name, "--anyway")) }()
	}
}
