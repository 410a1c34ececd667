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

// Standings lists every standing, from what is known least about.
var Standings = []Standing{Untried, Thin, Contested, Fair, Firm}

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
	phone, person int32
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
	// Counted are the trials that made the figures, nearest first; nil in a
	// Summary.
	Counted []Weighed

	// What near trials say, the worst load that any calls for, and whether any
	// was made by people of the installation.
	nearHarm, nearClean bool
	inside              bool
	worst               Load
}

// Weigh computes the figures for a method and a target from all trials of one
// package. The order of trials does not matter.
func Weigh(trials []Trial, method Method, target Firmware, y Yardstick) Figures {
	return Gather(trials, method).From(target, y, &Limits{})
}

// Gathered are the trials of one package that say something about a method,
// merged and ready to be seen from any number of targets.
type Gathered struct {
	// counted are in the order in which they are summed up, ticks in that in
	// which a strip shows them; sites and tickSites are where they were made.
	counted []Weighed
	// kinds are the outcomes of counted in small numbers: see outcomeKinds.
	kinds            []uint8
	ticks            []*Trial
	sites, tickSites []site
	// ids number the builds, models, makers and releases.
	ids            [4]map[string]int32
	phones, people int
}

// Same reports whether two gatherings hold the same trials, and so come to the
// same figures and strips: as those of disabling do to those of removing for
// the user, where nobody has disabled.
func (g Gathered) Same(other Gathered) bool {
	return slices.Equal(g.ticks, other.ticks)
}

// site is a firmware in small numbers: far quicker to compare than names.
type site struct{ build, model, maker, release int32 }

// nowhere is the number of what no trial was made on.
const nowhere = -1

// Gather picks and merges what counts for a method. It keeps pointers into
// trials, which must not change afterwards.
func Gather(trials []Trial, method Method) Gathered {
	if !saysAnything(trials, method) {
		return Gathered{} // as for most methods of most packages
	}
	g := Gathered{counted: merge(trials, method)}
	for i := range g.ids {
		g.ids[i] = map[string]int32{}
	}
	for i := range g.counted {
		g.ticks = append(g.ticks, g.counted[i].Trial)
	}
	for i := range trials {
		if trials[i].Outcome == Refused && trials[i].Method == method {
			g.ticks = append(g.ticks, &trials[i])
		}
	}
	// A fixed order makes sums, and so figures, independent of the input's.
	slices.SortFunc(g.counted, func(a, b Weighed) int {
		return cmp.Or(cmp.Compare(a.Outcome, b.Outcome), cmp.Compare(a.Person, b.Person),
			cmp.Compare(a.Phone, b.Phone), cmp.Compare(a.On.Build, b.On.Build), cmp.Compare(a.Method, b.Method))
	})
	slices.SortFunc(g.ticks, func(a, b *Trial) int {
		return cmp.Or(cmp.Compare(a.Outcome.severity(), b.Outcome.severity()), cmp.Compare(a.ID, b.ID))
	})
	number := func(of map[string]int32, key string) int32 {
		n, ok := of[key]
		if !ok {
			n = int32(len(of))
			of[key] = n
		}
		return n
	}
	at := func(f Firmware) site {
		return site{number(g.ids[0], f.Build), number(g.ids[1], f.Model), number(g.ids[2], f.Maker), number(g.ids[3], f.Release)}
	}
	phones, people := make(map[string]int32, len(g.counted)), make(map[string]int32, len(g.counted))
	g.sites, g.tickSites = make([]site, len(g.counted)), make([]site, len(g.ticks))
	g.kinds = make([]uint8, len(g.counted))
	for i := range g.counted {
		w := &g.counted[i]
		g.kinds[i] = uint8(slices.Index(outcomeKinds[:], w.Outcome))
		w.phone, w.person, g.sites[i] = number(phones, w.Phone), number(people, w.Person), at(w.On)
	}
	for i, t := range g.ticks {
		g.tickSites[i] = at(t.On)
	}
	g.phones, g.people = len(phones), len(people)
	return g
}

// saysAnything reports whether some trial tells of a method, if only that a phone
// refused.
func saysAnything(trials []Trial, method Method) bool {
	for i := range trials {
		if t := &trials[i]; t.Method == method || counts(t, method) {
			return true
		}
	}
	return false
}

// Empty reports whether no trial says anything about the method.
func (g Gathered) Empty() bool { return len(g.ticks) == 0 }

// find is the site of a target; what is empty, or what no trial was made on,
// is nowhere.
func (g Gathered) find(target Firmware) site {
	number := func(of map[string]int32, name string) int32 {
		if n, ok := of[name]; ok && name != "" {
			return n
		}
		return nowhere
	}
	return site{number(g.ids[0], target.Build), number(g.ids[1], target.Model), number(g.ids[2], target.Maker), number(g.ids[3], target.Release)}
}

// from is Between for sites.
func (trial site) from(target site) Distance {
	return relation(trial.build == target.build, trial.model == target.model, trial.maker == target.maker, trial.release == target.release)
}

// From computes the figures as seen from a target.
func (g Gathered) From(target Firmware, y Yardstick, limits *Limits) Figures {
	f, counted := Figures{}, make([]Weighed, 0, len(g.counted))
	g.sum(&f, target, y, limits, func(w Weighed) { counted = append(counted, w) })
	f.Counted = counted
	return f
}

// Summary is From without the trials that made the figures: for whole
// catalogues at once.
func (g Gathered) Summary(target Firmware, y Yardstick, limits *Limits) Figures {
	var f Figures
	g.sum(&f, target, y, limits, nil)
	return f
}

// sum weighs every trial, nearest first, hands it to each, and computes the
// figures. A table never grows with distance, so nearest first is the order of
// transfer weights, too, which the discount goes by.
func (g Gathered) sum(f *Figures, target Firmware, y Yardstick, limits *Limits, each func(Weighed)) {
	var calls [Otherwise + 1][len(outcomeKinds)]Load
	var transfers [Otherwise + 1]float64
	for d := range calls {
		transfers[d] = y.Transfer.Weight(Distance(d))
		for k, outcome := range outcomeKinds {
			calls[d][k] = callsFor(outcome, transfers[d], y.Thresholds)
		}
	}
	var clean, severe, mild float64
	nth, harmed := zeros(&limits.nth, g.people), zeros(&limits.harmed, g.phones)
	order, distances := zeros(&limits.order, len(g.sites)), zeros(&limits.distances, len(g.sites))
	g.nearestFirst(target, order, distances)
	for _, i := range order {
		w, d, kind := &g.counted[i], distances[i], g.kinds[i]
		transfer, load, harm := transfers[d], calls[d][kind], kind > 0
		if w.Outside {
			transfer *= y.Transfer.Outside
			load = callsFor(w.Outcome, transfer, y.Thresholds)
		}
		f.inside = f.inside || !w.Outside
		weight := transfer
		switch {
		case kind >= firstSevere:
			severe += weight
		case harm:
			mild += weight
		default:
			nth[w.person]++
			weight /= math.Sqrt(float64(nth[w.person]))
			clean += weight
		}
		if harm && !harmed[w.phone] {
			harmed[w.phone] = true
			f.HarmedPhones++
		}
		if transfer >= y.Thresholds.Near {
			f.nearHarm, f.nearClean = f.nearHarm || harm, f.nearClean || !harm
		}
		if load != "" && (f.worst == "" || load.Rank() > f.worst.Rank()) {
			f.worst = load
		}
		if each != nil {
			each(Weighed{w.Trial, Distance(d), transfer, weight, w.Merged, w.phone, w.person})
		}
	}
	f.Phones, f.People = g.phones, g.people
	f.Harmed = severe + mild
	f.Weight = f.Harmed + clean
	f.Ceiling, f.Floor = limits.Ceiling(f.Harmed, clean), limits.Floor(f.Harmed, clean)
	f.SevereCeiling, f.SevereFloor = limits.Ceiling(severe, clean+mild), limits.Floor(severe, clean+mild)
	f.Standing = f.standing(y.Thresholds)
}

// outcomeKinds are the outcomes that count, so ordered that those after the
// first are harms and those from firstSevere on severe ones.
var outcomeKinds = [...]Outcome{Clean, FunctionLost, Fault, NoStart}

const firstSevere = 2

// nearestFirst orders the trials by their distance from a target, and within
// one distance as they are summed up; it finds each trial's distance, too.
func (g Gathered) nearestFirst(target Firmware, order []int32, distances []uint8) {
	stand := g.find(target)
	var begin [Otherwise + 2]int32
	for i, s := range g.sites {
		distances[i] = uint8(s.from(stand))
		begin[distances[i]+1]++
	}
	for d := range Otherwise + 1 {
		begin[d+1] += begin[d]
	}
	for i, d := range distances {
		order[begin[d]] = int32(i)
		begin[d]++
	}
}

// counts reports whether a trial is evidence about method: its own, removal
// for the user as evidence for disabling, harms of quietening for every other
// method, and harms of all gentler ones for removal from the image.
func counts(t *Trial, method Method) bool {
	if !t.Outcome.Valid() || t.Outcome == Refused {
		return false
	}
	switch {
	case t.Method == method:
		return true
	case t.Method == Quieten:
		return t.Outcome.Harm() // all others are harsher
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
		if worse > 0 || worse == 0 && cmp.Or(outsideLast(t, m.Trial), cmp.Compare(t.Person, m.Person), cmp.Compare(t.ID, m.ID)) < 0 {
			m.Trial = t
		}
	}
	for i := range merged {
		slices.Sort(merged[i].Merged)
	}
	return merged
}

// outsideLast puts what people of the installation say before what strangers tell
// of the same phone.
func outsideLast(a, b *Trial) int {
	switch {
	case a.Outside == b.Outside:
		return 0
	case b.Outside:
		return -1
	}
	return 1
}

func (f *Figures) standing(t Thresholds) Standing {
	switch {
	case f.Weight == 0:
		return Untried
	case !f.inside:
		return Thin
	case f.nearHarm && f.nearClean && f.Floor < t.FirmFloor:
		return Contested
	case f.Ceiling <= t.FirmCeiling || f.Floor >= t.FirmFloor:
		return Firm
	case f.Ceiling-f.Floor > t.ThinWidth:
		return Thin
	}
	return Fair
}
