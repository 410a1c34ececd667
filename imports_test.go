// Package roster_test holds what is true of the project as a whole.
package roster_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
)

// allowed says which of Roster's folders each folder may import, as the
// architecture has it. A folder stands for what lies below it, too.
var allowed = map[string][]string{
	"core":   {"core"},
	"retry":  {},
	"store":  {"core", "retry"},
	"bench":  {"core", "retry", "bench"},
	"phone":  {"core"},
	"web":    {},
	"faults": {"bench", "core", "demo", "phone", "server", "store"},
	"demo":   {"bench", "core", "phone", "store"},
	"server": {"core", "retry", "store", "bench", "web"},
	"cmd":    {"core", "retry", "store", "bench", "phone", "demo", "server"},
}

func TestImports(t *testing.T) {
	checked := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		// An example of the API is a module of its own.
		if d.IsDir() && (strings.HasPrefix(d.Name(), ".") && path != "." || d.Name() == "node_modules" || path == "docs") {
			return fs.SkipDir
		}
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		folder, _, _ := strings.Cut(filepath.ToSlash(path), "/")
		rules, known := allowed[folder]
		if !known {
			t.Errorf("%s: the folder %s has no import rule; add it where the architecture names it", path, folder)
			return nil
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, spec := range file.Imports {
			name, err := strconv.Unquote(spec.Path.Value)
			if err != nil {
				return err
			}
			rest, ours := strings.CutPrefix(name, "roster/")
			if !ours {
				continue
			}
			checked++
			to, _, _ := strings.Cut(rest, "/")
			fine := to == folder
			for _, a := range rules {
				fine = fine || a == to
			}
			if !fine {
				t.Errorf("%s imports %s: %s may import only %v", path, name, folder, rules)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if checked < 50 {
		t.Errorf("only %d imports were looked at", checked)
	}
}

// TestPureCore holds that core/ does no input or output of its own.
func TestPureCore(t *testing.T) {
	forbidden := []string{"os", "net", "net/http", "database/sql", "log", "log/slog", "os/exec", "github.com/jackc/pgx/v5", "github.com/gin-gonic/gin"}
	err := filepath.WalkDir("core", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, spec := range file.Imports {
			for _, f := range forbidden {
				if spec.Path.Value == strconv.Quote(f) {
					t.Errorf("%s imports %s", path, f)
				}
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}
