package civil

import "time"

// Instant is a point on the world's time line, in seconds of Unix time.
type Instant int64

// farthestOffset is more than any zone has ever been away from UTC, in seconds.
const farthestOffset = 16 * 3600

// InstantOf is the instant at which the clocks of the zone first show t. A
// civil time that the clocks skip means the first instant after the gap; one
// they show twice means the first, for starts and ends alike, so that
// neighbouring periods neither overlap nor leave a hole.
func InstantOf(t DateTime, zone *time.Location) Instant {
	at := time.Unix(int64(t)-farthestOffset, 0).In(zone)
	for {
		start, end := at.ZoneBounds()
		_, offset := at.Zone()
		u := int64(t) - int64(offset)
		if end.IsZero() || u < end.Unix() {
			if !start.IsZero() && u < start.Unix() {
				return Instant(start.Unix())
			}
			return Instant(u)
		}
		at = end
	}
}

// CivilOf is what the clocks of the zone show at the instant.
func CivilOf(i Instant, zone *time.Location) DateTime {
	_, offset := time.Unix(int64(i), 0).In(zone).Zone()
	return DateTime(int64(i) + int64(offset))
}

// String is the instant in RFC 3339, in UTC with Z.
func (i Instant) String() string { return DateTime(i).String() + "Z" }

// Clock turns instants into civil time of one zone, remembering the stretch
// between two clock changes it was last asked about: rows come in order, so
// nearly every question is answered without looking the zone up.
// A Clock belongs to one goroutine.
type Clock struct {
	zone       *time.Location
	start, end int64
	offset     int64
}

// NewClock makes the clock of a zone.
func NewClock(zone *time.Location) *Clock { return &Clock{zone: zone, start: 1, end: 0} }

// Civil is what the zone's clocks show at the instant, and their offset from
// UTC in seconds.
func (c *Clock) Civil(i Instant) (DateTime, int) {
	if int64(i) < c.start || int64(i) >= c.end {
		t := time.Unix(int64(i), 0).In(c.zone)
		_, offset := t.Zone()
		start, end := t.ZoneBounds()
		c.offset, c.start, c.end = int64(offset), int64(Start), int64(End)
		if !start.IsZero() {
			c.start = start.Unix()
		}
		if !end.IsZero() {
			c.end = end.Unix()
		}
	}
	return DateTime(int64(i) + c.offset), int(c.offset)
}

// AppendOffset appends an offset from UTC, in seconds, as ±HH:MM.
func AppendOffset(b []byte, offset int) []byte {
	sign := byte('+')
	if offset < 0 {
		sign, offset = '-', -offset
	}
	b = append2(append(b, sign), offset/3600)
	return append2(append(b, ':'), offset/60%60)
}
