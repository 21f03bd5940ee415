package definition_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
)

// all are the definitions of the demonstration, in one file.
func all(t *testing.T) string {
	t.Helper()
	files, err := filepath.Glob("../../internal/demo/definitions/*.yaml")
	require.NoError(t, err)
	var texts []string
	for _, file := range files {
		content, err := os.ReadFile(file)
		require.NoError(t, err)
		texts = append(texts, string(content))
	}
	require.Greater(t, len(texts), 4)
	return strings.Join(texts, "\n---\n")
}

// TestChecked: a check asks for each source once, compiles each query once, and
// leaves the documents as they were.
func TestChecked(t *testing.T) {
	documents, problems := definition.Decode("", []byte(all(t)))
	require.Empty(t, problems)
	untouched, _ := definition.Decode("", []byte(all(t)))
	asked := map[string]int{}
	tables := &catalog.Source{Name: "navigation"}
	calendar := civil.Calendar{Zone: time.UTC, Now: 1_767_225_600, WeekStart: time.Monday}
	set, problems := definition.Check(documents, definition.Environment{
		Source:  func(name string) (*catalog.Source, *diag.Problem) { asked[name]++; return tables, nil },
		Zone:    time.LoadLocation,
		Library: definition.Library{Calendar: &calendar},
	})
	assert.True(t, problems.Failed(), "there are no such tables")
	assert.Equal(t, map[string]int{"navigation": 1, "exports": 1}, asked)
	assert.Equal(t, untouched, documents)
	for _, d := range documents {
		if q, ok := d.(*definition.Query); ok {
			first, _ := set.Compile(q, tables)
			second, again := set.Compile(q, tables)
			assert.Same(t, first, second)
			again[0].Message = "changed by whoever asked"
			_, third := set.Compile(q, tables)
			assert.NotEqual(t, again[0].Message, third[0].Message)
			found, ok := set.Query(q.Name)
			assert.True(t, ok)
			assert.Same(t, q, found)
		}
	}
}

// TestDecoder: of a text in which one document is changed, the others are the
// same as before, and what comes of it all is what reading it anew gives.
func TestDecoder(t *testing.T) {
	var decoder definition.Decoder
	before, problems := decoder.Decode("a.yaml", []byte(all(t)))
	require.Empty(t, problems)
	text := strings.Replace(all(t), "label: Toll of at least", "label: [", 1)
	after, problems := decoder.Decode("a.yaml", []byte(text))
	fresh, told := definition.Decode("a.yaml", []byte(text))
	assert.Equal(t, told, problems)
	assert.Equal(t, fresh, after)
	same := 0
	for _, d := range after {
		for _, e := range before {
			if d == e {
				same++
			}
		}
	}
	assert.Equal(t, len(after), same)
	longer, problems := decoder.Decode("a.yaml", []byte("# one line more\n"+all(t)))
	require.Empty(t, problems)
	fresh, _ = definition.Decode("a.yaml", []byte("# one line more\n"+all(t)))
	assert.Equal(t, fresh, longer, "lines are counted anew")
}
