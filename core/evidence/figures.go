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
	*Trial
	Distance Distance
	// Transfer is the weight for the distance, Weight the one that counts:
	// for clean trials less the discount for many phones of one person.
	Transfer, Weight float64
	// Merged lists the trials that this one stands for, itself included.
	Merged []string
	// Numbers of phone and person among those gathered.
	phone, person int
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
func Weigh(trials []Trial, method Method, target Firmware, y Yardstick) Figures {
	return Gather(trials, method).From(target, y, &Limits{})
}

// Gathered are the trials of one package that say something about a method,
// merged and ready to be seen from any number of targets.
type Gathered struct {
	counted []Weighed
	refused []*Trial
	phones  int
	people  int
}

// Gather picks and merges what counts for a method. It keeps pointers into
// trials, which must not change afterwards.
func Gather(trials []Trial, method Method) Gathered {
	g := Gathered{counted: merge(trials, method)}
	for i := range trials {
		if trials[i].Outcome == Refused && trials[i].Method == method {
			g.refused = append(g.refused, &trials[i])
		}
	}
	// A fixed order makes sums, and so figures, independent of the input's.
	slices.SortFunc(g.counted, func(a, b Weighed) int {
		return cmp.Or(cmp.Compare(a.Outcome, b.Outcome), cmp.Compare(a.Person, b.Person),
			cmp.Compare(a.Phone, b.Phone), cmp.Compare(a.On.Build, b.On.Build), cmp.Compare(a.Method, b.Method))
	})
	phones, people := make(map[string]int, len(g.counted)), make(map[string]int, len(g.counted))
	number := func(of map[string]int, key string) int {
		n, ok := of[key]
		if !ok {
			n = len(of)
			of[key] = n
		}
		return n
	}
	for i := range g.counted {
		w := &g.counted[i]
		w.phone, w.person = number(phones, w.Phone), number(people, w.Person)
	}
	g.phones, g.people = len(phones), len(people)
	return g
}

// From computes the figures as seen from a target.
func (g Gathered) From(target Firmware, y Yardstick, limits *Limits) Figures {
	f := Figures{Counted: make([]Weighed, 0, len(g.counted))}
	// Nearest first. A table never grows with distance, so this is the order
	// of transfer weights, too, which the discount below goes by.
	for d := SameBuild; d <= Otherwise && len(f.Counted) < len(g.counted); d++ {
		for _, w := range g.counted {
			if Between(w.On, target) == d {
				w.Distance, w.Transfer = d, y.Transfer.Weight(d)
				w.Weight = w.Transfer
				f.Counted = append(f.Counted, w)
			}
		}
	}
	var clean, severe, mild float64
	nth, harmed := make([]int, g.people), make([]bool, g.phones)
	for i := range f.Counted {
		w := &f.Counted[i]
		switch {
		case w.Outcome.Severe():
			severe += w.Weight
		case w.Outcome.Harm():
			mild += w.Weight
		default:
			nth[w.person]++
			w.Weight = w.Transfer / math.Sqrt(float64(nth[w.person]))
			clean += w.Weight
		}
		if w.Outcome.Harm() && !harmed[w.phone] {
			harmed[w.phone] = true
			f.HarmedPhones++
		}
	}
	f.Phones, f.People = g.phones, g.people
	f.Harmed = severe + mild
	f.Weight = f.Harmed + clean
	f.Ceiling, f.Floor = limits.Ceiling(f.Harmed, clean), limits.Floor(f.Harmed, clean)
	f.SevereCeiling, f.SevereFloor = limits.Ceiling(severe, clean+mild), limits.Floor(severe, clean+mild)
	f.Standing = standing(f, y.Thresholds)
	return f
}

// counts reports whether a trial is evidence about method: its own, removal
// for the user as evidence for disabling, and harms of gentler methods for
// removal from the image.
func counts(t *Trial, method Method) bool {
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
	for n := range trials {
		t := &trials[n]
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

func standing(f Figures, t Thresholds) Standing {
	var harm, clean bool
	for _, w := range f.Counted {
		if w.Transfer >= t.Near {
			harm = harm || w.Outcome.Harm()
			clean = clean || w.Outcome == Clean
		}
	}
	switch {
	case f.Weight == 0:
		return Untried
	case harm && clean && f.Floor < t.FirmFloor:
		return Contested
	case f.Ceiling <= t.FirmCeiling || f.Floor >= t.FirmFloor:
		return Firm
	case f.Ceiling-f.Floor > t.ThinWidth:
		return Thin
	}
	return Fair
}
