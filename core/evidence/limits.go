package evidence

import "gonum.org/v1/gonum/stat/distuv"

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
	return distuv.Beta{Alpha: harmed + 1, Beta: clean}.Quantile(confidence)
}

// Floor is the one-sided 95 % lower limit that belongs to Ceiling: the beta
// quantile B⁻¹(0.05; h, c+1) where h > 0, else 0.
func Floor(harmed, clean float64) float64 {
	if harmed <= 0 {
		return 0
	}
	return distuv.Beta{Alpha: harmed, Beta: clean + 1}.Quantile(1 - confidence)
}
