package definition

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// Overview is several reports on one page, whose questions are asked once.
type Overview struct {
	Head  `yaml:",inline"`
	Tags  []string `yaml:"tags" doc:"Words to find it by" example:"traffic"`
	Ask   []Asked  `yaml:"ask" doc:"Order and wording of the questions; those not named come after"`
	Parts []Part   `yaml:"parts" doc:"What stands on the page, in this order" required:"true"`
	Page  Page     `yaml:"page" doc:"The paper it is printed on"`
}

// Part is one report on the page of an overview.
type Part struct {
	Report string            `yaml:"report" doc:"The report, in its newest published version" example:"tolls-by-lock" required:"true"`
	Title  string            `yaml:"title" doc:"What people read above it, when it is not the report's title" example:"Tolls"`
	Show   string            `yaml:"show" doc:"What is shown of it: its records when left out" enum:"records,chart,number"`
	Of     string            `yaml:"of" doc:"The number that is shown: count, or sum, average, least, greatest or count distinct of a column; count when left out" example:"sum of toll"`
	Beside Beside            `yaml:"beside" doc:"The period whose number this one is compared with"`
	Set    map[string]string `yaml:"set" doc:"Questions of the report that the page does not ask under their own names: an answer, blank for none, or another question of the page after a colon" example:":period"`
	Width  string            `yaml:"width" doc:"How much of the page's width it takes; when left out a third for a number, half for a chart, and the whole for records" enum:"third,half,whole"`
}

// What a part shows.
const (
	ShowRecords = "records"
	ShowChart   = "chart"
	ShowNumber  = "number"
)

// Shows is what is shown of the report.
func (p Part) Shows() string { return cmp.Or(p.Show, ShowRecords) }

// Wide is how much of the width the part takes.
func (p Part) Wide() string {
	return cmp.Or(p.Width, map[string]string{ShowNumber: "third", ShowChart: "half", ShowRecords: "whole"}[p.Shows()])
}

// Measure is the report as a number needs it: with that alone.
func (p Part) Measure(r *Report) *Report {
	made := *r
	made.Totals = []Text{{Value: cmp.Or(p.Of, "count")}}
	made.Groups, made.Across, made.Chart, made.Emphasis = nil, Across{}, Chart{}, nil
	return &made
}

// Member is a report of an overview, and its query; the report is nil where it is not known,
// or whoever asks may not see it.
type Member struct {
	Report *Report
	Query  *Query
}

// Asking is what an overview asks, and who takes the answers.
type Asking struct {
	Questions []parameter.Parameter
	// From is the part that each question is of.
	From []int
	// Takes is, of each part, the question of the overview that answers one of its report, or
	// else the answer itself.
	Takes []map[string]Taken
}

// Taken is where the answer to a question of a report comes from.
type Taken struct {
	// Question is one of the overview, blank for an answer that it gives itself.
	Question string
	Text     string
	// stated tells that the report answers it itself, and shows that.
	stated bool
}

// Asking puts the questions of the parts together: those of one name are asked once, as the
// first part asks them, but needed where one of the parts needs them.
func (o *Overview) Asking(members []Member) (Asking, diag.Problems) {
	var problems diag.Problems
	fail := func(field, code, message, hint string) {
		problems = append(problems, diag.Problem{Code: code, Field: field, Message: message, Hint: hint})
	}
	out := Asking{Takes: make([]map[string]Taken, len(members))}
	of := map[string][]parameter.Parameter{} // the questions that a question of the page answers
	var names []string
	first := map[string]int{}
	for i, m := range members {
		out.Takes[i] = map[string]Taken{}
		if m.Report == nil || m.Query == nil {
			continue
		}
		asked, set := m.Report.Questions(*m.Query)
		for _, name := range slices.Sorted(maps.Keys(o.Parts[i].Set)) {
			field := fmt.Sprintf("parts[%d].set.%s", i, name)
			switch named := func(p parameter.Parameter) bool { return p.Name == name }; {
			case slices.ContainsFunc(set, named):
				fail(field, "answered_already", fmt.Sprintf("The report %s answers %s itself.", m.Report.Name, name), "Remove it here, or there.")
			case !slices.ContainsFunc(asked, named):
				fail(field, "unknown_question", fmt.Sprintf("The report %s has no question %s.", m.Report.Name, name), nearOr(name, namesOf(asked)))
			}
		}
		for _, p := range asked {
			if p.Shown == parameter.Hidden || p.Derive != "" {
				continue
			}
			taken := Taken{Question: p.Name}
			taken.stated = p.Shown == parameter.Stated
			if text, own := o.Parts[i].Set[p.Name]; own {
				name, isQuestion := strings.CutPrefix(text, ":")
				if taken.Question, taken.Text = "", text; isQuestion {
					taken.Question, taken.Text = name, ""
				}
			} else if _, before := first[p.Name]; !before {
				first[p.Name] = i
				names = append(names, p.Name)
			}
			out.Takes[i][p.Name] = taken
			if taken.Question != "" {
				of[taken.Question] = append(of[taken.Question], p)
			}
		}
	}
	for i := range members {
		for _, name := range slices.Sorted(maps.Keys(out.Takes[i])) {
			if asks := out.Takes[i][name].Question; asks != "" && !slices.Contains(names, asks) {
				fail(fmt.Sprintf("parts[%d].set.%s", i, name), "unknown_question", fmt.Sprintf("No part of the page asks for %s.", asks), nearOr(asks, names))
			}
		}
	}
	known := len(problems) == 0 && !slices.ContainsFunc(members, func(m Member) bool { return m.Report == nil })
	var order []string
	for i, a := range o.Ask {
		field := fmt.Sprintf("ask[%d]", i)
		switch {
		case slices.Contains(order, a.Name):
			fail(field, "twice", a.Name+" is named twice.", "Remove one of them.")
		case slices.Contains(names, a.Name):
			order = append(order, a.Name)
		case known:
			fail(field, "unknown_question", "No part of the page asks for "+a.Name+".", nearOr(a.Name, names))
		}
	}
	for _, name := range names {
		if !slices.Contains(order, name) {
			order = append(order, name)
		}
	}
	for _, name := range order {
		i := first[name]
		asked, _ := members[i].Report.Questions(*members[i].Query)
		p := asked[slices.IndexFunc(asked, func(p parameter.Parameter) bool { return p.Name == name })]
		for _, other := range of[name] {
			if other.Kind != p.Kind || other.Many != p.Many {
				fail(fmt.Sprintf("parts[%d]", i), "questions_differ", fmt.Sprintf("The question %s is of another kind in another part.", name), "Answer it in one of them with set, or give it another name in a report.")
			}
			p.Required = p.Required || other.Required
		}
		if at := slices.IndexFunc(o.Ask, func(a Asked) bool { return a.Name == name }); at >= 0 {
			a := o.Ask[at]
			p.Label, p.Help = cmp.Or(a.Label, p.Label), cmp.Or(a.Help, p.Help)
			if a.Default != nil {
				p.Default = a.Default
			}
			if a.Quick != nil {
				p.Quick = a.Quick
			}
		}
		out.Questions, out.From = append(out.Questions, p), append(out.From, i)
	}
	return out, problems
}

func namesOf(questions []parameter.Parameter) (names []string) {
	for _, p := range questions {
		names = append(names, p.Name)
	}
	return names
}

// Inputs are the answers of a part, given those of the page. What the page does not ask is no
// answer, though the report might have a default of its own: what is shown is what was asked.
func (a Asking) Inputs(part int, given parameter.Inputs) parameter.Inputs {
	out := parameter.Inputs{}
	for name, taken := range a.Takes[part] {
		at := slices.IndexFunc(a.Questions, func(p parameter.Parameter) bool { return p.Name == taken.Question })
		in, answered := given[taken.Question]
		switch {
		case taken.stated:
		case taken.Question == "" && taken.Text != "":
			out[name] = parameter.Typed(taken.Text)
		case answered:
			out[name] = in
		case at >= 0 && len(a.Questions[at].Default) > 0:
			out[name] = parameter.Typed(a.Questions[at].Default...)
		default:
			out[name] = parameter.Input{None: true}
		}
	}
	return out
}

// mostPartsOfPage is how many reports stand on one page at the most.
const mostPartsOfPage = 24

// checkOverview checks an overview by itself and against its reports.
func checkOverview(o *Overview, known Environment, set *Set) diag.Problems {
	c := compiler{query: &Query{}, library: set.Library}
	c.name(o.Head)
	if len(o.Parts) > mostPartsOfPage {
		c.fail("parts", 0, "too_many", fmt.Sprintf("%d reports stand on one page at the most.", mostPartsOfPage), "Make several overviews of it.")
	}
	if o.Page.Chart != "" {
		c.fail("page.chart", 0, "not_of_overview", "Charts stand where their parts do.", "Remove it.")
	}
	for i, part := range o.Parts {
		field := fmt.Sprintf("parts[%d]", i)
		report, ok := c.library.report(part.Report)
		if !ok && part.Report != "" {
			c.problems = append(c.problems, soften(diag.Problems{{
				Code: "unknown_report", Field: field + ".report", Message: "There is no report " + part.Report + " here.", Hint: "Publish the report first, or give its file as well.",
			}}, known)...)
		}
		if compiled, sound := set.compiledOf(report, known); sound {
			c.shows(field, part, report, compiled)
		}
	}
	members := o.members(known, set)
	asking, problems := o.Asking(members)
	c.problems = append(c.problems, problems...)
	var questions []string
	kinds := map[string]parameter.Kind{}
	for _, p := range asking.Questions {
		questions, kinds[p.Name] = append(questions, p.Name), p.Kind
	}
	for i, a := range o.Ask {
		for _, text := range slices.Concat(a.Quick, a.Default) {
			if kinds[a.Name] == parameter.Period {
				_, found := period.Parse(text)
				for _, p := range found.In(fmt.Sprintf("ask[%d]", i)) {
					p.Source = text
					c.problems = append(c.problems, p)
				}
			}
		}
	}
	if !slices.Contains(members, Member{}) {
		c.pagePlaceholders(o.Page, questions, kinds)
	}
	return c.problems
}

// members are the reports of an overview, and their queries, as far as they are known and sound.
func (o *Overview) members(known Environment, set *Set) []Member {
	members := make([]Member, len(o.Parts))
	for i, part := range o.Parts {
		report, _ := set.Library.report(part.Report)
		if compiled, sound := set.compiledOf(report, known); sound {
			members[i] = Member{report, compiled.Query}
		}
	}
	return members
}

// compiledOf is the query of a report, compiled; false where there is none, or it is not valid,
// which is told with the query.
func (s *Set) compiledOf(report *Report, known Environment) (*Compiled, bool) {
	if report == nil {
		return nil, false
	}
	q, ok := s.Library.query(report.Query)
	if !ok {
		return nil, false
	}
	var source *catalog.Source
	if known.Source != nil {
		source, _ = known.Source(q.Source)
	}
	compiled, problems := s.Compile(q, source)
	return compiled, !problems.Failed()
}

// shows checks what is shown of a report, against that and its query.
func (c *compiler) shows(field string, part Part, report *Report, compiled *Compiled) {
	kind := part.Shows()
	switch {
	case kind == ShowChart && report.Chart.Kind == "":
		c.fail(field+".show", 0, "no_chart", "The report "+report.Name+" has no chart.", "Give it one, or show its records.")
	case kind == ShowRecords || kind == ShowChart:
		for of, has := range map[string]bool{"of": part.Of != "", "beside": part.Beside != (Beside{})} {
			if has {
				c.fail(field+"."+of, 0, "not_a_number", of+" is for a number.", "Write show: number, or remove it.")
			}
		}
		return
	}
	if len(compiled.Columns) > 0 {
		_, found := compiled.View(part.Measure(report))
		for _, p := range found {
			p.Field = field + ".of"
			c.problems = append(c.problems, p)
		}
	}
	if part.Beside.Question == "" {
		return
	}
	asked, _ := report.Questions(*compiled.Query)
	at := slices.IndexFunc(asked, func(p parameter.Parameter) bool { return p.Name == part.Beside.Question })
	if at < 0 || asked[at].Kind != parameter.Period || asked[at].Many {
		c.fail(field+".beside", 0, "not_beside", fmt.Sprintf("The report %s asks no question %s for a period.", report.Name, part.Beside.Question), "Name a question of the kind period.")
	}
}
