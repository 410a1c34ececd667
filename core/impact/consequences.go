package impact

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/wording"
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
	Code     string   `json:"code"`
	Severity Severity `json:"severity" enum:"stops,costs,note"`
	// Packages are what it is about: what goes, and for no-purpose what could.
	Packages []android.PackageName `json:"packages" nullable:"false"`
	// Stay are packages that stay and that a link ties to what goes.
	Stay []android.PackageName `json:"stay" nullable:"false"`
	// Role is the job that nobody holds any more, "" for other codes.
	Role  string `json:"role,omitempty"`
	Bytes int64  `json:"bytes,omitempty"`
	// Permissions are those that are held no more, of permission-gone alone.
	Permissions []string `json:"permissions,omitempty"`
	Why         string   `json:"why"`
}

// Removal is what is to go, each by its method.
type Removal map[android.PackageName]evidence.Method

// Known is what is known beside what the phone itself says.
type Known struct {
	// Conditions are what a package's load says must hold before it goes.
	Conditions map[android.PackageName][]string
	// Refused and ComesBack count trials in which the phone would not let the
	// package go, or in which it returned.
	Refused, ComesBack map[android.PackageName]int
	Before             Before
}

// Before is what steps before the removal see to.
type Before struct {
	// Withdrawn are administrators that are withdrawn first.
	Withdrawn map[android.PackageName]bool
	// Held are roles that a package which is put in first holds then.
	Held map[string]android.PackageName
}

// Consequences works out what a removal leads to, what stops first. Packages
// that are not there are left out. It takes time in proportion to the packages
// that go and their links.
func (n *Net) Consequences(set Removal, known Known) []Consequence {
	w := &worker{Net: n, goes: make([]evidence.Method, len(n.packages)), known: known}
	for name, method := range set {
		if i, ok := n.number[name]; ok {
			w.goes[i] = method
			w.all = append(w.all, i)
		}
	}
	slices.Sort(w.all)
	w.roles()
	w.links()
	w.purposeless()
	w.experience()
	w.background()
	w.bytes()
	slices.SortStableFunc(w.out, BySeverity)
	return w.out
}

// BySeverity orders consequences: what stops first, then by code and packages.
func BySeverity(a, b Consequence) int {
	return cmp.Or(cmp.Compare(severities[a.Severity], severities[b.Severity]), cmp.Compare(a.Code, b.Code), slices.Compare(a.Packages, b.Packages))
}

var severities = map[Severity]int{Stops: 0, Costs: 1, Notes: 2}

// worker works out one removal. goes holds each package's method, "" for what
// stays; all lists those that go.
type worker struct {
	*Net
	goes  []evidence.Method
	all   []int32
	known Known
	out   []Consequence
}

func (w *worker) name(i int32) android.PackageName { return w.packages[i].Name }

func (w *worker) add(code string, s Severity, why string, packages ...android.PackageName) *Consequence {
	w.out = append(w.out, Consequence{Code: code, Severity: s, Packages: packages, Stay: []android.PackageName{}, Why: why})
	return &w.out[len(w.out)-1]
}

// roles finds the jobs that nobody could do any more.
func (w *worker) roles() {
	for i, r := range w.Roles {
		substitute, held := w.known.Before.Held[r.Name]
		if held {
			j, there := w.number[substitute]
			held = !there || w.goes[j] == ""
		}
		if !held && !slices.ContainsFunc(w.able[i], func(j int32) bool { return w.goes[j] == "" }) {
			severity := map[Class]Severity{Vital: Stops, Wanted: Costs, Optional: Notes}[r.Class]
			w.add("role-emptied", severity, "nobody else on the phone can do this", slices.Clone(r.Able)...).Role = r.Name
		}
	}
}

// links finds what ties packages that stay to ones that go: one consequence for
// each that goes and each strength.
func (w *worker) links() {
	for _, i := range w.all {
		var broken, loosened []android.PackageName
		var why [2]string
		for _, l := range w.into[i] {
			from := w.ends[l].from
			if w.goes[from] != "" {
				continue
			}
			switch link := &w.Links[l]; {
			case link.Kind == Overlay:
				// An overlay without its target does nothing, and harms nobody.
				w.add("no-purpose", Notes, "the package whose looks it changes goes", link.From)
			case link.Strength == Hard:
				broken, why[0] = append(broken, link.From), cmp.Or(why[0], reason(link))
			default:
				loosened, why[1] = append(loosened, link.From), cmp.Or(why[1], reason(link))
			}
		}
		if broken = slices.Compact(broken); len(broken) > 0 {
			w.add("link-broken", Stops, andMore(why[0], len(broken)), w.name(i)).Stay = broken
		}
		if loosened = slices.Compact(loosened); len(loosened) > 0 {
			w.add("link-loosened", Notes, andMore(why[1], len(loosened)), w.name(i)).Stay = loosened
		}
	}
}

// reason says in words how a package rests on another.
func reason(l *Link) string {
	by := strings.Join(l.By, ", ")
	switch l.Kind {
	case Library:
		return string(l.From) + " uses its library " + by
	case Permission:
		return string(l.From) + " asks for its permission " + by
	case SharedUID:
		return string(l.From) + " runs as the same user " + by
	}
	return string(l.From) + " rests on it: " + by
}

func andMore(why string, n int) string {
	if n == 1 {
		return why
	}
	return fmt.Sprintf("%s, and %d more", why, n-1)
}

// purposeless finds packages that stay, and on which nothing rests any more
// though something did: candidates to go, too.
func (w *worker) purposeless() {
	looked := make([]bool, len(w.packages))
	for _, i := range w.all {
		for _, out := range w.outOf[i] {
			on := w.ends[out].on
			if looked[on] || w.goes[on] != "" || !w.serves(out) {
				continue
			}
			looked[on] = true
			if !slices.ContainsFunc(w.into[on], func(l int32) bool { return w.serves(l) && w.goes[w.ends[l].from] == "" }) {
				w.add("no-purpose", Notes, "all that rested on it goes", w.name(on))
			}
		}
	}
}

func (w *worker) serves(l int32) bool { return w.Links[l].Serves() }

// experience adds what loads and trials say.
func (w *worker) experience() {
	for _, i := range w.all {
		name := w.name(i)
		for _, c := range w.known.Conditions[name] {
			switch w.condition(c) {
			case Unmet:
				w.add("condition", Stops, wording.OnlyIf(c)+"; that is not so", name)
			case Open:
				w.add("condition", Costs, wording.OnlyIf(c), name)
			}
		}
		if w.admin[i] && !w.known.Before.Withdrawn[name] {
			w.add("administrator", Stops, "it is an active device administrator: withdraw that first", name)
		}
		if n := w.known.Refused[name]; n > 0 {
			w.add("will-refuse", Notes, "phones refused in "+wording.Count(n, "trial"), name)
		}
		if n := w.known.ComesBack[name]; n > 0 {
			w.add("comes-back", Notes, "it returned by itself in "+wording.Count(n, "trial"), name)
		}
	}
}

// background adds what starts no more, and which dangerous permissions nobody
// needs to hold any more.
func (w *worker) background() {
	for _, i := range w.all {
		if w.packages[i].StartsAtBoot && w.packages[i].Enabled.On() {
			w.add("starter-gone", Notes, "it starts with the phone", w.name(i))
		}
		if len(w.dangerous[i]) > 0 {
			w.add("permission-gone", Notes, "it asks for "+strings.Join(w.dangerous[i], ", "), w.name(i)).Permissions = w.dangerous[i]
		}
	}
}

// bytes adds what is freed.
func (w *worker) bytes() {
	var freed int64
	names := make([]android.PackageName, 0, len(w.all))
	for _, i := range w.all {
		names = append(names, w.name(i))
		freed += frees(w.packages[i], w.goes[i])
	}
	if freed > 0 {
		w.add("bytes-freed", Notes, "as the phone counts", names...).Bytes = freed
	}
}

// Freed is how many bytes a removal frees.
func (n *Net) Freed(set Removal) (bytes int64) {
	for name, method := range set {
		if i, ok := n.number[name]; ok {
			bytes += frees(n.packages[i], method)
		}
	}
	return bytes
}

// frees is what a package's going frees: from the image all of it, for the
// user its data and what was updated onto the data partition, and by disabling
// its cache alone.
func frees(one *android.Package, method evidence.Method) int64 {
	switch method {
	case evidence.RemoveFromImage:
		return one.AppBytes + one.DataBytes + one.CacheBytes
	case evidence.RemoveForUser:
		if strings.HasPrefix(one.Path, "/data/") {
			return one.AppBytes + one.DataBytes + one.CacheBytes
		}
		return one.DataBytes + one.CacheBytes
	}
	return one.CacheBytes
}
