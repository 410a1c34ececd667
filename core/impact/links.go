package impact

import (
	"cmp"
	"slices"
	"strings"

	"roster/core/android"
)

// Kind is how one package rests on another.
type Kind string

// The kinds of links.
const (
	Library    Kind = "library"
	Overlay    Kind = "overlay"
	SharedUID  Kind = "shared-uid"
	Permission Kind = "permission"
	Stated     Kind = "stated"
)

// Strength is what a link's breaking means: a hard one stops what rests on it.
type Strength string

// The strengths.
const (
	Hard Strength = "hard"
	Soft Strength = "soft"
)

// Link says that From rests on On.
type Link struct {
	From     android.PackageName `json:"from"`
	On       android.PackageName `json:"on"`
	Kind     Kind                `json:"kind"`
	Strength Strength            `json:"strength"`
	// By names what it rests on: libraries, permissions, the shared user, or
	// what a person said, sorted.
	By []string `json:"by" nullable:"false"`
	// Lines are what it was read from, as the phone prints it without what
	// differs from phone to phone, or who says so; sorted.
	Lines []string `json:"lines" nullable:"false"`
}

// Serves reports whether a link tells what the package that it leads to is
// there for: a permission that anybody may ask for does not, nor does a shared
// user.
func (l *Link) Serves() bool {
	return l.Kind != SharedUID && (l.Kind != Permission || l.Strength == Hard)
}

// readLinks lists what rests on what. A package's links to itself and to
// packages that are not there are left out.
func (n *Net) readLinks() []Link {
	there := n.active()
	providers, declarers, users := map[string]android.PackageName{}, map[string]*declared{}, map[string][]android.PackageName{}
	for name, one := range there {
		for _, library := range one.Provides {
			providers[library] = name
		}
		for _, d := range one.Declares {
			declarers[d.Name] = &declared{name, d.Protection}
		}
		if one.SharedUser != "" {
			users[one.SharedUser] = append(users[one.SharedUser], name)
		}
	}
	c := collector{map[linkKey]*Link{}}
	for name, one := range there {
		for _, use := range one.Uses {
			if on, ok := providers[use.Name]; ok {
				c.add(Link{name, on, Library, strengthOf(use.Kind != "optional"), []string{use.Name},
					[]string{said(name, usesField[use.Kind], use.Name), said(on, "provides", use.Name)}})
			}
		}
		if _, ok := there[android.PackageName(one.OverlayTarget)]; ok {
			c.add(Link{name, android.PackageName(one.OverlayTarget), Overlay, Hard, []string{one.OverlayTarget}, []string{said(name, "overlayTarget", one.OverlayTarget)}})
		}
		for _, other := range users[one.SharedUser] {
			c.add(Link{name, other, SharedUID, Soft, []string{one.SharedUser}, []string{said(name, "sharedUser", one.SharedUser), said(other, "sharedUser", one.SharedUser)}})
		}
		for _, request := range one.Requests {
			if d, ok := declarers[request]; ok {
				c.add(Link{name, d.by, Permission, strengthOf(isSignature(d.protection)), []string{request},
					[]string{said(name, "requested permissions", request), said(d.by, "declared permissions", request+": prot="+d.protection)}})
			}
		}
	}
	for _, l := range n.phone.Stated {
		if there[l.From] != nil && there[l.On] != nil {
			l.Kind = Stated
			c.add(l)
		}
	}
	return c.sorted()
}

type declared struct {
	by         android.PackageName
	protection string
}

// usesField is where the package dump lists the uses of each kind.
var usesField = map[string]string{"required": "usesLibraries", "optional": "usesOptionalLibraries", "static": "usesStaticLibraries"}

// said is a line of a package dump, led by the package that it stands under.
func said(name android.PackageName, field, value string) string {
	return "Package [" + string(name) + "] " + field + ": " + value
}

// isSignature reports whether a permission is given to packages of the same
// signer alone; Android prints protections such as signature|privileged.
func isSignature(protection string) bool {
	base, _, _ := strings.Cut(protection, "|")
	return strings.EqualFold(strings.TrimSpace(base), "signature")
}

func strengthOf(hard bool) Strength {
	if hard {
		return Hard
	}
	return Soft
}

type linkKey struct {
	from, on android.PackageName
	kind     Kind
}

// collector makes one link of all that one package rests on another by in one
// way; the hardest counts.
type collector struct{ links map[linkKey]*Link }

func (c collector) add(l Link) {
	if l.From == l.On {
		return
	}
	key := linkKey{l.From, l.On, l.Kind}
	known, ok := c.links[key]
	if !ok {
		l.By, l.Lines = slices.Clone(l.By), slices.Clone(l.Lines)
		c.links[key] = &l
		return
	}
	if l.Strength == Hard {
		known.Strength = Hard
	}
	known.By, known.Lines = append(known.By, l.By...), append(known.Lines, l.Lines...)
}

func (c collector) sorted() []Link {
	list := make([]Link, 0, len(c.links))
	for _, l := range c.links {
		l.By, l.Lines = sortedOnce(l.By), sortedOnce(l.Lines)
		list = append(list, *l)
	}
	slices.SortFunc(list, byEnds)
	return list
}

// byEnds orders links by who rests on whom, and by kind.
func byEnds(a, b Link) int {
	return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.On, b.On), cmp.Compare(a.Kind, b.Kind))
}

func sortedOnce(list []string) []string {
	slices.Sort(list)
	return slices.Compact(list)
}
