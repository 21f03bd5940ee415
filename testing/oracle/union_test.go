package oracle_test

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/testing/oracle"
)

var asked = regexp.MustCompile(`:([a-z]+)`)

// parametersFor are the questions that a text asks, as a definition has them.
func parametersFor(text string) string {
	var b strings.Builder
	var seen []string
	for _, found := range asked.FindAllStringSubmatch(text, -1) {
		at := slices.IndexFunc(questions, func(q parameter.Parameter) bool { return q.Name == found[1] })
		if at < 0 || slices.Contains(seen, found[1]) {
			continue
		}
		q := questions[at]
		seen = append(seen, q.Name)
		fmt.Fprintf(&b, "  - { name: %s, kind: %s, required: %v, many: %v, when_blank: %s, include_blanks: %v", q.Name, q.Kind, q.Required, q.Many, cmp.Or(q.WhenBlank, "skip"), q.IncludeBlanks)
		if q.Kind == parameter.Period {
			fmt.Fprintf(&b, ", limits: { ends: %s }", q.Limits.Ends)
		}
		b.WriteString(" }\n")
	}
	if b.Len() == 0 {
		return ""
	}
	return "parameters:\n" + b.String()
}

// unionOf is a random union, and the queries that it is of.
func (r random) unionOf() (union string, members []string) {
	days, times := []string{"d", "f", "w", "y", "c", "date_of(e)", "d + 3 days", "start_of(month, l)"}, []string{"e", "u", "l", "z", "v", "k", "a", "g", "p", "q", "h"}
	dates := pick(r, [][]string{days, times, {"e", "u", "z", "k"}, {pick(r, times)}})
	numbers := pick(r, [][]string{{"n"}, {"n", "x", "m / 4", "-n", "m * 100", "length(t)"}})
	texts := pick(r, [][]string{{"s"}, {"s", "t", "lower(s)", "concat(s, t)"}})
	others := pick(r, [][]string{{"b"}, {"b", "n > 1"}, {"any r as o where o.n = r.m", "b"}})
	var list []string
	for i := range 2 + r.IntN(2) {
		name := fmt.Sprintf("m%d", i)
		condition := ""
		if r.IntN(4) > 0 {
			condition = r.condition(1)
		}
		text := fmt.Sprintf("kind: query\nname: %s\nsource: small\nfrom: r\n%scolumns:\n  - id\n  - { name: at, value: %q }\n  - { name: amount, value: %q }\n  - { name: word, value: %q }\n  - { name: yes, value: %q }\n", name, parametersFor(condition), pick(r, dates), pick(r, numbers), pick(r, texts), pick(r, others))
		if condition != "" {
			text += fmt.Sprintf("criteria: \"%s\"\n", condition)
		}
		members, list = append(members, text), append(list, name)
	}
	var conditions []string
	for range 1 + r.IntN(2) {
		conditions = append(conditions, pick(r, []string{
			"at within " + r.stretch(), "at " + pick(r, []string{"<", ">=", "<>", "<="}) + " " + r.stretch(), "amount > :small", "amount * 2 between -3 and 9", "word = :word", "word contains 'b' ignoring case",
			"not (at within :period)", "month(at) = 3", "yes", "not yes", "at is blank", "amount is not blank", "(word in :words or amount < 2)", "at within :open", "at + 1 month > '2025-03-30'", "id <> 3",
		}))
	}
	condition := strings.Join(conditions, " and ")
	union = fmt.Sprintf("kind: query\nname: u\nsource: small\nunion: [%s]\n%scriteria: \"%s\"\nsort:\n", strings.Join(list, ", "), parametersFor(condition), condition)
	if r.IntN(3) == 0 {
		union = strings.Replace(union, "criteria:", "columns: [word, { name: twice, value: amount * 2 }, at, { name: of_month, value: month of at }]\ncriteria:", 1)
	}
	for _, at := range r.Perm(5)[:1+r.IntN(3)] {
		union += "  - " + []string{"at", "amount", "word", "amount / -2", "yes"}[at] + pick(r, []string{"", " descending"}) + pick(r, []string{"", " blanks first"}) + "\n"
	}
	return union, members
}

// inUnion compiles a union; ok is false for what does not go together.
func (b *bench) inUnion(t *testing.T, text string, members []string) (compiled *definition.Compiled, each []*definition.Compiled, ok bool) {
	var queries []*definition.Query
	for _, of := range append(members, text) {
		documents, problems := definition.Decode("", []byte(of))
		require.Empty(t, problems, of)
		queries = append(queries, documents[0].(*definition.Query))
	}
	library := definition.Library{Query: func(name string) (*definition.Query, bool) {
		at := slices.IndexFunc(queries, func(q *definition.Query) bool { return q.Name == name })
		return queries[at], true
	}}
	for _, q := range queries {
		made, problems := definition.Compile(q, &b.catalog, library)
		if problems.Failed() {
			for _, p := range problems {
				wrong := p.Severity != diag.Warning && !slices.Contains([]string{"never_true", "unsound", "finer_than_column", "type_mismatch", "not_alike", "no_percentile"}, p.Code)
				require.False(t, wrong, "%v\n%s\n%s", p, text, members)
			}
			return nil, nil, false
		}
		each = append(each, made)
	}
	return each[len(members)], each[:len(members)], true
}

// TestUnions: the records of random unions, and their order, are those of the oracle on
// every engine: those of each query by itself that meet what the union says of its columns.
func TestUnions(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	benches := onEveryEngine(t, 7)
	tried := 0
	for i := 0; tried < *queries; i++ {
		r := random{Rand: rand.New(rand.NewPCG(*seed+5, uint64(i)))}
		text, members := r.unionOf()
		in := r.answers(text)
		found := true
		for _, b := range benches {
			compiled, each, ok := b.inUnion(t, text, members)
			if !ok {
				found = false
				break
			}
			values, problems := parameter.Read(compiled.Questions, compiled.Rules, only(in, compiled.Questions), parameter.Context{Calendar: b.ctx})
			require.Empty(t, problems, text)
			statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, values)
			if problems.Failed() {
				found = false
				break
			}
			sql := b.source.Dialect().Write(statement.Statement).SQL
			require.Equal(t, b.expectedUnion(compiled, each, values), b.rows(t, statement), "%s\n%s\n%s\n%s", b.engine, text, strings.Join(members, "\n"), sql)
		}
		if found {
			tried++
		}
	}
}

func only(in map[string]parameter.Input, asked []parameter.Parameter) map[string]parameter.Input {
	out := map[string]parameter.Input{}
	for _, q := range asked {
		if given, ok := in[q.Name]; ok {
			out[q.Name] = given
		}
	}
	return out
}

// expectedUnion works the rows of a union out from the records.
func (b *bench) expectedUnion(c *definition.Compiled, each []*definition.Compiled, values parameter.Values) [][]string {
	byName := map[string]parameter.Parameter{}
	for _, q := range questions {
		byName[q.Name] = q
	}
	w := oracle.World{Calendar: b.ctx, Questions: byName, Answers: values, Tables: b.tables()}
	meets := func(e criteria.Expr, r oracle.Record) bool {
		if e == nil {
			return true
		}
		result := w.Condition(e, r)
		return result == oracle.True || result == oracle.Absent
	}
	type row struct {
		record oracle.Record
		query  int
		id     int64
	}
	var rows []row
	for n, query := range each {
		for _, id := range b.ids {
			if !meets(query.Criteria, b.records[id]) {
				continue
			}
			record := oracle.Record{}
			for _, col := range query.Columns {
				record[col.Name] = w.Value(col.Expr, b.records[id])
				if plain, ok := col.Expr.(*criteria.Column); ok {
					record[col.Name] = b.records[id][plain.Name]
				}
			}
			if meets(c.Criteria, record) {
				rows = append(rows, row{record, n, id})
			}
		}
	}
	instants := !slices.ContainsFunc(each, func(q *definition.Compiled) bool { return !criteria.IsInstant(q.Columns[1].Expr) })
	inOrder := func(a, z any) int {
		if m, ok := a.(oracle.Moment); ok && !instants { // by the clock
			m.Instant = nil
			return m.Compare(z.(oracle.Moment))
		}
		return compareValues(a, z)
	}
	slices.SortStableFunc(rows, func(x, y row) int {
		for _, key := range c.Sort {
			a, z := w.Value(key.Expr, x.record), w.Value(key.Expr, y.record)
			order := 0
			if a == nil || z == nil {
				if order = cmp.Compare(blankness(a), blankness(z)); key.BlanksFirst {
					order = -order
				}
			} else if order = inOrder(a, z); key.Descending {
				order = -order
			}
			if order != 0 {
				return order
			}
		}
		return cmp.Or(cmp.Compare(x.query, y.query), cmp.Compare(x.id, y.id))
	})
	made := make([][]string, 0, len(rows))
	for _, row := range rows {
		var cells []string
		for _, col := range c.Columns {
			v := w.Value(col.Expr, row.record)
			if plain, ok := col.Expr.(*criteria.Column); ok {
				v = row.record[plain.Name]
			}
			if m, ok := v.(oracle.Moment); ok && !instants { // offsets are told where all have one
				m.Instant = nil
				v = m
			}
			cells = append(cells, shown(v))
		}
		made = append(made, cells)
	}
	return made
}

// TestUnionChoices: what is offered for a question is what occurs in any of the queries of a
// union under the other answers, counted over all of them, once.
func TestUnionChoices(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	members := []string{
		"kind: query\nname: m0\nsource: small\nfrom: r\nparameters:\n  - { name: word, kind: text, choices: { column: r.s } }\ncolumns: [id, { name: text, value: s }, { name: at, value: d }]\ncriteria: s = :word and n > 0\n",
		"kind: query\nname: m1\nsource: small\nfrom: r\nparameters:\n  - { name: word, kind: text, choices: { column: r.t } }\ncolumns: [id, { name: text, value: t }, { name: at, value: f }]\ncriteria: t = :word\n",
	}
	text := "kind: query\nname: u\nsource: small\nunion: [m0, m1]\nparameters:\n  - { name: period, kind: period }\n  - { name: named, kind: text, choices: { column: text } }\ncriteria: at within :period and text = :named\n"
	for _, b := range onEveryEngine(t, 7) {
		compiled, each, ok := b.inUnion(t, text, members)
		require.True(t, ok)
		values, problems := parameter.Read(compiled.Questions, nil, map[string]parameter.Input{"period": {Texts: []string{"2025"}}}, parameter.Context{Calendar: b.ctx})
		require.Empty(t, problems)
		w := oracle.World{Calendar: b.ctx, Answers: values, Tables: b.tables()}
		counts := map[string]int64{}
		for n, query := range each {
			for _, id := range b.ids {
				r := b.records[id]
				text, _ := r[[]string{"s", "t"}[n]].(string)
				at := oracle.Record{"at": r[[]string{"d", "f"}[n]]}
				within := criteria.Conditions(compiled.Criteria)[0]
				if first := criteria.Conditions(query.Criteria); r[[]string{"s", "t"}[n]] != nil && w.Condition(within, at) == oracle.True && (len(first) < 2 || w.Condition(first[1], r) == oracle.True) {
					counts[text]++
				}
			}
		}
		for _, question := range []string{"word", "named"} {
			statement, problems := b.planner(compiled, b.ctx).Choices(question, values, plan.Search{})
			require.Empty(t, problems)
			got := map[string]int64{}
			for _, row := range b.values(t, statement) {
				value, _ := row[0].(string)
				got[value], _ = row[1].(int64)
			}
			require.Equal(t, counts, got, "%s %s", b.engine, question)
		}
		statement, problems := b.planner(compiled, b.ctx).Occurring("word", plan.Search{Wanted: []any{"Ä", "nowhere"}})
		require.Empty(t, problems)
		require.Len(t, b.values(t, statement), 1, b.engine)
	}
}
