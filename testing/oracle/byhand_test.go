package oracle_test

import (
	"database/sql"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/core/sqltext"
)

// byHand are queries in SQL by hand, the criteria that choose the same records, and
// what is said of a run.
var byHand = []struct {
	name, sql, table, criteria string
	in                         parameter.Inputs
	words                      string
	columns                    []string // what is read beside the id
}{
	{
		"an encoding", "select j.id from maintenance_jobs j where { j.done_on within :period }", "maintenance_jobs", "done_on within :period", nil,
		"Done on from Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days).",
		[]string{"maintenance_jobs.done_on"},
	},
	{
		"an instant", "select id from passages where { passed_at within :period } and { direction = :way }", "passages", "passed_at within :period and direction = 'upstream'",
		parameter.Inputs{"way": parameter.Typed("upstream")},
		"Passed at from Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days), direction upstream.",
		[]string{"passages.passed_at", "passages.direction"},
	},
	{
		"a blank", "select id from passages where { direction = :way } and { passed_at within :period }", "passages", "passed_at within :period", nil,
		"Any direction, passed at from Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days).",
		[]string{"passages.passed_at", "passages.direction"},
	},
	{
		"an open end", "select id from dues_invoices where { issued_on within :open }", "dues_invoices", "issued_on within 'since 2025-03-15'",
		parameter.Inputs{"open": parameter.Typed("since 2025-03-15")},
		"Issued on from Sat 15 Mar 2025 on.",
		[]string{"dues_invoices.issued_on"},
	},
	{
		"an or inside", "select id from dues_invoices where { paid_on is blank or paid_on within :period }", "dues_invoices", "paid_on is blank or paid_on within :period", nil,
		"Paid on is blank or paid on from Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days).",
		[]string{"dues_invoices.paid_on"},
	},
	{
		"the slot and braces", "select p.id from passages as p where criteria() and { p.toll_pence > :least }", "passages", "passed_at within :period and toll_pence > 700",
		parameter.Inputs{"least": parameter.Typed("700")},
		"Passed at from Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days), toll pence is more than 700.",
		[]string{"passages.passed_at", "passages.toll_pence"},
	},
	{
		"a count of some", "select id from vessels v where (select sum(case when { p.passed_at within :period } then 1 else 0 end) from passages p where p.vessel_id = v.id) > 1", "vessels", "(count of passages where passed_at within :period) > 1", nil,
		"Passed at from Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days) (in a part only).",
		[]string{"passages.passed_at", "passages.vessel_id"},
	},
	{
		"related records", "select v.id from vessels v where { no passages of v where passed_at within :period }", "vessels", "no passages where passed_at within :period", nil,
		"No passages where passed at from Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days).",
		[]string{"passages.passed_at", "passages.vessel_id"},
	},
	{
		"days as numbers", "select id from maintenance_jobs where done_on between :period.from as ymd and :period.through as ymd", "maintenance_jobs", "done_on within :period", nil,
		"Period: Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days).",
		[]string{"maintenance_jobs.done_on"},
	},
	{
		"days as texts", "select id from dues_invoices where issued_on >= :start as iso-date and issued_on <= :end as iso-date", "dues_invoices", "issued_on >= '2025-03-10' and issued_on <= '2025-09-20'",
		parameter.Inputs{"start": parameter.Typed("2025-03-10"), "end": parameter.Typed("2025-09-20")},
		"Start: Mon 10 Mar 2025, End: Sat 20 Sep 2025.",
		[]string{"dues_invoices.issued_on"},
	},
	{
		"instants as texts", "select id from passages where passed_at >= :period.from as iso-instant and passed_at < :period.until as iso-instant", "passages", "passed_at within :period", nil,
		"Period: Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days).",
		[]string{"passages.passed_at"},
	},
	{
		"a cast", "select id from dues_invoices where issued_on >= cast(:start as iso-date as char(10))", "dues_invoices", "issued_on >= '2025-03-10'",
		parameter.Inputs{"start": parameter.Typed("2025-03-10")},
		"Start: Mon 10 Mar 2025.",
		[]string{"dues_invoices.issued_on"},
	},
	{
		"names in capitals", "select P.id from passages as P where { P.passed_at within :period }", "passages", "passed_at within :period", nil,
		"Passed at from Sat 1 Jun 2024 through Sun 31 Aug 2025 (457 days).",
		[]string{"passages.passed_at"},
	},
	{
		"a name in the result", "select id, :sure as sure from locks where id > :sure", "locks", "id > 4",
		parameter.Inputs{"sure": parameter.Typed("4")},
		"Sure: 4.", nil,
	},
}

const byHandQuestions = `parameters:
  - {name: period, kind: period, label: Period, default: 2024-06/2025-08}
  - {name: open, kind: period, limits: {ends: open}}
  - {name: way, kind: text}
  - {name: least, kind: integer}
  - {name: start, kind: date, label: Start, default: "2025-01-01"}
  - {name: end, kind: date, label: End, default: "2025-01-01"}
  - {name: sure, kind: integer, label: Sure, default: "1"}
`

// TestByHand: conditions in braces and values in their forms choose what the same
// criteria choose, on every engine, and are read back; and what the SQL reads is known.
func TestByHand(t *testing.T) {
	benches, world := navigations(t)
	for _, c := range byHand {
		t.Run(c.name, func(t *testing.T) {
			structured, _ := compileAt(t, benches[0], "from: "+c.table+"\n"+byHandQuestions+"columns: [id]\nsort: [id]\ncriteria: \""+c.criteria+"\"\n")
			text := "sql: \"" + c.sql + "\"\n" + byHandQuestions + "columns: [id]\nsort: [id]\n"
			if strings.Contains(c.sql, "criteria()") {
				text += "criteria: passed_at within :period\n"
			}
			for _, b := range benches {
				compiled, problems := compileAt(t, b, text)
				for _, p := range problems {
					require.Contains(t, []string{"unused_parameter", "column_not_listed", "blanks_left_out", "dates_unknown"}, p.Code, "%s: %v", b.engine, p)
				}
				values, problems := parameter.Read(compiled.Questions, compiled.Rules, c.in, parameter.Context{Calendar: b.ctx})
				require.Empty(t, problems, b.engine)
				statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, values)
				require.NoError(t, problems.Err(), b.engine)
				assert.Equal(t, c.words, plan.ReadBack(statement.Statement), b.engine)

				world.Answers = values
				want := expectedOf(world, structured)
				require.NotEmpty(t, want)
				require.Less(t, len(want), len(world.Tables[c.table]), "every record meets it: nothing is tried")
				assert.Equal(t, want, b.rows(t, statement), b.engine)

				require.NotNil(t, compiled.Reads, b.engine)
				assert.Empty(t, compiled.Reads.Unknown, b.engine)
				assert.Contains(t, compiled.Reads.Tables, c.table, b.engine)
				for _, column := range c.columns {
					assert.Contains(t, compiled.Touches(), column, "%s: %v", b.engine, compiled.Touches())
				}
			}
		})
	}
}

// TestByHandEncodings: what SQL by hand returns is read as its columns say, as the same column
// of a table is, on every engine.
func TestByHandEncodings(t *testing.T) {
	benches, _ := navigations(t)
	const rest = "sort: [done descending, id]\n"
	for _, b := range benches {
		structured, problems := compileAt(t, b, "from: maintenance_jobs\ncolumns: [id, {name: done, value: done_on}, {name: month, value: month of done_on}, {name: days, value: weekday(done_on)}]\n"+rest)
		require.NoError(t, problems.Err())
		written, problems := compileAt(t, b, "sql: select id, done_on from maintenance_jobs\ncolumns: [id, {name: done, value: done_on, encoding: ymd}, {name: month, value: month of done_on}, {name: days, value: weekday(done_on)}]\n"+rest)
		require.NoError(t, problems.Err())
		var rows [2][][]string
		for i, compiled := range []*definition.Compiled{structured, written} {
			statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, nil)
			require.NoError(t, problems.Err())
			rows[i] = b.rows(t, statement)
		}
		require.NotEmpty(t, rows[0])
		assert.Equal(t, rows[0], rows[1], b.engine)

		_, problems = compileAt(t, b, "sql: select id, done_on from maintenance_jobs\ncolumns: [{name: a, value: done_on + 1 day, encoding: ymd}, {name: b, value: id, encoding: ymdd}]\n")
		var codes []string
		for _, p := range problems {
			codes = append(codes, p.Code+" "+p.Field)
		}
		assert.Contains(t, codes, "encoding_of_value columns[0].encoding", b.engine)
		assert.Contains(t, codes, "unknown_encoding columns[1].encoding", b.engine)
	}
}

// TestByHandRefused: two dates the wrong way round, answers that cannot be written in a
// form, and reading that cannot be followed are told on every engine.
func TestByHandRefused(t *testing.T) {
	from, err := sql.Open("sqlite3", filepath.Join(t.TempDir(), "empty.db"))
	require.NoError(t, err)
	defer from.Close()
	for _, n := range navigationTables {
		_, err := from.Exec("create table " + n.name + " (" + n.columns + ")")
		require.NoError(t, err)
	}
	for _, kind := range []string{"sqlite", "postgresql", "mysql"} {
		b := navigation(t, kind, from)
		for sql, in := range map[string]parameter.Inputs{
			"select id from dues_invoices where issued_on >= :start as iso-date and issued_on <= :end as iso-date": {"start": parameter.Typed("2025-03-10"), "end": parameter.Typed("2025-03-09")},
			"select id from dues_invoices where issued_on between :start as iso-date and :end as iso-date":         {"start": parameter.Typed("2025-03-10"), "end": parameter.Typed("2025-03-09")},
			"select id from dues_invoices where { issued_on >= :start } and { issued_on <= :end }":                 {"start": parameter.Typed("2025-03-10"), "end": parameter.Typed("2025-03-09")},
		} {
			compiled, _ := compileAt(t, b, "sql: \""+sql+"\"\n"+byHandQuestions+"columns: [id]\n")
			_, problems := parameter.Read(compiled.Questions, compiled.Rules, in, parameter.Context{Calendar: b.ctx})
			require.Len(t, problems, 1, "%s: %s", kind, sql)
			assert.Equal(t, []string{"rule_broken", "end"}, []string{problems[0].Code, problems[0].Field})
		}
		compiled, _ := compileAt(t, b, "sql: select id from maintenance_jobs where done_on >= :period.from as ym\n"+byHandQuestions+"columns: [id]\n")
		values, problems := parameter.Read(compiled.Questions, nil, parameter.Inputs{"period": parameter.Typed("2025-03-10/2025-03-31")}, parameter.Context{Calendar: b.ctx})
		require.Empty(t, problems)
		_, problems = b.planner(compiled, b.ctx).Records(definition.View{}, values)
		require.Len(t, problems, 1)
		assert.Equal(t, []string{"finer_than_column", "period"}, []string{problems[0].Code, problems[0].Field})
	}
}

// TestByHandNotFollowed: SQL that may read anything counts as reading everything, where
// the database does not tell.
func TestByHandNotFollowed(t *testing.T) {
	source := catalog.Source{Name: "small", Traits: catalog.Traits{SQL: sqltext.Flavour{Dollars: true, Escapes: true, Nested: true}}, Tables: []catalog.Table{{Name: "locks", Columns: []catalog.Column{{Name: "id"}, {Name: "name"}}}}}
	for text, unknown := range map[string]bool{
		"select id from locks":                                 false,
		"select count(*) as id from locks":                     false,
		"select upper(name) as id from locks where {id > 5}":   false,
		"select peek(5) as id":                                 true,
		"select id from pg_catalog.pg_tables":                  true,
		"select query_to_xml('select * from vessels') as id":   true,
		"select id from locks where name = current_setting(1)": true,
	} {
		documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: small\nsql: \""+text+"\"\ncolumns: [id]\n"))
		require.Empty(t, problems)
		compiled, problems := definition.Compile(documents[0].(*definition.Query), &source, definition.Library{Result: func(*definition.Query) (definition.Described, error) {
			return definition.Described{Table: catalog.Table{Name: definition.Result, Columns: []catalog.Column{{Name: "id", Type: catalog.Integer}}}}, nil
		}})
		assert.Equal(t, unknown, len(compiled.Reads.Unknown) > 0, text)
		assert.Equal(t, unknown, slices.ContainsFunc(problems, func(p diag.Problem) bool { return p.Code == "not_followed" }), text)
	}
}

// compileAt compiles a query on an engine, which tells the columns of SQL by hand; before it,
// after the name of each, those that a union is of.
func compileAt(t *testing.T, b *bench, text string) (*definition.Compiled, diag.Problems) {
	t.Helper()
	texts := strings.Split("name: q\n"+text, "\n---\n")
	documents := make([]definition.Document, len(texts))
	for i, text := range texts {
		read, problems := definition.Decode("", []byte("kind: query\nsource: small\n"+text))
		require.Empty(t, problems, text)
		documents[i] = read[0]
	}
	set := definition.NewSet(documents, definition.Library{Result: describing(t, b)})
	return set.Compile(documents[0].(*definition.Query), &b.catalog)
}

// describing has an engine tell the columns of SQL by hand.
func describing(t *testing.T, b *bench) func(q *definition.Query) (definition.Described, error) {
	return func(q *definition.Query) (definition.Described, error) {
		pieces, _ := sqltext.Split(q.SQL.Value, b.catalog.Traits.SQL)
		described, err := b.source.Describe(t.Context(), b.source.Dialect().WriteRaw(plan.Described(q, pieces, b.catalog.Table, false)))
		return definition.Described{Table: catalog.Table{Name: definition.Result, View: true, Columns: described.Columns}, Reads: described.Reads}, err
	}
}

// TestViewsRead: what a view is made of is known on every engine, through other views
// as well, and counts as read by queries on it.
func TestViewsRead(t *testing.T) {
	for _, kind := range []string{"sqlite", "postgresql", "mysql"} {
		b, db := newEmpty(t, kind, "create table t (id int primary key, hidden int, other int)")
		for _, view := range []string{"create view v as select id, hidden as shown from t where hidden > 0", "create view w as select shown from v"} {
			_, err := db.Exec(view)
			require.NoError(t, err)
		}
		b.open(t)
		if kind == "mysql" { // where a login may not see how views are made, that is said
			compiled, _ := compileAt(t, b, "from: w\ncolumns: [shown]\n")
			assert.NotEmpty(t, compiled.Unfollowed())
			_, err := db.Exec("grant show view on " + b.address.Database + ".* to " + b.address.User + "@localhost, " + b.address.User + "@'127.0.0.1'")
			require.NoError(t, err)
			b.open(t)
		}
		for _, text := range []string{"from: w\ncolumns: [shown]\n", "sql: select shown from w\ncolumns: [shown]\n"} {
			compiled, problems := compileAt(t, b, text)
			require.Empty(t, problems, kind)
			assert.Empty(t, compiled.Unfollowed(), kind)
			touched := compiled.Touches()
			for _, name := range []string{"w", "w.shown", "v", "t", "t.hidden"} {
				assert.Contains(t, touched, name, "%s: %s", kind, text)
			}
			assert.NotContains(t, touched, "t.other", "%s: %s", kind, text)
		}
	}
}
