package evidence

import (
	"fmt"
	"slices"

	"roster/core/wording"
)

// Load is the grade: how much of the phone rests on a package.
type Load string

// The loads, least first; Unproven stands outside the order.
const (
	Loose       Load = "loose"
	LeanedOn    Load = "leaned-on"
	TiedIn      Load = "tied-in"
	LoadBearing Load = "load-bearing"
	Unproven    Load = "unproven"
)

// Loads lists the loads as people rank packages by them: what is not known
// stands after what is known to be tied in.
var Loads = []Load{Loose, LeanedOn, TiedIn, Unproven, LoadBearing}

// Valid reports whether l is one of Loads.
func (l Load) Valid() bool { return l.Rank() < len(Loads) }

// Rank is the place of the load in Loads, len(Loads) when it is none.
func (l Load) Rank() int {
	for i, known := range Loads {
		if l == known {
			return i
		}
	}
	return len(Loads)
}

// MoreLenientThan reports whether l lets a package go more easily than other.
// Against Unproven every load but Load-bearing is more lenient: it claims
// what has not been shown.
func (l Load) MoreLenientThan(other Load) bool { return l.Rank() < other.Rank() }

// Structure is what the phone's own words say of a package beside trials.
type Structure struct {
	// EmptiesVitalRole and BreaksBootLink are set where removing the package
	// alone would do so; each holds the words to show, "" when not.
	EmptiesVitalRole, BreaksBootLink string
	// BreaksHardLink names the kept package that could not go on.
	BreaksHardLink string
	// HoldsRole names a role that the package holds, alone or with others.
	HoldsRole string
}

// Called is the load that structure alone calls for, "" where it calls for
// none.
func (s Structure) Called() Load {
	switch {
	case s.EmptiesVitalRole != "" || s.BreaksBootLink != "":
		return LoadBearing
	case s.BreaksHardLink != "":
		return TiedIn
	case s.HoldsRole != "":
		return LeanedOn
	}
	return ""
}

// Joined is the load that Suggest suggests, from what trials suggest and what
// structure calls for.
func Joined(trials, called Load) Load {
	heavy := func(l Load) bool { return l != Loose && l != Unproven && l != "" }
	if called == "" || heavy(trials) && trials.Rank() > called.Rank() {
		return trials
	}
	return called
}

// Reason is why a load is suggested, with the trials that it rests on.
type Reason struct {
	Load   Load     `json:"load"`
	Text   string   `json:"text"`
	Trials []string `json:"trials,omitempty"`
}

// Suggestion is a load and everything that speaks for it or for a lesser one.
type Suggestion struct {
	Load    Load     `json:"load"`
	Reasons []Reason `json:"reasons"`
}

// SuggestedLoad is the load that Suggest suggests for figures alone, without
// the reasons; the thresholds are those that the figures were made with.
func SuggestedLoad(f Figures, t Thresholds) Load {
	switch {
	case f.worst != "":
		return f.worst
	case isLoose(f, t):
		return Loose
	}
	return Unproven
}

// callsFor is the load that one trial calls for, "" where it calls for none.
func callsFor(o Outcome, transfer float64, t Thresholds) Load {
	switch {
	case transfer <= 0:
	case o == NoStart && transfer >= t.Near:
		return LoadBearing
	case o == Fault:
		return TiedIn
	case o == FunctionLost:
		return LeanedOn
	}
	return ""
}

// isLoose reports whether enough people and phones show no harm.
func isLoose(f Figures, t Thresholds) bool {
	return f.Ceiling <= t.LooseCeiling && f.People >= t.LoosePeople && f.Phones >= t.LoosePhones
}

// Suggest computes the load that the evidence speaks for: the worst of what
// structure and trials each call for, Loose only where enough people and
// phones show it, else Unproven.
func Suggest(f Figures, s Structure, t Thresholds) Suggestion {
	var out Suggestion
	add := func(load Load, text string, trials []string) {
		out.Reasons = append(out.Reasons, Reason{load, text, trials})
		if out.Load == "" || load.Rank() > out.Load.Rank() {
			out.Load = load
		}
	}
	if s.EmptiesVitalRole != "" {
		add(LoadBearing, "without it "+s.EmptiesVitalRole+" would be held by nobody", nil)
	}
	if s.BreaksBootLink != "" {
		add(LoadBearing, "starting the phone rests on it: "+s.BreaksBootLink, nil)
	}
	if ids, _ := f.trials(NoStart, t.Near); len(ids) > 0 {
		add(LoadBearing, fmt.Sprintf("a phone did not start without it (%s)", wording.Count(len(ids), "trial")), ids)
	}
	if s.BreaksHardLink != "" {
		add(TiedIn, s.BreaksHardLink+" rests on it and stays", nil)
	}
	if ids, _ := f.trials(Fault, 0); len(ids) > 0 {
		add(TiedIn, fmt.Sprintf("something else misbehaved without it (%s)", wording.Count(len(ids), "trial")), ids)
	}
	if ids, functions := f.trials(FunctionLost, 0); len(ids) > 0 {
		text := fmt.Sprintf("a function was missed (%s)", wording.Count(len(ids), "trial"))
		if len(functions) > 0 {
			text = fmt.Sprintf("missed without it: %s (%s)", join(functions), wording.Count(len(ids), "trial"))
		}
		add(LeanedOn, text, ids)
	}
	if s.HoldsRole != "" {
		add(LeanedOn, "it holds the role "+s.HoldsRole, nil)
	}
	if out.Load != "" {
		return out
	}
	ids, _ := f.trials(Clean, 0)
	enough := fmt.Sprintf("at most %s of phones harmed, from %s and %s",
		wording.Ceiling(f.Ceiling), wording.Count(f.Phones, "phone"), wording.People(f.People))
	switch {
	case isLoose(f, t):
		add(Loose, enough, ids)
	case f.Weight == 0:
		add(Unproven, "nobody has tried it", nil)
	default:
		wanted := fmt.Sprintf("Loose wants at most %s from %s and %s",
			wording.Ceiling(t.LooseCeiling), wording.People(t.LoosePeople), wording.Count(t.LoosePhones, "phone"))
		add(Unproven, enough+"; "+wanted, ids)
	}
	return out
}

// trials lists the trials with an outcome whose firmware counts at least so
// much, and the functions that they name.
func (f Figures) trials(o Outcome, least float64) (ids, functions []string) {
	for _, w := range f.Counted {
		if w.Outcome == o && w.Transfer >= least && w.Transfer > 0 {
			ids = append(ids, w.Merged...)
			if w.Function != "" && !slices.Contains(functions, w.Function) {
				functions = append(functions, w.Function)
			}
		}
	}
	return ids, functions
}

func join(words []string) string {
	switch len(words) {
	case 0:
		return ""
	case 1:
		return words[0]
	}
	s := words[0]
	for _, w := range words[1 : len(words)-1] {
		s += ", " + w
	}
	return s + " and " + words[len(words)-1]
}
