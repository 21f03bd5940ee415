package catalog

import (
	"strconv"
	"strings"
	"time"

	"pikegate/core/civil"
)

// Stamp is a stored date as people read it: its civil time, the fraction of
// the second as stored (".123", usually empty) and, for instants, the offset.
type Stamp struct {
	At       civil.DateTime
	Fraction string
	Offset   int
}

// Decode reads a stored value. It is false for what the encoding cannot hold:
// such a value is shown as it is stored. The clock gives the zone.
func (c *Column) Decode(value any, clock *civil.Clock) (Stamp, bool) {
	switch c.Encoding {
	case EncDate, EncISODate:
		if text, ok := value.(string); ok && len(text) == 10 {
			d, ok := parseDate(text)
			return Stamp{At: d.Midnight()}, ok
		}
	case EncLocal, EncISOLocal, EncInstant, EncISOInstant:
		text, ok := value.(string)
		if !ok {
			return Stamp{}, false
		}
		s, ok := parseISO(text)
		if ok && c.Encoding.IsInstant() {
			s.At, s.Offset = clock.Civil(civil.Instant(s.At))
		}
		return s, ok
	case EncYMD:
		n, ok := whole(value)
		if y, m, d := int(n/10000), int(n/100%100), int(n%100); ok && civil.Valid(y, m, d) {
			return Stamp{At: civil.DateOf(y, m, d).Midnight()}, true
		}
	case EncYM:
		if text, isText := value.(string); isText && len(text) == 7 {
			value = text[:4] + text[5:]
		}
		n, ok := whole(value)
		if y, m := int(n/100), int(n%100); ok && civil.Valid(y, m, 1) {
			return Stamp{At: civil.DateOf(y, m, 1).Midnight()}, true
		}
	case EncUnixS, EncUnixMS, EncUnixUS:
		return decodeUnix(value, c.Encoding, clock)
	case EncSerial1900:
		switch v := value.(type) {
		case int64:
			at, ok := SerialDate(float64(v))
			return Stamp{At: at}, ok
		case float64:
			at, ok := SerialDate(v)
			return Stamp{At: at}, ok
		}
	}
	return Stamp{}, false
}

func decodeUnix(value any, e Encoding, clock *civil.Clock) (Stamp, bool) {
	n, ok := whole(value)
	if !ok {
		return Stamp{}, false
	}
	scale, digits := int64(1), 0
	switch e {
	case EncUnixMS:
		scale, digits = 1_000, 3
	case EncUnixUS:
		scale, digits = 1_000_000, 6
	}
	seconds, rest := n/scale, n%scale
	if rest < 0 {
		seconds, rest = seconds-1, rest+scale
	}
	if !civil.DateTime(seconds).Date().InRange() {
		return Stamp{}, false
	}
	var s Stamp
	s.At, s.Offset = clock.Civil(civil.Instant(seconds))
	if rest != 0 {
		text := strconv.FormatInt(scale+rest, 10)
		s.Fraction = trimmed("." + text[1:1+digits])
	}
	return s, true
}

// trimmed takes zeros off the end of a fraction: engines write more or fewer.
func trimmed(fraction string) string { return strings.TrimRight(strings.TrimRight(fraction, "0"), ".") }

func whole(value any) (int64, bool) {
	switch v := value.(type) {
	case int64:
		return v, true
	case string:
		n, err := strconv.ParseInt(v, 10, 64)
		return n, err == nil
	}
	return 0, false
}

func parseDate(s string) (civil.Date, bool) {
	if len(s) < 10 || s[4] != '-' || s[7] != '-' {
		return 0, false
	}
	y, ok1 := digits(s[:4])
	m, ok2 := digits(s[5:7])
	d, ok3 := digits(s[8:10])
	if !ok1 || !ok2 || !ok3 || !civil.Valid(y, m, d) {
		return 0, false
	}
	return civil.DateOf(y, m, d), true
}

// parseISO reads YYYY-MM-DD, then T or blank and HH:MM[:SS[.fff]], then
// perhaps Z or +00:00; other offsets are not taken, since text in several
// offsets does not sort by time.
func parseISO(s string) (Stamp, bool) {
	d, ok := parseDate(s)
	if !ok {
		return Stamp{}, false
	}
	at := d.Midnight()
	if len(s) == 10 {
		return Stamp{At: at}, true
	}
	if len(s) < 16 || (s[10] != 'T' && s[10] != ' ') || s[13] != ':' {
		return Stamp{}, false
	}
	h, ok1 := digits(s[11:13])
	m, ok2 := digits(s[14:16])
	if !ok1 || !ok2 || h > 23 || m > 59 {
		return Stamp{}, false
	}
	at += civil.DateTime(h*3600 + m*60)
	rest, fraction := s[16:], ""
	if len(rest) >= 3 && rest[0] == ':' {
		sec, ok := digits(rest[1:3])
		if !ok || sec > 60 {
			return Stamp{}, false
		}
		at += civil.DateTime(sec)
		rest = rest[3:]
		if len(rest) > 1 && rest[0] == '.' {
			n := 1
			for n < len(rest) && rest[n] >= '0' && rest[n] <= '9' {
				n++
			}
			fraction, rest = trimmed(rest[:n]), rest[n:]
		}
	}
	switch rest {
	case "", "Z", "+00:00", "+00":
		return Stamp{At: at, Fraction: fraction}, true
	}
	return Stamp{}, false
}

func digits(s string) (int, bool) {
	n := 0
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return 0, false
		}
		n = n*10 + int(s[i]-'0')
	}
	return n, true
}

// AppendTo appends the stamp as the column shows it: a day, a date-time, or a
// date-time with its offset; separator stands between date and time.
func (s Stamp) AppendTo(b []byte, c *Column, separator byte) []byte {
	if c.Encoding == EncYM {
		return s.At.Date().AppendTo(b)[:len(b)+7]
	}
	if c.Type == Date {
		return s.At.Date().AppendTo(b)
	}
	b = append(s.At.AppendTo(b, separator), s.Fraction...)
	if c.Encoding.IsInstant() {
		b = civil.AppendOffset(b, s.Offset)
	}
	return b
}

// Propose guesses the encoding of a column from values stored in it, none of
// them blank. It is true only when every value fits.
func Propose(c Column, values []any) (Column, bool) {
	candidates := []Encoding{EncISODate, EncISOInstant, EncISOLocal, EncYMD}
	clock := civil.NewClock(time.UTC)
	for _, e := range candidates {
		c.Encoding = e
		if len(values) > 0 && fits(&c, values, clock) {
			c.Type, c.Stored = e.Type(), Text
			if _, isNumber := values[0].(int64); isNumber {
				c.Stored = Integer
			}
			c.Evidence = shapes[e] + ", all " + strconv.Itoa(len(values)) + " values looked at: " + string(e)
			return c, true
		}
	}
	return Column{}, false
}

// shapes say what values in an encoding look like.
var shapes = map[Encoding]string{
	EncISODate: "text, YYYY-MM-DD, real days", EncISOInstant: "text, ISO 8601 in UTC", EncISOLocal: "text, ISO 8601 without a zone",
	EncYMD: "eight digits, real days",
}

func fits(c *Column, values []any, clock *civil.Clock) bool {
	for _, v := range values {
		if _, ok := c.Decode(v, clock); !ok {
			return false
		}
		text, isText := v.(string)
		zoned := isText && len(text) > 10 && (text[len(text)-1] == 'Z' || text[len(text)-3] == '+' || text[len(text)-6] == '+')
		switch c.Encoding {
		case EncISOInstant:
			if !zoned {
				return false
			}
		case EncISOLocal:
			if zoned || !isText {
				return false
			}
		case EncYMD:
			if n, _ := whole(v); n < 19000101 || n > 21001231 {
				return false
			}
		}
	}
	return true
}
