package profile

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
)

// Made is what a release or a draft does to a phone, and for which firmwares it
// is.
type Made struct {
	Steps  []Step
	Builds []Build
}

// Made is what the release does.
func (d *Document) Made() Made { return Made{d.Steps, d.Builds} }

// Made is what a release of the composition would do.
func (c Composition) Made() Made {
	m := Made{Steps: c.Steps}
	for _, b := range c.Builds {
		if b.Claimed {
			m.Builds = append(m.Builds, b.Build)
		}
	}
	return m
}

// Comparison is what differs between two releases or drafts.
type Comparison struct {
	// Added and Removed are packages that go in one alone.
	Added   []Moved `json:"added" nullable:"false"`
	Removed []Moved `json:"removed" nullable:"false"`
	// Changed go in both, by another method or under another load.
	Changed []Moved `json:"changed" nullable:"false"`
	// Steps are steps of other kinds that are new or gone, in words.
	Steps []string `json:"steps" nullable:"false"`
	// Firmware is what one of them alone is for, in words.
	Firmware []string `json:"firmware" nullable:"false"`
	Same     int      `json:"same"`
}

// Moved is a package that differs.
type Moved struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	Load    evidence.Load       `json:"load"`
	// What says how it differs, "" for packages that go in one alone.
	What string `json:"what"`
}

// Compare tells how what is made differs from what was made before.
func Compare(before, after Made) Comparison {
	c := Comparison{Added: []Moved{}, Removed: []Moved{}, Changed: []Moved{}, Steps: []string{}, Firmware: []string{}}
	was, is := removals(before.Steps), removals(after.Steps)
	for name, s := range is {
		old, ok := was[name]
		switch what := differs(old, s); {
		case !ok:
			c.Added = append(c.Added, Moved{name, s.Label, s.Load, ""})
		case what != "":
			c.Changed = append(c.Changed, Moved{name, s.Label, s.Load, what})
		default:
			c.Same++
		}
	}
	for name, s := range was {
		if _, ok := is[name]; !ok {
			c.Removed = append(c.Removed, Moved{name, s.Label, s.Load, ""})
		}
	}
	for _, list := range [][]Moved{c.Added, c.Removed, c.Changed} {
		slices.SortFunc(list, func(a, b Moved) int { return cmp.Compare(a.Package, b.Package) })
	}
	old, now := others(before.Steps), others(after.Steps)
	c.Steps = append(lead("new step: ", without(now, old)), lead("step left out: ", without(old, now))...)
	old, now = buildNames(before.Builds), buildNames(after.Builds)
	c.Firmware = append(lead("new firmware: ", without(now, old)), lead("firmware left out: ", without(old, now))...)
	return c
}

// without are those of list that other has fewer of.
func without(list, other []string) []string {
	left := slices.Clone(other)
	return slices.DeleteFunc(slices.Clone(list), func(text string) bool {
		i := slices.Index(left, text)
		if i >= 0 {
			left = slices.Delete(left, i, i+1)
		}
		return i >= 0
	})
}

func lead(words string, list []string) []string {
	out := make([]string, len(list))
	for i, text := range list {
		out[i] = words + text
	}
	return out
}

// buildNames say of each firmware what people call it.
func buildNames(builds []Build) (names []string) {
	for _, b := range builds {
		parts := slices.DeleteFunc([]string{b.Model, b.Carrier, b.Region, b.Version}, func(s string) bool { return s == "" })
		names = append(names, strings.Join(parts, " "))
	}
	slices.Sort(names)
	return names
}

// StepsDigest is SHA-256, in hex, over what steps do to a phone: it is the same
// while the evidence moves but nothing that is done.
func StepsDigest(steps []Step) string {
	sum := sha256.New()
	for _, s := range steps {
		fmt.Fprintf(sum, "%q %q %q %q %q %q %q %q %d %q\n", s.Kind, s.In(), s.Method, s.Package, s.Role, s.Namespace, s.Key, s.Value, s.Seconds, s.Conditions)
		if s.Kind != Remove {
			fmt.Fprintf(sum, "%q\n", s.Text)
		}
		if s.File != nil || len(s.Grants) > 0 {
			fmt.Fprintf(sum, "%+v %q\n", pinOf(s), s.Grants)
		}
	}
	return hex.EncodeToString(sum.Sum(nil))
}

// AskedDigest is SHA-256, in hex, over all that somebody sees who is asked to sign
// a release: what its steps do, the firmwares that it is for, and its differences
// from the release before.
func AskedDigest(d *Document) string {
	sum := sha256.New()
	fmt.Fprintf(sum, "%s\n", StepsDigest(d.Steps))
	for _, b := range d.Builds {
		fmt.Fprintf(sum, "%q\n", b.Fingerprint)
	}
	fmt.Fprintf(sum, "%d %q\n", d.Since, d.Differences)
	return hex.EncodeToString(sum.Sum(nil))
}

func removals(steps []Step) map[android.PackageName]Step {
	out := map[android.PackageName]Step{}
	for _, s := range steps {
		if s.Kind == Remove {
			out[s.Package] = s
		}
	}
	return out
}

func others(steps []Step) (list []string) {
	for _, s := range steps {
		if s.Kind == Remove {
			continue
		}
		text := s.Text
		if s.Key != "" {
			text += fmt.Sprintf(" (%s = %s)", s.Key, s.Value)
		}
		if seconds := fmt.Sprintf("%d s", s.Seconds); s.Kind == Wait && !strings.Contains(text, seconds) {
			text += " (" + seconds + ")"
		}
		list = append(list, text)
	}
	return list
}

func differs(a, b Step) string {
	switch {
	case a.Method != b.Method:
		return methodWord[b.Method] + " instead of " + methodWord[a.Method]
	case a.Load != b.Load:
		return fmt.Sprintf("%s instead of %s", loadWord[b.Load], loadWord[a.Load])
	case !slices.Equal(a.Conditions, b.Conditions):
		return "other conditions"
	}
	return ""
}

var methodWord = map[evidence.Method]string{evidence.Quieten: "quietened", evidence.Disable: "disabled", evidence.RemoveForUser: "removed",
	evidence.RemoveFromImage: "taken out of the image"}

var loadWord = map[evidence.Load]string{evidence.Loose: "Loose", evidence.LeanedOn: "Leaned on", evidence.TiedIn: "Tied in", evidence.LoadBearing: "Load-bearing", evidence.Unproven: "Unproven"}

// Log writes a comparison as the lines of a change log.
func (c Comparison) Log() []string {
	lines := []string{}
	for _, part := range []struct {
		lead string
		list []Moved
	}{{"Goes now: ", c.Added}, {"Stays now: ", c.Removed}, {"", c.Changed}} {
		for _, m := range part.list {
			line := part.lead + orText(m.Label, string(m.Package))
			if m.Label != "" {
				line += " (" + string(m.Package) + ")"
			}
			if m.What != "" {
				line += ": " + m.What
			}
			lines = append(lines, line)
		}
	}
	lines = append(append(lines, c.Steps...), c.Firmware...)
	if len(lines) == 0 {
		lines = append(lines, "Does the same, on the same firmware; the evidence is newer.")
	}
	return lines
}
