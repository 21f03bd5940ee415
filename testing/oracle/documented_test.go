package oracle_test

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/internal/demo"
	"pikegate/testing/oracle"
)

// navigationTables are tables of the demonstration as every engine takes them, and
// which of their records are looked at.
var navigationTables = []struct{ name, columns, some string }{
	{"locks", "id int primary key, name varchar(60) not null", "true"},
	{"vessels", "id int primary key, name varchar(60) not null, owner varchar(60) not null, length_m numeric(8, 2) not null", "id % 9 = 0"},
	{"passages", "id int primary key, lock_id int not null references locks (id), vessel_id int references vessels (id), passed_at varchar(30) not null, direction varchar(10) not null, toll_pence int not null", "vessel_id % 9 = 0 and vessel_id > 9 and id % 83 = 0"},
	{"dues_invoices", "id int primary key, vessel_id int not null references vessels (id), issued_on varchar(10) not null, paid_on varchar(10), amount_pence int not null", "vessel_id % 9 = 0 and id % 11 = 0"},
	{"maintenance_jobs", "id int primary key, lock_id int not null references locks (id), done_on int, cost_pence int not null", "id % 37 = 0 or done_on is null and lock_id < 9"},
}

var navigationEncodings = map[string]catalog.Encoding{
	"passages.passed_at": catalog.EncISOInstant, "dues_invoices.issued_on": catalog.EncISODate, "dues_invoices.paid_on": catalog.EncISODate, "maintenance_jobs.done_on": catalog.EncYMD,
}

// navigation makes the tables on an engine.
func navigation(t *testing.T, kind string, from *sql.DB) *bench {
	b, db := emptyNavigation(t, kind)
	fillNavigation(t, kind, db, from, nil)
	b.openNavigation(t)
	return b
}

func (b *bench) openNavigation(t *testing.T) {
	b.open(t)
	for column, encoding := range navigationEncodings {
		require.NoError(t, b.catalog.SetEncoding(column, encoding))
	}
}

func emptyNavigation(t *testing.T, kind string) (*bench, *sql.DB) {
	b, db := newEmpty(t, kind, "create table "+navigationTables[0].name+" ("+navigationTables[0].columns+")")
	for i, table := range navigationTables {
		if i > 0 {
			_, err := db.Exec("create table " + table.name + " (" + table.columns + ")")
			require.NoError(t, err)
		}
	}
	return b, db
}

// fillNavigation puts the records into the tables, or those of a table that keep tells
// by their keys; + takes values as they are stored.
func fillNavigation(t *testing.T, kind string, db, from *sql.DB, keep map[string]map[int64]bool) {
	for _, table := range navigationTables {
		var names, holders []string
		for i, column := range strings.Split(regexp.MustCompile(`\([^)]*\)`).ReplaceAllString(table.columns, ""), ", ") {
			names = append(names, strings.Fields(column)[0])
			holder := "?"
			if kind == "postgresql" {
				holder = fmt.Sprintf("$%d", i+1)
			}
			holders = append(holders, holder)
		}
		rows, err := from.Query("select +" + strings.Join(names, ", +") + " from " + table.name + " where " + table.some)
		require.NoError(t, err)
		tx, err := db.Begin()
		require.NoError(t, err)
		for rows.Next() {
			values, places := make([]any, len(names)), make([]any, len(names))
			for i := range values {
				places[i] = &values[i]
			}
			require.NoError(t, rows.Scan(places...))
			if kept := keep[table.name]; kept != nil && !kept[values[0].(int64)] {
				continue
			}
			_, err := tx.Exec("insert into "+table.name+" values ("+strings.Join(holders, ", ")+")", values...)
			require.NoError(t, err)
		}
		require.NoError(t, rows.Err())
		require.NoError(t, tx.Commit())
	}
}

// demonstration opens the records of the demonstration.
func demonstration(t *testing.T) *sql.DB {
	path := filepath.Join(t.TempDir(), "navigation.db")
	data, err := demo.Generate()
	require.NoError(t, err)
	require.NoError(t, demo.Write(path, data))
	from, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	t.Cleanup(func() { from.Close() })
	return from
}

// navigations makes the tables on every engine, and the world of their records.
func navigations(t *testing.T) ([]*bench, oracle.World) {
	from := demonstration(t)
	benches := []*bench{navigation(t, "sqlite", from), navigation(t, "postgresql", from), navigation(t, "mysql", from)}
	world := oracle.World{Calendar: benches[0].ctx, Questions: map[string]parameter.Parameter{}, Tables: map[string][]oracle.Record{}}
	for _, table := range benches[0].catalog.Tables {
		world.Tables[table.Name] = recordsOf(t, from, table)
	}
	return benches, world
}

// TestDocumentedRelations runs every example that the documentation gives of records
// of other tables on every engine, and holds what comes back against the oracle.
func TestDocumentedRelations(t *testing.T) {
	benches, world := navigations(t)
	text, err := os.ReadFile("../../docs/criteria.md")
	require.NoError(t, err)
	_, section, _ := strings.Cut(string(text), "## Records of other tables")
	section, _, _ = strings.Cut(section, "\n## ")
	examples := regexp.MustCompile("(?m)^\\| `([a-z]+)` \\| `([^`]+)` \\|").FindAllStringSubmatch(section, -1)
	require.Greater(t, len(examples), 20)
	in := parameter.Inputs{"period": {Texts: []string{"2025"}}, "n": {Texts: []string{"2"}}}
	for _, example := range examples {
		t.Run(example[2], func(t *testing.T) {
			e, problems := criteria.Parse(example[2])
			require.Empty(t, problems)
			head := "kind: query\nname: q\nsource: small\nfrom: " + example[1] + "\nparameters: [{name: period, kind: period, required: true}, {name: n, kind: integer, required: true}]\nsort: [id]\ncolumns:\n  - id\n"
			query := head + "criteria: \"" + example[2] + "\"\n"
			if !isCondition(e) {
				query = head + "  - { name: v, value: \"" + example[2] + "\" }\n"
			}
			var first [][]string
			for _, b := range benches {
				compiled, values, statement := b.asked(t, query, in)
				rows := b.rows(t, statement)
				if first == nil {
					world.Answers = values
					first = expectedOf(world, compiled)
					require.NotEmpty(t, first)
					require.False(t, isCondition(e) && len(first) == len(world.Tables[example[1]]), "every record meets it: nothing is tried")
				}
				assert.Equal(t, first, rows, b.engine)
			}
		})
	}
}

// TestDocumentedGroups runs every example that the documentation gives of values of
// groups on every engine, and holds what comes back against the oracle.
func TestDocumentedGroups(t *testing.T) {
	benches, world := navigations(t)
	text, err := os.ReadFile("../../docs/criteria.md")
	require.NoError(t, err)
	examples := regexp.MustCompile("(?m)^\\| `([a-z_]+)`, `([^`]+)` \\| `([^`]+)` \\|").FindAllStringSubmatch(string(text), -1)
	require.Greater(t, len(examples), 10)
	in := parameter.Inputs{"period": {Texts: []string{"2025"}}}
	for _, example := range examples {
		t.Run(example[3], func(t *testing.T) {
			query := fmt.Sprintf("kind: query\nname: q\nsource: small\nfrom: %s\nparameters: [{name: period, kind: period, required: true}]\ncolumns:\n  - {name: k, value: \"%s\"}\n  - {name: v, value: \"%s\"}\n", example[1], example[2], example[3])
			var first [][]string
			for _, b := range benches {
				compiled, values, statement := b.asked(t, query, in)
				rows := b.rows(t, statement)
				if first == nil {
					world.Answers = values
					first = groupsOf(world, compiled)
					require.Greater(t, len(first), 1)
				}
				assert.Equal(t, first, rows, b.engine)
			}
		})
	}
}

// TestDocumentedOrder runs every example that the documentation gives of values in the order
// of a result, and of how many records are left of one, on every engine, and holds what comes
// back against the oracle.
func TestDocumentedOrder(t *testing.T) {
	benches, world := navigations(t)
	text, err := os.ReadFile("../../docs/criteria.md")
	require.NoError(t, err)
	examples := regexp.MustCompile("(?m)^\\| `([a-z_]+)` · `([^`]+)` \\| `([^`]+)` \\|").FindAllStringSubmatch(string(text), -1)
	require.Greater(t, len(examples), 18)
	in := parameter.Inputs{"period": {Texts: []string{"2025"}}, "n": {Texts: []string{"4"}}}
	for _, example := range examples {
		t.Run(example[3], func(t *testing.T) {
			key := "id"
			if e, _ := criteria.Parse(example[3]); criteria.HasAggregate(criteria.Counted(e, criteria.Scope{})) {
				key = example[2]
			}
			head := "kind: query\nname: q\nsource: small\nfrom: " + example[1] + "\nparameters: [{name: period, kind: period, required: true}, {name: n, kind: integer}]\nsort: [" + example[2] + "]\ncolumns:\n  - " + key + "\n"
			query := head + "  - {name: v, value: \"" + example[3] + "\"}\n"
			whole := query
			if conditions, first, ok := strings.Cut(example[3], " and "); ok && !strings.Contains(conditions, "(") {
				whole, query = head+"criteria: \""+conditions+"\"\n", head+"criteria: \""+conditions+" and "+first+"\"\n"
			} else if strings.HasPrefix(example[3], "first") || strings.HasPrefix(example[3], "greatest") {
				whole, query = head, head+"criteria: \""+example[3]+"\"\n"
			}
			var first [][]string
			for _, b := range benches {
				compiled, values, statement := b.asked(t, query, in)
				rows := b.rows(t, statement)
				if first == nil {
					world.Answers = values
					_, _, unlimited := b.asked(t, whole, in)
					first = resultOf(world, compiled, world.Tables[example[1]], b.rows(t, unlimited), 1)
					require.NotEmpty(t, first)
				}
				assert.Equal(t, first, rows, b.engine)
			}
		})
	}
}

// TestDocumentedUnion runs the union that the guide gives on every engine, and holds what
// comes back against the oracle.
func TestDocumentedUnion(t *testing.T) {
	benches, world := navigations(t)
	text, err := os.ReadFile("../../docs/guide/authors.md")
	require.NoError(t, err)
	_, section, _ := strings.Cut(string(text), "### Queries below each other")
	_, section, _ = strings.Cut(section, "```yaml\n")
	section, _, _ = strings.Cut(section, "```")
	texts := strings.Split(strings.ReplaceAll(section, "source: navigation", "source: small"), "---\n")
	require.Len(t, texts, 3)
	for _, b := range benches {
		compiled, each, ok := b.inUnion(t, texts[2], texts[:2])
		require.True(t, ok)
		values, problems := parameter.Read(compiled.Questions, nil, parameter.Inputs{"period": {Texts: []string{"2025"}}}, parameter.Context{Calendar: b.ctx})
		require.Empty(t, problems)
		statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, values)
		require.Empty(t, problems)
		world.Answers = values
		var want [][]string
		for _, query := range each {
			of := *query // with what the union says of the day
			day := query.Columns[0].Expr
			of.Criteria = &criteria.Logic{Terms: []criteria.Expr{query.Criteria, criteria.Map(compiled.Criteria, func(e criteria.Expr) criteria.Expr {
				if _, ok := e.(*criteria.Column); ok {
					return day
				}
				return e
			})}}
			want = append(want, expectedOf(world, &of)...)
		}
		require.Greater(t, len(want), 20)
		rows := b.rows(t, statement)
		require.ElementsMatch(t, want, rows, b.engine)
		require.True(t, slices.IsSortedFunc(rows, func(a, b []string) int { return strings.Compare(a[0], b[0]) }))
	}
}

// groupsOf works a query of groups out from the records: its first column tells them
// apart, and they are in its order.
func groupsOf(w oracle.World, c *definition.Compiled) [][]string {
	groups := map[string][]oracle.Record{}
	for _, r := range w.Tables[c.From.Table.Name] {
		key := shown(w.Unit(c.Columns[0].Expr, r))
		groups[key] = append(groups[key], r)
	}
	rows := [][]string{}
	for key, records := range groups {
		row := []string{key}
		for _, column := range c.Columns[1:] {
			row = append(row, shown(w.Value(oracle.Made(w, column.Expr, records), oracle.Record{})))
		}
		rows = append(rows, row)
	}
	slices.SortFunc(rows, func(a, b []string) int {
		x, err1 := strconv.Atoi(a[0])
		y, err2 := strconv.Atoi(b[0])
		if err1 == nil && err2 == nil {
			return x - y
		}
		return strings.Compare(a[0], b[0])
	})
	return rows
}

// isCondition tells whether an expression is a condition, before it is resolved.
func isCondition(e criteria.Expr) bool {
	switch e.(type) {
	case *criteria.Related, *criteria.IsBlank:
		return true
	}
	return criteria.IsComparison(e)
}

// expectedOf works a query out from the records, and those that belong to each by its joins.
func expectedOf(w oracle.World, c *definition.Compiled) [][]string {
	rows := [][]string{}
	records := w.Tables[c.From.Table.Name]
	for _, j := range c.Joins {
		var both []oracle.Record
		for _, r := range records {
			for _, other := range w.Tables[j.Table.Table.Name] {
				if pair := r.Beside(j.Alias, other); w.Condition(j.On, pair) == oracle.True {
					both = append(both, pair)
				}
			}
		}
		records = both
	}
	for _, r := range records {
		if c.Criteria != nil && w.Condition(c.Criteria, r) != oracle.True {
			continue
		}
		var row []string
		for _, column := range c.Columns {
			row = append(row, shown(w.Value(column.Expr, r)))
		}
		rows = append(rows, row)
	}
	return rows
}

// recordsOf reads the records of a table that are looked at, in the order of their
// keys.
func recordsOf(t *testing.T, from *sql.DB, table catalog.Table) (records []oracle.Record) {
	some, names := "", []string{}
	for _, n := range navigationTables {
		if n.name == table.Name {
			some = n.some
		}
	}
	for _, c := range table.Columns {
		names = append(names, c.Name)
	}
	rows, err := from.Query("select +" + strings.Join(names, ", +") + " from " + table.Name + " where " + some + " order by id")
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		values, places := make([]any, len(names)), make([]any, len(names))
		for i := range values {
			places[i] = &values[i]
		}
		require.NoError(t, rows.Scan(places...))
		record := oracle.Record{}
		for i, c := range table.Columns {
			record[c.Name] = oracle.Typed(c, values[i], london)
		}
		records = append(records, record)
	}
	require.NoError(t, rows.Err())
	return records
}

// TestManyRelated: more values of related records than an engine joins tables are
// worked out all the same.
func TestManyRelated(t *testing.T) {
	t.Parallel()
	benches, world := navigations(t)
	text := "from: locks\nsort: [id]\ncolumns:\n  - id\n"
	for i := range 80 {
		text += fmt.Sprintf("  - {name: c%d, value: count of passages where toll_pence > %d}\n", i, i*20)
	}
	for _, b := range benches {
		compiled, problems := compileAt(t, b, text)
		require.NoError(t, problems.Err())
		statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, nil)
		require.NoError(t, problems.Err())
		require.Len(t, statement.Fetch, 81)
		assert.Equal(t, expectedOf(world, compiled), b.rows(t, statement), b.engine)
	}
}
