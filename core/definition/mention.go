package definition

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"go.yaml.in/yaml/v4"

	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/sqltext"
)

// Mention is a name that a document says: its own, that of another definition, of a
// question, or of a column of a result.
type Mention struct {
	// Kind is that of a definition, or question or column.
	Kind, Name string
	// Of is the definition that a question or a column belongs to, as "kind name".
	Of string
	// Line is the line of the document it stands in.
	Line int
	// Own tells that it is where the name is given, rather than used.
	Own bool
}

// Mentions lists the names that a document says, in its order. The flavour is that of the
// source of a query with hand-written SQL.
func Mentions(d Document, flavour sqltext.Flavour) []Mention {
	var all []Mention
	for _, p := range places(d, flavour) {
		for _, m := range p.mentions {
			all = append(all, m.Mention)
		}
	}
	return all
}

// Rewritten is the text of a document with other names in it: to gives the one for a
// mention, which is its own where it stays. Everything else stays byte for byte. It fails
// where a name is written in a way that cannot be changed in its place.
func Rewritten(d Document, flavour sqltext.Flavour, to func(Mention) string) (string, []Mention, error) {
	text := d.Raw()
	var changed []Mention
	var wanted []string // the names, after it
	all := places(d, flavour)
	for _, p := range all {
		for _, m := range p.mentions {
			name := to(m.Mention)
			if wanted = append(wanted, name); name != m.Name {
				changed = append(changed, m.Mention)
			}
		}
	}
	if len(changed) == 0 {
		return text, nil, nil
	}
	for _, p := range slices.Backward(all) { // what stands before stays where it is
		var changes []change
		for _, m := range p.mentions {
			if name := to(m.Mention); name != m.Name {
				changes = append(changes, change{m.start, m.end, m.as(name)})
			}
		}
		if len(changes) == 0 {
			continue
		}
		var err error
		if text, err = p.change(text, changes); err != nil {
			return "", nil, err
		}
	}
	again, problems := Decode("", []byte(text))
	if len(again) != 1 || problems.Failed() {
		return "", nil, fmt.Errorf("definition: the document would not be read with these names")
	}
	var now []string
	for _, m := range Mentions(again[0], flavour) {
		now = append(now, m.Name)
	}
	if !slices.Equal(now, wanted) {
		return "", nil, fmt.Errorf("definition: the document would say other names")
	}
	return text, changed, nil
}

// place is a scalar of a document, and the mentions in its value.
type place struct {
	node     *yaml.Node
	mentions []placed
	// alone tells that the scalar stands for a column with its name: it becomes a mapping.
	alone bool
}

// placed is a mention and its bytes in the value of the scalar.
type placed struct {
	Mention
	start, end int
	// inText tells that it stands in an expression, where an odd name has quotes.
	inText bool
}

func (m placed) as(name string) string {
	if m.inText && m.Kind != "question" {
		return criteria.Print(&criteria.Column{Name: name})
	}
	return name
}

// change is other text for bytes of a value.
type change struct {
	start, end int
	to         string
}

// role tells which names a scalar says.
type role func(m *mentioner, p *place, text string)

// roles are those of the fields of documents, by kind and path, where [] stands for an
// item of a list and * for a key that is a name itself.
var roles = map[string]map[string]role{
	"query": withQuestions("parameters[]", map[string]role{
		"name": own, "calendar": nameOf("calendar"), "union[]": nameOf("query"), "beside.question": question, "criteria": inCriteria, "joins[].on": inCriteria, "rules[].rule": inCriteria, "sql": inSQL,
		"columns[].name": ownColumn, "columns[].value": inColumn, "columns[]": columnAlone, "sort[]": inKey, "columns[].emphasis.when": inGroup, "columns[].emphasis[].when": inGroup,
	}),
	"report": {
		"name": own, "query": nameOf("query"), "calendar.use": nameOf("calendar"), "ask[]": question, "ask[].*": question, "set.*": question, "examples[].ask.*": question,
		"links[].report": nameOf("report"), "links[].on": column, "links[].set.*": elsewhere, "links[].set.*.": inSet, "chart.link.report": nameOf("report"), "chart.link.set.*": elsewhere, "chart.link.set.*.": inSet, "across": inGroup, "across.by": inGroup, "across.of[]": inTotal, "across.emphasis.when": inVerdict, "across.emphasis[].when": inVerdict, "across.link.report": nameOf("report"), "across.link.set.*": elsewhere, "across.link.set.*.": inSet, "page.title": inBraces, "page.subtitle": inBraces, "page.footer": inBraces, "page.notes": inBraces, "columns[]": column, "emphasis.when": inGroup, "emphasis[].when": inGroup, "emphasis.columns[]": column, "emphasis[].columns[]": column, "groups[]": inGroup, "groups[].by": inGroup, "groups[].totals[]": inTotal,
		"totals[]": inTotal, "chart.x": inGroup, "chart.y": inTotal, "chart.also[]": inTotal, "chart.second[]": inTotal, "chart.split": inGroup, "chart.panels": inGroup,
	},
	"criterion": withQuestions("parameters[]", map[string]role{"name": own, "criteria": inCriteria}),
	"parameter": withQuestions("parameter", map[string]role{"name": own}),
	"rule":      {"name": own},
	"overview":  {"name": own, "parts[].report": nameOf("report")},
	"schedule": {
		"name": own, "report": nameOf("report"), "overview": nameOf("overview"), "calendar": nameOf("calendar"), "set.*": question, "each.question": question, "only": inVerdict,
		"deliver[].folder.file": inBraces, "deliver[].mail.subject": inBraces, "deliver[].mail.file": inBraces, "deliver[].mail.to.by": question,
	},
	"source":   {"name": own},
	"calendar": {"name": own},
}

// withQuestions adds the fields of questions that stand at a path.
func withQuestions(at string, fields map[string]role) map[string]role {
	fields[at+".name"] = ownQuestion
	fields[at+".use"] = shared
	fields[at+".derive"] = inDerivation
	fields[at+".choices.where"] = inCriteria
	fields[at+".choices.query"] = nameOf("query")
	fields[at+".choices.value"] = choiceColumn
	fields[at+".choices.label"] = choiceColumn
	return fields
}

// mentioner walks a document.
type mentioner struct {
	kind, name string
	// query is that whose result and questions a report is about.
	query   string
	flavour sqltext.Flavour
	text    string
	// choices is the query that the choices looked at come from.
	choices string
	all     []place
}

func places(d Document, flavour sqltext.Flavour) []place {
	nodes, err := load(d.Raw())
	if err != nil {
		return nil // told where it is read
	}
	m := &mentioner{flavour: flavour, text: d.Raw()}
	m.kind, m.name = d.Ident()
	m.query = m.name
	switch d := d.(type) {
	case *Report:
		m.query = d.Query
	case *Schedule:
		m.query = d.query
	}
	for i := range nodes {
		if len(nodes[i].Content) > 0 {
			m.walk(nodes[i].Content[0], "")
		}
	}
	return m.all
}

// walk looks at a node: pattern is its path as the roles have it.
func (m *mentioner) walk(n *yaml.Node, pattern string) {
	fields := roles[m.kind]
	switch n.Kind {
	case yaml.MappingNode:
		for i := 0; i+1 < len(n.Content); i += 2 {
			key, value := n.Content[i], n.Content[i+1]
			if key.Value == "choices" && value.Kind == yaml.MappingNode {
				m.choices = ""
				if from, ok := valueOf(value, "query"); ok {
					m.choices = from.Value
				}
			}
			if asked, ok := fields[pattern+".*"]; ok {
				m.look(key, asked)
				m.walk(value, pattern+".*.")
				continue
			}
			m.walk(value, join(pattern, key.Value))
		}
	case yaml.SequenceNode:
		for _, item := range n.Content {
			m.walk(item, pattern+"[]")
		}
	case yaml.ScalarNode:
		if says, ok := fields[pattern]; ok && !isNull(n) {
			m.look(n, says)
		}
	}
}

func (m *mentioner) look(n *yaml.Node, says role) {
	p := place{node: n}
	if says(m, &p, n.Value); len(p.mentions) == 0 {
		return
	}
	if at, _, err := p.written(m.text); err == nil && strings.ContainsAny(n.Value, " \n") { // it may be in several lines
		for i, of := range p.mentions {
			p.mentions[i].Line = 1 + strings.Count(m.text[:at[of.start]], "\n")
		}
	}
	m.all = append(m.all, p)
}

// says adds a mention at bytes of a place's value.
func (m *mentioner) says(p *place, kind, of, name string, start, end int, inText bool) {
	p.mentions = append(p.mentions, placed{Mention{Kind: kind, Name: name, Of: of, Line: p.node.Line}, start, end, inText})
}

// whole is a scalar that is a name.
func (m *mentioner) whole(p *place, kind, of string) {
	m.says(p, kind, of, p.node.Value, 0, len(p.node.Value), false)
}

func own(m *mentioner, p *place, _ string) {
	m.whole(p, m.kind, "")
	p.mentions[0].Own = true
}

func nameOf(kind string) role {
	return func(m *mentioner, p *place, _ string) { m.whole(p, kind, "") }
}

func shared(m *mentioner, p *place, _ string) { m.whole(p, "parameter", "") }

// asks is the definition whose questions the document speaks of.
func (m *mentioner) asks() string {
	if m.kind == "report" || m.kind == "schedule" {
		return "query " + m.query
	}
	return m.kind + " " + m.name
}

func question(m *mentioner, p *place, _ string) { m.whole(p, "question", m.asks()) }

func ownQuestion(m *mentioner, p *place, _ string) {
	m.whole(p, "question", m.asks())
	p.mentions[0].Own = true
}

func column(m *mentioner, p *place, _ string) { m.whole(p, "column", "query "+m.query) }

func ownColumn(m *mentioner, p *place, _ string) {
	column(m, p, "")
	p.mentions[0].Own = true
}

func choiceColumn(m *mentioner, p *place, _ string) {
	if m.choices != "" {
		m.whole(p, "column", "query "+m.choices)
	}
}

func inDerivation(m *mentioner, p *place, text string) {
	for _, at := range namePart.FindAllStringSubmatchIndex(text, -1) {
		m.says(p, "question", m.asks(), text[at[2]:at[3]], at[2], at[3], true)
	}
}

// within adds what an expression names, as it stands at bytes of the value: questions and
// named criteria, or else the columns of the result.
func (m *mentioner) within(p *place, text string, e criteria.Expr, from int, result bool) {
	if e == nil {
		return
	}
	for _, n := range criteria.Names(text, e) {
		switch {
		case n.Kind == "column" && result:
			m.says(p, n.Kind, "query "+m.query, n.Name, from+n.Start, from+n.End, true)
		case n.Kind == "question" && !result:
			m.says(p, n.Kind, m.asks(), n.Name, from+n.Start, from+n.End, true)
		case n.Kind == "criterion" && !result:
			m.says(p, n.Kind, "", n.Name, from+n.Start, from+n.End, true)
		}
	}
}

// What stands in a text: a condition or a value of records, a value of many of them, and the
// same of the columns of the result.
var (
	inCriteria = said(criteria.Parse, false)
	inColumn   = said(criteria.ParseAggregate, false)
	inGroup    = said(criteria.Parse, true)
	inTotal    = said(criteria.ParseAggregate, true)
)

func said(parse func(string) (criteria.Expr, diag.Problems), result bool) role {
	return func(m *mentioner, p *place, text string) {
		e, _ := parse(text)
		m.within(p, text, e, 0, result)
	}
}

// elsewhere is a name that belongs to another definition.
func elsewhere(*mentioner, *place, string) {}

// inSet is a column of the result, or an answer after a colon.
func inSet(m *mentioner, p *place, text string) {
	if name, isQuestion := strings.CutPrefix(text, ":"); isQuestion {
		m.says(p, "question", m.asks(), name, 1, len(text), true)
		return
	}
	inGroup(m, p, text)
}

// inVerdict is a condition on totals: count stands for how many records there are.
func inVerdict(m *mentioner, p *place, text string) {
	inGroup(m, p, text)
	p.mentions = slices.DeleteFunc(p.mentions, func(m placed) bool { return m.Name == "count" })
}

// inBraces is a text with questions in braces, of a period with its part.
func inBraces(m *mentioner, p *place, text string) {
	for _, at := range placeholder.FindAllStringSubmatchIndex(text, -1) {
		name, _, _ := strings.Cut(text[at[2]:at[3]], ".")
		if !slices.Contains(ownPlaceholders, name) && !(m.kind == "report" && slices.Contains(onPages, name)) {
			m.says(p, "question", m.asks(), name, at[2], at[2]+len(name), false)
		}
	}
}

// columnAlone is a column that is written as its value, which gives it its name.
func columnAlone(m *mentioner, p *place, text string) {
	var c Column
	c.setText(Text{Value: text})
	p.alone = true
	m.says(p, "column", "query "+m.query, c.Name, 0, len(text), false)
	p.mentions[0].Own = true
	inColumn(m, p, text)
}

// inKey is a key of a query's order: a column of the result, or else an expression.
func inKey(m *mentioner, p *place, text string) {
	_, by := sortKey(text)
	start := len(text) - len(strings.TrimLeftFunc(text, unicode.IsSpace))
	if !strings.HasPrefix(text[start:], by) { // blanks within it
		return
	}
	m.says(p, "column", "query "+m.query, by, start, start+len(by), false)
	e, _ := criteria.Parse(by)
	m.within(p, by, e, start, false)
}

func inSQL(m *mentioner, p *place, text string) {
	pieces, _ := sqltext.Split(text, m.flavour)
	for _, piece := range pieces {
		switch piece.Kind {
		case sqltext.Value:
			m.says(p, "question", m.asks(), piece.Text, piece.Start+1, piece.Start+1+len(piece.Text), true)
		case sqltext.Condition:
			e, _ := criteria.Parse(piece.Text)
			m.within(p, piece.Text, e, piece.Start+1, false)
		}
	}
}

// change writes a scalar with other text at bytes of its value.
func (p place) change(text string, changes []change) (string, error) {
	at, end, err := p.written(text)
	if err != nil {
		return "", err
	}
	value := p.node.Value
	if p.alone && changes[0].start == 0 && changes[0].end == len(value) {
		name := changes[0].to
		for _, c := range slices.Backward(changes[1:]) {
			value = value[:c.start] + c.to + value[c.end:]
		}
		return text[:p.start(text)] + "{name: " + Scalar(name) + ", value: " + Scalar(value) + "}" + text[end:], nil
	}
	whole := value
	inPlace := p.block() || !slices.ContainsFunc(changes, func(c change) bool {
		alone := c.start == 0 && c.end == len(value)
		return !simpleName.MatchString(c.to) || alone && Scalar(c.to) != c.to
	})
	for _, c := range slices.Backward(changes) {
		whole = whole[:c.start] + c.to + whole[c.end:]
		if inPlace {
			text = text[:at[c.start]] + c.to + text[at[c.end-1]+1:]
		}
	}
	if !inPlace {
		text = text[:p.start(text)] + Scalar(whole) + text[end:]
	}
	return text, nil
}

// block tells whether the scalar is a text of lines of its own.
func (p place) block() bool { return p.node.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0 }

// simpleName is a name that can stand in any scalar without quotes.
var simpleName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_-]*$`)

// start is where the scalar begins in the text of its document.
func (p place) start(text string) int {
	at := 0
	for range p.node.Line - 1 {
		at += strings.IndexByte(text[at:], '\n') + 1
	}
	for range p.node.Column - 1 {
		_, size := utf8.DecodeRuneInString(text[at:])
		at += size
	}
	return at
}

// written tells where each byte of a scalar's value that is no blank stands in the text,
// and where the scalar ends. Blanks may be written in other ways: a text in several lines
// is folded.
func (p place) written(text string) (at []int, end int, err error) {
	i := p.start(text)
	value := p.node.Value
	quote := byte(0)
	switch {
	case p.block():
		i += strings.IndexByte(text[i:], '\n') + 1
	case i < len(text) && (p.node.Style&(yaml.SingleQuotedStyle|yaml.DoubleQuotedStyle) != 0):
		quote = text[i]
		i++
	}
	at = make([]int, len(value))
	for j := 0; j < len(value); j++ {
		if isBlank(value[j]) {
			continue
		}
		for i < len(text) && isBlank(text[i]) {
			i++
		}
		if quote == '"' && i+1 < len(text) && text[i] == '\\' && (text[i+1] == '"' || text[i+1] == '\\') || quote == '\'' && strings.HasPrefix(text[i:], "''") {
			i++
		}
		if i >= len(text) || text[i] != value[j] {
			return nil, 0, fmt.Errorf("definition: %s in line %d is written in a way that cannot be changed in its place", strconv.Quote(value), p.node.Line)
		}
		at[j] = i
		i++
	}
	if quote != 0 {
		i += strings.IndexByte(text[i:], quote) + 1
	}
	return at, i, nil
}

func isBlank(c byte) bool { return c == ' ' || c == '\n' || c == '\t' || c == '\r' }

// plain are texts that need no quotes in YAML.
var plain = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_ .=:/-]*$`)

// Scalar is a text as YAML holds it anywhere, in quotes where it needs them.
func Scalar(text string) string {
	switch strings.ToLower(text) {
	case "true", "false", "null", "yes", "no", "on", "off", "y", "n", "":
	default:
		if plain.MatchString(text) && !strings.Contains(text, ": ") && !strings.HasSuffix(text, ":") && strings.TrimSpace(text) == text {
			return text
		}
	}
	quoted, err := json.Marshal(text)
	if err != nil { // a text can always be written
		panic(err)
	}
	return string(quoted)
}
