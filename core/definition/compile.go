package definition

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/sqltext"
)

// Compiled is a query that was checked against its source: every name is
// resolved and every expression a tree.
type Compiled struct {
	Query    *Query
	From     criteria.Table
	Joins    []CompiledJoin
	Columns  []CompiledColumn
	Criteria criteria.Expr // nil when the query has none
	// CriteriaText is what the positions in Criteria count in.
	CriteriaText string
	Sort         []SortKey
	// Questions are the query's, shared ones filled in.
	Questions []parameter.Parameter
	Rules     []parameter.Rule
	// Grouped tells that the columns that are no aggregates are what records
	// are grouped by.
	Grouped bool
	// SQL is the hand-written query taken apart, nil where there is none; From
	// is then its result, and Slot the tables its criteria stand among.
	SQL  []sqltext.Piece
	Slot []criteria.Table
	// Placed are the conditions that stand in braces in it, in order.
	Placed []Placed
	rowsOf map[string]catalog.Table // that rows(t) names in it, by the name in lower case
	// Reads is what it reads, nil where that is not known.
	Reads *catalog.Reads
	// Traits are those of the engine the query asks.
	Traits catalog.Traits
	// Offers are where the choices of questions come from, by question.
	Offers map[string]Offer
	// Parts, where there are any, are the queries whose records a union puts below each
	// other, each with the columns, the questions and the conditions of the union. From is
	// then what they have in common, which columns, criteria and order name.
	Parts []*Compiled
	// Own are, of such a part, the columns of the query itself; Shared is how many of its
	// conditions, the first ones, are those of the union.
	Own    []CompiledColumn
	Shared int
}

// Tables are the tables of the query, the one it is from first.
func (out *Compiled) Tables() []criteria.Table {
	if out.SQL != nil {
		return out.Slot
	}
	tables := append(make([]criteria.Table, 0, 1+len(out.Joins)), out.From)
	for _, j := range out.Joins {
		tables = append(tables, j.Table)
	}
	return tables
}

// Aliased is the table of a name in the query, nil where there is none.
func (out *Compiled) Aliased(alias string) *criteria.Table {
	if out.SQL == nil {
		if out.From.Alias == alias {
			return &out.From
		}
		for i := range out.Joins {
			if out.Joins[i].Alias == alias {
				return &out.Joins[i].Table
			}
		}
		return nil
	}
	for i := range out.Slot {
		if out.Slot[i].Alias == alias {
			return &out.Slot[i]
		}
	}
	return nil
}

// everyTable is Tables with those whose records the criteria ask about.
func (out *Compiled) everyTable() []criteria.Table {
	tables := out.Tables()
	for _, e := range out.expressions() {
		tables = append(tables, criteria.RelatedTables(e)...)
	}
	return tables
}

// expressions are all that the query is made of.
func (out *Compiled) expressions() []criteria.Expr {
	all := []criteria.Expr{out.Criteria}
	for _, p := range out.Placed {
		all = append(all, p.Expr)
	}
	for _, c := range out.Columns {
		all = append(all, c.Expr)
	}
	for _, k := range out.Sort {
		all = append(all, k.Expr)
	}
	for _, j := range out.Joins {
		all = append(all, j.On)
	}
	for _, o := range out.Offers {
		all = append(all, o.Where)
		if o.Column != nil {
			all = append(all, o.Column)
		}
	}
	return all
}

// Touches lists the tables and columns a query reads, as TABLE and TABLE.COLUMN,
// each once.
func (out *Compiled) Touches() []string {
	var touched []string
	add := func(name string) {
		if name != "" && !slices.Contains(touched, name) {
			touched = append(touched, name)
		}
	}
	for _, part := range out.Parts {
		for _, name := range part.Touches() {
			add(name)
		}
	}
	if out.Parts != nil {
		return touched
	}
	for _, t := range out.everyTable() {
		add(t.Table.Name)
	}
	for _, r := range out.reads() {
		for _, name := range slices.Concat(r.Tables, r.Columns) {
			add(name)
		}
	}
	var look func(e criteria.Expr, tables []criteria.Table)
	look = func(e criteria.Expr, tables []criteria.Table) {
		criteria.WalkOwn(e, func(e criteria.Expr) {
			if column, ok := e.(*criteria.Column); ok {
				for _, t := range tables {
					if t.Alias == column.Ref.Alias && t.Alias != Result {
						add(t.Table.Name + "." + column.Ref.Column.Name)
						break
					}
				}
			}
			if records := criteria.RecordsOf(e); records != nil {
				inside := append([]criteria.Table{records.Inner}, tables...)
				look(records.Link, inside)
				for part := range criteria.Children(e) {
					look(part, inside)
				}
			}
		})
	}
	for _, e := range out.expressions() {
		look(e, out.Tables())
	}
	return touched
}

// reads is what hand-written SQL and the views of the query read.
func (out *Compiled) reads() (all []*catalog.Reads) {
	for _, part := range out.Parts {
		all = append(all, part.reads()...)
	}
	if out.Reads != nil {
		all = append(all, out.Reads)
	}
	for _, t := range out.everyTable() {
		if t.Table.Reads != nil {
			all = append(all, t.Table.Reads)
		}
	}
	return all
}

// Unfollowed is what the query reads that cannot be followed, so that it may read
// anything.
func (out *Compiled) Unfollowed() (unknown []string) {
	for _, r := range out.reads() {
		unknown = append(unknown, r.Unknown...)
	}
	return unknown
}

// EveryTable lists the tables that a query names, itself, in what is asked of related
// records and by rows(t), each once.
func (out *Compiled) EveryTable() (tables []catalog.Table) {
	add := func(t catalog.Table) {
		if !slices.ContainsFunc(tables, func(other catalog.Table) bool { return other.Name == t.Name }) {
			tables = append(tables, t)
		}
	}
	for _, part := range out.Parts {
		for _, t := range part.EveryTable() {
			add(t)
		}
	}
	if out.Parts != nil {
		return tables
	}
	for _, t := range out.everyTable() {
		add(t.Table)
	}
	for _, name := range slices.Sorted(maps.Keys(out.rowsOf)) {
		add(out.rowsOf[name])
	}
	return tables
}

// RowsOf is the table that rows(t) in hand-written SQL names.
func (out *Compiled) RowsOf(name string) (catalog.Table, bool) {
	t, ok := out.rowsOf[strings.ToLower(name)]
	return t, ok
}

// Queries are the query itself, those that a union is of, and those that its questions'
// choices come from.
func (out *Compiled) Queries() []*Compiled {
	all := []*Compiled{out}
	for _, part := range out.Parts {
		all = append(all, part.Queries()...)
	}
	for _, question := range slices.Sorted(maps.Keys(out.Offers)) {
		if from := out.Offers[question].Query; from != nil {
			all = append(all, from)
		}
	}
	return all
}

// TableOf is the table that has an alias in the query.
func (out *Compiled) TableOf(alias string) catalog.Table {
	for _, t := range out.everyTable() {
		if t.Alias == alias {
			return t.Table
		}
	}
	return catalog.Table{Name: alias}
}

// Offer is where the choices of a question come from: a column of the query's
// own tables, perhaps under a condition, or the rows of another query.
type Offer struct {
	Column *criteria.Column
	Where  criteria.Expr
	// Query, and which of its columns hold the value and the label.
	Query        *Compiled
	Value, Label int
}

// CompiledJoin is a joined table and the condition it is joined on.
type CompiledJoin struct {
	criteria.Table
	On criteria.Expr
}

// CompiledColumn is a column of the result and its tree.
type CompiledColumn struct {
	Column
	Expr criteria.Expr
	Type catalog.Type
}

// SortKey is one key of the order.
type SortKey struct {
	Expr        criteria.Expr
	Descending  bool
	BlanksFirst bool
}

// Compile checks a query and resolves its names against the source; with no
// source everything is checked that can be without one.
// The library holds what the query uses; it may be empty.
func Compile(query *Query, source *catalog.Source, library Library) (*Compiled, diag.Problems) {
	c := compile(query, source, library)
	return c.out, c.problems
}

func compile(query *Query, source *catalog.Source, library Library) *compiler {
	q, problems := Linked(query, library)
	if library.Calendar != nil && q.Calendar != "" {
		calendar, unknown := library.In(*library.Calendar, q.Calendar)
		if library.Calendar = &calendar; unknown.Failed() {
			library.Calendar = nil // what depends on it is not known
			problems = append(problems, unknown.In("calendar")...)
		}
	}
	c := &compiler{query: q, source: source, library: library, problems: problems, out: &Compiled{Query: q, CriteriaText: q.Criteria.Value, Offers: map[string]Offer{}}}
	if source != nil {
		c.out.Traits = source.Traits
	}
	c.name(q.Head)
	c.tables()
	c.everyColumn()
	c.questions()
	c.joins()
	c.offers()
	c.criteria()
	c.rules()
	c.prove()
	c.overResult(func() {
		c.columns()
		c.sort()
	})
	if q.Distinct && c.out.SQL != nil {
		c.fail("distinct", q.SQL.Line, "not_with_sql", "distinct does not work on hand-written SQL.", "Write select distinct in the SQL itself.")
	}
	if c.out.Grouped && c.out.SQL != nil {
		c.fail("sql", q.SQL.Line, "aggregate_here", "Aggregates do not work on hand-written SQL.", "Write them in the SQL itself.")
	}
	c.datedByHand()
	c.unused()
	if len(q.Union) > 0 {
		c.parts()
	}
	return c
}

type compiler struct {
	query    *Query
	source   *catalog.Source
	out      *Compiled
	library  Library
	scope    criteria.Scope
	used     []string
	provable bool // the criteria were resolved whole
	nested   int  // how deep in named criteria
	// members are the queries of a union, and asked the questions that are theirs alone.
	members  []member
	asked    []string
	problems diag.Problems
}

// nth is the place of one of many in a document.
func nth(field string, i int) string { return field + "[" + strconv.Itoa(i) + "]" }

func (c *compiler) fail(field string, line int, code, message, hint string) {
	c.problems = append(c.problems, diag.Problem{Code: code, Message: message, Hint: hint, Field: field, Line: line})
}

var namePattern = regexp.MustCompile(`^[a-z][a-z0-9]*([-_][a-z0-9]+)*$`)

// BadName says what is wrong with the name of a question, of a column, or of a definition
// of another kind.
func BadName(kind, name string) (p diag.Problem, bad bool) {
	p.Code = "bad_name"
	switch kind {
	case "question", "parameter":
		bad = !parameterPattern.MatchString(name)
		p.Message, p.Hint = fmt.Sprintf("%q is not a name a question can have.", name), "Use lower-case letters, digits and _."
	case "column":
		bad = strings.TrimSpace(name) != name || name == "" || strings.ContainsFunc(name, unicode.IsControl)
		p.Message, p.Hint = fmt.Sprintf("%q is not a name a column can have.", name), "Write it in one line, without blanks at its ends."
	default:
		bad = !namePattern.MatchString(name)
		p.Message, p.Hint = fmt.Sprintf("%q is not a name.", name), "Names are lower-case words joined by dashes."
	}
	return p, bad
}

func (c *compiler) name(h Head) {
	if p, bad := BadName("", h.Name); bad {
		c.fail("name", 0, p.Code, p.Message, p.Hint)
	}
	c.folder(h)
}

// deepest is how many folders can lie in each other.
const deepest = 8

// IsFolder tells whether a text is the path of a folder; blank is the topmost.
func IsFolder(path string) bool {
	parts := strings.Split(path, "/")
	return path == "" || len(parts) <= deepest && len(path) <= 200 && !slices.ContainsFunc(parts, func(p string) bool { return !namePattern.MatchString(p) })
}

func (c *compiler) folder(h Head) {
	if !IsFolder(h.Folder) {
		c.fail("folder", 0, "bad_folder", fmt.Sprintf("%q is not a folder.", h.Folder), "Write lower-case words joined by dashes, and slashes between folders: dues/monthly.")
	}
}

func (c *compiler) tables() {
	q := c.query
	c.scope.Open, c.scope.Criterion, c.scope.Calendar = c.source == nil, c.meets, c.library.Calendar
	if c.source != nil {
		c.scope.Related, c.scope.Unplaced = c.source.Table, c.source.Traits.Unplaced
	}
	if len(q.Union) > 0 {
		c.union()
		return
	}
	if q.SQL.Value != "" {
		c.handWritten()
		return
	}
	if q.From == "" {
		c.fail("from", 0, "missing_field", "from is missing.", "Name the table whose records are returned, or write union or sql.")
		return
	}
	c.scope.Tables = make([]criteria.Table, 0, 1+len(q.Joins))
	c.out.Joins = make([]CompiledJoin, 0, len(q.Joins))
	c.out.From = c.table("from", q.From, catalog.Unqualified(q.From), false)
	c.scope.Tables = append(c.scope.Tables, c.out.From)
	for i, j := range q.Joins {
		t := c.table(nth("joins", i)+".table", j.Table, j.Alias(), j.Optional)
		c.scope.Tables = append(c.scope.Tables, t)
		c.out.Joins = append(c.out.Joins, CompiledJoin{Table: t})
	}
}

// joins reads the conditions of the joins, each of which may name the tables before it
// and its own.
func (c *compiler) joins() {
	scope := c.scope
	defer func() { c.scope = scope }()
	for i := range c.out.Joins {
		field, text := nth("joins", i)+".on", c.query.Joins[i].On
		c.scope.Tables = scope.Tables[:i+2]
		on := c.expression(field, text, true)
		c.ofRecords(field, text, on)
		c.servable(field, text, on)
		for _, name := range criteria.Parameters(on) {
			c.used = append(c.used, strings.ToLower(name))
		}
		c.out.Joins[i].On = on
	}
}

// servable warns of a join that no index can serve: its only equality is of two
// dates that cannot be compared as they are stored.
func (c *compiler) servable(field string, text Text, on criteria.Expr) {
	var apart *criteria.Compare
	for _, condition := range criteria.Conditions(on) {
		equality, ok := condition.(*criteria.Compare)
		if !ok || equality.Op != "=" {
			continue
		}
		x, ok1 := equality.Left.(*criteria.Column)
		y, ok2 := equality.Right.(*criteria.Column)
		if !ok1 || !ok2 {
			continue
		}
		if !x.Ref.Column.Type.IsDate() || !y.Ref.Column.Type.IsDate() || x.Ref.Column.ComparesWith(y.Ref.Column) {
			return // an index can serve this one
		}
		apart = equality
	}
	if apart == nil {
		return
	}
	x, y := apart.Left.(*criteria.Column), apart.Right.(*criteria.Column)
	at := apart.At()
	c.place(field, text, diag.Problems{{
		Code: "join_without_index", Severity: diag.Warning, Offset: at.Start, Length: at.End - at.Start,
		Message: fmt.Sprintf("No index can serve this join: %s (%s) and %s (%s) cannot be compared as they are stored.", criteria.Print(x), x.Ref.Column.Encoding, criteria.Print(y), y.Ref.Column.Encoding),
		Hint:    "Join on a key as well, or on dates that are stored alike.",
	}})
}

func (c *compiler) table(field, name, alias string, optional bool) criteria.Table {
	t := criteria.Table{Alias: alias, Optional: optional, Table: catalog.Table{Name: name}}
	for _, other := range c.scope.Tables {
		if strings.EqualFold(other.Alias, alias) {
			c.fail(field, 0, "twice", "The query has two tables called "+alias+".", "Give one of them another name with as.")
		}
	}
	if c.source == nil {
		return t
	}
	found, ok := c.source.Table(name)
	if !ok {
		c.fail(field, 0, "unknown_table", fmt.Sprintf("The source %s has no table %s.", c.source.Name, name), nearOr(name, c.source.TableNames()))
		c.scope.Open = true // which columns it was to have is not known
		return t
	}
	if len(found.Columns) == 0 && found.Evidence != "" {
		c.fail(field, 0, "unreadable_file", found.Evidence, "Have the file put right; pikegate source show "+c.source.Name+" tells what is read.")
		c.scope.Open = true
	}
	t.Table = found
	return t
}

// expression parses and resolves a text of the document.
func (c *compiler) expression(field string, text Text, condition bool) criteria.Expr {
	e, problems := criteria.Parse(text.Value)
	return c.resolved(field, text, e, problems, condition)
}

// overGroups is expression where values of many records may stand.
func (c *compiler) overGroups(field string, text Text, condition bool) criteria.Expr {
	e, problems := criteria.Parse(text.Value)
	if e != nil {
		e = criteria.Counted(e, c.scope)
	}
	e = c.resolved(field, text, e, problems, condition)
	c.out.Grouped = c.out.Grouped || criteria.HasAggregate(e)
	return e
}

// ofRecords refuses values of many records where each record is looked at by
// itself.
func (c *compiler) ofRecords(field string, text Text, e criteria.Expr) {
	if criteria.HasAggregate(e) {
		c.fail(field, text.Line, "aggregate_here", "An aggregate cannot be used here.", "Use it in a column, the criteria or the sort.")
	}
}

// resolved resolves what was parsed and places the problems in the document.
func (c *compiler) resolved(field string, text Text, e criteria.Expr, problems diag.Problems, condition bool) criteria.Expr {
	if len(problems) == 0 {
		if condition {
			problems = criteria.ResolveCondition(text.Value, e, c.scope)
		} else {
			_, problems = criteria.Resolve(text.Value, e, c.scope)
		}
		if !problems.Failed() {
			problems = append(problems, c.written(text.Value, e)...)
		}
	}
	c.place(field, text, problems)
	return e
}

// place puts problems of a text where it stands in the document.
func (c *compiler) place(field string, text Text, problems diag.Problems) {
	for _, p := range problems {
		p.Field, p.Source = field, text.Value
		before := []rune(text.Value)[:p.Offset]
		p.Line = text.Line + strings.Count(string(before), "\n")
		c.problems = append(c.problems, p)
	}
}

func (c *compiler) questions() {
	seen := map[string]bool{}
	c.out.Questions = make([]parameter.Parameter, 0, len(c.query.Parameters))
	for i, q := range c.query.Parameters {
		field := nth("parameters", i)
		if p, bad := BadName("question", q.Name); bad && q.Name != "" {
			c.fail(field+".name", 0, p.Code, p.Message, p.Hint)
		}
		if seen[q.Name] && q.Name != "" {
			c.fail(field+".name", 0, "twice", "Two questions are called "+q.Name+".", "")
		}
		seen[q.Name] = true
		if q.Name == "" || q.Kind == "" {
			if q.Use == "" {
				c.fail(field, 0, "missing_field", "A question has a name and a kind.", "Write name: and kind:, or use: and the name of a shared one.")
			}
			continue
		}
		p := q.Parameter()
		c.question(field, p)
		c.whole(field, q.Limits.Whole)
		c.derive(field, p)
		c.out.Questions = append(c.out.Questions, p)
		c.scope.Questions = append(c.scope.Questions, p.Question())
	}
}

var parameterPattern = regexp.MustCompile(`^[a-z][a-z0-9_]*$`)

func (c *compiler) criteria() {
	c.placed()
	if strings.TrimSpace(c.query.Criteria.Value) == "" {
		return
	}
	before := len(c.problems)
	c.scope.Limited = c.out.SQL == nil
	e := c.overGroups("criteria", c.query.Criteria, true)
	c.scope.Limited = false
	for _, condition := range criteria.Conditions(e) {
		if _, first := condition.(*criteria.First); !first && criteria.HasAggregate(condition) && criteria.NeedsRecord(condition) {
			p := diag.At(c.query.Criteria.Value, condition.At().Start, condition.At().End, "mixed_condition",
				"This compares values of single records with values made of many.")
			p.Hint = "Join the two by and, each a condition of its own: records are chosen first, then groups of them."
			c.place("criteria", c.query.Criteria, diag.Problems{p})
		}
	}
	c.out.Criteria, c.provable = e, len(c.problems) == before
	if c.provable && c.source != nil {
		c.dates(c.query.Criteria, e)
	}
	if c.provable {
		c.chosen("criteria", c.query.Criteria, e)
	}
	criteria.Walk(e, func(e criteria.Expr) {
		switch e := e.(type) {
		case *criteria.Parameter:
			c.used = append(c.used, strings.ToLower(e.Name))
		case *criteria.Logic:
			for _, t := range e.Terms {
				if inner, ok := t.(*criteria.Logic); ok && e.Or && !inner.Or && !parenthesised(c.query.Criteria.Value, inner) {
					p := diag.At(c.query.Criteria.Value, e.Start, e.End, "mixed_and_or", "and and or stand side by side; and is read first.")
					p.Severity, p.Field, p.Source = diag.Warning, "criteria", c.query.Criteria.Value
					p.Hint = "Put parentheses around what belongs together."
					p.Line = c.query.Criteria.Line
					c.problems = append(c.problems, p)
				}
			}
		}
	})
}

// chosen adds what can be proved of the conditions that choose the records which a value of
// a group is made of. All records are looked at for it, so that no index matters.
func (c *compiler) chosen(field string, text Text, e criteria.Expr) {
	criteria.WalkOwn(e, func(e criteria.Expr) {
		if aggregate, ok := criteria.OfGroup(e); ok && aggregate.Where != nil {
			before := len(c.problems)
			c.proveOf(field, text, aggregate.Where)
			told := slices.DeleteFunc(slices.Clone(c.problems[before:]), func(p diag.Problem) bool { return p.Code == "no_index" })
			c.problems = append(c.problems[:before], told...)
		}
	})
}

// parenthesised tells whether the node stands in parentheses in the text.
func parenthesised(text string, e criteria.Expr) bool {
	before := strings.TrimRight(text[:e.At().Start], " \t\r\n")
	return strings.HasSuffix(before, "(")
}

func (c *compiler) sort() {
	for i, text := range c.query.Sort {
		field := nth("sort", i)
		key, name := sortKey(text.Value)
		at := slices.IndexFunc(c.out.Columns, func(col CompiledColumn) bool { return col.Name == name })
		if at >= 0 {
			key.Expr = c.out.Columns[at].Expr
			_, firsts := criteria.TakeFirst(c.out.Criteria)
			criteria.Walk(key.Expr, func(e criteria.Expr) {
				switch value, ok := e.(*criteria.InOrder); {
				case ok && !value.FromDatabase():
					c.fail(field, text.Line, "in_order_here", "The order cannot depend on "+value.Name+", which depends on the order.", "Sort by another column.")
				case ok && firsts != nil:
					c.fail(field, text.Line, "in_order_here", "Which records come first cannot depend on "+value.Name+".", "Sort by what it is made of.")
				}
			})
		} else {
			key.Expr = c.overGroups(field, Text{name, text.Line}, false)
		}
		c.out.Sort = append(c.out.Sort, key)
	}
}

// sortKey reads the direction of a key, and gives what it is sorted by.
func sortKey(text string) (key SortKey, by string) {
	words := strings.Fields(text)
	suffix := func(want ...string) bool {
		if len(words) > len(want) && slices.Equal(words[len(words)-len(want):], want) {
			words = words[:len(words)-len(want)]
			return true
		}
		return false
	}
	key.BlanksFirst = suffix("blanks", "first")
	if !key.BlanksFirst {
		suffix("blanks", "last")
	}
	key.Descending = suffix("descending")
	if !key.Descending {
		suffix("ascending")
	}
	return key, strings.Join(words, " ")
}

// unused refuses questions whose answer would change nothing.
func (c *compiler) unused() {
	for _, q := range c.out.Questions {
		c.used = append(c.used, NamesIn(q.Derive)...)
	}
	for i, q := range c.query.Parameters {
		if q.Name == "" {
			continue
		}
		if !slices.Contains(c.used, q.Name) && (c.out.Criteria != nil || c.query.Criteria.Value == "") {
			c.fail(nth("parameters", i), 0, "unused_parameter",
				"Nothing uses the answer to :"+q.Name+".", "Use it in the criteria, or remove the question.")
		}
	}
}
