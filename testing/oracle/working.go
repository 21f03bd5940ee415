package oracle

import (
	"fmt"
	"math/big"
	"sync"

	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/period"
)

// Working days, one day after the other.

func (w World) known(d civil.Date) bool {
	return d >= w.Calendar.Almanac.First && d <= w.Calendar.Almanac.Last
}

func (w World) holiday(d civil.Date) bool {
	kept, ok := holidays.Load(w.Calendar.Almanac)
	if !ok {
		days := map[civil.Date]bool{}
		for _, h := range w.Calendar.Almanac.Holidays {
			days[h.Day] = true
		}
		kept, _ = holidays.LoadOrStore(w.Calendar.Almanac, days)
	}
	return kept.(map[civil.Date]bool)[d]
}

// holidays are those of each calendar, as a set.
var holidays sync.Map

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

// own is the unit of the calendar that holds a day: fiscal years of months, and named
// periods, whose days are walked back to their first.
func (w World) own(unit string, d civil.Date) (name string, first civil.Date, ok bool) {
	y, m, _ := d.YMD()
	since := (m - w.Calendar.FiscalStart + 12) % 12 // months of the fiscal year that are over
	year := y
	if m < w.Calendar.FiscalStart {
		year--
	}
	named := year
	if !w.Calendar.FiscalByStart && w.Calendar.FiscalStart > 1 {
		named++
	}
	first = civil.DateOf(year, w.Calendar.FiscalStart, 1)
	months := 12
	switch unit {
	case "fiscal year":
		name = fmt.Sprintf("FY%04d", named)
	case "fiscal quarter":
		first, months = civil.DateOf(year, w.Calendar.FiscalStart+since/3*3, 1), 3
		name = fmt.Sprintf("FY%04d-Q%d", named, since/3+1)
	case "fiscal period":
		first, months = civil.DateOf(year, w.Calendar.FiscalStart+since, 1), 1
		name = fmt.Sprintf("fiscal period %d of %d", since+1, named)
	default:
		return w.named(unit, d)
	}
	fy, fm, _ := first.YMD()
	after := civil.DateOf(fy, fm+months, 1)
	return name, first, after > w.Calendar.Almanac.First && first <= w.Calendar.Almanac.Last
}

func (w World) named(unit string, d civil.Date) (name string, first civil.Date, ok bool) {
	for _, p := range w.Calendar.Almanac.Periods {
		for year := d.Year() - 1; p.Name == unit && year <= d.Year(); year++ {
			s, has := p.In(year)
			if has && s.First <= d && d <= s.Last && s.Last >= w.Calendar.Almanac.First && s.First <= w.Calendar.Almanac.Last {
				return fmt.Sprintf("%s %d", unit, year), s.First, true
			}
		}
	}
	return "", 0, false
}

// compareOwn compares by the first day of the unit; a date in none leaves it open.
func (w World) compareOwn(unit *criteria.UnitOf, op string, s period.Span, r Record) Truth {
	m, ok := w.Value(unit.X, r).(Moment)
	if !ok || w.hasUnfit(unit.X, r) {
		return Unknown
	}
	_, first, ok := w.own(unit.Unit, m.At.Date())
	if !ok {
		return Unknown
	}
	t := first.Midnight()
	before, after := !s.OpenStart() && t < s.From, !s.OpenEnd() && t >= s.Until
	return truth(map[string]bool{"<": before, ">=": !before, "<=": !after, ">": after, "=": !before && !after, "<>": before || after}[op])
}
