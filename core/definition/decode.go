package definition

import (
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"go.yaml.in/yaml/v4"
	"go.yaml.in/yaml/v4/plugin/loaderlimits"

	"pikegate/core/diag"
)

// MaxSize is how many bytes one file of definitions may have.
const MaxSize = 1 << 20

// kinds are the documents there are, by their kind.
var kinds = map[string]func() Document{
	"query":     func() Document { return &Query{} },
	"report":    func() Document { return &Report{} },
	"rule":      func() Document { return &RowRule{} },
	"parameter": func() Document { return &SharedParameter{} },
	"criterion": func() Document { return &Criterion{} },
	"source":    func() Document { return &Source{} },
	"calendar":  func() Document { return &Calendar{} },
	"overview":  func() Document { return &Overview{} },
	"schedule":  func() Document { return &Schedule{} },
}

// kindNames are in the order in which definitions are frozen: what is used
// comes first.
var kindNames = []string{"source", "calendar", "parameter", "criterion", "query", "report", "overview", "schedule", "rule"}

// Kinds are the kinds of documents there are, what is used before what uses it.
func Kinds() []string { return slices.Clone(kindNames) }

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
	nodes, err := load(text)
	if err != nil {
		d.syntax(err)
		return nil
	}
	for i := range nodes {
		body := nodes[i].Content[0]
		if isNull(body) {
			continue
		}
		if keys(body) > maxKeys {
			d.fail(body, "", "too_long", fmt.Sprintf("One document has more than %d keys.", maxKeys), "Make several of it.")
			continue
		}
		if made := d.document(body); made != nil {
			made.setRaw(text)
			documents = append(documents, made)
		}
	}
	return documents
}

// What one document may have: a check looks at each part beside the others.
const (
	maxKeys  = 5000
	maxDepth = 200
)

// load reads the YAML documents of a text; the library's error says where.
func load(text string) (nodes []yaml.Node, err error) {
	err = yaml.Load([]byte(text), &nodes, yaml.WithAllDocuments(), yaml.WithUniqueKeys(false), yaml.WithPlugin(
		loaderlimits.New(loaderlimits.DepthFunc(func(depth int, _ *loaderlimits.DepthContext) error {
			if depth > maxDepth {
				return errTooDeep
			}
			return nil
		})),
	))
	return nodes, err
}

var errTooDeep = fmt.Errorf("nested more than %d deep", maxDepth)

func isNull(n *yaml.Node) bool { return n.Kind == yaml.ScalarNode && n.ShortTag() == "!!null" }

// keys counts those of a document.
func keys(n *yaml.Node) int {
	count := 0
	if n.Kind == yaml.MappingNode {
		count = len(n.Content) / 2
	}
	for _, inner := range n.Content {
		count += keys(inner)
	}
	return count
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

type decoder struct {
	file     string
	before   int // lines of the file before the document
	problems diag.Problems
}

func (d *decoder) fail(at *yaml.Node, path, code, message, hint string) {
	p := diag.Problem{Code: code, Message: message, Hint: hint, Field: path, File: d.file}
	if at != nil && at.Kind != yaml.ScalarNode && len(at.Content) > 0 {
		at = at.Content[0] // where it begins
	}
	if at != nil {
		p.Line = d.before + at.Line
		p.Offset = max(at.Column-1, 0)
		p.Length = utf8.RuneCountInString(at.Value)
	}
	d.problems = append(d.problems, p)
}

func (d *decoder) syntax(err error) {
	p := diag.Problem{Code: "not_yaml", Message: "This is not YAML: " + err.Error() + ".", File: d.file}
	var at *yaml.LoadError
	if errors.As(err, &at) {
		mark := at.Mark
		p.Message = "This is not YAML: " + at.Message + "."
		if at.ContextMark.Line > 0 { // where what is not finished begins
			mark = at.ContextMark
			p.Message = "This is not YAML: " + at.ContextMsg + ", " + at.Message + "."
		}
		p.Line, p.Offset = d.before+mark.Line, max(mark.Column-1, 0)
		if at.Message == errTooDeep.Error() {
			p.Code, p.Message, p.Hint = "too_deep", fmt.Sprintf("The file is nested more than %d deep.", maxDepth), "Write it flatter."
		}
	}
	d.problems = append(d.problems, p)
}

func (d *decoder) document(n *yaml.Node) Document {
	entries, ok := d.entries(n, "")
	if !ok {
		return nil
	}
	at := slices.IndexFunc(entries, func(e entry) bool { return e.name == "kind" })
	if at < 0 {
		d.fail(n, "kind", "missing_field", "kind is missing.", "Write kind: query, kind: report or kind: parameter.")
		return nil
	}
	kind, _ := d.scalar(entries[at].value)
	make, known := kinds[kind.Value]
	if !known {
		d.fail(entries[at].value, "kind", "unknown_kind", fmt.Sprintf("There is no kind %q.", kind.Value), nearOr(kind.Value, kindNames))
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
	key   *yaml.Node
	value *yaml.Node
}

// entries takes a mapping apart.
func (d *decoder) entries(n *yaml.Node, path string) ([]entry, bool) {
	if n.Kind != yaml.MappingNode {
		d.fail(n, path, "wrong_shape", orDocument(path)+" must be fields with values.", "")
		return nil, false
	}
	var out []entry
	for i := 0; i+1 < len(n.Content); i += 2 {
		out = append(out, entry{n.Content[i].Value, n.Content[i], n.Content[i+1]})
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
	// alone is a list of which one can be written by itself.
	alone interface{ alone() }
)

var textType, plainType = reflect.TypeFor[Text](), reflect.TypeFor[Plain]()

// value decodes a node into v.
func (d *decoder) value(n *yaml.Node, v reflect.Value, path string) {
	text, isScalar := d.scalar(n)
	if v.Type() == textType || v.Type() == plainType {
		if isScalar {
			v.Set(reflect.ValueOf(text).Convert(v.Type()))
		} else {
			d.fail(n, path, "wrong_shape", path+" must be a text.", "")
		}
		return
	}
	if short, ok := v.Addr().Interface().(shorthand); ok && isScalar {
		short.setText(text)
		return
	}
	if several, ok := v.Addr().Interface().(listed); ok && n.Kind == yaml.SequenceNode {
		var texts []string
		d.value(n, reflect.ValueOf(&texts).Elem(), path)
		several.setTexts(texts)
		return
	}
	switch v.Kind() {
	case reflect.String:
		if !isScalar {
			d.fail(n, path, "wrong_shape", path+" must be a text.", "")
			return
		}
		v.SetString(text.Value)
	case reflect.Bool:
		if !isScalar || n.ShortTag() != "!!bool" {
			d.fail(n, path, "wrong_shape", path+" must be true or false.", "")
			return
		}
		v.SetBool(strings.EqualFold(n.Value, "true"))
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

func (d *decoder) slice(n *yaml.Node, v reflect.Value, path string) {
	if _, ok := v.Addr().Interface().(alone); ok && n.Kind == yaml.MappingNode {
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		d.value(n, v.Index(0), path)
		return
	}
	if n.Kind != yaml.SequenceNode {
		d.fail(n, path, "wrong_shape", path+" must be a list.", "Begin each line with a dash.")
		return
	}
	v.Set(reflect.MakeSlice(v.Type(), len(n.Content), len(n.Content)))
	for i, item := range n.Content {
		d.value(item, v.Index(i), path+"["+strconv.Itoa(i)+"]")
	}
}

// fill sets the fields of a struct from the entries of a mapping.
func (d *decoder) fill(entries []entry, n *yaml.Node, v reflect.Value, path string) {
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
			d.fail(e.key, join(path, e.name), "twice", fmt.Sprintf("The field %q appears twice here.", e.name), "")
			continue
		}
		seen[e.name] = true
		if isNull(e.value) {
			continue
		}
		f := fields[at]
		target := v.FieldByIndex(f.index)
		d.value(e.value, target, join(path, e.name))
		if len(f.enum) > 0 && target.String() != "" && !slices.Contains(f.enum, target.String()) {
			d.fail(e.value, join(path, e.name), "unknown_word", fmt.Sprintf("%q is not known here.", target.String()), nearOr(target.String(), f.enum))
		}
	}
	for _, f := range fields {
		if value := v.FieldByIndex(f.index); f.required && (value.IsZero() || value.Kind() == reflect.Slice && value.Len() == 0) && !hasProblem(d.problems, join(path, f.name)) {
			d.fail(n, join(path, f.name), "missing_field", f.name+" is missing.", f.doc+".")
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
func (d *decoder) scalar(n *yaml.Node) (Text, bool) {
	line := d.before + n.Line
	switch {
	case n.Kind != yaml.ScalarNode || n.Style&yaml.TaggedStyle != 0:
		return Text{}, false
	case isNull(n):
		return Text{"", line}, true
	case n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0:
		line++ // after the mark
	}
	return Text{n.Value, line}, true
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
