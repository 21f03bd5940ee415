package period

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// saying is how a language says a period, and reads what it said.
type saying struct {
	months, weekdays []string
	// between stands after the weekday, the day and the month; first is the first of a
	// month where that is no plain number.
	between [3]string
	first   string
	// of a period as such
	all, since, noEnd, before, from, through, days, upTo string
	// of where a date lies
	any, on, fromTime, onDay, within1 string
	// patterns find what was said.
	patterns func() *said
}

var english = &saying{
	months: names("en").ShortMonths[:], weekdays: names("en").ShortWeekdays[:], between: [3]string{" ", " ", " "},
	all: "all dates", since: "from ", noEnd: ", no end", before: "before ", through: " through ", days: "days", upTo: " up to and including ",
	any: "on any date", on: " on", fromTime: "from ", onDay: "on ", within1: "from ",
	patterns: sync.OnceValue(func() *said {
		return &said{
			moment: regexp.MustCompile(`(?i)\b(sun|mon|tue|wed|thu|fri|sat)[a-z]*,? +(\d{1,2}) +(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]* +(\d{1,4})(?: +(\d{2}:\d{2}(?::\d{2})?))?`),
			days:   regexp.MustCompile(`(?i)\s*\(\d+ days?\)\s*$`),
			open:   regexp.MustCompile(`(?i)^\s*from +(\S+), no end\s*$`),
			upTo:   upToPattern("up to and including"),
		}
	}),
}

// said are the patterns of what a read-back says: a day, perhaps with a time, in five parts;
// how many days there are; a period without an end, where plain words would not do; one with
// times of day.
type said struct{ moment, days, open, upTo *regexp.Regexp }

// upToPattern is that of a period with times of day, in four parts.
func upToPattern(words string) *regexp.Regexp {
	return regexp.MustCompile(`(?i)^(\d{4}-\d\d-\d\d)T(\S+) +` + regexp.QuoteMeta(words) + ` +(?:(\d{4}-\d\d-\d\d)T)?(\d{2}:\d{2}(?::\d{2})?)$`)
}

// patternsOf makes them for what a language says word for word.
func patternsOf(l *saying) *said {
	either := func(words []string) string {
		out := make([]string, 0, len(words))
		for _, w := range words {
			if w != "" {
				out = append(out, regexp.QuoteMeta(w))
			}
		}
		return "(" + strings.Join(out, "|") + ")"
	}
	space := func(s string) string { return strings.ReplaceAll(regexp.QuoteMeta(s), " ", " +") }
	day := `(\d{1,2})`
	if l.first != "" {
		day = `(\d{1,2}|` + regexp.QuoteMeta(l.first) + `)`
	}
	return &said{
		moment: regexp.MustCompile(`(?i)\b` + either(l.weekdays) + space(l.between[0]) + day + space(l.between[1]) + either(l.months) + space(l.between[2]) + `(\d{1,4})(?: +(\d{2}:\d{2}(?::\d{2})?))?`),
		days:   regexp.MustCompile(`(?i)\s*\(\d+ ` + l.days + `\)\s*$`),
		upTo:   upToPattern(strings.TrimSpace(l.upTo)),
	}
}

// monthNames are the months in full, in English.
var monthNames = names("en").Months

// sayingOf is how a language says periods, by its tag.
func sayingOf(tag string) *saying {
	if l := languageOf(tag); l != nil {
		return l.says
	}
	return english
}

// names are those of a language that is one of ours.
func names(tag string) *civil.Names {
	n, _ := civil.NamesIn(tag)
	return n
}

// unsaid writes what a read-back says (see ReadBack) as an expression; other
// texts it leaves as they are. A weekday that is not that of its day is a problem.
func (l *saying) unsaid(text string) (string, diag.Problems) {
	if len(text) == len(l.all) && strings.EqualFold(text, l.all) {
		return "all", nil
	}
	if !l.namesWeekdayOfDay(text) { // most texts: the patterns would cost more than all the rest
		return text, nil
	}
	var problems diag.Problems
	patterns := l.patterns()
	out := patterns.moment.ReplaceAllStringFunc(text, func(said string) string {
		m := patterns.moment.FindStringSubmatch(said)
		if len(m[4]) < 4 {
			return said // two digits may be any century's
		}
		day, err := strconv.Atoi(m[2])
		if err != nil {
			day = 1 // as l.first says it
		}
		year, _ := strconv.Atoi(m[4])
		month := slices.IndexFunc(l.months, func(name string) bool { return strings.EqualFold(name, m[3]) })
		if !civil.Valid(year, month, day) {
			return strings.TrimSpace(said[strings.Index(said, m[2]):]) // told where days are read
		}
		date := civil.DateOf(year, month, day)
		if is := l.weekdays[date.Weekday()]; !strings.EqualFold(is, m[1]) {
			at := strings.Index(text, said)
			p := diag.At(text, at, at+len(m[1]), "wrong_weekday", fmt.Sprintf("%s is a %s.", date, date.Weekday()))
			fixed := strings.Replace(text, said, l.day(date), 1)
			p.Hint = "Write " + l.day(date) + "."
			p.Fixes = []diag.Fix{{Label: "Use " + l.day(date), Text: fixed}}
			problems = append(problems, p)
		}
		if m[5] != "" {
			return date.String() + "T" + m[5]
		}
		return date.String()
	})
	out = patterns.days.ReplaceAllString(out, "")
	if patterns.open != nil {
		out = patterns.open.ReplaceAllString(out, "$1/..")
	}
	if m := patterns.upTo.FindStringSubmatch(strings.TrimSpace(out)); m != nil {
		last := m[3]
		if last == "" {
			last = m[1]
		}
		out = m[1] + "T" + m[2] + "/" + last + "T" + m[4]
	}
	return out, problems
}

// namesWeekdayOfDay tells whether a word that begins as a weekday is said stands before a
// number somewhere.
func (l *saying) namesWeekdayOfDay(text string) bool {
	for i := 0; i < len(text); i++ {
		if text[i] < '0' || text[i] > '9' || i == 0 || text[i-1] != ' ' && text[i-1] != ',' && text[i-1] != '.' {
			continue
		}
		word := strings.TrimRight(text[:i], ",. ")
		word = word[strings.LastIndexAny(word, " ,/")+1:]
		for _, name := range l.weekdays {
			if len(word) >= len(name) && strings.EqualFold(name, word[:len(name)]) {
				return true
			}
		}
	}
	return false
}
