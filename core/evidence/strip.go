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
	merged := merge(trials, method)
	for _, t := range trials {
		if t.Outcome == Refused && t.Method == method {
			merged = append(merged, Weighed{Trial: t})
		}
	}
	for i := range merged {
		merged[i].Distance = Between(merged[i].On, target)
	}
	slices.SortFunc(merged, func(a, b Weighed) int {
		return cmp.Or(cmp.Compare(a.Distance, b.Distance), cmp.Compare(a.Outcome.severity(), b.Outcome.severity()), cmp.Compare(a.ID, b.ID))
	})
	var b strings.Builder
	for i, m := range merged[:min(len(merged), maxTicks)] {
		if i > 0 && m.Distance != merged[i-1].Distance {
			b.WriteByte('/')
		}
		tick := map[Outcome]byte{Clean: 'c', FunctionLost: 'l', Fault: 'f', NoStart: 'n', Refused: 'r'}[m.Outcome]
		if m.CameBack {
			tick -= 'a' - 'A'
		}
		b.WriteByte(tick)
	}
	return b.String()
}
