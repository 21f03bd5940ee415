package recurrence

import (
	"pikegate/core/civil"
	"pikegate/core/diag"
)

// Reading is a rule as it was read, for people and programs.
type Reading struct {
	Rule  string    `json:"rule" doc:"The rule in the one way it is kept"`
	Zone  string    `json:"zone"`
	Times []DueTime `json:"times" doc:"When it is due next"`
	// Ended says why there are fewer than were asked for.
	Ended string `json:"ended,omitempty" doc:"Why there are fewer times than were asked for"`
}

// DueTime is one time at which a rule is due.
type DueTime struct {
	At      string `json:"at" doc:"The time on the clock of the zone, with its offset from UTC"`
	Instant string `json:"instant" doc:"The same in UTC"`
	// Meant is the time that was meant, where the clock leaves it out.
	Meant string `json:"meant,omitempty" doc:"The time that was meant, where the clock leaves it out"`
	Due   Due    `json:"-"`
}

// Describe reads a rule and tells the next n times at which it is due, after the context's now.
func Describe(text string, n int, c civil.Calendar) (Reading, diag.Problems) {
	rule, problems := Parse(text)
	if len(problems) > 0 {
		return Reading{}, problems
	}
	if rule.NeedsCalendar() && c.Almanac == nil {
		p := diag.At(text, 0, len([]rune(text)), "no_calendar", "Which days are worked is said by a calendar, and none is used here.")
		p.Hint = "Name one, with --calendar or calendar: NAME."
		return Reading{}, diag.Problems{p}
	}
	r := Reading{Rule: rule.String(), Zone: c.Zone.String(), Times: []DueTime{}}
	list, ended := rule.Upcoming(c.Now, n, c)
	for _, d := range list {
		shown := civil.CivilOf(d.At, c.Zone)
		at := DueTime{At: string(civil.AppendOffset(shown.AppendTo(nil, 'T'), int(int64(shown)-int64(d.At)))), Instant: d.At.String(), Due: d}
		if shown != d.Civil {
			at.Meant = d.Civil.String()
		}
		r.Times = append(r.Times, at)
	}
	r.Ended = map[Ended]string{
		AfterLast: "That is the last time.", CalendarEnds: "The calendar knows no holidays after its last day.", Rare: "There is no further time within 41 years.",
	}[ended]
	return r, nil
}
