package definition_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/definition"
	"pikegate/core/diag"
)

const ofUnions = `
kind: criterion
name: dear
on: passages
parameters: [{name: n, kind: integer, required: true}]
criteria: amount > :n
---
kind: query
name: tolls
source: navigation
from: passages
parameters: [{name: who, kind: text, choices: {column: passages.name}}]
rules: [{rule: ":who <> 'x'", message: Not x.}]
columns: [{name: amount, value: toll / 2, label: Paid, format: money}, {name: what, value: name}]
criteria: name = :who and toll > 3
---
kind: query
name: names
source: navigation
from: vessels
parameters: [{name: which, kind: integer}, {name: who, kind: text}]
columns: [{name: amount, value: id}, {name: what, value: name}]
criteria: id <> :which and name = :who
unfit: refuse
---
kind: query
name: counted
source: navigation
from: passages
columns: [{name: amount, value: count}, {name: what, value: name}]
---
kind: query
name: elsewhere
source: dues
from: passages
columns: [{name: amount, value: toll}, {name: what, value: name}]
---
kind: query
name: nested
source: navigation
union: [tolls, names]
---
kind: query
name: broken
source: navigation
from: passages
columns: [{name: amount, value: nothing}]
`

func unionOf(t *testing.T, text string) (*definition.Compiled, diag.Problems) {
	t.Helper()
	documents, problems := definition.Decode("", []byte(ofUnions+"---\nkind: query\nname: u\nsource: navigation\n"+text))
	require.Empty(t, problems)
	return definition.NewSet(documents, definition.Library{}).Compile(documents[len(documents)-1].(*definition.Query), &withPassages)
}

// TestUnion: each query is compiled with what the union says of its columns, and their
// questions are asked once, those of the first being kept.
func TestUnion(t *testing.T) {
	c, problems := unionOf(t, "union: [tolls, names]\nparameters: [{name: least, kind: decimal}, {name: n, kind: integer}]\ncriteria: amount * 2 >= :least and (amount > :n or what is blank)\nsort: [what descending]\n")
	require.NoError(t, problems.Err())
	require.Len(t, c.Parts, 2)
	assert.Equal(t, "toll / 2 * 2 >= :least and (toll / 2 > :n or name is blank) and name = :who and toll > 3", c.Parts[0].CriteriaText)
	assert.Equal(t, "id * 2 >= :least and (id > :n or name is blank) and id <> :which and name = :who", c.Parts[1].CriteriaText)
	var asked []string
	for _, q := range c.Questions {
		asked = append(asked, q.Name)
	}
	assert.Equal(t, []string{"least", "n", "who", "which"}, asked)
	assert.Len(t, c.Rules, 1)
	assert.Equal(t, "refuse", c.Query.Unfit)
	assert.Equal(t, []string{"Paid", "What"}, []string{c.Columns[0].Heading(), c.Columns[1].Heading()})
	assert.Equal(t, "money", c.Parts[1].Columns[0].Format)
	assert.NotContains(t, c.Offers, "who")
	assert.Contains(t, c.Parts[0].Offers, "who")
	assert.NotContains(t, c.Parts[1].Offers, "who", "there nothing is offered")
	assert.ElementsMatch(t, []string{"passages", "passages.toll", "passages.name", "vessels", "vessels.id", "vessels.name"}, c.Touches())
	documents, _ := definition.Decode("", []byte(ofUnions))
	assert.ElementsMatch(t, []string{"source navigation", "query tolls", "query names"}, definition.Uses(documents[5]))
	assert.ElementsMatch(t, []string{"passages", "vessels"}, definition.NewSet(documents, definition.Library{}).TablesOf(documents[5].(*definition.Query)))
}

// TestUnionRefused: what cannot be put below each other is told where it stands.
func TestUnionRefused(t *testing.T) {
	for text, want := range map[string]string{
		"union: [tolls]":                                                     "union union_size",
		"union: [tolls, tolls]":                                              "union[1] twice",
		"union: [tolls, none]":                                               "union[1] unknown_query",
		"union: [tolls, counted]":                                            "union[1] not_in_union",
		"union: [tolls, nested]":                                             "union[1] not_in_union",
		"union: [tolls, elsewhere]":                                          "union[1] other_source",
		"union: [tolls, broken]":                                             "union[1] unsound",
		"union: [tolls, names]\nfrom: passages":                              "union twice",
		"union: [tolls, names]\ndistinct: true":                              "distinct not_in_union",
		"union: [tolls, names]\ncolumns: [{name: n, value: count}]":          "columns[0] not_in_union",
		"union: [tolls, names]\ncolumns: [{name: n, value: rank of amount}]": "columns[0] not_in_union",
		"union: [tolls, names]\ncriteria: first 3 and amount > 2":            "criteria not_in_union",
		"union: [tolls, names]\ncriteria: any notes":                         "criteria unknown_table",
		"union: [tolls, names]\ncriteria: meets dear":                        "criteria not_in_union",
		"union: [tolls, names]\ncriteria: toll > 2":                          "criteria unknown_column",
		"union: [tolls, names]\ncriteria: amount > 'x'":                      "criteria type_mismatch",
		"union: [tolls, names]\nsort: [nothing]":                             "sort[0] unknown_column",
		"union: [tolls, names]\nparameters: [{name: who, kind: integer}]":    "union[0] questions_differ",
		"union: [tolls, names]\nparameters: [{name: a, kind: integer, choices: {column: amount}}]\ncriteria: amount = :a": "parameters[0].choices.column bad_column",
	} {
		_, problems := unionOf(t, text+"\n")
		var found []string
		for _, p := range problems {
			found = append(found, p.Field+" "+p.Code)
		}
		assert.Contains(t, found, want, text)
	}
	c, problems := unionOf(t, "union: [tolls, names]\ncriteria: amount < 1\n")
	require.NoError(t, problems.Err())
	assert.Len(t, c.Parts, 2, "in one of them no record can match; the other may have some")
	assert.True(t, slices.ContainsFunc(problems, func(p diag.Problem) bool { return p.Code == "never_true" && p.Field == "union[0]" }), problems)
}
