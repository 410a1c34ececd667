// Package gain says what taking packages off brings: how a phone's measurements
// before and after differ, what the differences of several phones come to, and which
// packages that was. It says of a gain that nobody can tell from nothing that it is
// none.
package gain

import (
	"fmt"
	"slices"

	"roster/core/android"
)

// Quantity is something that a phone can have more of, or do less of.
type Quantity string

// The quantities, with their units: bytes, seconds, milliseconds, a number, an hour's
// number, or a share of 100.
const (
	Memory    Quantity = "memory"    // that can be had, bytes
	Start     Quantity = "start"     // until a start is done, seconds
	Opening   Quantity = "opening"   // of an everyday screen, milliseconds
	Late      Quantity = "late"      // frames of such screens that come late, of 100
	Wakeups   Quantity = "wakeups"   // by alarms, in an hour
	Processor Quantity = "processor" // time on battery of what came with the phone, milliseconds in an hour
	Traffic   Quantity = "traffic"   // on battery of what came with the phone, bytes in an hour
	Processes Quantity = "processes" // that run
	Services  Quantity = "services"  // that run
	Jobs      Quantity = "jobs"      // that wait
	Data      Quantity = "data"      // free, bytes
	System    Quantity = "system"    // free in the image, bytes
)

// read is how a quantity is read from a measurement: more is true where more of it
// is better, screens where it is of those that opened, and ok is false where the
// measurement does not tell.
type read struct {
	quantity      Quantity
	more, screens bool
	of            func(m *android.Measurement) (value float64, ok bool)
}

// quantities are all of them, in the order in which people care.
var quantities = []read{
	{Memory, true, false, told(func(m *android.Measurement) float64 { return float64(m.MemAvailable) }, android.AsksMemory)},
	{Start, false, false, told(func(m *android.Measurement) float64 { return m.StartTook }, android.AsksStart)},
	{Wakeups, false, false, func(m *android.Measurement) (float64, bool) {
		return hourly(m, float64(m.Wakeups), m.Uptime, android.AsksAlarms, android.AsksUptime)
	}},
	{Processor, false, false, func(m *android.Measurement) (float64, bool) {
		return hourly(m, float64(m.Came.Processor), m.OnBattery, android.AsksBattery, android.AsksOwners)
	}},
	{Traffic, false, false, func(m *android.Measurement) (float64, bool) {
		return hourly(m, float64(m.Came.Traffic), m.OnBattery, android.AsksBattery, android.AsksOwners)
	}},
	{Opening, false, true, opening},
	{Late, false, true, late},
	{Processes, false, false, told(func(m *android.Measurement) float64 { return float64(m.Processes) }, android.AsksProcesses)},
	{Services, false, false, told(func(m *android.Measurement) float64 { return float64(m.Services) }, android.AsksServices)},
	{Jobs, false, false, told(func(m *android.Measurement) float64 { return float64(m.Jobs) }, android.AsksJobs)},
	{Data, true, false, told(func(m *android.Measurement) float64 { return float64(m.DataFree) }, android.AsksData)},
	{System, true, false, told(func(m *android.Measurement) float64 { return float64(m.SystemFree) }, android.AsksSystem)},
}

// Quantities lists all quantities, in the order in which people care.
func Quantities() []Quantity {
	list := make([]Quantity, len(quantities))
	for i, q := range quantities {
		list[i] = q.quantity
	}
	return list
}

// told reads what some commands told.
func told(of func(*android.Measurement) float64, commands ...string) func(*android.Measurement) (float64, bool) {
	return func(m *android.Measurement) (float64, bool) {
		for _, c := range commands {
			if slices.Contains(m.Missing, c) {
				return 0, false
			}
		}
		return of(m), true
	}
}

// shortest is the time in seconds below which nothing is said of an hour.
const shortest = 60

// hourly is what was counted over some seconds, in an hour.
func hourly(m *android.Measurement, counted, seconds float64, commands ...string) (float64, bool) {
	value, ok := told(func(*android.Measurement) float64 { return counted }, commands...)(m)
	return value * 3600 / max(seconds, shortest), ok && seconds >= shortest
}

// opening is how long an everyday screen takes, the mean of those that opened.
func opening(m *android.Measurement) (float64, bool) {
	var sum float64
	for _, o := range m.Openings {
		sum += float64(o.Took)
	}
	return sum / float64(max(len(m.Openings), 1)), len(m.Openings) > 0
}

// late is the share of frames that came late, of 100.
func late(m *android.Measurement) (float64, bool) {
	var frames, janky float64
	for _, o := range m.Openings {
		frames, janky = frames+float64(o.Frames), janky+float64(o.Janky)
	}
	return 100 * janky / max(frames, 1), frames > 0
}

// Differs is how a quantity differs: the medians before and after, and what was gained
// of it, above 0 where it is better after than before.
type Differs struct {
	Before float64 `json:"before"`
	After  float64 `json:"after"`
	Gained float64 `json:"gained"`
	// Noise is by how much measurements of the same state differ, the larger one of
	// before and after; nil where neither was measured twice.
	Noise *float64 `json:"noise,omitempty"`
}

// Difference is how a phone differs after something went, by what its measurements
// tell: what they do not tell is not in it.
type Difference map[Quantity]Differs

// Between is the difference of a phone's measurements before and after.
func Between(before, after []android.Measurement) Difference {
	d, same := Difference{}, sameScreens(before, after)
	for _, q := range quantities {
		was, is := values(q, before), values(q, after)
		if q.screens && !same || len(was) == 0 || len(is) == 0 {
			continue
		}
		c := Differs{Before: median(was), After: median(is)}
		if c.Gained = c.Before - c.After; q.more {
			c.Gained = c.After - c.Before
		}
		if len(was) > 1 || len(is) > 1 {
			noise := max(was[len(was)-1]-was[0], is[len(is)-1]-is[0])
			c.Noise = &noise
		}
		d[q.quantity] = c
	}
	return d
}

// values are a quantity's in measurements that tell it, smallest first.
func values(q read, list []android.Measurement) (out []float64) {
	for i := range list {
		if v, ok := q.of(&list[i]); ok {
			out = append(out, v)
		}
	}
	slices.Sort(out)
	return out
}

// sameScreens reports whether the same screens opened in all measurements that opened
// any: a mean of others says nothing.
func sameScreens(before, after []android.Measurement) bool {
	var first map[string]android.Opening
	for _, m := range slices.Concat(before, after) {
		if len(m.Openings) == 0 {
			continue
		}
		if first == nil {
			first = m.Openings
		}
		for name := range first {
			if _, ok := m.Openings[name]; !ok {
				return false
			}
		}
		if len(m.Openings) != len(first) {
			return false
		}
	}
	return true
}

// median is that of values in order, of at least one.
func median(sorted []float64) float64 {
	n := len(sorted)
	return (sorted[(n-1)/2] + sorted[n/2]) / 2
}

// alike is by how much the uptimes of two measurements may differ, as a factor.
const alike = 3

// Alike reports whether two measurements of a phone were taken in the same state, as
// far as it tells.
func Alike(a, b *android.Measurement) bool {
	same := func(x, y string) bool { return x == y || x == "" || y == "" }
	least, most := min(a.Uptime, b.Uptime), max(a.Uptime, b.Uptime)
	return same(a.Screen, b.Screen) && same(a.Plugged, b.Plugged) && same(a.Busy, b.Busy) && a.Unsettled == b.Unsettled &&
		(least == 0 || most <= alike*least)
}

// Doubts say in words why measurements can hardly be compared; none where they were
// taken in the same state.
func Doubts(before, after []android.Measurement) []string {
	doubts := []string{}
	if len(before) == 0 || len(after) == 0 {
		return doubts
	}
	add := func(words string) {
		if !slices.Contains(doubts, words) {
			doubts = append(doubts, words)
		}
	}
	first, last := before[0], after[len(after)-1]
	for _, m := range slices.Concat(before[1:], after) {
		if m.Screen != first.Screen && m.Screen != "" && first.Screen != "" {
			add(fmt.Sprintf("the screen was %s at first and %s later", first.Screen, m.Screen))
		}
		if m.Plugged != first.Plugged && m.Plugged != "" && first.Plugged != "" {
			add("it was not on the charger all times, or was only some")
		}
	}
	for _, m := range slices.Concat(before, after) {
		if m.Busy == "yes" {
			add("it was installing or compiling something meanwhile")
		}
		if m.Unsettled {
			add("it had not settled after its restart")
		}
	}
	if least, most := min(first.Uptime, last.Uptime), max(first.Uptime, last.Uptime); least > 0 && most > alike*least {
		add(fmt.Sprintf("it had been up for %.0f s before and for %.0f s after", first.Uptime, last.Uptime))
	}
	return doubts
}

// Part is what the phone attributed to a package before it went.
type Part struct {
	Package android.PackageName `json:"package"`
	Use
}

// Use is what a phone, or the median one of several, attributes to a package: memory
// and room in bytes; processes, services and jobs; and in an hour how often it wakes
// the phone, its processor time in milliseconds and its traffic in bytes.
type Use struct {
	Memory    float64 `json:"memory"`
	Processes float64 `json:"processes"`
	Services  float64 `json:"services"`
	Jobs      float64 `json:"jobs"`
	Wakeups   float64 `json:"wakeups"`
	Processor float64 `json:"processor"`
	Traffic   float64 `json:"traffic"`
	Room      float64 `json:"room"`
}

// Nothing reports whether nothing is attributed but room.
func (u Use) Nothing() bool {
	u.Room = 0
	return u == Use{}
}

// Attributes reports whether a measurement tells what packages use, so that one to
// which it attributes nothing uses nothing: memory, and wake-ups over some time.
func Attributes(m *android.Measurement) bool {
	_, memory := told(func(*android.Measurement) float64 { return 0 }, android.AsksProcesses, android.AsksOwners)(m)
	_, wakeups := hourly(m, 0, m.Uptime, android.AsksAlarms, android.AsksUptime)
	return memory && wakeups
}

// UseOf is what a measurement attributes to a package. What is counted since a charge
// is 0 where too little time has gone by.
func UseOf(m *android.Measurement, name android.PackageName) Use {
	u := m.Uses[name]
	use := Use{Memory: float64(u.Memory), Processes: float64(u.Processes), Services: float64(u.Services), Jobs: float64(u.Jobs), Room: float64(u.Room)}
	if m.Uptime >= shortest {
		use.Wakeups = float64(u.Wakeups) * 3600 / m.Uptime
	}
	if m.OnBattery >= shortest {
		use.Processor = float64(u.Processor) * 3600 / m.OnBattery
		use.Traffic = float64(u.Traffic) * 3600 / m.OnBattery
	}
	return use
}
