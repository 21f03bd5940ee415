package schedule

import (
	"slices"

	"pikegate/core/civil"
	"pikegate/core/recurrence"
)

// MostMissed is how many times that passed while the service was down are run, or noted.
const MostMissed = 100

// late is by how many seconds a time may have passed and still not count as missed.
const late = 120

// Times are the times at which a rule was due from one instant through another, the newest of
// them where there are many, and when it is due after that, 0 for never.
func Times(rule recurrence.Rule, from, through int64, c civil.Calendar) (passed []int64, next int64) {
	const day = 24 * 60 * 60
	for _, window := range []int64{day, 40 * day, 500 * day, through - from + 1} {
		start := max(from, through-window)
		passed = passed[:0]
		at := civil.Instant(start - 1)
		for {
			due, ended := rule.Next(at, c)
			if ended != recurrence.NotEnded {
				next = 0
				break
			}
			if int64(due.At) > through {
				next = int64(due.At)
				break
			}
			passed, at = append(passed, int64(due.At)), due.At
		}
		if start == from || len(passed) >= MostMissed {
			break
		}
	}
	return passed[max(len(passed)-MostMissed, 0):], next
}

// Split tells which of the times that passed are run and which were missed, by what a schedule
// says of missed ones: once, each or skip. A time that has just passed was not missed.
func Split(passed []int64, now int64, missed string) (run, gone []int64) {
	if len(passed) == 0 {
		return nil, nil
	}
	first, _ := slices.BinarySearch(passed, now-late) // that is not missed
	switch {
	case missed == "each":
		return passed, nil
	case missed == "skip" || first < len(passed):
		return passed[first:], passed[:first]
	}
	return passed[len(passed)-1:], passed[:len(passed)-1]
}
