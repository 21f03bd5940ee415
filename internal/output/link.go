package output

import (
	"encoding/json"
	"net/url"
	"slices"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/core/record"
)

// Address is the page that a link leads to, after the address of the service. Value gives
// the value of a column as JSON has it.
func (l Link) Address(value func(column string) any) string {
	answers := url.Values{}
	for question, v := range l.Set {
		texts := v.Texts
		if v.Column != "" {
			texts = nil
			if text := answerOf(value(v.Column)); text != "" {
				texts = []string{text}
			}
		}
		for _, text := range texts {
			answers.Add(question, text)
		}
	}
	address := "/#/reports/" + url.PathEscape(l.Report)
	if len(answers) > 0 {
		address += "?" + answers.Encode()
	}
	return address
}

// Answer is a value that was worked out as somebody would type it, blank for nothing.
func Answer(v any, column catalog.Column) string { return answerOf(shown(v, &column, "")) }

// answerOf is a value as somebody would type it; of a date-time, its day. A blank answers
// nothing.
func answerOf(v any) string {
	switch v := v.(type) {
	case json.Number:
		return v.String()
	case bool:
		if v {
			return "yes"
		}
		return "no"
	case string:
		if len(v) >= len("2026-03-31T08:30:15") && v[4] == '-' && v[7] == '-' && v[10] == 'T' {
			return v[:10]
		}
		return v
	}
	return ""
}

// links are those of the columns of a result, in files that know where the service is.
type links struct {
	base string
	of   []*Link   // by column
	keep *Keeper   // reads the values of a record
	open []Opening // the groups that are under way
}

// opens takes note that a group begins, and gives where its line leads: what is known there is
// what its records have in common. Blank where it leads nowhere.
func (l *links) opens(g Opening) string {
	if l == nil {
		return ""
	}
	l.open = append(l.open[:min(g.Level, len(l.open))], g)
	return l.group(g.Level)
}

// group is where a line of the group of a level leads that is under way.
func (l *links) group(level int) string {
	if l == nil || level >= len(l.open) || l.open[level].Of == "" || l.open[level].Value == nil {
		return ""
	}
	at := slices.IndexFunc(l.keep.Columns, func(c plan.Output) bool { return c.Name == l.open[level].Of })
	if at < 0 || l.of[at] == nil {
		return ""
	}
	return l.base + l.of[at].Address(func(column string) any {
		for _, g := range l.open[:level+1] {
			if g.Of == column {
				return g.Value
			}
		}
		return nil
	})
}

func newLinks(h Header) *links {
	if h.Base == "" || len(h.Links) == 0 {
		return nil
	}
	l := &links{base: h.Base, of: make([]*Link, len(h.Columns)), keep: Keep(0)}
	for i := range h.Links {
		at := slices.IndexFunc(h.Columns, func(c plan.Output) bool { return c.Name == h.Links[i].On })
		if at >= 0 && l.of[at] == nil {
			l.of[at] = &h.Links[i]
		}
	}
	_ = l.keep.Begin(h) // it keeps nothing
	return l
}

// addresses are those that the columns of a record lead to, blank for those that lead nowhere.
func (l *links) addresses(r record.Record) []string {
	if l == nil {
		return nil
	}
	cells := l.keep.Cells(r)
	value := func(column string) any {
		at := slices.IndexFunc(l.keep.Columns, func(c plan.Output) bool { return c.Name == column })
		if at < 0 {
			return nil
		}
		return cells[at]
	}
	made := make([]string, len(l.of))
	for i, link := range l.of {
		if link != nil && cells[i] != nil {
			made[i] = l.base + link.Address(value)
		}
	}
	return made
}
