package civil

import "time"

// Yearly is how the clocks of a zone change in every year from some year on:
// twice, each time on a weekday of its own.
type Yearly struct {
	// From is the first year, in UTC, in which they do.
	From    int
	Changes [2]YearlyChange
}

// YearlyChange is one of the changes: at so many seconds after midnight UTC of
// the first such weekday on or after a day of the year. Offset is the offset
// from UTC, in seconds, from then on.
type YearlyChange struct {
	Month, Day int
	Weekday    time.Weekday
	Seconds    int
	Offset     int
}

// In is the change in a year.
func (c YearlyChange) In(year int) Change {
	day := DateOf(year, c.Month, c.Day)
	day += Date(floorMod(int(c.Weekday)-int(day.Weekday()), 7))
	return Change{Instant(day.Midnight()) + Instant(c.Seconds), c.Offset}
}

// The years a rule is read off: enough of them for every first weekday to
// occur, in leap years and others.
const firstRuled, lastRuled = 2101, 2199

// YearlyOf reads the rule of a zone off the changes of its clocks; false where
// they do not change for ever. What is read is held to every year it is said of.
func YearlyOf(zone *time.Location) (Yearly, bool) {
	first, last := Instant(DateOf(1800, 1, 1).Midnight()), Instant(DateOf(lastRuled+1, 1, 1).Midnight())
	byYear := map[int][]Change{}
	for _, c := range Changes(zone, first, last)[1:] {
		year := DateTime(c.At).Date().Year()
		byYear[year] = append(byYear[year], c)
	}
	var rule Yearly
	for i := range rule.Changes {
		earliest := 366
		for year := firstRuled; year <= lastRuled; year++ {
			if len(byYear[year]) != len(rule.Changes) {
				return Yearly{}, false
			}
			c := byYear[year][i]
			day := DateTime(c.At).Date()
			// Days are counted in a year that is no leap year.
			_, month, dayOfMonth := day.YMD()
			if n := int(DateOf(2001, month, dayOfMonth) - DateOf(2001, 1, 1)); n < earliest {
				earliest = n
				_, m, d := (DateOf(2001, 1, 1) + Date(n)).YMD()
				rule.Changes[i] = YearlyChange{m, d, day.Weekday(), DateTime(c.At).Seconds(), c.Offset}
			}
		}
	}
	holds := func(year int) bool {
		found := byYear[year]
		return len(found) == len(rule.Changes) && found[0] == rule.Changes[0].In(year) && found[1] == rule.Changes[1].In(year)
	}
	for year := lastRuled; ; year-- {
		if !holds(year) {
			rule.From = year + 2 // a year later the offset of its beginning is sure too
			return rule, rule.From <= firstRuled
		}
	}
}
