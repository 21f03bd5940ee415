package paper

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestOrdered: texts from right to left stand as they are seen, numbers and names in them as
// they are; Arabic letters have the forms that join them.
func TestOrdered(t *testing.T) {
	for text, want := range map[string]string{
		"Mossgill":      "Mossgill",
		"Zoë Åkerlund":  "Zoë Åkerlund",
		"שלום":          "םולש",
		"שלום 42":       "42 םולש",
		"Lock שלום one": "Lock םולש one",
		"سلام":          "\uFEE1\uFEFC\uFEB3", // seen from the left: meem, lam with alef at an end, seen at a beginning
		"باب":           "\uFE8F\uFE8E\uFE91",
		"ببب":           "\uFE90\uFE92\uFE91",
		"دار":           "\uFEAD\uFE8D\uFEA9", // letters that join to nothing after them
		"لا":            "\uFEFB",
		"پل":            "\uFEDE\uFB58",
	} {
		assert.Equal(t, want, ordered(text), text)
	}
	assert.Equal(t, "\uFE91\u064E\uFE90", joined("ب\u064Eب"), "a mark does not part letters")
	assert.Equal(t, []run{{ownFont, "Lock"}}, visual("Lock"))
}

// TestWide: stretches of wide letters are drawn in fonts that have them, where these are
// installed; else it is said which package has them.
func TestWide(t *testing.T) {
	assert.Empty(t, Missing("Zoë שלום سلام ✓"))
	for _, c := range []struct{ text, font, pkg string }{{"水門、", "wide", "fonts-droid-fallback"}, {"ふね", "wide", "fonts-droid-fallback"}, {"한글", "korean", "fonts-nanum"}} {
		if fontOf([]rune(c.text)[0]) == ownFont {
			assert.Equal(t, c.pkg, Missing("Lock "+c.text))
			assert.Equal(t, []run{{ownFont, "Lock " + c.text}}, visual("Lock "+c.text))
			continue
		}
		assert.Empty(t, Missing(c.text))
		assert.Equal(t, []run{{ownFont, "Lock "}, {c.font, c.text}, {ownFont, " 7"}}, visual("Lock "+c.text+" 7"))
		l := NewLetters()
		one, two := l.Width(c.text[:3], 10, false), l.Width(c.text[:3]+c.text[:3], 10, true)
		assert.InDelta(t, 10/pointsPerMillimetre, one, 0.6, "about as wide as it is high")
		assert.InDelta(t, 2*one, two, 0.01)
	}
}
