package cli

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestVisible: what comes from others commands no terminal, however it is cut.
func TestVisible(t *testing.T) {
	for text, want := range map[string]string{
		"a\x1b[2Jb":                  "a·[2Jb",
		"a\rb\x07\x7f":               "a·b··",
		"\u009b31m":                  "·31m",
		"x\u202egpj.exe\u2066\u200f": "x·gpj.exe··",
		"two\n\tlines, é, 漢, 🚤":      "two\n\tlines, é, 漢, 🚤",
		"\x9bm":                      "\ufffdm",
		"a\u2028b":                   "a·b",
	} {
		var whole, cut bytes.Buffer
		v := &visible{to: &whole}
		_, err := v.Write([]byte(text))
		require.NoError(t, err)
		assert.Equal(t, want, whole.String(), "%q", text)
		v = &visible{to: &cut}
		for i := range len(text) {
			n, err := v.Write([]byte(text)[i : i+1])
			require.NoError(t, err)
			assert.Equal(t, 1, n)
		}
		assert.Equal(t, want, cut.String(), "%q", text)
	}
}
