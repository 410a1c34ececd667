package gain

import (
	"cmp"
	"math"
	"slices"
)

// confidence is that of the interval of a Figure and of an Estimate.
const confidence = 0.95

// Verdict is what a figure comes to.
type Verdict string

// The verdicts.
const (
	TooFew Verdict = "too-few" // phones to say anything but for them
	Gains  Verdict = "gain"    // all of the interval is one
	None   Verdict = "none"    // that could be told from nothing
	Loses  Verdict = "loss"    // all of the interval is one
)

// Counted is what a phone gained, and who measured it.
type Counted struct {
	Gained float64
	Person string
}

// Figure is the median of what several phones gained, each counted once, with a
// distribution-free interval for it.
type Figure struct {
	Median float64 `json:"median"`
	// Low and High bound it, both 0 where there are too few phones for an interval.
	Low     float64 `json:"low"`
	High    float64 `json:"high"`
	Phones  int     `json:"phones"`
	People  int     `json:"people"`
	Verdict Verdict `json:"verdict" enum:"too-few,gain,none,loss"`
}

// unit is what a phone counts as that nobody else of the same person was measured
// before. Weights are whole numbers of it, so that what they can sum up to is
// few values.
const unit = 64

// weights are what phones count: the k-th of one person 1/√k, in the order in which
// they were measured, so that one person's many phones do not decide alone.
func weights(list []Counted) []int {
	had := map[string]int{}
	out := make([]int, len(list))
	for i, c := range list {
		had[c.Person]++
		out[i] = int(math.Round(unit / math.Sqrt(float64(had[c.Person]))))
	}
	return out
}

// FigureOf makes a figure of what phones gained, in the order in which they were
// measured. Its interval holds each value for the median that the sign test does not
// reject: at which the phones above it, and those below, do not weigh more than they
// would by chance in 5 of 100. Where each phone is another person's, that is the
// interval from the k-th smallest to the k-th largest value; under six phones there
// is none.
//
// Source: W. R. Thompson, On confidence ranges for the median (1936); weighted signs
// as in a permutation test, by exact counting.
func FigureOf(list []Counted) Figure {
	f := Figure{Phones: len(list), Verdict: TooFew}
	if len(list) == 0 {
		return f
	}
	weighs := weights(list)
	order := make([]int, len(list))
	people := map[string]bool{}
	total := 0
	for i, c := range list {
		order[i], people[c.Person] = i, true
		total += weighs[i]
	}
	f.People = len(people)
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(list[a].Gained, list[b].Gained) })
	f.Median = weightedMedian(list, weighs, order, total)
	tail := tails(weighs, total)
	low := bound(order, weighs, tail)
	if low < 0 {
		return f
	}
	slices.Reverse(order)
	high := bound(order, weighs, tail)
	f.Low, f.High = list[low].Gained, list[high].Gained
	switch {
	case f.Low > 0:
		f.Verdict = Gains
	case f.High < 0:
		f.Verdict = Loses
	default:
		f.Verdict = None
	}
	return f
}

// weightedMedian is the value below which half of the weight lies; between two where
// that is exactly so.
func weightedMedian(list []Counted, weighs, order []int, total int) float64 {
	passed := 0
	for n, i := range order {
		passed += weighs[i]
		switch {
		case 2*passed == total:
			return (list[i].Gained + list[order[n+1]].Gained) / 2
		case 2*passed > total:
			return list[i].Gained
		}
	}
	return 0
}

// tails are the probabilities that signs by chance weigh at most so much together.
func tails(weighs []int, total int) []float64 {
	exactly := make([]float64, total+1)
	exactly[0] = 1
	reached := 0
	for _, w := range weighs {
		reached += w
		for s := reached; s >= 0; s-- {
			exactly[s] /= 2
			if s >= w {
				exactly[s] += exactly[s-w] / 2
			}
		}
	}
	for s := 1; s <= total; s++ {
		exactly[s] += exactly[s-1]
	}
	return exactly
}

// bound walks values from one end for as long as those that were passed weigh so
// little that this is no chance, and returns the last one; -1 where even none is not
// little enough.
func bound(order, weighs []int, tail []float64) int {
	passed, last := 0, -1
	for _, i := range order {
		if 2*tail[passed] > 1-confidence {
			break
		}
		last = i
		passed += weighs[i]
	}
	return last
}
