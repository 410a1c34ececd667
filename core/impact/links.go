package impact

import (
	"cmp"
	"slices"
	"strings"

	"roster/core/android"
)

// Phone is what a removal is worked out for: what one capture says, or the
// union of captures that stands for a model.
type Phone struct {
	// Form is phone, tablet, television and so on, as android.Identity has it.
	Form     string
	Packages []android.Package
	Facts    android.PhoneFacts
	// Stated are links that people state.
	Stated []Link
}

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
}

// Net is a phone read once: its links and roles, from which any number of
// removals can be worked out.
type Net struct {
	// Links are by From, On and kind, Roles by name.
	Links []Link
	Roles []Role
	phone Phone
	there map[android.PackageName]*android.Package
}

// Read finds a phone's links and roles. It takes time in proportion to the
// packages and what they declare, use and request.
func Read(p Phone) *Net {
	n := &Net{phone: p, there: p.there()}
	n.Links, n.Roles = n.readLinks(), n.readRoles()
	return n
}

// there are the packages that are installed and not switched off: all others
// hold nothing and rest on nothing.
func (p Phone) there() map[android.PackageName]*android.Package {
	out := make(map[android.PackageName]*android.Package, len(p.Packages))
	for i := range p.Packages {
		if one := &p.Packages[i]; one.Installed && one.Enabled.On() {
			out[one.Name] = one
		}
	}
	return out
}

// readLinks lists what rests on what. A package's links to itself and to
// packages that are not there are left out.
func (n *Net) readLinks() []Link {
	there := n.there
	providers, declarers, users := map[string]android.PackageName{}, map[string]*declared{}, map[string][]android.PackageName{}
	for name, one := range there {
		for _, library := range one.Provides {
			providers[library] = name
		}
		for _, d := range one.Declares {
			declarers[d.Name] = &declared{name, isSignature(d.Protection)}
		}
		if one.SharedUser != "" {
			users[one.SharedUser] = append(users[one.SharedUser], name)
		}
	}
	c := collector{map[linkKey]*Link{}}
	for name, one := range there {
		for _, use := range one.Uses {
			if on, ok := providers[use.Name]; ok {
				c.add(name, on, Library, strengthOf(use.Kind != "optional"), use.Name)
			}
		}
		if _, ok := there[android.PackageName(one.OverlayTarget)]; ok {
			c.add(name, android.PackageName(one.OverlayTarget), Overlay, Hard, one.OverlayTarget)
		}
		for _, other := range users[one.SharedUser] {
			c.add(name, other, SharedUID, Soft, one.SharedUser)
		}
		for _, request := range one.Requests {
			if d, ok := declarers[request]; ok {
				c.add(name, d.by, Permission, strengthOf(d.signature), request)
			}
		}
	}
	for _, l := range n.phone.Stated {
		if there[l.From] != nil && there[l.On] != nil {
			c.add(l.From, l.On, Stated, l.Strength, l.By...)
		}
	}
	return c.sorted()
}

type declared struct {
	by        android.PackageName
	signature bool
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

func (c collector) add(from, on android.PackageName, kind Kind, strength Strength, by ...string) {
	if from == on {
		return
	}
	key := linkKey{from, on, kind}
	l, ok := c.links[key]
	if !ok {
		l = &Link{From: from, On: on, Kind: kind, Strength: strength}
		c.links[key] = l
	}
	if strength == Hard {
		l.Strength = Hard
	}
	l.By = append(l.By, by...)
}

func (c collector) sorted() []Link {
	list := make([]Link, 0, len(c.links))
	for _, l := range c.links {
		slices.Sort(l.By)
		l.By = slices.Compact(l.By)
		list = append(list, *l)
	}
	slices.SortFunc(list, func(a, b Link) int {
		return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.On, b.On), cmp.Compare(a.Kind, b.Kind))
	})
	return list
}
