package catalog_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
)

// TestMicros: a time that is given as a number is read as the text of it is, in every zone,
// from the first year to the last.
func TestMicros(t *testing.T) {
	first, last := catalog.MicrosAt(civil.DateOf(1, 1, 1).Midnight()), catalog.MicrosAt(civil.DateOf(10_000, 1, 1).Midnight())-1
	values := []int64{first, first + 1, last, 0, -1, 1, 250_000, -250_000, 999_999, -999_999, catalog.MicrosAt(civil.DateOf(2025, 3, 30).Midnight()) + 3_600_000_000 - 1}
	r := rand.New(rand.NewPCG(1, 2))
	for range 5000 {
		n := first + r.Int64N(last-first)
		values = append(values, n, n/1_000_000*1_000_000, n/10_000*10_000)
	}
	local, instant := catalog.Column{Type: catalog.DateTime, Encoding: catalog.EncLocal}, catalog.Column{Type: catalog.DateTime, Encoding: catalog.EncInstant}
	for _, name := range []string{"UTC", "Europe/London", "Pacific/Kiritimati", "America/New_York"} {
		zone, err := time.LoadLocation(name)
		require.NoError(t, err)
		clock := civil.NewClock(zone)
		same := func(c *catalog.Column, number any, text string) {
			want, ok1 := c.Decode(text, clock)
			got, ok2 := c.Decode(number, clock)
			require.Equal(t, ok1, ok2, "%s %s", name, text)
			require.Equal(t, want, got, "%s %s", name, text)
			require.Equal(t, c.Fits(text, clock), c.Fits(number, clock), text)
		}
		for _, n := range values {
			same(&local, catalog.Micros(n), string(catalog.Micros(n).AppendText(nil)))
			same(&instant, catalog.InstantMicros(n), string(catalog.InstantMicros(n).AppendText(nil)))
		}
	}
	assert.Equal(t, "1969-12-31 23:59:59.75", string(catalog.Micros(-250_000).AppendText(nil)))
	assert.Equal(t, "1970-01-01 00:00:00.000001+00", string(catalog.InstantMicros(1).AppendText(nil)))
	_, ok := (&catalog.Column{Type: catalog.Date, Encoding: catalog.EncYMD}).Decode(catalog.Micros(0), civil.NewClock(nil))
	assert.False(t, ok, "a time is no number of a day")
}
