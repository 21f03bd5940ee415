package definition

import (
	"bytes"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"pikegate/core/diag"
)

// MaxSize is how many bytes one file of definitions may have.
const MaxSize = 1 << 20

// kinds are the documents there are, by their kind.
var kinds = map[string]func() Document{
	"query":     func() Document { return &Query{} },
	"report":    func() Document { return &Report{} },
	"parameter": func() Document { return &SharedParameter{} },
	"criterion": func() Document { return &Criterion{} },
	"source":    func() Document { return &Source{} },
}

// kindNames are in the order in which definitions are frozen: what is used
// comes first.
var kindNames = []string{"source", "parameter", "criterion", "query", "report"}

// Decode reads every document of a YAML (or JSON) file. All problems come
// back at once, each with its line and the path of its field. The documents
// that could be read are returned even if others could not.
func Decode(file string, content []byte) ([]Document, diag.Problems) {
	return (&Decoder{}).Decode(file, content)
}

// Decoder reads definitions that are written: of a text in which one document
// changes, the others are not read again. The zero value is ready, for one
// goroutine at a time. Nobody changes the documents.
type Decoder struct{ parts map[part]decoded }

// decoded is what became of a part of a file.
type decoded struct {
	documents []Document
	problems  diag.Problems
}

// mostParts is how many parts a decoder remembers.
const mostParts = 200

// Decode is as the function of that name.
func (r *Decoder) Decode(file string, content []byte) ([]Document, diag.Problems) {
	d := decoder{file: file}
	switch {
	case len(content) > MaxSize:
		d.fail(nil, "", "too_long", "The file is larger than 1 MiB.", "")
	case !utf8.Valid(content):
		d.fail(nil, "", "not_utf8", "The file is not UTF-8 text.", "Save it as UTF-8.")
	case deepest(content) > 200:
		d.fail(nil, "", "too_deep", "The file is nested more than 200 deep.", "Write it flatter.")
	}
	if len(d.problems) > 0 {
		return nil, d.problems
	}
	var documents []Document
	for _, p := range split(string(content)) {
		p.file = file
		made, ok := r.parts[p]
		if !ok {
			one := decoder{file: file, before: p.before}
			made = decoded{one.part(p.text), one.problems}
			if r.parts == nil || len(r.parts) >= mostParts {
				r.parts = map[part]decoded{}
			}
			r.parts[p] = made
		}
		documents, d.problems = append(documents, made.documents...), append(d.problems, made.problems...)
	}
	if len(documents) == 0 && len(d.problems) == 0 {
		d.fail(nil, "", "empty", "The file holds no definition.", "Begin with kind: query, kind: report or kind: parameter.")
	}
	return documents, d.problems
}

// part reads the documents of one part of a file.
func (d *decoder) part(text string) (documents []Document) {
	tokens := lexer.Tokenize(text)
	if d.crowded(tokens) {
		return nil
	}
	tree, err := parser.Parse(tokens, 0)
	if err != nil {
		d.syntax(err)
		return nil
	}
	for _, doc := range tree.Docs {
		if doc.Body == nil || doc.Body.Type() == ast.NullType || doc.Body.Type() == ast.CommentType {
			continue
		}
		if made := d.document(doc.Body); made != nil {
			made.setRaw(text)
			documents = append(documents, made)
		}
	}
	return documents
}

// part is one document's text and the number of lines before it.
type part struct {
	text   string
	before int
	file   string
}

// split parts the documents of a file at the lines that begin with ---.
func split(content string) []part {
	var parts []part
	var current strings.Builder
	start := 0
	for i, line := range strings.SplitAfter(content, "\n") {
		if strings.HasPrefix(line, "---") {
			parts = append(parts, part{text: current.String(), before: start})
			current.Reset()
			start = i + 1
			if rest := strings.TrimSpace(line[3:]); rest == "" || rest[0] == '#' {
				continue
			}
			line, start = " "+line[3:], i
		}
		current.WriteString(line)
	}
	return append(parts, part{text: current.String(), before: start})
}

// deepest is at least how deep the text nests: brackets that are open at
// once, or dashes that follow each other at the beginning of a line. The YAML
// parser recurses, so that depth is refused before it is reached. A line that
// begins with # is a comment, or within a text.
func deepest(content []byte) int {
	most, open := 0, 0
	for line := range bytes.Lines(content) {
		line = bytes.TrimLeft(line, " \t")
		if len(line) > 0 && line[0] == '#' {
			continue
		}
		dashes := 0
		for i, c := range line {
			if (c == '-' || c == '?') && i+1 < len(line) && (line[i+1] == ' ' || line[i+1] == '\t') {
				dashes++
			} else if c != ' ' && c != '\t' {
				break
			}
		}
		for _, c := range line {
			switch c {
			case '[', '{':
				open++
			case ']', '}':
				open = max(open-1, 0)
			}
			most = max(most, open)
		}
		most = max(most, dashes)
	}
	return most
}

// What one document may have. The YAML parser takes a time that grows with the
// square of each, so that more is refused before it begins.
const (
	maxKeys   = 5000
	maxMarks  = 100 // anchors, aliases and tags together
	maxOnLine = 200 // keys on one line: they nest
)

// crowded refuses a document with more of something than any definition has.
func (d *decoder) crowded(tokens token.Tokens) bool {
	keys, marks, line, onLine := 0, 0, 0, 0
	for _, t := range tokens {
		switch t.Type {
		case token.MappingValueType, token.MappingKeyType:
			keys++
			if t.Position.Line != line {
				line, onLine = t.Position.Line, 0
			}
			onLine++
		case token.AnchorType, token.AliasType, token.TagType, token.MergeKeyType:
			marks++
		}
		switch {
		case keys > maxKeys:
			d.fail(t, "", "too_long", fmt.Sprintf("One document has more than %d keys.", maxKeys), "Make several of it.")
		case onLine > maxOnLine:
			d.fail(t, "", "too_deep", fmt.Sprintf("A line has more than %d keys.", maxOnLine), "Write it flatter.")
		case marks > maxMarks:
			d.fail(t, "", "too_long", fmt.Sprintf("One document has more than %d anchors, aliases and tags.", maxMarks), "Write out what they stand for.")
		default:
			continue
		}
		return true
	}
	return false
}

type decoder struct {
	file     string
	before   int // lines of the file before the document
	problems diag.Problems
}

func (d *decoder) fail(at *token.Token, path, code, message, hint string) {
	p := diag.Problem{Code: code, Message: message, Hint: hint, Field: path, File: d.file}
	if at != nil {
		p.Line = d.before + at.Position.Line
		p.Offset = max(at.Position.Column-1, 0)
		p.Length = utf8.RuneCountInString(at.Value)
	}
	d.problems = append(d.problems, p)
}

func (d *decoder) syntax(err error) {
	var at *token.Token
	message := err.Error()
	if se, ok := err.(yaml.Error); ok {
		at, message = se.GetToken(), se.GetMessage()
	}
	d.fail(at, "", "not_yaml", "This is not YAML: "+message+".", "")
}

func (d *decoder) document(n ast.Node) Document {
	entries, ok := d.entries(n, "")
	if !ok {
		return nil
	}
	at := slices.IndexFunc(entries, func(e entry) bool { return e.name == "kind" })
	if at < 0 {
		d.fail(n.GetToken(), "kind", "missing_field", "kind is missing.", "Write kind: query, kind: report or kind: parameter.")
		return nil
	}
	kind, _ := d.scalar(entries[at].value)
	make, known := kinds[kind.Value]
	if !known {
		d.fail(entries[at].value.GetToken(), "kind", "unknown_kind", fmt.Sprintf("There is no kind %q.", kind.Value), nearOr(kind.Value, kindNames))
		return nil
	}
	doc := make()
	d.fill(entries, n, reflect.ValueOf(doc).Elem(), "")
	return doc
}

func nearOr(word string, names []string) string {
	if hint := diag.DidYouMean(word, names); hint != "" {
		return hint
	}
	return "There are " + strings.Join(names, ", ") + "."
}

// entry is one key of a mapping and its value.
type entry struct {
	name  string
	key   *token.Token
	value ast.Node
}

// entries takes a mapping apart.
func (d *decoder) entries(n ast.Node, path string) ([]entry, bool) {
	var pairs []*ast.MappingValueNode
	switch n := n.(type) {
	case *ast.MappingNode:
		pairs = n.Values
	case *ast.MappingValueNode:
		pairs = []*ast.MappingValueNode{n}
	default:
		d.fail(n.GetToken(), path, "wrong_shape", orDocument(path)+" must be fields with values.", "")
		return nil, false
	}
	var out []entry
	for _, pair := range pairs {
		out = append(out, entry{pair.Key.GetToken().Value, pair.Key.GetToken(), pair.Value})
	}
	return out, true
}

func orDocument(path string) string {
	if path == "" {
		return "The document"
	}
	return path
}

// shorthand is a type that can be written as one text, listed as a list of
// texts, and keyed as NAME: {fields}.
type (
	shorthand interface{ setText(Text) }
	listed    interface{ setTexts([]string) }
	keyed     interface{ setKeyed(string) }
)

var textType = reflect.TypeFor[Text]()

// value decodes a node into v.
func (d *decoder) value(n ast.Node, v reflect.Value, path string) {
	text, isScalar := d.scalar(n)
	if v.Type() == textType {
		if isScalar {
			v.Set(reflect.ValueOf(text))
		} else {
			d.fail(n.GetToken(), path, "wrong_shape", path+" must be a text.", "")
		}
		return
	}
	if short, ok := v.Addr().Interface().(shorthand); ok && isScalar {
		short.setText(text)
		return
	}
	if several, ok := v.Addr().Interface().(listed); ok && n.Type() == ast.SequenceType {
		var texts []string
		d.value(n, reflect.ValueOf(&texts).Elem(), path)
		several.setTexts(texts)
		return
	}
	switch v.Kind() {
	case reflect.String:
		if !isScalar {
			d.fail(n.GetToken(), path, "wrong_shape", path+" must be a text.", "")
			return
		}
		v.SetString(text.Value)
	case reflect.Bool:
		b, ok := n.(*ast.BoolNode)
		if !ok {
			d.fail(n.GetToken(), path, "wrong_shape", path+" must be true or false.", "")
			return
		}
		v.SetBool(b.Value)
	case reflect.Slice:
		d.slice(n, v, path)
	case reflect.Map:
		entries, ok := d.entries(n, path)
		if !ok {
			return
		}
		v.Set(reflect.MakeMap(v.Type()))
		for _, e := range entries {
			item := reflect.New(v.Type().Elem()).Elem()
			d.value(e.value, item, join(path, e.name))
			v.SetMapIndex(reflect.ValueOf(e.name), item)
		}
	case reflect.Struct:
		entries, ok := d.entries(n, path)
		if !ok {
			return
		}
		if k, isKeyed := v.Addr().Interface().(keyed); isKeyed && len(entries) == 1 {
			k.setKeyed(entries[0].name)
			path = join(path, entries[0].name)
			if entries, ok = d.entries(entries[0].value, path); !ok {
				return
			}
		}
		d.fill(entries, n, v, path)
	}
}

func (d *decoder) slice(n ast.Node, v reflect.Value, path string) {
	list, ok := n.(*ast.SequenceNode)
	if !ok {
		d.fail(n.GetToken(), path, "wrong_shape", path+" must be a list.", "Begin each line with a dash.")
		return
	}
	v.Set(reflect.MakeSlice(v.Type(), len(list.Values), len(list.Values)))
	for i, item := range list.Values {
		d.value(item, v.Index(i), path+"["+strconv.Itoa(i)+"]")
	}
}

// fill sets the fields of a struct from the entries of a mapping.
func (d *decoder) fill(entries []entry, n ast.Node, v reflect.Value, path string) {
	fields := fieldsOf(v.Type())
	seen := map[string]bool{}
	for _, e := range entries {
		at := slices.IndexFunc(fields, func(f field) bool { return f.name == e.name })
		switch {
		case at < 0:
			names := make([]string, len(fields))
			for i, f := range fields {
				names[i] = f.name
			}
			d.fail(e.key, join(path, e.name), "unknown_field", fmt.Sprintf("There is no field %q here.", e.name), nearOr(e.name, names))
			continue
		case seen[e.name]:
			d.fail(e.key, join(path, e.name), "twice", fmt.Sprintf("The field %q stands here twice.", e.name), "")
			continue
		}
		seen[e.name] = true
		if e.value.Type() == ast.NullType {
			continue
		}
		f := fields[at]
		target := v.FieldByIndex(f.index)
		d.value(e.value, target, join(path, e.name))
		if len(f.enum) > 0 && target.String() != "" && !slices.Contains(f.enum, target.String()) {
			d.fail(e.value.GetToken(), join(path, e.name), "unknown_word", fmt.Sprintf("%q is not known here.", target.String()), nearOr(target.String(), f.enum))
		}
	}
	for _, f := range fields {
		if value := v.FieldByIndex(f.index); f.required && (value.IsZero() || value.Kind() == reflect.Slice && value.Len() == 0) && !hasProblem(d.problems, join(path, f.name)) {
			d.fail(n.GetToken(), join(path, f.name), "missing_field", f.name+" is missing.", f.doc+".")
		}
	}
}

func hasProblem(problems diag.Problems, path string) bool {
	return slices.ContainsFunc(problems, func(p diag.Problem) bool { return strings.HasPrefix(p.Field, path) })
}

func join(path, name string) string {
	if path == "" {
		return name
	}
	return path + "." + name
}

// scalar is the text of a scalar as it was written, and where.
func (d *decoder) scalar(n ast.Node) (Text, bool) {
	switch n := n.(type) {
	case *ast.LiteralNode:
		return Text{n.Value.Value, d.before + n.Start.Position.Line + 1}, true
	case *ast.StringNode:
		return Text{n.Value, d.before + n.Token.Position.Line}, true
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode:
		return Text{n.GetToken().Value, d.before + n.GetToken().Position.Line}, true
	case *ast.NullNode:
		return Text{"", d.before + n.Token.Position.Line}, true
	}
	return Text{}, false
}

// field is one field of the format, as its struct tags tell it.
type field struct {
	name, doc, example string
	enum               []string
	required           bool
	index              []int
	typ                reflect.Type
}

// knownFields are those of the types that were asked for, which never change.
var knownFields sync.Map

// fieldsOf lists the fields of a struct type, inlined ones included.
func fieldsOf(t reflect.Type) []field {
	if known, ok := knownFields.Load(t); ok {
		return known.([]field)
	}
	var out []field
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous {
			for _, inner := range fieldsOf(f.Type) {
				inner.index = append([]int{i}, inner.index...) // a copy
				out = append(out, inner)
			}
			continue
		}
		name := f.Tag.Get("yaml")
		if name == "-" || !f.IsExported() {
			continue
		}
		made := field{
			name: name, doc: f.Tag.Get("doc"), example: f.Tag.Get("example"),
			required: f.Tag.Get("required") == "true", index: []int{i}, typ: f.Type,
		}
		if enum := f.Tag.Get("enum"); enum != "" {
			made.enum = strings.Split(enum, ",")
		}
		out = append(out, made)
	}
	knownFields.Store(t, out)
	return out
}
