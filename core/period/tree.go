package period

import "pikegate/core/civil"

// Expr is a parsed expression: one node of the closed set below. It keeps the
// text it was read from, so that problems found when it is resolved can be
// placed.
type Expr struct {
	text string
	root node
	owns []*own // the names in it that may be those of a calendar
}

// node is one construct of the language.
type node interface{ place() mark }

// mark is where a node stands in the text, in bytes.
type mark struct{ start, end int }

func (m mark) place() mark { return m }

type (
	// fixed is a literal of the calendar: a day, a minute, a month, a week …
	fixed struct {
		mark
		span Span
	}
	// instant is a date-time with an offset; its civil time depends on the zone.
	instant struct {
		mark
		at      civil.Instant
		seconds civil.DateTime // how long the written unit is
	}
	// slashed is a day written as 03/04/2026, to be read by the date order; short tells
	// that its year has two digits.
	slashed struct {
		mark
		first, second, year int
		short               bool
	}
	// yearless is a day written as 15.5., to be read by the date order, its year left out.
	yearless struct {
		mark
		first, second int
	}
	// fiscal is FY2026, or the nth part of it: FY2026-Q2, fiscal week 12 of 2026.
	fiscal struct {
		mark
		year int
		unit civil.Unit
		nth  int
	}
	// own is a period with a name of the organisation's own, which stands at a place.
	own struct {
		mark
		name         string
		at           mark
		form         ownForm
		year, offset int
	}
	// partial is a day, a month, a quarter or a half without its year; a day may even be
	// without its month (month is 0). Months is how long it is, 0 for a day. Short is where
	// the two digits of its year stand, where it has these.
	partial struct {
		mark
		month, months, day int
		short              *token
	}
	// anyWeekday is a weekday alone: which week it is in is not said.
	anyWeekday struct {
		mark
		day int
	}
	// onWeekday is a day whose weekday is said as well.
	onWeekday struct {
		mark
		day  int
		word mark
		term node
	}
	// relative is the unit that holds today (offset 0), the one before (-1) or after (1).
	relative struct {
		mark
		unit   civil.Unit
		offset int
	}
	// several is "last 7 days", "next 2 weeks", "last 3 months including today".
	several struct {
		mark
		unit      civil.Unit
		count     int
		next      bool
		including bool
	}
	// toDate is "month to date".
	toDate struct {
		mark
		unit civil.Unit
	}
	// ago is one day: today moved by a number of units.
	ago struct {
		mark
		unit  civil.Unit
		count int
	}
	// weekday is "last friday" (-1), "this friday" (0), "next friday" (1).
	weekday struct {
		mark
		day    int
		offset int
	}
	// moved is a term with both ends moved.
	moved struct {
		mark
		term node
		by   duration
	}
	// named is the value of another question: :period, or one end of it.
	named struct {
		mark
		name, part string
	}
	// partOf is "first day of last month", "third week of 2026" (nth is 3), or the last
	// (nth is -1).
	partOf struct {
		mark
		unit civil.Unit
		nth  int
		term node
	}
	// interval runs from the start of one term to the end of another; a nil
	// side is open, and one side may be a duration.
	interval struct {
		mark
		from, to node
	}
	// length is an ISO duration standing on one side of an interval.
	length struct {
		mark
		duration
	}
	// preceding is as long a time as a term, right before it.
	preceding struct {
		mark
		term node
	}
	// outside is "before" (the end left out) or "after" a term.
	outside struct {
		mark
		term  node
		after bool
	}
)

// ownForm is how it is said which of the periods of a name is meant.
type ownForm uint8

const (
	anyOwn    ownForm = iota // it is not
	ofItsYear                // season 2025
	nearToday                // last season
	toItsDate                // season to date
)

// duration is a length of time: months, days and seconds, each signed; or so many units
// whose length a calendar says.
type duration struct {
	months, days, seconds int
	unit                  civil.Unit
	count                 int
}

func (d duration) negated() duration {
	return duration{-d.months, -d.days, -d.seconds, d.unit, -d.count}
}
