package output

import (
	"fmt"

	"pikegate/internal/paper"
)

// block is something laid out: how high it is, and how it is drawn at so much from the top of
// a page.
type block struct {
	height float64
	draw   func(page *paper.Page, top float64)
}

// sheet is what stands on one page, from the top.
type sheet struct {
	blocks []block
	// beside says which part of the columns stands on it, blank where all do.
	beside string
}

// sheets shares blocks out among pages. The zero value has none.
type sheets struct {
	all []sheet
	// at is how far down the last one is filled, bottom how far down it may be.
	at, bottom float64
}

// turn begins a page.
func (s *sheets) turn() {
	s.all, s.at = append(s.all, sheet{}), pageMargin
}

// last is the page that is filled.
func (s *sheets) last() *sheet {
	if len(s.all) == 0 {
		s.turn()
	}
	return &s.all[len(s.all)-1]
}

// room is how much is left of the page.
func (s *sheets) room() float64 {
	s.last()
	return s.bottom - s.at
}

// need begins a page where this one has less room, unless nothing stands on it.
func (s *sheets) need(height float64) {
	if s.room() < height && len(s.last().blocks) > 0 {
		s.turn()
	}
}

// close has what comes next begin a page.
func (s *sheets) close() { s.at = s.bottom }

// put puts a block on the page, or on the next one where it does not fit.
func (s *sheets) put(b block) {
	s.need(b.height)
	last := s.last()
	last.blocks, s.at = append(last.blocks, b), s.at+b.height
}

// footed draws the foot of a page.
type footed interface {
	foot(page *paper.Page, beside string, number, of int)
	size() (width, height float64)
}

// draw draws the pages as they are asked for.
func (s *sheets) draw(on footed) func(yield func(paper.Page) bool) {
	return func(yield func(paper.Page) bool) {
		for i, sh := range s.all {
			page := paper.Page{Label: fmt.Sprintf("Page %d of %d", i+1, len(s.all))}
			page.Width, page.Height = on.size()
			on.foot(&page, sh.beside, i+1, len(s.all))
			y := pageMargin
			for _, b := range sh.blocks {
				b.draw(&page, y)
				y += b.height
			}
			if !yield(page) {
				return
			}
		}
	}
}
