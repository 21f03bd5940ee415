package cli

import (
	"io"
	"unicode"
	"unicode/utf8"
)

// visible is a terminal that text cannot command: titles, names, messages and
// cells come from others, and what would move the cursor, change colours or turn
// the direction of writing is shown as a dot.
type visible struct {
	to   io.Writer
	rest []byte // of a character whose end is still to come
}

func (v *visible) Write(data []byte) (int, error) {
	text := append(v.rest, data...)
	v.rest = nil
	out := make([]byte, 0, len(text))
	for len(text) > 0 {
		if !utf8.FullRune(text) {
			v.rest = append([]byte(nil), text...)
			break
		}
		r, size := utf8.DecodeRune(text)
		if commands(r) {
			r = '·'
		}
		out = utf8.AppendRune(out, r)
		text = text[size:]
	}
	if _, err := v.to.Write(out); err != nil {
		return 0, err
	}
	return len(data), nil
}

// commands tells whether a character does something to a terminal but stand
// there: controls of both sets, and marks of direction; source: Unicode 15, UAX 9.
func commands(r rune) bool {
	switch {
	case r == '\n' || r == '\t':
		return false
	case unicode.IsControl(r), r == '\u2028', r == '\u2029':
		return true
	}
	return unicode.Is(unicode.Bidi_Control, r)
}
