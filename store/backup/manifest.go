package backup

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// Format is what a manifest says it is.
const Format = "roster-backup/1"

// What lies in a backup's folder.
const (
	manifestFile   = "manifest.json"
	databaseFolder = "database" // as pg_dump's directory format has it
	secretFile     = "secret"
	savedFolder    = "saved"
)

// Manifest tells what a backup holds.
type Manifest struct {
	Format string    `json:"format"`
	At     time.Time `json:"at"`
	// Program is the version of Roster that made it.
	Program string `json:"program"`
	// Entries and Head are those of the audit record when it was begun: what is
	// restored has to have them.
	Entries int64  `json:"entries"`
	Head    string `json:"head"`
	// Secret is false where the installation's secret is kept elsewhere.
	Secret bool   `json:"secret"`
	Files  []File `json:"files"`
}

// File is one file of a backup, by its path in the folder with slashes.
type File struct {
	Path   string `json:"path"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
}

// Size is how many bytes it holds.
func (m Manifest) Size() (n int64) {
	for _, f := range m.Files {
		n += f.Size
	}
	return n
}

// folderFormat names backups by their time, so that their names sort by it.
const folderFormat = "20060102T150405Z"

// List finds the whole backups in a folder, oldest first.
func List(dir string) ([]string, error) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	var list []string
	for _, e := range entries {
		if _, err := time.Parse(folderFormat, e.Name()); err == nil && e.IsDir() {
			list = append(list, filepath.Join(dir, e.Name()))
		}
	}
	slices.Sort(list)
	return list, nil
}

// Find is the backup that a path means: the folder of one, or the newest in a
// folder of several.
func Find(path string) (string, error) {
	if _, err := os.Stat(filepath.Join(path, manifestFile)); err == nil {
		return path, nil
	}
	list, err := List(path)
	if err != nil {
		return "", err
	}
	if len(list) == 0 {
		return "", fmt.Errorf("there is no backup in %s: neither a %s nor a folder such as %s", path, manifestFile, folderFormat)
	}
	return list[len(list)-1], nil
}

// Read reads a backup's manifest.
func Read(folder string) (m Manifest, err error) {
	raw, err := os.ReadFile(filepath.Join(folder, manifestFile))
	if err != nil {
		return m, err
	}
	if err := json.Unmarshal(raw, &m); err != nil {
		return m, fmt.Errorf("%s: %w", filepath.Join(folder, manifestFile), err)
	}
	if m.Format != Format {
		return m, fmt.Errorf("%s says that it is %q; this program reads %s", filepath.Join(folder, manifestFile), m.Format, Format)
	}
	return m, nil
}

// Verify compares all files of a backup with its manifest. The error names each
// that is missing, surplus or other than it was.
func Verify(ctx context.Context, folder string) (Manifest, error) {
	m, err := Read(folder)
	if err != nil {
		return m, err
	}
	root, err := os.OpenRoot(folder) // a manifest's paths lead nowhere else
	if err != nil {
		return m, err
	}
	defer root.Close()
	var wrong []error
	known := map[string]bool{manifestFile: true}
	for _, f := range m.Files {
		known[f.Path] = true
		if err := ctx.Err(); err != nil {
			return m, err
		}
		if err := verifyFile(root, f); err != nil {
			wrong = append(wrong, fmt.Errorf("%s: %w", f.Path, err))
		}
	}
	err = filepath.WalkDir(folder, func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		name, err := filepath.Rel(folder, path)
		if name = filepath.ToSlash(name); err == nil && !known[name] {
			wrong = append(wrong, fmt.Errorf("%s: the manifest does not know it", name))
		}
		return err
	})
	return m, errors.Join(append(wrong, err)...)
}

func verifyFile(root *os.Root, f File) error {
	file, err := root.Open(filepath.FromSlash(f.Path))
	if err != nil {
		return errors.New("is missing")
	}
	defer file.Close()
	sum := sha256.New()
	n, err := io.Copy(sum, file)
	if err != nil {
		return err
	}
	if n != f.Size || hex.EncodeToString(sum.Sum(nil)) != strings.ToLower(f.SHA256) {
		return fmt.Errorf("is not what was saved: %d bytes of %d, or others", n, f.Size)
	}
	return nil
}
