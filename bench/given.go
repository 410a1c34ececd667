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

	"github.com/google/uuid"

	"roster/bench/services"
	"roster/core/android"
	"roster/core/profile"
)

// givenFolder is where the package files lie that somebody gave to a bench, to be
// put in on phones; givenList has a line for each package among them, the newest
// last.
const (
	givenFolder = "put-in"
	givenList   = givenFolder + "/list.jsonl"
)

// HandedFile is a package file that waits at the server for a bench.
type HandedFile struct {
	ID   uuid.UUID `json:"id"`
	Name string    `json:"name" maxLength:"300"`
	Size int64     `json:"size"`
}

// Offered is a package file that somebody gives.
type Offered struct {
	Name string
	Open func(ctx context.Context) (io.ReadCloser, error)
}

// Taken says what became of files that were given.
type Taken struct {
	Packages []profile.Given `json:"packages" nullable:"false"`
	// Wrong lists files that were not taken, each with why.
	Wrong []string `json:"wrong" nullable:"false"`
}

// errNoGiven says that nobody set a folder.
var errNoGiven = errors.New("this bench has no folder for files: start it with --backups FOLDER")

// takeFiles fetches package files from wherever the request came from.
func (s *Station) takeFiles(ctx context.Context, r Request, out Results) (any, error) {
	list := make([]Offered, len(r.Files))
	for i, f := range r.Files {
		list[i] = Offered{f.Name, func(ctx context.Context) (io.ReadCloser, error) { return out.File(ctx, f.ID) }}
	}
	return s.Give(ctx, list)
}

// Give takes package files to be put in on phones, whole packages each: what is no
// package file that can be checked is left out, and said.
func (s *Station) Give(ctx context.Context, list []Offered) (Taken, error) {
	t := Taken{Packages: []profile.Given{}, Wrong: []string{}}
	if s.Saves == nil {
		return t, errNoGiven
	}
	at := path.Join(givenFolder, uuid.New().String())
	var parts []profile.GivenPart
	for i, one := range list {
		if len(list) > maxSplits {
			return t, fmt.Errorf("%d files at once, at most %d", len(list), maxSplits)
		}
		part, err := s.take(ctx, one, path.Join(at, fmt.Sprint(i)))
		if errors.Is(err, errDisk) || ctx.Err() != nil {
			return t, errors.Join(err, ctx.Err(), s.Saves.Remove(at))
		}
		if err != nil {
			t.Wrong = append(t.Wrong, android.Printable(one.Name, 100)+": "+err.Error())
			continue
		}
		parts = append(parts, part)
	}
	good, wrong := profile.Gather(parts)
	for _, err := range wrong {
		t.Wrong = append(t.Wrong, err.Error())
	}
	if len(good) == 0 {
		return t, s.Saves.Remove(at)
	}
	for _, part := range parts {
		if !slices.ContainsFunc(good, func(g profile.Given) bool {
			return slices.ContainsFunc(g.Files, func(f profile.GivenFile) bool { return f.File == part.Stored })
		}) {
			if err := s.Saves.Remove(path.Dir(part.Stored)); err != nil {
				return t, diskWords(err)
			}
		}
	}
	before, err := s.given()
	if err != nil {
		return t, err
	}
	for _, g := range good {
		if err := s.list(g); err != nil {
			return t, err
		}
		t.Packages = append(t.Packages, g)
	}
	s.readGiven()
	return t, s.dropUnlisted(before)
}

// dropUnlisted deletes the folders of what was given before and has been given
// anew since.
func (s *Station) dropUnlisted(before []profile.Given) error {
	now, err := s.given()
	if err != nil {
		return err
	}
	folders := func(list []profile.Given) map[string]bool {
		all := map[string]bool{}
		for _, g := range list {
			for _, f := range g.Files {
				all[path.Dir(path.Dir(f.File))] = true
			}
		}
		return all
	}
	kept := folders(now)
	for old := range folders(before) {
		if !kept[old] && path.Dir(old) == givenFolder {
			if err := s.Saves.Remove(old); err != nil {
				return diskWords(err)
			}
		}
	}
	return nil
}

// take stores one file, and reads what it says of itself.
func (s *Station) take(ctx context.Context, one Offered, folder string) (part profile.GivenPart, err error) {
	in, err := one.Open(ctx)
	if err != nil {
		return part, err
	}
	defer in.Close()
	scratch, err := s.Scratch()
	if err != nil {
		return part, diskWords(err)
	}
	defer scratch.Close()
	sum := sha256.New()
	n, err := io.Copy(io.MultiWriter(scratch, sum), io.LimitReader(in, maxPackageFile+1))
	switch {
	case err != nil:
		return part, diskWords(err)
	case n > maxPackageFile:
		return part, fmt.Errorf("it is over %d MB", maxPackageFile>>20)
	}
	f, err := android.ReadPackageFile(scratch, n)
	if err != nil {
		return part, err
	}
	name := "base.apk"
	if f.Split != "" {
		if name = "split_" + f.Split + ".apk"; !fileName.MatchString(name) {
			return part, fmt.Errorf("it is a part called %q", f.Split)
		}
	}
	f.Icon = nil
	part = profile.GivenPart{PackageFile: *f, File: android.Printable(one.Name, 100), Stored: path.Join(folder, name),
		Size: n, SHA256: hex.EncodeToString(sum.Sum(nil))}
	out, err := s.Saves.Create(part.Stored)
	if err != nil {
		return part, diskWords(err)
	}
	defer out.Drop()
	if _, err := io.Copy(out, io.NewSectionReader(scratch, 0, n)); err != nil {
		return part, diskWords(err)
	}
	return part, diskWords(out.Keep())
}

// list writes a package down as given.
func (s *Station) list(g profile.Given) error {
	lines, err := s.Saves.Append(givenList)
	if err != nil {
		return diskWords(err)
	}
	defer lines.Close()
	raw, err := json.Marshal(g)
	if err == nil {
		_, err = lines.Write(append(raw, '\n'))
	}
	if err == nil {
		err = lines.Sync()
	}
	return diskWords(err)
}

// maxGiven is how many packages a bench shows whose files it has.
const maxGiven = 200

// readGiven reads which packages were given, for the view.
func (s *Station) readGiven() {
	list, err := s.given()
	if err != nil {
		s.Log.Warn("the list of package files to put in can't be read", "err", err)
		return
	}
	if len(list) > maxGiven {
		list = list[len(list)-maxGiven:]
	}
	s.change(func(v *View) { v.Given = list })
}

func (s *Station) given() (list []profile.Given, err error) {
	list = []profile.Given{}
	if s.Saves == nil {
		return list, nil
	}
	f, err := s.Saves.Open(givenList)
	if errors.Is(err, fs.ErrNotExist) {
		return list, nil
	}
	if err != nil {
		return list, err
	}
	defer f.Close()
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, megabyte)
	for lines.Scan() {
		var g profile.Given
		foreign := func(f profile.GivenFile) bool { return !localFile(f.File) }
		if json.Unmarshal(lines.Bytes(), &g) != nil || !g.Package.Valid() || slices.ContainsFunc(g.Files, foreign) {
			continue // cut off when the computer went down
		}
		list = append(slices.DeleteFunc(list, func(o profile.Given) bool { return o.Package == g.Package }), g)
	}
	return list, lines.Err()
}

// givenFor finds the files that a step puts in, as its pin wants them.
func (s *Station) givenFor(name android.PackageName, pin profile.FilePin) (profile.Given, error) {
	list, err := s.given()
	if err != nil {
		return profile.Given{}, err
	}
	i := slices.IndexFunc(list, func(g profile.Given) bool { return g.Package == name })
	if i < 0 {
		where := ""
		if pin.From != "" {
			where = " (" + pin.From + ")"
		}
		return profile.Given{}, fmt.Errorf("this bench has no file of %s: give it one%s, then continue", name, where)
	}
	return list[i], pin.Admits(list[i])
}

// putInFiles installs given files on a phone, checked once more against what the
// phone can run. The words are the phone's where it does not take them.
func (s *Station) putInFiles(ctx context.Context, session *services.Session, serial string, g profile.Given, sdk int) (words string, err error) {
	answer, err := session.Run("getprop ro.product.cpu.abilist; echo; df -k /data", stepTakes, 64<<10)
	if err != nil {
		return "", err
	}
	abis, room := abisAndRoom(string(answer.Out))
	if err := g.RunsOn(sdk, abis); err != nil {
		return err.Error(), nil
	}
	if need := g.Bytes() * 2; room > 0 && need > room {
		return fmt.Sprintf("INSUFFICIENT_STORAGE: %s needs about %d MB, and %d MB are free", g.Package, need>>20+1, room>>20), nil
	}
	saved := make([]Saved, len(g.Files))
	for i, f := range g.Files {
		saved[i] = Saved{Package: g.Package, File: f.File, Size: f.Size, SHA256: f.SHA256}
	}
	if _, err = s.install(ctx, serial, s.Saves, saved); errors.Is(err, services.ErrGone) || ctx.Err() != nil {
		return "", errors.Join(err, ctx.Err())
	}
	if err != nil {
		return strings.TrimPrefix(err.Error(), "the phone said: "), nil
	}
	return "", nil
}

// freeRoom finds the kibibytes that are free in a line of df -k.
var freeRoom = regexp.MustCompile(`(?m)^\S+\s+\d+\s+\d+\s+(\d{1,15})\s+\d+%`)

// abisAndRoom reads the processors of a phone and the bytes that are free on its
// data partition, none and 0 where it does not tell.
func abisAndRoom(answer string) (abis []string, room int64) {
	first, rest, _ := strings.Cut(strings.ReplaceAll(answer, "\r", ""), "\n")
	for abi := range strings.SplitSeq(strings.TrimSpace(first), ",") {
		if abi != "" && len(abi) < 40 {
			abis = append(abis, abi)
		}
	}
	if m := freeRoom.FindStringSubmatch(rest); m != nil {
		fmt.Sscan(m[1], &room)
	}
	return abis, room << 10
}
