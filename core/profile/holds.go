package profile

import (
	"cmp"
	"fmt"
	"slices"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/wording"
)

// HoldState says how a release stands on a build.
type HoldState string

// The states, from what stops a phone to what is as it was. One release may
// have several findings on a build: the worst of them is its state.
const (
	HoldStops    HoldState = "stops"
	RoleAtRisk   HoldState = "role-at-risk"
	CameBack     HoldState = "back"
	WasRenamed   HoldState = "renamed"
	PackageGone  HoldState = "package-gone"
	HoldUnproven HoldState = "unproven"
	Covered      HoldState = "covered"
)

// HoldStates lists the states, worst first.
var HoldStates = []HoldState{HoldStops, RoleAtRisk, CameBack, WasRenamed, PackageGone, HoldUnproven, Covered}

// Finding is one thing that a build does to a release.
type Finding struct {
	State HoldState `json:"state" enum:"stops,role-at-risk,back,renamed,package-gone,unproven,covered"`
	// Packages are those of the release that it is about, Others those of the
	// phone: what rests on them now, or what they are called now.
	Packages []android.PackageName `json:"packages" nullable:"false"`
	Others   []android.PackageName `json:"others" nullable:"false"`
	Role     string                `json:"role,omitempty"`
	Why      string                `json:"why"`
}

// Hold is how a release stands on one build.
type Hold struct {
	State HoldState `json:"state" enum:"stops,role-at-risk,back,renamed,package-gone,unproven,covered"`
	// Claimed is true where the release says that it is for the build.
	Claimed bool `json:"claimed"`
	// Ships counts what goes and is on the build, Tried those of them that
	// were taken off phones of it.
	Ships    int       `json:"ships"`
	Tried    int       `json:"tried"`
	Findings []Finding `json:"findings" nullable:"false"`
}

// Stops reports whether the release would stop something on the build.
func (h Hold) Stops() bool {
	return slices.ContainsFunc(h.Findings, func(f Finding) bool { return f.State == HoldStops })
}

// OnBuild is a build that a release is held against.
type OnBuild struct {
	Fingerprint string
	Net         *impact.Net
	// Before is the build before it in its edition, nil where none is known:
	// what is gone since is told, and what was never there is not.
	Before *impact.Net
	// Made is a build that the release was made for, the newest; nil where
	// none is known. A job that it left to nobody there is no news here.
	Made *impact.Net
	// Renamed are packages of the build before that have another name here.
	Renamed []catalog.Renamed
	// CameBack counts the phones on which an update to this build brought a
	// package back.
	CameBack map[android.PackageName]int
	// Tried lists by which methods packages were taken off phones of it.
	Tried map[android.PackageName][]evidence.Method
}

// Holds works out how a release stands on a build.
func Holds(d *Document, on OnBuild) Hold {
	h := Hold{Claimed: slices.ContainsFunc(d.Builds, func(b Build) bool { return b.Fingerprint == on.Fingerprint }), Findings: []Finding{}}
	removal, known := removalOf(d)
	for _, s := range d.Removals() {
		if !on.Net.Has(s.Package) {
			continue
		}
		h.Ships++
		if triedBy(on.Tried, s.Package, s.Method) {
			h.Tried++
		}
	}
	h.stops(on, removal, known)
	h.renamedAndGone(d, on)
	h.back(d, on)
	h.State = Covered
	if !h.Claimed || h.Tried < h.Ships {
		h.State = HoldUnproven
	}
	slices.SortStableFunc(h.Findings, func(a, b Finding) int {
		return cmp.Compare(slices.Index(HoldStates, a.State), slices.Index(HoldStates, b.State))
	})
	if len(h.Findings) > 0 {
		h.State = h.Findings[0].State
	}
	return h
}

// removalOf is what a release takes off, with what its steps see to before.
func removalOf(d *Document) (impact.Removal, impact.Known) {
	removal := impact.Removal{}
	known := impact.Known{Before: impact.Before{Held: map[string]android.PackageName{}, Withdrawn: map[android.PackageName]bool{}}}
	for _, s := range d.Steps {
		switch s.Kind {
		case Remove:
			if s.Leaves() {
				removal[s.Package] = s.Method
			}
			// Whoever carries the release out withdraws an administrator; one
			// that is active was so on the phone that was captured.
			known.Before.Withdrawn[s.Package] = true
		case PutIn:
			if s.Role != "" {
				known.Before.Held[s.Role] = s.Package
			}
		}
	}
	return removal, known
}

// stops adds what would stop something, and jobs that nobody would do any
// more.
func (h *Hold) stops(on OnBuild, removal impact.Removal, known impact.Known) {
	before := map[string]bool{}
	if on.Made != nil {
		for _, c := range on.Made.Consequences(removal, known) {
			if c.Code == "role-emptied" {
				before[c.Role] = true
			}
		}
	}
	for _, c := range on.Net.Consequences(removal, known) {
		f := Finding{Packages: c.Packages, Others: c.Stay, Role: c.Role, Why: c.Why}
		switch {
		case c.Severity == impact.Stops:
			f.State = HoldStops
		case c.Code == "role-emptied" && c.Severity == impact.Costs && !before[c.Role]:
			f.State = RoleAtRisk
		default:
			continue
		}
		h.Findings = append(h.Findings, f)
	}
}

// renamedAndGone adds what the build before had and this one has not.
func (h *Hold) renamedAndGone(d *Document, on OnBuild) {
	for _, s := range d.Removals() {
		if on.Net.Has(s.Package) || on.Before == nil || !on.Before.Has(s.Package) {
			continue
		}
		i := slices.IndexFunc(on.Renamed, func(r catalog.Renamed) bool { return r.From == string(s.Package) })
		if i < 0 {
			h.Findings = append(h.Findings, Finding{State: PackageGone, Packages: []android.PackageName{s.Package}, Others: []android.PackageName{}, Why: "this build no longer ships it"})
			continue
		}
		to := android.PackageName(on.Renamed[i].To)
		if !slices.ContainsFunc(d.Removals(), func(r Step) bool { return r.Package == to }) {
			h.Findings = append(h.Findings, Finding{State: WasRenamed, Packages: []android.PackageName{s.Package}, Others: []android.PackageName{to},
				Why: fmt.Sprintf("it is %s now, as far as one can tell (%s sure): under that name it stays", to, wording.Share(on.Renamed[i].Sure))})
		}
	}
}

// back adds what an update to the build brought back to phones.
func (h *Hold) back(d *Document, on OnBuild) {
	for _, s := range d.Removals() {
		if n := on.CameBack[s.Package]; n > 0 && s.Leaves() && on.Net.Has(s.Package) {
			why := "the update to this build brought it back on " + wording.Count(n, "phone")
			h.Findings = append(h.Findings, Finding{State: CameBack, Packages: []android.PackageName{s.Package}, Others: []android.PackageName{}, Why: why})
		}
	}
}

// Words sums a hold up for people: 4 came back, 1 renamed.
func (h Hold) Words() string {
	count := map[HoldState]int{}
	for _, f := range h.Findings {
		count[f.State]++
	}
	text := ""
	add := func(n int, one, many string) {
		if n == 0 {
			return
		}
		if text != "" {
			text += ", "
		}
		if n == 1 {
			text += one
		} else {
			text += fmt.Sprintf(many, n)
		}
	}
	add(count[HoldStops], "1 thing would stop", "%d things would stop")
	add(count[RoleAtRisk], "1 job would be nobody's", "%d jobs would be nobody's")
	add(count[CameBack], "1 came back", "%d came back")
	add(count[WasRenamed], "1 has another name", "%d have other names")
	add(count[PackageGone], "1 is gone", "%d are gone")
	switch {
	case text != "":
	case !h.Claimed:
		text = "runs here, and was not made for it"
	case h.Tried < h.Ships:
		text = fmt.Sprintf("runs here; %d of %d tried", h.Tried, h.Ships)
	default:
		text = "covered"
	}
	return text
}
