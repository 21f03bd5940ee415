// Package definition is what an author writes: YAML documents that describe
// queries and reports. The structs below are the format: their tags give the
// names, the descriptions and the allowed words, and both the reader
// (decode.go) and the JSON Schema (schema.go) are made from them.
package definition

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/format"
	"pikegate/core/parameter"
)

// Document is one definition.
type Document interface {
	// Ident is the kind and name.
	Ident() (kind, name string)
	// Heading is the title and what it is about.
	Heading() (title, about string)
	// Place is the folder it lies in, blank for the topmost.
	Place() string
	// Raw is the document as it was written.
	Raw() string

	setRaw(text string)
}

// Text is a text of a document that remembers its place, for the languages
// that are written inside it.
type Text struct {
	Value string
	// Line is the line of the document's file its first character is on, from 1.
	Line int
}

// Plain is a text that remembers its place and is in none of these languages.
type Plain Text

// Head is what every definition begins with.
type Head struct {
	Kind  string `yaml:"kind" doc:"What is defined" example:"query" required:"true"`
	Name  string `yaml:"name" doc:"Lower-case words joined by dashes" example:"lock-passages" required:"true"`
	Title string `yaml:"title" doc:"What people read" example:"Lock passages"`
	About string `yaml:"about" doc:"One or two sentences about it" example:"Every vessel that went through a lock."`
	// Folder decides who may see and change it.
	Folder string `yaml:"folder" doc:"Where it lies: names joined by slashes; people are given rights by folder" example:"dues/monthly"`

	raw string
}

// Raw is the document as it was written.
func (h *Head) Raw() string { return h.raw }

func (h *Head) setRaw(text string) { h.raw = text }

// Ident is the kind and name.
func (h Head) Ident() (kind, name string) { return h.Kind, h.Name }

// Place is the folder it lies in, blank for the topmost.
func (h Head) Place() string { return h.Folder }

// Heading is the title, or the name where there is none, and what it is about.
func (h Head) Heading() (title, about string) {
	if h.Title == "" {
		return Labelled(h.Name), h.About
	}
	return h.Title, h.About
}

// Query says which records to read and what to ask for.
type Query struct {
	Head   `yaml:",inline"`
	Source string   `yaml:"source" doc:"The source the tables are in" example:"navigation" required:"true"`
	From   string   `yaml:"from" doc:"The table whose records are returned" example:"passages"`
	Joins  []Join   `yaml:"joins" doc:"Tables that add columns"`
	Union  []string `yaml:"union" doc:"Queries whose records are put below each other, instead of from; their questions are asked once" example:"tolls-2024"`
	// SQL takes the place of From and Joins. Tables are those its criteria()
	// stands among, by the names they have there.
	SQL        Text              `yaml:"sql" doc:"A hand-written query instead of from and joins; criteria() stands for the criteria, :name for an answer" example:"select lock_id, count(*) as passages from passages p where criteria() group by lock_id"`
	Tables     map[string]string `yaml:"tables" doc:"The tables the criteria of hand-written SQL may name, by the names they have in it" example:"passages"`
	Parameters []Question        `yaml:"parameters" doc:"What is asked at run time"`
	Rules      []Rule            `yaml:"rules" doc:"Conditions across the answers"`
	Columns    []Column          `yaml:"columns" doc:"What is returned, in this order; all columns of the table, or of the SQL, when left out"`
	Distinct   bool              `yaml:"distinct" doc:"Returns each different row once; a column count tells how many records it stands for" example:"true"`
	Criteria   Text              `yaml:"criteria" doc:"Which records match" example:"passed_at within :period"`
	Beside     Beside            `yaml:"beside" doc:"Has the values of another period stand beside those of the one asked for, with difference and change in percent"`
	Unfit      string            `yaml:"unfit" doc:"What becomes of records whose dates are not stored as their column stores dates: left out, and counted, unless the run is to be refused" enum:"leave-out,refuse"`
	Calendar   string            `yaml:"calendar" doc:"The calendar whose working days and periods it names" example:"waterway"`
	Sort       []Text            `yaml:"sort" doc:"In which order: a column, then ascending or descending, then perhaps blanks first" example:"passed_at descending"`
}

// Join adds a table.
type Join struct {
	Table    string `yaml:"table" doc:"The table to add" example:"locks" required:"true"`
	As       string `yaml:"as" doc:"Its name in this query, when it is not the table's own" example:"l"`
	Optional bool   `yaml:"optional" doc:"Keeps records that have no match in this table" example:"true"`
	On       Text   `yaml:"on" doc:"Which of its records belong to a record" example:"passages.lock_id = locks.id" required:"true"`
}

// Alias is the join's name in the query.
func (j Join) Alias() string {
	if j.As != "" {
		return j.As
	}
	return catalog.Unqualified(j.Table)
}

// Column is one column of the result.
type Column struct {
	Name   string `yaml:"name" doc:"Its name in the result" example:"lock"`
	Value  Text   `yaml:"value" doc:"A column, a value made of columns, or an aggregate such as count or sum of toll" example:"locks.name" required:"true"`
	Label  string `yaml:"label" doc:"What people read above it" example:"Lock"`
	Format string `yaml:"format" doc:"How values are shown: numbers as plain, money with two places, hours as 27 h 45 min or minutes as 12 min 30 s; dates as short, medium, long or full; either by a pattern of the Unicode CLDR" example:"#,##0.00"`
	// Words stand in the place of values that have none.
	Words    format.Words `yaml:"words" doc:"What stands for yes, no and nothing"`
	Emphasis Highlights   `yaml:"emphasis" doc:"When its values are made to stand out, and how; the first that holds counts"`
	// Encoding is of what hand-written SQL returns alone.
	Encoding string `yaml:"encoding" doc:"How the dates in a column of hand-written SQL are stored" example:"unix-s"`
}

// Highlight makes values stand out, by more than a colour.
type Highlight struct {
	When Text   `yaml:"when" doc:"A condition on the columns of the result" example:"toll > 15" required:"true"`
	As   string `yaml:"as" doc:"How: strong letters, or quiet ones; good, warning and bad have a colour and a mark as well" enum:"strong,quiet,good,warning,bad" required:"true"`
	// Columns is of reports alone.
	Columns []string `yaml:"columns" doc:"In a report, which columns; the whole record when left out" example:"toll"`
}

// Highlights is a list of them, or one by itself.
type Highlights []Highlight

func (h *Highlights) alone() {}

// setText lets a column be written as its value alone.
func (c *Column) setText(t Text) {
	c.Value = t
	c.Name = t.Value
	if column, ok := c.plain(); ok {
		c.Name = column.Name
	}
}

// plain is the column that is shown as it is; false for a value that is made of some.
func (c Column) plain() (*criteria.Column, bool) {
	e, _ := criteria.Parse(c.Value.Value)
	column, ok := e.(*criteria.Column)
	return column, ok
}

// Heading is the label, or the name in words.
func (c Column) Heading() string {
	if c.Label != "" {
		return c.Label
	}
	return Labelled(c.Name)
}

// Question is one parameter: written out, or a shared one by its name.
type Question struct {
	Use           string  `yaml:"use" doc:"The name of a shared parameter to use" example:"region"`
	Name          string  `yaml:"name" doc:"Its name in the criteria, after a colon" example:"period"`
	Kind          string  `yaml:"kind" doc:"What is asked for" enum:"period,date,date-time,text,integer,decimal,yes-no"`
	Label         string  `yaml:"label" doc:"What people read" example:"Passage dates"`
	Help          string  `yaml:"help" doc:"A sentence beneath it" example:"Both days count in full."`
	Required      bool    `yaml:"required" doc:"Whether an answer is needed" example:"true"`
	Many          bool    `yaml:"many" doc:"Whether several answers can be given" example:"true"`
	Default       Texts   `yaml:"default" doc:"What no answer means" example:"last month"`
	Limits        Limits  `yaml:"limits" doc:"What an answer must keep to"`
	Choices       Choices `yaml:"choices" doc:"What an answer is chosen from"`
	WhenBlank     string  `yaml:"when_blank" doc:"What a question left blank means: skip takes its condition away, match_blank asks for records that are blank there" enum:"skip,match_blank"`
	IncludeBlanks bool    `yaml:"include_blanks" doc:"Whether records that are blank there match whatever the answer" example:"true"`
	Shown         string  `yaml:"shown" doc:"Whether it is asked, shown with its default but not changeable, or not shown" enum:"asked,stated,hidden"`
	Derive        Text    `yaml:"derive" doc:"Works the value out from other questions instead of asking" example:":period - 1 year"`
}

// Texts is one text or a list of them.
type Texts []string

func (t *Texts) setText(text Text) { *t = Texts{text.Value} }

// Limits is what an answer must keep to.
type Limits struct {
	Earliest   string `yaml:"earliest" doc:"Nothing before the start of this" example:"2023-01-01"`
	Latest     string `yaml:"latest" doc:"Nothing after the end of this" example:"today"`
	Longest    string `yaml:"longest" doc:"The longest a period may be, or how many characters a text may have" example:"400 days"`
	Shortest   string `yaml:"shortest" doc:"The shortest a period may be" example:"7 days"`
	Whole      Plain  `yaml:"whole" doc:"Only whole units of this are taken: day, week, month, quarter, half, year, fiscal week, fiscal period, fiscal quarter, fiscal year, or a period of the calendar" example:"month"`
	Ends       string `yaml:"ends" doc:"Which sides of a period may be left open" enum:"closed,open-start,open-end,open"`
	Pattern    string `yaml:"pattern" doc:"A regular expression (RE2) the whole text must match" example:"TW-[0-9]{4}"`
	Least      string `yaml:"least" doc:"The least a number may be" example:"0"`
	Most       string `yaml:"most" doc:"The most a number may be" example:"1000"`
	Places     string `yaml:"places" doc:"How many decimal places a number may have" example:"2"`
	Fewest     string `yaml:"fewest" doc:"How many answers are needed" example:"1"`
	MostChosen string `yaml:"most_chosen" doc:"How many answers are allowed" example:"10"`
}

// Choices is what an answer is chosen from: listed, the values of a column,
// or the rows of another query.
type Choices struct {
	Listed []Choice `yaml:"listed" doc:"The answers, written out"`
	Column string   `yaml:"column" doc:"The values that occur in TABLE.COLUMN" example:"locks.name"`
	Where  Text     `yaml:"where" doc:"Which records the values are taken from, besides the query's own criteria" example:"locks.closed_on is blank"`
	Query  string   `yaml:"query" doc:"A query whose rows are the choices" example:"open-locks"`
	Value  string   `yaml:"value" doc:"The column of that query with the answers" example:"name"`
	Label  string   `yaml:"label" doc:"The column of that query that people read instead" example:"title"`
}

// Choice is one listed answer.
type Choice struct {
	Value string `yaml:"value" doc:"What it means" required:"true" example:"up"`
	Label string `yaml:"label" doc:"What people read" example:"Upstream"`
}

func (c *Choice) setText(t Text) { c.Value = t.Value }

// Rule is a condition across the answers.
type Rule struct {
	Rule    Text   `yaml:"rule" doc:"A condition on questions that must hold" required:"true" example:":paid_by >= :period.from"`
	Message string `yaml:"message" doc:"What to say when it does not" required:"true" example:"Payment cannot be due before the period."`
	Hint    string `yaml:"hint" doc:"A way out" example:"Give a later day."`
}

// SharedParameter is a question that several queries use.
type SharedParameter struct {
	Head      `yaml:",inline"`
	Parameter Question `yaml:"parameter" doc:"The question; its name is the document's" required:"true"`
}

// Source says what is known of a source beyond its connection: how the dates in
// it are stored. Where the database is and how to enter it is no part of it.
type Source struct {
	Head      `yaml:",inline"`
	Encodings map[string]string             `yaml:"encodings" doc:"How dates are stored, by TABLE.COLUMN" example:"ymd"`
	Files     map[string]catalog.FileFormat `yaml:"files" doc:"How the text files of a folder are written, by table, where that is not left to be found"`
}

// Criterion is a named condition that several queries use.
type Criterion struct {
	Head       `yaml:",inline"`
	On         string     `yaml:"on" doc:"The table it is about; bare names in it are columns of this table" example:"locks" required:"true"`
	Parameters []Question `yaml:"parameters" doc:"What it asks; a query that uses it asks this too"`
	Criteria   Text       `yaml:"criteria" doc:"The condition" example:"closed_on is blank" required:"true"`
}

// Report is what people see of a query.
type Report struct {
	Head     `yaml:",inline"`
	Query    string            `yaml:"query" doc:"The query it shows" example:"lock-passages" required:"true"`
	Tags     []string          `yaml:"tags" doc:"Words to find it by" example:"traffic"`
	Ask      []Asked           `yaml:"ask" doc:"Order and wording of the questions; those not named come after"`
	Set      map[string]string `yaml:"set" doc:"Questions the report answers itself, and the answers" example:"upstream"`
	Calendar civil.Settings    `yaml:"calendar" doc:"How dates are read in this report, where not as the service reads them"`
	Language string            `yaml:"language" doc:"The language numbers are typed in, and numbers and dates are shown in; when left out, that of whoever reads them, and in files digits and dates as ISO 8601 has them" example:"de"`
	Columns  []string          `yaml:"columns" doc:"Which of the query's columns, in which order; all of them when left out"`
	Emphasis Highlights        `yaml:"emphasis" doc:"Which records, or which of their columns, are made to stand out; the first that holds counts"`
	Groups   []Group           `yaml:"groups" doc:"What the records are put together by, from the outside in"`
	Totals   []Text            `yaml:"totals" doc:"What is made of all records: count, or sum, average, least, greatest or count distinct of a column" example:"sum of toll"`
	Across   Across            `yaml:"across" doc:"Shows a table of what is made of the records: a line for each of the groups, and a column for each value of this"`
	Chart    Chart             `yaml:"chart" doc:"A drawing of the records"`
	Links    []Link            `yaml:"links" doc:"Columns that lead to other reports, with answers filled in from the record"`
	Page     Page              `yaml:"page" doc:"The paper it is printed on"`
	Unfit    string            `yaml:"unfit" doc:"As in the query, where the report is stricter than that" enum:"leave-out,refuse"`
	CSV      catalog.CSVFormat `yaml:"csv" doc:"How its CSV is written, where not as whoever takes it likes it"`
	Guard    bool              `yaml:"guard" doc:"Whether texts that a spreadsheet would take for formulas get an apostrophe before them in CSV" example:"true"`
	Examples []Example         `yaml:"examples" doc:"Promises that are kept: answers, and what must be found with them"`
}

// Across is what stands along the top of a table whose lines are groups.
type Across struct {
	By    Text   `yaml:"by" doc:"A column of the result, or a value made of them" example:"month of passed_at" required:"true"`
	Of    []Text `yaml:"of" doc:"What is made of the records of each cell; how many they are when left out" example:"sum of toll"`
	Empty string `yaml:"empty" doc:"What stands in a cell without records: zero, or a gap; when left out, zero for counts and sums" enum:"zero,gap"`
	// Emphasis is of cells; its columns stay blank.
	Emphasis Highlights `yaml:"emphasis" doc:"Which cells are made to stand out, by conditions on totals of their records such as sum of toll > 1000; the first that holds counts"`
	Link     Target     `yaml:"link" doc:"The report that a cell leads to; answers are taken from the groups and from what stands along the top, as they are written there"`
}

func (a *Across) setText(t Text) { a.By = t }

// Target is another report, and answers to its questions.
type Target struct {
	Report string            `yaml:"report" doc:"The report it leads to" example:"passages-by-date"`
	Set    map[string]string `yaml:"set" doc:"The answers there, by question: the value of a column of the result, or the answer to a question of this report, after a colon" example:"lock"`
}

// Link has a column lead to another report.
type Link struct {
	On     string `yaml:"on" doc:"The column of the result, also where records are grouped by it" example:"lock" required:"true"`
	Target `yaml:",inline"`
}

// Chart draws what is made of the records; the zero value draws nothing.
type Chart struct {
	Kind   string `yaml:"kind" doc:"What is drawn" enum:"bars,lines,areas,points" required:"true"`
	X      Text   `yaml:"x" doc:"What stands along the bottom: a column of the result, or a value made of them" example:"month of passed_at" required:"true"`
	Y      Text   `yaml:"y" doc:"What is drawn: count, or sum, average, least, greatest or count distinct of a column" example:"sum of toll" required:"true"`
	Also   []Text `yaml:"also" doc:"Further values, drawn beside it" example:"average of toll"`
	Second []Text `yaml:"second" doc:"Further values, drawn against an axis of their own at the right" example:"count"`
	Split  Text   `yaml:"split" doc:"What tells several lines, or parts of a bar, apart" example:"lock"`
	Panels Text   `yaml:"panels" doc:"What has a drawing of its own for each of its values, all with the same scales" example:"region"`
	Beside bool   `yaml:"beside" doc:"Whether bars, or areas, stand beside each other instead of on top" example:"true"`
	Link   Target `yaml:"link" doc:"The report that a mark leads to"`
	Empty  string `yaml:"empty" doc:"What stands for a month, or another unit of time, without records: zero, or a gap; when left out, zero for counts and sums" enum:"zero,gap"`
}

// Page is the paper a report is printed on.
type Page struct {
	Size      string `yaml:"size" doc:"The paper, A4 when left out" enum:"A3,A4,A5,letter,legal"`
	Landscape bool   `yaml:"landscape" doc:"Whether the long side is at the bottom" example:"true"`
	Title     string `yaml:"title" doc:"What stands at the top, instead of the report's title; questions in braces are replaced by their answers" example:"Tolls {period}"`
	Subtitle  string `yaml:"subtitle" doc:"A line beneath it" example:"Read on {as_of}"`
	Footer    string `yaml:"footer" doc:"What stands at the foot of every page" example:"Tarn and Wold Navigation, page {page} of {pages}"`
	Notes     string `yaml:"notes" doc:"What is to be said beneath the records, in Markdown" example:"Tolls are those of the *lock book*."`
	// Chart and ReadBack are where they stand, if they do.
	Chart    string `yaml:"chart" doc:"Where the chart stands: before the records when left out" enum:"before,after,none"`
	ReadBack string `yaml:"readback" doc:"Whether what was selected stands beneath the title in words" enum:"shown,hidden"`
}

// papers are the sizes of paper in millimetres, upright; source: ISO 216 and
// ANSI/ASME Y14.1.
var papers = map[string][2]float64{
	"A3": {297, 420}, "A4": {210, 297}, "A5": {148, 210}, "letter": {215.9, 279.4}, "legal": {215.9, 355.6},
}

// Millimetres is how wide and high the paper lies.
func (p Page) Millimetres() (width, height float64) {
	size, ok := papers[p.Size]
	if !ok {
		size = papers["A4"]
	}
	if p.Landscape {
		return size[1], size[0]
	}
	return size[0], size[1]
}

// Example is answers, and what must be found with them.
type Example struct {
	Ask    map[string]Given `yaml:"ask" doc:"The answers by question: a text, a list of texts, or for a period also start and end"`
	AsOf   string           `yaml:"as_of" doc:"The day taken for today; without it the promise may change from day to day" example:"2025-04-02"`
	As     As               `yaml:"as" doc:"Who asks, where row rules decide what they find; when left out, somebody who sees every row"`
	Expect Expected         `yaml:"expect" doc:"What must come of it" required:"true"`
}

// As is somebody who asks in an example.
type As struct {
	Groups     []string         `yaml:"groups" doc:"The groups they are in" example:"keepers"`
	Attributes map[string]Texts `yaml:"attributes" doc:"Their attributes" example:"Upper Tarn"`
}

// Expected is what must come of an example; what is left out may be anything.
type Expected struct {
	Rows    string `yaml:"rows" doc:"How many records" example:"3127"`
	First   string `yaml:"first" doc:"The earliest date among them, or its day" example:"2025-03-01"`
	Last    string `yaml:"last" doc:"The latest date among them, or its day" example:"2025-03-31"`
	Refused string `yaml:"refused" doc:"The code of a problem the answers must be refused with" example:"end_before_start"`
}

// Given is an answer: one text or several, or the two ends of a period.
type Given struct {
	Texts []string `yaml:"-"`
	Start string   `yaml:"start" doc:"The first day of a period" example:"2025-03-01"`
	End   string   `yaml:"end" doc:"The last day of a period, which counts in full" example:"2025-03-31"`
}

// Input is the answer as people give it to a run.
func (g Given) Input() parameter.Input {
	in := parameter.Typed(g.Texts...)
	in.None = g.Texts != nil && len(g.Texts) == 0
	if g.Start != "" {
		in.Start = &g.Start
	}
	if g.End != "" {
		in.End = &g.End
	}
	return in
}

func (g *Given) setText(t Text)          { g.Texts = []string{t.Value} }
func (g *Given) setTexts(texts []string) { g.Texts = texts }

// Group puts records together.
type Group struct {
	By     Text   `yaml:"by" doc:"A column of the result, or a value made of them" example:"month of passed_at" required:"true"`
	Totals []Text `yaml:"totals" doc:"What is made of the records of each group" example:"count"`
	Head   bool   `yaml:"head" doc:"Whether a line with what its records have in common stands before them" example:"true"`
	Once   bool   `yaml:"once" doc:"Whether its column is shown in the first record of a group alone" example:"true"`
	Page   bool   `yaml:"page" doc:"Whether each group begins a page, on paper" example:"true"`
}

func (g *Group) setText(t Text) { g.By = t }

// Asked is one question as this report asks it.
type Asked struct {
	Name    string   `yaml:"-"`
	Label   string   `yaml:"label" doc:"What people read here" example:"Which days?"`
	Help    string   `yaml:"help" doc:"A sentence beneath it" example:"Both days count in full."`
	Quick   []string `yaml:"quick" doc:"Answers offered for a click" example:"last month"`
	Default Texts    `yaml:"default" doc:"What no answer means here" example:"last month"`
}

func (a *Asked) setText(t Text)       { a.Name = t.Value }
func (a *Asked) setKeyed(name string) { a.Name = name }

// Parameter is the question as the parameter package reads it.
func (q Question) Parameter() parameter.Parameter {
	l, c := q.Limits, q.Choices
	p := parameter.Parameter{
		Name: q.Name, Label: q.Label, Help: q.Help, Kind: parameter.Kind(q.Kind),
		Many: q.Many, Required: q.Required, Default: q.Default,
		WhenBlank: q.WhenBlank, IncludeBlanks: q.IncludeBlanks, Shown: parameter.Shown(q.Shown), Derive: q.Derive.Value,
		Limits: parameter.Limits{
			Earliest: l.Earliest, Latest: l.Latest, Longest: l.Longest, Shortest: l.Shortest,
			Whole: l.Whole.Value, Ends: parameter.Ends(l.Ends), Pattern: l.Pattern, Least: l.Least, Most: l.Most, Places: l.Places,
			Fewest: l.Fewest, MostChosen: l.MostChosen,
		},
		Choices: parameter.Choices{Column: c.Column, Query: c.Query, Value: c.Value, Label: c.Label},
	}
	if p.Label == "" {
		p.Label = Labelled(q.Name)
	}
	if p.Kind == parameter.Period && p.Limits.Ends == "" {
		p.Limits.Ends = parameter.EndsClosed
	}
	for _, listed := range c.Listed {
		p.Choices.Listed = append(p.Choices.Listed, parameter.Choice{Value: listed.Value, Label: listed.Label})
	}
	return p
}

// Questions are the query's questions as the report asks them, and the ones
// it answers itself.
func (r Report) Questions(q Query) (asked, set []parameter.Parameter) {
	byName := map[string]parameter.Parameter{}
	var order []string
	for _, a := range r.Ask {
		order = append(order, a.Name)
	}
	for _, question := range q.Parameters {
		if question.Name == "" {
			continue // a shared one that is not here
		}
		byName[question.Name] = question.Parameter()
		order = append(order, question.Name)
	}
	for _, a := range r.Ask {
		p := byName[a.Name]
		if a.Label != "" {
			p.Label = a.Label
		}
		if a.Help != "" {
			p.Help = a.Help
		}
		if a.Default != nil {
			p.Default = a.Default
		}
		p.Quick = a.Quick
		byName[a.Name] = p
	}
	for _, name := range order {
		p, open := byName[name]
		if !open {
			continue // asked before
		}
		delete(byName, name)
		if _, fixed := r.Set[name]; fixed {
			set = append(set, p)
		} else {
			asked = append(asked, p)
		}
	}
	return asked, set
}

// Labelled makes a label of a name, or of an expression: paid_on is "Paid on". The quotes
// of an odd name are no part of it.
func Labelled(name string) string {
	var room [64]byte
	text := room[:0]
	for i := 0; i < len(name); i++ {
		switch c := name[i]; {
		case c == '_' || c == '-':
			text = append(text, ' ')
		case c != '"':
			text = append(text, c)
		case strings.HasPrefix(name[i:], `""`): // a quote in an odd name is doubled
			text = append(text, c)
			i++
		}
	}
	first, size := utf8.DecodeRune(text)
	upper := unicode.ToUpper(first)
	switch {
	case size == 0 || upper == first:
	case size == 1 && upper < utf8.RuneSelf:
		text[0] = byte(upper)
	default:
		return string(upper) + string(text[size:])
	}
	return string(text)
}

// GivenOf is an input as it stands in a document.
func GivenOf(in parameter.Input) Given {
	g := Given{Texts: in.Texts}
	if in.None {
		g.Texts = []string{}
	}
	if in.Start != nil {
		g.Start = *in.Start
	}
	if in.End != nil {
		g.End = *in.End
	}
	return g
}
