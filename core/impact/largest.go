package impact

import (
	"cmp"
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
// stopping anything: it drops administrators that no step withdraws, what a
// package that stays rests on by a hard link, and of each vital role one
// package, until nothing changes. Of several that could keep a role the one
// that holds it stays, then the platform's own, then the one with the most
// trials, then the first by name: for links the result is the only largest
// one. Candidates that are not there are in neither list.
func (n *Net) Largest(candidates []android.PackageName, trials map[android.PackageName]int, before Before) (kept []android.PackageName, dropped []Dropped) {
	goes := make([]bool, len(n.packages))
	for _, name := range candidates {
		if i, ok := n.number[name]; ok {
			goes[i] = true
		}
	}
	drop := func(i int32, why string) {
		if goes[i] {
			goes[i] = false
			dropped = append(dropped, Dropped{n.packages[i].Name, why})
		}
	}
	for i, admin := range n.admin {
		if admin && !before.Withdrawn[n.packages[i].Name] {
			drop(int32(i), "it is an active device administrator")
		}
	}
	for i, r := range n.Roles {
		if _, held := before.Held[r.Name]; !held && r.Class == Vital && !slices.ContainsFunc(n.able[i], func(j int32) bool { return !goes[j] }) {
			drop(n.number[n.keeper(r, trials)], "the phone needs somebody for the role "+r.Name)
		}
	}
	// What is dropped keeps what it rests on, and so on: each package is
	// looked at once.
	queue := make([]int32, 0, len(n.packages))
	for i := range n.packages {
		if !goes[i] {
			queue = append(queue, int32(i))
		}
	}
	for len(queue) > 0 {
		first := queue[0]
		queue = queue[1:]
		for _, l := range n.outOf[first] {
			link, on := &n.Links[l], n.ends[l].on
			if goes[on] && link.Strength == Hard && link.Kind != Overlay {
				drop(on, string(link.From)+" stays, and "+strings.TrimPrefix(reason(link), string(link.From)+" "))
				queue = append(queue, on)
			}
		}
	}
	for i, one := range n.packages {
		if goes[i] {
			kept = append(kept, one.Name)
		}
	}
	return kept, dropped
}

// Touched says in words what speaks against taking a package out of the image: a
// role that it could have, or a hard link by which another rests on it; "" where
// nothing does. The guard of a removal for the user is milder: there it is enough
// that somebody is left.
func (n *Net) Touched(name android.PackageName) string {
	i, ok := n.number[name]
	if !ok {
		return ""
	}
	for r, able := range n.able {
		if slices.Contains(able, i) {
			return "it could be the phone's " + n.Roles[r].Name
		}
	}
	switch one := n.packages[i]; {
	case n.admin[i]:
		return "it is an active device administrator"
	case one.Persistent:
		return "it always runs: it is a part of the system"
	case strings.HasPrefix(one.SharedUser, "android.uid.") && one.SharedUser != "android.uid.shared":
		return "it runs as a part of the system"
	}
	_, from := n.Around(name)
	for k := range from {
		if l := &from[k]; l.Strength == Hard && l.Kind != Overlay {
			return string(l.From) + " rests on it by a " + string(l.Kind)
		}
	}
	return ""
}

// keeper is who keeps a role where everybody who could would go.
func (n *Net) keeper(r Role, trials map[android.PackageName]int) android.PackageName {
	platform := func(name android.PackageName) bool { return strings.HasPrefix(string(name), "com.android.") }
	return slices.MinFunc(r.Able, func(a, b android.PackageName) int {
		return cmp.Or(first(n.Holds(a, r.Name), n.Holds(b, r.Name)), first(platform(a), platform(b)), cmp.Compare(trials[b], trials[a]), strings.Compare(string(a), string(b)))
	})
}

// first orders by what holds before what does not.
func first(a, b bool) int {
	switch {
	case a && !b:
		return -1
	case b && !a:
		return 1
	}
	return 0
}
