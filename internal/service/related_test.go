package service_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/wire"
)

const ofVessels = `
kind: query
name: vessel-tolls
source: navigation
from: vessels
parameters: [{name: period, kind: period, required: true}]
columns:
  - name
  - {name: tolls, value: sum of passages.toll_pence where passed_at within :period}
criteria: (count of passages where passed_at within :period) > 3
---
kind: report
name: vessel-tolls
query: vessel-tolls
---
kind: query
name: tolls-by-hand
source: navigation
sql: |
  select v.name, sum(p.toll_pence) as tolls
  from vessels v join passages p on p.vessel_id = v.id
  where { p.passed_at within :period } and p.toll_pence > :least
  group by v.name
parameters: [{name: period, kind: period, required: true}, {name: least, kind: integer, required: true}]
columns: [name, tolls]
sort: [name]
---
kind: report
name: tolls-by-hand
query: tolls-by-hand
`

// TestRelatedAndByHand: tables that records belong to are offered while somebody
// writes, conditions are told in words, and what reads a column is known, in SQL by
// hand as well.
func TestRelatedAndByHand(t *testing.T) {
	s := demonstrated(t)
	found, err := s.Examine(t.Context(), anybody(t, s), ofVessels, false)
	require.NoError(t, err)
	require.NoError(t, found.Problems.Err())
	offered := func(text, kind string) bool {
		return slices.ContainsFunc(found.Words, func(w wire.Word) bool { return w.Text == text && w.Kind == kind })
	}
	assert.True(t, offered("passages", "table"))
	assert.True(t, offered("passages.toll_pence", "column"))
	assert.True(t, offered("mooring_stays", "table"))
	assert.True(t, offered("count of", "word"))
	assert.False(t, offered("gauge_readings", "table"), "no foreign key leads there")
	assert.False(t, offered("vessels", "table"), "the query has it")
	var words []string
	for _, reading := range found.Readings {
		for _, condition := range reading.Conditions {
			words = append(words, condition.Words)
		}
	}
	assert.Equal(t, []string{"the number of passages is more than 3", "any passed at"}, slices.Compact(words))

	_, err = s.Push(t.Context(), anybody(t, s), ofVessels, wire.Keeping{})
	require.NoError(t, err)
	for _, column := range []string{"passages.toll_pence", "passages.passed_at", "passages.vessel_id"} {
		users, err := s.Dependents(t.Context(), anybody(t, s), column)
		require.NoError(t, err)
		for _, name := range []string{"vessel-tolls", "tolls-by-hand"} {
			at := slices.IndexFunc(users, func(d wire.Dependent) bool { return d.Name == name && d.Kind == "query" })
			require.GreaterOrEqual(t, at, 0, "%s: %v", column, users)
			assert.Empty(t, users[at].Through)
		}
	}
	users, err := s.Dependents(t.Context(), anybody(t, s), "passages.direction")
	require.NoError(t, err)
	assert.False(t, slices.ContainsFunc(users, func(d wire.Dependent) bool { return d.Name == "tolls-by-hand" }))
}
