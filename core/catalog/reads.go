package catalog

import (
	"slices"
	"strings"

	"pikegate/core/sqltext"
)

// Reads is what a statement or a view reads.
type Reads struct {
	Tables  []string `json:"tables,omitempty"`
	Columns []string `json:"columns,omitempty" doc:"TABLE.COLUMN"`
	// Unknown is what cannot be followed, so that anything may be read.
	Unknown []string `json:"unknown,omitempty" doc:"What cannot be followed, so that anything may be read"`
}

// most is how many functions and the like are named that cannot be followed: one is
// enough to know.
const most = 20

func (r *Reads) add(list *[]string, name string) bool {
	if slices.Contains(*list, name) {
		return false
	}
	*list = append(*list, name)
	return true
}

// join adds what other reads, and tells whether that is more.
func (r *Reads) join(other *Reads) (more bool) {
	for _, name := range other.Tables {
		more = r.add(&r.Tables, name) || more
	}
	for _, name := range other.Columns {
		more = r.add(&r.Columns, name) || more
	}
	for _, what := range other.Unknown {
		more = r.add(&r.Unknown, what) || more
	}
	return more
}

// IsSystem tells whether a name, in lower case, is one of those under which databases
// keep tables of their own.
func IsSystem(name string) bool {
	return strings.HasPrefix(name, "pg_") || slices.Contains([]string{"information_schema", "performance_schema", "mysql", "sys"}, name)
}

// ReadsOf tells what a query in the source's SQL reads, where the database does not tell
// it: every table and column whose name stands in the text, rather too many than too
// few, and what the views among them read.
func (s *Source) ReadsOf(sql string) *Reads {
	made := s.named(sql)
	s.follow(made)
	made.Unknown = made.Unknown[:min(len(made.Unknown), most)]
	return made
}

// named is ReadsOf without what views read.
func (s *Source) named(sql string) *Reads {
	text := sqltext.ReadingOf(sql, s.Traits.SQL)
	made := &Reads{Unknown: text.Unknown}
	if s.Traits.Scanned && namesFile(sql) {
		made.Unknown = append(made.Unknown, "a text that may be the name of a file")
	}
	names := map[string]bool{}
	for _, name := range text.Names {
		names[name] = true
	}
	named := func(name string) bool { return names[strings.ToLower(name)] }
	aliases, whole := map[string]bool{}, map[string]bool{} // of tables all of whose columns are read
	for _, name := range text.Whole {
		aliases[name], whole[name] = true, true
	}
	for _, n := range text.Tables {
		if aliases[n.Alias] {
			whole[n.Name] = true
		}
	}
	for _, t := range s.Tables {
		if !named(t.Own()) || t.Schema != "" && !named(t.Schema) {
			continue
		}
		made.Tables = append(made.Tables, t.Name)
		all := text.All || whole[strings.ToLower(t.Own())] || whole[strings.ToLower(t.Name)]
		for _, c := range t.Columns {
			if all || named(c.Name) {
				made.Columns = append(made.Columns, t.Name+"."+c.Name)
			}
		}
	}
	for _, name := range text.Names {
		if IsSystem(name) {
			made.Unknown = append(made.Unknown, "the database's own tables, "+name)
		}
	}
	return made
}

// namesFile tells whether a statement may read a file by its path, as engines of files can in
// the place of a table: there is no path without a slash, or a backslash that writes one. A
// slash between blanks divides.
func namesFile(sql string) bool {
	return strings.ContainsAny(strings.ReplaceAll(sql, " / ", " "), `/\`)
}

// follow adds what the views read that are read.
func (s *Source) follow(r *Reads) {
	for more := true; more; {
		more = false
		for _, name := range slices.Clone(r.Tables) {
			if t, ok := s.Table(name); ok && t.Reads != nil {
				more = r.join(t.Reads) || more
			}
		}
	}
}

// AddView tells what a view is made of by its text, empty where the login may not see
// it.
func (s *Source) AddView(view, sql string) {
	t := s.own(view)
	if t == nil {
		return
	}
	if t.Reads = s.named(sql); sql == "" {
		t.Reads.Unknown = append(t.Reads.Unknown, "the view "+view+", whose text the login may not see")
	}
	t.Reads.Tables = slices.DeleteFunc(t.Reads.Tables, func(name string) bool { return name == view })
	t.Reads.Columns = slices.DeleteFunc(t.Reads.Columns, func(name string) bool { return strings.HasPrefix(name, view+".") })
}

// AddViewRead tells one table that a view reads, and a column of it, which may be empty.
func (s *Source) AddViewRead(view, table, column string) {
	t := s.own(view)
	if t == nil {
		return
	}
	if t.Reads == nil {
		t.Reads = &Reads{}
	}
	t.Reads.add(&t.Reads.Tables, table)
	if column != "" {
		t.Reads.add(&t.Reads.Columns, table+"."+column)
	}
}

// SettleViews adds to what each view reads what the views among it read.
func (s *Source) SettleViews() {
	for i := range s.Tables {
		if r := s.Tables[i].Reads; r != nil {
			s.follow(r)
		}
	}
}
