package evaluate

import (
	"regexp"
	"strings"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
)

// ofText works out a function that takes texts apart or puts them together, or one of the
// time of day; false for another one. No argument is blank.
func (w *Evaluator) ofText(e *criteria.Call, args []any) (v any, ok bool) {
	text, _ := args[0].(string)
	second, _ := args[len(args)-1].(string)
	stamp, dated := args[0].(catalog.Stamp)
	whole := func(i int) int {
		n, _ := args[i].(decimal.Decimal)
		return int(n.IntPart())
	}
	number := func(n int) any { return decimal.New(int64(n), 0) }
	switch e.Name {
	case "part":
		runes := []rune(text)
		runes = runes[min(whole(1)-1, len(runes)):]
		if len(args) > 2 {
			runes = runes[:min(whole(2), len(runes))]
		}
		return string(runes), true
	case "position":
		at := strings.Index(text, second)
		return number(utf8.RuneCountInString(text[:max(at, 0)]) + min(at+1, 1)), true
	case "replace":
		return strings.ReplaceAll(text, args[1].(string), second), true
	case "split":
		parts := strings.Split(text, args[1].(string))
		if n := whole(2); n <= len(parts) {
			return parts[n-1], true
		}
		return nil, true
	case "pad_left", "pad_right":
		padding := strings.Repeat(second, max(whole(1)-utf8.RuneCountInString(text), 0))
		if e.Name == "pad_left" {
			return padding + text, true
		}
		return text + padding, true
	case "text_of":
		n, isNumber := args[0].(decimal.Decimal)
		return n.String(), isNumber
	case "number_of":
		mark := "."
		if len(args) > 1 {
			mark = second
		}
		return NumberOf(text, mark), true
	case "date_in":
		return args[0], true
	case "hour":
		return number(stamp.At.Seconds() / 3600), dated
	case "minute":
		return number(stamp.At.Seconds() / 60 % 60), dated
	case "time_of":
		return stamp.At.String()[11:16], dated
	case "hours_between", "minutes_between":
		seconds := int64(args[1].(catalog.Stamp).At - stamp.At)
		if criteria.IsInstant(e.Args[0]) && criteria.IsInstant(e.Args[1]) {
			seconds -= int64(args[1].(catalog.Stamp).Offset - stamp.Offset)
		}
		made, _ := criteria.Calculate('/', decimal.New(seconds, 0), decimal.New(criteria.SecondsIn(e.Name), 0))
		return made, true
	case "days_after":
		n, _ := args[1].(decimal.Decimal)
		if n.Abs().GreaterThan(decimal.New(civil.MaxYear*366, 0)) {
			return nil, true
		}
		if day := stamp.At.Date() + civil.Date(n.IntPart()); day.InRange() {
			return w.stamp(day.Midnight()+civil.DateTime(stamp.At.Seconds()), stamp.Fraction), true
		}
		return nil, true
	}
	return nil, false
}

// numbers are texts that are numbers, by their decimal marks; groups of three digits may be
// kept apart by the other mark.
var numbers = map[string]*regexp.Regexp{
	".": regexp.MustCompile("^" + criteria.NumberPattern(".") + "$"),
	",": regexp.MustCompile("^" + criteria.NumberPattern(",") + "$"),
}

// NumberOf reads a text as a number; nil where it is none.
func NumberOf(text, mark string) any {
	if !numbers[mark].MatchString(text) {
		return nil
	}
	group := ","
	if mark == "," {
		group = "."
	}
	d, err := decimal.NewFromString(strings.Replace(strings.ReplaceAll(strings.Trim(text, " "), group, ""), ",", ".", 1))
	if err != nil {
		return nil
	}
	return d
}

// wild tells whether a text is as a pattern says, in which * stands for any characters and
// ? for one.
func wild(text, pattern string) bool {
	t, p := []rune(text), []rune(pattern)
	i, j, star, from := 0, 0, -1, 0
	for i < len(t) {
		switch {
		case j < len(p) && p[j] == '*':
			star, from = j, i
			j++
		case j < len(p) && (p[j] == '?' || p[j] == t[i]):
			i, j = i+1, j+1
		case star >= 0: // the last star takes in one more
			from++
			i, j = from, star+1
		default:
			return false
		}
	}
	for j < len(p) && p[j] == '*' {
		j++
	}
	return j == len(p)
}
