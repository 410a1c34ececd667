package profile

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"

	"roster/core/android"
	"roster/core/evidence"
)

// Comparison is what differs between the steps of two releases or drafts.
type Comparison struct {
	// Added and Removed are packages that go in one alone.
	Added   []Moved `json:"added" nullable:"false"`
	Removed []Moved `json:"removed" nullable:"false"`
	// Changed go in both, by another method or under another load.
	Changed []Moved `json:"changed" nullable:"false"`
	// Steps are steps of other kinds that are new or gone, in words.
	Steps []string `json:"steps" nullable:"false"`
	Same  int      `json:"same"`
}

// Moved is a package that differs.
type Moved struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	Load    evidence.Load       `json:"load"`
	// What says how it differs, "" for packages that go in one alone.
	What string `json:"what"`
}

// Compare tells how steps differ from those before.
func Compare(before, after []Step) Comparison {
	c := Comparison{Added: []Moved{}, Removed: []Moved{}, Changed: []Moved{}, Steps: []string{}}
	was, is := removals(before), removals(after)
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
	old, now := others(before), others(after)
	for _, text := range now {
		if !slices.Contains(old, text) {
			c.Steps = append(c.Steps, "new step: "+text)
		}
	}
	for _, text := range old {
		if !slices.Contains(now, text) {
			c.Steps = append(c.Steps, "step left out: "+text)
		}
	}
	return c
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
	}
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
		if s.Kind != Remove {
			list = append(list, s.Text)
		}
	}
	return list
}

func differs(a, b Step) string {
	switch {
	case a.Method != b.Method && b.Method == evidence.Disable:
		return "disabled instead of removed"
	case a.Method != b.Method:
		return "removed instead of disabled"
	case a.Load != b.Load:
		return fmt.Sprintf("%s instead of %s", loadWord[b.Load], loadWord[a.Load])
	case !slices.Equal(a.Conditions, b.Conditions):
		return "other conditions"
	}
	return ""
}

var loadWord = map[evidence.Load]string{evidence.Loose: "Loose", evidence.LeanedOn: "Leaned on", evidence.TiedIn: "Tied in", evidence.LoadBearing: "Load-bearing", evidence.Unproven: "Unproven"}

// Log writes a comparison as the lines of a change log, for a person to edit.
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
	lines = append(lines, c.Steps...)
	if len(lines) == 0 {
		lines = append(lines, "Takes off the same packages; the evidence is newer.")
	}
	return lines
}
