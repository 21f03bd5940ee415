package files

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

// table is what is read from files of one shape.
type table struct {
	name  string
	files []file
	// scan is how DuckDB reads them, as a table function.
	scan    string
	columns []read
	// problem is why they cannot be read, nil where they can.
	problem error
	// notes say what was found in them, and why.
	notes []string
}

// read is a column of a table, and the expression that makes its values of what is read.
type read struct {
	catalog.Column
	expression string
}

// reading is the table as a subquery.
func (t *table) reading() string {
	items := make([]string, len(t.columns))
	for i, c := range t.columns {
		items[i] = c.expression + " as " + quote(c.Name)
	}
	return "select " + strings.Join(items, ", ") + " from " + t.scan
}

// look makes tables of the files.
func (s *source) look(ctx context.Context) ([]*table, error) {
	var tables []*table
	for _, g := range groupsOf(s.found) {
		t := &table{name: g.name, files: g.files}
		var err error
		switch g.files[0].form {
		case separated:
			err = s.lookAtText(ctx, t)
		case jsonLines:
			t.scan = fmt.Sprintf("read_json(%s, format = 'newline_delimited', sample_size = -1, union_by_name = true)", pathsOf(t.files))
			err = s.describe(ctx, t)
		case parquet:
			t.scan = fmt.Sprintf("read_parquet(%s, union_by_name = true)", pathsOf(t.files))
			err = s.describe(ctx, t)
		}
		if err != nil {
			t.spoil(err)
		}
		tables = append(tables, t)
	}
	for _, f := range s.found {
		if f.form == workbook {
			sheets, err := s.lookAtWorkbook(ctx, f)
			if err != nil {
				_, stem := formOf(f.path)
				t := &table{name: named(stem), files: []file{f}}
				t.spoil(err)
				sheets = []*table{t}
			}
			tables = append(tables, sheets...)
		}
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

// spoil makes it a table that cannot be read, which holds up no other.
func (t *table) spoil(err error) {
	t.problem, t.columns, t.notes = err, nil, []string{err.Error()}
}

// pathsOf lists paths as a value of DuckDB's.
func pathsOf(files []file) string {
	paths := make([]string, len(files))
	for i, f := range files {
		paths[i] = "'" + quoted(f.path) + "'"
	}
	return "[" + strings.Join(paths, ", ") + "]"
}

// describe asks DuckDB for the columns of files that tell their types.
func (s *source) describe(ctx context.Context, t *table) error {
	found, err := s.Pool.Describe(ctx, dialect.Query{SQL: "select * from " + t.scan})
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
	said = strings.ReplaceAll(said, s.folder+string(filepath.Separator), "")
	return &engine.Failure{
		Code: engine.Broken, Message: fmt.Sprintf("%s cannot be read: %s.", what, strings.TrimSuffix(said, ".")),
		Hint: "Put the file right, or take it out of the folder.", Err: err,
	}
}
