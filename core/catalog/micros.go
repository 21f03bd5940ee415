package catalog

import "pikegate/core/civil"

// Micros is a date-time of the years 1 to 9999 as a source may give it to whoever lets rows
// pass, in microseconds from 1970: to write it as text and read that again costs more than
// all else that is done with it. InstantMicros is one that is an instant, in UTC. AppendText
// appends the text that the source gives of it otherwise.
type (
	Micros        int64
	InstantMicros int64
)

// MicrosText is either, of which the text is wanted.
type MicrosText interface{ AppendText(b []byte) []byte }

// MicrosOf are the microseconds of either.
func MicrosOf(v any) (micros int64, ok bool) {
	switch v := v.(type) {
	case Micros:
		return int64(v), true
	case InstantMicros:
		return int64(v), true
	}
	return 0, false
}

// MicrosAt are the microseconds of a time.
func MicrosAt(t civil.DateTime) int64 { return int64(t) * second }

const second = 1_000_000

// AppendText appends YYYY-MM-DD HH:MM:SS and the fraction of a second that there is.
func (m Micros) AppendText(b []byte) []byte {
	s := stampOf(int64(m))
	return append(s.At.AppendTo(b, ' '), s.Fraction...)
}

// AppendText appends the time in UTC, with that offset.
func (m InstantMicros) AppendText(b []byte) []byte { return append(Micros(m).AppendText(b), "+00"...) }

func stampOf(micros int64) Stamp {
	whole, fraction := micros/second, micros%second
	if fraction < 0 {
		whole, fraction = whole-1, fraction+second
	}
	var room [8]byte
	return Stamp{At: civil.DateTime(whole), Fraction: string(civil.AppendFraction(room[:0], int(fraction)))}
}
