package evidence

import (
	"fmt"
	"math"
	"slices"
	"testing"
)

// TestCounted opens figures to the trials that made them, one by one.
func TestCounted(t *testing.T) {
	at := func(id int, build, model, release, phone, person string, o Outcome) Trial {
		return Trial{ID: fmt.Sprint(id), Phone: phone, Person: person, On: Firmware{build, model, "k1", release}, Method: RemoveForUser, Outcome: o}
	}
	trials := []Trial{
		at(1, "b1", "m1", "14", "p1", "ann", Clean), at(2, "b1", "m1", "14", "p1", "bob", Clean), // one phone, told twice
		at(3, "b1", "m1", "14", "p2", "ann", Clean), at(4, "b2", "m1", "14", "p2", "ann", Clean), // one phone on two builds
		at(5, "b3", "m1", "15", "p3", "ann", NoStart), at(6, "b4", "m2", "14", "p4", "cat", Clean), at(7, "b5", "m2", "15", "p5", "cat", FunctionLost),
	}
	f := Weigh(trials, RemoveForUser, here, DefaultYardstick)
	type part struct {
		distance Distance
		weight   float64
		merged   string
	}
	want := []part{{SameBuild, 1, "[1 2]"}, {SameBuild, 1 / math.Sqrt2, "[3]"}, {SameModelRelease, 0.8 / math.Sqrt(3), "[4]"}, {SameModel, 0.5, "[5]"}, {SameMakerRelease, 0.3, "[6]"}, {SameMaker, 0.2, "[7]"}}
	if len(f.Counted) != len(want) {
		t.Fatalf("%+v", f.Counted)
	}
	sum := 0.0
	for i, w := range f.Counted {
		if w.Distance != want[i].distance || !near4(w.Weight, want[i].weight) || fmt.Sprint(w.Merged) != want[i].merged {
			t.Errorf("%d: %v %v %v, want %+v", i, w.Distance, w.Weight, w.Merged, want[i])
		}
		sum += w.Weight
	}
	if !near4(sum, f.Weight) || !near4(f.Harmed, 0.7) || f.Phones != 5 || f.People != 2 || f.HarmedPhones != 2 {
		t.Errorf("%+v", f)
	}
	if f.Standing != Contested || !near4(f.SevereCeiling, Ceiling(0.5, f.Weight-0.5)) {
		t.Errorf("%s, %v", f.Standing, f.SevereCeiling)
	}
}

// TestWorstStands merges every pair of outcomes of one phone.
func TestWorstStands(t *testing.T) {
	order := []Outcome{Clean, FunctionLost, Fault, NoStart}
	for i, a := range order {
		for j, b := range order {
			f := Weigh([]Trial{trial(1, "p", "x", a), trial(2, "p", "y", b)}, RemoveForUser, here, DefaultYardstick)
			if want := order[max(i, j)]; len(f.Counted) != 1 || f.Counted[0].Outcome != want {
				t.Errorf("%s and %s: %+v, want %s", a, b, f.Counted, want)
			}
		}
	}
}

// TestTable counts with tables that an installation might choose.
func TestTable(t *testing.T) {
	far := trial(1, "p", "a", Clean)
	far.On = Firmware{"q", "q", "q", "9"}
	for _, c := range []struct {
		table Transfer
		want  float64
	}{{DefaultTransfer, 0.1}, {Transfer{1, 1, 1, 1, 1, 1, 1}, 1}, {Transfer{SameBuild: 1}, 0}} {
		f := Weigh([]Trial{far}, RemoveForUser, here, Yardstick{c.table, DefaultThresholds})
		if f.Weight != c.want || c.want == 0 && (f.Standing != Untried || f.Ceiling != 1) {
			t.Errorf("%+v: %+v", c.table, f)
		}
	}
	if (Transfer{SameBuild: math.NaN()}).Check() == nil {
		t.Error("a table of no numbers was accepted")
	}
}

func TestStrip(t *testing.T) {
	on := func(x Trial, f Firmware) Trial { x.On = f; return x }
	back := trial(1, "p1", "a", Clean)
	back.CameBack = true
	disabled := trial(7, "p7", "a", Clean)
	disabled.Method = Disable
	list := []Trial{
		back, trial(2, "p2", "a", FunctionLost), trial(3, "p3", "a", Refused), on(trial(4, "p4", "b", NoStart), Firmware{"b2", "m1", "k1", "15"}),
		on(trial(5, "p5", "b", Fault), Firmware{"x", "x", "x", "x"}), on(trial(6, "p6", "b", Clean), Firmware{"b3", "m1", "k1", "14"}), disabled,
	}
	for method, want := range map[Method]string{RemoveForUser: "Crl/c/n/f", Disable: "Ccl/c/n/f", RemoveFromImage: "l/n/f"} {
		if got := Strip(list, method, here); got != want {
			t.Errorf("%s: %q, want %q", method, got, want)
		}
	}
	var many []Trial
	for i := range 500 {
		many = append(many, trial(i, fmt.Sprint("p", i), "a", Clean))
	}
	if got := Strip(many, RemoveForUser, here); len(got) != maxTicks {
		t.Errorf("%d ticks", len(got))
	}
	if Strip(nil, Disable, here) != "" {
		t.Error("ticks of nothing")
	}
}

// TestLimitsMove holds how the limits move with each more phone, whole and
// fractional, to what they must never do.
func TestLimitsMove(t *testing.T) {
	for harmed := 0.0; harmed < 6; harmed += 0.35 {
		for clean := 0.0; clean < 40; clean += 1.7 {
			c, f := Ceiling(harmed, clean), Floor(harmed, clean)
			switch {
			case math.IsNaN(c) || math.IsNaN(f) || f < 0 || c > 1 || f > c:
				t.Fatalf("%v harmed, %v clean: from %v to %v", harmed, clean, f, c)
			case Ceiling(harmed, clean+1) > c+1e-9, Floor(harmed, clean+1) > f+1e-9:
				t.Fatalf("%v harmed, %v clean: one more clean phone raises a limit", harmed, clean)
			case Ceiling(harmed+1, clean) < c-1e-9, Floor(harmed+1, clean) < f-1e-9:
				t.Fatalf("%v harmed, %v clean: one more harm lowers a limit", harmed, clean)
			case harmed+clean > 0 && (harmed/(harmed+clean) > c+1e-9 || harmed/(harmed+clean) < f-1e-9):
				t.Fatalf("%v harmed, %v clean: the share seen lies outside %v to %v", harmed, clean, f, c)
			}
		}
	}
}

func TestLoads(t *testing.T) {
	for i, a := range Loads {
		for j, b := range Loads {
			if a.MoreLenientThan(b) != (i < j) {
				t.Errorf("%s against %s", a, b)
			}
		}
		if !a.Valid() {
			t.Errorf("%s is not valid", a)
		}
	}
	if Load("safe").Valid() || Load("").Valid() || Method("x").Valid() || Outcome("").Valid() {
		t.Error("an unknown word is valid")
	}
	if slices.Contains(Outcomes, "") || Refused.Harm() || Clean.Harm() || FunctionLost.Severe() || !NoStart.Severe() {
		t.Error("what counts as harm has changed")
	}
}

// TestOutside: what strangers tell counts for a part, nobody's fourth as much as
// the first, and makes nothing more than thin by itself.
func TestOutside(t *testing.T) {
	told := func(n int, outcome Outcome) (list []Trial) {
		for i := range n {
			x := trial(100+i, fmt.Sprint("phone", i), fmt.Sprint("phone", i), outcome)
			x.Outside = true
			list = append(list, x)
		}
		return list
	}
	f := Weigh(told(40, Clean), RemoveForUser, here, DefaultYardstick)
	if !near4(f.Weight, 12) || f.Standing != Thin || !near4(f.Ceiling, Ceiling(0, 12)) {
		t.Errorf("forty strangers: %v, %s, %v", f.Weight, f.Standing, f.Ceiling)
	}
	f = Weigh(told(3, NoStart), RemoveForUser, here, DefaultYardstick)
	if !near4(f.Harmed, 0.9) || f.Standing != Thin || f.worst == LoadBearing {
		t.Errorf("three whose phones did not start: %v, %s, %s", f.Harmed, f.Standing, f.worst)
	}
	f = Weigh(append(told(40, Clean), trial(1, "p", "ann", Clean)), RemoveForUser, here, DefaultYardstick)
	if !near4(f.Weight, 13) || f.Standing == Thin {
		t.Errorf("with one of ours: %v, %s", f.Weight, f.Standing)
	}
	// Both told of the same phone: ours stands.
	same := told(1, Clean)
	same[0].Phone = "p"
	f = Weigh(append(same, trial(1, "p", "ann", Clean)), RemoveForUser, here, DefaultYardstick)
	if !near4(f.Weight, 1) {
		t.Errorf("the same phone twice: %v", f.Weight)
	}
	y := DefaultYardstick
	if y.Transfer.Outside = 1.1; y.Check() == nil {
		t.Error("a stranger counts more than one of ours")
	}
}
