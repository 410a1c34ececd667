package gain

import (
	"math/rand/v2"
	"testing"

	"roster/core/android"
)

// TestSignRank holds the interval to published tables of the sign test at 95 %.
func TestSignRank(t *testing.T) {
	for n, want := range map[int]int{1: 0, 5: 0, 6: 1, 8: 1, 9: 2, 11: 2, 12: 3, 15: 4, 17: 5, 20: 6, 25: 8, 30: 10, 40: 14, 50: 18, 100: 40} {
		if got := signRank(n); got != want {
			t.Errorf("of %d the rank is %d, want %d", n, got, want)
		}
	}
}

func TestMedianOf(t *testing.T) {
	for what, c := range map[string]struct {
		values []float64
		want   Figure
	}{
		"nobody":      {nil, Figure{}},
		"too few":     {[]float64{3, 1, 2}, Figure{Median: 2, Phones: 3}},
		"six":         {[]float64{6, 5, 4, 3, 2, 1}, Figure{Median: 3.5, Low: 1, High: 6, Phones: 6, Measurable: true}},
		"one that is": {[]float64{-1, 2, 3, 4, 5, 6}, Figure{Median: 3.5, Low: -1, High: 6, Phones: 6}},
		"nine":        {[]float64{9, 8, 7, 6, 5, 4, 3, 2, -4}, Figure{Median: 5, Low: 2, High: 8, Phones: 9, Measurable: true}},
	} {
		if got := MedianOf(c.values); got != c.want {
			t.Errorf("%s: %+v, want %+v", what, got, c.want)
		}
	}
}

// TestCovers draws phones around a known gain: the interval holds it in at least 95
// of 100 draws, and what brings nothing is said to bring something in at most 5.
func TestCovers(t *testing.T) {
	chance := rand.New(rand.NewPCG(22, 1))
	for _, n := range []int{6, 9, 20, 41} {
		const draws = 4000
		covered, wrong := 0, 0
		for range draws {
			some, none := make([]float64, n), make([]float64, n)
			for i := range n {
				some[i] = 190 + 40*chance.NormFloat64()
				none[i] = 40 * (chance.ExpFloat64() - chance.ExpFloat64())
			}
			if f := MedianOf(some); f.Low <= 190 && 190 <= f.High {
				covered++
			}
			if MedianOf(none).Measurable {
				wrong++
			}
		}
		if covered*100 < 95*draws-draws {
			t.Errorf("of %d phones the interval holds the truth in %d of %d draws", n, covered, draws)
		}
		if wrong*100 > 5*draws {
			t.Errorf("of %d phones nothing is called something in %d of %d draws", n, wrong, draws)
		}
	}
}

func TestBetween(t *testing.T) {
	before := &android.Measurement{Uptime: 7200, MemAvailable: 1000, DataFree: 50, Processes: 30, Services: 9, Wakeups: 20, Screen: "on", Plugged: "yes",
		Uses: map[android.PackageName]android.Use{"a.big": {Memory: 500, Processes: 2}, "a.small": {Memory: 10, Wakeups: 3}}}
	after := &android.Measurement{Uptime: 3600, MemAvailable: 1600, DataFree: 80, Processes: 25, Services: 9, Wakeups: 4, Screen: "on", Plugged: "yes"}
	if d := Between(before, after); d != (Difference{600, 30, 5, 0, 6}) {
		t.Errorf("%+v", d)
	}
	if doubts := Doubts(before, after); len(doubts) != 0 {
		t.Errorf("%q", doubts)
	}
	parts := Parts(before, []android.PackageName{"a.none", "a.small", "a.big"})
	if parts[0].Package != "a.big" || parts[1].Package != "a.small" || parts[2].Memory != 0 {
		t.Errorf("%+v", parts)
	}
	after.Missing, after.Screen, after.Uptime, after.Plugged = []string{"cat /proc/meminfo", "dumpsys alarm"}, "off", 60, "no"
	if d := Between(before, after); d.Memory != 0 || d.Wakeups != 0 || d.Data != 30 {
		t.Errorf("what was not told is compared: %+v", d)
	}
	if doubts := Doubts(before, after); len(doubts) != 3 {
		t.Errorf("%q", doubts)
	}
}
