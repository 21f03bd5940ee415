package proof

import (
	"fmt"
	"slices"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// Check tells everything that can be proved of resolved criteria before any
// answer is known, and habits that go wrong. Text is what their places count in.
func Check(text string, e criteria.Expr, open Questions) diag.Problems {
	c := checker{text: text, open: open}
	simple, findings := Open(e, open)
	for _, f := range findings {
		c.finding(f)
	}
	c.strict(e)
	c.wrapped(simple)
	c.optional(e, false)
	c.blanks(e, nil)
	return slices.CompactFunc(c.problems, func(a, b diag.Problem) bool { // the two sides of a between are told once
		return a.Code == b.Code && a.Offset == b.Offset && a.Length == b.Length && a.Message == b.Message
	})
}

// CheckValues is Check for criteria that have every answer.
func CheckValues(text string, simple criteria.Expr) diag.Problems {
	c := checker{text: text}
	for _, f := range Analyse(simple, Questions{}) {
		c.finding(f)
	}
	return c.problems
}

// settle reads the periods that are written out, as far as that can be done now.
func settle(e criteria.Expr) criteria.Expr {
	written := func(e criteria.Expr) bool {
		text, ok := e.(*criteria.Text)
		return ok && text.Period != nil
	}
	return criteria.Replace(e, written, func(e criteria.Expr) criteria.Expr {
		if span, ok := Fixed(*e.(*criteria.Text).Period); ok {
			return &criteria.Span{Pos: e.At(), Span: span}
		}
		return e
	})
}

// Fixed reads a period if it means the same on every day, and in every zone
// and calendar.
func Fixed(e period.Expr) (period.Span, bool) {
	one := civil.Calendar{Zone: civil.UTC, WeekStart: time.Monday, FiscalStart: 4}
	two := civil.Calendar{
		Zone: time.FixedZone("", 11*60*60), Now: 40 * 366 * 24 * 60 * 60,
		WeekStart: time.Sunday, FiscalStart: 10, FiscalByStart: true, Order: civil.OrderMDY,
	}
	three := one
	three.Order = civil.OrderDMY
	span, problems := e.Resolve(one)
	for _, calendar := range []civil.Calendar{two, three} {
		other, found := e.Resolve(calendar)
		if problems = append(problems, found...); other != span {
			return period.Span{}, false
		}
	}
	return span, len(problems) == 0
}

// Open gives the condition as it can be looked at before anything is answered,
// and the facts about it. If it is about weeks, it is looked at with every
// first day they may have, and what holds with all of them is kept.
func Open(e criteria.Expr, open Questions) (simple criteria.Expr, kept []Finding) {
	settled := settle(e)
	simple = criteria.Simplify(settled, civil.Calendar{Zone: civil.UTC, WeekStart: time.Monday})
	weeks := false
	criteria.Walk(settled, func(e criteria.Expr) {
		switch e := e.(type) {
		case *criteria.UnitOf:
			weeks = weeks || e.Unit == "week"
		case *criteria.Call:
			weeks = weeks || e.Name == "start_of"
		}
	})
	kept = Analyse(simple, open)
	for day := time.Tuesday; weeks && day != time.Monday; day = (day + 1) % 7 {
		found := Analyse(criteria.Simplify(settled, civil.Calendar{Zone: civil.UTC, WeekStart: day}), open)
		kept = slices.DeleteFunc(kept, func(f Finding) bool {
			return !slices.ContainsFunc(found, func(g Finding) bool { return g.Kind == f.Kind && g.At.At() == f.At.At() })
		})
	}
	return simple, kept
}

type checker struct {
	text     string
	open     Questions
	problems diag.Problems
}

func (c *checker) quote(e criteria.Expr) string { return c.text[e.At().Start:e.At().End] }

func (c *checker) add(e criteria.Expr, code, message, hint string) {
	p := diag.At(c.text, e.At().Start, e.At().End, code, message)
	p.Severity, p.Hint = diag.Warning, hint
	c.problems = append(c.problems, p)
}

// last is what was added last.
func (c *checker) last() *diag.Problem { return &c.problems[len(c.problems)-1] }

// finding says a proved fact.
func (c *checker) finding(f Finding) {
	message, hint := f.say(c.quote)
	c.add(f.At, string(f.Kind), message, hint)
	p := c.last()
	if f.Kind == Never && f.Whole {
		p.Severity = diag.Error
	}
	if f.With != nil {
		with := diag.At(c.text, f.With.At().Start, f.With.At().End, "", "")
		p.Other = &diag.Place{Offset: with.Offset, Length: with.Length}
	}
}

// Say tells a finding in a sentence and a way out; quote gives the text or the
// words of a part.
func (f Finding) say(quote func(criteria.Expr) string) (message, hint string) {
	part := quote(f.At)
	switch {
	case f.Kind == Never && f.With != nil:
		return fmt.Sprintf("No record can match: %s and %s exclude each other.", quote(f.With), part), "Change one of the two, or join them with or."
	case f.Kind == Never && f.Whole:
		return fmt.Sprintf("No record can match: %s is never true.", part), "Change it, or remove it."
	case f.Kind == Never:
		return fmt.Sprintf("%s is never true, so it adds nothing.", part), "Change it, or remove it."
	case f.Kind == Always:
		return fmt.Sprintf("%s is always true, apart from blanks, so it restricts nothing.", part), "Perhaps and was meant instead of or. To leave out blanks only, write is not blank."
	case f.With != nil:
		return fmt.Sprintf("%s adds nothing: %s already implies it.", part, quote(f.With)), "Remove it, or change what it was meant to say."
	}
	return part + " adds nothing: the rest already implies it.", "Remove it, or change what it was meant to say."
}

// Reason says in words why no record can match.
func (f Finding) Reason(words func(criteria.Expr) string) string {
	f.Whole = true
	message, _ := f.say(words)
	return message
}

// strict points at comparisons that leave out the day of a start or an end.
func (c *checker) strict(e criteria.Expr) {
	type bound struct {
		at        *criteria.Compare
		operand   criteria.Expr
		inclusive bool
	}
	lows, highs := map[string][]bound{}, map[string][]bound{}
	var columns []string
	criteria.WalkOwn(e, func(e criteria.Expr) {
		cmp, ok := e.(*criteria.Compare)
		if !ok {
			return
		}
		left, right, op := cmp.Left, cmp.Right, cmp.Op
		if criteria.FirstColumn(left) == nil {
			left, right, op = right, left, criteria.Flip(op)
		}
		if !criteria.TypeOf(left).IsDate() || criteria.FirstColumn(right) != nil {
			return
		}
		key := criteria.Print(left)
		columns = append(columns, key)
		switch op {
		case ">", ">=":
			lows[key] = append(lows[key], bound{cmp, right, op == ">="})
		case "<", "<=":
			highs[key] = append(highs[key], bound{cmp, right, op == "<="})
		}
	})
	slices.Sort(columns)
	for _, column := range slices.Compact(columns) {
		for _, low := range lows[column] {
			if p, ok := low.operand.(*criteria.Parameter); !low.inclusive && (ok && p.Part == "from" || isDay(low.operand) && len(highs[column]) > 0) {
				c.strictly(low.at, low.operand, ">", ">=", "The start itself is left out")
			}
		}
		for _, high := range highs[column] {
			p, ok := high.operand.(*criteria.Parameter)
			if !high.inclusive && ok && (p.Part == "through" || p.Question.Type.IsDate() && len(lows[column]) > 0) {
				c.strictly(high.at, high.operand, "<", "<=", "The last day itself is left out")
			}
		}
	}
}

// isDay tells whether an operand is a day that was asked for or written out.
func isDay(e criteria.Expr) bool {
	switch e := e.(type) {
	case *criteria.Parameter:
		return e.Question.Type.IsDate()
	case *criteria.Text:
		return e.Period != nil
	}
	return false
}

func (c *checker) strictly(at *criteria.Compare, operand criteria.Expr, op, better, what string) {
	changed := *at
	changed.Op = better
	if criteria.FirstColumn(at.Left) == nil {
		changed.Op = criteria.Flip(better)
	}
	code := "strict_start"
	if op == "<" {
		code = "strict_end"
	}
	c.add(at, code, fmt.Sprintf("%s: with %s, %s does not count.", what, op, c.quote(operand)), "Write "+criteria.Print(&changed)+" to have it in.")
}

// wrapped points at functions of a column that keep an index from being used.
func (c *checker) wrapped(simple criteria.Expr) {
	criteria.Walk(simple, func(e criteria.Expr) {
		if !criteria.IsComparison(e) {
			return
		}
		for side := range criteria.Children(e) {
			if column, bare := side.(*criteria.Column); bare {
				if of := column.Ref.Column; !of.Encoding.IsLayout() || of.Compares() || of.Known { // files have no index anyway
					continue
				}
				c.add(e, "no_index", fmt.Sprintf("No index on %s can be used here: texts as %s do not sort by time.", criteria.Print(column), column.Ref.Column.Encoding),
					"Restrict the records by another condition as well, or ask the database's owner for a column with the day as date; explain --plan says how.")
				return
			}
			columns := criteria.Columns(side)
			if len(columns) != 1 || len(criteria.Columns(e)) != 1 || criteria.BecomesBare(e, side) || criteria.HasAggregate(side) { // no index leads to groups
				continue
			}
			c.add(e, "no_index", fmt.Sprintf("No index on %s can be used here: it stands inside %s.", criteria.Print(columns[0]), c.inside(side)),
				"Compare the column itself where that is possible, or restrict the records by another condition as well.")
			return
		}
	})
}

func (c *checker) inside(side criteria.Expr) string {
	switch e := side.(type) {
	case *criteria.Call:
		return e.Name + "()"
	case *criteria.UnitOf:
		return e.Unit + " of"
	}
	return "a calculation"
}

// optional points at a question that, left blank, takes a branch of an "or"
// away: fewer records match, where more were meant.
func (c *checker) optional(e criteria.Expr, inOr bool) {
	switch e := e.(type) {
	case *criteria.Logic:
		for _, t := range e.Terms {
			c.optional(t, e.Or)
		}
		return
	case *criteria.Not:
		c.optional(e.X, inOr)
		return
	}
	if !inOr || c.open.Of == nil {
		return
	}
	for _, name := range criteria.Parameters(e) {
		if c.open.Of(name).Optional {
			c.add(e, "optional_in_or", fmt.Sprintf("Where :%s is left blank, this branch of the or goes, and fewer records match instead of more.", name),
				"Make the question required, or ask it in a condition of its own.")
		}
	}
}

// blanks points at a negation that leaves out blanks; cared are the columns
// whose blanks the author has thought of.
func (c *checker) blanks(e criteria.Expr, cared []string) {
	negative := false
	switch e := e.(type) {
	case *criteria.Logic:
		for _, t := range e.Terms {
			if b, ok := t.(*criteria.IsBlank); ok {
				cared = append(slices.Clone(cared), criteria.Print(b.X))
			}
		}
		for _, t := range e.Terms {
			c.blanks(t, cared)
		}
		return
	case *criteria.Not:
		_, aboutBlanks := e.X.(*criteria.IsBlank)
		negative = !aboutBlanks
	case *criteria.Compare:
		negative = e.Op == "<>"
	case *criteria.In:
		negative = e.Not
	case *criteria.Within:
		negative = e.Not
	case *criteria.Between:
		negative = e.Not
	case *criteria.Match:
		negative = e.Not
	}
	if !negative {
		return
	}
	for _, column := range criteria.Columns(e) {
		name := criteria.Print(column)
		if column.Ref.Nullable && column.Ref.Column.Type != catalog.Other && !slices.Contains(cared, name) {
			c.add(e, "blanks_left_out", fmt.Sprintf("Records that are blank in %s do not match either.", name),
				fmt.Sprintf("Write (%s or %s is blank) if they should.", c.quote(e), name))
			return
		}
	}
}
