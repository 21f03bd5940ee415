package catalog_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
)

var london = func() *time.Location {
	zone, err := time.LoadLocation("Europe/London")
	if err != nil {
		panic(err)
	}
	return zone
}()

func at(y, m, d, hour, minute, second int) civil.DateTime {
	return civil.DateOf(y, m, d).Midnight() + civil.DateTime(hour*3600+minute*60+second)
}

// TestBound: the value that parts before from after, for each encoding, in
// London, where 1 July is in summer time.
func TestBound(t *testing.T) {
	day, minute, second := at(2026, 7, 1, 0, 0, 0), at(2026, 7, 1, 8, 30, 0), at(2026, 7, 1, 8, 30, 15)
	for _, c := range []struct {
		column catalog.Column
		at     civil.DateTime
		want   string
	}{
		{catalog.Column{Encoding: catalog.EncISODate}, day, "string 2026-07-01"},
		{catalog.Column{Encoding: catalog.EncISODate}, minute, "finer"},
		{catalog.Column{Encoding: catalog.EncISOLocal}, day, "string 2026-07-01"},
		{catalog.Column{Encoding: catalog.EncISOLocal}, minute, "string 2026-07-01T08:30"},
		{catalog.Column{Encoding: catalog.EncISOLocal, Example: "2020-01-01 00:00:00"}, second, "string 2026-07-01 08:30:15"},
		{catalog.Column{Encoding: catalog.EncISOInstant}, day, "string 2026-06-30T23:00"},
		{catalog.Column{Encoding: catalog.EncISOInstant}, at(2026, 1, 1, 0, 0, 0), "string 2026-01-01"},
		{catalog.Column{Encoding: catalog.EncYMD}, day, "int64 20260701"},
		{catalog.Column{Encoding: catalog.EncYMD, Stored: catalog.Text}, day, "string 20260701"},
		{catalog.Column{Encoding: catalog.EncYMD, Stored: catalog.Text}, civil.DateOf(1, 7, 1).Midnight(), "string 00010701"},
		{catalog.Column{Encoding: catalog.EncYMD}, second, "finer"},
		{catalog.Column{Encoding: catalog.EncYM}, day, "int64 202607"},
		{catalog.Column{Encoding: catalog.EncYM, Example: "2020-01"}, day, "string 2026-07"},
		{catalog.Column{Encoding: catalog.EncYM}, day + 86400, "finer"},
		{catalog.Column{Encoding: catalog.EncUnixS}, day, "int64 1782860400"},
		{catalog.Column{Encoding: catalog.EncUnixMS}, day, "int64 1782860400000"},
		{catalog.Column{Encoding: catalog.EncUnixUS}, day, "int64 1782860400000000"},
		{catalog.Column{Encoding: catalog.EncSerial1900}, at(1900, 1, 1, 0, 0, 0), "int64 1"},
		{catalog.Column{Encoding: catalog.EncSerial1900}, at(1900, 2, 28, 0, 0, 0), "int64 59"},
		{catalog.Column{Encoding: catalog.EncSerial1900}, at(1900, 3, 1, 0, 0, 0), "int64 61"},
		{catalog.Column{Encoding: catalog.EncSerial1900}, at(2000, 1, 1, 0, 0, 0), "int64 36526"},
	} {
		got := "finer"
		if v, err := c.column.Bound(c.at, london); err == nil {
			got = fmt.Sprintf("%T %v", v, v)
		} else {
			require.ErrorIs(t, err, catalog.ErrFiner)
		}
		assert.Equal(t, c.want, got, "%s of %s", c.column.Encoding, c.at)
	}
	_, err := (&catalog.Column{Name: "x"}).Bound(day, london)
	assert.Error(t, err, "a column without an encoding has no bounds")
}

// TestBoundsOnText: a bound parts what is before from what is at or after, for
// every layout of a date-time in text.
func TestBoundsOnText(t *testing.T) {
	for _, c := range []struct {
		bound         civil.DateTime
		example       string
		before, after []string
	}{
		{
			at(2026, 4, 1, 0, 0, 0), "",
			[]string{"2026-03-31T23:59:59.999999Z", "2026-03-31T23:59:59Z", "2026-03-31T23:59", "2026-03-31"},
			[]string{"2026-04-01", "2026-04-01T00:00", "2026-04-01T00:00:00", "2026-04-01T00:00:00.000Z", "2026-04-01 00:00:00"},
		},
		{
			at(2026, 4, 1, 8, 30, 0), "2020-01-01T00:00:00Z",
			[]string{"2026-04-01T08:29:59.9", "2026-04-01T08:29", "2026-04-01"},
			[]string{"2026-04-01T08:30", "2026-04-01T08:30Z", "2026-04-01T08:30:00", "2026-04-01T08:30:00.5Z"},
		},
		{
			at(2026, 4, 1, 8, 30, 15), "2020-01-01 00:00",
			[]string{"2026-04-01 08:30:14.999", "2026-04-01 08:30"},
			[]string{"2026-04-01 08:30:15", "2026-04-01 08:30:15.001", "2026-04-01 08:30:15Z"},
		},
	} {
		column := catalog.Column{Encoding: catalog.EncISOLocal, Example: c.example}
		v, err := column.Bound(c.bound, time.UTC)
		require.NoError(t, err)
		for _, text := range c.before {
			assert.Less(t, text, v)
		}
		for _, text := range c.after {
			assert.GreaterOrEqual(t, text, v)
		}
	}
}

// TestDecode: a stored value as people read it, in London; "as stored" where
// the encoding cannot hold it.
func TestDecode(t *testing.T) {
	clock := civil.NewClock(london)
	for _, c := range []struct {
		encoding catalog.Encoding
		value    any
		want     string
	}{
		{catalog.EncISODate, "2026-07-01", "2026-07-01"},
		{catalog.EncISODate, "2026-02-30", "as stored"},
		{catalog.EncISODate, int64(5), "as stored"},
		{catalog.EncISOLocal, "2026-07-01 08:30", "2026-07-01T08:30:00"},
		{catalog.EncISOLocal, "2026-07-01T08:30:15.125", "2026-07-01T08:30:15.125"},
		{catalog.EncISOLocal, "2026-07-01T25:30:15", "as stored"},
		{catalog.EncISOInstant, "2026-07-01T08:30:15Z", "2026-07-01T09:30:15+01:00"},
		{catalog.EncISOInstant, "2026-12-31T23:30:00+00:00", "2026-12-31T23:30:00+00:00"},
		{catalog.EncISOInstant, "2026-07-01T08:30:15+02:00", "as stored"},
		{catalog.EncISOInstant, "2026-10-25T00:30:00Z", "2026-10-25T01:30:00+01:00"},
		{catalog.EncISOInstant, "2026-10-25T01:30:00Z", "2026-10-25T01:30:00+00:00"},
		{catalog.EncYMD, int64(20240229), "2024-02-29"},
		{catalog.EncYMD, "20240229", "2024-02-29"},
		{catalog.EncYMD, int64(20230229), "as stored"},
		{catalog.EncYM, int64(202607), "2026-07"},
		{catalog.EncYM, "2026-07", "2026-07"},
		{catalog.EncUnixS, int64(1782860400), "2026-07-01T00:00:00+01:00"},
		{catalog.EncUnixMS, int64(1782860400007), "2026-07-01T00:00:00.007+01:00"},
		{catalog.EncUnixUS, int64(-1), "1970-01-01T00:59:59.999999+01:00"},
		{catalog.EncSerial1900, int64(61), "1900-03-01T00:00:00"},
		{catalog.EncSerial1900, 36526.5, "2000-01-01T12:00:00"},
		{catalog.EncSerial1900, -1.0, "as stored"},
	} {
		column := catalog.Column{Encoding: c.encoding, Type: c.encoding.Type()}
		got := "as stored"
		if stamp, ok := column.Decode(c.value, clock); ok {
			got = string(stamp.AppendTo(nil, &column, 'T'))
		}
		assert.Equal(t, c.want, got, "%s %v", c.encoding, c.value)
	}
}

func TestSetEncoding(t *testing.T) {
	s := catalog.Source{Tables: []catalog.Table{{Name: "jobs", Columns: []catalog.Column{{Name: "due", Type: catalog.Integer}}}}}
	require.NoError(t, s.SetEncoding("Jobs.Due", catalog.EncYMD))
	column := s.Tables[0].Columns[0]
	assert.Equal(t, []any{catalog.Date, catalog.Integer, catalog.EncYMD}, []any{column.Type, column.Stored, column.Encoding})
	assert.Error(t, s.SetEncoding("jobs.due", "ydm"))
	assert.Error(t, s.SetEncoding("jobs.done", catalog.EncYMD))
	assert.Error(t, s.SetEncoding("due", catalog.EncYMD))
}

// TestFits: the short way tells of what engines send as a date of their own what reading it
// does.
func TestFits(t *testing.T) {
	clock := civil.NewClock(london)
	for _, encoding := range []catalog.Encoding{catalog.EncDate, catalog.EncLocal, catalog.EncInstant, catalog.EncISODate} {
		c := catalog.Column{Type: catalog.DateTime, Encoding: encoding}
		for _, day := range []string{"2026-07-01", "0000-00-00", "2026-00-01", "2026-01-00", "0001-01-01", "0002-01-01", "9998-12-31", "9999-12-31", "10000-01-01", "infinity", "-infinity", "0044-03-15", ""} {
			for _, time := range []string{"", " 08:30:15", " 08:30:15+00", " 08:30:15.5+00", " 00:00:00+00 BC", " BC"} {
				if day == "" && time != "" || encoding == catalog.EncDate != (time == "" || time == " BC") {
					continue
				}
				_, reads := c.Decode(day+time, clock)
				assert.Equal(t, reads, c.Fits(day+time, clock), "%s %q", encoding, day+time)
			}
		}
		assert.False(t, c.Fits(nil, clock))
		assert.False(t, c.Fits(int64(5), clock))
	}
}
