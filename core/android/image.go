package android

import (
	_ "embed" // the boot script
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"roster/core/posix"
)

// Image is how a package lies on the image of a phone that was asked for root, and
// in which way it can be taken out of it.
type Image struct {
	Root  RootAnswer
	State ImageState
	// Way is in which way it can be taken out, "" where in none; Why says why.
	Way Way
	Why ImageReason
	// Folder is the package's own on the image, At the partition that it is on.
	Folder, At string
	// Bytes are those of the folder, 0 where they were not told.
	Bytes int64
	// Updated is true where the phone runs an update of it from its data partition.
	Updated bool
	// SELinux is enforcing or permissive, Verity the mode of dm-verity, Boot the
	// state of verified boot, each as the phone calls it; "" where it tells none.
	SELinux, Verity, Boot string
}

// RootAnswer is what came of asking a phone, and its owner, for root.
type RootAnswer string

// The ways to root, and what a phone says that gives none.
const (
	RootBySu    RootAnswer = "su"
	RootByAdb   RootAnswer = "adbd" // adb has it by itself
	RootRefused RootAnswer = "refused"
	RootNone    RootAnswer = "none"
)

// Given reports whether root was got.
func (r RootAnswer) Given() bool { return r == RootBySu || r == RootByAdb }

// Way is one of the two ways out of the image.
type Way string

// Masked binds an empty folder over the package's at each start; Erased deletes
// the folder.
const (
	Masked Way = "masked"
	Erased Way = "erased"
)

// ImageState is how a package is on the image now.
type ImageState string

// The states. Healed is one that was taken out, without which the phone did not
// start, and which is back therefore.
const (
	OnImage   ImageState = "there"
	IsMasked  ImageState = "masked"
	IsErased  ImageState = "erased"
	HalfGone  ImageState = "half" // deleting it was cut off
	IsHealed  ImageState = "healed"
	NotOfRoot ImageState = "untold"
)

// ImageReason is why there is a way, or none.
type ImageReason string

// Why there is a way or none.
const (
	ImageReadOnly ImageReason = "read-only" // so it is masked
	ImageVerified ImageReason = "verified"  // so it is masked: erased, the phone might not start
	ImageWritable ImageReason = "writable"  // so it is erased
	NoScripts     ImageReason = "no-scripts"
	NotOnImage    ImageReason = "not-on-image"
	NoRoot        ImageReason = "no-root"
	RootWasDenied ImageReason = "root-refused"
)

// ImageHome is the folder on a phone in which root keeps what was taken out;
// BootScript the file there that masks at each start.
const (
	ImageHome  = "/data/adb/roster"
	bootFolder = "/data/adb/post-fs-data.d"
	BootScript = bootFolder + "/roster.sh"
)

// Script is what stands in BootScript.
//
//go:embed boot.sh
var Script string

// imageFolder is what a package's folder on an image can be called: two folders
// deep at least, and none that a shell could take for something else.
var imageFolder = regexp.MustCompile(`^/(system|system_ext|product|vendor|odm|oem)(/[A-Za-z0-9_][A-Za-z0-9_.-]{0,100}){2,6}$`)

// GoodFolder reports whether a path can be a package's folder on an image. Only
// such a one ever stands in a command that root does.
func GoodFolder(path string) bool {
	return imageFolder.MatchString(path) && !strings.Contains(path, "..")
}

// Lies reports whether the package lies in a folder of the image, with nothing over
// it. One of which nothing is told is no such one, whatever its state.
func (i Image) Lies(folder string) bool {
	return i.State == OnImage && i.Folder == folder && folder != ""
}

// String writes an image into a journal, for ParseImage.
func (i Image) String() string {
	dash := func(s string) string {
		if s == "" || strings.ContainsAny(s, " =\n") {
			return "-"
		}
		return s
	}
	updated := "no"
	if i.Updated {
		updated = "yes"
	}
	return fmt.Sprintf("root=%s state=%s way=%s why=%s bytes=%d updated=%s selinux=%s verity=%s boot=%s at=%s folder=%s",
		dash(string(i.Root)), dash(string(i.State)), dash(string(i.Way)), dash(string(i.Why)), i.Bytes, updated,
		dash(i.SELinux), dash(i.Verity), dash(i.Boot), dash(i.At), dash(i.Folder))
}

// ParseImage reads what String wrote. It fails on what can't stand in a command.
func ParseImage(text string) (i Image, ok bool) {
	for part := range strings.FieldsSeq(text) {
		key, value, _ := strings.Cut(part, "=")
		if value == "-" {
			value = ""
		}
		switch key {
		case "root":
			i.Root = RootAnswer(value)
		case "state":
			i.State = ImageState(value)
		case "way":
			i.Way = Way(value)
		case "why":
			i.Why = ImageReason(value)
		case "bytes":
			i.Bytes, _ = strconv.ParseInt(value, 10, 64)
		case "updated":
			i.Updated = value == "yes"
		case "selinux":
			i.SELinux = value
		case "verity":
			i.Verity = value
		case "boot":
			i.Boot = value
		case "at":
			i.At = value
		case "folder":
			i.Folder = value
		}
	}
	if i.Folder != "" && (!GoodFolder(i.Folder) || !slices.Contains(mountPoints(i.Folder), i.At)) {
		return Image{}, false
	}
	return i, i.Root != ""
}

// mountPoints are the folders above a folder on an image that can be its partition.
func mountPoints(folder string) []string {
	list := []string{"/"}
	for at := 1; ; {
		next := strings.IndexByte(folder[at:], '/')
		if next < 0 {
			return list
		}
		at += next + 1
		list = append(list, folder[:at-1])
	}
}

// imageMark marks the parts of an answer.
const imageMark = "--image-"

// FoldersQuestion is the line that asks, without root, where packages lie. Its
// answer is for ReadFolders.
func FoldersQuestion(names []PackageName) string {
	var b strings.Builder
	for _, n := range names {
		b.WriteString("echo " + imageMark + string(n) + "; dumpsys package " + string(n) + " | grep -F codePath=; ")
	}
	return b.String() + "echo " + imageMark + "end"
}

// Lies is where a package lies: its folder on the image, "" for none, and whether
// the phone runs an update of it.
type Lies struct {
	Folder  string
	Updated bool
}

// ReadFolders reads the answer to FoldersQuestion.
func ReadFolders(answer string) map[PackageName]Lies {
	out := map[PackageName]Lies{}
	var name PackageName
	for line := range strings.Lines(answer) {
		line = strings.TrimSpace(line)
		if rest, ok := strings.CutPrefix(line, imageMark); ok {
			name = PackageName(rest)
			continue
		}
		path, ok := strings.CutPrefix(line, "codePath=")
		if !ok || !name.Valid() {
			continue
		}
		l := out[name]
		switch {
		case strings.HasPrefix(path, "/data/"):
			l.Updated = true
		case GoodFolder(path) && l.Folder == "":
			l.Folder = path
		}
		out[name] = l
	}
	return out
}

// Rooted is a line as root does it on a phone where root is got in such a way.
func Rooted(by RootAnswer, line string) string {
	if by == RootByAdb {
		return "sh -c " + posix.Quote(line)
	}
	return "su -c " + posix.Quote(line)
}

// RootQuestion is the line that asks a phone, and its owner, for root, and what
// root sees; folders are those whose sizes are asked for. Its answer is for
// ReadRoot.
func RootQuestion(folders []string) string {
	say := func(what string) string { return "echo " + imageMark + what + "; " }
	line := say("id") + "id -u; " + say("mounts") + "cat /proc/mounts; "
	for _, list := range []string{"masks", "erased", "healed"} {
		line += say(list) + "cat " + ImageHome + "/" + list + "; "
	}
	line += say("scripts") + "[ -d " + bootFolder + " ] && echo yes; " + say("sizes")
	for _, f := range folders {
		if GoodFolder(f) {
			line += "[ -d " + f + " ] && du -sk " + f + "; "
		}
	}
	line += say("end")
	return "echo " + imageMark + "selinux; getenforce; echo " + imageMark + "verity; getprop ro.boot.veritymode; echo " + imageMark +
		"boot; getprop ro.boot.verifiedbootstate; echo " + imageMark + "who; id -u; " +
		`if [ "$(id -u)" = 0 ]; then sh -c ` + posix.Quote(line) + "; else su -c " + posix.Quote(line) + "; fi 2>&1"
}

// RootFacts are what a phone told of root and its image.
type RootFacts struct {
	Root                  RootAnswer
	SELinux, Verity, Boot string
	// Mounts are the partitions of the image by where they lie, with the kind of
	// each one's file system.
	Mounts map[string]string
	// Scripts is true where boot scripts are run from the folder for them.
	Scripts bool
	// Masks, Erased and Healed are the folders that were taken out, or put back by
	// the phone itself, by package.
	Masks, Erased, Healed map[PackageName]string
	// Bytes are the sizes of folders.
	Bytes map[string]int64
	// Writable are the partitions that were found to be writable.
	Writable map[string]bool
}

// ReadRoot reads the answer to RootQuestion.
func ReadRoot(answer string) RootFacts {
	f := RootFacts{Mounts: map[string]string{}, Masks: map[PackageName]string{}, Erased: map[PackageName]string{}, Healed: map[PackageName]string{},
		Bytes: map[string]int64{}, Writable: map[string]bool{}}
	parts := map[string][]string{}
	at := ""
	for line := range strings.Lines(answer) {
		line = strings.TrimSpace(line)
		if rest, ok := strings.CutPrefix(line, imageMark); ok {
			at = rest
			continue
		}
		parts[at] = append(parts[at], line)
	}
	first := func(part string) string {
		if len(parts[part]) == 0 || !plainWord.MatchString(parts[part][0]) {
			return ""
		}
		return strings.ToLower(parts[part][0])
	}
	f.SELinux, f.Verity, f.Boot = first("selinux"), first("verity"), first("boot")
	switch {
	case first("id") != "0" && strings.Contains(strings.Join(parts["who"], " "), "not found"):
		f.Root = RootNone
	case first("id") != "0":
		f.Root = RootRefused
	case first("who") == "0":
		f.Root = RootByAdb
	default:
		f.Root = RootBySu
	}
	if !f.Root.Given() {
		return f
	}
	f.Scripts = first("scripts") == "yes"
	for _, line := range parts["mounts"] {
		if w := strings.Fields(line); len(w) > 2 {
			f.Mounts[w[1]] = w[2]
		}
	}
	for part, list := range map[string]map[PackageName]string{"masks": f.Masks, "erased": f.Erased, "healed": f.Healed} {
		for _, line := range parts[part] {
			if w := strings.Fields(line); len(w) == 3 && PackageName(w[0]).Valid() && GoodFolder(w[1]) {
				list[PackageName(w[0])] = w[1]
			}
		}
	}
	for _, line := range parts["sizes"] {
		if w := strings.Fields(line); len(w) == 2 && GoodFolder(w[1]) {
			kib, _ := strconv.ParseInt(w[0], 10, 40)
			f.Bytes[w[1]] = kib << 10
		}
	}
	return f
}

var plainWord = regexp.MustCompile(`^[A-Za-z0-9_-]{1,30}$`)

// partition is the mount point that a folder is on, and its file system.
func (f RootFacts) partition(folder string) (at, kind string) {
	for _, one := range mountPoints(folder) {
		if k, ok := f.Mounts[one]; ok {
			at, kind = one, k
		}
	}
	return at, kind
}

// MayWrite lists the partitions of folders of which it is worth finding out
// whether they are writable: nothing verifies them, and their file systems can be
// written.
func (f RootFacts) MayWrite(folders []string) (list []string) {
	for _, folder := range folders {
		if !GoodFolder(folder) {
			continue
		}
		at, kind := f.partition(folder)
		if !f.verified() && (kind == "ext4" || kind == "f2fs") && at != "/" && !slices.Contains(list, at) {
			list = append(list, at)
		}
	}
	return list
}

// verified reports whether a changed image could keep the phone from starting.
func (f RootFacts) verified() bool {
	return f.Verity == "enforcing" || f.Verity == "eio" || f.Boot == "green" || f.Boot == "yellow"
}

// ProbeQuestion is the line by which root finds out whether partitions are really
// writable: it writes an empty file, deletes it and makes them read-only again. Its
// answer is for ReadProbe.
func ProbeQuestion(by RootAnswer, partitions []string) string {
	var line strings.Builder
	for _, at := range partitions {
		file := at + "/.roster-probe"
		fmt.Fprintf(&line, "mount -o remount,rw %s && : > %s && rm %s && echo %s%s; mount -o remount,ro %s; ", at, file, file, imageMark, at, at)
	}
	return Rooted(by, line.String()) + " 2>&1"
}

// ReadProbe notes what the answer to ProbeQuestion says.
func (f RootFacts) ReadProbe(answer string) {
	for line := range strings.Lines(answer) {
		if at, ok := strings.CutPrefix(strings.TrimSpace(line), imageMark); ok {
			f.Writable[at] = true
		}
	}
}

// Of says how a package lies on the image, and in which way it can go.
func (f RootFacts) Of(name PackageName, l Lies) Image {
	i := Image{Root: f.Root, State: OnImage, Folder: l.Folder, Updated: l.Updated, SELinux: f.SELinux, Verity: f.Verity, Boot: f.Boot}
	switch f.Root {
	case RootNone:
		i.State, i.Why = NotOfRoot, NoRoot
	case RootRefused:
		i.State, i.Why = NotOfRoot, RootWasDenied
	}
	if i.Why != "" {
		i.Folder = ""
		return i
	}
	for _, taken := range []struct {
		list  map[PackageName]string
		state ImageState
		way   Way
	}{{f.Healed, IsHealed, ""}, {f.Masks, IsMasked, Masked}, {f.Erased, IsErased, Erased}} {
		if folder, ok := taken.list[name]; ok && (l.Folder == "" || folder == l.Folder) {
			i.State, i.Folder, i.Way = taken.state, folder, taken.way
		}
	}
	if i.State == IsErased && f.Bytes[i.Folder] > 0 {
		i.State = HalfGone
	}
	if i.Folder == "" {
		i.Why = NotOnImage
		return i
	}
	i.Bytes = f.Bytes[i.Folder]
	i.At, _ = f.partition(i.Folder)
	switch {
	case i.At == "" || i.At == "/" && !f.Scripts:
		i.Way, i.Why = "", NotOnImage
	case i.State == IsMasked || i.State == IsErased || i.State == HalfGone:
	case !f.Scripts:
		i.Why = NoScripts
	case f.verified():
		i.Way, i.Why = Masked, ImageVerified
	case f.Writable[i.At]:
		i.Way, i.Why = Erased, ImageWritable
	default:
		i.Way, i.Why = Masked, ImageReadOnly
	}
	return i
}
