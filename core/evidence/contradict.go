package evidence

import (
	"fmt"
	"slices"

	"roster/core/wording"
)

// Contradictions tells, in words for the person who adds it, where a new trial
// speaks against those that are known: it may be right all the same. None
// where nothing speaks against it.
func Contradictions(known []Trial, added Trial, y Yardstick) []string {
	var said []string
	f := Weigh(known, added.Method, added.On, y)
	var clean, refused int
	harmed := map[Outcome]int{}
	for _, w := range f.Counted {
		switch {
		case w.Transfer < y.Thresholds.Near:
		case w.Outcome == Clean:
			clean++
		default:
			harmed[w.Outcome]++
		}
	}
	for i := range known {
		t := &known[i]
		if t.Method == added.Method && t.Outcome == Refused && Between(t.On, added.On) == SameBuild {
			refused++
		}
		if t.Phone == added.Phone && t.Method == added.Method && t.On.Build == added.On.Build && t.Outcome != added.Outcome {
			said = append(said, fmt.Sprintf("this phone is on record as %s; the worse outcome stands", t.Outcome.words()))
		}
	}
	switch {
	case added.Outcome == Clean:
		for _, o := range []Outcome{NoStart, Fault, FunctionLost} {
			if n := harmed[o]; n > 0 {
				said = append(said, fmt.Sprintf("%s near this firmware ended in %s", wording.Count(n, "phone"), o.words()))
			}
		}
	case added.Outcome.Harm() && clean > 0:
		said = append(said, fmt.Sprintf("%s near this firmware went clean", wording.Count(clean, "phone")))
	case added.Outcome == Refused && clean+len(harmed) > 0:
		said = append(said, "other phones near this firmware let it go")
	}
	if added.Outcome != Refused && refused > 0 {
		said = append(said, fmt.Sprintf("this build refused it before (%s)", wording.Count(refused, "trial")))
	}
	if added.CameBack && slices.ContainsFunc(known, func(t Trial) bool {
		return t.On.Build == added.On.Build && !t.CameBack && t.Outcome != Refused && t.Method == added.Method
	}) {
		said = append(said, "on other phones of this build it stayed away")
	}
	slices.Sort(said)
	return slices.Compact(said)
}

// words is the outcome as people say it.
func (o Outcome) words() string {
	switch o {
	case FunctionLost:
		return "a lost function"
	case Fault:
		return "a fault"
	case NoStart:
		return "a phone that did not start"
	case Refused:
		return "refused"
	}
	return "clean"
}
