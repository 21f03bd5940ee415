package civil_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
)

// TestYearly: the rule read off a zone gives every change of its clocks from
// its first year to the last one that is accepted.
func TestYearly(t *testing.T) {
	for name, from := range map[string]int{
		"Europe/London": 1997, "America/New_York": 2008, "Australia/Lord_Howe": 2009, "America/Santiago": 2024,
		"Africa/Cairo": 2024, "Pacific/Auckland": 2009, "Asia/Tokyo": 0, "UTC": 0, "Africa/Casablanca": 0,
	} {
		zone, err := time.LoadLocation(name)
		require.NoError(t, err)
		rule, ok := civil.YearlyOf(zone)
		assert.Equal(t, from != 0, ok, name)
		if !ok {
			continue
		}
		assert.Equal(t, from, rule.From, name)
		first, last := civil.Instant(civil.DateOf(rule.From, 1, 1).Midnight()), civil.Instant(civil.DateOf(9999, 12, 31).Midnight())
		var want []civil.Change
		for year := rule.From; year <= 9999; year++ {
			want = append(want, rule.Changes[0].In(year), rule.Changes[1].In(year))
		}
		assert.Equal(t, want, civil.Changes(zone, first, last)[1:], name)
	}
}
