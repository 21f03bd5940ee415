package dialect

import (
	"slices"
	"strconv"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/plan"
)

// partNumber is the value of a row of a union that tells which query it is from.
const partNumber = "part"

// union writes queries whose rows are put below each other, each value in its slot.
func (w *writer) union(parts []plan.Part) {
	var columns []*catalog.Column // of the slots
	for _, part := range parts {
		for i, slot := range part.Slots {
			columns = append(columns, make([]*catalog.Column, max(0, slot+1-len(columns)))...)
			columns[slot] = part.Fetch[i].Column
		}
	}
	w.text("\nfrom (")
	for i, part := range parts {
		if i > 0 {
			w.text("\nunion all")
		}
		items := make([]string, len(columns), len(columns)+1)
		for slot := range items {
			switch at := slices.Index(part.Slots, slot); {
			case at >= 0:
				items[slot] = w.fetched(part.Fetch[at])
				if column := (plan.Column{Ref: part.Fetch[at].Ref}); w.dialect.convert != nil && part.Fetch[at].Value == nil && collated(column) {
					items[slot] = w.comparable(column, false)
				}
			case w.dialect.null != nil:
				items[slot] = w.dialect.null(columns[slot])
			default:
				items[slot] = "null"
			}
			items[slot] += " as " + alias(slot)
		}
		w.text("\nselect " + strings.Join(append(items, strconv.Itoa(i)+" as "+partNumber), ", "))
		w.body(part.Statement)
	}
	w.text("\n) as " + w.dialect.quote(definition.Result))
}
