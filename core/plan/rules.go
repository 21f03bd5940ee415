package plan

import (
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
)

// Viewer is for whom rows are read.
type Viewer struct {
	// All tells that every row may be seen, whatever the rules.
	All bool
	// Groups are those the viewer is in, Attributes what rules ask for.
	Groups     []string
	Attributes map[string][]string
}

// in tells whether the viewer is in any of some groups.
func (v Viewer) in(groups []string) bool {
	return slices.ContainsFunc(groups, func(name string) bool { return slices.Contains(v.Groups, name) })
}

// Opening are the rules that open rows of a table to the viewer, and whether those are
// all that may be seen: a table without rules is seen whole, and one with rules by those
// whom any of them leaves unrestricted.
func Opening[R interface{ RowRule() *definition.RowRule }](v Viewer, rules []R, table string) (opening []R, restricted bool) {
	for _, rule := range rules {
		r := rule.RowRule()
		if !strings.EqualFold(r.On, table) {
			continue
		}
		if v.All || v.in(r.Unrestricted) {
			return nil, false
		}
		restricted = true
		if len(r.For) == 0 || v.in(r.For) {
			opening = append(opening, rule)
		}
	}
	return opening, restricted
}

// RuledRows is what rules leave of a source's tables to a viewer: the rows that any rule
// opens to them. A rule that asks for an attribute the viewer does not have, or has
// several values of where one is asked for, opens nothing; neither does one that does
// not fit its table, which misfit is told of. The calendar is that of the rules.
func RuledRows[R interface{ RowRule() *definition.RowRule }](v Viewer, rules []R, source *catalog.Source, calendar civil.Calendar, misfit func(r *definition.RowRule, problems diag.Problems)) Rows {
	return func(table catalog.Table, alias string) (opened []Opened, restricted bool) {
		opening, restricted := Opening(v, rules, table.Name)
		for _, rule := range opening {
			r := rule.RowRule()
			condition, questions, problems := r.Condition(source, table, alias, v.Attributes)
			if problems.Failed() {
				misfit(r, problems)
				continue
			}
			inputs, whole := parameter.Inputs{}, true
			for _, q := range questions {
				values := v.Attributes[definition.AttributeOf(q.Name)]
				whole = whole && (len(values) == 1 || q.Many && len(values) > 1)
				inputs[q.Name] = parameter.Input{Texts: values}
			}
			values, problems := parameter.Read(questions, nil, inputs, parameter.Context{Calendar: calendar})
			if whole && !problems.Failed() {
				opened = append(opened, Opened{Title: titleOf(r, questions, values, calendar.Language), Condition: condition, Questions: questions, Values: values, Calendar: calendar})
			}
		}
		return opened, restricted
	}
}

// titleOf is the title of a rule, with what it was told of whoever asks.
func titleOf(r *definition.RowRule, questions []parameter.Parameter, values parameter.Values, language string) string {
	if r.Title == "" {
		return ""
	}
	var asked []string
	for _, q := range questions {
		asked = append(asked, q.Label+": "+q.ReadBack(values[q.Name], language))
	}
	if asked == nil {
		return r.Title
	}
	return r.Title + " (" + strings.Join(asked, "; ") + ")"
}
