package definition

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

var wholeNumber = regexp.MustCompile(`^[0-9]{1,15}$`)

// onPages are the names in braces of titles and footers that are no questions.
var onPages = []string{"page", "pages", "run", "zone", "title", "as_of"}

// CheckReport checks a report against its query.
func CheckReport(r *Report, q *Query, library Library) diag.Problems {
	c := compiler{query: q, library: library}
	c.name(r.Head)
	var questions, columns []string
	kinds := map[string]parameter.Kind{}
	for _, p := range q.Parameters {
		questions = append(questions, p.Name)
		kinds[p.Name] = parameter.Kind(p.Kind)
	}
	if _, known := parameter.MarksOf(r.Language); r.Language != "" && !known {
		c.fail("language", 0, "unknown_language", fmt.Sprintf("How numbers are written in %q is not known.", r.Language), "Write a language tag, such as en, de or fr.")
	}
	for _, col := range q.Columns {
		columns = append(columns, col.Name)
	}
	known := func(field, what, name string, names []string) {
		if !slices.Contains(names, name) {
			c.fail(field, 0, "unknown_"+what, fmt.Sprintf("The query %s has no %s %s.", q.Name, what, name), nearOr(name, names))
		}
	}
	readable := func(field, name, text string) {
		if kinds[name] == parameter.Period {
			_, problems := period.Parse(text)
			for _, p := range problems.In(field) {
				p.Source = text
				c.problems = append(c.problems, p)
			}
		}
	}
	for i, a := range r.Ask {
		field := fmt.Sprintf("ask[%d]", i)
		known(field, "question", a.Name, questions)
		for _, text := range slices.Concat(a.Quick, a.Default) {
			readable(field, a.Name, text)
		}
		if _, both := r.Set[a.Name]; both {
			c.fail(field, 0, "twice", a.Name+" is both asked and set.", "Remove one of them.")
		}
	}
	if asked, _ := r.Questions(*q); library.Calendar != nil {
		for _, p := range asked { // with the report's own wording and defaults
			at := slices.IndexFunc(r.Ask, func(a Asked) bool { return a.Name == p.Name })
			if at >= 0 && p.Kind.IsDated() {
				c.defaultsEveryDay(fmt.Sprintf("ask[%d]", at), p)
			}
		}
	}
	for name, text := range r.Set {
		known("set."+name, "question", name, questions)
		readable("set."+name, name, text)
	}
	for i, example := range r.Examples {
		for _, name := range slices.Sorted(maps.Keys(example.Ask)) {
			known(fmt.Sprintf("examples[%d].ask.%s", i, name), "question", name, questions)
		}
		if rows := example.Expect.Rows; rows != "" && !wholeNumber.MatchString(rows) {
			c.fail(fmt.Sprintf("examples[%d].expect.rows", i), 0, "not_a_number", fmt.Sprintf("%q is not a number of records.", rows), "Write digits alone.")
		}
		if example.Expect == (Expected{}) {
			c.fail(fmt.Sprintf("examples[%d].expect", i), 0, "missing_field", "The example expects nothing.", "Write rows, first, last or refused.")
		}
	}
	for i, l := range r.Links {
		field := fmt.Sprintf("links[%d]", i)
		if len(columns) > 0 {
			known(field+".on", "column", l.On, columns)
		}
		if l.Report == "" {
			c.fail(field+".report", 0, "missing_field", "report is missing.", "Name the report that the column leads to.")
		}
		c.target(field, l.Target, columns, questions)
	}
	if r.Chart.Link.Report != "" {
		var drawn []string // what a mark knows
		for _, text := range []string{r.Chart.X.Value, r.Chart.Split.Value, r.Chart.Panels.Value} {
			if text != "" {
				drawn = append(drawn, text)
			}
		}
		c.target("chart.link", r.Chart.Link, drawn, questions)
	}
	if r.Across.Link.Report != "" {
		crossed := []string{r.Across.By.Value} // what a cell knows
		for _, g := range r.Groups {
			crossed = append(crossed, g.By.Value)
		}
		c.target("across.link", r.Across.Link, crossed, questions)
	}
	c.pagePlaceholders(r.Page, questions, kinds)
	for i, name := range r.Columns {
		if len(columns) == 0 {
			break // they are those of a table that is not known here
		}
		known(nth("columns", i), "column", name, columns)
	}
	return c.problems
}

// pagePlaceholders checks what stands in braces in the texts of a page.
func (c *compiler) pagePlaceholders(p Page, questions []string, kinds map[string]parameter.Kind) {
	for field, text := range map[string]string{"page.title": p.Title, "page.subtitle": p.Subtitle, "page.footer": p.Footer, "page.notes": p.Notes} {
		for _, found := range placeholder.FindAllStringSubmatch(text, -1) {
			name, part, _ := strings.Cut(found[1], ".")
			isPart := part == "" || (part == "from" || part == "through") && kinds[name] == parameter.Period
			if !(slices.Contains(onPages, name) && part == "") && !(slices.Contains(questions, name) && isPart) {
				c.fail(field, 0, "unknown_placeholder", fmt.Sprintf("{%s} stands for nothing.", found[1]), "In braces stand questions, of a period also .from and .through, and as_of, title, page, pages, run and zone.")
			}
		}
	}
}

// target checks where something leads, as far as that is known here: the report may be
// published later.
func (c *compiler) target(field string, t Target, columns, questions []string) {
	other, found := c.library.report(t.Report)
	var asked []string
	if found {
		if q, ok := c.library.query(other.Query); ok {
			linked, _ := Linked(q, c.library)
			for _, p := range linked.Parameters {
				asked = append(asked, p.Name)
			}
		}
	} else if t.Report != "" {
		c.problems = append(c.problems, diag.Problem{
			Code: "unknown_report", Severity: diag.Warning, Field: field + ".report",
			Message: "There is no report " + t.Report + " here.", Hint: "Push it, or give its file as well; until then nothing leads there.",
		})
	}
	for _, question := range slices.Sorted(maps.Keys(t.Set)) {
		at, value := field+".set."+question, t.Set[question]
		if asked != nil && !slices.Contains(asked, question) {
			c.fail(at, 0, "unknown_question", fmt.Sprintf("The report %s has no question %s.", t.Report, question), nearOr(question, asked))
		}
		own, isQuestion := strings.CutPrefix(value, ":")
		switch {
		case isQuestion && !slices.Contains(questions, own):
			c.fail(at, 0, "undeclared_parameter", "No question is called "+own+".", nearOr(own, questions))
		case !isQuestion && len(columns) > 0 && !slices.Contains(columns, value):
			c.fail(at, 0, "unknown_column", "There is no column "+value+" to take the answer from.", nearOr(value, columns))
		}
	}
}
