// Package catalog is what a source tells about itself: tables, views, columns,
// their types, and how each date is physically stored.
package catalog

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/sqltext"
)

// Type is what a column holds, whatever the engine calls it.
type Type string

// The types. Other is anything that can be shown but not asked about.
const (
	Text     Type = "text"
	Integer  Type = "integer"
	Decimal  Type = "decimal"
	Boolean  Type = "yes-no"
	Date     Type = "date"
	DateTime Type = "date-time"
	Other    Type = "other"
)

// IsDate tells whether the type is a day or a date-time.
func (t Type) IsDate() bool { return t == Date || t == DateTime }

// IsNumber tells whether the type is a number.
func (t Type) IsNumber() bool { return t == Integer || t == Decimal }

// WithArticle is the type as a sentence has it: "a date", "an integer".
func (t Type) WithArticle() string {
	if t == Integer || t == Other {
		return "an " + string(t)
	}
	return "a " + string(t)
}

// Source is the catalogue of one database.
type Source struct {
	Name   string  `json:"name"`
	Engine string  `json:"engine"`
	Tables []Table `json:"tables"`
	// Traits are those of the engine.
	Traits Traits `json:"-"`
}

// Traits are in what engines differ, as far as it matters before SQL is written.
// The zero value is an engine that keeps to standard SQL.
type Traits struct {
	// Untyped tells that a column holds values of any type, whatever is declared.
	Untyped bool
	// ZeroDates tells that dates of the engine's own may be of no day, 0000-00-00.
	ZeroDates bool
	// Unplaced tells that the engine has no aggregate for a median or a percentile.
	Unplaced bool
	// Scanned tells that nothing leads to the records of a period: each search reads all.
	Scanned bool
	// SQL is how hand-written SQL is read.
	SQL sqltext.Flavour
}

// Table is a table or view.
type Table struct {
	// Name is what definitions call it: its own name, after that of its schema and
	// a dot where it is in another than the login's own.
	Name   string `json:"name"`
	Schema string `json:"schema,omitempty" doc:"The schema (of MySQL the database) it is in, where that is not the login's own; the name begins with it"`
	View   bool   `json:"view,omitempty"`
	// Evidence says which files it was read from, how, and what told so.
	Evidence string `json:"evidence,omitempty" doc:"Of a table of files: which they are, how they are written, and what told so"`
	// Form is what kind of files they are, and Format what somebody said of them.
	Form    string     `json:"form,omitempty" enum:"CSV,JSON lines,Parquet,workbook" doc:"Of a table of files: of what kind these are"`
	Format  FileFormat `json:"format,omitzero" doc:"Of a table of files: what was said of them"`
	Columns []Column   `json:"columns"`
	// Key is the primary key; empty for views and tables that have none.
	Key     []string `json:"key,omitempty"`
	Indexes []Index  `json:"indexes,omitempty"`
	// References are its foreign keys.
	References []Reference `json:"references,omitempty" doc:"The foreign keys: which columns name a record of another table"`
	// Reads is what a view is made of, nil for a table.
	Reads *Reads `json:"reads,omitempty" doc:"What a view is made of"`
}

// Reference is a foreign key.
type Reference struct {
	Columns []string `json:"columns"`
	Table   string   `json:"table" doc:"The table they name a record of"`
	To      []string `json:"to" doc:"The columns of that table, in the same order"`

	name string
}

// Own is the table's name within its schema.
func (t Table) Own() string {
	if t.Schema == "" {
		return t.Name
	}
	return strings.TrimPrefix(t.Name, t.Schema+".")
}

// Unqualified is the name of a table without that of its schema.
func Unqualified(table string) string { return table[strings.LastIndexByte(table, '.')+1:] }

// SplitColumn takes TABLE.COLUMN apart, where the table may be SCHEMA.TABLE.
func SplitColumn(path string) (table, column string, ok bool) {
	at := strings.LastIndexByte(path, '.')
	if at < 0 {
		return path, "", false
	}
	return path[:at], path[at+1:], true
}

// own is a table by the very name the database has for it; nil for none.
func (s *Source) own(name string) *Table {
	for i := range s.Tables {
		if s.Tables[i].Name == name {
			return &s.Tables[i]
		}
	}
	return nil
}

// AddIndex adds a column to the index of that name of a table; the rows of a
// catalogue tell them one by one, those of an index together.
func (s *Source) AddIndex(table, index string, unique bool, column string) {
	t := s.own(table)
	if t == nil {
		return
	}
	if n := len(t.Indexes); n == 0 || t.Indexes[n-1].Name != index {
		t.Indexes = append(t.Indexes, Index{Name: index, Unique: unique})
	}
	last := &t.Indexes[len(t.Indexes)-1]
	last.Columns = append(last.Columns, column)
}

// AddKey adds a column to the primary key of a table.
func (s *Source) AddKey(table, column string) {
	if t := s.own(table); t != nil {
		t.Key = append(t.Key, column)
	}
}

// AddReference adds a column to the foreign key of that name of a table.
func (s *Source) AddReference(table, name, column, other, to string) {
	t := s.own(table)
	if t == nil {
		return
	}
	if n := len(t.References); n == 0 || t.References[n-1].name != name {
		t.References = append(t.References, Reference{Table: other, name: name})
	}
	last := &t.References[len(t.References)-1]
	last.Columns, last.To = append(last.Columns, column), append(last.To, to)
}

// Index is an index of a table.
type Index struct {
	Name    string   `json:"name"`
	Columns []string `json:"columns" doc:"In order; an expression is empty"`
	Unique  bool     `json:"unique,omitempty"`
}

// Column is one column of a table.
type Column struct {
	Name     string `json:"name"`
	Declared string `json:"declared" doc:"The type as the database declares it"`
	Type     Type   `json:"type"`
	// Encoding says how a date is stored; empty for what is not a date.
	Encoding Encoding `json:"encoding,omitempty"`
	// Stored is the type of what is stored where a date is kept as text or number.
	Stored Type `json:"stored,omitempty"`
	// Collated tells that the database compares the texts otherwise than by code
	// point, unless it is told not to.
	Collated bool `json:"collated,omitempty" doc:"Whether the database compares its texts otherwise than by code point"`
	// Exact tells that, though it orders them otherwise, it takes only texts for equal that
	// are; Collation is the name of how it compares them.
	Exact     bool   `json:"-"`
	Collation string `json:"-"`
	// Charset is the character set of its texts, where that is not the one in which texts
	// are compared.
	Charset  string `json:"-"`
	Nullable bool   `json:"nullable" doc:"Whether the column can be blank"`
	Evidence string `json:"evidence,omitempty" doc:"Why the encoding was chosen"`
	// Looked is how many values the encoding was held against, and Unfit how many
	// of them do not fit it.
	Looked int64 `json:"looked,omitempty" doc:"How many values the date encoding was held against"`
	Unfit  int64 `json:"unfit,omitempty" doc:"How many of them do not fit it"`
	// Example is a value stored in the column, empty if none was seen; of dates
	// it is one that fits.
	Example string `json:"-"`
	// Bytes tells that it holds bytes, which are read and shown by how many they
	// are. Those of a key are read whole: they tell records apart.
	Bytes bool `json:"-"`
	// Whole tells that every value was looked at; Known that its source itself did, so that
	// nobody has to.
	Whole bool `json:"-"`
	Known bool `json:"-"`
	// Shape is how every date kept as text or number is written, where all are
	// written alike and fit; see ShapeOf.
	Shape string `json:"-"`
}

// Clone is a copy whose columns can be changed by themselves.
func (s Source) Clone() Source {
	s.Tables = slices.Clone(s.Tables)
	for i := range s.Tables {
		s.Tables[i].Columns = slices.Clone(s.Tables[i].Columns)
	}
	return s
}

// Table finds a table by name, whatever its case.
func (s Source) Table(name string) (Table, bool) {
	for i := range s.Tables {
		if strings.EqualFold(s.Tables[i].Name, name) {
			return s.Tables[i], true
		}
	}
	return Table{}, false
}

// IsKey tells whether a column is by itself the primary key, whose numbers name
// records and are no dates, whatever they look like.
func (t Table) IsKey(column string) bool { return len(t.Key) == 1 && t.Key[0] == column }

// TableNames lists the tables.
func (s Source) TableNames() []string {
	names := make([]string, len(s.Tables))
	for i, t := range s.Tables {
		names[i] = t.Name
	}
	return names
}

// Column finds a column by name, whatever its case: the table's own, which stays as it is;
// nil and false where there is none.
func (t *Table) Column(name string) (*Column, bool) {
	for i := range t.Columns {
		if c := &t.Columns[i]; strings.EqualFold(c.Name, name) {
			return c, true
		}
	}
	return nil, false
}

// asText is how dates of an engine's own are called where they are text.
var asText = map[Encoding]Encoding{EncDate: EncISODate, EncLocal: EncISOLocal, EncInstant: EncISOInstant}

// ErrNotText means that a layout was to be set for a column that holds no texts.
var ErrNotText = errors.New("catalog: a layout is of texts")

// SetEncoding sets the encoding of TABLE.COLUMN by hand.
func (s *Source) SetEncoding(path string, e Encoding) error {
	if err := e.Check(); err != nil {
		return fmt.Errorf("there is no encoding %q: %w", e, err)
	}
	table, column, _ := SplitColumn(path)
	for _, t := range s.Tables {
		if !strings.EqualFold(t.Name, table) {
			continue
		}
		for i := range t.Columns {
			c := &t.Columns[i]
			if !strings.EqualFold(c.Name, column) {
				continue
			}
			stored := c.Stored
			if c.Encoding == "" {
				stored = c.Type
			}
			if _, ok := e.Layout(); ok && stored != Text && !s.Traits.Untyped {
				return fmt.Errorf("%w: %s is %s", ErrNotText, path, c.Declared)
			}
			if c.Stored = stored; e.IsLayout() {
				c.Stored = Text
			}
			if written, ok := asText[e]; ok && (c.Stored == Text || s.Traits.Untyped) {
				e = written // the engine has no such dates of its own there
			}
			c.Encoding, c.Type, c.Evidence = e, e.Type(), "set by hand"
			c.Shape, c.Looked, c.Unfit, c.Whole, c.Known = "", 0, 0, false, false // known of another encoding
			return nil
		}
	}
	return fmt.Errorf("there is no column %s in %s", path, s.Name)
}
