package definition_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/definition"
	"pikegate/core/sqltext"
)

func one(t *testing.T, text string) definition.Document {
	t.Helper()
	documents, problems := definition.Decode("", []byte(text))
	require.NoError(t, problems.Err(), text)
	require.Len(t, documents, 1)
	return documents[0]
}

// TestRewritten: names are replaced wherever they are said, and nothing else is.
func TestRewritten(t *testing.T) {
	type named struct{ kind, of, name, to string }
	for text, want := range map[string]struct {
		named
		text string
	}{
		// Definitions.
		"kind: report\nname: a-b # its name\nquery:   \"a-b\"\ntitle: a-b\n": {named{"query", "", "a-b", "new"}, "kind: report\nname: a-b # its name\nquery:   \"new\"\ntitle: a-b\n"},
		"# ä\nkind: report\nquery: 'q'   # ü\nname: q\n":                     {named{"report", "", "q", "new"}, "# ä\nkind: report\nquery: 'q'   # ü\nname: new\n"},
		`{"kind": "report", "name": "a", "query": "a", "about": "name: a"}`:  {named{"query", "", "a", "new"}, `{"kind": "report", "name": "a", "query": "new", "about": "name: a"}`},
		"kind: criterion\nname: open\non: locks\ncriteria: |  # both\n\n  meets open\n  -- meets open\n  and (MEETS \"open\" of l\n    or name = 'meets open')\n": {
			named{"criterion", "", "open", "in-service"}, "kind: criterion\nname: in-service\non: locks\ncriteria: |  # both\n\n  meets \"in-service\"\n  -- meets open\n  and (MEETS \"in-service\" of l\n    or name = 'meets open')\n",
		},
		"kind: query\nname: q\nsource: s\nfrom: t\nparameters:\n  - use: area\n  - {name: x, kind: text, choices: {query: areas, value: area, label: title}}\ncolumns: [area]\ncriteria: area = :area and b = :x\n": {
			named{"parameter", "", "area", "region"}, "kind: query\nname: q\nsource: s\nfrom: t\nparameters:\n  - use: region\n  - {name: x, kind: text, choices: {query: areas, value: area, label: title}}\ncolumns: [area]\ncriteria: area = :area and b = :x\n",
		},
		"kind: parameter\nname: lock\nparameter:\n  kind: text\n  choices: {value: area, query: areas}\n": {
			named{"column", "query areas", "area", "region"}, "kind: parameter\nname: lock\nparameter:\n  kind: text\n  choices: {value: region, query: areas}\n",
		},
		// Questions.
		"kind: query\nname: q\nsource: s\nfrom: t\nparameters:\n  - {name: days, kind: period} # days\n  - {name: before, kind: period, derive: ':days - 1 year'}\n  - {name: days2, kind: period}\nrules: [{rule: ':days.from >= :days2.from', message: ':days'}]\ncolumns: [id]\ncriteria: >-\n  (a within :Days or b within :before\n  or c within\n    :days) and d within :days2 and e <> ':days'\n": {
			named{"question", "query q", "days", "period"},
			"kind: query\nname: q\nsource: s\nfrom: t\nparameters:\n  - {name: period, kind: period} # days\n  - {name: before, kind: period, derive: ':period - 1 year'}\n  - {name: days2, kind: period}\nrules: [{rule: ':period.from >= :days2.from', message: ':days'}]\ncolumns: [id]\ncriteria: >-\n  (a within :period or b within :before\n  or c within\n    :period) and d within :days2 and e <> ':days'\n",
		},
		"kind: query\nname: q\nsource: s\nsql: |\n  select a, ':day' -- :day\n  from t where { b >= :day and x = '}' } and c < :day as iso-date\nparameters: [{name: day, kind: date}]\ncolumns: [a]\n": {
			named{"question", "query q", "day", "on"},
			"kind: query\nname: q\nsource: s\nsql: |\n  select a, ':day' -- :day\n  from t where { b >= :on and x = '}' } and c < :on as iso-date\nparameters: [{name: \"on\", kind: date}]\ncolumns: [a]\n",
		},
		"kind: report\nname: r\nquery: q\nask:\n  - day\n  - day2: {label: day}\n  - day: {label: day, quick: [day]}\nset: {day: 'day', other: day}\nexamples:\n  - {ask: {day: [day]}, expect: {rows: 1}}\n": {
			named{"question", "query q", "day", "days"},
			"kind: report\nname: r\nquery: q\nask:\n  - days\n  - day2: {label: day}\n  - days: {label: day, quick: [day]}\nset: {days: 'day', other: day}\nexamples:\n  - {ask: {days: [day]}, expect: {rows: 1}}\n",
		},
		// Columns.
		"kind: query\nname: q\nsource: s\nfrom: t\ncolumns:\n  - toll # what they paid\n  - {name: lock, value: locks.toll}\n  - locks.name\nsort:\n  - toll descending blanks first\n  - locks.toll\ncriteria: toll > 1\n": {
			named{"column", "query q", "toll", "the dues"},
			"kind: query\nname: q\nsource: s\nfrom: t\ncolumns:\n  - {name: the dues, value: toll} # what they paid\n  - {name: lock, value: locks.toll}\n  - locks.name\nsort:\n  - the dues descending blanks first\n  - locks.toll\ncriteria: toll > 1\n",
		},
		"kind: report\nname: r\nquery: q\ncolumns: [toll, \"a\\\"b\"]\ngroups:\n  - month of toll\n  - {by: toll, totals: [count, sum of result.toll]}\ntotals: [sum of toll * 2, greatest of \"toll\"]\nchart: {kind: bars, x: toll, y: count, split: 'concat(toll, ''toll'')'}\n": {
			named{"column", "query q", "toll", "a, b"},
			"kind: report\nname: r\nquery: q\ncolumns: [\"a, b\", \"a\\\"b\"]\ngroups:\n  - \"month of \\\"a, b\\\"\"\n  - {by: \"\\\"a, b\\\"\", totals: [count, \"sum of result.\\\"a, b\\\"\"]}\ntotals: [\"sum of \\\"a, b\\\" * 2\", \"greatest of \\\"a, b\\\"\"]\nchart: {kind: bars, x: \"\\\"a, b\\\"\", y: count, split: \"concat(\\\"a, b\\\", 'toll')\"}\n",
		},
	} {
		got, changed, err := definition.Rewritten(one(t, text), sqltext.Flavour{}, func(m definition.Mention) string {
			if m.Kind == want.kind && m.Of == want.of && m.Name == want.name {
				return want.to
			}
			return m.Name
		})
		require.NoError(t, err, text)
		assert.Equal(t, want.text, got)
		lines := strings.Split(text, "\n")
		for _, m := range changed {
			assert.Contains(t, strings.ToLower(lines[m.Line-1]), want.name, "%v", m)
		}
	}
	// What cannot be changed in its place is left as it is, and told.
	_, _, err := definition.Rewritten(one(t, "kind: query\nname: q\nsource: s\nfrom: t\ncolumns: [id]\nparameters: [{name: day, kind: date}]\ncriteria: \"b = \\x3Aday\"\n"), sqltext.Flavour{}, func(m definition.Mention) string { return m.Name + "s" })
	assert.ErrorContains(t, err, "cannot be changed in its place")
}
