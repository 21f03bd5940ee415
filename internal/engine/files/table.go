package files

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

// table is what is read from files of one shape.
type table struct {
	name  string
	files []file
	// parts are the files that are read: those, or copies of them or of their sheets, in the same
	// order.
	parts []file
	// scan is how DuckDB reads them, written how text files are.
	scan    scan
	written written
	columns []read
	// problem is why they cannot be read, nil where they can.
	problem error
	// notes say what was found in them, and why.
	notes []string
	// named says what the names of the files tell, blank where that is nothing.
	named string
}

// told is all that there is to say of it.
func (t *table) told() []string {
	if t.named == "" {
		return t.notes
	}
	return append(slices.Clone(t.notes), t.named)
}

// read is a column of a table, and the expression that makes its values of what is read.
type read struct {
	catalog.Column
	expression string
}

// scan is a table function of DuckDB's and its options; the zero value reads nothing.
type scan struct{ function, options string }

// of reads files; with a column that has the path of each record's, where it has a name.
func (s scan) of(parts []file, path string) string {
	if s.function == "" {
		return "(select 1 where false)"
	}
	paths := make([]string, len(parts))
	for i, f := range parts {
		paths[i] = "'" + quoted(f.path) + "'"
	}
	options := s.options
	if path != "" {
		options += ", filename = '" + path + "'"
	}
	return s.function + "([" + strings.Join(paths, ", ") + "], " + options + ")"
}

// all reads all of the table.
func (t *table) all() string { return t.scan.of(t.parts, "") }

// reading is the table as a subquery, of some of its parts.
func (t *table) reading(parts []file) string {
	items := make([]string, len(t.columns))
	for i, c := range t.columns {
		items[i] = c.expression + " as " + quote(c.Name)
	}
	text := "select " + strings.Join(items, ", ") + " from "
	if len(parts) == 0 && len(t.parts) > 0 { // one tells the types
		return text + t.scan.of(t.parts[:1], "") + " where false"
	}
	return text + t.scan.of(parts, "")
}

// look makes tables of the files.
func (s *source) look(ctx context.Context) ([]*table, error) {
	var tables []*table
	groups := groupsOf(s.found, s.said)
	if s.listed != nil {
		groups = listedGroups(s.found, s.listed)
	}
	for _, g := range groups {
		if len(g.files) == 0 {
			t := &table{name: g.name}
			t.spoil(&engine.Failure{Code: engine.Broken, Message: fmt.Sprintf("No file of the folder is one of %s.", s.said[g.name].Files), Hint: "Paths are those within the folder."})
			tables = append(tables, t)
			continue
		}
		made, err := s.lookAtGroup(ctx, g)
		if err != nil {
			t := &table{name: g.name, files: g.files}
			t.spoil(err)
			made = []*table{t}
		}
		tables = append(tables, made...)
	}
	if ctx.Err() != nil { // of no file
		return nil, context.Cause(ctx)
	}
	taken := map[string]bool{}
	for _, t := range tables {
		t.name = once(t.name, taken)
	}
	return tables, nil
}

// lookAtGroup makes tables of files that belong together: one, or one of each sheet.
func (s *source) lookAtGroup(ctx context.Context, g group) ([]*table, error) {
	t := &table{name: g.name, files: g.files}
	for _, f := range g.files {
		if f.form != g.files[0].form {
			return nil, &engine.Failure{
				Code: engine.Broken, Message: fmt.Sprintf("%s is %s, and %s is %s.", g.files[0].rel(), g.files[0].form, f.rel(), f.form),
				Hint: "A table is made of files of one kind.",
			}
		}
	}
	var err error
	switch said := s.said[g.name]; g.files[0].form {
	case workbook:
		if !g.said && said.Sheet == "" && said.Range == "" {
			return s.lookAtWorkbook(ctx, g.files[0])
		}
		err = s.lookAtRange(ctx, t, said)
	case separated:
		err = s.lookAtText(ctx, t)
	case jsonLines:
		t.parts, t.scan = t.files, scan{"read_json", "format = 'newline_delimited', sample_size = -1, union_by_name = true" + noPartitions}
		err = s.describe(ctx, t)
	case parquet:
		t.parts, t.scan = t.files, scan{"read_parquet", "union_by_name = true" + noPartitions}
		err = s.describe(ctx, t)
	}
	if err != nil {
		return nil, err
	}
	t.partitioned()
	return []*table{t}, nil
}

// spoil makes it a table that cannot be read, which holds up no other.
func (t *table) spoil(err error) {
	t.problem, t.columns, t.notes = err, nil, []string{err.Error()}
}

// noPartitions keeps DuckDB from making columns of the names of folders by itself.
const noPartitions = ", hive_partitioning = false"

// partitioned makes columns of what the folders are parted by.
func (t *table) partitioned() {
	keys := partitionsOf(t.files)
	if keys == nil || t.scan.function == "" {
		return
	}
	t.scan.options = strings.TrimSuffix(t.scan.options, noPartitions) + ", hive_partitioning = true, hive_types_autocast = false"
	taken := map[string]bool{}
	for _, c := range t.columns {
		taken[c.Name] = true
	}
	for _, key := range keys {
		if taken[named(key.name)] { // the files say it themselves
			continue
		}
		c := read{Column: catalog.Column{Name: once(named(key.name), taken), Declared: "varchar", Type: catalog.Text, Nullable: true, Evidence: "from the names of the folders"}, expression: quote(key.name)}
		if key.whole {
			c.Type, c.Declared, c.expression = catalog.Integer, "bigint", "try_cast("+quote(key.name)+" as bigint)"
		}
		t.columns = append(t.columns, c)
	}
}

// describe asks DuckDB for the columns of files that tell their types.
func (s *source) describe(ctx context.Context, t *table) error {
	found, err := s.Pool.Describe(ctx, dialect.Query{SQL: "select * from " + t.all()})
	if err != nil {
		return s.unreadable(t, err)
	}
	taken := map[string]bool{}
	for _, c := range found.Columns {
		made := read{Column: c, expression: quote(c.Name)}
		if c.Declared == "json" || c.Type == catalog.Other && !c.Bytes {
			made.expression = "cast(to_json(" + quote(c.Name) + ") as varchar)"
			made.Declared, made.Type = "varchar", catalog.Text
		}
		made.Name = once(named(c.Name), taken)
		made.Nullable = true
		t.columns = append(t.columns, made)
	}
	return nil
}

// once is a name that is not taken yet.
func once(name string, taken map[string]bool) string {
	free := name
	for n := 2; taken[free]; n++ {
		free = fmt.Sprintf("%s_%d", name, n)
	}
	taken[free] = true
	return free
}

// unreadable says which file could not be read.
func (s *source) unreadable(t *table, err error) error {
	what := t.files[0].rel()
	if len(t.files) > 1 {
		what = fmt.Sprintf("one of the %d files of %s", len(t.files), t.name)
	}
	said := strings.TrimPrefix(err.Error(), "The source "+s.name+" could not answer: ")
	for _, kind := range []string{"Invalid Input Error: ", "IO Error: ", "Binder Error: "} {
		said = strings.TrimPrefix(said, kind)
	}
	said, _, _ = strings.Cut(said, "\nPossible fixes")
	said = strings.ReplaceAll(said, "\n", " ")
	for i, f := range t.parts { // copies are called otherwise
		if len(t.parts) == len(t.files) && f.path != t.files[i].path {
			said = strings.ReplaceAll(said, filepath.Base(f.path), t.files[i].rel())
		}
	}
	said = strings.ReplaceAll(said, s.folder+string(filepath.Separator), "")
	return &engine.Failure{
		Code: engine.Broken, Message: fmt.Sprintf("%s cannot be read: %s.", what, strings.TrimSuffix(said, ".")),
		Hint: "Put the file right, or take it out of the folder.", Err: err,
	}
}
