package phrase

import (
	"slices"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// Takes is what a comparison needs beside its subject.
type Takes string

// The numbers of values.
const (
	None Takes = "none"
	One  Takes = "one"
	Two  Takes = "two"
	Many Takes = "many"
	// APeriod is one value that is a period.
	APeriod Takes = "period"
)

// Operator is what can be said of a value of some type.
type Operator struct {
	Comparison string `json:"comparison" doc:"As it is written between the value and what it is compared with" example:">="`
	Words      string `json:"words" doc:"What people read" example:"is on or after"`
	Takes      Takes  `json:"takes" enum:"none,one,two,many,period" doc:"How many values it needs; period is one that is a period"`
	// Folds tells that it may ignore case.
	Folds bool `json:"folds,omitempty" doc:"Whether it may ignore case"`
}

var blanks = []Operator{{"is blank", "is blank", None, false}, {"is not blank", "is not blank", None, false}}

var ofDates = []Operator{
	{"within", "is within", APeriod, false},
	{"not within", "is not within", APeriod, false},
	{"=", "is", One, false},
	{"<>", "is not", One, false},
	{"<", "is before", One, false},
	{"<=", "is on or before", One, false},
	{">", "is after", One, false},
	{">=", "is on or after", One, false},
	{"between", "is between", Two, false},
	{"not between", "is not between", Two, false},
	{"in", "is one of", Many, false},
	{"not in", "is none of", Many, false},
}

var ofNumbers = []Operator{
	{"=", "is", One, false},
	{"<>", "is not", One, false},
	{">=", "is at least", One, false},
	{"<=", "is at most", One, false},
	{">", "is more than", One, false},
	{"<", "is less than", One, false},
	{"between", "is between", Two, false},
	{"not between", "is not between", Two, false},
	{"in", "is one of", Many, false},
	{"not in", "is none of", Many, false},
}

var ofTexts = []Operator{
	{"in", "is one of", Many, true},
	{"not in", "is none of", Many, true},
	{"=", "is", One, true},
	{"<>", "is not", One, true},
	{"contains", "contains", One, true},
	{"not contains", "does not contain", One, true},
	{"starts with", "starts with", One, true},
	{"not starts with", "does not start with", One, true},
	{"ends with", "ends with", One, true},
	{"not ends with", "does not end with", One, true},
	{"matches", "matches", One, true},
	{"not matches", "does not match", One, true},
	{"<", "comes before", One, false},
	{"<=", "is or comes before", One, false},
	{">", "comes after", One, false},
	{">=", "is or comes after", One, false},
	{"between", "is between", Two, false},
	{"not between", "is not between", Two, false},
}

var ofYesNo = []Operator{{"=", "is", One, false}, {"<>", "is not", One, false}, {"in", "is one of", Many, false}, {"not in", "is none of", Many, false}}

var ofSpans = []Operator{
	{"overlaps", "overlaps", APeriod, false},
	{"not overlaps", "does not overlap", APeriod, false},
	{"inside", "is inside", APeriod, false},
	{"not inside", "is not inside", APeriod, false},
	{"covers", "covers", APeriod, false},
	{"not covers", "does not cover", APeriod, false},
}

// Operators are what can be said of a value of a type, what is mostly said first. Of a
// type that is not known, everything can.
func Operators(t catalog.Type) []Operator {
	switch {
	case t == Span:
		return ofSpans
	case t == catalog.Boolean:
		return slices.Concat(ofYesNo, blanks)
	case t.IsNumber():
		return slices.Concat(ofNumbers, blanks)
	case t.IsDate():
		return slices.Concat(ofDates, blanks)
	case t == catalog.Text, t == criteria.Period:
		return slices.Concat(ofTexts, blanks)
	}
	all := slices.Concat(ofDates, ofTexts, blanks, ofSpans)
	var once []Operator
	for _, c := range all {
		if !slices.ContainsFunc(once, func(o Operator) bool { return o.Comparison == c.Comparison }) {
			once = append(once, c)
		}
	}
	return once
}

// comparison finds one by what is written.
func comparison(t catalog.Type, written string) (Operator, bool) {
	for _, list := range [][]Operator{Operators(t), Operators("")} {
		if i := slices.IndexFunc(list, func(c Operator) bool { return c.Comparison == written }); i >= 0 {
			return list[i], true
		}
	}
	return Operator{}, false
}
