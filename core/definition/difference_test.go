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

// TestCalendarDifferences: those of a calendar, its maps of maps included.
func TestCalendarDifferences(t *testing.T) {
	var documents []definition.Document
	for _, text := range []string{
		"holidays: [every 12-25, {day: every 12-26, name: Boxing Day}]\nperiods: {season: {every year: 04-01/10-31, 2025: 2025-04-02/2025-10-31}}\nfiscal: {weeks: [4, 4, 5], year_ends: last saturday of january}\n",
		"holidays: [every 12-25, {day: every 12-26, name: Stephen}, 2026-06-05]\nperiods: {season: {every year: 04-01/10-31, 2025: 2025-04-03/2025-10-31, 2026: 2026-04-01/2026-10-31}, floods: {every year: 11-01/12-31}}\nfiscal: {weeks: [4, 5, 4], year_ends: last friday of january}\n",
	} {
		found, problems := definition.Decode("", []byte("kind: calendar\nname: c\n"+text))
		require.Empty(t, problems)
		documents = append(documents, found...)
	}
	var words []string
	for _, d := range definition.Differences(documents[0], documents[1]) {
		words = append(words, d.Words)
	}
	assert.Equal(t, []string{
		"The pattern of weeks of the fiscal year was “4, 4, 5” and is now “4, 5, 4”.",
		"The last day of the fiscal year was “last saturday of january” and is now “last friday of january”.",
		"The name of the holiday “every 12-26” was “Boxing Day” and is now “Stephen”.",
		"The holiday “2026-06-05” is new.",
		"The period “floods” is new.",
		"The stretch “2025” of the period “season” was “2025-04-02/2025-10-31” and is now “2025-04-03/2025-10-31”.",
		"The stretch “2026” of the period “season” is new.",
	}, words)
	assert.Empty(t, definition.Differences(documents[0], documents[0]))
}
