package sqlite

import (
	"bytes"
	"cmp"
	"math"
	"slices"
	"strings"
)

// percentile is percentile_of(x, share, above): the value at a place in the order of all,
// none of which is blank, as plan.Place has it.
type percentile struct {
	whole []int64
	// others are numbers with a fraction, texts and bytes.
	others []any
	share  int64
	above  bool
}

func newPercentile() *percentile { return &percentile{} }

// Step takes in a value.
func (p *percentile) Step(v any, share, above int64) {
	p.share, p.above = share, above != 0
	switch v := v.(type) {
	case int64:
		p.whole = append(p.whole, v)
	case []byte:
		p.others = append(p.others, bytes.Clone(v))
	default:
		p.others = append(p.others, v)
	}
}

// Done gives the value; blank where there are none.
func (p *percentile) Done() any {
	n := int64(len(p.whole) + len(p.others))
	if n == 0 {
		return nil
	}
	place := (n*p.share + 9999) / 10000
	if p.above {
		place = n*p.share/10000 + 1
	}
	if len(p.others) == 0 {
		slices.Sort(p.whole)
		return p.whole[place-1]
	}
	for _, v := range p.whole {
		p.others = append(p.others, v)
	}
	slices.SortFunc(p.others, compared)
	return p.others[place-1]
}

// compared is the order that SQLite has values in: numbers, texts, bytes.
func compared(x, y any) int {
	if c := cmp.Compare(rankOf(x), rankOf(y)); c != 0 {
		return c
	}
	switch x := x.(type) {
	case int64:
		if y, ok := y.(int64); ok {
			return cmp.Compare(x, y)
		}
		return -wholeWith(y.(float64), x)
	case float64:
		if y, ok := y.(int64); ok {
			return wholeWith(x, y)
		}
		return cmp.Compare(x, y.(float64))
	case string:
		return strings.Compare(x, y.(string))
	}
	return bytes.Compare(x.([]byte), y.([]byte))
}

func rankOf(v any) int {
	switch v.(type) {
	case int64, float64:
		return 0
	case string:
		return 1
	}
	return 2
}

// wholeWith compares a number with a whole one, of which a binary fraction may not have all
// digits.
func wholeWith(x float64, y int64) int {
	switch {
	case x < -(1 << 63):
		return -1
	case x >= 1<<63:
		return 1
	}
	whole := math.Floor(x)
	return cmp.Or(cmp.Compare(int64(whole), y), cmp.Compare(x, whole))
}
