package impact

import (
	"cmp"
	"slices"

	"roster/core/android"
)

// Differences are what rests on what in one build and not in another.
type Differences struct {
	// Gained and Lost are links between packages; one that only changes what
	// it goes by, or its strength, is in both.
	Gained []Link `json:"gained" nullable:"false"`
	Lost   []Link `json:"lost" nullable:"false"`
	// Roles are jobs that other packages can do now.
	Roles []RoleMove `json:"roles" nullable:"false"`
}

// RoleMove is a job whose packages differ between two builds.
type RoleMove struct {
	Role   string                `json:"role"`
	Class  Class                 `json:"class" enum:"vital,wanted,optional"`
	Before []android.PackageName `json:"before" nullable:"false"`
	After  []android.PackageName `json:"after" nullable:"false"`
}

// Compare tells how what rests on what differs between two phones.
func Compare(before, after *Net) Differences {
	d := Differences{Gained: []Link{}, Lost: []Link{}, Roles: []RoleMove{}}
	// Both lists are in one order.
	i, j := 0, 0
	for i < len(before.Links) || j < len(after.Links) {
		switch order := compareAt(before.Links, after.Links, i, j); {
		case order < 0:
			d.Lost = append(d.Lost, before.Links[i])
			i++
		case order > 0:
			d.Gained = append(d.Gained, after.Links[j])
			j++
		default:
			a, b := before.Links[i], after.Links[j]
			if a.Strength != b.Strength || !slices.Equal(a.By, b.By) {
				d.Lost, d.Gained = append(d.Lost, a), append(d.Gained, b)
			}
			i, j = i+1, j+1
		}
	}
	was, is := before.rolesByName(), after.rolesByName()
	for _, r := range slices.Concat(before.Roles, after.Roles) {
		a, b := was[r.Name], is[r.Name]
		if slices.Equal(a, b) || slices.ContainsFunc(d.Roles, func(m RoleMove) bool { return m.Role == r.Name }) {
			continue
		}
		d.Roles = append(d.Roles, RoleMove{r.Name, r.Class, slices.Concat([]android.PackageName{}, a), slices.Concat([]android.PackageName{}, b)})
	}
	slices.SortFunc(d.Roles, func(a, b RoleMove) int { return cmp.Compare(a.Role, b.Role) })
	return d
}

func compareAt(before, after []Link, i, j int) int {
	switch {
	case i == len(before):
		return 1
	case j == len(after):
		return -1
	}
	return byEnds(before[i], after[j])
}

func (n *Net) rolesByName() map[string][]android.PackageName {
	out := map[string][]android.PackageName{}
	for _, r := range n.Roles {
		out[r.Name] = r.Able
	}
	return out
}
