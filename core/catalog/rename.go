package catalog

import (
	"cmp"
	"math"
	"slices"
	"strings"
)

// Renamed is a package that is gone and one that is new, which are probably
// the same under another name.
type Renamed struct {
	From string `json:"from"`
	To   string `json:"to"`
	// Sure is how sure that is, from 0.5 to 1.
	Sure float64  `json:"sure"`
	Why  []string `json:"why" nullable:"false"`
	// What differs between the two beside the name.
	What []Difference `json:"what" nullable:"false"`
}

// likely is how sure one must be to call a package renamed.
const likely = 0.5

// How much each sign says by itself that two packages are one. Signs join as
// independent ones do: 1 - Π (1 - sign). Those that most packages of a maker
// share say so little that all of them together stay below likely.
const (
	sameDeclared = 0.85 // a permission can be declared by one package alone
	sameLibrary  = 0.80 // and so can a library be provided
	sameLabel    = 0.60
	sameOverlay  = 0.50
	samePermits  = 0.30 // asks for the same, where that is at least three
	sameUser     = 0.15
	sameSigner   = 0.10
	sameSpace    = 0.10
	samePlace    = 0.05
	// otherSigner is what is left of it all where another hand signed.
	otherSigner = 0.6
)

// Renames pairs packages that are gone with new ones that are probably the
// same, the surest pair first; each stands in one pair at most. Labels are
// names on screen by package name, as far as they are known.
func Renames(gone, fresh []Shipped, labels map[string][]string) []Renamed {
	pairs := []Renamed{}
	gone, fresh = sortedRequests(gone), sortedRequests(fresh)
	for i := range gone {
		for j := range fresh {
			if sure, why := sameUnderAnotherName(&gone[i], &fresh[j], labels); sure >= likely {
				what := differences(&gone[i], &fresh[j])
				if what == nil {
					what = []Difference{}
				}
				pairs = append(pairs, Renamed{gone[i].Name, fresh[j].Name, math.Round(sure*100) / 100, why, what})
			}
		}
	}
	slices.SortFunc(pairs, func(a, b Renamed) int {
		return cmp.Or(cmp.Compare(b.Sure, a.Sure), cmp.Compare(a.From, b.From), cmp.Compare(a.To, b.To))
	})
	from, to := map[string]bool{}, map[string]bool{}
	return slices.DeleteFunc(pairs, func(r Renamed) bool {
		if from[r.From] || to[r.To] {
			return true
		}
		from[r.From], to[r.To] = true, true
		return false
	})
}

// Pair finds, among what is gone and new, packages that only have another name:
// see Renames. Before and after are what was compared.
func (c *Comparison) Pair(before, after []Shipped, labels map[string][]string) {
	pick := func(list []Shipped, names []string) (picked []Shipped) {
		for _, s := range list {
			if _, ok := slices.BinarySearch(names, s.Name); ok {
				picked = append(picked, s)
			}
		}
		return picked
	}
	c.Renamed = Renames(pick(before, c.Gone), pick(after, c.New), labels)
	for _, r := range c.Renamed {
		c.Gone = slices.DeleteFunc(c.Gone, func(name string) bool { return name == r.From })
		c.New = slices.DeleteFunc(c.New, func(name string) bool { return name == r.To })
	}
}

// sortedRequests are packages whose wishes are in order, for jaccard.
func sortedRequests(list []Shipped) []Shipped {
	list = slices.Clone(list)
	for i := range list {
		list[i].Requests = slices.Sorted(slices.Values(list[i].Requests))
	}
	return list
}

// sameUnderAnotherName says how sure it is that b is a under another name, and
// by which signs.
func sameUnderAnotherName(a, b *Shipped, labels map[string][]string) (sure float64, why []string) {
	against := 1.0
	sign := func(is bool, weight float64, words string) {
		if is {
			against *= 1 - weight
			if words != "" {
				why = append(why, words)
			}
		}
	}
	if one := shared(a.Declares, b.Declares); one != "" {
		sign(true, sameDeclared, "declares the same permission "+one)
	}
	if one := shared(a.Provides, b.Provides); one != "" {
		sign(true, sameLibrary, "provides the same library "+one)
	}
	if one := shared(labels[a.Name], labels[b.Name]); one != "" {
		sign(true, sameLabel, "is called "+one+", too")
	}
	sign(a.OverlayTarget != "" && a.OverlayTarget == b.OverlayTarget, sameOverlay, "changes the looks of the same package")
	if len(a.Requests) >= 3 && len(b.Requests) >= 3 {
		if share := jaccard(a.Requests, b.Requests); share >= 0.6 {
			sign(true, samePermits*share, "asks for the same permissions")
		}
	}
	sign(a.SharedUser != "" && a.SharedUser == b.SharedUser, sameUser, "runs as the same user")
	if len(why) == 0 {
		return 0, nil // what follows most packages of a maker have in common
	}
	sign(a.Signer != "" && a.Signer == b.Signer, sameSigner, "is signed by the same hand")
	sign(namespace(a.Name) == namespace(b.Name), sameSpace, "")
	sign(a.Partition == b.Partition && a.Privileged == b.Privileged, samePlace, "")
	sure = 1 - against
	if a.Signer != "" && b.Signer != "" && a.Signer != b.Signer {
		sure *= otherSigner
		why = append(why, "but another hand signed it")
	}
	return sure, why
}

// shared is the first that two lists have in common, "" for none.
func shared(a, b []string) string {
	for _, one := range a {
		if one != "" && slices.Contains(b, one) {
			return one
		}
	}
	return ""
}

// jaccard is the share of all that two sorted lists have in common.
func jaccard(a, b []string) float64 {
	both := 0
	for i, j := 0, 0; i < len(a) && j < len(b); {
		switch order := strings.Compare(a[i], b[j]); {
		case order < 0:
			i++
		case order > 0:
			j++
		default:
			both, i, j = both+1, i+1, j+1
		}
	}
	return float64(both) / float64(len(a)+len(b)-both)
}

// namespace is the first two parts of a package name.
func namespace(name string) string {
	parts := strings.SplitN(name, ".", 3)
	return strings.Join(parts[:min(2, len(parts))], ".")
}
