package cli

import (
	"fmt"
	"strings"

	"github.com/rivo/uniseg"

	"pikegate/core/diag"
)

// explainProblems prints each problem with its place: the text in question
// with marks beneath it, where the text is at hand.
func (a *app) explainProblems(problems diag.Problems, typed func(field string) string) {
	for _, p := range problems {
		word := "error"
		if p.Severity == diag.Warning {
			word = "warning"
		}
		place := p.Field
		if p.File != "" {
			place = p.File
			if p.Line > 0 {
				place = fmt.Sprintf("%s:%d", p.File, p.Line)
			}
			if p.Field != "" {
				place += ": " + p.Field
			}
		}
		if place != "" {
			place += ": "
		}
		fmt.Fprintf(a.Stderr, "%s: %s%s [%s]\n", word, place, p.Message, p.Code)
		source := p.Source
		if source == "" && typed != nil {
			source = typed(p.Field)
		}
		if source != "" && p.Length > 0 {
			fmt.Fprintln(a.Stderr, indent(diag.Caret(source, p, uniseg.StringWidth)))
		}
		if p.Hint != "" {
			fmt.Fprintln(a.Stderr, indent(p.Hint))
		}
		if len(p.Fixes) > 1 { // the readings that it can have
			for _, f := range p.Fixes {
				fmt.Fprintln(a.Stderr, indent("– "+f.Text))
			}
		}
	}
}

func indent(text string) string { return "    " + strings.ReplaceAll(text, "\n", "\n    ") }
