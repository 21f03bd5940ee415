package files

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
)

var (
	anyNumber   = regexp.MustCompile(`^[-+]?[0-9][0-9.,]*$`)
	anyDate     = regexp.MustCompile(`^[0-9]{1,4}[-./][0-9]{1,2}[-./][0-9]{1,4}`)
	wholeText   = regexp.MustCompile(`^-?(0|[1-9][0-9]{0,17})$`)
	pointText   = regexp.MustCompile(`^-?(0|[1-9][0-9]*)([.][0-9]+)?$`)
	commaText   = regexp.MustCompile(`^-?(0|[1-9][0-9]*)(,[0-9]+)?$`)
	groupedText = regexp.MustCompile(`^-?[1-9][0-9]{0,2}(,[0-9]{3})*([.][0-9]+)?$|^-?0([.][0-9]+)?$`)
	groupText   = regexp.MustCompile(`^-?[1-9][0-9]{0,2}([.][0-9]{3})+(,[0-9]+)?$`)
)

// blankWords stand for no value where the others of a column are numbers.
var blankWords = []string{"NA", "N/A", "n/a", "#N/A", "-", "–", "NULL", "null", "nil", "none"}

// guess is what the values of a column look like.
type guess struct {
	kind   catalog.Type // text, integer, decimal or yes-no
	why    string
	mark   byte     // of decimals
	groups bool     // whether thousands are separated by the other mark
	none   []string // all words for no value
	said   bool     // whether somebody said which words these are
	blank  []string // those of them that were seen
}

// guessOf looks at the values of a column, none of them blank, of a file whose fields are separated by a delimiter.
func guessOf(values []string, delimiter byte, said catalog.FileFormat) guess {
	g := guess{kind: catalog.Text, none: blankWords, said: len(said.Blank) > 0}
	if g.said {
		g.none = said.Blank
	}
	var rest []string
	for _, v := range values {
		switch {
		case !slices.Contains(g.none, v):
			rest = append(rest, v)
		case !slices.Contains(g.blank, v):
			g.blank = append(g.blank, v)
		}
	}
	if len(rest) == 0 {
		return g
	}
	all := func(fits func(string) bool) bool {
		return !slices.ContainsFunc(rest, func(v string) bool { return !fits(v) })
	}
	has := func(mark string) bool {
		return slices.ContainsFunc(rest, func(v string) bool { return strings.Contains(v, mark) })
	}
	thousands := func(mark string) bool { // every fraction has three digits, which may be thousands
		return all(func(v string) bool {
			_, after, ok := strings.Cut(v, mark)
			return !ok || len(after) == 3 && v[0] != '0' && !strings.HasPrefix(v, "-0")
		})
	}
	set := func(kind catalog.Type, mark byte, groups bool, why string) {
		g.kind, g.mark, g.groups, g.why = kind, mark, groups, why
	}
	const undecided = "numbers with a %s before three digits: decimals or thousands"
	switch {
	case all(wholeText.MatchString):
		set(catalog.Integer, 0, false, "whole numbers")
	case all(pointText.MatchString) && said.Decimal == "" && delimiter == ';' && thousands("."): // where commas part fields, they are no decimal mark
		g.why = fmt.Sprintf(undecided, "point")
	case all(pointText.MatchString) && said.Decimal != ",":
		set(catalog.Decimal, '.', false, "numbers with a decimal point")
	case all(groupedText.MatchString) && said.Decimal == ".": // 1,234.5
		set(catalog.Decimal, '.', true, "numbers with a decimal point, thousands separated by commas")
	case all(commaText.MatchString) && said.Decimal == "" && thousands(","):
		g.why = fmt.Sprintf(undecided, "comma")
	case all(commaText.MatchString) && said.Decimal != ".":
		set(catalog.Decimal, ',', false, "numbers with a decimal comma")
	case (has(",") || said.Decimal == ",") && all(func(v string) bool { return commaText.MatchString(v) || groupText.MatchString(v) }):
		set(catalog.Decimal, ',', true, "numbers with a decimal comma, thousands separated by points")
	case all(func(v string) bool { return strings.EqualFold(v, "true") || strings.EqualFold(v, "false") }):
		set(catalog.Boolean, 0, false, "true and false")
	case g.why != "":
	case mostly(rest, wholeText): // it will be found to be text, and which values are why
		set(catalog.Integer, 0, false, "whole numbers")
	case mostly(rest, pointText):
		set(catalog.Decimal, '.', false, "numbers with a decimal point")
	case mostly(rest, commaText):
		set(catalog.Decimal, ',', false, "numbers with a decimal comma")
	case mostly(rest, anyDate): // where one layout fits, or nothing tells two apart, that is said instead
		g.why = "dates of several layouts, none of which nine of ten values have"
	}
	return g
}

// mostly tells whether nine of ten values are of a pattern.
func mostly(values []string, pattern *regexp.Regexp) bool {
	n := 0
	for _, v := range values {
		if pattern.MatchString(v) {
			n++
		}
	}
	return n*10 >= len(values)*9
}

// number is the text of a number as DuckDB writes one.
func (g guess) number(name string) string {
	x := quote(name)
	if g.groups {
		x = "replace(" + x + ", '" + map[bool]string{true: ".", false: ","}[g.mark == ','] + "', '')"
	}
	if g.mark == ',' {
		x = "replace(" + x + ", ',', '.')"
	}
	return x
}

// some is a condition that a value is there, and no word for none.
func (g guess) some(name string) string {
	words := make([]string, len(g.none))
	for i, w := range g.none {
		words[i] = "'" + quoted(w) + "'"
	}
	return quote(name) + " not in (" + strings.Join(words, ", ") + ")"
}

// value is an expression, blank for words that somebody says stand for none: these may be
// numbers, such as -999.
func (g guess) value(name, expression string) string {
	if !g.said {
		return expression
	}
	return "case when " + g.some(name) + " then " + expression + " end"
}

// perColumn is how many values are asked for of each.
const perColumn = 6

// quotedPair quotes two values, or one.
func quotedPair(first, last string) string {
	text := fmt.Sprintf("%q", shortened(first))
	if last != first {
		text += fmt.Sprintf(" and %q, say", shortened(last))
	}
	return text
}

// shortened is a value as a sentence quotes it.
func shortened(text string) string {
	const most = 40
	if r := []rune(text); len(r) > most {
		return string(r[:most]) + "…"
	}
	return text
}

// mostTogether is how many columns are held against their values in one statement.
const mostTogether = 50

// confirm holds every value against what a column was taken for; one with others is text.
func (s *source) confirm(ctx context.Context, t *table, names []string, guesses []guess, samples [][]any) error {
	proposed := make([]catalog.Column, len(names))
	var items []string
	for i, g := range guesses {
		x, there := g.number(names[i]), g.some(names[i])
		var others string // a value that is something else
		digits, places := "0", "0"
		switch g.kind {
		case catalog.Integer:
			others = fmt.Sprintf("cast(try_cast(%s as bigint) as varchar) is distinct from %s", x, x)
		case catalog.Decimal:
			others = fmt.Sprintf("not regexp_full_match(%s, '-?(0|[1-9][0-9]*)([.][0-9]+)?')", x)
			digits = fmt.Sprintf("coalesce(max(length(split_part(replace(%s, '-', ''), '.', 1))) filter (where %s), 0)", x, there)
			places = fmt.Sprintf("coalesce(max(length(split_part(%s, '.', 2))) filter (where %s), 0)", x, there)
		case catalog.Boolean:
			others = fmt.Sprintf("lower(%s) not in ('true', 'false')", x)
		default:
			text := catalog.Column{Name: names[i], Declared: "varchar", Type: catalog.Text, Nullable: true}
			made, ok := catalog.Propose(text, samples[i])
			if dates := s.said[t.name].Dates; dates != "" {
				if said, fits := catalog.ProposeAs(text, catalog.Encoding(dates), samples[i]); fits {
					made, ok = said, true
				}
			}
			if ok {
				proposed[i] = made
				fits := dialect.DuckDB().Fits(made.Encoding, quote(names[i]))
				items = append(items, "count("+quote(names[i])+")", fmt.Sprintf("count(*) filter (where not (%s))", fits), "0", "0", "null", "null")
				continue
			}
			items = append(items, "0", "0", "0", "0", "null", "null")
			continue
		}
		is := there + " and " + others
		items = append(items, fmt.Sprintf("count(*) filter (where %s)", there), fmt.Sprintf("count(*) filter (where %s)", is), digits, places,
			fmt.Sprintf("min(%s) filter (where %s)", quote(names[i]), is), fmt.Sprintf("max(%s) filter (where %s)", quote(names[i]), is))
	}
	var counts []int64
	var examples []string
	for some := range slices.Chunk(items, perColumn*mostTogether) {
		text := "select count(*), " + strings.Join(some, ", ") + " from " + t.all()
		err := s.Pool.Stream(ctx, dialect.Query{SQL: text}, func(row []any) error {
			for _, v := range row[1:] {
				n, _ := v.(int64)
				text, _ := v.(string)
				counts, examples = append(counts, n), append(examples, text)
			}
			return nil
		})
		switch {
		case ctx.Err() != nil:
			return context.Cause(ctx)
		case err != nil:
			return s.unreadable(t, err)
		}
	}
	for i, g := range guesses {
		at := perColumn * i
		n, others, digits, places := counts[at], counts[at+1], counts[at+2], counts[at+3]
		c := read{Column: catalog.Column{Name: names[i], Declared: "varchar", Type: catalog.Text, Nullable: true}, expression: quote(names[i])}
		switch {
		case proposed[i].Encoding != "":
			c.Column = known(proposed[i], n, others)
		case g.kind == catalog.Text:
			c.Evidence = g.why
		case others > 0:
			c.Evidence = fmt.Sprintf("text: of %d values, %d %s %s: %s", n, others, map[bool]string{true: "is none of", false: "are none of"}[others == 1], g.why, quotedPair(examples[at+4], examples[at+5]))
		case g.kind == catalog.Integer:
			c.Type, c.Declared, c.expression = g.kind, "bigint", g.value(names[i], "try_cast("+g.number(names[i])+" as bigint)")
		case g.kind == catalog.Boolean:
			c.Type, c.Declared, c.expression = g.kind, "boolean", g.value(names[i], "try_cast("+quote(names[i])+" as boolean)")
		case digits+places > 38:
			c.Evidence = "text: numbers of more than 38 digits"
		default:
			width := int64(18)
			if digits+places > 18 {
				width = 38
			}
			c.Type, c.Declared = g.kind, fmt.Sprintf("decimal(%d,%d)", width, places)
			c.expression = g.value(names[i], fmt.Sprintf("try_cast(%s as decimal(%d, %d))", g.number(names[i]), width, places))
		}
		if c.Type != catalog.Text && c.Encoding == "" {
			c.Evidence = fmt.Sprintf("%s: all %d values", g.why, n)
			if len(g.blank) > 0 {
				c.Evidence += "; " + strings.Join(g.blank, ", ") + " for none"
			}
		}
		t.columns = append(t.columns, c)
	}
	return nil
}

// known is a column of dates of which every value was held against its encoding.
func known(c catalog.Column, looked, unfit int64) catalog.Column {
	evidence := c.Evidence[strings.LastIndex(c.Evidence, "; ")+1:] // what tells day and month apart
	what, _, _ := strings.Cut(c.Evidence, ": ")
	c.Whole, c.Known, c.Looked, c.Unfit, c.Shape = true, true, looked, unfit, ""
	c.Evidence = fmt.Sprintf("%s: all %d values fit", what, looked)
	if unfit > 0 {
		c.Evidence = fmt.Sprintf("%s: of all %d values, %d %s fit", what, looked, unfit, map[bool]string{true: "does not", false: "do not"}[unfit == 1])
	}
	if strings.HasSuffix(evidence, "the other way round") {
		c.Evidence += "; of those looked at first," + evidence
	}
	if c.Encoding == catalog.EncISODate && unfit == 0 { // which can be written in one way only
		c.Shape = "0000-00-00"
	}
	return c
}
