package parameter_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/parameter"
)

var ctx = parameter.Context{Calendar: civil.Calendar{Zone: time.UTC, Now: civil.Instant(time.Date(2026, 3, 18, 12, 0, 0, 0, time.UTC).Unix()), WeekStart: time.Monday}}

var questions = []parameter.Parameter{
	{
		Name: "period", Label: "Dates", Kind: parameter.Period, Required: true,
		Limits: parameter.Limits{Earliest: "2023-01-01", Latest: "today", Longest: "400 days", Ends: parameter.EndsClosed},
	},
	{Name: "open", Label: "Open", Kind: parameter.Period, Default: []string{"last month"}, Limits: parameter.Limits{Ends: parameter.EndsOpen}},
	{Name: "colour", Label: "Colour", Kind: parameter.Text, Choices: parameter.Choices{Listed: []parameter.Choice{{Value: "red"}, {Value: "green"}}}},
	{Name: "names", Label: "Names", Kind: parameter.Text, Many: true, Limits: parameter.Limits{Longest: "5"}},
}

func text(texts ...string) parameter.Input { return parameter.Input{Texts: texts} }

func ends(start, end string) parameter.Input { return parameter.Input{Start: &start, End: &end} }

func TestRead(t *testing.T) {
	values, problems := parameter.Read(questions, nil, map[string]parameter.Input{
		"period": ends("2025-03-01", "2025-03-31"), "colour": text(" red "), "names": text("a", "", "b", "a"),
	}, ctx)
	require.Empty(t, problems)
	assert.Equal(t, []string{"2025-03"}, questions[0].Canonical(values["period"]))
	assert.Equal(t, "2026-02", values["open"].Span.Canonical())
	assert.True(t, values["open"].Default)
	assert.Equal(t, []string{"red"}, values["colour"].Texts)
	assert.Equal(t, []string{"a", "b"}, values["names"].Texts, "blank answers and repeated ones go")
}

// TestNone: a blank answer is none, where leaving the question alone means its
// default; a needed one is then missing, and its default is offered.
func TestNone(t *testing.T) {
	open, needed := questions[1], questions[1]
	needed.Required = true
	for _, in := range []parameter.Input{text(""), text("  "), {None: true}, ends("", "")} {
		v, problems := open.Read(in, ctx)
		assert.Empty(t, problems)
		assert.False(t, v.Given, "%v", in)
		_, problems = needed.Read(in, ctx)
		require.Len(t, problems, 1)
		assert.Equal(t, "missing", problems[0].Code)
		assert.Equal(t, "last month", problems[0].Fixes[0].Text)
	}
	v, problems := open.Read(parameter.Input{}, ctx)
	assert.Empty(t, problems)
	assert.True(t, v.Given && v.Default)
}

// TestRefusals: one question's input, then field and code of every problem.
func TestRefusals(t *testing.T) {
	for _, c := range []struct {
		name  string
		input parameter.Input
		want  []string
		fix   string
	}{
		{"period", text(), []string{"period missing"}, ""},
		{"period", text("  "), []string{"period missing"}, ""},
		{"period", text("31 Feb 2025"), []string{"period no_such_date"}, "2025-02-28"},
		{"period", ends("31 Feb 2025", "2025-13-01"), []string{"period.start no_such_date", "period.end no_such_date"}, "2025-02-28"},
		{"period", ends("2025-03-31", "2025-03-01"), []string{"period.end end_before_start"}, "2025-03-01/2025-03-31"},
		{"period", ends("2025-03-31", ""), []string{"period.end end_missing"}, ""},
		{"period", ends("", "2025-03-31"), []string{"period.start start_missing"}, ""},
		{"period", text("all"), []string{"period start_missing", "period end_missing"}, ""},
		{"period", text("2022-12-31/2023-01-02"), []string{"period before_earliest"}, "2023-01-01/2023-01-02"},
		{"period", text("2026-03-18/2026-03-19"), []string{"period after_latest"}, "2026-03-18"},
		{"period", ends("2024-01-01", "2025-12-31"), []string{"period.end too_long"}, "2024-01-01/2025-02-03"},
		{"period", ends("2022-01-01", "2026-12-31"), []string{"period.start before_earliest", "period.end after_latest", "period.end too_long"}, "2023-01-01/2024-02-04"},
		{"period", text("2025", "2024"), []string{"period one_answer_only"}, ""},
		{"colour", text("gren"), []string{"colour not_offered"}, "green"},
		{"colour", text("red", "green"), []string{"colour one_answer_only"}, ""},
		{"colour", ends("red", ""), []string{"colour not_a_period"}, ""},
		{"names", text("abcdef", "ghijkl"), []string{"names too_long", "names too_long"}, ""},
		{"nmes", text("a"), []string{"nmes unknown_question"}, ""},
	} {
		inputs := map[string]parameter.Input{"period": text("2025-03")}
		inputs[c.name] = c.input
		_, problems := parameter.Read(questions, nil, inputs, ctx)
		var got []string
		for _, p := range problems {
			got = append(got, p.Field+" "+p.Code)
			assert.NotEmpty(t, p.Message)
		}
		if assert.Equal(t, c.want, got, "%s %+v", c.name, c.input) && c.fix != "" {
			require.NotEmpty(t, problems[0].Fixes, c.want)
			assert.Equal(t, c.fix, problems[0].Fixes[0].Text)
		}
	}
}

// TestLimitsAreIncluded: an end on the latest day allowed is allowed, and so
// is the longest period itself.
func TestLimitsAreIncluded(t *testing.T) {
	for _, ok := range []string{"2023-01-01", "2026-03-18", "2024-01-01/2025-02-03"} {
		_, problems := questions[0].Read(text(ok), ctx)
		assert.Empty(t, problems, ok)
	}
}
