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
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/klauspost/compress/zstd"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"pikegate/core/catalog"
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
	comment   byte       // what lines begin with that are no records, 0 for nothing
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
	w.uncommented(said.Comment)
	if len(w.records) > 0 && (said.Header == "yes" || said.Header == "" && (said.Range != "" || isHead(w.records[0]))) {
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

// uncommented leaves out the records that are comments: those that begin with what was said,
// or with # where no record of the usual width does.
func (w *written) uncommented(said string) {
	if len(w.records) == 0 {
		return
	}
	mark, width := "#", len(w.records[0])
	comments := 0
	for _, r := range w.records {
		switch begins := strings.HasPrefix(r[0], mark); {
		case begins && said == "" && len(r) == width:
			return
		case begins && said == "":
			comments++
		}
	}
	if said != "" {
		mark = said
	} else if comments == 0 {
		return
	}
	w.comment = mark[0]
	w.records = slices.DeleteFunc(w.records, func(r []string) bool { return strings.HasPrefix(r[0], mark) })
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
		if w.encoding != nil || w.comment != 0 {
			if copies[i], err = s.transcoded(f, w); err != nil {
				return s.unreadable(&table{name: t.name, files: []file{f}}, err)
			}
		}
	}
	if len(first.head) == 0 && !said.IsZero() {
		return s.unreadable(t, errors.New("read as it was said, nothing is left of it"))
	}
	if len(first.head) == 0 {
		t.notes = []string{t.files[0].rel() + " is empty."}
		t.columns = []read{{Column: catalog.Column{Name: "nothing", Declared: "integer", Type: catalog.Integer, Nullable: true}, expression: "1"}}
		return nil
	}
	names, taken := make([]string, len(first.head)), map[string]bool{}
	declared := make([]string, len(names))
	for i, head := range first.head {
		names[i] = once(named(head), taken)
		declared[i] = "'" + quoted(names[i]) + "': 'VARCHAR'"
	}
	t.parts, t.written = copies, first
	t.written.records = nil
	t.scan = scan{"read_csv", fmt.Sprintf(`auto_detect = false, delim = '%s', quote = '"', escape = '"', header = %t, skip = %d, columns = {%s}, allow_quoted_nulls = false, max_line_size = %d, buffer_size = %d`,
		map[byte]string{'\t': `\t`}[first.delimiter]+strings.Trim(string(first.delimiter), "\t"), first.headed, first.skip, strings.Join(declared, ", "), longestLine, 4*longestLine)}
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
	if w.comment != 0 {
		text += fmt.Sprintf("; lines that begin with %c are comments", w.comment)
	}
	if len(t.files) > 1 {
		text += fmt.Sprintf("; the same in %d files through %s", len(t.files), t.files[len(t.files)-1].rel())
	}
	return text + "."
}

// transcoded writes a file anew as UTF-8 and without comments, where its workers can read it.
func (s *source) transcoded(f file, w written) (file, error) {
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
	var text io.Reader = in
	if w.encoding != nil {
		text = w.encoding.NewDecoder().Reader(in)
	}
	if w.comment != 0 {
		err = withoutComments(buffered, text, w.comment)
	} else {
		_, err = io.Copy(buffered, text)
	}
	if err == nil {
		err = buffered.Flush()
	}
	if closed := out.Close(); err == nil {
		err = closed
	}
	return file{folder: f.folder, path: out.Name(), form: separated}, err
}

// withoutComments copies lines, an empty one for each that is a comment: lines within quotes
// are none.
func withoutComments(to *bufio.Writer, from io.Reader, mark byte) error {
	in := bufio.NewReaderSize(from, 1<<16)
	quoted := false
	for begins := true; ; {
		part, err := in.ReadSlice('\n')
		if begins && !quoted && len(part) > 0 && part[0] == mark {
			for err == bufio.ErrBufferFull {
				part, err = in.ReadSlice('\n')
			}
			part = part[len(bytes.TrimRight(part, "\r\n")):]
		}
		quoted = quoted != (bytes.Count(part, []byte{'"'})%2 == 1)
		if _, failed := to.Write(part); failed != nil {
			return failed
		}
		switch {
		case err == io.EOF:
			return nil
		case err != nil && err != bufio.ErrBufferFull:
			return err
		}
		begins = err == nil
	}
}
