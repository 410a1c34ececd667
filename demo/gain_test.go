package demo

import (
	"fmt"
	"log/slog"
	"strings"
	"testing"
	"time"

	"roster/core/android"
	"roster/core/gain"
	"roster/phone"
)

// gainOn measures a stand-in after three starts: as it came, when some packages have
// gone, and when others have, too. It returns what each brought.
func gainOn(t *testing.T, scenario *phone.Scenario, serial string, first, then []string) (brought [2]gain.Difference) {
	t.Helper()
	one := *scenario
	one.Serial = serial
	p := phone.New(&one, slog.New(slog.DiscardHandler))
	measure := func() []android.Measurement {
		p.Restart()
		p.Pass(2 * time.Hour)
		return []android.Measurement{android.ReadMeasurement(string(p.Ask(t.Context(), android.MeasureQuestion())))}
	}
	before := measure()
	for i, gone := range [][]string{first, then} {
		for _, name := range gone {
			if said := string(p.Ask(t.Context(), "pm uninstall --user 0 "+name)); !strings.Contains(said, "Success") {
				t.Fatalf("%s: %s", name, said)
			}
		}
		after := measure()
		brought[i], before = gain.Between(before, after), after
	}
	return brought
}

// TestGainCovers has forty phones of the sample world lose packages, what costs
// nothing and then what costs something, a hundred times over: the intervals hold what its scenarios say in at least 95 of 100, and packages
// that cost nothing are said to bring something in at most 5.
func TestGainCovers(t *testing.T) {
	t.Parallel()
	const seeds, phones = 100, 40
	scenario, err := phone.Of(World, "models/lyra-5.yaml", "15.0.0", "seed")
	if err != nil {
		t.Fatal(err)
	}
	costly := []string{"com.brannock.feed.daily", "com.brannock.games.hub", "app.basketree.shop", "com.brannock.telemetry"}
	idle := []string{"com.brannock.video", "com.brannock.music", "com.android.egg"}
	// As the sample world has them: MB, milliseconds of a start each and for each MB,
	// and wake-ups in an hour.
	const megabytes = 62 + 38 + 48 + 24
	truth := map[gain.Quantity]float64{gain.Memory: megabytes << 20, gain.Start: (4*60 + 10*megabytes) / 1000.0, gain.Wakeups: 6 + 2 + 8 + 12}
	covered, wrong := map[gain.Quantity]int{}, map[gain.Quantity]int{}
	for seed := range seeds {
		some, none := map[gain.Quantity][]gain.Counted{}, map[gain.Quantity][]gain.Counted{}
		for i := range phones {
			serial, who := fmt.Sprintf("S%d-%d", seed, i), fmt.Sprint(i/3)
			brought := gainOn(t, scenario, serial, idle, costly)
			for q, c := range brought[0] {
				none[q] = append(none[q], gain.Counted{Gained: c.Gained, Person: who})
			}
			for q, c := range brought[1] {
				some[q] = append(some[q], gain.Counted{Gained: c.Gained, Person: who})
			}
		}
		for q, want := range truth {
			f, least := gain.FigureOf(some[q]), 0.0
			if q == gain.Wakeups {
				least = 0.25 // they are whole numbers in two hours
			}
			if f.Low-least <= want && want <= f.High+least {
				covered[q]++
			}
			if f := gain.FigureOf(none[q]); f.Verdict == gain.Gains {
				wrong[q]++
			}
		}
	}
	for q := range truth {
		t.Logf("%s: the truth is held in %d of %d, nothing is called something in %d", q, covered[q], seeds, wrong[q])
		if covered[q] < 95 || wrong[q] > 5 {
			t.Errorf("%s: the truth is held in %d of %d, nothing is called something in %d", q, covered[q], seeds, wrong[q])
		}
	}
}
