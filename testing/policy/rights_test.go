package policy

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// gates are what a use case asks for rights with.
var gates = []string{
	"admitted", "changes", "authors", "authorChanges", "administrators", "administratorChanges", "inPerson",
	"mayRun", "mayOn", "asks", "job", "table", "columnRows", "mayChangeAnswers", "mayKeepSecrets", "scheduleFor", "occurrenceFor", "overview", "part",
}

// atTheMachine are use cases that nobody reaches from outside, or only with something sealed that
// says what may be done with it.
var atTheMachine = []string{"Close", "AddUserHere", "RecoverHere", "Refused", "KeepSchedules", "Keeper", "Declining", "Decline"}

// TestUseCasesAskForRights: each use case takes an actor, and asks for rights (or has
// another use case do it) before it does anything else.
func TestUseCasesAskForRights(t *testing.T) {
	files, err := filepath.Glob("../../internal/service/*.go")
	require.NoError(t, err)
	looked := 0
	for _, path := range files {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		require.NoError(t, err)
		for _, d := range file.Decls {
			f, ok := d.(*ast.FuncDecl)
			if !ok || f.Recv == nil || !f.Name.IsExported() || typeName(f.Recv.List[0].Type) != "Service" || slices.Contains(atTheMachine, f.Name.Name) {
				continue
			}
			looked++
			parameters := f.Type.Params.List
			if !assert.True(t, len(parameters) > 1 && typeName(parameters[1].Type) == "Actor", "%s takes an actor after the context", f.Name.Name) {
				continue
			}
			assert.True(t, asksFirst(f.Body.List), "%s asks for a right before anything else", f.Name.Name)
		}
	}
	assert.Greater(t, looked, 50)
}

// asksFirst tells whether statements call a gate, or another use case, with the actor
// before they call anything else on the service or its store. Declarations may come
// before, and a narrowed token may be looked at.
func asksFirst(statements []ast.Stmt) bool {
	for _, s := range statements {
		asked, other := false, false
		ast.Inspect(s, func(n ast.Node) bool {
			call, ok := n.(*ast.CallExpr)
			if !ok || asked {
				return !asked
			}
			name, on := calledName(call)
			withActor := slices.ContainsFunc(call.Args, func(a ast.Expr) bool {
				id, ok := a.(*ast.Ident)
				return ok && id.Name == "who"
			})
			switch {
			case withActor && (slices.Contains(gates, name) || on == "s" && ast.IsExported(name)):
				asked = true
			case on == "s" || on == "Store" || on == "People":
				other = true
			}
			return true
		})
		if asked || other {
			return asked && !other
		}
	}
	return false
}

func calledName(call *ast.CallExpr) (name, on string) {
	switch f := call.Fun.(type) {
	case *ast.Ident:
		return f.Name, ""
	case *ast.SelectorExpr:
		return f.Sel.Name, typeName(f.X)
	}
	return "", ""
}

// typeName is the last name of a type or an expression: Actor of identity.Actor.
func typeName(e ast.Expr) string {
	switch e := e.(type) {
	case *ast.StarExpr:
		return typeName(e.X)
	case *ast.SelectorExpr:
		return e.Sel.Name
	case *ast.Ident:
		return e.Name
	}
	return ""
}

// TestRowsPassThePlanner: what reads business rows is made by a planner that was told
// which rows may be seen, and asked of a source by the runner, so that no way round the
// row rules is added by mistake. Engines look at how dates are stored, and tell nobody.
func TestRowsPassThePlanner(t *testing.T) {
	looked := 0
	err := filepath.WalkDir("../../internal", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.Contains(path, "/engine/") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		has := func(c *ast.CompositeLit, field string) bool {
			return slices.ContainsFunc(c.Elts, func(e ast.Expr) bool {
				pair, ok := e.(*ast.KeyValueExpr)
				return ok && typeName(pair.Key) == field
			})
		}
		ast.Inspect(file, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.CompositeLit:
				named, ok := n.Type.(*ast.SelectorExpr)
				if !ok || len(n.Elts) == 0 && named.Sel.Name == "Job" {
					return true // no job, beside an error
				}
				switch typeName(named.X) + "." + named.Sel.Name {
				case "plan.Planner", "runner.Job":
					looked++
					assert.True(t, has(n, "Rows"), "%s makes a %s that was not told which rows may be seen", path, named.Sel.Name)
				}
			case *ast.CallExpr:
				name, on := calledName(n)
				if name == "Stream" && (on == "Source" || on == "source" || on == "shared") {
					looked++
					at := filepath.ToSlash(path)
					assert.True(t, strings.Contains(at, "internal/runner/") || strings.HasSuffix(at, "service/shared.go") || strings.HasSuffix(at, "service/rules.go"), "%s reads rows by itself", path)
				}
			}
			return true
		})
		return nil
	})
	require.NoError(t, err)
	assert.Greater(t, looked, 10)
}
