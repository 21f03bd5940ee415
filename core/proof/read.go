package proof

import (
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/period"
)

// Question is what is known of a question that has no answer yet.
type Question struct {
	// Certain tells that there will be one answer, and, of a period, that both
	// its ends will be there. Of any other nothing is claimed.
	Certain bool
	// Optional tells that, left blank, its conditions are not there.
	Optional bool
	// Earliest and Latest bound its dates, civil.Start and civil.End where
	// nothing does; Least and Most bound a number.
	Earliest, Latest civil.DateTime
	Least, Most      *decimal.Decimal
}

// Questions tells of questions by name, and of pairs of them the first of
// which is never after the second.
type Questions struct {
	Of      func(name string) Question
	Ordered [][2]string
}

// before says that one value is not after another.
type before struct {
	kind   kind
	a, b   cut
	strict bool
}

// end is one end of a question's stretch of time, or its value.
type end struct{ question, part string }

// name is what a variable stands for: a column of a table, or an expression.
type name struct{ table, text string }

// reader turns conditions into something that can be tried.
type reader struct {
	open      Questions
	variables map[name]*variable
	symbols   map[end]int
	order     []before
}

func (r *reader) condition(e criteria.Expr) *condition {
	if !r.clear(e) {
		return r.unknown(e)
	}
	switch e := e.(type) {
	case *criteria.Logic:
		c := &condition{or: e.Or}
		for _, t := range e.Terms {
			c.parts = append(c.parts, r.condition(t))
		}
		return c
	case *criteria.Not:
		return &condition{not: true, parts: []*condition{r.condition(e.X)}}
	case *criteria.Guarded:
		return &condition{parts: []*condition{r.condition(e.X)}, where: r.condition(e.Where)}
	case *criteria.Bool:
		return &condition{constant: &e.Value}
	case *criteria.Column:
		if e.Ref.Column.Type == catalog.Boolean {
			return r.leaf(r.variable(e), point(number(1)))
		}
	case *criteria.IsBlank:
		if p, asked := e.X.(*criteria.Parameter); asked {
			if r.question(p).Certain {
				return &condition{constant: new(bool)}
			}
			return &condition{variable: &variable{free: true}}
		}
		return &condition{variable: r.variable(e.X), isBlank: true}
	case *criteria.Within:
		if low, high, ok := r.stretch(e.Period); ok && isDated(e.X) {
			return r.leaf(r.variable(e.X), stretch{low, high})
		}
	case *criteria.In:
		return r.in(e)
	case *criteria.Match:
		if c := r.prefix(e); c != nil {
			return c
		}
	case *criteria.Compare:
		if c := r.compare(e); c != nil {
			return c
		}
	}
	return r.unknown(e)
}

// clear tells whether questions in a comparison stand by themselves on one of
// its sides, and will have an answer.
func (r *reader) clear(e criteria.Expr) bool {
	switch e.(type) {
	case *criteria.Logic, *criteria.Not, *criteria.Guarded:
		return true // each of its parts is asked
	}
	if !criteria.AsksAny(e) {
		return true
	}
	for side := range criteria.Children(e) {
		p, direct := side.(*criteria.Parameter)
		if direct && !r.question(p).Certain || !direct && criteria.AsksAny(side) {
			return false
		}
	}
	return true
}

// unknown is a comparison nothing is known of. Where it asks a question that
// may stay without an answer, it may be there or not, each time by itself.
func (r *reader) unknown(e criteria.Expr) *condition {
	if criteria.AsksAny(e) {
		return &condition{variable: &variable{free: true, nullable: true}}
	}
	key := name{text: "? " + criteria.Print(e)}
	v, met := r.named(key)
	if !met {
		v.free, v.nullable = true, true
	}
	return &condition{variable: v}
}

func (r *reader) leaf(v *variable, stretches ...stretch) *condition {
	return &condition{variable: v, stretches: stretches}
}

// named is the variable of a name, and whether it was met before.
func (r *reader) named(key name) (v *variable, met bool) {
	if v, met = r.variables[key]; !met {
		v = &variable{}
		r.variables[key] = v
	}
	return v, met
}

// variable is what stands for an expression.
func (r *reader) variable(e criteria.Expr) *variable {
	column, plain := e.(*criteria.Column)
	key := name{}
	if plain = plain && column.Ref.Alias != ""; plain {
		key = name{column.Ref.Alias, column.Ref.Column.Name}
	} else {
		key.text = criteria.Print(e)
	}
	v, met := r.named(key)
	if met {
		return v
	}
	v.nullable = true
	if plain {
		v.nullable, v.unfit = column.Ref.Nullable, column.Ref.Column.Encoding != ""
	} else {
		v.unfit = slices.ContainsFunc(criteria.Columns(e), func(c *criteria.Column) bool { return c.Ref.Column.Encoding != "" })
	}
	switch t := criteria.TypeOf(e); t {
	case catalog.Date, catalog.DateTime:
		v.kind, v.whole = times, t == catalog.Date
	case catalog.Integer:
		v.kind, v.whole = numbers, true
	case catalog.Boolean:
		v.kind, v.whole = numbers, true
		v.within = between(number(0), number(1))
	case catalog.Decimal:
		v.kind = numbers
	default:
		v.kind = texts
	}
	if call, ok := e.(*criteria.Call); ok {
		if most, ok := ranges[call.Name]; ok {
			v.within = between(number(1), number(most))
		}
	}
	if aggregate, ok := e.(*criteria.Aggregate); ok && aggregate.Records != nil {
		switch counts := aggregate.X == nil || aggregate.Name == "count distinct"; {
		case counts:
			v.nullable, v.within = false, stretch{low: &cut{value: number(0)}}
		case aggregate.Name == "sum":
			v.nullable = false // of nothing it is 0
		}
	}
	return v
}

// ranges are the functions of a day whose values run from 1 to something.
var ranges = map[string]int64{"quarter": 4, "month": 12, "week": 53, "day": 31, "weekday": 7}

func number(n int64) value { return value{number: decimal.New(n, 0)} }

// point is a stretch of one value.
func point(v value) stretch { return between(v, v) }

// between is a stretch from one value through another.
func between(low, high value) stretch {
	ends := &[2]cut{{value: low}, {value: high, after: true}}
	return stretch{&ends[0], &ends[1]}
}

func isDated(e criteria.Expr) bool { return criteria.TypeOf(e).IsDate() }

// stretch reads a period: known, or a question's. Ends that are open have no
// cut.
func (r *reader) stretch(e criteria.Expr) (low, high *cut, ok bool) {
	switch e := e.(type) {
	case *criteria.Span:
		low, high = known(e.Span)
		return low, high, true
	case *criteria.Parameter:
		q := r.question(e)
		if !q.Certain || !isDated(e) && e.Question.Type != criteria.Period {
			return nil, nil, false
		}
		from, until := e.Part, e.Part+" end"
		switch e.Part {
		case "":
			from, until = "from", "until"
		case "through":
			until = "until"
		case "until":
			until = "after"
		}
		return &cut{value: r.symbol(e, q, from)}, &cut{value: r.symbol(e, q, until)}, true
	}
	return nil, nil, false
}

func known(s period.Span) (low, high *cut) {
	if !s.OpenStart() {
		low = &cut{value: value{time: s.From}}
	}
	if !s.OpenEnd() {
		high = &cut{value: value{time: s.Until}}
	}
	return low, high
}

func (r *reader) question(p *criteria.Parameter) Question {
	if r.open.Of == nil || p.Question.Many {
		return Question{}
	}
	return r.open.Of(p.Name)
}

// symbol is one end of a question's stretch of time, or its value.
func (r *reader) symbol(p *criteria.Parameter, q Question, part string) value {
	if r.symbols == nil {
		r.symbols = map[end]int{}
	}
	at := func(part string) value {
		key := end{p.Name, part}
		if r.symbols[key] == 0 {
			r.symbols[key] = len(r.symbols) + 1
		}
		return value{symbol: r.symbols[key]}
	}
	if _, seen := r.symbols[end{p.Name, part}]; seen {
		return at(part)
	}
	made := at(part)
	switch {
	case p.Question.Type.IsNumber():
		if q.Least != nil {
			r.before(numbers, value{number: *q.Least}, made, false)
		}
		if q.Most != nil {
			r.before(numbers, made, value{number: *q.Most}, false)
		}
		return made
	case !p.Question.Type.IsDate() && p.Question.Type != criteria.Period:
		return made
	}
	if q.Earliest != civil.Start {
		r.before(times, value{time: q.Earliest}, made, false)
	}
	if q.Latest != civil.End && part != "until end" && part != "after" && part != "until" {
		r.before(times, made, value{time: q.Latest}, false)
	}
	if q.Latest != civil.End && part == "until" {
		r.before(times, made, value{time: q.Latest}, false)
	}
	// Of whatever ends are used, the order in time.
	chain := []struct {
		a, b   string
		strict bool
	}{
		{"from", "until", true},
		{"from", "from end", true},
		{"from end", "until", false},
		{"from", "through", false},
		{"through", "until", true},
		{"until", "after", true},
	}
	for _, link := range chain {
		_, first := r.symbols[end{p.Name, link.a}]
		_, second := r.symbols[end{p.Name, link.b}]
		if first && second && (link.a == part || link.b == part) {
			r.before(times, at(link.a), at(link.b), link.strict)
		}
	}
	for _, pair := range r.open.Ordered {
		_, first := r.symbols[end{pair[0], "from"}]
		_, second := r.symbols[end{pair[1], "until"}]
		if first && second && (pair[0] == p.Name || pair[1] == p.Name) {
			r.before(times, value{symbol: r.symbols[end{pair[0], "from"}]}, value{symbol: r.symbols[end{pair[1], "until"}]}, true)
		}
	}
	return made
}

func (r *reader) before(kind kind, a, b value, strict bool) {
	r.order = append(r.order, before{kind, cut{value: a}, cut{value: b}, strict})
}

// constant reads a known value, or a question's.
func (r *reader) constant(e criteria.Expr) (value, bool) {
	switch e := e.(type) {
	case *criteria.Number:
		return value{number: e.Value}, true
	case *criteria.Bool:
		if e.Value {
			return number(1), true
		}
		return number(0), true
	case *criteria.Text:
		return value{text: e.Value}, e.Period == nil
	case *criteria.Parameter:
		t := e.Question.Type
		if q := r.question(e); q.Certain && (t.IsNumber() || t == catalog.Text) {
			return r.symbol(e, q, "value"), true
		}
	}
	return value{}, false
}

func (r *reader) compare(e *criteria.Compare) *condition {
	if criteria.FirstColumn(e.Left) == nil && criteria.FirstColumn(e.Right) != nil {
		e = &criteria.Compare{Pos: e.Pos, Op: criteria.Flip(e.Op), Left: e.Right, Right: e.Left, Fold: e.Fold}
	}
	if isDated(e.Left) {
		if low, high, ok := r.stretch(e.Right); ok {
			return r.compareDate(e, low, high)
		}
	}
	if v, ok := r.constant(e.Right); ok {
		if w, ok := r.constant(e.Left); ok && v.symbol == 0 && w.symbol == 0 && criteria.TypeOf(e.Left).IsNumber() && criteria.TypeOf(e.Right).IsNumber() {
			result := criteria.Holds(w.number.Cmp(v.number), e.Op)
			return &condition{constant: &result}
		}
		if e.Fold && v.symbol != 0 || !sameKind(e.Left, e.Right) {
			return nil
		}
		return r.compareValue(r.folded(e.Left, e.Fold), e.Op, foldedValue(v, e.Fold))
	}
	if _, _, ok := r.stretch(e.Left); ok || criteria.AsksAny(e) {
		return nil
	}
	// Two expressions: how the one stands to the other, as a number.
	left, right, op := criteria.Print(e.Left), criteria.Print(e.Right), e.Op
	if left > right {
		left, right, op = right, left, criteria.Flip(op)
	}
	key := name{text: left + " ? " + right}
	if e.Fold {
		key.text += " ignoring case"
	}
	v, met := r.named(key)
	if !met {
		v.kind, v.nullable = numbers, true
	}
	return r.compareValue(v, op, number(0))
}

// sameKind tells whether an expression is known to be of the kind of a value:
// without a source nothing is known of columns.
func sameKind(x, constant criteria.Expr) bool {
	t, u := criteria.TypeOf(x), criteria.TypeOf(constant)
	return t == u || t.IsNumber() && u.IsNumber()
}

// folded is the variable of a text whose case is ignored.
func (r *reader) folded(e criteria.Expr, fold bool) *variable {
	if fold {
		e = &criteria.Call{Name: "lower", Args: []criteria.Expr{e}, Type: catalog.Text}
	}
	return r.variable(e)
}

func foldedValue(v value, fold bool) value {
	if fold {
		v.text = strings.ToLower(v.text)
	}
	return v
}

func (r *reader) compareValue(v *variable, op string, c value) *condition {
	if op == "<>" {
		return &condition{not: true, parts: []*condition{r.leaf(v, point(c))}}
	}
	s := point(c)
	switch op {
	case "<":
		s = stretch{nil, s.low}
	case "<=":
		s = stretch{nil, s.high}
	case ">":
		s = stretch{s.high, nil}
	case ">=":
		s = stretch{s.low, nil}
	}
	return r.leaf(v, s)
}

// compareDate compares with a stretch of time: before it is before its start,
// after it is after its end. An end that is open is left to itself.
func (r *reader) compareDate(e *criteria.Compare, low, high *cut) *condition {
	v := r.variable(e.Left)
	switch e.Op {
	case "=":
		return r.leaf(v, stretch{low, high})
	case "<>":
		return &condition{not: true, parts: []*condition{r.leaf(v, stretch{low, high})}}
	case "<", ">=":
		if low == nil {
			return nil
		}
		if e.Op == "<" {
			return r.leaf(v, stretch{nil, low})
		}
		return r.leaf(v, stretch{low, nil})
	}
	if high == nil {
		return nil
	}
	if e.Op == "<=" {
		return r.leaf(v, stretch{nil, high})
	}
	return r.leaf(v, stretch{high, nil})
}

func (r *reader) in(e *criteria.In) *condition {
	values := make([]value, len(e.Items))
	for i, item := range e.Items {
		v, ok := r.constant(item)
		if !ok || v.symbol != 0 || !sameKind(e.X, item) {
			return r.unknown(e)
		}
		values[i] = foldedValue(v, e.Fold)
	}
	stretches := make([]stretch, len(values))
	for i, v := range values {
		stretches[i] = point(v)
	}
	return r.leaf(r.folded(e.X, e.Fold), stretches...)
}

// prefix reads "starts with" as the stretch of texts that do.
func (r *reader) prefix(e *criteria.Match) *condition {
	text, ok := e.Y.(*criteria.Text)
	if !ok || e.Op != "starts with" {
		return nil
	}
	value := foldedValue(value{text: text.Value}, e.Fold)
	s := stretch{low: &cut{value: value}}
	if after, ok := criteria.TextAfter(value.text); ok {
		value.text = after
		s.high = &cut{value: value}
	}
	return r.leaf(r.folded(e.X, e.Fold), s)
}
