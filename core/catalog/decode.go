package catalog

import (
	"cmp"
	"strconv"
	"strings"

	"pikegate/core/civil"
)

// Stamp is a stored date as people read it: its civil time, the fraction of
// the second as stored (".123", usually empty) and, for instants, the offset.
type Stamp struct {
	At       civil.DateTime
	Fraction string
	Offset   int
}

// Decode reads a stored value. It is false for what does not fit the encoding:
// such a value is shown as it is stored, and meets no condition. The clock
// gives the zone.
func (c *Column) Decode(value any, clock *civil.Clock) (Stamp, bool) {
	switch c.Encoding {
	case EncDate, EncISODate:
		if text, ok := value.(string); ok && len(text) == 10 {
			d, ok := parseDate(text)
			return Stamp{At: d.Midnight()}, ok
		}
	case EncLocal, EncISOLocal, EncInstant, EncISOInstant:
		s, ok := timeOf(value)
		if ok && c.Encoding.IsInstant() {
			if s.At < c.First() {
				return Stamp{}, false
			}
			s.At, s.Offset = clock.Civil(civil.Instant(s.At))
		}
		return s, ok
	case EncYMD:
		n, ok := c.digits(value, 8)
		if y, m, d := int(n/10000), int(n/100%100), int(n%100); ok && civil.Valid(y, m, d) {
			return Stamp{At: civil.DateOf(y, m, d).Midnight()}, true
		}
	case EncYM:
		if text, isText := value.(string); isText && len(text) == 7 && text[4] == '-' && (c.Hyphened() || c.Example == "") {
			value = text[:4] + text[5:]
		} else if isText && c.Hyphened() {
			return Stamp{}, false
		}
		n, ok := c.digits(value, 6)
		if y, m := int(n/100), int(n%100); ok && civil.Valid(y, m, 1) {
			return Stamp{At: civil.DateOf(y, m, 1).Midnight()}, true
		}
	case EncUnixS, EncUnixMS, EncUnixUS:
		return c.decodeUnix(value, clock)
	case EncSerial1900:
		switch v := value.(type) {
		case int64:
			at, ok := SerialDate(float64(v))
			return Stamp{At: at}, ok
		case float64:
			at, ok := SerialDate(v)
			return Stamp{At: at}, ok
		case string: // an exact decimal, or a text
			f, err := strconv.ParseFloat(v, 64)
			at, ok := SerialDate(f)
			return Stamp{At: at}, ok && err == nil && plainNumber(v)
		}
	default:
		if l, ok := c.Encoding.Layout(); ok {
			text, isText := value.(string)
			if !isText {
				return Stamp{}, false
			}
			return l.Read(text)
		}
	}
	return Stamp{}, false
}

// plainNumber tells whether a text is digits, perhaps with a point in them.
func plainNumber(s string) bool {
	whole, fraction, point := strings.Cut(s, ".")
	_, ok1 := digits(whole)
	_, ok2 := digits(fraction)
	return ok1 && ok2 && whole != "" && (!point || fraction != "")
}

// digits reads a whole number of so many digits, as the column stores it.
func (c *Column) digits(value any, n int) (int64, bool) {
	switch v := value.(type) {
	case int64:
		least := int64(1)
		for range n - 1 {
			least *= 10
		}
		return v, c.Stored != Text && v >= least && v < 10*least
	case string:
		number, ok := digits(v)
		return int64(number), ok && len(v) == n && c.Stored != Integer
	}
	return 0, false
}

func (c *Column) decodeUnix(value any, clock *civil.Clock) (Stamp, bool) {
	n, ok := value.(int64)
	if text, isText := value.(string); isText && c.Stored != Integer {
		if sign := strings.TrimPrefix(text, "-"); len(sign) <= 18 {
			var whole int
			whole, ok = digits(sign)
			if n = int64(whole); len(sign) < len(text) {
				n = -n
			}
			ok = ok && sign != ""
		}
	} else if c.Stored == Text {
		ok = false
	}
	if !ok {
		return Stamp{}, false
	}
	scale := c.Encoding.PerSecond()
	seconds, rest := n/scale, n%scale
	if rest < 0 {
		seconds, rest = seconds-1, rest+scale
	}
	if at := civil.DateTime(seconds); at < c.First() || at >= Beyond {
		return Stamp{}, false
	}
	var s Stamp
	s.At, s.Offset = clock.Civil(civil.Instant(seconds))
	if rest != 0 {
		text := strconv.FormatInt(scale+rest, 10)
		s.Fraction = trimmed("." + text[1:])
	}
	return s, true
}

// trimmed takes zeros off the end of a fraction: engines write more or fewer.
func trimmed(fraction string) string { return strings.TrimRight(strings.TrimRight(fraction, "0"), ".") }

// Fits tells whether Decode reads a value. What an engine sends of a type of its own has
// its form, and is no date only where it is before or beyond all years.
func (c *Column) Fits(value any, clock *civil.Clock) bool {
	if text, ok := value.(string); ok && c.Encoding.IsNative() && len(text) >= 10 && text[4] == '-' && text[7] == '-' &&
		text[:4] > "0001" && text[:4] <= "9998" && text[5:7] != "00" && text[8:10] != "00" && text[len(text)-1] != 'C' { // BC
		return true
	}
	_, ok := c.Decode(value, clock)
	return ok
}

// pair is the number of two digits from a place on, negative where they are none.
func pair(s string, at int) int {
	tens, ones := s[at]-'0', s[at+1]-'0'
	if tens > 9 || ones > 9 {
		return -1
	}
	return int(tens)*10 + int(ones)
}

func parseDate(s string) (civil.Date, bool) {
	if len(s) < 10 || s[4] != '-' || s[7] != '-' {
		return 0, false
	}
	century, rest, m, d := pair(s, 0), pair(s, 2), pair(s, 5), pair(s, 8)
	y := century*100 + rest
	if century|rest|m|d < 0 || !civil.Valid(y, m, d) {
		return 0, false
	}
	return civil.DateOf(y, m, d), true
}

// maxFraction is how many digits of a second are read.
const maxFraction = 9

// timeOf reads a date-time, which is text or given as a number.
func timeOf(value any) (Stamp, bool) {
	if text, ok := value.(string); ok {
		return parseISO(text)
	}
	micros, ok := MicrosOf(value)
	return stampOf(micros), ok
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
	h, m := pair(s, 11), pair(s, 14)
	if h|m < 0 || h > 23 || m > 59 {
		return Stamp{}, false
	}
	at += civil.DateTime(h*3600 + m*60)
	rest, fraction := s[16:], ""
	if len(rest) >= 3 && rest[0] == ':' {
		sec := pair(rest, 1)
		if sec < 0 || sec > 59 {
			return Stamp{}, false
		}
		at += civil.DateTime(sec)
		rest = rest[3:]
		if len(rest) > 1 && rest[0] == '.' {
			n := 1
			for n < len(rest) && rest[n] >= '0' && rest[n] <= '9' {
				n++
			}
			if n == 1 || n > 1+maxFraction {
				return Stamp{}, false
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

// Compare orders two stamps in time: by the instant where both have one.
func (s Stamp) Compare(t Stamp) int {
	if order := cmp.Compare(int(s.At)-s.Offset, int(t.At)-t.Offset); order != 0 {
		return order
	}
	return strings.Compare(s.Fraction, t.Fraction)
}
