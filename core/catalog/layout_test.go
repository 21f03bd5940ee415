package catalog_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
)

// TestLayouts: what texts in layouts of their own mean; an empty reading is of no date.
func TestLayouts(t *testing.T) {
	for layout, readings := range map[string]map[string]string{
		"D.M.Y":                        {"31.12.2025": "2025-12-31", "1.3.2026": "2026-03-01", "01.03.2026": "2026-03-01", "31.02.2026": "", "1.3.26": "", "1.3.2026 ": "", "001.3.2026": "", "": "", "1.3.0000": ""},
		"DD.MM.Y":                      {"01.03.2026": "2026-03-01", "1.03.2026": ""},
		"DDMMY":                        {"01032026": "2026-03-01", "1032026": ""},
		"M/D/YY from 1970":             {"12/31/25": "2025-12-31", "1/1/70": "1970-01-01", "1/1/69": "2069-01-01", "2/29/00": "2000-02-29", "2/29/01": ""},
		"D Mon Y":                      {"3 Mar 2026": "2026-03-03", "3 March 2026": "2026-03-03", "3 MAR 2026": "2026-03-03", "3 mar. 2026": "2026-03-03", "3 Mär 2026": "", "3 mAr 2026": "2026-03-03"},
		"D. Mon Y in german":           {"3. März 2026": "2026-03-03", "3. Dez. 2026": "2026-12-03", "3. DEZEMBER 2026": "2026-12-03", "3. MÄRZ 2026": "2026-03-03", "3 März 2026": ""},
		"D Mon Y in french":            {"3 févr. 2026": "2026-02-03", "3 août 2026": "2026-08-03"},
		"D 'de' Mon 'de' Y in spanish": {"3 de marzo de 2026": "2026-03-03", "3 DE MARZO DE 2026": "2026-03-03", "3 marzo 2026": ""},
		"Mon D, Y":                     {"Dec 31, 2025": "2025-12-31"},
		"D.Mon.Y":                      {"3.Mar.2026": "2026-03-03", "3.Mar..2026": ""},
		"Y年M月D日":                       {"2026年3月1日": "2026-03-01"},
		"D.M.Y[ h:m[:s[.f]]]":          {"1.3.2026": "2026-03-01T00:00:00", "1.3.2026 8:30": "2026-03-01T08:30:00", "1.3.2026 08:30:15": "2026-03-01T08:30:15", "1.3.2026 08:30:15.250": "2026-03-01T08:30:15.25", "1.3.2026 24:00": "", "1.3.2026 8:60": "", "1.3.2026 8": "", "1.3.2026 8:30:": ""},
		"M/D/Y h:m am":                 {"3/1/2026 12:00 am": "2026-03-01T00:00:00", "3/1/2026 12:30 PM": "2026-03-01T12:30:00", "3/1/2026 1:05 pm": "2026-03-01T13:05:00", "3/1/2026 0:30 am": "", "3/1/2026 13:30 am": "", "3/1/2026 1:05": ""},
		"Y-MM-DD'T'hh:m:s":             {"2026-03-01T08:30:15": "2026-03-01T08:30:15", "2026-03-01 08:30:15": ""},
	} {
		e := catalog.Encoding(layout)
		require.NoError(t, e.Check(), layout)
		column := catalog.Column{Encoding: e, Type: e.Type(), Stored: catalog.Text}
		for text, want := range readings {
			stamp, ok := column.Decode(text, civil.NewClock(time.UTC))
			got := ""
			if ok {
				got = string(stamp.AppendTo(nil, &column, 'T'))
			}
			assert.Equal(t, want, got, "%s: %s", layout, text)
		}
		_, ok := column.Decode(int64(1), civil.NewClock(time.UTC))
		assert.False(t, ok, "numbers are in no layout")
	}
}

// TestLayoutsRefused: what is no layout, and what is wrong with it.
func TestLayoutsRefused(t *testing.T) {
	for layout, says := range map[string]string{
		"":                      "a day has a year",
		"D.M":                   "a day has a year",
		"D.M.YY":                "years of two digits need",
		"D.M.Y from 1970":       "is for years of two digits",
		"D.M.YY from soon":      "first year of a hundred",
		"D.M.YY from 9950":      "first year of a hundred",
		"DMY":                   "between two fields stands a mark",
		"DDMonY":                "between two fields stands a mark",
		"D.D.M.Y":               "twice",
		"M Mon D Y":             "twice",
		"D.M.Y m":               "minutes need hours",
		"D.M.Y h:m:f":           "f needs seconds",
		"D.M.Y[ h:m":            "not closed",
		"D.M.Y h:m]":            "in brackets at the end",
		"D.M[.Y]":               "only the time can be left out",
		"D.M.Y [h:m]":           "a bracket opens after a field",
		"D.M.Y[ h:m] am":        "in brackets at the end",
		"dd.mm.yyyy":            "is no field",
		"D Mon Y in klingon":    "english, german, french, spanish",
		"D.M.Y in german":       "there is no Mon",
		"D'x9'M.Y":              "between two quotes",
		"D'M.Y":                 "between two quotes",
		"D'T'Mon Y":             "letters need a blank",
		strings.Repeat("D", 61): "at most 60",
	} {
		err := catalog.Encoding(layout).Check()
		if assert.Error(t, err, layout) {
			assert.Contains(t, err.Error(), says, layout)
		}
		assert.False(t, catalog.Encoding(layout).IsLayout(), layout)
	}
}

// TestLayoutBounds: in a layout that sorts, a bound parts the texts before a time from those
// at and after it; the others compare with none.
func TestLayoutBounds(t *testing.T) {
	r := rand.New(rand.NewPCG(18, 2))
	for layout, written := range map[string]string{
		"Y/MM/DD": "2006/01/02", "Y/MM/DD hh:m:s": "2006/01/02 15:04:05", "Y.MM.DD hh:m": "2006.01.02 15:04", "YMMDDhhms": "20060102150405", "Y-MM-DD[ hh:m[:s]]": "2006-01-02 15:04", "Y-MM-DD hh": "2006-01-02 15",
	} {
		e := catalog.Encoding(layout)
		column := catalog.Column{Encoding: e, Type: e.Type(), Stored: catalog.Text}
		require.True(t, column.Compares(), layout)
		for range 2000 {
			at := civil.DateOf(2025, 12, 28).Midnight() + civil.DateTime(r.IntN(8*86400))
			bound := civil.DateOf(2025, 12, 28).Midnight() + civil.DateTime(r.IntN(8*86400))
			switch r.IntN(3) {
			case 0:
				bound -= civil.DateTime(bound.Seconds())
			case 1:
				bound -= civil.DateTime(bound.Seconds() % 60)
			}
			text := time.Unix(int64(at), 0).UTC().Format(written)
			stamp, ok := column.Decode(text, civil.NewClock(time.UTC))
			require.True(t, ok, "%s: %s", layout, text)
			v, err := column.Bound(bound, time.UTC)
			if column.Type == catalog.Date && !bound.IsMidnight() {
				assert.ErrorIs(t, err, catalog.ErrFiner)
				continue
			}
			require.NoError(t, err)
			assert.Equal(t, stamp.At >= bound, text >= v.(string), "%s: %s and %s", layout, text, v)
		}
	}
	for _, layout := range []string{"D.M.Y", "Y/M/D", "YY/MM/DD from 1970", "Y Mon DD", "Y-MM-DD hh:m am", "DD/MM/Y"} {
		e := catalog.Encoding(layout)
		column := catalog.Column{Encoding: e, Type: e.Type(), Stored: catalog.Text, Shape: "0"}
		assert.False(t, column.Orders(), layout)
	}
}

// TestProposeLayouts: a layout is found where the values tell it, with what speaks for it;
// where days and months could be either, nothing is guessed.
func TestProposeLayouts(t *testing.T) {
	text := catalog.Column{Name: "d", Type: catalog.Text}
	values := func(layout string, days ...int) (out []any) {
		for i, day := range days {
			out = append(out, time.Date(2025, time.Month(1+i*2%12), day, 8, 30, 15, 0, time.UTC).Format(layout))
		}
		return out
	}
	for _, c := range []struct {
		values   []any
		encoding catalog.Encoding
		evidence string
	}{
		{values("02.01.2006", 3, 31, 14, 5), "D.M.Y", "D.M.Y: 4 values looked at fit; 2 of them are no dates the other way round"},
		{values("1/2/2006", 3, 31, 14, 5), "M/D/Y", "2 of them are no dates the other way round"},
		{values("2/1/2006 15:04", 3, 31), "D/M/Y h:m", "1 of them is no date"},
		{values("2006/01/02", 3, 5), "Y/M/D", "fit"},
		{values("2 Jan 2006", 3, 5), "D Mon Y", "fit"},
		{values("Jan 2, 2006", 3, 5), "Mon D, Y", "fit"},
		{values("2.1.2006", 3, 5), "", ""},
		{append(values("2/1/2006", 31, 5), values("1/2/2006", 31, 5)...), "", ""},
		{[]any{"1.2.3", "n/a"}, "", ""},
	} {
		made, ok := catalog.Propose(text, c.values)
		assert.Equal(t, c.encoding != "", ok, "%v", c.values)
		assert.Equal(t, c.encoding, made.Encoding, "%v", c.values)
		assert.Contains(t, made.Evidence, c.evidence)
	}
	one, other := catalog.Undecided(text, values("2.1.2006", 3, 5))
	assert.Equal(t, "D.M.Y M.D.Y", fmt.Sprint(one, " ", other))
	one, _ = catalog.Undecided(text, values("2.1.2006", 3, 31))
	assert.Empty(t, one)
}

// FuzzLayout: no text is too odd to be a layout or to be read in one.
func FuzzLayout(f *testing.F) {
	f.Add("D.M.Y[ h:m[:s]]", "31.12.2025 08:30")
	f.Add("D 'de' Mon 'de' Y in spanish", "3 de marzo de 2026")
	f.Add("M/D/YY h:m am from 1970", "12/31/25 8:30 pm")
	f.Fuzz(func(t *testing.T, layout, text string) {
		l, err := catalog.ParseLayout(layout)
		if err != nil {
			return
		}
		stamp, ok := l.Read(text)
		if !ok {
			return
		}
		assert.True(t, stamp.At.Date().InRange(), "%s: %s", layout, text)
		places, ok := l.Places(text, nil)
		assert.True(t, ok)
		for _, p := range places {
			assert.LessOrEqual(t, p.At+p.Bytes, len(text))
		}
	})
}
