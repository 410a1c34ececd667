package profile

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/impact"
)

// randomBasis makes packages with figures, on two builds whose links differ.
func randomBasis(rng *rand.Rand) Basis {
	b := Basis{Form: "phone"}
	n := 6 + rng.IntN(30)
	for i := range n {
		c := candidate(fmt.Sprintf("r.p%02d", i), evidence.Loads[rng.IntN(len(evidence.Loads))], float64(rng.IntN(101))/100)
		c.Origin = []string{"maker", "partner"}[rng.IntN(2)]
		c.Functions = [][]string{nil, {"voice"}, {"weather"}}[rng.IntN(3)]
		b.Candidates = append(b.Candidates, c)
	}
	for build := range 2 {
		phone := impact.Phone{Form: "phone"}
		for _, c := range b.Candidates {
			if rng.IntN(5) > 0 {
				phone.Packages = append(phone.Packages, android.Package{Name: c.Package, Installed: true})
			}
		}
		for range rng.IntN(2 * n) {
			from, on := b.Candidates[rng.IntN(n)].Package, b.Candidates[rng.IntN(n)].Package
			phone.Stated = append(phone.Stated, impact.Link{From: from, On: on, Strength: []impact.Strength{impact.Hard, impact.Soft}[rng.IntN(2)], By: []string{"x"}})
		}
		for _, role := range []string{"HOME", "SMS"} {
			phone.Facts.Roles = append(phone.Facts.Roles, android.Role{Name: role, Holders: []android.PackageName{b.Candidates[rng.IntN(n)].Package}, Able: []android.PackageName{b.Candidates[rng.IntN(n)].Package}})
		}
		if rng.IntN(2) == 0 {
			phone.Facts.Administrators = []android.PackageName{b.Candidates[rng.IntN(n)].Package}
		}
		b.Builds = append(b.Builds, Ground{Build: Build{Fingerprint: fmt.Sprint("b/p/d:", build)}, Model: "d", Net: impact.Read(phone)})
	}
	return b
}

func randomRules(rng *rand.Rand, b Basis) Rules {
	r := DefaultRules
	r.HighestCeiling = float64(rng.IntN(101)) / 100
	r.Keep = [][]string{nil, {"voice"}}[rng.IntN(2)]
	if rng.IntN(3) == 0 {
		r.Origins = []catalog.Origin{"maker"}
	}
	if rng.IntN(3) == 0 {
		r.NotFor = []string{b.Builds[0].Fingerprint}
	}
	if rng.IntN(3) == 0 {
		r.Methods = map[evidence.Load]evidence.Method{evidence.LeanedOn: Can[rng.IntN(len(Can))]}
	}
	for _, c := range b.Candidates {
		if rng.IntN(8) == 0 && c.Load != evidence.LoadBearing {
			r.Pins = append(r.Pins, Pin{Package: c.Package, Goes: rng.IntN(2) == 0, Method: append(Can, "")[rng.IntN(len(Can)+1)], Reason: "x"})
		}
	}
	return r
}

// TestNothingStops composes random profiles: whatever the rules, nothing that
// goes stops anything on a claimed build, nothing that could stay away is
// dropped without a reason, and the run sheet agrees with the rows.
func TestNothingStops(t *testing.T) {
	rng := rand.New(rand.NewPCG(6, 6))
	dropped := 0
	for round := range 400 {
		b := randomBasis(rng)
		rules := randomRules(rng, b)
		c := Compose(b, rules)
		dropped += c.Dropped
		set, quiet := impact.Removal{}, impact.Removal{}
		for _, r := range c.Rows {
			if r.Leaves() {
				set[r.Package] = r.Method
			} else if r.Goes {
				quiet[r.Package] = r.Method
			}
			if r.Why == "" || r.Dropped && r.Goes || r.Goes && r.Load == evidence.LoadBearing {
				t.Fatalf("round %d: %+v", round, r)
			}
		}
		before := impact.Before{Withdrawn: map[android.PackageName]bool{}}
		for _, s := range c.Steps {
			if s.Kind == WithdrawAdmin {
				before.Withdrawn[s.Package] = true
			}
		}
		for _, g := range b.Builds {
			if !rules.Claims(g.Fingerprint) {
				continue
			}
			for _, one := range g.Net.Consequences(set, impact.Known{Before: before}) {
				if one.Severity == impact.Stops {
					t.Fatalf("round %d: %+v", round, one)
				}
			}
		}
		var sheet []android.PackageName
		for i, s := range c.Steps {
			if s.Number != i+1 {
				t.Fatalf("round %d: step %d has number %d", round, i+1, s.Number)
			}
			if s.Kind == Remove && s.Leaves() {
				sheet = append(sheet, s.Package)
			}
			if got := set[s.Package] + quiet[s.Package]; s.Kind == Remove && got != s.Method {
				t.Fatalf("round %d: %s goes by %s, and the row says %s", round, s.Package, s.Method, got)
			}
		}
		if len(sheet) != len(set) || c.Goes != len(set) || c.Quiet != len(quiet) || c.Goes+c.Quiet+c.Stays != len(c.Rows) {
			t.Fatalf("round %d: %d steps for %d rows", round, len(sheet), len(set))
		}
		for _, g := range b.Builds {
			if !rules.Claims(g.Fingerprint) {
				continue
			}
			for _, l := range g.Net.Links {
				i, j := slices.Index(sheet, l.From), slices.Index(sheet, l.On)
				if i >= 0 && j >= 0 && l.Kind != impact.SharedUID && i > j && !together(c.Steps, l.From, l.On) {
					t.Fatalf("round %d: %s goes after %s, which it rests on", round, l.From, l.On)
				}
			}
		}
	}
	if dropped < 100 {
		t.Errorf("only %d candidates had to stay", dropped)
	}
}

// together reports whether two packages go in one group.
func together(steps []Step, a, b android.PackageName) bool {
	group := map[android.PackageName]int{}
	for _, s := range steps {
		group[s.Package] = s.Group
	}
	return group[a] != 0 && group[a] == group[b]
}

// TestLineIsMonotone moves the cut line down: what the rules alone let go never
// shrinks.
func TestLineIsMonotone(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	for range 100 {
		b := randomBasis(rng)
		rules := randomRules(rng, b)
		last := -1
		for _, stop := range Compose(b, rules).LineStops {
			rules.HighestCeiling = stop
			if c := Compose(b, rules); c.Cut < last {
				t.Fatalf("at %v the line stands after %d rows, before it was %d", stop, c.Cut, last)
			} else {
				last = c.Cut
			}
		}
	}
}

// TestGroups takes a circle as one group, named as such.
func TestGroups(t *testing.T) {
	b := basis(needs("a.low", "a.tie2"), needs("a.tie2", "a.low"))
	var groups []int
	for _, s := range Compose(b, DefaultRules).Steps {
		if s.Kind == Remove {
			groups = append(groups, s.Group)
		}
	}
	if fmt.Sprint(groups) != "[1 1 0]" && fmt.Sprint(groups) != "[0 1 1]" {
		t.Errorf("%v", groups)
	}
}
