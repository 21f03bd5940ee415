// Package sqltext takes hand-written SQL apart, as far as is needed to put
// values and criteria into it: quotes, comments, casts and names are told
// apart, nothing else is understood. What may be run is held up by the
// connection; the check here is for a clear message.
package sqltext

import (
	"strings"
	"unicode/utf8"

	"pikegate/core/diag"
)

// Kind is what a piece is.
type Kind uint8

// The kinds: text that stays as it is, the slot for the criteria, and a value.
const (
	Text Kind = iota
	Criteria
	Value
)

// Piece is a stretch of the text.
type Piece struct {
	Kind Kind
	// Text is as written; of a value it is the name without the colon.
	Text string
	// Part is from, through or until, of a period's ends.
	Part string
	// Start and End are its place, in bytes.
	Start, End int
}

// Flavour is what an engine has beside standard SQL; source: the engines' manuals.
type Flavour struct {
	// Backticks and Brackets quote names, Dollars and Escapes (E'…') texts.
	Backticks, Brackets, Dollars, Escapes bool
	// Hashes begin comments, which are Nested, or whose dashes need a blank after
	// them.
	Hashes, Nested, Spaced bool
}

// Split takes a statement apart as an engine reads it.
func Split(text string, flavour Flavour) ([]Piece, diag.Problems) {
	s := splitter{text: text, flavour: flavour}
	s.split()
	s.check()
	return s.pieces, s.problems
}

type splitter struct {
	text     string
	flavour  Flavour
	at       int
	plain    int // where text that stays began
	pieces   []Piece
	words    []word
	problems diag.Problems
}

// word is a word or a mark outside quotes and comments.
type word struct {
	text       string // in lower case
	start, end int
}

func (s *splitter) fail(start, end int, code, message, hint string) {
	p := diag.At(s.text, start, end, code, message)
	p.Hint = hint
	s.problems = append(s.problems, p)
}

func (s *splitter) rest() string { return s.text[s.at:] }

func (s *splitter) split() {
	for s.at < len(s.text) {
		c := s.text[s.at]
		switch {
		case s.dashes() || s.flavour.Hashes && c == '#':
			s.until("\n")
		case strings.HasPrefix(s.rest(), "/*"):
			s.comment()
		case c == '\'':
			s.quoted('\'', s.flavour.Escapes && s.at > 0 && (s.text[s.at-1] == 'e' || s.text[s.at-1] == 'E') && (s.at < 2 || !isWord(s.text[s.at-2])))
		case c == '"' || c == '`' && s.flavour.Backticks:
			s.quoted(c, false)
		case c == '[' && s.flavour.Brackets:
			s.until("]")
		case c == '$' && s.flavour.Dollars && s.dollar():
		case strings.HasPrefix(s.rest(), "::"):
			s.at += 2
		case c == ':' && s.at+1 < len(s.text) && isNameStart(s.text[s.at+1]):
			s.value()
		case isWord(c) || c >= utf8.RuneSelf:
			s.name()
		default:
			if c == ';' || c == '(' || c == ')' {
				s.words = append(s.words, word{string(c), s.at, s.at + 1})
			}
			s.at++
		}
	}
	s.keep(len(s.text))
}

// dashes tells whether a comment begins here. To MySQL and MariaDB 1--1 is
// arithmetic: their dashes need a blank after them.
func (s *splitter) dashes() bool {
	rest, ok := strings.CutPrefix(s.rest(), "--")
	return ok && (!s.flavour.Spaced || rest == "" || rest[0] <= ' ')
}

// keep takes the text up to a place as it is.
func (s *splitter) keep(end int) {
	if end > s.plain {
		s.pieces = append(s.pieces, Piece{Kind: Text, Text: s.text[s.plain:end], Start: s.plain, End: end})
	}
	s.plain = end
}

func (s *splitter) until(mark string) {
	if i := strings.Index(s.rest()[1:], mark); i >= 0 {
		s.at += 1 + i + len(mark)
		return
	}
	if mark != "\n" {
		s.fail(s.at, len(s.text), "open_quote", "The quote is not closed.", "")
	}
	s.at = len(s.text)
}

func (s *splitter) comment() {
	start, depth := s.at, 0
	for _, mark := range []string{"/*!", "/*M!", "/*m!"} {
		if strings.HasPrefix(s.rest(), mark) {
			s.fail(start, start+len(mark), "not_read_only", "A comment that the server runs is not taken.", "Take the "+mark+" … */ away.")
		}
	}
	for s.at < len(s.text) {
		switch {
		case strings.HasPrefix(s.rest(), "/*") && (depth == 0 || s.flavour.Nested):
			depth++
			s.at += 2
		case strings.HasPrefix(s.rest(), "*/"):
			depth--
			s.at += 2
			if depth == 0 {
				return
			}
		default:
			s.at++
		}
	}
	s.fail(start, len(s.text), "open_quote", "The comment is not closed.", "")
}

func (s *splitter) quoted(quote byte, escapes bool) {
	start := s.at
	for s.at++; s.at < len(s.text); s.at++ {
		switch s.text[s.at] {
		case '\\':
			if escapes {
				s.at++
			}
		case quote:
			if s.at+1 < len(s.text) && s.text[s.at+1] == quote {
				s.at++
				continue
			}
			s.at++
			return
		}
	}
	s.at = len(s.text)
	s.fail(start, len(s.text), "open_quote", "The quote is not closed.", "Write the same quote at its end; inside a text a quote is written twice.")
}

// dollar reads $tag$ … $tag$; it is false for what is none.
func (s *splitter) dollar() bool {
	if s.at > 0 && isWord(s.text[s.at-1]) {
		return false
	}
	end := strings.IndexByte(s.rest()[1:], '$')
	if end < 0 {
		return false
	}
	tag := s.rest()[:end+2]
	for _, c := range tag[1 : len(tag)-1] {
		if c < utf8.RuneSelf && (!isWord(byte(c)) || c == '$') {
			return false
		}
	}
	closing := strings.Index(s.rest()[len(tag):], tag)
	if closing < 0 {
		s.fail(s.at, len(s.text), "open_quote", "The quote "+tag+" is not closed.", "")
		s.at = len(s.text)
		return true
	}
	s.at += len(tag) + closing + len(tag)
	return true
}

func (s *splitter) value() {
	start := s.at
	s.keep(start)
	s.at++
	for s.at < len(s.text) && isWord(s.text[s.at]) {
		s.at++
	}
	p := Piece{Kind: Value, Text: strings.ToLower(s.text[start+1 : s.at]), Start: start}
	for _, part := range []string{"from", "through", "until"} {
		tail := s.rest()
		if len(tail) > len(part) && tail[0] == '.' && strings.EqualFold(tail[1:1+len(part)], part) && (len(tail) == 1+len(part) || !isWord(tail[1+len(part)])) {
			p.Part = part
			s.at += 1 + len(part)
			break
		}
	}
	p.End = s.at
	s.pieces = append(s.pieces, p)
	s.plain = s.at
	s.words = append(s.words, word{":" + p.Text, start, s.at})
}

func (s *splitter) name() {
	start := s.at
	for s.at < len(s.text) && (isWord(s.text[s.at]) || s.text[s.at] >= utf8.RuneSelf || s.text[s.at] == '$' && s.at > start) {
		s.at++
	}
	text := strings.ToLower(s.text[start:s.at])
	s.words = append(s.words, word{text, start, s.at})
	if text != "criteria" {
		return
	}
	call := strings.TrimLeft(s.rest(), " \t\r\n")
	if inner, ok := strings.CutPrefix(call, "("); ok && strings.HasPrefix(strings.TrimLeft(inner, " \t\r\n"), ")") {
		s.keep(start)
		s.at += strings.IndexByte(s.rest(), ')') + 1
		s.pieces = append(s.pieces, Piece{Kind: Criteria, Text: s.text[start:s.at], Start: start, End: s.at})
		s.plain = s.at
	}
}

// writing are words that change something; a read-only query has none of them
// outside quotes.
var writing = map[string]bool{
	"insert": true, "update": true, "delete": true, "merge": true, "drop": true, "create": true, "alter": true, "truncate": true,
	"copy": true, "attach": true, "detach": true, "pragma": true, "vacuum": true, "grant": true, "revoke": true, "call": true,
	"into": true, "lock": true, "begin": true, "commit": true, "rollback": true, "execute": true, "prepare": true, "load": true,
}

// check refuses what is not one query.
func (s *splitter) check() {
	words := s.words
	for len(words) > 0 && words[len(words)-1].text == ";" {
		last := words[len(words)-1]
		s.drop(last)
		words = words[:len(words)-1]
	}
	for len(words) > 0 && words[0].text == "(" {
		words = words[1:]
	}
	if len(words) == 0 {
		s.fail(0, len(s.text), "empty", "No statement was written.", "Write a select.")
		return
	}
	if first := words[0]; first.text != "select" && first.text != "with" && first.text != "values" {
		s.fail(first.start, first.end, "not_read_only", "The statement must be one query that only reads.", "Begin with select or with.")
		return
	}
	// The query is put into another one: its parentheses must not close that.
	open := []word{}
	for _, w := range s.words {
		switch w.text {
		case "(":
			open = append(open, w)
		case ")":
			if len(open) == 0 {
				s.fail(w.start, w.end, "parentheses", "This parenthesis has no opening one.", "Remove it, or open one before it.")
				return
			}
			open = open[:len(open)-1]
		}
	}
	if len(open) > 0 {
		last := open[len(open)-1]
		s.fail(last.start, last.end, "parentheses", "This parenthesis is not closed.", "Close it.")
		return
	}
	for _, w := range words {
		switch {
		case w.text == ";":
			s.fail(w.start, w.end, "several_statements", "There is more than one statement.", "Write one query.")
		case writing[w.text]:
			s.fail(w.start, w.end, "not_read_only", "The statement must be one query that only reads; "+strings.ToUpper(w.text)+" does not belong in it.", "Quote it if it is the name of a column.")
		}
	}
}

// drop takes a mark at the end out of the text, for the statement is put into
// another one.
func (s *splitter) drop(w word) {
	for i := range s.pieces {
		p := &s.pieces[i]
		if p.Kind == Text && p.Start <= w.start && w.end <= p.End {
			p.Text = p.Text[:w.start-p.Start] + " " + p.Text[w.end-p.Start:]
		}
	}
}

func isNameStart(c byte) bool {
	return c == '_' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
}

func isWord(c byte) bool { return isNameStart(c) || c >= '0' && c <= '9' }
