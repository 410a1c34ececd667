package bench

import (
	"context"
	"errors"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"roster/bench/services"
	"roster/core/android"
	"roster/core/run"
	"roster/core/wording"
)

// rootTakes is how long an owner has to answer on the screen whether root is given.
const rootTakes = time.Minute

// images asks how packages lie on the image, the phone and its owner for root
// first, and writes it into values as runs keep it.
func images(session *services.Session, names []android.PackageName, values map[string]string) error {
	if len(names) == 0 {
		return nil
	}
	lies := map[android.PackageName]android.Lies{}
	for some := range slices.Chunk(names, atOnce) {
		answer, err := session.Run(android.FoldersQuestion(some), stepTakes, megabyte)
		if err != nil {
			return fmt.Errorf("asking where packages lie: %w", err)
		}
		for name, l := range android.ReadFolders(string(answer.Out)) {
			lies[name] = l
		}
	}
	var folders []string
	for _, name := range names {
		folders = append(folders, lies[name].Folder)
	}
	answer, err := session.Run(android.RootQuestion(folders), rootTakes, megabyte)
	if err != nil {
		return fmt.Errorf("asking for root: %w", err)
	}
	facts := android.ReadRoot(string(answer.Out))
	if probe := facts.MayWrite(folders); facts.Root.Given() && len(probe) > 0 {
		answer, err := session.Run(android.ProbeQuestion(facts.Root, probe), stepTakes, megabyte)
		if err != nil {
			return fmt.Errorf("asking whether the image can be written: %w", err)
		}
		facts.ReadProbe(string(answer.Out))
	}
	for _, name := range names {
		values[run.Key{Namespace: run.Image, Key: string(name)}.String()] = facts.Of(name, lies[name]).String()
	}
	return nil
}

// Rooted is what came of asking for root: how packages lie on the image, by name,
// as android.Image writes itself.
type Rooted struct {
	Images map[string]string `json:"images"`
}

// askForRoot asks how the packages of a request's keys lie on the image; what that
// finds out it leaves as it was.
func (s *Station) askForRoot(ctx context.Context, serial string, r Request) (any, error) {
	session, err := services.Shell(ctx, s.Host, serial)
	if err != nil {
		return nil, err
	}
	defer session.Close()
	names, _ := run.NeedsRoot(r.Keys)
	values, out := map[string]string{}, Rooted{map[string]string{}}
	if err := images(session, names, values); err != nil {
		return nil, err
	}
	for _, name := range names {
		out.Images[string(name)] = values[run.Key{Namespace: run.Image, Key: string(name)}.String()]
	}
	return out, nil
}

// changesImage reports whether the run takes anything out of the image.
func (w *runner) changesImage() bool {
	return slices.ContainsFunc(w.keys, func(k run.Key) bool { return k.Namespace == run.Image })
}

// fromImage takes a package out of the image, or brings it back there.
func (w *runner) fromImage(ctx context.Context, step run.Step, begun time.Time) error {
	image, ok := step.ImageOf(w.seen)
	if !ok { // of a step that waits that was written down before; of others it is asked now
		w.keys = append(w.keys, step.Touches())
		if err := w.glance(); err != nil {
			return err
		}
		image, _ = step.ImageOf(w.seen)
	}
	var a run.StepAnswer
	var err error
	if step.Kind == run.PutBack {
		a, err = w.backToImage(ctx, step, image)
	} else {
		a, err = w.outOfImage(ctx, step, image)
	}
	if err != nil {
		return err
	}
	a.Step, a.Words, a.Took = step.Number, android.Printable(a.Words, 500), time.Since(begun).Milliseconds()
	w.answers = append(w.answers, a)
	return nil
}

// ended is how a step ended.
func ended(state run.State, words string) run.StepAnswer {
	return run.StepAnswer{State: state, Words: words}
}

// outOfImage takes a package out of the image, in the way that the phone allows. An
// update goes first, and what the app had written where that was told; a folder is
// saved before it is erased.
func (w *runner) outOfImage(ctx context.Context, step run.Step, image android.Image) (a run.StepAnswer, err error) {
	switch words := run.NoWayWords(image); {
	case image.State == android.IsMasked || image.State == android.IsErased:
		return ended(run.Already, "taken out of the image before"), nil
	case words != "":
		return ended(run.Refused, words), nil
	}
	if image.Way == android.Erased {
		saved, err := w.saveFolder(ctx, step, image)
		if errors.Is(err, services.ErrGone) || ctx.Err() != nil {
			return a, errors.Join(err, ctx.Err())
		}
		if err != nil {
			return ended(run.Refused, "its folder could not be saved, and so it stays in the image: "+err.Error()), nil
		}
		w.saved = append(w.saved, saved)
	}
	words, err := w.withoutUpdate(step, image)
	if err != nil || words != "" {
		return ended(run.Refused, words), err
	}
	before, err := w.room(image)
	if err != nil {
		return a, err
	}
	line, err := image.TakeOutCommand(step.Package)
	if err != nil {
		return ended(run.Failed, err.Error()), nil
	}
	if words, err := w.asRoot(line); err != nil || words != "" {
		return ended(run.Refused, "not taken out of the image: "+words), err
	}
	after, err := w.room(image)
	if err != nil {
		return a, err
	}
	a.State, a.Words = run.Done, "masked: gone after the restart"
	image.State = android.IsMasked
	if image.Way == android.Erased {
		image.State = android.IsErased
		a.Words = fmt.Sprintf("erased, its folder saved: gone after the restart; %s more room on %s", wording.Bytes((after-before)<<10), image.At)
	}
	w.know(step, image)
	return a, nil
}

// know keeps how a package lies now.
func (w *runner) know(step run.Step, image android.Image) {
	k := step.Touches().String()
	w.noise[k] = image.String()
	w.seen.Settings[k] = image.String()
}

// withoutUpdate takes off the update of a package, which would stay without its
// copy on the image, and what the app had written where that goes, too. The words
// are the phone's where it does not.
func (w *runner) withoutUpdate(step run.Step, image android.Image) (words string, err error) {
	var lines []string
	if image.Updated {
		lines = append(lines, "pm uninstall -k "+string(step.Package))
	}
	if step.WithData {
		lines = append(lines, "pm clear --user 0 "+string(step.Package))
	}
	for _, line := range lines {
		answer, err := w.session.Run(line+" 2>&1", stepTakes, 64<<10)
		if err != nil {
			return "", err
		}
		if !strings.Contains(answer.Words(), "Success") {
			return answer.Words(), nil
		}
	}
	return "", nil
}

var freeKiB = regexp.MustCompile(`(?m)^\S+\s+\d+\s+\d+\s+(\d{1,15})\s+\d+%`)

// room is what is free on a package's partition, in KiB; 0 where the phone does not
// tell.
func (w *runner) room(image android.Image) (kib int64, err error) {
	answer, err := w.session.Run("df -k "+image.At, stepTakes, 64<<10)
	if m := freeKiB.FindSubmatch(answer.Out); err == nil && m != nil {
		kib, _ = strconv.ParseInt(string(m[1]), 10, 64) // so many digits always fit
	}
	return kib, err
}

// saveFolder saves all of a package's folder on the image in a backup that has the
// run's identity: each file with its checksum, which the phone and this computer
// have to agree about, and its owner, mode and label.
func (w *runner) saveFolder(ctx context.Context, step run.Step, image android.Image) (saved run.SavedFolder, err error) {
	folder, err := w.station.backupFolder(Request{Backup: w.id})
	if err != nil {
		return saved, err
	}
	before, err := readManifest(folder)
	if err != nil {
		return saved, err
	}
	line, err := image.ListCommand(step.Package)
	if err != nil {
		return saved, err
	}
	answer, err := w.session.Run(line, stepTakes, megabyte)
	if err != nil {
		return saved, err
	}
	list, err := image.ReadList(string(answer.Out))
	if err != nil {
		return saved, err
	}
	b := &backer{folder: folder, station: w.station, serial: w.serial}
	if b.list, err = folder.Append(manifest); err != nil {
		return saved, diskWords(err)
	}
	defer b.list.Close()
	defer func() {
		if b.sync != nil {
			b.sync.Close()
		}
	}()
	if len(before) == 0 {
		if err := b.note(backupHead{BackupFormat, w.seen.Fingerprint}); err != nil {
			return saved, err
		}
	}
	saved = run.SavedFolder{Package: step.Package, Folder: folder.Where("")}
	for n, kept := range list {
		one := Saved{Path: kept.Path}
		if !kept.Folder {
			if one, err = b.pull(ctx, kept.Path, path.Join(string(step.Package), "image-"+strconv.Itoa(n))); err != nil {
				return saved, err
			}
			if one.SHA256 != kept.SHA256 || one.Size != kept.Size {
				return saved, fmt.Errorf("%s arrived as something else than the phone has", kept.Path)
			}
			saved.Files, saved.Bytes = saved.Files+1, saved.Bytes+one.Size
		}
		one.Package, one.Kept = step.Package, &kept
		if err := b.note(one); err != nil {
			return saved, err
		}
	}
	return saved, nil
}

// backToImage brings a package back to the image: it is there after the next start.
func (w *runner) backToImage(ctx context.Context, step run.Step, image android.Image) (a run.StepAnswer, err error) {
	was, ok := android.ParseImage(step.Value)
	switch {
	case !ok || was.Folder == "":
		return ended(run.Failed, "nobody wrote down where on the image it lay"), nil
	case !image.Root.Given():
		return ended(run.Refused, run.NoWayWords(image)), nil
	case image.Lies(was.Folder):
		return ended(run.Already, "in the image again"), nil
	}
	was.Root = image.Root
	line, err := was.PutBackCommand(step.Package)
	if err != nil {
		return ended(run.Failed, err.Error()), nil
	}
	words, err := w.asRoot(line)
	if err != nil {
		return a, err
	}
	if words != "" { // the phone has no copy of its own any more
		words, err = w.writeBack(ctx, step, was)
	}
	switch {
	case errors.Is(err, services.ErrGone) || ctx.Err() != nil:
		return a, errors.Join(err, ctx.Err())
	case err != nil:
		return ended(run.Failed, err.Error()), nil
	case words != "":
		return ended(run.Refused, "not back in the image: "+words), nil
	}
	was.State = android.OnImage
	w.know(step, was)
	return ended(run.Done, "in the image again: there after the restart"), nil
}

// pushed is the folder of a phone that files are pushed to, for root to take.
const pushed = "/data/local/tmp"

// writeBack writes an erased folder back from what this bench saved of it.
func (w *runner) writeBack(ctx context.Context, step run.Step, image android.Image) (words string, err error) {
	folder, list, err := w.station.saved(Request{Backup: w.id})
	if err != nil {
		return "", fmt.Errorf("its folder was saved elsewhere: %w", err)
	}
	list = slices.DeleteFunc(list, func(one Saved) bool { return one.Package != step.Package || one.Kept == nil })
	if len(list) == 0 {
		return "", errors.New("its folder was not saved on this computer: go on where it was erased")
	}
	slices.SortFunc(list, func(a, b Saved) int { return strings.Compare(a.Path, b.Path) })
	sync, err := services.Files(ctx, w.station.Host, w.serial)
	if err != nil {
		return "", err
	}
	defer sync.Close()
	kept := make([]android.KeptFile, len(list))
	for n, one := range list {
		if kept[n] = *one.Kept; kept[n].Folder {
			continue
		}
		if err := one.check(folder); err != nil {
			return "", fmt.Errorf("what was saved of %s: %w", one.Path, err)
		}
		f, err := folder.Open(one.File)
		if err != nil {
			return "", err
		}
		err = sync.Push(pushed+"/roster-"+w.id.String()+"/"+strconv.Itoa(n), f, one.Size)
		f.Close()
		if err != nil {
			return "", err
		}
	}
	from := pushed + "/roster-" + w.id.String()
	line, err := image.WriteCommand(step.Package, kept, from)
	if err != nil {
		return "", err
	}
	words, err = w.asRoot(line)
	if err != nil { // the session is of no more use
		return "", errors.Join(services.ErrGone, err)
	}
	_, err = w.session.Run(android.Rooted(image.Root, "rm -rf "+from), stepTakes, 64<<10)
	return words, err
}

// asRoot has root do a line of an image; the words are the phone's where that did not
// go well.
func (w *runner) asRoot(line string) (words string, err error) {
	answer, err := w.session.Run(line, stepTakes, 64<<10)
	if err != nil || strings.Contains(string(answer.Out), android.Taken) {
		return "", err
	}
	return "the phone said: " + answer.Words(), nil
}

// savedFolders are what this bench has saved of folders on the image for a run.
func (s *Station) savedFolders(id uuid.UUID) ([]run.SavedFolder, error) {
	if s.Saves == nil {
		return nil, nil
	}
	folder := below{s.Saves, id.String()}
	list, err := readManifest(folder)
	if err != nil {
		return nil, err
	}
	var saved []run.SavedFolder
	for _, one := range list {
		if one.Kept == nil {
			continue
		}
		i := slices.IndexFunc(saved, func(f run.SavedFolder) bool { return f.Package == one.Package })
		if i < 0 {
			i, saved = len(saved), append(saved, run.SavedFolder{Package: one.Package, Folder: folder.Where("")})
		}
		if !one.Kept.Folder {
			saved[i].Files, saved[i].Bytes = saved[i].Files+1, saved[i].Bytes+one.Size
		}
	}
	return saved, nil
}

// settleImage lets the phone forget what it would have needed, had it not started
// without what was taken out of the image; where it did not, nothing more is done.
func (w *runner) settleImage(words *string) error {
	if !w.changesImage() {
		return nil
	}
	var by android.RootAnswer
	var healed []android.PackageName
	for _, k := range w.keys {
		if image, ok := android.ParseImage(w.seen.Settings[k.String()]); k.Namespace == run.Image && ok && image.Root.Given() {
			by = image.Root
			if image.State == android.IsHealed {
				healed = append(healed, android.PackageName(k.Key))
			}
		}
	}
	if len(healed) > 0 {
		*words += ", all undone"
		more := ""
		if n := len(healed); n > 1 {
			more = fmt.Sprintf(" and %d more", n-1)
		}
		w.held = "the phone did not start without " + string(healed[0]) + more + ", and undid that by itself: all of it is back in the image"
		return nil
	}
	if by == "" {
		return nil
	}
	_, err := w.session.Run(android.SettledCommand(by), stepTakes, 64<<10)
	return err
}
