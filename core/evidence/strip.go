package evidence

import (
	"cmp"
	"slices"
	"strings"
)

// maxTicks bounds a strip: more would not be told apart on screen.
const maxTicks = 120

// Strip writes trials as the ticks of a trial strip, nearest firmware first:
// one letter a trial (c clean, l function lost, f fault, n no-start, r
// refused; upper case where the package came back by itself) and a stroke
// before each farther group of firmwares. Groups without a trial are left
// out, and so is everything beyond 120 ticks.
func Strip(trials []Trial, method Method, target Firmware) string {
	return Gather(trials, method).Strip(target)
}

// Strip is the trial strip of gathered trials, as the function Strip writes it.
func (g Gathered) Strip(target Firmware) string {
	type tick struct {
		*Trial
		distance Distance
	}
	ticks := make([]tick, 0, len(g.counted)+len(g.refused))
	for i := range g.counted {
		ticks = append(ticks, tick{g.counted[i].Trial, Between(g.counted[i].On, target)})
	}
	for _, t := range g.refused {
		ticks = append(ticks, tick{t, Between(t.On, target)})
	}
	slices.SortFunc(ticks, func(a, b tick) int {
		return cmp.Or(cmp.Compare(a.distance, b.distance), cmp.Compare(a.Outcome.severity(), b.Outcome.severity()), cmp.Compare(a.ID, b.ID))
	})
	var b strings.Builder
	for i, t := range ticks[:min(len(ticks), maxTicks)] {
		if i > 0 && t.distance != ticks[i-1].distance {
			b.WriteByte('/')
		}
		letter := t.Outcome.letter()
		if t.CameBack {
			letter -= 'a' - 'A'
		}
		b.WriteByte(letter)
	}
	return b.String()
}

// letter is the outcome's tick in a strip.
func (o Outcome) letter() byte {
	switch o {
	case FunctionLost:
		return 'l'
	case Fault:
		return 'f'
	case NoStart:
		return 'n'
	case Refused:
		return 'r'
	}
	return 'c'
}
