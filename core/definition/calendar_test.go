package definition_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
)

func calendarOf(t *testing.T, text string) *civil.Almanac {
	t.Helper()
	documents, problems := definition.Decode("", []byte("kind: calendar\nname: c\n"+text))
	require.Empty(t, problems)
	a, problems := documents[0].(*definition.Calendar).Almanac(nil)
	require.Empty(t, problems)
	return a
}

// TestHolidaysMove: Christmas as it was kept in years in which it fell on each weekday,
// worked out by hand.
func TestHolidaysMove(t *testing.T) {
	a := calendarOf(t, `holidays:
  - {day: every 12-25 or the next working day, name: Christmas}
  - {day: every 12-26 or the next working day, name: Boxing Day}
  - {day: every 05-01 or the previous working day, name: May}
  - {day: every 01-01 or the next working day, name: New Year}
`)
	for year, want := range map[int]string{
		2023: "Christmas 25 Boxing Day 26",
		2020: "Christmas 25 Boxing Day 28", // Friday and Saturday
		2021: "Christmas 27 Boxing Day 28", // Saturday and Sunday
		2022: "Boxing Day 26 Christmas 27", // Sunday and Monday
		2024: "Christmas 25 Boxing Day 26",
	} {
		var kept []string
		for _, h := range a.Holidays {
			if y, m, d := h.Day.YMD(); y == year && m == 12 {
				kept = append(kept, fmt.Sprintf("%s %d", h.Name, d))
			}
		}
		assert.Equal(t, want, strings.Join(kept, " "), year)
	}
	for day, name := range map[string]string{"2027-04-30": "May", "2028-01-03": "New Year", "2026-05-01": "May"} {
		found := false
		for _, h := range a.Holidays {
			found = found || h.Day.String() == day && h.Name == name
		}
		assert.True(t, found, day)
	}
}

// TestEmbed: a file is put beneath its name, once, and nothing else changes.
func TestEmbed(t *testing.T) {
	const ics = "\ufeffBEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20260605\r\nSUMMARY:Long\r\n  name\r\nEND:VEVENT\r\nEND:VCALENDAR"
	read := func(name string) ([]byte, error) {
		if name != "holidays.ics" {
			return nil, errors.New("no " + name)
		}
		return []byte(ics), nil
	}
	const before = "kind: calendar\nname: c\nholidays:\n  - every 12-25\n  - file: holidays.ics # theirs\n    name: Closed\n---\nkind: calendar\nname: d\nholidays:\n- file: holidays.ics"
	after, err := definition.Embed([]byte(before), read)
	require.NoError(t, err)
	documents, problems := definition.Decode("", after)
	require.Empty(t, problems)
	for i, name := range []string{"Closed", "Long name"} {
		a, problems := documents[i].(*definition.Calendar).Almanac(nil)
		require.Empty(t, problems)
		h, ok := a.Holiday(civil.DateOf(2026, 6, 5))
		assert.True(t, ok)
		assert.Equal(t, name, h.Name)
	}
	again, err := definition.Embed(after, read)
	require.NoError(t, err)
	assert.Equal(t, string(after), string(again))
	assert.Contains(t, string(after), "  - file: holidays.ics # theirs\n    ics: |\n      BEGIN:VCALENDAR\n")

	_, err = definition.Embed([]byte(strings.ReplaceAll(before, "holidays.ics", "gone.ics")), read)
	require.ErrorContains(t, err, "line 5: no gone.ics")
	_, err = definition.Embed([]byte("kind: calendar\nname: c\nholidays: [{file: holidays.ics}]\n"), read)
	require.ErrorContains(t, err, "line 3")
	for _, same := range []string{"kind: query\nname: q\n", "a: [", "kind: calendar\nname: c\n"} {
		after, err := definition.Embed([]byte(same), read)
		require.NoError(t, err)
		assert.Equal(t, same, string(after))
	}
}

// TestCalendarUsed: what a query and a report name is read by the calendar that they name.
func TestCalendarUsed(t *testing.T) {
	check := func(text string) (codes []string) {
		documents, problems := definition.Decode("", []byte(text))
		require.Empty(t, problems)
		_, problems = definition.Check(documents, definition.Environment{Library: definition.Library{Calendar: &spring}})
		for _, p := range problems {
			codes = append(codes, p.Code+" "+p.Field)
		}
		return codes
	}
	const calendar = "kind: calendar\nname: river\nperiods: {season: {every year: 04-01/10-31}}\n---\n"
	const query = "kind: query\nname: q\nsource: s\nfrom: t\ncolumns: [id]\nparameters:\n  - {name: p, kind: period, default: last season, limits: {whole: season}}\ncriteria: day within :p and other within 'season 2025'\n"
	assert.Empty(t, check(calendar+query+"calendar: river\n"))
	assert.Equal(t, []string{"unknown_word query q: criteria"}, check("kind: query\nname: q\nsource: s\nfrom: t\ncolumns: [id]\ncriteria: other within 'season 2025'\n"))
	assert.ElementsMatch(t, []string{"unknown_word query q: criteria", "unknown_word query q: parameters[0].default", "unknown_word query q: parameters[0].limits.whole"}, check(calendar+query))
	assert.Equal(t, []string{"unknown_calendar query q: calendar"}, check(query+"calendar: brook\n"))
	assert.Empty(t, check(calendar+query+"calendar: river\n---\nkind: report\nname: r\nquery: q\ncalendar: {use: river}\nask: [{p: {quick: [season 2025, next season]}}]\n"))
	assert.Equal(t, []string{"unknown_calendar report r: calendar.use"}, check(calendar+query+"calendar: river\n---\nkind: report\nname: r\nquery: q\ncalendar: {use: brook}\n"))
}
