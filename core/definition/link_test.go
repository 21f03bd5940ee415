package definition_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/sqltext"
)

const linking = `kind: query
name: q
source: navigation
from: passages
parameters: [{name: least, kind: integer}]
columns: [{name: who, value: name}, {name: toll, value: toll}]
criteria: toll > :least
---
kind: report
name: other
query: q
`

// TestLinks: a link takes its answers from columns and questions that there are, for questions
// that there are; reports may lead to each other.
func TestLinks(t *testing.T) {
	for _, c := range []struct{ report, want string }{
		{`links: [{on: who, report: other, set: {least: toll}}]`, ""},
		{`links: [{on: who, report: other, set: {least: ":least"}}]`, ""},
		{`links: [{on: who, report: r}]`, ""},
		{`links: [{on: whom, report: other}]`, "links[0].on unknown_column"},
		{`links: [{on: who}]`, "links[0].report missing_field"},
		{`links: [{on: who, report: others}]`, "links[0].report unknown_report"},
		{`links: [{on: who, report: other, set: {most: toll}}]`, "links[0].set.most unknown_question"},
		{`links: [{on: who, report: other, set: {least: tolls}}]`, "links[0].set.least unknown_column"},
		{`links: [{on: who, report: other, set: {least: ":most"}}]`, "links[0].set.least undeclared_parameter"},
		{`chart: {kind: bars, x: who, y: count, link: {report: other, set: {least: who}}}`, ""},
		{`chart: {kind: bars, x: who, y: count, link: {report: other, set: {least: toll}}}`, "chart.link.set.least unknown_column"},
	} {
		documents, problems := definition.Decode("", []byte(linking+"---\n{kind: report, name: r, query: q, "+c.report+"}\n"))
		require.Empty(t, problems, c.report)
		_, problems = definition.Check(documents, definition.Environment{
			Source: func(string) (*catalog.Source, *diag.Problem) { return &withPassages, nil },
			Zone:   time.LoadLocation,
		})
		got := ""
		for _, p := range problems {
			got = p.Field[len("report r: "):] + " " + p.Code
		}
		assert.Equal(t, c.want, got, "%s %v", c.report, problems)
		assert.NotContains(t, definition.Uses(documents[2]), "report other", "a report does not go with those that it leads to")
	}
	documents, problems := definition.Decode("", []byte("kind: report\nname: r\nquery: q\nlinks:\n  - {on: who, report: other, set: {least: toll, most: ':least'}}\n"))
	require.Empty(t, problems)
	text, _, err := definition.Rewritten(documents[0], sqltext.Flavour{}, func(m definition.Mention) string {
		if name, ok := map[string]string{"column who": "vessel", "column toll": "fee", "question least": "from", "report other": "another"}[m.Kind+" "+m.Name]; ok {
			return name
		}
		return m.Name
	})
	require.NoError(t, err)
	assert.Contains(t, text, "{on: vessel, report: another, set: {least: fee, most: ':from'}}", "what the other report calls its questions stays")
}
