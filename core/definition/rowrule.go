package definition

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/parameter"
)

// RowRule opens rows of a table to groups of users. Once a table has a rule, nobody sees
// a row of it that no rule opens to them.
type RowRule struct {
	Head         `yaml:",inline"`
	Source       string   `yaml:"source" doc:"The source the table is in" example:"navigation" required:"true"`
	On           string   `yaml:"on" doc:"The table whose rows it opens" example:"locks" required:"true"`
	For          []string `yaml:"for" doc:"The groups it opens them to; everybody when left out" example:"keepers"`
	Criteria     Text     `yaml:"criteria" doc:"Which rows it opens; :user.… are attributes of whoever asks" example:"region in :user.regions" required:"true"`
	Unrestricted []string `yaml:"unrestricted" doc:"Groups that see every row of the table" example:"office"`
}

// RowRule is the rule, for what holds one.
func (r *RowRule) RowRule() *RowRule { return r }

// attributeKinds are what an attribute can be compared as, tried in this order.
var attributeKinds = []parameter.Kind{parameter.Text, parameter.Integer, parameter.Decimal, parameter.YesNo, parameter.Date, parameter.DateTime}

// AttributeOf is the attribute that a question of a rule asks for.
func AttributeOf(question string) string {
	name, _ := (&criteria.Parameter{Name: question}).Attribute()
	return name
}

// Condition is the rule's condition, resolved for a table under an alias, and what it
// asks of whoever asks: a question for each attribute, of several values where it stands
// after "in". A column of another table that a foreign key leads to is looked up there.
// Attributes are those of whoever asks, nil where nobody does yet: whether a number is a
// whole one is theirs to say.
func (r *RowRule) Condition(source *catalog.Source, table catalog.Table, alias string, attributes map[string][]string) (criteria.Expr, []parameter.Parameter, diag.Problems) {
	c := ruleCompiler{text: r.Criteria.Value, table: table, alias: alias}
	c.source = source
	c.scope = criteria.Scope{Tables: []criteria.Table{{Alias: alias, Table: table}}, Related: source.Table, Unplaced: source.Traits.Unplaced}
	e, problems := c.parse()
	if problems.Failed() {
		return nil, nil, problems
	}
	questions := c.attributes(e)
	// What an attribute is told as follows from what it is compared with.
	for i := range questions {
		q := &questions[i]
		for _, kind := range attributeKinds {
			if kind == parameter.Integer && !wholeNumbers(attributes[AttributeOf(q.Name)]) {
				continue
			}
			q.Kind = kind
			if e, problems = c.resolve(questions); !problems.Failed() {
				break
			}
		}
	}
	if len(questions) == 0 {
		e, problems = c.resolve(nil)
	}
	return e, questions, problems
}

// wholeNumbers tells whether none of some values is a number with places.
func wholeNumbers(values []string) bool {
	return !slices.ContainsFunc(values, func(v string) bool { return strings.ContainsAny(v, ".,") })
}

// ruleCompiler reads the condition of a rule for a table under an alias.
type ruleCompiler struct {
	compiler
	text, alias string
	table       catalog.Table
}

// parse reads the condition, its names as they are meant under the alias.
func (c *ruleCompiler) parse() (criteria.Expr, diag.Problems) {
	e, problems := criteria.Parse(c.text)
	if problems.Failed() {
		return nil, problems
	}
	criteria.Walk(e, func(e criteria.Expr) {
		p, ok := e.(*criteria.Parameter)
		if !ok {
			return
		}
		if _, ok := p.Attribute(); !ok {
			found := diag.At(c.text, p.Pos.Start, p.Pos.End, "not_an_attribute", "A rule asks nobody anything.")
			found.Hint = "Write :user. and the name of an attribute, such as :user.regions."
			problems = append(problems, found)
		}
	})
	e = c.led(e)
	c.qualify(e, c.table.Name, c.alias)
	return e, problems
}

// attributes are what a condition asks for, their kinds still to be found.
func (c *ruleCompiler) attributes(e criteria.Expr) (questions []parameter.Parameter) {
	many := map[string]bool{}
	criteria.Walk(e, func(e criteria.Expr) {
		if in, ok := e.(*criteria.In); ok {
			for _, item := range in.Items {
				if p, ok := item.(*criteria.Parameter); ok {
					many[p.Name] = true
				}
			}
		}
	})
	criteria.Walk(e, func(e criteria.Expr) {
		p, ok := e.(*criteria.Parameter)
		if ok && !slices.ContainsFunc(questions, func(q parameter.Parameter) bool { return q.Name == p.Name }) {
			questions = append(questions, parameter.Parameter{Name: p.Name, Label: "your " + AttributeOf(p.Name), Many: many[p.Name], Required: true})
		}
	})
	return questions
}

// resolve resolves the condition; an attribute whose kind is not known goes with
// everything.
func (c *ruleCompiler) resolve(questions []parameter.Parameter) (criteria.Expr, diag.Problems) {
	e, problems := c.parse()
	if problems.Failed() {
		return nil, problems
	}
	scope := c.scope
	for _, q := range questions {
		scope.Questions = append(scope.Questions, q.Question())
	}
	return e, criteria.ResolveCondition(c.text, e, scope)
}

// led looks columns of another table up where a foreign key leads: the comparison they
// stand in becomes one of any record there.
func (c *ruleCompiler) led(e criteria.Expr) criteria.Expr {
	return criteria.MapOwn(e, func(e criteria.Expr) criteria.Expr {
		if !criteria.IsComparison(e) {
			return e
		}
		for _, column := range criteria.Columns(e) {
			if column.Table == "" || strings.EqualFold(column.Table, c.table.Name) || strings.EqualFold(column.Table, c.table.Own()) {
				continue
			}
			if other, ok := c.source.Table(column.Table); ok {
				return &criteria.Related{Pos: e.At(), Quantity: "any", Records: criteria.Records{Table: other.Name, Where: e}}
			}
		}
		return e
	})
}

// checkRowRule checks a rule by itself and against the table.
func checkRowRule(r *RowRule, known Environment) diag.Problems {
	c := compiler{out: &Compiled{Query: &Query{}}}
	c.name(r.Head)
	if known.Source == nil {
		return c.problems
	}
	source, problem := known.Source(r.Source)
	if problem != nil {
		problem.Field = "source"
		return append(c.problems, *problem)
	}
	table, ok := source.Table(r.On)
	if !ok {
		c.fail("on", 0, "unknown_table", fmt.Sprintf("The source %s has no table %s.", r.Source, r.On), diag.DidYouMean(r.On, source.TableNames()))
		return c.problems
	}
	_, _, problems := r.Condition(source, table, table.Own(), nil)
	c.place("criteria", r.Criteria, problems)
	return c.problems
}
