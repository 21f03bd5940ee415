package definition_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/core/definition"
)

const before = `# Passages, by lock.
kind: query
name: passages
title: Passages
source: navigation
from: passages

# What is asked.
parameters:
  # The days.
  - name: period
    kind: period
    label: Which days? # both count
    required: true
  - {name: lock, kind: text, label: Lock, many: true}
columns:
  - id
  - {name: toll, value: toll_pence / 100}
criteria: |
  passed_at within :period
  and lock_id in :lock
sort: [passed_at]
`

// TestMerge: two changes that do not touch are both made, with their comments; where they
// touch, the fields are told and nothing is made.
func TestMerge(t *testing.T) {
	change := func(pairs ...string) string { return strings.NewReplacer(pairs...).Replace(before) }
	for name, c := range map[string]struct {
		theirs, mine, want []string
		touching           []string
	}{
		"nothing of mine":      {theirs: []string{"title: Passages", "title: All"}, mine: nil, want: []string{"title: Passages", "title: All"}},
		"two fields":           {theirs: []string{"title: Passages", "title: All # theirs"}, mine: []string{"sort: [passed_at]", "sort: [id]"}, want: []string{"title: Passages", "title: All # theirs", "sort: [passed_at]", "sort: [id]"}},
		"the same":             {theirs: []string{"title: Passages", "title: All"}, mine: []string{"title: Passages", "title: All"}, want: []string{"title: Passages", "title: All"}},
		"one field":            {theirs: []string{"title: Passages", "title: All"}, mine: []string{"title: Passages", "title: Every one"}, touching: []string{"title"}},
		"two questions":        {theirs: []string{"label: Lock,", "label: Locks,"}, mine: []string{"label: Which days?", "label: Days?"}, want: []string{"label: Lock,", "label: Locks,", "label: Which days?", "label: Days?"}},
		"fields of a question": {theirs: []string{"    required: true\n", "    required: false\n"}, mine: []string{"- name: period", "- name: period # asked first", "label: Which days? # both count", "label: Days? # both"}, want: []string{"    required: true\n", "    required: false\n", "- name: period", "- name: period # asked first", "label: Which days? # both count", "label: Days? # both"}},
		"a field of a question": {
			theirs: []string{"label: Which days?", "label: Days?"}, mine: []string{"label: Which days?", "label: When?"}, touching: []string{"parameters.period.label"},
		},
		"a question in one line":    {theirs: []string{"label: Lock,", "label: Locks,"}, mine: []string{", many: true", ""}, touching: []string{"parameters.lock"}},
		"both add columns":          {theirs: []string{"  - id\n", "  - id\n  - lock_id # theirs\n"}, mine: []string{"toll_pence / 100}\n", "toll_pence / 100}\n  - vessel_id\n"}, want: []string{"  - id\n", "  - id\n  - lock_id # theirs\n", "toll_pence / 100}\n", "toll_pence / 100}\n  - vessel_id\n"}},
		"both add at one place":     {theirs: []string{"toll_pence / 100}\n", "toll_pence / 100}\n  - lock_id\n"}, mine: []string{"toll_pence / 100}\n", "toll_pence / 100}\n  - vessel_id\n"}, want: []string{"toll_pence / 100}\n", "toll_pence / 100}\n  - vessel_id\n  - lock_id\n"}},
		"one removes":               {theirs: []string{"  - id\n", ""}, mine: []string{"toll_pence / 100", "toll_pence"}, want: []string{"  - id\n", "", "toll_pence / 100", "toll_pence"}},
		"one removes, one changes":  {theirs: []string{"  - {name: toll, value: toll_pence / 100}\n", ""}, mine: []string{"toll_pence / 100", "toll_pence"}, touching: []string{"columns.toll"}},
		"I move, they add":          {theirs: []string{"criteria: |", "distinct: true\ncriteria: |"}, mine: []string{"  - id\n", "", "toll_pence / 100}\n", "toll_pence / 100}\n  - id\n"}, want: []string{"criteria: |", "distinct: true\ncriteria: |", "  - id\n", "", "toll_pence / 100}\n", "toll_pence / 100}\n  - id\n"}},
		"criteria":                  {theirs: []string{"  and lock_id in :lock\n", ""}, mine: []string{"passed_at within :period\n", "passed_at within :period -- all\n"}, touching: []string{"criteria"}},
		"a comment and a new field": {theirs: []string{"# What is asked.", "# What people are asked."}, mine: []string{"source: navigation\n", "source: navigation\nfolder: dues\n"}, want: []string{"# What is asked.", "# What people are asked.", "source: navigation\n", "source: navigation\nfolder: dues\n"}},
	} {
		t.Run(name, func(t *testing.T) {
			merged, touching := definition.Merge(before, change(c.theirs...), change(c.mine...))
			assert.Equal(t, c.touching, touching)
			if c.touching == nil {
				assert.Equal(t, change(c.want...), merged)
			}
			back, again := definition.Merge(before, change(c.mine...), change(c.theirs...))
			assert.Len(t, again, len(touching))
			if touching == nil && name != "both add at one place" {
				assert.Equal(t, merged, back)
			}
		})
	}
	for _, text := range []string{"", "kind: [", `{"kind": "query"}`} {
		_, touching := definition.Merge(before, text, change("navigation", "other"))
		assert.NotEmpty(t, touching, text)
	}
}
