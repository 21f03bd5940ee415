package period

import (
	"fmt"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// Reading is an expression as it was read, for people and programs.
type Reading struct {
	Expression   string  `json:"expression"`
	From         *string `json:"from" doc:"The start, included; null where open"`
	Until        *string `json:"until" doc:"The end, left out; null where open"`
	FromInstant  *string `json:"from_instant" doc:"When the start falls in the zone, in UTC"`
	UntilInstant *string `json:"until_instant" doc:"When the end falls in the zone, in UTC"`
	Days         *int    `json:"days" doc:"How many days are touched; null where open"`
	Canonical    string  `json:"canonical" doc:"The expression in its shortest standard form"`
	ReadBack     string  `json:"readback" doc:"The period in words"`
}

// Describe reads an expression and tells all there is to know of it.
func Describe(expression string, calendar civil.Calendar) (Reading, diag.Problems) {
	span, problems := Read(expression, calendar)
	if len(problems) > 0 {
		return Reading{}, problems
	}
	r := Reading{Expression: expression, Canonical: span.Canonical(), ReadBack: span.ReadBackIn(calendar.Language)}
	r.From, r.FromInstant = boundText(span.From, calendar)
	r.Until, r.UntilInstant = boundText(span.Until, calendar)
	if span.Closed() {
		days := span.Days()
		r.Days = &days
	}
	return r, nil
}

// boundText is a bound as text, nil where open; one at midnight is a date.
func boundText(t civil.DateTime, calendar civil.Calendar) (at, instant *string) {
	if t == civil.Start || t == civil.End {
		return nil, nil
	}
	text, moment := t.String(), civil.InstantOf(t, calendar.Zone).String()
	if t.IsMidnight() {
		text = t.Date().String()
	}
	return &text, &moment
}

// AsOf sets the context's clock to the start of a day, or to an instant, so
// that relative expressions can be repeated; blank leaves it as it is.
func AsOf(calendar civil.Calendar, text string) (civil.Calendar, diag.Problems) {
	if text == "" {
		return calendar, nil
	}
	span, problems := Read(text, calendar)
	if len(problems) == 0 && (!span.Closed() || span.Days() != 1) {
		p := diag.At(text, 0, len(text), "not_a_day", fmt.Sprintf("%q is not one day.", text))
		p.Hint = "Write a day, such as 2026-03-31, or an instant."
		problems = diag.Problems{p}
	}
	if len(problems) > 0 {
		return calendar, problems
	}
	calendar.Now = civil.InstantOf(span.From, calendar.Zone)
	return calendar, nil
}
