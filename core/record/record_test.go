package record_test

import (
	"math"
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/record"
)

// TestOf: what a database returns is read as its column has it, and a date that
// does not fit is what it is stored as.
func TestOf(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	clock := civil.NewClock(london)
	instant := catalog.Column{Type: catalog.DateTime, Encoding: catalog.EncISOInstant, Stored: catalog.Text}
	ymd := catalog.Column{Type: catalog.Date, Encoding: catalog.EncYMD, Stored: catalog.Integer}
	day := catalog.Column{Type: catalog.Date, Encoding: catalog.EncISODate, Stored: catalog.Text}
	for _, c := range []struct {
		stored any
		column catalog.Column
		want   record.Kind
	}{
		{nil, day, record.Blank},
		{"2026-03-31", day, record.Written},
		{"2026-07-01T10:00:00Z", instant, record.Stamp},
		{"n/a", instant, record.Text},
		{int64(20260331), ymd, record.Stamp},
		{int64(20260231), ymd, record.Whole},
		{"12.50", catalog.Column{Type: catalog.Decimal}, record.Digits},
		{"12.50", catalog.Column{Type: catalog.Text}, record.Text},
		{int64(1), catalog.Column{Type: catalog.Boolean}, record.YesNo},
		{int64(1), catalog.Column{}, record.Whole},
		{true, catalog.Column{}, record.YesNo},
		{1.5, catalog.Column{Type: catalog.Decimal}, record.Float},
		{[]byte{1, 2}, catalog.Column{Type: catalog.Other}, record.Bytes},
		{struct{}{}, catalog.Column{}, record.Unknown},
	} {
		v := record.Of(c.stored, &c.column, clock)
		assert.Equal(t, c.want, v.Kind(), "%v as %s", c.stored, c.column.Encoding)
		// A value that is set anew is nothing of what it was.
		again := record.Of("something else", &catalog.Column{Type: catalog.Text}, clock)
		again.Set(c.stored, &c.column, clock)
		assert.Equal(t, v.Kind(), again.Kind())
		if v.Kind() == record.Text || v.Kind() == record.Digits {
			assert.Equal(t, c.stored, again.Text())
		}
	}
	summer := record.Of("2026-07-01T23:30:00.25Z", &instant, clock).Stamp()
	assert.Equal(t, "2026-07-02T00:30:00.25+01:00", string(summer.AppendTo(nil, &instant, 'T')))
}

// TestDecimal: every kind of number is exact, and what is none is none.
func TestDecimal(t *testing.T) {
	clock := civil.NewClock(time.UTC)
	number := catalog.Column{Type: catalog.Decimal}
	for _, c := range []struct {
		stored any
		want   string
	}{
		{int64(math.MinInt64), "-9223372036854775808"},
		{0.1, "0.1"},
		{"12345678901234567890.123456789", "12345678901234567890.123456789"},
		{math.NaN(), ""},
		{math.Inf(1), ""},
		{"NaN", ""},
		{true, ""},
		{nil, ""},
	} {
		d, ok := record.Of(c.stored, &number, clock).Decimal()
		assert.Equal(t, c.want != "", ok, "%v", c.stored)
		if ok {
			assert.Equal(t, c.want, d.String())
		}
	}
	made := record.Computed(decimal.RequireFromString("0.30"))
	d, ok := made.Decimal()
	assert.True(t, ok)
	assert.Equal(t, "0.3", d.String())
	assert.Equal(t, record.Blank, record.Computed(nil).Kind())
	assert.Equal(t, "x", record.Computed("x").Text())
	assert.True(t, record.Computed(true).Yes())
}
