package evidence

import "testing"

// TestShifts changes a threshold, then nothing, and sees what is told.
func TestShifts(t *testing.T) {
	trials := []Trial{trial(1, "p1", "ann", Clean), trial(2, "p2", "bob", Clean), trial(3, "p3", "cat", Clean), trial(4, "p4", "dan", Clean), trial(5, "p5", "eve", Refused)}
	var limits Limits
	same, of := Shifts(trials, DefaultYardstick, DefaultYardstick, &limits)
	// By two methods, from everywhere, maker and model, the latter two with
	// the release and without.
	if len(same) != 0 || of != 2*5 {
		t.Errorf("nothing changed: %+v of %d", same, of)
	}
	wider := DefaultYardstick
	wider.Thresholds.LooseCeiling = 0.75
	shifts, _ := Shifts(trials, DefaultYardstick, wider, &limits)
	seen := map[Vantage]bool{}
	for _, s := range shifts {
		stand := Firmware{}
		for _, p := range Viewpoints(trials) {
			if p.Vantage == s.From {
				stand = p.Target
			}
		}
		f := Weigh(trials, s.Method, stand, wider)
		if s.Before.Suggested != Unproven || s.After.Suggested != Loose || s.After.Ceiling != f.Ceiling || s.After.Standing != f.Standing || stand.Build != "" {
			t.Errorf("%+v", s)
		}
		seen[s.From] = true
	}
	// Four clean phones weigh 3.2 on the model with its release, 2 without.
	if len(shifts) != 2 || !seen[Vantage{"m1", "14"}] {
		t.Errorf("%+v", shifts)
	}
	if shifts, of := Shifts(nil, DefaultYardstick, wider, &limits); shifts != nil || of != 0 {
		t.Errorf("of nothing: %+v, %d", shifts, of)
	}
	refused := []Trial{trial(1, "p1", "ann", Refused)}
	if _, of := Shifts(refused, DefaultYardstick, wider, &limits); of != 0 {
		t.Errorf("a refusal says nothing about harm: %d", of)
	}
}
