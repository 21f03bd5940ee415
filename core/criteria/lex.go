package criteria

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"pikegate/core/diag"
)

type kind uint8

const (
	tEnd kind = iota
	tWord
	tName // a quoted name
	tNumber
	tText
	tParameter
	tMark // an operator or a parenthesis
)

type token struct {
	kind       kind
	text       string // of words in lower case; of quoted ones without quotes
	start, end int    // bytes
}

func (t token) is(text string) bool { return (t.kind == tMark || t.kind == tWord) && t.text == text }

// marks are the operators, longest first.
var marks = []string{"<>", "!=", "<=", ">=", "=", "<", ">", "(", ")", ",", "+", "-", "*", "/", "."}

func lex(text string) ([]token, diag.Problems) {
	tokens := make([]token, 0, len(text)/4+2)
	var problems diag.Problems
	fail := func(start, end int, code, message, hint string) {
		p := diag.At(text, start, end, code, message)
		p.Hint = hint
		problems = append(problems, p)
	}
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRuneInString(text[i:])
		start := i
		switch {
		case unicode.IsSpace(r):
			i += size
			continue
		case strings.HasPrefix(text[i:], "--"):
			for i < len(text) && text[i] != '\n' {
				i++
			}
			continue
		case r == '\'' || r == '"':
			value, end, closed := quoted(text, i)
			i = end
			if !closed {
				fail(start, end, "open_quote", "The quote is not closed.", "Write the same quote at its end; inside a text a quote is written twice.")
			}
			k := tText
			if r == '"' {
				k = tName
			}
			tokens = append(tokens, token{k, value, start, end})
		case r >= '0' && r <= '9':
			for i < len(text) && (isDigit(text[i]) || text[i] == '.' && i+1 < len(text) && isDigit(text[i+1])) {
				i++
			}
			tokens = append(tokens, token{tNumber, text[start:i], start, i})
		case r == ':' && i+1 < len(text) && isNameStart(text[i+1:]):
			i += 1 + nameLength(text[i+1:])
			tokens = append(tokens, token{tParameter, strings.ToLower(text[start+1 : i]), start, i})
		case isNameStart(text[i:]):
			i += nameLength(text[i:])
			tokens = append(tokens, token{tWord, strings.ToLower(text[start:i]), start, i})
		default:
			found := ""
			for _, m := range marks {
				if strings.HasPrefix(text[i:], m) {
					found = m
					break
				}
			}
			if found == "" {
				fail(i, i+size, "unknown_character", "\""+text[i:i+size]+"\" does not belong here.", advice[text[i:i+size]])
				i += size
				continue
			}
			i += len(found)
			if found == "!=" {
				found = "<>"
			}
			tokens = append(tokens, token{tMark, found, start, i})
		}
	}
	return append(tokens, token{kind: tEnd, start: len(text), end: len(text)}), problems
}

// quoted reads a quoted stretch from i; a doubled quote stands for one.
func quoted(text string, i int) (value string, end int, closed bool) {
	quote := text[i]
	var b strings.Builder
	for i++; i < len(text); i++ {
		if text[i] == quote {
			if i+1 < len(text) && text[i+1] == quote {
				i++
			} else {
				return b.String(), i + 1, true
			}
		}
		b.WriteByte(text[i])
	}
	return b.String(), i, false
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func isNameStart(s string) bool {
	r, _ := utf8.DecodeRuneInString(s)
	return r == '_' || unicode.IsLetter(r)
}

// nameLength is how many bytes of s are letters, digits or _.
func nameLength(s string) int {
	n := 0
	for n < len(s) {
		r, size := utf8.DecodeRuneInString(s[n:])
		if r != '_' && !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			break
		}
		n += size
	}
	return n
}
