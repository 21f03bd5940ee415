package definition_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/definition"
)

const earlier = `
kind: report
name: passages
query: lock-passages
title: Passages # as the harbour office calls them
tags: [traffic]
ask:
  - period: {label: When?, quick: [last month]}
  - region
set: {direction: upstream}
totals: [count]
examples:
  - {ask: {period: 2025-03}, expect: {rows: 3}}
`

// TestDifferences: every kind of difference, and that comments are none.
func TestDifferences(t *testing.T) {
	for _, c := range []struct {
		name, after string
		words       []string
	}{
		{"comments and order", "kind: report\nquery: lock-passages\nname: passages\ntags: [traffic]\ntitle: Passages\ntotals: [count]\nset: {direction: upstream}\nask: [period: {quick: [last month], label: When?}, region]\nexamples: [{ask: {period: 2025-03}, expect: {rows: 3}}]\n", nil},
		{"fields", "kind: report\nname: passages\nquery: lock-passages\nabout: All.\ntags: [locks]\nask: [region, period: {label: Which days?, quick: [last month]}]\nset: {direction: downstream, lock: x}\ntotals: [count]\nchart: {kind: bars, x: lock, y: count}\nexamples: [{ask: {period: {start: 2025-03-01}}, expect: {rows: 4}}]\n", []string{
			"The title is gone; it was “Passages”.",
			"The description is new: “All.”.",
			"The tag “locks” is new.",
			"The tag “traffic” is gone.",
			"The label of the wording of “period” was “When?” and is now “Which days?”.",
			"The questions stand in another order: region, period.",
			"The fixed answer to “direction” was “upstream” and is now “downstream”.",
			"The fixed answer to “lock” is new.",
			"The chart is new.",
			"The answer to “period” of the example “1” is gone; it was “2025-03”.",
			"The start of the answer to “period” of the example “1” is new: “2025-03-01”.",
			"The number of records of the expectation of the example “1” was “3” and is now “4”.",
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			before, problems := definition.Decode("", []byte(earlier))
			require.Empty(t, problems)
			after, problems := definition.Decode("", []byte(c.after))
			require.Empty(t, problems)
			var words []string
			for _, d := range definition.Differences(before[0], after[0]) {
				words = append(words, d.Words)
			}
			assert.Equal(t, c.words, words)
		})
	}
}
