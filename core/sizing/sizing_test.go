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
	// docs/performance.md: 240,000 captures, 100 million sightings, 5.4 GB of them.
	s := sizing.Of(sizing.Assumed{Phones: 240_000, Packages: 417, CapturesAYear: 1, Years: 1, Firmwares: 2000})
	if s.Sightings != 100_080_000 || float64(s.Disk) < 5.4e9 || float64(s.Disk) > 1.7*5.4e9 {
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
	if !slices.ContainsFunc(before.Advice, func(a string) bool { return strings.Contains(a, "Point-in-time recovery") }) {
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
	// | 10000 | 1.8 GB | 0.00 GB | 0.2 GB | 0.3 GB | 32 | 1 | 0 |
	// | 1000000 | 178.1 GB | 0.16 GB | 24.0 GB | 0.6 GB | 3200 | 2 | 1 |
	// | 10000000 | 1780.7 GB | 1.55 GB | 239.7 GB | 5.7 GB | 32000 | 3 | 2 |
}
