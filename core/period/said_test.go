package period_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/period"
)

// TestReadBackIsRead: whatever a read-back says can be typed again, and means the
// same.
func TestReadBackIsRead(t *testing.T) {
	calendar := civil.Calendar{Zone: time.UTC, WeekStart: time.Monday}
	r := rand.New(rand.NewPCG(5, 6))
	at := func() civil.DateTime {
		day := civil.Date(r.IntN(3_652_059)) + civil.DateOf(1, 1, 1)
		return day.Midnight() + civil.DateTime([]int{0, 0, 8*3600 + 30*60, r.IntN(86400)}[r.IntN(4)])
	}
	for range 20_000 {
		s := period.Span{From: at(), Until: at()}
		if s.Until < s.From {
			s.From, s.Until = s.Until, s.From
		}
		switch r.IntN(6) {
		case 0:
			s.From = civil.Start
		case 1:
			s.Until = civil.End
		case 2:
			s = period.OfDays(s.From.Date(), s.From.Date())
		}
		if s.From == s.Until {
			continue
		}
		got, problems := period.Read(s.ReadBack(), calendar)
		require.Empty(t, problems, s.ReadBack())
		require.Equal(t, s, got, s.ReadBack())
	}
	got, problems := period.Read(period.All.ReadBack(), calendar)
	assert.Empty(t, problems)
	assert.Equal(t, period.All, got)

	for typed, want := range map[string]string{
		"Fri 14 Mar 2025": "2025-03-14", "friday, 14 march 2025": "2025-03-14", "Sat 1 Mar 2025 through Mon 31 Mar 2025": "2025-03",
		"since Sat 1 Mar 2025": "2025-03-01/..", "Sat 1 Mar 2025 to 2025-03-05": "2025-03-01/2025-03-05",
	} {
		got, problems := period.Read(typed, calendar)
		assert.Empty(t, problems, typed)
		assert.Equal(t, want, got.Canonical(), typed)
	}
	_, problems = period.Read("Thu 14 Mar 2025", calendar)
	require.Len(t, problems, 1)
	assert.Equal(t, "wrong_weekday", problems[0].Code)
	assert.Equal(t, "Fri 14 Mar 2025", problems[0].Fixes[0].Text)
}
