package parameter_test

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// TestKinds: a kind with its limits, an answer, and its canonical form or the
// code it is refused with.
func TestKinds(t *testing.T) {
	day := parameter.Parameter{Kind: parameter.Date, Limits: parameter.Limits{Earliest: "2025-01-01", Latest: "today"}}
	moment := parameter.Parameter{Kind: parameter.DateTime}
	whole := parameter.Parameter{Kind: parameter.Integer, Limits: parameter.Limits{Least: "1", Most: "100"}}
	price := parameter.Parameter{Kind: parameter.Decimal, Limits: parameter.Limits{Least: "0", Places: "2"}}
	many := parameter.Parameter{Kind: parameter.Integer, Many: true, Limits: parameter.Limits{Fewest: "2", MostChosen: "3"}}
	code := parameter.Parameter{Kind: parameter.Text, Limits: parameter.Limits{Pattern: "TW-[0-9]{4}"}}
	way := parameter.Parameter{Kind: parameter.Text, Choices: parameter.Choices{Listed: []parameter.Choice{{Value: "up", Label: "Upstream"}, {Value: "down", Label: "Downstream"}}}}
	yes := parameter.Parameter{Kind: parameter.YesNo}
	months := parameter.Parameter{Name: "m", Kind: parameter.Period, Limits: parameter.Limits{Whole: "month", Shortest: "2 months", Longest: "6 months"}}
	fixed := parameter.Parameter{Kind: parameter.Text, Shown: parameter.Stated, Default: []string{"x"}}
	marks, _ := parameter.MarksOf("en")
	english := parameter.Context{Calendar: ctx.Calendar, Marks: marks}
	for _, c := range []struct {
		q      parameter.Parameter
		answer string
		want   string
	}{
		{day, "yesterday", "2026-03-17"},
		{day, "2026-03-19", "after_latest"},
		{day, "31 Dec 2024", "before_earliest"},
		{day, "2026-03", "not_a_day"},
		{day, "2026-03-14T08:30", "not_a_day"},
		{day, "2026-02-29", "no_such_date"},
		{moment, "2026-03-14T08:30", "2026-03-14T08:30"},
		{moment, "2026-03-14T08:30:15+01:00", "2026-03-14T07:30:15"},
		{moment, "2026-03-14", "not_a_moment"},
		{whole, "+42", "42"},
		{whole, "42.0", "42"},
		{whole, "42.5", "not_whole_number"},
		{whole, "0", "too_small"},
		{whole, "1,000", "too_large"},
		{whole, "forty", "not_a_number"},
		{price, "1,234.56", "1234.56"},
		{price, "1234.567", "too_fine"},
		{price, "1234.500", "1234.5"},
		{price, "12345678901234567890.12", "12345678901234567890.12"},
		{price, "-0.01", "too_small"},
		{price, "1,23", "not_a_number"},
		{price, "1e5", "not_a_number"},
		{many, "1|2|2", "1, 2"},
		{many, "1", "too_few"},
		{many, "1|2|3|4", "too_many"},
		{many, "1|x|y", "not_a_number, not_a_number"},
		{code, "TW-2025", "TW-2025"},
		{code, "xTW-2025", "wrong_pattern"},
		{way, "upstream", "up"},
		{way, "UP", "up"},
		{way, "upp", "not_offered"},
		{yes, "No", "no"},
		{yes, "perhaps", "not_yes_no"},
		{months, "2025-Q1", "2025-Q1"},
		{months, "2025-01-15/2025-03-31", "not_whole"},
		{months, "2025-01", "too_short"},
		{months, "2025", "too_long"},
		{fixed, "y", "not_asked"},
		{fixed, "", "x"},
	} {
		v, problems := c.q.Read(text(strings.Split(c.answer, "|")...), english)
		var got []string
		for _, p := range problems {
			got = append(got, p.Code)
			if assert.NotEmpty(t, p.Message); len(p.Fixes) > 0 && len(problems) == 1 {
				_, again := c.q.Read(text(p.Fixes[0].Text), english)
				assert.Empty(t, again, "%q: the way out %q is refused", c.answer, p.Fixes[0].Text)
			}
		}
		if len(problems) == 0 {
			got = c.q.Canonical(v)
		}
		assert.Equal(t, c.want, strings.Join(got, ", "), "%s %q", c.q.Kind, c.answer)
	}
}

func TestLanguages(t *testing.T) {
	q := parameter.Parameter{Kind: parameter.Decimal}
	for _, c := range [][3]string{
		{"de", "1.234,56", "1234.56"},
		{"de", "1234,56", "1234.56"},
		{"de", "1234.56", ""},
		{"de", "1.5", ""},
		{"de-CH", "1’234.56", "1234.56"},
		{"fr", "1\u202f234\u00a0567,5", "1234567.5"},
		{"en-GB", "1,234,567.5", "1234567.5"},
		{"en", "1,2345", ""},
		{"en", ",234", ""},
		{"en", "1,,234", ""},
		{"en", "−5", "-5"},
	} {
		marks, known := parameter.MarksOf(c[0])
		require.True(t, known)
		v, problems := q.Read(text(c[1]), parameter.Context{Calendar: ctx.Calendar, Marks: marks})
		got := ""
		if len(problems) == 0 {
			got = v.Numbers[0].String()
		}
		assert.Equal(t, c[2], got, "%s %q", c[0], c[1])
	}
	german, _ := parameter.MarksOf("de")
	q.Default = []string{"1234.56"}
	v, problems := q.Read(parameter.Input{}, parameter.Context{Calendar: ctx.Calendar, Marks: german})
	require.Empty(t, problems, "a default is the author's, not the reader's")
	assert.Equal(t, "1234.56", v.Numbers[0].String())
	_, known := parameter.MarksOf("tlh")
	assert.False(t, known)
}

func TestDerive(t *testing.T) {
	questions := []parameter.Parameter{
		{Name: "before", Kind: parameter.Period, Derive: ":period - 1 year"},
		{Name: "twice", Kind: parameter.Integer, Derive: ":n * 2 + 1"},
		{Name: "four", Kind: parameter.Integer, Derive: ":twice * 2"},
		{Name: "first", Kind: parameter.Date, Derive: "first day of :period"},
		{Name: "same", Kind: parameter.Text, Derive: ":name"},
		{Name: "period", Kind: parameter.Period},
		{Name: "n", Kind: parameter.Integer},
		{Name: "name", Kind: parameter.Text},
	}
	values, problems := parameter.Read(questions, nil, map[string]parameter.Input{"period": text("2025-02"), "n": text("5"), "name": text("x")}, ctx)
	require.Empty(t, problems)
	assert.Equal(t, "2024-02-01/2024-03-01", period.Span{From: values["before"].Span.From, Until: values["before"].Span.Until + 86400}.Canonical())
	assert.Equal(t, "22", values["four"].Numbers[0].String())
	assert.Equal(t, "2025-02-01", values["first"].Spans[0].Canonical())
	assert.Equal(t, []string{"x"}, values["same"].Texts)
	values, problems = parameter.Read(questions, nil, nil, ctx)
	require.Empty(t, problems)
	_, problems = parameter.Read([]parameter.Parameter{
		{Name: "p", Kind: parameter.Period, Default: []string{"all"}, Limits: parameter.Limits{Ends: parameter.EndsOpen}},
		{Name: "q", Kind: parameter.Period, Derive: ":p - 1 year"},
		{Name: "r", Kind: parameter.Period, Derive: ":q"},
	}, nil, nil, ctx)
	require.Len(t, problems, 1, "what goes wrong is told once")
	assert.Equal(t, "q open_period", problems[0].Field+" "+problems[0].Code)
	assert.False(t, values["before"].Given, "without what it needs it is left blank")
}

func TestRules(t *testing.T) {
	questions := []parameter.Parameter{
		{Name: "p", Kind: parameter.Period}, {Name: "d", Kind: parameter.Date}, {Name: "n", Kind: parameter.Integer}, {Name: "t", Kind: parameter.Text}, {Name: "y", Kind: parameter.YesNo},
	}
	var scope criteria.Scope
	for _, q := range questions {
		scope.Questions = append(scope.Questions, q.Question())
	}
	inputs := map[string]parameter.Input{"p": text("2025-03"), "d": text("2025-03-31"), "n": text("5"), "t": text("b")}
	for rule, want := range map[string]bool{
		":d >= :p.from": true, ":d <= :p.through": true, ":d < :p.until": true, ":d > :p": false, ":d within :p": true, ":d not within :p": false,
		":d < :p.through": false, ":d = '2025-03'": true,
		":n > 4 and :n < 6": true, ":n = 5 or :n = 6": true, "not :n = 5": false, ":n between 1 and 4": false, ":n in (1, 5)": true, ":n * 2 > 10": false,
		":t in ('a', 'b')": true, ":t <> 'b'": false, ":y = true": true, ":y is blank": true, ":d is not blank": true, ":d is blank": false,
	} {
		e, problems := criteria.Parse(rule)
		require.Empty(t, problems, rule)
		require.Empty(t, criteria.ResolveCondition(rule, e, scope), rule)
		_, problems = parameter.Read(questions, []parameter.Rule{{Expr: e, Message: "broken"}}, inputs, ctx)
		assert.Equal(t, want, len(problems) == 0, rule)
	}
}

// random makes a text that is often nearly right.
func random(r *rand.Rand) string {
	pieces := []string{"2025", "-", "03", "31", "2026-03-01", "/", "..", " ", "last ", "7", " days", "month", "today", "1,234", ".5", "-", "+", "up", "yes", "TW-2025", "é", "2026-03-14", "T08:30", "0", "99999999999", "\x00", ":x"}
	var b strings.Builder
	for range r.IntN(6) {
		b.WriteString(pieces[r.IntN(len(pieces))])
	}
	return b.String()
}

// TestAnythingTyped: 10,000 random inputs of each kind give either a value
// that keeps to the limits, or a problem that names what was broken.
func TestAnythingTyped(t *testing.T) {
	early, late := civil.DateOf(2025, 1, 1).Midnight(), civil.DateOf(2026, 3, 19).Midnight()
	dated := parameter.Limits{Earliest: "2025-01-01", Latest: "today"}
	spans := func(v parameter.Value) bool {
		return !slices.ContainsFunc(append(v.Spans, v.Span), func(s period.Span) bool { return s != (period.Span{}) && (s.From < early || s.Until > late) })
	}
	for _, c := range []struct {
		q    parameter.Parameter
		fits func(v parameter.Value) bool
	}{
		{
			parameter.Parameter{Kind: parameter.Period, Limits: parameter.Limits{Earliest: dated.Earliest, Latest: dated.Latest, Longest: "40 days", Ends: parameter.EndsClosed}},
			func(v parameter.Value) bool { return spans(v) && v.Span.Days() <= 40 && v.Span.Closed() },
		},
		{parameter.Parameter{Kind: parameter.Date, Limits: dated}, func(v parameter.Value) bool { return spans(v) && v.Spans[0].Days() == 1 }},
		{parameter.Parameter{Kind: parameter.DateTime, Limits: dated}, func(v parameter.Value) bool { return spans(v) && v.Spans[0].Until-v.Spans[0].From <= 60 }},
		{
			parameter.Parameter{Kind: parameter.Text, Limits: parameter.Limits{Longest: "6", Pattern: "[A-Z0-9-]*"}},
			func(v parameter.Value) bool { return regexp.MustCompile(`^[A-Z0-9-]{1,6}$`).MatchString(v.Texts[0]) },
		},
		{parameter.Parameter{Kind: parameter.Integer, Limits: parameter.Limits{Least: "-5", Most: "3000"}}, func(v parameter.Value) bool {
			n := v.Numbers[0]
			return n.IsInteger() && n.GreaterThanOrEqual(decimal.NewFromInt(-5)) && n.LessThanOrEqual(decimal.NewFromInt(3000))
		}},
		{parameter.Parameter{Kind: parameter.Decimal, Limits: parameter.Limits{Most: "3000", Places: "1"}}, func(v parameter.Value) bool {
			return v.Numbers[0].LessThanOrEqual(decimal.NewFromInt(3000)) && v.Numbers[0].Equal(v.Numbers[0].Round(1))
		}},
		{parameter.Parameter{Kind: parameter.YesNo}, func(parameter.Value) bool { return true }},
	} {
		r := rand.New(rand.NewPCG(5, 6))
		taken := 0
		for range 10_000 {
			typed := random(r)
			v, problems := c.q.Read(text(typed), ctx)
			for _, p := range problems {
				require.NotEmpty(t, p.Code+p.Message, "%s %q", c.q.Kind, typed)
			}
			if v.Given {
				taken++
				require.Empty(t, problems)
				require.True(t, c.fits(v), "%s %q read as %+v", c.q.Kind, typed, v)
				again, problems := c.q.Read(text(c.q.Canonical(v)...), ctx)
				require.Empty(t, problems, "%s %q", c.q.Kind, typed)
				require.Equal(t, c.q.Canonical(v), c.q.Canonical(again))
			} else {
				require.True(t, len(problems) > 0 || strings.TrimSpace(typed) == "", "%s %q is neither taken nor refused", c.q.Kind, typed)
			}
		}
		require.NotZero(t, taken, "%s: nothing was taken", c.q.Kind)
	}
}

// BenchmarkRead reads the inputs of a report with ten questions.
func BenchmarkRead(b *testing.B) {
	var questions []parameter.Parameter
	inputs := map[string]parameter.Input{}
	for i, c := range []struct {
		kind   parameter.Kind
		typed  string
		limits parameter.Limits
	}{
		{parameter.Period, "last 3 months", parameter.Limits{Earliest: "2023-01-01", Latest: "today", Longest: "400 days"}},
		{parameter.Period, "2025-03-01/2025-03-31", parameter.Limits{Earliest: "2023-01-01", Whole: "month"}},
		{parameter.Date, "yesterday", parameter.Limits{Latest: "today"}},
		{parameter.DateTime, "2026-03-14T08:30", parameter.Limits{}},
		{parameter.Text, "Harrow Top", parameter.Limits{Longest: "80"}},
		{parameter.Text, "upstream", parameter.Limits{}},
		{parameter.Integer, "1,250", parameter.Limits{Least: "0", Most: "5000"}},
		{parameter.Decimal, "12.50", parameter.Limits{Places: "2"}},
		{parameter.YesNo, "yes", parameter.Limits{}},
		{parameter.Integer, "7", parameter.Limits{}},
	} {
		name := fmt.Sprintf("q%d", i)
		questions = append(questions, parameter.Parameter{Name: name, Kind: c.kind, Limits: c.limits})
		inputs[name] = text(c.typed)
	}
	english, _ := parameter.MarksOf("en")
	all := parameter.Context{Calendar: ctx.Calendar, Marks: english}
	b.ReportAllocs()
	var problems diag.Problems
	for b.Loop() {
		if _, problems = parameter.Read(questions, nil, inputs, all); len(problems) > 0 {
			b.Fatal(problems)
		}
	}
}
