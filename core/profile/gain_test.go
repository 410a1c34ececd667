package profile

import (
	"reflect"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/gain"
)

// used is a candidate of a ceiling that takes so many MB of some phones.
func used(name android.PackageName, ceiling float64, phones int, mb float64) Candidate {
	c := Candidate{Package: name, Load: evidence.Loose, Figures: Figures{Ceiling: ceiling, Standing: evidence.Fair, Phones: 9, People: 3}}
	if phones > 0 {
		c.Uses = &Uses{gain.Use{Memory: mb * 1e6}, phones}
	}
	return c
}

// TestBrings composes by what phones attribute: the line is suggested where the gain
// lies highest above the harm, and what is known to bring nothing is told.
func TestBrings(t *testing.T) {
	rules := DefaultRules
	rules.HighestCeiling = 0.5
	c := Compose(Basis{Form: "phone", Candidates: []Candidate{
		used("a.large", 0.2, 5, 60), used("a.still", 0.2, 5, 0), used("a.unknown", 0.1, 0, 0), used("b.few", 0.25, 2, 0),
		used("b.medium", 0.25, 5, 30), used("c.far", 0.8, 5, 40),
	}}, rules)
	if s := c.Suggested; s == nil || *s != (LineByGain{0.25, 90e6, 130e6}) {
		t.Errorf("%+v", s)
	}
	if !reflect.DeepEqual(c.Idle, []android.PackageName{"a.still"}) || c.Memory != 90e6 {
		t.Errorf("%q, %v", c.Idle, c.Memory)
	}
	for _, r := range c.Rows {
		if want := map[android.PackageName]float64{"a.large": 3e6, "b.medium": 1.2e6, "c.far": 0.5e6}[r.Package]; r.Worth != want {
			t.Errorf("%s is worth %v, want %v", r.Package, r.Worth, want)
		}
	}
	if none := Compose(Basis{Form: "phone", Candidates: []Candidate{used("a.unknown", 0.1, 0, 0)}}, rules); none.Suggested != nil || len(none.Idle) != 0 {
		t.Errorf("%+v", none.Suggested)
	}
}

// TestGained rounds what a release tells, and leaves out what too few phones tell.
func TestGained(t *testing.T) {
	got := Gained(map[gain.Quantity]gain.Figure{
		gain.Memory:    {Median: 236.4 * (1 << 20), Low: 200.6 * (1 << 20), High: 250 * (1 << 20), Phones: 9, People: 4, Verdict: gain.Gains},
		gain.Start:     {Median: 2.7432, Low: 2.21, High: 3.049, Phones: 9, People: 4, Verdict: gain.Gains},
		gain.Wakeups:   {Median: 5, Phones: 3, Verdict: gain.TooFew},
		gain.Processes: {Median: 5, Low: 5, High: 5, Phones: 9, People: 4, Verdict: gain.Gains},
	})
	want := map[gain.Quantity]gain.Figure{
		gain.Memory: {Median: 236 << 20, Low: 201 << 20, High: 250 << 20, Phones: 9, People: 4, Verdict: gain.Gains},
		gain.Start:  {Median: 2.7, Low: 2.2, High: 3, Phones: 9, People: 4, Verdict: gain.Gains},
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	if Gained(map[gain.Quantity]gain.Figure{gain.Start: {Verdict: gain.TooFew}}) != nil {
		t.Error("too few phones tell")
	}
}
