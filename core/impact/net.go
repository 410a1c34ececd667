package impact

import (
	"slices"
	"strings"

	"roster/core/android"
)

// Phone is what a removal is worked out for: what one capture says, or the
// union of captures that stands for a build.
type Phone struct {
	// Form is phone, tablet, television and so on, as android.Identity has it.
	Form     string
	Packages []android.Package
	Facts    android.PhoneFacts
	// Stated are links that people state; those of packages that are not
	// there count for nothing.
	Stated []Link
}

// Net is a phone read once: its links and roles, from which any number of
// removals can be worked out, by several at once.
type Net struct {
	// Links are by From, On and kind, Roles by name.
	Links []Link
	Roles []Role

	phone Phone
	// Every installed package has a number, in the order of names.
	packages []*android.Package
	number   map[android.PackageName]int32
	// ends are the numbers of each link's packages; into and outOf list each
	// package's links by their place in Links.
	ends        []ends
	into, outOf [][]int32
	// able are the numbers of each role's packages.
	able [][]int32
	// dangerous lists the permissions of that protection that each package
	// asks for.
	dangerous [][]string
	admin     []bool
}

type ends struct{ from, on int32 }

// Read finds a phone's links and roles. It takes time in proportion to the
// packages and what they declare, use and request.
func Read(p Phone) *Net {
	n := &Net{phone: p, number: make(map[android.PackageName]int32, len(p.Packages))}
	for i := range p.Packages {
		if p.Packages[i].Installed {
			n.packages = append(n.packages, &p.Packages[i])
		}
	}
	slices.SortFunc(n.packages, func(a, b *android.Package) int { return strings.Compare(string(a.Name), string(b.Name)) })
	for i, one := range n.packages {
		n.number[one.Name] = int32(i)
	}
	n.Links, n.Roles = n.readLinks(), n.readRoles()
	n.index()
	return n
}

// index numbers what Consequences goes through, so that it needs no names.
func (n *Net) index() {
	n.ends = make([]ends, len(n.Links))
	n.into, n.outOf = make([][]int32, len(n.packages)), make([][]int32, len(n.packages))
	for i, l := range n.Links {
		e := ends{n.number[l.From], n.number[l.On]}
		n.ends[i] = e
		n.into[e.on] = append(n.into[e.on], int32(i))
		n.outOf[e.from] = append(n.outOf[e.from], int32(i))
	}
	n.able = make([][]int32, len(n.Roles))
	for i, r := range n.Roles {
		for _, name := range r.Able {
			n.able[i] = append(n.able[i], n.number[name])
		}
	}
	dangerous := map[string]bool{}
	for _, one := range n.packages {
		for _, d := range one.Declares {
			if strings.HasPrefix(strings.ToLower(d.Protection), "dangerous") {
				dangerous[d.Name] = true
			}
		}
	}
	n.dangerous, n.admin = make([][]string, len(n.packages)), make([]bool, len(n.packages))
	for i, one := range n.packages {
		for _, request := range one.Requests {
			if dangerous[request] {
				n.dangerous[i] = append(n.dangerous[i], request)
			}
		}
		slices.Sort(n.dangerous[i])
		n.admin[i] = slices.Contains(n.phone.Facts.Administrators, one.Name)
	}
}

// active are the packages that are installed and not switched off: the others
// hold nothing and rest on nothing, though they can go.
func (n *Net) active() map[android.PackageName]*android.Package {
	out := make(map[android.PackageName]*android.Package, len(n.packages))
	for _, one := range n.packages {
		if one.Enabled.On() {
			out[one.Name] = one
		}
	}
	return out
}

// Names lists the installed packages in the order of their names.
func (n *Net) Names() []android.PackageName {
	list := make([]android.PackageName, len(n.packages))
	for i, one := range n.packages {
		list[i] = one.Name
	}
	return list
}

// Has reports whether a package is installed.
func (n *Net) Has(name android.PackageName) bool {
	_, ok := n.number[name]
	return ok
}

// Administrator reports whether a package is an active device administrator.
func (n *Net) Administrator(name android.PackageName) bool {
	i, ok := n.number[name]
	return ok && n.admin[i]
}

// Holds reports whether a package holds a role now, as one of several perhaps:
// of jobs that the platform does not call roles whoever could do them does.
func (n *Net) Holds(name android.PackageName, role string) bool {
	if held := n.phone.Facts.Role(role); held != nil {
		return slices.Contains(held.Holders, name)
	}
	if role == Keyboard {
		return slices.ContainsFunc(n.phone.Facts.Keyboards, func(k android.Keyboard) bool { return k.Package == name && k.Default })
	}
	return slices.ContainsFunc(n.Roles, func(r Role) bool { return r.Name == role && slices.Contains(r.Able, name) })
}

// RolesUnknown reports whether the phone told neither who holds its roles nor
// which keyboards it has: then nobody can say which removal would empty one.
func (n *Net) RolesUnknown() bool {
	return len(n.phone.Facts.Roles) == 0 && len(n.phone.Facts.Keyboards) == 0
}

// Leans reports whether anything hangs on which side a package is on: a hard
// link from it or to it, or a vital role that it can hold.
func (n *Net) Leans(name android.PackageName) bool {
	i, ok := n.number[name]
	if !ok {
		return false
	}
	hard := func(l int32) bool { return n.Links[l].Strength == Hard && n.Links[l].Kind != Overlay }
	if slices.ContainsFunc(n.into[i], hard) || slices.ContainsFunc(n.outOf[i], hard) || n.admin[i] {
		return true
	}
	for r, role := range n.Roles {
		if role.Class == Vital && slices.Contains(n.able[r], i) {
			return true
		}
	}
	return false
}

// Around lists a package's links: those by which it rests on others, and those
// by which others rest on it.
func (n *Net) Around(name android.PackageName) (on, from []Link) {
	i, ok := n.number[name]
	if !ok {
		return nil, nil
	}
	for _, l := range n.outOf[i] {
		on = append(on, n.Links[l])
	}
	for _, l := range n.into[i] {
		from = append(from, n.Links[l])
	}
	return on, from
}

// Resting counts, for every package on which others rest, those others: hard
// ones and soft ones that are not hard, too. Sharing a user id is no resting.
func (n *Net) Resting() map[android.PackageName]Resting {
	out := map[android.PackageName]Resting{}
	for i, one := range n.packages {
		kinds := map[int32]Strength{}
		for _, l := range n.into[i] {
			if n.Links[l].Kind != SharedUID && kinds[n.ends[l].from] != Hard {
				kinds[n.ends[l].from] = n.Links[l].Strength
			}
		}
		var r Resting
		for _, s := range kinds {
			if s == Hard {
				r.Hard++
			} else {
				r.Soft++
			}
		}
		if len(kinds) > 0 {
			out[one.Name] = r
		}
	}
	return out
}

// Resting is how many packages rest on one.
type Resting struct {
	Hard int `json:"hard"`
	Soft int `json:"soft"`
}
