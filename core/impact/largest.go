package impact

import (
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
)

// Dropped is a candidate that has to stay, and why.
type Dropped struct {
	Package android.PackageName `json:"package"`
	Why     string              `json:"why"`
}

// Largest picks the largest part of the candidates that can go without
// stopping anything: it drops what a package that stays rests on by a hard
// link, and of each vital role one package, until nothing changes. Of several
// that could keep a role the one that comes first in the phone's holders
// stays, then the platform's own, then the one with the most trials, then the
// first by name: for links the result is the only largest one.
func (n *Net) Largest(candidates []android.PackageName, trials map[android.PackageName]int) (kept []android.PackageName, dropped []Dropped) {
	p, there := n.phone, n.there
	goes := map[android.PackageName]bool{}
	for _, name := range candidates {
		if there[name] != nil {
			goes[name] = true
		}
	}
	drop := func(name android.PackageName, why string) {
		if goes[name] {
			delete(goes, name)
			dropped = append(dropped, Dropped{name, why})
		}
	}
	for _, name := range p.Facts.Administrators {
		drop(name, "it is an active device administrator")
	}
	for _, r := range n.Roles {
		if r.Class == Vital && !slices.ContainsFunc(r.Able, func(name android.PackageName) bool { return !goes[name] }) {
			drop(keeper(p, r, trials), "the phone needs somebody for the role "+r.Name)
		}
	}
	// What is dropped keeps what it rests on, and so on: each package is
	// looked at once.
	rests := map[android.PackageName][]Link{}
	for _, l := range n.Links {
		if l.Strength == Hard && l.Kind != Overlay {
			rests[l.From] = append(rests[l.From], l)
		}
	}
	queue := make([]android.PackageName, 0, len(there))
	for name := range there {
		if !goes[name] {
			queue = append(queue, name)
		}
	}
	slices.Sort(queue)
	for len(queue) > 0 {
		name := queue[0]
		queue = queue[1:]
		for _, l := range rests[name] {
			if goes[l.On] {
				drop(l.On, fmt.Sprintf("%s stays and rests on it: %s", name, strings.Join(l.By, ", ")))
				queue = append(queue, l.On)
			}
		}
	}
	for name := range goes {
		kept = append(kept, name)
	}
	slices.Sort(kept)
	return kept, dropped
}

// keeper is who keeps a role where everybody who could would go.
func keeper(p Phone, r Role, trials map[android.PackageName]int) android.PackageName {
	holds := func(name android.PackageName) bool {
		if held := p.Facts.Role(r.Name); held != nil && slices.Contains(held.Holders, name) {
			return true
		}
		return r.Name == Keyboard && slices.ContainsFunc(p.Facts.Keyboards, func(k android.Keyboard) bool { return k.Package == name && k.Default })
	}
	platform := func(name android.PackageName) bool { return strings.HasPrefix(string(name), "com.android.") }
	return slices.MinFunc(r.Able, func(a, b android.PackageName) int {
		for _, better := range []func(android.PackageName) int{
			func(name android.PackageName) int { return -asInt(holds(name)) },
			func(name android.PackageName) int { return -asInt(platform(name)) },
			func(name android.PackageName) int { return -trials[name] },
		} {
			if x, y := better(a), better(b); x != y {
				return x - y
			}
		}
		return strings.Compare(string(a), string(b))
	})
}

func asInt(b bool) int {
	if b {
		return 1
	}
	return 0
}
