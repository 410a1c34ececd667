package sizing_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"roster/core/sizing"
)

// TestOf holds sizes to what was measured, and to growing as what they are of.
func TestOf(t *testing.T) {
	// docs/performance.md: 240,000 captures, 100 million sightings, 26 GB of them.
	s := sizing.Of(sizing.Assumed{Phones: 240_000, Packages: 417, CapturesAYear: 1, Years: 1, Firmwares: 2000})
	if s.Sightings != 100_080_000 || float64(s.Disk) < 26e9 || float64(s.Disk) > 1.5*26e9 {
		t.Errorf("%+v", s)
	}
	var before sizing.Size
	for _, phones := range []int64{1, 10_000, 1_000_000, 10_000_000} {
		s := sizing.Of(sizing.Assumed{Phones: phones})
		if s.Assumed != sizing.Ordinary(phones) {
			t.Errorf("%d phones: %+v", phones, s.Assumed)
		}
		if s.Disk <= before.Disk || s.Memory < before.Memory || s.Servers < before.Servers || s.Replicas < before.Replicas || s.Memory > s.Disk+256<<20 {
			t.Errorf("%d phones take less than fewer: %+v after %+v", phones, s, before)
		}
		if s.Servers < 1 || len(s.Advice) == 0 {
			t.Errorf("%d phones: %+v", phones, s)
		}
		before = s
	}
	if !slices.ContainsFunc(before.Advice, func(a string) bool { return strings.Contains(a, "Part sightings") }) {
		t.Errorf("%+v", before.Advice)
	}
	twice := sizing.Of(sizing.Assumed{Phones: 1_000_000, Years: 6})
	if once := sizing.Of(sizing.Assumed{Phones: 1_000_000}); twice.Sightings != 2*once.Sightings || twice.LogADay != once.LogADay {
		t.Errorf("kept twice as long: %+v, %+v", once, twice)
	}
}

// ExampleOf is the table of docs/operations.md.
func ExampleOf() {
	for _, phones := range []int64{10_000, 1_000_000, 10_000_000} {
		s := sizing.Of(sizing.Assumed{Phones: phones})
		const gb = 1e9
		fmt.Printf("| %d | %.1f GB | %.2f GB | %.1f GB | %.1f GB | %.0f | %d | %d |\n", phones, float64(s.Disk)/gb, float64(s.LogADay)/gb,
			float64(s.Backup)/gb, float64(s.Memory)/gb, s.CapturesAnHour, s.Servers, s.Replicas)
	}
	// Output:
	// | 10000 | 8.5 GB | 0.01 GB | 1.1 GB | 0.3 GB | 32 | 1 | 0 |
	// | 1000000 | 851.7 GB | 0.89 GB | 114.6 GB | 3.7 GB | 3200 | 2 | 1 |
	// | 10000000 | 8516.6 GB | 8.93 GB | 1146.5 GB | 36.8 GB | 32000 | 3 | 2 |
}
