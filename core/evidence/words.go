package evidence

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"roster/core/wording"
)

// Sentence says in words what figures come to; where names the target, such
// as "Lyra 5 phones".
func Sentence(f Figures, where string, t Thresholds) string {
	if f.Phones == 0 {
		return "Nobody has tried it: nothing is known about " + where + "."
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s, %s, %s: at most %s of %s harmed",
		wording.Count(f.Phones, "phone"), wording.People(f.People), harms(f), wording.Ceiling(f.Ceiling), where)
	if f.Floor > 0 {
		b.WriteString(", and at least " + wording.Floor(f.Floor))
	}
	if f.Standing == Contested {
		b.WriteString("; contested")
		if on := contestedOn(f, t); on != "" {
			b.WriteString(" on " + on)
		}
	}
	b.WriteString(".")
	return b.String()
}

// harms counts the harms by kind and Android release, worst first.
func harms(f Figures) string {
	type kind struct {
		outcome Outcome
		release string
	}
	count := map[kind]int{}
	var kinds []kind
	for _, w := range f.Counted {
		if w.Outcome.Harm() {
			k := kind{w.Outcome, w.On.Release}
			if count[k]++; count[k] == 1 {
				kinds = append(kinds, k)
			}
		}
	}
	if len(kinds) == 0 {
		return "none harmed"
	}
	slices.SortFunc(kinds, func(a, b kind) int {
		return cmp.Or(cmp.Compare(b.outcome.severity(), a.outcome.severity()), cmp.Compare(b.release, a.release))
	})
	names := map[Outcome][2]string{FunctionLost: {"lost function", "lost functions"}, Fault: {"fault", "faults"}, NoStart: {"phone that did not start", "phones that did not start"}}
	parts := make([]string, len(kinds))
	for i, k := range kinds {
		parts[i] = "one " + names[k.outcome][0]
		if n := count[k]; n > 1 {
			parts[i] = fmt.Sprintf("%d %s", n, names[k.outcome][1])
		}
		if k.release != "" {
			parts[i] += " on Android " + k.release
		}
	}
	return strings.Join(parts, ", ")
}

// contestedOn names the Android releases on which the trials that contradict
// each other were harmed, "" where that is all of them.
func contestedOn(f Figures, t Thresholds) string {
	all, harmed := map[string]bool{}, []string{}
	for _, w := range f.Counted {
		if w.Transfer < t.Near {
			continue
		}
		all[w.On.Release] = true
		if w.Outcome.Harm() && !slices.Contains(harmed, w.On.Release) {
			harmed = append(harmed, w.On.Release)
		}
	}
	if len(harmed) == len(all) {
		return ""
	}
	slices.Sort(harmed)
	return strings.Join(harmed, " and ")
}
