package run

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"roster/core/android"
	"roster/core/impact"
	"roster/core/profile"
)

// Place is how a phone was before a package was put in: whether that was not there,
// and who held the role that it takes.
type Place struct {
	Absent bool
	// Holder held the role, "" where nobody did or none was asked for.
	Holder android.PackageName
}

// String writes a place into a journal: "absent" or "there", then who held the
// role.
func (p Place) String() string {
	word := "there"
	if p.Absent {
		word = "absent"
	}
	if p.Holder == "" {
		return word
	}
	return word + " " + string(p.Holder)
}

// ParsePlace reads what String wrote; what is none is a package that was there:
// nothing of that is undone.
func ParsePlace(text string) (p Place) {
	word, holder, _ := strings.Cut(text, " ")
	p.Absent = word == "absent"
	if name, err := android.ParsePackageName(holder); err == nil {
		p.Holder = name
	}
	return p
}

// placeOf is the place of a step that puts something in, on a phone that was just
// looked at.
func (s Step) placeOf(seen *Seen) Place {
	p := Place{Absent: !slices.Contains(seen.Installed, s.Package)}
	if s.Role == impact.Keyboard {
		for _, k := range seen.Facts.Keyboards {
			if k.Default {
				p.Holder = k.Package
			}
		}
	} else if r := seen.Facts.Role(s.Role); r != nil && len(r.Holders) > 0 {
		p.Holder = r.Holders[0]
	}
	return p
}

// halfPutIn is what is said of a step whose answer was lost when the package was
// there: it waits, to be done once more from where it was, and is undone.
const halfPutIn = "the answer was lost; it was put in, and not yet all that belongs to it"

// takeOut is the step that undoes one that put something in, nil where there is
// nothing to undo: what was there before stays, and who held its role gets that
// back.
func takeOut(j Journal) *Step {
	begun := j.State == Done || j.State == Failed || j.State == Unknown || j.State == Waiting && j.Words == halfPutIn
	if j.Kind != PutIn || j.Package == "" || j.Before == "" || !begun {
		return nil
	}
	p := ParsePlace(j.Before)
	if !p.Absent && (p.Holder == "" || p.Holder == j.Package) {
		return nil
	}
	return &Step{Kind: TakeOut, Package: j.Package, Label: j.Label, Role: j.Role, Value: p.String(), Undoes: j.Number}
}

// PutIns lists what a run put in and has not taken out.
func PutIns(list []Journal) []Journal {
	var in []Journal
	for _, j := range list {
		if takeOut(j) != nil {
			in = append(in, j)
		}
		if j.Kind == TakeOut && (j.State == Done || j.State == Already) {
			in = slices.DeleteFunc(in, func(o Journal) bool { return o.Package == j.Package })
		}
	}
	return in
}

// UninstallCommand is the line that takes out what a run installed.
func (s Step) UninstallCommand() (string, error) {
	if _, err := android.ParsePackageName(string(s.Package)); err != nil {
		return "", fmt.Errorf("step %d: %w", s.Number, err)
	}
	return "pm uninstall --user 0 " + string(s.Package), nil
}

// VersionQuestion is the line that asks a phone which version it has of what is put
// in. Its answer is for ReadVersion.
func (s Step) VersionQuestion() (string, error) {
	if _, err := android.ParsePackageName(string(s.Package)); err != nil {
		return "", fmt.Errorf("step %d: %w", s.Number, err)
	}
	return "dumpsys package " + string(s.Package) + " | grep -F versionCode=", nil
}

var versionCode = regexp.MustCompile(`versionCode=(\d{1,18})`)

// ReadVersion reads the answer to VersionQuestion, 0 where the phone tells none.
func ReadVersion(answer []byte) (code int64) {
	if m := versionCode.FindSubmatch(answer); m != nil {
		code, _ = strconv.ParseInt(string(m[1]), 10, 64) // so many digits always fit
	}
	return code
}

// GrantCommands are the lines that give what is put in its permissions.
func (s Step) GrantCommands() ([]string, error) {
	if _, err := android.ParsePackageName(string(s.Package)); err != nil {
		return nil, fmt.Errorf("step %d: %w", s.Number, err)
	}
	if err := profile.CheckGrants(s.Grants); err != nil {
		return nil, fmt.Errorf("step %d: %w", s.Number, err)
	}
	lines := make([]string, len(s.Grants))
	for i, one := range s.Grants {
		lines[i] = "pm grant " + string(s.Package) + " " + one
	}
	return lines, nil
}

// RoleCommand is the line that makes a package the holder of a role on a phone that
// was just looked at; "" for jobs that nobody can be given: the phone does not know
// the package as one that could, or does not give the job by a role.
func RoleCommand(seen *Seen, role string, name android.PackageName) (string, error) {
	if _, err := android.ParsePackageName(string(name)); err != nil {
		return "", err
	}
	switch {
	case role == impact.Keyboard:
		for _, k := range seen.Facts.Keyboards {
			if k.Package == name && component(k.Component) {
				// The platform calls it by its short name.
				id := string(name) + "/" + k.Component
				if short, ok := strings.CutPrefix(k.Component, string(name)+"."); ok {
					id = string(name) + "/." + short
				}
				return "ime enable " + id + "; ime set " + id, nil
			}
		}
		return "", nil
	case role == "" || role == impact.WebView || seen.SDK < 29:
		return "", nil
	case strings.Trim(role, "ABCDEFGHIJKLMNOPQRSTUVWXYZ_") != "":
		return "", fmt.Errorf("%q is not a role", android.Printable(role, 40))
	}
	return "cmd role add-role-holder --user 0 android.app.role." + role + " " + string(name), nil
}

// component reports whether a class's name can stand in a command.
func component(name string) bool {
	return name != "" && len(name) <= 255 && strings.IndexFunc(name, func(r rune) bool {
		return (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && (r < '0' || r > '9') && r != '.' && r != '_'
	}) < 0
}
