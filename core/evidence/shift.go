package evidence

// Shift is what another yardstick changes about one package, by one method and
// seen from one vantage.
type Shift struct {
	Method        Method
	From          Vantage
	Before, After Measured
}

// Measured is what people read of figures.
type Measured struct {
	Ceiling   float64
	Standing  Standing
	Suggested Load
}

// Shifts compares what the trials of one package come to by two yardsticks,
// from everywhere and from every maker and model that they look different
// from. Builds are left out: there are many, and people choose a yardstick by
// what it does to models. It lists where standing or suggestion change, and
// counts all figures that were compared.
func Shifts(trials []Trial, before, after Yardstick, limits *Limits) (shifts []Shift, of int) {
	measure := func(f Figures, t Thresholds) Measured {
		return Measured{f.Ceiling, f.Standing, SuggestedLoad(f, t)}
	}
	points := Viewpoints(trials)
	for _, method := range Methods {
		gathered := Gather(trials, method)
		if len(gathered.counted) == 0 {
			continue
		}
		for _, p := range points {
			if p.Target.Build != "" {
				continue
			}
			of++
			was := measure(gathered.Summary(p.Target, before, limits), before.Thresholds)
			will := measure(gathered.Summary(p.Target, after, limits), after.Thresholds)
			if was.Standing != will.Standing || was.Suggested != will.Suggested {
				shifts = append(shifts, Shift{method, p.Vantage, was, will})
			}
		}
	}
	return shifts, of
}
