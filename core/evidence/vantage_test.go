package evidence

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"
)

// world is a random set of firmwares: makers with models with builds.
func world(rng *rand.Rand) (firmwares []Firmware) {
	for k := range 1 + rng.IntN(3) {
		for m := range 1 + rng.IntN(3) {
			for b := range 1 + rng.IntN(4) {
				firmwares = append(firmwares, Firmware{Build: fmt.Sprintf("b%d%d%d", k, m, b), Model: fmt.Sprintf("m%d%d", k, m), Maker: fmt.Sprintf("k%d", k), Release: fmt.Sprint(12 + rng.IntN(3))})
			}
		}
	}
	return firmwares
}

func randomTrials(rng *rand.Rand, on []Firmware, n int) []Trial {
	trials := make([]Trial, n)
	for i := range trials {
		trials[i] = Trial{ID: fmt.Sprint(i), Phone: fmt.Sprint("p", rng.IntN(8)), Person: fmt.Sprint("a", rng.IntN(4)), On: on[rng.IntN(len(on))],
			Method: Methods[rng.IntN(len(Methods))], Outcome: Outcomes[rng.IntN(len(Outcomes))]}
	}
	return trials
}

// TestViewpoints looks from every target of random worlds, wide and narrow:
// the figures kept for the first of its vantages are those of the target.
func TestViewpoints(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 20))
	for range 300 {
		firmwares := world(rng)
		trials := randomTrials(rng, firmwares, 1+rng.IntN(12))
		kept := map[Vantage]Firmware{}
		for _, v := range Viewpoints(trials) {
			if _, twice := kept[v.Vantage]; twice {
				t.Fatalf("%v is listed twice", v.Vantage)
			}
			kept[v.Vantage] = v.Target
		}
		targets := []Firmware{{}, {Maker: "nobody"}, {Build: "new", Model: "new", Maker: firmwares[0].Maker, Release: "14"}}
		for _, f := range firmwares {
			targets = append(targets, f, Firmware{Maker: f.Maker},
				Firmware{Build: "just out", Model: f.Model, Maker: f.Maker, Release: "12"}, Firmware{Build: "just out", Model: f.Model, Maker: f.Maker, Release: "99"})
		}
		for _, target := range targets {
			for _, v := range Vantages(target) {
				stand, ok := kept[v]
				if !ok {
					continue
				}
				method := Methods[rng.IntN(len(Methods))]
				f := Weigh(trials, method, target, DefaultYardstick)
				if load := Suggest(f, Structure{}, DefaultThresholds).Load; load != SuggestedLoad(f, DefaultThresholds) {
					t.Fatalf("%s or %s of %+v", load, SuggestedLoad(f, DefaultThresholds), f)
				}
				got, want := Weigh(trials, method, stand, DefaultYardstick), Weigh(trials, method, target, DefaultYardstick)
				if !reflect.DeepEqual(got, want) || Strip(trials, method, stand) != Strip(trials, method, target) {
					t.Fatalf("%+v stands for %+v:\n%+v\n%+v", stand, target, got, want)
				}
				break
			}
		}
	}
}

// TestYardstickMoves changes each threshold and sees that it counts.
func TestYardstickMoves(t *testing.T) {
	three := []Trial{trial(1, "p1", "ann", Clean), trial(2, "p2", "bob", Clean), trial(3, "p3", "cat", Clean), trial(4, "p4", "dan", Clean)}
	mixed := []Trial{trial(1, "p1", "ann", Clean), trial(2, "p2", "bob", FunctionLost)}
	for _, c := range []struct {
		name     string
		trials   []Trial
		set      func(*Thresholds)
		load     Load
		standing Standing
	}{
		{"as it is", three, func(*Thresholds) {}, Unproven, Thin},
		{"a higher ceiling for Loose", three, func(x *Thresholds) { x.LooseCeiling = 0.6 }, Loose, Thin},
		{"more people", three, func(x *Thresholds) { x.LooseCeiling, x.LoosePeople = 0.6, 5 }, Unproven, Thin},
		{"more phones", three, func(x *Thresholds) { x.LooseCeiling, x.LoosePhones = 0.6, 5 }, Unproven, Thin},
		{"a wider thin", three, func(x *Thresholds) { x.ThinWidth = 0.6 }, Unproven, Fair},
		{"a higher firm ceiling", three, func(x *Thresholds) { x.FirmCeiling = 0.6 }, Unproven, Firm},
		{"one against one", mixed, func(*Thresholds) {}, LeanedOn, Contested},
		{"firm at a low floor", mixed, func(x *Thresholds) { x.FirmFloor = 0.02 }, LeanedOn, Firm},
	} {
		y := DefaultYardstick
		c.set(&y.Thresholds)
		f := Weigh(c.trials, RemoveForUser, here, y)
		if got := Suggest(f, Structure{}, y.Thresholds).Load; got != c.load || f.Standing != c.standing {
			t.Errorf("%s: %s and %s, want %s and %s (%.3f)", c.name, got, f.Standing, c.load, c.standing, f.Ceiling)
		}
	}
	for _, bad := range []func(*Thresholds){
		func(x *Thresholds) { x.Near = 0 }, func(x *Thresholds) { x.FirmCeiling = 1.2 }, func(x *Thresholds) { x.LoosePeople = 0 }, func(x *Thresholds) { x.LoosePhones = -1 },
	} {
		y := DefaultYardstick
		bad(&y.Thresholds)
		if y.Check() == nil {
			t.Errorf("%+v was accepted", y.Thresholds)
		}
	}
}

// TestSummaries: of many targets at once comes what of each by itself, of those too
// that nothing was tried on.
func TestSummaries(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	firmwares := world(rng)
	var limits Limits
	for range 50 {
		g := Gather(randomTrials(rng, firmwares[:len(firmwares)/2], 9), RemoveForUser)
		targets := append(firmwares, Firmware{}, Firmware{Build: "new", Model: "new", Maker: firmwares[0].Maker, Release: firmwares[0].Release})
		for i, f := range g.Summaries(targets, DefaultYardstick, &limits) {
			if alone := g.Summary(targets[i], DefaultYardstick, &limits); !reflect.DeepEqual(f, alone) {
				t.Fatalf("from %+v: %+v, not %+v", targets[i], f, alone)
			}
		}
	}
}

// BenchmarkRecompute weighs packages of seven trials from all of their
// viewpoints by every method, as a change of the yardstick does; it reports
// how many of the packages' trials that is a second.
func BenchmarkRecompute(b *testing.B) {
	rng := rand.New(rand.NewPCG(4, 20))
	firmwares := world(rng)
	packages := make([][]Trial, 100)
	for i := range packages {
		packages[i] = randomTrials(rng, firmwares, 7)
	}
	for _, trials := range packages {
		for i := range trials {
			if rng.IntN(10) > 0 { // as in life: most go clean
				trials[i].Outcome, trials[i].Method = Clean, RemoveForUser
			}
		}
	}
	var limits Limits
	for i := 0; b.Loop(); i++ {
		trials := packages[i%len(packages)]
		points := Viewpoints(trials)
		for _, m := range Methods {
			g := Gather(trials, m)
			if g.Empty() {
				continue
			}
			for _, p := range points {
				SuggestedLoad(g.Summary(p.Target, DefaultYardstick, &limits), DefaultThresholds)
				g.Strip(p.Target)
			}
		}
	}
	b.ReportMetric(float64(7*b.N)/b.Elapsed().Seconds(), "trials/s")
}
