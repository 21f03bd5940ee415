package oracle

import (
	"math/big"

	"pikegate/core/civil"
)

// Working days, one day after the other.

func (w World) known(d civil.Date) bool {
	return d >= w.Calendar.Almanac.First && d <= w.Calendar.Almanac.Last
}

func (w World) holiday(d civil.Date) bool {
	for _, h := range w.Calendar.Almanac.Holidays {
		if h.Day == d {
			return true
		}
	}
	return false
}

func (w World) worked(d civil.Date) bool {
	return !w.Calendar.Almanac.Off[d.Weekday()] && !w.holiday(d)
}

// addWorking walks n working days from a day; false where the walk leaves the known ones.
func (w World) addWorking(d civil.Date, n int) (civil.Date, bool) {
	step := civil.Date(1)
	if n < 0 {
		step, n = -1, -n
	}
	for w.known(d) && n > 0 {
		if d += step; w.known(d) && w.worked(d) {
			n--
		}
	}
	return d, w.known(d)
}

// workingDays counts those after one day through another, as negative backwards.
func (w World) workingDays(from, to civil.Date) any {
	if !w.known(from) || !w.known(to) {
		return nil
	}
	n := int64(0)
	for d := min(from, to) + 1; d <= max(from, to); d++ {
		if w.worked(d) {
			n++
		}
	}
	if to < from {
		n = -n
	}
	return big.NewRat(n, 1)
}
