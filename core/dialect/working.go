package dialect

import (
	"fmt"
	"strconv"
	"strings"

	"pikegate/core/civil"
	"pikegate/core/plan"
)

// Working days are counted from a Monday on: the weekdays that are worked in whole weeks and
// in the rest of one, without the holidays among them, which the engine finds by halving.
// The days of a calendar are nobody's input and stand in the text.

// count is what is counted with: from which Monday on, how many days of a week are worked,
// and the free days by their number from the Monday on.
type count struct {
	monday civil.Date
	// before is how many days of a week are worked before each of its days, from Monday on.
	before []int
	free   []int
}

func countOf(a *civil.Almanac) count {
	c := count{monday: a.First - civil.Date((int(a.First.Weekday())+6)%7), before: make([]int, 8)}
	for i := range 7 {
		c.before[i+1] = c.before[i]
		if !a.Off[(i+1)%7] {
			c.before[i+1]++
		}
	}
	for _, d := range a.Free() {
		if d >= c.monday {
			c.free = append(c.free, int(d-c.monday))
		}
	}
	return c
}

// number is a day, as text, as the number of days after the Monday.
func (c count) number(w *writer, x string) string {
	return w.dialect.daysBetween(literal(c.monday.String()), x)
}

// weekdays is how many of the days before the nth are no days off by their weekday.
func (c count) weekdays(n int) int { return n/7*c.before[7] + c.before[n%7] }

// through writes how many working days there are through the nth day, n being text.
func (c count) through(w *writer, n string) string {
	text := fmt.Sprintf("(%s * %d + %s", w.dialect.times(n, 7), c.before[7], w.dialect.nth(n+" % 7", c.before[1:]))
	if len(c.free) > 0 {
		text += " - " + w.dialect.steps(n, c.free)
	}
	return text + ")"
}

// inside writes that a day, as text, is one whose holidays are known.
func inside(a *civil.Almanac, x string) string {
	return x + " >= " + literal(a.First.String()) + " and " + x + " <= " + literal(a.Last.String())
}

func (w *writer) workingDays(e plan.WorkingDays) string {
	c := countOf(e.Almanac)
	through := func(x plan.Expr) string {
		return w.once(w.expr(x, true), func(x string) string {
			return "case when " + inside(e.Almanac, x) + " then " + w.numbered(c.number(w, x), func(n string) string { return c.through(w, n) }) + " end"
		})
	}
	from := through(e.From)
	return w.dialect.whole("((" + through(e.To) + ") - (" + from + "))")
}

// numbered writes something that is made of a number, where it stands more than once.
func (w *writer) numbered(n string, made func(n string) string) string {
	if !w.dialect.subqueries {
		return made(n)
	}
	return "(select " + made("numbered.n") + " from (select " + n + " as n) as numbered)"
}

// workingMoved writes the day of which as many working days are before it as are wanted: the
// holidays among them are counted by the number of working days before each.
func (w *writer) workingMoved(e plan.WorkingMoved, x string) string {
	c, a := countOf(e.Almanac), e.Almanac
	first, last, ok := a.Reach(e.Days)
	if !ok {
		return "null"
	}
	var after []int // a working day of that number comes after so many free days
	for i, n := range c.free {
		after = append(after, c.weekdays(n+1)-i)
	}
	day := x
	if e.Fine {
		day = "substr(" + x + ", 1, 10)"
	}
	moved := w.numbered(c.number(w, day), func(n string) string {
		through := c.through(w, n) + " + " + strconv.Itoa(e.Days)
		if e.Days < 0 { // a day off counts as the one after it
			through = c.through(w, "("+n+" - 1)") + " + " + strconv.Itoa(e.Days+1)
		}
		return w.numbered("("+through+")", func(nth string) string {
			if len(after) > 0 {
				nth = "(" + nth + " + " + w.dialect.steps(nth, after) + ")"
			}
			return w.numbered("("+nth+" - 1)", func(at string) string {
				var weekdays []int // that are worked
				for i := range 7 {
					if c.before[i+1] > c.before[i] {
						weekdays = append(weekdays, i)
					}
				}
				within := w.dialect.nth(fmt.Sprintf("%s %% %d", at, len(weekdays)), weekdays)
				return w.dialect.dayAt(literal(c.monday.String()), w.dialect.times(at, len(weekdays))+" * 7 + "+within)
			})
		})
	})
	if e.Fine {
		moved = w.concat([]string{moved, "substr(" + x + ", 11)"})
	}
	return "(case when " + day + " >= " + literal(first.String()) + " and " + day + " <= " + literal(last.String()) + " then " + moved + " end)"
}

// chosen writes the nth of some numbers, from 0.
func chosen(n string, numbers []int) string {
	var b strings.Builder
	b.WriteString("case " + n)
	for i, number := range numbers {
		fmt.Fprintf(&b, " when %d then %d", i, number)
	}
	return b.String() + " end"
}

// timesOf writes how many times a number goes into a whole one where both are of whole numbers.
func timesOf(x string, n int) string { return "(" + x + ") / " + strconv.Itoa(n) }

// halved writes how many of some numbers, which rise, a number comes up to, by halving them.
func halved(x string, numbers []int) string {
	var write func(from, to int) string
	write = func(from, to int) string {
		if from == to {
			return strconv.Itoa(from)
		}
		middle := (from + to) / 2
		return "case when " + x + " < " + strconv.Itoa(numbers[middle]) + " then " + write(from, middle) + " else " + write(middle+1, to) + " end"
	}
	return "(" + write(0, len(numbers)) + ")"
}

func listed(numbers []int) string {
	texts := make([]string, len(numbers))
	for i, n := range numbers {
		texts[i] = strconv.Itoa(n)
	}
	return strings.Join(texts, ", ")
}

// ownUnit finds the unit of a calendar by the days on which one begins or ends.
func (w *writer) ownUnit(e plan.OwnUnit) string {
	if len(e.Units) == 0 {
		return "null"
	}
	monday := e.Units[0].First
	var edges []int
	names := []string{""} // before the first
	for i, u := range e.Units {
		edges, names = append(edges, int(u.First-monday)), append(names, u.Name)
		if i+1 == len(e.Units) || e.Units[i+1].First > u.Last+1 {
			edges, names = append(edges, int(u.Last+1-monday)), append(names, "")
		}
	}
	return w.once(w.expr(e.X, true), func(x string) string {
		n := w.dialect.daysBetween(literal(monday.String()), x)
		return w.numbered(n, func(n string) string {
			var b strings.Builder
			b.WriteString("case " + w.dialect.steps(n, edges))
			for i, name := range names {
				if name != "" {
					fmt.Fprintf(&b, " when %d then %s", i, w.dialect.collate(literal(name)))
				}
			}
			return "(" + b.String() + " end)"
		})
	})
}
