package begin

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/sqltext"
)

// Proposal is a question that a statement can ask instead of having its values written in
// it.
type Proposal struct {
	// Name and Kind are those of the question; Many tells that it takes several answers.
	Name  string   `json:"name" doc:"The name of the question" example:"period"`
	Kind  string   `json:"kind" doc:"What is answered" example:"period"`
	Label string   `json:"label" doc:"What people read beside it"`
	Many  bool     `json:"many,omitempty" doc:"Whether it takes several answers"`
	From  []string `json:"default" doc:"What stands in the statement now, as the answer it begins with"`
	// Choices is TABLE.COLUMN, where its values can be offered.
	Choices string `json:"choices,omitempty" doc:"TABLE.COLUMN whose values are offered"`
	// Condition is what it takes the place of, and Becomes what stands there instead.
	Condition string `json:"condition" doc:"The condition as it is written"`
	Becomes   string `json:"becomes" doc:"What takes its place"`
	Note      string `json:"note,omitempty" doc:"What changes with it"`
	Offset    int    `json:"offset" doc:"Where the condition stands in the statement, in characters from 0"`
	Length    int    `json:"length" doc:"How many characters it takes"`

	start, end int
}

// ofSQL is what is known where the questions of a statement are proposed.
type ofSQL struct {
	source *catalog.Source
	tables map[string]string // by the names they have in the statement
	taken  names
}

var isoDay = regexp.MustCompile(`^[0-9]{4}-[0-9]{2}-[0-9]{2}([ T]00:00(:00)?)?$`)

// Questions proposes questions for the values in the conditions of a statement; taken are
// the names of questions that there are.
func Questions(sql string, source *catalog.Source, taken []string) (out []Proposal) {
	m := ofSQL{source: source, tables: definition.TablesIn(sql, source), taken: names{}}
	for _, name := range taken {
		m.taken[strings.ToLower(name)] = true
	}
	found := sqltext.ComparedIn(sql, source.Traits.SQL)
	for i := 0; i < len(found); i++ {
		one := found[i]
		if i+1 < len(found) {
			if p, ok := m.bounds(sql, one, found[i+1]); ok {
				out = append(out, p)
				i++
				continue
			}
		}
		if p, ok := m.proposal(one); ok {
			out = append(out, p)
		}
	}
	for i := range out {
		p := &out[i]
		p.Condition = sql[p.start:p.end]
		p.Offset, p.Length = utf8.RuneCountInString(sql[:p.start]), utf8.RuneCountInString(p.Condition)
	}
	return out
}

// column is what the condition is about, where it is known: the column, the name its table
// has in the statement and TABLE.COLUMN by that.
func (m *ofSQL) column(c sqltext.Compared) (found catalog.Column, path string) {
	for alias, name := range m.tables {
		if c.Table != "" && !strings.EqualFold(alias, c.Table) {
			continue
		}
		t, _ := m.source.Table(name)
		if column, ok := t.Column(c.Column); ok {
			if path != "" {
				return catalog.Column{}, "" // of several
			}
			found, path = *column, written(alias, column.Name)
		}
	}
	return found, path
}

func (m *ofSQL) isDate(c sqltext.Compared) bool {
	column, path := m.column(c)
	return (path == "" || column.Type.IsDate()) && !slices.ContainsFunc(c.Values, func(v sqltext.Literal) bool { return v.Number || dayIn(v.Text) == 0 })
}

// written is the column as conditions in braces name it.
func (m *ofSQL) written(c sqltext.Compared) string {
	return criteria.Print(&criteria.Column{Table: c.Table, Name: c.Column})
}

// bounds puts two comparisons that bound a date together: a period.
func (m *ofSQL) bounds(sql string, low, high sqltext.Compared) (Proposal, bool) {
	same := low.Next && !low.Denied && !high.Denied && strings.EqualFold(low.Column, high.Column) && strings.EqualFold(low.Table, high.Table)
	if !same || low.Op != ">=" || high.Op != "<" && high.Op != "<=" || !m.isDate(low) || !m.isDate(high) ||
		!strings.EqualFold(strings.TrimSpace(sql[low.End:high.Start]), "and") {
		return Proposal{}, false
	}
	from, until := dayIn(low.Values[0].Text), dayIn(high.Values[0].Text)
	if high.Op == "<" {
		until--
	}
	return m.period(low, low.Start, high.End, from, until, high.Op == "<=")
}

// dayIn is the day that a text begins with; 0 for one that is none.
func dayIn(text string) civil.Date {
	if !isoDay.MatchString(text) {
		return 0
	}
	day, err := time.Parse(time.DateOnly, text[:len(time.DateOnly)])
	if err != nil {
		return 0
	}
	return civil.DateOf(day.Year(), int(day.Month()), day.Day())
}

// period asks for one; last tells that its last day was compared with, of which a time of
// day after midnight is no part.
func (m *ofSQL) period(c sqltext.Compared, start, end int, from, through civil.Date, last bool) (Proposal, bool) {
	if c.Denied || from > through || !from.InRange() || !through.InRange() {
		return Proposal{}, false
	}
	p := Proposal{Name: m.taken.take("period"), Kind: "period", Label: definition.Labelled(c.Column), From: []string{from.String() + "/" + through.String()}, start: start, end: end}
	p.Becomes = "{ " + m.written(c) + " within :" + p.Name + " }"
	if column, path := m.column(c); last && path != "" && column.Type == catalog.DateTime {
		p.Note = "The last day counts in full now; before, only its midnight did."
	}
	return p, true
}

// proposal is the question for one condition.
func (m *ofSQL) proposal(c sqltext.Compared) (Proposal, bool) {
	column, path := m.column(c)
	not := ""
	if c.Not {
		not = "not "
	}
	p := Proposal{Label: definition.Labelled(c.Column), start: c.Start, end: c.End}
	for _, v := range c.Values {
		p.From = append(p.From, v.Text)
	}
	dated := m.isDate(c)
	numbers := !slices.ContainsFunc(c.Values, func(v sqltext.Literal) bool { return !v.Number })
	switch {
	case dated && c.Op == "between" && !c.Not:
		return m.period(c, c.Start, c.End, dayIn(c.Values[0].Text), dayIn(c.Values[1].Text), true)
	case dated && c.Op != "between" && c.Op != "like":
		p.Kind = "date"
		for i := range p.From {
			p.From[i] = p.From[i][:len("2026-03-31")]
		}
	case numbers && (path == "" || column.Type.IsNumber()) && c.Op != "like":
		p.Kind = "integer"
		if slices.ContainsFunc(c.Values, func(v sqltext.Literal) bool { return strings.Contains(v.Text, ".") }) || column.Type == catalog.Decimal {
			p.Kind = "decimal"
		}
	case !numbers && (path == "" || column.Type == catalog.Text) && (c.Op == "=" || c.Op == "<>" || c.Op == "in" || c.Op == "like"):
		p.Kind = "text"
		if path != "" && c.Op != "like" {
			p.Choices = path
		}
	default:
		return Proposal{}, false
	}
	name := questionName(c.Column)
	if called := m.called(c, path); called != "" {
		name, p.Label = questionName(called), definition.Labelled(called)
	}
	switch c.Op {
	case "between": // of numbers two questions would stand for one condition
		return Proposal{}, false
	case "in":
		p.Name, p.Many = m.taken.take(plural(name)), true
		p.Becomes = m.written(c) + " " + not + "in :" + p.Name
	case "like":
		pattern, ok := wildcards(c.Values[0].Text)
		if !ok {
			return Proposal{}, false
		}
		p.Name, p.From = m.taken.take(name), []string{pattern}
		p.Becomes = m.written(c) + " " + not + "matches :" + p.Name
		p.Note = "* stands for any characters, ? for one; capitals count."
	default:
		p.Name = m.taken.take(name)
		p.Becomes = m.written(c) + " " + c.Op + " :" + p.Name
	}
	if c.Denied {
		p.Becomes = "not (" + p.Becomes + ")"
	}
	p.Becomes = "{ " + p.Becomes + " }"
	return p, true
}

// wildcards writes a pattern of LIKE as the language has them; false for one that means one
// of its wildcards itself.
func wildcards(like string) (string, bool) {
	if strings.ContainsAny(like, `*?\`) {
		return "", false
	}
	return strings.NewReplacer("%", "*", "_", "?").Replace(like), true
}

// called is what records are called whose name a condition is about: that of their table,
// in the singular where it is one of them.
func (m *ofSQL) called(c sqltext.Compared, path string) string {
	if path == "" || !slices.Contains(callings, strings.ToLower(c.Column)) {
		return ""
	}
	alias := path[:strings.LastIndex(path, ".")]
	name := catalog.Unqualified(m.tables[strings.Trim(alias, `"`)])
	if single := strings.TrimSuffix(name, "s"); c.Op != "in" && single != "" {
		return single
	}
	return name
}

// questionName is a column's name as questions are named.
func questionName(column string) string {
	name := strings.ReplaceAll(kebab(column), "-", "_")
	if name == "records" {
		return "value"
	}
	return name
}

func plural(name string) string {
	if strings.HasSuffix(name, "s") {
		return name
	}
	return name + "s"
}

// SQL makes a query of a statement, with a question for each of the values in its
// conditions that one can be proposed for, and its report.
func SQL(w Wanted, sql string) (Made, diag.Problems) {
	sql = strings.TrimRight(strings.TrimSpace(strings.ReplaceAll(sql, "\r\n", "\n")), "; \n\t")
	if _, problems := sqltext.Split(sql, w.Source.Traits.SQL); problems.Failed() {
		return Made{}, problems.In("sql")
	}
	m := maker{Wanted: w, table: catalog.Table{Name: "report"}}
	if tables := definition.TablesIn(sql, w.Source); len(tables) > 0 {
		first := slices.MinFunc(slices.Collect(maps.Values(tables)), func(a, b string) int {
			return strings.Index(sql, catalog.Unqualified(a)) - strings.Index(sql, catalog.Unqualified(b))
		})
		m.table.Name = first
	}
	made := Made{Name: m.name(), Dates: []Date{}, LeftOut: []string{}, Questions: Questions(sql, w.Source, nil)}
	text := sql
	for i := len(made.Questions) - 1; i >= 0; i-- {
		p := made.Questions[i]
		text = text[:p.start] + p.Becomes + text[p.end:]
	}
	content, problems := definition.Format("", []byte(m.sqlQuery(made.Name, text, made.Questions, sqltext.OrderOf(sql, w.Source.Traits.SQL))+"---\n"+m.sqlReport(made)))
	made.Content = string(content)
	return made, problems
}

func (m *maker) sqlQuery(name, sql string, questions []Proposal, order []string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "kind: query\nname: %s\ntitle: %s\nsource: %s\nsql: |\n", name, definition.Scalar(definition.Labelled(m.table.Own())), definition.Scalar(m.Source.Name))
	for line := range strings.Lines(sql) {
		b.WriteString("  " + strings.TrimRight(line, " \n") + "\n")
	}
	if len(questions) > 0 {
		b.WriteString("parameters:\n")
	}
	for _, p := range questions {
		fmt.Fprintf(&b, "  - name: %s\n    kind: %s\n    label: %s\n", p.Name, p.Kind, definition.Scalar(p.Label))
		if p.Many {
			b.WriteString("    many: true\n")
		}
		if p.Choices != "" {
			fmt.Fprintf(&b, "    choices: {column: %s}\n", definition.Scalar(p.Choices))
		}
		defaults := make([]string, len(p.From))
		for i, v := range p.From {
			defaults[i] = definition.Scalar(v)
		}
		fmt.Fprintf(&b, "    default: [%s]\n", strings.Join(defaults, ", "))
	}
	if len(order) > 0 {
		b.WriteString("sort:\n")
	}
	for _, key := range order {
		b.WriteString("  - " + definition.Scalar(key) + "\n")
	}
	return b.String()
}

func (m *maker) sqlReport(made Made) string {
	out := fmt.Sprintf("kind: report\nname: %s\ntitle: %s\nquery: %s\n", made.Name, definition.Scalar(definition.Labelled(m.table.Own())), made.Name)
	if len(made.Questions) > 0 {
		out += "ask:\n"
	}
	for _, p := range made.Questions {
		out += "  - " + p.Name + "\n"
	}
	return out
}
