package criteria_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// printed: an expression and its canonical form.
var printed = [][2]string{
	{"passed_at within :period AND locks.name In :locks", "passed_at within :period and locks.name in :locks"},
	{"a=1 or b<>2 and not c>=3.50", "a = 1 or b <> 2 and not c >= 3.5"},
	{"(a = 1 or b = 2) and c != 3", "(a = 1 or b = 2) and c <> 3"},
	{"not (a = 1 and b = 2)", "not (a = 1 and b = 2)"},
	{"x between 1 and 2 and y", "x between 1 and 2 and y"},
	{"x not in ('a', 'it''s')", "x not in ('a', 'it''s')"},
	{"paid_on is not blank", "paid_on is not blank"},
	{"d <= :period.through", "d <= :period.through"},
	{"toll_pence / 100 - 2 * (3 - -x)", "toll_pence / 100 - 2 * (3 - -x)"},
	{"a - (b - c)", "a - (b - c)"},
	{`"odd name"."and" = true -- a comment`, `"odd name"."and" = true`},
	{"issued_on within '2026-Q1'", "issued_on within '2026-Q1'"},
	{"a and (b and c)", "a and (b and c)"},
	{"paid_on > issued_on + 30  DAYS and d - P1M2D < 'today'", "paid_on > issued_on + 30 days and d - P1M2D < 'today'"},
	{"month OF passed_at = '2026-03'", "month of passed_at = '2026-03'"},
	{"not name STARTS with 'A' ignoring case", "not name starts with 'A' ignoring case"},
	{"name not ends with 'x' or name not contains y", "name not ends with 'x' or name not contains y"},
	{"span(a, b+P1D) not overlaps :period", "span(a, b + P1D) not overlaps :period"},
	{"Meets in_service OF l and meets \"odd-name\"", "meets in_service of l and meets \"odd-name\""},
	{"IF(a = 1 or b, coalesce(c, blank), -d)>1", "if(a = 1 or b, coalesce(c, blank), -d) > 1"},
	{"start_of(Month, d) = 'today'", "start_of(month, d) = 'today'"},
	{"name in ('a') ignoring case", "name in ('a') ignoring case"},
	{"name NOT matches 'P*' ignoring case", "name not matches 'P*' ignoring case"},
	{"d + n Days > 'today' and d-(n)day < e", "d + n days > 'today' and d - n days < e"},
	{"d + (a - b) days - c days = e", "d + (a - b) days - c days = e"},
	{"d - -n days = e", "d - -n days = e"},
	{"First 10 BY region and x = 1", "first 10 by region and x = 1"},
	{"greatest 3 of a+b by (region, month of d)", "greatest 3 of a + b by (region, month of d)"},
	{"Running Sum of toll/100 by (a) > running count", "running sum of toll / 100 by a > running count"},
	{"toll - previous toll by a = rank of b ascending by (a, c)", "toll - previous toll by a = rank of b ascending by (a, c)"},
	{"previous (a + b) = 1 and previous = 2", "previous (a + b) = 1 and previous = 2"},
	{"share of x in (a, b) > 1 and (share of y) in (1, 2)", "share of x in (a, b) > 1 and (share of y) in (1, 2)"},
	{"running sum of (rank of a) by b = 1", "running sum of (rank of a) by b = 1"},
	{"running sum of rank of a by b = 1", "running sum of rank of a by b = 1"},
	{"greatest 2 of (1 - share of a) by b", "greatest 2 of (1 - (share of a)) by b"},
	{"d + (30) days = d - (0)days", "d + (30) days = d - (0) days"},
	{"count where a = 1 > 2", "(count where a = 1) > 2"},
	{"(sum of a where b or c) / count = 1", "(sum of a where b or c) / count = 1"},
	{"(count of all x where a = 1) > count of all y", "(count of all x where a = 1) > count of all y"},
}

func TestPrint(t *testing.T) {
	for _, c := range printed {
		e, problems := criteria.Parse(c[0])
		require.Empty(t, problems, c[0])
		assert.Equal(t, c[1], criteria.Print(e))
	}
}

var scope = criteria.Scope{
	Tables: []criteria.Table{
		{Alias: "passages", Table: catalog.Table{Name: "passages", Columns: []catalog.Column{
			{Name: "id", Type: catalog.Integer},
			{Name: "lock_id", Type: catalog.Integer},
			{Name: "toll", Type: catalog.Decimal},
			{Name: "passed_at", Type: catalog.DateTime, Encoding: catalog.EncISOInstant},
		}}},
		{Alias: "locks", Optional: true, Table: catalog.Table{Name: "locks", Columns: []catalog.Column{
			{Name: "id", Type: catalog.Integer},
			{Name: "name", Type: catalog.Text},
			{Name: "opened_on", Type: catalog.Date, Encoding: catalog.EncISODate},
		}}},
	},
	Questions: []criteria.Question{
		{Name: "period", Type: criteria.Period}, {Name: "locks", Type: catalog.Text, Many: true}, {Name: "lock", Type: catalog.Text},
	},
}

// TestProblems: the part in question stands between ‹ and ›, then the code and
// a piece of the sentence and its hint.
func TestProblems(t *testing.T) {
	for _, c := range [][3]string{
		{"‹›", "empty", "within :period"},
		{"passed_at within ‹:perod›", "undeclared_parameter", "period"},
		{"‹toll_pnce› = 1", "unknown_column", "There are id, lock_id"},
		{"‹tol› = 1", "unknown_column", "toll"},
		{"‹id› = 1", "ambiguous_column", "locks.id or passages.id"},
		{"‹lcks.name› = 'A'", "unknown_table", "locks"},
		{"toll = ‹'A'›", "type_mismatch", "decimal cannot be compared with a text"},
		{"‹toll› within :period", "type_mismatch", "within needs a date"},
		{"passed_at within ‹:lock›", "type_mismatch", "within needs a period"},
		{"passed_at within ‹'2026-02-30'›", "no_such_date", "2026-02-28"},
		{"name = ‹:locks›", "many_values", "in :locks"},
		{"name in ‹:period›", "type_mismatch", "within :period"},
		{"‹toll›", "type_mismatch", "not a condition"},
		{"‹:lock.from› = 'A'", "unknown_part", "has no .from"},
		{"‹shout(name)› = 'A'", "unknown_function", "lower"},
		{"‹yeer(passed_at)› = 2026", "unknown_function", "year"},
		{"year(‹name›) = 2026", "type_mismatch", "year needs a date"},
		{"hour(‹opened_on›) = 8", "type_mismatch", "hour needs a date-time"},
		{"opened_on + ‹toll› days = 'today'", "type_mismatch", "floor"},
		{"opened_on + ‹name› days = 'today'", "type_mismatch", "whole number"},
		{"part(name, ‹0›) = 'A'", "bad_number", "from 1 to 10000"},
		{"part(name, ‹toll›) = 'A'", "bad_number", "written here"},
		{"split(name, ‹''›, 1) = 'A'", "bad_text", "at least one character"},
		{"split(name, ‹'aba'›, 1) = 'A'", "bad_text", "begins"},
		{"pad_left(name, 3, ‹'ab'›) = 'A'", "bad_text", "one character"},
		{"number_of(name, ‹';'›) = 1", "bad_text", "mark"},
		{"date_in(‹lower(name)›, 'D.M.Y') = 'today'", "type_mismatch", "a column"},
		{"date_in(name, ‹'D.Q.Y'›) = 'today'", "bad_layout", "D.M.Y"},
		{"date_in(name, ‹'unix-s'›) = 'today'", "bad_layout", "no layout"},
		{"name matches ‹lower(name)›", "bad_text", "P*"},
		{"‹toll› matches 'P*'", "type_mismatch", "matches needs a text"},
		{"‹rank of toll› > 3", "in_order_here", "first 10 by region"},
		{"toll > 3 or ‹first 3 by name›", "first_here", "joined by and"},
		{"span(opened_on, opened_on) covers ‹name›", "type_mismatch", "a period or a date"},
		{"‹round(1, 2, 3)› = 1", "wrong_count", "1 or 2 values, not 3"},
		{"round(toll, ‹99›) = 1", "bad_number", "0 to 12"},
		{"days_after(‹opend_on›, 3) = 'today'", "unknown_column", "opened_on"},
		{"start_of(‹fortnight›, passed_at) = 'today'", "unknown_unit", "day, week"},
		{"if(‹toll›, 1, 2) = 1", "type_mismatch", "not a condition"},
		{"coalesce(toll, ‹name›) = 1", "type_mismatch", "cannot stand beside"},
		{"coalesce(opened_on, ‹passed_at›) = 'today'", "type_mismatch", "date_of"},
		{"name = ‹blank›", "compared_with_blank", "is blank"},
		{"‹toll› contains 'a'", "type_mismatch", "contains needs a text"},
		{"‹toll› = 1 ignoring case", "type_mismatch", "capitals"},
		{"toll + ‹30 days› > 1", "type_mismatch", "added to a date"},
		{"‹passed_at + opened_on› = 1", "type_mismatch", "paid_on - issued_on"},
		{"month of ‹name› = '2026-03'", "type_mismatch", "month of needs a date"},
		{"month of passed_at = ‹3›", "type_mismatch", "cannot be compared with an integer"},
		{"span(opened_on, ‹passed_at›) overlaps :period", "type_mismatch", "date_of"},
		{"span(passed_at, passed_at) ‹touches› :period", "unexpected", "overlaps, inside or covers"},
		{"passed_at = '2026' or ‹meets in_service›", "no_criteria_here", "query"},
		{"passed_at > :period - ‹99999999 days›", "too_long", ""},
		{"‹name› + 1 = 2", "type_mismatch", "Arithmetic needs numbers"},
		{"toll = 1 ‹toll› = 2", "unexpected", "and or or"},
		{"toll = ‹and› 2", "unexpected", ""},
		{"name = ‹'open›", "open_quote", ""},
		{"toll ‹§› 1", "unknown_character", ""},
		{"(toll = 1‹›", "unexpected", "not closed"},
		{strings.Repeat("(", 120) + "‹›", "too_deep", ""},
	} {
		before, rest, _ := strings.Cut(c[0], "‹")
		part, _, _ := strings.Cut(rest, "›")
		text := strings.NewReplacer("‹", "", "›", "").Replace(c[0])
		e, problems := criteria.Parse(text)
		if len(problems) == 0 {
			problems = criteria.ResolveCondition(text, e, scope)
		}
		require.Len(t, problems, 1, text)
		p := problems[0]
		assert.Equal(t, c[1], p.Code, text)
		if c[1] != "too_deep" {
			assert.Equal(t, []int{len([]rune(before)), len([]rune(part))}, []int{p.Offset, p.Length}, text)
		}
		assert.Contains(t, p.Message+" "+p.Hint, c[2], text)
	}
}

func TestAllProblemsAtOnce(t *testing.T) {
	text := "tol = 1 and nme = 'A' and passed_at within :perod"
	e, problems := criteria.Parse(text)
	require.Empty(t, problems)
	assert.Len(t, criteria.ResolveCondition(text, e, scope), 3)
}

// FuzzParse holds that nothing panics and that what is printed is parsed to
// the same printed form.
func FuzzParse(f *testing.F) {
	for _, c := range printed {
		f.Add(c[0])
	}
	f.Fuzz(func(t *testing.T, text string) {
		e, problems := criteria.Parse(text)
		if len(problems) > 0 {
			return
		}
		once := criteria.Print(e)
		again, problems := criteria.Parse(once)
		if len(problems) > 0 {
			t.Fatalf("%q is printed as %q, which does not parse: %v", text, once, problems)
		}
		if twice := criteria.Print(again); twice != once {
			t.Fatalf("%q is printed as %q, then as %q", text, once, twice)
		}
		_ = criteria.ResolveCondition(text, e, scope)
	})
}
