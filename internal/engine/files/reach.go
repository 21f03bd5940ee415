package files

import (
	"context"
	"crypto/sha256"
	"fmt"
	"slices"
	"strings"
	"sync"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/dialect"
	"pikegate/core/plan"
)

// Of a table of many files a statement reads only those that may hold what it asks for. What
// dates each of them holds is noted when a statement first asks for a stretch of time, and
// holds as long as the file is the same one.

// held is what a date column holds in a file.
type held struct {
	least, greatest civil.DateTime // as stored, in UTC for instants
	none            bool           // whether no record has a date
	blank           bool           // whether a record has none
	unsure          bool           // whether there is what is no date, so that nothing is known
}

// meets tells whether the file may hold a record that is asked for.
func (h held) meets(r plan.Reach) bool {
	return h.unsure || r.Blank && h.blank || !h.none && !r.Misses(h.least, h.greatest)
}

// notes are what was found in files, by their state and the column: a folder that changed is
// opened anew, and most of its files are those that they were.
var notes = struct {
	sync.Mutex
	held map[noteKey]held
}{held: map[noteKey]held{}}

// noteKey is a file as it was, or a sheet of one, and a hash of how the column is read.
type noteKey struct {
	file  file
	sheet int
	how   [sha256.Size]byte
}

// mostNotes is how many are kept.
const mostNotes = 200_000

// pathColumn is what the path of a record's file is called while it is read.
const pathColumn = "pikegate path"

// reached are the parts of a table that a statement has to read.
func (s *source) reached(ctx context.Context, t *table, q dialect.Query) ([]file, error) {
	if len(t.parts) < 2 || len(t.parts) != len(t.files) && len(t.files) != 1 || !readOnce(q.SQL, t.name) {
		return t.parts, nil
	}
	parts := t.parts
	for _, r := range q.Reach {
		if r.Table != t.name || len(parts) == 0 {
			continue
		}
		found, err := s.held(ctx, t, r.Column)
		if err != nil {
			return nil, err
		}
		parts = slices.DeleteFunc(slices.Clone(parts), func(f file) bool {
			h, ok := found[f.path]
			return ok && !h.meets(r)
		})
	}
	return parts, nil
}

// readOnce tells whether a statement of the product's own reads a table in one place only: in
// another one, something else may be asked of it.
func readOnce(text, table string) bool {
	n := 0
	for _, word := range []string{"from ", "join "} {
		n += strings.Count(text, word+quote(table))
	}
	return n == 1
}

// held is what a column holds in each part of a table, by its path. What is not known yet is
// found in one reading of those parts.
func (s *source) held(ctx context.Context, t *table, c *catalog.Column) (map[string]held, error) {
	found := map[string]held{}
	at := slices.IndexFunc(t.columns, func(r read) bool { return r.Name == c.Name })
	if at < 0 {
		return found, nil
	}
	how := sha256.Sum256([]byte(t.scan.options + t.columns[at].expression + string(c.Encoding)))
	keys := make([]noteKey, len(t.parts))
	var missing []file
	notes.Lock()
	for i, f := range t.parts {
		sheet := i
		if len(t.files) == len(t.parts) {
			sheet = 0
		}
		keys[i] = noteKey{t.origin(i), sheet, how}
		if h, ok := notes.held[keys[i]]; ok {
			found[f.path] = h
		} else {
			missing = append(missing, f)
		}
	}
	notes.Unlock()
	if missing == nil {
		return found, nil
	}
	name := quote(c.Name)
	order, unfit, clock := name, "false", civil.NewClock(nil)
	decode := *c
	if text, ok := dialect.DuckDB().InOrder(c); ok { // rearranged to ISO text
		order = text
		decode.Encoding = map[catalog.Type]catalog.Encoding{catalog.Date: catalog.EncISODate, catalog.DateTime: catalog.EncISOLocal}[c.Type]
	}
	if c.Stored == catalog.Text {
		unfit = "not coalesce(" + dialect.DuckDB().Fits(c.Encoding, name) + ", false)"
	}
	text := fmt.Sprintf(`select "%[5]s", count(*) - count(%[1]s), count(%[1]s), count(*) filter (where %[1]s is not null and %[2]s), min(%[3]s), max(%[3]s) from (select %[4]s as %[1]s, "%[5]s" from %[6]s) group by 1`,
		name, unfit, order, t.columns[at].expression, pathColumn, t.scan.of(missing, pathColumn))
	for _, f := range missing { // one without records is in no group
		found[f.path] = held{none: true}
	}
	err := s.Pool.Stream(ctx, dialect.Query{SQL: text}, func(row []any) error {
		path, _ := row[0].(string)
		blanks, _ := row[1].(int64)
		dates, _ := row[2].(int64)
		others, _ := row[3].(int64)
		h := held{none: dates == 0, blank: blanks > 0, unsure: others > 0}
		if dates > 0 {
			least, ok := decode.Decode(row[4], clock)
			greatest, ok2 := decode.Decode(row[5], clock)
			h.unsure = h.unsure || !ok || !ok2
			h.least, h.greatest = least.At, greatest.At
			if c.Encoding.IsTimedText() { // whose order within a day is that of their separators
				h.least, h.greatest = h.least.Date().Midnight(), (h.greatest.Date()+1).Midnight()-1
			}
		}
		found[path] = h
		return nil
	})
	if err != nil {
		return nil, err
	}
	notes.Lock()
	if len(notes.held) > mostNotes {
		clear(notes.held)
	}
	for i, f := range t.parts {
		notes.held[keys[i]] = found[f.path]
	}
	notes.Unlock()
	return found, nil
}

// origin is the file that a part was made of.
func (t *table) origin(part int) file {
	if len(t.files) == len(t.parts) {
		return t.files[part]
	}
	return t.files[0]
}

// told says which of the parts are read.
func (p portion) said() string {
	what := "files"
	if len(p.files) < len(p.table.parts) {
		what = "sheets"
	}
	text := fmt.Sprintf("%s: %d of %d %s read", p.name, len(p.parts), len(p.table.parts), what)
	if what == "files" && len(p.parts) < len(p.table.parts) {
		read := map[string]bool{}
		for _, f := range p.parts {
			read[f.path] = true
		}
		var names []string
		for i, f := range p.table.parts {
			if read[f.path] && len(names) < mostNamed {
				names = append(names, p.files[i].rel())
			}
		}
		if len(p.parts) > len(names) {
			names = append(names, "…")
		}
		if names != nil {
			text += ": " + strings.Join(names, ", ")
		}
	}
	return text
}

// mostNamed is how many files are named.
const mostNamed = 5
