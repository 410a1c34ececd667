// Package gain says what taking packages off brings: how a phone's measurements
// before and after differ, and what the differences of several phones come to. It
// says of a gain that nobody can tell from nothing that it is none.
package gain

import (
	"cmp"
	"fmt"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"

	"roster/core/android"
)

// Difference is what a phone has more, or does less of, after than before: above 0
// is a gain in each.
type Difference struct {
	// Memory that can be had and Data that is free, in bytes.
	Memory int64 `json:"memory"`
	Data   int64 `json:"data"`
	// Processes and Services that do not run any more.
	Processes int `json:"processes"`
	Services  int `json:"services"`
	// Wakeups are those by alarms in an hour, fewer.
	Wakeups float64 `json:"wakeups"`
}

// Between is the difference of two measurements of a phone. What one of them did not
// tell makes none.
func Between(before, after *android.Measurement) Difference {
	told := func(command string) bool {
		return !slices.Contains(before.Missing, command) && !slices.Contains(after.Missing, command)
	}
	var d Difference
	if told("cat /proc/meminfo") {
		d.Memory = after.MemAvailable - before.MemAvailable
	}
	if told("df -k /data") {
		d.Data = after.DataFree - before.DataFree
	}
	if told("dumpsys meminfo -c") {
		d.Processes = before.Processes - after.Processes
	}
	if told("dumpsys activity services") {
		d.Services = before.Services - after.Services
	}
	if told("dumpsys alarm") && told("cat /proc/uptime") {
		d.Wakeups = hourly(before) - hourly(after)
	}
	return d
}

// hourly is how often alarms woke a phone in an hour, 0 where it has not been up for
// long enough to say.
func hourly(m *android.Measurement) float64 {
	if m.Uptime < 60 {
		return 0
	}
	return float64(m.Wakeups) / (m.Uptime / 3600)
}

// alike is by how much the uptimes of two measurements may differ, as a factor.
const alike = 3

// Doubts say in words why two measurements can hardly be compared; none where they
// were taken in the same state.
func Doubts(before, after *android.Measurement) []string {
	doubts := []string{}
	if before.Screen != after.Screen && before.Screen != "" && after.Screen != "" {
		doubts = append(doubts, fmt.Sprintf("the screen was %s before and %s after", before.Screen, after.Screen))
	}
	if before.Plugged != after.Plugged && before.Plugged != "" && after.Plugged != "" {
		doubts = append(doubts, "it was on the charger only one of the two times")
	}
	if least, most := min(before.Uptime, after.Uptime), max(before.Uptime, after.Uptime); least > 0 && most > alike*least {
		doubts = append(doubts, fmt.Sprintf("it had been up for %.0f s before and for %.0f s after", before.Uptime, after.Uptime))
	}
	return doubts
}

// Part is what the phone attributed to a package before it went.
type Part struct {
	Package android.PackageName `json:"package"`
	android.Use
}

// Parts are what a phone attributed to packages before, the largest memory first.
// What brings nothing stands last.
func Parts(before *android.Measurement, gone []android.PackageName) []Part {
	parts := make([]Part, len(gone))
	for i, name := range gone {
		parts[i] = Part{name, before.Uses[name]}
	}
	slices.SortFunc(parts, func(a, b Part) int {
		return cmp.Or(cmp.Compare(b.Memory, a.Memory), cmp.Compare(b.Wakeups, a.Wakeups), cmp.Compare(a.Package, b.Package))
	})
	return parts
}

// confidence is that of the interval of a Figure.
const confidence = 0.95

// Figure is the median of what several phones gained, each counted once, with a
// distribution-free interval for it.
type Figure struct {
	Median float64 `json:"median"`
	// Low and High bound it, both 0 where there are too few phones for an interval.
	Low    float64 `json:"low"`
	High   float64 `json:"high"`
	Phones int     `json:"phones"`
	// Measurable is true where all of the interval is a gain.
	Measurable bool `json:"measurable"`
}

// MedianOf makes a figure of what phones gained. The interval is that of the sign
// test: from the k-th smallest to the k-th largest value, k being the largest for
// which both tails of the binomial distribution of n and one half hold at most 5 %.
// Under six values there is none.
//
// Source: W. J. Conover, Practical Nonparametric Statistics, confidence interval for
// a quantile.
func MedianOf(values []float64) Figure {
	f := Figure{Phones: len(values)}
	if len(values) == 0 {
		return f
	}
	sorted := slices.Sorted(slices.Values(values))
	n := len(sorted)
	f.Median = (sorted[(n-1)/2] + sorted[n/2]) / 2
	k := signRank(n)
	if k == 0 {
		return f
	}
	f.Low, f.High = sorted[k-1], sorted[n-k]
	f.Measurable = f.Low > 0
	return f
}

// signRank is the largest k for which fewer than k of n fall on one side with a
// probability of at most 2.5 %, 0 where there is none.
func signRank(n int) int {
	tail := distuv.Binomial{N: float64(n), P: 0.5}
	k := 0
	for 2*tail.CDF(float64(k)) <= 1-confidence {
		k++
	}
	return k
}
