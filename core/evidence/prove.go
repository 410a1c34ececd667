package evidence

import (
	"cmp"
	"slices"
)

// Unsettled is a package of which more trials on a build are wanted, with what
// its trials weigh there so far.
type Unsettled struct {
	Package string
	// Harmed and Clean are summed weights, as in Figures.
	Harmed, Clean float64
	// Tried is true where it was taken off a phone of the build already.
	Tried bool
}

// Proof is one phone of a build: what should be taken off it, and what that
// gains where nothing is harmed.
type Proof struct {
	// Packages stand with the largest gain first.
	Packages []string `json:"packages" nullable:"false"`
	// Gain is by how much all their ceilings fall together, as shares of phones:
	// 0.5 is a ceiling that falls from 90 % to 40 %.
	Gain float64 `json:"gain"`
	// Left counts the packages whose ceilings are above what is wanted after it.
	Left int `json:"left"`
}

// maxProofs bounds how many phones a plan asks for.
const maxProofs = 12

// Prove plans the fewest phones of a build that prove a set of packages there:
// each takes off all that needs it still, because one phone can try many
// packages and gains most so. It needs it that was never tried on the build, or
// whose ceiling is above wanted. Each phone is taken to be somebody else's, who
// counts in full (see Gather); so it is the least that is needed, and more
// where the same person tries twice or something is harmed.
func Prove(list []Unsettled, wanted float64) []Proof {
	plan := []Proof{}
	for n := 0; n < maxProofs; n++ {
		type gain struct {
			name string
			by   float64
		}
		var gains []gain
		left := 0
		for _, u := range list {
			clean := u.Clean + float64(n)
			before := Ceiling(u.Harmed, clean)
			if before <= wanted && (u.Tried || n > 0) {
				continue
			}
			after := Ceiling(u.Harmed, clean+1)
			gains = append(gains, gain{u.Package, before - after})
			if after > wanted {
				left++
			}
		}
		if len(gains) == 0 {
			break
		}
		slices.SortFunc(gains, func(a, b gain) int { return cmp.Or(cmp.Compare(b.by, a.by), cmp.Compare(a.name, b.name)) })
		p := Proof{Left: left}
		for _, g := range gains {
			p.Packages, p.Gain = append(p.Packages, g.name), p.Gain+g.by
		}
		plan = append(plan, p)
	}
	return plan
}
