// Package files reads a folder of data files (CSV, JSON lines, Parquet, workbooks) as a
// database whose tables they are. DuckDB reads them in worker processes that see the folder
// and nothing else.
package files

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
	"pikegate/internal/engine/worker"
)

// Engine is a folder of files.
var Engine = engine.Engine{Name: "files", Open: Open, File: true, Holds: isData, Traits: catalog.Traits{Scanned: true}}

// isData tells whether a file is one that is read, by its name.
func isData(name string) bool {
	f, _ := formOf(name)
	return f != ""
}

// mostReaders is how many workers read a folder at a time: each takes all there is of the
// machine, and much memory.
const mostReaders = 2

type source struct {
	name   string
	folder string
	said   map[string]catalog.FileFormat
	listed map[string]string // tables, by the paths of files; nil where all files count
	*worker.Pool

	mu     sync.Mutex // guards the rest
	found  []file     // as they were when they were last looked for
	tables []*table   // nil until they were looked at
}

// Open opens a folder.
func Open(a engine.Address) (engine.Source, error) {
	refused := func(format string, values ...any) (engine.Source, error) {
		return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf(format, values...)}
	}
	folder, err := filepath.Abs(a.At)
	if err == nil {
		folder, err = filepath.EvalSymlinks(folder)
	}
	info, statErr := os.Stat(a.At)
	switch {
	case err != nil || statErr != nil:
		return refused("There is no folder at %s.", a.At)
	case !info.IsDir():
		return refused("%s is a file. Give the folder it lies in.", a.At)
	}
	for _, own := range []string{"/", "/proc", "/sys", "/dev"} {
		if folder == own || own != "/" && strings.HasPrefix(folder, own+"/") {
			return refused("%s is not a folder that records are kept in.", a.At)
		}
	}
	found, err := countedIn(folder, a.Listed)
	if err != nil {
		return refused("%s cannot be read: %v.", a.At, err)
	}
	pool, err := worker.NewPool(kind, a.Name, folder, min(cmp.Or(a.Connections, mostReaders), mostReaders), func() {})
	if err != nil {
		return nil, err
	}
	s := &source{name: a.Name, folder: folder, found: found, said: a.Files, listed: a.Listed, Pool: pool}
	if err := pool.Stream(context.Background(), dialect.Query{SQL: "select 1"}, func([]any) error { return nil }); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// Replaced tells whether the folder holds other files now, or others in their place.
func (s *source) Replaced() bool {
	now := s.State()
	s.mu.Lock()
	defer s.mu.Unlock()
	return now != stateOf(s.found)
}

// State is the names, sizes and times of the files.
func (s *source) State() string {
	found, err := countedIn(s.folder, s.listed)
	if err != nil {
		return err.Error()
	}
	return stateOf(found)
}

func (s *source) Dialect() dialect.Dialect { return dialect.DuckDB() }

// known are the tables, which are looked at once: an open folder whose files change is opened
// anew.
func (s *source) known(ctx context.Context) ([]*table, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.tables == nil {
		tables, err := s.look(ctx)
		if err != nil {
			return nil, err
		}
		s.tables = tables
	}
	return s.tables, nil
}

// Catalogue tells the tables.
func (s *source) Catalogue(ctx context.Context) (catalog.Source, error) {
	out := catalog.Source{Name: s.name, Engine: Engine.Name, Traits: Engine.Traits}
	found, err := countedIn(s.folder, s.listed)
	if err != nil {
		return out, engine.Fail(ctx, engine.Unreachable, s.folder+" cannot be read", err)
	}
	s.mu.Lock()
	if stateOf(found) != stateOf(s.found) {
		s.found, s.tables = found, nil
	}
	s.mu.Unlock()
	tables, err := s.known(ctx)
	if err != nil {
		return out, err
	}
	for _, t := range tables {
		made := catalog.Table{Name: t.name, Format: s.said[t.name]}
		if len(t.files) > 0 {
			made.Form = string(t.files[0].form)
		}
		for _, c := range t.columns {
			made.Columns = append(made.Columns, c.Column)
		}
		out.Tables = append(out.Tables, made)
	}
	if err := engine.ProposeDates(ctx, s, &out); err != nil {
		return out, err
	}
	for i, t := range tables {
		named, err := s.tellPeriods(ctx, t, out.Tables[i].Columns)
		if err != nil {
			return out, err
		}
		s.mu.Lock()
		t.named = named
		out.Tables[i].Evidence = strings.Join(t.told(), " ")
		s.mu.Unlock()
	}
	return out, nil
}

// with is a statement that begins with those tables it may name, so that a worker need not
// know them.
func (s *source) with(ctx context.Context, q dialect.Query) (dialect.Query, []portion, error) {
	tables, err := s.known(ctx)
	if err != nil {
		return q, nil, err
	}
	args := q.Args
	q.Args = make([]any, len(args))
	for i, v := range args {
		if n, ok := v.(dialect.Decimal); ok {
			v = string(n)
		}
		q.Args[i] = v
	}
	var used []portion
	var clauses []string
	for _, t := range tables {
		if mentions(q.SQL, t.name) {
			if t.problem != nil {
				return q, nil, t.problem
			}
			parts, err := s.reached(ctx, t, q)
			if err != nil {
				return q, nil, err
			}
			used = append(used, portion{t, parts})
			clauses = append(clauses, quote(t.name)+" as not materialized ("+t.reading(parts)+")")
		}
	}
	if clauses != nil {
		rest := q.SQL
		if begins, ok := cutWith(rest); ok {
			rest = ", " + begins
		}
		q.SQL = "with " + strings.Join(clauses, ",\n") + "\n" + rest
	}
	return q, used, nil
}

// mentions tells whether a statement has a name in it, as a word.
func mentions(text, name string) bool {
	isWord := func(r rune) bool { return r == '_' || unicode.IsLetter(r) || unicode.IsDigit(r) }
	text = strings.ToLower(text)
	for from := 0; ; {
		at := strings.Index(text[from:], name)
		if at < 0 {
			return false
		}
		begin, end := from+at, from+at+len(name)
		before, _ := utf8.DecodeLastRuneInString(text[:begin])
		after, _ := utf8.DecodeRuneInString(text[end:])
		if !isWord(before) && !isWord(after) {
			return true
		}
		from = end
	}
}

// cutWith takes the word with off the beginning of a statement.
func cutWith(text string) (string, bool) {
	trimmed := strings.TrimLeft(text, " \t\r\n")
	if len(trimmed) < 5 || !strings.EqualFold(trimmed[:4], "with") || strings.IndexByte(" \t\r\n", trimmed[4]) < 0 {
		return text, false
	}
	return trimmed[5:], true
}

// Stream runs a statement. The files it read have to be the same afterwards; where they are
// not, it is run once more if nothing was handed over.
func (s *source) Stream(ctx context.Context, q dialect.Query, row func(row []any) error) error {
	if err := q.Err(); err != nil {
		return err
	}
	for again := false; ; again = true {
		whole, used, err := s.with(ctx, q)
		if err != nil {
			return err
		}
		before := stateOf(filesOf(used))
		handed := false
		err = s.Pool.Stream(ctx, whole, func(values []any) error {
			handed = true
			return row(values)
		})
		if stateOf(restated(used)) == before || ctx.Err() != nil {
			return err
		}
		if handed || again {
			return &engine.Failure{Code: engine.Changed, Message: "A file of the source " + s.name + " changed while it was read.", Hint: "Run it again."}
		}
	}
}

// Describe tells the columns of a query.
func (s *source) Describe(ctx context.Context, q dialect.Query) (engine.Description, error) {
	whole, _, err := s.with(ctx, q)
	if err != nil {
		return engine.Description{}, err
	}
	return s.Pool.Describe(ctx, whole)
}

// Plan asks for the plan. Files have no indexes.
func (s *source) Plan(ctx context.Context, q dialect.Query) (engine.Plan, error) {
	plan := engine.Plan{Access: map[string]engine.Access{}}
	whole, used, err := s.with(ctx, q)
	if err != nil {
		return plan, err
	}
	for _, p := range used {
		if len(p.table.parts) > 1 {
			plan.Files = append(plan.Files, p.said())
		}
	}
	whole.SQL = "explain " + whole.SQL
	err = s.Pool.Stream(ctx, whole, func(row []any) error {
		for line := range strings.Lines(fmt.Sprint(row[1])) {
			if line = strings.TrimRight(line, "\n "); line != "" {
				plan.Text = append(plan.Text, line)
			}
		}
		return nil
	})
	return plan, err
}

// Check tries to write.
func (s *source) Check(ctx context.Context) (engine.Inspection, error) {
	report := engine.Inspection{Zone: "none: dates are what is in the files"}
	rows, err := engine.Rows(ctx, s, "select version()")
	if err != nil {
		return report, err
	}
	report.Version = fmt.Sprintf("DuckDB %v", rows[0][0])
	try := dialect.Query{SQL: "copy (select 1) to '" + quoted(filepath.Join(s.folder, ".pikegate-tries-to-write")) + "'"}
	err = s.Pool.Stream(ctx, try, func([]any) error { return nil })
	var failure *engine.Failure
	if errors.As(err, &failure) {
		report.ReadOnly, report.Proof = failure.Code == engine.Refused, failure.Message
	}
	tables, err := s.known(ctx)
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, t := range tables {
		report.Notes = append(report.Notes, t.told()...)
	}
	return report, err
}

func quote(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// portion is a table, and those of its parts that a statement reads.
type portion struct {
	*table
	parts []file
}

// filesOf are the files of tables, once each, and restated the same as they are now.
func filesOf(tables []portion) []file {
	var out []file
	for _, t := range tables {
		out = append(out, t.files...)
	}
	return slices.CompactFunc(out, func(x, y file) bool { return x.path == y.path })
}

func restated(tables []portion) []file {
	out := filesOf(tables)
	for i, f := range out {
		out[i], _ = stat(f.folder, f.path)
	}
	return out
}
