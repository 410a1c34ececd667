package roster_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// selfEvident are methods whose contract is their interface's.
var selfEvident = []string{"Error", "String", "Unwrap"}

// TestExportedNamesSayTheirContract finds exported names of packages that no
// comment says anything of.
func TestExportedNamesSayTheirContract(t *testing.T) {
	t.Parallel()
	seen := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && (d.Name() == "node_modules" || len(d.Name()) > 1 && d.Name()[0] == '.'):
			return filepath.SkipDir
		case !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go"):
			return nil
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, nil, parser.ParseComments)
		if err != nil || file.Name.Name == "main" {
			return err
		}
		name := func(n *ast.Ident, docs ...*ast.CommentGroup) {
			if !n.IsExported() || slices.Contains(selfEvident, n.Name) {
				return
			}
			if seen++; !slices.ContainsFunc(docs, func(c *ast.CommentGroup) bool { return c != nil }) {
				t.Errorf("%s: nothing says what %s promises", set.Position(n.Pos()), n.Name)
			}
		}
		for _, decl := range file.Decls {
			switch decl := decl.(type) {
			case *ast.FuncDecl:
				if decl.Recv == nil || exportedType(decl.Recv.List[0].Type) {
					name(decl.Name, decl.Doc)
				}
			case *ast.GenDecl:
				for _, spec := range decl.Specs {
					switch spec := spec.(type) {
					case *ast.TypeSpec:
						name(spec.Name, decl.Doc, spec.Doc)
					case *ast.ValueSpec:
						for _, n := range spec.Names {
							name(n, decl.Doc, spec.Doc, spec.Comment)
						}
					}
				}
			}
		}
		return nil
	})
	if err != nil || seen < 1000 {
		t.Errorf("%d names were looked at: %v", seen, err)
	}
}

// exportedType reports whether a receiver's type is exported.
func exportedType(e ast.Expr) bool {
	switch e := e.(type) {
	case *ast.StarExpr:
		return exportedType(e.X)
	case *ast.IndexExpr:
		return exportedType(e.X)
	case *ast.Ident:
		return e.IsExported()
	}
	return false
}
