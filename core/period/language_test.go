package period_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/period"
)

// languageReadings: language, expression, canonical form or the code of the first problem;
// read on Wed 18 Mar 2026 in London.
var languageReadings = [][3]string{
	{"de", "letzter Monat", "2026-02"},
	{"de", "im letzten Monat", "2026-02"},
	{"de", "Letzten Monat", "2026-02"},
	{"de", "dieses Jahr", "2026"},
	{"de", "laufendes Quartal", "2026-Q1"},
	{"de", "nächste Woche", "2026-03-23/2026-03-29"},
	{"de", "1. April 2020", "2020-04-01"},
	{"de", "1. bis 10. April 2020", "2020-04-01/2020-04-10"},
	{"de", "vom 1. bis 10. April 2020", "2020-04-01/2020-04-10"},
	{"de", "1. April bis 10. April 2020", "2020-04-01/2020-04-10"},
	{"de", "von Januar 2024 bis März 2024", "2024-Q1"},
	{"de", "Januar bis März 2024", "2024-Q1"},
	{"de", "heute", "2026-03-18"},
	{"de", "gestern", "2026-03-17"},
	{"de", "vorgestern", "2026-03-16"},
	{"de", "übermorgen", "2026-03-20"},
	{"de", "letzte 7 Tage", "2026-03-11/2026-03-17"},
	{"de", "die letzten 7 Tage", "2026-03-11/2026-03-17"},
	{"de", "die letzten zwei Wochen", "2026-03-02/2026-03-15"},
	{"de", "letzte 7 Tage einschließlich heute", "2026-03-12/2026-03-18"},
	{"de", "vor 3 Tagen", "2026-03-15"},
	{"de", "vor einer Woche", "2026-03-11"},
	{"de", "in 2 Wochen", "2026-04-01"},
	{"de", "vor dem 1. April 2026", "../2026-03-31"},
	{"de", "nach dem 31. März 2026", "2026-04-01/.."},
	{"de", "seit 1. März 2026", "2026-03-01/.."},
	{"de", "ab 1. März 2026", "2026-03-01/.."},
	{"de", "bis 31. März 2026", "../2026-03-31"},
	{"de", "bis zum 31. März 2026", "../2026-03-31"},
	{"de", "bis einschließlich 31. März 2026", "../2026-03-31"},
	{"de", "zwischen dem 1. März 2026 und dem 10. März 2026", "2026-03-01/2026-03-10"},
	{"de", "Donnerstag, 15. Mai 2014", "2014-05-15"},
	{"de", "Do., 15. Mai 2014", "2014-05-15"},
	{"de", "letzter Freitag", "2026-03-13"},
	{"de", "KW 12 2025", "2025-03-17/2025-03-23"},
	{"de", "KW12 2025", "2025-03-17/2025-03-23"},
	{"de", "Kalenderwoche 12 2025", "2025-03-17/2025-03-23"},
	{"de", "erster Tag des letzten Monats", "2026-02-01"},
	{"de", "letzter Arbeitstag des letzten Monats", "2026-02-27"},
	{"de", "vor 3 Arbeitstagen", "2026-03-13"},
	{"de", "Ende letzten Monats", "2026-02-28"},
	{"de", "Ende des Monats", "2026-03-31"},
	{"de", "Anfang des Quartals", "2026-01-01"},
	{"de", "Jahr bis heute", "2026-01-01/2026-03-18"},
	{"de", "dieses Jahr bis heute", "2026-01-01/2026-03-18"},
	{"de", "1. März 2026 bis heute", "2026-03-01/2026-03-18"},
	{"de", "1. Quartal 2025", "2025-Q1"},
	{"de", "Geschäftsjahr 2025", "2025"},
	{"de", "15.05.2014", "2014-05-15"},
	{"de", "15. Mai 2014", "2014-05-15"},
	{"de", "März 2026", "2026-03"},
	{"de", "14. Mär. 2026", "2026-03-14"},
	{"de", "am 14. März 2026", "2026-03-14"},
	{"de", "letzte Woche - 1 Jahr", "2025-03-09/2025-03-15"},
	{"de", "season 2025", "2025-04-01/2025-10-31"},
	{"de", "letzte season", "2025-04-01/2025-10-31"},
	{"de", "last month", "2026-02"},
	{"de-AT", "Jänner 2026", "2026-01"},
	{"fr", "le mois dernier", "2026-02"},
	{"fr", "mois dernier", "2026-02"},
	{"fr", "ce mois", "2026-03"},
	{"fr", "cette semaine", "2026-03-16/2026-03-22"},
	{"fr", "la semaine prochaine", "2026-03-23/2026-03-29"},
	{"fr", "du 1er au 10 avril 2020", "2020-04-01/2020-04-10"},
	{"fr", "du 1er avril au 10 avril 2020", "2020-04-01/2020-04-10"},
	{"fr", "de janvier à mars 2020", "2020-Q1"},
	{"fr", "1er avril 2020", "2020-04-01"},
	{"fr", "le 14 mars 2026", "2026-03-14"},
	{"fr", "jeudi 15 mai 2014", "2014-05-15"},
	{"fr", "les 7 derniers jours", "2026-03-11/2026-03-17"},
	{"fr", "7 derniers jours y compris aujourd'hui", "2026-03-12/2026-03-18"},
	{"fr", "il y a 3 jours", "2026-03-15"},
	{"fr", "il y a sept jours", "2026-03-11"},
	{"fr", "il y a une semaine", "2026-03-11"},
	{"fr", "dans 2 semaines", "2026-04-01"},
	{"fr", "aujourd'hui", "2026-03-18"},
	{"fr", "aujourd’hui", "2026-03-18"},
	{"fr", "hier", "2026-03-17"},
	{"fr", "avant-hier", "2026-03-16"},
	{"fr", "jusqu'au 31 mars 2026", "../2026-03-31"},
	{"fr", "depuis le 1er mars 2026", "2026-03-01/.."},
	{"fr", "à partir du 1er mars 2026", "2026-03-01/.."},
	{"fr", "entre le 1er mars 2026 et le 10 mars 2026", "2026-03-01/2026-03-10"},
	{"fr", "avant le 1er avril 2026", "../2026-03-31"},
	{"fr", "premier jour du mois dernier", "2026-02-01"},
	{"fr", "dernier jour ouvré du mois dernier", "2026-02-27"},
	{"fr", "il y a 3 jours ouvrés", "2026-03-13"},
	{"fr", "vendredi dernier", "2026-03-13"},
	{"fr", "semaine 12 de 2025", "2025-03-17/2025-03-23"},
	{"fr", "année à ce jour", "2026-01-01/2026-03-18"},
	{"fr", "exercice 2025", "2025"},
	{"fr", "fin du mois", "2026-03-31"},
	{"fr", "début de l'année", "2026-01-01"},
	{"fr", "l'année dernière", "2025"},
	{"fr", "15 janv. 2026", "2026-01-15"},
	{"fr", "15 sept. 2025", "2025-09-15"},
	{"fr", "trimestre en cours", "2026-Q1"},
	{"fr", "1er trimestre 2025", "2025-Q1"},
	{"fr-CA", "le mois dernier", "2026-02"},
	{"es", "últimos 7 días", "2026-03-11/2026-03-17"},
	{"es", "los últimos 7 días", "2026-03-11/2026-03-17"},
	{"es", "mes pasado", "2026-02"},
	{"es", "el mes pasado", "2026-02"},
	{"es", "la semana pasada", "2026-03-09/2026-03-15"},
	{"es", "este mes", "2026-03"},
	{"es", "próximo mes", "2026-04"},
	{"es", "el próximo año", "2027"},
	{"es", "del 1 al 10 de abril de 2020", "2020-04-01/2020-04-10"},
	{"es", "1 de abril de 2020", "2020-04-01"},
	{"es", "de enero a marzo de 2020", "2020-Q1"},
	{"es", "hace 3 días", "2026-03-15"},
	{"es", "hace una semana", "2026-03-11"},
	{"es", "dentro de 2 semanas", "2026-04-01"},
	{"es", "hoy", "2026-03-18"},
	{"es", "ayer", "2026-03-17"},
	{"es", "anteayer", "2026-03-16"},
	{"es", "pasado mañana", "2026-03-20"},
	{"es", "hasta el 31 de marzo de 2026", "../2026-03-31"},
	{"es", "desde el 1 de marzo de 2026", "2026-03-01/.."},
	{"es", "entre el 1 de marzo de 2026 y el 10 de marzo de 2026", "2026-03-01/2026-03-10"},
	{"es", "antes del 1 de abril de 2026", "../2026-03-31"},
	{"es", "primer día del mes pasado", "2026-02-01"},
	{"es", "último día hábil del mes pasado", "2026-02-27"},
	{"es", "último mes de 2025", "2025-12"},
	{"es", "hace 3 días hábiles", "2026-03-13"},
	{"es", "viernes pasado", "2026-03-13"},
	{"es", "semana 12 de 2025", "2025-03-17/2025-03-23"},
	{"es", "jueves 15 de mayo de 2014", "2014-05-15"},
	{"es", "ejercicio 2025", "2025"},
	{"es", "fin de mes", "2026-03-31"},
	{"es", "fin del mes pasado", "2026-02-28"},
	{"es", "principio del año", "2026-01-01"},
	{"es", "año hasta hoy", "2026-01-01/2026-03-18"},
	{"es", "1.º de abril de 2020", "2020-04-01"},
	{"de", "letzter Mnat", "unknown_word"},
	{"de", "letzter Monet", "unknown_word"},
	{"de", "Freitag, 15. Mai 2014", "wrong_weekday"},
	{"de", "31. Februar 2026", "no_such_date"},
	{"de", "15. Mai", "incomplete"},
	{"de", "vor 3 Tagen und", "unknown_form"},
	{"de", "gibt es nicht", "unknown_word"},
	{"fr", "31 février 2026", "no_such_date"},
	{"fr", "le mois", "incomplete"},
	{"fr", "lundi 15 mai 2014", "wrong_weekday"},
	{"es", "último mes", "two_readings"},
	{"es", "31 de febrero de 2026", "no_such_date"},
	{"es", "3 meses", "incomplete"},
	{"en", "letzter Monat", "unknown_word"},
	{"it", "il mese scorso", "unknown_word"},
}

func TestLanguages(t *testing.T) {
	for _, c := range languageReadings {
		calendar := contextAt(t, "Europe/London", "2026-03-18")
		calendar.Language, calendar.Almanac = c[0], river()
		span, problems := period.Read(c[1], calendar)
		if len(problems) > 0 {
			assert.Equal(t, c[2], problems[0].Code, "%s %s: %s", c[0], c[1], problems)
			continue
		}
		assert.Equal(t, c[2], span.Canonical(), "%s %s", c[0], c[1])
		// What is canonical is of no language.
		again, problems := period.Read(span.Canonical(), contextAt(t, "Europe/London", "2026-03-18"))
		assert.Empty(t, problems)
		assert.Equal(t, span, again)
	}
	calendar := contextAt(t, "Europe/London", "2026-03-18")
	calendar.Language = "de"
	_, problems := period.Read("letzter Monet", calendar)
	require.NotEmpty(t, problems)
	assert.Equal(t, "Did you mean monat?", problems[0].Hint)
	assert.Equal(t, "letzter monat", problems[0].Fixes[0].Text)
}

// namesOfMonths and namesOfDays are those of CLDR 48 (cldr-dates-full, ca-gregorian), wide and
// abbreviated, of each language.
var namesOfMonths = map[string][][]string{
	"de": {{"Januar", "Februar", "März", "April", "Mai", "Juni", "Juli", "August", "September", "Oktober", "November", "Dezember"}, {"Jan.", "Feb.", "März", "Apr.", "Mai", "Juni", "Juli", "Aug.", "Sept.", "Okt.", "Nov.", "Dez."}},
	"fr": {{"janvier", "février", "mars", "avril", "mai", "juin", "juillet", "août", "septembre", "octobre", "novembre", "décembre"}, {"janv.", "févr.", "mars", "avr.", "mai", "juin", "juil.", "août", "sept.", "oct.", "nov.", "déc."}},
	"es": {{"enero", "febrero", "marzo", "abril", "mayo", "junio", "julio", "agosto", "septiembre", "octubre", "noviembre", "diciembre"}, {"ene", "feb", "mar", "abr", "may", "jun", "jul", "ago", "sept", "oct", "nov", "dic"}},
}

var namesOfDays = map[string][]string{
	"de": {"Sonntag", "Montag", "Dienstag", "Mittwoch", "Donnerstag", "Freitag", "Samstag"},
	"fr": {"dimanche", "lundi", "mardi", "mercredi", "jeudi", "vendredi", "samedi"},
	"es": {"domingo", "lunes", "martes", "miércoles", "jueves", "viernes", "sábado"},
}

// TestNamesOfLanguages: every name of a month and of a weekday, in each language.
func TestNamesOfLanguages(t *testing.T) {
	for language, lists := range namesOfMonths {
		calendar := contextAt(t, "Europe/London", "2026-03-18")
		calendar.Language = language
		for _, names := range lists {
			for i, name := range names {
				for _, format := range []string{"%s 2026", "14 %s 2026", "14 de %s de 2026"} {
					if language != "es" && format[3] == 'd' {
						continue
					}
					span, problems := period.Read(fmt.Sprintf(format, name), calendar)
					if assert.Empty(t, problems, "%s: %s", language, name) {
						_, month, _ := span.FirstDay().YMD()
						assert.Equal(t, i+1, month, name)
					}
				}
			}
		}
		direction := map[string]string{"de": "letzter %s", "fr": "%s dernier", "es": "%s pasado"}[language]
		for i, name := range namesOfDays[language] {
			span, problems := period.Read(fmt.Sprintf(direction, name), calendar)
			if assert.Empty(t, problems, name) {
				assert.Equal(t, i, int(span.FirstDay().Weekday()), name)
				assert.Less(t, span.FirstDay(), calendar.Today())
			}
		}
	}
}

// TestOrderOfLanguage: the language gives the date order where that is asked of it.
func TestOrderOfLanguage(t *testing.T) {
	for language, want := range map[string]string{"de": "2026-04-03", "fr": "2026-04-03", "es-MX": "2026-04-03", "en": "ambiguous_date", "": "ambiguous_date"} {
		calendar := contextAt(t, "Europe/London", "2026-03-18")
		calendar.Language, calendar.Order = language, civil.OrderLanguage
		span, problems := period.Read("03/04/2026", calendar)
		if len(problems) > 0 {
			assert.Equal(t, want, problems[0].Code, language)
			continue
		}
		assert.Equal(t, want, span.Canonical(), language)
	}
	// A day and a month alone.
	for _, c := range []struct {
		order civil.DateOrder
		text  string
		want  string
	}{
		{civil.OrderNone, "15.5.", "2025-05-15"},
		{civil.OrderNone, "5.15.", "2025-05-15"},
		{civil.OrderNone, "3.4.", "ambiguous_date"},
		{civil.OrderDMY, "3.4.", "2025-04-03"},
		{civil.OrderMDY, "3.4.", "2026-03-04"},
		{civil.OrderDMY, "5.15.", "no_such_date"},
		{civil.OrderNone, "31.2.", "no_such_date"},
	} {
		calendar := contextAt(t, "Europe/London", "2026-03-18")
		calendar.Order, calendar.Missing = c.order, civil.YearLatest
		span, problems := period.Read(c.text, calendar)
		if len(problems) > 0 {
			assert.Equal(t, c.want, problems[0].Code, c.text)
			continue
		}
		assert.Equal(t, c.want, span.Canonical(), c.text)
	}
	_, problems := period.Read("15.5.", contextAt(t, "Europe/London", "2026-03-18"))
	require.Len(t, problems, 1)
	assert.Equal(t, "incomplete", problems[0].Code)
	assert.Equal(t, "2025-05-15", problems[0].Fixes[0].Text)
}

func BenchmarkLanguages(b *testing.B) {
	calendar := contextAt(b, "Europe/London", "2026-03-18")
	for _, c := range [][2]string{{"de", "letzter Monat"}, {"fr", "du 1er au 10 avril 2020"}, {"es", "últimos 7 días"}} {
		calendar.Language = c[0]
		b.Run(c[1], func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, problems := period.Read(c[1], calendar); len(problems) > 0 {
					b.Fatal(problems)
				}
			}
		})
	}
}

// What a language says of a period is read as that period in it.
func TestReadBackInLanguages(t *testing.T) {
	calendar := civil.Calendar{Zone: civil.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 18).Midnight())}
	day := func(y, m, d int) civil.DateTime { return civil.DateOf(y, m, d).Midnight() }
	said := map[string][]string{}
	spans := []period.Span{
		{day(2026, 3, 1), day(2026, 4, 1)},
		{day(2026, 3, 3), day(2026, 3, 4)},
		{day(2026, 3, 3), civil.End},
		{civil.Start, day(2026, 5, 1)},
		period.All,
		{day(2026, 3, 1) + 8*3600 + 1800, day(2026, 3, 1) + 9*3600},
		{day(2025, 12, 31) + 8*3600, day(2026, 1, 1) + 9*3600},
	}
	for _, tag := range []string{"", "de", "fr", "es-MX"} {
		calendar.Language = tag
		for _, s := range spans {
			text := s.ReadBackIn(tag)
			said[tag] = append(said[tag], text, s.WithinIn(tag))
			read, problems := period.Read(text, calendar)
			require.Empty(t, problems, "%s: %s", tag, text)
			assert.Equal(t, s, read, "%s: %s", tag, text)
		}
		random := rand.New(rand.NewPCG(18, 1))
		for range 2000 {
			from := day(1900+random.IntN(300), 1+random.IntN(12), 1+random.IntN(28)) + civil.DateTime(random.IntN(3)*random.IntN(86400))
			s := period.Span{From: from, Until: from + civil.DateTime(1+random.IntN(2)*random.IntN(900))*86400}
			text := s.ReadBackIn(tag)
			read, problems := period.Read(text, calendar)
			require.Empty(t, problems, "%s: %s", tag, text)
			require.Equal(t, s, read, "%s: %s", tag, text)
		}
	}
	assert.Equal(t, []string{
		"So 1. März 2026 bis einschließlich Di 31. März 2026 (31 Tage)", "vom So 1. März bis einschließlich Di 31. März 2026 (31 Tage)",
		"Di 3. März 2026", "am Di 3. März 2026", "ab Di 3. März 2026", "ab Di 3. März 2026", "vor Fr 1. Mai 2026", "vor Fr 1. Mai 2026", "alle Tage", "an jedem Tag",
		"So 1. März 2026 08:30 bis einschließlich 08:59", "von So 1. März 2026 08:30 bis einschließlich 08:59",
		"Mi 31. Dezember 2025 08:00 bis einschließlich Do 1. Januar 2026 08:59", "von Mi 31. Dezember 2025 08:00 bis einschließlich Do 1. Januar 2026 08:59",
	}, said["de"])
	assert.Equal(t, "du dim. 1er mars 2026 au mar. 31 mars 2026 (31 jours)", said["fr"][0])
	assert.Equal(t, "del dom 1 de marzo de 2026 al mar 31 de marzo de 2026 (31 días)", said["es-MX"][0])
	assert.Equal(t, "del dom 1 de marzo al mar 31 de marzo de 2026 (31 días)", said["es-MX"][1])

	calendar.Language = "fr"
	_, problems := period.Read("lun. 3 mars 2026", calendar)
	require.Len(t, problems, 1)
	assert.Equal(t, "wrong_weekday", problems[0].Code)
	assert.Equal(t, "mar. 3 mars 2026", problems[0].Fixes[0].Text)
}
