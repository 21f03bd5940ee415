package definition_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
)

// stock is a source whose tables keep days in different ways.
var stock = catalog.Source{Name: "stock", Engine: "sqlite", Traits: catalog.Traits{Untyped: true}, Tables: []catalog.Table{
	{Name: "sales", Key: []string{"id"}, Columns: []catalog.Column{
		{Name: "id", Type: catalog.Integer, Stored: catalog.Integer},
		{Name: "day", Type: catalog.Date, Stored: catalog.Text, Encoding: catalog.EncISODate},
		{Name: "month", Type: catalog.Date, Stored: catalog.Integer, Encoding: catalog.EncYM, Example: "202501"},
		{Name: `odd "name"`, Type: catalog.Integer, Stored: catalog.Integer},
	}},
	{Name: "days", Columns: []catalog.Column{
		{Name: "id", Type: catalog.Integer, Stored: catalog.Integer},
		{Name: "iso", Type: catalog.Date, Stored: catalog.Text, Encoding: catalog.EncISODate},
		{Name: "digits", Type: catalog.Date, Stored: catalog.Integer, Encoding: catalog.EncYMD},
		{Name: "at", Type: catalog.DateTime, Stored: catalog.DateTime},
	}},
}}

// compiled checks a query on the stock.
func compiled(t *testing.T, rest string) (*definition.Compiled, []string) {
	t.Helper()
	documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: stock\n"+rest))
	require.Empty(t, problems, rest)
	out, problems := definition.Compile(documents[0].(*definition.Query), &stock, definition.NewSet(documents, definition.Library{}).Library)
	found := []string{}
	for _, p := range problems {
		if p.Code != "unused_parameter" && (p.Severity != diag.Warning || p.Code == "join_without_index") {
			found = append(found, p.Code)
		}
	}
	return out, found
}

// TestAgainstSource: what the tables tell at the check, before anybody runs.
func TestAgainstSource(t *testing.T) {
	join := func(on string) string {
		return "from: sales\njoins: [{table: days, on: " + on + "}]\ncolumns: [sales.id]\ncriteria: sales.id > 5\n"
	}
	where := func(criteria string) string {
		return "from: sales\njoins: [{table: days, on: sales.id = days.id}]\nparameters:\n  - {name: moment, kind: date-time}\n  - {name: date, kind: date}\ncolumns: [sales.id]\ncriteria: " + criteria + "\n"
	}
	for text, want := range map[string][]string{
		join("sales.day = days.digits"):                                                      {"join_without_index"},
		join("sales.day = days.digits and sales.id > days.id"):                               {"join_without_index"},
		join("sales.day = days.iso"):                                                         {},
		join("sales.day = days.digits and sales.id = days.id"):                               {},
		join("days.digits = sales.month"):                                                    {"join_without_index"},
		"from: sale\ncolumns: [id, dya]\ncriteria: dya = 1\nsort: [id]\n":                    {"unknown_table"},
		where(`"day > '2025-03-31T08:30' or day > :moment or day > :date"`):                  {"finer_than_column", "finer_than_column"},
		where(`"month = '2025-03-31' or month = :date"`):                                     {"finer_than_column", "finer_than_column"},
		where(`"month = '2025-03' or day < '2025-03' or month >= '2025-Q1' or day > :date"`): {},
		where(`"at > :date or at > :moment"`):                                                {"no_encoding", "no_encoding"},
	} {
		_, got := compiled(t, text)
		assert.Equal(t, want, got, text)
	}
}

// TestOddNames: labels are made without the quotes of names.
func TestOddNames(t *testing.T) {
	out, found := compiled(t, "from: sales\ncolumns: ['\"odd \"\"name\"\"\"', 'sales.\"odd \"\"name\"\"\"', sales.day]\n")
	assert.Equal(t, []string{"twice"}, found)
	assert.Equal(t, "Odd name", out.Columns[0].Heading())
	assert.Equal(t, `odd "name"`, out.Columns[0].Name)
	assert.Equal(t, "Day", out.Columns[2].Heading())
	assert.Equal(t, "Paid on", definition.Labelled(`"paid_on"`))
}

// TestNoIndexOfGroups: that no index can be used is told of conditions on records alone.
func TestNoIndexOfGroups(t *testing.T) {
	for condition, want := range map[string]bool{"abs(id) > 5": true, "sum of id > 5": false, "median of id * 2 > 5": false} {
		documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: stock\nfrom: sales\ncolumns: [day, {name: n, value: count}]\ncriteria: "+condition+"\n"))
		require.Empty(t, problems)
		_, problems = definition.Compile(documents[0].(*definition.Query), &stock, definition.Library{})
		told := slices.ContainsFunc(problems, func(p diag.Problem) bool { return p.Code == "no_index" })
		assert.Equal(t, want, told, "%s: %v", condition, problems)
	}
}
