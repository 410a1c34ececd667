package render

import (
	"bytes"
	"embed"
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/posix"
	"roster/core/profile"
	"roster/core/wording"
)

//go:embed *.tmpl
var templateFiles embed.FS

// About is what a form says of a release beside the document itself.
type About struct {
	// Digest is SHA-256 of the release's canonical bytes, in hex.
	Digest string
	// File is what its files are called, without an ending.
	File string
	// Where is the address at which one sees whether it was withdrawn, ""
	// where it is not known.
	Where string
	// Language is the code of that which scripts speak, English where it is none of
	// Languages.
	Language string
	// Withdrawn is true where it was, and Reason why.
	Withdrawn bool
	Reason    string
	// NotFor are builds on which it would stop something: scripts refuse them,
	// whatever they are told.
	NotFor []NotFor
}

// NotFor is a build that a release is not for.
type NotFor struct {
	Fingerprint string
	// Name is what people call it, Why what would stop.
	Name, Why string
}

// Words say it in a sentence.
func (n NotFor) Words() string {
	words := "This release is not for " + android.Printable(n.Name, 100)
	if n.Why != "" {
		words += ": " + android.Printable(n.Why, 300)
	}
	return words + "."
}

// plan is what every script is written from: the document's steps sorted by
// what a script does about them.
type plan struct {
	*profile.Document
	About
	Title      string
	ModelNames string
	UndoFile   string
	// OnPhone is for a shell on the phone itself; Undo for putting back.
	OnPhone, Undo bool
	Removals      []profile.Step
	// Ordered are the removals in the order of putting back.
	Ordered  []profile.Step
	Settings []profile.Step
	// PutIns are what is put in from a file.
	PutIns []profile.Step
	// Seen are steps before that a person sees to, After waits, Checks what is
	// tried by hand: their words each on one line.
	Seen, After, Checks []profile.Step
	Guards              []job
	Calls               []call
	// Disables and Conditional say which parts of the script are called at
	// all.
	Disables, Conditional bool
	// Leaves and Quiets count what leaves the phone or is switched off, and what
	// stays and is quietened.
	Leaves, Quiets int
	// Images counts what is taken out of the image.
	Images         int
	WithdrawnWords string
}

// job is a role that a phone never goes without, with the question that lists
// who could hold it: each answer's line ends in PACKAGE/COMPONENT.
type job struct{ Name, Question string }

var jobs = map[string][]job{
	"phone": {homeScreen, keyboard, {"dialler", "cmd package query-activities --brief -a android.intent.action.DIAL"}},
}

var (
	homeScreen = job{"home screen", "cmd package query-activities --brief -a android.intent.action.MAIN -c android.intent.category.HOME"}
	keyboard   = job{"keyboard", "ime list -s -a"}
)

// Takes reports whether something that is put in takes a job over.
func (p *plan) Takes(name string) bool {
	role := map[string]string{homeScreen.Name: "HOME", keyboard.Name: impact.Keyboard, "dialler": "DIALER"}[name]
	return slices.ContainsFunc(p.PutIns, func(s profile.Step) bool { return s.Role == role })
}

// call is one removal, with the condition that is asked of the phone first.
type call struct {
	Step      profile.Step
	Name      string
	Call      string
	Holds     string
	Otherwise string
}

// fileSigns are what names of files and digests are made of.
const fileSigns = "abcdefghijklmnopqrstuvwxyz0123456789-"

// newPlan checks every name and sorts the steps. It fails on a name that
// breaks the platform's grammar, whoever wrote the document.
func newPlan(d *profile.Document, a About) (*plan, error) {
	p := &plan{Document: d, About: a, Title: fmt.Sprintf("%s %s, %s, no. %d", d.Maker.Name, d.Model.Name, d.Edition.Name, d.Number), Guards: []job{homeScreen, keyboard}}
	if strings.Trim(a.File, fileSigns) != "" || strings.Trim(a.Digest, fileSigns) != "" {
		return nil, fmt.Errorf("the file name %q or the digest holds signs that do not belong there", android.Printable(a.File, 60))
	}
	if g, ok := jobs[d.Model.Form]; ok {
		p.Guards = g
	}
	for _, m := range d.Models() {
		if !profile.GoodDevice(m.Device) {
			return nil, fmt.Errorf("the device name %q can't stand in a script", android.Printable(m.Device, 60))
		}
		if p.ModelNames != "" {
			p.ModelNames += ", "
		}
		p.ModelNames += plainName(m.Name)
	}
	if a.Withdrawn {
		p.WithdrawnWords = "This release was withdrawn: " + android.Printable(a.Reason, 1000)
	}
	for _, n := range a.NotFor {
		if !profile.GoodFingerprint(n.Fingerprint) {
			return nil, fmt.Errorf("the build %q can't stand in a script", android.Printable(n.Fingerprint, 120))
		}
	}
	for i, s := range d.Steps {
		if s.Package != "" || s.Kind == profile.Remove {
			if _, err := android.ParsePackageName(string(s.Package)); err != nil {
				return nil, fmt.Errorf("step %d: %w", i+1, err)
			}
		}
		s.Text = android.Printable(s.Text, 1000)
		switch {
		case s.Kind == profile.Remove:
			p.Removals = append(p.Removals, s)
			p.Calls = append(p.Calls, p.call(s))
			if s.Method == evidence.RemoveFromImage {
				p.Images++
			}
			if s.Leaves() {
				p.Leaves++
			} else {
				p.Quiets++
			}
		case s.Kind == profile.Setting || s.Kind == profile.HoldUpdates:
			p.Settings = append(p.Settings, s)
		case s.Kind == profile.PutIn && s.File != nil:
			p.PutIns = append(p.PutIns, s)
		case s.In() == profile.Before:
			p.Seen = append(p.Seen, s)
		case s.Kind == profile.Wait:
			p.After = append(p.After, s)
		case s.In() == profile.Afterward:
			p.Checks = append(p.Checks, s)
		}
	}
	p.Ordered = slices.Clone(p.Removals)
	slices.Reverse(p.Ordered)
	return p, nil
}

// call is the removal of a step as a shell function's call.
func (p *plan) call(s profile.Step) call {
	c := call{Step: s, Name: posix.Quote(string(s.Package)), Call: "remove " + posix.Quote(string(s.Package))}
	switch s.Method {
	case evidence.Disable:
		c.Call, p.Disables = "switch_off "+c.Name, true
	case evidence.Quieten:
		c.Call = "quieten " + c.Name
	case evidence.RemoveFromImage:
		c.Call = "from_image " + c.Name
	}
	for _, text := range s.Conditions {
		condition, ok := impact.ParseCondition(text)
		if !ok || condition.Kind == "role-held" || c.Holds != "" {
			continue // roles are guarded for all at once
		}
		c.Holds = condition.Kind
		if condition.Of != "" {
			c.Holds += " " + posix.Quote(condition.Of)
		}
		if condition.Not {
			c.Holds = "not " + c.Holds
		}
		c.Otherwise, p.Conditional = wording.OnlyIf(text), true
	}
	return c
}

// plainName is a name that can stand inside a double-quoted word of a shell.
func plainName(s string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune("\"`$\\", r) {
			return '?'
		}
		return r
	}, android.Printable(s, 100))
}

// Shell writes the POSIX shell script that applies the release from a
// computer with adb. It fails on a package name that breaks the platform's
// grammar.
func Shell(d *profile.Document, a About) ([]byte, error) {
	return script("remove.sh.tmpl", d, a, ".undo.sh", false)
}

// ShellUndo writes the script that puts everything back, last removal first,
// or what the log of a run says.
func ShellUndo(d *profile.Document, a About) ([]byte, error) {
	return script("undo.sh.tmpl", d, a, "", false)
}

// PhoneShell writes the script for a shell on the phone itself that has the
// rights of adb.
func PhoneShell(d *profile.Document, a About) ([]byte, error) {
	return script("remove.sh.tmpl", d, a, ".phone.undo.sh", true)
}

// PhoneShellUndo writes what puts back what PhoneShell's script took off.
func PhoneShellUndo(d *profile.Document, a About) ([]byte, error) {
	return script("undo.sh.tmpl", d, a, "", true)
}

func script(name string, d *profile.Document, a About, undo string, onPhone bool) ([]byte, error) {
	p, err := newPlan(d, a)
	if err != nil {
		return nil, err
	}
	p.OnPhone, p.Undo, p.UndoFile = onPhone, undo == "", a.File+undo
	var out bytes.Buffer
	err = scripts(a.Language).ExecuteTemplate(&out, name, p)
	return out.Bytes(), err
}

// comment makes text safe to stand behind # in a script: one line of
// printable characters.
func comment(s string) string { return android.Printable(s, 300) }
