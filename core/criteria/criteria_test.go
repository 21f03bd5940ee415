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
		{"‹round(1, 2, 3)› = 1", "wrong_count", "1 or 2 values, not 3"},
		{"round(toll, ‹99›) = 1", "bad_number", "0 to 12"},
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
