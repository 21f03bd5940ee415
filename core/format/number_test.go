package format_test

import (
	"strings"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/format"
)

func TestFormat(t *testing.T) {
	for _, c := range []struct{ pattern, number, want, workbook string }{
		{"#,##0.00", "1234567.885", "1,234,567.89", "#,##0.00"},
		{"#,##0.00", "-0.005", "-0.01", "#,##0.00"},
		{"#,##0.00", "-0.004", "0.00", "#,##0.00"},
		{"0", "0.5", "1", "0"},
		{"0", "-0.4", "0", "0"},
		{"#", "0", "0", "#"},
		{"#.##", "0.5", ".5", "#.##"},
		{"000", "7", "007", "000"},
		{"#,##0", "12345678901234567890.4", "12,345,678,901,234,567,890", "#,##0"},
		{"#,##,##0.0", "123456789", "12,34,56,789.0", "#,##0.0"},
		{"#,##0,000", "5", "0,005", "0,000"},
		{"0.0#%", "0.12345", "12.35%", "0.0#%"},
		{"0%", "-0.07", "-7%", "0%"},
		{"0.0‰", "0.0125", "12.5‰", ""},
		{"£#,##0.00", "-1.5", "-£1.50", `\£#,##0.00`},
		{"'£'#,##0.00;('£'#,##0.00)", "-1234.5", "(£1,234.50)", `\£#,##0.00;\(\£#,##0.00\)`},
		{"0.00' m'", "12.5", "12.50 m", `0.00\ \m`},
		{"0.###", "2.50", "2.5", "0.###"},
		{"0' o''clock'", "3", "3 o'clock", `0\ \o\'\c\l\o\c\k`},
		{"0 ''", "3", "3 '", `0\ \'`},
		{"0;0-", "-3", "3-", `0;0\-`},
		{"#,#00", "5", "05", "#,#00"},
	} {
		p, err := format.ParseNumber(c.pattern)
		require.NoError(t, err, c.pattern)
		assert.Equal(t, c.want, p.Format(decimal.RequireFromString(c.number), format.Language{}), "%s of %s", c.pattern, c.number)
		code, ok := p.Workbook()
		assert.Equal(t, c.workbook, code, c.pattern)
		assert.Equal(t, c.workbook != "", ok)
	}
}

func TestRefused(t *testing.T) {
	for pattern, says := range map[string]string{
		"": "no digits", "money": "no digits", "abc": "no digits", "0#": "away from it", "0.#0": "away from it", "0,": "between two marks", "#,,0": "between two marks", "0.": "behind the decimal mark",
		"0.0,0": "behind the decimal mark", "0.0.0": "behind the decimal mark", "'£0": "not closed", "0%‰": "two of", "0E0": "quote it", "¤0": "quote it", "@@": "quote it", "0 0": "does not fit",
		"0;0": "look like positive", "0;(0) 0": "at its end", "12": "quote it", "0\n": "control character", strings.Repeat("0", 31): "more than 30", strings.Repeat("#", 201): "longer than",
	} {
		_, err := format.ParseNumber(pattern)
		assert.ErrorContains(t, err, says, "%q", pattern)
	}
}

// FuzzPattern: whatever is taken shows every number, and different numbers of the places
// that it has differently.
func FuzzPattern(f *testing.F) {
	f.Add("#,##0.00;(#,##0.00)", int64(-123456), int32(-2))
	f.Add("0.0#%", int64(5), int32(-3))
	f.Add("'x'#'y'", int64(0), int32(1))
	f.Fuzz(func(t *testing.T, text string, n int64, exponent int32) {
		p, err := format.ParseNumber(text)
		if err != nil || exponent < -40 || exponent > 40 {
			return
		}
		d := decimal.New(n, exponent)
		shown := p.Format(d, format.Language{})
		require.NotEmpty(t, shown)
		rounded := d.Shift(p.Shift).Round(int32(p.Most)).Shift(-p.Shift)
		require.Equal(t, shown, p.Format(rounded, format.Language{}), "what is shown is of the number as it is shown")
		next := rounded.Add(decimal.New(1, -int32(p.Most)).Shift(-p.Shift))
		require.NotEqual(t, shown, p.Format(next, format.Language{}), "%s and %s", rounded, next)
	})
}
