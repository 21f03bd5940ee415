package policy

import (
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/phrase"
	"pikegate/core/sqltext"
)

// everyDefinition visits those of all files in the project.
func everyDefinition(t *testing.T, visit func(path string, d definition.Document)) {
	t.Helper()
	require.NoError(t, filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if d != nil && d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git" || d.Name() == "dist") {
			return fs.SkipDir
		}
		if err != nil || filepath.Ext(path) != ".yaml" {
			return err
		}
		content, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		documents, _ := definition.Decode(path, content) // some are wrong on purpose
		for _, d := range documents {
			visit(path, d)
		}
		return nil
	}))
}

// TestSentencesOfDefinitions: the criteria of every definition in the project open as
// conditions, and written without a change they are the text, byte for byte.
func TestSentencesOfDefinitions(t *testing.T) {
	looked := 0
	everyDefinition(t, func(path string, d definition.Document) {
		text := ""
		switch d := d.(type) {
		case *definition.Query:
			text = d.Criteria.Value
		case *definition.Criterion:
			text = d.Criteria.Value
		case *definition.RowRule:
			text = d.Criteria.Value
		}
		e, problems := criteria.Parse(text)
		if strings.TrimSpace(text) == "" || len(problems) > 0 {
			return
		}
		looked++
		tree := phrase.Read(text, e, phrase.Naming{})
		assert.NotEmpty(t, tree.Parts, "%s: %s", path, text)
		written, problems := phrase.Write(text, tree)
		assert.Empty(t, problems, path)
		assert.Equal(t, text, written, path)
	})
	assert.Greater(t, looked, 10)
}

// TestNamesOfDefinitions: every name that a definition in the project says can be another
// one, and given back it is the text, byte for byte. No use of a query, of a shared question
// or condition goes unseen.
func TestNamesOfDefinitions(t *testing.T) {
	looked := 0
	everyDefinition(t, func(path string, d definition.Document) {
		if _, problems := definition.Decode(path, []byte(d.Raw())); problems.Failed() {
			return
		}
		if _, problems := definition.Check([]definition.Document{d}, definition.Environment{}); problems.Failed() {
			return
		}
		mentions := definition.Mentions(d, sqltext.Flavour{})
		for _, used := range definition.Uses(d) {
			kind, name, _ := strings.Cut(used, " ")
			seen := slices.ContainsFunc(mentions, func(m definition.Mention) bool { return m.Kind == kind && m.Name == name })
			assert.True(t, seen || kind == "source", "%s: %s", path, used)
		}
		for _, m := range mentions {
			is := func(name string) func(definition.Mention) string {
				return func(other definition.Mention) string {
					if other.Kind == m.Kind && other.Of == m.Of && (other.Name == m.Name || other.Name == "zzz") {
						return name
					}
					return other.Name
				}
			}
			text, changed, err := definition.Rewritten(d, sqltext.Flavour{}, is("zzz"))
			require.NoError(t, err, "%s: %v", path, m)
			looked++
			if strings.Contains(text, "{name: zzz, value: ") && m.Kind == "column" { // a column that was its name alone
				continue
			}
			documents, problems := definition.Decode(path, []byte(text))
			require.NoError(t, problems.Err(), text)
			kind, name := documents[0].Ident()
			_, own := d.Ident()
			back, again, err := definition.Rewritten(documents[0], sqltext.Flavour{}, func(other definition.Mention) string {
				other.Of = strings.Replace(other.Of, kind+" "+name, kind+" "+own, 1)
				return is(m.Name)(other)
			})
			require.NoError(t, err, "%s: %v", path, m)
			assert.Equal(t, d.Raw(), back, "%s: %v", path, m)
			assert.Len(t, again, len(changed), "%s: %v", path, m)
		}
	})
	assert.Greater(t, looked, 100)
}
