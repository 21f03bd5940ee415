// Package demo is the demonstration: the records of the Tarn and Wold
// Navigation, an inland waterway that does not exist, and reports on them.
// A fixed seed makes the same records everywhere and at any time.
package demo

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"time"
)

// Zone is the zone the Navigation keeps its days in.
const Zone = "Europe/London"

// FirstDay and LastDay are the ends of the records.
var (
	FirstDay = day(2023, 1, 1)
	LastDay  = day(2025, 12, 31)
)

func day(y int, m time.Month, d int) time.Time { return time.Date(y, m, d, 0, 0, 0, 0, time.UTC) }

// Data is every record of the Navigation. Days are at midnight UTC, and stand
// for the civil day; a zero time or id is a blank.
type Data struct {
	Locks    []Lock
	Vessels  []Vessel
	Passages []Passage
	Stays    []Stay
	Invoices []Invoice
	Jobs     []Job
	Readings []Reading
}

// Lock is a lock and its keeper.
type Lock struct {
	ID                   int
	Name, Region, Keeper string
	OpenedOn, ClosedOn   time.Time
}

// Vessel is a boat and its owner; the length is in centimetres.
type Vessel struct {
	ID          int
	Name, Owner string
	Length      int
}

// Passage is one vessel going through one lock.
type Passage struct {
	ID, LockID, VesselID int
	PassedAt             time.Time
	Direction            string
	TollPence            int
}

// Stay is a vessel at a mooring, from its arrival to its departure.
type Stay struct {
	ID, VesselID          int
	Mooring               string
	ArrivesOn, DepartsOn  time.Time
	NightlyPence, Persons int
}

// Invoice is for dues, and perhaps never paid.
type Invoice struct {
	ID, VesselID     int
	Number           string
	IssuedOn, PaidOn time.Time
	AmountPence      int
}

// Job is a piece of maintenance; its days come from an old system as whole
// numbers like 20260331.
type Job struct {
	ID, LockID    int
	Title         string
	DueOn, DoneOn time.Time
	CostPence     int
}

// Reading is the water level at a gauge, in millimetres.
type Reading struct {
	ID      int
	Gauge   string
	ReadAt  time.Time
	LevelMM int
}

type place struct{ name, region string }

var places = []place{
	{"Harrow Top", "Upper Tarn"},
	{"Mossgill", "Upper Tarn"},
	{"Cold Ferry", "Upper Tarn"},
	{"Tarnhead", "Upper Tarn"},
	{"Millrace", "Middle Reach"},
	{"Osier Bend", "Middle Reach"},
	{"Two Sluices", "Middle Reach"},
	{"Heron's Rest", "Middle Reach"},
	{"Kettle Bridge", "Middle Reach"},
	{"Barley Staithe", "Wold Cut"},
	{"Long Paddock", "Wold Cut"},
	{"Chalk Stair", "Wold Cut"},
	{"Ling Basin", "Wold Cut"},
	{"Sallow Gate", "Wold Cut"},
}

var (
	keepers  = []string{"A. Thorne", "B. Lowther", "C. Marsh", "D. Penhallow", "E. Quill", "F. Rushby", "G. Sedge"}
	vesselA  = []string{"Amber", "Brindled", "Copper", "Dappled", "Early", "Faithful", "Grey", "Humble", "Idle", "Jolly", "Kindly", "Lucky", "Merry", "Northern"}
	vesselB  = []string{"Otter", "Kingfisher", "Heron", "Moorhen", "Pike", "Bittern", "Damselfly", "Willow", "Teasel", "Sedge", "Wagtail", "Swift"}
	owners   = []string{"Tarn Carriers", "Wold Grain Company", "Reach & Daughters", "Osier Boats", "Lantern Hire", "The Mossgill Trust", "P. Wainfleet", "R. Aldous", "S. Ferriby", "Zoë Åkerlund"}
	moorings = []string{"Basin East", "Basin West", "Long Wharf", "Osier Pool", "Tarnhead Steps"}
	jobs     = []string{"Grease paddle gear", "Replace gate seal", "Clear silt", "Repair towpath edge", "Inspect culvert", "Paint balance beam", "Renew mooring rings", "Test sluice motor"}
	gauges   = []string{"Tarnhead", "Osier Bend", "Ling Basin"}
)

// generator draws records; every record has its turn in a fixed order.
type generator struct {
	*rand.Rand
	zone *time.Location
	data *Data
}

// Generate makes the records.
func Generate() (*Data, error) {
	zone, err := time.LoadLocation(Zone)
	if err != nil {
		return nil, fmt.Errorf("demo: %w", err)
	}
	g := &generator{rand.New(rand.NewPCG(1826, 331)), zone, &Data{}}
	g.locks()
	g.vessels()
	g.passages()
	g.stays()
	g.invoices()
	g.jobs()
	g.readings()
	return g.data, nil
}

func (g *generator) locks() {
	for i, p := range places {
		l := Lock{ID: i + 1, Name: p.name, Region: p.region, Keeper: keepers[i%len(keepers)], OpenedOn: day(1826, 5, 1).AddDate(i/3, i, i*11)}
		g.data.Locks = append(g.data.Locks, l)
	}
	g.data.Locks[13].OpenedOn = day(2023, 9, 15) // Sallow Gate opened late
	g.data.Locks[2].ClosedOn = day(2025, 10, 31) // Cold Ferry closed early
}

func (g *generator) vessels() {
	for i := range len(vesselA) * len(vesselB) {
		g.data.Vessels = append(g.data.Vessels, Vessel{
			ID:     i + 1,
			Name:   vesselA[i%len(vesselA)] + " " + vesselB[i/len(vesselA)],
			Owner:  owners[g.IntN(len(owners))],
			Length: 600 + g.IntN(1600),
		})
	}
}

// passages are more in summer and at weekends, by daylight and with a few at
// night; those planted stand first.
func (g *generator) passages() {
	for _, at := range g.planted() {
		g.passage(at, 1)
	}
	for d := FirstDay; !d.After(LastDay); d = d.AddDate(0, 0, 1) {
		count := 60 + g.IntN(20)
		if m := d.Month(); m >= time.April && m <= time.September {
			count += 70
		}
		if w := d.Weekday(); w == time.Saturday || w == time.Sunday {
			count += 25
		}
		for range count {
			second := 6*3600 + g.IntN(15*3600)
			if g.IntN(40) == 0 {
				second = g.IntN(24 * 3600)
			}
			at := time.Date(d.Year(), d.Month(), d.Day(), 0, 0, second, 0, g.zone)
			lock := 1 + g.IntN(len(places))
			l := g.data.Locks[lock-1]
			if at.Before(l.OpenedOn) || !l.ClosedOn.IsZero() && at.After(l.ClosedOn) {
				continue
			}
			g.passage(at, lock)
		}
	}
	slices.SortStableFunc(g.data.Passages, func(a, b Passage) int { return a.PassedAt.Compare(b.PassedAt) })
	for i := range g.data.Passages {
		g.data.Passages[i].ID = i + 1
	}
}

// planted are the moments that reports get wrong: a month's last second and
// the next one's first, both passes of a doubled hour, either side of a
// missing one, 29 February, and both ends of a year.
func (g *generator) planted() []time.Time {
	var out []time.Time
	for y := 2023; y <= 2025; y++ {
		for m := time.January; m <= time.December; m++ {
			start := time.Date(y, m, 1, 0, 0, 0, 0, g.zone)
			out = append(out, start, start.AddDate(0, 1, 0).Add(-time.Second))
		}
	}
	for _, doubled := range []time.Time{day(2023, 10, 29), day(2024, 10, 27), day(2025, 10, 26)} {
		out = append(out, doubled.Add(30*time.Minute), doubled.Add(90*time.Minute)) // 01:30 twice
	}
	for _, missing := range []time.Time{day(2023, 3, 26), day(2024, 3, 31), day(2025, 3, 30)} {
		out = append(out, missing.Add(time.Hour-time.Second), missing.Add(time.Hour)) // 00:59:59, 02:00:00
	}
	leap := time.Date(2024, 2, 29, 0, 0, 0, 0, g.zone)
	return append(out, leap, leap.Add(12*time.Hour), leap.Add(24*time.Hour-time.Second))
}

func (g *generator) passage(at time.Time, lock int) {
	p := Passage{LockID: lock, PassedAt: at.UTC(), Direction: "upstream", TollPence: 450 + 5*g.IntN(300)}
	if g.IntN(2) == 0 {
		p.Direction = "downstream"
	}
	if g.IntN(50) > 0 {
		p.VesselID = 1 + g.IntN(len(g.data.Vessels))
	}
	g.data.Passages = append(g.data.Passages, p)
}

func (g *generator) anyDay() time.Time {
	return FirstDay.AddDate(0, 0, g.IntN(int(LastDay.Sub(FirstDay).Hours()/24)+1))
}

func (g *generator) stays() {
	for i := range 4000 {
		s := Stay{
			VesselID: 1 + g.IntN(len(g.data.Vessels)), Mooring: moorings[g.IntN(len(moorings))],
			ArrivesOn: g.anyDay(), NightlyPence: 800 + 50*g.IntN(20), Persons: 1 + g.IntN(5),
		}
		if i == 0 {
			s.ArrivesOn = day(2023, 12, 30) // over the turn of a year
		}
		if g.IntN(60) > 0 {
			s.DepartsOn = s.ArrivesOn.AddDate(0, 0, g.IntN(21))
		}
		g.data.Stays = append(g.data.Stays, s)
	}
	slices.SortStableFunc(g.data.Stays, func(a, b Stay) int { return a.ArrivesOn.Compare(b.ArrivesOn) })
	for i := range g.data.Stays {
		g.data.Stays[i].ID = i + 1
	}
}

func (g *generator) invoices() {
	n := 0
	for d := FirstDay; !d.After(LastDay); d = d.AddDate(0, 0, 1) {
		for range g.IntN(12) {
			n++
			v := Invoice{
				ID: n, VesselID: 1 + g.IntN(len(g.data.Vessels)), Number: fmt.Sprintf("TW-%d-%05d", d.Year(), n),
				IssuedOn: d, AmountPence: 1000 + g.IntN(90000),
			}
			if g.IntN(7) > 0 {
				v.PaidOn = d.AddDate(0, 0, 1+g.IntN(75))
			}
			g.data.Invoices = append(g.data.Invoices, v)
		}
	}
}

func (g *generator) jobs() {
	planted := []time.Time{day(2024, 2, 29), day(2023, 12, 31), day(2024, 1, 1), day(2025, 3, 31), day(2025, 4, 1)}
	for i := range 1500 {
		j := Job{ID: i + 1, LockID: 1 + g.IntN(len(places)), Title: jobs[g.IntN(len(jobs))], DueOn: g.anyDay(), CostPence: 2500 + g.IntN(400000)}
		if i < len(planted) {
			j.DueOn = planted[i]
		}
		if g.IntN(4) > 0 {
			j.DoneOn = j.DueOn.AddDate(0, 0, g.IntN(30)-12)
		}
		g.data.Jobs = append(g.data.Jobs, j)
	}
}

// readings come every six hours, at each gauge a little later.
func (g *generator) readings() {
	n := 0
	for at := FirstDay; at.Before(LastDay.AddDate(0, 0, 1)); at = at.Add(6 * time.Hour) {
		for i, gauge := range gauges {
			n++
			g.data.Readings = append(g.data.Readings, Reading{n, gauge, at.Add(time.Duration(i) * 7 * time.Minute), 900 + 300*i + g.IntN(500)})
		}
	}
}
