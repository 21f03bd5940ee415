// Package reference makes the reference of problems from the code: every code
// that the product can answer with, the sentences it comes with and the ways
// out they name.
package reference

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Saying is a sentence that comes with a code, and its way out. What differs
// from case to case is written ‹so›.
type Saying struct{ Message, Hint string }

// Found is a code of the source and where it first stands.
type Found struct {
	Code    string
	Package string
	Sayings []Saying
}

// signature is where a function takes a code, a message and a hint; -1 is nowhere.
type signature struct{ code, message, hint int }

// Collect reads the Go files below the folders and returns the codes of
// problems in the order of the packages. A code is the literal of a field
// called Code, of an argument of a function whose parameter is called code, or
// a constant of a type Code or Kind.
func Collect(root string, folders ...string) ([]Found, error) {
	c := collector{files: map[string][]*ast.File{}, takes: map[string]signature{}, at: map[string]int{}}
	set := token.NewFileSet()
	for _, folder := range folders {
		err := filepath.WalkDir(filepath.Join(root, folder), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			file, err := parser.ParseFile(set, path, nil, parser.SkipObjectResolution)
			if err != nil {
				return err
			}
			folder, err := filepath.Rel(root, filepath.Dir(path))
			if len(c.files[folder]) == 0 {
				c.folders = append(c.folders, folder)
			}
			c.files[folder] = append(c.files[folder], file)
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	for _, folder := range c.folders {
		for _, file := range c.files[folder] {
			c.signatures(folder, file)
		}
	}
	for _, folder := range c.folders {
		for _, file := range c.files[folder] {
			c.problems(folder, file)
		}
	}
	return c.found, nil
}

var codes = regexp.MustCompile(`^[a-z]+(_[a-z0-9]+)*$`)

type collector struct {
	folders []string
	files   map[string][]*ast.File
	takes   map[string]signature // by package and function: "period fail", "diag At"
	found   []Found
	at      map[string]int // by code
	last    *Saying        // whose hint may be given after it
}

func (c *collector) signatures(folder string, file *ast.File) {
	note := func(name string, of *ast.FuncType) {
		s, place := signature{-1, -1, -1}, 0
		for _, field := range of.Params.List {
			for _, p := range field.Names {
				switch p.Name {
				case "code":
					s.code = place
				case "message":
					s.message = place
				case "hint":
					s.hint = place
				}
				place++
			}
		}
		if s.code >= 0 {
			c.takes[filepath.Base(folder)+" "+name] = s
		}
	}
	ast.Inspect(file, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.FuncDecl:
			note(n.Name.Name, n.Type)
		case *ast.AssignStmt: // known in its file alone
			for i, right := range n.Rhs {
				if f, ok := right.(*ast.FuncLit); ok {
					note(fmt.Sprint(n.Lhs[i], " in ", file.Pos()), f.Type)
				}
			}
		}
		return true
	})
}

func (c *collector) problems(folder string, file *ast.File) {
	ast.Inspect(file, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.CompositeLit:
			fields := map[string]ast.Expr{}
			for _, e := range n.Elts {
				if pair, ok := e.(*ast.KeyValueExpr); ok {
					fields[fmt.Sprint(pair.Key)] = pair.Value
				}
			}
			c.add(folder, fields["Code"], fields["Message"], fields["Hint"])
		case *ast.CallExpr:
			name := ""
			switch f := n.Fun.(type) {
			case *ast.Ident:
				name = filepath.Base(folder) + " " + f.Name
				if local := fmt.Sprint(name, " in ", file.Pos()); c.takes[local] != (signature{}) {
					name = local
				}
			case *ast.SelectorExpr:
				name = filepath.Base(folder) + " " + f.Sel.Name
				if x, ok := f.X.(*ast.Ident); ok {
					if _, ok := c.takes[x.Name+" "+f.Sel.Name]; ok {
						name = x.Name + " " + f.Sel.Name
					}
				}
			}
			if s, ok := c.takes[name]; ok {
				argument := func(i int) ast.Expr {
					if i < 0 || i >= len(n.Args) {
						return nil
					}
					return n.Args[i]
				}
				c.add(folder, argument(s.code), argument(s.message), argument(s.hint))
			}
		case *ast.AssignStmt:
			switch left := n.Lhs[0].(type) {
			case *ast.SelectorExpr:
				if left.Sel.Name == "Hint" && c.last != nil && c.last.Hint == "" {
					c.last.Hint = sentence(n.Rhs[0])
				}
			case *ast.Ident:
				if left.Name == "code" {
					c.add(folder, n.Rhs[0], nil, nil)
				}
			}
		case *ast.FuncDecl:
			c.last = nil
		case *ast.ValueSpec:
			if named := fmt.Sprint(n.Type); named == "Code" || named == "Kind" && folder == "core/proof" {
				c.add(folder, n.Values[0], nil, nil)
			}
		}
		return true
	})
}

func (c *collector) add(folder string, code, message, hint ast.Expr) {
	literal, ok := code.(*ast.BasicLit)
	if !ok || literal.Kind != token.STRING {
		return
	}
	name, err := strconv.Unquote(literal.Value)
	if err != nil || !codes.MatchString(name) {
		return
	}
	at, known := c.at[name]
	if !known {
		at = len(c.found)
		c.at[name] = at
		c.found = append(c.found, Found{Code: name, Package: folder})
	}
	said := Saying{sentence(message), sentence(hint)}
	if said.Message != "" && !slices.Contains(c.found[at].Sayings, said) {
		c.found[at].Sayings = append(c.found[at].Sayings, said)
		c.last = &c.found[at].Sayings[len(c.found[at].Sayings)-1]
	}
}

// sentence is what an expression of the code says, with ‹words› in the place
// of what is not known before it runs; "" where that is all of it.
func sentence(e ast.Expr) string {
	switch e := e.(type) {
	case *ast.BasicLit:
		text, _ := strconv.Unquote(e.Value)
		return text
	case *ast.BinaryExpr:
		left, right := part(e.X), part(e.Y)
		if sentence(e.X) == "" && sentence(e.Y) == "" {
			return ""
		}
		return left + right
	case *ast.CallExpr:
		if f, ok := e.Fun.(*ast.SelectorExpr); ok && f.Sel.Name == "Sprintf" && len(e.Args) > 0 {
			return filled(sentence(e.Args[0]), e.Args[1:])
		}
	}
	return ""
}

// part is sentence, with the name of what is not known.
func part(e ast.Expr) string {
	if text := sentence(e); text != "" {
		return text
	}
	return "‹" + named(e) + "›"
}

// filled puts the names of values into a format.
func filled(format string, values []ast.Expr) string {
	var out strings.Builder
	next := 0
	for rest := format; rest != ""; {
		before, after, verb := strings.Cut(rest, "%")
		out.WriteString(before)
		if !verb {
			break
		}
		end := strings.IndexAny(after, "sdqvgf%") + 1
		kind := after[:end]
		if which, verb, ok := strings.Cut(kind, "]"); ok { // %[1]s
			at, err := strconv.Atoi(strings.TrimPrefix(which, "["))
			if err == nil {
				next, kind = at-1, verb
			}
		}
		switch {
		case kind == "%":
			out.WriteString("%")
		case next < len(values):
			text := part(values[next])
			if strings.HasSuffix(kind, "q") {
				text = `"` + text + `"`
			}
			out.WriteString(text)
			next++
		}
		rest = after[end:]
	}
	return out.String()
}

// named is a word for a value: the last name in its expression.
func named(e ast.Expr) string {
	switch e := e.(type) {
	case *ast.Ident:
		return e.Name
	case *ast.SelectorExpr:
		return named(e.Sel)
	case *ast.CallExpr:
		if len(e.Args) > 0 {
			return named(e.Args[0])
		}
		if f, ok := e.Fun.(*ast.SelectorExpr); ok && f.Sel.Name == "WithArticle" {
			return "a type"
		}
		return named(e.Fun)
	case *ast.IndexExpr:
		return named(e.X)
	case *ast.SliceExpr:
		return named(e.X)
	case *ast.StarExpr:
		return named(e.X)
	case *ast.UnaryExpr:
		return named(e.X)
	case *ast.ParenExpr:
		return named(e.X)
	case *ast.BinaryExpr:
		return named(e.X)
	}
	return "…"
}
