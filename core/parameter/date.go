package parameter

import (
	"fmt"
	"unicode/utf8"

	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// readDate reads an expression that means one day, or one minute or second.
func (q Parameter) readDate(text string, ctx Context) (period.Span, diag.Problems) {
	span, problems := period.Read(text, ctx.Calendar)
	if len(problems) > 0 {
		return span, problems
	}
	fail := func(code, message, hint string) (period.Span, diag.Problems) {
		p := diag.At(text, 0, len(text), code, message)
		p.Hint = hint
		return span, diag.Problems{p}
	}
	switch {
	case q.Kind == Date && (!span.Closed() || span.Days() != 1 || !span.WholeDays()):
		return fail("not_a_day", fmt.Sprintf("%q is not one day.", text), "Write a day, such as 2026-03-31 or yesterday.")
	case q.Kind == DateTime && (!span.Closed() || span.Until-span.From > 60):
		return fail("not_a_moment", fmt.Sprintf("%q has no time of day.", text), "Write 2026-03-31T08:30.")
	}
	if earliest, ok := limitSpan(q.Limits.Earliest, ctx); ok && span.From < earliest.From {
		return fail("before_earliest", "This is before the earliest allowed, "+dayOf(earliest.FirstDay())+".", "Give that day or a later one.")
	}
	if latest, ok := limitSpan(q.Limits.Latest, ctx); ok && span.Until > latest.Until {
		return fail("after_latest", "This is after the latest allowed, "+dayOf(latest.LastDay())+".", "Give that day or an earlier one.")
	}
	return span, nil
}

func (q Parameter) readPeriod(in Input, ctx Context) (Value, diag.Problems) {
	switch {
	case len(in.Texts) > 1:
		return Value{}, diag.Problems{{Code: "one_answer_only", Message: "One period is taken here; several were given.", Hint: "Keep one of them."}}
	case len(in.Texts) == 1 && (in.Start != nil || in.End != nil):
		return Value{}, diag.Problems{{Code: "two_answers", Message: "The period was given both as one text and as a start or end.", Hint: "Give one of the two."}}
	}
	v := Value{}
	var problems diag.Problems
	if len(in.Texts) == 1 {
		v.Typed = in.Texts[0]
		v.Span, problems = period.Read(v.Typed, ctx.Calendar)
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
		start, found = period.Read(*in.Start, ctx.Calendar)
		problems = append(problems, found.In("start")...)
		span.From = start.From
	}
	if in.End != nil {
		var found diag.Problems
		end, found = period.Read(*in.End, ctx.Calendar)
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
// the part of the span that keeps to every limit, in whole units where those
// are asked for.
func (q Parameter) limit(s period.Span, in Input, ctx Context) diag.Problems {
	ends := q.Limits.Ends
	earliest, hasEarliest := limitSpan(q.Limits.Earliest, ctx)
	latest, hasLatest := limitSpan(q.Limits.Latest, ctx)
	longest, hasLongest := limitLength(q.Limits.Longest)
	shortest, hasShortest := limitLength(q.Limits.Shortest)
	whole, hasUnit := period.WholeOf(q.Limits.Whole, ctx.Calendar)

	fix := s
	if hasUnit && fix.Closed() {
		if enclosing, ok := whole.Enclosing(fix, ctx.Calendar); ok {
			fix = enclosing
		}
	}
	if hasEarliest && !s.OpenStart() {
		fix.From = max(fix.From, earliest.From)
	}
	if hasLatest && !s.OpenEnd() {
		fix.Until = min(fix.Until, latest.Until)
	}
	if hasLongest && fix.Closed() {
		fix.Until = min(fix.Until, longest.After(fix.From))
	}
	useful := fix != s && fix.From < fix.Until && (!hasUnit || whole.Made(fix, ctx.Calendar)) &&
		(!hasShortest || !fix.Closed() || fix.Until >= shortest.After(fix.From))

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
		if useful {
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
	if hasLongest && s.Closed() && s.Until > longest.After(s.From) {
		add("end", "too_long", fmt.Sprintf("The period has %s; at most %s are allowed.", diag.Counted(s.Days(), "day", "days"), q.Limits.Longest), "Choose a shorter one.")
	}
	if hasShortest && s.Closed() && s.Until < shortest.After(s.From) {
		add("end", "too_short", fmt.Sprintf("The period has %s; at least %s are needed.", diag.Counted(s.Days(), "day", "days"), q.Limits.Shortest), "Choose a longer one.")
	}
	if hasUnit && !whole.Made(s, ctx.Calendar) {
		add("end", "not_whole", fmt.Sprintf("Only whole %s are taken here.", wholes(q.Limits.Whole)), fmt.Sprintf("Give a period of whole %s.", wholes(q.Limits.Whole)))
	}
	return problems
}

// wholes says several of what a period is made of.
func wholes(unit string) string {
	if last := unit[len(unit)-1]; last == 's' {
		return unit
	}
	return unit + "s"
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
	s, problems := period.Read(text, ctx.Calendar)
	return s, len(problems) == 0
}

func limitLength(text string) (period.Length, bool) {
	if text == "" {
		return period.Length{}, false
	}
	l, problems := period.ParseLength(text)
	return l, len(problems) == 0
}

func dayOf(d civil.Date) string { return period.OfDays(d, d).ReadBack() }
