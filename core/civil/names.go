package civil

import "strings"

// Names are what a language calls the months and weekdays: from CLDR 48 (npm
// cldr-dates-full, ca-gregorian, format), without the full stops of abbreviations.
type Names struct {
	Months, ShortMonths     [13]string // from 1, January
	Weekdays, ShortWeekdays [7]string  // from 0, Sunday
}

var names = map[string]*Names{
	"en": {
		Months:        [13]string{1: "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"},
		ShortMonths:   [13]string{1: "Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"},
		Weekdays:      [7]string{"Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"},
		ShortWeekdays: [7]string{"Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"},
	},
	"de": {
		Months:        [13]string{1: "Januar", "Februar", "März", "April", "Mai", "Juni", "Juli", "August", "September", "Oktober", "November", "Dezember"},
		ShortMonths:   [13]string{1: "Jan", "Feb", "März", "Apr", "Mai", "Juni", "Juli", "Aug", "Sept", "Okt", "Nov", "Dez"},
		Weekdays:      [7]string{"Sonntag", "Montag", "Dienstag", "Mittwoch", "Donnerstag", "Freitag", "Samstag"},
		ShortWeekdays: [7]string{"So", "Mo", "Di", "Mi", "Do", "Fr", "Sa"},
	},
	"fr": {
		Months:        [13]string{1: "janvier", "février", "mars", "avril", "mai", "juin", "juillet", "août", "septembre", "octobre", "novembre", "décembre"},
		ShortMonths:   [13]string{1: "janv", "févr", "mars", "avr", "mai", "juin", "juil", "août", "sept", "oct", "nov", "déc"},
		Weekdays:      [7]string{"dimanche", "lundi", "mardi", "mercredi", "jeudi", "vendredi", "samedi"},
		ShortWeekdays: [7]string{"dim", "lun", "mar", "mer", "jeu", "ven", "sam"},
	},
	"es": {
		Months:        [13]string{1: "enero", "febrero", "marzo", "abril", "mayo", "junio", "julio", "agosto", "septiembre", "octubre", "noviembre", "diciembre"},
		ShortMonths:   [13]string{1: "ene", "feb", "mar", "abr", "may", "jun", "jul", "ago", "sept", "oct", "nov", "dic"},
		Weekdays:      [7]string{"domingo", "lunes", "martes", "miércoles", "jueves", "viernes", "sábado"},
		ShortWeekdays: [7]string{"dom", "lun", "mar", "mié", "jue", "vie", "sáb"},
	},
}

// NamesIn are those of a language, by its tag, such as de-AT; false where it is not one of
// those above.
func NamesIn(tag string) (*Names, bool) {
	n, ok := names[BaseLanguage(tag)]
	return n, ok
}

// BaseLanguage is the language of a tag, without its region and script.
func BaseLanguage(tag string) string {
	base, _, _ := strings.Cut(strings.ToLower(strings.ReplaceAll(tag, "_", "-")), "-")
	return base
}
