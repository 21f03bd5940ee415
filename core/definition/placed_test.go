package definition_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/definition"
)

// TestPlaced: what is wrong with conditions in braces and with answers that stand in
// SQL by themselves has its place, between ‹ and ›, and a way out.
func TestPlaced(t *testing.T) {
	const questions = `
parameters:
  - {name: period, kind: period, required: true}
  - {name: open, kind: period, required: true, limits: {ends: open}}
  - {name: day, kind: date, required: true}
  - {name: start, kind: date, required: true}
  - {name: until, kind: date, required: true}
  - {name: moment, kind: date-time, required: true}
  - {name: n, kind: integer}
  - {name: list, kind: text, many: true}
  - {name: sure, kind: integer, required: true}
  - {name: usual, kind: integer, default: "3"}
`
	for text, want := range map[string]string{
		"select id from sales s where { s.day within :period } and { s.id = :n }":                         "",
		"select sum(case when { day within :period } then 1 else 0 end) as n from s":                      "",
		"select id from sales where id = :sure and id <> :usual and :n is null":                           "",
		"select id from sales where :n::int is null or cast(:n as int) = id":                              "",
		"select id from sales where coalesce(:n, 0) = id":                                                 "",
		"select id, :n as n, case when id > 5 then :n else 0 end as m from sales":                         "",
		"select :sure as n from sales":                                                                    "",
		"select id from sales where month >= :period.from as ym":                                          "",
		"select id from sales where day between :start as iso-date and :until as iso-date":                "",
		"select id from sales where { day within :period } or { id = :sure }":                             "",
		"select id from sales where ‹{ day within :period and id = :n }› or id = 5":                       "optional_in_or",
		"select id from sales where not ‹{ id = :sure }›":                                                 "not_outside",
		"select id from sales where { ‹idd› = :sure }":                                                    "unknown_column",
		"select 'ä' from sales\nwhere\n  { id = 5 and ‹dya› within :period }":                             "unknown_column",
		"select id from sales where { id = ‹:nn› }":                                                       "undeclared_parameter",
		"select id from sales where { day within ‹'2025-02-30'› }":                                        "no_such_date",
		"select id from sales where { ‹id› }":                                                             "type_mismatch",
		"select id from sales where { sum of id > ‹›}":                                                    "unexpected",
		"select id from sales where { id > 5 and ‹id < 3› }":                                              "never_true",
		"select id from sales where { sum of id > 5 }":                                                    "aggregate_here",
		"select id from sales where { id = 5":                                                             "braces",
		"select id from sales where id = 5 ‹}›":                                                           "braces",
		"select id from sales where day >= ‹:period›":                                                     "needs_part",
		"select id from sales where day >= ‹:period.from›":                                                "needs_form",
		"select id from sales where day >= ‹:period.from as day›":                                         "needs_form",
		"select id from sales where day = ‹:day›":                                                         "needs_form",
		"select id from sales where at > ‹:moment›":                                                       "needs_form",
		"select id from sales where day >= ‹:open.from as iso-date›":                                      "open_end",
		"select id from sales where id = ‹:n›":                                                            "blank_in_sql",
		"select id from sales where id in ‹:list›":                                                        "blank_in_sql",
		"select id from sales where at <= ‹:period.through as unix-s›":                                    "through_is_a_day",
		"select id from sales where day < ‹:period.through as iso-date›":                                  "strict_end",
		"select id from sales where day <= ‹:period.until as iso-date›":                                   "strict_end",
		"select id from sales where day > ‹:period.from as iso-date› and day < :period.until as iso-date": "strict_start",
		"select id from sales where id = ‹:nobody›":                                                       "undeclared_parameter",
		"select id from sales where id = ‹:sure.from›":                                                    "unknown_part",
		"select id from sales where month between ‹:start› and :until as ym":                              "needs_form",
	} {
		before, rest, marked := strings.Cut(text, "‹")
		part, _, _ := strings.Cut(rest, "›")
		sql := strings.NewReplacer("‹", "", "›", "").Replace(text)
		documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: stock\ntables: {s: sales}\nsql: |\n  "+strings.ReplaceAll(sql, "\n", "\n  ")+questions+"columns: [id]\n"))
		require.Empty(t, problems, text)
		_, problems = definition.Compile(documents[0].(*definition.Query), &stock, definition.Library{})
		found := ""
		for _, p := range problems {
			if p.Code == "unused_parameter" || p.Code == "blanks_left_out" {
				continue
			}
			found = strings.TrimPrefix(found+" "+p.Code, " ")
			if p.Code != want || !marked {
				continue
			}
			assert.Equal(t, "sql", p.Field, text)
			assert.Equal(t, []int{len([]rune(before)), len([]rune(part))}, []int{p.Offset, p.Length}, "%s: %s", text, p.Message)
			assert.NotEmpty(t, p.Message, text)
		}
		assert.Equal(t, want, found, text)
	}
}
