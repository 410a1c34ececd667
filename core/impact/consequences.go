package impact

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
)

// Severity is what a consequence means for the removal.
type Severity string

// The severities: what stops cannot be published or run.
const (
	Stops Severity = "stops"
	Costs Severity = "costs"
	Notes Severity = "note"
)

// Consequence is one thing that a removal leads to.
type Consequence struct {
	// Code is stable: role-emptied, link-broken, link-loosened, no-purpose,
	// condition, administrator, will-refuse, comes-back, starter-gone,
	// permission-gone or bytes-freed.
	Code     string                `json:"code"`
	Severity Severity              `json:"severity"`
	Packages []android.PackageName `json:"packages" nullable:"false"`
	// Role is the job that nobody holds any more, "" for other codes.
	Role  string `json:"role,omitempty"`
	Bytes int64  `json:"bytes,omitempty"`
	Why   string `json:"why"`
}

// Removal is what is to go, each by its method.
type Removal map[android.PackageName]evidence.Method

// Known is what other phones have shown of packages, beside the phone itself.
type Known struct {
	// Conditions are what a package's load says must hold before it goes.
	Conditions map[android.PackageName][]string
	// Refused and ComesBack count trials in which the phone would not let the
	// package go, or in which it returned.
	Refused, ComesBack map[android.PackageName]int
}

// Consequences works out what a removal leads to, what stops first. Packages
// that are not there are left out. It takes time in proportion to the packages
// and their links.
func (n *Net) Consequences(set Removal, known Known) []Consequence {
	w := &worker{Net: n, set: set}
	w.roles()
	w.broken()
	w.purposeless()
	w.experience(known)
	w.background()
	w.bytes()
	rank := map[Severity]int{Stops: 0, Costs: 1, Notes: 2}
	slices.SortStableFunc(w.out, func(a, b Consequence) int {
		return cmp.Or(cmp.Compare(rank[a.Severity], rank[b.Severity]), cmp.Compare(a.Code, b.Code), slices.Compare(a.Packages, b.Packages))
	})
	return w.out
}

// worker works out one removal.
type worker struct {
	*Net
	set Removal
	out []Consequence
}

// goes reports whether a package is there and to go.
func (w *worker) goes(name android.PackageName) bool {
	_, ok := w.set[name]
	return ok && w.there[name] != nil
}

func (w *worker) add(code string, s Severity, why string, packages ...android.PackageName) *Consequence {
	slices.Sort(packages)
	w.out = append(w.out, Consequence{Code: code, Severity: s, Packages: packages, Why: why})
	return &w.out[len(w.out)-1]
}

// roles finds the jobs that nobody could do any more.
func (w *worker) roles() {
	for _, r := range w.Roles {
		if !slices.ContainsFunc(r.Able, func(name android.PackageName) bool { return !w.goes(name) }) {
			severity := map[Class]Severity{Vital: Stops, Wanted: Costs, Optional: Notes}[r.Class]
			w.add("role-emptied", severity, "nobody else on the phone can do this", slices.Clone(r.Able)...).Role = r.Name
		}
	}
}

// broken finds links from packages that stay to ones that go.
func (w *worker) broken() {
	for _, l := range w.Links {
		if !w.goes(l.On) || w.goes(l.From) {
			continue
		}
		why := fmt.Sprintf("%s rests on %s: %s", l.From, l.On, strings.Join(l.By, ", "))
		switch {
		case l.Kind == Overlay:
			// An overlay without its target does nothing, and harms nobody.
			w.add("no-purpose", Notes, why, l.From)
		case l.Strength == Hard:
			w.add("link-broken", Stops, why, l.From, l.On)
		default:
			w.add("link-loosened", Notes, why, l.From, l.On)
		}
	}
}

// purposeless finds packages that stay, and on which nothing rests any more
// though something did: candidates to go, too.
func (w *worker) purposeless() {
	rests, left := map[android.PackageName]bool{}, map[android.PackageName]bool{}
	for _, l := range w.Links {
		if l.Kind == SharedUID || l.Kind == Permission && l.Strength == Soft || w.goes(l.On) {
			continue
		}
		rests[l.On] = true
		if !w.goes(l.From) {
			left[l.On] = true
		}
	}
	for name := range rests {
		if !left[name] {
			w.add("no-purpose", Notes, "everything that rested on it goes", name)
		}
	}
}

// experience adds what loads and trials say.
func (w *worker) experience(known Known) {
	for name := range w.set {
		if w.there[name] == nil {
			continue
		}
		if list := known.Conditions[name]; len(list) > 0 {
			w.add("condition", Costs, "only if: "+strings.Join(list, "; "), name)
		}
		if slices.Contains(w.phone.Facts.Administrators, name) {
			w.add("administrator", Stops, "it is an active device administrator: withdraw that first", name)
		}
		if n := known.Refused[name]; n > 0 {
			w.add("will-refuse", Notes, fmt.Sprintf("phones refused in %d trials", n), name)
		}
		if n := known.ComesBack[name]; n > 0 {
			w.add("comes-back", Notes, fmt.Sprintf("it returned by itself in %d trials", n), name)
		}
	}
}

// background adds what starts no more, and which dangerous permissions nobody
// needs to hold any more.
func (w *worker) background() {
	dangerous := map[string]bool{}
	for _, one := range w.there {
		for _, d := range one.Declares {
			if strings.HasPrefix(strings.ToLower(d.Protection), "dangerous") {
				dangerous[d.Name] = true
			}
		}
	}
	for name := range w.set {
		one := w.there[name]
		if one == nil {
			continue
		}
		if one.StartsAtBoot {
			w.add("starter-gone", Notes, "it starts with the phone", name)
		}
		var held []string
		for _, request := range one.Requests {
			if dangerous[request] {
				held = append(held, request)
			}
		}
		if len(held) > 0 {
			slices.Sort(held)
			w.add("permission-gone", Notes, "it asks for "+strings.Join(held, ", "), name)
		}
	}
}

// bytes adds what each method frees: from the image all of it, for the user
// its data and what was updated onto the data partition, and by disabling its
// cache alone.
func (w *worker) bytes() {
	var freed int64
	var names []android.PackageName
	for name, method := range w.set {
		one := w.there[name]
		if one == nil {
			continue
		}
		names = append(names, name)
		switch method {
		case evidence.RemoveFromImage:
			freed += one.AppBytes + one.DataBytes + one.CacheBytes
		case evidence.RemoveForUser:
			freed += one.DataBytes + one.CacheBytes
			if strings.HasPrefix(one.Path, "/data/") {
				freed += one.AppBytes
			}
		default:
			freed += one.CacheBytes
		}
	}
	if freed > 0 {
		w.add("bytes-freed", Notes, "as the phone counts", names...).Bytes = freed
	}
}
