package profile

import (
	"fmt"
	"slices"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/wording"
)

// Redrawn is a package that a new draft treats otherwise than the release
// before it.
type Redrawn struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	Load    evidence.Load       `json:"load"`
	Why     string              `json:"why"`
}

// Redraft is a profile drawn anew for a build that has arrived.
type Redraft struct {
	Rules Rules `json:"-"`
	// Pinned says what was changed in the rules, a line each; none where the
	// rules as they are will do.
	Pinned []string `json:"pinned" nullable:"false"`
	// Adds go now and did not, Drops did and stay now, each with why.
	Adds  []Redrawn `json:"adds" nullable:"false"`
	Drops []Redrawn `json:"drops" nullable:"false"`
	// Prove are on the build, and go or went with the release and would go
	// still, were enough known of them there; Unproven are those of them that
	// were never tried there.
	Prove    []android.PackageName `json:"prove" nullable:"false"`
	Unproven []android.PackageName `json:"unproven" nullable:"false"`
	// Stops says why it could not be published; none where it can.
	Stops []string `json:"stops" nullable:"false"`
}

// RulesFor changes rules so that a profile is for a build, too: it is claimed,
// and what the release took off under another name is pinned under the new
// one. Said tells what was changed.
func RulesFor(rules Rules, d *Document, fingerprint string, renamed []catalog.Renamed) (changed Rules, said []string) {
	said = []string{}
	if slices.Contains(rules.NotFor, fingerprint) {
		rules.NotFor = slices.DeleteFunc(slices.Clone(rules.NotFor), func(f string) bool { return f == fingerprint })
		said = append(said, "the build is claimed")
	}
	for _, r := range renamed {
		from, to := android.PackageName(r.From), android.PackageName(r.To)
		goes := func(name android.PackageName) bool {
			return slices.ContainsFunc(d.Removals(), func(s Step) bool { return s.Package == name })
		}
		if !goes(from) || goes(to) || slices.ContainsFunc(rules.Pins, func(p Pin) bool { return p.Package == to }) {
			continue
		}
		reason := fmt.Sprintf("%s under its new name (%s sure)", from, wording.Share(r.Sure))
		rules.Pins = append(slices.Clone(rules.Pins), Pin{Package: to, Goes: true, Reason: reason})
		said = append(said, fmt.Sprintf("%s is pinned: %s", to, reason))
	}
	return rules, said
}

// Redraw works out what rules would make of a profile on a build, beside the
// release that it has.
func Redraw(d *Document, b Basis, rules Rules, pinned []string, fingerprint string) Redraft {
	c := Compose(b, rules)
	r := Redraft{Rules: rules, Pinned: pinned, Adds: []Redrawn{}, Drops: []Redrawn{}, Prove: []android.PackageName{}, Unproven: []android.PackageName{}, Stops: c.Stops}
	rows := map[android.PackageName]Row{}
	for _, row := range c.Rows {
		rows[row.Package] = row
	}
	diff := Compare(Made{Steps: d.Steps}, Made{Steps: c.Steps})
	for _, m := range diff.Added {
		r.Adds = append(r.Adds, Redrawn{m.Package, m.Label, m.Load, rows[m.Package].Why})
	}
	for _, m := range diff.Removed {
		row, ok := rows[m.Package]
		if !ok {
			row = Row{Why: "no firmware of these models ships it"}
		}
		r.Drops = append(r.Drops, Redrawn{m.Package, m.Label, m.Load, row.Why})
	}
	went := removals(d.Steps)
	for _, g := range b.Builds {
		if g.Fingerprint != fingerprint {
			continue
		}
		for _, row := range c.Rows {
			_, before := went[row.Package]
			if !row.Goes && !(before && !row.Dropped && row.Pin == "") || !g.Net.Has(row.Package) {
				continue
			}
			r.Prove = append(r.Prove, row.Package)
			if !triedBy(g.Tried, row.Package, row.Method) {
				r.Unproven = append(r.Unproven, row.Package)
			}
		}
	}
	return r
}
