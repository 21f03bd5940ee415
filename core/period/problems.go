package period

import (
	"fmt"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

func (p *parser) fail(t token, code, message, hint string, fixes ...diag.Fix) {
	p.failAt(mark{t.start, t.end}, code, message, hint, fixes...)
}

// failAt notes a problem at a place; a fix replaces what stands there, and is
// given as the whole text after the replacement.
func (p *parser) failAt(at mark, code, message, hint string, fixes ...diag.Fix) {
	p.problems = append(p.problems, problemAt(p.text, at, code, message, hint, fixes...))
}

func problemAt(text string, at mark, code, message, hint string, fixes ...diag.Fix) diag.Problem {
	problem := diag.At(text, at.start, at.end, code, message)
	problem.Hint = hint
	for _, f := range fixes {
		problem.Fixes = append(problem.Fixes, diag.Fix{
			Label: f.Label,
			Text:  text[:at.start] + f.Text + text[at.end:],
		})
	}
	if hint == "" && len(fixes) > 0 {
		problem.Hint = fixes[0].Label + "."
	}
	return problem
}

// fixText is a way out that writes the text instead of the part in question.
func fixText(texts ...string) []diag.Fix {
	fixes := make([]diag.Fix, len(texts))
	for i, t := range texts {
		fixes[i] = diag.Fix{Label: "Write " + t, Text: t}
	}
	return fixes
}

// unexpected says that the next token does not belong here, with the nearest
// word of those that would (of all words when none are named).
func (p *parser) unexpected(wanted ...string) {
	t := p.peek()
	text := p.text[t.start:t.end]
	switch {
	case t.kind == tEnd:
		p.fail(t, "incomplete", "Something is missing at the end.", "")
	case t.kind == tWord:
		if t.word.role != unknown {
			p.fail(t, "unknown_form", "\""+text+"\" does not fit here.", "")
			return
		}
		p.problems = append(p.problems, unknownWord(p.text, mark{t.start, t.end}, wanted...))
	default:
		p.fail(t, "unknown_form", "\""+text+"\" does not fit here.", "")
	}
}

// unknownWord says that a word is none of the language, with the nearest of those that are
// wanted, or of all that are spoken.
func unknownWord(text string, at mark, wanted ...string) diag.Problem {
	word := text[at.start:at.end]
	message := "\"" + word + "\" is not a word of dates."
	for _, words := range [][]string{wanted, spoken} {
		if near, ok := diag.Nearest(word, words); ok {
			return problemAt(text, at, "unknown_word", message, "Did you mean "+near+"?", diag.Fix{Label: "Write " + near, Text: near})
		}
	}
	return problemAt(text, at, "unknown_word", message, "Write a day as 2026-03-14, or words like last month.")
}

func tooLong(text string, n int) diag.Problem {
	p := diag.At(text, 0, len(text), "too_long", fmt.Sprintf("%d characters were typed.", n))
	p.Hint = fmt.Sprintf("A period has at most %d.", MaxLength)
	return p
}

func (p *parser) noSuchMonth(at mark, year, month int) {
	p.failAt(at, "no_such_date", fmt.Sprintf("There is no month %d.", month), "Months run from 01 to 12.")
}

func (p *parser) noSuchDay(at mark, year, month, day int) {
	message, nearest := noSuchDay(year, month, day)
	p.failAt(at, "no_such_date", message, "", fixText(nearest)...)
}

func noSuchDay(year, month, day int) (message, nearest string) {
	last := civil.DaysIn(year, month)
	return fmt.Sprintf("%s %d has no day %d; it has %d days.", monthNames[month], year, day, last),
		civil.DateOf(year, month, min(max(day, 1), last)).String()
}
