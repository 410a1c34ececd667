package android

import (
	"cmp"
	"maps"
	"slices"
)

// PhoneFacts are what a phone says of itself beyond who it is and what it holds.
// Empty where it was not asked or did not answer.
type PhoneFacts struct {
	// Roles are the jobs that the platform gives to packages, by name.
	Roles []Role `json:"roles,omitempty"`
	// Keyboards are the input methods that are there.
	Keyboards []Keyboard `json:"keyboards,omitempty"`
	// WebView is the package that shows web pages inside other apps.
	WebView PackageName `json:"webView,omitempty"`
	// Administrators are active device administrators, each as its package.
	Administrators []PackageName `json:"administrators,omitempty"`
	LockCode       LockCode      `json:"lockCode,omitempty"`
	Features       []string      `json:"features,omitempty"`
	Overlays       []Overlay     `json:"overlays,omitempty"`
	Root           Root          `json:"root,omitempty"`
	// Icons are the packages that the phone shows on its home screen or in its list
	// of apps: those that are there, switched on, and can be opened.
	Icons []PackageName `json:"icons,omitempty"`
	// Users counts the people that the phone is set up for.
	Users int `json:"users,omitempty"`
}

// Role is a job on the phone: who holds it, and who could.
type Role struct {
	// Name is the platform's, without "android.app.role.": HOME, DIALER.
	Name    string        `json:"name"`
	Holders []PackageName `json:"holders,omitempty"`
	Able    []PackageName `json:"able,omitempty"`
}

// Keyboard is an input method.
type Keyboard struct {
	Package PackageName `json:"package"`
	// Component is the service's class name.
	Component string `json:"component"`
	Default   bool   `json:"default,omitempty"`
}

// Overlay is a package that replaces resources of another.
type Overlay struct {
	Package PackageName `json:"package"`
	Target  PackageName `json:"target"`
	On      bool        `json:"on"`
}

// LockCode says whether a code, pattern or password guards the phone.
type LockCode string

// The states of a lock code; "" is not known.
const (
	LockCodeSet    LockCode = "set"
	LockCodeNotSet LockCode = "not-set"
)

// Root says whether commands can run as the superuser.
type Root string

// The states of root; "" is not known.
const (
	RootNo    Root = "no"
	RootShell Root = "shell"     // the adb shell itself is root
	RootSu    Root = "by-asking" // a su program is there
)

// Role finds a role by its short name; nil when the phone told nothing of it.
func (p *PhoneFacts) Role(name string) *Role {
	for i := range p.Roles {
		if p.Roles[i].Name == name {
			return &p.Roles[i]
		}
	}
	return nil
}

// role finds a role or adds it.
func (p *PhoneFacts) role(name string) *Role {
	if r := p.Role(name); r != nil {
		return r
	}
	if len(p.Roles) == maxRoles {
		return &Role{} // of which nobody hears
	}
	p.Roles = append(p.Roles, Role{Name: name})
	return &p.Roles[len(p.Roles)-1]
}

func addName(list []PackageName, n PackageName) []PackageName {
	if len(list) >= maxHolders || slices.Contains(list, n) {
		return list
	}
	return append(list, n)
}

// The bounds of lists that a phone could make endless.
const (
	maxNames   = 10_000
	maxRoles   = 500
	maxHolders = 500 // of one role, and administrators
)

// order sorts everything, so that equal phones have equal facts.
func (p *PhoneFacts) order() {
	for i := range p.Roles {
		slices.Sort(p.Roles[i].Holders)
		slices.Sort(p.Roles[i].Able)
	}
	slices.SortFunc(p.Roles, func(a, b Role) int { return cmp.Compare(a.Name, b.Name) })
	slices.SortFunc(p.Keyboards, func(a, b Keyboard) int {
		return cmp.Or(cmp.Compare(a.Package, b.Package), cmp.Compare(a.Component, b.Component))
	})
	slices.SortFunc(p.Overlays, func(a, b Overlay) int {
		return cmp.Or(cmp.Compare(a.Target, b.Target), cmp.Compare(a.Package, b.Package))
	})
	slices.Sort(p.Administrators)
	slices.Sort(p.Icons)
	p.Icons = slices.Compact(p.Icons)
	slices.Sort(p.Features)
	p.Features = slices.Compact(p.Features)
}

// roleQueries are the questions by which the packages that could hold a role
// are found: the arguments of "cmd package query-activities --brief".
var roleQueries = map[string]string{
	"HOME":      "-a android.intent.action.MAIN -c android.intent.category.HOME",
	"DIALER":    "-a android.intent.action.DIAL",
	"SMS":       "-a android.intent.action.SENDTO -d smsto:",
	"BROWSER":   "-a android.intent.action.VIEW -c android.intent.category.BROWSABLE -d http:",
	"ASSISTANT": "-a android.intent.action.ASSIST",
	"EMERGENCY": "-a android.telephony.action.EMERGENCY_ASSISTANCE",
}

// IconQuery is the question for everything with an icon, as in roleQueries.
const IconQuery = "-a android.intent.action.MAIN -c android.intent.category.LAUNCHER"

// RoleQueries lists, for each role that can be asked for, the arguments of
// "cmd package query-activities --brief" that find who could hold it.
func RoleQueries() map[string]string { return maps.Clone(roleQueries) }
