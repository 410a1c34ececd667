package render

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/core/wording"
)

// Names writes the plain list: one package name a line, in the order of the
// release. What is quietened is not in it: a list can't say that it stays.
func Names(d *profile.Document) []byte { return names(d.Removals()) }

// NamesUndo writes the plain list in the order of putting back.
func NamesUndo(d *profile.Document) []byte {
	list := d.Removals()
	slices.Reverse(list)
	return names(list)
}

func names(list []profile.Step) []byte {
	var b strings.Builder
	for _, s := range list {
		if s.Leaves() {
			b.WriteString(string(s.Package))
			b.WriteByte('\n')
		}
	}
	return []byte(b.String())
}

// newest is an API level as of which all commands of today are known: in words for
// people, who see what an older phone does not know.
const newest = 33

// Commands are the shell commands on the phone that take a step's package off
// and put it back.
func Commands(s profile.Step) (off, back string) {
	switch s.Method {
	case evidence.Quieten:
		before := android.Noise{Any: "default", In: "default", Notify: android.Granted}
		return strings.Join(android.Quietening(s.Package, newest), "; "), strings.Join(android.Loudening(s.Package, before), "; ")
	case evidence.RemoveFromImage:
		return "the shell script with --root, or a bench", "its undo script with --root, or the bench"
	case evidence.Disable:
		return "pm disable-user --user 0 " + string(s.Package), "pm enable --user 0 " + string(s.Package)
	}
	return "pm uninstall --user 0 " + string(s.Package), "cmd package install-existing --user 0 " + string(s.Package)
}

// CSV writes all steps as a table, RFC 4180 with a head line: each removal with
// its command and what puts it back.
func CSV(d *profile.Document) ([]byte, error) {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.UseCRLF = true
	if err := w.Write([]string{"step", "phase", "kind", "package", "label", "load", "method", "costs", "conditions", "harm ceiling", "standing", "phones", "people", "text", "command", "put back with"}); err != nil {
		return nil, err
	}
	for _, s := range d.Steps {
		line := []string{fmt.Sprint(s.Number), string(s.In()), string(s.Kind), string(s.Package), Cell(s.Label), string(s.Load), string(s.Method), Cell(strings.Join(s.Costs, "; ")), Cell(strings.Join(s.Conditions, "; ")), "", "", "", "", Cell(s.Text), "", ""}
		if e := s.Evidence; e != nil {
			line[9], line[10], line[11], line[12] = fmt.Sprintf("%.3f", e.Ceiling), string(e.Standing), fmt.Sprint(e.Phones), fmt.Sprint(e.People)
		}
		if s.Kind == profile.Remove {
			line[14], line[15] = Commands(s)
		}
		if err := w.Write(line); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

// Markdown writes the release as text for a wiki or a forum, with what it
// costs and how to put each package back.
func Markdown(d *profile.Document, a About) []byte {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	line("# %s %s: %s, no. %d\n", mark(d.Maker.Name), mark(d.Model.Name), mark(d.Edition.Name), d.Number)
	if a.Withdrawn {
		line("**Withdrawn: do not use this release.** %s\n", mark(a.Reason))
	}
	if d.Edition.Purpose != "" {
		line("%s\n", mark(d.Edition.Purpose))
	}
	line("Published %s by %s. SHA-256 `%s`.\n", d.Published, mark(d.Publisher), a.Digest)
	if a.Where != "" {
		line("Whether it was withdrawn since: <%s>\n", a.Where)
	}
	line("## For these firmwares\n")
	for _, f := range d.Builds {
		line("- %s (Android %s)", mark(strings.TrimSpace(f.Carrier+" "+f.Version)), mark(f.Android))
	}
	section := func(title string, steps []profile.Step) {
		if len(steps) > 0 {
			line("\n## %s\n", title)
		}
		for _, s := range steps {
			line("- %s", mark(s.Text))
		}
	}
	if len(d.Costs) > 0 {
		line("\n## What it costs\n")
		for _, c := range d.Costs {
			line("- %s", mark(strings.ReplaceAll(c.Function, "-", " ")))
		}
	}
	section("Before", d.Before())
	line("\n## What goes\n")
	line("| package | name | load | at most harmed | take off | put back |")
	line("| --- | --- | --- | --- | --- | --- |")
	for _, s := range d.Removals() {
		off, back := Commands(s)
		ceiling := ""
		if s.Evidence != nil {
			ceiling = wording.Ceiling(s.Evidence.Ceiling)
		}
		line("| `%s` | %s | %s | %s | `%s` | `%s` |", s.Package, mark(s.Label), s.Load, ceiling, off, back)
	}
	section("After", d.After())
	section("To try, at once and in a week", d.Checks())
	return []byte(b.String())
}

// mark makes text harmless in Markdown: one line, with what could be markup
// escaped.
func mark(s string) string {
	var b strings.Builder
	for _, r := range android.Printable(s, 1000) {
		switch r {
		case '<':
			b.WriteString("&lt;")
			continue
		case '&':
			b.WriteString("&amp;")
			continue
		case '\\', '`', '*', '_', '{', '}', '[', ']', '(', ')', '#', '+', '-', '!', '|', '>', '~':
			b.WriteByte('\\')
		}
		b.WriteRune(r)
	}
	return b.String()
}
