package proof

import (
	"cmp"
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/civil"
)

// kind is what the values of a variable are: numbers, for yes and no as well, texts, or
// times, for all that is dated.
type kind uint8

const (
	numbers kind = iota
	texts
	times
	kinds
)

// value is a known value of a variable: of the field that its kind says.
type value struct {
	number decimal.Decimal
	text   string
	time   civil.DateTime
	// symbol, where not 0, is a value that is not known yet.
	symbol int
}

// cut parts the values before it from those after it; after tells on which
// side the value itself falls: before the cut.
type cut struct {
	value
	after bool
	// at is the place of a known value among those of its kind, from 1 on; group.known sets it.
	at int
}

// stretch is the values from one cut to another; a nil side has no end.
type stretch struct{ low, high *cut }

// ends are the cuts that there are.
func (s stretch) ends() []*cut {
	switch {
	case s.low == nil && s.high == nil:
		return nil
	case s.low == nil:
		return []*cut{s.high}
	case s.high == nil:
		return []*cut{s.low}
	}
	return []*cut{s.low, s.high}
}

// variable is something whose value differs from record to record: a column,
// a function of columns that is looked at as a whole, or, free, a comparison
// nothing is known of.
type variable struct {
	kind kind
	// whole tells that only whole numbers or whole days occur.
	whole    bool
	nullable bool
	unfit    bool
	free     bool
	// within is where all its values lie.
	within stretch
	cuts   []*cut

	// ranks are the cuts as they are placed in one trial, in order; regions
	// are the places between them that can hold a value.
	ranks   []int
	regions []int
	at      int // the region that is tried, blank for none
}

// What a variable is where it is in no region: blank, or stored in a way that is
// no value, of which no comparison is met, nor its negation.
const (
	blank = -1
	unfit = -2
)

// compare orders two known values of a kind.
func (k kind) compare(a, b *value) int {
	switch k {
	case times:
		return cmp.Compare(a.time, b.time)
	case texts:
		return strings.Compare(a.text, b.text)
	}
	return a.number.Cmp(b.number)
}

// place orders the cuts, given the ranks of symbols, and lists the regions
// that can hold a value.
func (v *variable) place(p *placing) {
	if v.free {
		v.regions = append(v.regions[:0], 0, 1)
		return
	}
	if n := len(v.cuts); cap(v.ranks) < n {
		room := make([]int, 2*n+1) // one region more than cuts
		v.ranks, v.regions = room[:0:n], room[n:n]
	}
	v.ranks = v.ranks[:0]
	for _, c := range v.cuts {
		v.ranks = append(v.ranks, p.rank(c))
	}
	slices.Sort(v.ranks)
	v.ranks = slices.Compact(v.ranks)
	v.regions = v.regions[:0]
	low, high := -1<<62, 1<<62
	if c := v.within.low; c != nil {
		low = p.rank(c)
	}
	if c := v.within.high; c != nil {
		high = p.rank(c)
	}
	for r := 0; r <= len(v.ranks); r++ {
		from, to := -1<<62, 1<<62
		if r > 0 {
			from = v.ranks[r-1]
		}
		if r < len(v.ranks) {
			to = v.ranks[r]
		}
		if from >= low && to <= high && (!v.whole || v.holdsWhole(from, to, p)) {
			v.regions = append(v.regions, r)
		}
	}
}

// holdsWhole tells whether a whole number (or day) lies between two cuts.
func (v *variable) holdsWhole(from, to int, p *placing) bool {
	a, ok1 := p.valueAt(v.kind, from)
	b, ok2 := p.valueAt(v.kind, to)
	if !ok1 || !ok2 || v.kind == times {
		return true // an end is open, or not known; cuts of days lie between days
	}
	first := a.number.Ceil()
	if afterRank(from) {
		first = a.number.Floor().Add(decimal.New(1, 0))
	}
	last := b.number.Ceil().Sub(decimal.New(1, 0))
	if afterRank(to) {
		last = b.number.Floor()
	}
	return first.LessThanOrEqual(last)
}

// afterRank tells the side of a cut from its rank.
func afterRank(rank int) bool { return rank&1 == 1 }

// region is the number of a region that starts at a cut.
func (v *variable) region(p *placing, c *cut) int {
	at, _ := slices.BinarySearch(v.ranks, p.rank(c))
	return at + 1
}

// placing is one way in which the values that are not known yet can stand
// among the known ones. Known values have ranks that are step apart.
type placing struct {
	step    int
	known   [kinds][]value // of each kind, in order
	symbols []int          // rank of each symbol, 0 for one that is not placed
}

func (p *placing) rank(c *cut) int {
	rank := c.at * p.step
	if c.symbol != 0 {
		rank = p.symbols[c.symbol]
	}
	rank *= 2
	if c.after {
		rank++
	}
	return rank
}

// valueAt is the known value of a cut's rank.
func (p *placing) valueAt(k kind, rank int) (value, bool) {
	rank >>= 1
	at := rank/p.step - 1
	if rank%p.step != 0 || at < 0 || at >= len(p.known[k]) {
		return value{}, false
	}
	return p.known[k][at], true
}
