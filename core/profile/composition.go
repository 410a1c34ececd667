package profile

import (
	"cmp"
	"fmt"
	"slices"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/wording"
)

// Basis is what a profile is composed from: its models' packages, and the
// builds of these models that were captured, newest first.
type Basis struct {
	// Form is the device's: phone, tablet and so on.
	Form       string
	Candidates []Candidate
	Builds     []Ground
}

// Ground is one captured build.
type Ground struct {
	Build
	// Model is the slug of the model that it is of.
	Model string
	Net   *impact.Net
	// Tried lists, for packages that were taken off phones of this build, by
	// which methods; Near likewise for any build of the model.
	Tried, Near map[android.PackageName][]evidence.Method
}

// Composition is a profile worked out: rows in rank order, with the cut line
// after the first Cut of them.
type Composition struct {
	Rows []Row `json:"rows" nullable:"false"`
	// Cut counts the rows above the line, whichever side a pin put them on.
	Cut int `json:"cut"`
	// Goes counts what leaves the phone or is switched off, Quiet what stays and
	// is quietened.
	Goes    int `json:"goes"`
	Quiet   int `json:"quiet"`
	Stays   int `json:"stays"`
	Dropped int `json:"dropped"`
	// Lost are the functions that removals cost, with the packages.
	Lost []Loss `json:"lost" nullable:"false"`
	// StartsAtBoot counts removals that start in the background today.
	StartsAtBoot int `json:"startsAtBoot"`
	// LineStops are the ceilings at which the line can stand, ascending: the
	// cut line moves from one to the next.
	LineStops []float64 `json:"lineStops" nullable:"false"`
	// Consequences are those on any claimed build, each once.
	Consequences []OnBuilds `json:"consequences" nullable:"false"`
	// Jobs are who does what on the phone afterwards.
	Jobs []RoleThen `json:"jobs" nullable:"false"`
	// Offers are packages that are left with no purpose and could go, too.
	Offers []Offer    `json:"offers" nullable:"false"`
	Builds []ForBuild `json:"builds" nullable:"false"`
	Freed  []Freed    `json:"freed" nullable:"false"`
	Steps  []Step     `json:"steps" nullable:"false"`
	// Extras are the numbers of the steps that each of the rules' extras
	// became, in their order.
	Extras []int      `json:"extras" nullable:"false"`
	Checks []CheckRow `json:"checks" nullable:"false"`
	// Functions are all that the model's packages carry, for the rules.
	Functions []string `json:"functions" nullable:"false"`
	// Memory and Wakeups are what phones attribute to all that leaves them: bytes, and
	// wake-ups in an hour. It is no forecast: what goes may wake others that stay.
	Memory  float64 `json:"memory"`
	Wakeups float64 `json:"wakeups"`
	// Suggested is where the line could stand for what that brings, nil where nobody
	// has measured.
	Suggested *LineByGain `json:"suggested,omitempty"`
	// Idle goes and is known to bring nothing.
	Idle []android.PackageName `json:"idle" nullable:"false"`
	// Stops says why this can't be published; none where it can.
	Stops []string `json:"stops" nullable:"false"`
}

// Loss is a function that goes with packages.
type Loss struct {
	Function string                `json:"function"`
	Packages []android.PackageName `json:"packages" nullable:"false"`
	// Seen is true where a trial found it missing; else people say that the
	// packages carry it.
	Seen bool `json:"seen"`
}

// OnBuilds is a consequence and the builds on which it comes about.
type OnBuilds struct {
	impact.Consequence
	Builds []string `json:"builds" nullable:"false" doc:"Fingerprints"`
}

// RoleThen is a role and who does it when the profile has run.
type RoleThen struct {
	Role  string       `json:"role"`
	Class impact.Class `json:"class" enum:"vital,wanted,optional"`
	// State is kept, put-in (by a package that a step brings), emptied, or
	// unknown where a claimed build's captures do not tell.
	State string                `json:"state" enum:"kept,put-in,emptied,unknown"`
	By    []android.PackageName `json:"by" nullable:"false"`
}

// Offer is a package that nothing needs any more.
type Offer struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	Load    evidence.Load       `json:"load"`
	Why     string              `json:"why"`
}

// Freed is what going by a method frees, on the newest build.
type Freed struct {
	Method evidence.Method `json:"method"`
	Bytes  int64           `json:"bytes"`
}

// Compose works a profile out: it ranks the candidates, draws the cut line,
// drops what has to stay so that nothing on any claimed build stops, and says
// what the rest leads to.
func Compose(b Basis, rules Rules) Composition {
	w := composer{Basis: b, rules: rules, c: Composition{Lost: []Loss{}, LineStops: []float64{0}, Consequences: []OnBuilds{}, Jobs: []RoleThen{}, Offers: []Offer{}, Builds: []ForBuild{}, Freed: []Freed{},
		Steps: []Step{}, Extras: make([]int, len(rules.Extras)), Checks: []CheckRow{}, Functions: []string{}, Idle: []android.PackageName{}, Stops: []string{}}}
	w.claimed = slices.DeleteFunc(slices.Clone(b.Builds), func(g Ground) bool { return !rules.Claims(g.Fingerprint) })
	w.c.Rows, w.c.Cut = Rank(w.touched(), rules)
	w.consistent()
	w.tally()
	w.brings()
	w.consequences()
	w.jobs()
	w.claims()
	w.steps()
	w.checks()
	w.stops()
	return w.c
}

// touched are the candidates, each with what speaks against taking it out of the
// image on some claimed build, where the rules want that of any.
func (w *composer) touched() []Candidate {
	if !slices.Contains(w.rules.AllMethods(), evidence.RemoveFromImage) {
		return w.Candidates
	}
	list := slices.Clone(w.Candidates)
	for i := range list {
		for _, g := range w.claimed {
			if list[i].InImage = g.Net.Touched(list[i].Package); list[i].InImage != "" {
				break
			}
		}
	}
	return list
}

// composer works out one composition.
type composer struct {
	Basis
	rules   Rules
	claimed []Ground
	before  impact.Before
	// goes are the rows that go, by name.
	goes map[android.PackageName]*Row
	c    Composition
}

// consistent drops rows until nothing that stays on any claimed build rests by
// a hard link on what goes, and no vital role is empty. A package that stays
// for one build's sake stays on all.
func (w *composer) consistent() {
	w.goes = map[android.PackageName]*Row{}
	trials := map[android.PackageName]int{}
	w.before = impact.Before{Withdrawn: map[android.PackageName]bool{}, Held: map[string]android.PackageName{}}
	for i := range w.c.Rows {
		row := &w.c.Rows[i]
		trials[row.Package] = row.Phones
		if row.Goes {
			w.goes[row.Package] = row
			w.before.Withdrawn[row.Package] = row.Leaves()
		}
	}
	for _, e := range w.rules.Extras {
		if e.Kind == PutIn && e.Role != "" {
			w.before.Held[e.Role] = e.Package
		}
	}
	for again := true; again; {
		again = false
		for _, g := range w.claimed {
			names := make([]android.PackageName, 0, len(w.goes))
			for name, row := range w.goes {
				if row.Leaves() {
					names = append(names, name)
				}
			}
			_, dropped := g.Net.Largest(names, trials, w.before)
			for _, d := range dropped {
				row := w.goes[d.Package]
				row.Goes, row.Dropped, row.Why = false, true, "has to stay: "+d.Why
				delete(w.goes, d.Package)
				w.c.Dropped++
				again = len(w.claimed) > 1
			}
		}
	}
}

// tally counts what goes and stays and what that costs.
func (w *composer) tally() {
	lost, seen, carried, all := map[string][]android.PackageName{}, map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, row := range w.c.Rows {
		if row.Eligible && row.Ceiling > w.c.LineStops[len(w.c.LineStops)-1] {
			w.c.LineStops = append(w.c.LineStops, row.Ceiling)
		}
		for _, f := range slices.Concat(row.Functions, row.Lost) {
			all[f] = true
			// What is quietened still does what people know it for, but for
			// what they missed.
			if !row.Goes || !row.Leaves() && !slices.Contains(row.Lost, f) {
				carried[f] = true
			} else if !slices.Contains(lost[f], row.Package) {
				lost[f] = append(lost[f], row.Package)
			}
		}
		if !row.Goes {
			w.c.Stays++
			continue
		}
		if row.Leaves() {
			w.c.Goes++
		} else {
			w.c.Quiet++
		}
		if row.StartsAtBoot && row.Leaves() {
			w.c.StartsAtBoot++
		}
		for _, f := range row.Lost {
			seen[f] = true
		}
	}
	for f, names := range lost {
		// What another package still carries is not lost, unless somebody
		// missed it.
		if carried[f] && !seen[f] {
			continue
		}
		slices.Sort(names)
		w.c.Lost = append(w.c.Lost, Loss{f, names, seen[f]})
	}
	slices.SortFunc(w.c.Lost, func(a, b Loss) int { return cmp.Compare(a.Function, b.Function) })
	for f := range all {
		w.c.Functions = append(w.c.Functions, f)
	}
	slices.Sort(w.c.Functions)
}

// removal is what goes, each by its method.
func (w *composer) removal() impact.Removal {
	set := make(impact.Removal, len(w.goes))
	for name, row := range w.goes {
		if row.Leaves() {
			set[name] = row.Method
		}
	}
	return set
}

// consequences gathers those of all claimed builds, what is left without a
// purpose and what is freed.
func (w *composer) consequences() {
	known := impact.Known{Conditions: map[android.PackageName][]string{}, Refused: map[android.PackageName]int{}, ComesBack: map[android.PackageName]int{}, Before: w.before}
	for name, row := range w.goes {
		known.Conditions[name], known.Refused[name], known.ComesBack[name] = row.Conditions, row.Refused, row.ComesBack
	}
	set, at := w.removal(), map[string]int{}
	for n, g := range w.claimed {
		for _, one := range g.Net.Consequences(set, known) {
			if one.Code == "bytes-freed" {
				if n > 0 {
					continue // the newest build stands for all
				}
				w.c.Freed = append(w.c.Freed, w.freed(g, set)...)
			}
			key := fmt.Sprint(one.Code, one.Severity, one.Packages, one.Stay, one.Role)
			i, ok := at[key]
			if !ok {
				i = len(w.c.Consequences)
				at[key] = i
				w.c.Consequences = append(w.c.Consequences, OnBuilds{Consequence: one, Builds: []string{}})
			}
			w.c.Consequences[i].Builds = append(w.c.Consequences[i].Builds, g.Fingerprint)
		}
	}
	slices.SortStableFunc(w.c.Consequences, func(a, b OnBuilds) int { return impact.BySeverity(a.Consequence, b.Consequence) })
	w.offers()
}

func (w *composer) freed(g Ground, set impact.Removal) (list []Freed) {
	for _, m := range w.rules.AllMethods() {
		part := impact.Removal{}
		for name, method := range set {
			if method == m {
				part[name] = m
			}
		}
		if bytes := g.Net.Freed(part); bytes > 0 {
			list = append(list, Freed{m, bytes})
		}
	}
	return list
}

// offers are what is left with no purpose, where a pin could take it.
func (w *composer) offers() {
	for _, one := range w.c.Consequences {
		if one.Code != "no-purpose" {
			continue
		}
		for _, name := range one.Packages {
			i := slices.IndexFunc(w.c.Rows, func(r Row) bool { return r.Package == name })
			if i < 0 || w.c.Rows[i].Goes || w.c.Rows[i].Pin != "" || unpinnable(w.c.Rows[i], w.rules) || slices.ContainsFunc(w.c.Offers, func(o Offer) bool { return o.Package == name }) {
				continue
			}
			row := w.c.Rows[i]
			w.c.Offers = append(w.c.Offers, Offer{name, row.Label, row.Load, one.Why})
		}
	}
}

// jobs are the roles that phones cannot do without, and those that go empty.
func (w *composer) jobs() {
	at := map[string]int{}
	for _, g := range w.claimed {
		for _, r := range g.Net.Roles {
			job := RoleThen{r.Name, r.Class, "kept", []android.PackageName{}}
			for _, name := range r.Able {
				if w.goes[name] == nil || !w.goes[name].Leaves() {
					job.By = append(job.By, name)
				}
			}
			if put, ok := w.before.Held[r.Name]; ok {
				job.State, job.By = "put-in", []android.PackageName{put}
			} else if len(job.By) == 0 {
				job.State, job.By = "emptied", r.Able
			}
			i, ok := at[r.Name]
			switch {
			case !ok:
				at[r.Name] = len(w.c.Jobs)
				w.c.Jobs = append(w.c.Jobs, job)
			case w.c.Jobs[i].State == "kept":
				w.c.Jobs[i] = job
			}
		}
		if g.Net.RolesUnknown() && !slices.ContainsFunc(w.c.Jobs, func(j RoleThen) bool { return j.State == "unknown" }) {
			w.c.Jobs = append(w.c.Jobs, RoleThen{"", impact.Vital, "unknown", []android.PackageName{}})
		}
	}
	rank := map[impact.Class]int{impact.Vital: 0, impact.Wanted: 1, impact.Optional: 2}
	w.c.Jobs = slices.DeleteFunc(w.c.Jobs, func(j RoleThen) bool { return j.Class == impact.Optional && j.State == "kept" })
	slices.SortStableFunc(w.c.Jobs, func(a, b RoleThen) int {
		return cmp.Or(cmp.Compare(rank[a.Class], rank[b.Class]), cmp.Compare(a.Role, b.Role))
	})
}

// stops says what stands in the way of publishing.
func (w *composer) stops() {
	add := func(format string, args ...any) { w.c.Stops = append(w.c.Stops, fmt.Sprintf(format, args...)) }
	for _, p := range w.rules.Pins {
		i := slices.IndexFunc(w.c.Rows, func(r Row) bool { return r.Package == p.Package })
		if p.Goes && i >= 0 && unpinnable(w.c.Rows[i], w.rules) {
			if w.c.Rows[i].Load == evidence.LoadBearing {
				add("%s is Load-bearing: it never goes, not even by a pin", p.Package)
			} else {
				add("%s is Unproven, and the rules take none of these, not even by a pin", p.Package)
			}
		}
	}
	for _, one := range w.c.Consequences {
		if one.Severity == impact.Stops {
			add("%s: %s", cmp.Or(one.Role, fmt.Sprint(one.Packages[0])), one.Why)
		}
	}
	if len(w.Builds) > 0 && len(w.claimed) == 0 {
		add("no build is claimed: there is nobody to publish for")
	}
	if w.c.Goes+w.c.Quiet > 0 {
		return
	}
	tried := slices.ContainsFunc(w.c.Rows, func(r Row) bool { return r.Standing != evidence.Untried })
	switch {
	case len(w.c.Rows) == 0:
		add("no capture of this model is there: nothing is known of what it ships")
	case w.c.Dropped > 0:
		add("nothing goes: %s to stay for the reason that stands beside it", wording.Count(w.c.Dropped, "package that could has", "packages that could have all"))
	case !tried:
		add("nothing goes: nobody has tried taking anything off this model or one like it")
	default:
		add("nothing goes: there is nothing to publish")
	}
}
