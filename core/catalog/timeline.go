package catalog

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"time"
)

// Moment is a build on its model's time line.
type Moment struct {
	// Edition is the carrier and region, "" for the open edition.
	Edition string
	Version string
	// Patch is the security patch, as 2026-03-05; "" where it is not known.
	Patch string
	// Captured is true where a phone told what it ships.
	Captured bool
}

// Gap is where somebody should capture a phone: a build that there probably
// is, or of which only the name is known.
type Gap struct {
	Edition string `json:"edition"`
	// Version is the build's, "" where only the time between two is known.
	Version string `json:"version"`
	// From and To are security patches that it lies between; equal where it is
	// one build that is missed.
	From string `json:"from"`
	To   string `json:"to"`
	Why  string `json:"why"`
}

// longer is how many times the usual time between two builds makes a gap.
const longer = 1.9

// Gaps finds what is missing on a time line: builds that nobody captured, the
// newest version where another edition has one that is newer than an edition's
// newest, and pauses that are far longer than usual. They stand by edition,
// oldest first.
func Gaps(list []Moment) []Gap {
	gaps := []Gap{}
	editions := map[string][]Moment{}
	var newest Moment
	for _, m := range list {
		if !m.Captured {
			gaps = append(gaps, Gap{m.Edition, m.Version, m.Patch, m.Patch, "known by its name alone"})
		}
		editions[m.Edition] = append(editions[m.Edition], m)
		if m.Captured && m.Patch > newest.Patch {
			newest = m
		}
	}
	usual := usualPause(editions)
	for edition, own := range editions {
		slices.SortFunc(own, func(a, b Moment) int { return cmp.Compare(a.Patch, b.Patch) })
		if last := own[len(own)-1]; newest.Patch > last.Patch && !slices.ContainsFunc(own, func(m Moment) bool { return m.Version == newest.Version }) {
			gaps = append(gaps, Gap{edition, newest.Version, newest.Patch, newest.Patch, "another edition has it"})
		}
		for i := 1; i < len(own) && usual > 0; i++ {
			if days := pause(own[i-1], own[i]); days > longer*usual && !filled(gaps, edition, own[i-1].Patch, own[i].Patch) {
				left := int(math.Round(days/usual)) - 1
				gaps = append(gaps, Gap{edition, "", own[i-1].Patch, own[i].Patch, fmt.Sprintf("%s usually lie between two; perhaps %s", months(usual), builds(left))})
			}
		}
	}
	slices.SortFunc(gaps, func(a, b Gap) int {
		return cmp.Or(cmp.Compare(a.Edition, b.Edition), cmp.Compare(a.From, b.From), CompareVersions(a.Version, b.Version))
	})
	return gaps
}

func builds(n int) string {
	if n == 1 {
		return "one was left out"
	}
	return fmt.Sprintf("%d were left out", n)
}

// filled reports whether a missing version explains a pause.
func filled(gaps []Gap, edition, from, to string) bool {
	return slices.ContainsFunc(gaps, func(g Gap) bool { return g.Edition == edition && g.Version != "" && g.From > from && g.From < to })
}

// usualPause is the median number of days between two builds of an edition; 0
// where fewer than three pauses are known.
func usualPause(editions map[string][]Moment) float64 {
	var list []float64
	for _, own := range editions {
		own = slices.Clone(own)
		slices.SortFunc(own, func(a, b Moment) int { return cmp.Compare(a.Patch, b.Patch) })
		for i := 1; i < len(own); i++ {
			if days := pause(own[i-1], own[i]); days > 0 {
				list = append(list, days)
			}
		}
	}
	if len(list) < 3 {
		return 0
	}
	slices.Sort(list)
	return list[len(list)/2]
}

// pause counts the days between the security patches of two builds, 0 where
// one is not known.
func pause(a, b Moment) float64 {
	from, err1 := time.Parse(time.DateOnly, a.Patch)
	to, err2 := time.Parse(time.DateOnly, b.Patch)
	if err1 != nil || err2 != nil {
		return 0
	}
	return to.Sub(from).Hours() / 24
}

func months(days float64) string {
	if n := math.Round(days / 30.44); n > 1 {
		return fmt.Sprintf("%.0f months", n)
	}
	return "some weeks"
}
