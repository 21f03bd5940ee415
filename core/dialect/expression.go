package dialect

import (
	"cmp"
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/plan"
)

// comparable writes an expression that is compared, grouped or ordered: a text
// by code point, whatever the database would do.
func (w *writer) comparable(e plan.Expr, nested bool) string {
	if collated(e) {
		return w.dialect.collate(w.expr(e, nested))
	}
	if nested {
		return w.operand(e)
	}
	return w.expr(e, nested)
}

// collated tells whether an expression is a text that the database would
// compare otherwise than by code point.
func collated(e plan.Expr) bool {
	switch e := e.(type) {
	case plan.Column:
		return e.Ref.Column.Collated && e.Ref.Column.Type == catalog.Text && e.Ref.Column.Encoding == ""
	case plan.RelatedValue:
		return collatedValue(e.Of)
	case plan.SummaryValue:
		return collatedValue(e.Of)
	case plan.If:
		return collated(e.Then) || collated(e.Else)
	case plan.Func:
		return e.Name != "length" && slices.ContainsFunc(e.Args, collated)
	}
	return false
}

func collatedValue(e plan.Expr) bool {
	of, ok := e.(plan.Aggregate)
	return ok && (of.Name == "least" || of.Name == "greatest") && collated(of.X)
}

// bind adds a value and gives its placeholder.
func (w *writer) bind(v any) string {
	w.args = append(w.args, v)
	holder := w.dialect.placeholder(len(w.args))
	if w.dialect.cast != nil {
		return w.dialect.cast(v, holder)
	}
	return holder
}

// expr writes an expression; nested tells to put "and" and "or" in parentheses.
// What is too long is not gone on with: some functions have to write what they
// are of several times, and inside each other would not come to an end.
func (w *writer) expr(e plan.Expr, nested bool) string {
	if w.tooLong {
		return "null"
	}
	if key, ok := w.measuredKey(e); ok {
		return key
	}
	text := w.written(e, nested)
	if len(text) > MaxSQL {
		w.tooLong = true
		return "null"
	}
	return text
}

func (w *writer) written(e plan.Expr, nested bool) string {
	switch e := e.(type) {
	case plan.Column:
		return w.converted(e.Ref)
	case plan.Slot:
		return alias(e.At)
	case plan.PartNumber:
		return partNumber
	case plan.Value:
		if e.V == nil {
			return "null"
		}
		return w.bind(w.dialect.value(e.V))
	case plan.Const:
		if e.V {
			return "1 = 1"
		}
		return "1 = 0"
	case plan.Compare:
		return w.compare(e)
	case plan.Fits:
		return "(" + w.fits(e.Ref.Column, w.column(e.Ref)) + ")"
	case plan.Plain:
		x := "replace(replace(" + w.converted(e.Ref) + ", ' ', 'T'), 'Z', '')"
		if e.Ref.Column.Collated {
			return w.dialect.collate(x)
		}
		return x
	case plan.Either:
		other := plan.Column{Ref: criteria.Ref{Alias: e.Table.Alias, Column: e.Ref.Column}}
		within := plan.Logic{Terms: []plan.Expr{plan.Compare{Op: ">=", Left: other, Right: plan.Value{V: e.Low}}, plan.Compare{Op: "<", Left: other, Right: plan.Value{V: e.High}}}}
		return "(select case when exists (select 1" + w.from(e.Table, within) + ") then " + w.bind(e.Then) + " else " + w.bind(e.Else) + " end)"
	case plan.Related:
		return w.related(e)
	case plan.RelatedValue:
		defer w.apart()()
		return w.relatedValue(e, w.expr(e.Of, false))
	case plan.SummaryValue:
		return w.summaryValue(e, true)
	case plan.Ratio:
		sum, count := w.aggregate(plan.Aggregate{Name: "sum", X: e.X}), w.aggregate(plan.Aggregate{Name: "present", X: e.X})
		return w.concat([]string{sum, "'/'", count})
	case plan.In:
		return w.in(e)
	case plan.IsBlank:
		return w.value(e.X) + " is null"
	case plan.Not:
		if blank, ok := e.X.(plan.IsBlank); ok {
			return w.value(blank.X) + " is not null"
		}
		// Of what is no date, a database's own functions make blanks; of its own dates
		// they make none, and an index serves what is left.
		if fits, ok := e.X.(plan.Fits); ok && !fits.Ref.Column.Encoding.IsNative() {
			return w.expr(e.X, true) + " is not true"
		}
		return "not (" + w.expr(e.X, false) + ")"
	case plan.Logic:
		word := " and "
		if e.Or {
			word = " or "
		}
		terms := make([]string, len(e.Terms))
		for i, t := range e.Terms {
			terms[i] = w.expr(t, true)
		}
		text := strings.Join(terms, word)
		if nested || e.Or {
			return "(" + text + ")"
		}
		return text
	case plan.Contains:
		return w.dialect.contains(w.expr(e.X, true), w.bind(w.dialect.value(e.Text)))
	case plan.Moment:
		return w.moment(e)
	case plan.DatePart:
		return w.once(w.expr(e.X, true), func(x string) string { return "(" + w.dialect.part(e, x) + ")" })
	case plan.Moved:
		return w.once(w.expr(e.X, true), func(x string) string { return w.dialect.moved(e, x) })
	case plan.DaysBetween:
		return w.dialect.daysBetween(w.expr(e.From, true), w.expr(e.To, true))
	case plan.SecondsBetween:
		return w.dialect.seconds(w.expr(e.From, true), w.expr(e.To, true))
	case plan.MovedBy:
		return w.movedBy(e)
	case plan.WorkingDays:
		return w.workingDays(e)
	case plan.OwnUnit:
		return w.ownUnit(e)
	case plan.WorkingMoved:
		return w.once(w.expr(e.X, true), func(x string) string { return w.workingMoved(e, x) })
	case plan.Match:
		return "(" + w.match(e) + ")"
	case plan.If:
		return "case when " + w.expr(e.When, false) + " then " + w.value(e.Then) + " else " + w.value(e.Else) + " end"
	case plan.Func:
		return w.function(e)
	case plan.Aggregate:
		text := w.aggregate(e)
		if e.Name == "sum" && w.dialect.number != nil {
			return w.dialect.number(text)
		}
		return text
	case plan.Rank, plan.Over:
		return w.ordered(e, w.here)
	case plan.Arithmetic:
		x, y := w.expr(e.Left, true), w.expr(e.Right, true)
		if e.Op == '/' {
			return w.dialect.divide(x, y)
		}
		return "(" + w.exact(e.Left, x) + " " + string(e.Op) + " " + w.exact(e.Right, y) + ")"
	}
	panic(fmt.Sprintf("dialect: no such expression: %T", e))
}

// short is how long a value may be that is written several times.
const short = 1000

// once writes something that is made of a value, where it stands more than once,
// so that a long value is written only once.
func (w *writer) once(x string, made func(x string) string) string {
	if len(x) <= short || !w.dialect.subqueries {
		return made(x)
	}
	return "(select " + made("value") + " from (select " + x + " as value) as once)"
}

// operand writes one side of a comparison: a condition that stands there as a
// value goes in parentheses.
func (w *writer) operand(e plan.Expr) string {
	text := w.expr(e, true)
	switch e.(type) {
	case plan.Compare, plan.In, plan.IsBlank, plan.Not, plan.Const:
		return "(" + text + ")"
	}
	return text
}

// value writes a value that stands by itself, so that its type has to be its own.
func (w *writer) value(e plan.Expr) string {
	text := w.operand(e)
	if v, ok := e.(plan.Value); ok && w.dialect.text != nil {
		if _, ok := v.V.(string); ok {
			return w.dialect.text(text)
		}
	}
	return text
}

// exact keeps sums and products of whole numbers from running over: as decimals
// they have room.
func (w *writer) exact(e plan.Expr, x string) string {
	if _, value := e.(plan.Value); value || w.dialect.widen == nil {
		return x
	}
	return w.dialect.widen(x)
}

func (w *writer) match(e plan.Match) string {
	if pattern, ok := e.Y.(plan.Value); ok && e.Op == "matches" {
		x := w.value(e.X)
		if collated(e.X) {
			x = w.dialect.collate(x)
		}
		text, _ := pattern.V.(string)
		return x + " " + strings.Replace(w.dialect.wild, "?", w.bind(w.dialect.value(w.dialect.pattern(text))), 1)
	}
	x, y := w.value(e.X), w.value(e.Y)
	if collated(e.X) || collated(e.Y) {
		x, y = w.dialect.collate(x), w.dialect.collate(y)
	}
	return w.dialect.match(e.Op, x, y)
}

func (w *writer) function(e plan.Func) string {
	args := make([]string, len(e.Args))
	for i, arg := range e.Args {
		args[i] = w.value(arg)
	}
	if e.Name == "abs" {
		args[0] = w.exact(e.Args[0], args[0])
	}
	if e.Name == "concat" {
		return w.concat(args)
	}
	if text := w.ofText(e, args); text != "" {
		return text
	}
	if text := w.dialect.function(e.Name, args); text != "" {
		return text
	}
	switch {
	case e.Name == "coalesce" && len(args) == 1:
		return args[0]
	}
	return e.Name + "(" + strings.Join(args, ", ") + ")"
}

func (w *writer) concat(args []string) string {
	if text := w.dialect.function("concat", args); text != "" {
		return text
	}
	return "(" + strings.Join(args, " || ") + ")"
}

func (w *writer) aggregate(e plan.Aggregate) string {
	if w.measured != nil {
		return w.measuredAggregate(e)
	}
	x := ""
	if e.X != nil {
		x = w.comparable(e.X, false)
	}
	return w.aggregateOf(e, x)
}

// aggregateOf writes an aggregate whose operand is written.
func (w *writer) aggregateOf(e plan.Aggregate, x string) string {
	where := ""
	if e.Where != nil {
		if where = w.expr(e.Where, false); w.dialect.unfiltered {
			x, where = chosenOf(x, where), ""
		}
	}
	if e.Name == "percentile" {
		if w.dialect.windows && !w.isApart {
			w.unmeasured = true
			return "null"
		}
		return w.dialect.percentile(x, where, e.Place)
	}
	if w.dialect.aggregate != nil {
		if text := w.dialect.aggregate(e.Name, x, where, e.X); text != "" {
			return text
		}
	}
	switch e.Name {
	case "count":
		return "count(" + cmp.Or(x, "*") + ")" + filter(where)
	case "count distinct":
		return "count(distinct " + x + ")" + filter(where)
	}
	names := map[string]string{"sum": "sum", "average": "avg", "least": "min", "greatest": "max", "present": "count"}
	return names[e.Name] + "(" + x + ")" + filter(where)
}

// chosenOf is a value of the records that meet a condition, blank for others.
func chosenOf(x, where string) string {
	return "case when " + where + " then " + cmp.Or(x, "1") + " end"
}

// operandOf is what an aggregate is made of, blank for records that it leaves out.
func (w *writer) operandOf(e plan.Aggregate) string {
	x := ""
	if e.X != nil {
		x = w.comparable(e.X, true)
	}
	if e.Where == nil {
		return x
	}
	return "(" + chosenOf(x, w.expr(e.Where, false)) + ")"
}

// standardPercentile is percentile_disc of SQL:2003. Servers work the place out in binary
// fractions: a little less has them find that of a whole number of values, and a little more
// the one after it, among up to a thousand million.
func standardPercentile(x, where string, at plan.Place) string {
	share := big.NewRat(at.Of10000, 10000)
	little := big.NewRat(5, 100_000_000_000_000)
	if share.Sub(share, little); at.Above {
		share.Add(share, little.Mul(little, big.NewRat(2, 1)))
	}
	return "percentile_disc(" + share.FloatString(14) + ") within group (order by " + x + ")" + filter(where)
}

// filter is the clause that chooses the records of an aggregate; source: SQL:2003, T612.
func filter(conditions ...string) string {
	conditions = slices.DeleteFunc(conditions, func(c string) bool { return c == "" })
	if len(conditions) == 0 {
		return ""
	}
	return " filter (where " + strings.Join(conditions, " and ") + ")"
}

// compare writes a comparison, of texts by code point.
func (w *writer) compare(e plan.Compare) string {
	asTheyAre := func() string { return w.operand(e.Left) + " " + e.Op + " " + w.operand(e.Right) }
	byCodePoint := func() string {
		return w.dialect.collate(w.operand(e.Left)) + " " + e.Op + " " + w.operand(e.Right)
	}
	left, right := equality(e.Left), equality(e.Right)
	switch {
	case !collated(e.Left) && !collated(e.Right):
		return asTheyAre()
	case left == nil || right == nil || left.Collation != "" && right.Collation != "" && left.Collation != right.Collation:
		return byCodePoint()
	case (e.Op == "=" || e.Op == "<>") && left.Exact && right.Exact:
		return asTheyAre()
	case e.Op == "=": // an index leads to those that the column takes for equal
		return "(" + asTheyAre() + " and " + byCodePoint() + ")"
	}
	return byCodePoint()
}

// equality is what is known of a text that is compared as it stands: a column, in the
// character set of the others, or a value, which is compared as the column is.
func equality(e plan.Expr) *catalog.Column {
	switch e := e.(type) {
	case plan.Column:
		if e.Ref.Column.Charset == "" && e.Ref.Column.Encoding == "" {
			return e.Ref.Column
		}
	case plan.Value:
		return &catalog.Column{Exact: true}
	}
	return nil
}

func (w *writer) in(e plan.In) string {
	of := equality(e.X)
	column, isColumn := e.X.(plan.Column)
	if collated(e.X) && isColumn && of != nil {
		bare := *of
		bare.Collated, column.Ref.Column = false, &bare
		switch {
		case of.Exact:
			return w.among(plan.In{X: column, Values: e.Values, Constant: e.Constant})
		case len(e.Values) <= longList: // an index leads to those that the column takes for equal
			return "(" + w.among(plan.In{X: column, Values: e.Values, Constant: e.Constant}) + " and " + w.among(e) + ")"
		}
	}
	return w.among(e)
}

func (w *writer) among(e plan.In) string {
	x := w.comparable(e.X, true)
	if e.Constant {
		texts := make([]string, len(e.Values))
		for i, v := range e.Values {
			if texts[i] = fmt.Sprint(v); !isWhole(v) {
				texts[i] = literal(texts[i])
			}
		}
		return x + " in (" + strings.Join(texts, ", ") + ")"
	}
	if len(e.Values) > longList {
		return w.dialect.list(x, w.bind(w.dialect.encodeList(e.Values)), e.Values)
	}
	values := make([]any, len(e.Values))
	for i, v := range e.Values {
		values[i] = w.dialect.value(v)
	}
	holders := make([]string, len(values))
	for i, v := range values {
		holders[i] = w.bind(v)
	}
	return x + " in (" + strings.Join(holders, ", ") + ")"
}

// isWhole tells whether a value is a whole number.
func isWhole(v any) bool {
	switch v.(type) {
	case int, int64:
		return true
	}
	return false
}

// related looks for no more records than it takes, where the database can stop.
func (w *writer) related(e plan.Related) string {
	from := w.from(e.From, e.Where)
	switch {
	case e.Least == 1:
		return "exists (select 1" + from + ")"
	case w.dialect.countsAll:
		return "(select count(*)" + from + ") >= " + w.bind(e.Least)
	}
	return "exists (select 1" + from + " limit 1 offset " + w.bind(e.Least-1) + ")"
}

// relatedValue writes an aggregate of another table's records, as it was written.
func (w *writer) relatedValue(e plan.RelatedValue, aggregate string) string {
	if of, ok := e.Of.(plan.Aggregate); ok && of.Name == "sum" {
		aggregate = "coalesce(" + aggregate + ", 0)"
	}
	return "(select " + aggregate + w.from(e.From, e.Where) + ")"
}

// made writes a value of many records exactly as the engine has it.
func (w *writer) made(e plan.Expr) string {
	if aggregate, ok := e.(plan.Aggregate); ok {
		return w.aggregate(aggregate)
	}
	return w.expr(e, false)
}

// summary joins values of another table, worked out for each of its keys.
func (w *writer) summary(m plan.Summary) {
	var items, groups, on []string
	for i, key := range m.Keys {
		items = append(items, w.comparable(key.Inner, false)+" as "+keyName(i))
		groups = append(groups, strconv.Itoa(i+1))
	}
	for i, value := range m.Values {
		items = append(items, w.made(value)+" as "+valueName(i))
	}
	w.text("\nleft join (\n  select " + strings.Join(items, ", ") + "\n " + w.from(m.From, m.Where) + "\n  group by " + strings.Join(groups, ", ") + "\n) as " + m.Alias)
	for i, key := range m.Keys {
		on = append(on, m.Alias+"."+keyName(i)+" = "+w.comparable(key.Outer, true))
	}
	w.text(" on " + strings.Join(on, " and "))
}

func keyName(i int) string   { return "key_" + strconv.Itoa(i+1) }
func valueName(i int) string { return "value_" + strconv.Itoa(i+1) }

// summaryValue writes a value of a summary, as a number where it is to be one.
func (w *writer) summaryValue(e plan.SummaryValue, number bool) string {
	text := e.Alias + "." + valueName(e.At)
	of, _ := e.Of.(plan.Aggregate)
	if of.Name == "sum" && number && w.dialect.number != nil {
		text = w.dialect.number(text)
	}
	switch of.Name {
	case "sum", "count", "count distinct":
		return "coalesce(" + text + ", 0)"
	}
	return text
}

func (w *writer) from(t plan.Table, where plan.Expr) string {
	var conditions []string
	if t.Rows != nil {
		conditions = append(conditions, w.expr(t.Rows, true))
	}
	if l, ok := where.(plan.Logic); !ok || len(l.Terms) > 0 {
		conditions = append(conditions, w.expr(where, t.Rows != nil))
	}
	if conditions == nil {
		return " from " + w.table(t)
	}
	return " from " + w.table(t) + " where " + strings.Join(conditions, " and ")
}

func (w *writer) table(t plan.Table) string {
	if t.Alias == t.Name && t.Schema == "" {
		return w.name(t)
	}
	return w.name(t) + " as " + w.dialect.quote(t.Alias)
}

// name writes a table without the name it has in the statement.
func (w *writer) name(t plan.Table) string {
	if t.Schema != "" {
		return w.dialect.quote(t.Schema) + "." + w.dialect.quote(t.Name)
	}
	return w.dialect.quote(t.Name)
}

func (w *writer) column(ref criteria.Ref) string {
	var text [64]byte // in one piece: most of a statement is names of columns
	out := w.dialect.appendName(text[:0], ref.Alias)
	return string(w.dialect.appendName(append(out, '.'), ref.Column.Name))
}

// converted is a column as it is compared.
func (w *writer) converted(ref criteria.Ref) string {
	if ref.Column.Charset != "" && w.dialect.convert != nil && (ref.Column.Encoding == "" || ref.Column.Stored == catalog.Text) {
		return w.dialect.convert(w.column(ref))
	}
	return w.column(ref)
}

func isMonday(p plan.DatePart) bool { return p.WeekStart == time.Monday }

// standardQuote stands around an identifier; source: SQL:2003.
const standardQuote = '"'

// quote quotes an identifier.
func (d Dialect) quote(name string) string { return string(d.appendName(nil, name)) }

// appendName appends an identifier, quoted: a mark within it is written twice.
func (d Dialect) appendName(out []byte, name string) []byte {
	out = append(out, d.mark)
	for {
		at := strings.IndexByte(name, d.mark)
		if at < 0 {
			return append(append(out, name...), d.mark)
		}
		out = append(append(out, name[:at+1]...), d.mark)
		name = name[at+1:]
	}
}

// blanksStandard writes NULLS FIRST and NULLS LAST; source: SQL:2003.
func blanksStandard(_, key string, first bool) string {
	if first {
		return key + " nulls first"
	}
	return key + " nulls last"
}
