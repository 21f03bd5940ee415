package definition

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/format"
)

// everyColumn is what a query returns that names no columns: those of the table it is
// from, in their order, or those of hand-written SQL.
func (c *compiler) everyColumn() {
	if len(c.query.Columns) > 0 {
		return
	}
	from := c.out.From
	for _, column := range from.Table.Columns {
		value := &criteria.Column{Name: column.Name}
		if len(c.query.Joins) > 0 {
			value.Table = from.Alias
		}
		c.query.Columns = append(c.query.Columns, Column{Name: column.Name, Value: Text{Value: criteria.Print(value)}})
	}
}

func (c *compiler) columns() {
	seen := map[string]bool{}
	c.out.Columns = make([]CompiledColumn, 0, len(c.query.Columns))
	for i, col := range c.query.Columns {
		field := nth("columns", i)
		if seen[col.Name] {
			c.fail(field, col.Value.Line, "twice", "Two columns are called "+col.Name+".", "Give one of them another name.")
		}
		seen[col.Name] = true
		if col.Name == "" {
			c.fail(field, col.Value.Line, "missing_field", "The column has no name.", "Write name: and value:.")
		}
		switch {
		case col.Encoding == "":
		case c.out.SQL == nil:
			c.fail(field+".encoding", col.Value.Line, "encoding_of_table", "How the dates of a table are stored is said once for all queries.", "Set it with pikegate source set-encoding; here it is for hand-written SQL.")
		case catalog.Encoding(col.Encoding).Check() != nil:
			c.problems = append(c.problems, UnknownEncoding(field+".encoding", col.Encoding))
		default:
			e, _ := criteria.Parse(col.Value.Value)
			if _, plain := e.(*criteria.Column); e != nil && !plain {
				c.fail(field+".encoding", col.Value.Line, "encoding_of_value", "An encoding is that of a column which the SQL returns, and this is a value made of some.", "Give it to the column itself, in a column of its own.")
			}
		}
		c.scope.Ordered = true
		made := CompiledColumn{Column: col, Expr: c.column(field, col.Value)}
		c.scope.Ordered = false
		if made.Expr != nil {
			made.Type = criteria.TypeOf(made.Expr)
		}
		c.format(field, col, made.Type)
		c.out.Grouped = c.out.Grouped || criteria.HasAggregate(made.Expr) || c.query.Distinct && c.out.SQL == nil
		c.out.Columns = append(c.out.Columns, made)
	}
	c.inOrder()
	c.emphasis()
}

// format checks how a column is shown.
func (c *compiler) format(field string, col Column, t catalog.Type) {
	warn := func(part, code, message, hint string) {
		c.problems = append(c.problems, diag.Problem{Code: code, Severity: diag.Warning, Field: field + part, Line: col.Value.Line, Message: message, Hint: hint})
	}
	known := c.source != nil && t != ""
	if !known {
		t = ""
	}
	if w := col.Words; (w.Yes != "" || w.No != "") && t != "" && t != catalog.Boolean {
		warn(".words", "words_of_yes_no", col.Name+" is "+t.WithArticle()+", which is never yes or no.", "Leave yes and no out of its words.")
	}
	isNamed, isLength := slices.Contains(format.Named, col.Format), format.IsLength(col.Format)
	isUnknown, isOther := t == "", t != "" && !t.IsNumber() && !t.IsDate()
	var err error
	switch {
	case col.Format == "" || col.Format == "plain", isNamed && t.IsNumber(), isLength && t.IsDate(), isUnknown && (isNamed || isLength):
		return
	case isNamed || isLength:
	case isOther:
		err = format.Check(col.Format, "")
	default:
		err = format.Check(col.Format, t)
	}
	hint, names, what := "Write plain, money, hours, minutes, or a pattern such as #,##0.00, 0.0% or 0.0' m'.", format.Named, "number"
	if t.IsDate() {
		hint, names, what = "Write short, medium, long, full, or a pattern such as d MMM y, dd.MM.yyyy or EEE d MMM HH:mm.", format.Lengths, "date"
	}
	switch near := diag.DidYouMean(col.Format, names); {
	case err != nil && near != "":
		hint = near
		fallthrough
	case err != nil:
		c.fail(field+".format", col.Value.Line, "bad_format", fmt.Sprintf("%q is not a %s pattern: %s.", col.Format, what, err), hint)
	case isOther:
		warn(".format", "format_of_numbers", fmt.Sprintf("%s is %s, which is shown as it is.", col.Name, t.WithArticle()), "Leave format out; it is for numbers and dates.")
	case isNamed, isLength:
		warn(".format", "format_of_numbers", fmt.Sprintf("%s is %s, and %s is no format of these.", col.Name, t.WithArticle(), col.Format), hint)
	}
}

// inOrder refuses what is not known of the groups that a query makes of its records, where
// its columns and what is left of them depend on the order.
func (c *compiler) inOrder() {
	if !c.out.Grouped {
		return
	}
	needsRecord := func(e criteria.Expr) bool {
		return criteria.NeedsRecord(c.out.besideKeys(criteria.OutsideOf(e)))
	}
	refuse := func(field string, line int, of ...criteria.Expr) {
		if slices.ContainsFunc(of, needsRecord) {
			c.fail(field, line, "mixed_value", "This needs values of single records, where the records are taken together.", "Name columns that they are grouped by, or make one value of many: sum of toll.")
		}
	}
	for i, col := range c.out.Columns {
		if !criteria.HasInOrder(col.Expr) {
			continue
		}
		field := nth("columns", i)
		refuse(field, col.Value.Line, col.Expr)
		if c.query.Distinct {
			c.fail(field, col.Value.Line, "in_order_here", "Where each different row is returned once, a column cannot depend on the order.", "Group the records by aggregates instead of distinct.")
		}
	}
	if _, firsts := criteria.TakeFirst(c.out.Criteria); firsts != nil {
		refuse("criteria", c.query.Criteria.Line, append([]criteria.Expr{firsts[0].Of}, firsts[0].By...)...)
	}
}

// besideKeys is an expression with blanks in the place of what the query's groups have in
// common.
func (out *Compiled) besideKeys(e criteria.Expr) criteria.Expr {
	return criteria.MapOwn(e, func(e criteria.Expr) criteria.Expr {
		if _, ok := out.KeyOf(e); ok {
			return &criteria.Blank{}
		}
		return e
	})
}

// KeyOf is the column of a query of groups which says what an expression says, and by which
// records are grouped.
func (out *Compiled) KeyOf(e criteria.Expr) (int, bool) {
	switch e.(type) {
	case *criteria.Number, *criteria.Text, *criteria.Blank, *criteria.Bool:
		return 0, false
	}
	text := criteria.Print(e)
	at := slices.IndexFunc(out.Columns, func(col CompiledColumn) bool {
		return col.IsKey() && criteria.Print(col.Expr) == text
	})
	return at, at >= 0
}

// IsKey tells whether a column, in a query of groups, is one of what they have in common.
func (col CompiledColumn) IsKey() bool {
	return !criteria.HasAggregate(col.Expr) && !criteria.HasInOrder(col.Expr)
}

// column reads the value of a column of the result.
func (c *compiler) column(field string, text Text) criteria.Expr {
	before := len(c.problems)
	e, problems := criteria.ParseAggregate(text.Value)
	if e != nil {
		e = criteria.Counted(e, c.scope)
	}
	e = c.resolved(field, text, e, problems, false)
	unconditional, grouped := e, criteria.HasAggregate(e)
	if grouped {
		unconditional = criteria.MapOwn(e, func(e criteria.Expr) criteria.Expr {
			if aggregate, ok := criteria.OfGroup(e); ok {
				return &criteria.Aggregate{Pos: aggregate.Pos, Name: aggregate.Name, Percent: aggregate.Percent, X: aggregate.X}
			}
			return e
		})
	}
	criteria.WalkOwn(unconditional, func(inner criteria.Expr) {
		if p, question := inner.(*criteria.Parameter); question {
			c.fail(field, text.Line, "no_questions", "A column cannot use the question :"+p.Name+".", "Use it in the criteria, or after where: sum of toll where passed_at within :"+p.Name+".")
		}
	})
	if grouped && !criteria.HasInOrder(e) && criteria.NeedsRecord(e) {
		c.fail(field, text.Line, "mixed_value", "This puts values of single records together with values made of many.", "Give each a column of its own.")
	}
	if len(c.problems) == before {
		c.chosen(field, text, e)
	}
	for _, name := range criteria.Parameters(e) {
		c.used = append(c.used, strings.ToLower(name))
	}
	if t := criteria.TypeOf(e); e != nil && (t == criteria.Period || t == criteria.LengthOfTime) {
		c.fail(field, text.Line, "type_mismatch", "A "+string(t)+" is not a value a column can hold.", "")
	}
	return e
}
