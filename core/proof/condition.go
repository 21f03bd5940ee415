package proof

import (
	"slices"

	"pikegate/core/catalog"
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
	for _, part := range c.parts {
		part.place(p)
	}
	if c.variable == nil || c.variable.free {
		return
	}
	c.spans = c.spans[:0]
	for _, s := range c.stretches {
		from, to := 0, len(c.variable.ranks)+1
		if s.low != nil {
			from = c.variable.region(p, *s.low)
		}
		if s.high != nil {
			to = c.variable.region(p, *s.high)
		}
		c.spans = append(c.spans, [2]int{from, to})
	}
}

func (c *condition) variables(out []*variable) []*variable {
	if c.variable != nil && !slices.Contains(out, c.variable) {
		out = append(out, c.variable)
	}
	for _, part := range c.parts {
		out = part.variables(out)
	}
	return out
}

// group is terms that hang together by the variables or questions in them.
type group struct {
	terms      []criteria.Expr
	conditions []*condition
	own        [][]*variable // of each term
	variables  []*variable
	order      []before
	symbols    []int
}

// groups reads terms and gathers those that hang together.
func (a *analysis) groups(terms []criteria.Expr) []*group {
	r := reader{open: a.open, variables: map[string]*variable{}}
	var groups []*group
	for _, t := range terms {
		c := r.condition(t)
		own := c.variables(nil)
		joined := &group{}
		rest := groups[:0:0]
		for _, g := range groups {
			if g.meets(own) {
				joined.absorb(g)
			} else {
				rest = append(rest, g)
			}
		}
		joined.absorb(&group{terms: []criteria.Expr{t}, conditions: []*condition{c}, own: [][]*variable{own}, variables: own})
		groups = append(rest, joined)
	}
	for _, g := range groups {
		for _, v := range g.variables {
			for _, c := range v.cuts {
				if c.symbol != 0 && !slices.Contains(g.symbols, c.symbol) {
					g.symbols = append(g.symbols, c.symbol)
				}
			}
		}
		g.order = r.order
	}
	return groups
}

func (g *group) meets(variables []*variable) bool {
	return slices.ContainsFunc(variables, func(v *variable) bool { return slices.Contains(g.variables, v) })
}

func (g *group) absorb(other *group) {
	g.terms = append(g.terms, other.terms...)
	g.conditions = append(g.conditions, other.conditions...)
	g.own = append(g.own, other.own...)
	for _, v := range other.variables {
		if !slices.Contains(g.variables, v) {
			g.variables = append(g.variables, v)
		}
	}
}

// trivial tells whether nothing can be found: one comparison with one stretch,
// which is neither empty nor everything.
func (g *group) trivial() bool {
	if len(g.conditions) != 1 {
		return false
	}
	c := g.conditions[0]
	if c.variable == nil || c.constant != nil {
		return false
	}
	v := c.variable
	if v.free || c.isBlank && v.nullable {
		return true
	}
	if c.isBlank || v.within.low != nil || v.within.high != nil || len(c.stretches) != 1 {
		return false
	}
	s := c.stretches[0]
	switch {
	case s.low == nil || s.high == nil:
		return (s.low == nil) != (s.high == nil)
	case s.low.symbol != 0 || s.high.symbol != 0:
		return true
	}
	order := compare(v.kind, s.low.value, s.high.value)
	return order < 0 && !v.whole || v.kind == catalog.Date && order < 0 || order == 0 && !v.whole && !s.low.after && s.high.after
}

// try tries every combination; nil where there are too many or none is needed.
func (g *group) try() *sightings {
	if g.trivial() || len(g.terms) > maxTerms {
		return nil
	}
	p := &placing{step: len(g.symbols) + 1, known: g.known()}
	most := 0
	for _, values := range p.known {
		most = max(most, len(values))
	}
	seen := &sightings{terms: g.terms, with: make([]uint64, len(g.terms)), without: make([]uint64, len(g.terms))}
	left := maxTried
	if !g.placeSymbols(p, 0, most, seen, &left) {
		return nil
	}
	return seen
}

// known lists the known values among the cuts, of each kind in order and each
// once: the variables of a kind share them, so that a question has one place
// among them all.
func (g *group) known() map[catalog.Type][]value {
	known := map[catalog.Type][]value{}
	add := func(kind catalog.Type, v value) {
		if v.symbol == 0 {
			known[kind] = append(known[kind], v)
		}
	}
	for _, v := range g.variables {
		for _, end := range []*cut{v.within.low, v.within.high} {
			if end != nil {
				v.cuts = append(v.cuts, *end)
			}
		}
		for _, c := range v.cuts {
			add(v.kind, c.value)
		}
	}
	for _, o := range g.order {
		if len(g.symbols) > 0 {
			add(o.kind, o.a)
			add(o.kind, o.b)
		}
	}
	for kind, values := range known {
		order := func(a, b value) int { return compare(kind, a, b) }
		slices.SortFunc(values, order)
		known[kind] = slices.CompactFunc(values, func(a, b value) bool { return order(a, b) == 0 })
	}
	return known
}

// placeSymbols tries every place of the symbols from the n-th on.
func (g *group) placeSymbols(p *placing, n, most int, seen *sightings, left *int) bool {
	if n == 0 && len(g.symbols) > 0 {
		p.symbols = make([]int, slices.Max(g.symbols))
	}
	if n == len(g.symbols) {
		if !g.ordered(p) {
			return true
		}
		for _, v := range g.variables {
			v.place(p)
		}
		for _, c := range g.conditions {
			c.place(p)
		}
		return g.tryValues(0, seen, left)
	}
	for rank := range (most + 1) * p.step {
		if *left--; *left < 0 {
			return false
		}
		p.symbols[g.symbols[n]-1] = rank + 1
		if !g.placeSymbols(p, n+1, most, seen, left) {
			return false
		}
	}
	return true
}

// ordered tells whether the symbols keep to what is known of their order.
func (g *group) ordered(p *placing) bool {
	for _, o := range g.order {
		if !slices.Contains(g.symbols, o.a.symbol) && o.a.symbol != 0 || !slices.Contains(g.symbols, o.b.symbol) && o.b.symbol != 0 {
			continue
		}
		a, b := p.rank(o.kind, cut{value: o.a}), p.rank(o.kind, cut{value: o.b})
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
		for i, c := range g.conditions {
			isBlank := slices.ContainsFunc(g.own[i], func(v *variable) bool { return v.at == blank })
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
		return true
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
		return g.tryValues(n+1, seen, left)
	}
	return true
}
