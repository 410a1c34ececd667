package profile

import (
	"slices"

	"roster/core/android"
	"roster/core/evidence"
)

// Proof is how much is known of a release on one build.
type Proof string

// The proofs: everything that goes was taken off phones of this very build;
// it was taken off phones of the model with another build; or neither.
const (
	Proven      Proof = "proven"
	CarriedOver Proof = "carried-over"
	NotKnown    Proof = "not-known"
)

// ForBuild is a build that the profile is for, or could be.
type ForBuild struct {
	Build
	Model   string `json:"model"`
	Claimed bool   `json:"claimed"`
	// Ships counts what goes and is on this build; Tried those of them that
	// were taken off phones of this build, Near off any phone of the model.
	Ships int `json:"ships"`
	Tried int `json:"tried"`
	Near  int `json:"near"`
	// RolesUnknown is true where no capture told who holds which role.
	RolesUnknown bool `json:"rolesUnknown"`
}

// claims says of each build how much of what goes was tried on it.
func (w *composer) claims() {
	for _, g := range w.Builds {
		c := ForBuild{Build: g.Build, Model: g.Model, Claimed: w.rules.Claims(g.Fingerprint), RolesUnknown: g.Net.RolesUnknown()}
		for name, row := range w.goes {
			if !g.Net.Has(name) {
				continue
			}
			c.Ships++
			if triedBy(g.Tried, name, row.Method) {
				c.Tried++
			}
			if triedBy(g.Near, name, row.Method) {
				c.Near++
			}
		}
		switch {
		case c.Ships > 0 && c.Tried == c.Ships:
			c.Proof = Proven
		case c.Ships > 0 && c.Near == c.Ships:
			c.Proof = CarriedOver
		default:
			c.Proof = NotKnown
		}
		w.c.Builds = append(w.c.Builds, c)
	}
}

// triedBy reports whether a trial speaks for a method: who was removed for the
// user stands for disabled, and whatever took more away for quietened.
func triedBy(tried map[android.PackageName][]evidence.Method, name android.PackageName, m evidence.Method) bool {
	list := tried[name]
	return slices.Contains(list, m) ||
		m == evidence.Quieten && len(list) > 0 ||
		m == evidence.Disable && slices.Contains(list, evidence.RemoveForUser)
}
