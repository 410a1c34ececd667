package bench

import (
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/google/uuid"

	"roster/bench/services"
	"roster/core/android"
)

// BackupFormat names the shape of a backup's manifest.
const BackupFormat = "roster-backup/1"

// manifest is the file of a backup that lists what it holds: one line each, the
// head first, written when the file that it names is whole.
const manifest = "manifest.jsonl"

// backupHead is the first line of a manifest.
type backupHead struct {
	Format   string `json:"format"`
	Firmware string `json:"firmware"`
}

// Saved is a package file in a backup. File is its path below the backup's
// folder, Path where it lay on the phone.
type Saved struct {
	Package     android.PackageName `json:"package"`
	VersionCode int64               `json:"versionCode,omitempty"`
	Path        string              `json:"path"`
	File        string              `json:"file"`
	Size        int64               `json:"size"`
	SHA256      string              `json:"sha256"`
	// Kept is how it lay on the image, of what was saved before it was erased there;
	// nil for what was copied for the package's sake alone.
	Kept *android.KeptFile `json:"kept,omitempty"`
}

// BackupProgress says how far a backup, a check of it or an installation from
// it is.
type BackupProgress struct {
	Done  int                 `json:"done"`
	Of    int                 `json:"of"`
	At    android.PackageName `json:"at"`
	Bytes int64               `json:"bytes"`
}

// BackupEnd is the result of such a request.
type BackupEnd struct {
	Packages int   `json:"packages"`
	Files    int   `json:"files"`
	Bytes    int64 `json:"bytes"`
	// Settings is true where a list of settings was saved, too.
	Settings bool `json:"settings"`
	// Folder is where it lies on the bench's computer.
	Folder string `json:"folder"`
	// Wrong lists packages that could not be saved, are not as they were
	// saved, or that the phone would not take, each with why.
	Wrong []Faulty `json:"wrong" nullable:"false"`
}

// Faulty is a package and what is wrong with it.
type Faulty struct {
	Package android.PackageName `json:"package"`
	Why     string              `json:"why"`
}

// errNoFolder says that nobody set a folder.
var errNoFolder = errors.New("this bench has no folder for backups: start it with --backups FOLDER")

// below are the files of one backup.
type below struct {
	Files
	folder string
}

func (b below) Open(name string) (io.ReadCloser, error) {
	return b.Files.Open(path.Join(b.folder, name))
}
func (b below) Append(name string) (Lines, error) { return b.Files.Append(path.Join(b.folder, name)) }
func (b below) Create(name string) (Fresh, error) { return b.Files.Create(path.Join(b.folder, name)) }
func (b below) Remove(name string) error          { return b.Files.Remove(path.Join(b.folder, name)) }
func (b below) Where(name string) string          { return b.Files.Where(path.Join(b.folder, name)) }

func (s *Station) backupFolder(r Request) (Files, error) {
	if s.Saves == nil {
		return nil, errNoFolder
	}
	return below{s.Saves, r.Backup.String()}, nil
}

// backup saves the files of packages, and what was saved by an earlier attempt
// is not asked for again.
func (s *Station) backup(ctx context.Context, serial string, r Request, out Results) (any, error) {
	folder, err := s.backupFolder(r)
	if err != nil {
		return nil, err
	}
	before, err := readManifest(folder)
	if err != nil {
		return nil, err
	}
	b := &backer{folder: folder, station: s, serial: serial, have: map[string]Saved{}, end: BackupEnd{Folder: folder.Where(""), Wrong: []Faulty{}}}
	for _, one := range before {
		b.have[string(one.Package)+" "+one.Path] = one
	}
	if b.list, err = folder.Append(manifest); err != nil {
		return nil, diskWords(err)
	}
	defer b.list.Close()
	if len(before) == 0 {
		if err := b.note(backupHead{BackupFormat, r.With}); err != nil {
			return b.end, err
		}
	}
	err = b.saveAll(ctx, r, out)
	if err == nil && r.Settings {
		err = b.settings(ctx)
	}
	return b.end, err
}

// backer makes one backup.
type backer struct {
	station *Station
	folder  Files
	serial  string
	list    Lines
	have    map[string]Saved
	sync    *services.Sync
	end     BackupEnd
}

func (b *backer) saveAll(ctx context.Context, r Request, out Results) error {
	paths, err := allPaths(ctx, b.station.Host, b.serial, r.Wanted)
	if err != nil {
		return err
	}
	defer func() {
		if b.sync != nil {
			b.sync.Close()
		}
	}()
	for i, w := range r.Wanted {
		if err := out.Tell(ctx, BackupProgress{i, len(r.Wanted), w.Name, b.end.Bytes}); err != nil {
			return err
		}
		if len(paths[w.Name]) == 0 {
			b.end.Wrong = append(b.end.Wrong, Faulty{w.Name, "the phone names no file of it"})
			continue
		}
		err := b.save(ctx, w, paths[w.Name])
		if errors.Is(err, services.ErrGone) || ctx.Err() != nil || errors.Is(err, errDisk) {
			return errors.Join(err, ctx.Err())
		}
		if err != nil {
			b.end.Wrong = append(b.end.Wrong, Faulty{w.Name, android.Printable(err.Error(), 200)})
			continue
		}
		b.end.Packages++
	}
	return out.Tell(ctx, BackupProgress{len(r.Wanted), len(r.Wanted), "", b.end.Bytes})
}

// fileName keeps what a file's name on the phone may be here.
var fileName = regexp.MustCompile(`^[A-Za-z0-9_][A-Za-z0-9_.\-]{0,200}\.apk$`)

// save copies a package's files, all of its splits.
func (b *backer) save(ctx context.Context, w Wanted, paths []string) error {
	for _, from := range paths {
		if known, ok := b.have[string(w.Name)+" "+from]; ok && known.check(b.folder) == nil {
			b.end.Files, b.end.Bytes = b.end.Files+1, b.end.Bytes+known.Size
			continue
		}
		name := from[strings.LastIndexByte(from, '/')+1:]
		if !fileName.MatchString(name) {
			return fmt.Errorf("its file is called %q", android.Printable(name, 60))
		}
		one, err := b.pull(ctx, from, path.Join(string(w.Name), name))
		if err != nil {
			return err
		}
		one.Package, one.VersionCode = w.Name, w.VersionCode
		if err := b.note(one); err != nil {
			return err
		}
		b.end.Files, b.end.Bytes = b.end.Files+1, b.end.Bytes+one.Size
	}
	return nil
}

// pull copies one file; it has its name only when it is whole, as large as the
// phone says, and on the disk.
func (b *backer) pull(ctx context.Context, from, name string) (one Saved, err error) {
	if b.sync == nil {
		if b.sync, err = services.Files(ctx, b.station.Host, b.serial); err != nil {
			return one, err
		}
	}
	size, err := b.sync.Size(from)
	if err != nil {
		return one, err
	}
	f, err := b.folder.Create(name)
	if err != nil {
		return one, diskWords(err)
	}
	defer f.Drop()
	sum := sha256.New()
	n, err := b.sync.Pull(from, io.MultiWriter(f, sum), maxPackageFile)
	if err != nil {
		b.sync.Close()
		b.sync = nil
		return one, diskWords(err)
	}
	if n != size {
		return one, fmt.Errorf("%d bytes arrived of %d", n, size)
	}
	if err := f.Keep(); err != nil {
		return one, diskWords(err)
	}
	return Saved{Path: from, File: name, Size: n, SHA256: hex.EncodeToString(sum.Sum(nil))}, nil
}

func (b *backer) note(line any) error {
	raw, err := json.Marshal(line)
	if err == nil {
		_, err = b.list.Write(append(raw, '\n'))
	}
	if err == nil {
		err = b.list.Sync()
	}
	return diskWords(err)
}

// settings saves what the phone's settings are, as it lists them.
func (b *backer) settings(ctx context.Context) error {
	session, err := services.Shell(ctx, b.station.Host, b.serial)
	if err != nil {
		return err
	}
	defer session.Close()
	for _, namespace := range []string{"global", "secure", "system"} {
		answer, err := session.Run("settings list "+namespace, 30*time.Second, 4*megabyte)
		if err != nil {
			return err
		}
		if err := b.keep("settings-"+namespace+".txt", answer.Out); err != nil {
			return diskWords(err)
		}
	}
	b.end.Settings = true
	return nil
}

func (b *backer) keep(name string, content []byte) error {
	f, err := b.folder.Create(name)
	if err != nil {
		return err
	}
	defer f.Drop()
	if _, err := f.Write(content); err != nil {
		return err
	}
	return f.Keep()
}

// errDisk is wrapped by errors of this computer's disk.
var errDisk = errors.New("this computer's disk")

// diskWords says in words what is wrong with the disk.
func diskWords(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return fmt.Errorf("%w is full: free some room, then go on; what was saved stays", errDisk)
	case errors.Is(err, fs.ErrPermission), errors.Is(err, syscall.EROFS):
		return fmt.Errorf("%w can not be written: %w", errDisk, err)
	}
	return err
}

// readManifest reads what a backup holds; a last line that was cut off is left
// out.
func readManifest(folder Files) ([]Saved, error) {
	f, err := folder.Open(manifest)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	var list []Saved
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, megabyte)
	for n := 1; lines.Scan(); n++ {
		var one Saved
		if n == 1 || json.Unmarshal(lines.Bytes(), &one) != nil {
			continue
		}
		folder := one.Kept != nil && one.Kept.Folder && one.File == ""
		if !one.Package.Valid() || !folder && !localFile(one.File) {
			return nil, fmt.Errorf("line %d of the backup's list names what can't be in it", n)
		}
		// What was saved again stands as it was saved last.
		list = append(slices.DeleteFunc(list, func(old Saved) bool { return old.Package == one.Package && old.Path == one.Path }), one)
	}
	return list, lines.Err()
}

// localFile accepts a path that stays below the folder that it is in.
func localFile(name string) bool {
	return fs.ValidPath(name) && name != "." && !strings.ContainsAny(name, `\:`)
}

// check reports what is wrong with a saved file; nil where it is as it was
// saved.
func (one Saved) check(folder Files) error {
	if one.Kept != nil && one.Kept.Folder {
		return nil
	}
	f, err := folder.Open(one.File)
	if errors.Is(err, fs.ErrNotExist) {
		return errors.New("its file is gone")
	}
	if err != nil {
		return err
	}
	defer f.Close()
	sum := sha256.New()
	n, err := io.Copy(sum, f)
	switch {
	case err != nil:
		return err
	case n != one.Size:
		return fmt.Errorf("its file has %d bytes, and had %d", n, one.Size)
	case hex.EncodeToString(sum.Sum(nil)) != one.SHA256:
		return errors.New("its file is not what was saved")
	}
	return nil
}

// verify checks every file of a backup against its size and SHA-256.
func (s *Station) verify(ctx context.Context, r Request, out Results) (any, error) {
	folder, list, err := s.saved(r)
	if err != nil {
		return nil, err
	}
	end := BackupEnd{Folder: folder.Where(""), Wrong: []Faulty{}}
	packages := map[android.PackageName]bool{}
	for i, one := range list {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if i%20 == 0 {
			if err := out.Tell(ctx, BackupProgress{i, len(list), one.Package, end.Bytes}); err != nil {
				return nil, err
			}
		}
		if err := one.check(folder); err != nil {
			end.Wrong = append(end.Wrong, Faulty{one.Package, err.Error()})
			continue
		}
		packages[one.Package] = true
		end.Files, end.Bytes = end.Files+1, end.Bytes+one.Size
	}
	end.Packages = len(packages)
	return end, nil
}

func (s *Station) saved(r Request) (Files, []Saved, error) {
	folder, err := s.backupFolder(r)
	if err != nil {
		return nil, nil, err
	}
	list, err := readManifest(folder)
	if err == nil && len(list) == 0 {
		err = errors.New("this backup is not on this computer any more, or holds nothing")
	}
	return folder, list, err
}

// discard deletes all of a backup. One that is not there any more is deleted.
func (s *Station) discard(r Request) (any, error) {
	if s.Saves == nil {
		return nil, errNoFolder
	}
	if r.Backup == uuid.Nil {
		return nil, errors.New("which backup is to be deleted was not said")
	}
	if err := s.Saves.Remove(r.Backup.String()); err != nil {
		return nil, diskWords(err)
	}
	return Words{"deleted"}, nil
}

// restore installs packages from a backup, all splits of each in one go.
func (s *Station) restore(ctx context.Context, serial string, r Request, out Results) (any, error) {
	folder, list, err := s.saved(r)
	if err != nil {
		return nil, err
	}
	files := map[android.PackageName][]Saved{}
	for _, one := range list {
		if one.Kept == nil {
			files[one.Package] = append(files[one.Package], one)
		}
	}
	end := BackupEnd{Folder: folder.Where(""), Wrong: []Faulty{}}
	for i, w := range r.Wanted {
		if err := out.Tell(ctx, BackupProgress{i, len(r.Wanted), w.Name, end.Bytes}); err != nil {
			return nil, err
		}
		n, err := s.install(ctx, serial, folder, files[w.Name])
		if errors.Is(err, services.ErrGone) || ctx.Err() != nil {
			return end, errors.Join(err, ctx.Err())
		}
		if err != nil {
			end.Wrong = append(end.Wrong, Faulty{w.Name, android.Printable(err.Error(), 300)})
			continue
		}
		end.Packages, end.Files, end.Bytes = end.Packages+1, end.Files+len(files[w.Name]), end.Bytes+n
	}
	return end, nil
}

// sessionOf finds the number in the phone's answer to install-create.
var sessionOf = regexp.MustCompile(`^Success: created install session \[(\d{1,12})\]$`)

// install puts one package's files on the phone, checked before.
func (s *Station) install(ctx context.Context, serial string, folder Files, files []Saved) (bytes int64, err error) {
	if len(files) == 0 {
		return 0, errors.New("the backup does not hold it")
	}
	for _, one := range files {
		if err := one.check(folder); err != nil {
			return 0, err
		}
		bytes += one.Size
	}
	session, err := services.Shell(ctx, s.Host, serial)
	if err != nil {
		return 0, err
	}
	defer session.Close()
	answer, err := session.Run(fmt.Sprintf("pm install-create -r -S %d", bytes), stepTakes, 4096)
	if err != nil {
		return 0, err
	}
	found := sessionOf.FindStringSubmatch(answer.Words())
	if found == nil {
		return 0, errors.New("the phone said: " + answer.Words())
	}
	for _, one := range files {
		if err := s.feed(ctx, serial, folder, found[1], one); err != nil {
			session.Run("pm install-abandon "+found[1], stepTakes, 4096)
			return 0, err
		}
	}
	answer, err = session.Run("pm install-commit "+found[1], stepTakes, 4096)
	if err == nil && !strings.HasPrefix(answer.Words(), "Success") {
		err = errors.New("the phone said: " + answer.Words())
	}
	return bytes, err
}

func (s *Station) feed(ctx context.Context, serial string, folder Files, session string, one Saved) error {
	f, err := folder.Open(one.File)
	if err != nil {
		return err
	}
	defer f.Close()
	name := path.Base(one.File)
	if !fileName.MatchString(name) {
		return fmt.Errorf("a file is called %q", android.Printable(name, 60))
	}
	words, err := services.Feed(ctx, s.Host, serial, fmt.Sprintf("cmd package install-write -S %d %s %s -", one.Size, session, name), f, one.Size)
	if err == nil && !strings.HasPrefix(words, "Success") {
		err = errors.New("the phone said: " + android.Printable(words, 200))
	}
	return err
}
