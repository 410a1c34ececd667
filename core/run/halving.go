package run

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/impact"
	"roster/core/wording"
)

// Suspect is a package of a run that could carry what is broken.
type Suspect struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	// Weight is how much points to it, 1 for nothing at all.
	Weight float64  `json:"weight"`
	Why    []string `json:"why" nullable:"false"`
}

// Pointers are what is known of packages that points to what is broken.
type Pointers struct {
	// Carries are the functions that people say packages carry, Missed those
	// that trials found missing without them.
	Carries, Missed map[android.PackageName][]string
	Net             *impact.Net
}

// Suspects ranks what a run has off by how much points to a function that is
// broken; of a check without one by how much rests on each. Equal ones stand by
// name.
func Suspects(function string, off []Journal, p Pointers) []Suspect {
	list := make([]Suspect, 0, len(off))
	carriers := map[android.PackageName]bool{}
	for _, set := range []map[android.PackageName][]string{p.Carries, p.Missed} {
		for name, functions := range set {
			if function != "" && slices.Contains(functions, function) {
				carriers[name] = true
			}
		}
	}
	for _, j := range off {
		s := Suspect{Package: j.Package, Label: j.Label, Weight: 1, Why: []string{}}
		point := func(weight float64, why string) { s.Weight, s.Why = s.Weight+weight, append(s.Why, why) }
		if slices.Contains(p.Missed[j.Package], function) && function != "" {
			point(8, "trials missed it without this")
		}
		if slices.Contains(p.Carries[j.Package], function) && function != "" {
			point(4, "is said to carry it")
		}
		if p.Net != nil {
			on, from := p.Net.Around(j.Package)
			hard := 0
			for _, l := range slices.Concat(on, from) {
				other := l.On
				if other == j.Package {
					other = l.From
				}
				if carriers[other] && l.Kind != impact.SharedUID {
					point(2, "tied by a "+string(l.Kind)+" to "+string(other))
					break
				}
			}
			for _, l := range from {
				if l.Kind != impact.SharedUID {
					hard++
				}
			}
			if hard > 0 {
				point(min(float64(hard), 4)/4, fmt.Sprintf("%d on the phone rest on it", hard))
			}
		}
		list = append(list, s)
	}
	slices.SortFunc(list, func(a, b Suspect) int {
		return cmp.Or(cmp.Compare(b.Weight, a.Weight), cmp.Compare(a.Package, b.Package))
	})
	return list
}

// Round is one question of a halving: with these put back and all other
// suspects off, does it work again?
type Round struct {
	On    []android.PackageName `json:"on" nullable:"false"`
	Works bool                  `json:"works"`
}

// Hunt is a halving: the search for the one package of a run without which
// something is broken.
type Hunt struct {
	// Check is the number of the check that is broken, Function what it tries.
	Check    int       `json:"check"`
	Text     string    `json:"text"`
	Function string    `json:"function"`
	Suspects []Suspect `json:"suspects" nullable:"false"`
	Rounds   []Round   `json:"rounds" nullable:"false"`
	// Asking is the round that is being tried, nil when the hunt is over.
	Asking []android.PackageName `json:"asking" nullable:"false"`
	// Found is the guilty package, "" until it is found.
	Found android.PackageName `json:"found"`
	// Over is true when it is found, or no single package is to blame.
	Over bool `json:"over"`
}

// left are the suspects that the answers so far leave, by rank. Whoever is
// guilty was among those put back where it worked, else among those still off.
func (h *Hunt) left() []Suspect {
	list := slices.Clone(h.Suspects)
	for _, r := range h.Rounds {
		list = slices.DeleteFunc(list, func(s Suspect) bool { return slices.Contains(r.On, s.Package) != r.Works })
	}
	return list
}

// Left counts the suspects that are left.
func (h *Hunt) Left() int { return len(h.left()) }

// Begin asks the first question.
func (h *Hunt) Begin() { h.next() }

// Answer takes the answer to what is being asked and asks the next.
func (h *Hunt) Answer(works bool) {
	if h.Over {
		return
	}
	h.Rounds = append(h.Rounds, Round{h.Asking, works})
	h.next()
}

// next finds the next question: the fewest of the likeliest suspects that
// carry half of all weight. The last one left has to bring it back alone
// before it is called guilty.
func (h *Hunt) next() {
	left := h.left()
	h.Asking = []android.PackageName{}
	switch {
	case len(left) == 0:
		h.Over = true
		return
	case len(left) == 1:
		name := left[0].Package
		if n := len(h.Rounds); n > 0 && h.Rounds[n-1].Works && slices.Equal(h.Rounds[n-1].On, []android.PackageName{name}) {
			h.Found, h.Over = name, true
			return
		}
		h.Asking = append(h.Asking, name)
		return
	}
	var whole, sum float64
	for _, s := range left {
		whole += s.Weight
	}
	for _, s := range left[:len(left)-1] {
		h.Asking = append(h.Asking, s.Package)
		if sum += s.Weight; 2*sum >= whole {
			break
		}
	}
}

// Moves are the steps that bring the phone from the journal's state to what is
// being asked: what is put back, and what goes again. When the hunt is over
// only the guilty package stays on it.
func (h *Hunt) Moves(list []Journal) []Step {
	off := map[android.PackageName]Journal{}
	for _, j := range Off(list) {
		off[j.Package] = j
	}
	want := h.Asking
	if h.Found != "" {
		want = []android.PackageName{h.Found}
	}
	var steps []Step
	for _, s := range h.Suspects {
		j, isOff := off[s.Package]
		switch on := slices.Contains(want, s.Package); {
		case on && isOff:
			steps = append(steps, j.putBack())
		case !on && !isOff:
			if i := last(list, s.Package); i >= 0 {
				steps = append(steps, Step{Kind: Remove, Method: list[i].Method, Package: s.Package, Label: s.Label, Again: list[i].Number})
			}
		}
	}
	return number(list, restartFor(steps, 0))
}

// last finds the latest removal of a package that was done.
func last(list []Journal, name android.PackageName) int {
	at := -1
	for i, j := range list {
		if j.Kind == Remove && j.Package == name && j.State == Done {
			at = i
		}
	}
	return at
}

// Path tells in words how the package was found: the proof that goes with its
// trial.
func (h *Hunt) Path() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s was broken with %s off. ", h.Text, wording.Count(len(h.Suspects), "package"))
	for _, r := range h.Rounds {
		answer := "still broken"
		if r.Works {
			answer = "works"
		}
		fmt.Fprintf(&b, "With %s put back: %s. ", names(r.On), answer)
	}
	if h.Found != "" {
		fmt.Fprintf(&b, "So it rests on %s.", h.Found)
	} else if h.Over {
		b.WriteString("No single package brings it back.")
	}
	return b.String()
}
