package roster_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"
)

// widest is how many columns a line with SQL has at most; tabs count four.
const widest = 120

var aboutSQL = regexp.MustCompile(`\b(select|insert into|update|delete from|from|join|where)\b`)

// TestSQLIsLaidOut: statements are read more often than written. One clause a
// line, and no line that has to be scrolled.
func TestSQLIsLaidOut(t *testing.T) {
	t.Parallel()
	var files []string
	for _, pattern := range []string{"store/*.go", "store/*/*.go"} {
		found, err := filepath.Glob(pattern)
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, found...)
	}
	for _, name := range files {
		raw, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, name, raw, 0)
		if err != nil {
			t.Fatal(err)
		}
		lines := strings.Split(string(raw), "\n")
		ast.Inspect(file, func(n ast.Node) bool {
			text, ok := n.(*ast.BasicLit)
			if !ok || !strings.HasPrefix(text.Value, "`") || !aboutSQL.MatchString(text.Value) {
				return true
			}
			for i := set.Position(text.Pos()).Line; i <= set.Position(text.End()).Line; i++ {
				line := strings.ReplaceAll(lines[i-1], "\t", "    ")
				if wide := utf8.RuneCountInString(line); wide > widest {
					t.Errorf("%s:%d: a line with SQL has %d columns, more than %d", name, i, wide, widest)
				}
			}
			return true
		})
	}
}
