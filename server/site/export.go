package site

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"
)

// Exported says what an export did: of so many files in all, so many were
// written because they are new or have changed, and so many removed.
type Exported struct{ Files, Written, Removed int }

// exportedFormat is the format of the file in which an export notes which files
// are its own: no other is ever removed.
const (
	exportedFormat = "roster-site/1"
	exportedNote   = ".roster-site.json"
)

// exportNote is that file.
type exportNote struct {
	Format string   `json:"format"`
	Files  []string `json:"files"` // with slashes, sorted
}

// Export writes every public file into a folder, as a static host hands them
// out: a page at an address lies in index.html of a folder of that name. The
// fonts and what does a release on a phone come from Assets. What lies there
// already as it should be is left alone; every file is there whole, as it was or
// as it is; what leads to others comes after them, and what there is no longer
// goes last. Nothing is written outside the folder, whatever a release's address
// says. After an error, what is there is as far as it came.
func (s *Site) Export(ctx context.Context, folder string) (Exported, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return Exported{}, err
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		return Exported{}, err
	}
	defer root.Close()
	before, err := readExportNote(root)
	if err != nil {
		return Exported{}, err
	}
	assets, err := s.exportedAssets()
	if err != nil {
		return Exported{}, err
	}
	addresses, err := s.Paths(ctx)
	if err != nil {
		return Exported{}, err
	}
	e := export{root: root}
	for _, name := range assets {
		raw, err := fs.ReadFile(s.Assets.FS, name)
		if errors.Is(err, fs.ErrNotExist) {
			continue // a program without its browser application: pages do with the reader's own fonts
		}
		if err == nil {
			err = e.put(name, raw)
		}
		if err != nil {
			return e.done, err
		}
	}
	// What leads to others stands above them, and comes after them.
	slices.SortFunc(addresses, func(a, b string) int { return cmp.Compare(depth(b), depth(a)) })
	for len(addresses) > 0 {
		above := slices.IndexFunc(addresses, func(a string) bool { return depth(a) < depth(addresses[0]) })
		if above < 0 {
			above = len(addresses)
		}
		if err := s.exportAll(ctx, &e, addresses[:above]); err != nil {
			return e.done, err
		}
		addresses = addresses[above:]
	}
	slices.Sort(e.names)
	for _, name := range before {
		if _, stays := slices.BinarySearch(e.names, name); !stays {
			if err := remove(root, name); err != nil {
				return e.done, err
			}
			e.done.Removed++
		}
	}
	raw, err := json.Marshal(exportNote{exportedFormat, e.names})
	if err != nil {
		return e.done, err
	}
	_, err = replace(root, exportedNote, raw)
	return e.done, err
}

func depth(address string) int { return strings.Count(address, "/") }

// export is one that is under way. It is safe for many goroutines.
type export struct {
	root  *os.Root
	mu    sync.Mutex
	names []string
	done  Exported
}

// put puts a file in its place.
func (e *export) put(name string, raw []byte) error {
	written, err := replace(e.root, name, raw)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	e.names = append(e.names, name)
	e.done.Files++
	if written {
		e.done.Written++
	}
	return nil
}

// exportAll exports what stands at some addresses, as many at once as there are
// processors.
func (s *Site) exportAll(ctx context.Context, e *export, addresses []string) error {
	all, ctx := errgroup.WithContext(ctx)
	all.SetLimit(runtime.GOMAXPROCS(0))
	for _, address := range addresses {
		all.Go(func() error {
			f, err := s.File(ctx, address)
			if err != nil {
				return fmt.Errorf("%s: %w", address, err)
			}
			name := strings.TrimPrefix(address, "/")
			if strings.HasPrefix(f.Type, "text/html") && !strings.HasSuffix(name, ".html") {
				name = path.Join(name, "index.html")
			}
			return e.put(name, f.Body)
		})
	}
	return all.Wait()
}

// exportedAssets are the names of what pages need beside themselves.
func (s *Site) exportedAssets() ([]string, error) {
	if s.Assets == nil {
		return nil, nil
	}
	files := []string{"assets/fonts/next.woff2", "assets/fonts/mono.woff2"}
	here, err := s.Assets.Here()
	if here != nil {
		files = append(files, here.All...)
	}
	return files, err
}

// readExportNote reads which files the export before has written.
func readExportNote(root *os.Root) ([]string, error) {
	raw, err := root.ReadFile(exportedNote)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var note exportNote
	if err := json.Unmarshal(raw, &note); err != nil || note.Format != exportedFormat {
		return nil, fmt.Errorf("%s is not what an export notes down: take the file away, and what is there no longer stays", exportedNote)
	}
	for _, name := range note.Files {
		if !fs.ValidPath(name) {
			return nil, fmt.Errorf("%s names %q, which no export has written: take the file away", exportedNote, name)
		}
	}
	return note.Files, nil
}

// replace writes a file whole, unless it lies there as it should be.
func replace(root *os.Root, name string, raw []byte) (written bool, err error) {
	name = filepath.FromSlash(name)
	if there, err := root.ReadFile(name); err == nil && bytes.Equal(there, raw) {
		return false, nil
	}
	if err := root.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return false, err
	}
	part := filepath.Join(filepath.Dir(name), ".part-"+filepath.Base(name))
	if err := root.WriteFile(part, raw, 0o644); err != nil {
		return false, err
	}
	return true, root.Rename(part, name)
}

// remove removes a file, and the folders that are empty without it.
func remove(root *os.Root, name string) error {
	name = filepath.FromSlash(name)
	if err := root.Remove(name); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	for folder := filepath.Dir(name); folder != "."; folder = filepath.Dir(folder) {
		if root.Remove(folder) != nil {
			return nil // others lie there
		}
	}
	return nil
}
