package evidence

import "math"

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

// Summaries are those of several targets. Targets that are as far from every trial, as
// models of one maker are that nobody tried it on, are summed up once.
func (g Gathered) Summaries(targets []Firmware, y Yardstick, limits *Limits) []Figures {
	out := make([]Figures, len(targets))
	first := make(map[site]int, len(targets))
	for i, target := range targets {
		at := g.find(target)
		if n, ok := first[at]; ok {
			out[i] = out[n]
			continue
		}
		first[at] = i
		g.sum(&out[i], target, y, limits, nil)
	}
	return out
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
		w, d := g.briefs[i], distances[i]
		kind, transfer := w.kind, transfers[d]
		load, harm := calls[d][kind], kind > 0
		if w.outside {
			transfer *= y.Transfer.Outside
			load = callsFor(outcomeKinds[kind], transfer, y.Thresholds)
		}
		f.inside = f.inside || !w.outside
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
			c := &g.counted[i]
			each(Weighed{c.Trial, Distance(d), transfer, weight, c.ids()})
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
