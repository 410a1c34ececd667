package gain

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"roster/core/android"
)

// people makes each value another person's.
func people(values ...float64) (list []Counted) {
	for i, v := range values {
		list = append(list, Counted{v, fmt.Sprint(i)})
	}
	return list
}

// TestRank holds the interval to published tables of the sign test at 95 %: for n
// phones, the rank of the value that bounds it.
func TestRank(t *testing.T) {
	for n, want := range map[int]int{1: 0, 5: 0, 6: 1, 8: 1, 9: 2, 11: 2, 12: 3, 15: 4, 17: 5, 20: 6, 25: 8, 30: 10, 40: 14, 50: 18, 100: 40} {
		var list []float64
		for i := range n {
			list = append(list, float64(i+1))
		}
		f := FigureOf(people(list...))
		if want == 0 && f.Verdict != TooFew || want > 0 && (f.Low != float64(want) || f.High != float64(n+1-want)) {
			t.Errorf("of %d the rank is %.0f to %.0f, want %d", n, f.Low, f.High, want)
		}
	}
}

func TestFigureOf(t *testing.T) {
	for what, c := range map[string]struct {
		values []float64
		want   Figure
	}{
		"nobody":      {nil, Figure{Verdict: TooFew}},
		"too few":     {[]float64{3, 1, 2}, Figure{Median: 2, Phones: 3, People: 3, Verdict: TooFew}},
		"six":         {[]float64{6, 5, 4, 3, 2, 1}, Figure{3.5, 1, 6, 6, 6, Gains}},
		"one that is": {[]float64{-1, 2, 3, 4, 5, 6}, Figure{3.5, -1, 6, 6, 6, None}},
		"nine":        {[]float64{9, 8, 7, 6, 5, 4, 3, 2, -4}, Figure{5, 2, 8, 9, 9, Gains}},
		"worse":       {[]float64{-9, -8, -7, -6, -5, -4}, Figure{-6.5, -9, -4, 6, 6, Loses}},
		"all alike":   {[]float64{0, 0, 0, 0, 0, 0, 0}, Figure{0, 0, 0, 7, 7, None}},
	} {
		if got := FigureOf(people(c.values...)); got != c.want {
			t.Errorf("%s: %+v, want %+v", what, got, c.want)
		}
	}
}

// TestWeights has one person measure many phones: they don't decide alone. Worked out
// by hand: of one person's six phones, 64, 45, 37, 32, 29 and 26 of 233, none can be
// left out by chance in less than 1 of 32; with nine others of 1 each the interval
// is wider than that of fifteen people.
func TestWeights(t *testing.T) {
	var one []Counted
	for i := range 6 {
		one = append(one, Counted{float64(i + 1), "one"})
	}
	if got := weights(one); !slices.Equal(got, []int{64, 45, 37, 32, 29, 26}) {
		t.Errorf("%v", got)
	}
	if f := FigureOf(one); f.Low != 1 || f.High != 6 || f.People != 1 || f.Median != 3 {
		t.Errorf("%+v", f)
	}
	// Nine people tell of 10, and one of six phones that gained nothing.
	var few []Counted
	for i := range 9 {
		few = append(few, Counted{10 + float64(i), fmt.Sprint(i)})
	}
	for range 6 {
		few = append(few, Counted{0, "one"})
	}
	if f := FigureOf(few); f.Median != 12 || f.Phones != 15 || f.People != 10 {
		t.Errorf("%+v: six phones of one person count as 3.6", f)
	}
}

// TestCovers draws phones around a known gain: the interval holds it in at least 95
// of 100 draws, and what brings nothing is said to bring something in at most 5; also
// where some people measured many of them.
func TestCovers(t *testing.T) {
	chance := rand.New(rand.NewPCG(22, 1))
	for _, n := range []int{6, 9, 20, 41} {
		for _, each := range []int{1, 4} {
			const draws = 2000
			covered, wrong := 0, 0
			for range draws {
				some, none := make([]Counted, n), make([]Counted, n)
				for i := range n {
					who := fmt.Sprint(i / each)
					some[i] = Counted{190 + 40*chance.NormFloat64(), who}
					none[i] = Counted{40 * (chance.ExpFloat64() - chance.ExpFloat64()), who}
				}
				if f := FigureOf(some); f.Low <= 190 && 190 <= f.High {
					covered++
				}
				if FigureOf(none).Verdict == Gains {
					wrong++
				}
			}
			if covered*100 < 94*draws {
				t.Errorf("of %d phones the interval holds the truth in %d of %d draws", n, covered, draws)
			}
			if wrong*100 > 5*draws {
				t.Errorf("of %d phones nothing is called something in %d of %d draws", n, wrong, draws)
			}
		}
	}
}

func TestBetween(t *testing.T) {
	before := android.Measurement{Uptime: 7200, StartTook: 30, MemAvailable: 1000, DataFree: 50, Processes: 30, Services: 9, Wakeups: 20,
		Screen: "on", Plugged: "yes", OnBattery: 3600,
		Openings: map[string]android.Opening{"home": {Took: 400, Frames: 100, Janky: 10}},
		Came:     android.Use{Processor: 70, Traffic: 9},
		Uses:     map[android.PackageName]android.Use{"a.big": {Memory: 500, Processes: 2}, "a.small": {Memory: 10, Wakeups: 3}}}
	after := android.Measurement{Uptime: 3600, StartTook: 28, MemAvailable: 1600, DataFree: 80, Processes: 25, Services: 9, Wakeups: 4,
		Screen: "on", Plugged: "yes", OnBattery: 7200,
		Openings: map[string]android.Opening{"home": {Took: 300, Frames: 100, Janky: 5}}, Came: android.Use{Processor: 20}}
	sides := func(m ...android.Measurement) []android.Measurement { return m }
	d := Between(sides(before), sides(after))
	for q, want := range map[Quantity]float64{
		Memory: 600, Data: 30, Processes: 5, Services: 0, Wakeups: 6, Start: 2, Opening: 100, Late: 5, Processor: 60, Traffic: 9,
	} {
		if got := d[q]; math.Abs(got.Gained-want) > 1e-9 || got.Noise != nil {
			t.Errorf("%s: %+v, want %v", q, got, want)
		}
	}
	if doubts := Doubts(sides(before), sides(after)); len(doubts) != 0 {
		t.Errorf("%q", doubts)
	}
	if big, small := UseOf(&before, "a.big"), UseOf(&before, "a.small"); big.Memory != 500 || small.Wakeups != 1.5 || !UseOf(&before, "a.none").Nothing() {
		t.Errorf("%+v, %+v", big, small)
	}
	for what, change := range map[string]func(*android.Measurement){
		"screen": func(m *android.Measurement) { m.Screen = "off" }, "charger": func(m *android.Measurement) { m.Plugged = "no" },
		"uptime": func(m *android.Measurement) { m.Uptime = 90 }, "settled": func(m *android.Measurement) { m.Unsettled = true },
	} {
		other := before
		if !Alike(&before, &other) {
			t.Error("a measurement is not like itself")
		}
		if change(&other); Alike(&before, &other) {
			t.Errorf("another state passes for the same: %s", what)
		}
	}
	// Twice each: the medians, and how much alike they were.
	again := after
	again.MemAvailable = 1500
	if c := Between(sides(before), sides(after, again))[Memory]; c.Gained != 550 || c.Noise == nil || *c.Noise != 100 {
		t.Errorf("%+v", c)
	}
	after.Missing, after.Screen, after.Uptime, after.Plugged, after.Busy = []string{android.AsksMemory, android.AsksAlarms}, "off", 60, "no", "yes"
	after.Openings = map[string]android.Opening{"camera": {Took: 1}}
	d = Between(sides(before), sides(after))
	for _, q := range []Quantity{Memory, Wakeups, Opening, Late} {
		if c, told := d[q]; told {
			t.Errorf("what was not told, or is not the same, is compared: %s %+v", q, c)
		}
	}
	if doubts := Doubts(sides(before), sides(after)); len(doubts) != 4 {
		t.Errorf("%q", doubts)
	}
}

// TestUntold holds that what a phone does not tell is not nothing: neither a sum nor
// what a package uses.
func TestUntold(t *testing.T) {
	whole := android.Measurement{Uptime: 600, OnBattery: 600, Came: android.Use{Processor: 700, Traffic: 9}}
	if !Attributes(&whole) {
		t.Error("a measurement that tells everything does not tell what packages use")
	}
	for _, asks := range []string{android.AsksOwners, android.AsksProcesses, android.AsksAlarms, android.AsksUptime} {
		m := whole
		m.Missing = []string{asks}
		if Attributes(&m) {
			t.Errorf("without %q it tells what packages use", asks)
		}
	}
	soon := whole
	if soon.Uptime = 10; Attributes(&soon) {
		t.Error("ten seconds after a start it tells how often it is woken in an hour")
	}
	// Without the owner's apps told apart, nothing is kept by name, and the sum is none.
	after := android.Measurement{Uptime: 600, OnBattery: 600, Missing: []string{android.AsksOwners}}
	d := Between([]android.Measurement{whole}, []android.Measurement{after})
	for _, q := range []Quantity{Processor, Traffic} {
		if c, told := d[q]; told {
			t.Errorf("%s: %+v", q, c)
		}
	}
}

// TestEstimates draws phones from which known packages went: what brings much is found,
// what always goes together is one, and what brings nothing rarely something.
func TestEstimates(t *testing.T) {
	chance := rand.New(rand.NewPCG(7, 22))
	brings := map[android.PackageName]float64{"a.large": 60, "b.medium": 20, "b.with": 0, "c.nothing": 0, "d.still": 0}
	wrong, missed := 0, 0
	const draws = 40
	for range draws {
		var list []Observation
		for i := range 40 {
			o := Observation{Counted: Counted{5 * chance.NormFloat64(), fmt.Sprint(i)}}
			for _, name := range []android.PackageName{"a.large", "b.medium", "c.nothing", "d.still"} {
				if chance.IntN(2) == 0 {
					continue
				}
				o.Gone = append(o.Gone, name)
				o.Gained += brings[name]
				if name == "b.medium" {
					o.Gone = append(o.Gone, "b.with")
				}
			}
			list = append(list, o)
		}
		found := Estimates(list)
		if len(found) != 4 || found[0].Packages[0] != "a.large" || !slices.Equal(found[1].Packages, []android.PackageName{"b.medium", "b.with"}) {
			t.Fatalf("%+v", found)
		}
		for _, e := range found {
			truth := max(brings[e.Packages[0]], 0)
			switch {
			case truth == 0 && e.Verdict == Gains:
				wrong++
			case truth > 0 && (e.Verdict != Gains || math.Abs(e.Gained-truth) > 25):
				missed++
			}
		}
	}
	if wrong > draws/10 || missed > 0 {
		t.Errorf("of %d draws nothing brings something in %d, and something is missed in %d", draws, wrong, missed)
	}
	if few := Estimates([]Observation{{Counted{1, "a"}, []android.PackageName{"a.b"}}, {Counted{2, "b"}, nil}}); len(few) != 0 {
		t.Errorf("of two phones: %+v", few)
	}
}
