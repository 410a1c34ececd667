//go:build !js

package bench

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// Folder is a folder of this computer's disk; nil where path is empty. What is
// in it is for its owner alone.
func Folder(path string) Files {
	if path == "" {
		return nil
	}
	return folder(path)
}

type folder string

// place makes the folder that a file will lie in.
func (f folder) place(name string) (string, error) {
	path := f.Where(name)
	return path, os.MkdirAll(filepath.Dir(path), 0o700)
}

func (f folder) Where(name string) string {
	return filepath.Join(string(f), filepath.FromSlash(name))
}

func (f folder) Open(name string) (io.ReadCloser, error) { return os.Open(f.Where(name)) }

func (f folder) Remove(name string) error {
	if !localFile(name) {
		return fmt.Errorf("%q is no folder below %s", name, string(f))
	}
	return os.RemoveAll(f.Where(name))
}

func (f folder) Append(name string) (Lines, error) {
	path, err := f.place(name)
	if err != nil {
		return nil, err
	}
	file, err := os.OpenFile(path, os.O_APPEND|os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	var last [1]byte
	if at, err := file.Seek(0, io.SeekEnd); err != nil || at == 0 {
		return file, nil // new, or nothing that can be gone back in
	} else if _, err := file.ReadAt(last[:], at-1); err != nil || last[0] == '\n' {
		return file, nil
	}
	if _, err := file.Write([]byte("\n")); err != nil {
		file.Close()
		return nil, err
	}
	return file, nil
}

func (f folder) Create(name string) (Fresh, error) {
	path, err := f.place(name)
	if err != nil {
		return nil, err
	}
	file, err := os.OpenFile(path+".part", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, err
	}
	return &fresh{file, path}, nil
}

// fresh is a file under another name than it will have.
type fresh struct {
	*os.File
	path string
}

func (f *fresh) Keep() error {
	if err := errors.Join(f.Sync(), f.Close()); err != nil {
		return err
	}
	return os.Rename(f.Name(), f.path)
}

func (f *fresh) Drop() {
	f.Close()
	os.Remove(f.Name())
}

// Scratch makes a temporary file where this computer keeps such.
func Scratch() (Temporary, error) {
	file, err := os.CreateTemp("", "roster-package-")
	if err != nil {
		return nil, err
	}
	return scratch{file, os.Remove(file.Name()) == nil}, nil
}

// scratch is a file that most systems let go without a name already.
type scratch struct {
	*os.File
	nameless bool
}

func (s scratch) Close() error {
	err := s.File.Close()
	if !s.nameless {
		err = errors.Join(err, os.Remove(s.Name()))
	}
	return err
}
