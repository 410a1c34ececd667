package backup

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"roster/store"
)

// Installation is what is saved and restored.
type Installation struct {
	Database string // its address, a URL
	Secret   string // its file; "" leaves it out
	Saved    string // the folder of what was saved of phones; "" for none
	Program  string // the version of Roster
}

// Save saves an installation into a new folder below dir, named after the time,
// which stands there whole or not at all. What a backup before it has of phones'
// files is not written again, but linked to. The server may run meanwhile: the
// database is as it was when it began.
func Save(ctx context.Context, i Installation, dir string, now time.Time) (folder string, m Manifest, err error) {
	st, err := store.New(ctx, i.Database)
	if err != nil {
		return "", m, err
	}
	defer st.Close()
	proof, err := st.CheckAudit(ctx, "")
	if err != nil {
		return "", m, err
	}
	if proof.Wrong != "" {
		return "", m, fmt.Errorf("nothing was saved, since the audit record does not hold together: %s", proof.Wrong)
	}
	m = Manifest{
		Format: Format, At: now.UTC().Truncate(time.Second), Program: i.Program,
		Entries: proof.Entries, Head: proof.Head, Secret: i.Secret != "", Files: []File{},
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", m, err
	}
	before, err := newest(dir)
	if err != nil {
		return "", m, err
	}
	folder = filepath.Join(dir, m.At.Format(folderFormat))
	if _, err := os.Stat(folder); err == nil {
		return "", m, fmt.Errorf("%s is there already", folder)
	}
	if err := removeUnfinished(dir, now); err != nil {
		return "", m, err
	}
	part, err := os.MkdirTemp(dir, ".unfinished-*")
	if err != nil {
		return "", m, err
	}
	defer os.RemoveAll(part)
	err = tool(ctx, i.Database, "pg_dump", "--format=directory", "--no-owner", "--no-acl", "--jobs="+jobsAtOnce(),
		"--file="+filepath.Join(part, databaseFolder))
	if err != nil {
		return "", m, err
	}
	w := writer{ctx: ctx, part: part, before: before, known: map[string]File{}}
	for _, f := range w.before.files {
		w.known[f.Path] = f
	}
	err = errors.Join(w.note(databaseFolder), w.secret(i.Secret), w.copyTree(i.Saved))
	if err != nil {
		return "", m, err
	}
	m.Files = w.files
	if err := writeManifest(part, m); err != nil {
		return "", m, err
	}
	if err := os.Rename(part, folder); err != nil {
		return "", m, err
	}
	act := store.Act{Action: "installation.saved", Subject: filepath.Base(folder), Detail: map[string]any{"bytes": m.Size(), "secret": m.Secret}}
	return folder, m, st.Record(ctx, act)
}

// unfinishedFor is after how long what was begun counts as broken off.
const unfinishedFor = 24 * time.Hour

// removeUnfinished removes what was begun and broken off: by a power cut, say.
func removeUnfinished(dir string, now time.Time) error {
	list, err := filepath.Glob(filepath.Join(dir, ".unfinished-*"))
	for _, old := range list {
		if info, statErr := os.Stat(old); statErr == nil && now.Sub(info.ModTime()) > unfinishedFor {
			err = errors.Join(err, os.RemoveAll(old))
		}
	}
	return err
}

// writeSynced writes a file that is on the disk when it returns.
func writeSynced(path string, raw []byte) error {
	file, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = file.Write(raw)
	return errors.Join(err, file.Sync(), file.Close())
}

// earlier is the backup that was made last, and what it holds.
type earlier struct {
	folder string
	files  []File
}

func newest(dir string) (e earlier, err error) {
	list, err := List(dir)
	if err != nil || len(list) == 0 {
		return e, err
	}
	e.folder = list[len(list)-1]
	m, err := Read(e.folder)
	if err != nil {
		return earlier{}, nil // a damaged one is no help, and no hindrance
	}
	e.files = m.Files
	return e, nil
}

func writeManifest(folder string, m Manifest) error {
	raw, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	return writeSynced(filepath.Join(folder, manifestFile), append(raw, '\n'))
}

// writer puts files into a backup that is being made, and notes them.
type writer struct {
	ctx    context.Context
	part   string
	before earlier
	known  map[string]File // of the backup before, by path
	files  []File
}

// note notes the files of a folder that somebody else wrote.
func (w *writer) note(folder string) error {
	return filepath.WalkDir(filepath.Join(w.part, folder), func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		file, err := os.Open(path)
		if err != nil {
			return err
		}
		defer file.Close()
		return w.noteFrom(path, file, io.Discard)
	})
}

// noteFrom writes a file's content on, and notes it as what lies at path.
func (w *writer) noteFrom(path string, from io.Reader, to io.Writer) error {
	if err := w.ctx.Err(); err != nil {
		return err
	}
	sum := sha256.New()
	n, err := io.Copy(io.MultiWriter(to, sum), from)
	if err != nil {
		return err
	}
	name, err := filepath.Rel(w.part, path)
	w.files = append(w.files, File{filepath.ToSlash(name), n, hex.EncodeToString(sum.Sum(nil))})
	return err
}

func (w *writer) secret(file string) error {
	if file == "" {
		return nil
	}
	raw, err := os.ReadFile(file)
	if err != nil {
		return fmt.Errorf("the installation's secret: %w", err)
	}
	path := filepath.Join(w.part, secretFile)
	if err := writeSynced(path, raw); err != nil {
		return err
	}
	return w.noteFrom(path, strings.NewReader(string(raw)), io.Discard)
}

// copyTree copies what was saved of phones. A file that goes meanwhile, since
// its time is over, is left out.
func (w *writer) copyTree(saved string) error {
	if saved == "" {
		return nil
	}
	err := filepath.WalkDir(saved, func(path string, d fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		if err != nil || !d.Type().IsRegular() {
			return err
		}
		name, err := filepath.Rel(saved, path)
		if err != nil {
			return err
		}
		if err = w.copyFile(path, filepath.Join(savedFolder, name)); errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return err
	})
	return err
}

func (w *writer) copyFile(from, name string) error {
	file, err := os.Open(from)
	if err != nil {
		return err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return err
	}
	to := filepath.Join(w.part, name)
	if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return err
	}
	if w.linked(name, to, info) {
		return nil
	}
	copied, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer copied.Close()
	if err := w.noteFrom(to, file, copied); err != nil {
		return err
	}
	if err := errors.Join(copied.Sync(), copied.Close()); err != nil {
		return err
	}
	return os.Chtimes(to, info.ModTime(), info.ModTime())
}

// linked makes a file a further name of the one that the backup before has,
// where that is the same by size and time.
func (w *writer) linked(name, to string, info fs.FileInfo) bool {
	f, known := w.known[filepath.ToSlash(name)]
	if !known || f.Size != info.Size() {
		return false
	}
	old := filepath.Join(w.before.folder, name)
	was, err := os.Stat(old)
	if err != nil || !was.ModTime().Equal(info.ModTime()) || was.Size() != info.Size() || os.Link(old, to) != nil {
		return false
	}
	w.files = append(w.files, f)
	return true
}

// Prune removes the oldest backups of a folder, so that no more than keep stay.
func Prune(dir string, keep int) (removed []string, err error) {
	list, err := List(dir)
	if err != nil || keep < 1 {
		return nil, err
	}
	for len(list) > keep {
		if err := os.RemoveAll(list[0]); err != nil {
			return removed, err
		}
		removed = append(removed, list[0])
		list = list[1:]
	}
	return removed, nil
}
