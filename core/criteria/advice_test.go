package criteria_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// TestAdvice: what is written as in SQL, or in another language, is answered by
// how it is written here.
func TestAdvice(t *testing.T) {
	table := catalog.Table{Name: "tolls", Columns: []catalog.Column{
		{Name: "name", Type: catalog.Text, Nullable: true}, {Name: "pence", Type: catalog.Integer}, {Name: "day", Type: catalog.Date, Encoding: catalog.EncISODate},
	}}
	scope := criteria.Scope{Tables: []criteria.Table{{Alias: "tolls", Table: table}}}
	for text, way := range map[string]string{
		"name like 'A%'":                  "matches 'P*'",
		"name is null":                    "is blank",
		"name = null":                     "is blank",
		"name is not null":                "is not blank",
		"pence == 5":                      "= once",
		"exists (select 1 from t)":        "meets",
		"pence > 5 && pence < 9":          "Write and.",
		"pence > 5 || pence < 2":          "Write or",
		"name in [1]":                     "list in parentheses",
		"day >= now()":                    "'today'",
		"day > date '2026-01-01'":         "date_of",
		"case when pence > 5 then 1 end":  "if(condition",
		"ifnull(name, 'x') = 'x'":         "coalesce",
		"sum(pence) > 5":                  "sum of",
		"datediff(day, '2026-01-01') > 5": "paid_on - issued_on",
		"substring(name, 1, 1) = 'A'":     "starts with",
		"pence % 2 = 0":                   "no remainder",
		"day = ${period}":                 ":name",
		"pence > 5;":                      "ends where the text ends",
		"`name` = 'A'":                    "double quotes",
		"pence > 5 having count(*) > 1":   "condition on groups",
		"name ~ 'A'":                      "contains",
		"cast(pence as text) = '5'":       "nothing has to be cast",
		"day > current_date":              "'today'",
		"pence > 5 limit 10":              "Every record",
		"day + interval '1 day' > '2026'": "+ 30 days",
		"name rlike '^A' and pence = 1":   "starts with",
	} {
		e, problems := criteria.Parse(text)
		if len(problems) == 0 {
			problems = criteria.ResolveCondition(text, e, scope)
		}
		hints := ""
		for _, p := range problems {
			hints += p.Message + " " + p.Hint + "\n"
		}
		assert.Contains(t, hints, way, text)
	}
}
