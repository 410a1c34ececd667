package impact

import (
	"slices"

	"roster/core/android"
	"roster/core/evidence"
)

// Structure is what the phone's own words say of removing a package alone.
// What starts with the phone and never stops is what starting rests on.
func (n *Net) Structure(name android.PackageName) evidence.Structure {
	var s evidence.Structure
	i, ok := n.number[name]
	if !ok || !n.packages[i].Enabled.On() {
		return s
	}
	for r, role := range n.Roles {
		if !slices.Contains(n.able[r], i) {
			continue
		}
		if role.Class == Vital && len(n.able[r]) == 1 {
			s.EmptiesVitalRole = role.Name
		}
		if n.Holds(name, role.Name) {
			s.HoldsRole = role.Name
		}
	}
	for _, l := range n.into[i] {
		link := &n.Links[l]
		if link.Strength != Hard || link.Kind == Overlay {
			continue
		}
		if s.BreaksHardLink == "" {
			s.BreaksHardLink = string(link.From)
		}
		if n.packages[n.ends[l].from].Persistent && s.BreaksBootLink == "" {
			s.BreaksBootLink = reason(link)
		}
	}
	return s
}
