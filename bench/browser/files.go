//go:build js && wasm

package browser

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"strings"
	"sync"
	"syscall/js"

	"roster/bench"
)

// Files is what a browser keeps for this page and no other, below a folder.
type Files struct {
	root   js.Value
	folder string
	// held are files that lines are added to, by their paths. Opening one takes a
	// browser longer than writing to it, and nobody else could open it meanwhile:
	// they stay open for as long as the bench is there.
	held map[string]*file
	mu   *sync.Mutex
}

// NewFiles is all that the browser keeps; root is an object of
// web/src/usb/files.ts.
func NewFiles(root js.Value) Files {
	return Files{root: root, held: map[string]*file{}, mu: &sync.Mutex{}}
}

// Below is what lies in a folder of it.
func (f Files) Below(folder string) Files {
	f.folder = folder
	return f
}

// Where says to people where it lies.
func (f Files) Where(name string) string {
	return "what this browser keeps for Roster: " + f.path(name)
}

func (f Files) path(name string) string {
	if f.folder == "" {
		return name
	}
	return f.folder + "/" + name
}

// handle opens a file: "read" one that is there, "append", or "fresh".
func (f Files) handle(name, how string) (*file, error) {
	promise, err := call(f.root, "open", f.path(name), how)
	if err != nil {
		return nil, err
	}
	handle, err := wait(context.Background(), promise)
	if err != nil {
		return nil, err
	}
	return &file{handle: handle}, nil
}

// Open opens a file to read it.
func (f Files) Open(name string) (io.ReadCloser, error) {
	f.mu.Lock()
	held := f.held[f.path(name)]
	f.mu.Unlock()
	if held != nil {
		return io.NopCloser(io.NewSectionReader(held, 0, held.size())), nil
	}
	return f.handle(name, "read")
}

// lines is a file that stays open.
type lines struct{ *file }

func (lines) Close() error { return nil }

// Append opens a file to add lines to.
func (f Files) Append(name string) (bench.Lines, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if held := f.held[f.path(name)]; held != nil {
		return lines{held}, nil
	}
	h, err := f.handle(name, "append")
	if err != nil {
		return nil, err
	}
	if h.at = h.size(); h.at > 0 {
		var last [1]byte
		if _, err := h.ReadAt(last[:], h.at-1); err != nil || last[0] != '\n' {
			if _, err := h.Write([]byte("\n")); err != nil {
				h.Close()
				return nil, err
			}
		}
	}
	f.held[f.path(name)] = h
	return lines{h}, nil
}

// Create begins a file under a name of its own.
func (f Files) Create(name string) (bench.Fresh, error) {
	h, err := f.handle(name+".part", "fresh")
	if err != nil {
		return nil, err
	}
	return &fresh{h, f, name}, nil
}

// Temporary makes a file that goes when it is closed.
func (f Files) Temporary() (bench.Temporary, error) {
	name := "scratch/" + js.Global().Get("crypto").Call("randomUUID").String()
	h, err := f.handle(name, "fresh")
	if err != nil {
		return nil, err
	}
	return &temporary{h, f, name}, nil
}

// Remove takes away a folder with all that is in it, or a file; that it is not
// there is no error.
func (f Files) Remove(name string) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	for at, held := range f.held {
		if at == f.path(name) || strings.HasPrefix(at, f.path(name)+"/") {
			held.Close()
			delete(f.held, at)
		}
	}
	promise, err := call(f.root, "remove", f.path(name))
	if err == nil {
		_, err = wait(context.Background(), promise)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// file is a file that is open, with where it is being read or written.
type file struct {
	handle js.Value // a FileSystemSyncAccessHandle
	at     int64
	closed bool
}

func (f *file) size() int64 {
	n, err := call(f.handle, "getSize")
	if err != nil {
		return 0
	}
	return int64(n.Float())
}

func place(at int64) map[string]any { return map[string]any{"at": float64(at)} }

func (f *file) ReadAt(p []byte, at int64) (int, error) {
	into := js.Global().Get("Uint8Array").New(len(p))
	n, err := call(f.handle, "read", into, place(at))
	if err != nil {
		return 0, err
	}
	got := js.CopyBytesToGo(p[:n.Int()], into)
	if got < len(p) {
		return got, io.EOF
	}
	return got, nil
}

func (f *file) Read(p []byte) (int, error) {
	n, err := f.ReadAt(p, f.at)
	f.at += int64(n)
	if n > 0 && err == io.EOF {
		err = nil
	}
	return n, err
}

func (f *file) Write(p []byte) (int, error) {
	n, err := call(f.handle, "write", array(p), place(f.at))
	if err != nil {
		return 0, err
	}
	f.at += int64(n.Int())
	if n.Int() < len(p) {
		return n.Int(), io.ErrShortWrite
	}
	return n.Int(), nil
}

// Sync returns when the browser has handed everything to the disk.
func (f *file) Sync() error {
	_, err := call(f.handle, "flush")
	return err
}

func (f *file) Close() error {
	if f.closed {
		return nil
	}
	f.closed = true
	_, err := call(f.handle, "close")
	return err
}

type fresh struct {
	*file
	files Files
	name  string
}

func (f *fresh) Keep() error {
	if err := f.Sync(); err != nil {
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	promise, err := call(f.files.root, "rename", f.files.path(f.name+".part"), f.files.path(f.name))
	if err == nil {
		_, err = wait(context.Background(), promise)
	}
	return err
}

func (f *fresh) Drop() {
	if !f.closed {
		f.Close()
		f.files.Remove(f.name + ".part")
	}
}

type temporary struct {
	*file
	files Files
	name  string
}

func (t *temporary) Close() error {
	err := t.file.Close()
	t.files.Remove(t.name)
	return err
}
