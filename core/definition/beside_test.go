package definition_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
)

// linked is a query with the other period written in.
func linked(t *testing.T, text string) (*definition.Query, diag.Problems) {
	t.Helper()
	documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: navigation\nfrom: passages\n"+text))
	require.Empty(t, problems)
	before := documents[0].Raw()
	q, problems := definition.Linked(documents[0].(*definition.Query), definition.Library{})
	again, _ := definition.Decode("", []byte(before))
	assert.Equal(t, again[0].(*definition.Query).Columns, documents[0].(*definition.Query).Columns, "the document stays as it was")
	return q, problems
}

// TestBeside: conditions take the records of both periods, each aggregate those of one; what
// else a query says stays.
func TestBeside(t *testing.T) {
	q, problems := linked(t, `
parameters: [{name: period, kind: period, limits: {ends: open}}, {name: who, kind: text}]
columns:
  - name
  - {name: n, value: count, label: Passages}
  - {name: paid, value: sum of toll / 100 where toll > 5, format: money}
  - {name: dearest, value: greatest of toll}
  - {name: part, value: share of (sum of toll)}
criteria: day within :period and (name = :who or name is blank) and day <> :period.from and count >= 3
sort: [paid descending, count descending]
beside: {question: period, with: year-before}
`)
	require.Empty(t, problems)
	var columns []string
	for _, c := range q.Columns {
		columns = append(columns, c.Name+": "+c.Value.Value)
	}
	now, before := "day within :period and day <> :period.from", "day within :period_before and day <> :period_before.from"
	assert.Equal(t, []string{
		"name: name",
		"n: count where " + now, "n_before: count where " + before, "n_change: (count where " + now + ") - (count where " + before + ")",
		"n_percent: ((count where " + now + ") - (count where " + before + ")) / (count where " + before + ")",
	}, columns[:5])
	assert.Equal(t, "paid: sum of toll / 100 where toll > 5 and "+now, columns[5])
	assert.Contains(t, columns, "dearest_before: greatest of toll where "+before)
	assert.NotContains(t, columns, "dearest_change", "it may be a date")
	assert.Equal(t, "(name = :who or name is blank) and count >= 3 and ("+now+" or "+before+")", q.Criteria.Value)
	assert.Equal(t, []string{"Passages", "Passages, a year before", "Change of passages", "Change in %"}, []string{q.Columns[1].Heading(), q.Columns[2].Heading(), q.Columns[3].Heading(), q.Columns[4].Heading()})
	assert.Equal(t, "money", q.Columns[6].Format)
	assert.Equal(t, "count where "+now+" descending", q.Sort[1].Value)
	other := q.Parameters[2]
	assert.Equal(t, []string{"period_before", "period", "hidden", ":period - 1 year", "open"}, []string{other.Name, other.Kind, other.Shown, other.Derive.Value, other.Limits.Ends})

	q, problems = linked(t, "parameters: [{name: period, kind: period}]\ncolumns: [{name: n, value: count}]\ncriteria: day within :period\nbeside: {question: period, with: as-long-before}\n")
	require.Empty(t, problems)
	assert.Equal(t, "as long before :period", q.Parameters[1].Derive.Value)
	assert.Equal(t, "N, before", q.Columns[1].Heading())
}

// TestBesideChecked: what is written in is checked like any query, and what cannot stand
// beside anything is refused.
func TestBesideChecked(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"columns: [{name: n, value: count}]\ncriteria: day within :period\nbeside: {question: period, with: year-before}\n", ""},
		{"columns: [{name: m, value: month of day}, {name: n, value: count}]\ncriteria: day within :period\nbeside: {question: period, with: year-before}\n", "columns[0] beside_apart"},
		{"columns: [{name: m, value: month(day)}, {name: n, value: count}]\ncriteria: day within :period\nbeside: {question: period, with: year-before}\n", ""},
		{"columns: [name]\ncriteria: day within :period\nbeside: {question: period, with: year-before}\n", "beside not_beside"},
		{"columns: [{name: n, value: count}]\ncriteria: toll > 5\nbeside: {question: period, with: year-before}\n", "beside not_beside"},
		{"columns: [{name: n, value: count}]\nbeside: {question: period, with: year-before}\n", "beside not_beside"},
		{"columns: [{name: n, value: count}]\ncriteria: day within :period\nbeside: {question: when, with: year-before}\n", "beside not_beside"},
		{"columns: [{name: n, value: count}]\ncriteria: least of day within :period\nbeside: {question: period, with: year-before}\n", "beside not_beside"},
		{"distinct: true\ncolumns: [name]\ncriteria: day within :period\nbeside: {question: period, with: year-before}\n", "beside not_beside"},
		{"columns: [{name: n, value: count}]\ncriteria: day within :period\nbeside: {question: period, with: century}\n", "beside.with unknown_word"},
		{"columns: [{name: n, value: count}, {name: n_before, value: sum of toll}]\ncriteria: day within :period\nbeside: {question: period, with: year-before}\n", "columns[4] twice"},
	} {
		documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: navigation\nfrom: passages\nparameters: [{name: period, kind: period, required: true}]\n"+c.text))
		if !problems.Failed() {
			_, problems = definition.Check(documents, definition.Environment{
				Source: func(string) (*catalog.Source, *diag.Problem) { return &withPassages, nil },
				Zone:   time.LoadLocation,
			})
		}
		got := ""
		for _, p := range problems {
			if p.Severity != diag.Warning || p.Code == "beside_apart" {
				got = p.Field + " " + p.Code
				break
			}
		}
		assert.Equal(t, c.want, trimmedField(got), "%s %v", c.text, problems)
	}
}

// trimmedField is a field without the name of its document.
func trimmedField(text string) string {
	if len(text) > 9 && text[:9] == "query q: " {
		return text[9:]
	}
	return text
}
