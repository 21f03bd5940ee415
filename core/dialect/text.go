package dialect

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"pikegate/core/criteria"
	"pikegate/core/plan"
)

// ofText writes a function that takes texts apart or puts them together; empty for another
// one.
func (w *writer) ofText(e plan.Func, args []string) string {
	switch e.Name {
	case "part", "position", "replace", "split", "pad_left", "pad_right", "text_of", "number_of", "number_with_comma", "digits":
	default:
		return ""
	}
	for i := range args {
		if e.Name != "part" && e.Name != "text_of" && collated(e.Args[i]) {
			args[i] = w.dialect.collate(args[i])
		}
	}
	if text := w.dialect.function(e.Name, withPlaces(args, e.Places)); text != "" {
		return text
	}
	length := func(x string) string {
		if text := w.dialect.function("length", []string{x}); text != "" {
			return text
		}
		return "length(" + x + ")"
	}
	switch e.Name {
	case "replace":
		return "replace(" + strings.Join(args, ", ") + ")"
	case "part":
		return "substr(" + strings.Join(withPlaces(args, e.Places), ", ") + ")"
	case "split":
		v, _ := e.Args[1].(plan.Value)
		mark, _ := v.V.(string)
		pieces := w.dialect.times("("+length(args[0])+" - "+length("replace("+args[0]+", "+args[1]+", '')")+")", utf8.RuneCountInString(mark))
		return fmt.Sprintf("case when %s >= %d then %s end", pieces, e.Places[0]-1, w.dialect.function("nth_part", withPlaces(args, e.Places)))
	case "pad_left", "pad_right":
		n, pad := strconv.FormatInt(e.Places[0], 10), "lpad"
		if e.Name == "pad_right" {
			pad = "rpad"
		}
		return "case when " + length(args[0]) + " >= " + n + " then " + args[0] + " else " + pad + "(" + args[0] + ", " + n + ", " + args[1] + ") end"
	case "number_of", "number_with_comma":
		decimals, group := ".", ","
		if e.Name == "number_with_comma" {
			decimals, group = group, decimals
		}
		digits := "replace(replace(" + args[0] + ", ' ', ''), " + literal(group) + ", '')"
		if decimals == "," {
			digits = "replace(" + digits + ", ',', '.')"
		}
		return "case when " + w.dialect.matches(args[0], criteria.NumberPattern(decimals)) + " then " + w.dialect.function("digits_of", []string{digits}) + " end"
	}
	return ""
}

// withPlaces are operands and, after them, the places that are written.
func withPlaces(args []string, places []int64) []string {
	all := append([]string{}, args...)
	for _, n := range places {
		all = append(all, strconv.FormatInt(n, 10))
	}
	return all
}

// movedBy keeps to the years that are accepted.
func (w *writer) movedBy(e plan.MovedBy) string {
	n := w.expr(e.N, true)
	return w.once(w.expr(e.X, true), func(x string) string {
		day := x
		if e.Fine {
			day = "substr(" + x + ", 1, 10)"
		}
		moved := w.dialect.dayAt(day, n)
		if e.Fine {
			moved = w.concat([]string{moved, "substr(" + x + ", 11)"})
		}
		return "case when " + w.dialect.daysBetween(day, "'9999-12-31'") + " >= " + n + " and " + w.dialect.daysBetween("'0001-01-01'", day) + " >= 0 - " + n + " then " + moved + " end"
	})
}

// likePattern makes a pattern of LIKE, in which ! takes the meaning off what follows.
func likePattern(text string) string {
	return strings.NewReplacer("!", "!!", "%", "!%", "_", "!_", "*", "%", "?", "_").Replace(text)
}

// globPattern makes a pattern of SQLite's GLOB, in which brackets mean something.
func globPattern(text string) string { return strings.ReplaceAll(text, "[", "[[]") }
