package definition

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/sqltext"
)

// Placed is a condition in braces in hand-written SQL, and what its positions count
// in.
type Placed struct {
	Expr criteria.Expr
	Text string
	// Part tells that it chooses records for a value only: case when { … }.
	Part bool
}

// placed reads the conditions in the braces of hand-written SQL.
func (c *compiler) placed() {
	for _, p := range c.out.SQL {
		if p.Kind != sqltext.Condition {
			continue
		}
		inner := Text{Value: p.Text, Line: 1}
		var made criteria.Expr
		c.within(p, func() {
			before := len(c.problems)
			made = c.expression("sql", inner, true)
			c.ofRecords("sql", inner, made)
			if sound := len(c.problems) == before; sound && c.source != nil {
				c.dates(inner, made)
				c.proveOf("sql", inner, made)
			}
		})
		c.out.Placed = append(c.out.Placed, Placed{made, p.Text, p.Before == "when" || p.Before == "filter" || p.Call == "if" || p.Call == "iif"})
		for _, name := range criteria.Parameters(made) {
			c.used = append(c.used, strings.ToLower(name))
		}
		c.beside(p, made)
	}
}

// within has problems of the text in braces told where they stand in the SQL.
func (c *compiler) within(p sqltext.Piece, do func()) {
	before := len(c.problems)
	do()
	found := slices.Clone(c.problems[before:])
	c.problems = c.problems[:before]
	shift := utf8.RuneCountInString(c.query.SQL.Value[:p.Start]) + 1
	for i := range found {
		found[i].Offset += shift
	}
	c.place("sql", c.query.SQL, found)
}

// beside looks at the words around braces: what they do to a condition is not seen
// where it is translated.
func (c *compiler) beside(p sqltext.Piece, e criteria.Expr) {
	told := func(severity diag.Severity, code, message, hint string) {
		problem := diag.At(c.query.SQL.Value, p.Start, p.End, code, message)
		problem.Severity, problem.Hint = severity, hint
		c.place("sql", c.query.SQL, diag.Problems{problem})
	}
	if p.Before == "not" {
		told("", "not_outside", "not stands before the braces: blanks, dates that are none and questions left blank would be turned round as well.", "Write not inside: { not ("+strings.TrimSpace(p.Text)+") }.")
	}
	optional := slices.ContainsFunc(criteria.Parameters(e), func(name string) bool { return c.canBeBlank(name) })
	if optional && (p.Before == "or" || p.After == "or") {
		told(diag.Warning, "optional_in_or", "Left blank, the question takes its condition away, and the whole or lets every record in.", "Write both sides of or inside the braces.")
	}
}

func (c *compiler) ask(name string) (parameter.Parameter, bool) {
	at := slices.IndexFunc(c.out.Questions, func(q parameter.Parameter) bool { return q.Name == name })
	if at < 0 {
		return parameter.Parameter{}, false
	}
	return c.out.Questions[at], true
}

// canBeBlank tells whether a question can be left without any answer.
func (c *compiler) canBeBlank(name string) bool {
	q, ok := c.ask(name)
	return ok && !q.Required && len(q.Default) == 0 && q.Derive == ""
}

// answersInSQL checks the answers that hand-written SQL uses directly.
func (c *compiler) answersInSQL() {
	for _, p := range c.out.SQL {
		if p.Kind != sqltext.Value {
			continue
		}
		c.used = append(c.used, p.Text)
		told := func(severity diag.Severity, code, message, hint string) {
			problem := diag.At(c.query.SQL.Value, p.Start, p.End, code, message)
			problem.Severity, problem.Hint = severity, hint
			c.place("sql", c.query.SQL, diag.Problems{problem})
		}
		q, ok := c.ask(p.Text)
		if !ok {
			told("", "undeclared_parameter", "No question is called "+p.Text+".", diag.DidYouMean(p.Text, c.questionNames()))
			continue
		}
		form, isForm := FormOf(p)
		switch {
		case q.Kind == parameter.Period && p.Part == "":
			told("", "needs_part", "A period is two values in SQL.", fmt.Sprintf("Write { passed_at within :%[1]s }, or :%[1]s.from (first day), .through (last day) or .until (first day out).", p.Text))
		case q.Kind != parameter.Period && p.Part != "":
			told("", "unknown_part", ":"+p.Text+" is no period and has no ."+p.Part+".", "")
		case q.Kind.IsDated() && !isForm:
			told("", "needs_form", "How the column beside :"+p.Text+" stores its dates is not known here.", fmt.Sprintf("Write the condition in braces, { passed_at within :%s }, or say the form: :%s as %s.", p.Text, whole(p), strings.Join(forms(), ", as ")))
		case q.Kind == parameter.Period && q.Limits.Ends != "" && q.Limits.Ends != parameter.EndsClosed:
			told("", "open_end", "An end of :"+p.Text+" can be open, and there is no value for that.", fmt.Sprintf("Write the condition in braces, { passed_at within :%s }, or have its limits say ends: closed.", p.Text))
		case c.canBeBlank(p.Text) && !isShown(p) && !c.blankIsSeenTo(p.Text):
			told("", "blank_in_sql", "Left blank, :"+p.Text+" is null here, and nothing equals null.", fmt.Sprintf("Write the condition in braces, { … :%[1]s }, make the question required, or say what null does: :%[1]s is null or ….", p.Text))
		case p.Part == "through" && form.Type() == catalog.DateTime:
			told("", "through_is_a_day", "The last day is no moment, and "+string(form)+" is one.", fmt.Sprintf("Write < :%s.until as %s.", p.Text, form))
		case p.Part == "through" && p.Before == "<", p.Part == "until" && p.Before == "<=":
			told(diag.Warning, "strict_end", map[string]string{"through": "The last day is left out.", "until": "The first day out is let in."}[p.Part], "Write <= :period.through for days, or < :period.until.")
		case p.Part == "from" && p.Before == ">":
			told(diag.Warning, "strict_start", "The start itself is left out.", "Write >= :period.from.")
		}
	}
}

func whole(p sqltext.Piece) string {
	if p.Part != "" {
		return p.Text + "." + p.Part
	}
	return p.Text
}

// forms are how dates can be written in SQL by hand.
func forms() []string {
	names := make([]string, len(catalog.Encodings))
	for i, e := range catalog.Encodings {
		names[i] = string(e)
	}
	return names
}

// FormOf is the form that a value says it takes: the encoding of a column.
func FormOf(p sqltext.Piece) (catalog.Encoding, bool) {
	form := catalog.Encoding(p.As)
	return form, slices.Contains(catalog.Encodings, form)
}

// isShown tells whether a value stands in the result by itself, where a blank is one.
func isShown(p sqltext.Piece) bool {
	return p.AsText != "" && p.Call == "" || p.Before == "select" || p.Before == "then" || p.Before == "else"
}

// blankIsSeenTo tells whether the SQL says what a question is that was left blank: it
// is asked for null, or has a value to take its place.
func (c *compiler) blankIsSeenTo(name string) bool {
	return slices.ContainsFunc(c.out.SQL, func(p sqltext.Piece) bool {
		after := c.query.SQL.Value[p.End:min(len(c.query.SQL.Value), p.End+100)]
		return p.Kind == sqltext.Value && p.Text == name && (p.Call == "coalesce" || p.Call == "ifnull" || askedForNull.MatchString(after))
	})
}

// askedForNull is what follows a value that is asked for null, perhaps after a cast.
var askedForNull = regexp.MustCompile(`^(\s*::\s*\w+(\s*\([\d, ]*\))?)?\s*\)?\s+(?i:is)\s`)

// bounds collects which questions begin and end stretches of time in hand-written
// SQL, by the operators beside them.
func (c *compiler) bounds(start, end func(of string, p *criteria.Parameter)) {
	between := false
	for _, p := range c.out.SQL {
		if p.Kind == sqltext.Text {
			continue
		}
		q, ok := c.ask(p.Text)
		if p.Kind != sqltext.Value || !ok || q.Many || q.Kind != parameter.Date && q.Kind != parameter.DateTime {
			between = false
			continue
		}
		asked := &criteria.Parameter{Name: q.Name, Question: q.Question()}
		op := p.Before
		if op != "between" && criteria.Flip(op) == "" && !(between && op == "and") { // :start <= day
			op = criteria.Flip(p.After)
		}
		switch {
		case op == "between":
			start("", asked)
			between = true
			continue
		case op == ">=" || op == ">":
			start("", asked)
		case op == "<=" || op == "<" || between && op == "and":
			end("", asked)
		}
		between = false
	}
}
