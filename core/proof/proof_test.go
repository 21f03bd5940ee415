package proof_test

import (
	"strings"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/proof"
)

var scope = criteria.Scope{
	Tables: []criteria.Table{{Alias: "passages", Table: catalog.Table{Columns: []catalog.Column{
		{Name: "id", Type: catalog.Integer},
		{Name: "x", Type: catalog.Integer, Nullable: true},
		{Name: "y", Type: catalog.Decimal},
		{Name: "lock", Type: catalog.Text},
		{Name: "open", Type: catalog.Boolean},
		{Name: "passed_at", Type: catalog.DateTime, Encoding: catalog.EncISOInstant},
		{Name: "d", Type: catalog.Date, Encoding: catalog.EncISODate, Nullable: true},
		{Name: "laid", Type: catalog.Date, Encoding: "D.M.Y", Stored: catalog.Text, Nullable: true, Unfit: 1},
		{Name: "sorts", Type: catalog.Date, Encoding: "Y/MM/DD", Stored: catalog.Text},
	}}}},
	Questions: []criteria.Question{
		{Name: "period", Type: criteria.Period},
		{Name: "start", Type: catalog.Date},
		{Name: "end", Type: catalog.Date},
		{Name: "n", Type: catalog.Integer},
		{Name: "maybe", Type: catalog.Integer},
		{Name: "locks", Type: catalog.Text, Many: true},
	},
}

var open = proof.Questions{
	Of: func(name string) proof.Question {
		q := proof.Question{Certain: true, Earliest: civil.Start, Latest: civil.End}
		switch name {
		case "period":
			q.Earliest = civil.DateOf(2023, 1, 1).Midnight()
		case "n":
			least, most := decimal.New(1, 0), decimal.New(5, 0)
			q.Least, q.Most = &least, &most
		case "maybe", "locks":
			q.Certain, q.Optional = false, true
		}
		return q
	},
	Ordered: [][2]string{{"start", "end"}},
}

// TestCheck: criteria, and every finding as its code, the part in question,
// and after "with" the other part. Nothing else may be found.
func TestCheck(t *testing.T) {
	for text, want := range map[string][]string{
		"passed_at within :period":                                  {},
		"laid within :period":                                       {"no_index laid within :period"},
		"laid >= '2025' and sorts within :period":                   {"no_index laid >= '2025'"},
		"year(passed_at) = 2025 and passed_at within '2026-03'":     {"never_true passed_at within '2026-03' with year(passed_at) = 2025"},
		"x > 5 and x < 3":                                           {"never_true x < 3 with x > 5"},
		"x > 5 and x < 6":                                           {"never_true x < 6 with x > 5"},
		"y > 5 and y < 6":                                           {},
		"lock = 'A' and lock = 'B'":                                 {"never_true lock = 'B' with lock = 'A'"},
		"lock = 'A' and lock = 'a' ignoring case":                   {},
		"passed_at >= :start or passed_at <= :end":                  {"always_true passed_at >= :start or passed_at <= :end"},
		"passed_at >= :end or passed_at <= :start":                  {},
		"passed_at >= :period.from or passed_at <= :period.through": {"always_true passed_at >= :period.from or passed_at <= :period.through"},
		"d >= '2026' or d <= '2026'":                                {"always_true d >= '2026' or d <= '2026'"},
		"x > 3 or x is blank":                                       {},
		"x > 3 or x <= 3":                                           {"always_true x > 3 or x <= 3"},
		"x > 10 and x >= 8":                                         {"redundant x >= 8 with x > 10"},
		"x >= 8 and x > 10":                                         {"redundant x >= 8 with x > 10"},
		"x >= 8 and x >= 8":                                         {"redundant x >= 8 with x >= 8"},
		"x > 10 or x >= 8":                                          {"redundant x > 10 with x >= 8"},
		"lock in ('A', 'B') and lock starts with 'A'":               {},
		"lock = 'AB' and lock starts with 'A'":                      {"redundant lock starts with 'A' with lock = 'AB'"},
		"x >= 1 and x <= 5 and (x > 0 and x < 9 or y = 1)":          {"redundant x > 0 and x < 9 or y = 1"},
		"(x > 5 and x < 3) or y = 1":                                {"never_true x < 3 with x > 5"},
		"x > 5 and (lock = 'A' or lock = 'B') and lock = 'C'":       {"never_true lock = 'C' with lock = 'A' or lock = 'B'"},
		"passed_at within :period and passed_at < '2022-06'":        {"never_true passed_at < '2022-06' with passed_at within :period"},
		"passed_at within :period and passed_at < '2023-06'":        {},
		"year(passed_at) = 2022 and passed_at within :period and passed_at >= :start and passed_at <= :end": {"never_true passed_at within :period with year(passed_at) = 2022"},
		"x = :n and x > 5":                    {"never_true x > 5 with x = :n"},
		"x = :n and x > 4":                    {},
		"x = :maybe and x > 5 and x = :maybe": {},
		"lock in :locks and lock in :locks":   {},
		"month(passed_at) = 13":               {"never_true month(passed_at) = 13", "no_index month(passed_at) = 13"},
		"y / 100 > 5 and y < 500":             {"never_true y < 500 with y / 100 > 5"},
		"date_of(passed_at) <= '2026-03-01' and passed_at > '2026-03-01'": {"never_true passed_at > '2026-03-01' with date_of(passed_at) <= '2026-03-01'"},
		"d + 30 days < '2026-03-01' and d > '2026-02-01'":                 {"never_true d > '2026-02-01' with d + 30 days < '2026-03-01'"},
		"open and not open":                 {"never_true not open with open"},
		"open = true or open = false":       {"always_true open = true or open = false"},
		"d is blank and d > '2026'":         {"never_true d > '2026' with d is blank"},
		"id is blank":                       {"never_true id is blank"},
		"x < y and y < x":                   {"never_true y < x with x < y"},
		"start_of(week, d) = '2026-03-03'":  {},
		"start_of(month, d) = '2026-03-03'": {"never_true start_of(month, d) = '2026-03-03'"},
		"passed_at within 'last month' and passed_at within 'this month'": {},
		"true or x = 1": {"always_true true"},

		"passed_at > :period.from":                                 {"strict_start passed_at > :period.from"},
		"passed_at < :period.through":                              {"strict_end passed_at < :period.through"},
		"passed_at < :period.until and passed_at >= :period.from":  {},
		"passed_at > :start and passed_at < :end":                  {"strict_start passed_at > :start", "strict_end passed_at < :end"},
		":start < passed_at and passed_at <= :end":                 {"strict_start :start < passed_at"},
		"passed_at > :start":                                       {},
		"passed_at >= '2026-03-01' and passed_at < '2026-04-01'":   {},
		"month(passed_at) = 3":                                     {"no_index month(passed_at) = 3"},
		"month(passed_at) between 3 and 5":                         {"no_index month(passed_at) between 3 and 5"},
		"lower(lock) = 'a' and y * 2 > 4 and year(passed_at) = :n": {"no_index lower(lock) = 'a'"},
		"date_of(passed_at) within :period":                        {},
		"x = :maybe or y = 1":                                      {"optional_in_or x = :maybe"},
		"x <> 1":                                                   {"blanks_left_out x <> 1"},
		"x <> 1 or x is blank":                                     {},
		"not (x = 1) and not (y = 1)":                              {"blanks_left_out not (x = 1)"},
		"x not in (1, 2)":                                          {"blanks_left_out x not in (1, 2)"},
		"x is not blank and x <> 2 and x <> 3":                     {"redundant x is not blank with x <> 2"},
	} {
		e, problems := criteria.Parse(text)
		require.Empty(t, problems, text)
		require.Empty(t, criteria.ResolveCondition(text, e, scope), text)
		got := []string{}
		part := func(offset, length int) string { return string([]rune(text)[offset : offset+length]) }
		for _, p := range proof.Check(text, e, open) {
			line := p.Code + " " + part(p.Offset, p.Length)
			if p.Other != nil {
				line += " with " + part(p.Other.Offset, p.Other.Length)
			}
			got = append(got, line)
			assert.NotEmpty(t, p.Hint, text)
			whole := p.Code == string(proof.Never) && !strings.Contains(text, ") or ")
			assert.Equal(t, whole, p.Severity != diag.Warning, text)
		}
		assert.ElementsMatch(t, want, got, text)
	}
}

// TestManyTerms: more than can be tried together is looked at two by two, and
// what no analysis could finish ends soon.
func TestManyTerms(t *testing.T) {
	text := "x > 5"
	for i := range 40 {
		text += " and (x <> " + string(rune('0'+i%10)) + "1 or y > " + string(rune('0'+i%7)) + " or id = 3)"
	}
	text += " and x < 3"
	e, problems := criteria.Parse(text)
	require.Empty(t, problems)
	require.Empty(t, criteria.ResolveCondition(text, e, scope))
	found, never := proof.Contradiction(criteria.Simplify(e, civil.Calendar{Zone: civil.UTC}))
	require.True(t, never)
	assert.Equal(t, "x < 3", criteria.Print(found.At))
	assert.Equal(t, "x > 5", criteria.Print(found.With))
}
