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
		start, end := bounds(at)
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

// bounds is ZoneBounds with an end that lies after the time: in the years that
// a zone's rule stands for, beyond its table, the end of a leap year is given
// as the end of the stretch that begins there, which would never get on.
func bounds(at time.Time) (start, end time.Time) {
	start, end = at.ZoneBounds()
	for step := time.Hour; !end.IsZero() && !end.After(at); step += time.Hour {
		_, end = at.Add(step).ZoneBounds()
	}
	return start, end
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

// NewClock makes the clock of a zone; UTC where it is nil.
func NewClock(zone *time.Location) *Clock {
	if zone == nil {
		zone = time.UTC
	}
	return &Clock{zone: zone, start: 1, end: 0}
}

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
	b = append(b, sign, '0', '0', ':', '0', '0')
	put2(b[len(b)-5:], offset/3600)
	put2(b[len(b)-2:], offset/60%60)
	return b
}

// Change is a moment at which a zone's clocks change, and their offset from
// UTC, in seconds, from then on.
type Change struct {
	At     Instant
	Offset int
}

// Changes lists the changes of a zone's clocks between two instants, the
// first entry being the offset that holds at the start.
func Changes(zone *time.Location, from, until Instant) []Change {
	at := time.Unix(int64(from), 0).In(zone)
	_, offset := at.Zone()
	changes := []Change{{from, offset}}
	for {
		_, end := bounds(at)
		if end.IsZero() || end.Unix() >= int64(until) {
			return changes
		}
		at = end
		if _, now := at.Zone(); now != offset {
			offset = now
			changes = append(changes, Change{Instant(end.Unix()), offset})
		}
	}
}
