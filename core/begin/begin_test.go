package begin_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/begin"
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
)

func col(name string, t catalog.Type, nullable bool) catalog.Column {
	c := catalog.Column{Name: name, Type: t, Nullable: nullable}
	if t.IsDate() {
		c.Encoding = catalog.EncISODate
		if t == catalog.DateTime {
			c.Encoding = catalog.EncISOInstant
		}
		c.Stored = catalog.Text
	}
	return c
}

var source = catalog.Source{Name: "river", Engine: "sqlite", Tables: []catalog.Table{
	{Name: "locks", Key: []string{"id"}, Columns: []catalog.Column{col("id", catalog.Integer, false), col("note", catalog.Text, true), col("name", catalog.Text, false)}},
	{
		Name: "passages", Key: []string{"id"},
		Columns: []catalog.Column{
			col("id", catalog.Integer, false), col("created_at", catalog.DateTime, false), col("passed_at", catalog.DateTime, false), col("paid_on", catalog.Date, true),
			col("lock_id", catalog.Integer, false), col("from_lock", catalog.Integer, true), col("lock", catalog.Text, true), col("name", catalog.Text, true),
		},
		Indexes:    []catalog.Index{{Name: "p", Columns: []string{"passed_at"}}},
		References: []catalog.Reference{{Columns: []string{"lock_id"}, Table: "locks", To: []string{"id"}}, {Columns: []string{"from_lock"}, Table: "locks", To: []string{"id"}}},
	},
	{Name: "Order Lines", Columns: []catalog.Column{col("in", catalog.Text, true), col("größe", catalog.Decimal, true), col(`the "best" day`, catalog.Date, true), col("yes", catalog.Boolean, false), col("P1Y", catalog.Text, false), col("#", catalog.Integer, false)}},
	{Name: "見積", Columns: []catalog.Column{col("日付", catalog.Date, false), col("名前", catalog.Text, true)}},
	{Name: "dues", Columns: []catalog.Column{col("id", catalog.Integer, false), col("net_amount", catalog.Decimal, true), col("Toll", catalog.Decimal, true), col("tollgate", catalog.Decimal, true), col("total", catalog.Integer, true)}},
	{Name: "2024", Columns: []catalog.Column{col("count", catalog.Integer, false), col("true", catalog.Text, true)}},
	{Name: "office.LockKeepers", Schema: "office", Key: []string{"LockKeeperID"}, Columns: []catalog.Column{col("LockKeeperID", catalog.Integer, false), col("HiredOn", catalog.Date, false)}},
	{Name: "nothing"},
	{Name: "wide", Key: []string{"c299"}, Columns: wide()},
}}

func wide() (columns []catalog.Column) {
	for i := range 299 {
		columns = append(columns, col("c"+strings.Repeat("x", i%3)+string(rune('a'+i%26))+string(rune('a'+i/26)), catalog.Text, true))
	}
	return append(columns, col("c299", catalog.Integer, false), col("seen_on", catalog.Date, true))
}

// TestReport: whatever the table, what is made can be published as it stands.
func TestReport(t *testing.T) {
	day := func(text string) civil.Date {
		s := strings.Split(text, "-")
		n := func(i int) (v int) {
			for _, r := range s[i] {
				v = v*10 + int(r-'0')
			}
			return v
		}
		return civil.DateOf(n(0), n(1), n(2))
	}
	held := map[string]begin.Held{
		"passed_at": {Known: true, Earliest: day("2023-01-01"), Latest: day("2025-12-31"), Records: 100},
		"paid_on":   {Known: true, Earliest: day("2023-01-09"), Latest: day("2027-01-01"), Blank: 40, Records: 100},
	}
	for _, c := range []struct{ table, on, want string }{
		{"passages", "", `kind: query
name: passages
title: Passages
source: river
from: passages
joins:
  - table: locks
    on: passages.lock_id = locks.id
  - table: locks
    as: from_lock
    optional: true
    on: passages.from_lock = from_lock.id
parameters:
  - name: period
    kind: period
    label: Passed at
    required: true
    default: 2025-12
    limits: {earliest: 2023-01-01, latest: today}
columns:
  - passages.id
  - created_at
  - passed_at
  - paid_on
  - {name: lock, value: locks.name}
  - {name: from_lock, value: from_lock.name}
  - {name: lock_2, value: lock}
  - passages.name
criteria: passed_at within :period
sort:
  - passed_at descending
---
kind: report
name: passages
title: Passages
query: passages
ask:
  - period: {label: 'Which days?', quick: [2025-12, 2025-Q4, 2025]}
`},
		{"passages", "paid_on", "limits: {earliest: 2023-01-09}\n"},
		{"passages", "paid_on", "quick: [last month, month to date, last 7 days]}\n"},
		{"Order Lines", "", "from: Order Lines\n"},
		{"dues", "", "  - id\n  - {name: net_amount, value: net_amount, format: money}\n  - {name: Toll, value: Toll, format: money}\n  - tollgate\n  - total\n"},
		{"見積", "", "name: records\n"},
		{"2024", "", "name: records\n"},
		{"office.LockKeepers", "", "name: office-lock-keepers\n"},
		{"wide", "", "  - seen_on\n"},
	} {
		made, problems := begin.Report(begin.Wanted{Source: &source, Table: c.table, On: c.on, Held: held, Today: day("2026-03-14")})
		require.Empty(t, problems, c.table)
		if strings.HasPrefix(c.want, "kind:") {
			assert.Equal(t, c.want, made.Content)
		}
		assert.Contains(t, made.Content, c.want, c.table)
		documents, problems := definition.Decode("", []byte(made.Content))
		require.Empty(t, problems, made.Content)
		known := definition.Environment{Source: func(string) (*catalog.Source, *diag.Problem) { return &source, nil }}
		_, problems = definition.Check(documents, known)
		require.False(t, problems.Failed(), "%s\n%v", made.Content, problems)
	}
}

// TestDates: the event that is asked about is not the record's upkeep, and others are
// offered.
func TestDates(t *testing.T) {
	made, problems := begin.Report(begin.Wanted{Source: &source, Table: "passages", Taken: func(name string) bool { return name == "passages" || name == "passages-2" }})
	require.Empty(t, problems)
	assert.Equal(t, "passages-3", made.Name)
	var order []string
	for _, d := range made.Dates {
		order = append(order, d.Column)
		assert.Equal(t, d.Column == "passed_at", d.Asked)
	}
	assert.Equal(t, []string{"passed_at", "paid_on", "created_at"}, order)
	assert.Equal(t, "an index serves it; named like an event", made.Dates[0].Why)
	assert.NotContains(t, made.Content, "limits", "nothing is known of the data")

	made, problems = begin.Report(begin.Wanted{Source: &source, Table: "wide"})
	require.Empty(t, problems)
	assert.Len(t, made.LeftOut, 301-begin.MostColumns)
	assert.NotContains(t, made.LeftOut, "seen_on")

	for _, c := range []struct{ table, on, code string }{{"passage", "", "unknown_table"}, {"nothing", "", "no_columns"}, {"passages", "passed", "unknown_column"}, {"2024", "count", "unknown_column"}} {
		_, problems = begin.Report(begin.Wanted{Source: &source, Table: c.table, On: c.on})
		require.Len(t, problems, 1)
		assert.Equal(t, c.code, problems[0].Code)
	}
}
