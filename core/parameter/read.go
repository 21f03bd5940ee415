package parameter

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/diag"
	"pikegate/core/period"
)

// Read turns inputs into typed values, or into every problem at once. Each
// problem names its question as its field; the start and end of a period
// asked in two parts are NAME.start and NAME.end. Rules are tried once the
// answers they compare are sound.
func Read(questions []Parameter, rules []Rule, inputs Inputs, ctx Context) (Values, diag.Problems) {
	values := make(Values, len(questions))
	var problems diag.Problems
	derived := map[string]Parameter{}
	for _, q := range questions {
		value, found := q.Read(inputs[q.Name], ctx)
		values[q.Name] = value
		problems = append(problems, at(q.Name, found)...)
		if q.Derive != "" && len(found) == 0 {
			derived[q.Name] = q
		}
	}
	// What a derived value needs is worked out before it, each once.
	var derive func(name string)
	derive = func(name string) {
		q, ok := derived[name]
		if !ok {
			return
		}
		delete(derived, name)
		for _, needed := range q.needs() {
			derive(needed)
		}
		value, found := q.derive(values, questions, ctx)
		values[name] = value
		problems = append(problems, at(name, found)...)
	}
	for _, q := range questions {
		derive(q.Name)
	}
	problems = append(problems, Unknown(questions, inputs)...)
	if len(problems) == 0 {
		problems = CheckRules(rules, values, ctx.Calendar)
	}
	return values, problems
}

// at places problems in their question.
func at(name string, found diag.Problems) diag.Problems {
	for i := range found {
		found[i].Field = strings.TrimSuffix(name+"."+found[i].Field, ".")
	}
	return found
}

// Unknown tells of answers to questions that there are none of.
func Unknown(questions []Parameter, inputs Inputs) diag.Problems {
	var problems diag.Problems
	left := len(inputs)
	for i := range questions {
		if _, answered := inputs[questions[i].Name]; answered {
			left--
		}
	}
	if left == 0 {
		return nil
	}
	known := map[string]bool{}
	var names []string
	for _, q := range questions {
		known[q.Name] = true
		if q.open() {
			names = append(names, q.Name)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(inputs)) {
		if known[name] {
			continue
		}
		if len(problems) == maxTold {
			break
		}
		hint := diag.DidYouMean(name, names)
		if hint == "" {
			hint = "It asks: " + strings.Join(names, ", ") + "."
		}
		problems = append(problems, diag.Problem{Code: "unknown_question", Field: name, Message: "There is no question " + name + ".", Hint: hint})
	}
	return problems
}

// open tells whether people may answer the question.
func (q Parameter) open() bool { return (q.Shown == "" || q.Shown == Asked) && q.Derive == "" }

// Read reads the answer to one question. The field of a problem is "start" or
// "end" where that part is meant, else empty.
func (q Parameter) Read(in Input, ctx Context) (Value, diag.Problems) {
	if in.misshapen != nil {
		return Value{}, diag.Problems{{Code: "wrong_shape", Message: "The answer must be a text, a number, a list of them, or a start and an end.", Hint: `Write "2026-03", ["up", "down"] or {"start": …, "end": …}.`}}
	}
	in = in.blankless()
	if !q.open() && !in.blank() {
		return Value{}, diag.Problems{{Code: "not_asked", Message: "This is not asked, so it cannot be answered.", Hint: "Leave it out."}}
	}
	if q.Derive != "" {
		return Value{}, nil
	}
	isDefault := false
	if in.blank() && !(in.None && q.open()) && len(q.Default) > 0 {
		in, isDefault = Input{Texts: q.Default}, true
		ctx.Marks = Marks{} // the author's own writing, the same in every language
	}
	if in.blank() {
		if q.Required {
			p := diag.Problem{Code: "missing", Message: "An answer is needed.", Hint: q.missingHint()}
			if len(q.Default) == 1 {
				p.Fixes = []diag.Fix{{Label: "Use " + q.Default[0], Text: q.Default[0]}}
			}
			return Value{}, diag.Problems{p}
		}
		return Value{}, nil
	}
	v, problems := q.readKind(in, ctx)
	v.Given, v.Default = len(problems) == 0, isDefault
	return v, problems
}

func (q Parameter) missingHint() string {
	switch q.Kind {
	case Period:
		return "Give a start and an end date, or words like last month."
	case Date:
		return "Give a day, such as 2026-03-31 or yesterday."
	case YesNo:
		return "Answer yes or no."
	}
	return ""
}

func (q Parameter) readKind(in Input, ctx Context) (Value, diag.Problems) {
	if q.Kind == Period {
		return q.readPeriod(in, ctx)
	}
	v := Value{Typed: strings.Join(in.Texts, ", ")}
	if in.Start != nil || in.End != nil {
		return v, diag.Problems{{Code: "not_a_period", Message: "This is not a period and takes no start or end.", Hint: "Give the answer alone."}}
	}
	if len(in.Texts) > 1 && !q.Many {
		return v, diag.Problems{{Code: "one_answer_only", Message: fmt.Sprintf("One answer is taken here; %d were given.", len(in.Texts)), Hint: "Keep one of them."}}
	}
	if len(in.Texts) > MaxAnswers {
		return v, diag.Problems{{Code: "too_many", Message: fmt.Sprintf("%d answers were given; at most %d are allowed.", len(in.Texts), MaxAnswers), Hint: "Choose fewer, or ask for what they have in common."}}
	}
	var problems diag.Problems
	seen := map[string]bool{}
	for _, text := range in.Texts {
		if seen[text] {
			continue
		}
		seen[text] = true
		if problems = append(problems, q.readOne(text, &v, ctx)...); len(problems) >= maxTold {
			return v, problems
		}
	}
	v.Texts = once(v.Texts, func(t string) string { return t })
	v.Numbers = once(v.Numbers, decimal.Decimal.String)
	v.Spans = once(v.Spans, func(s period.Span) period.Span { return s })
	if len(problems) == 0 && q.Many {
		problems = q.count(len(v.Texts) + len(v.Numbers) + len(v.Spans))
	}
	return v, problems
}

// once leaves out what is there already: an answer that is written in two ways
// counts once.
func once[T any, K comparable](answers []T, key func(T) K) []T {
	if len(answers) < 2 {
		return answers
	}
	seen := make(map[K]bool, len(answers))
	return slices.DeleteFunc(answers, func(answer T) bool {
		k := key(answer)
		there := seen[k]
		seen[k] = true
		return there
	})
}

// MaxAnswers is how many answers one question takes, whatever its limits, and
// maxTold how many problems are told of one.
const (
	MaxAnswers = 10_000
	maxTold    = 100
)

// maxTyped is how long one answer may be, in bytes.
const maxTyped = 20_000

// readOne reads one answer into the value.
func (q Parameter) readOne(text string, v *Value, ctx Context) diag.Problems {
	if len(text) > maxTyped {
		return diag.Problems{{Code: "too_long", Message: fmt.Sprintf("The answer is %d bytes long; at most %d are taken.", len(text), maxTyped), Hint: "Give several answers, or a shorter one."}}
	}
	switch q.Kind {
	case Date, DateTime:
		span, problems := q.readDate(text, ctx)
		if len(problems) == 0 {
			v.Spans = append(v.Spans, span)
		}
		return problems
	case Integer, Decimal:
		text, chosen, problems := q.choose(text)
		if len(problems) > 0 {
			return problems
		}
		marks := ctx.Marks
		if chosen {
			marks = Marks{} // the author's own writing
		}
		n, problems := q.readNumber(text, marks)
		if len(problems) == 0 {
			v.Numbers = append(v.Numbers, n)
		}
		return problems
	case YesNo:
		yes, problems := readYesNo(text)
		v.Bool = yes
		return problems
	}
	text, problems := q.readText(text)
	if len(problems) == 0 {
		v.Texts = append(v.Texts, text)
	}
	return problems
}

// count holds how many answers were given against fewest and most_chosen.
func (q Parameter) count(n int) diag.Problems {
	if fewest, ok := wholeLimit(q.Limits.Fewest); ok && n < fewest {
		return diag.Problems{{Code: "too_few", Message: fmt.Sprintf("%s given; at least %d needed.", diag.Counted(n, "answer was", "answers were"), fewest), Hint: "Choose more."}}
	}
	if most, ok := wholeLimit(q.Limits.MostChosen); ok && n > most {
		return diag.Problems{{Code: "too_many", Message: fmt.Sprintf("%s given; at most %d allowed.", diag.Counted(n, "answer was", "answers were"), most), Hint: "Choose fewer."}}
	}
	return nil
}

func readYesNo(text string) (bool, diag.Problems) {
	switch strings.ToLower(text) {
	case "yes", "true":
		return true, nil
	case "no", "false":
		return false, nil
	}
	p := diag.At(text, 0, len(text), "not_yes_no", fmt.Sprintf("%q is neither yes nor no.", text))
	p.Hint = "Answer yes or no."
	p.Fixes = []diag.Fix{{Label: "yes", Text: "yes"}, {Label: "no", Text: "no"}}
	return false, diag.Problems{p}
}
