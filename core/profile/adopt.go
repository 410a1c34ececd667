package profile

import (
	"slices"

	"roster/core/android"
)

// Adopted is what becomes of another profile's packages on other models.
type Adopted struct {
	Rules Rules `json:"rules"`
	// Carries go here, too; Absent are on none of the builds here; Unproven
	// are here, but nobody has shown that they can go.
	Carries  []android.PackageName `json:"carries" nullable:"false"`
	Absent   []android.PackageName `json:"absent" nullable:"false"`
	Unproven []Offer               `json:"unproven" nullable:"false"`
}

// Adopt starts a profile for the models of a basis from another one: its rules
// and those of its pins whose packages are here. Builds that it did not claim
// are nobody's here.
func Adopt(rules Rules, from Composition, here Basis) Adopted {
	a := Adopted{Rules: rules, Carries: []android.PackageName{}, Absent: []android.PackageName{}, Unproven: []Offer{}}
	there := map[android.PackageName]bool{}
	for _, c := range here.Candidates {
		there[c.Package] = true
	}
	a.Rules.NotFor = nil
	a.Rules.Pins = slices.DeleteFunc(slices.Clone(rules.Pins), func(p Pin) bool { return !there[p.Package] })
	if a.Rules.Pins == nil {
		a.Rules.Pins = []Pin{}
	}
	rows := map[android.PackageName]Row{}
	for _, r := range Compose(here, a.Rules).Rows {
		rows[r.Package] = r
	}
	for _, r := range from.Rows {
		if !r.Goes {
			continue
		}
		row, ok := rows[r.Package]
		switch {
		case !ok:
			a.Absent = append(a.Absent, r.Package)
		case row.Goes:
			a.Carries = append(a.Carries, r.Package)
		default:
			a.Unproven = append(a.Unproven, Offer{r.Package, row.Label, row.Load, row.Why})
		}
	}
	return a
}
