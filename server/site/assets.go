package site

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"
)

// hereEntry is the module that a release's own bench begins with.
const hereEntry = "src/here/main.ts"

// Here is what the browser application's build has for a release's own bench.
type Here struct {
	Script string
	Styles []string
	// All are the paths of everything that it loads, itself too.
	All []string
}

// Assets are the files of the built browser application, which pages use some of.
type Assets struct {
	FS   fs.FS
	once sync.Once
	here *Here
	err  error
}

// Here finds what a release's own bench loads; nil where the program was built
// without the browser application.
func (a *Assets) Here() (*Here, error) {
	if a == nil || a.FS == nil {
		return nil, nil
	}
	a.once.Do(func() { a.here, a.err = findHere(a.FS) })
	return a.here, a.err
}

func findHere(files fs.FS) (*Here, error) {
	raw, err := fs.ReadFile(files, "manifest.json")
	if err != nil {
		return nil, nil // not built
	}
	var manifest map[string]struct {
		File string   `json:"file"`
		CSS  []string `json:"css"`
	}
	if err := json.Unmarshal(raw, &manifest); err != nil {
		return nil, fmt.Errorf("the manifest of the browser application: %w", err)
	}
	entry, ok := manifest[hereEntry]
	if !ok {
		return nil, fmt.Errorf("the browser application has no %s", hereEntry)
	}
	h := &Here{Script: entry.File, Styles: entry.CSS}
	h.All, err = reached(files, append([]string{entry.File}, entry.CSS...))
	return h, err
}

// reached are files and all that they name of what lies beside them: modules,
// workers and programs. Names carry hashes, so that none is met by chance.
func reached(files fs.FS, from []string) ([]string, error) {
	entries, err := fs.ReadDir(files, "assets")
	if err != nil {
		return nil, err
	}
	found := slices.Clone(from)
	for i := 0; i < len(found); i++ {
		if path.Ext(found[i]) != ".js" {
			continue
		}
		raw, err := fs.ReadFile(files, found[i])
		if err != nil {
			return nil, err
		}
		for _, e := range entries {
			name := "assets/" + e.Name()
			if path.Ext(name) != ".br" && !e.IsDir() && strings.Contains(string(raw), e.Name()) && !slices.Contains(found, name) {
				found = append(found, name)
			}
		}
	}
	return found, nil
}
