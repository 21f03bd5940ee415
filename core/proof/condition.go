package proof

import (
	"slices"

	"pikegate/core/criteria"
)

// condition is a part of the condition made ready to be tried.
type condition struct {
	or, not bool
	parts   []*condition
	// leaf: the variable lies in one of the stretches; in a free one, it is
	// true. isBlank: the variable is blank.
	variable  *variable
	stretches []stretch
	isBlank   bool
	constant  *bool
	// where, if it is there, is a condition elsewhere than under which this one
	// is open.
	where *condition
	// spans are the stretches as regions of one placing, from and to.
	spans [][2]int
}

// truth is the three-valued result.
type truth int8

const (
	no truth = iota - 1
	unknown
	yes
)

func truthOf(b bool) truth {
	if b {
		return yes
	}
	return no
}

func (c *condition) try() truth {
	switch {
	case c.where != nil && c.where.try() != yes:
		return unknown
	case c.variable != nil && c.variable.at == unfit:
		return unknown
	case c.constant != nil:
		return truthOf(*c.constant)
	case c.variable != nil && c.isBlank:
		return truthOf(c.variable.at == blank)
	case c.variable != nil && c.variable.at == blank:
		return unknown
	case c.variable != nil && c.variable.free:
		return truthOf(c.variable.at == 1)
	case c.variable != nil:
		for _, s := range c.spans {
			if c.variable.at >= s[0] && c.variable.at < s[1] {
				return yes
			}
		}
		return no
	}
	result := truthOf(!c.or)
	for _, part := range c.parts {
		t := part.try()
		if c.or {
			result = max(result, t)
		} else {
			result = min(result, t)
		}
	}
	if c.not {
		return -result
	}
	return result
}

// place turns stretches into regions.
func (c *condition) place(p *placing) {
	if c.where != nil {
		c.where.place(p)
	}
	for _, part := range c.parts {
		part.place(p)
	}
	if c.variable == nil || c.variable.free {
		return
	}
	c.spans = slices.Grow(c.spans[:0], len(c.stretches))
	for _, s := range c.stretches {
		from, to := 0, len(c.variable.ranks)+1
		if s.low != nil {
			from = c.variable.region(p, s.low)
		}
		if s.high != nil {
			to = c.variable.region(p, s.high)
		}
		c.spans = append(c.spans, [2]int{from, to})
	}
}

func (c *condition) variables(out []*variable) []*variable {
	if c.variable != nil && !slices.Contains(out, c.variable) {
		out = append(out, c.variable)
	}
	if c.where != nil {
		out = c.where.variables(out)
	}
	for _, part := range c.parts {
		out = part.variables(out)
	}
	return out
}

// group is terms that hang together by the variables or questions in them.
type group struct {
	terms     []term
	variables []*variable
	order     []before
	// questions is how many values are not known yet, in all groups.
	questions int
}

// term is one of the terms, made ready, with its variables.
type term struct {
	expr criteria.Expr
	*condition
	own []*variable
}

// groups reads terms and gathers those that hang together.
func (a *analysis) groups(terms []criteria.Expr) []*group {
	r := reader{open: a.open, variables: map[name]*variable{}}
	groups := make([]*group, 0, len(terms))
	for _, e := range terms {
		c := r.condition(e)
		t := term{e, c, c.variables(nil)}
		at := slices.IndexFunc(groups, func(g *group) bool { return g.meets(t.own) })
		if at < 0 {
			groups = append(groups, &group{terms: []term{t}, variables: t.own})
			continue
		}
		for i := len(groups) - 1; i > at; i-- {
			if groups[i].meets(t.own) {
				groups[at].absorb(groups[i].terms...)
				groups = slices.Delete(groups, i, i+1)
			}
		}
		groups[at].absorb(t)
	}
	for _, g := range groups {
		g.order, g.questions = r.order, len(r.symbols)
	}
	return groups
}

func (g *group) meets(variables []*variable) bool {
	return slices.ContainsFunc(variables, func(v *variable) bool { return slices.Contains(g.variables, v) })
}

func (g *group) absorb(terms ...term) {
	g.terms = append(g.terms, terms...)
	g.variables = slices.Clip(g.variables) // which may be those of a term
	for _, t := range terms {
		for _, v := range t.own {
			if !slices.Contains(g.variables, v) {
				g.variables = append(g.variables, v)
			}
		}
	}
}

// trivial tells whether nothing can be found: one comparison, negated or not,
// that some values meet and some do not.
func (g *group) trivial() bool {
	c := g.terms[0].condition
	for c.not && c.variable == nil {
		c = c.parts[0]
	}
	if len(g.terms) != 1 || c.variable == nil || c.constant != nil || c.where != nil {
		return false
	}
	v := c.variable
	if v.free || c.isBlank && v.nullable {
		return true
	}
	if c.isBlank || v.within.low != nil || v.within.high != nil {
		return false
	}
	for _, s := range c.stretches {
		if !v.some(s) || len(c.stretches) > 1 && !v.isPoint(s) {
			return false
		}
	}
	return len(c.stretches) > 0
}

// some tells whether it is sure that some values lie in a stretch, and some do
// not.
func (v *variable) some(s stretch) bool {
	switch {
	case s.low == nil || s.high == nil:
		return (s.low == nil) != (s.high == nil)
	case s.low.symbol != 0 || s.high.symbol != 0:
		return true
	}
	order := v.kind.compare(&s.low.value, &s.high.value)
	return order < 0 && (!v.whole || v.kind == times) || order == 0 && !v.whole && v.isPoint(s)
}

// isPoint tells whether a stretch is one value.
func (v *variable) isPoint(s stretch) bool {
	return s.low != nil && s.high != nil && s.low.symbol == s.high.symbol && !s.low.after && s.high.after && v.kind.compare(&s.low.value, &s.high.value) == 0
}

// try tries every combination; nil where nothing can be found. Where there are
// too many, terms are tried alone and two by two. Once tells that no more is asked than
// whether all terms can be true at once.
func (g *group) try(once bool) *sightings {
	if g.trivial() || len(g.terms) > maxTerms {
		return nil
	}
	if seen := g.together(once); seen != nil {
		return seen
	}
	return g.pairs()
}

// together tries all terms at once; nil where that is too much.
func (g *group) together(once bool) *sightings {
	symbols := g.symbols()
	if len(symbols) == 0 {
		g.order = nil // it is that of questions
	}
	g.order = slices.Clone(g.order) // whose values have places of their own here
	p := &placing{step: len(symbols) + 1, known: g.known(), symbols: make([]int, g.questions+1)}
	most := 0
	for _, values := range p.known {
		most = max(most, len(values))
	}
	seen := newSightings(g.terms)
	seen.once = once
	left := maxTried
	if !g.placeSymbols(p, symbols, most, seen, &left) && !seen.enough() {
		return nil
	}
	return seen
}

// pairs puts together what is seen of terms alone and two by two. Of what is
// not tried, nothing is claimed.
func (g *group) pairs() *sightings {
	n := len(g.terms)
	whole := uint64(1)<<n - 1
	seen := newSightings(g.terms)
	seen.all, seen.sometimesNone, seen.needed, seen.ever, seen.sometimesNot = true, true, whole, whole, whole
	for i := range n {
		seen.with[i], seen.without[i] = whole, whole&^(1<<i)
	}
	for i := range n {
		if one := g.only(i).together(false); one != nil {
			seen.all = seen.all && one.all
			seen.ever &^= (^one.ever & 1) << i
			seen.sometimesNot &^= (^one.sometimesNot & 1) << i
		}
		for j := range i {
			two := g.only(j, i).together(false)
			if two == nil {
				continue
			}
			seen.all = seen.all && two.all
			if two.with[0]&2 == 0 {
				seen.with[j] &^= 1 << i
				seen.with[i] &^= 1 << j
			}
			seen.without[j] &^= (^two.without[0] >> 1 & 1) << i
			seen.without[i] &^= (^two.without[1] & 1) << j
		}
	}
	return seen
}

// only is the group with some of its terms.
func (g *group) only(places ...int) *group {
	small := &group{order: g.order, questions: g.questions}
	for _, i := range places {
		small.absorb(g.terms[i])
	}
	return small
}

// symbols are the values that are not known yet among the cuts.
func (g *group) symbols() []int {
	var symbols []int
	for _, c := range g.terms {
		symbols = c.symbols(symbols)
	}
	return symbols
}

// symbols adds the values that are not known yet in a condition.
func (c *condition) symbols(out []int) []int {
	for _, s := range c.stretches {
		for _, end := range s.ends() {
			if end.symbol != 0 && !slices.Contains(out, end.symbol) {
				out = append(out, end.symbol)
			}
		}
	}
	if c.where != nil {
		out = c.where.symbols(out)
	}
	for _, part := range c.parts {
		out = part.symbols(out)
	}
	return out
}

// known lists the known values among the cuts, of each kind in order and each
// once: the variables of a kind share them, so that a question has one place
// among them all. It gives each cut its place.
func (g *group) known() (known [kinds][]value) {
	for _, v := range g.variables {
		v.cuts = append(slices.Grow(v.cuts[:0], 4), v.within.ends()...)
	}
	for _, c := range g.terms {
		c.cut()
	}
	each := func(do func(kind kind, c *cut)) {
		for _, v := range g.variables {
			for _, c := range v.cuts {
				do(v.kind, c)
			}
		}
		for i := range g.order {
			o := &g.order[i]
			do(o.kind, &o.a)
			do(o.kind, &o.b)
		}
	}
	var count [kinds]int
	each(func(kind kind, _ *cut) { count[kind]++ })
	for kind, n := range count {
		known[kind] = make([]value, 0, n)
	}
	each(func(kind kind, c *cut) {
		if c.symbol == 0 {
			known[kind] = append(known[kind], c.value)
		}
	})
	for i, values := range known {
		kind := kind(i)
		slices.SortFunc(values, func(a, b value) int { return kind.compare(&a, &b) })
		known[i] = slices.CompactFunc(values, func(a, b value) bool { return kind.compare(&a, &b) == 0 })
	}
	each(func(kind kind, c *cut) {
		if c.symbol == 0 {
			at, _ := slices.BinarySearchFunc(known[kind], &c.value, func(a value, b *value) int { return kind.compare(&a, b) })
			c.at = at + 1
		}
	})
	return known
}

// cut gives the variables their cuts.
func (c *condition) cut() {
	if c.where != nil {
		c.where.cut()
	}
	for _, s := range c.stretches {
		c.variable.cuts = append(c.variable.cuts, s.ends()...)
	}
	for _, part := range c.parts {
		part.cut()
	}
}

// placeSymbols tries every place of the symbols, and there every value.
func (g *group) placeSymbols(p *placing, symbols []int, most int, seen *sightings, left *int) bool {
	if len(symbols) == 0 {
		for _, v := range g.variables {
			v.place(p)
		}
		for _, c := range g.terms {
			c.place(p)
		}
		return g.tryValues(0, seen, left)
	}
	for rank := range (most + 1) * p.step {
		if *left--; *left < 0 {
			return false
		}
		p.symbols[symbols[0]] = rank + 1
		if g.ordered(p) && !g.placeSymbols(p, symbols[1:], most, seen, left) {
			return false
		}
	}
	p.symbols[symbols[0]] = 0
	return true
}

// ordered tells whether the symbols keep to what is known of their order.
func (g *group) ordered(p *placing) bool {
	for i := range g.order {
		o := &g.order[i]
		if o.a.symbol != 0 && p.symbols[o.a.symbol] == 0 || o.b.symbol != 0 && p.symbols[o.b.symbol] == 0 {
			continue
		}
		a, b := p.rank(&o.a), p.rank(&o.b)
		if a > b || a == b && o.strict {
			return false
		}
	}
	return true
}

// tryValues tries every value of the variables from the n-th on.
func (g *group) tryValues(n int, seen *sightings, left *int) bool {
	if n == len(g.variables) {
		if *left--; *left < 0 {
			return false
		}
		var truths, untrue uint64
		anyBlank := false
		for i, c := range g.terms {
			isBlank := slices.ContainsFunc(c.own, func(v *variable) bool { return v.at == blank || v.at == unfit })
			anyBlank = anyBlank || isBlank
			switch c.try() {
			case yes:
				truths |= 1 << i
			case no:
				untrue |= 1 << i
			default:
				if !isBlank {
					untrue |= 1 << i
				}
			}
		}
		seen.see(truths, untrue, anyBlank)
		return !seen.enough()
	}
	v := g.variables[n]
	for _, region := range v.regions {
		v.at = region
		if !g.tryValues(n+1, seen, left) {
			return false
		}
	}
	if v.nullable {
		v.at = blank
		if !g.tryValues(n+1, seen, left) {
			return false
		}
	}
	if v.unfit {
		v.at = unfit
		return g.tryValues(n+1, seen, left)
	}
	return true
}
