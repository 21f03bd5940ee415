package policy

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/phrase"
)

// TestSentencesOfDefinitions: the criteria of every definition in the project open as
// conditions, and written without a change they are the text, byte for byte.
func TestSentencesOfDefinitions(t *testing.T) {
	looked := 0
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
				continue
			}
			looked++
			tree := phrase.Read(text, e, phrase.Naming{})
			assert.NotEmpty(t, tree.Parts, "%s: %s", path, text)
			written, problems := phrase.Write(text, tree)
			assert.Empty(t, problems, path)
			assert.Equal(t, text, written, path)
		}
		return nil
	}))
	assert.Greater(t, looked, 10)
}
