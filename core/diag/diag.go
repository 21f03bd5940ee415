// Package diag is how every language of Pike Gate reports what is wrong: a
// code, a place, a sentence and a way out. It knows nothing about screens;
// the same problem becomes caret text in a terminal, a mark beside a field in
// the console and an entry of a problem document over HTTP.
package diag

import (
	"strconv"
	"strings"
	"unicode/utf8"
)

// Severity tells whether a problem stops the work or only deserves a look.
type Severity string

// The severities. The zero value means Error.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
)

// Fix is a way out that can be taken with one click: the text that replaces
// the whole of what was typed.
type Fix struct {
	Label string `json:"label" doc:"What taking this way out does"`
	Text  string `json:"text" doc:"The text that replaces what was typed"`
	// Field is where the text goes, when that is not the problem's own field.
	Field string `json:"field,omitempty" doc:"The field the text goes into, when that is not the problem's own"`
}

// Problem is one thing that is wrong, or worth a look.
type Problem struct {
	Code     string   `json:"code" doc:"Stable name of the kind of problem"`
	Message  string   `json:"message" doc:"One sentence for a person"`
	Hint     string   `json:"hint,omitempty" doc:"What to do about it"`
	Severity Severity `json:"severity,omitempty" doc:"error (the default) or warning"`
	// Field names the question, option or document field the problem is in.
	Field string `json:"field,omitempty" doc:"The question or field it is in"`
	// File and Line place a problem in a definition file; Line counts from 1, 0 means unknown.
	File string `json:"file,omitempty" doc:"The file it is in"`
	Line int    `json:"line,omitempty" doc:"The line in the file, from 1"`
	// Source is the text the offset counts in, where the reader does not have it at hand.
	Source string `json:"source,omitempty" doc:"The text the offset counts in"`
	// Offset and Length mark the part in question, in characters from 0.
	Offset int `json:"offset" doc:"Where the part in question starts, in characters from 0"`
	Length int `json:"length" doc:"How many characters it has"`
	// Other is a second part of the same source, where two clash.
	Other *Place `json:"other,omitempty" doc:"The other part, where two clash"`
	Fixes []Fix  `json:"fixes,omitempty" doc:"Ways out that can be taken as they are"`
}

// Place is a part of a text, in characters from 0.
type Place struct {
	Offset int `json:"offset" doc:"Where the part starts, in characters from 0"`
	Length int `json:"length" doc:"How many characters it has"`
}

// Error gives the place, the sentence and the way out on one line.
func (p Problem) Error() string {
	var b strings.Builder
	if p.File != "" {
		b.WriteString(p.File)
		if p.Line > 0 {
			b.WriteByte(':')
			b.WriteString(itoa(p.Line))
		}
		b.WriteString(": ")
	}
	if p.Field != "" {
		b.WriteString(p.Field + ": ")
	}
	b.WriteString(p.Message)
	if p.Hint != "" {
		b.WriteString(" " + p.Hint)
	}
	b.WriteString(" [" + p.Code + "]")
	return b.String()
}

func itoa(n int) string {
	if n >= 10 {
		return itoa(n/10) + string(rune('0'+n%10))
	}
	return string(rune('0' + n))
}

// Problems is everything found at once; as an error it prints one per line.
type Problems []Problem

// Error joins the problems, one per line.
func (ps Problems) Error() string {
	lines := make([]string, len(ps))
	for i, p := range ps {
		lines[i] = p.Error()
	}
	return strings.Join(lines, "\n")
}

// Err is nil when none of the problems is an error, else the problems.
func (ps Problems) Err() error {
	if ps.Failed() {
		return ps
	}
	return nil
}

// Failed tells whether any of the problems is an error.
func (ps Problems) Failed() bool {
	for _, p := range ps {
		if p.Severity != Warning {
			return true
		}
	}
	return false
}

// In returns the problems with the field set where it is still empty.
func (ps Problems) In(field string) Problems {
	for i := range ps {
		if ps[i].Field == "" {
			ps[i].Field = field
		}
	}
	return ps
}

// For are the problems of one field.
func (ps Problems) For(field string) Problems {
	var out Problems
	for _, p := range ps {
		if p.Field == field {
			out = append(out, p)
		}
	}
	return out
}

// At makes a problem about source[start:end], which are byte positions; the
// problem's own place is in characters.
func At(source string, start, end int, code, message string) Problem {
	start = clamp(start, 0, len(source))
	end = clamp(end, start, len(source))
	return Problem{
		Code: code, Message: message,
		Offset: utf8.RuneCountInString(source[:start]),
		Length: utf8.RuneCountInString(source[start:end]),
	}
}

func clamp(n, low, high int) int { return max(low, min(n, high)) }

// Caret shows the line of source the problem is on and marks the part in
// question beneath it. Width gives the columns a text takes on the screen, so
// that the marks stand right after wide and combining characters.
func Caret(source string, p Problem, width func(string) int) string {
	runes := []rune(source)
	start := clamp(p.Offset, 0, len(runes))
	end := clamp(start+p.Length, start, len(runes))
	lineStart := start
	for lineStart > 0 && runes[lineStart-1] != '\n' {
		lineStart--
	}
	lineEnd := start
	for lineEnd < len(runes) && runes[lineEnd] != '\n' {
		lineEnd++
	}
	end = min(end, lineEnd)
	clean := func(from, to int) string {
		return strings.Map(func(r rune) rune {
			if r < ' ' || r == 0x7f {
				return ' '
			}
			return r
		}, string(runes[from:to]))
	}
	pad := strings.Repeat(" ", width(clean(lineStart, start)))
	marks := strings.Repeat("^", max(1, width(clean(start, end))))
	return clean(lineStart, lineEnd) + "\n" + pad + marks
}

// Listed joins words as a sentence does, the last one by a word such as and: a, b and c.
func Listed(words []string, by string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " " + by + " " + words[len(words)-1]
}

// Counted is a number with its noun, which agrees with it.
func Counted(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.Itoa(n) + " " + many
}
