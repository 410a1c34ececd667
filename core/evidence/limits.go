package evidence

import (
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// confidence of the one-sided limits.
const confidence = 0.95

// Ceiling is the one-sided 95 % upper Clopper-Pearson limit on the share of
// phones harmed, after harmed and clean phones were seen. Counts may be
// fractional: the limit is the beta quantile B⁻¹(0.95; h+1, c) where c > 0,
// else 1. Ten clean phones give 0.259, fifty-nine 0.050.
//
// Source: C. J. Clopper and E. S. Pearson, "The use of confidence or fiducial
// limits illustrated in the case of the binomial", Biometrika 26 (1934), in
// its beta form.
func Ceiling(harmed, clean float64) float64 {
	if clean <= 0 {
		return 1
	}
	if harmed == 0 {
		// B(x; 1, c) = 1 - (1-x)^c has an inverse in closed form.
		return -math.Expm1(math.Log(1-confidence) / clean)
	}
	return distuv.Beta{Alpha: harmed + 1, Beta: clean}.Quantile(confidence)
}

// Floor is the one-sided 95 % lower limit that belongs to Ceiling: the beta
// quantile B⁻¹(0.05; h, c+1) where h > 0, else 0.
func Floor(harmed, clean float64) float64 {
	if harmed <= 0 {
		return 0
	}
	if clean == 0 {
		return math.Pow(1-confidence, 1/harmed) // B(x; h, 1) = x^h
	}
	return distuv.Beta{Alpha: harmed, Beta: clean + 1}.Quantile(1 - confidence)
}

// Limits remembers limits, which take far longer to compute than all else in
// figures and come up again and again among many packages. The zero value is
// ready; it is not for use by several goroutines at once.
type Limits struct {
	ceilings, floors map[[2]float64]float64
	// What one weighing needs and the next can use again.
	order     []int32
	distances []uint8
	nth       []int
	harmed    []bool
}

// zeros is a slice of n zero values, in the room of another where there is
// enough.
func zeros[T any](of *[]T, n int) []T {
	if cap(*of) < n {
		*of = make([]T, n)
	}
	*of = (*of)[:n]
	clear(*of)
	return *of
}

// maxRemembered bounds each of the two maps, to some 2 MB.
const maxRemembered = 1 << 14

// Ceiling is the function Ceiling.
func (l *Limits) Ceiling(harmed, clean float64) float64 {
	return remember(&l.ceilings, Ceiling, harmed, clean)
}

// Floor is the function Floor.
func (l *Limits) Floor(harmed, clean float64) float64 {
	return remember(&l.floors, Floor, harmed, clean)
}

func remember(known *map[[2]float64]float64, limit func(harmed, clean float64) float64, harmed, clean float64) float64 {
	if harmed == 0 {
		return limit(harmed, clean) // cheaper than looking it up
	}
	key := [2]float64{harmed, clean}
	if v, ok := (*known)[key]; ok {
		return v
	}
	if *known == nil || len(*known) >= maxRemembered {
		*known = map[[2]float64]float64{}
	}
	v := limit(harmed, clean)
	(*known)[key] = v
	return v
}
