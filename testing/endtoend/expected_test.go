package endtoend

import (
	"cmp"
	"fmt"
	"slices"
	"sync"
	"time"

	"pikegate/internal/demo"
)

// What each report must return, worked out from the generator's records with
// the standard library and nothing of the product. Days are compared as text.

// london is the zone of the demonstration, read once.
var london = sync.OnceValue(func() *time.Location {
	zone, err := time.LoadLocation(demo.Zone)
	if err != nil {
		panic(err)
	}
	return zone
})

func iso(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Format(time.DateOnly)
}

func pounds(pence int) string { return fmt.Sprintf("%d.%02d", pence/100, pence%100) }

// passages between two days, both in, at the locks named (any when none are).
func passages(first, last string, locks ...string) [][]string {
	zone := london()
	var out [][]string
	for _, p := range records.Passages {
		at := p.PassedAt.In(zone)
		lock := records.Locks[p.LockID-1]
		if day := at.Format(time.DateOnly); day < first || day > last || len(locks) > 0 && !slices.Contains(locks, lock.Name) {
			continue
		}
		vessel := ""
		if p.VesselID > 0 {
			vessel = records.Vessels[p.VesselID-1].Name
		}
		out = append(out, []string{at.Format("2006-01-02T15:04:05-07:00"), lock.Name, lock.Region, vessel, p.Direction, pounds(p.TollPence)})
	}
	return out
}

// invoices issued between two days, unpaid ones first.
func invoices(first, last string) [][]string {
	var chosen []demo.Invoice
	for _, v := range records.Invoices {
		if day := iso(v.IssuedOn); day >= first && day <= last {
			chosen = append(chosen, v)
		}
	}
	slices.SortFunc(chosen, func(a, b demo.Invoice) int {
		return cmp.Or(cmp.Compare(iso(a.PaidOn), iso(b.PaidOn)), cmp.Compare(iso(a.IssuedOn), iso(b.IssuedOn)), cmp.Compare(a.ID, b.ID))
	})
	var out [][]string
	for _, v := range chosen {
		vessel := records.Vessels[v.VesselID-1]
		out = append(out, []string{v.Number, iso(v.IssuedOn), iso(v.PaidOn), vessel.Name, vessel.Owner, pounds(v.AmountPence)})
	}
	return out
}

// stays that touch any day between two.
func stays(first, last string) [][]string {
	var out [][]string
	for _, s := range records.Stays {
		if iso(s.ArrivesOn) <= last && (s.DepartsOn.IsZero() || iso(s.DepartsOn) >= first) {
			out = append(out, []string{s.Mooring, records.Vessels[s.VesselID-1].Name, iso(s.ArrivesOn), iso(s.DepartsOn), fmt.Sprint(s.Persons), pounds(s.NightlyPence)})
		}
	}
	return out
}

// jobs due between two days.
func jobs(first, last string) [][]string {
	var chosen []demo.Job
	for _, j := range records.Jobs {
		if day := iso(j.DueOn); day >= first && day <= last {
			chosen = append(chosen, j)
		}
	}
	slices.SortStableFunc(chosen, func(a, b demo.Job) int { return a.DueOn.Compare(b.DueOn) })
	var out [][]string
	for _, j := range chosen {
		out = append(out, []string{iso(j.DueOn), records.Locks[j.LockID-1].Name, j.Title, iso(j.DoneOn), pounds(j.CostPence)})
	}
	return out
}
