package evidence

import (
	"cmp"
	"maps"
	"slices"
	"strings"
)

// Gathered are the trials of one package that say something about a method,
// merged and ready to be seen from any number of targets.
type Gathered struct {
	// counted are in the order in which they are summed up, ticks in that in
	// which a strip shows them; sites and tickSites are where they were made.
	counted []merged
	// briefs are what is summed up of counted, close together: whole catalogues are.
	briefs           []brief
	ticks            []*Trial
	sites, tickSites []site
	// ids number the builds, models, makers and releases.
	ids            [4]numbers
	phones, people int
}

// merged is a trial, and those that it stands for where there are others, itself
// included.
type merged struct {
	*Trial
	all   []string
	phone int32 // its number among those gathered
}

// ids are the trials that it stands for.
func (m merged) ids() []string {
	if m.all == nil {
		return []string{m.ID}
	}
	return m.all
}

// numbers gives names small numbers: far quicker to compare, and to look up by.
type numbers map[string]int32

// of is the number of a name, a new one where it had none.
func (n numbers) of(name string) int32 {
	at, ok := n[name]
	if !ok {
		at = int32(len(n))
		n[name] = at
	}
	return at
}

// brief is a trial in small numbers. Kind is its outcome: see outcomeKinds.
type brief struct {
	phone, person int32
	kind          uint8
	outside       bool
}

// Same reports whether two gatherings hold the same trials, and so come to the
// same figures and strips: as those of disabling do to those of removing for
// the user, where nobody has disabled.
func (g Gathered) Same(other Gathered) bool {
	return slices.Equal(g.ticks, other.ticks)
}

// site is a firmware in small numbers.
type site struct{ build, model, maker, release int32 }

// nowhere is the number of what no trial was made on.
const nowhere = -1

// Gather picks and merges what counts for a method. It keeps pointers into
// trials, which must not change afterwards.
func Gather(trials []Trial, method Method) Gathered {
	counted, ticks := 0, 0
	for i := range trials {
		switch t := &trials[i]; {
		case counts(t, method):
			counted++
		case t.Outcome == Refused && t.Method == method:
			ticks++
		}
	}
	if counted+ticks == 0 {
		return Gathered{} // as for most methods of most packages
	}
	g := Gathered{}
	g.merge(trials, method, counted)
	g.ticks = make([]*Trial, 0, len(g.counted)+ticks)
	for i := range g.counted {
		g.ticks = append(g.ticks, g.counted[i].Trial)
	}
	for i := range trials {
		if trials[i].Outcome == Refused && trials[i].Method == method {
			g.ticks = append(g.ticks, &trials[i])
		}
	}
	slices.SortFunc(g.ticks, compareTicks)
	g.place()
	return g
}

// ByMethod are the trials of one package as they tell of each method, in the order of
// Methods.
type ByMethod [len(methodsInOrder)]Gathered

// Of is what they tell of one.
func (b *ByMethod) Of(method Method) Gathered {
	if i := slices.Index(Methods, method); i >= 0 {
		return b[i]
	}
	return Gathered{}
}

// GatherAll is Gather for every method.
func GatherAll(trials []Trial) ByMethod {
	var all ByMethod
	disabled := slices.ContainsFunc(trials, func(t Trial) bool { return t.Method == Disable })
	for i := len(all) - 1; i >= 0; i-- {
		if methodsInOrder[i] == Disable && !disabled {
			all[i] = all[i+1].withoutRefused() // removal for the user tells of it
			continue
		}
		all[i] = Gather(trials, methodsInOrder[i])
	}
	return all
}

// withoutRefused leaves out the ticks of phones that refused.
func (g Gathered) withoutRefused() Gathered {
	if len(g.ticks) == len(g.counted) {
		return g
	}
	if len(g.counted) == 0 {
		return Gathered{}
	}
	out := g
	out.ticks, out.tickSites = nil, nil
	for i, t := range g.ticks {
		if t.Outcome != Refused {
			out.ticks, out.tickSites = append(out.ticks, t), append(out.tickSites, g.tickSites[i])
		}
	}
	return out
}

// place numbers where trials were made, and who made them on which phones.
func (g *Gathered) place() {
	for i := range g.ids {
		g.ids[i] = numbers{}
	}
	// Most trials on a build tell of the very same firmware.
	var known []Firmware
	var sites []site
	at := func(f *Firmware) site {
		build := g.ids[0].of(f.Build)
		if int(build) < len(known) && known[build] == *f {
			return sites[build]
		}
		s := site{build, g.ids[1].of(f.Model), g.ids[2].of(f.Maker), g.ids[3].of(f.Release)}
		if int(build) == len(known) {
			known, sites = append(known, *f), append(sites, s)
		}
		return s
	}
	g.sites, g.tickSites = make([]site, len(g.counted)), make([]site, len(g.ticks))
	g.briefs = make([]brief, len(g.counted))
	people := numbers{}
	for i := range g.counted {
		w := &g.counted[i]
		g.briefs[i] = brief{w.phone, people.of(w.Person), uint8(slices.Index(outcomeKinds[:], w.Outcome)), w.Outside}
		g.sites[i] = at(&w.On)
	}
	for i, t := range g.ticks {
		g.tickSites[i] = at(&t.On)
	}
	g.people = len(people)
}

// Empty reports whether no trial says anything about the method.
func (g Gathered) Empty() bool { return len(g.ticks) == 0 }

// find is the site of a target; what is empty, or what no trial was made on,
// is nowhere.
func (g Gathered) find(target Firmware) site {
	number := func(of numbers, name string) int32 {
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

// merge keeps, of so many trials that count, one per phone, method and build: the
// worst outcome.
func (g *Gathered) merge(trials []Trial, method Method, counted int) {
	phones, builds := make(numbers, counted), numbers{}
	type key struct {
		phone, build int32
		method       int8
	}
	at := make(map[key]int32, counted)
	list := make([]merged, 0, counted)
	for n := range trials {
		t := &trials[n]
		if !counts(t, method) {
			continue
		}
		k := key{phones.of(t.Phone), builds.of(t.On.Build), int8(slices.Index(Methods, t.Method))}
		i, seen := at[k]
		if !seen {
			at[k] = int32(len(list))
			list = append(list, merged{Trial: t, phone: k.phone})
			continue
		}
		m := &list[i]
		m.all = append(m.ids(), t.ID)
		worse := cmp.Compare(t.Outcome.severity(), m.Outcome.severity())
		// Ties go to the smaller identity, so that order does not matter.
		if worse > 0 || worse == 0 && cmp.Or(outsideLast(t, m.Trial), cmp.Compare(t.Person, m.Person), cmp.Compare(t.ID, m.ID)) < 0 {
			m.Trial = t
		}
	}
	g.counted, g.phones = inFixedOrder(list), len(phones)
}

// inFixedOrder orders merged trials, and the trials of each: that makes sums, and so
// figures, independent of the input's order.
func inFixedOrder(list []merged) []merged {
	for _, m := range list {
		slices.Sort(m.all)
	}
	slices.SortFunc(list, func(a, b merged) int { return compareCounted(a.Trial, b.Trial) })
	return list
}

// compareCounted is the order in which merged trials are summed up, compareTicks that
// in which a strip shows trials.
func compareCounted(a, b *Trial) int {
	if a.Outcome != b.Outcome {
		return strings.Compare(string(a.Outcome), string(b.Outcome))
	}
	if a.Person != b.Person {
		return strings.Compare(a.Person, b.Person)
	}
	return cmp.Or(strings.Compare(a.Phone, b.Phone), strings.Compare(a.On.Build, b.On.Build), strings.Compare(string(a.Method), string(b.Method)))
}

func compareTicks(a, b *Trial) int {
	return cmp.Or(cmp.Compare(a.Outcome.severity(), b.Outcome.severity()), strings.Compare(a.ID, b.ID))
}

// With is what the same trials and one more tell of a method; it leaves g as it is.
// It reports false where another trial tells of the same phone, build and way: then
// all are to be gathered again.
func (g Gathered) With(t *Trial, method Method) (Gathered, bool) {
	counted := counts(t, method)
	if !counted && !(t.Outcome == Refused && t.Method == method) {
		return g, true
	}
	b := brief{int32(g.phones), int32(g.people), uint8(slices.Index(outcomeKinds[:], t.Outcome)), t.Outside}
	if counted {
		for i := range g.counted {
			w := &g.counted[i]
			if w.Phone == t.Phone {
				if w.On.Build == t.On.Build && w.Method == t.Method {
					return g, false
				}
				b.phone = w.phone
			}
			if w.Person == t.Person {
				b.person = g.briefs[i].person
			}
		}
	}
	out := g
	at := out.siteOf(t.On)
	tick, _ := slices.BinarySearchFunc(g.ticks, t, compareTicks)
	out.ticks, out.tickSites = inserted(g.ticks, tick, t), inserted(g.tickSites, tick, at)
	if counted {
		i, _ := slices.BinarySearchFunc(g.counted, t, func(m merged, t *Trial) int { return compareCounted(m.Trial, t) })
		out.counted = inserted(g.counted, i, merged{Trial: t, phone: b.phone})
		out.briefs, out.sites = inserted(g.briefs, i, b), inserted(g.sites, i, at)
		out.phones, out.people = max(g.phones, int(b.phone)+1), max(g.people, int(b.person)+1)
	}
	return out, true
}

// siteOf numbers a firmware, with numbers of its own where some name is new.
func (g *Gathered) siteOf(f Firmware) (s site) {
	for i, of := range []struct {
		name string
		into *int32
	}{{f.Build, &s.build}, {f.Model, &s.model}, {f.Maker, &s.maker}, {f.Release, &s.release}} {
		if _, known := g.ids[i][of.name]; !known {
			g.ids[i] = maps.Clone(g.ids[i])
			if g.ids[i] == nil {
				g.ids[i] = numbers{}
			}
		}
		*of.into = g.ids[i].of(of.name)
	}
	return s
}

// inserted is a list with one more value, in room of its own.
func inserted[T any](list []T, at int, v T) []T {
	out := make([]T, 0, len(list)+1)
	return append(append(append(out, list[:at]...), v), list[at:]...)
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
