package format

import (
	"cmp"
	"strings"
	"sync"
	"time"

	"github.com/go-playground/locales"
	"github.com/go-playground/locales/bg"
	"github.com/go-playground/locales/cs"
	"github.com/go-playground/locales/da"
	"github.com/go-playground/locales/de"
	"github.com/go-playground/locales/de_AT"
	"github.com/go-playground/locales/de_CH"
	"github.com/go-playground/locales/el"
	"github.com/go-playground/locales/en"
	"github.com/go-playground/locales/en_AU"
	"github.com/go-playground/locales/en_CA"
	"github.com/go-playground/locales/en_GB"
	"github.com/go-playground/locales/en_IE"
	"github.com/go-playground/locales/en_NZ"
	"github.com/go-playground/locales/en_ZA"
	"github.com/go-playground/locales/es"
	"github.com/go-playground/locales/es_MX"
	"github.com/go-playground/locales/et"
	"github.com/go-playground/locales/fi"
	"github.com/go-playground/locales/fr"
	"github.com/go-playground/locales/fr_CA"
	"github.com/go-playground/locales/fr_CH"
	"github.com/go-playground/locales/he"
	"github.com/go-playground/locales/hr"
	"github.com/go-playground/locales/hu"
	"github.com/go-playground/locales/id"
	"github.com/go-playground/locales/it"
	"github.com/go-playground/locales/it_CH"
	"github.com/go-playground/locales/ja"
	"github.com/go-playground/locales/ko"
	"github.com/go-playground/locales/lt"
	"github.com/go-playground/locales/lv"
	"github.com/go-playground/locales/nb"
	"github.com/go-playground/locales/nl"
	"github.com/go-playground/locales/pl"
	"github.com/go-playground/locales/pt"
	"github.com/go-playground/locales/pt_PT"
	"github.com/go-playground/locales/ro"
	"github.com/go-playground/locales/ru"
	"github.com/go-playground/locales/sk"
	"github.com/go-playground/locales/sl"
	"github.com/go-playground/locales/sv"
	"github.com/go-playground/locales/tr"
	"github.com/go-playground/locales/uk"
	"github.com/go-playground/locales/zh"
)

// Language is how a language writes numbers and dates, after the Unicode CLDR.
type Language struct {
	// Tag is its name (RFC 5646).
	Tag string
	// Group parts thousands, Decimal is the decimal mark.
	Group, Decimal string

	lcid    string // its name in workbooks
	names   locales.Translator
	lengths func() map[string]string
}

// decimal is the decimal mark; a point in no language.
func (l Language) decimal() string { return cmp.Or(l.Decimal, ".") }

// English is the language of what is written in none.
var English, _ = LanguageOf("en-GB")

// locale names a language for workbooks. Source: MS-LCID.
type locale struct {
	make func() locales.Translator
	lcid string
}

// known are the languages, by their tags in small letters.
var known = map[string]locale{
	"bg": {bg.New, "402"}, "cs": {cs.New, "405"}, "da": {da.New, "406"}, "de": {de.New, "407"}, "de-at": {de_AT.New, "C07"}, "de-ch": {de_CH.New, "807"},
	"el": {el.New, "408"}, "en": {en.New, "409"}, "en-au": {en_AU.New, "C09"}, "en-ca": {en_CA.New, "1009"}, "en-gb": {en_GB.New, "809"}, "en-ie": {en_IE.New, "1809"},
	"en-nz": {en_NZ.New, "1409"}, "en-za": {en_ZA.New, "1C09"}, "es": {es.New, "C0A"}, "es-mx": {es_MX.New, "80A"}, "et": {et.New, "425"}, "fi": {fi.New, "40B"},
	"fr": {fr.New, "40C"}, "fr-ca": {fr_CA.New, "C0C"}, "fr-ch": {fr_CH.New, "100C"}, "he": {he.New, "40D"}, "hr": {hr.New, "41A"}, "hu": {hu.New, "40E"},
	"id": {id.New, "421"}, "it": {it.New, "410"}, "it-ch": {it_CH.New, "810"}, "ja": {ja.New, "411"}, "ko": {ko.New, "412"}, "lt": {lt.New, "427"}, "lv": {lv.New, "426"},
	"nb": {nb.New, "414"}, "no": {nb.New, "414"}, "nl": {nl.New, "413"}, "pl": {pl.New, "415"}, "pt": {pt.New, "416"}, "pt-pt": {pt_PT.New, "816"}, "ro": {ro.New, "418"},
	"ru": {ru.New, "419"}, "sk": {sk.New, "41B"}, "sl": {sl.New, "424"}, "sv": {sv.New, "41D"}, "tr": {tr.New, "41F"}, "uk": {uk.New, "422"}, "zh": {zh.New, "804"},
}

// made are the languages that were asked for, which never change.
var made sync.Map

// LanguageOf is the language of a tag such as de or de-CH; of a region that is not known it
// is the language as such. False where that is not known either.
func LanguageOf(tag string) (Language, bool) {
	name := strings.ToLower(strings.ReplaceAll(tag, "_", "-"))
	found, ok := known[name]
	if !ok {
		name, _, _ = strings.Cut(name, "-")
		if found, ok = known[name]; !ok {
			return Language{}, false
		}
	}
	if l, ok := made.Load(name); ok {
		l := l.(Language)
		l.Tag = tag
		return l, true
	}
	l := Language{Tag: tag, lcid: found.lcid, names: found.make()}
	l.Group, l.Decimal = marks(l.names.FmtNumber(1234567.5, 1))
	l.lengths = sync.OnceValue(func() map[string]string { return lengthsOf(l.names) })
	made.Store(name, l)
	return l, true
}

// marks takes the marks out of 1,234,567.5 as a language writes it.
func marks(number string) (group, decimal string) {
	_, rest, _ := strings.Cut(number, "1")
	group, rest, _ = strings.Cut(rest, "2")
	_, decimal, _ = strings.Cut(rest, "67")
	return group, strings.TrimSuffix(decimal, "5")
}

// lengthsOf are the patterns of dates and of times of day that a language has, by their
// lengths: what it writes of two days is taken apart again, since that is all that the
// library tells.
func lengthsOf(names locales.Translator) map[string]string {
	patterns := map[string]string{}
	// Of all its parts, only those that are the same are written alike: languages shorten
	// the names of other months to themselves.
	at := time.Date(2033, time.September, 2, 14, 5, 6, 0, time.UTC)
	for _, length := range []struct {
		name       string
		date, time func(time.Time) string
	}{
		{"short", names.FmtDateShort, names.FmtTimeShort},
		{"medium", names.FmtDateMedium, names.FmtTimeMedium},
		{"long", names.FmtDateLong, names.FmtTimeMedium},
		{"full", names.FmtDateFull, names.FmtTimeMedium},
	} {
		patterns[length.name] = patternOf(length.date(at), []spelt{
			{names.WeekdayWide(at.Weekday()), "EEEE"},
			{names.WeekdayAbbreviated(at.Weekday()), "EEE"},
			{names.MonthWide(at.Month()), "MMMM"},
			{names.MonthAbbreviated(at.Month()), "MMM"},
			{"2033", "y"},
			{"33", "yy"},
			{"09", "MM"},
			{"9", "M"},
			{"02", "dd"},
			{"2", "d"},
			{"cccc", "EEEE"}, // left as it is by the library
		})
		clock := patternOf(length.time(at), []spelt{{"14", "HH"}, {"02", "hh"}, {"2", "h"}, {"05", "mm"}, {"06", "ss"}, {"pm", "a"}, {"PM", "a"}})
		if strings.Contains(clock, "h") && !strings.HasSuffix(clock, "a") && !strings.HasPrefix(clock, "a") {
			clock = map[bool]string{true: "HH:mm", false: "HH:mm:ss"}[length.name == "short"] // whose halves of the day we cannot name
		}
		patterns["time "+length.name] = clock
	}
	return patterns
}

// spelt is a part of a date as a language spells it, and its field.
type spelt struct{ text, field string }

// patternOf makes a pattern of a date as it is written.
func patternOf(date string, parts []spelt) string {
	var pattern strings.Builder
	quoted := false
	quote := func(on bool) {
		if on != quoted {
			pattern.WriteByte('\'')
			quoted = on
		}
	}
next:
	for date != "" {
		for _, part := range parts {
			if part.text != "" && strings.HasPrefix(date, part.text) {
				quote(false)
				pattern.WriteString(part.field)
				date = date[len(part.text):]
				continue next
			}
		}
		if isLetter(date[0]) || date[0] == '\'' {
			quote(true)
		}
		if date[0] == '\'' {
			pattern.WriteByte('\'')
		}
		pattern.WriteByte(date[0])
		date = date[1:]
		if date == "" || !isLetter(date[0]) {
			quote(false)
		}
	}
	quote(false)
	return pattern.String()
}

func isLetter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }
