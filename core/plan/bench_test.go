package plan_test

import (
	"runtime/debug"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/core/plan"
)

const whole = `
kind: query
name: whole
source: navigation
from: passages
joins:
  - { table: locks, on: passages.lock_id = locks.id }
  - { table: notes, as: n, optional: true, on: n.passage_id = passages.id }
  - { table: notes, as: m, optional: true, on: m.passage_id = passages.id and m.id <> n.id }
parameters:
  - { name: period, kind: period, required: true, limits: { earliest: 2023-01-01, longest: 400 days } }
  - { name: locks, kind: text, many: true }
  - { name: least, kind: decimal }
  - { name: paid, kind: date, required: true }
  - { name: vessel, kind: integer, required: true }
columns: [passages.id, lock_id, vessel_id, passed_at, paid_on, toll_pence, refund, locks.name,
  { name: toll, value: toll_pence / 100 }, { name: note, value: n.id }, { name: other, value: m.id }, { name: month, value: month of passed_at }]
criteria: |
  passed_at within :period
  and locks.name in :locks
  and toll_pence / 100 >= :least
  and (paid_on is blank or paid_on <= :paid)
  and vessel_id = :vessel
  and year(passed_at) >= 2024
  and locks.name not starts with 'Old '
  and paid_on + 30 days > :period.from
sort: [passed_at descending, name]
`

// BenchmarkWhole is what a run costs before the database is asked: parsing,
// checking, proving, resolving and writing SQL, for 12 columns, 3 joins, 8
// criteria and 5 parameters, from the decoded document on.
func BenchmarkWhole(b *testing.B) {
	defer debug.SetGCPercent(debug.SetGCPercent(400)) // as the service has it, config.TuneMemory
	documents, problems := definition.Decode("", []byte(whole))
	require.Empty(b, problems)
	query := documents[0].(*definition.Query)
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(b, err)
	calendar := civil.Calendar{Zone: zone, Now: civil.InstantOf(civil.DateOf(2026, 3, 18).Midnight(), zone), WeekStart: time.Monday}
	source := source
	source.Tables[0].Columns[4].Encoding = catalog.EncYMD
	inputs := map[string]parameter.Input{
		"period": {Texts: []string{"2025-03"}}, "locks": {Texts: []string{"Harrow Top", "Mossgill"}},
		"least": {Texts: []string{"1.50"}}, "paid": {Texts: []string{"2025-12-31"}}, "vessel": {Texts: []string{"7"}},
	}
	compile := func() *definition.Compiled {
		compiled, problems := definition.Compile(query, &source, definition.Library{})
		if problems.Failed() {
			b.Fatal(problems)
		}
		return compiled
	}
	run := func(compiled *definition.Compiled) {
		values, problems := parameter.Read(compiled.Questions, compiled.Rules, inputs, parameter.Context{Calendar: calendar})
		if problems.Failed() {
			b.Fatal(problems)
		}
		statement, problems := plan.Planner{Query: compiled, Calendar: calendar}.Records(definition.View{}, values)
		if problems.Failed() || statement.Impossible() != "" {
			b.Fatal(problems)
		}
		if dialect.SQLite.Write(statement.Statement).SQL == "" {
			b.Fatal("nothing was written")
		}
	}
	b.Run("draft", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			run(compile())
		}
	})
	b.Run("published", func(b *testing.B) { // a version that is published is compiled once
		compiled := compile()
		b.ReportAllocs()
		for b.Loop() {
			run(compiled)
		}
	})
}
