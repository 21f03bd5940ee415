package access

import (
	"database/sql"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/parameter"
	"pikegate/internal/api"
	"pikegate/internal/output"
	"pikegate/internal/wire"
	"pikegate/testing/servers"
)

// canal is a database of locks in two regions and the passages through them. What is in
// the South is marked, so that it is found wherever it comes out.
const canal = `create table locks (id integer primary key, name varchar(40), region varchar(20));
	create table passages (id integer primary key, lock_id integer references locks (id), passed varchar(10), toll integer);
	create table weirs (id integer primary key, name varchar(40));
	insert into weirs values (1, 'Long Weir');
	insert into locks values (1, 'Upper lock', 'North'), (2, 'zsouth lower lock', 'zsouth');
	insert into passages values (1, 1, '2026-01-01', 111), (2, 1, '2026-02-01', 222), (3, 2, '2026-01-15', 987654321), (4, 2, '2026-03-01', 987654322), (5, 2, '2025-06-01', 987654323);
	create view tolls_by_lock as select l.name as lock_name, p.toll as toll, p.passed as passed from locks l join passages p on p.lock_id = l.id`

// marks are what nobody who only sees the North may ever be told.
var marks = []string{"zsouth", "98765432", "2026-03-01", "2025-06"}

const canalDefinitions = `kind: query
name: passages
folder: canal
source: canal
from: passages
joins: [{table: locks, on: passages.lock_id = locks.id, optional: true}]
parameters:
  - {name: period, kind: period}
  - {name: lock, kind: text, choices: {column: locks.name}}
columns: [{name: lock, value: locks.name}, passed, toll]
criteria: passed within :period and locks.name = :lock
sort: [passed]
---
kind: report
name: passages
folder: canal
query: passages
totals: [sum of toll]
examples:
  - expect: {rows: "5"}
---
kind: query
name: locks
folder: canal
source: canal
from: locks
columns: [name, {name: busy, value: count of passages}, {name: tolls, value: sum of passages.toll}, {name: last, value: greatest of passages.passed}]
sort: [name]
---
kind: report
name: locks
folder: canal
query: locks
---
kind: query
name: by-hand
folder: canal
source: canal
sql: select l.name as name, count(p.id) as n, max(p.toll) as most from rows(locks) l left join rows(passages) p on p.lock_id = l.id group by l.name
columns: [name, n, most]
sort: [name]
---
kind: report
name: by-hand
folder: canal
query: by-hand
---
kind: overview
name: canal
folder: canal
parts:
  - {report: passages, show: number, of: sum of toll, beside: {question: period, with: year-before}}
  - {report: passages, show: number, of: greatest of toll}
  - {report: passages}
`

const canalRules = `kind: rule
name: own-region
folder: canal
title: Keepers see the locks of their region
source: canal
on: locks
for: [keepers]
criteria: region in :user.regions
unrestricted: [office]
---
kind: rule
name: own-passages
folder: canal
title: Keepers see what passed the locks of their region
source: canal
on: passages
for: [keepers]
criteria: locks.region in :user.regions
unrestricted: [office]
`

// world is the people of the canal.
type world struct {
	*gate
	ada, north, south, office, outside, author *caller
}

// onCanal starts a service on the canal, in an engine, with rules and people.
func onCanal(t *testing.T, kind string) world {
	t.Helper()
	g := open(t)
	source := map[string]any{"name": "canal", "engine": kind, "encodings": map[string]string{"passages.passed": "iso-date"}}
	var db *sql.DB
	switch kind {
	case "sqlite":
		path := filepath.Join(g.folder, "canal.db")
		var err error
		db, err = sql.Open("sqlite3", path)
		require.NoError(t, err)
		defer db.Close()
		source["address"] = path
	default:
		var server *servers.Server
		if kind == "postgresql" {
			server, db = servers.Postgres(t)
		} else {
			server, db = servers.MariaDB(t)
		}
		source["address"], source["database"], source["user"] = server.Address, servers.Database, servers.Reader
	}
	for _, statement := range strings.Split(canal, ";") {
		if kind == "mysql" {
			statement = strings.Replace(statement, "lock_id integer references locks (id)", "lock_id integer, foreign key (lock_id) references locks (id)", 1)
		}
		_, err := db.Exec(statement)
		require.NoError(t, err, statement)
	}
	if kind == "postgresql" {
		_, err := db.Exec("grant select on all tables in schema public to " + servers.Reader)
		require.NoError(t, err)
	}
	anybody := g.nobody()
	anybody.must("POST", "/sources", source)
	anybody.must("POST", "/definitions", map[string]string{"content": canalDefinitions})
	for _, name := range []string{"passages", "locks", "by-hand", "canal"} {
		anybody.must("POST", "/definitions/"+name+"/publish", nil)
	}
	w := world{gate: g, ada: g.administrator("ada")}
	for _, name := range []string{"keepers", "office"} {
		w.ada.must("PUT", "/groups/"+name, map[string]any{"members": []string{}})
	}
	w.ada.must("POST", "/definitions", map[string]string{"content": canalRules})
	for _, name := range []string{"own-region", "own-passages"} {
		w.ada.must("POST", "/definitions/"+name+"/publish", nil)
	}
	join := func(name, role, group, region string) *caller {
		var made wire.Invitation
		body := map[string]any{"name": name, "role": role, "attributes": map[string][]string{"regions": {region}}}
		if group != "" {
			body["groups"] = []string{group}
		}
		g.into(w.ada.must("POST", "/users", body), &made)
		w.ada.give("run", "canal", name)
		return g.welcome(made.Link, name)
	}
	w.north, w.south, w.office, w.outside = join("nora", "reader", "keepers", "North"), join("sid", "reader", "keepers", "zsouth"), join("oli", "reader", "office", "North"), join("out", "reader", "", "North")
	w.author = join("ann", "author", "keepers", "North")
	w.ada.give("publish", "canal", "ann")
	w.ada.must("POST", "/rights", map[string]string{"right": "sql", "source": "canal", "user": "ann"})
	return w
}

// engines are what the rules are tried on.
var engines = []string{"sqlite", "postgresql", "mysql"}

// result is what a run answers with as JSON.
type result struct {
	Rows     [][]any `json:"rows"`
	Count    int64   `json:"count"`
	ReadBack string  `json:"readback"`
	Totals   []any   `json:"totals"`
	Problem  string  `json:"problem"`
}

func (c *caller) rows(report string, body any) result {
	c.Helper()
	var out result
	c.into(c.must("POST", "/reports/"+report+"/runs?format=json", body), &out)
	return out
}

// TestRowRules: everybody gets the answers of a database that has only what they may
// see, by every door, on every engine.
func TestRowRules(t *testing.T) {
	for _, kind := range engines {
		t.Run(kind, func(t *testing.T) {
			t.Parallel()
			w := onCanal(t, kind)
			for _, c := range []struct {
				as                    *caller
				passages, locks, hand int
			}{{w.north, 2, 1, 1}, {w.south, 3, 1, 1}, {w.office, 5, 2, 2}, {w.outside, 0, 0, 0}, {w.ada, 0, 0, 0}, {w.author, 2, 1, 1}} {
				assert.Len(t, c.as.rows("passages", map[string]any{}).Rows, c.passages, c.as.name)
				assert.Len(t, c.as.rows("locks", map[string]any{}).Rows, c.locks, c.as.name)
				assert.Len(t, c.as.rows("by-hand", map[string]any{}).Rows, c.hand, c.as.name)
			}
			assert.Contains(t, w.north.rows("passages", map[string]any{}).ReadBack, "Not all of locks is shown: Keepers see the locks of their region (your regions: North).")
			assert.Contains(t, w.outside.rows("passages", map[string]any{}).ReadBack, "You may see none of locks.")
			assert.Equal(t, "2026-02-01", w.north.rows("locks", map[string]any{}).Rows[0][3])

			proved(t, w)
			tellsNothing(t, w)
			byHand(t, w)
			chosenFrom(t, w)
			ofOthers(t, w)

			// A rule that changes holds from the next run on, and so does an attribute.
			w.ada.must("PATCH", "/users/nora", map[string]any{"attributes": map[string][]string{}})
			assert.Empty(t, w.north.rows("passages", map[string]any{}).Rows, "a blank attribute opens nothing")
			w.ada.refused(422, "bad_name", "PATCH", "/users/nora", map[string]any{"attributes": map[string][]string{"home-lock": {"Upper lock"}}})
			w.ada.must("PATCH", "/users/nora", map[string]any{"attributes": map[string][]string{"regions": {"North", "zsouth"}}})
			assert.Len(t, w.north.rows("passages", map[string]any{}).Rows, 5)
			w.author.must("POST", "/definitions", map[string]string{"content": strings.ReplaceAll(canalRules, "region in :user.regions", "id > 0")})
			w.author.refused(422, "no_right", "POST", "/definitions/own-region/publish", nil)
			w.author.refused(422, "no_right", "DELETE", "/definitions/rule/own-region?anyway=true", nil)
			w.ada.must("POST", "/definitions", map[string]string{"content": strings.Replace(canalRules, "region in :user.regions", "name = 'Upper lock' or region in :user.regions", 1)})
			w.ada.must("POST", "/definitions/own-region/publish", nil)
			assert.Len(t, w.south.rows("locks", map[string]any{}).Rows, 2)
		})
	}
}

// tellsNothing: nothing of the South comes out of any door for who sees the North.
func tellsNothing(t *testing.T, w world) {
	for _, c := range []*caller{w.north, w.author, w.outside, w.ada} {
		for _, call := range []struct{ method, path, body string }{
			{"POST", "/reports/REPORT/runs?format=json", `{}`},
			{"POST", "/reports/REPORT/runs?format=csv", `{}`},
			{"POST", "/reports/REPORT/runs?format=ndjson", `{}`},
			{"POST", "/reports/REPORT/runs?format=json", `{"sort": ["toll descending"]}`},
			{"POST", "/reports/REPORT/runs?format=json", `{"inputs": {"period": "2026-01-20/2026-02-10"}}`},
			{"POST", "/reports/REPORT/runs?format=json", `{"inputs": {"lock": "zsauth lower lock"}}`},
			{"POST", "/reports/REPORT/runs?format=json", `{"inputs": {"lock": "lower"}}`},
			{"POST", "/reports/REPORT/preview", `{"inputs": {"lock": "lower"}}`},
			{"POST", "/reports/REPORT/explain?plan=true", `{"inputs": {"period": "2026-01-20/2026-02-10"}}`},
			{"POST", "/reports/REPORT/why", `{}`},
			{"POST", "/reports/REPORT/why", `{"inputs": {"period": "2024"}}`},
			{"POST", "/reports/REPORT/why", `{"inputs": {"lock": "Upper lock", "period": "2026-03"}}`},
			{"POST", "/reports/REPORT/coverage?by=month", `{}`},
			{"POST", "/reports/REPORT/questions/lock/choices", `{}`},
			{"POST", "/reports/REPORT/questions/lock/choices?search=z", `{}`},
			{"GET", "/reports/REPORT", ""},
			{"GET", "/overviews/canal", ""},
			{"POST", "/overviews/canal/preview", `{"inputs": {"lock": "lower"}}`},
			{"POST", "/overviews/canal/parts/1/number", `{"inputs": {"period": "2026"}}`},
			{"POST", "/overviews/canal/parts/2/number", `{}`},
			{"POST", "/overviews/canal/parts/3/runs", `{}`},
			{"POST", "/overviews/canal/questions/lock/choices", `{}`},
			{"POST", "/overviews/canal/coverage?by=month", `{}`},
			{"POST", "/overviews/canal/runs?format=html", `{"inputs": {"period": "2026"}}`},
			{"GET", "/runs", ""},
			{"GET", "/sources/canal", ""},
			{"GET", "/sources/canal/tables/locks/rows", ""},
			{"GET", "/sources/canal/tables/passages/rows", ""},
			{"GET", "/sources/canal/tables/passages/extents", ""},
			{"GET", "/sources/canal/tables/locks/extents", ""},
			{"GET", "/sources/canal/tables/tolls_by_lock/rows", ""},
			{"GET", "/sources/canal/tables/tolls_by_lock/extents", ""},
			{"GET", "/sources/canal/tables/passages/unfit/passed", ""},
			{"GET", "/reviews/passages", ""},
			{"GET", "/published/check", ""},
			{"POST", "/definitions/check?run=true", `{"content": "kind: report\nname: new\nquery: passages\nexamples: [{expect: {rows: '2'}}, {as: {groups: [office]}, expect: {rows: '5', last: '2026-02-01'}}]"}`},
		} {
			for _, report := range []string{"passages", "locks", "by-hand"} {
				if !strings.Contains(call.path, "REPORT") && report != "passages" {
					continue
				}
				body := call.body
				var sent any
				if body != "" {
					sent = body
				}
				a := c.call(call.method, strings.ReplaceAll(call.path, "REPORT", report), sent)
				for _, mark := range marks {
					if strings.Contains(body, mark) {
						continue
					}
					assert.NotContains(t, a.body, mark, "%s %s %s %s as %s", w.Name(), call.method, strings.ReplaceAll(call.path, "REPORT", report), call.body, c.name)
				}
			}
		}
	}
	var figure output.Figure
	w.into(w.north.must("POST", "/overviews/canal/parts/1/number", `{"inputs": {"period": "2026"}}`), &figure)
	assert.EqualValues(t, 333, figure.Total.Value)
	assert.Contains(t, figure.Restricted, "Not all of passages is shown")
	var covered wire.Coverage
	w.into(w.north.must("POST", "/reports/passages/coverage?by=month", `{}`), &covered)
	assert.EqualValues(t, 2, covered.Total)
	var why wire.Why
	w.into(w.north.must("POST", "/reports/passages/why", `{"inputs": {"period": "2026-03"}}`), &why)
	assert.EqualValues(t, 2, why.Records)
}

// proved: a rule is held against the other conditions before a database is asked.
func proved(t *testing.T, w world) {
	w.author.must("POST", "/definitions", map[string]string{"content": `kind: query
name: elsewhere
folder: canal
source: canal
from: locks
parameters: [{name: region, kind: text}]
columns: [name]
criteria: region = :region
---
kind: report
name: elsewhere
folder: canal
query: elsewhere
`})
	w.author.must("POST", "/definitions/elsewhere/publish", nil)
	reason := func(c *caller, region string) string {
		var out wire.RunRecord
		a := c.must("POST", "/reports/elsewhere/runs?format=json", map[string]any{"inputs": map[string]string{"region": region}})
		w.into(c.must("GET", "/runs/"+a.header.Get(api.RunHeader), nil), &out)
		return out.Reason
	}
	assert.Contains(t, reason(w.north, "West"), "Keepers see the locks of their region (your regions: North)")
	assert.Contains(t, reason(w.south, "North"), "Keepers see the locks of their region (your regions: zsouth)")
	assert.Empty(t, reason(w.north, "North"))
	assert.Empty(t, reason(w.office, "West"), "all of it may be seen")
}

// chosenFrom: what a question offers from another query is under the rules as well.
func chosenFrom(t *testing.T, w world) {
	offer := func(name, query string) {
		w.author.must("POST", "/definitions", map[string]string{"content": fmt.Sprintf("kind: query\nname: list-%[1]s\nfolder: canal\nsource: canal\n%[2]s\n---\nkind: query\nname: chosen-%[1]s\nfolder: canal\nsource: canal\nfrom: weirs\nparameters: [{name: lock, kind: text, choices: {query: list-%[1]s, value: a}}]\ncolumns: [name]\ncriteria: name = :lock\n---\nkind: report\nname: chosen-%[1]s\nfolder: canal\nquery: chosen-%[1]s\n", name, query)})
	}
	offer("table", "from: locks\ncolumns: [{name: a, value: name}]")
	offer("rows", "sql: select name as a from rows(locks)\ncolumns: [a]")
	for _, name := range []string{"table", "rows"} {
		w.author.must("POST", "/definitions/chosen-"+name+"/publish", nil)
		var found []parameter.Choice
		w.into(w.north.must("POST", "/reports/chosen-"+name+"/questions/lock/choices", `{}`), &found)
		require.Len(t, found, 1, name)
		assert.Equal(t, "Upper lock", found[0].Value, name)
		for search, there := range map[string]int{"UPPER": 1, "lower": 0} {
			w.into(w.north.must("POST", "/reports/chosen-"+name+"/questions/lock/choices?search="+search, `{}`), &found)
			assert.Len(t, found, there, name)
		}
		assert.Empty(t, w.north.rows("chosen-"+name, map[string]any{"inputs": map[string]string{"lock": "Upper lock"}}).Rows, "an answer that is offered is taken")
		a := w.north.call("POST", "/reports/chosen-"+name+"/runs?format=json", `{"inputs": {"lock": "zsauth lower lock"}}`)
		assert.NotContains(t, a.body, "zsouth", name)
	}
	offer("view", "from: tolls_by_lock\ncolumns: [{name: a, value: lock_name}]")
	offer("direct", "sql: select name as a from locks\ncolumns: [a]")
	var known catalog.Source
	w.into(w.author.must("GET", "/sources/canal", nil), &known)
	view, ok := known.Table("tolls_by_lock")
	require.True(t, ok)
	for _, c := range view.Columns {
		assert.Zero(t, c.Looked, "%s: what a view shows of hidden rows is no evidence", c.Name)
		assert.Empty(t, c.Evidence, c.Name)
	}
	for name, code := range map[string]string{"view": "ruled_view", "direct": "ruled_table"} {
		w.author.call("POST", "/definitions/chosen-"+name+"/publish", nil)
		for _, path := range []string{"questions/lock/choices", "runs?format=json", "preview", "explain"} {
			a := w.north.call("POST", "/reports/chosen-"+name+"/"+path, `{"inputs": {"lock": "zsauth lower lock"}}`)
			assert.NotContains(t, a.body, "zsouth", name)
			assert.Contains(t, a.body, code, name)
		}
	}
}

// byHand: SQL by hand reads a table that has rules by rows(t) and in no other way.
func byHand(t *testing.T, w world) {
	try := func(sql string) answer {
		t.Helper()
		content := "kind: query\nname: tried\nfolder: canal\nsource: canal\nsql: " + fmt.Sprintf("%q", sql) + "\ncolumns: [a]\n"
		return w.author.call("POST", "/definitions/results", map[string]string{"content": content})
	}
	for _, sql := range []string{
		"select l.name as a from rows(locks) l",
		"select name as a from rows(locks)",
		"select name as a from weirs",
		"select w.name as a from weirs w where exists (select 1 from rows(locks) as k where k.id = w.id)",
		"with k as (select name from rows(locks)) select name as a from k",
		"select locks.name as a from rows(locks) as locks",
		"select 'locks' as a from weirs -- locks",
	} {
		a := try(sql)
		assert.Equal(t, 200, a.status, "%s: %s", sql, a.body)
		assert.NotContains(t, a.body, "zsouth")
	}
	// What a check says of values would tell of rows that are hidden.
	for _, from := range []string{"rows(locks)", "locks", "weirs"} {
		content := "kind: query\nname: told\nfolder: canal\nsource: canal\nsql: select case when id > 0 then '2025-01-01' end as a from " + from + "\ncolumns: [a]\n"
		a := w.author.call("POST", "/definitions", map[string]any{"content": content, "preview": true})
		assert.Contains(t, a.body, "told", from)
		assert.NotContains(t, a.body, "looks_dated", from)
	}
	for _, sql := range []string{
		"select name as a from locks",
		"select name as a from \"locks\"",
		"select name as a from LOCKS",
		"select name as a from main.locks",
		"select name as a from public.locks",
		"select name as a from " + servers.Database + ".locks",
		"select name as a from weirs union all select name from locks",
		"select (select max(name) from locks) as a from weirs",
		"select w.name as a from weirs w, locks",
		"select l.name as a from weirs w straight_join locks l",
		"select l.name as a from weirs w left join locks l on 1 = 1",
		"select a from (select name as a from locks) as x",
		"with locks as (select name as a from locks) select a from locks",
		"with x as (select name as a from locks) select a from x",
		"select name as a from weirs where exists (with locks as (select 1) select 1 from locks) union select name from locks",
		"select lock_name as a from tolls_by_lock",
		"select t.lock_name as a from tolls_by_lock as t where t.toll > 0",
		"select a from (table locks) as x(b, a, c)",
		"select cast(query_to_xml('select * from locks', true, true, '') as text) as a",
		"select name as a from rows(locks) l where (select count(*) from locks) > 0",
		"select k.name as a from rows(locks) l join locks k on k.id <> l.id",
		"select /* rows(locks) */ name as a from locks",
		"select name as a from rows(locks), locks",
		"select sql as a from sqlite_master",
		"select name as a from locks_or_other",
		"select current_setting('x') as a",
		"select a from pg_stats as p(x, y, a)",
		"select histogram as a from mysql.column_stats",
		"select rows(locks) as a from weirs",
		"select name as a from only locks",
		"select name as a from lateral (select name from locks) as q",
		"select U&\"\\006cocks\" as a from weirs",
		"select name as a from (locks)",
		"select name as a from weirs join (locks cross join passages) on 1 = 1",
		"select max(locks.name) as a from weirs, locks as locks",
	} {
		a := try(sql)
		assert.NotEqual(t, 200, a.status, "%s: %s: %s", w.Name(), sql, a.body)
		assert.NotContains(t, a.body, "zsouth", sql)
	}
	// What a database says of values it could not read stays in the log.
	for _, sql := range []string{
		"select cast(name as integer) / 0 as a from rows(locks) l",
		"select cast(l.name as date) as a from rows(locks) l",
		"select json_extract(name, '$.x') as a from rows(locks) l",
	} {
		a := try(sql)
		assert.NotContains(t, a.body, "Upper lock\\\"", sql)
		assert.NotContains(t, a.body, "Upper lock'", sql)
	}
	// A rule of its own lets a view be read.
	w.ada.must("POST", "/definitions", map[string]string{"content": "kind: rule\nname: on-view\nsource: canal\non: tolls_by_lock\nfor: [keepers]\ncriteria: lock_name = 'Upper lock'\n"})
	w.ada.must("POST", "/definitions/on-view/publish", nil)
	a := w.author.must("POST", "/definitions/results", map[string]string{"content": "kind: query\nname: tried\nsource: canal\nfrom: tolls_by_lock\ncolumns: [lock_name, toll]\n"})
	assert.Contains(t, a.body, "222")
	assert.NotContains(t, a.body, "zsouth")
	w.ada.must("DELETE", "/definitions/rule/on-view", nil)
}

// ofOthers: of a run of somebody who sees other rows, nothing is told of what it found.
func ofOthers(t *testing.T, w world) {
	made := w.office.must("POST", "/reports/passages/runs?format=csv", `{"inputs": {"period": "2026"}}`).header.Get("Pikegate-Run")
	mine := w.author.must("POST", "/reports/passages/runs?format=csv", `{"inputs": {"period": "2026"}}`).header.Get("Pikegate-Run")
	var run wire.RunRecord
	w.into(w.author.must("GET", "/runs/"+made, nil), &run)
	assert.True(t, run.Hidden)
	assert.Zero(t, run.Count)
	assert.Empty(t, run.First+run.Last+run.ReadBack)
	assert.Nil(t, run.Edges)
	w.into(w.office.must("GET", "/runs/"+made, nil), &run)
	assert.EqualValues(t, 4, run.Count)
	w.north.refused(404, "not_found", "GET", "/runs/"+made, nil)
	w.north.refused(404, "not_found", "GET", "/runs/"+mine, nil)
	compared := w.author.must("GET", "/runs/"+made+"/compare/"+mine, nil)
	for _, mark := range marks {
		assert.NotContains(t, compared.body, mark)
	}
	var comparison wire.Comparison
	w.into(compared, &comparison)
	assert.Nil(t, comparison.Before.Since, "the fingerprints of hidden rows")
	assert.NotNil(t, comparison.After.Since)
	assert.Zero(t, comparison.Before.Then)
	var why wire.Why
	w.into(w.author.must("GET", "/runs/"+made+"/why", nil), &why)
	assert.EqualValues(t, 2, why.Matches, "asked anew, for who looks")
}
