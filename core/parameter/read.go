package parameter

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// Read turns inputs into typed values, or into every problem at once. Each
// problem names its question as its field; the start and end of a period
// asked in two parts are NAME.start and NAME.end.
func Read(questions []Parameter, inputs map[string]Input, ctx Context) (Values, diag.Problems) {
	values := Values{}
	var problems diag.Problems
	names := make([]string, len(questions))
	for i, q := range questions {
		names[i] = q.Name
		value, found := q.Read(inputs[q.Name], ctx)
		values[q.Name] = value
		for _, p := range found {
			p.Field = strings.TrimSuffix(q.Name+"."+p.Field, ".")
			problems = append(problems, p)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(inputs)) {
		if !slices.Contains(names, name) {
			hint := diag.DidYouMean(name, names)
			if hint == "" {
				hint = "It asks: " + strings.Join(names, ", ") + "."
			}
			problems = append(problems, diag.Problem{
				Code: "unknown_question", Field: name,
				Message: "Nothing asks for " + name + ".", Hint: hint,
			})
		}
	}
	return values, problems
}

// Read reads the answer to one question. The field of a problem is "start" or
// "end" where that part is meant, else empty.
func (q Parameter) Read(in Input, ctx Context) (Value, diag.Problems) {
	in = in.trimmed()
	isDefault := false
	if in.blank() && len(q.Default) > 0 {
		in, isDefault = Input{Texts: q.Default}, true
	}
	if in.blank() {
		if q.Required {
			return Value{}, diag.Problems{{Code: "missing", Message: "An answer is needed.", Hint: q.missingHint()}}
		}
		return Value{}, nil
	}
	var v Value
	var problems diag.Problems
	switch q.Kind {
	case Period:
		v, problems = q.readPeriod(in, ctx)
	default:
		v, problems = q.readText(in)
	}
	v.Given, v.Default = len(problems) == 0, isDefault
	return v, problems
}

func (q Parameter) missingHint() string {
	if q.Kind == Period {
		return "Give a start and an end date, or words like last month."
	}
	return ""
}

// trimmed takes blanks off both ends and blank answers away.
func (in Input) trimmed() Input {
	var out Input
	for _, t := range in.Texts {
		if t = strings.TrimSpace(t); t != "" {
			out.Texts = append(out.Texts, t)
		}
	}
	trim := func(s *string) *string {
		if s == nil || strings.TrimSpace(*s) == "" {
			return nil
		}
		t := strings.TrimSpace(*s)
		return &t
	}
	out.Start, out.End = trim(in.Start), trim(in.End)
	return out
}

func (in Input) blank() bool { return len(in.Texts) == 0 && in.Start == nil && in.End == nil }

func (q Parameter) readText(in Input) (Value, diag.Problems) {
	v := Value{Typed: strings.Join(in.Texts, ", ")}
	var problems diag.Problems
	if in.Start != nil || in.End != nil {
		return v, diag.Problems{{Code: "not_a_period", Message: "This is not a period and takes no start or end."}}
	}
	if len(in.Texts) > 1 && !q.Many {
		return v, diag.Problems{{Code: "one_answer_only", Message: fmt.Sprintf("One answer is taken here; %d were given.", len(in.Texts))}}
	}
	longest, err := strconv.Atoi(q.Limits.Longest)
	for _, t := range in.Texts {
		if n := utf8.RuneCountInString(t); err == nil && n > longest {
			p := diag.At(t, 0, len(t), "too_long", fmt.Sprintf("%q has %d characters; at most %d are allowed.", t, n, longest))
			problems = append(problems, p)
			continue
		}
		if len(q.Choices.Listed) > 0 {
			offered := make([]string, len(q.Choices.Listed))
			for i, c := range q.Choices.Listed {
				offered[i] = c.Value
			}
			if !slices.Contains(offered, t) {
				problems = append(problems, NotOffered(t, offered))
				continue
			}
		}
		if !slices.Contains(v.Texts, t) {
			v.Texts = append(v.Texts, t)
		}
	}
	return v, problems
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

func (q Parameter) readPeriod(in Input, ctx Context) (Value, diag.Problems) {
	switch {
	case len(in.Texts) > 1:
		return Value{}, diag.Problems{{Code: "one_answer_only", Message: "One period is taken here; several were given."}}
	case len(in.Texts) == 1 && (in.Start != nil || in.End != nil):
		return Value{}, diag.Problems{{Code: "two_answers", Message: "The period was given both as one text and as a start or end.", Hint: "Give one of the two."}}
	}
	v := Value{}
	var problems diag.Problems
	if len(in.Texts) == 1 {
		v.Typed = in.Texts[0]
		v.Span, problems = period.Read(v.Typed, ctx)
	} else {
		v.Typed, v.Span, problems = q.readEnds(in, ctx)
	}
	if len(problems) > 0 {
		return v, problems
	}
	return v, q.limit(v.Span, in, ctx)
}

// readEnds reads a start and an end typed apart: from the start of the one to
// the end of the other.
func (q Parameter) readEnds(in Input, ctx Context) (typed string, span period.Span, problems diag.Problems) {
	span = period.All
	text := func(s *string) string {
		if s == nil {
			return ".."
		}
		return *s
	}
	typed = text(in.Start) + "/" + text(in.End)
	var start, end period.Span
	if in.Start != nil {
		var found diag.Problems
		start, found = period.Read(*in.Start, ctx)
		problems = append(problems, found.In("start")...)
		span.From = start.From
	}
	if in.End != nil {
		var found diag.Problems
		end, found = period.Read(*in.End, ctx)
		problems = append(problems, found.In("end")...)
		span.Until = end.Until
	}
	if len(problems) == 0 && in.Start != nil && in.End != nil && span.Until <= span.From {
		p := diag.At(*in.End, 0, len(*in.End), "end_before_start",
			fmt.Sprintf("The end, %s, is before the start, %s.", end.ReadBack(), start.ReadBack()))
		p.Field = "end"
		swapped := *in.End + "/" + *in.Start
		p.Hint = "Swap them: " + swapped + "."
		p.Fixes = []diag.Fix{{Label: "Swap the dates", Text: swapped, Field: q.Name}}
		problems = append(problems, p)
	}
	return typed, span, problems
}

// limit tells every limit the span breaks. The way out, the same for all, is
// the part of the span that keeps to every limit.
func (q Parameter) limit(s period.Span, in Input, ctx Context) diag.Problems {
	ends := q.Limits.Ends
	earliest, hasEarliest := limitSpan(q.Limits.Earliest, ctx)
	latest, hasLatest := limitSpan(q.Limits.Latest, ctx)
	length, found := period.ParseLength(q.Limits.Longest)
	hasLength := q.Limits.Longest != "" && len(found) == 0

	fix := s
	if hasEarliest && !s.OpenStart() {
		fix.From = max(fix.From, earliest.From)
	}
	if hasLatest && !s.OpenEnd() {
		fix.Until = min(fix.Until, latest.Until)
	}
	if hasLength && fix.Closed() {
		fix.Until = min(fix.Until, length.After(fix.From))
	}

	var problems diag.Problems
	add := func(side, code, message, hint string) {
		p := diag.Problem{Code: code, Message: message, Hint: hint}
		typed := ""
		switch {
		case len(in.Texts) == 1:
			typed = in.Texts[0]
		case side == "start":
			p.Field, typed = side, orEmpty(in.Start)
		default:
			p.Field, typed = side, orEmpty(in.End)
		}
		p.Length = utf8.RuneCountInString(typed)
		if fix != s && fix.From < fix.Until {
			p.Fixes = []diag.Fix{{Label: "Use " + fix.ReadBack(), Text: fix.Canonical(), Field: q.Name}}
		}
		problems = append(problems, p)
	}
	if s.OpenStart() && ends != EndsOpen && ends != EndsOpenStart {
		add("start", "start_missing", "A start date is needed.", "An open start is not allowed here.")
	}
	if s.OpenEnd() && ends != EndsOpen && ends != EndsOpenEnd {
		add("end", "end_missing", "An end date is needed.", "An open end is not allowed here; write today for until now.")
	}
	if hasEarliest && !s.OpenStart() && s.From < earliest.From {
		add("start", "before_earliest", fmt.Sprintf("The start is before the earliest allowed, %s.", dayOf(earliest.FirstDay())), "Start on or after that day.")
	}
	if hasLatest && !s.OpenEnd() && s.Until > latest.Until {
		add("end", "after_latest", fmt.Sprintf("The end is after the latest allowed, %s.", dayOf(latest.LastDay())), "End on or before that day.")
	}
	if hasLength && s.Closed() && s.Until > length.After(s.From) {
		add("end", "too_long", fmt.Sprintf("The period has %d days; at most %s are allowed.", s.Days(), q.Limits.Longest), "Choose a shorter one.")
	}
	return problems
}

func orEmpty(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

func limitSpan(text string, ctx Context) (period.Span, bool) {
	if text == "" {
		return period.Span{}, false
	}
	s, problems := period.Read(text, ctx)
	return s, len(problems) == 0
}

func dayOf(d civil.Date) string { return period.OfDays(d, d).ReadBack() }
