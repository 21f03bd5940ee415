// Package recurrence is the language in which people say when something happens again.
//
//	every day at 06:30
//	every working day at 07:00
//	every monday and thursday at 07:00
//	every 2 weeks on friday at 12:00 from 2026-01-02
//	on the 1st and the 15th of every month at 06:00
//	on the last day of every month at 23:30
//	on the first working day of every month at 07:00
//	on the last friday of every quarter at 09:00
//	every year on 04-06 at 06:00
//	every 15 minutes between 08:00 and 18:00 on working days
//
// Behind each may stand until 2026-12-31 (that day is the last), from 2026-01-02 (the first that
// can be one), except holidays, and except holidays, then the next working day (or the previous
// one). Steps of more than one day, week, month or year count from a day, which has to be said.
//
// A rule is read by Parse, which reports every problem with its place in characters, and is
// written by String in one way only. Rule.Next finds when it is due in the zone and calendar of a
// context: a time that the clock leaves out is due at the first instant after the gap, one that
// it shows twice is due once, the first time. Nothing reads the clock.
package recurrence
