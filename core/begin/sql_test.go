package begin_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/begin"
	"pikegate/core/definition"
)

// TestQuestions: what is proposed for the values of a statement, each as "condition ->
// what takes its place: kind, answer".
func TestQuestions(t *testing.T) {
	for sql, want := range map[string]string{
		"select id from passages where passed_at >= '2025-01-01' and passed_at < '2025-04-01'":                 "passed_at >= '2025-01-01' and passed_at < '2025-04-01' -> { passed_at within :period }: period 2025-01-01/2025-03-31",
		"select id from passages p where p.passed_at>='2025-01-01' AND p.passed_at<='2025-03-31T00:00'":        "p.passed_at>='2025-01-01' AND p.passed_at<='2025-03-31T00:00' -> { p.passed_at within :period }: period 2025-01-01/2025-03-31, The last day counts in full now; before, only its midnight did.",
		"select id from passages where paid_on between date '2025-01-01' and date '2025-01-31' and lock = 'A'": "paid_on between date '2025-01-01' and date '2025-01-31' -> { paid_on within :period }: period 2025-01-01/2025-01-31; lock = 'A' -> { lock = :lock }: text A",
		"select id from passages where paid_on between '2025-02-01' and '2025-01-31'":                          "",
		"select id from passages where passed_at > '2025-01-01' and passed_at < '2025-04-01'":                  "passed_at > '2025-01-01' -> { passed_at > :passed_at }: date 2025-01-01; passed_at < '2025-04-01' -> { passed_at < :passed_at_2 }: date 2025-04-01",
		"select id from passages where lock_id in (1, 2,3) and name not in ('it''s', 'x')":                     "lock_id in (1, 2,3) -> { lock_id in :lock_ids }: integer 1 2 3; name not in ('it''s', 'x') -> { name not in :passages }: text it's x",
		"select id from passages where lock_id <> -5 or lock_id != 2.5":                                        "lock_id <> -5 -> { lock_id <> :lock_id }: integer -5; lock_id != 2.5 -> { lock_id <> :lock_id_2 }: decimal 2.5",
		"select id from passages where name like 'A%_'":                                                        "name like 'A%_' -> { name matches :passage }: text A*?, * stands for any characters, ? for one; capitals count.",
		"select id from passages where name like 'A*'":                                                         "",
		"select x from unheard_of u where u.since >= '2025-01-01' and u.code = 'A' and u.n = 5":                "u.since >= '2025-01-01' -> { u.since >= :since }: date 2025-01-01; u.code = 'A' -> { u.code = :code }: text A; u.n = 5 -> { u.n = :n }: integer 5",
		`select id from "Order Lines" where "größe" > 1.5 and "in" = 'x'`:                                      `"größe" > 1.5 -> { größe > :gr_e }: decimal 1.5; "in" = 'x' -> { "in" = :in }: text x`,
		// Nothing that is not a condition of records on a column with a value.
		"select case when lock = 'A' then 1 end from passages":                            "",
		"select id from passages where lower(lock) = 'a' and lock = upper('a')":           "",
		"select id from passages where lock_id + 1 = 2 and lock_id = 1 + 1":               "",
		"select lock, count(*) from passages group by lock having lock = 'A'":             "",
		"select id from passages where { lock = :l } and passed_at = :day as iso-date":    "",
		"select id from passages where lock_id between 1 and 5":                           "",
		"select id from passages where lock = 'A' || 'B' and -- lock = 'C'\n 1 = 1":       "",
		"select id from passages where lock like 'A' escape 'x' and lock = 'A' collate x": "",
		"select id from passages where passed_at >= '2025-02-30'":                         "",
		"select id from passages where created_at = '2025-01-01 08:30'":                   "",
		"select id from passages where lock_id = 'A'":                                     "",
		"select id from passages where (lock = 'A' or (not lock = 'B')) and id = 1":       "lock = 'A' -> { lock = :lock }: text A; not lock = 'B' -> { not (lock = :lock_2) }: text B; id = 1 -> { id = :id }: integer 1",
		"select p.id from passages p join locks l on l.id = p.lock_id and l.name = 'A'":   "l.name = 'A' -> { l.name = :lock }: text A",
	} {
		var said []string
		for _, p := range begin.Questions(sql, &source, nil) {
			one := p.Condition + " -> " + p.Becomes + ": " + p.Kind + " " + strings.Join(p.From, " ")
			if p.Note != "" {
				one += ", " + p.Note
			}
			assert.Equal(t, p.Condition, string([]rune(sql)[p.Offset:p.Offset+p.Length]))
			said = append(said, one)
		}
		assert.Equal(t, want, strings.Join(said, "; "), sql)
	}
}

// TestBeginSQL: a statement becomes a sound query and report, in its order, with names that
// are free.
func TestBeginSQL(t *testing.T) {
	made, problems := begin.SQL(begin.Wanted{Source: &source, Taken: func(name string) bool { return name == "passages" }},
		"select p.id, l.name as place\r\nfrom passages p join locks l on l.id = p.lock_id\r\nwhere p.passed_at >= '2025-01-01' and p.passed_at < '2026-01-01' and l.name in ('A', 'B')\r\norder by place desc, p.id limit 10 ;\n")
	require.Empty(t, problems)
	assert.Equal(t, "passages-2", made.Name)
	assert.Equal(t, `kind: query
name: passages-2
title: Passages
source: river
sql: |
  select p.id, l.name as place
  from passages p join locks l on l.id = p.lock_id
  where { p.passed_at within :period } and { l.name in :locks }
  order by place desc, p.id limit 10
parameters:
  - name: period
    kind: period
    label: Passed at
    default: ["2025-01-01/2025-12-31"]
  - name: locks
    kind: text
    label: Locks
    many: true
    default: [A, B]
    choices: {column: l.name}
sort:
  - place descending
  - id
---
kind: report
name: passages-2
title: Passages
query: passages-2
ask:
  - period
  - locks
`, made.Content)
	documents, problems := definition.Decode("", []byte(made.Content))
	require.Empty(t, problems)
	_, problems = definition.Check(documents, definition.Environment{})
	assert.Empty(t, problems)

	for sql, code := range map[string]string{"": "empty", "delete from passages": "not_read_only", "select 'open": "open_quote", "select 1; select 2": "several_statements"} {
		_, problems := begin.SQL(begin.Wanted{Source: &source}, sql)
		require.NotEmpty(t, problems, sql)
		assert.Equal(t, code, problems[0].Code, sql)
	}
}
