// Package begin makes a whole, working query and report of a table: its columns, what its
// foreign keys lead to, a question for a period on the date that fits best, the newest
// records first. An author goes on from there.
package begin

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
)

// Wanted is what is made, and what is known besides the catalogue.
type Wanted struct {
	Source *catalog.Source
	Table  string
	// On is the date asked about, the one that fits best when left out.
	On string
	// Held is what is known of the dates of the table, by column.
	Held map[string]Held
	// Taken tells whether there is a definition of that name already.
	Taken func(name string) bool
	Today civil.Date
}

// Held is what a column with dates holds.
type Held struct {
	// Known tells that Earliest and Latest are.
	Known            bool
	Earliest, Latest civil.Date
	Blank, Records   int64
}

// Made is a query and its report.
type Made struct {
	Name string `json:"name" doc:"The name of both"`
	// Content are the two documents.
	Content string `json:"content" doc:"The query and the report, as YAML"`
	Dates   []Date `json:"dates" doc:"The dates that can be asked about, the one that fits best first"`
	// LeftOut are columns that did not fit on the page.
	LeftOut []string `json:"left_out" doc:"Columns of the table that were left out"`
	// Questions are those that take the place of values in a statement.
	Questions []Proposal `json:"questions,omitempty" doc:"The questions that take the place of values in the statement"`
}

// Date is a date that can be asked about.
type Date struct {
	Column string `json:"column"`
	Asked  bool   `json:"asked" doc:"Whether it is the one asked about"`
	Why    string `json:"why" doc:"What speaks for it, and against it"`

	fits int
}

// MostColumns is how many columns a report begins with.
const MostColumns = 20

// Report makes the documents, or says why it cannot.
func Report(w Wanted) (Made, diag.Problems) {
	table, ok := w.Source.Table(w.Table)
	if !ok {
		return Made{}, diag.Problems{{Code: "unknown_table", Field: "table", Message: fmt.Sprintf("There is no table %s in %s.", w.Table, w.Source.Name), Hint: diag.DidYouMean(w.Table, w.Source.TableNames())}}
	}
	if len(table.Columns) == 0 {
		return Made{}, diag.Problems{{Code: "no_columns", Field: "table", Message: fmt.Sprintf("%s has no columns.", table.Name), Hint: "Choose another table."}}
	}
	m := maker{Wanted: w, table: table}
	made := Made{Name: m.name(), Dates: m.dates(), LeftOut: []string{}}
	at := 0
	if w.On != "" {
		at = slices.IndexFunc(made.Dates, func(d Date) bool { return strings.EqualFold(d.Column, w.On) })
		if at < 0 {
			var names []string
			for _, d := range made.Dates {
				names = append(names, d.Column)
			}
			p := diag.Problem{Code: "unknown_column", Field: "on", Message: fmt.Sprintf("%s has no date %s.", table.Name, w.On), Hint: diag.DidYouMean(w.On, names)}
			if p.Hint == "" && len(names) > 0 {
				p.Hint = "Take " + strings.Join(names, " or ") + "."
			}
			return Made{}, diag.Problems{p}
		}
	}
	var on *catalog.Column
	if at < len(made.Dates) {
		made.Dates[at].Asked = true
		on = column(table, made.Dates[at].Column)
	}
	m.columns(on)
	made.LeftOut = append(made.LeftOut, m.leftOut...)
	content, problems := definition.Format("", []byte(m.query(made.Name, on)+"---\n"+m.report(made.Name, on)))
	made.Content = string(content)
	return made, problems
}

type maker struct {
	Wanted
	table   catalog.Table
	joins   []string
	shown   []string
	leftOut []string
}

func column(t catalog.Table, name string) *catalog.Column {
	i := slices.IndexFunc(t.Columns, func(c catalog.Column) bool { return strings.EqualFold(c.Name, name) })
	return &t.Columns[i]
}

// name is that of the table as definitions are named, and a number where it is taken.
func (m *maker) name() string {
	name := kebab(m.table.Name)
	if m.Taken == nil {
		return name
	}
	return free(name, "-", m.Taken)
}

// free is a name, with a number after it where it is taken.
func free(name, joint string, taken func(name string) bool) string {
	made := name
	for n := 2; taken(made); n++ {
		made = fmt.Sprintf("%s%s%d", name, joint, n)
	}
	return made
}

// names are those that are taken, whatever their case.
type names map[string]bool

func (n names) has(name string) bool { return n[strings.ToLower(name)] }

// take gives a name, or one like it that is not taken.
func (n names) take(name string) string {
	made := free(name, "_", n.has)
	n[strings.ToLower(made)] = true
	return made
}

// kebab writes a name in lower-case words joined by dashes.
func kebab(name string) string {
	var b strings.Builder
	var before rune
	for _, r := range name {
		switch {
		case r < unicode.MaxASCII && (unicode.IsLetter(r) || unicode.IsDigit(r)):
			if unicode.IsUpper(r) && unicode.IsLower(before) {
				b.WriteByte('-')
			}
			b.WriteRune(unicode.ToLower(r))
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
		before = r
	}
	made := strings.TrimLeft(strings.Trim(b.String(), "-"), "0123456789-")
	if made == "" {
		return "records"
	}
	return made
}

// upkeep are words of columns that say when a record was kept, not when something
// happened; events those of columns that do.
var (
	upkeep = regexp.MustCompile(`(?i)(^|_)(created|updated|modified|changed|inserted|deleted|imported|loaded|synced|exported|touched|last|row|etl|sys)(_|$|at$|on$)|(Created|Updated|Modified|Changed|Inserted|Deleted|Imported|Loaded)`)
	events = regexp.MustCompile(`(?i)(_on|_at|_date|_day|_time)$|^(date|day|time|when)$|date$`)
	birth  = regexp.MustCompile(`(?i)birth|_until$|_to$|^(valid|opened|closed|end|expir)`)
)

// dates are those that can be asked about, the one that fits best first.
func (m *maker) dates() []Date {
	out := []Date{}
	for i, c := range m.table.Columns {
		if !c.Type.IsDate() {
			continue
		}
		d := Date{Column: c.Name, fits: -i}
		var said []string
		say := func(points int, words string) {
			d.fits += points
			said = append(said, words)
		}
		if slices.ContainsFunc(m.table.Indexes, func(x catalog.Index) bool { return len(x.Columns) > 0 && strings.EqualFold(x.Columns[0], c.Name) }) {
			say(300, "an index serves it")
		}
		switch {
		case upkeep.MatchString(c.Name):
			say(-500, "named like a record's upkeep")
		case events.MatchString(c.Name) && !birth.MatchString(c.Name):
			say(200, "named like an event")
		}
		if h, known := m.Held[c.Name]; known && h.Records > 0 {
			switch share := h.Blank * 100 / h.Records; {
			case h.Blank == 0:
				say(100, "never blank")
			case h.Blank == h.Records:
				say(-1000, "always blank")
			default:
				say(-int(share)*4, fmt.Sprintf("blank in %d of 100 records", max(share, 1)))
			}
		} else if c.Nullable {
			say(-50, "may be blank")
		}
		if c.Unfit > 0 {
			say(-100, fmt.Sprintf("%d values are no dates", c.Unfit))
		}
		d.Why = strings.Join(said, "; ")
		out = append(out, d)
	}
	slices.SortStableFunc(out, func(a, b Date) int { return b.fits - a.fits })
	return out
}

// columns takes the columns of the table, those that name a record of another table as
// what that record is called; the key and the date asked about are among them however
// many there are.
func (m *maker) columns(on *catalog.Column) {
	shown, aliases := names{}, names{}
	aliases.take(m.table.Own())
	room := MostColumns
	for _, c := range m.table.Columns {
		if m.must(c, on) {
			room--
		}
	}
	for _, c := range m.table.Columns {
		if c.Bytes {
			m.leftOut = append(m.leftOut, c.Name)
			continue
		}
		if !m.must(c, on) {
			if room <= 0 {
				m.leftOut = append(m.leftOut, c.Name)
				continue
			}
			room--
		}
		if reference, other, called := m.leads(c); called != nil {
			name := strings.TrimRight(pointing.ReplaceAllString(c.Name, ""), "_")
			if name == "" {
				name = other.Own()
			}
			alias := catalog.Unqualified(other.Name)
			if aliases.has(alias) {
				alias = name
			}
			alias = aliases.take(alias)
			m.joins = append(m.joins, m.join(c, reference, other, alias))
			m.shown = append(m.shown, fmt.Sprintf("  - {name: %s, value: %s}\n", definition.Scalar(shown.take(name)), definition.Scalar(written(alias, called.Name))))
			continue
		}
		format := ""
		if isMoney(c) {
			format = ", format: money"
		}
		if name := shown.take(c.Name); name != c.Name || format != "" {
			m.shown = append(m.shown, fmt.Sprintf("  - {name: %s, value: %s%s}\n", definition.Scalar(name), definition.Scalar(written(m.ambiguous(c.Name), c.Name)), format))
		} else {
			m.shown = append(m.shown, "  - "+definition.Scalar(written(m.ambiguous(c.Name), c.Name))+"\n")
		}
	}
}

// ofMoney are names of columns that hold money.
var ofMoney = regexp.MustCompile(`(?i)(^|_)(amounts?|balance|budget|charges?|costs?|fares?|fees?|gross|net|prices?|revenue|salary|tax|tolls?|total)($|_)`)

// isMoney tells whether a column is shown with two places, by its type and its name: sums of
// whole numbers may be of hundredths.
func isMoney(c catalog.Column) bool { return c.Type == catalog.Decimal && ofMoney.MatchString(c.Name) }

// must tells whether a column belongs to the report however many there are.
func (m *maker) must(c catalog.Column, on *catalog.Column) bool {
	return on != nil && c.Name == on.Name || slices.Contains(m.table.Key, c.Name)
}

// ambiguous is the table's name where a column of another one has the name as well.
func (m *maker) ambiguous(name string) string {
	for _, c := range m.table.Columns {
		if _, other, called := m.leads(c); called != nil && slices.ContainsFunc(other.Columns, func(o catalog.Column) bool { return strings.EqualFold(o.Name, name) }) {
			return m.table.Own()
		}
	}
	return ""
}

// pointing is what ends the name of a column that names a record of another table.
var pointing = regexp.MustCompile(`(?i)(_?id|_?no|_?nr|_?key)$`)

// callings are the columns by which people call a record.
var callings = []string{"name", "title", "label", "full_name", "display_name", "description", "code", "number"}

// leads tells which record of another table a column names, and the column that tells
// people which one it is; nil where it names none.
func (m *maker) leads(c catalog.Column) (reference catalog.Reference, other catalog.Table, called *catalog.Column) {
	for _, r := range m.table.References {
		if len(r.Columns) != 1 || len(r.To) != 1 || !strings.EqualFold(r.Columns[0], c.Name) {
			continue
		}
		t, ok := m.Source.Table(r.Table)
		if !ok {
			continue
		}
		isText := func(c catalog.Column) bool { return c.Type == catalog.Text && !c.Bytes }
		for _, calling := range callings {
			if i := slices.IndexFunc(t.Columns, func(c catalog.Column) bool {
				return isText(c) && (strings.EqualFold(c.Name, calling) || strings.EqualFold(c.Name, catalog.Unqualified(t.Name)+"_"+calling))
			}); i >= 0 {
				return r, t, &t.Columns[i]
			}
		}
		if i := slices.IndexFunc(t.Columns, func(c catalog.Column) bool {
			return isText(c) && !c.Nullable && !slices.Contains(t.Key, c.Name)
		}); i >= 0 {
			return r, t, &t.Columns[i]
		}
	}
	return reference, other, nil
}

func (m *maker) join(c catalog.Column, r catalog.Reference, other catalog.Table, alias string) string {
	out := "  - table: " + definition.Scalar(other.Name) + "\n"
	if alias != catalog.Unqualified(other.Name) {
		out += "    as: " + definition.Scalar(alias) + "\n"
	}
	if c.Nullable {
		out += "    optional: true\n"
	}
	return out + "    on: " + definition.Scalar(written(m.table.Own(), c.Name)+" = "+written(alias, r.To[0])) + "\n"
}

func (m *maker) query(name string, on *catalog.Column) string {
	var b strings.Builder
	fmt.Fprintf(&b, "kind: query\nname: %s\ntitle: %s\nsource: %s\nfrom: %s\n", name, definition.Scalar(definition.Labelled(m.table.Own())), definition.Scalar(m.Source.Name), definition.Scalar(m.table.Name))
	if len(m.joins) > 0 {
		b.WriteString("joins:\n" + strings.Join(m.joins, ""))
	}
	if on != nil {
		b.WriteString(m.question(on))
	}
	b.WriteString("columns:\n" + strings.Join(m.shown, ""))
	switch {
	case on != nil:
		fmt.Fprintf(&b, "criteria: %s\nsort:\n  - %s\n", definition.Scalar(m.own(on.Name)+" within :period"), definition.Scalar(m.own(on.Name)+" descending"))
	case len(m.table.Key) > 0:
		fmt.Fprintf(&b, "sort:\n  - %s\n", definition.Scalar(m.own(m.table.Key[0])+" ascending"))
	}
	return b.String()
}

// own is a column of the table as criteria name it.
func (m *maker) own(name string) string { return written(m.ambiguous(name), name) }

// question asks for a period, within what the data hold.
func (m *maker) question(on *catalog.Column) string {
	q := "parameters:\n  - name: period\n    kind: period\n    label: " + definition.Scalar(definition.Labelled(on.Name)) + "\n    required: true\n"
	h := m.Held[on.Name]
	if !h.Known {
		return q
	}
	if m.ended(h) {
		q += "    default: " + h.Latest.String()[:7] + "\n" // the last month there is anything of
	} else {
		q += "    default: last month\n"
	}
	limits := "earliest: " + h.Earliest.String()
	if h.Latest <= m.Today {
		limits += ", latest: today"
	}
	return q + "    limits: {" + limits + "}\n"
}

// ended tells whether there are no records of last month or later.
func (m *maker) ended(h Held) bool {
	return h.Known && h.Latest.String() < m.Today.AddMonths(-1).String()[:7]
}

// quick are the answers that are offered: of the last days, or of the last units that
// there are records of.
func (m *maker) quick(h Held) []string {
	if !m.ended(h) {
		return []string{"last month", "month to date", "last 7 days"}
	}
	year, month, _ := h.Latest.YMD()
	quick := []string{h.Latest.String()[:7]}
	quarter := civil.DateOf(year, month-(month-1)%3, 1)
	for _, unit := range []struct {
		text         string
		start, after civil.Date
	}{
		{fmt.Sprintf("%04d-Q%d", year, (month+2)/3), quarter, quarter.AddMonths(3)},
		{fmt.Sprintf("%04d", year), civil.DateOf(year, 1, 1), civil.DateOf(year+1, 1, 1)},
	} {
		if unit.start >= h.Earliest && unit.after <= m.Today {
			quick = append(quick, unit.text)
		}
	}
	return quick
}

func (m *maker) report(name string, on *catalog.Column) string {
	out := fmt.Sprintf("kind: report\nname: %s\ntitle: %s\nquery: %s\n", name, definition.Scalar(definition.Labelled(m.table.Own())), name)
	if on != nil {
		out += "ask:\n  - period: {label: Which days?, quick: [" + strings.Join(m.quick(m.Held[on.Name]), ", ") + "]}\n"
	}
	return out
}

// written is a column as expressions name it.
func written(table, name string) string {
	return criteria.Print(&criteria.Column{Table: table, Name: name})
}
