package oracle_test

import (
	"fmt"
	"math/rand/v2"
	"runtime/debug"
	"slices"
	"strings"
	"testing"

	"pikegate/core/criteria"
	"pikegate/core/parameter"
)

// wild writes anything the grammar has anywhere it has it, mostly of the kind
// that is wanted there: what people write that nobody thought of. Much of it is
// refused as unsound; none of the rest may go wrong.
func (r random) wild(kind string, depth int) string {
	if r.IntN(25) == 0 {
		kind = pick(r, []string{"condition", "number", "text", "date", "period"})
	}
	if depth > 5 {
		return map[string]string{
			"condition": pick(r, []string{"b", ":yes", "true", "(n > 1)", "(:period is blank)", "(:count is not blank)", "(d is blank)"}),
			"number":    pick(r, []string{"n", "m", "x", "0", "1", "2.5", ":small", ":count"}),
			"text":      pick(r, []string{"s", "t", "'a'", "'Ä'", ":word", "''"}),
			"date":      pick(r, append(slices.Clone(dated), ":day")),
			"period":    pick(r, []string{":period", ":open", ":day", ":period.from", ":open.until", ":period.through", "'2025-03'", "'0001-01-01'", "'9999-12'", "'0001'", "'9999'"}),
		}[kind]
	}
	at := func(kind string) string { return r.wild(kind, depth+1) }
	op := pick(r, []string{"=", "<>", "<", "<=", ">", ">="})
	not := pick(r, []string{"", "", "not "})
	fold := pick(r, []string{"", "", "", " ignoring case"})
	any := func() string { return at(pick(r, []string{"condition", "number", "text", "date", "period"})) }
	of := func(parts ...string) string { return "(" + strings.Join(parts, " ") + ")" }
	several := func(kind string) string {
		parts := []string{at(kind)}
		for range r.IntN(3) {
			parts = append(parts, at(kind))
		}
		return strings.Join(parts, ", ")
	}
	same := pick(r, []string{"condition", "number", "text", "date"})
	switch kind {
	case "condition":
		switch r.IntN(16) {
		case 0, 1:
			return of(at("condition"), pick(r, []string{"and", "or"}), at("condition"))
		case 2:
			return of("not", at("condition"))
		case 3, 4:
			return of(any(), "is "+not+"blank")
		case 5:
			return of(at(same), op, at(same)+fold)
		case 6:
			return of(at("date"), op, at(pick(r, []string{"date", "period"})))
		case 7:
			return of(at("date"), not+"within", at("period"))
		case 8:
			return of(at(same), not+"in", pick(r, []string{":words", ":list", ":numbers", ":decimals", "(" + several(same) + ")"})+fold)
		case 9:
			return of(at(same), not+"between", at(same), "and", at(same))
		case 10:
			return of(at("text"), not+pick(r, []string{"contains", "starts with", "ends with"}), at("text")+fold)
		case 11:
			return of("span("+at("date")+", "+at("date")+")", not+pick(r, []string{"overlaps", "inside", "covers"}), at("period"))
		case 12:
			return of(pick(r, []string{"day", "week", "month", "quarter", "half", "year"}), "of", at("date"), op, at("period"))
		case 13:
			return of(pick(r, []string{"week", "month", "year"}), "of", at("date"), pick(r, []string{"within", "not within"}), at("period"))
		}
	case "number":
		switch r.IntN(8) {
		case 0, 1:
			return of(at("number"), pick(r, []string{"+", "-", "*", "/"}), at("number"))
		case 2:
			return "-" + at("number")
		case 3:
			return pick(r, []string{"year", "quarter", "month", "week", "day", "weekday"}) + "(" + at("date") + ")"
		case 4:
			return pick(r, []string{"abs", "floor", "ceil", "round"}) + "(" + at("number") + ")"
		case 5:
			return of(at("date"), "-", at("date"))
		case 6:
			return "length(" + at("text") + ")"
		}
	case "text":
		switch r.IntN(4) {
		case 0:
			return pick(r, []string{"lower", "upper", "trim", "concat"}) + "(" + at("text") + ")"
		case 1:
			return "concat(" + several("text") + ")"
		}
	case "date":
		switch r.IntN(5) {
		case 0:
			return "date_of(" + at("date") + ")"
		case 1:
			return "start_of(" + pick(r, []string{"day", "week", "month", "quarter", "half", "year"}) + ", " + at("date") + ")"
		case 2:
			return of(at("date"), pick(r, []string{"+", "-"}), pick(r, append([]string{"900 years", "11000 months", "360000 days"}, lengths...)))
		}
	case "period":
		switch r.IntN(4) {
		case 0:
			return of(at("period"), pick(r, []string{"+", "-"}), pick(r, append([]string{"900 years", "360000 days"}, lengths...)))
		case 1:
			return "'" + pick(r, periods) + "'"
		}
	}
	switch r.IntN(6) {
	case 0:
		return "coalesce(" + pick(r, []string{"blank, ", "", ""}) + several(kind) + ")"
	case 1:
		return "if(" + at("condition") + ", " + at(kind) + ", " + at(kind) + ")"
	}
	return r.wild(kind, 9)
}

// sound tells whether criteria are taken as such.
func (b *bench) sound(text string) bool {
	e, problems := criteria.Parse(text)
	return len(problems) == 0 && len(criteria.ResolveCondition(text, e, b.scope())) == 0
}

// TestWildCriteria takes whatever the grammar allows the whole way to rows, on
// every engine.
func TestWildCriteria(t *testing.T) {
	benches := append(onEveryEngine(t, 99), newClean(t, random{Rand: rand.New(rand.NewPCG(*seed, 99))}))
	for i, b := range benches {
		t.Run(fmt.Sprint(b.engine, i), func(t *testing.T) {
			t.Parallel()
			wanted, sound, failed := *expressions/5, 0, 0
			if b.engine != "sqlite" {
				wanted /= 5
			}
			for i := 0; sound < wanted && failed < 5; i++ {
				r := random{Rand: rand.New(rand.NewPCG(*seed, uint64(i)))}
				text := r.wild("condition", 0)
				if !b.sound(text) {
					continue
				}
				sound++
				if wrong := b.safely(text, r.answers(text)); wrong != "" {
					failed++
					t.Errorf("expression %d: %s\n%s", i, text, wrong)
				}
			}
		})
	}
}

// safely is try; a panic is what is wrong.
func (b *bench) safely(text string, in map[string]parameter.Input) (wrong string) {
	defer func() {
		if r := recover(); r != nil {
			wrong = fmt.Sprintf("%v\n%s", r, debug.Stack())
		}
	}()
	return b.try(text, in)
}
