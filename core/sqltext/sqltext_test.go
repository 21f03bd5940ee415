package sqltext_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/sqltext"
)

// marked puts what was found into brackets: {criteria}, {name}, {name.part}.
func marked(pieces []sqltext.Piece) string {
	var b strings.Builder
	for _, p := range pieces {
		switch p.Kind {
		case sqltext.Criteria:
			b.WriteString("{criteria}")
		case sqltext.Value:
			b.WriteString("{" + strings.TrimSuffix(p.Text+"."+p.Part, ".") + "}")
		default:
			b.WriteString(p.Text)
		}
	}
	return b.String()
}

// flavours are those of engines by name.
var flavours = map[string]sqltext.Flavour{
	"sqlite":     {Backticks: true, Brackets: true},
	"postgresql": {Dollars: true, Escapes: true, Nested: true},
	"mysql":      {Backticks: true, Hashes: true, Spaced: true},
}

func TestSplit(t *testing.T) {
	for _, c := range [][3]string{
		{"sqlite", "select :a, ':b', \":c\", [:d], `:e` from t where criteria() -- :f\n and x = :g", "select {a}, ':b', \":c\", [:d], `:e` from t where {criteria} -- :f\n and x = {g}"},
		{"sqlite", "select ':it''s', :p.from, :p.Until, :p.through, :p.fromage", "select ':it''s', {p.from}, {p.until}, {p.through}, {p}.fromage"},
		{"postgresql", "select x::date, :a::int, 'a'::text, $$:b$$, $q$:c$$ $q$, $1 from t", "select x::date, {a}::int, 'a'::text, $$:b$$, $q$:c$$ $q$, $1 from t"},
		{"postgresql", `select E'it\':s', 'no\', :a, date':b'`, `select E'it\':s', 'no\', {a}, date':b'`},
		{"postgresql", "select /* a /* :b */ :c */ :d", "select /* a /* :b */ :c */ {d}"},
		{"mysql", "select /* a /* :b */ :c # :d\n, `:e`", "select /* a /* :b */ {c} # :d\n, `:e`"},
		{"mysql", "select 'a\\', :b", "select 'a\\', {b}"},
		{"sqlite", "with c as (select 1) select * from c where Criteria ( ) ;\n ", "with c as (select 1) select * from c where {criteria}  \n "},
		{"sqlite", "select criteria from t where my_criteria()", "select criteria from t where my_criteria()"},
		{"sqlite", "select 'ä:b', ä from ö where x=:ü or y=:y", "select 'ä:b', ä from ö where x=:ü or y={y}"},
		{"sqlite", "select '12:30:00', a[1] from t", "select '12:30:00', a[1] from t"},
	} {
		pieces, problems := sqltext.Split(c[1], flavours[c[0]])
		require.Empty(t, problems, c[1])
		assert.Equal(t, c[2], marked(pieces))
	}
}

// TestRefused: the part in question stands between ‹ and ›.
func TestRefused(t *testing.T) {
	for _, c := range [][2]string{
		{"‹insert› into t values (1)", "not_read_only"},
		{"select 1‹;› select 2", "several_statements"},
		{"select name as lock from locks order by ‹lock›", "not_read_only"},
		{"select 1 as x ‹into› outfile '/tmp/x'", "not_read_only"},
		{"with x as materialized (‹delete› from t returning *) select * from x", "not_read_only"},
		{"with x as (‹delete› from t returning *) select * from x", "not_read_only"},
		{"select * ‹into› outfile '/tmp/x' from t", "not_read_only"},
		{"select 1 ‹/*!›50000 into outfile '/tmp/x' */", "not_read_only"},
		{"‹pragma› writable_schema = 1", "not_read_only"},
		{"‹attach› 'x' as y", "not_read_only"},
		{"‹copy› t to program 'x'", "not_read_only"},
		{"select * from t for ‹update›", "not_read_only"},
		{"select ‹'abc›", "open_quote"},
		{"select ‹/* abc›", "open_quote"},
		{"‹ -- nothing›", "empty"},
		{"select 1 ‹/*M!›100000 into outfile '/tmp/x' */", "not_read_only"},
		{"select id from t ‹)› as x; drop table t; select * from (select 1", "parentheses"},
		{"select ‹(›id from t", "parentheses"},
		{"select id from t where ‹(›a = ')' and criteria()", "parentheses"},
	} {
		before, rest, _ := strings.Cut(c[0], "‹")
		part, _, _ := strings.Cut(rest, "›")
		_, problems := sqltext.Split(strings.NewReplacer("‹", "", "›", "").Replace(c[0]), flavours["mysql"])
		require.NotEmpty(t, problems, c[0])
		assert.Equal(t, c[1], problems[0].Code, c[0])
		assert.Equal(t, []int{len([]rune(before)), len([]rune(part))}, []int{problems[0].Offset, problems[0].Length}, c[0])
	}
	_, problems := sqltext.Split("select l.name as lock from locks l", flavours["mysql"])
	assert.Empty(t, problems, "a label is a name")
}

// FuzzSplit: the pieces are the text, whole and in order.
func FuzzSplit(f *testing.F) {
	for _, text := range []string{"select :a, '$$' from t where criteria()", "select $a$ :b $a$", "/* /* */", "select E'\\'"} {
		f.Add(text, "postgresql")
		f.Add(text, "mysql")
	}
	f.Fuzz(func(t *testing.T, text, engine string) {
		pieces, _ := sqltext.Split(text, flavours[engine])
		at := 0
		for _, p := range pieces {
			if p.Start != at || p.End < p.Start {
				t.Fatalf("a piece stands at %d, not at %d", p.Start, at)
			}
			at = p.End
		}
		if at != len(text) {
			t.Fatalf("the pieces end at %d of %d", at, len(text))
		}
	})
}

// TestDashes: to MariaDB dashes without a blank after them are arithmetic, and
// what follows is read by it; to the others they begin a comment.
func TestDashes(t *testing.T) {
	for engine, hidden := range map[string]bool{"sqlite": true, "postgresql": true, "mysql": false} {
		_, problems := sqltext.Split("select 1--1; drop table t", flavours[engine])
		assert.Equal(t, hidden, len(problems) == 0, "%s: %v", engine, problems)
		_, problems = sqltext.Split("select 1 -- 1; drop table t", flavours[engine])
		assert.Empty(t, problems, engine)
		_, problems = sqltext.Split("select 1 --", flavours[engine])
		assert.Empty(t, problems, engine)
	}
}
