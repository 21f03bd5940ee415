package parameter

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"pikegate/core/diag"
)

// readText reads one text: one of the listed choices, or within its limits.
func (q Parameter) readText(text string) (string, diag.Problems) {
	if longest, ok := wholeLimit(q.Limits.Longest); ok {
		if n := utf8.RuneCountInString(text); n > longest {
			p := diag.At(text, 0, len(text), "too_long", fmt.Sprintf("%q has %d characters; at most %d are allowed.", text, n, longest))
			return text, diag.Problems{p}
		}
	}
	if q.Limits.Pattern != "" {
		if whole, err := regexp.Compile("^(?:" + q.Limits.Pattern + ")$"); err == nil && !whole.MatchString(text) {
			p := diag.At(text, 0, len(text), "wrong_pattern", fmt.Sprintf("%q is not written as it must be here.", text))
			p.Hint = "It must match " + q.Limits.Pattern + "."
			if q.Help != "" {
				p.Hint = q.Help
			}
			return text, diag.Problems{p}
		}
	}
	text, _, problems := q.choose(text)
	return text, problems
}

// choose takes one of the listed choices by its value or its label; without
// choices any text will do.
func (q Parameter) choose(text string) (value string, chosen bool, problems diag.Problems) {
	if len(q.Choices.Listed) == 0 {
		return text, false, nil
	}
	var offered []string
	for _, c := range q.Choices.Listed {
		if c.Value == text {
			return text, true, nil
		}
		offered = append(offered, c.Value)
	}
	at := slices.IndexFunc(q.Choices.Listed, func(c Choice) bool {
		return strings.EqualFold(c.Label, text) || strings.EqualFold(c.Value, text)
	})
	if at >= 0 {
		return offered[at], true, nil
	}
	return text, false, diag.Problems{NotOffered(text, offered)}
}

// NotOffered is the problem of an answer that is not among the choices.
func NotOffered(text string, offered []string) diag.Problem {
	p := diag.At(text, 0, len(text), "not_offered", fmt.Sprintf("%q is not one of the choices.", text))
	if near, ok := diag.Nearest(text, offered); ok {
		p.Hint = "Did you mean " + near + "?"
		p.Fixes = []diag.Fix{{Label: near, Text: near}}
	} else if len(offered) > 0 {
		p.Hint = "Some of them: " + strings.Join(offered[:min(5, len(offered))], ", ") + "."
	}
	return p
}
