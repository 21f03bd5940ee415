package phrase_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/phrase"
)

// read takes a text apart, with types: *_on and *_at are dates, what is counted numbers.
func read(t testing.TB, text string) phrase.Phrase {
	t.Helper()
	if text == "" {
		return phrase.Read("", nil, phrase.Naming{})
	}
	e, problems := criteria.Parse(text)
	require.Empty(t, problems, text)
	typed := func(c *criteria.Column) catalog.Type {
		switch {
		case strings.HasSuffix(c.Name, "_on"):
			return catalog.Date
		case strings.HasSuffix(c.Name, "_at"):
			return catalog.DateTime
		case c.Name == "toll" || strings.HasSuffix(c.Name, "id"):
			return catalog.Integer
		}
		return catalog.Text
	}
	criteria.Walk(e, func(e criteria.Expr) {
		if c, ok := e.(*criteria.Column); ok {
			c.Ref.Column = &catalog.Column{Type: typed(c)}
		}
	})
	return phrase.Read(text, e, phrase.Naming{})
}

// said is a phrase in a line, as a page would show it.
func said(p phrase.Phrase) string {
	not := ""
	if p.Not {
		not = "not "
	}
	switch p.Kind {
	case phrase.All, phrase.Any, phrase.Related:
		parts := make([]string, len(p.Parts))
		for i, part := range p.Parts {
			parts[i] = said(part)
		}
		return not + string(p.Kind) + " " + p.Text + "[" + strings.Join(parts, " | ") + "]"
	case phrase.Says:
		values := make([]string, len(p.Values))
		for i, v := range p.Values {
			values[i] = string(v.From) + " " + v.Text
		}
		fold := ""
		if p.IgnoreCase {
			fold = " ~"
		}
		return p.Subject.Text + " " + p.Comparison + " <" + strings.Join(values, ", ") + ">" + fold
	}
	if p.Kind == phrase.First {
		text := "only " + p.Comparison + " <" + string(p.Values[0].From) + " " + p.Values[0].Text + ">"
		if p.Subject != nil {
			text += " of " + p.Subject.Text
		}
		for _, by := range p.By {
			text += " by " + by.Text
		}
		return text
	}
	return string(p.Kind) + " " + p.Text
}

func TestRead(t *testing.T) {
	for text, want := range map[string]string{
		"":                         "all []",
		"passed_at within :period": "all [passed_at within <asked period>]",
		"(passed_on not within '2025-03' and region in ('A', 'B''s'))":           "all [passed_on not within <fixed 2025-03> | region in <fixed A, fixed B's>]",
		"a = 1 and (toll >= 5 or vessel_id is blank)":                            "all [a = <fixed 1> | any [toll >= <fixed 5> | vessel_id is blank <>]]",
		"toll > 1 or toll < -2.50":                                               "all [any [toll > <fixed 1> | toll < <fixed -2.50>]]",
		"not (a = 'x' and b = 'y')":                                              "all [not all [a = <fixed x> | b = <fixed y>]]",
		"not a in :list":                                                         "all [not all [a in <asked list>]]",
		"toll_pence / 100 >= :least":                                             "all [toll_pence / 100 >= <asked least>]",
		"due_on < :period.from and paid_on >= due_on + 30 days":                  "all [due_on < <worked :period.from> | paid_on >= <worked due_on + 30 days>]",
		"meets in_service of l":                                                  "all [meets in_service of l]",
		"span(arrives_on, departs_on) overlaps :period":                          "all [span(arrives_on, departs_on) overlaps <asked period>]",
		"any passages where toll > 3 and direction = 'up'":                       "all [related any passages[toll > <fixed 3> | direction = <fixed up>]]",
		"(no passages of vessels) and at least :n jobs where (done_on is blank)": "all [related no passages of vessels[] | related at least :n jobs[done_on is blank <>]]",
		"name contains 'where' ignoring case":                                    "all [name contains <fixed where> ~]",
		"5 < toll and closed":                                                    "all [text 5 < toll | text closed]",
		"toll between 1 and (2 + 3)":                                             "all [toll between <fixed 1, worked (2 + 3)>]",
		"first 10 and a = 1":                                                     "all [only first <fixed 10> | a = <fixed 1>]",
		"greatest :n of toll_pence / 100 by (lock_id, month of passed_at)":       "all [only greatest <asked n> of toll_pence / 100 by lock_id by month of passed_at]",
		"least 1 of (toll - 5) by \"odd name\"":                                  "all [only least <fixed 1> of toll - 5 by \"odd name\"]",
		":region is blank or lower(region) = :region":                            "all [any [:region is blank <> | lower(region) = <asked region>]]",
	} {
		got := read(t, text)
		assert.Equal(t, want, said(got), text)
		again, problems := phrase.Write(text, got)
		require.Empty(t, problems, text)
		assert.Equal(t, text, again, "nothing changed")
	}
}

// TestWrite: what is changed is written as an author would have written it, and nothing
// else is touched.
func TestWrite(t *testing.T) {
	says := func(subject string, typ catalog.Type, comparison string, values ...phrase.Value) phrase.Phrase {
		return phrase.Phrase{Kind: phrase.Says, Subject: &phrase.Subject{Text: subject, Type: typ}, Comparison: comparison, Values: values}
	}
	fixed := func(text string) phrase.Value { return phrase.Value{From: phrase.Fixed, Text: text} }
	asked := func(name string) phrase.Value { return phrase.Value{From: phrase.Asked, Text: name} }
	lock := says("lock", catalog.Text, "in", fixed("Harrow Top"))
	const three = "passed_at within :period -- both days\n  -- the region\n  and locks.region in :region\n  and toll >= 5.00 -- dear ones\n"
	for _, c := range []struct {
		about, text, want string
		change            func(p *phrase.Phrase)
	}{
		{"the first", "", "lock in ('Harrow Top')", func(p *phrase.Phrase) { p.Parts = append(p.Parts, lock) }},
		{"a second stands below", "passed_at within :period\n", "passed_at within :period\nand lock in ('Harrow Top')\n", func(p *phrase.Phrase) { p.Parts = append(p.Parts, lock) }},
		{"one more, as the others", "a = 1 and b = 2", "a = 1 and b = 2 and lock in ('Harrow Top')", func(p *phrase.Phrase) { p.Parts = append(p.Parts, lock) }},
		{"the word at the end of lines", "a = 1 and\nb = 2", "a = 1 and\nb = 2 and\nlock in ('Harrow Top')", func(p *phrase.Phrase) { p.Parts = append(p.Parts, lock) }},
		{"comments stay where they were", three, strings.Replace(three, "5.00", "7", 1), func(p *phrase.Phrase) { p.Parts[2].Values[0] = fixed("7") }},
		{"after a comment", three, "passed_at within :period -- both days\n  -- the region\n  and locks.region in :region\n  and toll >= 5.00 -- dear ones\n  and lock in ('Harrow Top')\n", func(p *phrase.Phrase) { p.Parts = append(p.Parts, lock) }},
		{"taken away with its comments", three, "passed_at within :period -- both days\n  and toll >= 5.00 -- dear ones\n", func(p *phrase.Phrase) { p.Parts = append(p.Parts[:1], p.Parts[2]) }},
		{"the last goes", three, "passed_at within :period -- both days\n  -- the region\n  and locks.region in :region\n", func(p *phrase.Phrase) { p.Parts = p.Parts[:2] }},
		{"moved with its comments", three, "passed_at within :period -- both days\n  and toll >= 5.00 -- dear ones\n  -- the region\n  and locks.region in :region\n", func(p *phrase.Phrase) { p.Parts[1], p.Parts[2] = p.Parts[2], p.Parts[1] }},
		{"other words", "passed_at  within  :period", "passed_at not within :period", func(p *phrase.Phrase) { p.Parts[0].Comparison = "not within" }},
		{"an alternative", "a = 1 and b = 2", "a = 1 and (b = 2 or lock in ('Harrow Top'))", func(p *phrase.Phrase) {
			p.Parts[1] = phrase.Phrase{Kind: phrase.Any, Parts: []phrase.Phrase{p.Parts[1], lock}}
		}},
		{"out of a group", "a = 1 and (b = 2 or c = 3)", "a = 1 and c = 3 and b = 2", func(p *phrase.Phrase) {
			group := p.Parts[1].Parts
			p.Parts = []phrase.Phrase{p.Parts[0], {Kind: phrase.Any, Parts: group[1:]}, group[0]}
		}},
		{"all becomes any", "a = 1 and b = 2", "a = 1 or b = 2", func(p *phrase.Phrase) {
			p.Parts = []phrase.Phrase{{Kind: phrase.Any, Parts: p.Parts}}
		}},
		{"only the first", "a = 1", "a = 1\nand first 10", func(p *phrase.Phrase) {
			p.Parts = append(p.Parts, phrase.Phrase{Kind: phrase.First, Comparison: "first", Values: []phrase.Value{fixed("10")}})
		}},
		{"the greatest of something", "a = 1 -- one\nand first 10 -- ten", "a = 1 -- one\nand greatest :n of toll / 2 by (lock, \"odd name\") -- ten", func(p *phrase.Phrase) {
			p.Parts[1].Comparison, p.Parts[1].Subject, p.Parts[1].Values = "greatest", &phrase.Subject{Text: "toll / 2"}, []phrase.Value{asked("n")}
			p.Parts[1].By = []phrase.Subject{{Text: "lock"}, {Text: `"odd name"`}}
		}},
		{"for each of nothing", "least 2 of toll by (lock, region)", "least 2 of toll by region", func(p *phrase.Phrase) { p.Parts[0].By = p.Parts[0].By[1:] }},
		{"a group is denied", "a = 1 and (b = 2 or c = 3)", "a = 1 and not (b = 2 or c = 3)", func(p *phrase.Phrase) { p.Parts[1].Not = true }},
		{"and admitted again", "not (b = 2 or c = 3) and a = 1", "(b = 2 or c = 3) and a = 1", func(p *phrase.Phrase) { p.Parts[0].Not = false }},
		{"inside of related records", "any passages where (toll > 3) and 1 = 1", "any passages where (toll > 3) and 1 = 2", func(p *phrase.Phrase) { p.Parts[0].Parts[1].Values[0] = fixed("2") }},
		{"more asked of them", "any passages where toll > 3", "any passages where toll > 3 and lock in ('Harrow Top')", func(p *phrase.Phrase) { p.Parts[0].Parts = append(p.Parts[0].Parts, lock) }},
		{"none of them", "a = 1 and (any passages)", "a = 1 and (no passages where lock in ('Harrow Top'))", func(p *phrase.Phrase) {
			p.Parts[1].Text, p.Parts[1].Parts = "no passages", []phrase.Phrase{lock}
		}},
		{"the values that stood there stay as they were", "toll in (5.00, 7)", "toll not in (7, 5.00, 6)", func(p *phrase.Phrase) {
			p.Parts[0].Comparison, p.Parts[0].Values = "not in", []phrase.Value{fixed("7"), fixed("5.00"), fixed("6")}
		}},
		{"a quote", "", "name = 'Smith''s'", func(p *phrase.Phrase) {
			p.Parts = append(p.Parts, says("name", catalog.Text, "=", fixed("Smith's")))
		}},
		{"a text that is longer than one condition", "", "a = 1\nand (b = 2 or c = 3)", func(p *phrase.Phrase) {
			p.Parts = append(p.Parts, says("a", catalog.Integer, "=", fixed("1")), phrase.Phrase{Kind: phrase.Free, Text: "b = 2 or c = 3"})
		}},
		{"a list that is asked for", "region = 'A'", "region in :region", func(p *phrase.Phrase) {
			p.Parts[0].Comparison, p.Parts[0].Values = "in", []phrase.Value{asked("region")}
		}},
		{"two values", "", "toll between 1 and :most", func(p *phrase.Phrase) {
			p.Parts = append(p.Parts, says("toll", catalog.Integer, "between", fixed("1"), asked("most")))
		}},
		{"worked out", "", "toll >= (a or b)", func(p *phrase.Phrase) {
			p.Parts = append(p.Parts, says("toll", catalog.Integer, ">=", phrase.Value{From: phrase.Worked, Text: "a or b"}))
		}},
		{"a comment in a piece of text takes in nothing", "", "((a = 1 or b = 2) and meets m and (any passages where c = 3))\nand d + 1 >= e + 2\nand f = 4", func(p *phrase.Phrase) {
			p.Parts = append(p.Parts,
				phrase.Phrase{Kind: phrase.All, Parts: []phrase.Phrase{
					{Kind: phrase.Free, Text: "-- x\na = 1 or b = 2 -- y"},
					{Kind: phrase.Meets, Text: "m -- z"},
					{Kind: phrase.Related, Text: "any passages -- w", Parts: []phrase.Phrase{says("c", catalog.Integer, "=", fixed("3"))}},
				}},
				says("d + 1 -- v", catalog.Integer, ">=", phrase.Value{From: phrase.Worked, Text: "e + 2 -- u"}),
				says("f", catalog.Integer, "=", fixed("4")))
		}},
		{"nothing is left", "a = 1", "", func(p *phrase.Phrase) { p.Parts = nil }},
	} {
		p := read(t, c.text)
		c.change(&p)
		got, problems := phrase.Write(c.text, p)
		require.Empty(t, problems, c.about)
		assert.Equal(t, c.want, got, c.about)
	}
}

// TestRefused: every problem of a tree is told at once, with its place.
func TestRefused(t *testing.T) {
	value := func(from phrase.From, text string) []phrase.Value { return []phrase.Value{{From: from, Text: text}} }
	says := func(typ catalog.Type, comparison string, values []phrase.Value) phrase.Phrase {
		return phrase.Phrase{Kind: phrase.Says, Subject: &phrase.Subject{Text: "c", Type: typ}, Comparison: comparison, Values: values}
	}
	_, problems := phrase.Write("", phrase.Phrase{Kind: phrase.All, Parts: []phrase.Phrase{
		says(catalog.Integer, ">=", value(phrase.Fixed, "five")),
		says(catalog.Date, "<", value(phrase.Fixed, "31 Feb 2025x")),
		says(catalog.Text, "like", value(phrase.Fixed, "x")),
		says(catalog.Text, "=", nil),
		says(catalog.Text, "between", value(phrase.Fixed, "x")),
		says(catalog.Boolean, "=", value(phrase.Fixed, "maybe")),
		says(catalog.Text, "=", value(phrase.Asked, "a b")),
		says(catalog.Text, "=", value(phrase.Worked, "(")),
		says(catalog.Text, "=", value("thin air", "x")),
		{Kind: phrase.Any},
		{Kind: phrase.Says},
		{Kind: phrase.Free, Text: "a = "},
		{Kind: phrase.Free, Text: " "},
		{Kind: "perhaps"},
		{Kind: phrase.Related, Text: "toll > 3"},
		{Kind: phrase.Related, Text: "any x where y"},
		{Kind: phrase.All, Parts: []phrase.Phrase{{Kind: phrase.Meets, Text: "1"}, {Kind: phrase.Any, Not: true}}},
		{Kind: phrase.First, Comparison: "last", Values: value(phrase.Fixed, "many")},
		{Kind: phrase.First, Comparison: "first"},
		{Kind: phrase.First, Comparison: "greatest", Values: value(phrase.Worked, "1 + 1")},
		{Kind: phrase.First, Comparison: "least", Values: value(phrase.Fixed, "1")},
		{Kind: phrase.First, Comparison: "first", Values: value(phrase.Fixed, "1"), By: []phrase.Subject{{Text: "a)"}}},
	}})
	var found []string
	for _, p := range problems {
		assert.NotEmpty(t, p.Message)
		found = append(found, p.Field+" "+p.Code)
	}
	for _, want := range []string{
		"parts[0].values[0] bad_number", "parts[1].values[0] no_such_date", "parts[2] unknown_comparison", "parts[3] wrong_number_of_values", "parts[4] wrong_number_of_values",
		"parts[5].values[0] bad_yes_no", "parts[6].values[0] unexpected", "parts[7].values[0] unexpected", "parts[8].values[0] unknown_kind", "parts[9] empty_group", "parts[10] no_subject",
		"parts[11] unexpected", "parts[12] empty_condition", "parts[13] unknown_kind", "parts[14] not_related", "parts[15] not_related", "parts[16].parts[1] empty_group",
		"parts[17] unknown_comparison", "parts[17].values[0] bad_number", "parts[18] wrong_number_of_values", "parts[19].values[0] bad_number", "parts[20] no_subject", "parts[21].by[0] unexpected",
	} {
		assert.Contains(t, found, want)
	}
	_, problems = phrase.Write("a = ", phrase.Phrase{Kind: phrase.All})
	assert.NotEmpty(t, problems, "a text that cannot be read is not written over")
}

// random makes criteria as people write them, and changes of them.
type random struct{ *rand.Rand }

func pick[T any](r random, from []T) T { return from[r.IntN(len(from))] }

func (r random) space() string {
	return pick(r, []string{" ", " ", " ", "\n", "\n  ", " -- note " + fmt.Sprint(r.IntN(1000)) + "\n", "\n  -- above " + fmt.Sprint(r.IntN(1000)) + "\n  "})
}

func (r random) condition(depth int) string {
	if depth > 0 {
		switch r.IntN(6) {
		case 0:
			return "(" + r.joined("or", depth-1) + ")"
		case 1:
			return "(" + r.joined("and", depth-1) + ")"
		case 2:
			return "not" + r.space() + pick(r, []string{"(" + r.joined("or", depth-1) + ")", r.condition(0), "(" + r.condition(depth-1) + ")"})
		case 3:
			return "(any passages" + pick(r, []string{"", " of vessels"}) + " where" + r.space() + r.joined("and", depth-1) + ")"
		}
	}
	return pick(r, []string{
		"passed_at within :period", "toll >= 5.00", "region in :region", "region in ('A', 'B', 'it''s')", "paid_on is blank", "toll between 1 and 2", "name contains 'x' ignoring case",
		"meets in_service", "5 < toll", "toll_pence / 100 >= :least", "(toll) > (1)", "due_on <= issued_on + 30 days", "no jobs", "span(a_on, b_on) overlaps :period", "lower(name) = 'x -- y'",
	})
}

func (r random) joined(word string, depth int) string {
	text := r.condition(depth)
	for range r.IntN(4) {
		text += r.space() + word + r.space() + r.condition(depth)
	}
	return text
}

// edit changes a tree somewhere: one is changed, moved, taken away, put in, joined. It
// tells whether everything that was there still is.
func (r random) edit(p *phrase.Phrase) (kept bool) {
	if inner := r.IntN(max(len(p.Parts), 1)); len(p.Parts) > 0 && len(p.Parts[inner].Parts) > 0 && r.IntN(2) == 0 {
		return r.edit(&p.Parts[inner])
	}
	made := phrase.Phrase{Kind: phrase.Says, Subject: &phrase.Subject{Text: "toll", Type: catalog.Integer}, Comparison: "<", Values: []phrase.Value{{From: phrase.Fixed, Text: fmt.Sprint(r.IntN(100))}}}
	if r.IntN(5) == 0 {
		made = phrase.Phrase{Kind: phrase.First, Comparison: pick(r, []string{"greatest", "least"}), Subject: &phrase.Subject{Text: pick(r, []string{"toll", "toll / 2"})}, Values: []phrase.Value{{From: phrase.Fixed, Text: "3"}}}
		for _, by := range []string{"lock", "month of passed_at", "toll + 1"} {
			if r.IntN(2) == 0 {
				made.By = append(made.By, phrase.Subject{Text: by})
			}
		}
	}
	if len(p.Parts) == 0 {
		p.Parts = append(p.Parts, made)
		return true
	}
	at := r.IntN(len(p.Parts))
	switch r.IntN(6) {
	case 0:
		p.Parts[at] = made
		return false
	case 1:
		to := r.IntN(len(p.Parts))
		p.Parts[at], p.Parts[to] = p.Parts[to], p.Parts[at]
	case 2:
		if len(p.Parts) > 1 {
			p.Parts = append(p.Parts[:at:at], p.Parts[at+1:]...)
			return false
		}
	case 3:
		p.Parts = append(p.Parts[:at:at], append([]phrase.Phrase{made}, p.Parts[at:]...)...)
	case 4:
		p.Parts[at] = phrase.Phrase{Kind: pick(r, []phrase.Kind{phrase.Any, phrase.All}), Not: r.IntN(3) == 0, Parts: []phrase.Phrase{p.Parts[at], made}}
	case 5:
		if v := p.Parts[at].Values; p.Parts[at].Kind == phrase.First {
			p.Parts[at].Values = []phrase.Value{{From: phrase.Asked, Text: "many"}}
		} else if len(v) > 0 && p.Parts[at].Subject.Type != phrase.Span {
			p.Parts[at].Values = append([]phrase.Value{{From: phrase.Worked, Text: "issued_on - 1 day"}}, v[1:]...)
		} else {
			p.Parts[at].Not = p.Parts[at].Kind == phrase.Any && !p.Parts[at].Not
			return false // what stood between "not" and its parenthesis
		}
		return false // what stood within the condition
	}
	return true
}

// plain is what a tree says: groups of one are what is in them, and a group in a group of
// its kind stands for its conditions.
func plain(p phrase.Phrase) phrase.Phrase {
	p.ID, p.Offset, p.Length = "", 0, 0
	parts := p.Parts
	p.Parts = nil
	for _, part := range parts {
		part = plain(part)
		if (part.Kind == phrase.All || part.Kind == phrase.Any) && !part.Not && len(part.Parts) == 1 {
			part = part.Parts[0]
		}
		p.Parts = append(p.Parts, part)
	}
	if p.Not && len(p.Parts) == 1 {
		p.Kind = phrase.All
		if inner := p.Parts[0]; (inner.Kind == phrase.All || inner.Kind == phrase.Any) && !inner.Not {
			p.Kind, p.Parts = inner.Kind, inner.Parts
		}
	}
	if p.Kind != phrase.Any && len(p.Parts) == 1 && p.Parts[0].Kind == phrase.All && !p.Parts[0].Not {
		p.Parts = p.Parts[0].Parts // "where (a and b)" has two conditions
	}
	return p
}

// TestEditsAgree: whatever was changed in the tree, the text that is written reads back
// to it, and what was not touched stands there as it did.
func TestEditsAgree(t *testing.T) {
	for seed := range uint64(4000) {
		r := random{rand.New(rand.NewPCG(17, seed))}
		text := pick(r, []string{"", "-- first\n"}) + r.joined(pick(r, []string{"and", "and", "or"}), 2) + pick(r, []string{"", "\n", " -- last\n"})
		p := read(t, text)
		unchanged, problems := phrase.Write(text, p)
		require.Empty(t, problems, text)
		require.Equal(t, text, unchanged)
		for range 1 + r.IntN(3) {
			kept := r.edit(&p)
			made, problems := phrase.Write(text, p)
			require.Empty(t, problems, "%s\n%s", text, said(p))
			again := read(t, made)
			require.Equal(t, said(plain(p)), said(plain(again)), "%s\n→\n%s", text, made)
			if kept {
				require.Equal(t, strings.Count(text, " note ")+strings.Count(text, " above "), strings.Count(made, " note ")+strings.Count(made, " above "), "%s\n→\n%s", text, made)
			}
			text, p = made, again
		}
	}
}

// FuzzWrite: no text and no tree that was read from it is too odd.
func FuzzWrite(f *testing.F) {
	for _, text := range []string{"a = 1 and (b = 2 or c = 3)", "not (a) -- x\nand b", "any x where (y)", "((a = 1))", "a in (b) and \"not\" = 1", "a = 1 -- x", "-- x\na", "a = 1 or b = 2 -- y"} {
		f.Add(text, uint64(1))
	}
	f.Fuzz(func(t *testing.T, text string, seed uint64) {
		// As a piece of text among others it is one condition, whatever stands in it.
		says := func(name string) phrase.Phrase {
			return phrase.Phrase{Kind: phrase.Says, Subject: &phrase.Subject{Text: name, Type: catalog.Integer}, Comparison: "=", Values: []phrase.Value{{From: phrase.Fixed, Text: "1"}}}
		}
		among, problems := phrase.Write("", phrase.Phrase{Kind: phrase.All, Parts: []phrase.Phrase{says("x"), {Kind: phrase.Free, Text: text}, says("y")}})
		if len(problems) == 0 {
			e, problems := criteria.Parse(among)
			require.Empty(t, problems, among)
			parts := phrase.Read(among, e, phrase.Naming{}).Parts
			require.Equal(t, "x = <fixed 1>", said(parts[0]), among)
			require.Equal(t, "y = <fixed 1>", said(parts[len(parts)-1]), among)
			require.Greater(t, len(parts), 2, among)
		}
		e, problems := criteria.Parse(text)
		if e == nil || len(problems) > 0 {
			return
		}
		p := phrase.Read(text, e, phrase.Naming{})
		made, problems := phrase.Write(text, p)
		require.Empty(t, problems)
		require.Equal(t, text, made)
		random{rand.New(rand.NewPCG(1, seed))}.edit(&p)
		if made, problems = phrase.Write(text, p); len(problems) == 0 && len(p.Parts) > 0 {
			_, problems = criteria.Parse(made)
			require.Empty(t, problems)
		}
	})
}
