package definition_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
)

const overviewed = `kind: query
name: q
source: navigation
from: passages
parameters: [{name: period, kind: period, required: true}, {name: least, kind: integer, default: 3}, {name: secret, kind: text, shown: hidden}]
columns: [{name: who, value: name}, {name: toll, value: toll}]
criteria: day within :period and toll > :least and name = :secret
---
kind: query
name: other
source: navigation
from: passages
parameters: [{name: days, kind: period}, {name: least, kind: integer, label: At least}]
columns: [{name: toll, value: toll}]
criteria: day within :days and toll > :least
---
{kind: report, name: a, query: q, chart: {kind: bars, x: who, y: count}}
---
{kind: report, name: b, query: other}
---
{kind: report, name: c, query: other, set: {days: 2025}}
---
{kind: query, name: texts, source: navigation, from: passages, parameters: [{name: least, kind: text}], columns: [{name: who, value: name}], criteria: "name = :least"}
---
{kind: report, name: t, query: texts}
---
`

func checkedOverview(t *testing.T, text string) (*definition.Overview, *definition.Set, diag.Problems) {
	documents, problems := definition.Decode("", []byte(overviewed+text))
	require.Empty(t, problems, text)
	set, problems := definition.Check(documents, definition.Environment{
		Source: func(string) (*catalog.Source, *diag.Problem) { return &withPassages, nil },
		Zone:   time.LoadLocation,
	})
	return documents[len(documents)-1].(*definition.Overview), set, problems
}

// TestOverview: every fault of an overview is told at its place.
func TestOverview(t *testing.T) {
	for _, c := range []struct{ says, want string }{
		{`parts: [{report: a}, {report: b, set: {days: ":period"}}]`, ""},
		{`parts: [{report: a, show: chart}, {report: a, show: number, of: sum of toll, beside: {question: period, with: year-before}}]`, ""},
		{`parts: [{report: c, show: number}]`, ""},
		{`parts: [{report: nobody}]`, "parts[0].report unknown_report"},
		{`parts: [{report: b, show: chart}]`, "parts[0].show no_chart"},
		{`parts: [{report: a, of: count}]`, "parts[0].of not_a_number"},
		{`parts: [{report: a, show: chart, beside: {question: period, with: year-before}}]`, "parts[0].beside not_a_number"},
		{`parts: [{report: a, show: number, of: sum of tol}]`, "parts[0].of unknown_column"},
		{`parts: [{report: a, show: number, of: sum of who}]`, "parts[0].of type_mismatch"},
		{`parts: [{report: a, show: number, beside: {question: least, with: year-before}}]`, "parts[0].beside not_beside"},
		{`parts: [{report: c, show: number, beside: {question: days, with: year-before}}]`, "parts[0].beside not_beside"},
		{`parts: [{report: a}, {report: b, set: {days: ":perod"}}]`, "parts[1].set.days unknown_question"},
		{`parts: [{report: a}, {report: b, set: {day: ":period"}}]`, "parts[1].set.day unknown_question"},
		{`parts: [{report: c, set: {days: 2025}}]`, "parts[0].set.days answered_already"},
		{`parts: [{report: a}, {report: t}]`, "parts[0] questions_differ"},
		{`parts: [{report: a}, {report: t, set: {least: none}}]`, ""},
		{`{ask: [least, period], parts: [{report: a}]}`, ""},
		{`{ask: [days], parts: [{report: a}]}`, "ask[0] unknown_question"},
		{`{ask: [least, least], parts: [{report: a}]}`, "ask[1] twice"},
		{`{ask: [{period: {quick: [last 0 months]}}], parts: [{report: a}]}`, "ask[0] bad_count"},
		{`{page: {chart: none}, parts: [{report: a}]}`, "page.chart not_of_overview"},
		{`{page: {subtitle: "In {period}, {period.from}"}, parts: [{report: a}]}`, ""},
		{`{page: {subtitle: "In {days}"}, parts: [{report: a}]}`, "page.subtitle unknown_placeholder"},
		{`parts: [` + strings.Repeat(`{report: a}, `, 24) + `{report: a}]`, "parts too_many"},
	} {
		says := strings.TrimSuffix(strings.TrimPrefix(c.says, "{"), "}")
		if !strings.HasPrefix(c.says, "{") {
			says = c.says
		}
		_, _, problems := checkedOverview(t, "{kind: overview, name: o, "+says+"}\n")
		got := ""
		for _, p := range problems {
			if strings.HasPrefix(p.Field, "overview o: ") {
				got = strings.TrimPrefix(p.Field, "overview o: ") + " " + p.Code
			}
		}
		assert.Equal(t, c.want, got, "%s %v", c.says, problems)
	}
}

// TestAsking: questions of one name are asked once, and each part gets what the page was
// answered with, also nothing, rather than a default that nobody saw.
func TestAsking(t *testing.T) {
	o, set, problems := checkedOverview(t, `kind: overview
name: o
ask: [{least: {label: The least}}]
parts:
  - report: b
    set: {days: ":period"}
  - report: a
  - report: b
    set: {days: 2024, least: 7}
`)
	require.Empty(t, problems)
	assert.Equal(t, []string{"report b", "report a"}, definition.Uses(o))
	var members []definition.Member
	for _, part := range o.Parts {
		r, _ := set.Report(part.Report)
		q, _ := set.Query(r.Query)
		members = append(members, definition.Member{Report: r, Query: q})
	}
	asking, problems := o.Asking(members)
	require.Empty(t, problems)
	require.Len(t, asking.Questions, 2)
	assert.Equal(t, "least", asking.Questions[0].Name)
	assert.Equal(t, "The least", asking.Questions[0].Label)
	assert.Empty(t, asking.Questions[0].Default, "the first part has none")
	assert.Equal(t, "period", asking.Questions[1].Name)
	assert.True(t, asking.Questions[1].Required, "the second part needs it")
	assert.Equal(t, []int{0, 1}, asking.From)

	march := parameter.Typed("2025-03")
	given := parameter.Inputs{"period": march}
	assert.Equal(t, parameter.Inputs{"days": march, "least": {None: true}}, asking.Inputs(0, given))
	assert.Equal(t, parameter.Inputs{"period": march, "least": {None: true}}, asking.Inputs(1, given), "not its default of 3")
	assert.Equal(t, parameter.Inputs{"days": parameter.Typed("2024"), "least": parameter.Typed("7")}, asking.Inputs(2, given))
	asking.Questions[0].Default = []string{"5"}
	assert.Equal(t, parameter.Inputs{"period": march, "least": parameter.Typed("5")}, asking.Inputs(1, given))
	given["least"] = parameter.Typed("9")
	assert.Equal(t, parameter.Inputs{"period": march, "least": parameter.Typed("9")}, asking.Inputs(1, given))
}

// TestOverviewSchedules: an overview is scheduled like a report, and goes out as a page.
func TestOverviewSchedules(t *testing.T) {
	const page = "kind: overview\nname: o\nparts: [{report: a}, {report: b, set: {days: ':period'}}]\n---\n"
	for _, c := range []struct{ says, want string }{
		{"overview: o\nset: {period: last month, least: '4'}\ndeliver: [{mail: {to: a@b.example, format: pdf, subject: 'In {period.from}'}}, {folder: {file: 'dues/{period}.html'}}, {mail: {to: a@b.example}}]", ""},
		{"overview: o\nreport: a\ndeliver: [{mail: {to: a@b.example}}]", "overview twice"},
		{"overview: p\ndeliver: [{mail: {to: a@b.example}}]", "overview unknown_overview"},
		{"overview: o\nset: {days: 2025}\ndeliver: [{mail: {to: a@b.example}}]", "set.days unknown_question"},
		{"overview: o\nonly: count >= 1\ndeliver: [{mail: {to: a@b.example}}]", "only not_of_overview"},
		{"overview: o\ndeliver: [{keep: {as: all_of_it}}]", "deliver[0].keep not_of_overview"},
		{"overview: o\ndeliver: [{mail: {to: a@b.example, format: xlsx}}, {web: {url: 'https://a.example', secret: s}}]", "deliver[0].mail not_a_page · deliver[1].web not_a_page"},
		{"overview: o\ndeliver: [{folder: {file: 'dues/{days}.pdf'}}]", "deliver[0].folder.file unknown_placeholder"},
		{"overview: o\neach: {question: least}\ndeliver: [{mail: {to: a@b.example}}]", "each.question no_choices"},
	} {
		documents, problems := definition.Decode("", []byte(overviewed+page+"kind: schedule\nname: s\nwhen: every monday at 07:00\n"+c.says+"\n"))
		require.Empty(t, problems, c.says)
		_, problems = definition.Check(documents, definition.Environment{
			Source: func(string) (*catalog.Source, *diag.Problem) { return &withPassages, nil },
			Zone:   time.LoadLocation,
		})
		var got []string
		for _, p := range problems {
			got = append(got, strings.TrimPrefix(p.Field, "schedule s: ")+" "+p.Code)
		}
		assert.Equal(t, c.want, strings.Join(got, " · "), "%s %v", c.says, problems)
		if kind, name := documents[len(documents)-1].(*definition.Schedule).Runs(); c.want == "" {
			assert.Equal(t, "overview o", kind+" "+name)
			assert.Contains(t, definition.Uses(documents[len(documents)-1]), "overview o")
		}
	}
}
