package files

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/klauspost/compress/zstd"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

// How much of a file is looked at to find how it is written.
const (
	lookedBytes = 1 << 20
	lookedLines = 2000
	longestLine = 4 << 20 // bytes of a record
)

// written is how a text file is written.
type written struct {
	encoding  encoding.Encoding // nil for UTF-8
	called    string            // the encoding's name
	delimiter byte
	skip      int // lines before the head, or the first record
	head      []string
	headed    bool
	records   [][]string // some of them
	even      bool       // whether each of them has as many fields
}

// opened opens a file, as what it is compressed from.
func opened(path string) (io.ReadCloser, error) {
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	switch {
	case strings.HasSuffix(path, ".gz"):
		z, err := gzip.NewReader(file)
		if err != nil {
			_ = file.Close()
			return nil, err
		}
		return struct {
			io.Reader
			io.Closer
		}{z, file}, nil
	case strings.HasSuffix(path, ".zst"):
		z, err := zstd.NewReader(file, zstd.WithDecoderMaxMemory(256<<20))
		if err != nil {
			_ = file.Close()
			return nil, err
		}
		return struct {
			io.Reader
			io.Closer
		}{z, file}, nil
	}
	return file, nil
}

// lookAt finds how a file is written from its beginning.
func lookAt(path string, most int64, said catalog.FileFormat) (written, error) {
	in, err := opened(path)
	if err != nil {
		return written{}, err
	}
	defer in.Close()
	begin, err := io.ReadAll(io.LimitReader(in, most))
	if err != nil {
		return written{}, err
	}
	whole := len(begin)
	var w written
	w.encoding, w.called = encodingOf(begin, int64(len(begin)) == most)
	if e, ok := saidEncodings[said.Encoding]; ok {
		w.encoding, w.called = e, said.Encoding
	}
	if w.encoding != nil {
		if begin, err = w.encoding.NewDecoder().Bytes(begin); err != nil {
			return w, err
		}
	}
	begin = bytes.TrimPrefix(begin, []byte("\ufeff"))
	w.separate(string(begin), whole >= int(most), said)
	return w, nil
}

// saidEncodings are those that somebody says a file has.
var saidEncodings = map[string]encoding.Encoding{
	"utf-8": nil, "utf-16": unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), "windows-1252": charmap.Windows1252, "latin-1": charmap.ISO8859_1,
}

// encodingOf finds the encoding of a text: by its mark, as UTF-8 where it is that, else as
// Windows-1252, which has a meaning for nearly every byte.
func encodingOf(begin []byte, cut bool) (e encoding.Encoding, name string) {
	switch {
	case bytes.HasPrefix(begin, []byte("\xef\xbb\xbf")):
		return nil, "UTF-8"
	case bytes.HasPrefix(begin, []byte("\xff\xfe")):
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), "UTF-16"
	case bytes.HasPrefix(begin, []byte("\xfe\xff")):
		return unicode.UTF16(unicode.BigEndian, unicode.UseBOM), "UTF-16"
	}
	if cut { // not within a character
		for range utf8.UTFMax {
			if r, n := utf8.DecodeLastRune(begin); r != utf8.RuneError || n != 1 || len(begin) == 0 {
				break
			}
			begin = begin[:len(begin)-1]
		}
	}
	if zeros := bytes.Count(begin, []byte{0}); zeros > len(begin)/4 {
		if len(begin) > 1 && begin[0] == 0 {
			return unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM), "UTF-16"
		}
		return unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM), "UTF-16"
	}
	if utf8.Valid(begin) {
		return nil, "UTF-8"
	}
	return charmap.Windows1252, "Windows-1252"
}

// separate finds what stands between fields, where the records begin and whether they have a
// head.
func (w *written) separate(text string, cut bool, said catalog.FileFormat) {
	best := -1
	delimiters := []byte{',', ';', '\t', '|'}
	if said.Delimiter != "" {
		delimiters = []byte{strings.ReplaceAll(said.Delimiter, "tab", "\t")[0]}
	}
	skipped, _ := strconv.Atoi(said.Skip) // 0 where nothing is said
	for range skipped {
		_, text, _ = strings.Cut(text, "\n")
	}
	for _, delimiter := range delimiters {
		records, starts := recordsOf(text, delimiter, cut)
		counts := map[int]int{}
		for _, r := range records {
			counts[len(r)]++
		}
		width, n := 1, 0
		for fields, times := range counts {
			if fields > 1 && (times > n || times == n && fields > width) {
				width, n = fields, times
			}
		}
		if n > 0 && (best < 0 || n*width > best) {
			best = n * width
			w.delimiter, w.records = delimiter, records
			w.cut(starts, width)
		}
	}
	if best < 0 { // one column
		records, starts := recordsOf(text, delimiters[0], cut)
		w.delimiter, w.records = delimiters[0], records
		w.cut(starts, 1)
	}
	w.skip += skipped
	if len(w.records) > 0 && (said.Header == "yes" || said.Header == "" && isHead(w.records[0])) {
		w.head, w.headed, w.records = w.records[0], true, w.records[1:]
	} else if len(w.records) > 0 {
		for i := range w.records[0] {
			w.head = append(w.head, fmt.Sprintf("column%d", i+1))
		}
	}
}

// cut leaves out what stands before the first record of the width: titles, notes.
func (w *written) cut(starts []int, width int) {
	first := slices.IndexFunc(w.records, func(r []string) bool { return len(r) == width })
	w.skip = 0
	if first > 0 {
		w.skip = starts[first]
		w.records = w.records[first:]
	}
	w.even = true
	for _, r := range w.records {
		w.even = w.even && len(r) == width
	}
}

// recordsOf takes a text apart, and tells on which line each record begins. A record that may
// be cut off is left out.
func recordsOf(text string, delimiter byte, cut bool) (records [][]string, starts []int) {
	var record []string
	var field strings.Builder
	within, line, start := false, 0, 0
	end := func() {
		record = append(record, field.String())
		field.Reset()
		if len(record) > 1 || record[0] != "" {
			records, starts = append(records, record), append(starts, start)
		}
		record = nil
	}
	for i := 0; i < len(text) && len(records) < lookedLines; i++ {
		c := text[i]
		switch {
		case within && c == '"' && i+1 < len(text) && text[i+1] == '"':
			field.WriteByte('"')
			i++
		case within && c == '"':
			within = false
		case within:
			if c == '\n' {
				line++
			}
			field.WriteByte(c)
		case c == '"' && field.Len() == 0:
			within = true
		case c == delimiter:
			record = append(record, field.String())
			field.Reset()
		case c == '\r' && i+1 < len(text) && text[i+1] == '\n':
		case c == '\n' || c == '\r':
			line++
			end()
			start = line
		default:
			field.WriteByte(c)
		}
	}
	if !cut && !within && (field.Len() > 0 || len(record) > 0) && len(records) < lookedLines {
		end()
	}
	return records, starts
}

// isHead tells whether a record, the first, names columns: each of its fields is a text of its
// own with a letter, and none is a number or a date.
func isHead(record []string) bool {
	seen := map[string]bool{}
	for _, field := range record {
		field = strings.TrimSpace(field)
		if field == "" || seen[strings.ToLower(field)] || strings.IndexFunc(field, func(r rune) bool { return r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z' || r >= 0xaa }) < 0 {
			return false
		}
		if anyNumber.MatchString(field) || anyDate.MatchString(field) {
			return false
		}
		seen[strings.ToLower(field)] = true
	}
	return true
}

var (
	anyNumber   = regexp.MustCompile(`^[-+]?[0-9][0-9.,]*$`)
	anyDate     = regexp.MustCompile(`^[0-9]{1,4}[-./][0-9]{1,2}[-./][0-9]{1,4}`)
	wholeText   = regexp.MustCompile(`^-?(0|[1-9][0-9]{0,17})$`)
	pointText   = regexp.MustCompile(`^-?(0|[1-9][0-9]*)([.][0-9]+)?$`)
	commaText   = regexp.MustCompile(`^-?(0|[1-9][0-9]*)(,[0-9]+)?$`)
	groupedText = regexp.MustCompile(`^-?[1-9][0-9]{0,2}(,[0-9]{3})*([.][0-9]+)?$|^-?0([.][0-9]+)?$`)
	groupText   = regexp.MustCompile(`^-?[1-9][0-9]{0,2}([.][0-9]{3})+(,[0-9]+)?$`)
)

// blankWords stand for no value where the others of a column are numbers.
var blankWords = []string{"NA", "N/A", "n/a", "#N/A", "-", "–", "NULL", "null", "nil", "none"}

// guess is what the values of a column look like.
type guess struct {
	kind   catalog.Type // text, integer, decimal or yes-no
	why    string
	mark   byte     // of decimals
	groups bool     // whether thousands are separated by the other mark
	none   []string // all words for no value
	said   bool     // whether somebody said which words these are
	blank  []string // those of them that were seen
}

// guessOf looks at the values of a column, none of them blank, of a file whose fields are separated by a delimiter.
func guessOf(values []string, delimiter byte, said catalog.FileFormat) guess {
	g := guess{kind: catalog.Text, none: blankWords, said: said.Blank != nil}
	if g.said {
		g.none = said.Blank
	}
	var rest []string
	for _, v := range values {
		switch {
		case !slices.Contains(g.none, v):
			rest = append(rest, v)
		case !slices.Contains(g.blank, v):
			g.blank = append(g.blank, v)
		}
	}
	if len(rest) == 0 {
		return g
	}
	all := func(fits func(string) bool) bool {
		return !slices.ContainsFunc(rest, func(v string) bool { return !fits(v) })
	}
	has := func(mark string) bool {
		return slices.ContainsFunc(rest, func(v string) bool { return strings.Contains(v, mark) })
	}
	thousands := func(mark string) bool { // every fraction has three digits, which may be thousands
		return all(func(v string) bool {
			_, after, ok := strings.Cut(v, mark)
			return !ok || len(after) == 3 && v[0] != '0' && !strings.HasPrefix(v, "-0")
		})
	}
	set := func(kind catalog.Type, mark byte, groups bool, why string) {
		g.kind, g.mark, g.groups, g.why = kind, mark, groups, why
	}
	const undecided = "numbers with a %s before three digits: decimals or thousands"
	switch {
	case all(wholeText.MatchString):
		set(catalog.Integer, 0, false, "whole numbers")
	case all(pointText.MatchString) && said.Decimal == "" && delimiter == ';' && thousands("."): // where commas part fields, they are no decimal mark
		g.why = fmt.Sprintf(undecided, "point")
	case all(pointText.MatchString) && said.Decimal != ",":
		set(catalog.Decimal, '.', false, "numbers with a decimal point")
	case all(groupedText.MatchString) && said.Decimal == ".": // 1,234.5
		set(catalog.Decimal, '.', true, "numbers with a decimal point, thousands separated by commas")
	case all(commaText.MatchString) && said.Decimal == "" && thousands(","):
		g.why = fmt.Sprintf(undecided, "comma")
	case all(commaText.MatchString) && said.Decimal != ".":
		set(catalog.Decimal, ',', false, "numbers with a decimal comma")
	case (has(",") || said.Decimal == ",") && all(func(v string) bool { return commaText.MatchString(v) || groupText.MatchString(v) }):
		set(catalog.Decimal, ',', true, "numbers with a decimal comma, thousands separated by points")
	case all(func(v string) bool { return strings.EqualFold(v, "true") || strings.EqualFold(v, "false") }):
		set(catalog.Boolean, 0, false, "true and false")
	}
	return g
}

// number is the text of a number as DuckDB writes one.
func (g guess) number(name string) string {
	x := quote(name)
	if g.groups {
		x = "replace(" + x + ", '" + map[bool]string{true: ".", false: ","}[g.mark == ','] + "', '')"
	}
	if g.mark == ',' {
		x = "replace(" + x + ", ',', '.')"
	}
	return x
}

// some is a condition that a value is there, and no word for none.
func (g guess) some(name string) string {
	words := make([]string, len(g.none))
	for i, w := range g.none {
		words[i] = "'" + quoted(w) + "'"
	}
	return quote(name) + " not in (" + strings.Join(words, ", ") + ")"
}

// value is an expression, blank for words that somebody says stand for none: these may be
// numbers, such as -999.
func (g guess) value(name, expression string) string {
	if !g.said {
		return expression
	}
	return "case when " + g.some(name) + " then " + expression + " end"
}

// lookAtText finds how text files of one table are written, and what their columns hold.
func (s *source) lookAtText(ctx context.Context, t *table) error {
	said := s.said[t.name]
	var first written
	copies := make([]file, len(t.files))
	records := 0
	for i, f := range t.files {
		most := int64(lookedBytes)
		if i > 0 { // of many files a little each
			most /= 16
		}
		w, err := lookAt(f.path, most, said)
		if err != nil {
			return s.unreadable(&table{name: t.name, files: []file{f}}, err)
		}
		if i == 0 {
			first = w
		} else if w.delimiter != first.delimiter || w.skip != first.skip || w.headed != first.headed || w.headed && !slices.Equal(w.head, first.head) {
			return &engine.Failure{
				Code: engine.Broken, Message: fmt.Sprintf("%s is not written like %s: the fields are %s, and were %s.", f.rel(), t.files[0].rel(), strings.Join(w.head, ", "), strings.Join(first.head, ", ")),
				Hint: "Files whose names differ in numbers only are one table. Rename the one that is another.",
			}
		}
		if i > 0 && records < 10*lookedLines {
			first.records = append(first.records, w.records...)
		}
		records += len(w.records)
		copies[i] = f
		if w.encoding != nil {
			if copies[i], err = s.transcoded(f, w.encoding); err != nil {
				return s.unreadable(&table{name: t.name, files: []file{f}}, err)
			}
		}
	}
	if len(first.head) == 0 && !said.IsZero() {
		return s.unreadable(t, errors.New("read as it was said, nothing is left of it"))
	}
	if len(first.head) == 0 {
		t.scan, t.notes = "(select 1 where false)", []string{t.files[0].rel() + " is empty."}
		t.columns = []read{{Column: catalog.Column{Name: "nothing", Declared: "integer", Type: catalog.Integer, Nullable: true}, expression: "1"}}
		return nil
	}
	names, taken := make([]string, len(first.head)), map[string]bool{}
	declared := make([]string, len(names))
	for i, head := range first.head {
		names[i] = once(named(head), taken)
		declared[i] = "'" + quoted(names[i]) + "': 'VARCHAR'"
	}
	t.scan = fmt.Sprintf(`read_csv(%s, auto_detect = false, delim = '%s', quote = '"', escape = '"', header = %t, skip = %d, columns = {%s}, allow_quoted_nulls = false, max_line_size = %d, buffer_size = %d)`,
		pathsOf(copies), map[byte]string{'\t': `\t`}[first.delimiter]+strings.Trim(string(first.delimiter), "\t"), first.headed, first.skip, strings.Join(declared, ", "), longestLine, 4*longestLine)
	t.notes = append(t.notes, first.evidence(t, !said.IsZero()))
	guesses, samples := make([]guess, len(names)), make([][]any, len(names))
	for i := range names {
		var values []string
		for _, r := range first.records {
			if i < len(r) && r[i] != "" {
				values, samples[i] = append(values, r[i]), append(samples[i], r[i])
			}
		}
		guesses[i] = guessOf(values, first.delimiter, said)
	}
	return s.confirm(ctx, t, names, guesses, samples)
}

// evidence says how files are written, and what tells so.
func (w written) evidence(t *table, said bool) string {
	mark, ok := map[byte]string{',': "commas", ';': "semicolons", '\t': "tabs", '|': "bars"}[w.delimiter]
	if !ok {
		mark = string(w.delimiter)
	}
	text := fmt.Sprintf("%s: %s, fields separated by %s in all %d records looked at", t.files[0].rel(), w.called, mark, len(w.records))
	if !w.even {
		text = fmt.Sprintf("%s: %s, fields separated by %s in most of %d records looked at", t.files[0].rel(), w.called, mark, len(w.records))
	}
	if w.headed {
		text += ", with a header row"
	} else {
		text += ", without a header row"
	}
	if w.skip > 0 {
		text += fmt.Sprintf(" after %d lines", w.skip)
	}
	if said {
		text += ", as it was said of it"
	}
	if len(t.files) > 1 {
		text += fmt.Sprintf("; the same in %d files through %s", len(t.files), t.files[len(t.files)-1].rel())
	}
	return text + "."
}

// mostTogether is how many columns are held against their values in one statement.
const mostTogether = 50

// confirm holds every value against what a column was taken for; one with others is text.
func (s *source) confirm(ctx context.Context, t *table, names []string, guesses []guess, samples [][]any) error {
	proposed := make([]catalog.Column, len(names))
	var items []string
	for i, g := range guesses {
		x, there := g.number(names[i]), g.some(names[i])
		var others string // a value that is something else
		digits, places := "0", "0"
		switch g.kind {
		case catalog.Integer:
			others = fmt.Sprintf("cast(try_cast(%s as bigint) as varchar) is distinct from %s", x, x)
		case catalog.Decimal:
			others = fmt.Sprintf("not regexp_full_match(%s, '-?(0|[1-9][0-9]*)([.][0-9]+)?')", x)
			digits = fmt.Sprintf("coalesce(max(length(split_part(replace(%s, '-', ''), '.', 1))) filter (where %s), 0)", x, there)
			places = fmt.Sprintf("coalesce(max(length(split_part(%s, '.', 2))) filter (where %s), 0)", x, there)
		case catalog.Boolean:
			others = fmt.Sprintf("lower(%s) not in ('true', 'false')", x)
		default:
			text := catalog.Column{Name: names[i], Declared: "varchar", Type: catalog.Text, Nullable: true}
			if made, ok := catalog.Propose(text, samples[i]); ok {
				proposed[i] = made
				fits := dialect.DuckDB().Fits(made.Encoding, quote(names[i]))
				items = append(items, "count("+quote(names[i])+")", fmt.Sprintf("count(*) filter (where not (%s))", fits), "0", "0")
				continue
			}
			items = append(items, "0", "0", "0", "0")
			continue
		}
		items = append(items, fmt.Sprintf("count(*) filter (where %s)", there), fmt.Sprintf("count(*) filter (where %s and %s)", there, others), digits, places)
	}
	var counts []int64
	for some := range slices.Chunk(items, 4*mostTogether) {
		text := "select count(*), " + strings.Join(some, ", ") + " from " + t.scan
		err := s.Pool.Stream(ctx, dialect.Query{SQL: text}, func(row []any) error {
			for _, v := range row[1:] {
				n, _ := v.(int64)
				counts = append(counts, n)
			}
			return nil
		})
		switch {
		case ctx.Err() != nil:
			return context.Cause(ctx)
		case err != nil:
			return s.unreadable(t, err)
		}
	}
	for i, g := range guesses {
		n, others, digits, places := counts[4*i], counts[4*i+1], counts[4*i+2], counts[4*i+3]
		c := read{Column: catalog.Column{Name: names[i], Declared: "varchar", Type: catalog.Text, Nullable: true}, expression: quote(names[i])}
		switch {
		case proposed[i].Encoding != "":
			c.Column = known(proposed[i], n, others)
		case g.kind == catalog.Text:
			c.Evidence = g.why
		case others > 0:
			c.Evidence = fmt.Sprintf("text: of %d values, %d %s %s", n, others, map[bool]string{true: "is none of", false: "are none of"}[others == 1], g.why)
		case g.kind == catalog.Integer:
			c.Type, c.Declared, c.expression = g.kind, "bigint", g.value(names[i], "try_cast("+g.number(names[i])+" as bigint)")
		case g.kind == catalog.Boolean:
			c.Type, c.Declared, c.expression = g.kind, "boolean", g.value(names[i], "try_cast("+quote(names[i])+" as boolean)")
		case digits+places > 38:
			c.Evidence = "text: numbers of more than 38 digits"
		default:
			width := int64(18)
			if digits+places > 18 {
				width = 38
			}
			c.Type, c.Declared = g.kind, fmt.Sprintf("decimal(%d,%d)", width, places)
			c.expression = g.value(names[i], fmt.Sprintf("try_cast(%s as decimal(%d, %d))", g.number(names[i]), width, places))
		}
		if c.Type != catalog.Text && c.Encoding == "" {
			c.Evidence = fmt.Sprintf("%s: all %d values", g.why, n)
			if len(g.blank) > 0 {
				c.Evidence += "; " + strings.Join(g.blank, ", ") + " for none"
			}
		}
		t.columns = append(t.columns, c)
	}
	return nil
}

// known is a column of dates of which every value was held against its encoding.
func known(c catalog.Column, looked, unfit int64) catalog.Column {
	evidence := c.Evidence[strings.LastIndex(c.Evidence, "; ")+1:] // what tells day and month apart
	what, _, _ := strings.Cut(c.Evidence, ":")
	c.Whole, c.Known, c.Looked, c.Unfit, c.Shape = true, true, looked, unfit, ""
	c.Evidence = fmt.Sprintf("%s: all %d values fit", what, looked)
	if unfit > 0 {
		c.Evidence = fmt.Sprintf("%s: of all %d values, %d %s fit", what, looked, unfit, map[bool]string{true: "does not", false: "do not"}[unfit == 1])
	}
	if strings.HasSuffix(evidence, "the other way round") {
		c.Evidence += "; of those looked at first," + evidence
	}
	if c.Encoding == catalog.EncISODate && unfit == 0 { // which can be written in one way only
		c.Shape = "0000-00-00"
	}
	return c
}

// transcoded writes a file anew as UTF-8, where its workers can read it.
func (s *source) transcoded(f file, from encoding.Encoding) (file, error) {
	in, err := opened(f.path)
	if err != nil {
		return f, err
	}
	defer in.Close()
	out, err := os.CreateTemp(s.Temporary(), filepath.Base(f.path)+"-*.csv")
	if err != nil {
		return f, err
	}
	buffered := bufio.NewWriter(out)
	_, err = io.Copy(buffered, from.NewDecoder().Reader(in))
	if err == nil {
		err = buffered.Flush()
	}
	if closed := out.Close(); err == nil {
		err = closed
	}
	return file{folder: f.folder, path: out.Name(), form: separated}, err
}
