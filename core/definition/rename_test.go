package definition_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/definition"
)

// TestWithNames: names are replaced where they stand, and nothing else is.
func TestWithNames(t *testing.T) {
	for text, want := range map[string]string{
		"kind: report\nname: a-b # its name\nquery:   \"a-b\"\ntitle: a-b\n": "kind: report\nname: new # its name\nquery:   new\ntitle: a-b\n",
		"# ä\nkind: report\nquery: 'q'   # ü\nname: a\n":                     "# ä\nkind: report\nquery: new   # ü\nname: new\n",
		`{"kind": "report", "name": "a", "query": "a", "about": "name: a"}`:  `{"kind": "report", "name": new, "query": new, "about": "name: a"}`,
	} {
		got, err := definition.WithNames(text, map[string]string{"name": "new", "query": "new"})
		require.NoError(t, err, text)
		_, problems := definition.Decode("", []byte(got))
		require.Empty(t, problems, got)
		assert.Equal(t, want, got)
	}
	for _, text := range []string{"kind: report\nname: a\n", "kind: report\nname: a\nquery: |\n  a\n", "name: a\n---\nname: b\n", "a: [", "- a\n"} {
		_, err := definition.WithNames(text, map[string]string{"query": "new"})
		assert.Error(t, err, text)
	}
}
