package output

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/plan"
)

// totalLine is a line of totals: what they belong to, and each under the column that it is
// made of.
type totalLine struct {
	label string
	under map[int]Total // by the place of the column
}

// countName is the total that is how many records there are.
const countName = "count"

// isCount tells whether a total is how many records there are.
func (t Total) isCount() bool { return t.Name == countName }

// linesOf lays totals out beneath the columns of a table. The label stands in the first
// column; the number of records stands in the first one after it that is free, and a total
// whose column is not shown is told in the label. Where a column has several totals, there
// are several lines.
func (shown *Shown) linesOf(label string, totals []Total, count int64) []totalLine {
	columns := shown.columns
	if len(totals) == 0 {
		totals = []Total{{Name: countName, Label: "Count", Type: catalog.Integer, Value: json.Number(strconv.FormatInt(count, 10))}}
	}
	lines := []totalLine{{label: label, under: map[int]Total{}}}
	names := [][]string{nil} // what the totals of each line are called
	put := func(at int, t Total) {
		line := 0
		if at == 0 { // where the label stands
			line = 1
		}
		for line < len(lines) && lines[line].under[at].Name != "" {
			line++
		}
		if line == len(lines) {
			lines, names = append(lines, totalLine{under: map[int]Total{}}), append(names, nil)
		}
		lines[line].under[at] = t
		switch {
		case t.isCount(), strings.HasPrefix(t.Name, "sum of ") && line == 0 && !t.partial: // goes without saying
		case at == 0:
			names[0] = append(names[0], t.Label)
		default:
			names[line] = append(names[line], t.Label)
		}
	}
	var told []string
	for _, t := range totals {
		at := slices.IndexFunc(columns, func(c plan.Output) bool { return t.Of != "" && c.Name == t.Of })
		switch {
		case at >= 0:
			put(at, t)
		case !t.isCount():
			told = append(told, t.Label+" "+shown.Total(t))
		}
	}
	for _, t := range totals {
		if !t.isCount() {
			continue
		}
		free := 1
		for free < len(columns) && lines[0].under[free].Name != "" {
			free++
		}
		if free < len(columns) {
			put(free, t)
		} else {
			told = append(told, countText(t))
		}
	}
	for i := range lines[1:] {
		lines[i+1].label = strings.Join(names[i+1], ", ")
	}
	if names[0] != nil {
		lines[0].label += ": " + strings.Join(names[0], ", ")
	}
	if told != nil {
		lines[0].label += " (" + strings.Join(told, ", ") + ")"
	}
	return lines
}

// TotalLine is a line of totals as text: what they belong to, and each in its column.
type TotalLine struct {
	Label string
	Cells []string
}

// Lines lays totals out beneath the columns.
func (shown *Shown) Lines(label string, totals []Total, count int64) (lines []TotalLine) {
	for _, l := range shown.linesOf(label, totals, count) {
		made := TotalLine{l.label, make([]string, len(shown.columns))}
		for at, t := range l.under {
			if made.Cells[at] = shown.Total(t); t.isCount() && at > 0 {
				made.Cells[at] = countText(t)
			}
		}
		lines = append(lines, made)
	}
	return lines
}

// countText says how many records there are.
func countText(t Total) string {
	n, err := strconv.ParseInt(orBlank(t.Value), 10, 64)
	if err != nil {
		return "count " + orBlank(t.Value)
	}
	return Counted(n, "record", "records")
}
