package definition_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
)

// spring is the context in which the files of testdata are checked.
var spring = civil.Calendar{Zone: time.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 18).Midnight()), WeekStart: time.Monday}

// TestFindings checks each file of testdata. A line that ends in a comment
// `#! CODE part of the sentence` must give that problem, on that line; a
// comment `#! CODE …` on a line of its own is for problems without a line.
func TestFindings(t *testing.T) {
	files, err := filepath.Glob("testdata/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			content, err := os.ReadFile(file)
			require.NoError(t, err)
			var want []string
			for i, line := range strings.Split(string(content), "\n") {
				before, expected, marked := strings.Cut(line, "#! ")
				if !marked {
					continue
				}
				number := i + 1
				if strings.TrimSpace(before) == "" {
					number = 0
				}
				want = append(want, fmt.Sprintf("%d %s", number, expected))
			}
			documents, problems := definition.Decode(file, content)
			_, found := definition.Check(documents, definition.Environment{Library: definition.Library{Calendar: &spring}})
			problems = append(problems, found...)
			var got []string
			for _, p := range problems {
				got = append(got, fmt.Sprintf("%d %s %s %s", p.Line, p.Code, p.Message, p.Hint))
			}
			for _, w := range want {
				line, rest, _ := strings.Cut(w, " ")
				code, part, _ := strings.Cut(rest, " ")
				found := false
				for i, g := range got {
					if strings.HasPrefix(g, line+" "+code+" ") && strings.Contains(g, part) {
						got, found = append(got[:i], got[i+1:]...), true
						break
					}
				}
				assert.True(t, found, "not found: %s", w)
			}
			assert.Empty(t, got, "found and not expected")
		})
	}
}

func TestDecode(t *testing.T) {
	documents, problems := definition.Decode("x", []byte(`
kind: query
name: q
source: s
from: t
parameters:
  - { name: p, kind: period, limits: { latest: today } }
columns:
  - a.b
  - { name: c, value: d / 100, format: money }
criteria: |
  when within :p
sort: [b descending blanks first]
---
{"kind": "report", "name": "r", "query": "q", "ask": [{"p": {"label": "Which?", "quick": [2025]}}], "set": {"x": 5}}
`))
	require.Empty(t, problems)
	require.Len(t, documents, 2)
	q, r := documents[0].(*definition.Query), documents[1].(*definition.Report)
	assert.Equal(t, "b", q.Columns[0].Name)
	assert.Equal(t, "d / 100", q.Columns[1].Value.Value)
	assert.Equal(t, 12, q.Criteria.Line)
	assert.Contains(t, q.Raw(), "from: t")
	assert.NotContains(t, q.Raw(), "report")
	assert.Equal(t, []definition.Asked{{Name: "p", Label: "Which?", Quick: []string{"2025"}}}, r.Ask)
	assert.Equal(t, "5", r.Set["x"])
	asked, set := r.Questions(*q)
	assert.Len(t, asked, 1)
	assert.Empty(t, set)
	assert.Equal(t, "Which?", asked[0].Label)
}

// TestSchema: every field of the format is in the schema, described.
func TestSchema(t *testing.T) {
	text, err := definition.Schema()
	require.NoError(t, err)
	var schema struct {
		OneOf []struct {
			Properties           map[string]map[string]any
			Required             []string
			AdditionalProperties bool
		}
	}
	require.NoError(t, json.Unmarshal(text, &schema))
	require.Len(t, schema.OneOf, 9)
	assert.ElementsMatch(t, []string{"kind", "name", "source"}, schema.OneOf[4].Required)
	for _, kind := range schema.OneOf {
		assert.False(t, kind.AdditionalProperties)
		for name, p := range kind.Properties {
			described(t, name, p)
		}
	}
}

// described holds that a field, and every field below it, has a description
// and, unless it has fields itself, an example or the words it takes.
func described(t *testing.T, name string, p map[string]any) {
	t.Helper()
	assert.NotEmpty(t, p["description"], name)
	var below []map[string]any
	for _, shape := range []any{p, p["items"], p["additionalProperties"]} {
		if m, ok := shape.(map[string]any); ok {
			below = append(below, m)
			either, _ := m["anyOf"].([]any)
			for _, e := range either {
				below = append(below, e.(map[string]any))
			}
		}
	}
	leaf := true
	for _, m := range below {
		if extra, ok := m["additionalProperties"].(map[string]any); ok {
			below = append(below, extra)
		}
		fields, _ := m["properties"].(map[string]any)
		for field, inner := range fields {
			leaf = false
			described(t, name+"."+field, inner.(map[string]any))
		}
	}
	if leaf && p["items"] == nil {
		assert.True(t, p["examples"] != nil || p["enum"] != nil || p["const"] != nil, "%s has no example", name)
	}
}

// FuzzDecode holds that nothing panics, whatever a file holds, and that a
// problem names the file.
func FuzzDecode(f *testing.F) {
	files, err := filepath.Glob("testdata/*.yaml")
	if err != nil {
		f.Fatal(err)
	}
	for _, file := range files {
		content, err := os.ReadFile(file)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(content)
	}
	f.Fuzz(func(t *testing.T, content []byte) {
		documents, problems := definition.Decode("f.yaml", content)
		for _, p := range problems {
			if p.File != "f.yaml" || p.Code == "" || p.Message == "" {
				t.Fatalf("a problem out of place: %+v", p)
			}
		}
		_, _ = definition.Check(documents, definition.Environment{})
	})
}

// TestFormat: what is formatted means the same, and formatted again it stays.
func TestFormat(t *testing.T) {
	files, err := filepath.Glob("../../internal/demo/definitions/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		content, err := os.ReadFile(file)
		require.NoError(t, err)
		scrambled := strings.ReplaceAll(strings.ReplaceAll(string(content), "within", "WITHIN"), "  - {name", "  -   { name")
		once, problems := definition.Format(file, []byte(scrambled))
		require.Empty(t, problems, file)
		twice, problems := definition.Format(file, once)
		require.Empty(t, problems, file)
		assert.Equal(t, string(once), string(twice))
		assert.Equal(t, string(content), string(once), "the demonstration is written as it should be")
	}
	_, problems := definition.Format("x.yaml", []byte("kind: quary\n"))
	assert.True(t, problems.Failed())
}

// TestTakenOver: a question takes over the answer of one of its own kind alone.
func TestTakenOver(t *testing.T) {
	kinds := []string{"text", "yes-no", "integer", "decimal", "date", "date-time", "period"}
	alike := map[string]string{"text": "text", "yes-no": "yes-no", "integer": "number", "decimal": "number", "date": "time", "date-time": "time", "period": "time"}
	for _, from := range kinds {
		for _, to := range kinds {
			documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: s\nfrom: t\nparameters: [{name: a, kind: "+from+"}, {name: b, kind: "+to+", derive: \":a\"}]\ncolumns: [c]\ncriteria: \":b is not blank\"\n"))
			require.Empty(t, problems)
			_, problems = definition.Check(documents, definition.Environment{})
			codes := []string{}
			for _, p := range problems {
				codes = append(codes, p.Code)
			}
			assert.Equal(t, alike[from] != alike[to], slices.Contains(codes, "type_mismatch"), "%s of %s: %v", to, from, problems)
		}
	}
}

// TestDeepComments: what stands in a comment nests nothing.
func TestDeepComments(t *testing.T) {
	query := "kind: query\nname: q\nsource: s\nfrom: t\ncolumns: [c]\n"
	for text, deep := range map[string]bool{
		"# " + strings.Repeat("-", 300) + "\n" + query:    false,
		"  # " + strings.Repeat("[", 300) + "\n" + query:  false,
		query + "about: a " + strings.Repeat("-", 300):    false,
		query + "x: " + strings.Repeat("[", 300):          true,
		query + "x:\n  " + strings.Repeat("- ", 300):      true,
		query + "x: [\"#\"," + strings.Repeat(" [", 300):  true,
		query + "x:\n" + strings.Repeat("? ", 300) + "\n": true,
	} {
		_, problems := definition.Decode("", []byte(text))
		codes := []string{}
		for _, p := range problems {
			codes = append(codes, p.Code)
		}
		assert.Equal(t, deep, slices.Contains(codes, "too_deep"), "%.60q: %v", text, codes)
	}
}
