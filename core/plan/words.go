package plan

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
)

// ReadBack says what a statement selects: every condition in words, and the
// answers that hand-written SQL uses.
func ReadBack(s Statement) string {
	if s.Union != nil {
		return readBackOf(s.Union)
	}
	var words []string
	conditions := slices.Concat(s.Where, s.Having)
	for _, p := range s.Raw {
		if p.Condition != nil {
			conditions = append(conditions, *p.Condition)
		}
	}
	for i, c := range conditions {
		if i > 0 {
			c.Words = lowered(c.Words)
		}
		words = append(words, c.Words)
	}
	words = append(words, s.Said...)
	once := ""
	if s.Distinct {
		once = " Each different row once."
	}
	if len(words) == 0 {
		return "All records." + once
	}
	separator := ", "
	if slices.ContainsFunc(words, func(w string) bool { return strings.Contains(w, ", ") }) {
		separator = "; "
	}
	text := strings.Join(words, separator) + "."
	first, size := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(first)) + text[size:] + once
}

// label is what people read above the column, or its name in words.
func (b *binder) label(c *criteria.Column) string {
	for i := range b.compiled.Columns {
		out := &b.compiled.Columns[i]
		if plain, ok := out.Expr.(*criteria.Column); ok && plain.Ref.Alias == c.Ref.Alias && plain.Ref.Column.Name == c.Ref.Column.Name {
			return out.Heading()
		}
	}
	if heading, ok := b.headingOf(c); ok {
		return heading
	}
	return definition.Labelled(c.Name)
}

// headingOf is, in a query of a union, what people read above the column of the union that is
// made of an expression.
func (b *binder) headingOf(e criteria.Expr) (string, bool) {
	for _, own := range b.compiled.Own {
		if criteria.FirstColumn(own.Expr) == nil || criteria.Print(own.Expr) != criteria.Print(e) {
			continue
		}
		for _, out := range b.compiled.Columns {
			if criteria.Print(out.Expr) == criteria.Print(own.Expr) {
				return out.Heading(), true
			}
		}
		return own.Heading(), true
	}
	return "", false
}

// anything says that a condition restricts nothing in this run.
func (b *binder) anything(e criteria.Expr) string {
	if r := criteria.RecordsOf(e); r != nil {
		return "with or without " + lowered(definition.Labelled(r.Inner.Alias))
	}
	var labels []string
	criteria.Walk(e, func(e criteria.Expr) {
		if c, ok := e.(*criteria.Column); ok {
			labels = append(labels, b.label(c))
		}
	})
	if len(labels) == 0 {
		return "no restriction"
	}
	return "any " + lowered(labels[0])
}

// words says a condition with the values of the run.
func (b *binder) words(e criteria.Expr) string {
	if heading, ok := b.headingOf(e); ok {
		return heading
	}
	switch n := e.(type) {
	case *criteria.Between:
		if one, ok := b.oneSided(n); ok {
			return b.words(one)
		}
	case *criteria.In:
		e = b.answered(n)
	}
	if blank, ok := b.leftBlank(e); ok && blank.WhenBlank == parameter.MatchBlank {
		if column := criteria.FirstColumn(e); column != nil {
			return b.words(column) + " is blank"
		}
	}
	if b.includesBlanks(e) {
		return b.conditionWords(e) + ", or is blank"
	}
	return b.conditionWords(e)
}

// said is words for a condition, which may be a yes-no question by itself.
func (b *binder) said(e criteria.Expr) string {
	if p, ok := e.(*criteria.Parameter); ok {
		return b.labelOf(p.Name) + ": " + b.operand(p)
	}
	return b.words(e)
}

func not(yes bool) string {
	if yes {
		return "not "
	}
	return ""
}

func (b *binder) conditionWords(e criteria.Expr) string {
	switch e := e.(type) {
	case *criteria.Compare:
		return b.comparisonWords(e)
	case *criteria.Between:
		return b.words(e.X) + " is " + not(e.Not) + "between " + b.words(e.Low) + " and " + b.words(e.High) + ", both included"
	case *criteria.Within:
		return b.words(e.X) + " " + b.within(e.Not, e.Period)
	case *criteria.In:
		if column, ok := e.X.(*criteria.Column); ok && !e.Not && !column.Ref.Column.Type.IsDate() {
			return b.label(column) + " " + parameter.OneOf(b.each(e.Items)) + fold(e.Fold)
		}
		return b.words(e.X) + " is " + not(e.Not) + parameter.OneOf(b.each(e.Items)) + fold(e.Fold)
	case *criteria.IsBlank:
		if p, ok := e.X.(*criteria.Parameter); ok {
			return b.labelOf(p.Name) + " was " + not(e.Not) + "left blank"
		}
		return b.words(e.X) + " is " + not(e.Not) + "blank"
	case *criteria.Match:
		verb := e.Op
		if e.Not {
			verb = map[string]string{"contains": "does not contain", "starts with": "does not start with", "ends with": "does not end with", "matches": "does not match"}[e.Op]
		}
		return b.words(e.X) + " " + verb + " " + b.words(e.Y) + fold(e.Fold)
	case *criteria.Spans:
		verb := map[string]string{"overlaps": "overlaps ", "inside": "is inside ", "covers": "covers "}[e.Op]
		if e.Not {
			verb = map[string]string{"overlaps": "does not overlap ", "inside": "is not inside ", "covers": "does not cover "}[e.Op]
		}
		period := b.words(e.Period)
		if !criteria.IsPeriod(e.Period) {
			period = lowered(period)
		}
		return "the time from " + lowered(b.words(e.From)) + " through " + lowered(b.words(e.Until)) + " " + verb + period
	case *criteria.Meets:
		return e.Title + b.answersIn(e.X)
	case *criteria.Related:
		return b.relatedWords(e)
	case *criteria.First:
		n, of := b.operand(e.N), ""
		if e.Of != nil {
			of = " with the " + e.Which + " " + strings.TrimPrefix(lowered(b.words(e.Of)), "the ")
		}
		switch {
		case e.Of != nil && n == "1":
			return "the record" + of + b.apart(" of each ", e.By)
		case e.Of != nil:
			return "the " + n + " records" + of + b.apart(" of each ", e.By)
		case n == "1":
			return "the first record" + b.apart(" of each ", e.By)
		}
		return "the first " + n + " records" + b.apart(" of each ", e.By)
	case *criteria.Not:
		if call, ok := e.X.(*criteria.Call); ok && (call.Name == "is_working_day" || call.Name == "is_holiday") {
			return strings.Replace(b.said(call), " is a ", " is no ", 1)
		}
		if b.includesBlanks(e.X) {
			return "not (" + lowered(b.conditionWords(e.X)) + "), or is blank"
		}
		if call, ok := e.X.(*criteria.Call); ok && (call.Name == "is_working_day" || call.Name == "is_holiday") {
			return strings.Replace(b.said(call), " is a ", " is no ", 1)
		}
		return "not (" + lowered(b.said(e.X)) + ")"
	case *criteria.Logic:
		return b.joined(e)
	}
	return b.operand(e)
}

// apart says what records are kept apart by.
func (b *binder) apart(word string, keys []criteria.Expr) string {
	if len(keys) == 0 {
		return ""
	}
	said := b.each(keys)
	for i := range said {
		said[i] = lowered(said[i])
	}
	return word + strings.Join(said, " and ")
}

// relatedWords says a condition on another table's records.
func (b *binder) relatedWords(e *criteria.Related) string {
	words := e.Quantity + " "
	if e.N != nil {
		words += b.operand(e.N) + " "
	}
	words += lowered(definition.Labelled(e.Inner.Alias))
	if where := b.askedOf(e.Where); where != "" {
		words += " where " + where
	}
	return words
}

// askedOf says what is asked of the records that a value is made of; empty where that
// is nothing.
func (b *binder) askedOf(where criteria.Expr) string {
	if where == nil {
		return ""
	}
	if _, open := b.resolve(where); open {
		return ""
	}
	return lowered(b.said(where))
}

// askedIn says what an expression asks of the records that its values are made of, each
// once.
func (b *binder) askedIn(e criteria.Expr) (asked []string) {
	criteria.Walk(e, func(e criteria.Expr) {
		aggregate, ok := e.(*criteria.Aggregate)
		if !ok {
			return
		}
		where := aggregate.Where
		if aggregate.Records != nil {
			where = aggregate.Records.Where
		}
		if where == nil || !criteria.AsksAny(where) {
			return
		}
		if said := b.askedOf(where); said != "" && !slices.Contains(asked, said) {
			asked = append(asked, said)
		}
	})
	return asked
}

// aggregateWords says one value of many records.
func (b *binder) aggregateWords(e *criteria.Aggregate) string {
	words := "the number of records"
	if e.X != nil {
		words = "the " + lowered(e.Of())
		if e.Name == "count distinct" {
			words = "the number of different values of "
		}
		words += lowered(b.words(e.X))
	}
	if e.Records == nil {
		if where := b.askedOf(e.Where); where != "" {
			words += " (where " + where + ")"
		}
		return words
	}
	table := lowered(definition.Labelled(e.Records.Inner.Alias))
	if words += " of " + table; e.X == nil {
		words = "the number of " + table
	}
	if where := b.askedOf(e.Records.Where); where != "" {
		words += " (where " + where + ")"
	}
	return words
}

// answersIn are the answers a named condition uses, in parentheses.
func (b *binder) answersIn(e criteria.Expr) string {
	if e == nil {
		return ""
	}
	var said []string
	for _, name := range criteria.Parameters(e) {
		if b.given[name].Given {
			said = append(said, b.labelOf(name)+": "+b.question(name).ReadBack(b.given[name], b.calendar.Language))
		}
	}
	if said == nil {
		return ""
	}
	return " (" + strings.Join(said, "; ") + ")"
}

// labelOf is what people read beside a question.
func (b *binder) labelOf(name string) string {
	if label := b.question(name).Label; label != "" {
		return label
	}
	return definition.Labelled(name)
}

func fold(yes bool) string {
	if yes {
		return ", ignoring case"
	}
	return ""
}

func (b *binder) each(items []criteria.Expr) []string {
	words := make([]string, len(items))
	for i, item := range items {
		words[i] = b.words(item)
	}
	return words
}

func (b *binder) comparisonWords(e *criteria.Compare) string {
	left, right, op := e.Left, e.Right, e.Op
	if criteria.IsPeriod(left) {
		left, right, op = right, left, criteria.Flip(op)
	}
	_, unit := left.(*criteria.UnitOf)
	dated := criteria.IsPeriod(right) || criteria.TypeOf(left).IsDate()
	word := relation(op, dated)
	if criteria.IsPeriod(right) && !unit && (op == "=" || op == "<>") {
		return b.words(left) + " " + b.within(op == "<>", right)
	}
	if column, ok := left.(*criteria.Column); ok && op == "=" && !dated && criteria.FirstColumn(right) == nil {
		return b.label(column) + " " + b.words(right) + fold(e.Fold)
	}
	return b.words(left) + " is " + word + b.words(right) + fold(e.Fold)
}

// within says where a date lies with regard to a period.
func (b *binder) within(negated bool, e criteria.Expr) string {
	spans := b.spans(e)
	words := make([]string, len(spans))
	for i, span := range spans {
		if words[i] = span.WithinIn(b.calendar.Language); span.From == span.Until {
			words[i] = "at an open end"
		}
	}
	return not(negated) + parameter.OneOf(words)
}

// lowered is a label in the middle of a sentence; one in capitals stays.
func lowered(label string) string {
	first, size := utf8.DecodeRuneInString(label)
	if second, _ := utf8.DecodeRuneInString(label[size:]); unicode.IsUpper(second) {
		return label
	}
	return string(unicode.ToLower(first)) + label[size:]
}

// operand says a value.
func (b *binder) operand(e criteria.Expr) string {
	switch e := e.(type) {
	case *criteria.Column:
		return b.label(e)
	case *criteria.Parameter:
		if criteria.IsPeriod(e) {
			return b.when(e)
		}
		q := *b.question(e.Name)
		q.IncludeBlanks = false // said beside the condition
		return q.ReadBack(b.given[e.Name], b.calendar.Language)
	case *criteria.Text:
		if e.Period != nil {
			return b.when(e)
		}
		return e.Value
	case *criteria.Arithmetic:
		if criteria.IsPeriod(e) {
			return b.when(e)
		}
		if _, moved := e.Right.(*criteria.Length); !moved && !criteria.TypeOf(e.Left).IsNumber() {
			return "the days from " + b.words(e.Right) + " to " + b.words(e.Left)
		}
		return b.side(e.Left) + " " + string(e.Op) + " " + b.side(e.Right)
	case *criteria.Negative:
		return "-" + b.side(e.X)
	case *criteria.UnitOf:
		return "the " + e.Unit + " of " + b.words(e.X)
	case *criteria.Call:
		return b.called(e)
	case *criteria.Aggregate:
		return b.aggregateWords(e)
	case *criteria.InOrder:
		words := e.Said()
		if e.X != nil {
			words += lowered(b.words(e.X))
		}
		return words + b.apart(" for each ", e.By)
	}
	return criteria.Print(e)
}

// side is an operand of arithmetic, in parentheses where it is one itself.
func (b *binder) side(e criteria.Expr) string {
	if _, nested := e.(*criteria.Arithmetic); nested {
		return "(" + b.words(e) + ")"
	}
	return b.words(e)
}

func (b *binder) when(e criteria.Expr) string {
	words := []string{}
	for _, span := range b.spans(e) {
		if span.From == span.Until {
			words = append(words, "an open end")
		} else {
			words = append(words, span.ReadBackIn(b.calendar.Language))
		}
	}
	return parameter.OneOf(words)
}

// called says a function.
func (b *binder) called(e *criteria.Call) string {
	args := make([]string, len(e.Args))
	for i, arg := range e.Args {
		if e.Name == "if" && i == 0 {
			args[i] = b.said(arg)
		} else {
			args[i] = b.words(arg)
		}
	}
	last := args[len(args)-1]
	switch e.Name {
	case "part":
		if len(args) == 2 {
			return "the characters of " + args[0] + " from " + last + " on"
		}
		return last + " characters of " + args[0] + " from " + args[1] + " on"
	case "position":
		return "the place of " + last + " in " + args[0]
	case "replace":
		return args[0] + " with " + last + " in the place of " + args[1]
	case "split":
		return "part " + last + " of " + args[0] + " between " + args[1]
	case "pad_left", "pad_right":
		return args[0] + " filled up to " + args[1] + " characters"
	case "text_of":
		return args[0]
	case "number_of":
		return args[0] + " as a number"
	case "date_in":
		return args[0]
	case "time_of":
		return "the time of day of " + last
	case "hours_between":
		return "the hours from " + args[0] + " to " + last
	case "minutes_between":
		return "the minutes from " + args[0] + " to " + last
	case "days_after":
		return args[0] + " moved by " + last + " days"
	case "date_of":
		return "the day of " + last
	case "is_working_day":
		return last + " is a working day"
	case "is_holiday":
		return last + " is a holiday"
	case "working_days":
		return "the working days from " + args[0] + " to " + last
	case "start_of":
		return "the first day of the " + args[0] + " of " + last
	case "lower":
		return last + " in small letters"
	case "upper":
		return last + " in capitals"
	case "trim":
		return last + " without blanks at its ends"
	case "concat":
		return strings.Join(args, " joined with ")
	case "coalesce":
		return "the first of " + strings.Join(args, ", ") + " that is not blank"
	case "round":
		if len(args) == 2 {
			return args[0] + " rounded to " + last + " places"
		}
		return last + " rounded"
	case "abs":
		return last + " without its sign"
	case "floor":
		return last + " rounded down"
	case "ceil":
		return last + " rounded up"
	case "if":
		return "(" + args[1] + " where " + args[0] + ", else " + args[2] + ")"
	}
	return "the " + e.Name + " of " + last
}

func (b *binder) joined(e *criteria.Logic) string {
	word := " and "
	if e.Or {
		word = " or "
	}
	var terms []string
	for _, t := range e.Terms {
		if _, open := b.resolve(t); open {
			continue // a question left blank
		}
		words := b.said(t)
		if inner, ok := t.(*criteria.Logic); ok && inner.Or != e.Or {
			words = "(" + words + ")"
		} else if len(terms) > 0 {
			words = lowered(words)
		}
		terms = append(terms, words)
	}
	return strings.Join(terms, word)
}

func relation(op string, dated bool) string {
	number := map[string]string{"=": "", "<>": "not ", "<": "less than ", "<=": "at most ", ">": "more than ", ">=": "at least "}
	date := map[string]string{"=": "", "<>": "not ", "<": "before ", "<=": "on or before ", ">": "after ", ">=": "on or after "}
	if dated {
		return date[op]
	}
	return number[op]
}
