package service

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/format"
)

// TestKeptTotals: totals that were kept with a part are told with every digit, and as their
// format shows them.
func TestKeptTotals(t *testing.T) {
	totals := totalsIn(`[{"label": "Sum of toll", "value": 12345678.50, "format": "money"}, {"label": "Sum of stayed", "value": 12345678.5, "format": "hours"}, {"label": "Least", "value": null}]`)
	require.Len(t, totals, 3)
	for i, text := range []string{"12,345,678.50", "12345678 h 30 min", "blank"} {
		assert.Equal(t, text, totals[i].Text(format.Place{}))
	}
	assert.Empty(t, totalsIn("{}"), "of an older shape there are none")
}
