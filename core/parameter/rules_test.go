package parameter_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/parameter"
)

// asked are the questions of the rules below, and their answers.
var asked = []parameter.Parameter{
	{Name: "period", Kind: parameter.Period},
	{Name: "other", Kind: parameter.Period},
	{Name: "open", Kind: parameter.Period, Limits: parameter.Limits{Ends: parameter.EndsOpen}},
	{Name: "day", Kind: parameter.Date},
	{Name: "first", Kind: parameter.Date},
	{Name: "days", Kind: parameter.Date, Many: true},
	{Name: "moment", Kind: parameter.DateTime},
	{Name: "n", Kind: parameter.Integer},
	{Name: "half", Kind: parameter.Decimal},
	{Name: "code", Kind: parameter.Text},
	{Name: "codes", Kind: parameter.Text, Many: true},
	{Name: "sure", Kind: parameter.YesNo},
	{Name: "none", Kind: parameter.Text},
	{Name: "no_day", Kind: parameter.Date},
}

var answered = map[string]parameter.Input{
	"period": {Texts: []string{"2026-03"}},
	"other":  {Texts: []string{"2026-02-10/2026-03-05"}},
	"open":   {Texts: []string{"2026-03-10/.."}},
	"day":    {Texts: []string{"2026-03-31"}},
	"first":  {Texts: []string{"2026-03-01"}},
	"days":   {Texts: []string{"2026-03-01", "2026-04-02"}},
	"moment": {Texts: []string{"2026-03-31 08:30"}},
	"n":      {Texts: []string{"7"}},
	"half":   {Texts: []string{"0.5"}},
	"code":   {Texts: []string{"TW-0042"}},
	"codes":  {Texts: []string{"up", "down"}},
	"sure":   {Texts: []string{"yes"}},
}

var when = parameter.Context{Calendar: civil.Calendar{Zone: time.UTC, WeekStart: time.Monday, Now: civil.InstantOf(civil.DateOf(2026, 4, 2).Midnight(), time.UTC)}}

// TestRuleForms: whatever a condition can say, it says of answers as well: true,
// broken, or open because a question was left blank.
func TestRuleForms(t *testing.T) {
	for rule, want := range map[string]string{
		":day >= '2026-03-01'":                              "kept",
		":day < '2026-03-01'":                               "broken",
		":day within :period":                               "kept",
		":day not within :period":                           "broken",
		":day within 'this month'":                          "broken",
		":day in :days":                                     "broken",
		":day in (:days, :day)":                             "kept",
		":moment <= :day":                                   "kept", // the last day counts in full
		":moment > :day":                                    "broken",
		":moment < :day":                                    "broken",
		":day = :period.through":                            "kept",
		":day between :period.from and :period.through":     "kept",
		":day not between :period.from and :period.through": "broken",
		":period.until - :period.from <= 31":                "kept",
		":period.until - :period.from < 31":                 "broken",
		":day + 1 day = :period.until":                      "kept",
		":day - 1 month = '2026-02-28'":                     "kept",
		":day + P1000Y > :period.from":                      "kept",
		"month(:day) = 3 and weekday(:day) = 2":             "kept",
		"year(:day) = 2025":                                 "broken",
		"month of :day = '2026-03'":                         "kept",
		"start_of(month, :day) = :period.from":              "kept",
		"date_of(:moment) = :day":                           "kept",
		"span(:first, :day) overlaps :other":                "kept",
		"span(:first, :day) inside :other":                  "broken",
		":day >= :open.from":                                "kept",
		":day <= :open.through":                             "kept", // an open end bounds nothing
		":n * 2 > 13 and :n / 2 = 3.5 and -:n < 0":          "kept",
		":n > 7":                                     "broken",
		"7 < :n":                                     "broken",
		":half * 4 = 2":                              "kept",
		"round(:half) = 1 and :n in (5, 7)":          "kept",
		":n / (:n - 7) = 1":                          "open",
		":code starts with 'TW-'":                    "kept",
		":code starts with 'tw'":                     "broken",
		":code starts with 'tw' ignoring case":       "kept",
		":code contains '9' or :code ends with '42'": "kept",
		"length(:code) = 7 and upper(:code) = :code": "kept",
		"'up' in :codes and 'across' not in :codes":  "kept",
		"'UP' in :codes":                             "broken",
		"'UP' in :codes ignoring case":               "kept",
		":sure":                                      "kept",
		"not :sure":                                  "broken",
		":sure = false or :n = 7":                    "kept",
		"if(:sure, :n, 0) = 7":                       "kept",
		"coalesce(:none, 'x') = 'x'":                 "kept",
		":none is blank and :code is not blank":      "kept",
		":none is not blank":                         "broken",
		":none = 'x'":                                "open",
		":none in ('x', 'y')":                        "open",
		":no_day > '2026'":                           "open",
		":no_day within :period":                     "open",
		":no_day is blank or :no_day > :day":         "kept",
		":no_day > :day and :n = 8":                  "broken",
	} {
		e, problems := criteria.Parse(rule)
		require.Empty(t, problems, rule)
		scope := criteria.Scope{}
		for _, q := range asked {
			scope.Questions = append(scope.Questions, q.Question())
		}
		require.Empty(t, criteria.ResolveCondition(rule, e, scope), rule)
		try := func(e criteria.Expr) bool {
			_, problems := parameter.Read(asked, []parameter.Rule{{Expr: e, Message: "No."}}, answered, when)
			for _, p := range problems {
				require.Equal(t, "rule_broken", p.Code, rule)
			}
			return len(problems) == 0
		}
		// What is open is kept, and kept when it is negated.
		got, negated := try(e), try(&criteria.Not{X: e})
		assert.Equal(t, want, map[[2]bool]string{{true, false}: "kept", {false, true}: "broken", {true, true}: "open"}[[2]bool{got, negated}], rule)
	}
}

// TestDerivedNumbers: a number is worked out from answers of any kind.
func TestDerivedNumbers(t *testing.T) {
	for formula, want := range map[string]string{
		":n * 2 + 1":                         "15",
		":period.through - :period.from + 1": "31",
		"month(:day)":                        "3",
		"length(:code)":                      "7",
		"if(:sure, :n, 0)":                   "7",
		"round(:half)":                       "1",
		":n / 0":                             "",
		"length(:none)":                      "",
		":no_day - :day":                     "",
	} {
		questions := append([]parameter.Parameter{{Name: "made", Kind: parameter.Integer, Derive: formula}}, asked...)
		values, problems := parameter.Read(questions, nil, answered, when)
		require.Empty(t, problems, formula)
		got := ""
		if values["made"].Given {
			got = values["made"].Numbers[0].String()
		}
		assert.Equal(t, want, got, formula)
	}
	for formula, code := range map[string]string{":code": "type_mismatch", ":day": "type_mismatch", ":nobody + 1": "undeclared_parameter", ":n + :days": "many_values", "blank": "blank_alone", "1 +": "", "x + 1": ""} {
		_, problems := parameter.Formula(formula, asked)
		require.NotEmpty(t, problems, formula)
		if code != "" {
			assert.Equal(t, code, problems[0].Code, formula)
		}
	}
}
