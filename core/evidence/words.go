package evidence

import (
	"fmt"
	"math"
	"strings"
)

// Percent writes a share as people read it: whole percents, rounded up so
// that a ceiling is never shown lower than it is.
func Percent(share float64) string {
	return fmt.Sprintf("%.0f %%", math.Ceil(100*share-1e-9))
}

// Sentence says in words what figures come to; where names the target, such
// as "Lyra 5 phones".
func Sentence(f Figures, where string) string {
	if f.Phones == 0 {
		return "Nobody has tried it: nothing is known about " + where + "."
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s, %s, ", plural(f.Phones, "phone"), people(f.People))
	if f.HarmedPhones == 0 {
		b.WriteString("none harmed")
	} else {
		fmt.Fprintf(&b, "%s harmed", plural(f.HarmedPhones, "phone"))
	}
	fmt.Fprintf(&b, ": at most %s of %s harmed", Percent(f.Ceiling), where)
	if f.Floor > 0 {
		fmt.Fprintf(&b, ", and at least %.0f %%", math.Floor(100*f.Floor))
	}
	if f.Standing == Contested {
		b.WriteString("; contested")
	}
	b.WriteString(".")
	return b.String()
}
