package period

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// saidMoment is a day as a read-back says it, perhaps with a time of day.
var saidMoment = regexp.MustCompile(`(?i)\b(sun|mon|tue|wed|thu|fri|sat)[a-z]*,? +(\d{1,2}) +(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]* +(\d{1,4})(?: +(\d{2}:\d{2}(?::\d{2})?))?`)

var (
	saidDays = regexp.MustCompile(`(?i)\s*\(\d+ days?\)\s*$`)
	saidOpen = regexp.MustCompile(`(?i)^\s*from +(\S+), no end\s*$`)
	saidUpTo = regexp.MustCompile(`(?i)^(\d{4}-\d\d-\d\d)T(\S+) +up to and including +(?:(\d{4}-\d\d-\d\d)T)?(\d{2}:\d{2}(?::\d{2})?)$`)
)

// unsaid writes what a read-back says (see ReadBack) as an expression; other
// texts it leaves as they are. A weekday that is not that of its day is a problem.
func unsaid(text string) (string, diag.Problems) {
	if len(text) == len("all dates") && strings.EqualFold(text, "all dates") {
		return "all", nil
	}
	if !namesWeekdayOfDay(text) { // most texts: the patterns would cost more than all the rest
		return text, nil
	}
	var problems diag.Problems
	out := saidMoment.ReplaceAllStringFunc(text, func(said string) string {
		m := saidMoment.FindStringSubmatch(said)
		if len(m[4]) < 4 {
			return said // two digits may be any century's
		}
		day, _ := strconv.Atoi(m[2])
		year, _ := strconv.Atoi(m[4])
		month := 1
		for monthNames[month][:3] != strings.ToUpper(m[3][:1])+strings.ToLower(m[3][1:]) {
			month++
		}
		if !civil.Valid(year, month, day) {
			return strings.TrimSpace(said[len(m[1]):]) // told where days are read
		}
		date := civil.DateOf(year, month, day)
		if is := weekdayNames[date.Weekday()]; !strings.EqualFold(is, m[1]) {
			at := strings.Index(text, said)
			p := diag.At(text, at, at+len(m[1]), "wrong_weekday", fmt.Sprintf("%s is a %s.", date, date.Weekday()))
			fixed := strings.Replace(text, said, longDay(date), 1)
			p.Hint = "Write " + longDay(date) + "."
			p.Fixes = []diag.Fix{{Label: "Use " + longDay(date), Text: fixed}}
			problems = append(problems, p)
		}
		if m[5] != "" {
			return date.String() + "T" + m[5]
		}
		return date.String()
	})
	out = saidDays.ReplaceAllString(out, "")
	out = saidOpen.ReplaceAllString(out, "$1/..")
	if m := saidUpTo.FindStringSubmatch(strings.TrimSpace(out)); m != nil {
		last := m[3]
		if last == "" {
			last = m[1]
		}
		out = m[1] + "T" + m[2] + "/" + last + "T" + m[4]
	}
	return out, problems
}

// namesWeekdayOfDay tells whether a word that may be a weekday stands before a
// number somewhere.
func namesWeekdayOfDay(text string) bool {
	letter := func(c byte) bool { return c|' ' >= 'a' && c|' ' <= 'z' }
	for i := 0; i < len(text); i++ {
		begin := i
		for i < len(text) && letter(text[i]) {
			i++
		}
		if i-begin < 3 {
			continue
		}
		next := strings.TrimLeft(text[i:], ", ")
		if next == "" || next[0] < '0' || next[0] > '9' {
			continue
		}
		for _, name := range weekdayNames {
			if strings.EqualFold(name[:3], text[begin:begin+3]) {
				return true
			}
		}
	}
	return false
}
