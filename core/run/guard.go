package run

import (
	"slices"

	"roster/core/android"
	"roster/core/impact"
)

// Guard knows who can do the jobs that a phone can't be without, and says
// before each removal whether one of them would be left without anybody.
type Guard struct {
	able map[string][]android.PackageName
}

// NewGuard makes a guard from what a phone of a form (phone, tablet, …) has
// just said.
func NewGuard(form string, seen *Seen) *Guard {
	packages := make([]android.Package, 0, len(seen.Installed))
	for _, name := range seen.Installed {
		enabled := android.EnabledDefault
		if slices.Contains(seen.Off, name) {
			enabled = android.EnabledOffByUser
		}
		packages = append(packages, android.Package{Name: name, Installed: true, Enabled: enabled})
	}
	g := &Guard{map[string][]android.PackageName{}}
	for _, r := range impact.Read(impact.Phone{Form: form, Packages: packages, Facts: seen.Facts}).Roles {
		if r.Class == impact.Vital {
			g.able[r.Name] = r.Able
		}
	}
	return g
}

// Empties names the job that nobody could do any more if the package went; ""
// where all are done by others still.
func (g *Guard) Empties(name android.PackageName) (role string) {
	for r, able := range g.able {
		if len(able) == 1 && able[0] == name && (role == "" || r < role) {
			role = r
		}
	}
	return role
}

// Gone tells the guard that a package has gone, or is on its way.
func (g *Guard) Gone(name android.PackageName) {
	for r, able := range g.able {
		g.able[r] = slices.DeleteFunc(slices.Clone(able), func(one android.PackageName) bool { return one == name })
	}
}

// Empty lists the jobs of before that nobody can do any more.
func (g *Guard) Empty(before *Guard) []string {
	var list []string
	for r, able := range before.able {
		if len(able) > 0 && len(g.able[r]) == 0 {
			list = append(list, r)
		}
	}
	slices.Sort(list)
	return list
}

// Job is who does a job on the phone, beside who did it before the run.
type Job struct {
	Role  string       `json:"role"`
	Class impact.Class `json:"class" enum:"vital,wanted,optional"`
	// Now and Before are who hold it, or could where nobody was chosen.
	Now    []android.PackageName `json:"now" nullable:"false"`
	Before []android.PackageName `json:"before" nullable:"false"`
}

// Jobs compares who does the phone's vital and wanted jobs with who did them
// before.
func Jobs(form string, before, now *Seen) []Job {
	list := []Job{}
	was, is := holders(form, before), holders(form, now)
	for role, b := range was {
		if b.class == impact.Optional {
			continue
		}
		j := Job{role, b.class, is[role].names, b.names}
		if j.Now == nil {
			j.Now = []android.PackageName{}
		}
		list = append(list, j)
	}
	slices.SortFunc(list, func(a, b Job) int {
		if a.Class != b.Class {
			if a.Class == impact.Vital {
				return -1
			}
			return 1
		}
		if a.Role < b.Role {
			return -1
		}
		return 1
	})
	return list
}

// HoldsRole reports whether a package holds a role, or could do its job where
// the platform gives that to nobody by name.
func HoldsRole(form string, seen *Seen, name android.PackageName, role string) bool {
	return slices.Contains(holders(form, seen)[role].names, name)
}

type held struct {
	class impact.Class
	names []android.PackageName
}

func holders(form string, seen *Seen) map[string]held {
	packages := make([]android.Package, len(seen.Installed))
	for i, name := range seen.Installed {
		packages[i] = android.Package{Name: name, Installed: true}
	}
	net := impact.Read(impact.Phone{Form: form, Packages: packages, Facts: seen.Facts})
	out := map[string]held{}
	for _, r := range net.Roles {
		names := slices.DeleteFunc(slices.Clone(r.Able), func(n android.PackageName) bool { return !net.Holds(n, r.Name) })
		if len(names) == 0 {
			names = r.Able
		}
		out[r.Name] = held{r.Class, names}
	}
	return out
}
