package definition

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// CheckParameter checks a shared parameter by itself.
func CheckParameter(s *SharedParameter, library Library) diag.Problems {
	c := compiler{query: &Query{}, library: library, out: &Compiled{}}
	if p, bad := BadName("parameter", s.Name); bad {
		c.fail("name", 0, p.Code, p.Message, p.Hint)
	}
	c.folder(s.Head)
	if s.Parameter.Kind == "" {
		c.fail("parameter.kind", 0, "missing_field", "kind is missing.", "Write kind: text, for example.")
		return c.problems
	}
	c.question("parameter", s.Question().Parameter())
	c.whole("parameter", s.Parameter.Limits.Whole)
	return c.problems
}

// allowed says which limits a kind has.
var allowed = map[parameter.Kind][]string{
	parameter.Period:   {"earliest", "latest", "longest", "shortest", "whole", "ends"},
	parameter.Date:     {"earliest", "latest", "fewest", "most_chosen"},
	parameter.DateTime: {"earliest", "latest", "fewest", "most_chosen"},
	parameter.Text:     {"longest", "pattern", "fewest", "most_chosen"},
	parameter.Integer:  {"least", "most", "fewest", "most_chosen"},
	parameter.Decimal:  {"least", "most", "places", "fewest", "most_chosen"},
	parameter.YesNo:    nil,
}

var smallNumber = regexp.MustCompile(`^[0-9]{1,6}$`)

// question checks one question by itself.
func (c *compiler) question(field string, p parameter.Parameter) {
	l := p.Limits
	limits := []struct{ name, text string }{
		{"earliest", l.Earliest},
		{"latest", l.Latest},
		{"longest", l.Longest},
		{"shortest", l.Shortest},
		{"whole", l.Whole},
		{"ends", string(l.Ends)},
		{"pattern", l.Pattern},
		{"least", l.Least},
		{"most", l.Most},
		{"places", l.Places},
		{"fewest", l.Fewest},
		{"most_chosen", l.MostChosen},
	}
	for _, limit := range limits {
		if limit.text == "" {
			continue
		}
		at := field + ".limits." + limit.name
		switch {
		case !slices.Contains(allowed[p.Kind], limit.name):
			c.fail(at, 0, "no_such_limit", fmt.Sprintf("A question of the kind %s has no limit %s.", p.Kind, limit.name), nearOr(limit.name, allowed[p.Kind]))
		case limit.name == "longest" && p.Kind == parameter.Text, limit.name == "places", limit.name == "fewest", limit.name == "most_chosen":
			if !smallNumber.MatchString(limit.text) {
				c.fail(at, 0, "bad_number", fmt.Sprintf("%q is not a whole number.", limit.text), "Write a number of up to six digits.")
			}
		case limit.name == "longest", limit.name == "shortest":
			_, problems := period.ParseLength(limit.text)
			c.add(at, limit.text, problems)
		case limit.name == "earliest", limit.name == "latest":
			c.readable(at, limit.text)
		case limit.name == "least", limit.name == "most":
			if _, err := decimal.NewFromString(limit.text); err != nil {
				c.fail(at, 0, "bad_number", fmt.Sprintf("%q is not a number.", limit.text), "Write 12 or 12.50.")
			}
		case limit.name == "pattern":
			if _, err := regexp.Compile(limit.text); err != nil {
				c.fail(at, 0, "bad_pattern", "The pattern is not a regular expression: "+err.Error()+".", "Write one, such as [A-Z]{2}[0-9]+.")
			}
		}
	}
	dated := p.Kind.IsDated()
	if dated {
		for _, d := range p.Default {
			c.readable(field+".default", d)
		}
		c.defaultsEveryDay(field, p)
	} else if p.Derive == "" {
		// Other defaults read the same whatever the day.
		for _, d := range p.Default {
			one := p
			one.Many, one.Shown, one.Limits.Fewest = true, "", ""
			_, problems := one.Read(parameter.Input{Texts: []string{d}}, parameter.Context{})
			c.add(field+".default", d, problems)
		}
	}
	if p.Many && (p.Kind == parameter.Period || p.Kind == parameter.YesNo) {
		c.fail(field+".many", 0, "not_many", fmt.Sprintf("A question of the kind %s takes one answer.", p.Kind), "Remove many.")
	}
	if (dated || p.Kind == parameter.YesNo) && (p.Choices.FromData() || len(p.Choices.Listed) > 0) {
		c.fail(field+".choices", 0, "no_choices", fmt.Sprintf("A question of the kind %s is not chosen from a list.", p.Kind), "Remove choices, or make it a text or a number.")
	}
	if p.Shown != "" && p.Shown != parameter.Asked && p.Required && len(p.Default) == 0 && p.Derive == "" {
		c.fail(field+".default", 0, "missing_field", "A question that is not asked and needs a value has no default.", "Give it a default, or derive it.")
	}
	for _, listed := range p.Choices.Listed {
		if p.Kind == parameter.Integer || p.Kind == parameter.Decimal {
			if _, err := strconv.ParseFloat(listed.Value, 64); err != nil {
				c.fail(field+".choices", 0, "bad_number", fmt.Sprintf("The choice %q is not a number.", listed.Value), "")
			}
		}
	}
}

// whole checks what a period is made of: a unit, or a period of the calendar.
func (c *compiler) whole(field string, limit Plain) {
	name, calendar := limit.Value, c.library.Calendar
	if name == "" || calendar == nil && period.IsWholeName(name) {
		return // which calendar it is read in is not known
	}
	if calendar == nil {
		calendar = &civil.Calendar{}
	}
	if _, ok := period.WholeOf(name, *calendar); !ok {
		c.fail(field+".limits.whole", limit.Line, "unknown_word", fmt.Sprintf("%q is not known here.", name), nearOr(name, period.WholeNames(*calendar)))
	}
}

// add places the problems of a text inside a document.
func (c *compiler) add(field, text string, problems diag.Problems) {
	for _, p := range problems {
		p.Field, p.Source = field, text
		c.problems = append(c.problems, p)
	}
}

// readable checks a period expression of a document.
func (c *compiler) readable(field, text string) {
	_, problems := period.Parse(text)
	c.add(field, text, problems)
}

var namePart = regexp.MustCompile(`:([a-z][a-z0-9_]*)`)

// NamesIn lists the questions a derivation names: every :name.
func NamesIn(text string) []string {
	var names []string
	for _, m := range namePart.FindAllStringSubmatch(text, -1) {
		names = append(names, m[1])
	}
	return names
}

// derive checks how a value is worked out: it parses, and names questions of
// kinds that fit, none of which comes back to itself.
func (c *compiler) derive(field string, p parameter.Parameter) {
	if p.Derive == "" {
		return
	}
	field += ".derive"
	if p.Required || len(p.Default) > 0 {
		c.fail(field, 0, "derived", "A derived question is not answered, so it has no default and is not required.", "Remove these fields, or derive.")
	}
	dated := func(k string) bool { return k == "period" || k == "date" || k == "date-time" }
	switch p.Kind {
	case parameter.Period, parameter.Date, parameter.DateTime:
		c.readable(field, p.Derive)
	case parameter.Integer, parameter.Decimal:
		questions := make([]parameter.Parameter, len(c.query.Parameters))
		for i, q := range c.query.Parameters {
			questions[i] = q.Parameter()
		}
		_, problems := parameter.Formula(p.Derive, questions)
		c.add(field, p.Derive, problems)
	default:
		if strings.TrimSpace(p.Derive) != ":"+strings.Join(NamesIn(p.Derive), "") {
			c.fail(field, 0, "bad_derivation", "This kind can only take over the answer to another question.", "Write derive: :name.")
		}
	}
	for _, name := range NamesIn(p.Derive) {
		at := slices.IndexFunc(c.query.Parameters, func(q Question) bool { return q.Name == name })
		switch {
		case p.Kind == parameter.Integer || p.Kind == parameter.Decimal: // told above
			continue
		case at < 0:
			c.fail(field, 0, "undeclared_parameter", "No question is called "+name+".", diag.DidYouMean(name, c.questionNames()))
			continue
		}
		k := c.query.Parameters[at].Kind
		if dated(string(p.Kind)) != dated(k) || (p.Kind == parameter.YesNo || p.Kind == parameter.Text) && k != string(p.Kind) {
			c.fail(field, 0, "type_mismatch", fmt.Sprintf(":%s is %s, which cannot give %s.", name, k, p.Kind), "")
		}
	}
	if c.circular(p.Name, p.Derive, 0) {
		c.fail(field, 0, "circular", "The question is derived from itself.", "Derive it from a question that is asked.")
	}
}

func (c *compiler) questionNames() []string {
	names := make([]string, len(c.query.Parameters))
	for i, q := range c.query.Parameters {
		names[i] = q.Name
	}
	return names
}

func (c *compiler) circular(origin, derive string, depth int) bool {
	for _, name := range NamesIn(derive) {
		if name == origin || depth > len(c.query.Parameters) {
			return true
		}
		for _, q := range c.query.Parameters {
			if q.Name == name && q.Derive.Value != "" && c.circular(origin, q.Derive.Value, depth+1) {
				return true
			}
		}
	}
	return false
}

// offers resolves where choices come from.
func (c *compiler) offers() {
	for i, q := range c.query.Parameters {
		field := nth("parameters", i) + ".choices"
		choices := q.Choices
		switch {
		case choices.Column != "" && choices.Query != "":
			c.fail(field, 0, "twice", "Choices come from a column or from a query, not from both.", "")
		case len(c.query.Union) > 0 && choices.Query == "":
			c.offerOfUnion(field, q)
		case choices.Column != "":
			c.columnOffer(field, q)
		case choices.Query != "":
			c.queryOffer(field, q)
		case choices.Where.Value != "":
			c.fail(field+".where", 0, "no_column", "where goes with column.", "Name the column whose values are offered, or remove where.")
		}
	}
}

func (c *compiler) columnOffer(field string, q Question) {
	e, problems := criteria.Parse(q.Choices.Column)
	column, ok := e.(*criteria.Column)
	if len(problems) > 0 || !ok || column.Table == "" {
		c.fail(field+".column", 0, "bad_column", fmt.Sprintf("%q is not TABLE.COLUMN.", q.Choices.Column), "Write locks.name.")
		return
	}
	resolved := c.expression(field+".column", Text{Value: q.Choices.Column}, false)
	offer := Offer{}
	offer.Column, _ = resolved.(*criteria.Column)
	if q.Choices.Where.Value != "" {
		offer.Where = c.expression(field+".where", q.Choices.Where, true)
	}
	c.out.Offers[q.Name] = offer
}

func (c *compiler) queryOffer(field string, q Question) {
	query, ok := c.library.query(q.Choices.Query)
	if !ok {
		c.fail(field+".query", 0, "unknown_query", "There is no query "+q.Choices.Query+" here.", "Push it first, or give its file as well.")
		return
	}
	switch {
	case query.Source != c.query.Source:
		c.fail(field+".query", 0, "other_source", "The query "+query.Name+" is on another source.", "Choices come from the query's own source.")
		return
	case len(query.Union) > 0:
		c.fail(field+".query", 0, "not_in_union", "The query "+query.Name+" is a union, of which no choices are made.", "Take one of the queries that it is of, or a column of a table.")
		return
	case len(query.Parameters) > 0:
		c.fail(field+".query", 0, "asks", "The query "+query.Name+" asks questions itself.", "Choices come from a query that asks nothing.")
		return
	}
	compiled, problems := Compile(query, c.source, Library{Result: c.library.Result})
	if problems.Failed() {
		c.fail(field+".query", 0, "unsound", "The query "+query.Name+" is not valid.", "Check it first.")
		return
	}
	index := func(part, name string) int {
		at := slices.IndexFunc(compiled.Columns, func(col CompiledColumn) bool { return col.Name == name })
		if at < 0 {
			var names []string
			for _, col := range compiled.Columns {
				names = append(names, col.Name)
			}
			c.fail(field+"."+part, 0, "unknown_column", fmt.Sprintf("The query %s has no column %q.", query.Name, name), nearOr(name, names))
		}
		return at
	}
	offer := Offer{Query: compiled, Value: index("value", q.Choices.Value)}
	offer.Label = offer.Value
	if q.Choices.Label != "" {
		offer.Label = index("label", q.Choices.Label)
	}
	_, firsts := criteria.TakeFirst(compiled.Criteria)
	for _, at := range []int{offer.Value, offer.Label} {
		if at >= 0 && (firsts != nil || criteria.HasInOrder(compiled.Columns[at].Expr)) {
			c.fail(field+".query", 0, "in_order_here", "What the query "+query.Name+" returns depends on the order of its records, and choices have their own.", "Take a query without first and without values in the order of its records.")
			return
		}
	}
	if offer.Value >= 0 && offer.Label >= 0 {
		c.out.Offers[q.Name] = offer
	}
}

// rules parses the conditions across answers, and adds the one that goes
// without saying: of two days that bound the same column from both sides, the
// end is not before the start.
func (c *compiler) rules() {
	scope := c.scope
	c.scope = criteria.Scope{Questions: scope.Questions}
	for i, r := range c.query.Rules {
		e := c.expression(nth("rules", i)+".rule", r.Rule, true)
		c.out.Rules = append(c.out.Rules, parameter.Rule{Expr: e, Message: r.Message, Hint: r.Hint})
		criteria.Walk(e, func(e criteria.Expr) {
			if p, ok := e.(*criteria.Parameter); ok {
				c.used = append(c.used, p.Name)
			}
		})
	}
	c.scope = scope
	starts, ends := map[string]*criteria.Parameter{}, map[string]*criteria.Parameter{}
	c.bounds(func(of string, p *criteria.Parameter) { starts[of] = p }, func(of string, p *criteria.Parameter) { ends[of] = p })
	conditions := criteria.Conditions(c.out.Criteria)
	for _, p := range c.out.Placed {
		conditions = append(conditions, criteria.Conditions(p.Expr)...)
	}
	for _, e := range conditions {
		switch e := e.(type) {
		case *criteria.Compare:
			column, ok1 := e.Left.(*criteria.Column)
			p, ok2 := e.Right.(*criteria.Parameter)
			if !ok1 || !ok2 || !p.Question.Type.IsDate() {
				continue
			}
			name := criteria.Print(column)
			switch e.Op {
			case ">", ">=":
				starts[name] = p
			case "<", "<=":
				ends[name] = p
			}
		case *criteria.Between:
			low, ok1 := e.Low.(*criteria.Parameter)
			high, ok2 := e.High.(*criteria.Parameter)
			if ok1 && ok2 && low.Question.Type.IsDate() && high.Question.Type.IsDate() {
				name := criteria.Print(e.X)
				starts[name], ends[name] = low, high
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(starts)) {
		start, end := starts[name], ends[name]
		if end == nil {
			continue
		}
		c.out.Rules = append(c.out.Rules, parameter.Rule{
			Expr:    &criteria.Compare{Op: "<=", Left: start, Right: end},
			Message: "The end is before the start.", Hint: "Give an end on or after the start.",
		})
	}
}

// number reads a limit; nil where there is none.
func number(text string) *decimal.Decimal {
	if text == "" {
		return nil
	}
	d, err := decimal.NewFromString(text)
	if err != nil {
		return nil
	}
	return &d
}
