package gain

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"gonum.org/v1/gonum/mat"

	"roster/core/android"
)

// Observation is what a phone gained, and what had gone.
type Observation struct {
	Counted
	Gone []android.PackageName
}

// Estimate is what packages brought that always went together, worked out from phones
// on which they went and phones on which they stayed.
type Estimate struct {
	Packages []android.PackageName `json:"packages" nullable:"false"`
	Gained   float64               `json:"gained"`
	// Low and High bound it.
	Low  float64 `json:"low"`
	High float64 `json:"high"`
	// Gone and Stayed count the phones on which they did.
	Gone    int     `json:"gone"`
	Stayed  int     `json:"stayed"`
	Verdict Verdict `json:"verdict" enum:"gain,none"`
}

const (
	// leastEach is on how many phones packages have to have gone, and on how many
	// they have to have stayed.
	leastEach = 6
	// leastPer is how many phones there have to be for each group of packages.
	leastPer = 2
	// resamples is how often phones are drawn again for an interval.
	resamples = 400
)

// Estimates says what packages brought of a quantity where phones suffice: the
// phones' gains are explained by what went from them, and nothing brings less than
// nothing (non-negative least squares). The intervals are those of drawing the
// phones again. What always went together is one estimate; without six phones on
// which it went, and six on which it stayed, there is none.
func Estimates(list []Observation) []Estimate {
	groups := together(list)
	if len(list) < leastPer*len(groups) {
		return []Estimate{}
	}
	counted := make([]Counted, len(list))
	for i, o := range list {
		counted[i] = o.Counted
	}
	weighs := weights(counted)
	all := make([]int, len(list))
	for i := range all {
		all[i] = i
	}
	best := explain(list, groups, weighs, all)
	draws := make([][]float64, len(groups))
	chance := rand.New(rand.NewPCG(uint64(len(list)), uint64(len(groups)))) // the same phones tell the same
	for range resamples {
		for i := range all {
			all[i] = chance.IntN(len(list))
		}
		for g, v := range explain(list, groups, weighs, all) {
			draws[g] = append(draws[g], v)
		}
	}
	out := []Estimate{}
	for g, group := range groups {
		e := Estimate{Packages: group.packages, Gained: best[g], Gone: group.gone, Stayed: len(list) - group.gone, Verdict: None}
		if e.Gone < leastEach || e.Stayed < leastEach {
			continue
		}
		slices.Sort(draws[g])
		e.Low, e.High = quantile(draws[g], (1-confidence)/2), quantile(draws[g], (1+confidence)/2)
		if e.Low > 0 {
			e.Verdict = Gains
		}
		out = append(out, e)
	}
	slices.SortFunc(out, func(a, b Estimate) int {
		return cmp.Or(cmp.Compare(b.Gained, a.Gained), cmp.Compare(a.Packages[0], b.Packages[0]))
	})
	return out
}

func quantile(sorted []float64, p float64) float64 {
	return sorted[int(math.Round(p*float64(len(sorted)-1)))]
}

// group is what always went together.
type group struct {
	packages []android.PackageName
	went     []bool // from each phone
	gone     int
}

// together puts packages together that went from the same phones.
func together(list []Observation) []group {
	on := map[android.PackageName][]bool{}
	for i, o := range list {
		for _, name := range o.Gone {
			if on[name] == nil {
				on[name] = make([]bool, len(list))
			}
			on[name][i] = true
		}
	}
	by := map[string]*group{}
	for name, went := range on {
		var key strings.Builder
		n := 0
		for _, w := range went {
			if w {
				n++
				key.WriteByte('1')
			} else {
				key.WriteByte('0')
			}
		}
		g := by[key.String()]
		if g == nil {
			g = &group{went: went, gone: n}
			by[key.String()] = g
		}
		g.packages = append(g.packages, name)
	}
	groups := make([]group, 0, len(by))
	for _, g := range by {
		slices.Sort(g.packages)
		groups = append(groups, *g)
	}
	slices.SortFunc(groups, func(a, b group) int { return cmp.Compare(a.packages[0], b.packages[0]) })
	return groups
}

// explain finds what each group brings, so that the gains of some phones, by their
// weights, are explained best.
func explain(list []Observation, groups []group, weighs, phones []int) []float64 {
	a := mat.NewDense(len(phones), max(len(groups), 1), nil)
	b := mat.NewVecDense(len(phones), nil)
	for row, i := range phones {
		w := math.Sqrt(float64(weighs[i]))
		b.SetVec(row, w*list[i].Gained)
		for g := range groups {
			if groups[g].went[i] {
				a.Set(row, g, w)
			}
		}
	}
	return nonNegative(a, b)[:len(groups)]
}

// nonNegative solves least squares with nothing below 0: the x of at least 0 for
// which |ax − b| is least, of as many as a has columns.
//
// Source: C. L. Lawson, R. J. Hanson, Solving Least Squares Problems (1974), chapter
// 23, on the normal equations.
func nonNegative(a *mat.Dense, b *mat.VecDense) []float64 {
	_, n := a.Dims()
	var square mat.Dense
	square.Mul(a.T(), a)
	var right mat.VecDense
	right.MulVec(a.T(), b)
	scale := mat.Norm(&right, math.Inf(1))
	x, free := make([]float64, n), make([]bool, n)
	for range 3 * n {
		// The one of those at 0 that would explain most is let go.
		most, at := 1e-9*scale, -1
		for j := range n {
			pull := right.AtVec(j)
			for k := range n {
				pull -= square.At(j, k) * x[k]
			}
			if !free[j] && pull > most && square.At(j, j) > 0 {
				most, at = pull, j
			}
		}
		if at < 0 {
			break
		}
		free[at] = true
		if !settle(&square, &right, x, free) {
			free[at] = false // it goes with others so closely that nothing can be told
			break
		}
	}
	return x
}

// settle solves for what is free, and puts what would be below 0 there back at 0. It
// reports whether that could be solved.
func settle(square *mat.Dense, right *mat.VecDense, x []float64, free []bool) bool {
	for {
		var at []int
		for j, f := range free {
			if f {
				at = append(at, j)
			}
		}
		if len(at) == 0 {
			return true
		}
		part, want := mat.NewSymDense(len(at), nil), mat.NewVecDense(len(at), nil)
		for i, j := range at {
			want.SetVec(i, right.AtVec(j))
			for k := i; k < len(at); k++ {
				part.SetSym(i, k, square.At(j, at[k]))
			}
		}
		var chol mat.Cholesky
		var z mat.VecDense
		if !chol.Factorize(part) || chol.SolveVecTo(&z, want) != nil {
			return false
		}
		step, ends := 1.0, -1
		for i, j := range at {
			if v := z.AtVec(i); v <= 0 && x[j]/(x[j]-v) < step {
				step, ends = x[j]/(x[j]-v), j
			}
		}
		for i, j := range at {
			x[j] += step * (z.AtVec(i) - x[j])
		}
		if ends < 0 {
			return true
		}
		x[ends] = 0
		for _, j := range at {
			if x[j] <= 0 {
				x[j], free[j] = 0, false
			}
		}
	}
}
