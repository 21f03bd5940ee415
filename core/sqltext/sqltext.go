// Package sqltext takes hand-written SQL apart, as far as is needed to put
// values and criteria into it, and to tell what it reads: quotes, comments, casts
// and names are told apart, nothing else is understood. What may be run is held up
// by the connection; the check here is for a clear message.
package sqltext

import (
	"regexp"
	"strings"
	"unicode/utf8"

	"pikegate/core/diag"
)

// Kind is what a piece is.
type Kind uint8

// The kinds: text that stays as it is, the slot for the criteria, a value, one
// condition of our language, in braces, and rows(t), the rows of a table that whoever
// asks may see.
const (
	Text Kind = iota
	Criteria
	Value
	Condition
	Rows
)

// Piece is a stretch of the text.
type Piece struct {
	Kind Kind
	// Text is as written; of a value it is the name without the colon, of a condition
	// what stands in the braces, of rows(t) the name of the table.
	Text string
	// Named tells of rows(t) that it is given a name.
	Named bool
	// Part is from, through or until, of a period's ends.
	Part string
	// As is the name after a value and "as", the form it takes or a name for it in the
	// result; AsText is all of that as written.
	As, AsText string
	// Before and After are the words or marks beside it, in lower case; Call is the word
	// before a parenthesis that stands before it.
	Before, After, Call string
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

// mostPlaced is how many values and conditions a statement may have.
const mostPlaced = 1000

// Split takes a statement apart as an engine reads it.
func Split(text string, flavour Flavour) ([]Piece, diag.Problems) {
	s := splitter{text: text, flavour: flavour}
	s.split()
	s.check()
	s.neighbours()
	placed := 0
	for _, p := range s.pieces {
		if p.Kind == Text {
			continue
		}
		if placed++; placed > mostPlaced {
			s.fail(p.Start, p.End, "too_large", "The SQL has more than 1,000 values and conditions.", "Put conditions together by and, or, or join a table of values.")
			return nil, s.problems
		}
	}
	return s.pieces, s.problems
}

// neighbours tells of each piece what stands beside it; both are in the order of the
// text.
func (s *splitter) neighbours() {
	at := 0 // the first token that does not end before the piece
	for i := range s.pieces {
		p := &s.pieces[i]
		for at < len(s.tokens) && s.tokens[at].end <= p.Start {
			at++
		}
		if at > 0 {
			t := s.tokens[at-1]
			p.Before = t.text
			if t.is("(") && at > 1 {
				p.Call = s.tokens[at-2].text
			}
			if t.is("where") && at > 2 && s.tokens[at-3].is("filter") {
				p.Before = "filter"
			}
		}
		for after := at; after < len(s.tokens) && p.Kind != Text; after++ {
			if s.tokens[after].start >= p.End {
				p.After = s.tokens[after].text
				p.Named = s.tokens[after].is("as") || s.tokens[after].isName()
				break
			}
		}
	}
}

func (s *splitter) token(kind tokenKind, text string, start int) {
	s.tokens = append(s.tokens, token{text, kind, start, s.at})
}

type splitter struct {
	text     string
	flavour  Flavour
	at       int
	plain    int // where text that stays began
	pieces   []Piece
	tokens   []token
	problems diag.Problems
}

// token is a word, a quoted name or a mark outside of texts and comments.
type token struct {
	text       string // a word in lower case, a name without its quotes
	kind       tokenKind
	start, end int
}

type tokenKind uint8

const (
	tWord tokenKind = iota
	tName           // quoted
	tMark
	tOther // a text, a value, a condition
)

func (t token) is(text string) bool { return t.text == text && (t.kind == tWord || t.kind == tMark) }

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
		case c == '{':
			s.condition()
		case c == '}':
			s.fail(s.at, s.at+1, "braces", "This brace has no opening one.", "Remove it, or open one before the condition: { passed_at within :period }.")
			s.at++
		case c == '\'':
			s.quoted('\'', s.flavour.Escapes && s.at > 0 && (s.text[s.at-1] == 'e' || s.text[s.at-1] == 'E') && (s.at < 2 || !isWord(s.text[s.at-2])))
		case c == '"' || c == '`' && s.flavour.Backticks:
			s.quoted(c, false)
		case c == '[' && s.flavour.Brackets:
			start := s.at
			s.until("]")
			s.token(tName, strings.Trim(s.text[start:s.at], "[]"), start)
		case c == '$' && s.flavour.Dollars && s.dollar():
		case strings.HasPrefix(s.rest(), "::"):
			s.at += 2
		case c == ':' && s.at+1 < len(s.text) && isNameStart(s.text[s.at+1]):
			s.value()
		case isWord(c) || c >= utf8.RuneSelf:
			s.name()
		case c > ' ':
			s.mark()
		default:
			s.at++
		}
	}
	s.keep(len(s.text))
}

// mark reads an operator, or one other mark.
func (s *splitter) mark() {
	start := s.at
	for s.at++; strings.IndexByte("<>=!", s.text[start]) >= 0 && s.at < len(s.text) && strings.IndexByte("<>=", s.text[s.at]) >= 0; {
		s.at++
	}
	s.token(tMark, s.text[start:s.at], start)
}

// condition reads { … }, in which quotes and comments are those of our language.
func (s *splitter) condition() {
	start := s.at
	s.keep(start)
	for s.at++; s.at < len(s.text); s.at++ {
		switch c := s.text[s.at]; {
		case c == '\'' || c == '"':
			if end := strings.IndexByte(s.text[s.at+1:], c); end >= 0 {
				s.at += end + 1
			}
		case strings.HasPrefix(s.rest(), "--"):
			if end := strings.IndexByte(s.rest(), '\n'); end >= 0 {
				s.at += end
			}
		case c == '{':
			s.fail(s.at, s.at+1, "braces", "A condition in braces has no others inside it.", "Join conditions by and, or, or close the brace before.")
			s.at, s.plain = len(s.text), len(s.text) // what is inside what is not known
			return
		case c == '}':
			s.at++
			s.pieces = append(s.pieces, Piece{Kind: Condition, Text: s.text[start+1 : s.at-1], Start: start, End: s.at})
			s.plain = s.at
			s.token(tOther, "{", start)
			return
		}
	}
	s.fail(start, len(s.text), "braces", "The brace is not closed.", "Close it after the condition: { passed_at within :period }.")
	s.plain = s.at
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
			kind, name := tOther, "'"
			if quote != '\'' {
				kind, name = tName, strings.ReplaceAll(s.text[start+1:s.at-1], string(quote)+string(quote), string(quote))
			}
			s.token(kind, name, start)
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
	if as := form.FindStringSubmatch(s.rest()); as != nil {
		p.AsText, p.As = as[0], strings.ToLower(as[1])
		s.at += len(as[0])
	}
	p.End = s.at
	s.pieces = append(s.pieces, p)
	s.plain = s.at
	s.token(tOther, ":"+p.Text, start)
}

// form is what a value is written as, unless it is a name for it in the result.
var form = regexp.MustCompile(`^[ \t\r\n]+(?i:as)[ \t\r\n]+([A-Za-z_][A-Za-z0-9_-]*)`)

func (s *splitter) name() {
	start := s.at
	for s.at < len(s.text) && (isWord(s.text[s.at]) || s.text[s.at] >= utf8.RuneSelf || s.text[s.at] == '$' && s.at > start) {
		s.at++
	}
	text := strings.ToLower(s.text[start:s.at])
	if text == "rows" && s.rows(start) {
		return
	}
	s.token(tWord, text, start)
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

// rows reads what follows the word in rows(t), where t may be quoted and have its
// schema before it; it is false for what is none. The name alone is among the tokens.
func (s *splitter) rows(start int) bool {
	found := rowsOf.FindStringSubmatchIndex(s.rest())
	if found == nil {
		return false
	}
	s.keep(start)
	var parts []string
	from := s.at
	for _, at := range [][]int{found[2:4], found[4:6]} {
		if at[0] < 0 {
			continue
		}
		name := s.text[from+at[0] : from+at[1]]
		kind, plain := tName, strings.Trim(name, "\"`[]")
		if plain == name {
			kind = tWord
		}
		if len(parts) > 0 {
			s.tokens = append(s.tokens, token{".", tMark, from + at[0] - 1, from + at[0]})
		}
		parts = append(parts, plain)
		word := plain
		if kind == tWord {
			word = strings.ToLower(plain)
		}
		s.tokens = append(s.tokens, token{word, kind, from + at[0], from + at[1]})
	}
	s.at += found[1]
	s.pieces = append(s.pieces, Piece{Kind: Rows, Text: strings.Join(parts, "."), Start: start, End: s.at})
	s.plain = s.at
	return true
}

var rowsOf = regexp.MustCompile("^\\s*\\(\\s*(?:([A-Za-z_][A-Za-z0-9_$]*|\"[^\"]+\"|`[^`]+`|\\[[^\\]]+\\])\\.)?([A-Za-z_][A-Za-z0-9_$]*|\"[^\"]+\"|`[^`]+`|\\[[^\\]]+\\])\\s*\\)")

// writing are words that change something; a read-only query has none of them
// outside quotes.
var writing = map[string]bool{
	"insert": true, "update": true, "delete": true, "merge": true, "drop": true, "create": true, "alter": true, "truncate": true,
	"copy": true, "attach": true, "detach": true, "pragma": true, "vacuum": true, "grant": true, "revoke": true, "call": true,
	"into": true, "lock": true, "begin": true, "commit": true, "rollback": true, "execute": true, "prepare": true, "load": true,
}

// check refuses what is not one query.
func (s *splitter) check() {
	words := s.tokens
	for len(words) > 0 && words[len(words)-1].is(";") {
		s.drop(words[len(words)-1])
		words = words[:len(words)-1]
	}
	for len(words) > 0 && words[0].is("(") {
		words = words[1:]
	}
	if len(words) == 0 {
		s.fail(0, len(s.text), "empty", "No statement was written.", "Write a select.")
		return
	}
	if first := words[0]; !first.is("select") && !first.is("with") && !first.is("values") {
		s.fail(first.start, first.end, "not_read_only", "The statement must be one query that only reads.", "Begin with select or with.")
		return
	}
	// The query is put into another one: its parentheses must not close that.
	open := []token{}
	for _, w := range s.tokens {
		switch {
		case w.is("("):
			open = append(open, w)
		case w.is(")"):
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
	for i, w := range words {
		named := i > 0 && words[i-1].kind == tWord && words[i-1].is("as") // a label, whatever it says
		switch {
		case w.is(";"):
			s.fail(w.start, w.end, "several_statements", "There is more than one statement.", "Write one query.")
		case w.kind != tOther && (w.text == "set_config" || w.is(":=")):
			s.fail(w.start, w.end, "not_read_only", "A statement sets nothing: "+w.text+" does not belong in it.", "Write the value where it is needed.")
		case w.kind == tWord && writing[w.text] && !named:
			s.fail(w.start, w.end, "not_read_only", "The statement must be one query that only reads; "+strings.ToUpper(w.text)+" does not belong in it.", "Quote it if it is the name of a column.")
		}
	}
}

// drop takes a mark at the end out of the text, for the statement is put into
// another one.
func (s *splitter) drop(w token) {
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
