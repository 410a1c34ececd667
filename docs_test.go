package roster_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestPathsInDocuments: what a page sends people to is there.
func TestPathsInDocuments(t *testing.T) {
	t.Parallel()
	pages, err := filepath.Glob("docs/*.md")
	if err != nil {
		t.Fatal(err)
	}
	path := regexp.MustCompile("`((?:core|store|server|bench|phone|cmd|web|e2e|demo|faults|scripts|docs)/[\\w./-]*)`")
	found := 0
	for _, page := range append(pages, "README.md", "CONTRIBUTING.md") {
		raw, err := os.ReadFile(page)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range path.FindAllStringSubmatch(string(raw), -1) {
			found++
			if _, err := os.Stat(strings.TrimSuffix(m[1], "/")); err != nil {
				t.Errorf("%s names %s, which is not there", page, m[1])
			}
		}
	}
	if found < 50 {
		t.Errorf("only %d paths were found: it is no test", found)
	}
}
