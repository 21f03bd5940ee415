package engine

import (
	"errors"
	"regexp"
	"strings"
)

var (
	// complaints are how databases quote what they complain of.
	complaints = []*regexp.Regexp{
		regexp.MustCompile(`near "([^"]+)"`), regexp.MustCompile(`near '([^']+)`),
		regexp.MustCompile(`no such (?:column|table|function): ([\w."]+)`), regexp.MustCompile(`ambiguous column name: ([\w."]+)`),
		regexp.MustCompile(`Unknown column '([^']+)'`), regexp.MustCompile(`FUNCTION ([\w.]+) does not exist`), regexp.MustCompile(`Table '([^']+)' doesn't exist`),
	}
	token = regexp.MustCompile(`^(?:[\w.]+|"[^"]*"|'[^']*'|\S)`)
)

// Complain notes in a failure which piece of a statement the database complains
// of: that at a place, counted in characters from 1, or, with 0, what its message
// quotes.
func Complain(err error, sql string, position int) error {
	var f *Failure
	if !errors.As(err, &f) {
		return err
	}
	before, rest := "", ""
	if runes := []rune(sql); position > 0 && position <= len(runes) {
		before, rest = string(runes[:position-1]), string(runes[position-1:])
	} else {
		for _, c := range complaints {
			if m := c.FindStringSubmatch(f.Message); m != nil {
				rest = m[1]
				if strings.HasPrefix(m[0], "Table") { // with its database before it
					_, rest, _ = strings.Cut(rest, ".")
				}
				break
			}
		}
	}
	f.At = token.FindString(rest)
	if f.At != "" {
		f.Nth = strings.Count(before, f.At)
	}
	return err
}
