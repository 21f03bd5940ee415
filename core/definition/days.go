package definition

import (
	"fmt"
	"slices"
	"sync"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/proof"
)

// triedDays is on how many days, from today on, what depends on the day is tried.
const triedDays = 366

// everyDay tries something that depends on the day on every day of a year, in
// the calendar that definitions are checked in; it adds the first problems, and
// says on which day they come. What it is reads the same text the same way.
func (c *compiler) everyDay(field, text, what string, read func(civil.Calendar) diag.Problems) {
	if c.library.Calendar == nil {
		return
	}
	calendar := *c.library.Calendar
	key := day{calendar.Today(), fmt.Sprint(what, text, calendar.Zone, calendar.WeekStart, calendar.FiscalStart, calendar.FiscalByStart, calendar.Order, calendar.Missing, calendar.Century, fingerprintOf(calendar))}
	tried.Lock()
	problems, ok := tried.of[key]
	tried.Unlock()
	if !ok {
		problems = onEveryDay(calendar, text, read)
		tried.Lock()
		if len(tried.of) >= mostTried {
			clear(tried.of)
		}
		tried.of[key] = problems
		tried.Unlock()
	}
	if len(problems) > 0 {
		c.add(field, text, slices.Clone(problems))
	}
}

func fingerprintOf(c civil.Calendar) uint64 {
	if c.Almanac == nil {
		return 0
	}
	return c.Almanac.Fingerprint
}

// tried is what came of trying something on every day of a year from some day on:
// that is the same as long as nobody changes it, while all around it is written.
var tried = struct {
	sync.Mutex
	of map[day]diag.Problems
}{of: map[day]diag.Problems{}}

// day is what was tried, and the day it was tried on.
type day struct {
	today civil.Date
	what  string
}

const mostTried = 10_000

// onEveryDay gives the first problems.
func onEveryDay(calendar civil.Calendar, text string, read func(civil.Calendar) diag.Problems) diag.Problems {
	if e, problems := period.Parse(text); len(problems) == 0 {
		if _, fixed := proof.Fixed(e); fixed {
			return read(calendar)
		}
	}
	today := calendar.Today()
	for n := range triedDays {
		if n > 0 {
			calendar.Now = civil.InstantOf((today + civil.Date(n)).Midnight(), calendar.Zone)
		}
		problems := read(calendar)
		if len(problems) == 0 {
			continue
		}
		if n > 0 {
			for i := range problems {
				problems[i].Message = fmt.Sprintf("On %s: %s", today+civil.Date(n), problems[i].Message)
				problems[i].Fixes = nil
			}
		}
		return problems
	}
	return nil
}

// readsEveryDay tries a period expression of a document on every day of a year.
func (c *compiler) readsEveryDay(field, text string) {
	e, problems := period.Parse(text)
	if len(problems) > 0 {
		return // told where it is parsed
	}
	c.everyDay(field, text, "reads", func(calendar civil.Calendar) diag.Problems {
		_, problems := e.Resolve(calendar)
		return problems
	})
}

// defaultsEveryDay tries the default of a question, with its limits, on every
// day of a year, and what is offered for a click.
func (c *compiler) defaultsEveryDay(field string, p parameter.Parameter) {
	p.Shown = ""
	like := ""
	if len(p.Default)+len(p.Quick) > 0 {
		like = fmt.Sprint(p.Kind, p.Limits, p.Many, p.Required, p.Choices)
	}
	for _, texts := range [][]string{p.Default, p.Quick} {
		for _, text := range texts {
			if _, problems := period.Parse(text); len(problems) > 0 {
				continue
			}
			place := field + ".default"
			if len(p.Default) == 0 || text != p.Default[0] {
				place = field + ".quick"
			}
			c.everyDay(place, text, like, func(calendar civil.Calendar) diag.Problems {
				one := p
				one.Many, one.Limits.Fewest, one.Default = p.Many, "", nil
				_, problems := one.Read(parameter.Input{Texts: []string{text}}, parameter.Context{Calendar: calendar})
				for i := range problems {
					problems[i].Field = ""
				}
				return problems
			})
		}
	}
	c.readsEveryDay(field+".limits.earliest", p.Limits.Earliest)
	c.readsEveryDay(field+".limits.latest", p.Limits.Latest)
}

// dates checks what a condition compares dates with, as far as that is known
// before anything is asked: a column that keeps whole days or months with
// something finer, a column of which it is not known how its dates are stored.
func (c *compiler) dates(text Text, e criteria.Expr) {
	fail := func(at criteria.Expr, code, message, hint string) {
		p := diag.At(text.Value, at.At().Start, at.At().End, code, message)
		p.Hint = hint
		c.place("criteria", text, diag.Problems{p})
	}
	criteria.Walk(e, func(e criteria.Expr) {
		if column, ok := e.(*criteria.Column); ok && column.Ref.Column.Type.IsDate() && column.Ref.Column.Encoding == "" {
			fail(e, "no_encoding", "How the dates in "+column.Name+" are stored is not known.", "Set it with pikegate source set-encoding.")
		}
		if !criteria.IsComparison(e) {
			return
		}
		for side := range criteria.Children(e) {
			column, bare := side.(*criteria.Column)
			if !bare {
				continue
			}
			for other := range criteria.Children(e) {
				if what := c.finer(column.Ref.Column, other); what != "" {
					fail(other, "finer_than_column", fmt.Sprintf("%s holds %s, but this is %s.", column.Name, unitOf(column.Ref.Column), what), "Compare it with "+unitOf(column.Ref.Column)+".")
				}
			}
		}
	})
}

// written are the problems of the dates that are written in an expression: one that has two
// readings, or names a period that the calendar does not have.
func (c *compiler) written(text string, e criteria.Expr) (problems diag.Problems) {
	if c.library.Calendar == nil {
		return nil
	}
	criteria.Walk(e, func(e criteria.Expr) {
		if literal, ok := e.(*criteria.Text); ok && literal.Period != nil {
			if _, found := literal.Period.Resolve(*c.library.Calendar); len(found) > 0 {
				p := diag.At(text, e.At().Start, e.At().End, found[0].Code, found[0].Message)
				p.Hint = found[0].Hint
				problems = append(problems, p)
			}
		}
	})
	return problems
}

// unitOf says what a column that keeps whole units holds.
func unitOf(c *catalog.Column) string {
	if c.Encoding == catalog.EncYM {
		return "whole months"
	}
	return "whole days"
}

// finer says in what way an operand is finer than what a column holds, whatever
// the answers; empty where it may not be.
func (c *compiler) finer(column *catalog.Column, e criteria.Expr) string {
	months := column.Encoding == catalog.EncYM
	if column.Type != catalog.Date {
		return ""
	}
	switch e := e.(type) {
	case *criteria.Text:
		if e.Period == nil {
			return ""
		}
		span, problems := e.Period.Resolve(civil.Calendar{Zone: time.UTC, Now: 1_767_225_600, WeekStart: time.Monday, Order: civil.OrderDMY})
		whole := func(t civil.DateTime) bool {
			if t == civil.Start || t == civil.End {
				return true
			}
			_, _, day := t.Date().YMD()
			return t.IsMidnight() && (!months || day == 1)
		}
		if _, fixed := proof.Fixed(*e.Period); len(problems) == 0 && (!whole(span.From) || !whole(span.Until)) && (fixed || !months) {
			return "finer"
		}
	case *criteria.Parameter:
		switch {
		case e.Question.Type == catalog.DateTime:
			return "a time of day"
		case e.Question.Type == catalog.Date && months:
			return "a day"
		}
	}
	return ""
}
