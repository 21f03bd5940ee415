package catalog_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/core/catalog"
)

// TestSurvey: what is known of a column after its values were seen: how many do
// not fit, which, and the one way in which all are written.
func TestSurvey(t *testing.T) {
	for _, c := range []struct {
		name     string
		encoding catalog.Encoding
		stored   catalog.Type
		values   []any
		unfit    int64
		layout   string
		evidence string
	}{
		{"days", catalog.EncISODate, catalog.Text, []any{"2025-01-31", nil, "2024-02-29"}, 0, "0000-00-00", "text, YYYY-MM-DD, real days: all 2 values fit"},
		{"no days", catalog.EncISODate, catalog.Text, []any{"2025-01-31", "2025-02-30", "21.01.2025", "", "n/a", "n/a"}, 5, "", `of all 6 values, 5 do not fit, such as "2025-02-30", "21.01.2025", ""`},
		{"numbers", catalog.EncYMD, catalog.Integer, []any{int64(20250131), int64(0), int64(99999999)}, 2, "", `such as "0", "99999999"`},
		{"one way", catalog.EncISOInstant, catalog.Text, []any{"2025-01-31T08:30:00Z", "2025-02-01T09:31:01Z"}, 0, "0000-00-00T00:00:00Z", "all 2 values fit"},
		{"two ways", catalog.EncISOInstant, catalog.Text, []any{"2025-01-31T08:30:00Z", "2025-01-31 08:30:00Z"}, 0, "", "fit; written in several ways"},
		{"fractions", catalog.EncISOInstant, catalog.Text, []any{"2025-01-31T08:30:00Z", "2025-01-31T08:30:00.5Z"}, 0, "", "written in several ways"},
		{"months", catalog.EncYM, catalog.Text, []any{"2025-01", "202502"}, 1, "", `such as "202502"`},
		{"one", catalog.EncISODate, catalog.Text, []any{nil, "2025-01-31"}, 0, "0000-00-00", "real days: the one value fits"},
		{"none", catalog.EncISODate, catalog.Text, []any{nil}, 0, "", "no values yet"},
	} {
		column := catalog.Column{Name: "d", Stored: c.stored, Encoding: c.encoding, Type: c.encoding.Type()}
		s := catalog.NewSurvey(column)
		seen := 0
		for _, v := range c.values {
			if s.See(v); v != nil {
				seen++
			}
		}
		s.Apply(&column, "all "+string(rune('0'+seen))+" values")
		assert.Equal(t, c.unfit, column.Unfit, c.name)
		assert.Equal(t, c.layout, column.Shape, c.name)
		assert.Contains(t, column.Evidence, c.evidence, c.name)
	}
}

// TestPropose: a column is taken for dates where nearly all of its values are.
func TestPropose(t *testing.T) {
	days := func(unfit int) []any {
		values := make([]any, 100)
		for i := range values {
			values[i] = "2025-01-31"
			if i < unfit {
				values[i] = "n/a"
			}
		}
		return values
	}
	text := catalog.Column{Name: "d", Stored: catalog.Text, Type: catalog.Text}
	for unfit, want := range map[int]bool{0: true, 10: true, 11: false, 100: false} {
		c, ok := catalog.Propose(text, days(unfit))
		assert.Equal(t, want, ok, "%d of 100", unfit)
		if ok {
			assert.Equal(t, catalog.EncISODate, c.Encoding)
		}
	}
	_, ok := catalog.Propose(text, nil)
	assert.False(t, ok, "of nothing, nothing is known")
}
