package format_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/format"
)

func language(t *testing.T, tag string) format.Language {
	t.Helper()
	if tag == "" {
		return format.Language{}
	}
	l, ok := format.LanguageOf(tag)
	require.True(t, ok, tag)
	return l
}

// TestDates: days and date-times by patterns and by the lengths of a language, and as
// workbooks have them.
func TestDates(t *testing.T) {
	const day, moment = "2025-03-09", "2025-03-09T17:05:06.25+01:00"
	for _, c := range []struct{ language, pattern, value, want, workbook string }{
		{"", "dd.MM.yyyy", day, "09.03.2025", `dd\.mm\.yyyy`},
		{"", "d/M/yy", day, "9/3/25", `d\/m\/yy`},
		{"", "EEEE d MMMM y", day, "Sunday 9 March 2025", `[$-809]dddd\ d\ mmmm\ yyyy`},
		{"de", "EEE, d. MMM y", day, "So., 9. März 2025", `[$-407]ddd\,\ d\.\ mmm\ yyyy`},
		{"fr", "d MMMM", day, "9 mars", `[$-40C]d\ mmmm`},
		{"", "QQQ y", day, "Q1 2025", ""},
		{"", "'week' w 'of' Y", day, "week 10 of 2025", ""},
		{"", "'week' ww/Y", "2024-12-30", "week 01/2025", ""},
		{"", "yyyy 'o''clock'", day, "2025 o'clock", `yyyy\ \o\'\c\l\o\c\k`},
		{"", "short", day, "09/03/2025", `dd\/mm\/yyyy`},
		{"", "medium", day, "9 Mar 2025", `[$-809]d\ mmm\ yyyy`},
		{"en-US", "long", day, "March 9, 2025", `[$-409]mmmm\ d\,\ yyyy`},
		{"de", "short", day, "09.03.25", `dd\.mm\.yy`},
		{"de", "full", day, "Sonntag, 9. März 2025", `[$-407]dddd\,\ d\.\ mmmm\ yyyy`},
		{"da", "full", day, "søndag den 9. marts 2025", `[$-406]dddd\ \d\e\n\ d\.\ mmmm\ yyyy`},
		{"sv", "short", day, "2025-03-09", `yyyy\-mm\-dd`},
		{"hu", "medium", day, "2025. márc. 9.", `[$-40E]yyyy\.\ mmm\ d\.`},
		{"ja", "long", day, "2025年3月9日", `[$-411]yyyy\年mmmmd\日`},
		{"de", "", day, "09.03.2025", `dd\.mm\.yyyy`},
		{"", "", day, day, ""},
		{"", "HH:mm", moment, "17:05", `hh\:mm`},
		{"", "h:mm a", moment, "5:05 PM", `h\:mm\ AM/PM`},
		{"", "y-MM-dd'T'HH:mm:ss.SSSXXX", moment, "2025-03-09T17:05:06.250+01:00", ""},
		{"", "medium", moment, "9 Mar 2025 17:05:06", `[$-809]d\ mmm\ yyyy\ hh\:mm\:ss`},
		{"en-US", "short", moment, "3/9/25 5:05 PM", `m\/d\/yy\ h\:mm\ AM/PM`},
		{"de", "", moment, "09.03.2025 17:05:06", `dd\.mm\.yyyy\ hh\:mm\:ss`},
		{"", "", moment, "2025-03-09 17:05:06.25+01:00", ""},
		{"", "d MMM", "31.02.2025", "31.02.2025", `[$-809]d\ mmm`}, // what is no date is as it is
		{"", "d MMM", "2025-02-31", "2025-02-31", `[$-809]d\ mmm`},
		{"", "XXX", "2025-03-09T17:05:06Z", "Z", ""},
		{"", "xxx", "2025-03-09T17:05:06Z", "+00:00", ""},
	} {
		kind := catalog.DateTime
		if len(c.value) == len(day) {
			kind = catalog.Date
		}
		shown := format.Place{Language: language(t, c.language), Zone: time.UTC}.Of(kind, c.pattern, format.Words{})
		assert.Equal(t, c.want, shown.Date(c.value), "%s %q of %s", c.language, c.pattern, c.value)
		code, ok := shown.Workbook()
		assert.Equal(t, c.workbook, code, "%s %q", c.language, c.pattern)
		assert.Equal(t, c.workbook != "", ok)
	}
}

// TestClockChange: on a day on which clocks change, the offset is told whatever the pattern.
func TestClockChange(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	shown := format.Place{Zone: london}.Of(catalog.DateTime, "d MMM HH:mm", format.Words{})
	assert.Equal(t, "26 Oct 01:30 +01:00", shown.Date("2025-10-26T01:30:00+01:00"))
	assert.Equal(t, "26 Oct 01:30 +00:00", shown.Date("2025-10-26T01:30:00+00:00"))
	assert.Equal(t, "27 Oct 01:30", shown.Date("2025-10-27T01:30:00+00:00"))
	days := format.Place{Zone: london}.Of(catalog.DateTime, "d MMM", format.Words{})
	assert.Equal(t, "26 Oct", days.Date("2025-10-26T01:30:00+00:00"), "a day is there once")
	told := format.Place{Zone: london}.Of(catalog.DateTime, "HH:mm xxx", format.Words{})
	assert.Equal(t, "01:30 +00:00", told.Date("2025-10-26T01:30:00+00:00"), "once is enough")
}

// TestRefusedDates: what is no pattern is refused, and it is said why.
func TestRefusedDates(t *testing.T) {
	for pattern, why := range map[string]string{
		"":            "it has no fields such as d, MMM and y",
		"/":           "it has no fields such as d, MMM and y",
		"dd 'of":      "a quote is not closed",
		"ddd":         "ddd is not a field; the letter is written 1 or 2 times",
		"yyy":         "yyy is not a field; the letter is written 1, 2 or 4 times",
		"DD.MM.YYYY":  `"D" is not a field; put text between quotes`,
		"d of MMM":    `"o" is not a field; put text between quotes`,
		"d\x01":       "it has a control character",
		"dd.MM HH:mm": "a day has no time",
	} {
		_, err := format.ParseDate(pattern, false, format.English)
		if assert.Error(t, err, pattern) {
			assert.Equal(t, why, err.Error(), pattern)
		}
	}
	_, err := format.ParseDate("dd.MM HH:mm", true, format.English)
	assert.NoError(t, err)
}

// FuzzDate: a pattern that is taken shows every date, and the digits of a full one say the
// same date again.
func FuzzDate(f *testing.F) {
	f.Add("dd.MM.yyyy", int64(1_700_000_000))
	f.Add("EEEE, d 'of' MMMM y, HH:mm:ss.SSS xxx", int64(-1))
	f.Fuzz(func(t *testing.T, pattern string, seconds int64) {
		at := time.Unix(seconds%(1<<36), 0).UTC()
		if at.Year() < 1 || at.Year() > 9999 {
			return
		}
		text := at.Format("2006-01-02T15:04:05Z")
		d, err := format.ParseDate(pattern, true, format.English)
		if err != nil {
			return
		}
		m, ok := format.MomentOf(text)
		require.True(t, ok, text)
		require.True(t, m.Time.Equal(at), text)
		_ = d.Format(m, true)
		iso, err := format.ParseDate("yyyy-MM-dd'T'HH:mm:ss"+"'"+"Z"+"'", true, format.English)
		require.NoError(t, err)
		require.Equal(t, text, iso.Format(m, false))
	})
}
