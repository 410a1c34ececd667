package evidence

import (
	"cmp"
	"math"
	"slices"
)

// Standing says how sure one may be.
type Standing string

// The standings.
const (
	Untried   Standing = "untried"
	Contested Standing = "contested"
	Firm      Standing = "firm"
	Thin      Standing = "thin"
	Fair      Standing = "fair"
)

// Weighed is one merged trial with what it counts.
type Weighed struct {
	Trial
	Distance Distance
	// Transfer is the weight for the distance, Weight the one that counts:
	// for clean trials less the discount for many phones of one person.
	Transfer, Weight float64
	// Merged lists the trials that this one stands for, itself included.
	Merged []string
}

// Figures are what trials come to for one package, one method and one target.
type Figures struct {
	// Weight is n, the sum of weights; Harmed is h, that of harms.
	Weight, Harmed float64
	Ceiling, Floor float64
	// SevereCeiling and SevereFloor count only faults and phones that would
	// not start.
	SevereCeiling, SevereFloor float64
	Standing                   Standing
	// Phones and People are distinct among the trials that count.
	Phones, People int
	// HarmedPhones are the distinct phones among harms.
	HarmedPhones int
	// Counted are the trials that made the figures, nearest first.
	Counted []Weighed
}

// Weigh computes the figures for a method and a target from all trials of one
// package. The order of trials does not matter.
func Weigh(trials []Trial, method Method, target Firmware, table Transfer) Figures {
	counted := merge(trials, method)
	for i := range counted {
		w := &counted[i]
		w.Distance = Between(w.On, target)
		w.Transfer = table.Weight(w.Distance)
		w.Weight = w.Transfer
	}
	// A fixed order makes sums, and so figures, independent of the input's.
	slices.SortFunc(counted, func(a, b Weighed) int {
		return cmp.Or(cmp.Compare(b.Transfer, a.Transfer), cmp.Compare(a.Distance, b.Distance),
			cmp.Compare(a.Outcome, b.Outcome), cmp.Compare(a.Person, b.Person),
			cmp.Compare(a.Phone, b.Phone), cmp.Compare(a.On.Build, b.On.Build), cmp.Compare(a.Method, b.Method))
	})
	f := Figures{Counted: counted}
	var clean, severe, mild float64
	nth := map[string]int{}
	phones, people, harmed := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for i := range counted {
		w := &counted[i]
		phones[w.Phone], people[w.Person] = true, true
		switch {
		case w.Outcome.Severe():
			severe += w.Weight
		case w.Outcome.Harm():
			mild += w.Weight
		default:
			nth[w.Person]++
			w.Weight = w.Transfer / math.Sqrt(float64(nth[w.Person]))
			clean += w.Weight
		}
		if w.Outcome.Harm() {
			harmed[w.Phone] = true
		}
	}
	f.Phones, f.People, f.HarmedPhones = len(phones), len(people), len(harmed)
	f.Harmed = severe + mild
	f.Weight = f.Harmed + clean
	f.Ceiling, f.Floor = Ceiling(f.Harmed, clean), Floor(f.Harmed, clean)
	f.SevereCeiling, f.SevereFloor = Ceiling(severe, clean+mild), Floor(severe, clean+mild)
	f.Standing = standing(f)
	return f
}

// counts reports whether a trial is evidence about method: its own, removal
// for the user as evidence for disabling, and harms of gentler methods for
// removal from the image.
func counts(t Trial, method Method) bool {
	if !t.Outcome.Valid() || t.Outcome == Refused {
		return false
	}
	switch {
	case t.Method == method:
		return true
	case method == Disable:
		return t.Method == RemoveForUser
	case method == RemoveFromImage:
		return t.Outcome.Harm()
	}
	return false
}

// merge keeps one trial per phone, method and build: the worst outcome.
func merge(trials []Trial, method Method) []Weighed {
	type key struct {
		phone, build string
		method       Method
	}
	at := make(map[key]int, len(trials))
	merged := make([]Weighed, 0, len(trials))
	for _, t := range trials {
		if !counts(t, method) {
			continue
		}
		k := key{t.Phone, t.On.Build, t.Method}
		i, seen := at[k]
		if !seen {
			at[k] = len(merged)
			merged = append(merged, Weighed{Trial: t, Merged: []string{t.ID}})
			continue
		}
		m := &merged[i]
		m.Merged = append(m.Merged, t.ID)
		worse := cmp.Compare(t.Outcome.severity(), m.Outcome.severity())
		// Ties go to the smaller identity, so that order does not matter.
		if worse > 0 || worse == 0 && cmp.Or(cmp.Compare(t.Person, m.Person), cmp.Compare(t.ID, m.ID)) < 0 {
			m.Trial = t
		}
	}
	for i := range merged {
		slices.Sort(merged[i].Merged)
	}
	return merged
}

// near is the transfer weight from which on a trial can contradict another.
const near = 0.5

func standing(f Figures) Standing {
	var harm, clean bool
	for _, w := range f.Counted {
		if w.Transfer >= near {
			harm = harm || w.Outcome.Harm()
			clean = clean || w.Outcome == Clean
		}
	}
	switch {
	case f.Weight == 0:
		return Untried
	case harm && clean && f.Floor < 0.5:
		return Contested
	case f.Ceiling <= 0.15 || f.Floor >= 0.5:
		return Firm
	case f.Ceiling-f.Floor > 0.5:
		return Thin
	}
	return Fair
}
