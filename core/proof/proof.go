// Package proof finds out what can be said of a condition before any record
// is read: that it is never true, always true, or that a part of it is implied
// by another.
//
// Every comparison with something known cuts the values of a column at a few
// places, and between two cuts no comparison changes. So a condition has to be
// tried at one value of each stretch between cuts only, and at blank, for all
// columns that meet in it; what holds at all of these holds for every record.
// Questions that have no answer yet are cuts whose place is not known: every
// order they can stand in is tried. What cannot be understood this way (a
// comparison the analysis knows nothing of) may be true, false or blank as it
// likes. So a fact may be missed, but never a false one claimed.
package proof

import (
	"math/bits"

	"pikegate/core/criteria"
)

// Kind is what was found.
type Kind string

// The kinds of findings; they are the codes of problems too.
const (
	Never     Kind = "never_true"
	Always    Kind = "always_true"
	Redundant Kind = "redundant"
)

// Finding is a fact about a part of a condition.
type Finding struct {
	Kind Kind
	// At is the part it is about.
	At criteria.Expr
	// With is the other part it clashes with or is implied by; nil where the
	// part is to blame alone, or several others are together.
	With criteria.Expr
	// Whole tells that it is a fact about the whole condition.
	Whole bool
}

// maxTried is how many combinations of values are tried for parts that hang
// together, before nothing is claimed about them.
const maxTried = 20_000

// maxTerms is how many parts one "and" or "or" may have to be looked at.
const maxTerms = 64

// Analyse finds every fact about a simplified condition. Open tells what is
// known of questions that have no answer yet; nil if all have one.
func Analyse(e criteria.Expr, open Questions) []Finding {
	a := analysis{open: open}
	a.level(e, true)
	return a.findings
}

// Contradiction tells whether a simplified condition without questions can
// never be true, and which part of it or which two are to blame.
func Contradiction(e criteria.Expr) (Finding, bool) {
	a := analysis{}
	for _, group := range a.groups(criteria.Conditions(e)) {
		if seen := group.try(true); seen != nil && !seen.all {
			return seen.clash(), true
		}
	}
	return Finding{}, false
}

type analysis struct {
	open     Questions
	findings []Finding
}

// level looks at the parts of an "and" or an "or", and at those of its parts
// that have parts themselves.
func (a *analysis) level(e criteria.Expr, whole bool) {
	terms, or := criteria.Conditions(e), false
	if l, ok := e.(*criteria.Logic); ok && l.Or {
		terms, or = l.Terms, true
	}
	if len(terms) > maxTerms {
		return
	}
	for _, t := range terms {
		if l, ok := t.(*criteria.Logic); ok && len(terms) > 1 {
			a.level(l, false)
		}
	}
	groups := a.groups(terms)
	for _, group := range groups {
		seen := group.try(false)
		switch {
		case seen == nil:
		case or:
			a.branches(seen, e, len(groups) == 1, whole)
		default:
			a.conditions(seen, len(groups) == 1, whole)
		}
	}
}

// conditions tells the facts about terms that must all be true.
func (a *analysis) conditions(s *sightings, together, whole bool) {
	if !s.all {
		finding := s.clash()
		finding.Whole = whole
		a.add(finding)
		return
	}
	for i, t := range s.terms {
		bit := uint64(1) << i
		switch j := s.impliedBy(i); {
		case s.sometimesNot&bit == 0:
			a.add(Finding{Kind: Always, At: t.expr, Whole: whole && together && len(s.terms) == 1})
		case j >= 0:
			a.add(Finding{Kind: Redundant, At: t.expr, With: s.terms[j].expr})
		case s.needed&bit == 0 && !s.hasImplied():
			a.add(Finding{Kind: Redundant, At: t.expr})
			return // the others were looked at with it there
		}
	}
}

// branches tells the facts about terms one of which must be true.
func (a *analysis) branches(s *sightings, e criteria.Expr, together, whole bool) {
	if together && !s.sometimesNone {
		a.add(Finding{Kind: Always, At: e, Whole: whole})
		return
	}
	for i, t := range s.terms {
		bit := uint64(1) << i
		if s.ever&bit == 0 {
			if _, nested := t.expr.(*criteria.Logic); !nested { // told where it is looked at itself
				a.add(Finding{Kind: Never, At: t.expr, Whole: whole && together && len(s.terms) == 1})
			}
			continue
		}
		for j, other := range s.terms {
			mutual := s.without[j]&bit == 0
			if j != i && s.without[i]&(1<<j) == 0 && (!mutual || j < i) {
				a.add(Finding{Kind: Redundant, At: t.expr, With: other.expr})
				break
			}
		}
	}
}

func (a *analysis) add(f Finding) {
	for _, g := range a.findings {
		if g.At.At() == f.At.At() && g.Kind == f.Kind {
			return
		}
	}
	a.findings = append(a.findings, f)
}

// sightings is what was seen of some terms over everything that was tried.
type sightings struct {
	terms []term
	// once tells that no more is asked than whether all can be true at once.
	once bool
	// all: they were all true once. ever: the terms that were true once.
	all  bool
	ever uint64
	// sometimesNot: the terms that were not true, and no blank was the reason.
	// sometimesNone: none was true, and no blank was the reason.
	sometimesNot  uint64
	sometimesNone bool
	// needed: the terms that were the only one not true.
	needed uint64
	// with[i] are the terms that were true once together with term i, and
	// without[i] those that once were not true while term i was.
	with, without []uint64
}

func newSightings(terms []term) *sightings {
	n := len(terms)
	masks := make([]uint64, 2*n)
	return &sightings{terms: terms, with: masks[:n], without: masks[n:]}
}

// enough tells whether nothing is left to be seen.
func (s *sightings) enough() bool { return s.once && s.all }

// see takes down one trial: which terms were true, and which were not though
// no blank is the reason.
func (s *sightings) see(truths, untrue uint64, anyBlank bool) {
	whole := uint64(1)<<len(s.terms) - 1
	s.ever |= truths
	s.all = s.all || truths == whole
	s.sometimesNot |= untrue
	s.sometimesNone = s.sometimesNone || truths == 0 && (untrue == whole || !anyBlank)
	if missing := whole &^ truths; bits.OnesCount64(missing) == 1 {
		s.needed |= missing
	}
	for rest := truths; rest != 0; rest &= rest - 1 {
		i := bits.TrailingZeros64(rest)
		s.with[i] |= truths
		s.without[i] |= whole &^ truths
	}
}

// clash is the term that is never true, or the first two that exclude each
// other; where it takes more, the first of them.
func (s *sightings) clash() Finding {
	for i, t := range s.terms {
		if s.ever&(1<<i) == 0 {
			return Finding{Kind: Never, At: t.expr}
		}
	}
	for j, other := range s.terms {
		for i := range j {
			if s.with[i]&(1<<j) == 0 {
				return Finding{Kind: Never, At: other.expr, With: s.terms[i].expr}
			}
		}
	}
	return Finding{Kind: Never, At: s.terms[len(s.terms)-1].expr}
}

// impliedBy is another term without which term i is never false, so that i
// adds nothing; of two that say the same it is the second that adds nothing.
func (s *sightings) impliedBy(i int) int {
	for j := range s.terms {
		mutual := s.without[i]&(1<<j) == 0
		if j != i && s.without[j]&(1<<i) == 0 && (!mutual || j < i) {
			return j
		}
	}
	return -1
}

func (s *sightings) hasImplied() bool {
	for i := range s.terms {
		if s.impliedBy(i) >= 0 {
			return true
		}
	}
	return false
}
