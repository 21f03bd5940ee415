package oracle_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
)

var hidden = flag.Int("hidden", 800, "how many random queries are answered with rows that are not to be seen (a sixth of them on each server)")

// ruled is a world of row rules and somebody who asks in it.
type ruled struct {
	viewer plan.Viewer
	rules  []*definition.RowRule
}

func (m ruled) String() string {
	text := fmt.Sprintf("%v", m.viewer)
	for _, r := range m.rules {
		text += fmt.Sprintf("; on %s for %v, unrestricted %v: %s", r.On, r.For, r.Unrestricted, r.Criteria.Value)
	}
	return text
}

// rule makes random rules, on one table or two, some of which are added up, and a person.
func (r random) rule() ruled {
	conditions := map[string][]string{
		"locks": {"id in (1, 2, 5, 9)", "name < 'M'", "any maintenance_jobs where done_on is blank", "no passages where toll_pence > 900", "id < 0", "name in :user.locks", "id in :user.ids", "name = :user.lock"},
		"vessels": {
			"owner contains 'a'", "length_m > 12", "any passages where passed_at within '2025'", "(count of dues_invoices where paid_on is blank) > 2", "name ends with 'e' or id < 50", "not (owner starts with 'T')",
			"any vessels as other where other.owner = vessels.owner and other.id < vessels.id", "length_m > :user.length", "any passages where direction = :user.direction",
		},
		"passages": {
			"passed_at within '2024'", "direction = 'upstream'", "toll_pence between 500 and 1000", "any locks where name < 'M'", "passed_at > '2024-06-30T12:00'", "vessel_id is not blank",
			"locks.name in :user.locks", "not (locks.name in :user.locks)", "locks.name < 'M' or direction = :user.direction", "passages.passed_at >= :user.since and vessels.length_m > :user.length", "passed_at within '2025' and locks.id in :user.ids",
		},
		"dues_invoices":    {"paid_on is not blank", "issued_on within '2024-H2'", "amount_pence / 100 > 40", "vessels.owner contains 'a'", "amount_pence > :user.pence"},
		"maintenance_jobs": {"done_on is not blank", "cost_pence < 40000", "done_on is blank or done_on within '2025'", "locks.name in :user.locks"},
	}
	m := ruled{viewer: plan.Viewer{Groups: []string{pick(r, []string{"keepers", "clerks", "nobody"})}, Attributes: map[string][]string{}}}
	for name, values := range map[string][][]string{
		"locks": {{"Harrow Top"}, {"Harrow Top", "Mossgill"}, {}, {"Nowhere"}}, "ids": {{"1", "2", "3"}, {"7"}, {"x"}}, "lock": {{"Mossgill"}, {"Mossgill", "Harrow Top"}},
		"length": {{"12.5"}, {"11"}}, "direction": {{"upstream"}, {"downstream"}}, "since": {{"2024-06-30"}}, "pence": {{"2000"}},
	} {
		if r.IntN(5) > 0 {
			m.viewer.Attributes[name] = pick(r, values)
		}
	}
	for range 1 + r.IntN(3) {
		table := pick(r, []string{"locks", "vessels", "vessels", "passages", "passages", "passages", "dues_invoices", "maintenance_jobs"})
		made := &definition.RowRule{On: table, Criteria: definition.Text{Value: pick(r, conditions[table])}}
		switch r.IntN(6) {
		case 0:
			made.For = []string{"keepers"}
		case 1:
			made.For = []string{"clerks", "keepers"}
		case 2:
			made.Unrestricted = []string{"clerks"}
		}
		m.rules = append(m.rules, made)
	}
	return m
}

// rows is what the rules leave, as a planner takes it.
func (m ruled) rows(t *testing.T, source *catalog.Source, calendar civil.Calendar) plan.Rows {
	return plan.RuledRows(m.viewer, m.rules, source, calendar, func(r *definition.RowRule, problems diag.Problems) {
		require.NoError(t, problems.Err(), r.Criteria.Value)
	})
}

// opened is, by table that is not seen whole, the conditions that open rows of it, with
// the attributes written out; source: docs/rules.md, read anew.
func (m ruled) opened() map[string][]string {
	opened := map[string][]string{}
	whole := map[string]bool{}
	is := func(groups []string) bool { return slices.Contains(groups, m.viewer.Groups[0]) }
	for _, r := range m.rules {
		whole[r.On] = whole[r.On] || is(r.Unrestricted)
		if opened[r.On] == nil {
			opened[r.On] = []string{}
		}
		if len(r.For) > 0 && !is(r.For) {
			continue
		}
		text, blank := r.Criteria.Value, false
		for _, name := range []string{"locks", "ids", "lock", "length", "direction", "since", "pence"} {
			if !strings.Contains(text+" ", ":user."+name+" ") && !strings.Contains(text, ":user."+name+")") {
				continue
			}
			values, list := m.viewer.Attributes[name], name == "locks" || name == "ids"
			blank = blank || len(values) == 0 || !list && len(values) > 1
			quoted := make([]string, len(values))
			for i, v := range values {
				quoted[i] = "'" + v + "'"
				if name == "ids" || name == "length" || name == "pence" {
					quoted[i] = v
					blank = blank || v == "x"
				}
			}
			written := strings.Join(quoted, ", ")
			if list {
				written = "(" + written + ")"
			}
			text = strings.ReplaceAll(text+" ", ":user."+name+" ", written+" ")
			text = strings.ReplaceAll(text, ":user."+name+")", written+")")
		}
		// What a foreign key leads to, as a record there.
		for _, other := range []string{"locks", "vessels"} {
			if other == r.On {
				continue
			}
			text = regexp.MustCompile(`\b`+other+`\.(\w+ (?:in \([^)]*\)|contains '\w+'|[<>] '?[\w.]+'?))`).ReplaceAllString(text, "(any "+other+" where $1)")
		}
		if !blank {
			opened[r.On] = append(opened[r.On], strings.TrimSpace(text))
		}
	}
	for table, all := range whole {
		if all {
			delete(opened, table)
		}
	}
	return opened
}

// query makes a random query on the navigation, with joins, groups, related records and
// choices.
func (r random) navigationQuery() string {
	condition := func(of string) string {
		return "(" + pick(r, map[string][]string{
			"passages":         {"passages.passed_at within :period", "passages.passed_at >= :period.from", "passages.toll_pence > 700", "passages.direction = 'upstream'", "passages.vessel_id is blank"},
			"locks":            {"locks.name in :locks", "locks.id > 3", "at least 2 maintenance_jobs as j of locks where j.cost_pence > 20000", "(count of maintenance_jobs as j of locks) < 6", "no passages as p of locks where p.passed_at within :period"},
			"vessels":          {"vessels.length_m > 11", "no dues_invoices of vessels where paid_on is blank", "(sum of dues_invoices.amount_pence of vessels) > 20000", "any passages as p of vessels where p.passed_at within :period", "vessels.name is blank"},
			"maintenance_jobs": {"maintenance_jobs.done_on within :period", "maintenance_jobs.cost_pence > 30000", "maintenance_jobs.done_on is blank"},
		}[of]) + ")"
	}
	all := func(tables ...string) string {
		terms := []string{}
		for range 1 + r.IntN(2) {
			term := condition(pick(r, tables))
			if r.IntN(4) == 0 {
				term = "(" + term + " or " + condition(pick(r, tables)) + ")"
			}
			terms = append(terms, term)
		}
		return strings.Join(terms, " and ")
	}
	head := "parameters: [{name: period, kind: period, required: true}, {name: locks, kind: text, many: true, choices: {column: locks.name}}]\n"
	optional := pick(r, []string{"", ", optional: true"})
	switch r.IntN(8) {
	case 7:
		member := func(name, from, columns string, tables ...string) string {
			text := "name: " + name + "\nfrom: " + from + "\n" + columns + "criteria: \"" + all(tables...) + "\"\n"
			asked := ""
			if strings.Contains(text, ":locks") {
				asked += "  - {name: locks, kind: text, many: true, choices: {column: locks.name}}\n"
			}
			if strings.Contains(text, ":period") {
				asked += "  - {name: period, kind: period, required: true}\n"
			}
			if asked != "" {
				asked = "parameters:\n" + asked
			}
			return strings.Replace(text, "columns:", asked+"columns:", 1)
		}
		union := "union: [a, b]\nparameters: [{name: period, kind: period, required: true}]\ncriteria: \"" + pick(r, []string{"at within :period", "at within :period and pence > 500", "at <= :period.through and any_of > 3"}) + "\"\nsort: [at" + pick(r, []string{"", " descending", ", pence"}) + "]"
		return strings.Join([]string{
			union,
			member("a", "passages\njoins:\n  - {table: locks, on: passages.lock_id = locks.id}\n  - {table: vessels, on: passages.vessel_id = vessels.id"+optional+"}", "columns: [passages.id, {name: at, value: date_of(passed_at)}, {name: pence, value: toll_pence}, {name: any_of, value: count of maintenance_jobs as j of locks}]\n", "passages", "locks", "vessels"),
			member("b", "maintenance_jobs\njoins:\n  - {table: locks, on: maintenance_jobs.lock_id = locks.id}", "columns: [maintenance_jobs.id, {name: at, value: done_on}, {name: pence, value: cost_pence / 10}, {name: any_of, value: count of passages as p of locks}]\n", "maintenance_jobs", "locks"),
		}, "\n---\n")
	case 6:
		lock := pick(r, []string{"rows(locks) l", "rows(locks) as l", "rows ( locks ) l"})
		sql := pick(r, []string{
			"select l.name as name, count(*) as n from " + lock + " join rows(passages) p on p.lock_id = l.id where criteria() group by l.name",
			"select l.name as name, p.toll_pence as n from " + lock + " left join rows(passages) as p on p.lock_id = l.id and { p.passed_at within :period }",
			"with busy as (select lock_id, count(*) as n from rows(passages) where { passages.passed_at within :period } group by lock_id) select l.name as name, busy.n as n from busy join " + lock + " on busy.lock_id = l.id",
			"select v.name as name, (select count(*) from rows(passages) where passages.vessel_id = v.id and criteria()) as n from rows(vessels) v",
			"select name as name, 1 as n from rows(vessels) where id in (select vessel_id from rows(passages) q where criteria()) union all select name, 2 from rows(locks)",
		})
		criteria := "criteria: \"passed_at within :period\"\n"
		if !strings.Contains(sql, "criteria()") {
			criteria = ""
		}
		return "sql: \"" + sql + "\"\nparameters: [{name: period, kind: period, required: true}]\ncolumns: [name, n]\n" + criteria
	case 0:
		return "from: vessels\n" + strings.ReplaceAll(head, ", choices: {column: locks.name}", "") + "columns:\n  - name\n  - {name: passages, value: \"" + pick(r, []string{"count of passages", "sum of passages.toll_pence where passed_at within :period", "least of passages.passed_at", "average of passages.toll_pence", "if(any dues_invoices where paid_on is blank, 'owes', 'paid')"}) +
			"\"}\nsort: [passages descending]\ncriteria: \"" + pick(r, []string{all("vessels"), "(count of passages where passed_at within :period) < 4"}) + "\"\n"
	case 1:
		return "from: passages\njoins: [{table: locks, on: passages.lock_id = locks.id}]\n" + head + "columns: [{name: lock, value: locks.name}, {name: n, value: count}, {name: tolls, value: sum of toll_pence}]\nsort: [n descending]\ncriteria: \"" + all("passages", "locks") + pick(r, []string{"", " and count > 2"}) + "\"\n"
	case 2:
		return "from: locks\njoins: [{table: maintenance_jobs, on: maintenance_jobs.lock_id = locks.id" + optional + "}]\n" + head + "columns: [locks.name, maintenance_jobs.cost_pence]\nsort: [locks.name]\ncriteria: \"" + all("locks", "maintenance_jobs") + "\"\n"
	case 3:
		return "from: locks\n" + head + "distinct: true\ncolumns: [{name: letter, value: \"if(name < 'M', 'a', 'z')\"}, {name: open, value: count of maintenance_jobs where done_on is blank}]\ncriteria: \"" + all("locks") + "\"\n"
	}
	return "from: passages\njoins:\n  - {table: locks, on: passages.lock_id = locks.id" + pick(r, []string{"", ", optional: true"}) + "}\n  - {table: vessels, on: passages.vessel_id = vessels.id" + optional + "}\n" + head +
		"columns: [passages.id, passed_at, {name: lock, value: locks.name}, {name: vessel, value: vessels.name}]\nsort: [passed_at]\ncriteria: \"" + all("passages", "locks", "vessels") + "\"\n"
}

// TestHiddenRows: with rows that are not to be seen, every statement there is answers as
// a database without them does: records, choices, coverage, why, edges, what is left
// out, statistics and first rows.
func TestHiddenRows(t *testing.T) {
	from := demonstration(t)
	const together = 40 // cases of one rule
	for _, part := range []struct {
		kind     string
		from, to int
	}{{"sqlite", 0, *hidden / 2}, {"sqlite", *hidden / 2, *hidden}, {"postgresql", 0, *hidden / 6}, {"mysql", 0, *hidden / 6}} {
		t.Run(part.kind, func(t *testing.T) {
			t.Parallel()
			kind := part.kind
			whole := navigation(t, kind, from)
			rest, db := emptyNavigation(t, kind)
			fillNavigation(t, kind, db, from, nil)
			rest.openNavigation(t) // its foreign keys are known now, and would be in the way
			for _, drop := range []string{"passages_lock_id_fkey on passages", "passages_vessel_id_fkey on passages", "dues_invoices_vessel_id_fkey on dues_invoices", "maintenance_jobs_lock_id_fkey on maintenance_jobs"} {
				name, table, _ := strings.Cut(drop, " on ")
				if kind == "postgresql" {
					_, err := db.Exec("alter table " + table + " drop constraint " + name)
					require.NoError(t, err)
				}
			}
			if kind == "mysql" {
				db.SetMaxOpenConns(1)
				_, err := db.Exec("set session foreign_key_checks = 0")
				require.NoError(t, err)
			}
			for i := part.from; i < part.to; i += together {
				r := random{Rand: rand.New(rand.NewPCG(*seed+17, uint64(i)))}
				m := r.rule()
				keep := seen(t, whole, m)
				for at := len(navigationTables) - 1; at >= 0; at-- {
					_, err := db.Exec("delete from " + navigationTables[at].name)
					require.NoError(t, err)
				}
				fillNavigation(t, kind, db, from, keep)
				for range min(together, part.to-i) {
					compareHidden(t, whole, rest, m, r.navigationQuery(), r)
				}
			}
		})
	}
}

// seen are the keys of the rows that a rule lets be seen, by table; of a table without
// one it tells nothing.
func seen(t *testing.T, whole *bench, m ruled) map[string]map[int64]bool {
	keep := map[string]map[int64]bool{}
	for table, conditions := range m.opened() {
		keep[table] = map[int64]bool{}
		for _, condition := range conditions {
			compiled, problems := compileAt(t, whole, "from: "+table+"\ncolumns: [id]\ncriteria: \""+condition+"\"\n")
			require.NoError(t, problems.Err(), condition)
			statement, problems := whole.planner(compiled, whole.ctx).Records(definition.View{}, nil)
			require.NoError(t, problems.Err(), condition)
			for _, row := range whole.all(t, statement.Statement) {
				keep[table][row[0].(int64)] = true
			}
		}
	}
	return keep
}

// all are the rows of a statement as the engine hands them over, but for those with a
// date that does not fit.
func (b *bench) all(t *testing.T, s plan.Statement) (rows [][]any) {
	t.Helper()
	q := b.source.Dialect().Write(s)
	require.NoError(t, b.source.Stream(t.Context(), q, func(row []any) error {
		if fitting(s, row) {
			rows = append(rows, append([]any(nil), row...))
		}
		return nil
	}), "%s\n%s", b.engine, q.SQL)
	return rows
}

// compareHidden compares what is said of a query by a database with hidden rows, and
// by one that does not have them.
func compareHidden(t *testing.T, whole, rest *bench, m ruled, text string, r random) {
	t.Helper()
	in := parameter.Inputs{"period": parameter.Typed(pick(r, []string{"2025", "2024-06/2025-03", "2023-H1"}))}
	if r.IntN(2) == 0 && strings.Contains(text, "name: locks, kind") {
		in["locks"] = parameter.Typed("Harrow Top", "Mossgill")
	}
	var answers [2][]string
	for i, b := range []*bench{whole, rest} {
		compiled, problems := compileAt(t, b, text)
		for _, p := range problems {
			if p.Code == "unsound" && strings.HasPrefix(text, "union:") { // one of its queries finds nothing by itself
				return
			}
			require.Contains(t, []string{"unused_parameter", "blanks_left_out", "never_true", "redundant", "always_true", "optional_in_or", "no_index", "mixed_and_or", "blank_finds_none", "dates_unknown"}, p.Code, "%s: %v", text, p)
		}
		values, problems := parameter.Read(compiled.Questions, compiled.Rules, in, parameter.Context{Calendar: b.ctx})
		require.Empty(t, problems)
		planner := b.planner(compiled, b.ctx)
		if b == whole {
			planner.Rows = m.rows(t, &b.catalog, b.ctx)
		}
		say := func(what string, s plan.Statement) {
			rows := b.all(t, s)
			if s.Sort == nil { // in whatever order
				ordered := make([]string, len(rows))
				for i, row := range rows {
					ordered[i] = fmt.Sprint(row)
				}
				answers[i] = append(answers[i], what+": "+fmt.Sprint(len(rows), slices.Sorted(slices.Values(ordered))))
				return
			}
			answers[i] = append(answers[i], what+": "+fmt.Sprint(rows))
		}
		statement, problems := planner.Records(definition.View{}, values)
		require.NoError(t, problems.Err(), text)
		say("records", statement.Statement)
		if reason := statement.Impossible(); reason != "" && !compiled.Grouped {
			assert.Empty(t, b.all(t, statement.Statement), "%s: %s", text, reason)
		}
		if compiled.SQL != nil {
			continue
		}
		edges, _ := planner.Edges(statement.Statement)
		for at, planner := range planner.Parts() {
			b.compareOnce(t, planner, append(edges.Parts, edges)[at], values, text)
		}
		for _, edges := range append(edges.Parts, edges) {
			for _, s := range []*plan.Statement{edges.Before, edges.After} {
				if s != nil {
					say("edge", *s)
				}
			}
		}
		for _, planner := range planner.Parts() {
			say("counts", planner.Counts(values).Statement)
			answers[i] = append(answers[i], fmt.Sprint("more than 20: ", len(b.all(t, planner.AfterMany(20)))))
			why := planner.Why(values)
			say("why", why.Sides)
			say("all", why.Records)
			if left, columns := planner.LeftOut(values); columns != nil {
				say("left out", left)
			}
			if _, column, ok := planner.DateQuestion(); ok && !compiled.Grouped && plan.CanCover(column.Ref.Column, civil.Month) {
				covered, problems := planner.Coverage(civil.Month, values)
				require.NoError(t, problems.Err())
				say("coverage", covered)
			}
		}
		if slices.ContainsFunc(planner.Parts(), func(p plan.Planner) bool { _, ok := p.Query.Offers["locks"]; return ok }) {
			choices, problems := planner.Choices("locks", values, plan.Search{})
			require.NoError(t, problems.Err())
			say("choices", choices)
			occurring, _ := planner.Occurring("locks", plan.Search{})
			say("occurring", occurring)
		}
		for _, table := range b.catalog.Tables {
			if _, restricted := plan.Opening(m.viewer, m.rules, table.Name); !restricted {
				continue
			}
			alone := plan.Planner{Calendar: b.ctx, Rows: planner.Rows}
			statistics, _ := alone.Statistics(table)
			say("statistics", statistics)
			say("first rows", alone.FirstRows(table, table.Columns, 10_000).Statement)
		}
	}
	for i := range answers[0] {
		assert.Equal(t, answers[1][i], answers[0][i], "%s %v\n%s", whole.engine, m, text)
	}
	if t.Failed() {
		t.FailNow()
	}
}
