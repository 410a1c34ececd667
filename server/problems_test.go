package server

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestEveryErrorIsExplained finds each error that the store exports in the table
// that says what people see of it: one that is forgotten there would be told as
// a fault of the server.
func TestEveryErrorIsExplained(t *testing.T) {
	t.Parallel()
	parse := func(pattern string) (files []*ast.File) {
		names, err := filepath.Glob(pattern)
		if err != nil || len(names) == 0 {
			t.Fatal(pattern, err)
		}
		for _, name := range names {
			if strings.HasSuffix(name, "_test.go") {
				continue
			}
			f, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
			if err != nil {
				t.Fatal(err)
			}
			files = append(files, f)
		}
		return files
	}
	said := map[string]bool{}
	for _, f := range parse("problems*.go") {
		ast.Inspect(f, func(n ast.Node) bool {
			if sel, ok := n.(*ast.SelectorExpr); ok {
				if from, ok := sel.X.(*ast.Ident); ok && from.Name == "store" {
					said[sel.Sel.Name] = true
				}
			}
			return true
		})
	}
	anError := regexp.MustCompile(`^(Err[A-Z]\w*|[A-Z]\w*Error)$`)
	found := 0
	for _, f := range parse("../store/*.go") {
		for name, object := range f.Scope.Objects {
			if !anError.MatchString(name) || object.Kind != ast.Var && object.Kind != ast.Typ {
				continue
			}
			if found++; !said[name] {
				t.Errorf("store.%s has no line in the table of problems", name)
			}
		}
	}
	if found < 25 {
		t.Errorf("only %d errors were found: it is no test", found)
	}
}
