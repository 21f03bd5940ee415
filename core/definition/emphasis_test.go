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
	"pikegate/core/sqltext"
)

// TestEmphasisChecked: conditions of what stands out are about the columns of the result, one
// can stand without a list, and what cannot be is told in its place.
func TestEmphasisChecked(t *testing.T) {
	for _, c := range []struct{ column, report, want string }{
		{`emphasis: {when: toll > 15, as: strong}`, ``, ""},
		{`emphasis: [{when: toll > 15, as: strong}, {when: who = 'x', as: quiet}]`, ``, ""},
		{`emphasis: {when: toll > 15, as: loud}`, ``, "columns[1].emphasis.as unknown_word"},
		{`emphasis: {as: strong}`, ``, "columns[1].emphasis.when missing_field"},
		{`emphasis: {when: tol > 15, as: strong}`, ``, "columns[1].emphasis[0].when unknown_column"},
		{`emphasis: {when: toll + 1, as: strong}`, ``, "columns[1].emphasis[0].when type_mismatch"},
		{`emphasis: {when: sum of toll > 1, as: strong}`, ``, "columns[1].emphasis[0].when aggregate_here"},
		{`emphasis: {when: toll > :least, as: strong}`, ``, ""},
		{`emphasis: {when: toll > :other, as: strong}`, ``, "columns[1].emphasis[0].when undeclared_parameter"},
		{`emphasis: {when: toll > 1, as: strong, columns: [who]}`, ``, "columns[1].emphasis[0].columns emphasis_of_column"},
		{`emphasis: {when: who = 'x', as: strong}`, `columns: [toll]`, "columns emphasis_needs"},
		{`emphasis: {when: who = 'x', as: strong}`, `columns: [amount]`, ""},
		{``, `emphasis: {when: amount > :least, as: bad, columns: [who]}`, ""},
		{``, `emphasis: {when: amount > 1, as: bad, columns: [amont]}`, "emphasis[0].columns[0] unknown_column"},
		{``, `emphasis: [{when: who is blank, as: good}], columns: [amount]`, "emphasis[0].when unknown_column"},
		{`words: {yes: x}`, ``, "columns[1].words words_of_yes_no"},
		{`words: {blank: none}`, ``, ""},
		{`format: dd.MM.y`, ``, "columns[1].format bad_format"},
		{`format: medium`, ``, "columns[1].format format_of_numbers"},
		{`format: "0.0"`, ``, ""},
	} {
		text := "kind: query\nname: q\nsource: navigation\nfrom: passages\nparameters: [{name: least, kind: integer}]\ncriteria: toll > :least\n" +
			"columns:\n  - {name: who, value: name}\n  - {name: toll, value: toll, " + c.column + "}\n  - {name: amount, value: toll}\n" +
			"---\n{kind: report, name: r, query: q, " + c.report + "}\n"
		documents, problems := definition.Decode("", []byte(text))
		if !problems.Failed() {
			require.Len(t, documents, 2)
			_, problems = definition.Check(documents, definition.Environment{
				Source: func(string) (*catalog.Source, *diag.Problem) { return &withPassages, nil },
				Zone:   time.LoadLocation,
			})
		}
		got := ""
		for i, p := range problems {
			if i == 0 {
				got = p.Field[strings.LastIndex(p.Field, " ")+1:] + " " + p.Code // without the name of the document
			}
		}
		assert.Equal(t, c.want, got, "%s %s: %v", c.column, c.report, problems)
	}
}

// TestEmphasisRenamed: the names in what stands out are renamed with the others.
func TestEmphasisRenamed(t *testing.T) {
	documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: s\nfrom: t\ncolumns: [{name: toll, value: pence, emphasis: {when: toll > 5 and day is blank, as: strong}}]\n---\nkind: report\nname: r\nquery: q\nemphasis: [{when: toll > 5, as: bad, columns: [toll]}]\n"))
	require.Empty(t, problems)
	for i, want := range []string{"when: fee > 5 and day is blank", "[{when: fee > 5, as: bad, columns: [fee]}]"} {
		text, _, err := definition.Rewritten(documents[i], sqltext.Flavour{}, func(m definition.Mention) string {
			if m.Kind == "column" && m.Name == "toll" {
				return "fee"
			}
			return m.Name
		})
		require.NoError(t, err)
		assert.Contains(t, text, want)
	}
}
