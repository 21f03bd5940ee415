package definition_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
)

var withPassages = catalog.Source{Name: "navigation", Tables: []catalog.Table{
	{Name: "vessels", Key: []string{"id"}, Columns: []catalog.Column{{Name: "id", Type: catalog.Integer}, {Name: "name", Type: catalog.Text}}},
	{
		Name: "passages", Key: []string{"id"},
		Columns:    []catalog.Column{{Name: "id", Type: catalog.Integer}, {Name: "vessel_id", Type: catalog.Integer}, {Name: "lock_id", Type: catalog.Integer}, {Name: "toll", Type: catalog.Integer}, {Name: "name", Type: catalog.Text}, {Name: "day", Type: catalog.Date, Encoding: catalog.EncISODate, Stored: catalog.Text}},
		References: []catalog.Reference{{Columns: []string{"vessel_id"}, Table: "vessels", To: []string{"id"}}},
	},
	{
		Name: "notes", Key: []string{"id"},
		Columns:    []catalog.Column{{Name: "id", Type: catalog.Integer}, {Name: "passage_id", Type: catalog.Integer}},
		References: []catalog.Reference{{Columns: []string{"passage_id"}, Table: "passages", To: []string{"id"}}},
	},
}}

// TestRelatedInQueries: values of related records stand in columns with questions of
// their own, in criteria, in named criteria under another name of their table, and in
// the order; what they read is known before and after the query is compiled.
func TestRelatedInQueries(t *testing.T) {
	documents, problems := definition.Decode("", []byte(`
kind: criterion
name: busy
on: vessels
parameters: [{name: n, kind: integer, required: true}]
criteria: (count of passages of vessels where name <> vessels.name) >= :n
---
kind: query
name: q
source: navigation
from: vessels
joins: [{table: vessels, as: v, on: v.id = vessels.id}]
parameters: [{name: tolls, kind: integer, required: true}]
columns:
  - vessels.name
  - {name: tolls, value: sum of passages.toll of v where toll > :tolls}
  - {name: noted, value: "if(meets busy of v, 'busy', 'calm')"}
sort: [count of passages of v where any notes descending]
`))
	require.Empty(t, problems)
	query := documents[1].(*definition.Query)
	set := definition.NewSet(documents, definition.Library{})
	assert.Contains(t, definition.Uses(query), "criterion busy")
	assert.ElementsMatch(t, []string{"notes", "passages", "vessels"}, set.TablesOf(query))

	byHand, problems := definition.Decode("", []byte("kind: query\nname: h\nsource: navigation\nsql: select v.name from vessels v where { meets busy of v }\nparameters: [{name: n, kind: integer, required: true}]\ncolumns: [name]\n"))
	require.Empty(t, problems)
	assert.Contains(t, definition.Uses(byHand[0]), "criterion busy")
	assert.ElementsMatch(t, []string{"passages", "vessels"}, set.TablesOf(byHand[0].(*definition.Query)))
	_, problems = set.Compile(byHand[0].(*definition.Query), &withPassages)
	require.Empty(t, problems)

	compiled, problems := set.Compile(query, &withPassages)
	require.Len(t, problems, 1, "%v", problems)
	assert.Equal(t, "no_questions", problems[0].Code) // the criterion compares with one, outside of what it counts
	assert.ElementsMatch(t, []string{
		"vessels", "passages", "notes", "vessels.name", "vessels.id", "passages.toll", "passages.vessel_id", "passages.name", "passages.id", "notes.passage_id",
	}, compiled.Touches())
	assert.False(t, compiled.Grouped)
}

// TestChosenRecords: what can be proved of the conditions inside a query's aggregates is
// told at its place, in its columns and in its criteria.
func TestChosenRecords(t *testing.T) {
	source := catalog.Source{Name: "s", Tables: []catalog.Table{{Name: "t", Columns: []catalog.Column{
		{Name: "id", Type: catalog.Integer}, {Name: "day", Type: catalog.Date, Encoding: catalog.EncISODate, Stored: catalog.Text, Nullable: true},
	}}}}
	for value, want := range map[string]string{
		"count where year(day) = 2025 and day within '2026-03'":                      "never_true columns[0] day within '2026-03'",
		"(sum of id where id > 5 and id < 3) / count":                                "never_true columns[0] id < 3",
		"count where id > 5 and id > 3":                                              "redundant columns[0] id > 3",
		"count where month(day) = 3":                                                 "",
		"count where day > '2026'":                                                   "",
		"greatest of id where day is blank or id > 2 or id <= 2":                     "",
		"count of all t as o where o.id > 5 and o.id < 3":                            "",
		"sum of if(id > 5 and id < 3, 1, 0) where id = 1 and id = 2 and id is blank": "never_true columns[0] id is blank",
	} {
		query := &definition.Query{Head: definition.Head{Kind: "query", Name: "q"}, Source: "s", From: "t", Columns: []definition.Column{{Name: "v", Value: definition.Text{Value: value, Line: 1}}}}
		_, problems := definition.Compile(query, &source, definition.Library{})
		said := ""
		for _, p := range problems {
			if said == "" {
				said = p.Code + " " + p.Field + " " + string([]rune(value)[p.Offset:p.Offset+p.Length])
			}
		}
		assert.Equal(t, want, said, value)
	}
	query := &definition.Query{
		Head: definition.Head{Kind: "query", Name: "q"}, Source: "s", From: "t", Columns: []definition.Column{{Name: "v", Value: definition.Text{Value: "count"}}},
		Criteria: definition.Text{Value: "(count where id > 5 and id < 3) > 1", Line: 1},
	}
	_, problems := definition.Compile(query, &source, definition.Library{})
	require.NotEmpty(t, problems)
	assert.Equal(t, "never_true", problems[0].Code)
	assert.Equal(t, "criteria", problems[0].Field)
}
