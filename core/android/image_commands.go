package android

import (
	"fmt"
	"strings"

	"roster/core/posix"
)

// dropLine is what takes a package's line out of one of the lists that root keeps.
func dropLine(list string, name PackageName) string {
	file := ImageHome + "/" + list
	return fmt.Sprintf(`if [ -f %s ]; then while read -r n f a; do [ "$n" = %s ] || echo "$n $f $a"; done < %s > %s.new; mv %s.new %s; fi`,
		file, name, file, file, file, file)
}

// install writes the boot script, and the folder that is bound over others.
func install() string {
	lines := strings.Split(strings.TrimSuffix(Script, "\n"), "\n")
	for i, l := range lines {
		lines[i] = posix.Quote(l)
	}
	return "mkdir -p " + ImageHome + "/empty " + ImageHome + "/saved && chmod 755 " + ImageHome + "/empty && chcon u:object_r:system_file:s0 " + ImageHome +
		"/empty && printf '%s\\n' " + strings.Join(lines, " ") + " > " + BootScript + " && chmod 755 " + BootScript
}

// check refuses what can't stand in a command that root does.
func (i Image) check(name PackageName) error {
	if _, err := ParsePackageName(string(name)); err != nil {
		return err
	}
	if again, ok := ParseImage(i.String()); !ok || again.Folder != i.Folder || i.Folder == "" || !i.Root.Given() {
		return fmt.Errorf("%s lies nowhere on the image that is known", name)
	}
	return nil
}

// listed is what stands of a package in one of the lists.
func (i Image) listed(name PackageName) string {
	return string(name) + " " + i.Folder + " " + i.At
}

// Taken ends the answer to TakeOutCommand, PutBackCommand and WriteCommand where
// all went well.
const Taken = imageMark + "done"

// TakeOutCommand is the line that takes a package out of the image in its way: it
// is gone after the next start. What is erased is copied to the phone's data first,
// from where the boot script brings it back, should the phone not start.
func (i Image) TakeOutCommand(name PackageName) (string, error) {
	if err := i.check(name); err != nil {
		return "", err
	}
	line := install() + " && { " + dropLine("healed", name) + "; " + dropLine("masks", name) + "; " + dropLine("erased", name) + "; } && "
	switch i.Way {
	case Masked:
		line += "echo " + i.listed(name) + " >> " + ImageHome + "/masks && sync && echo " + Taken
	case Erased:
		saved := ImageHome + "/saved/" + string(name)
		line += fmt.Sprintf("{ [ -d %s ] || { rm -rf %s.new; cp -a %s %s.new && mv %s.new %s; }; } && ", saved, saved, i.Folder, saved, saved, saved) +
			"echo " + i.listed(name) + " >> " + ImageHome + "/erased && sync && " +
			fmt.Sprintf("mount -o remount,rw %s && rm -rf %s; mount -o remount,ro %s; [ -d %s ] || echo %s", i.At, i.Folder, i.At, i.Folder, Taken)
	default:
		return "", fmt.Errorf("there is no way to take %s out of the image: %s", name, i.Why)
	}
	return Rooted(i.Root, line) + " 2>&1", nil
}

// PutBackCommand is the line that undoes TakeOutCommand: the package is there again
// after the next start. What was erased comes from the copy on the phone; Taken is
// missing from the answer where that is gone.
func (i Image) PutBackCommand(name PackageName) (string, error) {
	if err := i.check(name); err != nil {
		return "", err
	}
	saved := ImageHome + "/saved/" + string(name)
	line := dropLine("healed", name) + "; " + dropLine("masks", name) + "; umount " + i.Folder + " 2>/dev/null; " +
		fmt.Sprintf("if [ -d %s ]; then mount -o remount,rw %s && rm -rf %s && cp -a %s %s && restorecon -R %s; mount -o remount,ro %s; fi; ",
			saved, i.At, i.Folder, saved, i.Folder, i.Folder, i.At) +
		fmt.Sprintf("if [ -d %s ]; then %s; rm -rf %s; echo %s; fi; ", i.Folder, dropLine("erased", name), saved, Taken) +
		fmt.Sprintf("[ -s %s/masks ] || [ -s %s/erased ] || rm -f %s", ImageHome, ImageHome, BootScript)
	return Rooted(i.Root, line) + " 2>&1", nil
}

// KeptFile is a file or a folder on an image, as a backup keeps it.
type KeptFile struct {
	// Path is its path on the phone, Folder whether it is a folder.
	Path   string `json:"path"`
	Folder bool   `json:"folder,omitempty"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256,omitempty"` // of a file, lower-case hex
	// Mode is in octal digits, Owner and Group are numbers, Label is SELinux's.
	Mode  string `json:"mode"`
	Owner string `json:"owner"`
	Group string `json:"group"`
	Label string `json:"label"`
}

// ListCommand is the line that lists all that lies in the package's folder, with
// what ReadList reads.
func (i Image) ListCommand(name PackageName) (string, error) {
	if err := i.check(name); err != nil {
		return "", err
	}
	each := `stat -c '%a %u %g %s %C %F' "$f"; echo "$f"; if [ -f "$f" ]; then sha256sum "$f"; else echo -; fi`
	line := "find " + i.Folder + " | while read -r f; do " + each + "; done; echo " + Taken
	return Rooted(i.Root, line) + " 2>&1", nil
}

// ReadList reads the answer to ListCommand. It fails on a file whose name or
// attributes can't be put back.
func (i Image) ReadList(answer string) ([]KeptFile, error) {
	lines := strings.Split(strings.TrimSpace(strings.ReplaceAll(answer, "\r", "")), "\n")
	if len(lines) < 4 || len(lines)%3 != 1 || lines[len(lines)-1] != Taken {
		return nil, fmt.Errorf("the phone does not list %s: %s", i.Folder, Printable(answer, 120))
	}
	var list []KeptFile
	for at := 0; at+3 <= len(lines); at += 3 {
		w := strings.Fields(lines[at])
		if len(w) < 6 {
			return nil, fmt.Errorf("the phone says of %s: %s", Printable(lines[at+1], 100), Printable(lines[at], 100))
		}
		f := KeptFile{Path: lines[at+1], Mode: w[0], Owner: w[1], Group: w[2], Label: w[4], Folder: w[5] == "directory"}
		if _, err := fmt.Sscan(w[3], &f.Size); err != nil {
			return nil, fmt.Errorf("the size of %s is %q", Printable(f.Path, 100), w[3])
		}
		if !f.Folder {
			f.SHA256, _, _ = strings.Cut(lines[at+2], " ")
		}
		if !f.Good(i.Folder) {
			return nil, fmt.Errorf("%s can't be saved as it is: %s", Printable(f.Path, 100), Printable(lines[at], 100))
		}
		list = append(list, f)
	}
	return list, nil
}

// Good reports whether a file can be put back below a package's folder: each part
// of it can stand in a command.
func (f KeptFile) Good(folder string) bool {
	path := strings.NewReplacer("-", "", "_", "", ".", "", "/", "", "+", "", "@", "", "=", "", "~", "").Replace(f.Path)
	in := f.Path == folder || strings.HasPrefix(f.Path, folder+"/")
	label := strings.NewReplacer(":", "", "_", "", ",", "").Replace(f.Label)
	return in && len(f.Path) < 1000 && !strings.Contains(f.Path, "..") && alphanumeric(path) &&
		onlyDigits(f.Mode) && onlyDigits(f.Owner) && onlyDigits(f.Group) && label != "" && alphanumeric(label) &&
		(f.Folder || len(f.SHA256) == 64 && alphanumeric(f.SHA256))
}

func alphanumeric(s string) bool {
	return strings.IndexFunc(s, func(r rune) bool { return (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && (r < '0' || r > '9') }) < 0
}

func onlyDigits(s string) bool { return s != "" && len(s) < 12 && strings.Trim(s, "0123456789") == "" }

// WriteCommand is the line that writes a folder back which was erased, from files
// that were pushed to a folder of the phone, each named by its place in the list;
// and its owner, mode and label.
func (i Image) WriteCommand(name PackageName, list []KeptFile, from string) (string, error) {
	if err := i.check(name); err != nil {
		return "", err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "mount -o remount,rw %s && rm -rf %s", i.At, i.Folder)
	for n, f := range list {
		if !f.Good(i.Folder) {
			return "", fmt.Errorf("%s can't be written back as it was", Printable(f.Path, 100))
		}
		if f.Folder {
			fmt.Fprintf(&b, " && mkdir -p %s", f.Path)
		} else {
			fmt.Fprintf(&b, " && cp %s/%d %s", from, n, f.Path)
		}
		fmt.Fprintf(&b, " && chown %s:%s %s && chmod %s %s && chcon %s %s", f.Owner, f.Group, f.Path, f.Mode, f.Path, f.Label, f.Path)
	}
	fmt.Fprintf(&b, " && { %s; } && echo %s; mount -o remount,ro %s", dropLine("erased", name), Taken, i.At)
	return Rooted(i.Root, b.String()) + " 2>&1", nil
}

// SettledCommand is the line that lets go of what the boot script would need, had
// the phone not started: it has.
func SettledCommand(by RootAnswer) string {
	return Rooted(by, "rm -rf "+ImageHome+"/saved "+ImageHome+"/tries") + " 2>&1"
}

// HealedWords say that a phone undid by itself what was taken out.
const HealedWords = "the phone did not start twice without it, and undid it by itself"
