package period

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

type kind uint8

const (
	tEnd kind = iota
	tNumber
	tWord
	tDots
	tName // :name, a value of another question
	tMark // any other single character; token.char tells which
)

// token is a piece of the text. Joined tells that it follows the one before
// with no blank between: 2026-03 is joined, today - 3 is not.
type token struct {
	kind       kind
	joined     bool
	char       rune
	word       word
	start, end int // bytes
	value      int // of a number; capped
}

func (t token) digits() int { return t.end - t.start }

func (t token) is(char rune) bool { return t.kind == tMark && t.char == char }

// maxNumber caps counts: a larger one is refused where it stands.
const maxNumber = 99_999_999

// lex splits the text into tokens, the last of which is tEnd.
func lex(text string, tokens []token) []token {
	joined := false
	for i := 0; i < len(text); {
		c := text[i]
		switch {
		case c == ' ' || c == '\t' || c == '\n' || c == '\r':
			i++
			joined = false
			continue
		case c >= '0' && c <= '9':
			t := token{kind: tNumber, joined: joined, start: i}
			for i < len(text) && text[i] >= '0' && text[i] <= '9' {
				t.value = min(t.value*10+int(text[i]-'0'), maxNumber+1)
				i++
			}
			t.end = i
			tokens = append(tokens, t)
		case c == '.' && strings.HasPrefix(text[i:], ".."):
			tokens = append(tokens, token{kind: tDots, joined: joined, start: i, end: i + 2})
			i += 2
		case c == ':' && i+1 < len(text) && isNameByte(text[i+1]) && (text[i+1] < '0' || text[i+1] > '9'):
			t := token{kind: tName, joined: joined, start: i, end: i + 2}
			for t.end < len(text) && isNameByte(text[t.end]) {
				t.end++
			}
			i = t.end
			tokens = append(tokens, t)
		default:
			r, size := utf8.DecodeRuneInString(text[i:])
			t := token{kind: tMark, joined: joined, char: r, start: i, end: i + size}
			switch {
			case unicode.IsSpace(r):
				i += size
				joined = false
				continue
			case unicode.IsLetter(r):
				t.kind = tWord
				for t.end < len(text) {
					r, size = utf8.DecodeRuneInString(text[t.end:])
					if !unicode.IsLetter(r) {
						break
					}
					t.end += size
				}
				t.word = lookUp(text[t.start:t.end])
			}
			i = t.end
			tokens = append(tokens, t)
		}
		joined = true
	}
	return append(tokens, token{kind: tEnd, start: len(text), end: len(text)})
}

// plain writes marks that mean the same as plain ones as these: full-width digits, blanks
// that do not break, hyphens and the minus. Each is one character as before, so that places
// stay what they are.
func plain(text string) string {
	for i := range len(text) {
		if text[i] >= utf8.RuneSelf {
			return strings.Map(plainMark, text)
		}
	}
	return text
}

func plainMark(r rune) rune {
	switch {
	case r >= '０' && r <= '９':
		return r - '０' + '0'
	case r == '‐' || r == '‑' || r == '−' || r == '－' || r == '‒':
		return '-'
	case r == '／' || r == '⁄':
		return '/'
	case r == '．' || r == '。':
		return '.'
	case r == '，' || r == '、':
		return ','
	case unicode.IsSpace(r) || r == '\u2060' || r == '\u200b':
		return ' '
	}
	return r
}

// isNameByte tells what a question's name is made of.
func isNameByte(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '_'
}
