package run

import (
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/profile"
)

// Fit is how well a release fits a phone.
type Fit string

// The fits, best first.
const (
	ProvenHere Fit = "proven"
	SameModel  Fit = "same-model"
	NotMade    Fit = "not-made"
)

// Fits says how well a release fits a phone, and why.
func Fits(d *profile.Document, id android.Identity) (Fit, string) {
	i := slices.IndexFunc(d.Models(), func(m profile.Model) bool { return m.Device == id.Device })
	if i < 0 || !strings.EqualFold(d.Maker.Manufacturer, id.Manufacturer) {
		return NotMade, "it is for " + d.Maker.Name + " " + d.Model.Name
	}
	at := slices.IndexFunc(d.Builds, func(b profile.Build) bool { return b.Fingerprint == id.Fingerprint })
	switch {
	case at < 0:
		return SameModel, "same model, and not made for this firmware"
	case d.Builds[at].Proof == profile.Proven:
		return ProvenHere, "everything in it was taken off phones with this firmware"
	case d.Builds[at].Proof == profile.CarriedOver:
		return SameModel, "made for this firmware; proven on others of the model"
	}
	return SameModel, "made for this firmware, and not proven on it yet"
}

// MadeFor reports whether a release claims a firmware.
func MadeFor(d *profile.Document, fingerprint string) bool {
	return slices.ContainsFunc(d.Builds, func(b profile.Build) bool { return b.Fingerprint == fingerprint })
}
