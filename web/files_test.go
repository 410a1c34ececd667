package web

import (
	"bytes"
	"io/fs"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/andybalholm/brotli"
)

func TestPackedFilesAreThereUnpacked(t *testing.T) {
	var raw bytes.Buffer
	w := brotli.NewWriter(&raw)
	if _, err := w.Write([]byte("let a = 1")); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	files := unpacking{fstest.MapFS{
		"assets/a.js.br": {Data: raw.Bytes()}, "assets/b.woff2": {Data: []byte("font")}, "assets/bad.js.br": {Data: []byte("no brotli")},
	}}
	for name, want := range map[string]string{"assets/a.js": "let a = 1", "assets/b.woff2": "font", "assets/a.js.br": raw.String()} {
		if got, err := fs.ReadFile(files, name); err != nil || string(got) != want {
			t.Errorf("%s: %q, %v", name, got, err)
		}
	}
	for _, name := range []string{"assets/bad.js", "assets/c.js", "assets/b.woff2.br"} {
		if got, err := fs.ReadFile(files, name); err == nil {
			t.Errorf("%s: %q", name, got)
		}
	}
	entries, err := fs.ReadDir(files, "assets")
	var names []string
	for _, e := range entries {
		names = append(names, e.Name())
	}
	if got, want := strings.Join(names, " "), "a.js a.js.br b.woff2 bad.js bad.js.br"; err != nil || got != want {
		t.Errorf("the folder has %s, %v; want %s", got, err, want)
	}
}

// TestBrowsersLoadLittle holds what a bench in a browser loads, and a release's own
// page, compressed. A build without a browser application has neither.
func TestBrowsersLoadLittle(t *testing.T) {
	for name, most := range map[string]int64{"bench": 1_500_000, "here": 1_650_000} {
		found, err := fs.Glob(Dist, "dist/assets/"+name+"-*.wasm.br")
		if err != nil {
			t.Fatal(err)
		}
		for _, file := range found {
			info, err := fs.Stat(Dist, file)
			if err != nil {
				t.Fatal(err)
			}
			if info.Size() > most {
				t.Errorf("%s has %d bytes, of %d", file, info.Size(), most)
			}
		}
	}
}
