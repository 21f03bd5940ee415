package format_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/core/catalog"
	"pikegate/core/format"
)

// TestNumbers: numbers of a column with the marks of a language; decimals are grouped, whole
// numbers may be names.
func TestNumbers(t *testing.T) {
	for _, c := range []struct {
		language     string
		kind         catalog.Type
		format, want string
		number       string
	}{
		{"", catalog.Decimal, "", "1,234,567.5", "1234567.5"},
		{"", catalog.Integer, "", "1234567", "1234567"},
		{"", catalog.Decimal, "plain", "1234567.5", "1234567.5"},
		{"", catalog.Decimal, "money", "-1,234.50", "-1234.5"},
		{"", catalog.Integer, "money", "1,234.00", "1234"},
		{"", catalog.Decimal, "", "12,345,678,901,234,567,890.000000000001", "12345678901234567890.000000000001"},
		{"de", catalog.Decimal, "", "1.234.567,5", "1234567.5"},
		{"de", catalog.Integer, "", "1234567", "1234567"},
		{"de", catalog.Decimal, "plain", "1234567,5", "1234567.5"},
		{"de-CH", catalog.Decimal, "money", "1’234’567.50", "1234567.5"},
		{"fr", catalog.Decimal, "#,##0.0 '€'", "1\u202f234,5 €", "1234.5"},
		{"sv", catalog.Decimal, "0.0%", "12,5%", "0.125"},
		{"de", catalog.Decimal, "", "NaN", "NaN"},
		{"", catalog.Decimal, "", "-", "-"},
		{"", catalog.Decimal, "no pattern", "1.5", "1.5"},
	} {
		shown := format.Place{Language: language(t, c.language)}.Of(c.kind, c.format, format.Words{})
		assert.Equal(t, c.want, shown.Number(c.number), "%+v", c)
	}
}

// TestDurationText: numbers of hours and of minutes are shown with their units, rounded in
// the last one.
func TestDurationText(t *testing.T) {
	for _, c := range []struct{ number, format, text string }{
		{"27.75", "hours", "27 h 45 min"},
		{"27", "hours", "27 h"},
		{"0.75", "hours", "45 min"},
		{"0", "hours", "0 min"},
		{"-1.5", "hours", "-1 h 30 min"},
		{"0.175", "hours", "11 min"}, // 10.5
		{"-0.001", "hours", "0 min"},
		{"1.9999", "hours", "2 h"},
		{"12345.5", "hours", "12345 h 30 min"},
		{"12.5", "minutes", "12 min 30 s"},
		{"0.333333333333", "minutes", "20 s"},
		{"many", "hours", "many"},
	} {
		shown := format.Place{}.Of(catalog.Decimal, c.format, format.Words{})
		assert.Equal(t, c.text, shown.Number(c.number), c)
	}
}

// TestLanguages: each language that can be named has its marks and its lengths.
func TestLanguages(t *testing.T) {
	for _, tag := range []string{"bg", "cs", "da", "de", "de-AT", "de-CH", "el", "en", "en-GB", "en-US", "en-AU", "es", "es-MX", "et", "fi", "fr", "fr-CA", "he", "hr", "hu", "id", "it", "ja", "ko", "lt", "lv", "nb", "nl", "pl", "pt", "pt-PT", "ro", "ru", "sk", "sl", "sv", "tr", "uk", "zh"} {
		l := language(t, tag)
		assert.NotEmpty(t, l.Group, tag)
		assert.Contains(t, []string{".", ","}, l.Decimal, tag)
		for _, length := range format.Lengths {
			for _, withTime := range []bool{false, true} {
				_, err := format.ParseDate(length, withTime, l)
				assert.NoError(t, err, "%s %s: %s", tag, length, l.Pattern(length, withTime))
			}
		}
	}
	_, known := format.LanguageOf("tlh")
	assert.False(t, known)
	swiss, _ := format.LanguageOf("de-LI")
	assert.Equal(t, "de-LI", swiss.Tag, "of a region that is not known, the language as such")
	assert.Equal(t, ",", swiss.Decimal)
}
