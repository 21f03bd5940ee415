package sqltext_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/sqltext"
)

// TestRowsOf: rows(t) is a piece of its own, whatever blanks and quotes are in it.
func TestRowsOf(t *testing.T) {
	for text, want := range map[string]sqltext.Piece{
		"select 1 from rows(locks) l":                 {Text: "locks", Named: true},
		"select 1 from rows(locks) as l":              {Text: "locks", Named: true},
		"select 1 from rows(locks)":                   {Text: "locks"},
		"select 1 from rows(locks) where 1 = 1":       {Text: "locks"},
		"select 1 from ROWS ( \"Old locks\" ) l":      {Text: "Old locks", Named: true},
		"select 1 from rows(billing.invoices)":        {Text: "billing.invoices"},
		"select 1 from rows(\"b\".\"i\"), t":          {Text: "b.i"},
		"select 1 from rows(locks) join t on true":    {Text: "locks"},
		"select 1 from x join rows(locks) on 1 = 1":   {Text: "locks"},
		"select 1 from rows(\nlocks\n) straight_join": {Text: "locks"},
	} {
		pieces, problems := sqltext.Split(text, flavours["postgresql"])
		require.Empty(t, problems, text)
		found := 0
		for _, p := range pieces {
			if p.Kind == sqltext.Rows {
				found++
				assert.Equal(t, [2]any{want.Text, want.Named}, [2]any{p.Text, p.Named}, text)
			}
		}
		assert.Equal(t, 1, found, text)
	}
	for _, text := range []string{"select 'rows(locks)'", "select 1 -- rows(locks)", "select 1 /* rows(locks) */", "select \"rows(locks)\" from t", "select sum(x) over (rows between 1 preceding and current row) from t", "select rows from t", "select rows(1) from t", "select rows(a, b) from t", "select browse(locks) from t"} {
		pieces, _ := sqltext.Split(text, flavours["postgresql"])
		for _, p := range pieces {
			assert.NotEqual(t, sqltext.Rows, p.Kind, text)
		}
	}
}

// TestDirect: what is read other than by rows(t), rather too much than too little.
func TestDirect(t *testing.T) {
	for _, c := range []struct {
		text            string
		tables, without []string
		named           []string
		unknown         bool
	}{
		{"select l.name from rows(locks) l", nil, []string{"locks", "l"}, nil, false},
		{"select locks.name from rows(locks) as locks", nil, []string{"locks"}, nil, false},
		{"select locks.name from rows(locks)", nil, []string{"locks"}, nil, false},
		{"select name from locks", []string{"locks"}, nil, []string{"locks"}, false},
		{"select name from rows(locks), locks", []string{"locks"}, nil, []string{"locks"}, false},
		{"select name from weirs straight_join locks", []string{"weirs", "locks"}, nil, []string{"locks"}, false},
		{"select name from billing.locks", []string{"billing.locks"}, nil, []string{"billing", "locks"}, false},
		{"select (locks).name from rows(locks) l", nil, nil, []string{"locks"}, false},
		{"with c as (select 1) select * from c", nil, nil, []string{"c"}, false},
		{"with c as (select * from c) select * from c", []string{"c"}, nil, nil, false},
		{"with recursive c as (select 1 union select * from c) select * from c", nil, nil, []string{"c"}, false},
		{"with a as (select * from b), b as (select 1) select * from a", []string{"b"}, nil, nil, false},
		{"select * from c where exists (with c as (select 1) select * from c)", []string{"c"}, nil, nil, false},
		{"select * from generate_series(1, 2) g", nil, nil, nil, false},
		{"select * from (table locks) x", []string{"table"}, nil, []string{"locks"}, true},
		{"select query_to_xml('x')", nil, nil, nil, true},
		{"select U&\"\\006cocks\" from t", []string{"t"}, nil, nil, true},
	} {
		d := sqltext.DirectOf(c.text, flavours["postgresql"])
		assert.Equal(t, c.tables, d.Tables, c.text)
		for _, name := range c.without {
			assert.NotContains(t, d.Names, name, c.text)
		}
		for _, name := range c.named {
			assert.Contains(t, d.Names, name, c.text)
		}
		assert.Equal(t, c.unknown, len(d.Unknown) > 0, "%s: %v", c.text, d.Unknown)
	}
}

// FuzzDirectOf: whatever the SQL, it is read to its end without a panic, and a table that
// is read beside it, by name, is told or something is that cannot be followed.
func FuzzDirectOf(f *testing.F) {
	for _, text := range []string{"select 1", "select a from rows(t) x", "with a as (select 1) select * from a", "select * from (t), u left join v on 1", "select 'x' -- y", "values (1)", "select \"", "select (((", "rows(", "select [a] from `b`"} {
		f.Add(text, "postgresql")
		f.Add(text, "mysql")
		f.Add(text, "sqlite")
	}
	f.Fuzz(func(t *testing.T, text, engine string) {
		flavour, ok := flavours[engine]
		if !ok {
			return
		}
		if sqltext.DirectOf(text, flavour); strings.ContainsAny(text, "'\"`[]$/-#\\;\x00") {
			return // it may end within a quotation or a comment
		}
		found := sqltext.DirectOf("select 1 from hidden_table where (1 = 1)\nunion all "+text, flavour)
		if !slices.Contains(found.Names, "hidden_table") && len(found.Unknown) == 0 {
			t.Fatalf("%s: hidden_table is read, and not told: %+v", engine, found)
		}
	})
}
