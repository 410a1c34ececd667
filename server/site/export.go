package site

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// Export writes every public file into a folder, as a static host hands them
// out: a page at an address lies in index.html of a folder of that name. The
// fonts and what does a release on a phone come from Assets. It returns how many
// files were written. Nothing is written outside the folder, whatever a
// release's address says.
func (s *Site) Export(ctx context.Context, folder string) (n int, err error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return 0, err
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		return 0, err
	}
	defer root.Close()
	paths, err := s.Paths(ctx)
	if err != nil {
		return 0, err
	}
	for _, path := range paths {
		f, err := s.File(ctx, path)
		if err != nil {
			return n, fmt.Errorf("%s: %w", path, err)
		}
		name := filepath.FromSlash(strings.TrimPrefix(path, "/"))
		if strings.HasPrefix(f.Type, "text/html") && !strings.HasSuffix(name, ".html") {
			name = filepath.Join(name, "index.html")
		}
		if err := write(root, name, f.Body); err != nil {
			return n, err
		}
		n++
	}
	if s.Assets == nil {
		return n, nil
	}
	files := []string{"assets/fonts/next.woff2", "assets/fonts/mono.woff2"}
	if here, err := s.Assets.Here(); err != nil {
		return n, err
	} else if here != nil {
		files = append(files, here.All...)
	}
	for _, name := range files {
		raw, err := fs.ReadFile(s.Assets.FS, name)
		if errors.Is(err, fs.ErrNotExist) {
			continue // a program without its browser application: pages do with the reader's own fonts
		}
		if err != nil {
			return n, err
		}
		if err := write(root, filepath.FromSlash(name), raw); err != nil {
			return n, err
		}
		n++
	}
	return n, nil
}

func write(root *os.Root, name string, raw []byte) error {
	if err := root.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	return root.WriteFile(name, raw, 0o644)
}
