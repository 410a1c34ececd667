package profile

import (
	"cmp"
	"math"
	"slices"

	"roster/core/gain"
)

// Uses is what phones of a model attribute to a package: the median of them.
type Uses struct {
	gain.Use
	Phones int `json:"phones"`
}

// known is how many phones have to have been measured until it counts that a package
// uses nothing.
const known = 3

// Idle reports whether a package is known to use nothing: what takes it off brings
// nothing that can be measured.
func (u *Uses) Idle() bool { return u != nil && u.Phones >= known && u.Nothing() }

// leastHarm is the ceiling below which less of it makes nothing worth more: nobody
// can tell the difference.
const leastHarm = 0.01

// worth is bytes of memory for each percent of a ceiling.
func (c *Candidate) worth(ceiling float64) float64 {
	if c.Uses == nil {
		return 0
	}
	return math.Round(c.Uses.Memory / (100 * max(ceiling, leastHarm)))
}

// LineByGain is a place for the cut line that is suggested by what phones attribute to
// packages: there the share that goes of all that could be gained lies highest above
// the harm ceiling. Beyond it more is added to the harm than to the gain.
type LineByGain struct {
	Ceiling float64 `json:"ceiling"`
	// Memory goes with what the line takes there, Of is all that it could take, in
	// bytes.
	Memory float64 `json:"memory"`
	Of     float64 `json:"of"`
}

// suggestLine says where the line could stand for what it brings, nil where nothing
// that it could take was measured to use anything.
func suggestLine(rows []Row) *LineByGain {
	var list []Row
	var of float64
	for _, r := range rows {
		if r.Eligible && r.Pin == "" && !r.Dropped && r.Uses != nil && r.Uses.Memory > 0 {
			list = append(list, r)
			of += r.Uses.Memory
		}
	}
	slices.SortStableFunc(list, func(a, b Row) int { return cmp.Compare(a.Ceiling, b.Ceiling) })
	var best *LineByGain
	line := LineByGain{Of: of}
	for i, r := range list {
		line.Memory, line.Ceiling = line.Memory+r.Uses.Memory, r.Ceiling
		if i+1 < len(list) && list[i+1].Ceiling == r.Ceiling {
			continue // the line takes all of a ceiling
		}
		if best == nil || line.Memory/of-line.Ceiling > best.Memory/of-best.Ceiling {
			here := line
			best = &here
		}
	}
	return best
}

// brings says what the composition brings as phones attribute it: the line that it
// suggests, and what goes without bringing anything.
func (w *composer) brings() {
	w.c.Suggested = suggestLine(w.c.Rows)
	for i := range w.c.Rows {
		r := &w.c.Rows[i]
		r.Worth = r.worth(r.Ceiling)
		if r.Goes && r.Uses.Idle() {
			w.c.Idle = append(w.c.Idle, r.Package)
		}
		if r.Leaves() && r.Uses != nil {
			w.c.Memory += r.Uses.Memory
			w.c.Wakeups += r.Uses.Wakeups
		}
	}
}

// published are the quantities that a release tells of, each with the step to which
// its figures are rounded.
var published = []struct {
	quantity gain.Quantity
	step     float64
}{{gain.Memory, 1 << 20}, {gain.Start, 0.1}, {gain.Wakeups, 0.1}, {gain.Processor, 1}, {gain.Traffic, 1000}, {gain.Opening, 1}}

// Gained is what figures of a gain are in a release: those that enough phones tell,
// rounded.
func Gained(figures map[gain.Quantity]gain.Figure) map[gain.Quantity]gain.Figure {
	out := map[gain.Quantity]gain.Figure{}
	for _, p := range published {
		f, ok := figures[p.quantity]
		if !ok || f.Verdict == gain.TooFew {
			continue
		}
		round := func(v float64) float64 {
			v = math.Round(v / p.step)
			if p.step < 1 {
				return v / math.Round(1/p.step)
			}
			return v * p.step
		}
		f.Median, f.Low, f.High = round(f.Median), round(f.Low), round(f.High)
		out[p.quantity] = f
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// Attributed is what phones attributed to a package when a release was made, as a
// release tells it: bytes of memory, and how often it woke them in an hour.
type Attributed struct {
	Memory  int64   `json:"memory"`
	Wakeups float64 `json:"wakeups"`
	Phones  int     `json:"phones"`
}

// attributed is what a release tells of it, nil where nobody measured.
func (u *Uses) attributed() *Attributed {
	if u == nil {
		return nil
	}
	return &Attributed{int64(u.Memory), math.Round(u.Wakeups*10) / 10, u.Phones}
}
