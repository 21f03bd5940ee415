package oracle

import (
	"math/big"
	"regexp"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
)

// ofText is a function that takes texts apart or puts them together, or one of the time of
// day; false for another one.
func (w World) ofText(e *criteria.Call, r Record, args []any) (v any, ok bool) {
	whole := func(i int) int { return int(args[i].(*big.Rat).Num().Int64()) }
	number := func(n int64) any { return big.NewRat(n, 1) }
	letters := func(i int) []string { return strings.Split(args[i].(string), "") }
	switch e.Name {
	case "part":
		made := ""
		for i, c := range letters(0) {
			if i+1 >= whole(1) && (len(args) < 3 || i+1 < whole(1)+whole(2)) {
				made += c
			}
		}
		return made, true
	case "position":
		all := letters(0)
		for i := range len(all) + 1 {
			if strings.HasPrefix(strings.Join(all[i:], ""), args[1].(string)) {
				return number(int64(i) + 1), true
			}
		}
		return number(0), true
	case "replace", "split":
		rest, what, parts := args[0].(string), args[1].(string), []string{""}
		for rest != "" {
			if strings.HasPrefix(rest, what) {
				parts, rest = append(parts, ""), rest[len(what):]
				continue
			}
			parts[len(parts)-1] += rest[:1]
			rest = rest[1:]
		}
		if e.Name == "replace" {
			return strings.Join(parts, args[2].(string)), true
		}
		if whole(2) > len(parts) {
			return nil, true
		}
		return parts[whole(2)-1], true
	case "pad_left", "pad_right":
		text := args[0].(string)
		for len([]rune(text)) < whole(1) {
			if e.Name == "pad_left" {
				text = args[2].(string) + text
			} else {
				text += args[2].(string)
			}
		}
		return text, true
	case "text_of":
		return args[0].(*big.Rat).Num().String(), true
	case "number_of":
		text, pattern := strings.Trim(args[0].(string), " "), `^[-+]?(\d{1,15}|\d{1,3}(,\d{3}){1,4})(\.\d{1,10})?$`
		if len(args) > 1 && args[1] == "," {
			text = strings.NewReplacer(".", ",", ",", ".").Replace(text)
		}
		if !regexp.MustCompile(pattern).MatchString(text) {
			return nil, true
		}
		n, _ := new(big.Rat).SetString(strings.TrimPrefix(strings.ReplaceAll(text, ",", ""), "+"))
		return n, true
	case "hour":
		return number(int64(args[0].(Moment).At.Seconds()) / 3600), true
	case "minute":
		return number(int64(args[0].(Moment).At.Seconds()) % 3600 / 60), true
	case "time_of":
		return args[0].(Moment).At.String()[11:16], true
	case "hours_between", "minutes_between":
		x, y := args[0].(Moment), args[1].(Moment)
		seconds := int64(y.At - x.At)
		if x.Instant != nil && y.Instant != nil && criteria.IsInstant(e.Args[0]) && criteria.IsInstant(e.Args[1]) {
			seconds = int64(*y.Instant - *x.Instant)
		}
		return big.NewRat(seconds, map[string]int64{"hours_between": 3600, "minutes_between": 60}[e.Name]), true
	case "days_after":
		m := args[0].(Moment)
		n := args[1].(*big.Rat).Num()
		if !n.IsInt64() || n.Int64() > 4_000_000 || n.Int64() < -4_000_000 {
			return nil, true
		}
		day := m.At.Date() + civil.Date(n.Int64())
		if year := day.Year(); year < 1 || year > 9999 {
			return nil, true
		}
		return Moment{At: day.Midnight() + civil.DateTime(m.At.Seconds()), Day: m.Day, Nanos: m.Nanos}, true
	}
	return nil, false
}

// dateIn is the date that a text holds in a layout, or what is none.
func (w World) dateIn(e *criteria.Call, r Record) any {
	c := e.Args[0].(*criteria.Column)
	text, ok := r.cell(c).(string)
	if !ok {
		return nil
	}
	encoding := catalog.Encoding(e.Args[1].(*criteria.Text).Value)
	return Typed(catalog.Column{Name: c.Name, Type: encoding.Type(), Stored: catalog.Text, Encoding: encoding}, text, w.Calendar.Zone)
}

// matches tells whether a text is as a pattern says.
func matches(text, pattern string) bool {
	return regexp.MustCompile("(?s)^" + strings.NewReplacer(`\*`, ".*", `\?`, ".").Replace(regexp.QuoteMeta(pattern)) + "$").MatchString(text)
}
