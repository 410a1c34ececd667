package web

import (
	"bytes"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/andybalholm/brotli"
)

// packed is the ending of files that are carried only compressed, by brotli.
const packed = ".br"

// Files are the files of the built application. Those that are carried
// compressed are there by both names, with the ending and unpacked without it.
func Files() fs.FS {
	dist, err := fs.Sub(Dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded
	}
	return unpacking{dist}
}

type unpacking struct{ fs.FS }

// Open opens a file as it is, or unpacks it into memory.
func (u unpacking) Open(name string) (fs.File, error) {
	file, err := u.FS.Open(name)
	if err == nil || path.Ext(name) == packed {
		return file, err
	}
	raw, packedErr := fs.ReadFile(u.FS, name+packed)
	if packedErr != nil {
		return nil, err
	}
	plain, err := io.ReadAll(brotli.NewReader(bytes.NewReader(raw)))
	if err != nil {
		return nil, &fs.PathError{Op: "open", Path: name, Err: err}
	}
	return &unpacked{bytes.NewReader(plain), path.Base(name)}, nil
}

// ReadDir lists a folder with the names that files have unpacked.
func (u unpacking) ReadDir(name string) ([]fs.DirEntry, error) {
	entries, err := fs.ReadDir(u.FS, name)
	for _, e := range slices.Clone(entries) {
		if plain, ok := strings.CutSuffix(e.Name(), packed); ok && !e.IsDir() {
			entries = append(entries, fs.FileInfoToDirEntry(&unpacked{bytes.NewReader(nil), plain}))
		}
	}
	slices.SortFunc(entries, func(a, b fs.DirEntry) int { return strings.Compare(a.Name(), b.Name()) })
	return entries, err
}

// unpacked is a file in memory, and what is known of it.
type unpacked struct {
	*bytes.Reader
	name string
}

func (f *unpacked) Stat() (fs.FileInfo, error) { return f, nil }
func (f *unpacked) Close() error               { return nil }
func (f *unpacked) Name() string               { return f.name }
func (f *unpacked) Size() int64                { return f.Reader.Size() }
func (f *unpacked) Mode() fs.FileMode          { return 0o444 }
func (f *unpacked) ModTime() time.Time         { return time.Time{} }
func (f *unpacked) IsDir() bool                { return false }
func (f *unpacked) Sys() any                   { return nil }
