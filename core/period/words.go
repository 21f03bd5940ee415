package period

import (
	"sort"

	"pikegate/core/civil"
)

// word is a word of the language: what it is and which of them.
type word struct {
	role  role
	value int
}

type role uint8

const (
	unknown role = iota
	rMonth
	rWeekday
	rUnit
	rDirection // last, this, next: value -1, 0, 1
	rDay       // today, yesterday, tomorrow: value in days
	rFiscal
	rTo
	rThrough
	rSince
	rBefore
	rAs
	rLong
	rAfter
	rAll
	rAgo
	rIn
	rNth     // first to twelfth: value 1 to 12
	rCount   // a, one to twelve: value 1 to 12
	rOrdinal // the letters after 1st, 2nd, 3rd, 4th
	rThe
	rPast
	rBetween
	rAnd
	rUp
	rOn
	rOr
	rNot
	rOnwards
	rEdge // start and end of something: value -1, 1
	rMiddle
	rCalendar
	rCW
	rOf
	rDate
	rIncluding
	rFrom
	rQ
	rH
	rW
	rT
	rZ
	rFY
	rP
	rWorking
	rPeriod
)

// vocabulary is every word of the language. A new word is a new row here.
var vocabulary = map[string]word{
	"january": {rMonth, 1}, "february": {rMonth, 2}, "march": {rMonth, 3}, "april": {rMonth, 4},
	"may": {rMonth, 5}, "june": {rMonth, 6}, "july": {rMonth, 7}, "august": {rMonth, 8},
	"september": {rMonth, 9}, "october": {rMonth, 10}, "november": {rMonth, 11}, "december": {rMonth, 12},
	"jan": {rMonth, 1}, "feb": {rMonth, 2}, "mar": {rMonth, 3}, "apr": {rMonth, 4}, "jun": {rMonth, 6},
	"jul": {rMonth, 7}, "aug": {rMonth, 8}, "sep": {rMonth, 9}, "sept": {rMonth, 9}, "oct": {rMonth, 10},
	"nov": {rMonth, 11}, "dec": {rMonth, 12},

	"sunday": {rWeekday, 0}, "monday": {rWeekday, 1}, "tuesday": {rWeekday, 2}, "wednesday": {rWeekday, 3},
	"thursday": {rWeekday, 4}, "friday": {rWeekday, 5}, "saturday": {rWeekday, 6},
	"sun": {rWeekday, 0}, "mon": {rWeekday, 1}, "tue": {rWeekday, 2}, "wed": {rWeekday, 3},
	"thu": {rWeekday, 4}, "fri": {rWeekday, 5}, "sat": {rWeekday, 6}, "tues": {rWeekday, 2}, "thur": {rWeekday, 4}, "thurs": {rWeekday, 4},

	"day": {rUnit, int(civil.Day)}, "week": {rUnit, int(civil.Week)}, "month": {rUnit, int(civil.Month)},
	"quarter": {rUnit, int(civil.Quarter)}, "half": {rUnit, int(civil.Half)}, "year": {rUnit, int(civil.Year)},
	"days": {rUnit, int(civil.Day)}, "weeks": {rUnit, int(civil.Week)}, "months": {rUnit, int(civil.Month)},
	"quarters": {rUnit, int(civil.Quarter)}, "halves": {rUnit, int(civil.Half)}, "years": {rUnit, int(civil.Year)},

	"last": {rDirection, -1}, "this": {rDirection, 0}, "next": {rDirection, 1},
	"previous": {rDirection, -1}, "current": {rDirection, 0}, "past": {rPast, 0},
	"today": {rDay, 0}, "yesterday": {rDay, -1}, "tomorrow": {rDay, 1},
	"fiscal": {rFiscal, 0}, "to": {rTo, 0}, "through": {rThrough, 0}, "since": {rSince, 0}, "from": {rFrom, 0},
	"until": {rThrough, 0}, "till": {rThrough, 0}, "up": {rUp, 0}, "between": {rBetween, 0}, "and": {rAnd, 0},
	"on": {rOn, 0}, "or": {rOr, 0}, "not": {rNot, 0}, "onward": {rOnwards, 0}, "onwards": {rOnwards, 0},
	"before": {rBefore, 0}, "as": {rAs, 0}, "long": {rLong, 0}, "after": {rAfter, 0}, "all": {rAll, 0}, "ago": {rAgo, 0}, "back": {rAgo, 0}, "in": {rIn, 0},
	"first": {rNth, 1}, "second": {rNth, 2}, "third": {rNth, 3}, "fourth": {rNth, 4}, "fifth": {rNth, 5}, "sixth": {rNth, 6},
	"seventh": {rNth, 7}, "eighth": {rNth, 8}, "ninth": {rNth, 9}, "tenth": {rNth, 10}, "eleventh": {rNth, 11}, "twelfth": {rNth, 12},
	"a": {rCount, 1}, "an": {rCount, 1}, "one": {rCount, 1}, "two": {rCount, 2}, "three": {rCount, 3}, "four": {rCount, 4},
	"five": {rCount, 5}, "six": {rCount, 6}, "seven": {rCount, 7}, "eight": {rCount, 8}, "nine": {rCount, 9}, "ten": {rCount, 10},
	"eleven": {rCount, 11}, "twelve": {rCount, 12},
	"st": {rOrdinal, 1}, "nd": {rOrdinal, 2}, "rd": {rOrdinal, 3}, "th": {rOrdinal, 0}, "the": {rThe, 0},
	"start": {rEdge, -1}, "beginning": {rEdge, -1}, "end": {rEdge, 1}, "middle": {rMiddle, 0},
	"calendar": {rCalendar, 0}, "cw": {rCW, 0}, "of": {rOf, 0}, "date": {rDate, 0}, "including": {rIncluding, 0},
	"q": {rQ, 0}, "h": {rH, 0}, "w": {rW, 0}, "t": {rT, 0}, "z": {rZ, 0}, "fy": {rFY, 0},
	"p": {rP, 0}, "pt": {rP, 1},

	"working": {rWorking, 0}, "business": {rWorking, 0}, "workday": {rUnit, int(civil.WorkingDay)}, "workdays": {rUnit, int(civil.WorkingDay)},
	"period": {rPeriod, 0}, "periods": {rPeriod, 0},
}

// spoken is the words worth proposing when an unknown one is near.
var spoken = func() []string {
	var words []string
	for text := range vocabulary {
		if len(text) > 2 {
			words = append(words, text)
		}
	}
	sort.Strings(words)
	return words
}()

// lookUp finds a word, whatever its case, without allocating.
func lookUp(text string) word {
	var lower [12]byte
	if len(text) > len(lower) {
		return word{}
	}
	for i := range len(text) {
		c := text[i]
		if c >= 'A' && c <= 'Z' {
			c += 'a' - 'A'
		}
		lower[i] = c
	}
	return vocabulary[string(lower[:len(text)])]
}
