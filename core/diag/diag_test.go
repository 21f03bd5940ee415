package diag_test

import (
	"testing"

	"github.com/rivo/uniseg"
	"github.com/stretchr/testify/assert"

	"pikegate/core/diag"
)

// TestCaret: marks stand beneath the part in question, whatever the width of
// the characters before it.
func TestCaret(t *testing.T) {
	for _, c := range []struct{ source, part, want string }{
		{"last mnth", "mnth", "last mnth\n     ^^^^"},
		{"æøå mnth", "mnth", "æøå mnth\n    ^^^^"},
		{"日本 mnth", "mnth", "日本 mnth\n     ^^^^"},
		{"cafe\u0301 mnth", "mnth", "cafe\u0301 mnth\n     ^^^^"},
		{"one\ntwo mnth\nthree", "mnth", "two mnth\n    ^^^^"},
		{"a\tb", "b", "a b\n  ^"},
		{"", "", "\n^"},
	} {
		at := len([]rune(c.source[:index(c.source, c.part)]))
		p := diag.Problem{Offset: at, Length: len([]rune(c.part))}
		assert.Equal(t, c.want, diag.Caret(c.source, p, uniseg.StringWidth), c.source)
	}
}

func index(s, part string) int {
	for i := range len(s) + 1 {
		if len(s)-i >= len(part) && s[i:i+len(part)] == part {
			return i
		}
	}
	return len(s)
}

func TestNearest(t *testing.T) {
	words := []string{"month", "monday", "quarter"}
	for word, want := range map[string]string{"mnth": "month", "Mnoday": "monday", "quaretr": "quarter", "xyz": "", "": ""} {
		got, _ := diag.Nearest(word, words)
		assert.Equal(t, want, got, word)
	}
}

func TestAt(t *testing.T) {
	p := diag.At("日本 x", 7, 8, "code", "message")
	assert.Equal(t, []int{3, 1}, []int{p.Offset, p.Length}, "places are in characters")
}
