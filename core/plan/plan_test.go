package plan_test

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/core/plan"
)

var update = flag.Bool("update", false, "write the golden files anew")

var source = catalog.Source{Name: "navigation", Tables: []catalog.Table{
	{Name: "passages", Key: []string{"id"}, Columns: []catalog.Column{
		{Name: "id", Type: catalog.Integer},
		{Name: "lock_id", Type: catalog.Integer},
		{Name: "vessel_id", Type: catalog.Integer, Nullable: true},
		{Name: "passed_at", Type: catalog.DateTime, Encoding: catalog.EncISOInstant, Stored: catalog.Text, Shape: "0000-00-00T00:00:00Z"},
		{Name: "paid_on", Declared: "date", Type: catalog.Date, Encoding: catalog.EncYMD, Stored: catalog.Integer, Nullable: true, Shape: "number"},
		{Name: "toll_pence", Type: catalog.Integer},
		{Name: "refund", Type: catalog.Decimal, Nullable: true},
	}, References: []catalog.Reference{{Columns: []string{"lock_id"}, Table: "locks", To: []string{"id"}}}},
	{Name: "locks", Key: []string{"id"}, Columns: []catalog.Column{{Name: "id", Type: catalog.Integer}, {Name: "name", Type: catalog.Text}}},
	{Name: "notes", Key: []string{"id"}, Columns: []catalog.Column{{Name: "id", Type: catalog.Integer}, {Name: "passage_id", Type: catalog.Integer}}},
	{Name: "surveys", Key: []string{"id"}, Columns: []catalog.Column{
		{Name: "id", Type: catalog.Integer},
		{Name: "held_on", Type: catalog.Date, Encoding: "D.M.Y", Stored: catalog.Text, Nullable: true},
		{Name: "sent_at", Type: catalog.DateTime, Encoding: "D Mon YY[ h:m am] from 1970", Stored: catalog.Text},
		{Name: "kept_on", Type: catalog.Date, Encoding: "Y/MM/DD", Stored: catalog.Text},
	}},
}}

// engines are the ways a query is written; in the second, what is known of dates
// kept as text is relied on.
var engines = []struct {
	name    string
	dialect dialect.Dialect
	traits  catalog.Traits
	known   bool
}{
	{"SQLite", dialect.SQLite, catalog.Traits{Untyped: true}, false},
	{"SQLite, its dates known", dialect.SQLite, catalog.Traits{Untyped: true}, true},
	{"PostgreSQL", dialect.Postgres("C"), catalog.Traits{}, false},
	{"MariaDB", dialect.MySQL("utf8mb4_bin"), catalog.Traits{ZeroDates: true, Unplaced: true}, false},
}

// know takes every date of the tables for one that fits and is written like the
// others of its column.
func know(tables *catalog.Source) {
	for _, t := range tables.Tables {
		for i := range t.Columns {
			c := &t.Columns[i]
			layout := map[catalog.Encoding]string{catalog.EncISODate: "0000-00-00", catalog.EncISOInstant: "0000-00-00T00:00:00Z", catalog.EncISOLocal: "0000-00-00 00:00:00", catalog.EncYMD: "number", catalog.EncUnixS: "number", catalog.EncUnixMS: "number", "D.M.Y": "00.00.0000", "Y/MM/DD": "0000/00/00"}[c.Encoding]
			if c.Encoding != "" && !c.Encoding.IsNative() {
				c.Whole, c.Shape = true, layout
			}
		}
	}
}

// TestGolden translates each testdata/NAME.yaml, a query, with the answers on
// its lines that begin with "# NAME: ANSWER", and compares words, SQL and
// values with NAME.golden.
func TestGolden(t *testing.T) {
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	calendar := civil.Calendar{Zone: zone, Now: civil.InstantOf(civil.DateOf(2026, 3, 18).Midnight(), zone), WeekStart: time.Monday}
	files, err := filepath.Glob("testdata/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			content, err := os.ReadFile(file)
			require.NoError(t, err)
			documents, problems := definition.Decode(file, content)
			require.Empty(t, problems)
			query := documents[0].(*definition.Query)
			inputs := map[string]parameter.Input{}
			for _, line := range strings.Split(string(content), "\n") {
				if name, answer, ok := strings.Cut(strings.TrimPrefix(line, "# "), ": "); ok && strings.HasPrefix(line, "# ") {
					inputs[name] = parameter.Input{Texts: strings.Split(answer, "|")}
				}
			}
			calendar, library := calendar, definition.NewSet(documents, definition.Library{}).Library
			calendar, problems = library.In(calendar, query.Calendar)
			require.Empty(t, problems)
			library.Calendar = &calendar
			var b strings.Builder
			for _, e := range engines {
				tables := source.Clone()
				tables.Traits = e.traits
				if e.known {
					know(&tables)
				}
				compiled, problems := definition.Compile(query, &tables, library)
				require.NoError(t, problems.Err())
				values, problems := parameter.Read(compiled.Questions, compiled.Rules, inputs, parameter.Context{Calendar: calendar})
				require.Empty(t, problems)
				statement, problems := plan.Planner{Query: compiled, Calendar: calendar, Sure: (*catalog.Column).Reliable}.Records(definition.View{}, values)
				require.Empty(t, problems)
				q := e.dialect.Write(statement.Statement)
				fmt.Fprintf(&b, "-- %s\n\n", e.name)
				for _, line := range q.Lines {
					fmt.Fprintf(&b, "%s\n  %s\n", line.Words, line.SQL)
				}
				fmt.Fprintf(&b, "\n%s\n\n", q.SQL)
				for i, v := range q.Args {
					fmt.Fprintf(&b, "%d = %T %v\n", i+1, v, v)
				}
				b.WriteString("\n")
			}
			golden := strings.TrimSuffix(file, ".yaml") + ".golden"
			if *update {
				require.NoError(t, os.WriteFile(golden, []byte(b.String()), 0o644))
			}
			want, err := os.ReadFile(golden)
			require.NoError(t, err)
			assert.Equal(t, string(want), b.String())
		})
	}
}

// TestFormula: computed columns are exact, a blank operand and a division by
// zero give a blank.
func TestFormula(t *testing.T) {
	for formula, cases := range map[string]map[any]string{
		"toll_pence / 100":              {int64(1): "0.01", int64(123456789012345678): "1234567890123456.78", nil: "blank", 0.1: "0.001"},
		"toll_pence / 3":                {int64(1): "0.333333333333"},
		"1 / toll_pence":                {int64(0): "blank", int64(8): "0.125"},
		"toll_pence * 0.1 + 0.2":        {int64(1): "0.3", "0.30": "0.23"},
		"-(toll_pence - 2 * 3) - -1":    {int64(4): "3"},
		"toll_pence / 100 * 100 * 1.00": {int64(7): "7"},
	} {
		documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: s\nfrom: passages\ncolumns:\n  - { name: x, value: '"+formula+"' }\n"))
		require.Empty(t, problems)
		compiled, problems := definition.Compile(documents[0].(*definition.Query), &source, definition.Library{})
		require.Empty(t, problems)
		statement, problems := plan.Planner{Query: compiled, Calendar: civil.Calendar{Zone: time.UTC}}.Records(definition.View{}, nil)
		require.Empty(t, problems)
		for in, want := range cases {
			got := "blank"
			if d := statement.Outputs[0].Formula.Of([]any{in}); d != nil {
				got = fmt.Sprint(d)
			}
			assert.Equal(t, want, got, "%s with %v", formula, in)
		}
	}
}

// TestFormulaByDays: a day and a date-time are compared by days, whatever the time has behind
// its seconds.
func TestFormulaByDays(t *testing.T) {
	documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: s\nfrom: passages\ncolumns:\n  - { name: x, value: \"if(paid_on = passed_at, 'same', 'other')\" }\n"))
	require.Empty(t, problems)
	compiled, problems := definition.Compile(documents[0].(*definition.Query), &source, definition.Library{})
	require.Empty(t, problems)
	statement, problems := plan.Planner{Query: compiled, Calendar: civil.Calendar{Zone: time.UTC}}.Records(definition.View{}, nil)
	require.Empty(t, problems)
	for at, want := range map[string]string{"2025-03-30T00:00:00Z": "same", "2025-03-30T00:00:00.5Z": "same", "2025-03-30T23:59:59.999Z": "same", "2025-03-31T00:00:00Z": "other", "2025-03-29T23:59:59.5Z": "other"} {
		row := make([]any, 2)
		for i, f := range statement.Fetch {
			row[i] = map[string]any{"paid_on": int64(20250330), "passed_at": at}[f.Column.Name]
		}
		assert.Equal(t, want, statement.Outputs[0].Formula.Of(row), at)
	}
}
