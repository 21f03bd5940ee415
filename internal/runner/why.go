package runner

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/plan"
	"pikegate/internal/output"
	"pikegate/internal/wire"
)

// reasoning is the answer while it is found out.
type reasoning struct{ wire.Why }

// combination is records that are on the same side of every condition.
type combination struct {
	sides  []int64
	count  int64
	ranges []any // the least and the greatest date for each date condition
}

func (c combination) meets(i int) bool { return c.sides[i] == plan.Meets }

// meetsAllBut tells whether it meets every condition except some.
func (c combination) meetsAllBut(i int) bool {
	for j := range c.sides {
		if j != i && !c.meets(j) {
			return false
		}
	}
	return true
}

// FindWhy asks the database at most twice, however many conditions there are:
// once for how many records are on which sides of the conditions, and once for
// how many there are at all.
func FindWhy(ctx context.Context, job Job, p Prepared) (wire.Why, error) {
	switch {
	case job.Compiled.SQL != nil:
		return whyByHand(ctx, job, p)
	case job.Compiled.Parts != nil:
		return whyOfParts(ctx, job, p)
	}
	reasons := job.planner().Why(p.Values)
	why := &reasoning{wire.Why{ReadBack: p.ReadBack, Reason: p.Impossible, Table: reasons.Records.From.Name, Conditions: []wire.WhyCondition{}}}
	for _, c := range reasons.Conditions {
		why.Conditions = append(why.Conditions, wire.WhyCondition{Words: c.Words, Text: c.Text})
	}
	n := len(reasons.Conditions)
	together := make([]bool, n*n) // whether some record meets both
	nearest := make([]found, n)
	dialect := job.Source.Dialect()
	err := job.Source.Stream(ctx, dialect.Write(reasons.Sides), func(row []any) error {
		c := combination{sides: make([]int64, n), ranges: row[n+1:]}
		for i := range n {
			c.sides[i], _ = row[i].(int64)
		}
		c.count, _ = row[n].(int64)
		why.take(c, together)
		at := 0
		for i, bounds := range reasons.Dates {
			if bounds == nil {
				continue
			}
			if c.meetsAllBut(i) {
				nearest[i].take(c.sides[i], c.ranges[at], c.ranges[at+1])
			}
			at += 2
		}
		return nil
	})
	if err != nil {
		return why.Why, err
	}
	why.Records = why.Joined
	if len(reasons.Sides.Joins) > 0 {
		err = job.Source.Stream(ctx, dialect.Write(reasons.Records), func(row []any) error {
			why.Records, _ = row[0].(int64)
			return nil
		})
	}
	why.clash(together, n)
	for i, bounds := range reasons.Dates {
		if why.Matches == 0 && bounds != nil && (nearest[i].before != nil || nearest[i].after != nil) {
			why.near(job, p, criteria.Conditions(job.Compiled.Criteria)[reasons.Places[i]], i, bounds.Kept(), nearest[i])
		}
	}
	why.advise(reasons.Having)
	return why.Why, err
}

// whyOfParts tells it of each of the queries of a union.
func whyOfParts(ctx context.Context, job Job, p Prepared) (wire.Why, error) {
	all := reasoning{wire.Why{ReadBack: p.ReadBack, Reason: p.Impossible, Conditions: []wire.WhyCondition{}}}
	var tables, advice []string
	for i, part := range p.Selection.Union {
		own, one := job, p
		own.Compiled, one.Impossible = job.Compiled.Parts[i], part.Impossible()
		why, err := FindWhy(ctx, own, one)
		if err != nil {
			return all.Why, err
		}
		if !slices.Contains(tables, why.Table) {
			tables = append(tables, why.Table)
		}
		all.Records, all.Joined, all.Matches = all.Records+why.Records, all.Joined+why.Joined, all.Matches+why.Matches
		for _, near := range why.Nearest {
			near.Condition += len(all.Conditions)
			all.Nearest = append(all.Nearest, near)
		}
		for _, c := range why.Conditions {
			c.Words = part.Title + ": " + c.Words
			all.Conditions = append(all.Conditions, c)
		}
		for _, way := range why.WaysOut {
			if !slices.ContainsFunc(all.WaysOut, func(w wire.WayOut) bool { return w.Words == way.Words }) {
				all.WaysOut = append(all.WaysOut, way)
			}
		}
		for _, said := range why.Advice {
			advice = append(advice, part.Title+": "+said)
		}
	}
	all.Table = strings.Join(tables, ", ")
	if all.Matches > 0 || p.Impossible != "" {
		all.advise(nil)
	} else {
		all.Advice = advice
	}
	return all.Why, nil
}

// bySQL is what stands for the table where the records are those of hand-written SQL.
const bySQL = "the SQL"

// whyByHand counts what hand-written SQL returns with some of its conditions, all in one
// statement, and looks for the nearest dates in another.
func whyByHand(ctx context.Context, job Job, p Prepared) (wire.Why, error) {
	reasons := job.planner().WhyByHand(p.Values)
	why := &reasoning{wire.Why{ReadBack: p.ReadBack, Reason: p.Impossible, Table: bySQL, Conditions: []wire.WhyCondition{}}}
	q := job.Source.Dialect().WriteTogether(slices.Concat([]plan.Statement{reasons.All}, reasons.Alone, reasons.Left))
	var numbers []any
	err := job.Source.Stream(ctx, q, func(row []any) error { numbers = slices.Clone(row); return nil })
	if err != nil {
		return why.Why, err
	}
	count := func(at int) int64 { n, _ := numbers[at].(int64); return n }
	why.Records, why.Joined, why.Matches = count(0), count(0), count(0)
	for i, c := range reasons.Conditions {
		why.Conditions = append(why.Conditions, wire.WhyCondition{Words: c.Words, Text: c.Text, Alone: count(1 + i), Left: count(1 + len(reasons.Alone) + i)})
		why.Matches = why.Conditions[i].Left
	}
	if at := reasons.Dated; at >= 0 && why.Matches == 0 {
		var f found
		near, err := nearestTo(ctx, job, reasons.Edges)
		if err != nil {
			return why.Why, err
		}
		f.before, f.after = near.before, near.after
		if f.before != nil || f.after != nil {
			why.near(job, p, reasons.Written[at], at, reasons.Edges.Column.Ref.Column, f)
		}
	}
	why.advise(nil)
	return why.Why, nil
}

// take counts a combination.
func (w *reasoning) take(c combination, together []bool) {
	w.Joined += c.count
	left, n := true, len(w.Conditions)
	for i := range n {
		if !c.meets(i) {
			left = false
			continue
		}
		w.Conditions[i].Alone += c.count
		if left {
			w.Conditions[i].Left += c.count
		}
		for j := range n {
			together[i*n+j] = together[i*n+j] || c.meets(j)
		}
	}
	if left {
		w.Matches += c.count
	}
}

// clash finds the first two conditions that no record meets together, though
// each has records of its own.
func (w *reasoning) clash(together []bool, n int) {
	for j := range n {
		for i := range j {
			if w.Clash == nil && !together[i*n+j] && w.Conditions[i].Alone > 0 && w.Conditions[j].Alone > 0 {
				w.Clash = &wire.WhyClash{First: i, Second: j}
			}
		}
	}
}

// found is the nearest dates as they are stored.
type found struct{ before, after any }

func (f *found) take(side int64, least, greatest any) {
	switch {
	case side == plan.Before && (f.before == nil || less(f.before, greatest)):
		f.before = greatest
	case side == plan.After && (f.after == nil || less(least, f.after)):
		f.after = least
	}
}

// near tells of the nearest records outside a date condition, and what to ask
// for instead.
func (w *reasoning) near(job Job, p Prepared, condition criteria.Expr, i int, column *catalog.Column, f found) {
	zone := job.Context.Zone
	near := wire.WhyNearest{Condition: i, Before: dateText(f.before, column, zone), After: dateText(f.after, column, zone)}
	w.Nearest = append(w.Nearest, near)
	clock := civil.NewClock(zone)
	var days []civil.Date
	for _, v := range []any{f.before, f.after} {
		if stamp, ok := column.Decode(v, clock); v != nil && ok {
			days = append(days, stamp.At.Date())
		}
	}
	names := criteria.Parameters(condition)
	if len(days) == 0 || len(names) != 1 {
		return
	}
	at := slices.IndexFunc(p.Questions, func(q parameter.Parameter) bool { return q.Name == names[0] })
	if at < 0 || p.Questions[at].Derive != "" || p.Questions[at].Shown == parameter.Stated {
		return
	}
	question := p.Questions[at]
	offer := func(first, last civil.Date) bool {
		span := period.OfDays(first, last)
		if question.Limits.Whole != "" {
			whole, ok := period.WholeOf(question.Limits.Whole, job.Context.Calendar)
			if !ok {
				return false
			}
			if span, ok = whole.Enclosing(span, job.Context.Calendar); !ok {
				return false
			}
		}
		text := span.Canonical()
		if _, problems := question.Read(parameter.Input{Texts: []string{text}}, job.Context); problems.Failed() {
			return false
		}
		w.WaysOut = append(w.WaysOut, wire.WayOut{Words: "Run it " + span.Within(), Inputs: map[string]string{question.Name: text}})
		return true
	}
	if question.Kind == parameter.Period && len(days) == 2 && offer(days[0], days[1]) {
		return
	}
	for _, day := range days {
		offer(day, day)
	}
}

// advise says what it comes down to.
func (w *reasoning) advise(having []plan.Condition) {
	say := func(format string, values ...any) { w.Advice = append(w.Advice, fmt.Sprintf(format, values...)) }
	switch {
	case w.Matches > 0:
		say("%s.", output.Counted(w.Matches, "record matches", "records match"))
		for _, c := range having {
			if c.Expr != nil {
				say("Groups of them are kept where: %s.", c.Words)
			}
		}
	case w.Reason != "":
		say("%s", w.Reason)
	case w.Records == 0 && w.Table == bySQL:
		say("The SQL returns nothing, even without its conditions.")
	case w.Records == 0:
		say("The table %s has no records.", w.Table)
	case w.Joined == 0:
		say("No record of %s has a match in the tables joined to it.", w.Table)
	}
	if w.Matches == 0 && w.Joined > 0 {
		for _, c := range w.Conditions {
			if c.Alone == 0 && w.Reason == "" {
				say("No record at all meets: %s.", c.Words)
			}
		}
		if w.Clash != nil && w.Reason == "" {
			say("No record meets both: %s; %s.", w.Conditions[w.Clash.First].Words, w.Conditions[w.Clash.Second].Words)
		}
		for _, n := range w.Nearest {
			var dates []string
			for _, d := range []string{n.Before, n.After} {
				if d != "" {
					dates = append(dates, longDay(d))
				}
			}
			verb := "are"
			if len(dates) == 1 {
				verb = "is"
			}
			say("The nearest that meet everything else %s %s.", verb, strings.Join(dates, " and "))
		}
	}
	switch {
	case len(w.Advice) > 0:
	case w.Table == bySQL: // of pairs nothing is known
		say("The conditions leave nothing together.")
	default:
		say("The conditions leave nothing together, though any two of them do.")
	}
}

// longDay is a date as people say it, with its time of day if it has one.
func longDay(text string) string {
	span, problems := period.Read(text[:min(len(text), len("2026-03-31T08:30:15"))], civil.Calendar{Zone: civil.UTC})
	if len(problems) > 0 {
		return text
	}
	return span.ReadBack()
}
