package evidence

import (
	"math"
	"reflect"
	"testing"
)

func TestProve(t *testing.T) {
	list := []Unsettled{
		{"a.sure", 0, 40, true},    // nothing more is wanted
		{"a.here", 0, 40, false},   // sure elsewhere, never tried here
		{"a.new", 0, 0, false},     // nobody tried it anywhere
		{"a.harmed", 2, 1.5, true}, // contested
	}
	plan := Prove(list, 0.5)
	if len(plan) < 4 || !reflect.DeepEqual(plan[0].Packages, []string{"a.harmed", "a.new", "a.here"}) {
		t.Fatalf("%+v", plan)
	}
	// What was tried once is not asked for again when it is sure enough, and
	// five clean phones bring a new package to 45 %.
	if !reflect.DeepEqual(plan[1].Packages, []string{"a.new", "a.harmed"}) || plan[4].Left != 1 || len(plan[5].Packages) != 1 {
		t.Errorf("%+v", plan)
	}
	// The gains are what the ceilings fall by.
	fall := 0.0
	for _, u := range list {
		n := 0
		for _, p := range plan {
			for _, name := range p.Packages {
				if name == u.Package {
					n++
				}
			}
		}
		fall += Ceiling(u.Harmed, u.Clean) - Ceiling(u.Harmed, u.Clean+float64(n))
	}
	gained := 0.0
	for i, p := range plan {
		gained += p.Gain
		if i > 0 && p.Left > plan[i-1].Left {
			t.Errorf("phone %d leaves more than the one before", i+1)
		}
	}
	if math.Abs(fall-gained) > 1e-9 || plan[len(plan)-1].Left != 0 {
		t.Errorf("gains %v, and ceilings fall by %v; %d left", gained, fall, plan[len(plan)-1].Left)
	}
	if got := Prove(nil, 0.3); len(got) != 0 {
		t.Errorf("nothing to prove: %+v", got)
	}
	if got := Prove([]Unsettled{{"a.hopeless", 30, 1, true}}, 0.01); len(got) != maxProofs {
		t.Errorf("%d phones for what can't be proven", len(got))
	}
}
